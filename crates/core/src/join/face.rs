//! The face of a blunt end: where ink stops straight across its line between two corners, as where a line was cut
//! through. A pen that is set down or lifted leaves a round or a pointed end.

use crate::geom::Pt;
use crate::raster::contour::rings as rings_within;
use crate::raster::ink::IS_INK;
use crate::raster::plane::Plane;
use crate::region::network::{LineEnd, Network};

/// Of thinner lines no end tells how it came about, up to 9 px not every one; of broader ones none is asked, px.
const WIDTHS: std::ops::RangeInclusive<f64> = 5.0..=48.0;
/// How wide a face is, in widths of its line.
const WIDE: std::ops::RangeInclusive<f64> = 0.6..=1.8;
/// How far around an end faces are looked for, in widths, and how far from it they may lie.
const AROUND: f64 = 2.2;
const FARTHEST: f64 = 2.0;
/// How far a face may lie from being straight, in widths, px at least and at most; half a round end is off by 0.13.
const STRAIGHT: (f64, f64, f64) = (0.06, 0.58, 1.0);

/// A face, its middle, the way out of the ink, how wide it is, px.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Face {
    pub at: Pt,
    pub out: Pt,
    pub wide: f64,
}

/// The face of a loose end, if it stops bluntly. `alpha`: the ink; only what lies within 4 widths of the end is looked
/// at. O(widths²).
pub(super) fn face_of(end: &LineEnd, network: &Network, alpha: &Plane<u8>) -> Option<Face> {
    // The middle of a line that was cut through runs into one of the corners, thinner and thinner.
    let mut walked = 0.0;
    let mut body = end.width;
    let flat = network.flat(end.line);
    let at = |k: usize| if end.at_end { flat[flat.len() - 1 - k] } else { flat[k] };
    for k in 1..flat.len() {
        walked += at(k).p.dist(at(k - 1).p);
        if walked > 1.2 * body + 3.0 {
            break;
        }
        body = body.max(at(k).width);
    }
    face_at(end, body, alpha)
}

/// The face of an end of a line of such width.
fn face_at(end: &LineEnd, width: f64, alpha: &Plane<u8>) -> Option<Face> {
    if !WIDTHS.contains(&width) {
        return None;
    }
    let tip = end.p + end.dir * (end.width / 2.0);
    let reach = AROUND * width;
    let bounds =
        ((tip.x - reach) as i64, (tip.y - reach) as i64, (tip.x + reach) as i64 + 1, (tip.y + reach) as i64 + 1);
    let rings = rings_within(|x, y| alpha.get(x, y).map_or(0.0, |&v| f64::from(v)), bounds);
    let border = |p: Pt| (p.x - tip.x).abs().max((p.y - tip.y).abs()) > reach - 1.5;
    let faces = rings.iter().flat_map(|ring| faces_on(ring, width)).filter(|f| {
        let inside = f.at - f.out;
        !border(f.at) && f.at.dist(end.p) < FARTHEST * width && is_over_ink(end.p, inside, alpha)
    });
    faces.min_by(|a, b| a.at.dist(tip).total_cmp(&b.at.dist(tip)))
}

fn is_over_ink(a: Pt, b: Pt, alpha: &Plane<u8>) -> bool {
    let steps = a.dist(b).ceil().max(1.0) as usize;
    (0..=steps).all(|k| {
        let p = a.lerp(b, k as f64 / steps as f64);
        alpha.sample(p.x, p.y) >= f64::from(IS_INK)
    })
}

/// The straight stretches between two corners of a ring of ink that are about as wide as a line.
fn faces_on(ring: &[Pt], width: f64) -> Vec<Face> {
    let n = ring.len();
    if n < 8 {
        return Vec::new();
    }
    let reach = (0.3 * width).max(2.5);
    // A round end turns by this within the same reach.
    let sharp = (2.0 * reach / width + 0.15).max(0.8);
    let walk = |from: usize, ahead: bool| {
        let (mut k, mut len) = (from, 0.0);
        while len < reach {
            let next = if ahead { (k + 1) % n } else { (k + n - 1) % n };
            if next == from {
                break;
            }
            len += ring[k].dist(ring[next]);
            k = next;
        }
        ring[k]
    };
    // Ink lies at the left: towards it the ring turns against the clock.
    let turn: Vec<f64> = (0..n)
        .map(|k| {
            let (a, b) = (ring[k] - walk(k, false), walk(k, true) - ring[k]);
            (-a.cross(b)).atan2(a.dot(b))
        })
        .collect();
    let mut order: Vec<usize> = (0..n).filter(|&k| turn[k] > sharp).collect();
    order.sort_by(|&a, &b| turn[b].total_cmp(&turn[a]).then(a.cmp(&b)));
    let mut corners: Vec<usize> = Vec::new();
    for k in order {
        if corners.iter().all(|&c| ring[c].dist(ring[k]) > 0.8 * reach) {
            corners.push(k);
        }
    }
    corners.sort_unstable();
    let allowed = (STRAIGHT.0 * width).clamp(STRAIGHT.1, STRAIGHT.2);
    let pairs = corners.iter().enumerate().map(|(i, &from)| (from, corners[(i + 1) % corners.len()]));
    pairs
        .filter(|(from, to)| from != to)
        .filter_map(|(from, to)| {
            let chord = ring[to] - ring[from];
            let wide = chord.len();
            if wide < WIDE.start() * width || wide > WIDE.end() * width {
                return None;
            }
            let along = chord.unit();
            let mut k = from;
            while k != to {
                let off = ring[k] - ring[from];
                // Corners are rounded off a little.
                let s = off.dot(along);
                let slack = if s < 2.5 || s > wide - 2.5 { 0.6 } else { 0.0 };
                if off.cross(along).abs() > allowed + slack || s < -1.0 || s > wide + 1.0 {
                    return None;
                }
                k = (k + 1) % n;
            }
            Some(Face { at: ring[from].lerp(ring[to], 0.5), out: along.turned(), wide })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geom::flat::FlatPoint;
    use crate::geom::pt;
    use crate::raster::strokes;

    fn end(p: Pt, turn: f64, width: f64) -> LineEnd {
        LineEnd { line: 0, at_end: true, p, dir: pt(turn.cos(), turn.sin()), width, loose: true }
    }

    #[test]
    fn round_and_pointed_ends_are_not_blunt_and_what_was_cut_through_is() {
        for width in [9.0, 11.0, 14.0, 22.0] {
            for turn in [0.0f64, 0.4, 1.1, 2.0, 3.3] {
                let way = pt(turn.cos(), turn.sin());
                let at = pt(100.3, 99.8);
                let mut ink = Plane::new(200, 200, 0u8);
                let knot = |p: Pt, width: f64| FlatPoint { p, width };
                strokes::stroke(&mut ink, &[knot(at - way * 60.0, width), knot(at, width)]);
                assert_eq!(face_at(&end(at, turn, width), width, &ink), None, "round, {width} px, {turn}");
                let mut pointed = Plane::new(200, 200, 0u8);
                let tip = [knot(at - way * 60.0, width), knot(at - way * 2.0 * width, width), knot(at, 0.5)];
                strokes::stroke(&mut pointed, &tip);
                assert_eq!(
                    face_at(&end(at - way * width, turn, width), width, &pointed),
                    None,
                    "pointed, {width} px, {turn}"
                );
                // Cut through across, or askew.
                let slants = [-0.4, 0.0, 0.4];
                for slant in slants {
                    let (cut, side) = (turn + slant, width * 3.0);
                    let (n, along) = (pt(cut.cos(), cut.sin()), pt(-cut.sin(), cut.cos()));
                    let from = at - way * (width / 2.0);
                    let ring = [
                        from + along * side,
                        from - along * side,
                        from - along * side + n * 80.0,
                        from + along * side + n * 80.0,
                    ];
                    let mut band = Plane::new(200, 200, 0u8);
                    strokes::fill(&mut band, &[ring.to_vec()]);
                    let mut cut_off = ink.clone();
                    cut_off.data.iter_mut().zip(&band.data).for_each(|(a, &b)| *a = (*a).min(255 - b));
                    let p = from - way * (width / 2.0);
                    let face = face_at(&end(p, turn, width), width, &cut_off)
                        .unwrap_or_else(|| panic!("cut, {width} px, {turn}, askew by {slant}"));
                    assert!(face.out.dot(n) > 0.98 && face.at.dist(from) < 1.0, "{face:?}");
                    assert!((face.wide - width / slant.cos()).abs() < 2.0, "{face:?}, {width} px askew by {slant}");
                }
            }
        }
    }
}
