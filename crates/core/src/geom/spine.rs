//! A chain of cubic Bézier curves: evaluated, divided, flattened, led through maps.

use super::bounds::Bounds;
use super::point::Pt;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A chain of cubic Bézier curves: `3 n + 1` points, ends and handles in turn. A closed one ends where it starts.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Spine {
    pub points: Vec<Pt>,
    pub closed: bool,
}

/// A place on a spine: a curve's number and the parameter there, 0 to 1.
#[derive(Debug, Clone, Copy, PartialEq, PartialOrd)]
pub struct Place {
    pub curve: usize,
    pub t: f64,
}

fn cubic_at(c: &[Pt], t: f64) -> Pt {
    let u = 1.0 - t;
    c[0] * (u * u * u) + c[1] * (3.0 * u * u * t) + c[2] * (3.0 * u * t * t) + c[3] * (t * t * t)
}

impl Spine {
    /// A straight run through points.
    pub fn through(points: &[Pt], closed: bool) -> Spine {
        let mut out = vec![points[0].snapped()];
        for w in points.windows(2) {
            out.extend([w[0].lerp(w[1], 1.0 / 3.0).snapped(), w[0].lerp(w[1], 2.0 / 3.0).snapped(), w[1].snapped()]);
        }
        Spine { points: out, closed }
    }

    pub fn cubics(&self) -> impl Iterator<Item = &[Pt]> {
        (0..self.points.len().saturating_sub(1) / 3).map(|i| &self.points[3 * i..3 * i + 4])
    }

    /// A polyline within `tolerance` px of the curve, holding every joint of the curves exactly.
    pub fn flatten(&self, tolerance: f64) -> Vec<Pt> {
        let mut out: Vec<Pt> = self.points.first().copied().into_iter().collect();
        for c in self.cubics() {
            let n = pieces_of(c, tolerance);
            out.extend((1..n).map(|i| cubic_at(c, i as f64 / n as f64)));
            out.push(c[3]);
        }
        out
    }

    /// Where the points of the same polyline lie on the spine.
    pub fn places(&self, tolerance: f64) -> Vec<Place> {
        let mut out = vec![Place { curve: 0, t: 0.0 }];
        for (curve, c) in self.cubics().enumerate() {
            let n = pieces_of(c, tolerance);
            out.extend((1..=n).map(|i| Place { curve, t: i as f64 / n as f64 }));
        }
        out
    }

    pub fn at(&self, place: Place) -> Pt {
        let last = self.points.len().saturating_sub(1) / 3;
        let k = 3 * place.curve.min(last.saturating_sub(1));
        self.points.get(k..k + 4).map_or(self.points[0], |c| cubic_at(c, place.t))
    }

    /// The place on it that is nearest to `p`, and how far that is, px (Newton's method from several starts: `kurbo`).
    pub fn nearest(&self, p: Pt) -> (Place, f64) {
        let target = kurbo::Point::new(p.x, p.y);
        let mut best = (Place { curve: 0, t: 0.0 }, f64::INFINITY);
        for (curve, c) in self.cubics().enumerate() {
            // A curve lies within the box of its points.
            if Bounds::of(c).gap_to(p) >= best.1 {
                continue;
            }
            let [a, b, c, d] = [c[0], c[1], c[2], c[3]].map(|p| (p.x, p.y));
            let near = kurbo::ParamCurveNearest::nearest(&kurbo::CubicBez::new(a, b, c, d), target, 1e-4);
            let far = near.distance_sq.sqrt();
            if far < best.1 {
                best = (Place { curve, t: near.t }, far);
            }
        }
        best
    }

    /// The direction in which it runs on from a place, or up to it.
    pub fn direction(&self, place: Place, is_before: bool) -> Pt {
        let step = if is_before { -0.01 } else { 0.01 };
        let last = self.points.len().saturating_sub(1) / 3;
        let there = place.curve as f64 + place.t;
        let to = (there + step).clamp(0.0, last as f64);
        let at = |s: f64| self.at(Place { curve: s as usize, t: s - s.floor() });
        let last_of = |s: f64| if s >= last as f64 { self.points[self.points.len() - 1] } else { at(s) };
        (last_of(to) - last_of(there)).unit() * step.signum()
    }

    /// The stretch from one place to another behind it; curves that lie in it whole stay as they are.
    pub fn between(&self, from: Place, to: Place) -> Spine {
        let mut points: Vec<Pt> = vec![self.at(from).snapped()];
        for (k, c) in self.cubics().enumerate().take(to.curve + 1).skip(from.curve) {
            let t0 = if k == from.curve { from.t } else { 0.0 };
            let t1 = if k == to.curve { to.t } else { 1.0 };
            if t1 <= t0 {
                continue;
            }
            if t0 <= 0.0 && t1 >= 1.0 {
                points.extend(&c[1..]);
                continue;
            }
            let [a, b, c, d] = [c[0], c[1], c[2], c[3]].map(|p| (p.x, p.y));
            let part = kurbo::ParamCurve::subsegment(&kurbo::CubicBez::new(a, b, c, d), t0..t1);
            points.extend([part.p1, part.p2, part.p3].map(|p| Pt { x: p.x, y: p.y }.snapped()));
        }
        Spine { points, closed: false }
    }

    /// The spine led through a map, within `tolerance` px: curves that it does not take for curves are divided.
    pub fn mapped(&self, map: &impl Fn(Pt) -> Pt, tolerance: f64) -> Spine {
        let mut points: Vec<Pt> = self.points.first().map(|&p| map(p).snapped()).into_iter().collect();
        for c in self.cubics() {
            lead([c[0], c[1], c[2], c[3]], map, tolerance, &mut points);
        }
        Spine { points, closed: self.closed }
    }
}

/// Adds a curve led through a map to the `out` it goes on from, divided as often as it takes.
fn lead(c: [Pt; 4], map: &impl Fn(Pt) -> Pt, tolerance: f64, out: &mut Vec<Pt>) {
    let led = c.map(map);
    let holds = |t: f64| map(cubic_at(&c, t)).dist(cubic_at(&led, t)) <= tolerance;
    // So short a curve ends where the grid does.
    let is_short = c[0].dist(c[1]) + c[1].dist(c[2]) + c[2].dist(c[3]) < 2.0;
    if is_short || [0.25, 0.5, 0.75].into_iter().all(holds) {
        out.extend(led[1..].iter().map(|p| p.snapped()));
        return;
    }
    let [ab, bc, cd] = [c[0].lerp(c[1], 0.5), c[1].lerp(c[2], 0.5), c[2].lerp(c[3], 0.5)];
    let (abc, bcd) = (ab.lerp(bc, 0.5), bc.lerp(cd, 0.5));
    let middle = abc.lerp(bcd, 0.5);
    lead([c[0], ab, abc, middle], map, tolerance, out);
    lead([middle, bcd, cd, c[3]], map, tolerance, out);
}

/// How many straight pieces follow a curve within `tolerance` px: the second differences bound how far the chord of one
/// is from it.
fn pieces_of(c: &[Pt], tolerance: f64) -> usize {
    let bend = (c[0] - c[1] * 2.0 + c[2]).len().max((c[1] - c[2] * 2.0 + c[3]).len());
    (0.75 * bend / tolerance.max(1e-3)).sqrt().ceil().clamp(1.0, 500.0) as usize
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geom::homography::Homography;
    use crate::geom::{nearest_on_segment, pt};
    use proptest::prelude::*;

    fn curves(points: &[(f64, f64)]) -> Spine {
        let n = (points.len() - 1) / 3 * 3 + 1;
        Spine { points: points[..n].iter().map(|p| pt(p.0, p.1).snapped()).collect(), closed: false }
    }

    fn off(p: Pt, path: &[Pt]) -> f64 {
        let to = |w: &[Pt]| p.dist(w[0].lerp(w[1], nearest_on_segment(p, w[0], w[1])));
        path.windows(2).map(to).fold(f64::INFINITY, f64::min)
    }

    proptest! {
        #[test]
        fn a_turned_and_enlarged_curve_keeps_its_curves_and_its_place(
            points in proptest::collection::vec((0.0f64..400.0, 0.0f64..300.0), 4..14),
            angle in -3.0f64..3.0, by in 0.4f64..2.5, x in -50.0f64..50.0,
        ) {
            let spine = curves(&points);
            let (s, k) = (by * angle.sin(), by * angle.cos());
            let map = Homography::affine([k, -s, x, s, k, 20.0]);
            let led = spine.mapped(&|p| map.map(p), 0.05);
            prop_assert_eq!(led.points.len(), spine.points.len());
            for (a, b) in spine.points.iter().zip(&led.points) {
                prop_assert!(map.map(*a).dist(*b) < 0.01);
            }
        }

        #[test]
        fn a_curve_on_a_sheet_squared_up_goes_where_its_points_go(
            points in proptest::collection::vec((0.0f64..400.0, 0.0f64..300.0), 4..11),
            q in proptest::array::uniform8(-60.0f64..60.0),
        ) {
            let spine = curves(&points);
            let from = [pt(0.0, 0.0), pt(400.0, 0.0), pt(400.0, 300.0), pt(0.0, 300.0)];
            let to: [Pt; 4] = std::array::from_fn(|i| from[i] + pt(q[2 * i], q[2 * i + 1]));
            let map = Homography::between(from, to).unwrap();
            let led = spine.mapped(&|p| map.map(p), 0.05);
            let path = led.flatten(0.01);
            for p in spine.flatten(0.1) {
                let off = off(map.map(p), &path);
                prop_assert!(off < 0.12, "{} px off", off);
            }
            // The ends go exactly there.
            for (a, b) in [(spine.points[0], led.points[0]), (spine.points[spine.points.len() - 1], led.points[led.points.len() - 1])] {
                prop_assert!(map.map(a).dist(b) < 0.01);
            }
        }
    }

    #[test]
    fn a_flattened_curve_stays_within_its_tolerance() {
        let spine =
            Spine { points: vec![pt(0.0, 0.0), pt(0.0, 55.2), pt(44.8, 100.0), pt(100.0, 100.0)], closed: false };
        let flat = spine.flatten(0.05);
        for w in flat.windows(2) {
            let m = w[0].lerp(w[1], 0.5);
            assert!((m.dist(pt(100.0, 0.0)) - 100.0).abs() < 0.05 + 0.03);
        }
        assert!(flat.len() < 60);
    }
}
