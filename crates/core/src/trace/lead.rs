//! Lines led through crossings: where two lines' ink is one, the skeleton says little about either. A line's course
//! there is the smooth curve that what is measured before and after lead through, held to those edges of the ink that
//! are the line's own.
//!
//! Least squares over the offsets of stations a pixel apart across the line: each edge that lies where the line's width
//! lets it be and runs along the line is a measurement, the change of curvature is the price (a smoothing spline of the
//! third order: Reinsch, "Smoothing by spline functions", 1967; Wahba, "Spline models for observational data", 1990).
//! Edges are looked for anew on the curve that was found, a few times.

use super::middle::{HALF, Sample, to_edge_beyond};
use crate::geom::{Pt, polyline_len, pt};
use crate::raster::plane::Plane;

/// A round that moves nothing by more px is the last.
const CALM: f64 = 0.1;

/// What is known of a station.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Seen {
    /// Both edges were measured.
    Whole,
    /// It lies on the skeleton, for want of edges.
    Guessed,
    /// It was put in to fill a crossing.
    Hidden,
}

/// A place on a line's course.
#[derive(Debug, Clone, Copy)]
pub struct Station {
    pub p: Pt,
    pub width: Option<f64>,
    pub seen: Seen,
    /// Curves meet here; sharply or not.
    pub joint: Option<bool>,
}

impl Station {
    pub fn of(s: &Sample) -> Station {
        let (width, seen) = if s.measured { (Some(s.width), Seen::Whole) } else { (None, Seen::Guessed) };
        Station { p: s.p, width, seen, joint: None }
    }

    pub fn hidden(p: Pt) -> Station {
        Station { p, width: None, seen: Seen::Hidden, joint: None }
    }
}

/// How many widths before and after a crossing the edges are looked for anew.
const NEAR: f64 = 1.0;
/// How many widths before and after that the course may still move with it.
const MARGIN: f64 = 0.7;
/// The length below which the course does not follow what is measured, in widths.
const STIFF: f64 = 0.3;
/// The length over which an unmeasured course goes from its curvature to straight, in widths.
const STRAIGHTENS: f64 = 4.0;

/// Stations a pixel apart along the same course.
pub fn evenly(course: &[Station]) -> Vec<Station> {
    let total: f64 = course.windows(2).map(|w| w[0].p.dist(w[1].p)).sum();
    let n = total.round().max(1.0) as usize;
    let step = total / n as f64;
    let mut out = vec![course[0]];
    let (mut run, mut k) = (0.0, 0);
    for i in 1..n {
        let s = i as f64 * step;
        while k + 2 < course.len() && run + course[k].p.dist(course[k + 1].p) < s {
            run += course[k].p.dist(course[k + 1].p);
            k += 1;
        }
        let (a, b) = (course[k], course[k + 1]);
        let t = ((s - run) / a.p.dist(b.p).max(1e-9)).clamp(0.0, 1.0);
        let width = a.width.zip(b.width).map(|(u, v)| u + (v - u) * t);
        let seen = match (a.seen, b.seen) {
            (Seen::Hidden, _) | (_, Seen::Hidden) => Seen::Hidden,
            (Seen::Guessed, _) | (_, Seen::Guessed) => Seen::Guessed,
            _ => Seen::Whole,
        };
        out.push(Station { p: a.p.lerp(b.p, t), width, seen, joint: None });
    }
    if course.len() > 1 {
        out.push(course[course.len() - 1]);
    }
    out
}

/// Leads an open course (stations a pixel apart) through its unmeasured stretches. `usual`: the line's width where none
/// was measured; `held`: whether the first and the last station stay.
pub fn lead(alpha: &Plane<u8>, course: &mut [Station], usual: f64, held: [bool; 2]) {
    let n = course.len();
    if n < 4 {
        return;
    }
    let width = typical(course).unwrap_or(usual).max(1.0);
    let (near, margin) = ((NEAR * width).ceil() as usize + 2, (MARGIN * width).ceil() as usize + 3);
    let mut windows: Vec<(usize, usize)> = Vec::new();
    for (i, _) in course.iter().enumerate().filter(|(_, s)| s.seen == Seen::Hidden) {
        let (from, to) = (i.saturating_sub(near + margin), (i + near + margin).min(n - 1));
        match windows.last_mut() {
            Some(last) if from <= last.1 + 1 => last.1 = to,
            _ => windows.push((from, to)),
        }
    }
    for (from, to) in windows {
        let hold = [from > 0 || held[0], to + 1 < n || held[1]];
        settle(alpha, &mut course[from..=to], near, width, hold);
    }
}

/// A closed course without corners, its first station not repeated.
pub fn lead_round(alpha: &Plane<u8>, course: &mut [Station], usual: f64) {
    let n = course.len();
    let Some(first) = course.iter().position(|s| s.seen == Seen::Hidden) else { return };
    // It begins half way along the longest stretch that was measured.
    let (mut best, mut from) = ((0, first), first);
    for i in first + 1..=first + n {
        if course[i % n].seen == Seen::Hidden {
            if i - from > best.0 {
                best = (i - from, (from + i) / 2);
            }
            from = i;
        }
    }
    course.rotate_left(best.1 % n);
    // Once more before and after, as far as anything there tells.
    let width = typical(course).unwrap_or(usual).max(1.0);
    let more = ((2.0 * (NEAR + MARGIN) * width) as usize + 8).min(n);
    let mut unrolled: Vec<Station> = course[n - more..].to_vec();
    unrolled.extend(course.iter());
    unrolled.extend(&course[..more]);
    lead(alpha, &mut unrolled, usual, [true, true]);
    course.copy_from_slice(&unrolled[more..more + n]);
}

/// The median of the measured widths.
pub fn typical(course: &[Station]) -> Option<f64> {
    let mut widths: Vec<f64> = course.iter().filter_map(|s| s.width).collect();
    let half = widths.len() / 2;
    (!widths.is_empty()).then(|| *widths.select_nth_unstable_by(half, f64::total_cmp).1)
}

/// One edge of a station: the offset that it asks for.
#[derive(Clone, Copy, Default)]
struct Edges {
    sides: [Option<f64>; 2],
}

/// Settles a window of a course. `near`: how far from what is hidden edges are looked for anew, stations.
fn settle(alpha: &Plane<u8>, course: &mut [Station], near: usize, width: f64, held: [bool; 2]) {
    let n = course.len();
    if n < 4 {
        return;
    }
    let mut anew = vec![false; n];
    for (i, _) in course.iter().enumerate().filter(|(_, s)| s.seen == Seen::Hidden) {
        anew[i.saturating_sub(near)..=(i + near).min(n - 1)].fill(true);
    }
    let start: Vec<Pt> = course.iter().map(|s| s.p).collect();
    let mut at = start.clone();
    let mut half = halves(course.iter().map(|s| s.width), width);
    let mut found: Vec<Edges> = vec![Edges::default(); n];
    let known = course.iter().filter(|s| s.seen == Seen::Whole).count();
    let is_known = known > 3;
    let stiff = (STIFF * width).max(1.5);
    // What little is measured tells no curvature.
    let straightens = (STRAIGHTENS * width).min(0.5 * known as f64 + 0.25 * width);
    let (third, second) = (stiff.powi(6), stiff.powi(6) / straightens.powi(2));
    const ROUNDS: usize = 4;
    // A stub beyond a crossing may be bolder than the line.
    let is_hidden = |s: &Station| s.seen == Seen::Hidden;
    let first = course.iter().position(is_hidden).unwrap_or(n);
    let last = course.iter().rposition(is_hidden).unwrap_or(0);
    let short = (2.0 * width) as usize + 2;
    let is_stub = |i: usize| i > last && !held[1] && n - last < short || i < first && !held[0] && first < short;
    let mut moved = f64::INFINITY;
    for round in 0..ROUNDS {
        let normals = normals(&at);
        // A course that lies well at once needs no searching.
        let strict = if moved < CALM { 1.0 } else { (round as f64 / (ROUNDS - 2) as f64).min(1.0) };
        for i in (0..n).filter(|&i| anew[i]) {
            let reach = half[i] * (0.55 - 0.35 * strict) + 1.5 - 0.8 * strict;
            found[i] = edges(alpha, at[i], normals[i], half[i], reach, 0.90 + 0.07 * strict);
        }
        // Where an edge turns round a corner it is none.
        let rim = 1 + (0.1 * width) as usize;
        for side in 0..2 {
            let gone: Vec<usize> = (0..n)
                .filter(|&i| anew[i] && found[i].sides[side].is_some())
                .filter(|&i| {
                    (i.saturating_sub(rim)..=(i + rim).min(n - 1)).any(|k| anew[k] && found[k].sides[side].is_none())
                })
                .collect();
            gone.into_iter().for_each(|i| found[i].sides[side] = None);
        }
        if is_known {
            only_from_known(course, &mut found);
        }
        let mut rows = Rows::new(n);
        for i in 0..n {
            let from_start = (start[i] - at[i]).dot(normals[i]);
            let pinned = held[0] && (i == 0 || i < 3 && !anew[i]) || held[1] && (i + 1 == n || i + 3 >= n && !anew[i]);
            if pinned || !anew[i] {
                rows.data(i, if pinned { 1e4 } else { 1.0 }, from_start);
                continue;
            }
            let [left, right] = found[i].sides;
            left.iter().chain(&right).for_each(|&offset| rows.data(i, 0.5, offset));
            if left.is_none() && right.is_none() {
                match course[i].seen {
                    Seen::Whole => rows.data(i, 0.05, from_start),
                    Seen::Guessed => rows.data(i, 0.01, from_start),
                    Seen::Hidden => {}
                }
            }
        }
        rows.differences(&at, &normals, &[-1.0, 3.0, -3.0, 1.0], third);
        rows.differences(&at, &normals, &[1.0, -2.0, 1.0], second);
        let offsets = rows.solved();
        let most = 0.6 * width + 1.0;
        moved = 0.0;
        for i in 0..n {
            let offset = offsets[i].clamp(-most, most);
            at[i] = at[i] + normals[i] * offset;
            // Where nothing is seen nothing is to settle.
            if found[i].sides.iter().any(Option::is_some) {
                moved = moved.max(offset.abs());
            }
        }
        let seen = (0..n).map(|i| match (anew[i], found[i].sides) {
            (true, [Some(l), Some(r)]) => Some(2.0 * half[i] + l - r),
            (false, _) => course[i].width,
            // Another line's ink would make it broader.
            _ => course[i].width.filter(|w| course[i].seen == Seen::Whole && (*w < 2.04 * half[i] || is_stub(i))),
        });
        let seen: Vec<Option<f64>> = seen.collect();
        if seen.iter().any(Option::is_some) {
            half = halves(seen.iter().copied(), width);
        }
        if round + 1 == ROUNDS || strict >= 1.0 && moved < CALM {
            for i in (0..n).filter(|&i| anew[i]) {
                course[i].width = seen[i];
            }
            break;
        }
    }
    course.iter_mut().zip(at).for_each(|(s, p)| s.p = p);
}

/// Keeps of the edges at hidden stations those that go on from where the line is measured.
fn only_from_known(course: &[Station], found: &mut [Edges]) {
    const SKIPS: usize = 3;
    let n = course.len();
    for side in 0..2 {
        let mut reached = vec![false; n];
        for back in [false, true] {
            let mut since = usize::MAX;
            for k in 0..n {
                let i = if back { n - 1 - k } else { k };
                if course[i].seen != Seen::Hidden {
                    since = 0;
                } else if found[i].sides[side].is_none() {
                    since = since.saturating_add(1);
                } else if since <= SKIPS {
                    since = 0;
                }
                reached[i] |= since == 0;
            }
        }
        (0..n).filter(|&i| !reached[i]).for_each(|i| found[i].sides[side] = None);
    }
}

/// Half the width at each station: what is measured, calmed, and led over what is not.
fn halves(widths: impl Iterator<Item = Option<f64>>, usual: f64) -> Vec<f64> {
    let widths: Vec<Option<f64>> = widths.collect();
    let known: Vec<(usize, f64)> = widths.iter().enumerate().filter_map(|(i, w)| w.map(|w| (i, w / 2.0))).collect();
    if known.is_empty() {
        return vec![usual / 2.0; widths.len()];
    }
    let calm: Vec<(usize, f64)> = (0..known.len())
        .map(|k| {
            let part = &known[k.saturating_sub(3)..(k + 4).min(known.len())];
            (known[k].0, part.iter().map(|p| p.1).sum::<f64>() / part.len() as f64)
        })
        .collect();
    let mut k = 0;
    (0..widths.len())
        .map(|i| {
            while k + 1 < calm.len() && calm[k + 1].0 <= i {
                k += 1;
            }
            let (a, b) = (calm[k], calm[(k + 1).min(calm.len() - 1)]);
            if i <= a.0 || a.0 == b.0 { a.1 } else { a.1 + (b.1 - a.1) * (i - a.0) as f64 / (b.0 - a.0) as f64 }
        })
        .collect()
}

/// Directions across a course.
fn normals(at: &[Pt]) -> Vec<Pt> {
    let n = at.len();
    (0..n).map(|i| (at[(i + 2).min(n - 1)] - at[i.saturating_sub(2)]).unit().turned()).collect()
}

/// The edges of a station that can be the line's own: no farther than `reach` from where its half width puts them, and
/// running along the line (the cosine between the edge's normal and the line's is `along` at least).
fn edges(alpha: &Plane<u8>, p: Pt, normal: Pt, half: f64, reach: f64, along: f64) -> Edges {
    if alpha.sample(p.x, p.y) < HALF {
        return Edges::default();
    }
    let edge = |dir: Pt| {
        // What lies nearer is none of the line's edges.
        let d = to_edge_beyond(alpha, p, dir, (half - reach).max(0.0), half + reach)?;
        let e = p + dir * d;
        let slope = pt(
            alpha.sample(e.x - 1.0, e.y) - alpha.sample(e.x + 1.0, e.y),
            alpha.sample(e.x, e.y - 1.0) - alpha.sample(e.x, e.y + 1.0),
        );
        (slope.dot(dir) > along * slope.len()).then_some(d - half)
    };
    let (left, right) = (edge(normal), edge(normal * -1.0).map(|d| -d));
    let sides = match (left, right) {
        // Together they must make the width; of two that do not, the farther one is another line's.
        (Some(l), Some(r)) if (l - r).abs() > 0.25 * half + 0.6 => {
            if l.abs() < r.abs() {
                [left, None]
            } else {
                [None, right]
            }
        }
        both => [both.0, both.1],
    };
    Edges { sides }
}

/// Normal equations of a least-squares problem in which each unknown meets its three next ones.
struct Rows {
    /// The matrix's diagonal and the three above it.
    matrix: Vec<[f64; 4]>,
    right: Vec<f64>,
}

impl Rows {
    fn new(n: usize) -> Rows {
        Rows { matrix: vec![[1e-6, 0.0, 0.0, 0.0]; n], right: vec![0.0; n] }
    }

    fn data(&mut self, i: usize, weight: f64, value: f64) {
        self.matrix[i][0] += weight;
        self.right[i] += weight * value;
    }

    /// The price of a difference of the places, moved along the normals.
    fn differences(&mut self, at: &[Pt], normals: &[Pt], by: &[f64], weight: f64) {
        let of = by.len();
        for i in 0..at.len().saturating_sub(of - 1) {
            // Across the line only: along it stations may be unevenly apart.
            let across = (normals[i + (of - 1) / 2] + normals[i + of / 2]).unit();
            let now = by.iter().enumerate().fold(pt(0.0, 0.0), |s, (k, c)| s + at[i + k] * *c).dot(across);
            let row: [f64; 4] = std::array::from_fn(|k| by.get(k).map_or(0.0, |c| c * normals[i + k].dot(across)));
            for j in 0..of {
                self.right[i + j] -= weight * row[j] * now;
                for k in j..of {
                    self.matrix[i + j][k - j] += weight * row[j] * row[k];
                }
            }
        }
    }

    /// By Cholesky's decomposition (L D Lt) of the band.
    fn solved(self) -> Vec<f64> {
        let n = self.right.len();
        let mut m = self.matrix;
        let mut x = self.right;
        for i in 0..n {
            let row = m[i];
            let pivot = row[0].max(1e-9);
            for j in 1..4.min(n - i) {
                let f = row[j] / pivot;
                for k in j..4.min(n - i) {
                    m[i + j][k - j] -= f * row[k];
                }
                x[i + j] -= f * x[i];
            }
        }
        for i in (0..n).rev() {
            let known: f64 = (1..4.min(n - i)).map(|k| m[i][k] * x[i + k]).sum();
            x[i] = (x[i] - known) / m[i][0].max(1e-9);
        }
        x
    }
}

/// Stations from `a`, left in direction `da`, to `b`, left in direction `db` (both outwards): the cubic between.
pub fn between(a: Pt, da: Pt, b: Pt, db: Pt) -> Vec<Station> {
    let d = a.dist(b);
    // Handles as long as those of an arc of that turn.
    let turn = 0.5 * (std::f64::consts::PI - crate::geom::angle_between(da, db)).clamp(0.0, 2.0);
    let handle = d / 3.0 / (turn / 2.0).cos().powi(2);
    let (c, e) = (a + da * handle, b + db * handle);
    let n = d.ceil() as usize;
    (1..n)
        .map(|i| {
            let t = i as f64 / n as f64;
            let u = 1.0 - t;
            Station::hidden(a * (u * u * u) + c * (3.0 * u * u * t) + e * (3.0 * u * t * t) + b * (t * t * t))
        })
        .collect()
}

/// The length of a course, px.
pub fn len(course: &[Station]) -> f64 {
    polyline_len(&course.iter().map(|s| s.p).collect::<Vec<_>>())
}
