//! Cuts through lines on drawings generated for the purpose: rooms of smooth outlines and lines across them, opened by
//! bands of known lengths, each between two rooms. Fixed seeds; the figures are printed. `CUTS_OUT=FOLDER` writes the
//! drawings and what fails in them.

use crate::support;

use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::{Pt, nearest_on_segment, pt};
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::raster::components::components;
use rhizograph_core::raster::ink::{IS_INK, Ink};
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::raster::strokes;
use rhizograph_core::scene::Scene;
use rhizograph_core::scene::findings::Finding;
use std::f64::consts::TAU;
use support::{Random, traced};

const W: usize = 760;
const H: usize = 600;
const DRAWINGS: u64 = 24;
const CUTS: usize = 6;
/// A room on either side of a cut has so many pixels at least.
const ROOM: usize = 400;

/// A stroke's middle, a point a pixel or nearer, and its width.
struct Stroke(Vec<Pt>, f64);

fn drawn(rnd: &mut Random) -> Vec<Stroke> {
    let mut out = Vec::new();
    let width = |rnd: &mut Random| rnd.within(5.0, 14.0);
    for k in 0..5 {
        let centre = pt(rnd.within(170.0, W as f64 - 170.0), rnd.within(150.0, H as f64 - 150.0));
        let (r, lobes, deep, turn) = (rnd.within(60.0, 130.0), 2 + k % 3, rnd.within(0.05, 0.16), rnd.within(0.0, TAU));
        let at = |a: f64| {
            let r = r * (1.0 + deep * (f64::from(lobes) * a + turn).cos());
            centre + pt(a.cos(), a.sin()) * r
        };
        let n = 1200;
        out.push(Stroke((0..=n).map(|i| at(TAU * f64::from(i) / f64::from(n))).collect(), width(rnd)));
    }
    for _ in 0..3 {
        let y = rnd.within(120.0, H as f64 - 120.0);
        let (rise, wave, turn) = (rnd.within(-0.3, 0.3), rnd.within(0.0, 18.0), rnd.within(0.0, TAU));
        let at = |x: f64| pt(x, y + rise * (x - W as f64 / 2.0) + wave * (x / 70.0 + turn).sin());
        out.push(Stroke((40..W - 40).map(|x| at(x as f64)).collect(), width(rnd)));
    }
    out
}

/// How far a place is from the middles of all strokes but one.
fn apart(strokes: &[Stroke], but: usize, p: Pt) -> f64 {
    let others = strokes.iter().enumerate().filter(|(k, _)| *k != but).flat_map(|(_, s)| s.0.windows(2));
    others.map(|w| w[0].lerp(w[1], nearest_on_segment(p, w[0], w[1])).dist(p)).fold(f64::INFINITY, f64::min)
}

/// Whether another stroke runs along with one in the same ink: what is cut there are two lines at once.
fn runs_along(strokes: &[Stroke], k: usize, p: Pt, along: Pt, reach: f64) -> bool {
    strokes.iter().enumerate().filter(|(i, _)| *i != k).any(|(_, Stroke(middle, width))| {
        middle.windows(2).any(|w| {
            let near = (strokes[k].1 + width) / 2.0 + 2.0;
            let d = w[0] - p;
            d.dot(along).abs() < reach && d.cross(along).abs() < near && (w[1] - w[0]).unit().cross(along).abs() < 0.5
        })
    })
}

/// Opens lines by bands across them; gives the middles of the cuts.
fn opened(
    strokes: &[Stroke],
    alpha: &mut Plane<u8>,
    rnd: &mut Random,
    (from, to): (f64, f64),
    is_hard: bool,
) -> Vec<Pt> {
    let paper = |alpha: &Plane<u8>| components(&alpha.map(|&a| a < IS_INK), false);
    let (rooms, list) = paper(alpha);
    let mut cuts: Vec<Pt> = Vec::new();
    for _ in 0..4000 {
        if cuts.len() == CUTS {
            break;
        }
        let k = (rnd.unit() * strokes.len() as f64) as usize;
        let Stroke(middle, width) = &strokes[k];
        let i = 8 + (rnd.unit() * (middle.len() - 16) as f64) as usize;
        let (p, along) = (middle[i], (middle[i + 4] - middle[i - 4]).unit());
        let (across, length) = (along.turned(), rnd.within(from, to));
        let far = if is_hard { 0.0 } else { 25.0 + length };
        let ends = middle[0].dist(p).min(middle[middle.len() - 1].dist(p));
        let is_ring = middle[0].dist(middle[middle.len() - 1]) < 1.0;
        if apart(strokes, k, p) < far || !is_ring && ends < length + 25.0 || cuts.iter().any(|c| c.dist(p) < 70.0) {
            continue;
        }
        if runs_along(strokes, k, p, along, length / 2.0 + width) {
            continue;
        }
        let beside = [1.0, -1.0].map(|s| p + across * (s * (width / 2.0 + 4.0)));
        let room = |rooms: &Plane<u32>, q: Pt| rooms.get(q.x as i64, q.y as i64).copied().unwrap_or(0);
        let [a, b] = beside.map(|q| room(&rooms, q) as usize);
        if a == 0 || b == 0 || a == b || list[a - 1].area.min(list[b - 1].area) < ROOM {
            continue;
        }
        let before = alpha.clone();
        let reach = (length + width) as i64;
        for y in p.y as i64 - reach..=p.y as i64 + reach {
            for x in p.x as i64 - reach..=p.x as i64 + reach {
                let d = pt(x as f64 + 0.5, y as f64 + 0.5) - p;
                let is_in = d.dot(along).abs() <= length / 2.0 && d.dot(across).abs() <= width / 2.0 + 2.5;
                if is_in && x >= 0 && y >= 0 && x < W as i64 && y < H as i64 {
                    alpha.set(x as usize, y as usize, 0);
                }
            }
        }
        let (now, _) = paper(alpha);
        let [a, b] = beside.map(|q| room(&now, q));
        if a == b && a > 0 {
            cuts.push(p);
        } else {
            *alpha = before;
        }
    }
    cuts
}

#[derive(Debug, Default)]
struct Figures {
    cuts: usize,
    closed: usize,
    open: usize,
    sure: usize,
    sure_right: usize,
    listed: usize,
    listed_right: usize,
}

fn figures(lengths: (f64, f64), is_hard: bool) -> Figures {
    let mut f = Figures::default();
    for seed in 0..DRAWINGS {
        let mut rnd = Random(seed * 7919 + if is_hard { 5 } else { 11 });
        let strokes = drawn(&mut rnd);
        let mut alpha = Plane::new(W, H, 0u8);
        for Stroke(middle, width) in &strokes {
            strokes::stroke(&mut alpha, &middle.iter().map(|&p| FlatPoint { p, width: *width }).collect::<Vec<_>>());
        }
        let cuts = opened(&strokes, &mut alpha, &mut rnd, lengths, is_hard);
        let ink = Ink::plain(alpha, [0; 3]);
        let scene = Scene::of(&traced(&ink), &ink);
        let listed: Vec<&Finding> =
            scene.findings.iter().filter(|g| g.kind == Kind::Gap && (g.sure || !g.quiet)).collect();
        let near = |g: &Finding, c: Pt| g.at.lerp(g.to.unwrap_or(g.at), 0.5).dist(c) < 20.0;
        if let Ok(out) = std::env::var("CUTS_OUT") {
            let stem = format!("{out}/{}{seed}", if is_hard { "hard" } else { "gaps" });
            std::fs::write(format!("{stem}.raw"), &ink.alpha.data).unwrap();
            let missed = cuts.iter().filter(|c| !listed.iter().any(|g| g.sure && near(g, **c))).map(|c| {
                let is_open = listed.iter().any(|g| near(g, *c));
                format!("{:.0} {:.0} {}\n", c.x, c.y, if is_open { "asked" } else { "missed" })
            });
            let wrong = listed.iter().filter(|g| !cuts.iter().any(|c| near(g, *c)));
            let wrong = wrong.map(|g| format!("{:.0} {:.0} wrong {:.2}\n", g.at.x, g.at.y, g.confidence));
            std::fs::write(format!("{stem}.txt"), missed.chain(wrong).collect::<String>()).unwrap();
        }
        f.cuts += cuts.len();
        f.closed += cuts.iter().filter(|c| listed.iter().any(|g| g.sure && near(g, **c))).count();
        f.open += cuts.iter().filter(|c| listed.iter().any(|g| near(g, **c))).count();
        f.sure += listed.iter().filter(|g| g.sure).count();
        f.sure_right += listed.iter().filter(|g| g.sure && cuts.iter().any(|c| near(g, *c))).count();
        f.listed += listed.len();
        f.listed_right += listed.iter().filter(|g| cuts.iter().any(|c| near(g, *c))).count();
    }
    println!(
        "figure: {} cuts of {} to {} px{}: {:.3} closed as sure, {:.3} sure or open; of {} sure {:.3} right, of {} listed {:.3} right",
        f.cuts,
        lengths.0,
        lengths.1,
        if is_hard { ", at crossings and corners too" } else { "" },
        share(f.closed, f.cuts),
        share(f.open, f.cuts),
        f.sure,
        share(f.sure_right, f.sure),
        f.listed,
        share(f.listed_right, f.listed),
    );
    f
}

fn share(a: usize, b: usize) -> f64 {
    a as f64 / b.max(1) as f64
}

#[test]
fn short_cuts_between_rooms_are_closed_without_asking() {
    let f = figures((4.0, 16.0), false);
    assert!(f.cuts > 100);
    assert!(share(f.closed, f.cuts) >= 0.97 && share(f.open, f.cuts) >= 0.99, "{f:?}");
    assert!(share(f.sure_right, f.sure) >= 0.98 && share(f.listed_right, f.listed) >= 0.85, "{f:?}");
}

#[test]
fn long_cuts_at_any_place_are_closed_or_listed() {
    let f = figures((12.0, 32.0), true);
    assert!(f.cuts > 100);
    assert!(share(f.closed, f.cuts) >= 0.92 && share(f.open, f.cuts) >= 0.97, "{f:?}");
    assert!(share(f.sure_right, f.sure) >= 0.98 && share(f.listed_right, f.listed) >= 0.85, "{f:?}");
}
