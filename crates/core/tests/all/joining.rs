//! The contracts of joining, on drawings made for the purpose: what is settled is exactly settled, what is undone is
//! exactly undone.

use crate::support;

use proptest::prelude::*;
use rhizograph_core::edit::{
    Change, Command, Decision, FindingsStep, Given, JoinStep, PaintStep, SettingsStep, TraceStep, WeightStep, plan,
};
use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Pt, pt, segments_cross};
use rhizograph_core::model::line::{End, EndStyle, Form, Line, Made, piled};
use rhizograph_core::model::pixels;
use rhizograph_core::model::recipe::CloseWith;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::{Kind, Verdict};
use rhizograph_core::raster::ink::{IS_INK, Ink};
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::raster::strokes;
use rhizograph_core::scene::Scene;
use rhizograph_core::scene::findings::Finding;
use rhizograph_core::trace::trace;
use rhizograph_core::weight::Adjust;
use support::anew::{finds_the_same, is_that_of};
use support::{do_it, inked, ring, traced};

#[test]
fn two_lines_that_cross_are_two_lines_not_four_stubs() {
    let ink = inked(&[(vec![pt(60.0, 60.0), pt(340.0, 240.0)], 8.0), (vec![pt(60.0, 230.0), pt(340.0, 70.0)], 6.0)]);
    let sheet = traced(&ink);
    assert_eq!(sheet.lines.len(), 2);
    let scene = Scene::of(&sheet, &ink);
    assert_eq!(scene.network.ends().filter(|e| e.loose).count(), 4);
    for line in &sheet.lines {
        let flat = line.flat(0.05);
        let (a, b) = (flat[0].p, flat[flat.len() - 1].p);
        let straight = flat.iter().map(|f| (f.p - a).cross((b - a).unit()).abs()).fold(0.0, f64::max);
        assert!(straight < 0.6, "bent by {straight} px");
    }
}

#[test]
fn the_middle_and_width_of_a_line_are_found_below_a_pixel() {
    let (mut off, mut wide, mut n): (Vec<f64>, f64, f64) = (vec![], 0.0, 0.0);
    for k in 0..6 {
        let r = 80.0 + 7.3 * f64::from(k);
        let centre = pt(200.3 + 0.17 * f64::from(k), 150.8);
        let ink = inked(&[(ring(centre, r, r, 0.0, std::f64::consts::TAU), 20.0)]);
        let sheet = traced(&ink);
        assert_eq!(sheet.lines.len(), 1);
        for f in sheet.lines[0].flat(0.05) {
            off.push((f.p.dist(centre) - r).abs());
            wide += (f.width - 20.0).abs();
            n += 1.0;
        }
    }
    off.sort_by(f64::total_cmp);
    let (mean, p95) = (off.iter().sum::<f64>() / n, off[off.len() * 95 / 100]);
    println!(
        "figure: strokes 20 px wide: middle off by {mean:.3} px on average, {p95:.3} px at p95; width off by {:.2} %",
        wide / n * 5.0
    );
    assert!(mean < 0.15 && p95 < 0.6 && wide / n < 0.2);
}

#[test]
fn after_a_tail_is_cut_no_ink_of_it_remains_and_the_other_lines_ink_is_unchanged() {
    for (slope, width, length) in [(0.0, 6.0, 14.0), (0.4, 6.0, 16.0), (-0.6, 8.0, 18.0), (0.2, 4.0, 10.0)] {
        let wall = vec![pt(250.0, 20.0), pt(250.0, 280.0)];
        let alone = inked(&[(wall.clone(), 8.4)]);
        let reach = 250.0 + 4.2 + length - width / 2.0;
        let through = vec![pt(80.0, 150.0 - 170.0 * slope), pt(reach, 150.0 + (reach - 250.0) * slope)];
        let ink = inked(&[(wall, 8.4), (through, width)]);
        let sheet = traced(&ink);
        let scene = Scene::of(&sheet, &ink);
        let tails: Vec<_> = scene.findings.iter().filter(|f| f.kind == Kind::Tail).collect();
        assert_eq!(tails.len(), 1, "slope {slope}");
        let change = do_it(
            &sheet,
            &ink,
            &Command::Findings(FindingsStep::Settle { ids: vec![tails[0].id.clone()], with: None }),
        );
        let after = change.apply(&sheet).unwrap();
        let seen = after.visible_ink(&ink);
        for y in 0..300 {
            for x in 252..400 {
                let (is, was) = (*seen.alpha.at(x, y) >= IS_INK, *alone.alpha.at(x, y) >= IS_INK);
                assert_eq!(is, was, "slope {slope}: at {x}, {y}");
            }
        }
        assert!(!Scene::of(&after, &ink).findings.iter().any(|f| f.kind == Kind::Tail));
        assert_eq!(change.undo(&after).unwrap(), sheet);
    }
}

#[test]
fn a_bridge_joins_exactly_its_two_ends_and_crosses_nothing() {
    let tau = std::f64::consts::TAU;
    for gap in [6.0, 10.0, 16.0, 22.0] {
        let open = (gap + 6.0) / 90.0;
        let ink = inked(&[
            (ring(pt(200.0, 150.0), 90.0, 90.0, 0.7 + open / 2.0, 0.7 + tau - open / 2.0), 6.0),
            (ring(pt(200.0, 150.0), 40.0, 40.0, 0.0, tau), 5.0),
        ]);
        let sheet = traced(&ink);
        let scene = Scene::of(&sheet, &ink);
        assert_eq!(scene.regions.len(), 1, "only the inner ring is closed");
        let gaps: Vec<_> = scene.findings.iter().filter(|f| f.kind == Kind::Gap).collect();
        assert_eq!(gaps.len(), 1);
        assert!(gaps[0].sure, "a gap of {gap} px with confidence {:.2}", gaps[0].confidence);
        for with in [CloseWith::Bridge, CloseWith::Seam] {
            let after = do_it(
                &sheet,
                &ink,
                &Command::Findings(FindingsStep::Settle { ids: vec![gaps[0].id.clone()], with: Some(with) }),
            )
            .apply(&sheet)
            .unwrap();
            let now = Scene::of(&after, &ink);
            assert_eq!(now.regions.len(), 2);
            assert!(now.network.ends().all(|e| !e.loose));
            let new = after.lines.last().unwrap().flat(0.1);
            let others: Vec<Vec<FlatPoint>> = sheet.lines.iter().map(|l| l.flat(0.1)).collect();
            for w in new[1..new.len() - 1].windows(2) {
                for o in others.iter().flat_map(|f| f.windows(2)) {
                    assert!(segments_cross(w[0].p, w[1].p, o[0].p, o[1].p).is_none());
                }
            }
            let ink_added =
                now.ink.alpha.data.iter().zip(&ink.alpha.data).filter(|(a, b)| **a >= IS_INK && **b < IS_INK).count();
            assert_eq!(ink_added > 0, with == CloseWith::Bridge, "a seam has no ink");
        }
    }
}

#[test]
fn a_corner_stays_a_corner_and_a_t_ends_on_the_others_body() {
    let ink = inked(&[
        (vec![pt(60.0, 240.0), pt(200.0, 60.0), pt(340.0, 240.0)], 7.0),
        (vec![pt(60.0, 240.0), pt(340.0, 240.0)], 7.0),
        (vec![pt(200.0, 60.0), pt(200.0, 240.0)], 5.0),
    ]);
    let sheet = traced(&ink);
    let scene = Scene::of(&sheet, &ink);
    assert!(scene.network.ends().all(|e| !e.loose), "nothing is loose: {:?}", scene.findings);
    assert_eq!(scene.regions.len(), 2);
    assert!(scene.findings.iter().all(|f| f.kind == Kind::Unpainted));
}

#[test]
fn a_solid_is_an_outline_and_a_line_running_into_it_joins_it() {
    let mut ink = inked(&[
        (vec![pt(40.0, 150.0), pt(200.0, 150.0)], 6.0),
        (ring(pt(150.0, 150.0), 100.0, 100.0, 0.0, std::f64::consts::TAU), 6.0),
    ]);
    let disc = ring(pt(230.0, 150.0), 36.0, 36.0, 0.0, std::f64::consts::TAU);
    strokes::fill(&mut ink.alpha, &[disc]);
    let sheet = traced(&ink);
    let outlines = sheet.lines.iter().filter(|l| l.spine().is_none()).count();
    assert_eq!(outlines, 1);
    let scene = Scene::of(&sheet, &ink);
    let loose: Vec<Pt> = scene.network.ends().filter(|e| e.loose).map(|e| e.p).collect();
    assert_eq!(loose.len(), 1, "{loose:?}");
    assert!(loose[0].dist(pt(40.0, 150.0)) < 2.0);
    // The line and the disc together part the ring in two; the disc is ink and no region.
    assert_eq!(scene.regions.len(), 2);
}

#[test]
fn paint_holds_on_to_its_region_and_two_that_join_are_a_finding() {
    let tau = std::f64::consts::TAU;
    let ink =
        inked(&[(ring(pt(200.0, 150.0), 100.0, 100.0, 0.0, tau), 6.0), (vec![pt(200.0, 50.0), pt(200.0, 250.0)], 6.0)]);
    let mut sheet = traced(&ink);
    let at = |x: f64| vec![pt(x, 150.0)];
    for (x, swatch) in [(150.0, "skin"), (250.0, "shell")] {
        sheet = do_it(&sheet, &ink, &Command::Paint(PaintStep::Fill { at: at(x), swatch: swatch.into() }))
            .apply(&sheet)
            .unwrap();
    }
    assert!(Scene::of(&sheet, &ink).findings.is_empty());
    // A seam parts the left one: both sides keep what they can, and the new one is unpainted or painted, never both.
    let seam = do_it(
        &sheet,
        &ink,
        &Command::Join(JoinStep::Seam { path: vec![pt(110.0, 150.0), pt(150.0, 149.0), pt(190.0, 150.0)] }),
    )
    .apply(&sheet)
    .unwrap();
    let scene = Scene::of(&seam, &ink);
    assert_eq!(scene.regions.len(), 3);
    assert_eq!(scene.findings.iter().filter(|f| f.kind == Kind::Unpainted).count(), 1);
    // The wall between skin and shell goes: one region with two paints.
    let wall = sheet.lines.iter().find(|l| {
        let f = l.flat(0.5);
        f.iter().all(|p| (p.p.x - 200.0).abs() < 3.0)
    });
    let open = do_it(&sheet, &ink, &Command::Join(JoinStep::Remove { line: wall.unwrap().id })).apply(&sheet).unwrap();
    assert_eq!(Scene::of(&open, &ink).findings.iter().filter(|f| f.kind == Kind::TwoPaints).count(), 1);
}

/// Boxes of ink: left, top, right, bottom.
fn boxes(boxes: &[[f64; 4]]) -> Ink {
    let mut ink = inked(&[]);
    let corners = |&[x0, y0, x1, y1]: &[f64; 4]| vec![pt(x0, y0), pt(x1, y0), pt(x1, y1), pt(x0, y1)];
    boxes.iter().for_each(|b| strokes::fill(&mut ink.alpha, &[corners(b)]));
    ink
}

#[test]
fn what_a_cut_leaves_of_a_line_between_two_solids_is_two_lines_and_closes() {
    let solids = [[40.0, 60.0, 140.0, 260.0], [220.0, 60.0, 320.0, 260.0]];
    let joined = [140.0, 90.0, 220.0, 102.0];
    let stubs = [[140.0, 220.0, 172.0, 232.0], [188.0, 220.0, 220.0, 232.0]];
    let ink = boxes(&[solids.as_slice(), &[joined], &stubs].concat());
    let sheet = traced(&ink);
    let scene = Scene::of(&sheet, &ink);
    let loose: Vec<Pt> = scene.network.ends().filter(|e| e.loose).map(|e| e.p).collect();
    assert_eq!(loose.len(), 2, "the corners of the solids are no lines: {loose:?}");
    let gaps: Vec<&Finding> = scene.findings.iter().filter(|f| f.kind == Kind::Gap && f.sure).collect();
    assert_eq!(gaps.len(), 1, "{:?}", scene.findings.iter().map(|f| &f.id).collect::<Vec<_>>());
    let settle = Command::Findings(FindingsStep::Settle { ids: vec![gaps[0].id.clone()], with: None });
    let after = do_it(&sheet, &ink, &settle).apply(&sheet).unwrap();
    assert_eq!(Scene::of(&after, &after.visible_ink(&ink)).regions.len(), scene.regions.len() + 1);
}

#[test]
fn a_gap_is_told_at_the_faces_of_its_own_cut() {
    // Beside a cut at a corner two other edges face one another, too.
    let mut ink = inked(&[
        (vec![pt(100.0, 40.0), pt(100.0, 140.0)], 8.0),
        (vec![pt(112.0, 152.0), pt(220.0, 152.0)], 8.0),
        (vec![pt(220.0, 152.0), pt(220.0, 40.0), pt(100.0, 40.0)], 8.0),
    ]);
    strokes::fill(&mut ink.alpha, &[vec![pt(120.0, 176.0), pt(200.0, 176.0), pt(200.0, 270.0), pt(120.0, 270.0)]]);
    let sheet = traced(&ink);
    let scene = Scene::of(&sheet, &ink);
    for gap in scene.gaps.iter().filter(|g| g.other_end.is_some()) {
        let own = |p: Pt| gap.ends().filter_map(|e| scene.network.end(e)).map(|e| e.p.dist(p)).fold(f64::MAX, f64::min);
        assert!(own(gap.from) < 16.0 && own(gap.to) < 16.0, "{:?} to {:?}", gap.from, gap.to);
    }
    assert!(scene.gaps.iter().any(|g| g.from.dist(pt(100.0, 144.0)) < 6.0 || g.to.dist(pt(100.0, 144.0)) < 6.0));
}

#[test]
fn two_ends_that_lie_upon_one_another_are_two_findings() {
    let mut sheet = Sheet::new(300, 200, 300.0);
    let dash = |id: u64, from: Pt, to: Pt| {
        Line::new(
            id,
            Form::Centreline {
                spine: Spine::through(&[from, to], false),
                width: vec![[0.0, 4.0], [1.0, 4.0]],
                ends: [End::Round, End::Round],
            },
            Made::Hand,
        )
    };
    // What a cut left of a line: hardly longer than nothing.
    sheet.lines = piled(vec![dash(7, pt(100.0, 100.0), pt(100.02, 100.0)), dash(8, pt(20.0, 20.0), pt(20.0, 150.0))]);
    sheet.next_id = 9;
    let ink = Ink::plain(Plane::new(300, 200, 0u8), [0; 3]);
    let scene = Scene::of(&sheet, &ink);
    let ids: std::collections::BTreeSet<&str> = scene.findings.iter().map(|f| f.id.as_str()).collect();
    assert_eq!((scene.findings.len(), ids.len()), (4, 4), "{ids:?}");
    for f in scene.findings.iter() {
        assert_eq!(scene.findings.get(&f.id), Some(f));
        let end = scene.findings.end_of(&f.id).and_then(|e| scene.network.end(e)).unwrap();
        assert_eq!(end.p, f.at);
    }
}

/// A small thick ring from which a band was cut, slantwise to it.
fn cut_ring(slant: f64, half: f64) -> Ink {
    let mut ink = inked(&[(ring(pt(200.0, 150.0), 30.0, 38.0, 0.0, std::f64::consts::TAU), 13.0)]);
    let (along, across) = (pt(slant.cos(), slant.sin()), pt(-slant.sin(), slant.cos()));
    let corner = |a: f64, b: f64| pt(230.0, 150.0) + across * (a * half) + along * (b * 20.0);
    let mut band = Plane::new(400, 300, 0u8);
    strokes::fill(&mut band, &[vec![corner(1.0, 1.0), corner(1.0, -1.0), corner(-1.0, -1.0), corner(-1.0, 1.0)]]);
    ink.alpha.data.iter_mut().zip(&band.data).for_each(|(a, &b)| *a = (*a).min(255 - b));
    ink
}

#[test]
fn what_was_cut_straight_through_closes_whichever_way_the_middles_run() {
    for (slant, half) in [(0.0, 8.0), (0.3, 10.0), (-0.35, 11.0)] {
        let ink = cut_ring(slant, half);
        let sheet = traced(&ink);
        let scene = Scene::of(&sheet, &ink);
        assert_eq!(scene.regions.len(), 0, "slant {slant}: it is open");
        let gaps: Vec<&Finding> = scene.findings.iter().filter(|f| f.kind == Kind::Gap).collect();
        assert!(gaps.len() == 1 && gaps[0].sure, "slant {slant}, {} px: {gaps:?}", 2.0 * half);
        let settle = Command::Findings(FindingsStep::Settle { ids: vec![gaps[0].id.clone()], with: None });
        let after = do_it(&sheet, &ink, &settle).apply(&sheet).unwrap();
        assert_eq!(Scene::of(&after, &after.visible_ink(&ink)).regions.len(), 1, "slant {slant}");
    }
}

fn any_command(scene: &Scene, sheet: &Sheet, pick: (u8, usize, f64, f64)) -> Command {
    let (kind, n, x, y) = pick;
    let ids: Vec<String> = scene.findings.iter().map(|f| f.id.clone()).collect();
    let one = |k: usize| ids.get(k % ids.len().max(1)).cloned().into_iter().collect::<Vec<_>>();
    let seeds: Vec<Pt> = scene.regions.iter().map(|r| r.seed).collect();
    match kind {
        0 => Command::Findings(FindingsStep::Settle { ids: one(n), with: None }),
        1 => Command::Findings(FindingsStep::Settle {
            ids: scene.findings.iter().filter(|f| f.sure).map(|f| f.id.clone()).collect(),
            with: Some(CloseWith::Seam),
        }),
        2 if n % 2 == 0 => Command::Findings(FindingsStep::Leave { ids: one(n) }),
        2 => Command::Findings(FindingsStep::Decide {
            decisions: scene
                .findings
                .iter()
                .enumerate()
                .map(|(k, f)| {
                    let how = match (f.kind, (k + n) % 3) {
                        (Kind::Gap | Kind::Leak, 0) => Verdict::Bridged,
                        (Kind::Gap | Kind::Leak, 1) => Verdict::Seamed,
                        (Kind::Tail, 0 | 1) => Verdict::Cut,
                        _ => Verdict::Left,
                    };
                    Decision { id: f.id.clone(), how }
                })
                .collect(),
        }),
        3 => Command::Join(JoinStep::Sweep { path: vec![pt(x, y), pt(x + 60.0, y + 40.0), pt(x, y + 90.0)] }),
        4 => Command::Join(JoinStep::Seam { path: vec![pt(x, y), pt(y, x)] }),
        5 => Command::Paint(PaintStep::Fill {
            at: seeds.get(n % seeds.len().max(1)).copied().into_iter().collect(),
            swatch: "skin".into(),
        }),
        6 => Command::Paint(PaintStep::FillEmpties { swatch: "shell".into() }),
        7 => Command::Findings(FindingsStep::Reopen { ids: one(n) }),
        8 => Command::Trace(TraceStep::Trace { afresh: n % 2 == 0 }),
        9 => {
            let mut recipes = sheet.recipes.clone();
            recipes.join.longest_gap = (x / 60.0).min(10.0);
            Command::Settings(SettingsStep::Recipes { recipes: Box::new(recipes) })
        }
        10 => Command::Join(JoinStep::Bridge { from: pt(x, y), to: pt(y, x) }),
        11 => Command::Join(JoinStep::TakeSpan { at: pt(x, y) }),
        12 => Command::Weight(WeightStep::Weigh {
            lines: sheet.lines.get(n % sheet.lines.len().max(1)).map(|l| l.id).into_iter().collect(),
            adjust: Adjust::Scale { factor: 0.5 + x / 200.0 },
        }),
        13 => Command::Paint(PaintStep::Clear { at: seeds.get(n % seeds.len().max(1)).copied().into_iter().collect() }),
        14 => {
            let outline = [pt(x, y), pt(x + 50.0, y - 20.0), pt(x + 70.0, y + 60.0), pt(x - 10.0, y + 40.0)];
            let ends = [EndStyle::Round, EndStyle::Flat, EndStyle::AlongCutter][n % 3];
            Command::Join(JoinStep::Cut { outline: outline.to_vec(), ends, loose: false })
        }
        _ => {
            Command::Join(JoinStep::Remove { line: sheet.lines.get(n % sheet.lines.len().max(1)).map_or(0, |l| l.id) })
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(ProptestConfig::default().cases / 10))]

    #[test]
    fn undo_gives_the_former_sheet_and_replay_the_same_one(
        seeds in proptest::collection::vec((20.0..380.0f64, 20.0..280.0f64, 20.0..380.0f64, 20.0..280.0f64, 3.0..12.0f64), 3..9),
        picks in proptest::collection::vec((0u8..16, 0usize..40, 10.0..390.0f64, 10.0..290.0f64), 1..10),
    ) {
        let strokes: Vec<(Vec<Pt>, f64)> = seeds.iter().map(|&(a, b, c, d, w)| (vec![pt(a, b), pt(c, d)], w)).collect();
        let ink = inked(&strokes);
        let start = traced(&ink);
        let mut states = vec![start.clone()];
        let mut changes: Vec<Change> = Vec::new();
        // One scene is kept up all along; what it shows is what would be computed anew.
        let mut scene = Scene::of(&start, &ink);
        for pick in picks {
            let now = states.last().unwrap().clone();
            let command = any_command(&scene, &now, pick);
            let Ok(change) = plan(&now, &command, &Given { lifted: &ink, scene: &scene, swatches: &["skin".into(), "shell".into()] }) else { continue };
            let after = change.apply(&now).unwrap();
            if let Some(edited) = scene.advance(&now, &after, &ink) {
                let told: std::collections::HashSet<&String> = edited.findings.made.iter().collect();
                prop_assert_eq!(told.len(), edited.findings.made.len(), "each finding is told once");
            }
            is_that_of(&scene, &after, &ink)?;
            // What is stored is what comes back.
            let text = serde_json::to_string(&change).unwrap();
            let back: Change = serde_json::from_str(&text).unwrap();
            prop_assert_eq!(&back, &change);
            changes.push(back);
            states.push(after);
        }
        let mut sheet = states.last().unwrap().clone();
        // To a sheet without a line and back.
        let bare = Sheet { lines: Vec::new(), ..sheet.clone() };
        scene.advance(&sheet, &bare, &ink);
        is_that_of(&scene, &bare, &ink)?;
        scene.advance(&bare, &sheet, &ink);
        is_that_of(&scene, &sheet, &ink)?;
        for (change, before) in changes.iter().zip(&states).rev() {
            let undone = change.undo(&sheet).unwrap();
            scene.advance(&sheet, &undone, &ink);
            sheet = undone;
            prop_assert_eq!(&sheet, before);
        }
        is_that_of(&scene, &sheet, &ink)?;
        for (change, after) in changes.iter().zip(&states[1..]) {
            sheet = change.apply(&sheet).unwrap();
            prop_assert_eq!(&sheet, after);
        }
        let text = serde_json::to_string(&sheet).unwrap();
        prop_assert_eq!(serde_json::from_str::<Sheet>(&text).unwrap(), sheet);
    }
}

/// A step in a drawing larger than what it touches.
fn local_command(scene: &Scene, sheet: &Sheet, (kind, n, x, y): (u8, usize, f64, f64)) -> Command {
    let ids: Vec<&String> = scene.findings.iter().filter(|f| f.kind <= Kind::LooseEnd).map(|f| &f.id).collect();
    let one: Vec<String> = ids.get(n % ids.len().max(1)).map(|&id| id.clone()).into_iter().collect();
    let line = sheet.lines.get(n % sheet.lines.len().max(1)).map_or(0, |l| l.id);
    let on_line = scene.network.ends().nth(n % (2 * sheet.lines.len().max(1))).map_or(pt(x, y), |e| e.p);
    match kind {
        0 | 1 => Command::Findings(FindingsStep::Settle { ids: one, with: Some(CloseWith::Bridge) }),
        2 => Command::Findings(FindingsStep::Settle { ids: one, with: Some(CloseWith::Seam) }),
        3 => Command::Findings(FindingsStep::Leave { ids: one }),
        4 => {
            Command::Join(JoinStep::Seam { path: vec![on_line, on_line + pt(35.0, 20.0), pt(x, y).lerp(on_line, 0.9)] })
        }
        5 => Command::Join(JoinStep::Bridge { from: on_line, to: on_line + pt(0.05 * x - 20.0, 0.05 * y - 15.0) }),
        6 => Command::Join(JoinStep::Sweep { path: vec![on_line + pt(-9.0, 9.0), on_line + pt(9.0, -9.0)] }),
        7 => Command::Join(JoinStep::Cut {
            outline: [pt(-9.0, -9.0), pt(9.0, -9.0), pt(9.0, 9.0), pt(-9.0, 9.0)].map(|o| on_line + o).to_vec(),
            ends: EndStyle::Round,
            loose: false,
        }),
        8 => {
            Command::Weight(WeightStep::Weigh { lines: vec![line], adjust: Adjust::Scale { factor: 0.4 + x / 500.0 } })
        }
        _ => Command::Join(JoinStep::Remove { line }),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(ProptestConfig::default().cases / 20))]

    #[test]
    fn what_is_far_from_an_edit_need_not_be_looked_at_again(
        strokes in proptest::collection::vec(
            (0.0..900.0f64, 0.0..700.0f64, -150.0..150.0f64, -150.0..150.0f64, 0.8..9.0f64, 0.8..9.0f64), 15..60),
        longest in prop_oneof![0.1..0.6f64, 0.6..4.0f64],
        picks in proptest::collection::vec((0u8..10, 0usize..500, 0.0..900.0f64, 0.0..700.0f64), 1..10),
    ) {
        let mut now = Sheet::new(900, 700, 300.0);
        now.recipes.join.longest_gap = longest;
        now.lines = piled(strokes.iter().zip(1..).map(|(&(x, y, dx, dy, from, to), id)| {
            let points = [pt(x, y), pt(x + 0.6 * dx, y + 0.4 * dy), pt(x + dx, y + dy)];
            let width = vec![[0.0, from], [1.0, to]];
            let form = Form::Centreline { spine: Spine::through(&points, false), width, ends: [End::Round; 2] };
            Line::new(id, form, Made::Traced)
        }).collect());
        now.next_id = 1000;
        now.traced = Some(Box::new(now.tracing()));
        let ink = Scene::ink_of_lines(&now.lines, 900, 700, [0; 3]);
        let mut scene = Scene::of(&now, &ink);
        let mut undone = Vec::new();
        for pick in picks {
            let command = local_command(&scene, &now, pick);
            let Ok(change) = plan(&now, &command, &Given { lifted: &ink, scene: &scene, swatches: &[] }) else { continue };
            let after = change.apply(&now).unwrap();
            scene.advance(&now, &after, &ink);
            finds_the_same(&scene, &Scene::of(&after, &ink))?;
            undone.push(std::mem::replace(&mut now, after));
        }
        for before in undone.into_iter().rev() {
            scene.advance(&now, &before, &ink);
            now = before;
        }
        finds_the_same(&scene, &Scene::of(&now, &ink))?;
    }
}

#[test]
fn a_span_goes_between_its_crossings_and_takes_only_its_own_ink() {
    let walls = [(vec![pt(120.0, 30.0), pt(130.0, 270.0)], 7.0), (vec![pt(280.0, 30.0), pt(270.0, 270.0)], 9.0)];
    let alone = inked(&walls);
    let across = (vec![pt(40.0, 140.0), pt(360.0, 165.0)], 6.0);
    let mut all = walls.to_vec();
    all.push(across);
    let ink = inked(&all);
    let sheet = traced(&ink);
    let change = do_it(&sheet, &ink, &Command::Join(JoinStep::TakeSpan { at: pt(200.0, 156.0) }));
    let after = change.apply(&sheet).unwrap();
    assert_eq!(after.lines.len(), sheet.lines.len() + 1);
    let seen = after.visible_ink(&ink);
    for y in 0..300 {
        for x in 0..400 {
            let is = *seen.alpha.at(x, y) >= IS_INK;
            let wanted = if (128..275).contains(&x) { alone.alpha.at(x, y) } else { ink.alpha.at(x, y) };
            // A pixel that is all but half covered falls either way by a hundredth of a pixel.
            let is_edge = wanted.abs_diff(IS_INK) < 8;
            assert!(is_edge || is == (*wanted >= IS_INK), "at {x}, {y}");
        }
    }
    // Both stubs still reach the walls: nothing of them is loose there.
    let scene = Scene::of(&after, &ink);
    assert_eq!(scene.network.ends().filter(|e| e.loose).count(), 6);
    assert_eq!(change.undo(&after).unwrap(), sheet);
    // What is left beyond a wall is a span of its own, with a loose end.
    let rest = do_it(&after, &ink, &Command::Join(JoinStep::TakeSpan { at: pt(60.0, 142.0) })).apply(&after).unwrap();
    let seen = rest.visible_ink(&ink);
    assert!((0..300).all(|y| (0..112).all(|x| *seen.alpha.at(x, y) < IS_INK)));
    assert!(
        plan(
            &rest,
            &Command::Join(JoinStep::TakeSpan { at: pt(20.0, 20.0) }),
            &Given { lifted: &ink, scene: &Scene::of(&rest, &ink), swatches: &[] }
        )
        .is_err()
    );
}

#[test]
fn a_span_of_a_seam_goes_between_its_crossings_and_leaves_the_rest() {
    let frame = vec![pt(30.0, 30.0), pt(370.0, 30.0), pt(370.0, 270.0), pt(30.0, 270.0), pt(30.0, 30.0)];
    let ink = inked(&[
        (frame, 6.0),
        (vec![pt(140.0, 30.0), pt(140.0, 270.0)], 5.0),
        (vec![pt(260.0, 30.0), pt(260.0, 270.0)], 5.0),
    ]);
    let sheet = traced(&ink);
    assert_eq!(Scene::of(&sheet, &ink).regions.len(), 3);
    let seam = Command::Join(JoinStep::Seam { path: vec![pt(40.0, 140.0), pt(200.0, 150.0), pt(360.0, 140.0)] });
    let seamed = do_it(&sheet, &ink, &seam).apply(&sheet).unwrap();
    assert_eq!(Scene::of(&seamed, &ink).regions.len(), 6);
    for (at, left) in [(pt(200.0, 150.0), 2), (pt(85.0, 143.0), 1)] {
        let change = do_it(&seamed, &ink, &Command::Join(JoinStep::TakeSpan { at }));
        let after = change.apply(&seamed).unwrap();
        let seams: Vec<_> = after.lines.iter().filter(|l| l.is_seam()).collect();
        assert_eq!(seams.len(), left);
        // The regions it parted there are one, the others are as they were.
        let scene = Scene::of(&after, &ink);
        assert_eq!(scene.regions.len(), 5);
        for x in [85.0, 200.0, 315.0] {
            let room = |y: f64| scene.regions.at(pt(x, y)).unwrap().id;
            let is_whole = room(60.0) == room(240.0);
            assert_eq!(is_whole, x == at.x, "the rooms at {x}");
        }
        // What is left ends on the walls: no end of it is loose.
        assert_eq!(scene.network.ends().filter(|e| e.loose).count(), 0);
        assert_eq!(after.erased, seamed.erased);
        assert_eq!(change.undo(&after).unwrap(), seamed);
    }
}

#[test]
fn tracing_again_keeps_what_was_made_by_hand_and_makes_nothing_twice() {
    let ink = inked(&[
        (ring(pt(200.0, 150.0), 120.0, 90.0, 0.2, std::f64::consts::TAU), 6.0),
        (vec![pt(200.0, 20.0), pt(205.0, 280.0)], 6.0),
        (vec![pt(40.0, 150.0), pt(100.0, 150.0)], 6.0),
    ]);
    let sheet = traced(&ink);
    let scene = Scene::of(&sheet, &ink);
    let sure_gap = |f: &&Finding| f.kind == Kind::Gap && f.sure;
    let sure: Vec<String> = scene.findings.iter().filter(sure_gap).map(|f| f.id.clone()).collect();
    assert_eq!(sure.len(), 1, "{sure:?}");
    let joined =
        do_it(&sheet, &ink, &Command::Findings(FindingsStep::Settle { ids: sure, with: None })).apply(&sheet).unwrap();
    let sweep = Command::Join(JoinStep::Sweep { path: vec![pt(95.0, 135.0), pt(95.0, 165.0)] });
    let joined = do_it(&joined, &ink, &sweep).apply(&joined).unwrap();
    let by_hand = |s: &Sheet| -> Vec<_> { s.lines.iter().filter(|l| l.made != Made::Traced).cloned().collect() };
    assert!(joined.handmade() >= 2);
    let again = do_it(&joined, &ink, &Command::Trace(TraceStep::Trace { afresh: false })).apply(&joined).unwrap();
    assert_eq!(by_hand(&again), by_hand(&joined));
    assert_eq!(again.lines.len(), joined.lines.len());
    assert_eq!(again.erased, joined.erased);
    let (before, after) = (Scene::of(&joined, &ink), Scene::of(&again, &ink));
    assert_eq!(after.regions.len(), before.regions.len());
    assert!(after.findings.iter().filter(|f| f.sure).count() == 0);
    let afresh = do_it(&joined, &ink, &Command::Trace(TraceStep::Trace { afresh: true })).apply(&joined).unwrap();
    assert_eq!(afresh.handmade(), 0);
    assert!(afresh.erased.is_empty());
}

#[test]
fn what_the_trace_shows_is_what_it_then_does() {
    use rhizograph_core::model::inking::Inking;
    use rhizograph_core::model::sheet::Spared;
    use rhizograph_core::preview::Stages;
    use rhizograph_core::raster::window::Window;
    let ink = inked(&[
        (ring(pt(200.0, 150.0), 120.0, 90.0, 0.2, std::f64::consts::TAU), 6.0),
        (vec![pt(200.0, 20.0), pt(205.0, 280.0)], 26.0),
    ]);
    let paper = ink.alpha.map(|&a| [245 - (f64::from(a) * 0.9) as u8; 3]);
    let (inking, recipe) = (Inking::default(), rhizograph_core::model::recipe::TraceRecipe::default());
    // Curves are fitted anew to what is seen of a line: within so little that it shows nowhere.
    let recipe = rhizograph_core::model::recipe::TraceRecipe { widest_line: 1.0, tolerance: 0.1, ..recipe };
    let mut stages = Stages::default();
    let whole = Window { x: 0, y: 0, width: 400, height: 300, level: 0 };
    let (shown, lines) = stages.traced(&paper, &inking, &recipe, &Spared::default(), (whole, true), 300.0).unwrap();
    let inked = stages.ink(&paper, &inking, 300.0);
    let done = trace(&(*inked).as_ref().unwrap().0, &recipe, 300.0, 1);
    assert_eq!(*lines, done);
    let mut drawn = Plane::new(400, 300, 0u8);
    done.iter().for_each(|l| pixels::draw(&mut drawn, l));
    assert_eq!(shown, drawn);
    // A part alone, while a slider is dragged, looks the same but for a shade at its rim.
    let part = Window { x: 80, y: 60, width: 100, height: 100, level: 0 };
    let (seen, _) =
        Stages::default().traced(&paper, &inking, &recipe, &Spared::default(), (part, false), 300.0).unwrap();
    let far = (0..100 * 100).filter(|i| {
        let (x, y) = (i % 100, i / 100);
        seen.at(x, y).abs_diff(*drawn.at(80 + x, 60 + y)) > 60
    });
    assert!(far.count() < 20);
}

#[test]
fn an_end_that_was_meant_leaks_and_closing_there_parts_two_rooms() {
    let room = vec![pt(60.0, 50.0), pt(340.0, 50.0), pt(340.0, 250.0), pt(60.0, 250.0), pt(60.0, 50.0)];
    // A line that tapers off towards the wall was hardly meant to meet it; paint gets by all the same.
    let mut ink = inked(&[(room, 6.0)]);
    let knot = |x, y, width| FlatPoint { p: pt(x, y), width };
    strokes::stroke(&mut ink.alpha, &[knot(60.0, 60.0, 9.0), knot(220.0, 150.0, 8.0), knot(297.5, 210.0, 1.4)]);
    let sheet = traced(&ink);
    let scene = Scene::of(&sheet, &ink);
    assert_eq!(scene.regions.len(), 1);
    let leaks: Vec<&Finding> = scene.findings.iter().filter(|f| f.kind == Kind::Leak).collect();
    assert!(!leaks.is_empty(), "{:?}", scene.findings.iter().map(|f| &f.id).collect::<Vec<_>>());
    let leak = leaks[0];
    assert!(!leak.sure && leak.parts.is_some_and(|p| p.iter().all(Option::is_some)));
    assert!((leak.size - 37.0).abs() < 2.0, "{}", leak.size);
    // The way out leads across the opening, from the smaller room to the larger one.
    let (from, to) = (leak.at, leak.to.unwrap());
    assert!(segments_cross(leak.path[0], leak.path[2], from, to).is_some());
    let parts = leak.parts.unwrap().map(Option::unwrap);
    let anew = |with| {
        let settle = Command::Findings(FindingsStep::Settle { ids: vec![leak.id.clone()], with: Some(with) });
        let change = do_it(&sheet, &ink, &settle);
        let after = change.apply(&sheet).unwrap();
        assert_eq!(change.undo(&after).unwrap(), sheet);
        after
    };
    for with in [CloseWith::Bridge, CloseWith::Seam] {
        let scene = Scene::of(&anew(with), &ink);
        assert_eq!(scene.regions.len(), 2);
        let inside = scene.regions.at(leak.path[0]).unwrap().area;
        let outside = scene.regions.at(leak.path[2]).unwrap().area;
        assert!(inside < outside, "{inside} {outside} of {parts:?}");
    }
    let left = do_it(&sheet, &ink, &Command::Findings(FindingsStep::Leave { ids: vec![leak.id.clone()] }))
        .apply(&sheet)
        .unwrap();
    let still = Scene::of(&left, &ink);
    assert!(still.findings.iter().any(|f| f.kind == Kind::Leak && f.left));
}
