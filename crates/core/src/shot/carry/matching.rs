//! Regions matched: by place, size, shape and neighbours, in rounds, each told by the matches of the one before.

use super::fit::{Similarity, global_fit};
use super::graph::{Graph, Part};
use crate::geom::Pt;
use rayon::prelude::*;

/// A region of the second drawing and the one of the first that it is.
#[derive(Debug, Clone, PartialEq)]
pub struct Carried {
    pub region: u32,
    pub from: u32,
    /// 0 to 1.
    pub confidence: f64,
    /// Somebody should look.
    pub doubtful: bool,
    /// How good the match is by itself: 0 to 1.
    pub worth: f64,
    /// What of the first it may be besides, and by how much the match is better; `None`: nothing of the first.
    pub rivals: Vec<(Option<u32>, f64)>,
}

/// How far a match can be trusted, and whether somebody should look, by its worth and by how much better than the next it is.
pub(super) fn trusted(worth: f64, margin: f64) -> (f64, bool) {
    ((worth * (0.6 + 4.0 * margin.clamp(0.0, 0.1))).clamp(0.0, 1.0), worth < WORTH || margin < MARGIN)
}

/// How often places are told anew by the neighbours.
const ROUNDS: usize = 8;
/// How far from where it is looked for a region may lie, in its own radius and px: in the first round, and in the last.
const REACH: [(f64, f64); 2] = [(1.6, 110.0), (0.7, 18.0)];
/// The most regions that one is compared with.
const MOST_LIKELY: usize = 14;
/// What place, size, shape and neighbours count for.
const WEIGHTS: [f64; 4] = [0.22, 0.16, 0.32, 0.30];
/// What the global fit counts for beside the neighbours, where those are told by.
const GLOBAL: f64 = 0.15;
/// A match is doubtful that is worth less, or is better than the next one by less.
const WORTH: f64 = 0.56;
const MARGIN: f64 = 0.07;
/// From which round on shapes are laid on one another, with how many places of each at least, in how many rounds; how well
/// they must lie, what that counts for where a part is led to, and by how much more the larger one tells at most.
const LAID_FROM: usize = 3;
const LEAST_LAID: usize = 16;
const LAYING: usize = 4;
const WELL_LAID: f64 = 0.6;
const LED: f64 = 0.8;
const MOST_LED: f64 = 4.0;
/// What is worth less is no match; how closely the best is bid for.
const LEAST: f64 = 0.3;
const BID: f64 = 0.002;
/// What is worse by more is no rival.
const MOST_RIVALLED: f64 = 0.25;
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
    /// How the shape of each part lies on that of its match, and how well: 0 to 1.
    laid: Vec<Option<(Similarity, f64)>>,
}

/// The overlap of a part laid on another one by a fit: intersection over union.
fn laid_overlap((a, part): (&Graph, usize), (b, other): (&Graph, usize), fit: Similarity) -> f64 {
    let (p, q) = (&a.parts[part], &b.parts[other]);
    let share = |from: &Part, holds: &dyn Fn(Pt) -> bool| {
        from.samples.iter().filter(|s| holds(**s)).count() as f64 / from.samples.len() as f64
    };
    let there = share(p, &|s| b.at(fit.go(s)) == Some(other));
    let back = share(q, &|s| a.at(fit.back(s)) == Some(part));
    let (x, y) = (p.area * fit.scale().powi(2), q.area);
    let common = 0.5 * (there * x + back * y);
    (common / (x + y - common).max(1e-9)).clamp(0.0, 1.0)
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

/// The matches of the greatest worth in all, each region taken once; a part goes without one rather than take what is worth
/// less than [`LEAST`]. By auction (Bertsekas, "The auction algorithm", 1988): who is outbid looks on, within [`BID`] of the
/// best for each.
fn assigned(likely: &[Vec<Likely>], others: usize) -> Vec<Option<Likely>> {
    let mut prices = vec![0.0; others];
    let mut owner: Vec<Option<usize>> = vec![None; others];
    let mut out: Vec<Option<Likely>> = vec![None; likely.len()];
    let mut waiting: Vec<usize> = (0..likely.len()).rev().collect();
    while let Some(part) = waiting.pop() {
        let (mut best, mut next): (Option<(f64, Likely)>, f64) = (None, LEAST);
        for &l in &likely[part] {
            let gain = l.worth - prices[l.other];
            match best {
                Some((most, _)) if gain <= most => next = next.max(gain),
                _ => {
                    next = best.map_or(next, |b| next.max(b.0));
                    best = Some((gain, l));
                }
            }
        }
        let Some((gain, l)) = best.filter(|b| b.0 > LEAST) else { continue };
        prices[l.other] += gain - next + BID;
        if let Some(outbid) = owner[l.other].replace(part) {
            out[outbid] = None;
            waiting.push(outbid);
        }
        out[part] = Some(l);
    }
    out
}

impl<'a> Relaxation<'a> {
    fn new(a: &'a Graph, b: &'a Graph) -> Relaxation<'a> {
        let global = global_fit(a, b);
        let n = a.parts.len();
        Relaxation {
            a,
            b,
            global,
            fits: vec![global; n],
            likely: vec![Vec::new(); n],
            matched: vec![None; n],
            laid: vec![None; n],
        }
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
        let (mut sum, mut whole) = (wp * place + wz * size + ws * shape, wp + wz + ws);
        if let Some(support) = self.support(part, other) {
            sum += wn * support;
            whole += wn;
        }
        sum / whole
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
        self.matched = assigned(&likely, self.b.parts.len());
        self.likely = likely;
    }

    /// Lays the shape of each part on that of its match: what lies at its border is led by that more exactly than by middles.
    fn lay(&mut self) {
        let one = |part: usize| {
            let m = self.matched[part].filter(|m| m.worth > WORTH)?;
            let (p, q) = (&self.a.parts[part], &self.b.parts[m.other]);
            if p.samples.len() < LEAST_LAID || q.samples.len() < LEAST_LAID {
                return None;
            }
            let extent = p.area.sqrt();
            let judged = |turn: f64, scale: f64, off: Pt| {
                let fit = self.fits[part].turned_about(p.centre, q.centre + off * extent, turn, scale);
                (laid_overlap((self.a, part), (self.b, m.other), fit), fit)
            };
            let mut at = [0.0, 1.0, 0.0, 0.0];
            let mut best = judged(0.0, 1.0, Pt { x: 0.0, y: 0.0 });
            let mut steps = [0.12, 0.08, 0.08, 0.08];
            for _ in 0..LAYING {
                for k in 0..4 {
                    for way in [-1.0, 1.0] {
                        let mut to = at;
                        to[k] = if k == 1 { at[k] * (1.0 + way * steps[k]) } else { at[k] + way * steps[k] };
                        let new = judged(to[0], to[1], Pt { x: to[2], y: to[3] });
                        if new.0 > best.0 {
                            (best, at) = (new, to);
                        }
                    }
                }
                steps = steps.map(|s| 0.5 * s);
            }
            (best.0 > WELL_LAID).then_some((best.1, best.0))
        };
        self.laid = (0..self.a.parts.len()).into_par_iter().map(one).collect();
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
                if let Some((fit, well)) = self.laid[n] {
                    let larger = (self.a.parts[n].area / p.area.max(1.0)).sqrt().min(MOST_LED);
                    let r = 0.5 * p.area.sqrt();
                    for o in [Pt { x: r, y: 0.0 }, Pt { x: -0.5 * r, y: 0.87 * r }, Pt { x: -0.5 * r, y: -0.87 * r }] {
                        pairs.push((p.centre + o, fit.go(p.centre + o), LED * larger * share.sqrt() * well.powi(2)));
                    }
                }
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

    /// What each region of the second may be besides, with the worth of that: other parts that look for it, and the parts that
    /// have what its own part would take as well.
    fn rivals(&self) -> Vec<Vec<(Option<usize>, f64)>> {
        let mut out: Vec<Vec<(Option<usize>, f64)>> = vec![Vec::new(); self.b.parts.len()];
        let mut owner: Vec<Option<usize>> = vec![None; self.b.parts.len()];
        for (part, m) in self.matched.iter().enumerate() {
            if let Some(m) = m {
                owner[m.other] = Some(part);
            }
        }
        for (part, likely) in self.likely.iter().enumerate() {
            let own = self.matched[part].map(|m| m.other);
            for l in likely.iter().filter(|l| Some(l.other) != own) {
                out[l.other].push((Some(part), l.worth));
                if let Some(own) = own {
                    out[own].push((owner[l.other], l.worth));
                }
            }
        }
        out
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
        if round >= LAID_FROM {
            relaxation.lay();
        }
        relaxation.lead();
    }
    let mut out: Vec<Carried> = Vec::new();
    let mut is_told = vec![false; b.parts.len()];
    let rivals = relaxation.rivals();
    for (part, m) in relaxation.matched.iter().enumerate() {
        let Some(m) = m else { continue };
        let next = rivals[m.other].iter().map(|r| r.1).fold(0.0, f64::max);
        let (confidence, doubtful) = trusted(m.worth, m.worth - next);
        is_told[m.other] = true;
        let near = rivals[m.other].iter().filter(|r| m.worth - r.1 < MOST_RIVALLED);
        out.push(Carried {
            region: b.parts[m.other].region,
            from: a.parts[part].region,
            confidence,
            doubtful,
            worth: m.worth,
            rivals: near.map(|r| (r.0.map(|p| a.parts[p].region), m.worth - r.1)).collect(),
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
            let parted = Carried {
                region: q.region,
                from,
                confidence: 0.5 * share,
                doubtful: true,
                worth: 0.5 * share,
                rivals: Vec::new(),
            };
            out.push(parted);
        }
    }
    out.sort_by_key(|c| c.region);
    out
}
