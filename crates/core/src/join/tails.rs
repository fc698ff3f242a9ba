//! Tails: what runs past the last crossing by less than would be meant.

use super::beside::ink_beside;
use crate::geom::flat::FlatPoint;
use crate::geom::profile::thin_profile;
use crate::geom::spine::Spine;
use crate::geom::{Bounds, Pt, angle_between, pt};
use crate::model::erasure::Erasure;
use crate::model::line::{End, Form, Line, Made};
use crate::model::recipe::{JoinRecipe, px_per_mm};
use crate::raster::ink::IS_INK;
use crate::raster::plane::Plane;
use crate::region::arrangement::to_grid;
use crate::region::network::{Edited, EndKey, LineEnd, Network, Places, end_place};
use rustc_hash::FxHashSet;
use std::collections::BTreeMap;
use std::f64::consts::PI;

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
    /// It may well be meant: nobody is asked.
    pub quiet: bool,
    /// Its path from the crossing to the tip, with widths.
    pub path: Vec<[f64; 3]>,
    /// The lines it crosses there.
    pub cutter: usize,
}

/// From this confidence on a tail is cut without asking.
const SURE: f64 = 0.6;

/// The least that is seen of a tail that is cut without asking, in its widths.
const LEAST_SURE: f64 = 1.1;
/// The width that counts of a tail drawn out to a point, in that of its line.
const DRAWN_OUT: f64 = 0.85;
/// The least that is seen of a tail that is asked for, in its widths.
const NUB: f64 = 0.6;
/// How much longer a line is inside a crossing than past it, if it is a tail that is past.
const THROUGH: f64 = 1.8;
/// How far an end must lie past the middle of a line that its ink touches to be past it, px.
const LEAST_PAST: f64 = 1.0;

/// How long tails may be, px.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Limit {
    Told(f64),
    /// By the width of the line that runs past: artists overshoot by some widths of their pen.
    OfItsLine {
        least: f64,
        most: f64,
    },
}

/// The longest tail if nothing else is told: in widths of its line, but between these lengths, mm.
const WIDTHS: f64 = 3.5;
const LEAST_LIMIT: f64 = 2.8;
const MOST_LIMIT: f64 = 6.0;

impl Limit {
    fn of(recipe: &JoinRecipe, dpi: f64) -> Limit {
        let mm = px_per_mm(dpi);
        match recipe.longest_tail {
            Some(told) => Limit::Told(told * mm),
            None => Limit::OfItsLine { least: LEAST_LIMIT * mm, most: MOST_LIMIT * mm },
        }
    }

    /// For a line of such width.
    fn at(self, width: f64) -> f64 {
        match self {
            Limit::Told(limit) => limit,
            Limit::OfItsLine { least, most } => (WIDTHS * width).clamp(least, most),
        }
    }
}

/// The tails of a drawing, kept up through edits.
#[derive(Debug, Clone)]
pub struct Tails {
    limit: Limit,
    tails: BTreeMap<EndKey, Tail>,
}

impl Tails {
    /// Finds the tails of a drawing. `alpha` is the ink as it is seen.
    pub fn of(network: &Network, alpha: &Plane<u8>, recipe: &JoinRecipe, dpi: f64) -> Tails {
        let limit = Limit::of(recipe, dpi);
        let tails = all(network, Some(alpha), limit).map(|t| ((t.line, t.at_end), t)).collect();
        Tails { limit, tails }
    }

    /// The same after an edit of the network, and of the ink in `inked`. Gives the places of the ends it looked at, and of
    /// those that are loose no more.
    pub fn update(
        &mut self,
        network: &Network,
        edited: &Edited,
        alpha: &Plane<u8>,
        inked: &[Bounds],
    ) -> FxHashSet<usize> {
        let mut places = edited.places.clone();
        places.extend(inked);
        let near = Places::of(&places);
        // As far in as tails are looked for, and across what they may cross there.
        let reach = self.limit.at(edited.widest) + BEYOND + 4.0 * edited.widest + 10.0;
        let limit = self.limit;
        let is_gone = |k: &EndKey, _: &mut Tail| network.end(*k).is_none();
        let mut ends: FxHashSet<usize> = self.tails.extract_if(.., is_gone).map(|(k, _)| end_place(k)).collect();
        for end in network.ends().filter(|e| near.near(e.p, reach)) {
            match tail_at(end, network, Some(alpha), limit) {
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
    all(network, None, Limit::Told(limit)).collect()
}

fn all(network: &Network, alpha: Option<&Plane<u8>>, limit: Limit) -> impl Iterator<Item = Tail> {
    network.ends().filter_map(move |end| tail_at(end, network, alpha, limit))
}

/// How far behind the first line that an end passes others are looked at, in widths of its line and the first one.
const PASSES: f64 = 1.5;

/// The tail at an end, if it is one: past the first line that it crosses, else past the first it meets.
fn tail_at(end: &LineEnd, network: &Network, alpha: Option<&Plane<u8>>, limit: Limit) -> Option<Tail> {
    let first = met_from(end, network, limit, &[])?;
    let (tail, crosses) = judged(end, (network, alpha), limit, &first)?;
    if crosses {
        return Some(tail);
    }
    // Where several meet the first may be another tail.
    let reach = first.walked + PASSES * (end.width + 2.0 * cutter_at(network, first.cutter, first.place)?.1);
    let mut passed = vec![first.cutter];
    while let Some(next) = met_from(end, network, limit, &passed).filter(|m| m.walked < reach) {
        if let Some((t, true)) = judged(end, (network, alpha), limit, &next) {
            return Some(t);
        }
        passed.push(next.cutter);
    }
    Some(tail)
}

/// Where a line is met on the way in from an end.
struct Met {
    place: Pt,
    cutter: usize,
    /// From the end to the place, px.
    walked: f64,
    /// From the end to the place.
    path: Vec<FlatPoint>,
    /// What is left of the line, px.
    rest: f64,
}

/// The first line that is met on the way in from an end, other than those `passed`.
fn met_from(end: &LineEnd, network: &Network, limit: Limit, passed: &[usize]) -> Option<Met> {
    let flat = network.flat(end.line);
    let count = flat.len();
    let at = |k: usize| {
        if end.at_end { flat[count - 1 - k] } else { flat[k] }
    };
    let most = limit.at(network.mean_width(end.line));
    let mut walked = 0.0;
    let mut path = vec![at(0)];
    for k in 1..count {
        // Crossings lie on this piece of the flattened line, at vertices of the arrangement.
        let (from, to) = (at(k - 1).p, at(k).p);
        if let Some((place, cutter)) = first_crossing(network, (end.line, passed), from, to) {
            walked += from.dist(place);
            let t = from.dist(place) / from.dist(to).max(1e-9);
            let width = at(k - 1).width + (at(k).width - at(k - 1).width) * t;
            path.push(FlatPoint { p: place, width });
            let rest = (k..count).map(|i| at(i - 1).p.dist(at(i).p)).sum::<f64>();
            return Some(Met { place, cutter, walked, path, rest });
        }
        walked += from.dist(to);
        path.push(at(k));
        if walked > most + BEYOND {
            break;
        }
    }
    None
}

/// What lies past a line that is met, if it can be a tail, and whether the two cross there.
fn judged(
    end: &LineEnd,
    (network, alpha): (&Network, Option<&Plane<u8>>),
    limit: Limit,
    met: &Met,
) -> Option<(Tail, bool)> {
    let &Met { place, cutter, walked, ref path, rest } = met;
    let most = limit.at(network.mean_width(end.line));
    // The end of a line upon another lies on its middle; one that runs past lies beyond. In a solid lines end a little
    // way in.
    let is_solid = !network.rings(cutter).is_empty();
    if !end.loose && (walked < LEAST_PAST || is_solid) {
        return None;
    }
    let (direction, half) = cutter_at(network, cutter, place)?;
    // Where lines meet at a small angle the width that is seen of one is a remnant.
    let half = half.max(0.45 * network.mean_width(cutter));
    let tail_dir = (end.p - place).unit();
    let across = angle_between(tail_dir, direction).sin().abs().max(0.3);
    let tip = end.p + end.dir * (end.width / 2.0);
    let length = walked + end.width / 2.0 - half / across;
    if length < 0.6 || length > most {
        return None;
    }
    // What goes on beyond the crossing, of the line itself or of one that it was parted from there.
    let crossed = crossed_at(network, (place, half, cutter), tail_dir, end, across.max(0.35)).filter(|&line| {
        // What swells, tapers or is another pen's is no line that was drawn on.
        let inner = network.mean_width(line);
        let mut off = 0.0;
        let seen = path.windows(2).filter(|w| {
            off += w[0].p.dist(w[1].p);
            off > end.width / 4.0 && off < walked - half / across
        });
        let [least, most] = seen.fold([f64::INFINITY, 0.0], |[a, b], w| [a.min(w[1].width), b.max(w[1].width)]);
        let is_even = most == 0.0 || ALIKE.0 * inner <= least && most < ALIKE.1 * inner && most < EVEN * least;
        !is_solid && is_even && alpha.is_none_or(|alpha| stands_out(path, end.dir, alpha))
    });
    let inner = crossed.map_or(rest, |line| if line == end.line { rest } else { network.length(line) });
    let short = length / most;
    let through = inner > THROUGH * walked;
    let confidence =
        (-0.35 * short * short).exp() * if crossed.is_some() { 0.95 } else { 0.4 } * if through { 1.0 } else { 0.55 };
    // What is drawn out to a point is narrower at its end than the line is.
    let wide = crossed.map_or(0.0, |line| DRAWN_OUT * network.mean_width(line));
    let is_long = length > LEAST_SURE * end.width.max(wide);
    let sure = confidence >= SURE && is_long && network.line(end.line).is_some_and(|l| l.made != Made::Bridge);
    let tail = Tail {
        line: end.line,
        at_end: end.at_end,
        at: place,
        tip,
        length,
        confidence,
        sure,
        // Where no line is crossed it is a corner, a tip or the end of a bar; a nub may be a blot.
        quiet: !sure && (crossed.is_none() || length < NUB * end.width),
        path: path.iter().rev().map(|f| [f.p.x, f.p.y, f.width]).collect(),
        cutter,
    };
    Some((tail, crossed.is_some()))
}

/// How far beyond its own edge there must be paper beside what stands out, px.
const BARE: f64 = 2.0;

/// Whether a stretch (from its tip on, led there by `out`) has paper on both of its sides somewhere.
fn stands_out(path: &[FlatPoint], out: Pt, alpha: &Plane<u8>) -> bool {
    let is_bare = |at: &FlatPoint, dir: Pt| {
        let aside = dir.turned() * (at.width / 2.0 + BARE);
        [at.p + aside, at.p - aside].iter().all(|q| alpha.sample(q.x, q.y) < f64::from(IS_INK))
    };
    let ways = path.windows(2).map(|w| (&w[1], (w[0].p - w[1].p).unit()));
    path.first().map(|tip| (tip, out)).into_iter().chain(ways).any(|(at, dir)| is_bare(at, dir))
}

/// Whether two lines cross where a tail begins: the line it is of, told, comes from the other side, and the other goes on
/// at both its sides. A corner, however sharp, a tip or a bulge at a bend has but two arms beside it. Lines that cross at a
/// small angle run in one another for a stretch: they are looked at from its middle and from beyond it.
fn crossed_at(
    network: &Network,
    (place, half, cutter): (Pt, f64, usize),
    tail: Pt,
    end: &LineEnd,
    sin: f64,
) -> Option<usize> {
    let own = end.width / 2.0;
    // What leads by or ends beside it is none of the crossing's arms.
    let meets = |line: usize| {
        let ends = [false, true].into_iter().filter_map(|e| network.end((line, e)));
        line == end.line || line == cutter || ends.into_iter().any(|e| !e.loose && e.p.dist(place) < 2.2 * (own + half))
    };
    let arms = |middle: Pt, radius: f64| arms(network, middle, radius).into_iter().filter(|a| meets(a.0));
    // As far off as the arms stand clear of one another.
    let of_cutter = (own / sin + 1.0 - 0.3 * half).max(1.5);
    let of_line = (half / sin + 1.0 + 0.3 * own).max(1.5);
    let turn = |d: Pt| tail.cross(d).atan2(tail.dot(d));
    [0.0, 0.5, 1.0, 1.6].into_iter().find_map(|share| {
        let on = share * (own + half);
        let middle = place - tail * on;
        let inner = arms(middle, of_line + on)
            .map(|(line, d)| (PI - turn(d).abs(), line))
            .filter(|a| a.0 < OPPOSITE)
            .min_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)))?
            .1;
        // The line itself, bent, is not beside itself.
        let others = arms(middle, of_cutter + on).filter(|a| a.0 != end.line && (a.0 != inner || a.0 == cutter));
        let mut sides: Vec<f64> = others.map(|(_, d)| turn(d)).collect();
        if share == 0.0 {
            // What the other line shows of itself beyond this one may end before the circle.
            let ends = [false, true].into_iter().filter_map(|e| network.end((cutter, e)));
            let past = ends.map(|e| e.p - place).filter(|d| (LEAST_PAST..of_cutter).contains(&d.len()));
            sides.extend(past.map(turn));
        }
        let crosses = sides.iter().filter(|a| (BESIDE..PI - BESIDE).contains(*a)).any(|l| {
            let right = sides.iter().filter(|a| (BESIDE..PI - BESIDE).contains(&-**a));
            right.into_iter().any(|r| ((l - r) - PI).abs() < STRAIGHT_ON)
        });
        crosses.then_some(inner)
    })
}

/// How wide a tail is, in widths of its line.
const ALIKE: (f64, f64) = (0.7, 1.4);
/// How much wider it is at its widest than at its narrowest.
const EVEN: f64 = 1.7;
/// How far a line may turn at a crossing, how far one that it crosses, and what lies beside it, radians.
const OPPOSITE: f64 = 0.6;
const STRAIGHT_ON: f64 = 0.75;
const BESIDE: f64 = 0.22;

/// Where lines leave a circle around a place: their numbers and the ways there from its middle.
fn arms(network: &Network, middle: Pt, radius: f64) -> Vec<(usize, Pt)> {
    let mut found: Vec<(usize, Pt)> = Vec::new();
    for piece in network.near(middle, radius) {
        let (a, b) = (piece.a - middle, piece.b - middle);
        let d = b - a;
        // |a + t d| = radius
        let (qa, qb, qc) = (d.dot(d), 2.0 * a.dot(d), a.dot(a) - radius * radius);
        let root = qb * qb - 4.0 * qa * qc;
        if qa < 1e-12 || root < 0.0 {
            continue;
        }
        for sign in [-1.0, 1.0] {
            let t = (-qb + sign * root.sqrt()) / (2.0 * qa);
            if (0.0..1.0).contains(&t) {
                found.push((piece.line as usize, (a + d * t).unit()));
            }
        }
    }
    found
}

/// The first place from `from` to `to` (a piece of `line`) where another line is met that was not `passed`, with that
/// line's number.
pub(super) fn first_crossing(
    network: &Network,
    (line, passed): (usize, &[usize]),
    from: Pt,
    to: Pt,
) -> Option<(Pt, usize)> {
    let is_asked = |other: usize| other != line && !passed.contains(&other);
    let mut best: Option<(f64, u64, Pt, usize)> = None;
    // The lesser line wins between two met at once, whichever was looked at first.
    let mut consider = |p: Pt, other: usize| {
        let (s, id) = (from.dist(p), network.line(other).map_or(0, |l| l.id));
        if best.is_none_or(|b| (s, id) < (b.0, b.1)) {
            best = Some((s, id, p, other));
        }
    };
    let reach = from.dist(to) / 2.0 + 0.01;
    for piece in network.near(from.lerp(to, 0.5), reach) {
        if !is_asked(piece.line as usize) {
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
            let others = meet.into_iter().flatten().filter(|&&o| is_asked(o as usize));
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
    let other = through_crossing(network.flat(tail.cutter), tail.at, 1.2 * half + 0.8 * widest);
    let near = |i: usize| other[i].p.dist(tail.at) < reach;
    let is_near = |k: usize| near(k) || (k > 0 && near(k - 1)) || (k + 1 < other.len() && near(k + 1));
    let stretch = other.iter().enumerate().filter(|(k, _)| is_near(*k));
    let mut cutter: Vec<[f64; 3]> = stretch.map(|(_, f)| [f.p.x, f.p.y, f.width]).collect();
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

/// A line that turns by less than this at a crossing, radians, runs straight through it.
const BENT: f64 = 0.05;

/// A line's path where right at a crossing its own edges could not be seen: from what is seen of it `reach` px before the
/// place to what is seen behind by the curve that goes on as both sides do.
fn through_crossing(flat: &[FlatPoint], at: Pt, reach: f64) -> Vec<FlatPoint> {
    let near = |f: &FlatPoint| f.p.dist(at) < reach;
    let Some(middle) = (0..flat.len()).min_by(|&a, &b| flat[a].p.dist(at).total_cmp(&flat[b].p.dist(at))) else {
        return Vec::new();
    };
    let before = (0..middle).rev().find(|&k| !near(&flat[k]));
    let after = (middle + 1..flat.len()).find(|&k| !near(&flat[k]));
    let (Some(a), Some(b)) = (before, after) else { return flat.to_vec() };
    // Which way it runs at a place, seen over half the reach on the side away from the crossing.
    let way = |from: usize, back: bool| {
        let mut k = from;
        while flat[k].p.dist(flat[from].p) < reach / 2.0 {
            match (back, k) {
                (true, 1..) => k -= 1,
                (false, _) if k + 1 < flat.len() => k += 1,
                _ => break,
            }
        }
        if back { (flat[from].p - flat[k].p).unit() } else { (flat[k].p - flat[from].p).unit() }
    };
    let (p, q) = (flat[a], flat[b]);
    let third = p.p.dist(q.p) / 3.0;
    let (mut u, mut v) = (way(a, true), way(b, false));
    // What is seen over a stretch tells of its middle: a bend goes on from there to the crossing.
    let turn = u.cross(v).atan2(u.dot(v));
    if turn.abs() < BENT {
        (u, v) = ((q.p - p.p).unit(), (q.p - p.p).unit());
    }
    let share = if turn.abs() < BENT { 0.0 } else { turn } * (reach / 4.0) / (p.p.dist(q.p) + reach / 2.0).max(1e-9);
    let turned = |d: Pt, by: f64| pt(d.x * by.cos() - d.y * by.sin(), d.x * by.sin() + d.y * by.cos());
    (u, v) = (turned(u, share), turned(v, -share));
    let curve = Spine { points: vec![p.p, p.p + u * third, q.p - v * third, q.p], closed: false };
    let bent = curve.flatten(0.02);
    let total = p.p.dist(q.p).max(1e-9);
    let width = |m: Pt| p.width + (q.width - p.width) * (p.p.dist(m) / total).min(1.0);
    let mut out = flat[..=a].to_vec();
    out.extend(bent.iter().skip(1).take(bent.len().saturating_sub(2)).map(|&m| FlatPoint { p: m, width: width(m) }));
    out.extend(&flat[b..]);
    out
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
        // Two places may be as near: the one nearer to the end that goes belongs to the tail.
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
