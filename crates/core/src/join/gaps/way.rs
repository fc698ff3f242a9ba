//! The curves that would close a gap, and the gap that one of them makes.

use super::super::gap::{Gap, bridge_spine};
use super::candidate::{Candidate, Way};
use crate::geom::spine::Spine;
use crate::geom::{Bounds, Pt, segments_cross};
use crate::model::line::{End, Form, Line, Made};
use crate::region::network::{LineEnd, Network};

/// The curves that would close a gap and cross no line: as a hand would have drawn it, straight, and from face to face.
pub(super) fn ways_of(
    end: &LineEnd,
    to: Pt,
    other: Option<&LineEnd>,
    faces: Option<[Pt; 2]>,
    network: &Network,
) -> Vec<Way> {
    let curved = bridge_spine(end.p, end.dir, to, other.map(|o| o.dir));
    let straight = Spine::through(&[end.p, to], false);
    let clear = |flat: &[Pt]| {
        flat.windows(2).all(|w| {
            network.near(w[0].lerp(w[1], 0.5), w[0].dist(w[1])).all(|piece| {
                let Some((t, _)) = segments_cross(w[0], w[1], piece.a, piece.b) else {
                    return true;
                };
                // Touching at its own two ends is what a bridge does.
                let at = w[0].lerp(w[1], t);
                at.dist(end.p) < 0.02 || at.dist(to) < 0.02
            })
        })
    };
    let through = faces.map(|[a, b]| Spine::through(&[end.p, a, b, to], false));
    [Some(curved), Some(straight), through]
        .into_iter()
        .flatten()
        .map(|spine| (spine.flatten(0.2), spine))
        .filter(|(flat, _)| clear(flat))
        .map(|(flat, spine)| Way { bounds: Bounds::of(&flat), spine, flat: flat.into() })
        .collect()
}

/// The gap of a candidate, closed by a curve.
pub(super) fn gap_of(
    end: &LineEnd,
    c: &Candidate,
    other: Option<&LineEnd>,
    (spine, opacity): (Spine, f64),
    number: u32,
) -> Gap {
    let width = vec![[0.0, end.width], [1.0, other.map_or(end.width.min(c.to_width.max(1.0)), |o| o.width)]];
    let bridge = Line {
        opacity,
        ..Line::new(0, Form::Centreline { spine, width, ends: [End::Round, End::Round] }, Made::Bridge)
    };
    let [from, to] = c.faces.unwrap_or_else(|| {
        let tip = end.p + end.dir * (end.width / 2.0).min(end.p.dist(c.to) / 2.0);
        [tip, ink_side(c.to, end.p, c.to_width / 2.0)]
    });
    Gap {
        line: end.line,
        at_end: end.at_end,
        other: c.other,
        other_end: c.other_end.map(|o| o.1),
        from,
        to,
        length: c.length,
        confidence: c.confidence,
        parts: None,
        sure: false,
        quiet: true,
        bridge,
        leak: c.is_leak(),
        along: c.along,
        number,
    }
}

fn ink_side(to: Pt, from: Pt, half: f64) -> Pt {
    to + (from - to).unit() * half.min(to.dist(from) / 2.0)
}
