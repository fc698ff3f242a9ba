//! The latest steps of a drawing at this server, with what each did: a step that was made on one of their states may stand
//! on the newest.

use rhizograph_core::edit::{Change, Since};
use rhizograph_core::scene::SceneEdited;
use std::collections::VecDeque;
use std::sync::Arc;

/// The most steps that are kept.
const KEPT: usize = 64;

/// A step that was done or undone.
#[derive(Clone)]
pub struct Done {
    /// The revision that it left.
    pub revision: i64,
    pub label: String,
    /// What changed of the sheet and of the scene; `None`: that was computed anew, and nothing from before stands.
    pub edited: Option<(Arc<Change>, Arc<SceneEdited>)>,
}

#[derive(Clone, Default)]
pub struct Latest(VecDeque<Done>);

impl Latest {
    /// Takes a step in; one that does not follow those that are known (another server's came between) begins anew.
    pub fn add(&mut self, done: Done) {
        if self.0.back().is_some_and(|last| last.revision + 1 != done.revision) {
            self.0.clear();
        }
        if self.0.len() == KEPT {
            self.0.pop_front();
        }
        self.0.push_back(done);
    }

    /// Those from one revision to another; `None`: not all of them are known.
    pub fn between(&self, from: i64, to: i64) -> Option<impl Iterator<Item = &Done>> {
        let reaches = |list: &VecDeque<Done>| Some(list.front()?.revision <= from + 1 && list.back()?.revision == to);
        (from < to && reaches(&self.0)?).then(|| self.0.iter().filter(move |d| d.revision > from))
    }

    /// What was changed from one revision to another; `None`: that is not known.
    pub fn since(&self, from: i64, to: i64) -> Option<Since> {
        let mut since = Since::default();
        for done in self.between(from, to)? {
            let (change, edited) = done.edited.as_ref()?;
            since.add(change, Some(edited));
        }
        Some(since)
    }

    /// The labels of the steps from one revision to another, as far as they are known.
    pub fn labels(&self, from: i64, to: i64) -> Vec<String> {
        self.between(from, to).map_or(Vec::new(), |list| list.map(|d| d.label.clone()).collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rhizograph_core::edit::{Given, LiftStep, plan};
    use rhizograph_core::geom::pt;
    use rhizograph_core::model::sheet::Sheet;
    use rhizograph_core::raster::ink::Ink;
    use rhizograph_core::raster::plane::Plane;
    use rhizograph_core::scene::Scene;

    fn done(revision: i64) -> Done {
        let (sheet, ink) = (Sheet::new(40, 30, 300.0), Ink::plain(Plane::new(40, 30, 0), [0; 3]));
        let scene = Scene::of(&sheet, &ink);
        let step = LiftStep::Protect { at: pt(5.0, 5.0) }.into();
        let change = plan(&sheet, &step, &Given { lifted: &ink, scene: &scene, swatches: &[] }).unwrap();
        Done { revision, label: change.label.clone(), edited: Some((Arc::new(change), Arc::default())) }
    }

    #[test]
    fn only_an_unbroken_run_of_steps_is_told() {
        let mut latest = Latest::default();
        assert!(latest.since(0, 1).is_none());
        (1..=100).for_each(|revision| latest.add(done(revision)));
        assert_eq!(latest.labels(97, 100).len(), 3);
        assert!(latest.since(100 - KEPT as i64, 100).is_some());
        assert!(latest.since(100 - KEPT as i64 - 1, 100).is_none(), "the first of them is not kept any more");
        assert!(
            latest.since(97, 101).is_none() && latest.since(100, 100).is_none() && latest.since(101, 100).is_none()
        );
        // Another server did one.
        latest.add(done(102));
        assert!(latest.since(100, 102).is_none() && latest.since(101, 102).is_some());
        // Everything was computed anew: what was done is told, but nothing from before stands.
        latest.add(Done { edited: None, ..done(103) });
        assert!(latest.since(101, 103).is_none());
        assert_eq!(latest.labels(101, 103).len(), 2);
    }
}
