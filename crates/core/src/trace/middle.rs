//! The middle of a line below a pixel: at each skeleton point the two edges of the ink are found across the line, where
//! the coverage passes one half between pixels; the middle is half way between them and the width their distance.

use crate::geom::{Pt, outward_at};
use crate::raster::plane::Plane;

/// A point of a measured branch.
#[derive(Debug, Clone, Copy)]
pub struct Sample {
    pub p: Pt,
    pub width: f64,
    /// Both edges were found where the line's own width lets them be; otherwise `p` is the skeleton's.
    pub measured: bool,
}

/// The coverage at an edge.
pub const HALF: f64 = 127.5;

/// The distance from `from` along `dir` to where the ink ends, up to `limit` px; `None` if it does not end before, or
/// does not cover `from`.
pub fn to_edge(alpha: &Plane<u8>, from: Pt, dir: Pt, limit: f64) -> Option<f64> {
    to_edge_beyond(alpha, from, dir, 0.0, limit)
}

/// The same where the ink is known not to end before `least` px.
pub fn to_edge_beyond(alpha: &Plane<u8>, from: Pt, dir: Pt, least: f64, limit: f64) -> Option<f64> {
    let at = |t: f64| {
        let q = from + dir * t;
        let outside = q.x < 0.0 || q.y < 0.0 || q.x > alpha.width as f64 || q.y > alpha.height as f64;
        if outside { 0.0 } else { alpha.sample(q.x, q.y) }
    };
    let first = from + dir * least;
    let mut before = alpha.sample(first.x, first.y);
    if before < HALF {
        return None;
    }
    let mut t = least;
    while t < limit {
        let here = at(t + 1.0);
        if here < HALF {
            // On the half of the step in which it ends.
            let middle = at(t + 0.5);
            let (start, before, here) = if middle < HALF { (t, before, middle) } else { (t + 0.5, middle, here) };
            let end = start + 0.5 * (before - HALF) / (before - here).max(1e-9);
            return (start < limit).then_some(end);
        }
        (t, before) = (t + 1.0, here);
    }
    None
}

fn smoothed(points: &[Pt], reach: usize, closed: bool) -> Vec<Pt> {
    let n = points.len() as i64;
    (0..n)
        .map(|i| {
            let r = if closed { (reach as i64).min((n - 1) / 2) } else { (reach as i64).min(i).min(n - 1 - i) };
            let sum = (-r..=r).fold(Pt { x: 0.0, y: 0.0 }, |s, k| s + points[(i + k).rem_euclid(n) as usize]);
            sum * (1.0 / (2 * r + 1) as f64)
        })
        .collect()
}

/// Measures a branch: skeleton points with their distances to the paper.
pub fn measure(alpha: &Plane<u8>, points: &[Pt], radius: &[f64], closed: bool) -> Vec<Sample> {
    let n = points.len() as i64;
    let base = smoothed(points, 3, closed);
    let pick = |i: i64| base[if closed { i.rem_euclid(n) } else { i.clamp(0, n - 1) } as usize];
    let mut out: Vec<Sample> = (0..n)
        .map(|i| {
            let r = radius[i as usize];
            let k = (r as i64).clamp(3, 8);
            let normal = (pick(i + k) - pick(i - k)).unit().turned();
            let p = base[i as usize];
            let limit = 1.6 * r + 3.0;
            // Nearer than the paper is no edge.
            let least = (r - 2.0).max(0.0);
            let edge = |dir: Pt| to_edge_beyond(alpha, p, dir, least, limit);
            let edges = edge(normal).zip(edge(normal * -1.0));
            match edges {
                Some((a, b)) if a + b < 2.7 * r + 3.0 && (a - b).abs() < 1.2 * r + 2.0 => {
                    Sample { p: p + normal * ((a - b) / 2.0), width: a + b, measured: true }
                }
                _ => Sample { p: points[i as usize], width: 2.0 * r, measured: false },
            }
        })
        .collect();
    let calm = smoothed(&out.iter().map(|s| s.p).collect::<Vec<_>>(), 1, closed);
    out.iter_mut().zip(calm).for_each(|(s, p)| s.p = p);
    out
}

/// Carries a free end on to where its ink ends, less the half width that a round end adds itself.
///
/// The skeleton of a square end leans into one of its corners, with its distance to the paper falling nearly as fast as
/// it goes; a tapering line's falls slowly. So the last stretch that falls fast is left out, and the line is carried
/// straight on from before it. `radius`: distances to the paper along the skeleton, in step with `samples`.
pub fn reach_tip(alpha: &Plane<u8>, samples: &mut Vec<Sample>, radius: &[f64]) {
    let Some(&last) = samples.last() else { return };
    let n = samples.len();
    let mut keep = n;
    let mut cut = 0.0;
    let limit = radius.iter().rev().take(30).copied().fold(0.0, f64::max);
    while keep > 4 && cut < 1.6 * limit {
        let back = 3.min(keep - 2);
        let (here, before) = (keep - 1, keep - 1 - back);
        let along: f64 = (before..here).map(|i| samples[i].p.dist(samples[i + 1].p)).sum();
        if radius[before] - radius[here] < 0.42 * along {
            break;
        }
        cut += samples[here].p.dist(samples[here - 1].p);
        keep -= 1;
    }
    samples.truncate(keep);
    // What is measured within half a width of a square end is bent by it.
    let base_radius = radius[keep - 1];
    let tapers = radius.len() > 12 && base_radius < 0.6 * limit;
    let mut bent = 0.0;
    while !tapers && samples.len() > 6 && cut + bent < 0.5 * base_radius {
        let gone = samples.pop().map_or(last.p, |s| s.p);
        bent += samples[samples.len() - 1].p.dist(gone);
    }
    let points: Vec<Pt> = samples.iter().map(|s| s.p).collect();
    let Some(&base) = samples.last() else { return };
    let width = if tapers { base.width.min(2.0 * base_radius + 1.0) } else { base.width };
    let dir = outward_at(&points, 1.2 * width + 4.0);
    if let Some(e) = to_edge(alpha, base.p, dir, 3.0 * width + cut + bent + 6.0) {
        let on = e - width / 2.0;
        if on > 0.25 {
            samples.push(Sample { p: base.p + dir * on, width, measured: true });
        }
    }
}
