//! Plane projective maps as 3 x 3 matrices (Heckbert, "Fundamentals of Texture Mapping and Image Warping", 1989).

use super::point::{Pt, pt};

/// Row by row; maps (x, y, 1).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Homography([f64; 9]);

impl Homography {
    pub const IDENTITY: Homography = Homography([1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0]);

    /// x' = a x + b y + c, y' = d x + e y + f.
    pub fn affine([a, b, c, d, e, f]: [f64; 6]) -> Homography {
        Homography([a, b, c, d, e, f, 0.0, 0.0, 1.0])
    }

    /// A turn about a point, radians from +x to +y.
    pub fn rotation(about: Pt, angle: f64) -> Homography {
        let (s, k) = angle.sin_cos();
        Homography::affine([k, -s, about.x - k * about.x + s * about.y, s, k, about.y - s * about.x - k * about.y])
    }

    /// The turn, scale and shift that lays two points over two others.
    pub fn similarity(from: [Pt; 2], to: [Pt; 2]) -> Homography {
        let (u, v) = (from[1] - from[0], to[1] - to[0]);
        let l2 = u.dot(u).max(1e-12);
        let (k, s) = (u.dot(v) / l2, u.cross(v) / l2);
        let p = from[0];
        Homography::affine([k, -s, to[0].x - k * p.x + s * p.y, s, k, to[0].y - s * p.x - k * p.y])
    }

    /// The map that lays four points over four others; `None` if either four are no convex quadrilateral.
    pub fn between(from: [Pt; 4], to: [Pt; 4]) -> Option<Homography> {
        Some(Homography::from_unit_square(to)?.after(Homography::from_unit_square(from)?.inverse()?))
    }

    fn from_unit_square(q: [Pt; 4]) -> Option<Homography> {
        let turn = |i: usize| (q[(i + 1) % 4] - q[i]).cross(q[(i + 2) % 4] - q[(i + 1) % 4]);
        let turns: [f64; 4] = std::array::from_fn(turn);
        if !turns.iter().all(|&t| t > 1e-6) {
            return None;
        }
        let s = q[0] - q[1] + q[2] - q[3];
        let (d1, d2) = (q[1] - q[2], q[3] - q[2]);
        let den = d1.cross(d2);
        let (g, h) = (s.cross(d2) / den, d1.cross(s) / den);
        Some(Homography([
            q[1].x - q[0].x + g * q[1].x,
            q[3].x - q[0].x + h * q[3].x,
            q[0].x,
            q[1].y - q[0].y + g * q[1].y,
            q[3].y - q[0].y + h * q[3].y,
            q[0].y,
            g,
            h,
            1.0,
        ]))
    }

    /// First `first`, then this.
    pub fn after(self, first: Homography) -> Homography {
        let (a, b) = (self.0, first.0);
        Homography(std::array::from_fn(|i| {
            let (r, c) = (i / 3, i % 3);
            a[3 * r] * b[c] + a[3 * r + 1] * b[3 + c] + a[3 * r + 2] * b[6 + c]
        }))
    }

    pub fn inverse(self) -> Option<Homography> {
        let m = self.0;
        let minor = |a: usize, b: usize, c: usize, d: usize| m[a] * m[d] - m[b] * m[c];
        let adjugate = [
            minor(4, 5, 7, 8),
            -minor(1, 2, 7, 8),
            minor(1, 2, 4, 5),
            -minor(3, 5, 6, 8),
            minor(0, 2, 6, 8),
            -minor(0, 2, 3, 5),
            minor(3, 4, 6, 7),
            -minor(0, 1, 6, 7),
            minor(0, 1, 3, 4),
        ];
        let det = m[0] * adjugate[0] + m[1] * adjugate[3] + m[2] * adjugate[6];
        (det.abs() > 1e-12).then(|| Homography(adjugate.map(|v| v / det)))
    }

    #[inline(always)]
    pub fn map(&self, p: Pt) -> Pt {
        let m = &self.0;
        if m[6] == 0.0 && m[7] == 0.0 && m[8] == 1.0 {
            return pt(m[0] * p.x + m[1] * p.y + m[2], m[3] * p.x + m[4] * p.y + m[5]);
        }
        let w = m[6] * p.x + m[7] * p.y + m[8];
        pt((m[0] * p.x + m[1] * p.y + m[2]) / w, (m[3] * p.x + m[4] * p.y + m[5]) / w)
    }

    /// Whether pixels land on pixels: quarter turns and whole shifts only.
    pub fn in_whole_steps(&self) -> bool {
        self.0.iter().all(|v| v.fract() == 0.0) && self.0[6] == 0.0 && self.0[7] == 0.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_map_and_its_inverse_are_none(q in proptest::array::uniform8(-8.0f64..8.0), x in 0.0f64..100.0, y in 0.0f64..100.0) {
            let from = [pt(0.0, 0.0), pt(100.0, 0.0), pt(100.0, 100.0), pt(0.0, 100.0)];
            let to: [Pt; 4] = std::array::from_fn(|i| from[i] + pt(q[2 * i], q[2 * i + 1]));
            let there = Homography::between(from, to).unwrap();
            for (a, b) in from.into_iter().zip(to) {
                prop_assert!(there.map(a).dist(b) < 1e-8);
            }
            let p = pt(x, y);
            prop_assert!(there.inverse().unwrap().map(there.map(p)).dist(p) < 1e-8);
        }
    }
}
