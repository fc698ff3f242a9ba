//! Tracing whatever ink there is: nothing fails, no piece of ink is passed over, and what the ink closes the lines close.

use proptest::prelude::*;
use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::pt;
use rhizograph_core::model::line::{Form, piled};
use rhizograph_core::model::pixels;
use rhizograph_core::model::recipe::TraceRecipe;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::components::components;
use rhizograph_core::raster::distance::squared_distance;
use rhizograph_core::raster::ink::{IS_INK, Ink};
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::raster::strokes;
use rhizograph_core::scene::Scene;
use rhizograph_core::trace::trace;

type Stroke = ((f64, f64, f64), (f64, f64, f64));

/// Strokes of pens of all widths, in and out of the sheet, with single pixels turned about.
fn inked(w: usize, h: usize, strokes: &[Stroke], dots: &[(usize, u8)]) -> Plane<u8> {
    let mut alpha = Plane::new(w, h, 0u8);
    for &(a, b) in strokes {
        let knot = |k: (f64, f64, f64)| FlatPoint { p: pt(k.0 * w as f64, k.1 * h as f64), width: k.2 };
        strokes::stroke(&mut alpha, &[knot(a), knot(b)]);
    }
    for &(at, value) in dots {
        let n = alpha.data.len();
        alpha.data[at % n] = value;
    }
    alpha
}

fn knot() -> impl Strategy<Value = (f64, f64, f64)> {
    (-0.2..1.2f64, -0.2..1.2f64, prop_oneof![4 => 1.0..9.0f64, 1 => 0.2..30.0f64])
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(ProptestConfig::default().cases / 2))]

    #[test]
    fn whatever_ink_there_is_its_pieces_have_lines_and_its_holes_are_closed(
        w in 1usize..180, h in 1usize..150,
        strokes in proptest::collection::vec((knot(), knot()), 0..14),
        dots in proptest::collection::vec((any::<usize>(), any::<u8>()), 0..30),
        widest in 1.0..8.0f64, tolerance in 0.05..0.5f64, smallest in 0.0..2.0f64,
    ) {
        let alpha = inked(w, h, &strokes, &dots);
        let recipe = TraceRecipe { widest_line: widest, tolerance, smallest_piece: smallest };
        let ink = Ink::plain(alpha.clone(), [0; 3]);
        let lines = trace(&ink, &recipe, 300.0, 1);
        let mut drawn = Plane::new(w, h, 0u8);
        for line in &lines {
            if let Form::Centreline { spine, width, .. } = &line.form {
                prop_assert!(width.iter().all(|k| (0.0..=1.0).contains(&k[0]) && k[1] > 0.0 && k[1] < 400.0), "{width:?}");
                prop_assert!(spine.points.iter().all(|p| p.x.abs() < 2000.0 && p.y.abs() < 2000.0));
            }
            pixels::draw(&mut drawn, line);
        }
        let is = alpha.map(|&a| a >= IS_INK);
        let (labels, pieces) = components(&is, true);
        let mut met = vec![false; pieces.len() + 1];
        labels.data.iter().zip(&drawn.data).filter(|(_, d)| **d >= 64).for_each(|(l, _)| met[*l as usize] = true);
        let least = smallest * (300.0f64 / 25.4).powi(2) + 16.0;
        for (k, piece) in pieces.iter().enumerate().filter(|(_, p)| p.area as f64 > least) {
            prop_assert!(met[k + 1], "nothing traced of {piece:?}");
        }
        let mut sheet = Sheet::new(w, h, 300.0);
        sheet.lines = piled(lines);
        let scene = Scene::of(&sheet, &ink);
        prop_assert_eq!(scene.network.arrangement.euler(), 0);
        // What ink encloses is a region, and no region is in two places.
        let (paper, holes) = components(&is.map(|&i| !i), false);
        let room = squared_distance(&is.map(|&i| !i));
        let mut deepest = vec![(0u32, 0usize); holes.len() + 1];
        for (i, (&l, &d)) in paper.data.iter().zip(&room.data).enumerate() {
            deepest[l as usize] = deepest[l as usize].max((d, i));
        }
        let mut known = std::collections::HashMap::new();
        for (k, hole) in holes.iter().enumerate() {
            let b = hole.bounds;
            let (depth, at) = deepest[k + 1];
            let inside = b.0 > 0 && b.1 > 0 && b.2 < w && b.3 < h;
            // Of a small hole beside a thick crossing nothing may be left between the lines' straight ways to its middle.
            if !inside || depth < 100 {
                continue;
            }
            let label = scene.regions.labels.data[at];
            prop_assert!(label > 0, "a hole at {}, {} of depth {depth} is no region", at % w, at / w);
            prop_assert_eq!(known.insert(label, k), None, "two holes are one region");
        }
    }
}

#[test]
fn ink_of_which_no_line_comes_is_an_outline() {
    // Two short strokes run together at the edge of the sheet: as long as they are wide, and nothing is left between them.
    let strokes = [
        (
            (0.5393762373358532, 0.9574519981585963, 2.9982749441420946),
            (0.27235739884013566, 1.1118183468263636, 7.859990520209317),
        ),
        ((0.0, 0.9760844519444238, 7.420620762657343), (0.0, 1.1741155105254921, 1.0)),
    ];
    let ink = Ink::plain(inked(10, 123, &strokes, &[]), [0; 3]);
    let recipe = TraceRecipe { widest_line: 1.0, tolerance: 0.05, smallest_piece: 0.0 };
    let lines = trace(&ink, &recipe, 300.0, 1);
    let mut drawn = Plane::new(10, 123, 0u8);
    lines.iter().for_each(|line| pixels::draw(&mut drawn, line));
    let differ = ink.alpha.data.iter().zip(&drawn.data).filter(|(a, d)| a.abs_diff(**d) > 100).count();
    assert_eq!(lines.len(), 1);
    assert_eq!(differ, 0, "its pixels are not what was traced");
}
