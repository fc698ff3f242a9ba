//! From measured points to a spine: corners kept, curves fitted between them.

use super::fit::fit;
use crate::geom::spine::Spine;
use crate::geom::{Pt, angle_between, outward_at, outward_from};

/// Points where curves must meet: the index, and whether the path may turn sharply there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Break {
    pub at: usize,
    pub sharp: bool,
}

/// Indices where a path turns by more than 45 degrees within `reach` px, one for each turn.
pub fn corners(points: &[Pt], reach: f64, closed: bool) -> Vec<usize> {
    let n = points.len();
    if n < 5 {
        return Vec::new();
    }
    let window = |i: usize, forward: bool, part: &mut Vec<Pt>| {
        part.clear();
        part.push(points[i]);
        let mut len = 0.0;
        let mut k = i;
        while len < reach && part.len() <= n {
            let next = match (forward, closed) {
                (true, true) => (k + 1) % n,
                (false, true) => (k + n - 1) % n,
                (true, false) if k + 1 < n => k + 1,
                (false, false) if k > 0 => k - 1,
                _ => break,
            };
            len += points[k].dist(points[next]);
            part.push(points[next]);
            k = next;
        }
        (outward_from(part, reach), len)
    };
    let mut part = Vec::new();
    let turn: Vec<f64> = (0..n)
        .map(|i| {
            let ((a, la), (b, lb)) = (window(i, false, &mut part), window(i, true, &mut part));
            if la < 0.7 * reach || lb < 0.7 * reach { 0.0 } else { std::f64::consts::PI - angle_between(a, b) }
        })
        .collect();
    let mut order: Vec<usize> = (0..n).filter(|&i| turn[i] > std::f64::consts::FRAC_PI_4).collect();
    order.sort_by(|&a, &b| turn[b].total_cmp(&turn[a]).then(a.cmp(&b)));
    let mut found: Vec<usize> = Vec::new();
    for i in order {
        if found.iter().all(|&j| points[i].dist(points[j]) > reach) {
            found.push(i);
        }
    }
    found.sort_unstable();
    found
}

/// Fits a spine through points; at `breaks` (sorted) curves meet, smoothly unless sharp. A closed path's first point
/// is not repeated.
pub fn spine_through(points: &[Pt], breaks: &[Break], closed: bool, tolerance: f64) -> Spine {
    let n = points.len();
    if n == 1 {
        return Spine::through(&[points[0], points[0]], closed);
    }
    let mut breaks: Vec<Break> = breaks.to_vec();
    let (mut all, offset);
    if closed {
        // Start at a break, the sharpest there is, so that the seam of the ring is a place where curves meet anyway.
        let first =
            breaks.iter().find(|b| b.sharp).or(breaks.first()).copied().unwrap_or(Break { at: 0, sharp: false });
        offset = first.at;
        all = points[offset..].to_vec();
        all.extend(&points[..offset]);
        all.push(points[offset]);
        breaks.iter_mut().for_each(|b| b.at = (b.at + n - offset) % n);
        breaks.retain(|b| b.at != 0);
        breaks.insert(0, Break { at: 0, sharp: first.sharp });
        breaks.push(Break { at: n, sharp: first.sharp });
        // A ring in one curve would fold: at least one more joint.
        if breaks.len() == 2 {
            breaks.insert(1, Break { at: n / 2, sharp: false });
        }
    } else {
        all = points.to_vec();
        breaks.retain(|b| b.at > 0 && b.at + 1 < n);
        breaks.insert(0, Break { at: 0, sharp: true });
        breaks.push(Break { at: n - 1, sharp: true });
    }
    breaks.sort_by_key(|b| b.at);
    breaks.dedup_by_key(|b| b.at);
    let last = all.len() - 1;
    let smooth_tangent = |i: usize| {
        let (before, after) = if closed && (i == 0 || i == last) {
            (all[last - 2.min(last)], all[2.min(last)])
        } else {
            (all[i.saturating_sub(2)], all[(i + 2).min(last)])
        };
        (after - before).unit()
    };
    let mut out = vec![all[0]];
    for w in breaks.windows(2) {
        let part = &all[w[0].at..=w[1].at];
        let reach = 2.5;
        let start = if w[0].sharp { outward_from(part, reach) } else { smooth_tangent(w[0].at) };
        let end = if w[1].sharp { outward_at(part, reach) * -1.0 } else { smooth_tangent(w[1].at) * -1.0 };
        out.extend(&fit(part, [start, end], tolerance)[1..]);
    }
    out.iter_mut().for_each(|p| *p = p.snapped());
    Spine { points: out, closed }
}
