//! Segments and polylines: the few measures everything else is built on.

use super::point::{Pt, pt};

/// The angle between two directions, in radians, 0 to pi.
pub fn angle_between(a: Pt, b: Pt) -> f64 {
    a.cross(b).abs().atan2(a.dot(b))
}

/// The nearest point on segment `a b` to `p`, as a parameter 0 to 1.
pub fn nearest_on_segment(p: Pt, a: Pt, b: Pt) -> f64 {
    let d = b - a;
    let l2 = d.dot(d);
    if l2 <= 0.0 { 0.0 } else { ((p - a).dot(d) / l2).clamp(0.0, 1.0) }
}

/// How far apart two segments are, px; 0 where they cross.
pub fn segments_gap(a: Pt, b: Pt, c: Pt, d: Pt) -> f64 {
    if segments_cross(a, b, c, d).is_some() {
        return 0.0;
    }
    let to = |p: Pt, u: Pt, v: Pt| p.dist(u.lerp(v, nearest_on_segment(p, u, v)));
    to(a, c, d).min(to(b, c, d)).min(to(c, a, b)).min(to(d, a, b))
}

/// Where two segments cross, as parameters along each, or `None` if they do not (parallel ones never do).
pub fn segments_cross(a: Pt, b: Pt, c: Pt, d: Pt) -> Option<(f64, f64)> {
    let (r, s) = (b - a, d - c);
    let den = r.cross(s);
    if den == 0.0 {
        return None;
    }
    let t = (c - a).cross(s) / den;
    let u = (c - a).cross(r) / den;
    ((0.0..=1.0).contains(&t) && (0.0..=1.0).contains(&u)).then_some((t, u))
}

/// The direction in which a polyline leaves its first point, averaged over its first `reach` pixels.
pub fn outward_from(flat: &[Pt], reach: f64) -> Pt {
    chord(flat.iter(), reach)
}

/// The direction in which a polyline runs into its last point and beyond, averaged over its last `reach` pixels.
pub fn outward_at(flat: &[Pt], reach: f64) -> Pt {
    chord(flat.iter().rev(), reach) * -1.0
}

fn chord<'a>(mut points: impl Iterator<Item = &'a Pt>, reach: f64) -> Pt {
    let Some(&start) = points.next() else {
        return pt(0.0, 0.0);
    };
    let mut left = reach;
    let mut at = start;
    for &p in points {
        let step = p.dist(at);
        if step >= left {
            at = at.lerp(p, left / step.max(1e-12));
            break;
        }
        left -= step;
        at = p;
    }
    (at - start).unit()
}

/// Which of a row of things are needed so that all others are within `tolerance` of what those between which they lie tell;
/// `off(a, b, k)`: how far the one at `k` is from what those at `a` and `b` tell of it. First and last are (Ramer, "An iterative
/// procedure for the polygonal approximation of plane curves", Computer Graphics and Image Processing 1, 1972; Douglas and
/// Peucker, "Algorithms for the reduction of the number of points", 1973).
pub fn needed(count: usize, tolerance: f64, off: impl Fn(usize, usize, usize) -> f64) -> Vec<bool> {
    let mut stays = vec![false; count];
    let Some(last) = count.checked_sub(1) else { return stays };
    (stays[0], stays[last]) = (true, true);
    let mut open = vec![(0, last)];
    while let Some((from, to)) = open.pop() {
        let farthest = (from + 1..to).map(|k| (off(from, to, k), k)).max_by(|a, b| a.0.total_cmp(&b.0));
        if let Some((_, k)) = farthest.filter(|f| f.0 > tolerance) {
            stays[k] = true;
            open.extend([(from, k), (k, to)]);
        }
    }
    stays
}

/// The fewest of a polyline's points that stay within `tolerance` px of all of them. First and last stay.
pub fn thinned(points: &[Pt], tolerance: f64) -> Vec<Pt> {
    let stays = needed(points.len(), tolerance, |from, to, k| {
        points[k].dist(points[from].lerp(points[to], nearest_on_segment(points[k], points[from], points[to])))
    });
    points.iter().zip(stays).filter(|(_, stays)| *stays).map(|(p, _)| *p).collect()
}

/// The length of a polyline up to each of its points.
pub fn lengths(p: &[Pt]) -> Vec<f64> {
    let steps = p.windows(2).scan(0.0, |s, w| {
        *s += w[0].dist(w[1]);
        Some(*s)
    });
    std::iter::once(0.0).chain(steps).collect()
}

/// Length of a polyline.
pub fn polyline_len(p: &[Pt]) -> f64 {
    p.windows(2).map(|w| w[0].dist(w[1])).sum()
}

/// Signed area of a closed polygon (positive when it turns from +x to +y).
pub fn polygon_area(p: &[Pt]) -> f64 {
    let n = p.len();
    (0..n).map(|i| p[i].cross(p[(i + 1) % n])).sum::<f64>() / 2.0
}

/// Whether `p` lies in the closed rings by the even-odd rule.
pub fn inside(p: Pt, rings: &[Vec<Pt>]) -> bool {
    let mut odd = false;
    for ring in rings {
        let n = ring.len();
        for i in 0..n {
            let (a, b) = (ring[i], ring[(i + 1) % n]);
            if (a.y > p.y) != (b.y > p.y) && p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x) {
                odd = !odd;
            }
        }
    }
    odd
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn crossing_segments_meet_and_parallel_ones_do_not() {
        let (t, u) = segments_cross(pt(0.0, 0.0), pt(4.0, 0.0), pt(1.0, -1.0), pt(1.0, 3.0)).unwrap();
        assert!((t - 0.25).abs() < 1e-12 && (u - 0.25).abs() < 1e-12);
        assert!(segments_cross(pt(0.0, 0.0), pt(4.0, 0.0), pt(0.0, 1.0), pt(4.0, 1.0)).is_none());
    }

    #[test]
    fn a_hole_is_outside_by_the_even_odd_rule() {
        let square = |a: f64, b: f64| vec![pt(a, a), pt(b, a), pt(b, b), pt(a, b)];
        let rings = [square(0.0, 10.0), square(3.0, 7.0)];
        assert!(inside(pt(1.0, 5.0), &rings));
        assert!(!inside(pt(5.0, 5.0), &rings));
    }
}
