//! Lines that run into solid ink, on drawings generated for the purpose: what is drawn of the traced lines and contours
//! is the ink where they meet, too. Fixed seeds; the figures are printed. `SOLIDS_OUT=FOLDER` writes the drawings.

use crate::support;

use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::model::line::Form;
use rhizograph_core::model::pixels;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::raster::strokes;
use std::f64::consts::TAU;
use support::{Random, traced};

const SIDE: usize = 320;
const DRAWINGS: u64 = 60;

/// A round or lobed solid with lines that run into it: the ink, and where each line meets the solid's edge, with its
/// width.
fn drawn(rnd: &mut Random) -> (Plane<u8>, Vec<(Pt, f64)>) {
    let mut alpha = Plane::new(SIDE, SIDE, 0u8);
    let centre = pt(SIDE as f64 / 2.0, SIDE as f64 / 2.0);
    let (r, deep, lobes, turn) = (rnd.within(38.0, 60.0), rnd.within(0.0, 0.12), 2.0, rnd.within(0.0, TAU));
    let edge = |a: f64| centre + pt(a.cos(), a.sin()) * (r * (1.0 + deep * (lobes * a + turn).cos()));
    strokes::fill(&mut alpha, &[(0..720).map(|i| edge(TAU * f64::from(i) / 720.0)).collect()]);
    let count = 3;
    let met = (0..count).map(|k| {
        let a = TAU * (f64::from(k) + rnd.within(-0.2, 0.2)) / f64::from(count) + turn;
        let (at, width) = (edge(a), rnd.within(5.0, 20.0));
        let dir = a + rnd.within(-0.8, 0.8);
        let bend = rnd.within(-0.006, 0.006);
        let along = |s: f64| at + pt((dir + bend * s).cos(), (dir + bend * s).sin()) * s;
        let flat: Vec<FlatPoint> = (-30..=85).map(|s| FlatPoint { p: along(f64::from(s)), width }).collect();
        strokes::stroke(&mut alpha, &flat);
        (at, width)
    });
    let met = met.collect();
    (alpha, met)
}

#[test]
fn contours_of_solids_meet_lines_without_a_step() {
    let mut worst: Vec<f64> = Vec::new();
    for seed in 0..DRAWINGS {
        let (alpha, met) = drawn(&mut Random(seed * 104_729 + 3));
        let ink = Ink::plain(alpha, [0; 3]);
        let sheet = traced(&ink);
        assert!(sheet.lines.iter().any(|l| matches!(l.form, Form::Outline { .. })), "{seed}: no solid");
        let mut again = Plane::new(SIDE, SIDE, 0u8);
        sheet.lines.iter().for_each(|l| pixels::draw(&mut again, l));
        if let Ok(out) = std::env::var("SOLIDS_OUT") {
            std::fs::write(format!("{out}/{seed}.raw"), [&ink.alpha.data[..], &again.data[..]].concat()).unwrap();
        }
        for (at, width) in met {
            // The mean over blocks of 3 x 3 pixels: an edge that is out by so many px over a stretch of three.
            let reach = (0.5 * width + 12.0) as i64;
            let off = |x: i64, y: i64| {
                let block = (-1..=1).flat_map(|dy| (-1..=1).map(move |dx| (x + dx, y + dy)));
                let sum: f64 = block
                    .filter_map(|(x, y)| ink.alpha.get(x, y).zip(again.get(x, y)))
                    .map(|(a, b)| f64::from(*a) - f64::from(*b))
                    .sum();
                (sum / 255.0 / 3.0).abs()
            };
            let (cx, cy) = (at.x as i64, at.y as i64);
            let all = (cy - reach..=cy + reach).flat_map(|y| (cx - reach..=cx + reach).map(move |x| (x, y)));
            worst.push(all.map(|(x, y)| off(x, y)).fold(0.0, f64::max));
        }
    }
    worst.sort_by(f64::total_cmp);
    let [half, p95, most] = [0.5, 0.95, 1.0].map(|q| worst[((worst.len() - 1) as f64 * q) as usize]);
    println!(
        "figure: {} places where a line runs into solid ink: the edge off by {half:.2} px at worst in half of them, {p95:.2} at p95, {most:.2} at most",
        worst.len()
    );
    assert!(p95 <= 0.5 && most <= 0.8, "{p95}, {most}");
}
