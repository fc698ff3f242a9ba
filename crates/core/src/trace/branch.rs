//! Branches of the stroke graph, measured: what of each shows its line, and how it runs into its ends.

use super::graph::{Graph, LOOP};
use super::middle::{self, Sample};
use crate::geom::{Pt, pt};
use crate::raster::plane::Plane;
use rayon::prelude::*;
use rustc_hash::FxHashMap;

/// A branch, what lies at crossings and corners left out.
#[derive(Clone)]
pub struct Branch {
    pub a: usize,
    pub b: usize,
    pub samples: Vec<Sample>,
    /// What was left out before and after them because the ink is broader there, nearest to the samples last and first.
    pub swollen: [Vec<Sample>; 2],
    /// Distances to the paper, in step with the samples.
    pub radius: Vec<f64>,
    /// The width where nothing could be measured.
    pub usual: f64,
}

impl Branch {
    /// The node at its start or its end.
    pub fn node(&self, at_end: bool) -> usize {
        if at_end { self.b } else { self.a }
    }

    /// Its points from one end inwards.
    pub fn from(&self, at_end: bool) -> Vec<Pt> {
        if at_end {
            self.samples.iter().rev().map(|s| s.p).collect()
        } else {
            self.samples.iter().map(|s| s.p).collect()
        }
    }

    /// The width nearest to one end.
    pub fn width(&self, at_end: bool) -> f64 {
        if at_end { self.samples.last() } else { self.samples.first() }.map_or(self.usual, |s| s.width)
    }
}

/// What a radian of swerving from side to side counts for, of one of bending one way.
const LEANS: f64 = 0.7;

/// How a line runs towards a node: from a place, in a direction, with a curvature (1/px, left turns positive).
#[derive(Debug, Clone, Copy)]
pub struct Heading {
    pub p: Pt,
    pub dir: Pt,
    pub bend: f64,
}

impl Heading {
    /// From points that begin nearest to the node, at least two: parabolas over the way along them, by least squares over
    /// `reach` px. Of a way shorter than `bends` px no curvature is told.
    pub fn of(points: &[Pt], reach: f64, bends: f64) -> Heading {
        let mut run: Vec<(f64, Pt)> = Vec::new();
        let mut s = 0.0;
        for (k, &p) in points.iter().enumerate() {
            if k > 0 {
                s += p.dist(points[k - 1]);
            }
            if s > reach && run.len() >= 2 {
                break;
            }
            run.push((-s, p));
        }
        let whole = -run[run.len() - 1].0;
        if whole < bends || run.len() < 6 {
            let n = run.len() as f64;
            let (ms, mp) = run.iter().fold((0.0, pt(0.0, 0.0)), |(s, p), r| (s + r.0 / n, p + r.1 * (1.0 / n)));
            let (mut ss, mut sp) = (0.0, pt(0.0, 0.0));
            for (s, p) in &run {
                ss += (s - ms) * (s - ms);
                sp = sp + (*p - mp) * (s - ms);
            }
            let dir = sp * (1.0 / f64::max(ss, 1e-12));
            return Heading { p: mp + dir * -ms, dir: dir.unit(), bend: 0.0 };
        }
        // Normal equations of p = p0 + p1 s + p2 s².
        let mut m = [0.0f64; 5];
        let mut v = [pt(0.0, 0.0); 3];
        for (s, p) in &run {
            let s = s / whole;
            let q = *p - run[0].1;
            for (k, m) in m.iter_mut().enumerate() {
                *m += s.powi(k as i32);
            }
            for (k, v) in v.iter_mut().enumerate() {
                *v = *v + q * s.powi(k as i32);
            }
        }
        let det3 = |c: [[f64; 3]; 3]| {
            c[0][0] * (c[1][1] * c[2][2] - c[1][2] * c[2][1]) - c[0][1] * (c[1][0] * c[2][2] - c[1][2] * c[2][0])
                + c[0][2] * (c[1][0] * c[2][1] - c[1][1] * c[2][0])
        };
        let matrix = [[m[0], m[1], m[2]], [m[1], m[2], m[3]], [m[2], m[3], m[4]]];
        let det = det3(matrix);
        let solve = |f: &dyn Fn(Pt) -> f64| {
            [0, 1, 2].map(|column| {
                let mut c = matrix;
                (0..3).for_each(|row| c[row][column] = f(v[row]));
                det3(c) / det
            })
        };
        let (x, y) = (solve(&|p| p.x), solve(&|p| p.y));
        // Of an arc a parabola tells best what it is like in the middle: from there it is led on to the end.
        let at = -0.5;
        let middle = run[0].1 + pt(x[0] + at * (x[1] + at * x[2]), y[0] + at * (y[1] + at * y[2]));
        let first = pt(x[1] + 2.0 * at * x[2], y[1] + 2.0 * at * y[2]) * (1.0 / whole);
        let second = pt(x[2], y[2]) * (2.0 / (whole * whole));
        let bend = first.cross(second) / first.len().max(1e-9).powi(3);
        Heading { p: middle, dir: first.unit(), bend }.on(0.5 * whole, 1.5)
    }

    /// Where it is and how it heads some way on, turned by `most` radians at most.
    pub fn on(&self, d: f64, most: f64) -> Heading {
        let turn = (self.bend * d).clamp(-most, most);
        let turned =
            |a: f64| pt(self.dir.x * a.cos() - self.dir.y * a.sin(), self.dir.x * a.sin() + self.dir.y * a.cos());
        Heading { p: self.p + turned(turn / 2.0) * d, dir: turned(turn), bend: self.bend }
    }

    /// How much a line would have to bend that runs in by one and out by the other, radians, beside what their own
    /// curvatures lead it to.
    pub fn bend_to(&self, other: &Heading) -> f64 {
        let chord = other.p - self.p;
        let signed = |a: Pt, b: Pt| a.cross(b).atan2(a.dot(b));
        let out = other.dir * -1.0;
        if chord.len() < 0.5 {
            return signed(self.dir, out).abs();
        }
        let (first, second) = (signed(self.dir, chord), signed(chord, out));
        let own = (0.5 * (self.bend - other.bend) * chord.len()).clamp(-1.8, 1.8);
        (first + second - own).abs() + LEANS * (first - second).abs()
    }
}

/// All branches with their middles measured.
pub fn measured(graph: &Graph, alpha: &Plane<u8>) -> Vec<Option<Branch>> {
    graph
        .edges
        .par_iter()
        .map(|edge| {
            let e = edge.as_ref()?;
            let closed = e.a == LOOP;
            let samples = middle::measure(alpha, &e.points, &e.radius, closed);
            let mut radius = e.radius.clone();
            radius.sort_by(f64::total_cmp);
            let usual = match radius.get(radius.len() / 2) {
                Some(r) => 2.0 * r,
                None => 2.0 * graph.nodes[e.a].radius.min(graph.nodes[e.b].radius),
            };
            let swollen = [Vec::new(), Vec::new()];
            Some(Branch { a: e.a, b: e.b, samples, swollen, radius: e.radius.clone(), usual })
        })
        .collect()
}

/// Leaves out what lies at crossings and corners, where a line's own edges cannot be seen, and carries free ends on to
/// where their ink ends.
pub fn trim(graph: &Graph, degree: &[usize], alpha: &Plane<u8>, branches: &mut [Option<Branch>]) {
    let crowded = |n: usize| n != LOOP && (degree[n] >= 3 || graph.nodes[n].corner || graph.nodes[n].in_solid);
    let pair = |b: &Branch| (b.a.min(b.b), b.a.max(b.b));
    let mut between: FxHashMap<(usize, usize), usize> = FxHashMap::default();
    branches.iter().flatten().for_each(|b| *between.entry(pair(b)).or_default() += 1);
    // The pixels of a node may hang together in a ring, too: around a hole there are more.
    let encloses = |b: &Branch| b.samples.len() > 2 && (b.a == b.b || between[&pair(b)] > 1);
    branches.par_iter_mut().flatten().for_each(|b| {
        if b.a == LOOP {
            return;
        }
        let n = b.samples.len();
        let clear =
            |node: usize, p: Pt| !crowded(node) || p.dist(graph.nodes[node].at) > 1.15 * graph.nodes[node].radius + 0.5;
        let from = b.samples.iter().position(|s| clear(b.a, s.p)).unwrap_or(n);
        let to = b.samples.iter().rposition(|s| clear(b.b, s.p)).map_or(0, |k| k + 1);
        let free = |node: usize| degree[node] == 1 && !graph.nodes[node].in_solid;
        let swollen = |node: usize, back: bool| {
            if crowded(node) { swelling(&b.samples, from, to, graph.nodes[node].radius, back) } else { 0 }
        };
        let kept = if from < to {
            let (first, last) = (from + swollen(b.a, false), to - swollen(b.b, true).min(to));
            if first < last { first..last } else { from..to }
        } else if encloses(b) {
            // What is left must go around its hole, whatever its edges are hidden by.
            n / 3..n.div_ceil(3).max(2 * n / 3)
        } else if free(b.b) && n > 0 {
            n - 1..n
        } else if free(b.a) && n > 0 {
            0..1
        } else {
            0..0
        };
        if from < to {
            b.swollen = [b.samples[from..kept.start].to_vec(), b.samples[kept.end..to].to_vec()];
        }
        if from >= to && kept.len() == 1 {
            b.usual = 2.0 * b.radius[kept.start];
        }
        b.samples = b.samples[kept.clone()].to_vec();
        b.radius = b.radius[kept].to_vec();
        if free(b.b) {
            middle::reach_tip(alpha, &mut b.samples, &b.radius);
        }
        if free(b.a) {
            b.samples.reverse();
            // The other end may have been carried on or cut back: its radii are of no account here.
            let mut radius = b.radius.clone();
            radius.resize(b.samples.len(), b.usual / 2.0);
            radius.reverse();
            middle::reach_tip(alpha, &mut b.samples, &radius);
            b.samples.reverse();
        }
    });
}

/// How far a stretch may be no broader without ending what is, samples.
const SKIPS: usize = 3;
/// The growth of the width, px a px, and the samples it lasts, from which on lines run together.
const MERGES: f64 = 0.1;
const OVER: usize = 6;

/// How many of the samples `from..to`, from one end on, lie where the line's ink still runs together with another's: it
/// is broader there than it is farther on.
fn swelling(samples: &[Sample], from: usize, to: usize, node: f64, back: bool) -> usize {
    let reach = ((8.0 * node) as usize + 4).min(to - from);
    let at = |i: usize| samples[if back { to - 1 - i } else { from + i }];
    let mut sorted: Vec<f64> = (0..reach).filter(|&i| at(i).measured).map(|i| at(i).width).collect();
    if sorted.is_empty() {
        return 0;
    }
    sorted.sort_by(f64::total_cmp);
    let own = sorted[sorted.len() * 3 / 10];
    let is_broad = |i: usize| !at(i).measured || at(i).width > 1.05 * own + 0.4;
    // A line that swells a little by itself is seen all the same.
    let grows = |i: usize| {
        let on = (i + OVER).min(reach - 1);
        !at(i).measured || !at(on).measured || at(i).width - at(on).width > MERGES * (on - i) as f64
    };
    let mut last = 0;
    for i in (0..reach).take_while(|&i| is_broad(i)) {
        if grows(i) {
            last = i + 1;
        } else if i >= last + SKIPS {
            break;
        }
    }
    last
}
