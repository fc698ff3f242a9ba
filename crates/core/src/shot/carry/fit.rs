//! Fits of one drawing to another: a turn, a scale and a shift.

use super::graph::Graph;
use crate::geom::{Pt, pt};
use rayon::prelude::*;

/// x' = a x - b y + c, y' = b x + a y + d.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Similarity {
    a: f64,
    b: f64,
    shift: Pt,
}

impl Similarity {
    fn about(from: Pt, to: Pt, turn: f64, scale: f64) -> Similarity {
        let (a, b) = (scale * turn.cos(), scale * turn.sin());
        Similarity { a, b, shift: pt(to.x - a * from.x + b * from.y, to.y - b * from.x - a * from.y) }
    }

    pub fn go(&self, p: Pt) -> Pt {
        self.turn(p) + self.shift
    }

    /// Without the shift.
    pub fn turn(&self, p: Pt) -> Pt {
        pt(self.a * p.x - self.b * p.y, self.b * p.x + self.a * p.y)
    }

    /// A way back, without the shift.
    pub fn turn_back(&self, p: Pt) -> Pt {
        let s2 = self.scale().powi(2);
        pt((self.a * p.x + self.b * p.y) / s2, (self.a * p.y - self.b * p.x) / s2)
    }

    /// The way back of [`Similarity::go`].
    pub fn back(&self, p: Pt) -> Pt {
        self.turn_back(p - self.shift)
    }

    /// It turned and scaled further, so that one place goes to another.
    pub fn turned_about(&self, from: Pt, to: Pt, turn: f64, scale: f64) -> Similarity {
        let (s, c) = turn.sin_cos();
        let (a, b) = (scale * (c * self.a - s * self.b), scale * (s * self.a + c * self.b));
        Similarity { a, b, shift: pt(to.x - a * from.x + b * from.y, to.y - b * from.x - a * from.y) }
    }

    pub fn scale(&self) -> f64 {
        self.a.hypot(self.b)
    }

    /// That with the least squares of what it is off by: places, where they lie, weights (Umeyama, "Least-squares
    /// estimation of transformation parameters between two point patterns", 1991). `None` of fewer than two places.
    pub fn through(pairs: &[(Pt, Pt, f64)]) -> Option<Similarity> {
        let whole: f64 = pairs.iter().map(|p| p.2).sum();
        let mean = |of: fn(&(Pt, Pt, f64)) -> Pt| pairs.iter().fold(pt(0.0, 0.0), |s, p| s + of(p) * (p.2 / whole));
        let (from, to) = (mean(|p| p.0), mean(|p| p.1));
        let (mut dot, mut cross, mut size) = (0.0, 0.0, 0.0);
        for (p, q, w) in pairs {
            let (u, v) = (*p - from, *q - to);
            dot += w * u.dot(v);
            cross += w * u.cross(v);
            size += w * u.dot(u);
        }
        if size < 1e-9 {
            return None;
        }
        let (a, b) = (dot / size, cross / size);
        Some(Similarity { a, b, shift: pt(to.x - a * from.x + b * from.y, to.y - b * from.x - a * from.y) })
    }
}

/// How the search for the global fit begins: turns up to so far, scales up to so much, shifts up to a share of the drawing's
/// size, in so many steps each way.
const TURN: f64 = 40.0;
const SCALE: f64 = 1.45;
const SHIFT: f64 = 0.12;
const STEPS: [i32; 3] = [5, 2, 2];
/// The best so many are looked at more closely, in so many rounds.
const CLOSER: usize = 6;
const ROUNDS: usize = 7;
/// The most places of a region that are asked, and of all regions together, about.
const ASKED: usize = 10;
const ASKED_IN_ALL: usize = 2400;

/// How well a fit lays regions on regions of their size: 0 to 1.
fn goodness(a: &Graph, b: &Graph, fit: Similarity) -> f64 {
    let s2 = fit.scale().powi(2);
    let (mut sum, mut whole) = (0.0, 0.0);
    let asked = (ASKED_IN_ALL / a.parts.len().max(1)).clamp(1, ASKED);
    let mut met: Vec<(usize, u32)> = Vec::with_capacity(ASKED);
    for part in &a.parts {
        let every = part.samples.len().div_ceil(asked).max(1);
        met.clear();
        let mut n = 0;
        for p in part.samples.iter().step_by(every) {
            n += 1;
            if let Some(k) = b.at(fit.go(*p)) {
                match met.iter_mut().find(|m| m.0 == k) {
                    Some(m) => m.1 += 1,
                    None => met.push((k, 1)),
                }
            }
        }
        // Large ones tell more, but not as much more as they are larger.
        let weight = part.area.sqrt();
        let like = |k: usize| {
            let (x, y) = (part.area * s2, b.parts[k].area);
            x.min(y) / x.max(y)
        };
        sum += weight * met.iter().map(|&(k, m)| f64::from(m) / f64::from(n) * like(k)).fold(0.0, f64::max);
        whole += weight;
    }
    sum / whole.max(1e-9)
}

/// The turn, scale and shift that lays most of one drawing on another.
pub fn global_fit(a: &Graph, b: &Graph) -> Similarity {
    let (from, to) = (a.centre(), b.centre());
    let size = |g: &Graph| g.parts.iter().map(|p| p.area).sum::<f64>().max(1.0);
    let extent = size(b).sqrt();
    // The sizes of all that is enclosed tell the scale, unless parts are missing.
    let guessed = (size(b) / size(a)).sqrt().clamp(1.0 / SCALE, SCALE);
    let at = |turn: f64, scale: f64, shift: Pt| Similarity::about(from, to + shift, turn, scale);
    let mut tried = Vec::new();
    let [turns, scales, shifts] = STEPS;
    for i in -turns..=turns {
        for j in -scales..=scales {
            for (k, l) in (-shifts..=shifts).flat_map(|k| (-shifts..=shifts).map(move |l| (k, l))) {
                let share = |v: i32, of: i32| f64::from(v) / f64::from(of);
                let scale = guessed * SCALE.powf(0.5 * share(j, scales));
                let shift = pt(share(k, shifts), share(l, shifts)) * (SHIFT * extent);
                tried.push((share(i, turns) * TURN.to_radians(), scale, shift));
            }
        }
    }
    let judged = |(turn, scale, shift): (f64, f64, Pt)| (goodness(a, b, at(turn, scale, shift)), turn, scale, shift);
    let mut tried: Vec<(f64, f64, f64, Pt)> = tried.into_par_iter().map(judged).collect();
    tried.sort_by(|x, y| y.0.total_cmp(&x.0));
    tried.truncate(CLOSER);
    let mut steps = (TURN.to_radians() / f64::from(turns) / 2.0, 0.09, SHIFT * extent / f64::from(shifts) / 2.0);
    for _ in 0..ROUNDS {
        tried.par_iter_mut().for_each(|one| {
            let (turn, scale, shift) = (one.1, one.2, one.3);
            let ways = [
                (steps.0, 0.0, pt(0.0, 0.0)),
                (-steps.0, 0.0, pt(0.0, 0.0)),
                (0.0, steps.1, pt(0.0, 0.0)),
                (0.0, -steps.1, pt(0.0, 0.0)),
                (0.0, 0.0, pt(steps.2, 0.0)),
                (0.0, 0.0, pt(-steps.2, 0.0)),
                (0.0, 0.0, pt(0.0, steps.2)),
                (0.0, 0.0, pt(0.0, -steps.2)),
            ];
            for (t, s, d) in ways {
                let new = judged((turn + t, scale * (1.0 + s), shift + d));
                if new.0 > one.0 {
                    *one = new;
                }
            }
        });
        steps = (steps.0 * 0.6, steps.1 * 0.6, steps.2 * 0.6);
    }
    tried.sort_by(|x, y| y.0.total_cmp(&x.0));
    tried.first().map_or_else(|| at(0.0, 1.0, pt(0.0, 0.0)), |t| at(t.1, t.2, t.3))
}
