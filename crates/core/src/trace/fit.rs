//! Cubic Bézier curves through measured points, as few as a tolerance allows (Schneider, "An algorithm for
//! automatically fitting digitized curves", Graphics Gems, 1990): least squares for the handles' lengths with the end
//! tangents given, Newton steps for the parameters, a split at the worst point where that is not enough.

use crate::geom::{Pt, pt};

/// Fits points from the first to the last; `tangents` leave the first forwards and the last backwards. Gives `3 n + 1`
/// points, the first included. Fewer than two different points give a straight run.
pub fn fit(points: &[Pt], tangents: [Pt; 2], tolerance: f64) -> Vec<Pt> {
    let mut clean: Vec<Pt> = Vec::with_capacity(points.len());
    for &p in points {
        if clean.last().is_none_or(|q: &Pt| q.dist(p) > 1e-6) {
            clean.push(p);
        }
    }
    if clean.len() < 2 {
        clean = vec![points[0], points[points.len() - 1]];
    }
    let mut out = vec![clean[0]];
    piece(&clean, tangents, tolerance * tolerance, 0, &mut out);
    out
}

fn at(c: &[Pt; 4], t: f64) -> Pt {
    let u = 1.0 - t;
    c[0] * (u * u * u) + c[1] * (3.0 * u * u * t) + c[2] * (3.0 * u * t * t) + c[3] * (t * t * t)
}

fn piece(p: &[Pt], tangents: [Pt; 2], tolerance2: f64, depth: usize, out: &mut Vec<Pt>) {
    let (first, last) = (p[0], p[p.len() - 1]);
    if p.len() == 2 {
        let third = first.dist(last) / 3.0;
        out.extend([first + tangents[0] * third, last + tangents[1] * third, last]);
        return;
    }
    // Parameters by the length of chords.
    let mut u = vec![0.0; p.len()];
    for i in 1..p.len() {
        u[i] = u[i - 1] + p[i].dist(p[i - 1]);
    }
    let total = u[p.len() - 1];
    u.iter_mut().for_each(|v| *v /= total);
    let mut worst = (0, f64::INFINITY);
    for round in 0..5 {
        let c = least_squares(p, &u, tangents, total);
        worst = (0, 0.0);
        for i in 1..p.len() - 1 {
            let d = at(&c, u[i]) - p[i];
            let d2 = d.dot(d);
            if d2 > worst.1 {
                worst = (i, d2);
            }
        }
        if worst.1 <= tolerance2 {
            out.extend([c[1], c[2], c[3]]);
            return;
        }
        if round == 4 || worst.1 > 25.0 * tolerance2 {
            break;
        }
        for i in 1..p.len() - 1 {
            u[i] = newton(&c, p[i], u[i]);
        }
    }
    if depth > 40 {
        let third = first.dist(last) / 3.0;
        out.extend([first + tangents[0] * third, last + tangents[1] * third, last]);
        return;
    }
    let k = worst.0.clamp(1, p.len() - 2);
    let reach = 3.min(k).min(p.len() - 1 - k);
    let mut middle = (p[k - reach] - p[k + reach]).unit();
    if middle == pt(0.0, 0.0) {
        middle = (p[k - 1] - p[k]).unit();
    }
    piece(&p[..=k], [tangents[0], middle], tolerance2, depth + 1, out);
    piece(&p[k..], [middle * -1.0, tangents[1]], tolerance2, depth + 1, out);
}

fn least_squares(p: &[Pt], u: &[f64], t: [Pt; 2], total: f64) -> [Pt; 4] {
    let (first, last) = (p[0], p[p.len() - 1]);
    let (mut c00, mut c01, mut c11, mut x0, mut x1) = (0.0, 0.0, 0.0, 0.0, 0.0);
    for (&q, &u) in p.iter().zip(u) {
        let v = 1.0 - u;
        let (b0, b1, b2, b3) = (v * v * v, 3.0 * v * v * u, 3.0 * v * u * u, u * u * u);
        let (a0, a1) = (t[0] * b1, t[1] * b2);
        c00 += a0.dot(a0);
        c01 += a0.dot(a1);
        c11 += a1.dot(a1);
        let rest = q - (first * (b0 + b1) + last * (b2 + b3));
        x0 += a0.dot(rest);
        x1 += a1.dot(rest);
    }
    let det = c00 * c11 - c01 * c01;
    let chord = first.dist(last);
    let (mut l0, mut l1) = if det.abs() > 1e-9 * c00 * c11 {
        ((x0 * c11 - x1 * c01) / det, (c00 * x1 - c01 * x0) / det)
    } else {
        (0.0, 0.0)
    };
    // Handles that turn back or run away: the rule of thirds instead.
    if l0 < 1e-3 * total || l1 < 1e-3 * total || l0 > 2.0 * total || l1 > 2.0 * total {
        (l0, l1) = (chord / 3.0, chord / 3.0);
    }
    [first, first + t[0] * l0, last + t[1] * l1, last]
}

fn newton(c: &[Pt; 4], p: Pt, u: f64) -> f64 {
    let d = [(c[1] - c[0]) * 3.0, (c[2] - c[1]) * 3.0, (c[3] - c[2]) * 3.0];
    let e = [(d[1] - d[0]) * 2.0, (d[2] - d[1]) * 2.0];
    let v = 1.0 - u;
    let q = at(c, u) - p;
    let q1 = d[0] * (v * v) + d[1] * (2.0 * u * v) + d[2] * (u * u);
    let q2 = e[0] * v + e[1] * u;
    let den = q1.dot(q1) + q.dot(q2);
    if den.abs() < 1e-12 { u } else { (u - q.dot(q1) / den).clamp(0.0, 1.0) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_arc_takes_few_curves_and_stays_within_the_tolerance() {
        let p: Vec<Pt> =
            (0..=90).map(|i| (f64::from(i)).to_radians()).map(|a| pt(100.0 * a.cos(), 100.0 * a.sin())).collect();
        let c = fit(&p, [pt(0.0, 1.0), pt(1.0, 0.0)], 0.2);
        assert!(c.len() <= 7, "{} points", c.len());
        for cubic in c.windows(4).step_by(3) {
            for k in 0..=10 {
                let q = at(&[cubic[0], cubic[1], cubic[2], cubic[3]], f64::from(k) / 10.0);
                assert!((q.len() - 100.0).abs() < 0.25);
            }
        }
    }
}
