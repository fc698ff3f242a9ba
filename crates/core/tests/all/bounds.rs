//! What anybody may send: numbers that no drawing has, things named twice, more than can be told apart.

use crate::support;

use proptest::prelude::*;
use rhizograph_core::draw::{Follows, Gives, Inked, Pen, Sample, Shape};
use rhizograph_core::edit::{
    Becomes, Command, Decision, DrawStep, FindingsStep, Given, HoldStep, IntakeStep, JoinStep, Level, LiftStep,
    MendStep, PaintStep, SettingsStep, Takes, Together, TraceStep, WeightStep, plan,
};
use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Pt, pt, thinned};
use rhizograph_core::model::by_hand::{Effect, Touch};
use rhizograph_core::model::line::{EndStyle, Form, Line, Made};
use rhizograph_core::model::recipe::{CloseWith, FileLayer, IntakeRecipe, LiftRecipe, Points, Recipes, Register};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::{Kind, Verdict};
use rhizograph_core::raster::ink::{IS_INK, Ink};
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::region::Regions;
use rhizograph_core::region::network::Network;
use rhizograph_core::scene::Scene;
use rhizograph_core::weight::{Adjust, BROADEST};
use serde_json::{Value, json};
use std::f64::consts::TAU;
use std::sync::Arc;
use std::time::{Duration, Instant};
use support::{do_it, inked, ring, traced};

/// A drawing with something of every kind on it: a gap, a tail, a region.
fn drawing() -> (Sheet, Ink) {
    let ink = inked(&[
        (ring(pt(200.0, 150.0), 100.0, 90.0, 0.1, TAU - 0.05), 6.0),
        (vec![pt(200.0, 40.0), pt(205.0, 250.0)], 5.0),
        ([(20.0, 20.0), (30.0, 27.0), (40.0, 22.0), (50.0, 30.0), (60.0, 27.0)].map(|(x, y)| pt(x, y)).to_vec(), 5.0),
    ]);
    (traced(&ink), ink)
}

/// One of every command, with every number in it that it can have.
fn every_command(sheet: &Sheet, scene: &Scene) -> Vec<Command> {
    let id = scene.findings.iter().next().unwrap().id.clone();
    let line = sheet.lines[0].id;
    let path = vec![pt(150.0, 100.0), pt(180.0, 120.0), pt(220.0, 100.0)];
    let points = Some(Points { ink: 0.6, mid: 0.4, paper: 0.2 });
    let recipes = Recipes {
        lift: LiftRecipe { points, drop_out: Some(vec![[90, 120, 200]]), ..LiftRecipe::default() },
        ..Recipes::default()
    };
    let marks = [pt(40.0, 40.0), pt(300.0, 42.0)];
    let intake = IntakeRecipe {
        corners: Some([pt(2.0, 3.0), pt(398.0, 1.0), pt(396.0, 298.0), pt(1.0, 297.0)]),
        quarter_turns: 1,
        straighten: 2.0,
        register: Some(Register { from: marks, to: marks, pegs: false }),
        crop: Some([4.0, 4.0, 250.0, 300.0]),
        holes: vec![[5.0, 5.0, 8.0, 8.0]],
        layer: Some(FileLayer::Numbers(vec![3, 1])),
    };
    let touch =
        Touch { effect: Effect::More, path: path.clone(), size: 20.0, hardness: 0.5, strength: 0.7, takes_off: false };
    let weigh = |adjust| Command::Weight(WeightStep::Weigh { lines: vec![line], adjust });
    vec![
        Command::Settings(SettingsStep::Recipes { recipes: Box::new(recipes.clone()) }),
        Command::Trace(TraceStep::Prepare { recipes: Box::new(recipes) }),
        Command::Trace(TraceStep::Trace { afresh: true }),
        Command::Findings(FindingsStep::Settle { ids: vec![id.clone()], with: Some(CloseWith::Seam) }),
        Command::Findings(FindingsStep::Leave { ids: vec![id.clone()] }),
        Command::Findings(FindingsStep::Decide { decisions: vec![Decision { id: id.clone(), how: Verdict::Left }] }),
        Command::Findings(FindingsStep::Reopen { ids: vec![id] }),
        Command::Join(JoinStep::Sweep { path: path.clone() }),
        Command::Join(JoinStep::Seam { path: path.clone() }),
        Command::Join(JoinStep::Bridge { from: pt(100.0, 150.0), to: pt(200.0, 60.0) }),
        Command::Join(JoinStep::TakeSpan { at: pt(202.0, 120.0) }),
        Command::Join(JoinStep::Cut {
            outline: vec![pt(150.0, 30.0), pt(260.0, 35.0), pt(240.0, 130.0)],
            ends: EndStyle::AlongCutter,
            loose: false,
        }),
        Command::Join(JoinStep::Remove { line }),
        Command::Paint(PaintStep::Fill { at: vec![pt(150.0, 150.0)], swatch: "skin".into() }),
        Command::Paint(PaintStep::FillEmpties { swatch: "shell".into() }),
        Command::Paint(PaintStep::Clear { at: vec![pt(150.0, 150.0)] }),
        Command::Intake(IntakeStep::Intake { intake: Box::new(intake.clone()) }),
        Command::Intake(IntakeStep::Intake { intake: Box::new(IntakeRecipe { register: None, ..intake }) }),
        Command::Intake(IntakeStep::Resolution { dpi: 200.0 }),
        Command::Lift(LiftStep::Touch { touch: touch.clone() }),
        Command::Lift(LiftStep::Touch { touch: Touch { path: vec![pt(50.0, 50.0)], ..touch } }),
        Command::Lift(LiftStep::Invert { effect: Effect::Less }),
        Command::Lift(LiftStep::ClearArea { effect: Effect::More }),
        Command::Lift(LiftStep::Protect { at: pt(60.0, 60.0) }),
        weigh(Adjust::Set { width: 4.0 }),
        weigh(Adjust::Scale { factor: 1.2 }),
        weigh(Adjust::Add { by: 1.0 }),
        weigh(Adjust::Clamp { least: 2.0, most: 5.0 }),
        weigh(Adjust::Calm { amount: 0.5 }),
        weigh(Adjust::Taper { length: 30.0, start: true, end: false }),
    ]
    .into_iter()
    .chain(by_hand(sheet))
    .chain(ending(sheet, scene))
    .collect()
}

/// An end that can be cut along another line.
fn ending(sheet: &Sheet, scene: &Scene) -> Option<Command> {
    let ids: Vec<u64> = sheet.lines.iter().map(|l| l.id).collect();
    let pairs = ids.iter().flat_map(|a| ids.iter().map(move |b| (*a, *b))).filter(|(a, b)| a != b);
    let ends = pairs.flat_map(|(line, along)| {
        [false, true].map(|at_end| Command::Hold(HoldStep::EndAlong { line, at_end, along, gap: 2.0 }))
    });
    let given = Given { lifted: &scene.ink, scene, swatches: &[] };
    let found: Vec<Command> = ends.filter(|c| plan(sheet, c, &given).is_ok()).collect();
    assert!(!found.is_empty());
    found.into_iter().next()
}

/// The same of what is done at Draw.
fn by_hand(sheet: &Sheet) -> Vec<Command> {
    // The ring's own place, and that of the line through it.
    let (first, second) = (sheet.lines[0].id, sheet.lines[1].id);
    let at = |id: u64| {
        let line = sheet.lines.iter().find(|l| l.id == id).unwrap();
        let points = &line.spine().unwrap().points;
        points[points.len() / 6 * 3]
    };
    let a = at(first);
    let pen =
        Pen { width: 6.0, steadying: 0.3, follows: Follows::Pressure { least: 0.2, bend: 1.5 }, tilt: 0.5, grain: 1.0 };
    let sample = |p: Pt, k: f64| Sample(p.x, p.y, Some(0.5), Some([10.0, 5.0]), Some(16.0 * k));
    let samples = |to: Pt| vec![sample(a, 0.0), sample(a.lerp(to, 0.5), 1.0), sample(to, 2.0)];
    let along = |p: Pt| samples(p + pt(14.0, 9.0));
    let rub = vec![a, a + pt(9.0, 4.0)];
    let (map, lines) = ([1.1, 0.2, 5.0, -0.1, 0.9, 7.0], vec![first]);
    let ends = sheet.lines.iter().find(|l| l.spine().is_some_and(|s| !s.closed)).unwrap();
    let reshaped = {
        let mut points = ends.spine().unwrap().points.clone();
        points[1] = points[1] + pt(2.0, 1.0);
        MendStep::Reshape { line: ends.id, ring: 0, points }
    };
    vec![
        DrawStep::Ink { samples: along(a), pen, swatch: None, under: false, fuse: false }.into(),
        DrawStep::Shape {
            shape: Shape::Ellipse,
            from: pt(20.0, 200.0),
            to: pt(80.0, 260.0),
            width: 3.0,
            inked: Inked::Both,
            swatch: None,
            under: true,
        }
        .into(),
        DrawStep::Path {
            points: vec![pt(20.0, 200.0), pt(40.0, 180.0), pt(60.0, 180.0), pt(80.0, 200.0)],
            closed: false,
            width: 3.0,
            inked: Inked::Both,
            swatch: None,
            under: false,
        }
        .into(),
        MendStep::Redraw { samples: along(a), pen, gives: Gives::Both, lines: vec![] }.into(),
        MendStep::Calm { path: rub.clone(), radius: 12.0, strength: 1.0, lines: vec![] }.into(),
        MendStep::Press { path: rub, radius: 12.0, strength: 1.0, lines: vec![first] }.into(),
        MendStep::Bend { line: first, from: a, to: a + pt(3.0, 3.0), reach: 30.0 }.into(),
        reshaped.into(),
        MendStep::Erase { samples: along(a), pen, takes: Takes::Exactly, lines: vec![] }.into(),
        HoldStep::Move { lines: lines.clone(), map, weight: true, copy: false }.into(),
        HoldStep::Move { lines: lines.clone(), map, weight: false, copy: true }.into(),
        HoldStep::Paste { lines: vec![(*sheet.lines[1]).clone()], by: pt(12.0, 3.0) }.into(),
        HoldStep::TakeAway { lines: lines.clone() }.into(),
        HoldStep::Order { lines: lines.clone(), to: Level::Bottom }.into(),
        HoldStep::Group { lines: vec![first, second], apart: false }.into(),
        HoldStep::Convert { lines: lines.clone(), to: Becomes::Outline }.into(),
        HoldStep::Combine { lines: vec![first, second], how: Together::Fuse }.into(),
        HoldStep::Spread { lines: vec![first], maps: vec![map, [1.0, 0.0, 20.0, 0.0, 1.0, 10.0]] }.into(),
    ]
}

/// The ways to every number in a value.
fn numbers_in(value: &Value, way: &str, out: &mut Vec<String>) {
    match value {
        Value::Number(_) => out.push(way.to_owned()),
        Value::Array(all) => all.iter().enumerate().for_each(|(k, v)| numbers_in(v, &format!("{way}/{k}"), out)),
        Value::Object(all) => all.iter().for_each(|(k, v)| numbers_in(v, &format!("{way}/{k}"), out)),
        _ => {}
    }
}

#[test]
fn every_wrong_number_in_every_command_is_refused_or_leaves_a_sheet_that_opens_again() {
    let (sheet, ink) = drawing();
    let scene = Scene::of(&sheet, &ink);
    let wild = [
        json!(1e307),
        json!(-1e307),
        json!(1e18),
        json!(-1e6),
        json!(3e5),
        json!(-1),
        json!(0),
        json!(1e-300),
        json!(u64::MAX),
    ];
    let (mut tried, mut refused) = (0, 0);
    for command in every_command(&sheet, &scene) {
        let told = serde_json::to_value(&command).unwrap();
        assert!(
            plan(&sheet, &command, &Given { lifted: &ink, scene: &scene, swatches: &["skin".into(), "shell".into()] })
                .is_ok(),
            "{told}"
        );
        let mut ways = Vec::new();
        numbers_in(&told, "", &mut ways);
        for (way, wild) in ways.iter().flat_map(|w| wild.iter().map(move |v| (w, v))) {
            let mut wrong = told.clone();
            *wrong.pointer_mut(way).unwrap() = wild.clone();
            tried += 1;
            let Ok(command) = serde_json::from_value::<Command>(wrong.clone()) else {
                refused += 1;
                continue;
            };
            let began = Instant::now();
            let planned = plan(
                &sheet,
                &command,
                &Given { lifted: &ink, scene: &scene, swatches: &["skin".into(), "shell".into()] },
            );
            assert!(began.elapsed() < Duration::from_secs(30), "{wrong} took {:?}", began.elapsed());
            let Ok(change) = planned else {
                refused += 1;
                continue;
            };
            let after = change.apply(&sheet).unwrap();
            assert!(after.lies_near(), "{wrong}");
            let kept = serde_json::to_string(&after).unwrap();
            let opened = serde_json::from_str::<Sheet>(&kept);
            assert!(opened.is_ok_and(|s| s == after), "{wrong} does not open again");
            let change = serde_json::to_string(&change).unwrap();
            let change: rhizograph_core::edit::Change = serde_json::from_str(&change).unwrap();
            assert!(change.undo(&after).unwrap() == sheet, "{wrong} is not undone");
        }
    }
    println!("figure: {tried} wrong numbers in every command: {refused} refused, the others leave a sheet that opens");
    assert!(tried > 500 && refused > tried / 3, "{refused} of {tried}");
}

#[test]
fn weighing_over_and_over_makes_no_line_broader_than_is_drawn_and_the_broadest_is_forgotten_with_it() {
    let (sheet, ink) = drawing();
    let id = sheet.lines[0].id;
    let mut scene = Scene::of(&sheet, &ink);
    let narrow = scene.network.widest();
    let mut now = sheet.clone();
    for _ in 0..5 {
        let weigh = Command::Weight(WeightStep::Weigh { lines: vec![id], adjust: Adjust::Scale { factor: 300.0 } });
        let after =
            plan(&now, &weigh, &Given { lifted: &ink, scene: &scene, swatches: &[] }).unwrap().apply(&now).unwrap();
        scene.advance(&now, &after, &ink).unwrap();
        now = after;
    }
    assert_eq!(scene.network.widest(), BROADEST);
    scene.advance(&now, &sheet, &ink).unwrap();
    assert_eq!(scene.network.widest(), narrow);
    let anew = Scene::of(&sheet, &ink);
    assert!(scene.findings.iter().eq(anew.findings.iter()));
}

#[test]
fn a_finding_named_twice_is_settled_once_and_counted_once() {
    let (sheet, ink) = drawing();
    let scene = Scene::of(&sheet, &ink);
    let gap = scene.findings.iter().find(|f| f.kind == Kind::Gap).unwrap();
    let ids = vec![gap.id.clone(); 300];
    let change = do_it(&sheet, &ink, &Command::Findings(FindingsStep::Settle { ids: ids.clone(), with: None }));
    assert_eq!(change.label, "closed 1 gap");
    let after = change.apply(&sheet).unwrap();
    assert_eq!(after.lines.iter().filter(|l| l.made == Made::Bridge).count(), 1);
    assert_eq!(after.settled.len(), sheet.settled.len() + 1);
    let left = do_it(&sheet, &ink, &Command::Findings(FindingsStep::Leave { ids: ids.clone() }));
    assert_eq!(left.label, "left 1 finding");
    let left = left.apply(&sheet).unwrap();
    assert_eq!(left.settled.len(), 1);
    // Left already: nothing more is done.
    assert!(do_it(&left, &ink, &Command::Findings(FindingsStep::Leave { ids: ids.clone() })).is_empty());
    let opened = do_it(&left, &ink, &Command::Findings(FindingsStep::Reopen { ids }));
    assert_eq!((opened.label.as_str(), opened.apply(&left).unwrap().settled.len()), ("opened again 1 finding", 0));
    let at = vec![pt(150.0, 150.0); 40];
    let filled = do_it(&after, &ink, &Command::Paint(PaintStep::Fill { at: at.clone(), swatch: "skin".into() }));
    assert_eq!(filled.label, "filled 1 region");
    let filled = filled.apply(&after).unwrap();
    assert_eq!(do_it(&filled, &ink, &Command::Paint(PaintStep::Clear { at })).label, "cleared 1 region");
}

#[test]
fn a_span_of_a_ring_goes_on_through_its_start() {
    // Wherever the ring happens to begin, it is crossed at its left and right.
    let (middle, r) = (pt(200.0, 150.0), 80.0);
    let bar = (vec![pt(80.0, 150.0), pt(320.0, 150.0)], 5.0);
    let alone = inked(std::slice::from_ref(&bar));
    for begin in [0.4, 1.3, 2.2, 4.0, 5.5] {
        let points: Vec<Pt> = ring(middle, r, r, begin, begin + TAU);
        let spine = Spine { closed: true, ..Spine::through(&points, true) };
        let (width, ends) = (vec![[0.0, 6.0]], [rhizograph_core::model::line::End::Round; 2]);
        let form = Form::Centreline { spine, width, ends };
        let ink = inked(&[(points, 6.0), bar.clone()]);
        let mut sheet = traced(&ink);
        let straight = Spine::through(&bar.0, false);
        let across = Form::Centreline { spine: straight, width: vec![[0.0, 5.0]], ends };
        let line = |id, form| Arc::new(Line::new(id, form, Made::Traced));
        sheet.lines = vec![line(1, form), line(2, across)];
        sheet.next_id = 3;
        assert_eq!(Scene::of(&sheet, &ink).regions.len(), 2);
        for (side, other) in [(-1.0, 1.0), (1.0, -1.0)] {
            let take = Command::Join(JoinStep::TakeSpan { at: pt(middle.x + 3.0, middle.y + side * r) });
            let after = do_it(&sheet, &ink, &take).apply(&sheet).unwrap();
            let seen = after.visible_ink(&ink).alpha;
            // That half is gone but for the bar, the other one is whole.
            for (x, y) in (110..290).flat_map(|x| (60..240).map(move |y| (x, y))) {
                let off = (y as f64 + 0.5 - middle.y) * side;
                let is = *seen.at(x, y) >= IS_INK;
                if off > 4.0 {
                    assert_eq!(is, *alone.alpha.at(x, y) >= IS_INK, "begun at {begin}, side {side}: {x}, {y}");
                } else if off < -4.0 {
                    assert_eq!(is, *ink.alpha.at(x, y) >= IS_INK, "begun at {begin}, side {side}: {x}, {y}");
                }
            }
            let scene = Scene::of(&after, &ink);
            let left = after.lines.iter().find(|l| l.id == 1).unwrap();
            assert!(left.made == Made::Edited && left.spine().is_some_and(|s| !s.closed));
            assert_eq!(scene.regions.len(), 1, "begun at {begin}, side {side}");
            assert!(scene.regions.at(pt(middle.x, middle.y + other * 40.0)).is_some_and(|r| r.area < 20_000));
        }
    }
}

#[test]
fn regions_beyond_those_that_can_be_numbered_are_told() {
    // 270 seams each way part a sheet into 269 x 269 rooms and the rim.
    let (n, step) = (270, 5.0);
    let side = (n as f64 * step) as usize + 10;
    let seam = |k: usize, level: bool| {
        let (at, far) = (5.0 + k as f64 * step, side as f64 - 5.0);
        let points = if level { [pt(2.0, at), pt(far, at)] } else { [pt(at, 2.0), pt(at, far)] };
        let form = Form::Seam { spine: Spine::through(&points, false) };
        let id = (2 * k + usize::from(level)) as u64 + 1;
        Arc::new(Line::new(id, form, Made::Hand))
    };
    let all: Vec<Arc<Line>> = (0..n).flat_map(|k| [seam(k, false), seam(k, true)]).collect();
    let alpha = Plane::new(side, side, 0u8);
    let mut network = Network::of(&all);
    let mut regions = Regions::of(&network, &alpha);
    let rooms = (n - 1) * (n - 1);
    assert_eq!((regions.len(), regions.beyond()), (65_535, rooms - 65_535));
    // Where there are fewer, those that are left are numbered.
    let fewer: Vec<Arc<Line>> = all.iter().filter(|l| l.id > 60).cloned().collect();
    let edited = network.edit(&all, &fewer);
    regions.update(&network, &edited, &alpha, &[]);
    assert_eq!((regions.len(), regions.beyond()), ((n - 31) * (n - 31), 0));
}

#[test]
fn many_solids_and_many_strokes_take_no_time_for_one_another() {
    let dot = |k: u64| {
        let at = pt((k % 250) as f64 * 8.0 + 4.0, (k / 250) as f64 * 8.0 + 4.0);
        let mut ring: Vec<Pt> = (0..4).map(|c| at + pt([1.5, 1.5, -1.5, -1.5][c], [1.5, -1.5, -1.5, 1.5][c])).collect();
        ring.push(ring[0]);
        Form::Outline { contours: vec![Spine::through(&ring, true)] }
    };
    let stroke = |k: u64| {
        let at = pt((k % 250) as f64 * 8.0, (k / 250) as f64 * 8.0);
        let spine = Spine::through(&[at, at + pt(0.0, 5.0)], false);
        Form::Centreline { spine, width: vec![[0.0, 1.0]], ends: [rhizograph_core::model::line::End::Round; 2] }
    };
    let line = |id, form| Arc::new(Line::new(id, form, Made::Hand));
    // A part of the sheet is as densely drawn as all of it.
    let timed = |n: u64| {
        let lines: Vec<Arc<Line>> =
            (0..n).flat_map(|k| [line(2 * k + 1, dot(k)), line(2 * k + 2, stroke(k))]).collect();
        let began = Instant::now();
        let network = Network::of(&lines);
        let regions = Regions::of(&network, &Plane::new(2000, 1000, 0));
        assert!(regions.len() < 10 && network.ends().filter(|e| e.loose).count() as u64 > n);
        began.elapsed().as_secs_f64()
    };
    timed(1000);
    let (some, many) = (timed(7_500), timed(30_000));
    println!("figure: 30,000 solids and 30,000 strokes arranged in {many:.1} s, a fourth of them in {some:.1} s");
    // Held against one another they would take sixteen times as long.
    assert!(many < 9.0 * some, "{many} s, {some} s");
}

#[test]
fn a_seam_of_twenty_thousand_points_takes_a_moment() {
    let (sheet, ink) = drawing();
    let scene = Scene::of(&sheet, &ink);
    let wave = |k: i32| pt(60.0 + f64::from(k) * 0.014, 150.0 + 60.0 * (f64::from(k) / 900.0).sin());
    let path: Vec<Pt> = (0..20_000).map(wave).collect();
    let began = Instant::now();
    let change = plan(
        &sheet,
        &Command::Join(JoinStep::Seam { path: path.clone() }),
        &Given { lifted: &ink, scene: &scene, swatches: &[] },
    )
    .unwrap();
    assert!(began.elapsed() < Duration::from_secs(10), "{:?}", began.elapsed());
    let after = change.apply(&sheet).unwrap();
    let flat = after.lines.last().unwrap().spine().unwrap().flatten(0.1);
    let off = |p: &Pt| {
        flat.windows(2)
            .map(|w| p.dist(w[0].lerp(w[1], rhizograph_core::geom::nearest_on_segment(*p, w[0], w[1]))))
            .fold(f64::INFINITY, f64::min)
    };
    assert!(path.iter().step_by(97).all(|p| off(p) < 1.3));
    // As many that go to and fro are no line.
    let at = |k: u64| 60.0 + (k.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 40) as f64 % 200.0;
    let noise: Vec<Pt> = (0..20_000).map(|k| pt(at(2 * k + 1), at(2 * k + 2))).collect();
    let began = Instant::now();
    assert!(
        plan(
            &sheet,
            &Command::Join(JoinStep::Seam { path: noise }),
            &Given { lifted: &ink, scene: &scene, swatches: &[] }
        )
        .is_err()
    );
    assert!(began.elapsed() < Duration::from_secs(20), "{:?}", began.elapsed());
}

#[test]
fn a_scene_that_nobody_wants_any_more_is_given_up_between_its_steps() {
    let (sheet, ink) = drawing();
    let asked = std::cell::Cell::new(0);
    let until = |n: usize| {
        asked.set(0);
        Scene::of_while(&sheet, &ink, &|| {
            asked.set(asked.get() + 1);
            asked.get() <= n
        })
    };
    let whole = until(usize::MAX).unwrap();
    let steps = asked.get();
    assert!(steps >= 2);
    assert!(whole.findings.iter().eq(Scene::of(&sheet, &ink).findings.iter()));
    for n in 0..steps {
        assert!(until(n).is_none() && asked.get() == n + 1, "wanted {n} times");
    }
}

proptest! {
    #[test]
    fn a_thinned_line_stays_within_its_tolerance_and_keeps_its_ends(
        points in proptest::collection::vec((0.0f64..200.0, 0.0f64..200.0), 2..60),
        tolerance in 0.01f64..20.0,
    ) {
        let points: Vec<Pt> = points.iter().map(|p| pt(p.0, p.1)).collect();
        let few = thinned(&points, tolerance);
        prop_assert_eq!((few[0], few[few.len() - 1]), (points[0], points[points.len() - 1]));
        for p in &points {
            let off = few.windows(2).map(|w| p.dist(w[0].lerp(w[1], rhizograph_core::geom::nearest_on_segment(*p, w[0], w[1]))));
            prop_assert!(off.fold(f64::INFINITY, f64::min) <= tolerance + 1e-9);
        }
    }
}
