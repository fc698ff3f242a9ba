//! Which loose ends might have been meant to meet which others, or which lines, and how confident that is.

use super::super::face::{Face, face_of};
use super::super::faces::{faces, straight_faces};
use crate::geom::spine::Spine;
use crate::geom::{Bounds, Pt, angle_between, nearest_on_segment, segments_cross};
use crate::raster::ink::IS_INK;
use crate::raster::plane::Plane;
use crate::region::network::{EndKey, LineEnd, Network, Piece};
use rayon::prelude::*;
use std::cmp::Ordering;
use std::sync::{Arc, OnceLock};

/// From this confidence on a gap that parts regions is closed without asking.
const SURE: f64 = 0.30;
/// The same where an end would be carried to a line's body: that end has no counterpart that speaks for it.
const SURE_TO_LINE: f64 = 0.36;
/// Below this it is not even proposed.
const FAINT: f64 = 0.06;
/// A leak is looked for around an end up to this turn from its direction, radians.
const ASIDE: f64 = 2.1;
/// How much farther than the longest gap things are looked at that may matter to one, px.
pub(super) const AROUND: f64 = 40.0;

/// A curve that would close a gap.
#[derive(Debug, Clone)]
pub(super) struct Way {
    pub spine: Spine,
    pub flat: Arc<[Pt]>,
    pub bounds: Bounds,
}

/// A gap that may be one.
#[derive(Debug, Clone)]
pub(super) struct Candidate {
    /// The end of the line with the lesser id.
    pub(super) end: EndKey,
    pub(super) other_end: Option<EndKey>,
    pub(super) other: usize,
    pub(super) to: Pt,
    pub(super) to_width: f64,
    /// Along the line, where its body is met.
    pub(super) along: Option<Pt>,
    /// Where the ink ends at both sides, when the ends are faces of a cut.
    pub(super) faces: Option<[Pt; 2]>,
    pub(super) length: f64,
    pub(super) confidence: f64,
    /// The curves that would close it and cross no line; found when they are asked for.
    pub(super) ways: Option<Vec<Way>>,
}

impl Candidate {
    /// A leak: the nearest opening beside an end that is in no gap.
    pub(super) fn is_leak(&self) -> bool {
        self.confidence < FAINT
    }

    pub(super) fn is_confident(&self) -> bool {
        self.confidence >= if self.other_end.is_some() { SURE } else { SURE_TO_LINE }
    }
}

/// The candidates of ends among loose ones that lie close to one another, in their order. `is_asked`: which ends are
/// looked at; a pair is found if one of its ends is.
pub(super) fn candidates_of(
    close: &[&LineEnd],
    is_asked: impl Fn(EndKey) -> bool + Sync,
    network: &Network,
    alpha: &Plane<u8>,
    limit: f64,
) -> Vec<Candidate> {
    let ends = Ends::of(close, network, alpha, limit + AROUND);
    let rank = |e: &LineEnd| (network.line(e.line).map_or(0, |l| l.id), e.at_end);
    let mut found: Vec<Candidate> = close
        .par_iter()
        .enumerate()
        .filter(|(_, e)| is_asked(e.key()))
        .flat_map_iter(|(i, end)| {
            let mut found = Vec::new();
            for j in ends.around(end.p).filter(|&j| j != i) {
                let other = close[j];
                // A pair is looked at once, from its lesser end.
                if is_asked(other.key()) && rank(other) < rank(end) {
                    continue;
                }
                let pair = if rank(end) < rank(other) { (i, j) } else { (j, i) };
                found.extend(end_to_end(pair, &ends, limit));
            }
            found.extend(end_to_line(i, &ends, limit).into_iter().flatten());
            found
        })
        .collect();
    found.sort_by(in_order(network));
    found
}

/// From the most confident on; of those as good by their lines' ids.
pub(super) fn in_order(network: &Network) -> impl Fn(&Candidate, &Candidate) -> Ordering {
    let id = |n: usize| network.line(n).map_or(0, |l| l.id);
    let rank = move |k: &EndKey| (id(k.0), k.1);
    move |a, b| {
        b.confidence
            .total_cmp(&a.confidence)
            .then_with(|| rank(&a.end).cmp(&rank(&b.end)))
            .then_with(|| id(a.other).cmp(&id(b.other)))
            .then_with(|| a.other_end.map(|e| e.1).cmp(&b.other_end.map(|e| e.1)))
    }
}

/// Loose ends in square cells, so that only neighbours are looked at, and the faces of those that were asked for.
struct Ends<'a> {
    list: &'a [&'a LineEnd],
    network: &'a Network,
    alpha: &'a Plane<u8>,
    faces: Vec<OnceLock<Option<Face>>>,
    cell: f64,
    /// Cells with the numbers of the ends in them, sorted: row, column, end.
    cells: Vec<(i32, i32, u32)>,
}

impl<'a> Ends<'a> {
    fn of(list: &'a [&'a LineEnd], network: &'a Network, alpha: &'a Plane<u8>, cell: f64) -> Ends<'a> {
        let faces = list.iter().map(|_| OnceLock::new()).collect();
        let mut ends = Ends { list, network, alpha, faces, cell, cells: Vec::new() };
        ends.cells = list.iter().enumerate().map(|(i, e)| (ends.at(e.p.y), ends.at(e.p.x), i as u32)).collect();
        ends.cells.sort_unstable();
        ends
    }

    fn face(&self, i: usize) -> Option<Face> {
        *self.faces[i].get_or_init(|| face_of(self.list[i], self.network, self.alpha))
    }

    /// Far off the sheet all places are one.
    fn at(&self, v: f64) -> i32 {
        (v / self.cell).floor().clamp(-1e9, 1e9) as i32
    }

    /// The ends within a cell's width of a place, and some more.
    fn around(&self, p: Pt) -> impl Iterator<Item = usize> + '_ {
        let (x, y) = (self.at(p.x), self.at(p.y));
        (y - 1..=y + 1).flat_map(move |row| {
            let from = self.cells.partition_point(|e| (e.0, e.1) < (row, x - 1));
            self.cells[from..].iter().take_while(move |e| (e.0, e.1) <= (row, x + 1)).map(|e| e.2 as usize)
        })
    }
}

fn end_to_end((i, j): (usize, usize), ends: &Ends, limit: f64) -> Option<Candidate> {
    let (a, b, network, alpha) = (ends.list[i], ends.list[j], ends.network, ends.alpha);
    let chord = b.p - a.p;
    let len = chord.len();
    let halves = (a.width + b.width) / 2.0;
    let length = (len - halves).max(0.0);
    if length > limit || len < 1e-6 {
        return None;
    }
    let (turn_a, turn_b) = (angle_between(a.dir, chord), angle_between(b.dir, chord * -1.0));
    // Where a thick line was cut through its faces tell more than the way its middle runs so near to its end.
    let most = turn_a.max(turn_b);
    // One of them runs at the other all the same: ends of two lines side by side do not.
    let runs_at = turn_a.min(turn_b) < 1.0;
    let may_be_cut = runs_at && most > 0.3 && most < 2.4 && length < 1.8 * a.width.min(b.width);
    let cut = if may_be_cut { faces(a, b, alpha) } else { None };
    if most > 1.9 && cut.is_none() {
        return cut_straight((i, j), ends, limit);
    }
    // Close to the ends' own width their directions say little.
    let trust = len / (len + 0.8 * halves + 2.0);
    // Two ends of one arc turn from their chord by the same angle to the same side; an S costs more than an arc. What
    // the lines' own bend accounts for costs nothing.
    let signed = |dir: Pt, chord: Pt| dir.cross(chord).atan2(dir.dot(chord));
    let beyond = |turn: f64, bend: f64| turn - (bend * len / 2.0).clamp(turn.min(0.0), turn.max(0.0));
    let turns =
        [beyond(signed(a.dir, chord), bend_at(a, network)), beyond(-signed(b.dir, chord * -1.0), -bend_at(b, network))];
    // Ends side by side that point the same way are no bend that was cut open.
    let around = (turns[0] + turns[1]).abs() - MOST_AROUND;
    let bend = (0.75 * (turns[0] - turns[1]).powi(2) + 0.22 * (turns[0] + turns[1]).powi(2)) * trust
        + 1.5 * around.max(0.0).powi(2);
    let bend = if cut.is_some() { 0.15 * bend } else { bend };
    let unlike = (a.width.max(1.0) / b.width.max(1.0)).ln();
    let same = if a.line == b.line { 0.25 } else { 0.0 };
    // The farther, the straighter it must be.
    let far = length / limit;
    let cost = 0.32 * far * far + bend * (0.5 + 0.6 * far) + 0.12 * unlike * unlike - same;
    // Ends that run straight at each other were hardly meant to taper off or to stand alone.
    let facing = (0.4 + turns[0].abs() + turns[1].abs()).min(1.0);
    let accident = end_weight(a, network, length, same > 0.0) * end_weight(b, network, length, same > 0.0);
    let confidence = (-cost.max(0.0)).exp() * accident.powf(facing);
    // Of a broad line the middle may stop well before its ink does.
    let is_hidden = confidence >= FAINT && cut.is_none() && ink_between(alpha, a.p, b.p, a.width / 2.0, b.width / 2.0);
    if (confidence < SURE || is_hidden)
        && let Some(straight) = cut_straight((i, j), ends, limit)
    {
        return Some(straight);
    }
    if confidence < FAINT || is_hidden {
        return None;
    }
    Some(between(a, b, cut, cut.map_or(length, |[a, b]| a.dist(b)), confidence))
}

/// What was cut straight through shows it, wherever its middle runs to beside the cut.
fn cut_straight((i, j): (usize, usize), ends: &Ends, limit: f64) -> Option<Candidate> {
    let (a, b) = (ends.list[i], ends.list[j]);
    let faces = facing(ends.face(i), ends.face(j))
        .or_else(|| straight_faces((a.p, a.width), (b.p, b.width), 0.4, ends.alpha, limit))?;
    let way = faces[1] - faces[0];
    let length = way.len();
    // The sides of two lines are as straight.
    let along = angle_between(a.dir, way).min(angle_between(b.dir, way * -1.0));
    if length > limit || along > ASIDE_OF_FACE {
        return None;
    }
    let far = length / limit;
    Some(between(a, b, Some(faces), length, 0.8 * (-0.32 * far * far).exp()))
}

/// How far the way between two faces may lead aside of the ends they are of, radians: of one of the two at least.
const ASIDE_OF_FACE: f64 = 1.25;

/// How far an arc may turn between two ends beyond what their lines' own bends account for, radians.
const MOST_AROUND: f64 = 2.0;

/// How far two faces may be turned away from one another, and from the way between them, radians.
const TURNED: f64 = 0.6;
const OFF: f64 = 0.75;

/// The middles of two faces that look at one another.
fn facing(a: Option<Face>, b: Option<Face>) -> Option<[Pt; 2]> {
    let (a, b) = (a?, b?);
    let way = b.at - a.at;
    let looks = angle_between(a.out, b.out * -1.0) < TURNED
        && angle_between(a.out, way) < OFF
        && angle_between(b.out, way * -1.0) < OFF;
    (looks && a.wide.max(b.wide) < 2.5 * a.wide.min(b.wide)).then_some([a.at, b.at])
}

fn between(a: &LineEnd, b: &LineEnd, faces: Option<[Pt; 2]>, length: f64, confidence: f64) -> Candidate {
    Candidate {
        end: a.key(),
        other_end: Some(b.key()),
        other: b.line,
        to: b.p,
        to_width: b.width,
        along: None,
        faces,
        length,
        confidence,
        ways: None,
    }
}

/// How much a line bends on its last stretch, radians a px, towards the left of the way out (in a picture: the right).
/// The end itself, within its own width, tells more of the pen than of the line.
fn bend_at(end: &LineEnd, network: &Network) -> f64 {
    let flat = network.flat(end.line);
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
    let flat = network.flat(end.line);
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
    let long = |most: f64| network.length(end.line) >= most;
    let dash = !closes_on_itself && network.loose_at_both(end.line) && !long((6.0 * body).min(1.5 * gap + 2.5 * body));
    (-meant).exp() * if dash { 0.45 } else { 1.0 }
}

/// A nub on another line's edge (dust, a blot) aims at nothing; only another end that faces it makes it a gap's.
fn nub_weight(end: &LineEnd, network: &Network) -> f64 {
    if !network.loose_at_both(end.line) && network.length(end.line) < 2.0 * end.width + 6.0 { 0.25 } else { 1.0 }
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

/// The line an end runs at, and the line nearest to it by which paint may leak.
fn end_to_line(i: usize, ends: &Ends, limit: f64) -> [Option<Candidate>; 2] {
    let (end, network, alpha) = (ends.list[i], ends.network, ends.alpha);
    let own = end.width / 2.0;
    let mut best: Option<Candidate> = None;
    let mut leak: Option<Candidate> = None;
    // Nothing that is farther off is met, however broad.
    let reach = limit + own + network.widest() / 2.0;
    for piece in network.near(end.p, reach) {
        let t = nearest_on_segment(end.p, piece.a, piece.b);
        // The place the line runs at, and the nearest place: whichever is better.
        let ahead = segments_cross(end.p, end.p + end.dir * (limit + own + AROUND), piece.a, piece.b).map(|c| c.1);
        for t in [Some(t), ahead].into_iter().flatten() {
            let q = piece.a.lerp(piece.b, t);
            let half = (piece.width[0] + (piece.width[1] - piece.width[0]) * t) / 2.0;
            let chord = q - end.p;
            let len = chord.len();
            let length = (len - half - own).max(0.0);
            if length > limit || len < 1e-6 {
                continue;
            }
            let turn = angle_between(end.dir, chord);
            if turn > ASIDE {
                continue;
            }
            // Its own body just behind it is no target.
            if piece.line as usize == end.line && len < 3.0 * end.width + 10.0 {
                continue;
            }
            let along = (piece.b - piece.a).unit();
            let met = |confidence: f64| Candidate {
                end: end.key(),
                other_end: None,
                other: piece.line as usize,
                to: q,
                to_width: 2.0 * half,
                along: Some(along),
                faces: None,
                length,
                confidence,
                ways: None,
            };
            // The lesser line wins between two that are as good, whichever was looked at first.
            let id = |line: usize| network.line(line).map_or(0, |l| l.id);
            let is_better = |confidence: f64, than: &Option<Candidate>| {
                than.as_ref().is_none_or(|b| {
                    let order = confidence.total_cmp(&b.confidence);
                    let order = order.then_with(|| id(b.other).cmp(&id(piece.line as usize)));
                    // Either piece that meets there would do, but it must always be the same one.
                    order.then_with(|| b.along.map_or(0.0, |d| d.x).total_cmp(&along.x)).is_gt()
                })
            };
            let closeness = 0.9 * FAINT * (1.0 - 0.9 * length / limit);
            if is_better(closeness, &leak) {
                leak = Some(met(closeness));
            }
            if turn > 1.2 {
                continue;
            }
            let trust = len / (len + 0.8 * (own + half) + 2.0);
            let far = length / limit;
            let cost = 1.85 * far * far + turn * turn * trust * (1.2 + 1.95 * far) + 0.12;
            // What the end itself is worth is asked last: it takes a walk along the line.
            let most = (-cost).exp();
            if most < FAINT || best.as_ref().is_some_and(|b| most < b.confidence) {
                continue;
            }
            let confidence = most * end_weight(end, network, length, false) * nub_weight(end, network);
            if confidence < FAINT || !is_better(confidence, &best) {
                continue;
            }
            // A loose end of that line just there is a matter of two ends.
            let at_end = ends
                .around(q)
                .map(|j| ends.list[j])
                .any(|o| o.line == piece.line as usize && o.p.dist(q) < 0.6 * o.width + 2.0);
            if !at_end {
                best = Some(met(confidence));
            }
        }
    }
    // What was cut straight through goes on there, at the corner of two lines for one. A face beside a loose end is a
    // matter of two ends.
    let is_of_an_end = |face: Pt| {
        let mut others = ends.around(face).map(|j| ends.list[j]).filter(|o| o.key() != end.key());
        others.any(|o| o.p.dist(face) < 1.5 * o.width + 2.0)
    };
    if let Some(best) = best.as_mut().filter(|b| b.confidence < SURE_TO_LINE)
        && angle_between(end.dir, best.to - end.p) < 0.3
        && let Some([from, to]) = straight_faces((end.p, end.width), (best.to, end.width), 0.7, alpha, limit)
        && !is_of_an_end(to)
    {
        let length = from.dist(to);
        let far = length / limit;
        let confidence = 0.7 * (-0.32 * far * far).exp();
        *best = Candidate { faces: Some([from, to]), length, confidence, ..best.clone() };
    }
    // What a blunt end looks at may have been cut off it, though nothing there tells.
    if best.is_none()
        && let Some(face) = ends.face(i)
    {
        best = looked_at(end, &face, network, alpha, limit);
    }
    [best, leak]
}

/// What is seen from the face of a blunt end.
fn looked_at(end: &LineEnd, face: &Face, network: &Network, alpha: &Plane<u8>, limit: f64) -> Option<Candidate> {
    let ahead = |side: f64| {
        let from = face.at + face.out.turned() * (side * face.wide);
        let steps = (2.0 * limit) as usize;
        let mut way = (3..=steps).map(|k| from + face.out * (k as f64 / 2.0));
        way.find(|p| alpha.sample(p.x, p.y) >= f64::from(IS_INK))
    };
    // Right ahead, or else past one of its corners.
    let seen = [0.0, -0.35, 0.35].into_iter().find_map(ahead)?;
    let id = |line: u32| network.line(line as usize).map_or(0, |l| l.id);
    let met = network.near(seen, network.widest() / 2.0 + 1.5).filter_map(|piece| {
        let t = nearest_on_segment(seen, piece.a, piece.b);
        let q = piece.a.lerp(piece.b, t);
        let half = (piece.width[0] + (piece.width[1] - piece.width[0]) * t) / 2.0;
        let off = (q.dist(seen) - half).abs();
        let own = piece.line as usize == end.line && q.dist(end.p) < end.width;
        (off < 0.35 * half + 2.0 && !own).then_some((off, *piece, q, half))
    });
    let order = |a: &(f64, Piece, Pt, f64), b: &(f64, Piece, Pt, f64)| {
        let along = |p: &Piece| (p.b - p.a).unit().x;
        a.0.total_cmp(&b.0)
            .then_with(|| id(a.1.line).cmp(&id(b.1.line)))
            .then_with(|| along(&a.1).total_cmp(&along(&b.1)))
    };
    let (_, piece, to, half) = met.min_by(order)?;
    let length = face.at.dist(seen);
    let far = length / limit;
    Some(Candidate {
        end: end.key(),
        other_end: None,
        other: piece.line as usize,
        to,
        to_width: 2.0 * half,
        along: Some((piece.b - piece.a).unit()),
        faces: Some([face.at, seen]),
        length,
        confidence: 0.25 * (-0.5 * far * far).exp(),
        ways: None,
    })
}
