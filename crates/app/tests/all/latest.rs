//! The latest steps of a drawing, for the pages that are a few behind.

use rhizograph_app::service::latest::{Done, KEPT, Latest};
use rhizograph_core::edit::{Given, LiftStep, plan};
use rhizograph_core::geom::pt;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use std::sync::Arc;

fn done(revision: i64) -> Done {
    let (sheet, ink) = (Sheet::new(40, 30, 300.0), Ink::plain(Plane::new(40, 30, 0), [0; 3]));
    let scene = Scene::of(&sheet, &ink);
    let step = LiftStep::Protect { at: pt(5.0, 5.0) }.into();
    let change = plan(&sheet, &step, &Given { lifted: &ink, scene: &scene, swatches: &[] }).unwrap();
    Done { revision, label: change.label.clone(), by: "ada".into(), edited: Some((Arc::new(change), Arc::default())) }
}

#[test]
fn only_an_unbroken_run_of_steps_is_told() {
    let mut latest = Latest::default();
    assert!(latest.since(0, 1).is_none());
    (1..=100).for_each(|revision| latest.add(done(revision)));
    assert_eq!(latest.labels(97, 100).len(), 3);
    assert!(latest.since(100 - KEPT as i64, 100).is_some());
    assert!(latest.since(100 - KEPT as i64 - 1, 100).is_none(), "the first of them is not kept any more");
    assert!(latest.since(97, 101).is_none() && latest.since(100, 100).is_none() && latest.since(101, 100).is_none());
    // Another server did one.
    latest.add(done(102));
    assert!(latest.since(100, 102).is_none() && latest.since(101, 102).is_some());
    // Everything was computed anew: what was done is told, but nothing from before stands.
    latest.add(Done { edited: None, ..done(103) });
    assert!(latest.since(101, 103).is_none());
    assert_eq!(latest.labels(101, 103).len(), 2);
}
