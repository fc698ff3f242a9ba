//! Decisions that serve more than one finding: what is alike in a drawing, and what was decided at the like place of
//! another.

use crate::support;

use rhizograph_core::edit::{Command, Decision, FindingsStep, Given, JoinStep, PaintStep, plan};
use rhizograph_core::error::Error;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::model::verdict::{Kind, Verdict};
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::scene::Scene;
use rhizograph_core::scene::alike::alike;
use rhizograph_core::scene::findings::Finding;
use rhizograph_core::shot::surroundings::{decided_in, like_decisions};
use std::f64::consts::TAU;
use support::{do_it, inked, ring, traced};

/// A ring with hatching in it, and two strokes elsewhere that end freely.
fn hatched(by: Pt) -> Ink {
    let mut strokes = vec![(ring(pt(140.0, 150.0) + by, 110.0, 110.0, 0.0, TAU), 7.0)];
    for k in 0..7 {
        let x = 95.0 + 14.0 * f64::from(k);
        strokes.push((vec![pt(x, 110.0) + by, pt(x + 12.0, 175.0) + by], 4.0));
    }
    strokes.push((vec![pt(280.0, 60.0) + by, pt(350.0, 40.0) + by], 8.0));
    strokes.push((vec![pt(290.0, 230.0) + by, pt(330.0, 260.0) + by], 8.0));
    inked(&strokes)
}

#[test]
fn the_ends_of_one_hatching_are_alike_and_others_are_not() {
    let ink = hatched(pt(0.0, 0.0));
    let sheet = traced(&ink);
    let scene = Scene::of(&sheet, &ink);
    let groups = alike(&scene.findings, &scene.network, sheet.dpi);
    // The upper ends, and the lower ones: they run the other way.
    let mut places: Vec<(usize, bool)> = groups
        .iter()
        .map(|g| {
            let at: Vec<Pt> = g.iter().map(|id| scene.findings.get(id).unwrap().at).collect();
            let upper = at[0].y < 140.0;
            assert!(at.iter().all(|p| (p.y < 140.0) == upper && p.x > 80.0 && p.x < 200.0), "{at:?}");
            (g.len(), upper)
        })
        .collect();
    places.sort_unstable();
    // Two that look at one another are one finding.
    let [(lower, false), (upper, true)] = places[..] else { panic!("{places:?}") };
    assert!(lower >= 3 && upper >= 3, "{places:?}");
    // Each is in one group at most, and left together they are so still.
    let left =
        do_it(&sheet, &ink, &Command::Findings(FindingsStep::Leave { ids: groups[0].clone() })).apply(&sheet).unwrap();
    let after = Scene::of(&left, &ink);
    let again = alike(&after.findings, &after.network, sheet.dpi);
    let all_left = |g: &&Vec<String>| g.iter().all(|id| after.findings.get(id).unwrap().left);
    assert_eq!(again.iter().filter(all_left).count(), 1);
    assert_eq!(again.len(), 2);
}

#[test]
fn what_was_decided_in_one_drawing_is_found_at_the_like_place_of_the_next() {
    let (first, next) = (hatched(pt(0.0, 0.0)), hatched(pt(14.0, 9.0)));
    let sheet = traced(&first);
    let scene = Scene::of(&sheet, &first);
    let end = |s: &Scene, p: Pt| -> Finding {
        let near = |f: &&Finding| f.at.dist(p);
        let ends = s.findings.iter().filter(|f| !matches!(f.kind, Kind::Unpainted | Kind::Sliver));
        ends.min_by(|a, b| near(a).total_cmp(&near(b))).unwrap().clone()
    };
    let chosen = end(&scene, pt(350.0, 40.0));
    let after =
        do_it(&sheet, &first, &Command::Findings(FindingsStep::Leave { ids: vec![chosen.id] })).apply(&sheet).unwrap();
    let decided = decided_in(&after.settled, &first.alpha, 300.0);
    assert_eq!(decided.len(), 1);
    let other = traced(&next);
    let scene = Scene::of(&other, &next);
    let found = like_decisions(&scene.findings, &next.alpha, 300.0, &decided);
    let [(finding, n)] = found[..] else { panic!("{found:?}") };
    assert!(finding.at.dist(pt(364.0, 49.0)) < 8.0, "{:?}", finding.at);
    assert_eq!((decided[n].how, decided[n].kind), (Verdict::Left, finding.kind));
    // A drawing with something else there is offered nothing.
    let elsewhere =
        inked(&[(vec![pt(300.0, 20.0), pt(352.0, 44.0)], 8.0), (ring(pt(360.0, 60.0), 20.0, 24.0, 0.0, TAU), 6.0)]);
    let scene = Scene::of(&traced(&elsewhere), &elsewhere);
    assert!(like_decisions(&scene.findings, &elsewhere.alpha, 300.0, &decided).is_empty());
}

/// Two rings with a gap of the same length in each, the one on the right as much larger.
fn two_open_rings() -> Ink {
    let open = |r: f64| (10.0 + 6.0) / r;
    let broken = |c: Pt, r: f64| (ring(c, r, r, 0.7 + open(r) / 2.0, 0.7 + TAU - open(r) / 2.0), 6.0);
    inked(&[broken(pt(85.0, 150.0), 50.0), broken(pt(260.0, 150.0), 90.0)])
}

#[test]
fn several_decisions_are_one_step_each_in_its_own_way() {
    let ink = two_open_rings();
    let sheet = traced(&ink);
    let scene = Scene::of(&sheet, &ink);
    let gaps: Vec<&Finding> = scene.findings.iter().filter(|f| f.kind == Kind::Gap).collect();
    assert_eq!(gaps.len(), 2);
    let decided = |f: &Finding, how| Decision { id: f.id.clone(), how };
    let decisions =
        vec![decided(gaps[0], Verdict::Seamed), decided(gaps[1], Verdict::Left), decided(gaps[1], Verdict::Left)];
    let change = do_it(&sheet, &ink, &Command::Findings(FindingsStep::Decide { decisions }));
    let after = change.apply(&sheet).unwrap();
    let how: Vec<(Verdict, Pt)> = after.settled.iter().map(|s| (s.how, s.at)).collect();
    assert_eq!(how, [(Verdict::Seamed, gaps[0].at), (Verdict::Left, gaps[1].at)]);
    assert_eq!(after.lines.len(), sheet.lines.len() + 1);
    assert!(after.lines.last().unwrap().is_seam());
    assert_eq!(change.undo(&after).unwrap(), sheet);
    // A gap cannot be cut, and then nothing is done.
    let decisions = vec![decided(gaps[0], Verdict::Bridged), decided(gaps[1], Verdict::Cut)];
    let refused = plan(
        &sheet,
        &Command::Findings(FindingsStep::Decide { decisions }),
        &Given { lifted: &ink, scene: &scene, swatches: &[] },
    );
    assert!(matches!(refused, Err(Error::Mismatch(_))), "{refused:?}");
}

#[test]
fn what_leaks_a_painted_room_is_listed_before_what_leaks_a_larger_one() {
    let ink = two_open_rings();
    let sheet = traced(&ink);
    let mut scene = Scene::of(&sheet, &ink);
    let order = |s: &Scene| -> Vec<bool> {
        s.findings.iter().filter(|f| f.kind == Kind::Gap).map(|f| f.at.x > 150.0).collect()
    };
    assert_eq!(order(&scene), [true, false], "the larger room first");
    // A frame closed around the smaller ring alone is painted, so its gap lets that paint in.
    let frame = vec![pt(10.0, 60.0), pt(150.0, 60.0), pt(150.0, 240.0), pt(10.0, 240.0), pt(10.0, 60.0)];
    let framed = do_it(&sheet, &ink, &Command::Join(JoinStep::Seam { path: frame })).apply(&sheet).unwrap();
    scene.advance(&sheet, &framed, &ink).unwrap();
    let at = vec![pt(20.0, 75.0)];
    let filled = plan(
        &framed,
        &Command::Paint(PaintStep::Fill { at: at.clone(), swatch: "skin".into() }),
        &Given { lifted: &ink, scene: &scene, swatches: &["skin".into()] },
    );
    let filled = filled.unwrap().apply(&framed).unwrap();
    scene.advance(&framed, &filled, &ink).unwrap();
    assert_eq!(order(&scene), [false, true]);
    assert_eq!(order(&Scene::of(&filled, &ink)), [false, true]);
    let cleared = do_it(&filled, &ink, &Command::Paint(PaintStep::Clear { at })).apply(&filled).unwrap();
    scene.advance(&filled, &cleared, &ink).unwrap();
    assert_eq!(order(&scene), [true, false]);
}
