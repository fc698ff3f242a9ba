//! Steps made on an older state: what stands on the newer one does what was seen, and nothing is overwritten.

use crate::support;

use proptest::prelude::*;
use proptest::test_runner::TestRunner;
use rhizograph_core::edit::{
    Change, Command, FindingsStep, Given, JoinStep, LiftStep, PaintStep, SettingsStep, Since, TraceStep, WeightStep,
    plan, replay, stands_apart,
};
use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::model::by_hand::{Effect, Touch};
use rhizograph_core::model::line::{End, EndStyle, Form, Line, Made, piled};
use rhizograph_core::model::recipe::{CloseWith, Recipes};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::scene::Scene;
use rhizograph_core::weight::Adjust;
use serde_json::{Value, json};
use std::f64::consts::TAU;
use std::sync::atomic::{AtomicUsize, Ordering};
use support::{inked, ring, traced};

fn swatches() -> Vec<String> {
    vec!["skin".into(), "shell".into()]
}

fn on<'a>(lifted: &'a Ink, scene: &'a Scene, swatches: &'a [String]) -> Given<'a> {
    Given { lifted, scene, swatches }
}

/// What a change takes out of and puts into each list, whatever the places in it; what is new is numbered from
/// `base` on, and told by how many came before.
fn told(change: &Change, base: u64) -> Value {
    let whole = serde_json::to_value(change).unwrap();
    let number = |v: &Value| match v.as_u64() {
        Some(id) if id >= base => json!(format!("new {}", id - base)),
        _ => v.clone(),
    };
    let items = |swap: &Value, side: &str| -> Value {
        let mut list: Vec<String> = swap[side]
            .as_array()
            .unwrap()
            .iter()
            .map(|entry| {
                let mut item = entry.clone();
                if let Some(fields) = item.as_object_mut() {
                    fields.remove("order");
                }
                for key in ["id", "line"] {
                    if item.get(key).is_some() {
                        item[key] = number(&item[key]);
                    }
                }
                item.to_string()
            })
            .collect();
        list.sort();
        json!(list)
    };
    let both = |swap: &Value| json!([items(swap, "gone"), items(swap, "came")]);
    let lists = ["lines", "erased", "drops", "settled", "reweighed"].map(|name| both(&whole[name]));
    let by_hand = ["touches", "inverted", "protected"].map(|name| both(&whole["by_hand"][name]));
    json!([whole["label"], whole["recipes"], whole["size"], lists, by_hand])
}

/// Where a stroke begins, how far it goes, its width.
type Stroke = (f64, f64, f64, f64, f64);

/// Which step, about which of what is there, at which place.
type Pick = (u8, usize, f64, f64);

/// Long and short lines on a sheet of 900 x 700, with rings among them.
fn drawn(strokes: &[Stroke]) -> (Sheet, Ink) {
    let mut sheet = Sheet::new(900, 700, 300.0);
    let line = |(k, &(x, y, dx, dy, w)): (usize, &Stroke)| {
        let points: Vec<Pt> = if k % 3 == 0 {
            let r = 25.0 + 0.2 * dx.abs();
            ring(pt(x, y), r, r, 0.0, if k % 2 == 0 { TAU } else { TAU - 8.0 / r })
        } else {
            vec![pt(x, y), pt(x + 0.6 * dx, y + 0.4 * dy), pt(x + dx, y + dy)]
        };
        let spine = Spine::through(&points, false);
        let form = Form::Centreline { spine, width: vec![[0.0, w]], ends: [End::Round; 2] };
        Line::new(k as u64 + 1, form, Made::Traced)
    };
    sheet.lines = piled(strokes.iter().enumerate().map(line).collect());
    sheet.next_id = 1000;
    sheet.traced = Some(Box::new(sheet.tracing()));
    let ink = Scene::ink_of_lines(&sheet.lines, 900, 700, [0; 3]);
    (sheet, ink)
}

fn any_step(scene: &Scene, sheet: &Sheet, (kind, n, x, y): Pick) -> Command {
    let ids: Vec<&String> = scene.findings.iter().map(|f| &f.id).collect();
    let one: Vec<String> = ids.get(n % ids.len().max(1)).map(|&id| id.clone()).into_iter().collect();
    let line = sheet.lines.get(n % sheet.lines.len().max(1)).map_or(0, |l| l.id);
    let end = scene.network.ends().nth(n % (2 * sheet.lines.len().max(1))).map_or(pt(x, y), |e| e.p);
    let seeds: Vec<Pt> = scene.regions.iter().map(|r| r.seed).collect();
    let seed: Vec<Pt> = seeds.get(n % seeds.len().max(1)).copied().into_iter().collect();
    let box_at = |p: Pt, r: f64| [pt(-r, -r), pt(r, -r), pt(r, r), pt(-r, r)].map(|o| p + o).to_vec();
    match kind {
        0 => FindingsStep::Settle { ids: one, with: Some(CloseWith::Bridge) }.into(),
        1 => FindingsStep::Settle { ids: one, with: None }.into(),
        2 => FindingsStep::Leave { ids: one }.into(),
        3 => JoinStep::Seam { path: vec![end, end + pt(35.0, 20.0), pt(x, y).lerp(end, 0.9)] }.into(),
        4 => JoinStep::Bridge { from: end, to: end + pt(0.05 * x - 20.0, 0.05 * y - 15.0) }.into(),
        5 => JoinStep::Sweep { path: vec![end + pt(-9.0, 9.0), end + pt(9.0, -9.0)] }.into(),
        6 => JoinStep::Cut { outline: box_at(end, 9.0), ends: EndStyle::Round, loose: false }.into(),
        7 => WeightStep::Weigh { lines: vec![line], adjust: Adjust::Scale { factor: 0.4 + x / 500.0 } }.into(),
        8 => JoinStep::Remove { line }.into(),
        9 => JoinStep::TakeSpan { at: end }.into(),
        10 | 11 => PaintStep::Fill { at: seed, swatch: if n % 2 == 0 { "skin" } else { "shell" }.into() }.into(),
        12 => PaintStep::Clear { at: seed }.into(),
        13 => PaintStep::FillEmpties { swatch: "shell".into() }.into(),
        14 => {
            let mut recipes = Box::new(sheet.recipes.clone());
            recipes.join.longest_gap = 0.5 + x / 900.0;
            SettingsStep::Recipes { recipes }.into()
        }
        15 => LiftStep::Protect { at: pt(x, y) }.into(),
        16 => {
            let touch = Touch {
                effect: Effect::More,
                path: vec![pt(x, y)],
                size: 20.0,
                hardness: 1.0,
                strength: 1.0,
                takes_off: n % 2 == 0,
            };
            LiftStep::Touch { touch }.into()
        }
        _ => TraceStep::Trace { afresh: false }.into(),
    }
}

fn runner() -> TestRunner {
    let config = ProptestConfig::default();
    TestRunner::new(ProptestConfig { cases: config.cases / 2, source_file: Some(file!()), ..config })
}

fn place() -> impl Strategy<Value = (f64, f64)> {
    (0.0..900.0f64, 0.0..700.0f64)
}

fn stroke() -> impl Strategy<Value = Stroke> {
    let stroke = (place(), -150.0..150.0f64, -150.0..150.0f64, 1.0..9.0f64);
    stroke.prop_map(|((x, y), dx, dy, width)| (x, y, dx, dy, width))
}

fn pick(kinds: u8) -> impl Strategy<Value = Pick> {
    (0..kinds, 0usize..500, place()).prop_map(|(kind, n, (x, y))| (kind, n, x, y))
}

#[test]
fn a_step_that_stands_on_a_newer_state_does_what_was_seen_on_the_older_one() {
    let mut runner = runner();
    let drawings = (
        proptest::collection::vec(stroke(), 6..30),
        proptest::collection::vec(pick(14), 0..4),
        proptest::collection::vec(pick(17), 1..4),
        pick(18),
    );
    let (made, stood) = (AtomicUsize::new(0), AtomicUsize::new(0));
    let check = |(strokes, before, others, mine)| {
        let strokes: Vec<Stroke> = strokes;
        let (before, others): (Vec<Pick>, Vec<Pick>) = (before, others);
        let (mut sheet, ink) = drawn(&strokes);
        let swatches = swatches();
        let mut scene = Scene::of(&sheet, &ink);
        for pick in before {
            let command = any_step(&scene, &sheet, pick);
            let Ok(change) = plan(&sheet, &command, &on(&ink, &scene, &swatches)) else { continue };
            let after = change.apply(&sheet).unwrap();
            scene.advance(&sheet, &after, &ink);
            sheet = after;
        }
        let command = any_step(&scene, &sheet, mine);
        let Ok(seen) = plan(&sheet, &command, &on(&ink, &scene, &swatches)) else { return Ok(()) };
        let base = sheet.next_id;
        let mut since = Since::default();
        for pick in others {
            let other = any_step(&scene, &sheet, pick);
            let Ok(change) = plan(&sheet, &other, &on(&ink, &scene, &swatches)) else { continue };
            let after = change.apply(&sheet).unwrap();
            let edited = scene.advance(&sheet, &after, &ink);
            since.add(&change, edited.as_ref());
            sheet = after;
        }
        made.fetch_add(1, Ordering::Relaxed);
        if let Some(done) = replay(&sheet, &command, &on(&ink, &scene, &swatches), &since) {
            stood.fetch_add(1, Ordering::Relaxed);
            prop_assert_eq!(told(&done, sheet.next_id), told(&seen, base), "{:?}", command);
            let after = done.apply(&sheet).unwrap();
            prop_assert_eq!(done.undo(&after).unwrap(), sheet);
        }
        Ok(())
    };
    if let Err(e) = runner.run(&drawings, check) {
        panic!("{e}");
    }
    let (made, stood) = (made.into_inner(), stood.into_inner());
    println!("figure: of {made} steps made on an older state {stood} stand on the newer one");
    assert!(5 * stood > made, "{stood} of {made}: hardly anything stands");
}

#[test]
fn a_step_that_is_undone_beneath_those_of_others_leaves_what_they_did() {
    let mut runner = runner();
    let drawings = (proptest::collection::vec(stroke(), 6..30), proptest::collection::vec(pick(17), 1..5), pick(17));
    let (made, stood) = (AtomicUsize::new(0), AtomicUsize::new(0));
    let check = |(strokes, others, mine)| {
        let (strokes, others): (Vec<Stroke>, Vec<Pick>) = (strokes, others);
        let (first, ink) = drawn(&strokes);
        let swatches = swatches();
        let mut scene = Scene::of(&first, &ink);
        let command = any_step(&scene, &first, mine);
        let Ok(mine) = plan(&first, &command, &on(&ink, &scene, &swatches)) else { return Ok(()) };
        let mut sheet = mine.apply(&first).unwrap();
        scene.advance(&first, &sheet, &ink);
        let mut theirs: Vec<Change> = Vec::new();
        for pick in others {
            let other = any_step(&scene, &sheet, pick);
            let Ok(change) = plan(&sheet, &other, &on(&ink, &scene, &swatches)) else { continue };
            let after = change.apply(&sheet).unwrap();
            scene.advance(&sheet, &after, &ink);
            sheet = after;
            theirs.push(change);
        }
        made.fetch_add(1, Ordering::Relaxed);
        if stands_apart(&mine, &theirs, &scene) {
            stood.fetch_add(1, Ordering::Relaxed);
            let undone = mine.undo(&sheet).unwrap();
            let alone = theirs.iter().try_fold(first.clone(), |s, c| c.apply(&s)).unwrap();
            prop_assert_eq!(&undone, &Sheet { next_id: undone.next_id, ..alone }, "{:?}", command);
            prop_assert_eq!(mine.apply(&undone).unwrap(), sheet);
        }
        Ok(())
    };
    if let Err(e) = runner.run(&drawings, check) {
        panic!("{e}");
    }
    let (made, stood) = (made.into_inner(), stood.into_inner());
    println!("figure: of {made} steps with others' on top {stood} are undone beneath them");
    assert!(5 * stood > made, "{stood} of {made}: hardly any");
}

/// Two rings far apart, open or closed; the older state with what was changed since.
struct Two {
    ink: Ink,
    older: Scene,
    newer: Sheet,
    scene: Scene,
    since: Since,
}

impl Two {
    fn after(to: f64, other: impl Fn(&Scene) -> Command) -> Two {
        let ink = inked(&[90.0, 300.0].map(|x| (ring(pt(x, 150.0), 60.0, 60.0, 0.9, to), 6.0)));
        let sheet = traced(&ink);
        let older = Scene::of(&sheet, &ink);
        let change = plan(&sheet, &other(&older), &on(&ink, &older, &swatches())).unwrap();
        let newer = change.apply(&sheet).unwrap();
        let mut scene = older.clone();
        let edited = scene.advance(&sheet, &newer, &ink);
        let mut since = Since::default();
        since.add(&change, edited.as_ref());
        Two { ink, older, newer, scene, since }
    }

    fn stands(&self, mine: impl Fn(&Scene) -> Command) -> bool {
        replay(&self.newer, &mine(&self.older), &on(&self.ink, &self.scene, &swatches()), &self.since).is_some()
    }
}

const OPEN: f64 = 0.7 + TAU;
const CLOSED: f64 = 0.9 + TAU;

fn close(scene: &Scene, right: bool) -> Command {
    let gap = scene.findings.iter().find(|f| f.kind == Kind::Gap && (f.at.x > 200.0) == right).unwrap();
    FindingsStep::Settle { ids: vec![gap.id.clone()], with: Some(CloseWith::Bridge) }.into()
}

fn fill(x: f64, swatch: &str) -> Command {
    PaintStep::Fill { at: vec![pt(x, 150.0)], swatch: swatch.into() }.into()
}

fn longest_gap(mm: f64) -> Command {
    let mut recipes = Box::<Recipes>::default();
    recipes.join.longest_gap = mm;
    SettingsStep::Recipes { recipes }.into()
}

#[test]
fn steps_that_touch_different_things_both_stand() {
    let two = Two::after(OPEN, |s| close(s, false));
    assert!(two.stands(|s| close(s, true)));
    assert!(two.stands(|_| JoinStep::Seam { path: vec![pt(290.0, 140.0), pt(310.0, 160.0)] }.into()));
    assert!(two.stands(|_| LiftStep::Protect { at: pt(90.0, 150.0) }.into()));
    assert!(two.stands(|_| longest_gap(3.0)));
    let two = Two::after(CLOSED, |_| fill(90.0, "skin"));
    assert!(two.stands(|_| fill(300.0, "skin")));
    assert!(two.stands(|_| TraceStep::Trace { afresh: false }.into()));
}

#[test]
fn steps_that_touch_the_same_are_refused() {
    let two = Two::after(OPEN, |s| close(s, false));
    assert!(!two.stands(|s| close(s, false)), "the gap is closed already");
    assert!(!two.stands(|_| JoinStep::Seam { path: vec![pt(140.0, 170.0), pt(150.0, 220.0)] }.into()));
    assert!(!two.stands(|_| TraceStep::Trace { afresh: false }.into()));
    assert!(!two.stands(|_| fill(90.0, "skin")), "there was no such region");
    let two = Two::after(CLOSED, |_| fill(90.0, "skin"));
    assert!(!two.stands(|_| fill(90.0, "shell")));
    assert!(!two.stands(|_| PaintStep::FillEmpties { swatch: "shell".into() }.into()));
    let two = Two::after(OPEN, |_| longest_gap(2.0));
    assert!(!two.stands(|_| longest_gap(3.0)), "somebody else's settings are not overwritten");
}
