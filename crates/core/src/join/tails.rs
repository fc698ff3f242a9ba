//! Tails: what runs past the last crossing by less than would be meant.

use super::ink_beside;
use crate::geom::{Pt, angle_between};
use crate::line::{End, Form, Line, Made, Spine, thin_profile};
use crate::recipe::{JoinRecipe, px_per_mm};
use crate::region::arrangement::to_grid;
use crate::region::network::{Edited, EndKey, LineEnd, Network, Places, end_place};
use crate::render::Erasure;
use rustc_hash::FxHashSet;
use std::collections::BTreeMap;

/// A tail, with all that cutting it needs.
#[derive(Debug, Clone, PartialEq)]
pub struct Tail {
    /// The line's number in the drawing, and which of its ends runs past.
    pub line: usize,
    pub at_end: bool,
    /// Where it passes the middle of the line it crosses.
    pub at: Pt,
    /// The loose tip.
    pub tip: Pt,
    /// What is seen of it beyond the other line's ink, px.
    pub length: f64,
    pub confidence: f64,
    pub sure: bool,
    /// Its path from the crossing to the tip, with widths.
    pub path: Vec<[f64; 3]>,
    /// The lines it crosses there.
    pub cutter: usize,
}

/// From this confidence on a tail is cut without asking.
const SURE: f64 = 0.6;

/// The tails of a drawing, kept up through edits.
#[derive(Debug, Clone)]
pub struct Tails {
    limit: f64,
    tails: BTreeMap<EndKey, Tail>,
}

impl Tails {
    /// Finds the tails of a drawing.
    pub fn of(network: &Network, recipe: &JoinRecipe, dpi: f64) -> Tails {
        let limit = recipe.longest_tail * px_per_mm(dpi);
        let tails = tails_up_to(network, limit).into_iter().map(|t| ((t.line, t.at_end), t)).collect();
        Tails { limit, tails }
    }

    /// The same after an edit of the network. Gives the places of the ends it looked at, and of those that are loose no
    /// more.
    pub fn update(&mut self, network: &Network, edited: &Edited) -> FxHashSet<usize> {
        let near = Places::of(&edited.places);
        // As far in as tails are looked for, and across what they may cross there.
        let reach = self.limit + BEYOND + 2.0 * edited.widest + 10.0;
        let limit = self.limit;
        let is_gone = |k: &EndKey, _: &mut Tail| network.end(*k).is_none_or(|e| !e.loose);
        let mut ends: FxHashSet<usize> = self.tails.extract_if(.., is_gone).map(|(k, _)| end_place(k)).collect();
        for end in network.ends().filter(|e| e.loose && near.near(e.p, reach)) {
            match tail_at(end, network, limit) {
                Some(tail) => self.tails.insert(end.key(), tail),
                None => self.tails.remove(&end.key()),
            };
            ends.insert(end_place(end.key()));
        }
        ends
    }

    /// The tail at an end.
    pub(crate) fn at(&self, end: EndKey) -> Option<&Tail> {
        self.tails.get(&end)
    }

    pub fn iter(&self) -> impl Iterator<Item = &Tail> {
        self.tails.values()
    }
}

/// How much longer than it is seen a tail may be, px.
const BEYOND: f64 = 60.0;

/// The stretches past a last crossing that are seen up to `limit` px long.
pub fn tails_up_to(network: &Network, limit: f64) -> Vec<Tail> {
    network.ends().filter(|e| e.loose).filter_map(|end| tail_at(end, network, limit)).collect()
}

/// The tail at a loose end, if it is one.
fn tail_at(end: &LineEnd, network: &Network, limit: f64) -> Option<Tail> {
    let flat = network.flat(end.line);
    let count = flat.len();
    let at = |k: usize| {
        if end.at_end { flat[count - 1 - k] } else { flat[k] }
    };
    // Walk in from the tip to the first vertex where another line is met.
    let mut walked = 0.0;
    let mut path = vec![at(0)];
    let mut crossing = None;
    for k in 1..count {
        // Crossings lie on this piece of the flattened line, at vertices of the arrangement.
        let (from, to) = (at(k - 1).p, at(k).p);
        if let Some((p, cutter)) = first_crossing(network, end.line, from, to) {
            walked += from.dist(p);
            let t = from.dist(p) / from.dist(to).max(1e-9);
            let width = at(k - 1).width + (at(k).width - at(k - 1).width) * t;
            path.push(crate::line::FlatPoint { p, width });
            crossing = Some((p, cutter, k));
            break;
        }
        walked += from.dist(to);
        path.push(at(k));
        if walked > limit + BEYOND {
            break;
        }
    }
    let (place, cutter, k) = crossing?;
    let (direction, half) = cutter_at(network, cutter, place)?;
    let tail_dir = (end.p - place).unit();
    let across = angle_between(tail_dir, direction).sin().abs().max(0.3);
    let tip = end.p + end.dir * (end.width / 2.0);
    let length = walked + end.width / 2.0 - half / across;
    if length < 0.6 || length > limit {
        return None;
    }
    // What goes on beyond the crossing: a line drawn through is meant to stop there, a branch of its own less so.
    let beyond: f64 = (k..count).map(|i| at(i - 1).p.dist(at(i).p)).sum::<f64>();
    let through = beyond > 2.0 * walked;
    let short = length / (2.2 * end.width + 0.25 * limit);
    // A stub is no line to be drawn past.
    let cutter_length = network.length(cutter);
    let solid = !network.rings(cutter).is_empty();
    let real = solid || cutter_length > 2.5 * (length + end.width) + 10.0;
    let confidence = (-(short * short) * 0.45).exp() * if through { 1.0 } else { 0.45 } * if real { 1.0 } else { 0.5 };
    let path = path.iter().rev().map(|f| [f.p.x, f.p.y, f.width]).collect();
    Some(Tail {
        line: end.line,
        at_end: end.at_end,
        at: place,
        tip,
        length,
        confidence,
        sure: confidence >= SURE && network.line(end.line).is_some_and(|l| l.made != Made::Bridge),
        path,
        cutter,
    })
}

/// The first place from `from` to `to` (a piece of `line`) where another line is met, with that line's number.
pub(super) fn first_crossing(network: &Network, line: usize, from: Pt, to: Pt) -> Option<(Pt, usize)> {
    let mut best: Option<(f64, u64, Pt, usize)> = None;
    // Of two met at once the lesser, whichever was looked at first.
    let mut consider = |p: Pt, other: usize| {
        let (s, id) = (from.dist(p), network.line(other).map_or(0, |l| l.id));
        if best.is_none_or(|b| (s, id) < (b.0, b.1)) {
            best = Some((s, id, p, other));
        }
    };
    let reach = from.dist(to) / 2.0 + 0.01;
    for piece in network.near(from.lerp(to, 0.5), reach) {
        if piece.line as usize == line {
            continue;
        }
        if let Some((t, _)) = crate::geom::segments_cross(from, to, piece.a, piece.b) {
            consider(from.lerp(to, t).snapped(), piece.line as usize);
        }
    }
    // Ends of others tied to this line by their ink meet it at a vertex only.
    if best.is_none() {
        let meet = network.arrangement.owners_at(to_grid(to));
        if meet.len() > 2 {
            let others = meet.into_iter().flatten().filter(|&&o| o as usize != line);
            let other = others.min_by_key(|&&o| network.line(o as usize).map_or(0, |l| l.id))?;
            return Some((to, *other as usize));
        }
    }
    best.map(|(_, _, p, other)| (p, other))
}

/// The direction and half width of a line at a place on it.
pub(super) fn cutter_at(network: &Network, line: usize, at: Pt) -> Option<(Pt, f64)> {
    let piece = network
        .near(at, 0.5)
        .filter(|p| p.line as usize == line)
        .max_by(|a, b| a.a.dist(a.b).total_cmp(&b.a.dist(b.b)).then(b.at.cmp(&a.at)))?;
    let t = crate::geom::nearest_on_segment(at, piece.a, piece.b);
    Some(((piece.b - piece.a).unit(), (piece.width[0] + (piece.width[1] - piece.width[0]) * t) / 2.0))
}

/// The line without its tail, and what that takes off the lifted ink. `None` if nothing would be left of the line.
pub fn cut(line: &Line, tail: &Tail, network: &Network) -> Option<(Option<Line>, Erasure)> {
    let Form::Centreline { spine, ends, .. } = &line.form else {
        return None;
    };
    let flat = network.flat(tail.line);
    let (direction, half) = cutter_at(network, tail.cutter, tail.at)?;
    // The stretch of the cutter around the crossing, as far as the tail's ink may reach.
    let widest = tail.path.iter().map(|p| p[2]).fold(0.0, f64::max);
    let reach = tail.length + 2.0 * widest + 2.0 * half + 10.0;
    let mut cutter: Vec<[f64; 3]> = Vec::new();
    let other = network.flat(tail.cutter);
    // Right at the crossing its own edges could not be seen: there it runs straight on.
    let hidden = |i: usize| i > 0 && i + 1 < other.len() && other[i].p.dist(tail.at) < 1.2 * half + 0.8 * widest;
    for (k, f) in other.iter().enumerate().filter(|(k, _)| !hidden(*k)) {
        let near = |i: usize| other[i].p.dist(tail.at) < reach;
        if near(k) || (k > 0 && near(k - 1)) || (k + 1 < other.len() && near(k + 1)) {
            cutter.push([f.p.x, f.p.y, f.width]);
        }
    }
    if cutter.len() < 2 {
        let d = direction * reach;
        cutter = vec![[tail.at.x - d.x, tail.at.y - d.y, 2.0 * half], [tail.at.x + d.x, tail.at.y + d.y, 2.0 * half]];
    }
    let normal = direction.turned();
    let side = if normal.dot(tail.tip - tail.at) >= 0.0 { normal } else { normal * -1.0 };
    let beside = ink_beside(network, &tail.path, &[tail.line, tail.cutter]);
    let erasure = Erasure::Tail { tail: tail.path.clone(), cutter, side, beside };
    // What is left of the line: its curves up to the crossing.
    let kept = flat.len().saturating_sub(tail.path.len().saturating_sub(1)).max(1);
    let mut points: Vec<(Pt, f64)> = if tail.at_end {
        flat[..kept.min(flat.len() - 1)].iter().map(|f| (f.p, f.width)).collect()
    } else {
        flat[(flat.len() - kept).max(1)..].iter().rev().map(|f| (f.p, f.width)).collect()
    };
    points.retain(|p| p.0.dist(tail.at) > 1e-3);
    if points.is_empty() {
        return Some((None, erasure));
    }
    let width_here = points[points.len() - 1].1;
    points.push((tail.at, width_here));
    let mut cut_ends = *ends;
    if !tail.at_end {
        points.reverse();
        cut_ends[0] = End::AlongCutter(direction);
    } else {
        cut_ends[1] = End::AlongCutter(direction);
    }
    let total: f64 = points.windows(2).map(|w| w[0].0.dist(w[1].0)).sum::<f64>().max(1e-9);
    let mut s = 0.0;
    let profile: Vec<[f64; 2]> = points
        .iter()
        .enumerate()
        .map(|(k, p)| {
            if k > 0 {
                s += p.0.dist(points[k - 1].0);
            }
            [s / total, p.1]
        })
        .collect();
    let spine = shortened(spine, &points.iter().map(|p| p.0).collect::<Vec<_>>(), tail.at_end);
    let form = Form::Centreline { spine, width: thin_profile(&profile, 0.05), ends: cut_ends };
    Some((
        Some(Line { form, made: if line.made == Made::Traced { Made::Edited } else { line.made }, ..line.clone() }),
        erasure,
    ))
}

/// The spine with one end moved back to the last of `points` (the first, when cut at its start): the curves that are
/// left whole stay as they are, the one that was cut through is divided.
pub(super) fn shortened(spine: &Spine, points: &[Pt], at_end: bool) -> Spine {
    let cubics: Vec<&[Pt]> = spine.cubics().collect();
    let place = if at_end { points[points.len() - 1] } else { points[0] };
    // The curve that holds the place, and where.
    let mut best = (f64::INFINITY, 0, 0.0);
    for (k, c) in cubics.iter().enumerate() {
        let curve = kurbo::CubicBez::new((c[0].x, c[0].y), (c[1].x, c[1].y), (c[2].x, c[2].y), (c[3].x, c[3].y));
        let near = kurbo::ParamCurveNearest::nearest(&curve, kurbo::Point::new(place.x, place.y), 1e-6);
        // Of two places as near, the one farther from the end that goes is not the tail's.
        if near.distance_sq < best.0 - 1e-6 || (near.distance_sq < best.0 + 1e-6 && at_end) {
            best = (near.distance_sq, k, near.t);
        }
    }
    let (_, k, t) = best;
    let c = cubics[k];
    let (ab, bc, cd) = (c[0].lerp(c[1], t), c[1].lerp(c[2], t), c[2].lerp(c[3], t));
    let (abc, bcd) = (ab.lerp(bc, t), bc.lerp(cd, t));
    let points = if at_end {
        let mut p = spine.points[..3 * k + 1].to_vec();
        p.extend([ab, abc, place]);
        p
    } else {
        let mut p = vec![place, bcd, cd];
        p.extend(&spine.points[3 * k + 3..]);
        p
    };
    Spine { points: points.into_iter().map(Pt::snapped).collect(), closed: false }
}
