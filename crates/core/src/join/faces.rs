//! Faces: where ink ends at both sides of a cut through a line.

use crate::geom::{Pt, pt};
use crate::ink::IS_INK;
use crate::plane::Plane;
use crate::region::network::LineEnd;

/// Pens under this width, px, have no faces to speak of.
const LEAST_FACE: f64 = 6.0;

/// Where the ink ends at both sides of a cut through a line, if two ends are its faces: side by side over most of their
/// width the way from one to the other leads over paper once, about as far everywhere.
pub(super) fn faces(a: &LineEnd, b: &LineEnd, alpha: &Plane<u8>) -> Option<[Pt; 2]> {
    let width = a.width.min(b.width);
    if width < LEAST_FACE {
        return None;
    }
    let chord = b.p - a.p;
    let (along, len) = (chord.unit(), chord.len());
    let steps = (2.0 * len).ceil().max(1.0) as usize;
    let place = |side: f64, k: usize| a.p + along.turned() * side + along * (len * k as f64 / steps as f64);
    let over_paper = |side: f64| {
        let runs: Vec<bool> =
            (0..=steps).map(|k| place(side, k)).map(|p| alpha.sample(p.x, p.y) >= f64::from(IS_INK)).collect();
        let from = runs.iter().position(|ink| !ink)?;
        let to = runs.iter().rposition(|ink| !ink)?;
        let once = from > 0 && to < steps && runs[from..=to].iter().all(|ink| !ink);
        once.then(|| ([place(side, from), place(side, to)], (to + 1 - from) as f64 * len / steps as f64))
    };
    let ways: Vec<([Pt; 2], f64)> = (-3..=3).filter_map(|k| over_paper(0.38 * width * f64::from(k) / 3.0)).collect();
    let (least, most) = ways.iter().fold((f64::INFINITY, 0.0f64), |(l, m), v| (l.min(v.1), m.max(v.1)));
    let is_cut = ways.len() >= 6 && most < 1.25 * width && most < 1.6 * least + 2.0;
    if is_cut { ways.get(ways.len() / 2).map(|w| w.0) } else { None }
}

/// Straight faces are no shorter than this, px, and than this share of the line's width; the sides of a line that runs
/// on are longer than so many times it.
const LEAST_STRAIGHT: f64 = 5.0;
const LEAST_SHARE: f64 = 0.55;
const MOST_SHARE: f64 = 2.2;
/// How far a straight face may be from a line on either side, px.
const FLAT: f64 = 0.6;
/// How much farther ink is, px, two rays beyond the end of a face.
const CORNER: f64 = 2.5;
/// What of the shorter one lies right across from the other, at least.
const SHARED: f64 = 0.65;
/// Faces are looked for across directions up to this from the way between the ends, radians.
const SLANT: f64 = 1.1;
const STEP: f64 = 0.07;

/// Where ink ends along rays that start side by side on a line over paper: how far each goes before it meets ink.
struct Front {
    depths: Vec<Option<f64>>,
}

impl Front {
    /// The longest stretch of rays that are equally deep: from, to (left out), depth.
    fn straight(&self) -> Option<(usize, usize, f64)> {
        let mut best: Option<(usize, usize, f64)> = None;
        for from in 0..self.depths.len() {
            let (mut least, mut most) = (f64::INFINITY, f64::NEG_INFINITY);
            let mut to = from;
            while let Some(&Some(d)) = self.depths.get(to) {
                (least, most) = (least.min(d), most.max(d));
                if most - least > 2.0 * FLAT {
                    break;
                }
                to += 1;
            }
            if to > from && best.is_none_or(|b| to - from > b.1 - b.0) {
                let seen = self.depths[from..to].iter().flatten();
                best = Some((from, to, seen.sum::<f64>() / (to - from) as f64));
            }
        }
        best
    }

    /// At how many of its two ends a straight stretch breaks off: what bends away slowly is no face.
    fn corners(&self, (from, to, depth): (usize, usize, f64)) -> usize {
        let breaks_off = |k: Option<usize>| {
            k.and_then(|k| self.depths.get(k).copied().flatten()).is_none_or(|d| (d - depth).abs() > CORNER)
        };
        usize::from(breaks_off(from.checked_sub(2))) + usize::from(breaks_off(Some(to + 1)))
    }
}

/// The same where a line was cut straight through, however its middle runs beside the cut: two straight, parallel edges
/// that face one another over paper, about as long as the line is wide. Round tips have no such edge, and the sides of
/// lines are longer. `alike`: the share of the longer one that the shorter has at least.
pub(super) fn straight_faces(a: (Pt, f64), b: (Pt, f64), alike: f64, alpha: &Plane<u8>, limit: f64) -> Option<[Pt; 2]> {
    let chord = b.0 - a.0;
    let (len, widest) = (chord.len(), a.1.max(b.1));
    if len < 1e-6 || widest < LEAST_FACE || len > limit + 2.0 * widest {
        return None;
    }
    let middle = a.0.lerp(b.0, 0.5);
    let reach = 1.5 * MOST_SHARE * widest;
    let rays = (2.0 * reach).ceil() as usize;
    let side = |k: usize| k as f64 - rays as f64 / 2.0;
    let most = (len / 2.0 + widest).ceil() as usize;
    let depth = |from: Pt, way: Pt| {
        let at = |k: usize| from + way * k as f64;
        let is_ink = |p: Pt| alpha.get(p.x.floor() as i64, p.y.floor() as i64).is_some_and(|&v| v >= IS_INK);
        let hit = (0..=most).find(|&k| is_ink(at(k)))?;
        if hit == 0 {
            return None;
        }
        // Below a pixel: where half of it is ink, between a step before and one after.
        let value = |k: usize| {
            let p = at(k);
            alpha.sample(p.x, p.y)
        };
        let before = hit.saturating_sub(1);
        let (low, high) = (value(before), value(hit + 1));
        let share = if high > low { (f64::from(IS_INK) - low) / (high - low) } else { 0.5 };
        Some(before as f64 + 2.0 * share.clamp(0.0, 1.0))
    };
    // The tip of what was cut slantwise is thinner than the line.
    let fits = |(from, to, _): (usize, usize, f64), width: f64| {
        let long = (to - from) as f64;
        long >= LEAST_STRAIGHT.max(LEAST_SHARE * width) && long <= MOST_SHARE * widest
    };
    let unit = chord.unit();
    let look = |turn: f64| -> Option<(f64, [Pt; 2])> {
        let (sin, cos) = turn.sin_cos();
        let way = pt(unit.x * cos - unit.y * sin, unit.x * sin + unit.y * cos);
        let across = way.turned();
        let front = |way: Pt| Front { depths: (0..rays).map(|k| depth(middle + across * side(k), way)).collect() };
        let (back, ahead) = (front(way * -1.0), front(way));
        let x = back.straight().filter(|&x| fits(x, a.1))?;
        let y = ahead.straight().filter(|&y| fits(y, b.1))?;
        let corners = [back.corners(x), ahead.corners(y)];
        if corners.contains(&0) || corners[0] + corners[1] < 3 {
            return None;
        }
        let (shorter, longer) = ((x.1 - x.0).min(y.1 - y.0) as f64, (x.1 - x.0).max(y.1 - y.0) as f64);
        let shared = x.1.min(y.1) as f64 - x.0.max(y.0) as f64;
        if x.2 + y.2 > limit || shared < SHARED * shorter || shorter < alike * longer {
            return None;
        }
        let spot = |(from, to, _): (usize, usize, f64)| middle + across * ((side(from) + side(to - 1)) / 2.0);
        Some((shared, [spot(x) - way * x.2, spot(y) + way * y.2]))
    };
    let turns = (SLANT / STEP) as i32;
    let found = (-turns..=turns).filter_map(|k| look(f64::from(k) * STEP));
    found.max_by(|a, b| a.0.total_cmp(&b.0)).map(|b| b.1)
}
