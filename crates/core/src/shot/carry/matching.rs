//! Regions matched: by place, size, shape and neighbours, in rounds, each told by the matches of the one before.

use super::fit::{Similarity, global_fit};
use super::graph::{Graph, Part};
use crate::geom::Pt;
use rayon::prelude::*;

/// A region of the second drawing and the one of the first that it is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Carried {
    pub region: u32,
    pub from: u32,
    /// 0 to 1.
    pub confidence: f64,
    /// Somebody should look.
    pub doubtful: bool,
}

/// How often places are told anew by the neighbours.
const ROUNDS: usize = 8;
/// How far from where it is looked for a region may lie, in its own radius and px: in the first round, and in the last.
const REACH: [(f64, f64); 2] = [(1.6, 110.0), (0.7, 24.0)];
/// The most regions that one is compared with.
const MOST_LIKELY: usize = 14;
/// What place, size, shape and neighbours count for.
const WEIGHTS: [f64; 4] = [0.22, 0.16, 0.32, 0.30];
/// What the global fit counts for beside the neighbours, where those are told by.
const GLOBAL: f64 = 0.15;
/// A match is doubtful that is worth less, or is better than the next one by less.
const WORTH: f64 = 0.56;
const MARGIN: f64 = 0.07;
/// A region that was parted off another one lies in it by this share at least.
const PARTED: f64 = 0.7;

/// How good a match is, and what it is of.
#[derive(Debug, Clone, Copy)]
struct Likely {
    other: usize,
    worth: f64,
}

/// What matching has come to so far.
struct Relaxation<'a> {
    a: &'a Graph,
    b: &'a Graph,
    global: Similarity,
    /// By part of the first drawing: how it is led, the best matches, the one it has.
    fits: Vec<Similarity>,
    likely: Vec<Vec<Likely>>,
    matched: Vec<Option<Likely>>,
}

/// The overlap of a part laid on another one, centre on centre, turned and scaled: intersection over union.
fn shape_overlap((a, part): (&Graph, usize), (b, other): (&Graph, usize), fit: Similarity) -> f64 {
    let (p, q) = (&a.parts[part], &b.parts[other]);
    let share = |from: &Part, holds: &dyn Fn(Pt) -> bool| {
        from.samples.iter().filter(|s| holds(**s - from.centre)).count() as f64 / from.samples.len() as f64
    };
    let there = share(p, &|o| b.at(q.centre + fit.turn(o)) == Some(other));
    let back = share(q, &|o| a.at(p.centre + fit.turn_back(o)) == Some(part));
    let (x, y) = (p.area * fit.scale().powi(2), q.area);
    let common = 0.5 * (there * x + back * y);
    (common / (x + y - common).max(1e-9)).clamp(0.0, 1.0)
}

impl<'a> Relaxation<'a> {
    fn new(a: &'a Graph, b: &'a Graph) -> Relaxation<'a> {
        let global = global_fit(a, b);
        let n = a.parts.len();
        Relaxation { a, b, global, fits: vec![global; n], likely: vec![Vec::new(); n], matched: vec![None; n] }
    }

    /// How well the neighbours' matches are neighbours of a match: 0 to 1; `None`: nothing is known yet.
    fn support(&self, part: usize, other: usize) -> Option<f64> {
        let q = &self.b.parts[other];
        let (mut sum, mut whole) = (0.0, 0.0);
        for &(neighbour, share) in &self.a.parts[part].neighbours {
            let met = |m: Option<usize>| q.neighbours.iter().find(|n| n.0 == m).map_or(0.0, |n| n.1);
            let weight = share.sqrt();
            match neighbour {
                None => {
                    sum += weight * (met(None) / share).min(1.0);
                    whole += weight;
                }
                Some(n) => {
                    let Some(m) = self.matched[n] else { continue };
                    let good = weight * m.worth;
                    sum += good * (met(Some(m.other)) / share).min(1.0).sqrt();
                    whole += good;
                }
            }
        }
        (whole > 0.0).then(|| sum / whole)
    }

    fn worth(&self, part: usize, other: usize, reach: (f64, f64)) -> f64 {
        let (p, q, fit) = (&self.a.parts[part], &self.b.parts[other], self.fits[part]);
        let far = fit.go(p.centre).dist(q.centre) / (reach.0 * p.area.sqrt() + reach.1);
        let size = (q.area / (p.area * fit.scale().powi(2))).ln() / 0.35;
        let place = (-0.5 * far * far).exp();
        let size = (-0.5 * size * size).exp();
        let shape = shape_overlap((self.a, part), (self.b, other), fit);
        let [wp, wz, ws, wn] = WEIGHTS;
        let known = wp * place + wz * size + ws * shape;
        match self.support(part, other) {
            Some(support) => known + wn * support,
            None => known / (wp + wz + ws),
        }
    }

    /// Looks for the likely matches of each part where it is led to, then takes the best ones, each region once.
    fn choose(&mut self, reach: (f64, f64)) {
        let near = |part: usize| -> Vec<Likely> {
            let p = &self.a.parts[part];
            let at = self.fits[part].go(p.centre);
            let limit = 2.6 * (reach.0 * p.area.sqrt() + reach.1);
            let mut near: Vec<(f64, usize)> =
                self.b.parts.iter().enumerate().map(|(k, q)| (q.centre.dist(at), k)).collect();
            near.retain(|n| n.0 < limit);
            near.sort_by(|x, y| x.0.total_cmp(&y.0));
            near.truncate(MOST_LIKELY);
            let mut likely: Vec<Likely> =
                near.into_iter().map(|(_, other)| Likely { other, worth: self.worth(part, other, reach) }).collect();
            likely.sort_by(|x, y| y.worth.total_cmp(&x.worth));
            likely
        };
        let likely: Vec<Vec<Likely>> = (0..self.a.parts.len()).into_par_iter().map(near).collect();
        let mut all: Vec<(usize, Likely)> =
            likely.iter().enumerate().flat_map(|(part, l)| l.iter().map(move |m| (part, *m))).collect();
        all.sort_by(|x, y| y.1.worth.total_cmp(&x.1.worth).then(x.0.cmp(&y.0)).then(x.1.other.cmp(&y.1.other)));
        let mut is_taken = vec![false; self.b.parts.len()];
        self.matched = vec![None; self.a.parts.len()];
        for (part, m) in all {
            if self.matched[part].is_none() && !is_taken[m.other] {
                self.matched[part] = Some(m);
                is_taken[m.other] = true;
            }
        }
        self.likely = likely;
    }

    /// Tells where each part is led to by the matches of its neighbours, theirs, and its own.
    fn lead(&mut self) {
        let fits = (0..self.a.parts.len()).map(|part| {
            let p = &self.a.parts[part];
            let mut pairs: Vec<(Pt, Pt, f64)> = Vec::new();
            let add = |k: usize, weight: f64, pairs: &mut Vec<(Pt, Pt, f64)>| {
                if let Some(m) = self.matched[k].filter(|m| m.worth > 0.4) {
                    pairs.push((self.a.parts[k].centre, self.b.parts[m.other].centre, weight * m.worth.powi(2)));
                }
            };
            add(part, 0.5, &mut pairs);
            for &(n, share) in &p.neighbours {
                let Some(n) = n else { continue };
                add(n, 0.3 + share, &mut pairs);
                for &(further, _) in self.a.parts[n].neighbours.iter().take(6) {
                    if let Some(k) = further.filter(|k| *k != part) {
                        add(k, 0.2, &mut pairs);
                    }
                }
            }
            // What does not fit the others is not listened to.
            for _ in 0..2 {
                let Some(fit) = Similarity::through(&pairs).filter(|_| pairs.len() > 3) else { break };
                let off: Vec<f64> = pairs.iter().map(|(x, y, _)| fit.go(*x).dist(*y)).collect();
                let mut sorted = off.clone();
                sorted.sort_by(f64::total_cmp);
                let usual = sorted[sorted.len() / 2].max(4.0);
                let kept = pairs.iter().zip(&off).filter(|(_, o)| **o < 3.0 * usual).map(|(p, _)| *p).collect();
                pairs = kept;
            }
            let whole: f64 = pairs.iter().map(|p| p.2).sum();
            if whole == 0.0 {
                return self.global;
            }
            // The whole holds what few neighbours leave open: three places around the part, led with it.
            let r = p.area.sqrt().max(20.0);
            let off = |q: &(Pt, Pt, f64)| (q.1 - self.global.go(q.0)) * (q.2 / whole);
            let shift = pairs.iter().fold(Pt { x: 0.0, y: 0.0 }, |s, q| s + off(q));
            for o in [Pt { x: r, y: 0.0 }, Pt { x: -0.5 * r, y: 0.87 * r }, Pt { x: -0.5 * r, y: -0.87 * r }] {
                let at = p.centre + o * 2.0;
                pairs.push((at, self.global.go(at) + shift, GLOBAL * (0.3 + whole) / 3.0));
            }
            Similarity::through(&pairs)
                .filter(|f| (0.5..2.0).contains(&(f.scale() / self.global.scale())))
                .unwrap_or(self.global)
        });
        self.fits = fits.collect();
    }

    /// How much better a match is than any other of both.
    fn margin(&self, part: usize, m: Likely) -> f64 {
        let rest = self.likely[part].iter().filter(|l| l.other != m.other).map(|l| l.worth).fold(0.0, f64::max);
        let rivals = self.likely.iter().enumerate().filter(|(k, _)| *k != part);
        let rival =
            rivals.flat_map(|(_, l)| l.iter().filter(|l| l.other == m.other)).map(|l| l.worth).fold(0.0, f64::max);
        m.worth - rest.max(rival)
    }
}

/// Finds the regions of a drawing again in another one. Each region of the second is told at most once; of those that are not
/// told none of the first is like them.
pub fn carry(a: &Graph, b: &Graph) -> Vec<Carried> {
    if a.parts.is_empty() || b.parts.is_empty() {
        return Vec::new();
    }
    let mut relaxation = Relaxation::new(a, b);
    for round in 0..ROUNDS {
        let t = round as f64 / (ROUNDS - 1) as f64;
        let reach = (REACH[0].0 + (REACH[1].0 - REACH[0].0) * t, REACH[0].1 + (REACH[1].1 - REACH[0].1) * t);
        relaxation.choose(reach);
        relaxation.lead();
    }
    let mut out: Vec<Carried> = Vec::new();
    let mut is_told = vec![false; b.parts.len()];
    for (part, m) in relaxation.matched.iter().enumerate() {
        let Some(m) = m.filter(|m| m.worth > 0.3) else { continue };
        let margin = relaxation.margin(part, m);
        let confidence = (m.worth * (0.6 + 4.0 * margin.clamp(0.0, 0.1))).clamp(0.0, 1.0);
        is_told[m.other] = true;
        out.push(Carried {
            region: b.parts[m.other].region,
            from: a.parts[part].region,
            confidence,
            doubtful: m.worth < WORTH || margin < MARGIN,
        });
    }
    // What nothing was matched with may have been parted off something.
    for (_, q) in b.parts.iter().enumerate().filter(|(k, _)| !is_told[*k]) {
        let mut best: Option<(f64, usize)> = None;
        for (part, m) in relaxation.matched.iter().enumerate() {
            let fit = relaxation.fits[part];
            let near = fit.go(a.parts[part].centre).dist(q.centre) < 2.0 * (a.parts[part].area.sqrt() + q.area.sqrt());
            if m.is_none() || !near {
                continue;
            }
            let back = |p: Pt| a.parts[part].centre + fit.turn_back(p - fit.go(a.parts[part].centre));
            let held = q.samples.iter().filter(|s| a.at(back(**s)) == Some(part)).count() as f64;
            let share = held / q.samples.len() as f64;
            if share >= PARTED && best.is_none_or(|b| share > b.0) {
                best = Some((share, part));
            }
        }
        if let Some((share, part)) = best {
            let from = a.parts[part].region;
            out.push(Carried { region: q.region, from, confidence: 0.5 * share, doubtful: true });
        }
    }
    out.sort_by_key(|c| c.region);
    out
}
