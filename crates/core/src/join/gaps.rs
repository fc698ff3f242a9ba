//! Gaps: which loose end was meant to meet which other end, or which line.
//!
//! Each pair of a loose end with another, and each end with the line it runs at, gets a confidence from the distance
//! between their ink, how straight each runs at the other, and how alike their widths are (good continuation: after
//! Fourey and others, "A fast and efficient semi-guided algorithm for flat coloring line-arts", 2018, where ends of
//! lines are matched as keypoints). The best pairs are taken first, each end once; then all of them are put into the
//! arrangement together, and one that parts no two regions gains nothing and is only proposed. O(ends · neighbours).

use super::bridge_spine;
use crate::geom::{Pt, angle_between, nearest_on_segment, polyline_len, segments_cross};
use crate::ink::IS_INK;
use crate::line::{End, Form, Line, Made};
use crate::plane::Plane;
use crate::recipe::{JoinRecipe, px_per_mm};
use crate::region::network::{LineEnd, Network};
use crate::region::regions;
use std::collections::HashMap;

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
/// The same where an end would be carried to a line's body: that end has no counterpart that speaks for it.
const SURE_TO_LINE: f64 = 0.36;
/// Below this it is not even proposed.
const FAINT: f64 = 0.06;
/// Regions smaller than this many visible pixels are no gain.
const LEAST_GAIN: usize = 40;

impl Gap {
    fn is_confident(&self) -> bool {
        self.confidence >= if self.other_end.is_some() { SURE } else { SURE_TO_LINE }
    }
}

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
    let near = EndGrid::of(&loose, limit + 40.0);
    for (i, end) in loose.iter().enumerate() {
        for j in near.around(end.p).filter(|&j| j > i) {
            candidates.extend(end_to_end((i, end), (j, loose[j]), network, alpha, limit));
        }
        candidates.extend(end_to_line(i, end, &loose, &near, network, limit));
    }
    candidates
        .sort_by(|a, b| b.confidence.total_cmp(&a.confidence).then(a.end.cmp(&b.end)).then(a.other.cmp(&b.other)));
    let mut taken = vec![false; loose.len()];
    let mut gaps: Vec<Gap> = Vec::new();
    for c in candidates {
        if taken[c.end] || c.other_end.is_some_and(|o| taken[o]) {
            continue;
        }
        let end = loose[c.end];
        let Some(bridge) = bridge_of(end, &c, c.other_end.map(|o| loose[o]), network, &gaps) else {
            continue;
        };
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

/// Loose ends in square cells, so that only neighbours are looked at.
struct EndGrid {
    cell: f64,
    cells: HashMap<(i64, i64), Vec<usize>>,
}

impl EndGrid {
    fn of(ends: &[&LineEnd], cell: f64) -> EndGrid {
        let mut grid = EndGrid { cell, cells: HashMap::new() };
        for (i, e) in ends.iter().enumerate() {
            grid.cells.entry(grid.key(e.p)).or_default().push(i);
        }
        grid
    }

    fn key(&self, p: Pt) -> (i64, i64) {
        // Far off the sheet all places are one.
        let at = |v: f64| (v / self.cell).floor().clamp(-1e9, 1e9) as i64;
        (at(p.x), at(p.y))
    }

    /// The ends within a cell's width of a place, and some more.
    fn around(&self, p: Pt) -> impl Iterator<Item = usize> + '_ {
        let (x, y) = self.key(p);
        let cells = (-1..=1).flat_map(move |dy| (-1..=1).map(move |dx| (x + dx, y + dy)));
        cells.filter_map(|k| self.cells.get(&k)).flatten().copied()
    }
}

fn ink_side(to: Pt, from: Pt, half: f64) -> Pt {
    to + (from - to).unit() * half.min(to.dist(from) / 2.0)
}

fn end_to_end(
    a: (usize, &LineEnd),
    b: (usize, &LineEnd),
    network: &Network,
    alpha: &Plane<u8>,
    limit: f64,
) -> Option<Candidate> {
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
    // Two ends of one arc turn from their chord by the same angle to the same side; an S costs more than an arc. What
    // the lines' own bend accounts for costs nothing.
    let signed = |dir: Pt, chord: Pt| dir.cross(chord).atan2(dir.dot(chord));
    let beyond = |turn: f64, bend: f64| turn - (bend * len / 2.0).clamp(turn.min(0.0), turn.max(0.0));
    let turns =
        [beyond(signed(a.dir, chord), bend_at(a, network)), beyond(-signed(b.dir, chord * -1.0), -bend_at(b, network))];
    let bend = (0.75 * (turns[0] - turns[1]).powi(2) + 0.22 * (turns[0] + turns[1]).powi(2)) * trust;
    let unlike = (a.width.max(1.0) / b.width.max(1.0)).ln();
    let same = if a.line == b.line { 0.25 } else { 0.0 };
    // The farther, the straighter it must be.
    let far = length / limit;
    let cost = 0.32 * far * far + bend * (0.5 + 0.6 * far) + 0.12 * unlike * unlike - same;
    // Ends that run straight at each other were hardly meant to taper off or to stand alone.
    let facing = (0.4 + turns[0].abs() + turns[1].abs()).min(1.0);
    let accident = end_weight(a, network, length, same > 0.0) * end_weight(b, network, length, same > 0.0);
    let confidence = (-cost.max(0.0)).exp() * accident.powf(facing);
    if confidence < FAINT || ink_between(alpha, a.p, b.p, a.width / 2.0, b.width / 2.0) {
        return None;
    }
    Some(Candidate { end: i, other_end: Some(j), other: b.line, to: b.p, to_width: b.width, length, confidence })
}

/// How much a line bends on its last stretch, radians a px, towards the left of the way out (in a picture: the right).
/// The end itself, within its own width, tells more of the pen than of the line.
fn bend_at(end: &LineEnd, network: &Network) -> f64 {
    let flat = &network.flats[end.line];
    let at = |k: usize| if end.at_end { flat[flat.len() - 1 - k] } else { flat[k] };
    let mut walked = 0.0;
    let mut near: Option<(Pt, f64)> = None;
    for k in 1..flat.len() {
        let step = at(k - 1).p - at(k).p;
        walked += step.len();
        match near {
            None if walked > end.width => near = Some((step.unit(), walked)),
            Some((out, since)) if walked > 3.5 * end.width => {
                let back = step.unit();
                return back.cross(out).atan2(back.dot(out)) / (walked - since).max(1e-9);
            }
            _ => {}
        }
    }
    0.0
}

/// How much an end looks like one that stops by accident. One that tapers off was mostly meant to stop there, the more
/// so the farther the gap; a dash, loose at both ends and not much longer than wide, to stand alone.
fn end_weight(end: &LineEnd, network: &Network, gap: f64, closes_on_itself: bool) -> f64 {
    let flat = &network.flats[end.line];
    let at = |k: usize| if end.at_end { flat[flat.len() - 1 - k] } else { flat[k] };
    let mut walked = 0.0;
    let mut body = end.width;
    for k in 1..flat.len() {
        walked += at(k).p.dist(at(k - 1).p);
        body = body.max(at(k).width);
        if walked > 3.0 * body + 8.0 {
            break;
        }
    }
    let taper = 1.0 - (end.width / body.max(1e-9)).min(1.0);
    let meant = (taper - 0.2).max(0.0) * 1.6 * (gap / (0.8 * body + 4.0)).min(1.0);
    // Of a line that was cut twice a piece is left which is far longer than the gaps beside it.
    let long = |most: f64| polyline_len(&flat.iter().map(|f| f.p).collect::<Vec<_>>()) >= most;
    let dash = !closes_on_itself && network.loose_at_both(end.line) && !long((6.0 * body).min(1.5 * gap + 2.5 * body));
    (-meant).exp() * if dash { 0.45 } else { 1.0 }
}

/// A nub on another line's edge (dust, a blot) aims at nothing; only another end that faces it makes it a gap's.
fn nub_weight(end: &LineEnd, network: &Network) -> f64 {
    let flat: Vec<Pt> = network.flats[end.line].iter().map(|f| f.p).collect();
    if !network.loose_at_both(end.line) && polyline_len(&flat) < 2.0 * end.width + 6.0 { 0.25 } else { 1.0 }
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

fn end_to_line(
    i: usize,
    end: &LineEnd,
    loose: &[&LineEnd],
    near: &EndGrid,
    network: &Network,
    limit: f64,
) -> Option<Candidate> {
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
            let far = length / limit;
            let cost = 1.85 * far * far + turn * turn * trust * (1.2 + 1.95 * far) + 0.12;
            // What the end itself is worth is asked last: it takes a walk along the line.
            let most = (-cost).exp();
            if most < FAINT || best.as_ref().is_some_and(|b| most <= b.confidence) {
                continue;
            }
            let confidence = most * end_weight(end, network, length, false) * nub_weight(end, network);
            if confidence < FAINT || best.as_ref().is_some_and(|b| confidence <= b.confidence) {
                continue;
            }
            // A loose end of that line just there is a matter of two ends.
            let at_end = near
                .around(q)
                .map(|j| loose[j])
                .any(|o| o.line == piece.line as usize && o.p.dist(q) < 0.6 * o.width + 2.0);
            if !at_end {
                best = Some(Candidate {
                    end: i,
                    other_end: None,
                    other: piece.line as usize,
                    to: q,
                    to_width: 2.0 * half,
                    length,
                    confidence,
                });
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
                let Some((t, _)) = segments_cross(w[0], w[1], piece.a, piece.b) else {
                    return true;
                };
                // Touching at its own two ends is what a bridge does.
                let at = w[0].lerp(w[1], t);
                at.dist(end.p) < 0.02 || at.dist(c.to) < 0.02
            })
        }) && taken.iter().filter(|g| g.from.dist(end.p) < 4.0 * (c.length + 40.0)).all(|g| {
            let other = g.bridge.flat(0.5);
            flat.windows(2).all(|w| other.windows(2).all(|o| segments_cross(w[0], w[1], o[0].p, o[1].p).is_none()))
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

/// Arranges the drawing with gaps closed and sees which closures part two regions: first the confident ones alone, so
/// that none of them counts on a doubtful one, then all.
fn weigh_gain(lines: &[Line], gaps: &mut [Gap], alpha: &Plane<u8>) {
    let confident: Vec<usize> = (0..gaps.len()).filter(|&k| gaps[k].is_confident()).collect();
    for (k, parts) in gains(lines, gaps, &confident, alpha) {
        gaps[k].parts = parts;
        gaps[k].sure = parts.is_some();
    }
    let all: Vec<usize> = (0..gaps.len()).collect();
    for (k, parts) in gains(lines, gaps, &all, alpha) {
        if !gaps[k].sure {
            gaps[k].parts = parts;
            gaps[k].confidence *= if parts.is_some() { 0.8 } else { 0.4 };
        }
    }
}

/// What each closure of `chosen` parts when just these are made.
fn gains(
    lines: &[Line],
    gaps: &[Gap],
    chosen: &[usize],
    alpha: &Plane<u8>,
) -> Vec<(usize, Option<[Option<usize>; 2]>)> {
    if chosen.is_empty() {
        return Vec::new();
    }
    let mut all = lines.to_vec();
    all.extend(chosen.iter().map(|&k| gaps[k].bridge.clone()));
    let network = Network::of(&all);
    let after = regions(&network, alpha);
    let arrangement = &network.arrangement;
    // The first edge of each closure that has different faces on its sides.
    let mut sides: Vec<Option<(usize, usize)>> = vec![None; chosen.len()];
    for (_, owners, [a, b]) in arrangement.edges() {
        for owner in owners.iter().filter(|&&o| o as usize >= lines.len()) {
            let slot = &mut sides[*owner as usize - lines.len()];
            if slot.is_none() && a != b {
                *slot = Some((a, b));
            }
        }
    }
    let area = |f: usize| match after.of_face[f] {
        0 => None,
        id => Some(after.list[id as usize - 1].area),
    };
    chosen
        .iter()
        .zip(sides)
        .map(|(&k, sides)| {
            let parts = sides
                .map(|(a, b)| [area(a), area(b)])
                .filter(|parts| parts.iter().flatten().min().copied().unwrap_or(0) >= LEAST_GAIN);
            (k, parts)
        })
        .collect()
}
