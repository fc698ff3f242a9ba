//! Gaps: which loose end was meant to meet which other end, or which line.
//!
//! Each pair of a loose end with another, and each end with the line it runs at, gets a confidence from the distance
//! between their ink, how straight each runs at the other, and how alike their widths are (good continuation: after
//! Fourey and others, "A fast and efficient semi-guided algorithm for flat coloring line-arts", 2018, where ends of
//! lines are matched as keypoints). The best pairs are taken first, each end once; then all of them are put into the
//! arrangement together, and one that parts no two regions gains nothing and is only proposed. O(ends · neighbours).

use super::bridge_spine;
use crate::geom::{Pt, angle_between, nearest_on_segment, segments_cross};
use crate::ink::IS_INK;
use crate::line::{End, Form, Line, Made};
use crate::plane::Plane;
use crate::recipe::{JoinRecipe, px_per_mm};
use crate::region::network::{LineEnd, Network};
use crate::region::regions;

/// A gap and the curve that would close it.
#[derive(Debug, Clone, PartialEq)]
pub struct Gap {
    /// The loose end it starts from: the line's number in the drawing, and which end.
    pub line: usize,
    pub at_end: bool,
    /// The other loose end, or the line whose body is met.
    pub other: usize,
    pub other_end: Option<bool>,
    /// Where the ink ends on both sides.
    pub from: Pt,
    pub to: Pt,
    /// Between the ink on both sides, px.
    pub length: f64,
    /// 0 to 1.
    pub confidence: f64,
    /// The areas of the two regions it parts (of the outside: none), when it parts any.
    pub parts: Option<[Option<usize>; 2]>,
    /// It can be settled without asking.
    pub sure: bool,
    pub bridge: Line,
}

/// From this confidence on a gap that parts regions is closed without asking.
const SURE: f64 = 0.30;
/// Below this it is not even proposed.
const FAINT: f64 = 0.06;
/// Regions smaller than this many visible pixels are no gain.
const LEAST_GAIN: usize = 40;

struct Candidate {
    end: usize,
    other_end: Option<usize>,
    other: usize,
    to: Pt,
    to_width: f64,
    length: f64,
    confidence: f64,
}

/// Finds the gaps of a drawing. `alpha` is the ink as it is seen.
pub fn find_gaps(lines: &[Line], network: &Network, alpha: &Plane<u8>, recipe: &JoinRecipe, dpi: f64) -> Vec<Gap> {
    let limit = recipe.longest_gap * px_per_mm(dpi);
    let loose: Vec<&LineEnd> = network.ends.iter().filter(|e| e.loose).collect();
    let mut candidates = Vec::new();
    for (i, end) in loose.iter().enumerate() {
        for (j, other) in loose.iter().enumerate().skip(i + 1) {
            candidates.extend(end_to_end((i, end), (j, other), alpha, limit));
        }
        candidates.extend(end_to_line(i, end, &loose, network, limit));
    }
    candidates.sort_by(|a, b| b.confidence.total_cmp(&a.confidence).then(a.end.cmp(&b.end)).then(a.other.cmp(&b.other)));
    let mut taken = vec![false; loose.len()];
    let mut gaps: Vec<Gap> = Vec::new();
    for c in candidates {
        if taken[c.end] || c.other_end.is_some_and(|o| taken[o]) {
            continue;
        }
        let end = loose[c.end];
        let Some(bridge) = bridge_of(end, &c, c.other_end.map(|o| loose[o]), network, &gaps) else { continue };
        taken[c.end] = true;
        if let Some(o) = c.other_end {
            taken[o] = true;
        }
        gaps.push(Gap {
            line: end.line,
            at_end: end.at_end,
            other: c.other,
            other_end: c.other_end.map(|o| loose[o].at_end),
            from: end.p + end.dir * (end.width / 2.0).min(end.p.dist(c.to) / 2.0),
            to: ink_side(c.to, end.p, c.to_width / 2.0),
            length: c.length,
            confidence: c.confidence,
            parts: None,
            sure: false,
            bridge,
        });
    }
    weigh_gain(lines, &mut gaps, alpha);
    gaps
}

fn ink_side(to: Pt, from: Pt, half: f64) -> Pt {
    to + (from - to).unit() * half.min(to.dist(from) / 2.0)
}

fn end_to_end(a: (usize, &LineEnd), b: (usize, &LineEnd), alpha: &Plane<u8>, limit: f64) -> Option<Candidate> {
    let ((i, a), (j, b)) = (a, b);
    let chord = b.p - a.p;
    let len = chord.len();
    let halves = (a.width + b.width) / 2.0;
    let length = (len - halves).max(0.0);
    if length > limit || len < 1e-6 {
        return None;
    }
    let (turn_a, turn_b) = (angle_between(a.dir, chord), angle_between(b.dir, chord * -1.0));
    if turn_a > 1.9 || turn_b > 1.9 {
        return None;
    }
    // Close to the ends' own width their directions say little.
    let trust = len / (len + 0.8 * halves + 2.0);
    let bend = (turn_a * turn_a + turn_b * turn_b) * trust;
    let unlike = (a.width.max(1.0) / b.width.max(1.0)).ln();
    let cost = 0.55 * (length / limit).powi(2) + bend / 1.9 + 0.12 * unlike * unlike;
    let confidence = (-cost).exp();
    if confidence < FAINT || ink_between(alpha, a.p, b.p, a.width / 2.0, b.width / 2.0) {
        return None;
    }
    Some(Candidate { end: i, other_end: Some(j), other: b.line, to: b.p, to_width: b.width, length, confidence })
}

/// Whether other ink lies on the straight way between two ends.
fn ink_between(alpha: &Plane<u8>, a: Pt, b: Pt, half_a: f64, half_b: f64) -> bool {
    let len = a.dist(b);
    let mut s = half_a + 1.5;
    while s < len - half_b - 1.5 {
        let p = a.lerp(b, s / len);
        if alpha.sample(p.x, p.y) >= f64::from(IS_INK) {
            return true;
        }
        s += 0.5;
    }
    false
}

fn end_to_line(i: usize, end: &LineEnd, loose: &[&LineEnd], network: &Network, limit: f64) -> Option<Candidate> {
    let own = end.width / 2.0;
    let mut best: Option<Candidate> = None;
    for piece in network.near(end.p, limit + own + 40.0) {
        let t = nearest_on_segment(end.p, piece.a, piece.b);
        // The place the line runs at, and the nearest place: whichever is better.
        let ahead = segments_cross(end.p, end.p + end.dir * (limit + own + 40.0), piece.a, piece.b).map(|c| c.1);
        for t in [Some(t), ahead].into_iter().flatten() {
            let q = piece.a.lerp(piece.b, t);
            let half = (piece.width[0] + (piece.width[1] - piece.width[0]) * t) / 2.0;
            let chord = q - end.p;
            let len = chord.len();
            let length = (len - half - own).max(0.0);
            let turn = angle_between(end.dir, chord);
            if length > limit || turn > 1.2 || len < 1e-6 {
                continue;
            }
            // Its own body just behind it is no target.
            if piece.line as usize == end.line && len < 3.0 * end.width + 10.0 {
                continue;
            }
            let trust = len / (len + 0.8 * (own + half) + 2.0);
            let cost = 0.9 * (length / limit).powi(2) + turn * turn * trust / 0.5 + 0.12;
            let confidence = (-cost).exp();
            // A loose end of that line just there is a matter of two ends.
            let at_end = loose.iter().any(|o| o.line == piece.line as usize && o.p.dist(q) < 0.6 * o.width + 2.0);
            if confidence >= FAINT && !at_end && best.as_ref().is_none_or(|b| confidence > b.confidence) {
                best = Some(Candidate { end: i, other_end: None, other: piece.line as usize, to: q, to_width: 2.0 * half, length, confidence });
            }
        }
    }
    best
}

/// The bridge of a candidate, or `None` if every curve would cross something.
fn bridge_of(end: &LineEnd, c: &Candidate, other: Option<&LineEnd>, network: &Network, taken: &[Gap]) -> Option<Line> {
    let width = vec![[0.0, end.width], [1.0, other.map_or(end.width.min(c.to_width.max(1.0)), |o| o.width)]];
    let curved = bridge_spine(end.p, end.dir, c.to, other.map(|o| o.dir));
    let straight = crate::line::Spine::through(&[end.p, c.to], false);
    [curved, straight].into_iter().find_map(|spine| {
        let flat = spine.flatten(0.2);
        let clear = flat.windows(2).all(|w| {
            let middle = w[0].lerp(w[1], 0.5);
            let reach = w[0].dist(w[1]);
            network.near(middle, reach).all(|piece| {
                let Some((t, _)) = segments_cross(w[0], w[1], piece.a, piece.b) else { return true };
                // Touching at its own two ends is what a bridge does.
                let at = w[0].lerp(w[1], t);
                at.dist(end.p) < 0.02 || at.dist(c.to) < 0.02
            }) && taken.iter().all(|g| {
                let other = g.bridge.flat(0.2);
                other.windows(2).all(|o| segments_cross(w[0], w[1], o[0].p, o[1].p).is_none())
            })
        });
        clear.then(|| Line {
            id: 0,
            form: Form::Centreline { spine, width: width.clone(), ends: [End::Round, End::Round] },
            made: Made::Bridge,
            swatch: None,
            opacity: 1.0,
            group: None,
        })
    })
}

/// Arranges the drawing with all gaps closed and sees which closures part two regions.
fn weigh_gain(lines: &[Line], gaps: &mut [Gap], alpha: &Plane<u8>) {
    if gaps.is_empty() {
        return;
    }
    let mut all = lines.to_vec();
    all.extend(gaps.iter().map(|g| g.bridge.clone()));
    let network = Network::of(&all);
    let after = regions(&network, alpha);
    for (k, gap) in gaps.iter_mut().enumerate() {
        let owner = (lines.len() + k) as u32;
        let arrangement = &network.arrangement;
        let sides = (0..arrangement.edges.len())
            .filter(|&e| arrangement.owners[e].contains(&owner))
            .map(|e| (arrangement.face_of[2 * e], arrangement.face_of[2 * e + 1]))
            .find(|(a, b)| a != b);
        gap.parts = sides.and_then(|(a, b)| {
            let area = |f: usize| match after.of_face[f] {
                0 => None,
                id => Some(after.list[id as usize - 1].area),
            };
            let parts = [area(a), area(b)];
            let gain = parts.iter().flatten().min().copied().unwrap_or(0);
            (gain >= LEAST_GAIN).then_some(parts)
        });
        if gap.parts.is_none() {
            gap.confidence *= 0.4;
        }
        gap.sure = gap.parts.is_some() && gap.confidence >= SURE;
    }
}
