//! A place on the sheet, or a direction.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A place on the sheet, or a direction, in pixels.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
#[serde(from = "[f64; 2]", into = "[f64; 2]")]
#[ts(type = "[number, number]")]
pub struct Pt {
    pub x: f64,
    pub y: f64,
}

impl From<[f64; 2]> for Pt {
    fn from(a: [f64; 2]) -> Self {
        Pt { x: a[0], y: a[1] }
    }
}

impl From<Pt> for [f64; 2] {
    fn from(p: Pt) -> Self {
        [p.x, p.y]
    }
}

impl std::ops::Add for Pt {
    type Output = Pt;
    fn add(self, o: Pt) -> Pt {
        pt(self.x + o.x, self.y + o.y)
    }
}

impl std::ops::Sub for Pt {
    type Output = Pt;
    fn sub(self, o: Pt) -> Pt {
        pt(self.x - o.x, self.y - o.y)
    }
}

impl std::ops::Mul<f64> for Pt {
    type Output = Pt;
    fn mul(self, k: f64) -> Pt {
        pt(self.x * k, self.y * k)
    }
}

pub const fn pt(x: f64, y: f64) -> Pt {
    Pt { x, y }
}

/// Coordinates that are kept lie on this grid (1/256 px), so that they survive writing and reading exactly.
pub const GRID: f64 = 256.0;

impl Pt {
    pub fn dot(self, o: Pt) -> f64 {
        self.x * o.x + self.y * o.y
    }
    pub fn cross(self, o: Pt) -> f64 {
        self.x * o.y - self.y * o.x
    }
    pub fn len(self) -> f64 {
        (self.x * self.x + self.y * self.y).sqrt()
    }
    pub fn dist(self, o: Pt) -> f64 {
        (self - o).len()
    }
    /// The direction of length one; zero stays zero.
    pub fn unit(self) -> Pt {
        let l = self.len();
        if l > 1e-12 { self * (1.0 / l) } else { pt(0.0, 0.0) }
    }
    /// A quarter turn (from +x to +y).
    pub fn turned(self) -> Pt {
        pt(-self.y, self.x)
    }
    pub fn lerp(self, o: Pt, t: f64) -> Pt {
        self + (o - self) * t
    }
    /// The nearest point of the fixed grid.
    pub fn snapped(self) -> Pt {
        pt((self.x * GRID).round() / GRID, (self.y * GRID).round() / GRID)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_point_written_as_text_reads_back_the_same() {
        let p = pt(1.0 / 3.0, 12345.678).snapped();
        let text = serde_json::to_string(&p).unwrap();
        assert_eq!(serde_json::from_str::<Pt>(&text).unwrap(), p);
        assert!(text.starts_with('['));
    }
}
