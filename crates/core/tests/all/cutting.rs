//! Cutting with an outline: what lies within is gone, to the pixel and in the geometry alike, and the ends are as told.

use crate::support;

use proptest::prelude::*;
use rhizograph_core::edit::{Command, Given, JoinStep, plan};
use rhizograph_core::geom::{Pt, inside, pt};
use rhizograph_core::model::line::{End, EndStyle, Form, Line, Made, piled};
use rhizograph_core::model::pixels;
use rhizograph_core::model::recipe::TraceRecipe;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::raster::ink::{IS_INK, Ink};
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::raster::strokes;
use rhizograph_core::scene::Scene;
use rhizograph_core::trace::trace;
use support::{do_it, inked, ring, traced};

const STYLES: [EndStyle; 3] = [EndStyle::Round, EndStyle::Flat, EndStyle::AlongCutter];

fn boxed(x0: f64, y0: f64, x1: f64, y1: f64) -> Vec<Pt> {
    vec![pt(x0, y0), pt(x1, y0), pt(x1, y1), pt(x0, y1)]
}

fn cut(sheet: &Sheet, ink: &Ink, outline: &[Pt], ends: EndStyle) -> Sheet {
    do_it(sheet, ink, &Command::Join(JoinStep::Cut { outline: outline.to_vec(), ends, loose: false }))
        .apply(sheet)
        .unwrap()
}

/// The lines alone, as pixels.
fn drawn(sheet: &Sheet) -> Plane<u8> {
    let mut alpha = Plane::new(sheet.width, sheet.height, 0u8);
    sheet.lines.iter().for_each(|l| pixels::draw(&mut alpha, l));
    alpha
}

fn holds(outline: &[Pt], p: Pt) -> bool {
    inside(p, &[outline.to_vec()])
}

#[test]
fn a_box_takes_what_lies_in_it_to_the_pixel() {
    let ink = inked(&[(vec![pt(40.0, 140.0), pt(360.0, 165.0)], 9.0), (vec![pt(200.0, 20.0), pt(210.0, 280.0)], 6.0)]);
    let sheet = traced(&ink);
    let after = cut(&sheet, &ink, &boxed(180.0, 100.0, 240.0, 200.0), EndStyle::AlongCutter);
    assert_eq!(after.lines.len(), 4);
    let seen = after.visible_ink(&ink);
    for y in 0..300 {
        for x in 0..400 {
            let gone = (180..240).contains(&x) && (100..200).contains(&y);
            let wanted = if gone { 0 } else { *ink.alpha.at(x, y) };
            assert_eq!(*seen.alpha.at(x, y), wanted, "at {x}, {y}");
        }
    }
}

#[test]
fn what_was_cut_open_is_meant_and_not_closed_again() {
    let ink = inked(&[(ring(pt(200.0, 150.0), 100.0, 80.0, 0.4, 0.4 + std::f64::consts::TAU), 6.0)]);
    let sheet = traced(&ink);
    for style in STYLES {
        let after = cut(&sheet, &ink, &boxed(292.0, 142.0, 308.0, 158.0), style);
        let scene = Scene::of(&after, &ink);
        assert!(scene.findings.iter().any(|f| f.kind == Kind::Gap), "{style:?}: the opening is known");
        assert!(scene.findings.iter().all(|f| f.left || f.kind == Kind::Unpainted), "{style:?}");
    }
}

#[test]
fn pixels_and_geometry_end_alike_in_every_style() {
    let strokes = [(vec![pt(40.0, 60.0), pt(360.0, 230.0)], 14.0), (vec![pt(60.0, 190.0), pt(340.0, 270.0)], 9.0)];
    let ink = inked(&strokes);
    let sheet = traced(&ink);
    // A slanted cutter, so that round, flat and along it all differ.
    let outline = [pt(170.0, 20.0), pt(230.0, 20.0), pt(280.0, 290.0), pt(200.0, 290.0)];
    for style in STYLES {
        let after = cut(&sheet, &ink, &outline, style);
        assert_eq!(after.lines.len(), 4);
        let (seen, lines) = (after.visible_ink(&ink), drawn(&after));
        let unlike = seen.alpha.data.iter().zip(&lines.data).filter(|(a, b)| a.abs_diff(**b) > 90).count();
        assert!(unlike < 16, "{style:?}: {unlike} pixels differ");
        let within = (0..400 * 300)
            .filter(|i| holds(&outline, pt((i % 400) as f64 + 0.5, (i / 400) as f64 + 0.5)))
            .filter(|&i| seen.alpha.data[i] >= IS_INK)
            .count();
        assert_eq!(within, 0, "{style:?}");
        let taken = |s: &Plane<u8>| s.data.iter().filter(|a| **a >= IS_INK).count();
        println!("figure: cut {style:?}: {} pixels of ink are left", taken(&seen.alpha));
        for line in &after.lines {
            let Form::Centreline { ends, .. } = &line.form else { panic!("no centreline") };
            let at_cut = |end: &End| match style {
                EndStyle::Round => *end == End::Round,
                EndStyle::Flat => *end == End::Flat,
                EndStyle::AlongCutter => matches!(end, End::AlongCutter(_)),
            };
            assert!(ends.iter().any(at_cut));
        }
    }
}

#[test]
fn an_end_is_square_to_the_line_when_it_is_flat_and_parallel_to_the_cutter_when_along_it() {
    let ink = inked(&[(vec![pt(40.0, 150.5), pt(360.0, 150.5)], 20.0)]);
    let sheet = traced(&ink);
    let outline = [pt(200.0, 100.0), pt(300.0, 100.0), pt(300.0, 200.0), pt(240.0, 200.0)];
    let last_ink = |s: &Sheet, y: usize| (0..200 + 60).rev().find(|&x| *s.visible_ink(&ink).alpha.at(x, y) >= IS_INK);
    let flat = cut(&sheet, &ink, &outline, EndStyle::Flat);
    let columns: Vec<usize> = [143, 150, 157].map(|y| last_ink(&flat, y).unwrap()).to_vec();
    assert!(columns.iter().all(|c| c.abs_diff(columns[0]) <= 1), "{columns:?}");
    let along = cut(&sheet, &ink, &outline, EndStyle::AlongCutter);
    // The cutter leans by 40 px in 100.
    let columns: Vec<f64> = [143, 150, 157].map(|y| last_ink(&along, y).unwrap() as f64).to_vec();
    assert!((columns[2] - columns[0] - 14.0 * 0.4).abs() <= 1.5, "{columns:?}");
    let round = cut(&sheet, &ink, &outline, EndStyle::Round);
    let columns: Vec<f64> = [143, 150, 157].map(|y| last_ink(&round, y).unwrap() as f64).to_vec();
    assert!(columns[1] > columns[0] + 1.0 && columns[1] > columns[2] + 1.0, "{columns:?}");
}

#[test]
fn a_line_that_only_reaches_into_the_outline_stays_whole() {
    let beside = (vec![pt(178.0, 30.0), pt(178.0, 270.0)], 10.0);
    let ink = inked(&[beside.clone(), (vec![pt(210.0, 30.0), pt(210.0, 270.0)], 6.0)]);
    let sheet = traced(&ink);
    let after = cut(&sheet, &ink, &boxed(180.0, 100.0, 240.0, 200.0), EndStyle::AlongCutter);
    let (seen, alone) = (after.visible_ink(&ink), inked(&[beside]));
    for y in 100..200 {
        for x in 0..240 {
            assert_eq!(seen.alpha.at(x, y), alone.alpha.at(x, y), "at {x}, {y}");
        }
    }
}

#[test]
fn a_ring_that_is_cut_once_is_one_open_line_and_its_region_is_gone() {
    let ink = inked(&[(ring(pt(200.0, 150.0), 100.0, 80.0, 0.4, 0.4 + std::f64::consts::TAU), 6.0)]);
    let sheet = traced(&ink);
    assert_eq!(Scene::of(&sheet, &ink).regions.len(), 1);
    let after = cut(&sheet, &ink, &boxed(280.0, 120.0, 320.0, 180.0), EndStyle::AlongCutter);
    assert_eq!(after.lines.len(), 1);
    assert!(!after.lines[0].spine().unwrap().closed);
    let scene = Scene::of(&after, &ink);
    assert_eq!(scene.regions.len(), 0);
    assert_eq!(scene.network.ends().filter(|e| e.loose).count(), 2);
    // Cut at another place, too, it is two.
    let again = cut(&after, &ink, &boxed(80.0, 120.0, 120.0, 180.0), EndStyle::Round);
    assert_eq!(again.lines.len(), 2);
}

#[test]
fn a_solid_shape_is_cut_exactly_on_the_outline() {
    let mut alpha = Plane::new(400, 300, 0u8);
    strokes::fill(&mut alpha, &[ring(pt(200.0, 150.0), 90.0, 90.0, 0.0, std::f64::consts::TAU)]);
    let ink = Ink::plain(alpha, [0; 3]);
    let mut sheet = Sheet::new(400, 300, 300.0);
    sheet.lines = piled(trace(&ink, &TraceRecipe { widest_line: 2.0, ..TraceRecipe::default() }, 300.0, 1));
    sheet.next_id = 9;
    assert!(matches!(sheet.lines[0].form, Form::Outline { .. }));
    let band = boxed(190.0, 20.0, 210.0, 280.0);
    let after = cut(&sheet, &ink, &band, EndStyle::AlongCutter);
    assert_eq!(after.lines.len(), 2);
    let (seen, before, lines) = (after.visible_ink(&ink), drawn(&sheet), drawn(&after));
    for y in 0..300 {
        for x in 0..400 {
            let wanted = if (190..210).contains(&x) { 0 } else { *ink.alpha.at(x, y) };
            assert_eq!(*seen.alpha.at(x, y), wanted, "at {x}, {y}");
            let wanted = if (190..210).contains(&x) { 0 } else { *before.at(x, y) };
            assert!(lines.at(x, y).abs_diff(wanted) < 64, "at {x}, {y}: {} for {wanted}", lines.at(x, y));
        }
    }
}

#[test]
fn seams_and_lines_by_hand_are_cut_like_the_others_and_an_empty_place_is_refused() {
    let ink = inked(&[(vec![pt(40.0, 40.0), pt(360.0, 40.0)], 6.0)]);
    let mut sheet = traced(&ink);
    let hand = |id: u64, form: Form| Line::new(id, form, Made::Hand);
    let spine = |y: f64| rhizograph_core::geom::spine::Spine::through(&[pt(50.0, y), pt(350.0, y)], false);
    let stroke = Form::Centreline { spine: spine(150.0), width: vec![[0.0, 4.0], [1.0, 12.0]], ends: [End::Round; 2] };
    sheet.lines.extend(piled(vec![hand(50, stroke), hand(51, Form::Seam { spine: spine(200.0) })]));
    sheet.next_id = 60;
    let after = cut(&sheet, &ink, &boxed(180.0, 100.0, 240.0, 260.0), EndStyle::Flat);
    let ids: Vec<u64> = after.lines.iter().map(|l| l.id).collect();
    assert_eq!(ids.len(), 5);
    assert!(ids.contains(&50) && ids.contains(&51) && ids.iter().filter(|i| **i >= 60).count() == 2);
    // Its width goes on as it was.
    let right = after.lines.iter().find(|l| l.id != 50 && l.flat(0.1).iter().any(|f| f.width > 11.0)).unwrap();
    let first = right.flat(0.1)[0];
    assert!((first.p.x - 240.0).abs() < 0.05 && (first.width - (4.0 + 8.0 * 190.0 / 300.0)).abs() < 0.1, "{first:?}");
    let nothing =
        Command::Join(JoinStep::Cut { outline: boxed(10.0, 230.0, 60.0, 290.0), ends: EndStyle::Round, loose: false });
    assert!(plan(&sheet, &nothing, &Given { lifted: &ink, scene: &Scene::of(&sheet, &ink), swatches: &[] }).is_err());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(ProptestConfig::default().cases / 4))]

    /// Whatever is cut however: within the outline no line and no ink of a cut one is left, outside of it nothing came.
    #[test]
    fn nothing_is_left_within_and_nothing_comes_outside(
        ends in proptest::collection::vec((20.0..380.0f64, 20.0..280.0f64, 20.0..380.0f64, 20.0..280.0f64, 3.0..14.0f64), 1..6),
        corners in proptest::collection::vec((20.0..380.0f64, 20.0..280.0f64), 3..9),
        style in 0usize..3,
    ) {
        let strokes: Vec<(Vec<Pt>, f64)> = ends.iter().map(|&(a, b, c, d, w)| (vec![pt(a, b), pt(c, d)], w)).collect();
        let ink = inked(&strokes);
        let sheet = traced(&ink);
        let outline: Vec<Pt> = corners.iter().map(|&(x, y)| pt(x, y).snapped()).collect();
        let command = Command::Join(JoinStep::Cut { outline: outline.clone(), ends: STYLES[style], loose: false });
        let Ok(change) = plan(&sheet, &command, &Given { lifted: &ink, scene: &Scene::of(&sheet, &ink), swatches: &[] }) else { return Ok(()) };
        let after = change.apply(&sheet).unwrap();
        prop_assert_eq!(change.undo(&after).unwrap(), sheet);
        let depth = |p: Pt| {
            let edge = |k: usize| {
                let (a, b) = (outline[k], outline[(k + 1) % outline.len()]);
                p.dist(a.lerp(b, rhizograph_core::geom::nearest_on_segment(p, a, b)))
            };
            (0..outline.len()).map(edge).fold(f64::INFINITY, f64::min)
        };
        for line in after.lines.iter().filter(|l| l.spine().is_some()) {
            for f in line.flat(0.1) {
                prop_assert!(!holds(&outline, f.p) || depth(f.p) < 0.6, "{:?} of line {} lies {} within", f.p, line.id, depth(f.p));
            }
        }
        let seen = after.visible_ink(&ink);
        for (i, (now, was)) in seen.alpha.data.iter().zip(&ink.alpha.data).enumerate() {
            prop_assert!(now <= was, "ink came at {}, {}", i % 400, i / 400);
        }
    }
}

#[test]
fn what_is_cut_loose_looks_as_it_did_and_is_lines_of_its_own() {
    let strokes = [(vec![pt(40.0, 150.0), pt(360.0, 150.0)], 7.0), (vec![pt(200.0, 40.0), pt(200.0, 130.0)], 6.0)];
    let ink = inked(&strokes);
    let sheet = traced(&ink);
    let outline = boxed(120.0, 30.0, 280.0, 260.0);
    let step = Command::Join(JoinStep::Cut { outline, ends: EndStyle::Round, loose: true });
    let change = do_it(&sheet, &ink, &step);
    let after = change.apply(&sheet).unwrap();
    // Two rests of the level line, its piece, and the upright one as a piece.
    let pieces: Vec<_> = after.lines.iter().filter(|l| l.made == Made::Hand).collect();
    assert_eq!((after.lines.len(), pieces.len()), (4, 2));
    assert!(pieces.iter().all(|l| (119.9..280.1).contains(&l.bounds().min.x) && l.bounds().max.x < 280.1));
    let (was, is) = (sheet.visible_ink(&ink), after.visible_ink(&ink));
    let off = was.alpha.data.iter().zip(&is.alpha.data).filter(|(a, b)| a.abs_diff(**b) > 96).count();
    assert!(off < 12, "{off} pixels look otherwise");
    assert_eq!(change.undo(&after).unwrap(), sheet);
    let empty =
        Command::Join(JoinStep::Cut { outline: boxed(10.0, 230.0, 60.0, 290.0), ends: EndStyle::Round, loose: true });
    let given = Given { lifted: &ink, scene: &Scene::of(&sheet, &ink), swatches: &[] };
    assert!(plan(&sheet, &empty, &given).is_err());
}
