//! Faces: where ink ends at both sides of a cut through a line.

use crate::geom::{Pt, pt};
use crate::raster::ink::IS_INK;
use crate::raster::plane::Plane;
use crate::region::network::LineEnd;

/// Pens under this width, px, have no faces to speak of.
const LEAST_FACE: f64 = 6.0;
/// Lines wider than this, px, are not asked for straight ones.
const MOST_FACE: f64 = 48.0;

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
const SHARED: f64 = 0.55;
/// How far a face may lie from the end it is of, in widths of the wider one.
const FARTHEST: f64 = 2.0;
/// Faces are looked for across directions up to this from the way between the ends, radians.
const SLANT: f64 = 1.1;
const STEP: f64 = 0.07;

/// How far around an end ink may tell of straight faces, px, besides the longest gap.
pub(super) fn reach_of_faces(widest: f64) -> f64 {
    if widest < LEAST_FACE { 0.0 } else { 4.0 * widest.min(MOST_FACE) }
}

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

    /// Whether a straight stretch breaks off at an end of it: what bends away slowly at both is no face.
    fn has_corner(&self, (from, to, depth): (usize, usize, f64)) -> bool {
        let breaks_off = |k: Option<usize>| {
            k.and_then(|k| self.depths.get(k).copied().flatten()).is_none_or(|d| (d - depth).abs() > CORNER)
        };
        breaks_off(from.checked_sub(2)) || breaks_off(Some(to + 1))
    }
}

/// The same where a line was cut straight through, however its middle runs beside the cut: two straight, parallel edges
/// that face one another over paper, about as long as the line is wide. Round tips have no such edge, and the sides of
/// lines are longer. `alike`: the share of the longer one that the shorter has at least.
pub(super) fn straight_faces(a: (Pt, f64), b: (Pt, f64), alike: f64, alpha: &Plane<u8>, limit: f64) -> Option<[Pt; 2]> {
    let chord = b.0 - a.0;
    let (len, widest) = (chord.len(), a.1.max(b.1));
    if len < 1e-6 || !(LEAST_FACE..=MOST_FACE).contains(&widest) || len > limit + 2.0 * widest {
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
        if !back.has_corner(x) || !ahead.has_corner(y) {
            return None;
        }
        let (shorter, longer) = ((x.1 - x.0).min(y.1 - y.0) as f64, (x.1 - x.0).max(y.1 - y.0) as f64);
        let (from, to) = (x.0.max(y.0), x.1.min(y.1));
        let shared = to as f64 - from as f64;
        if x.2 + y.2 > limit || shared < SHARED * shorter || shorter < alike * longer {
            return None;
        }
        let between = middle + across * ((side(from) + side(to - 1)) / 2.0);
        let faces = [between - way * x.2, between + way * y.2];
        // What lies farther off is something else's edge.
        let is_near = faces[0].dist(a.0) < FARTHEST * widest && faces[1].dist(b.0) < FARTHEST * widest;
        is_near.then_some((shared, faces))
    };
    let turns = (SLANT / STEP) as i32;
    let found = (-turns..=turns).filter_map(|k| look(f64::from(k) * STEP));
    found.max_by(|a, b| a.0.total_cmp(&b.0)).map(|b| b.1)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geom::flat::FlatPoint;
    use crate::raster::strokes;

    /// Two strokes of one width, and what of them is taken away again.
    fn two(strokes: [[Pt; 2]; 2], width: f64, gone: &[Pt]) -> Plane<u8> {
        let mut ink = Plane::new(200, 200, 0u8);
        for ends in strokes {
            strokes::stroke(&mut ink, &ends.map(|p| FlatPoint { p, width }));
        }
        let mut band = Plane::new(200, 200, 0u8);
        if !gone.is_empty() {
            strokes::fill(&mut band, &[gone.to_vec()]);
        }
        ink.data.iter_mut().zip(&band.data).for_each(|(a, &b)| *a = (*a).min(255 - b));
        ink
    }

    #[test]
    fn a_band_cut_out_of_a_line_leaves_two_faces_as_far_apart_as_it_is_wide() {
        for (slant, wide) in [(0.0f64, 14.0), (0.3, 18.0), (-0.25, 16.0), (0.2, 24.0)] {
            let (way, across) = (pt(slant.cos(), slant.sin()), pt(-slant.sin(), slant.cos()));
            let corner = |a: f64, b: f64| pt(100.0, 100.0) + way * (a * wide / 2.0) + across * (b * 30.0);
            let gone = [corner(1.0, 1.0), corner(1.0, -1.0), corner(-1.0, -1.0), corner(-1.0, 1.0)];
            let line = [pt(20.0, 100.0), pt(180.0, 100.0)];
            let ink = two([line, line], 14.0, &gone);
            let inside = wide / 2.0 / slant.cos() + 8.0;
            // Wherever in the ink the middles end.
            for off in [-3.0, 0.0, 3.0] {
                let (a, b) = (pt(100.0 - inside, 100.0 - off), pt(100.0 + inside, 100.0 + off));
                let found = straight_faces((a, 14.0), (b, 14.0), 0.4, &ink, 40.0);
                let [from, to] = found.unwrap_or_else(|| panic!("slant {slant}, {wide} px, off by {off}"));
                assert!((from.dist(to) - wide).abs() < 1.2, "slant {slant}: {} of {wide} px", from.dist(to));
                assert!(from.lerp(to, 0.5).dist(pt(100.0, 100.0)) < 3.0, "slant {slant}: {from:?} {to:?}");
            }
        }
    }

    #[test]
    fn round_tips_and_sides_of_lines_are_no_faces() {
        for turn in [0.0f64, 0.5, 1.0, 1.5] {
            let way = pt(turn.cos(), turn.sin());
            let strokes = [[pt(20.0, 100.0), pt(85.0, 100.0)], [pt(115.0, 104.0), pt(115.0, 104.0) + way * 60.0]];
            let ink = two(strokes, 16.0, &[]);
            let [[_, a], [b, _]] = strokes;
            assert_eq!(straight_faces((a, 16.0), (b, 16.0), 0.4, &ink, 40.0), None, "turned by {turn}");
        }
        // Side by side.
        let ink = two([[pt(20.0, 90.0), pt(160.0, 90.0)], [pt(20.0, 120.0), pt(160.0, 120.0)]], 12.0, &[]);
        for x in [60.0, 100.0, 158.0] {
            let (a, b) = ((pt(x, 90.0), 12.0), (pt(x, 120.0), 12.0));
            assert_eq!(straight_faces(a, b, 0.4, &ink, 40.0), None, "at {x}");
        }
    }
}
