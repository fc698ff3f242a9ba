//! Middles of strokes about 21 px wide through crossings of every kind, on drawings generated for the purpose: the
//! middle of each stroke is known exactly. Fixed seeds; the figures are printed, all and by kind.
//! `MIDDLES_OUT=FOLDER` writes each drawing with what is known and what was traced.

use crate::support;

use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::{Pt, nearest_on_segment, pt};
use rhizograph_core::model::line::Form;
use rhizograph_core::model::recipe::TraceRecipe;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::raster::strokes;
use rhizograph_core::trace::trace;
use std::collections::BTreeMap;
use std::f64::consts::{PI, TAU};
use std::path::Path;
use support::Random;

const SIDE: usize = 440;
const DRAWINGS: u64 = 240;

/// A stroke's middle, a point a pixel, and its width.
struct Stroke {
    middle: Vec<Pt>,
    width: f64,
}

/// A smooth line: from a place in a direction, its curvature going evenly from one to another (1/px).
fn clothoid(from: Pt, dir: f64, length: f64, (k0, k1): (f64, f64)) -> Vec<Pt> {
    let n = (length.ceil() as usize).max(2) * 4;
    let step = length / n as f64;
    let (mut p, mut a) = (from, dir);
    let mut out = vec![from];
    for i in 0..n {
        let k = k0 + (k1 - k0) * (i as f64 + 0.5) / n as f64;
        a += 0.5 * k * step;
        p = p + pt(a.cos(), a.sin()) * step;
        a += 0.5 * k * step;
        out.push(p);
    }
    out
}

/// The same through its middle.
fn through(at: Pt, dir: f64, length: f64, (k0, k1): (f64, f64)) -> Vec<Pt> {
    let k = (k0 + k1) / 2.0;
    let mut out = clothoid(at, dir + PI, length / 2.0, (-k, -k0));
    out.reverse();
    out.extend(clothoid(at, dir, length / 2.0, (k, k1)).into_iter().skip(1));
    out
}

fn arc(centre: Pt, r: f64, from: f64, to: f64) -> Vec<Pt> {
    let n = ((to - from).abs() * r * 2.0).ceil() as usize;
    (0..=n).map(|i| from + (to - from) * i as f64 / n as f64).map(|a| centre + pt(a.cos(), a.sin()) * r).collect()
}

fn segment(a: Pt, b: Pt) -> Vec<Pt> {
    let n = (a.dist(b) * 2.0).ceil() as usize;
    (0..=n).map(|i| a.lerp(b, i as f64 / n as f64)).collect()
}

const KINDS: [&str; 12] = [
    "crossing",
    "crossing at 15 to 30 degrees",
    "end on a bend",
    "end on a small ring",
    "branch along the tangent",
    "curves that touch",
    "bar across an end",
    "short spokes on a ring",
    "loop",
    "corner of three",
    "sharp corner",
    "tangle",
];

fn drawn(kind: usize, rnd: &mut Random) -> Vec<Stroke> {
    let w = rnd.within(18.0, 24.0);
    let width = |rnd: &mut Random| if rnd.unit() < 0.6 { w } else { rnd.within(17.0, 25.0) };
    let turn = rnd.within(0.0, TAU);
    let way = |a: f64| pt(a.cos(), a.sin());
    let middle = pt(SIDE as f64 / 2.0, SIDE as f64 / 2.0) + pt(rnd.within(-9.0, 9.0), rnd.within(-9.0, 9.0));
    let bend = |rnd: &mut Random| {
        let k = rnd.within(-1.0, 1.0) / 110.0;
        (k, k + rnd.within(-0.5, 0.5) / 110.0)
    };
    let lines: Vec<(Vec<Pt>, f64)> = match kind {
        0 | 1 => {
            let angle = if kind == 0 { rnd.within(30.0, 90.0) } else { rnd.within(15.0, 30.0) }.to_radians();
            let bend = |rnd: &mut Random| {
                let (a, b) = bend(rnd);
                if kind == 0 { (a, b) } else { (0.3 * a, 0.3 * b) }
            };
            let (a, b) = (bend(rnd), bend(rnd));
            vec![(through(middle, turn, 320.0, a), width(rnd)), (through(middle, turn + angle, 320.0, b), width(rnd))]
        }
        2 => {
            let (k, angle) = (bend(rnd), rnd.within(35.0, 145.0).to_radians());
            vec![
                (through(middle, turn, 300.0, k), width(rnd)),
                (clothoid(middle, turn + angle, 150.0, bend(rnd)), width(rnd)),
            ]
        }
        3 => {
            let r = rnd.within(22.0, 45.0);
            let at = middle + way(turn) * r;
            let lean = rnd.within(-0.7, 0.7);
            vec![(arc(middle, r, 0.0, TAU), width(rnd)), (clothoid(at, turn + lean, 130.0, bend(rnd)), width(rnd))]
        }
        4 => {
            let k = rnd.within(-1.0, 1.0) / 200.0;
            let leaves = rnd.within(1.0 / 160.0, 1.0 / 60.0);
            vec![
                (through(middle, turn, 320.0, (k, k)), width(rnd)),
                (clothoid(middle, turn, 150.0, (k + leaves, k + leaves)), width(rnd)),
            ]
        }
        5 => {
            let (r, q) = (rnd.within(60.0, 130.0), rnd.within(60.0, 130.0));
            let apart = rnd.within(0.0, 0.8) * w;
            let sweep = 1.1;
            vec![
                (arc(middle - way(turn) * r, r, turn - sweep, turn + sweep), w),
                (arc(middle + way(turn) * (q + apart), q, turn + PI - sweep, turn + PI + sweep), width(rnd)),
            ]
        }
        6 => {
            let half = rnd.within(0.55, 1.0) * w;
            let lean = turn + PI / 2.0 + rnd.within(-0.3, 0.3);
            vec![
                (clothoid(middle, turn, 150.0, bend(rnd)), w),
                (segment(middle - way(lean) * half, middle + way(lean) * half), width(rnd)),
            ]
        }
        7 => {
            let r = rnd.within(55.0, 90.0);
            let mut out = vec![(arc(middle, r, 0.0, TAU), w)];
            let n = 3 + (rnd.unit() * 4.0) as usize;
            for i in 0..n {
                let a = turn + TAU * (i as f64 + rnd.within(-0.2, 0.2)) / n as f64;
                let length = rnd.within(0.9, 2.2) * w;
                out.push((segment(middle + way(a) * r, middle + way(a) * (r + length)), width(rnd)));
            }
            out
        }
        8 => {
            // A line that turns once about itself.
            let r = rnd.within(26.0, 60.0);
            let open = rnd.within(0.5, 1.3);
            let top = arc(middle, r, turn + open, turn + TAU - open);
            let first = turn + open - PI / 2.0;
            let last = turn + TAU - open + PI / 2.0;
            let mut path = clothoid(top[0], first, 140.0, (-0.0, 0.0));
            path.reverse();
            path.extend(top.iter().skip(1));
            path.extend(clothoid(top[top.len() - 1], last, 140.0, (0.0, 0.0)).into_iter().skip(1));
            vec![(path, w)]
        }
        9 => {
            let (b, c) = (rnd.within(1.7, 2.5), rnd.within(3.8, 4.6));
            [0.0, b, c].iter().map(|a| (clothoid(middle, turn + a, 150.0, bend(rnd)), width(rnd))).collect()
        }
        10 => {
            let angle = rnd.within(0.7, 2.2);
            let mut path = segment(middle + way(turn) * 150.0, middle);
            path.extend(segment(middle, middle + way(turn + angle) * 150.0).into_iter().skip(1));
            vec![(path, w)]
        }
        _ => (0..4)
            .map(|i| {
                let at = middle + pt(rnd.within(-60.0, 60.0), rnd.within(-60.0, 60.0));
                let (a, k) = (turn + f64::from(i) * PI / 4.0 + rnd.within(-0.2, 0.2), bend(rnd));
                let k = (0.5 * k.0, 0.5 * k.1);
                (through(at, a, rnd.within(200.0, 340.0), k), width(rnd))
            })
            .collect(),
    };
    lines.into_iter().map(|(middle, width)| Stroke { middle, width }).collect()
}

fn nearest(lines: &[(Vec<Pt>, Vec<f64>)], p: Pt) -> (f64, f64) {
    let mut best = (f64::INFINITY, 0.0);
    for (line, widths) in lines {
        for (i, w) in line.windows(2).enumerate() {
            if w[0].dist(p) > best.0 + w[0].dist(w[1]) {
                continue;
            }
            let d = w[0].lerp(w[1], nearest_on_segment(p, w[0], w[1])).dist(p);
            if d < best.0 {
                best = (d, widths[i]);
            }
        }
    }
    best
}

/// Places a pixel apart along a path.
fn paced(points: &[Pt]) -> Vec<Pt> {
    let mut out = Vec::new();
    for w in points.windows(2) {
        let n = w[0].dist(w[1]).ceil().max(1.0) as usize;
        out.extend((0..n).map(|i| w[0].lerp(w[1], i as f64 / n as f64)));
    }
    out
}

#[derive(Default)]
struct Figures {
    off: Vec<f64>,
    missed: Vec<f64>,
    width: Vec<f64>,
}

impl Figures {
    fn add(&mut self, other: &Figures) {
        self.off.extend(&other.off);
        self.missed.extend(&other.missed);
        self.width.extend(&other.width);
    }

    /// Mean and 95th percentile of how far off the traced lines are, the same of the strokes from them, the mean error of
    /// the width.
    fn told(&self) -> [f64; 5] {
        let of = |v: &[f64]| {
            let mut v = v.to_vec();
            v.sort_by(f64::total_cmp);
            (v.iter().sum::<f64>() / v.len() as f64, v[v.len() * 95 / 100])
        };
        let ((a, b), (c, d)) = (of(&self.off), of(&self.missed));
        [a, b, c, d, of(&self.width).0]
    }
}

fn measured(strokes: &[Stroke], alpha: Plane<u8>, kept: Option<&Path>) -> Figures {
    let ink = Ink::plain(alpha, [0; 3]);
    let lines: Vec<(Vec<Pt>, Vec<f64>)> = trace(&ink, &TraceRecipe::default(), 300.0, 1)
        .iter()
        .filter(|l| matches!(l.form, Form::Centreline { .. }))
        .map(|l| {
            let flat = l.flat(0.02);
            (flat.iter().map(|f| f.p).collect(), flat.iter().map(|f| f.width).collect())
        })
        .collect();
    if let Some(path) = kept {
        let path_of =
            |points: &[Pt]| points.iter().map(|p| format!("[{:.2},{:.2}]", p.x, p.y)).collect::<Vec<_>>().join(",");
        let all = |paths: Vec<String>| paths.iter().map(|p| format!("[{p}]")).collect::<Vec<_>>().join(",");
        let known = all(strokes.iter().map(|s| path_of(&s.middle)).collect());
        let traced = all(lines.iter().map(|l| path_of(&l.0)).collect());
        std::fs::write(path.with_extension("json"), format!("{{\"known\":[{known}],\"traced\":[{traced}]}}")).unwrap();
        std::fs::write(path.with_extension("raw"), &ink.alpha.data).unwrap();
    }
    let known: Vec<(Vec<Pt>, Vec<f64>)> =
        strokes.iter().map(|s| (s.middle.clone(), vec![s.width; s.middle.len()])).collect();
    let mut out = Figures::default();
    for (line, widths) in &lines {
        for p in paced(line) {
            out.off.push(nearest(&known, p).0);
        }
        for (p, w) in line.iter().zip(widths) {
            let (d, width) = nearest(&known, *p);
            if d < 1.0 {
                out.width.push((w / width - 1.0).abs());
            }
        }
    }
    for stroke in strokes {
        for p in paced(&stroke.middle) {
            out.missed.push(nearest(&lines, p).0.min(20.0));
        }
    }
    out
}

#[test]
fn middles_are_kept_through_crossings() {
    let mut all = Figures::default();
    let mut by_kind: BTreeMap<usize, Figures> = BTreeMap::new();
    let mut worst: BTreeMap<usize, Vec<(f64, u64)>> = BTreeMap::new();
    for seed in 0..DRAWINGS {
        let kind = (seed % KINDS.len() as u64) as usize;
        let mut rnd = Random(seed * 7919 + 13);
        let strokes = drawn(kind, &mut rnd);
        let mut alpha = Plane::new(SIDE, SIDE, 0u8);
        for s in &strokes {
            let flat: Vec<FlatPoint> = s.middle.iter().map(|&p| FlatPoint { p, width: s.width }).collect();
            strokes::stroke(&mut alpha, &flat);
        }
        let kept = std::env::var_os("MIDDLES_OUT").map(|to| Path::new(&to).join(format!("{kind}-{seed}")));
        let figures = measured(&strokes, alpha, kept.as_deref());
        let [_, p95, _, missed, _] = figures.told();
        worst.entry(kind).or_default().push((p95.max(missed), seed));
        all.add(&figures);
        by_kind.entry(kind).or_default().add(&figures);
    }
    for (kind, f) in &by_kind {
        let [mean, p95, lost, lost95, width] = f.told();
        println!(
            "figure: {}: off by {mean:.3} px on average, {p95:.3} at p95; strokes from what is traced {lost:.3}, {lost95:.3}; width off by {:.1} %",
            KINDS[*kind],
            100.0 * width
        );
        let mut worst = worst[kind].clone();
        worst.sort_by(|a, b| b.0.total_cmp(&a.0));
        println!("  worst {:.1?}", &worst[..5]);
    }
    let [mean, p95, lost, lost95, width] = all.told();
    println!(
        "figure: all: off by {mean:.3} px on average, {p95:.3} at p95; strokes from what is traced {lost:.3}, {lost95:.3}; width off by {:.2} %",
        100.0 * width
    );
    assert!(mean <= 0.15 && p95 <= 0.6 && lost95 <= 0.6 && width <= 0.01);
}
