//! Boxes around things.

use super::point::{Pt, pt};

/// A box that holds points; empty when nothing was added.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bounds {
    pub min: Pt,
    pub max: Pt,
}

impl Bounds {
    pub const EMPTY: Bounds =
        Bounds { min: pt(f64::INFINITY, f64::INFINITY), max: pt(f64::NEG_INFINITY, f64::NEG_INFINITY) };

    pub fn of<'a>(points: impl IntoIterator<Item = &'a Pt>) -> Bounds {
        let mut b = Bounds::EMPTY;
        for p in points {
            b.min = pt(b.min.x.min(p.x), b.min.y.min(p.y));
            b.max = pt(b.max.x.max(p.x), b.max.y.max(p.y));
        }
        b
    }

    /// The least box with both in it.
    pub fn around(&self, o: &Bounds) -> Bounds {
        Bounds {
            min: pt(self.min.x.min(o.min.x), self.min.y.min(o.min.y)),
            max: pt(self.max.x.max(o.max.x), self.max.y.max(o.max.y)),
        }
    }

    /// The box of columns and rows of a picture: x0, y0, x1, y1 with the ends left out.
    pub fn of_area((x0, y0, x1, y1): (usize, usize, usize, usize)) -> Bounds {
        Bounds { min: pt(x0 as f64, y0 as f64), max: pt(x1 as f64, y1 as f64) }
    }

    /// Whether the two have a place in common.
    pub fn touches(&self, o: &Bounds) -> bool {
        self.min.x <= o.max.x && self.max.x >= o.min.x && self.min.y <= o.max.y && self.max.y >= o.min.y
    }

    /// How far a place lies off it, px; 0 within.
    pub fn gap_to(&self, p: Pt) -> f64 {
        let off = |v: f64, low: f64, high: f64| (low - v).max(v - high).max(0.0);
        off(p.x, self.min.x, self.max.x).hypot(off(p.y, self.min.y, self.max.y))
    }

    pub fn grown(self, by: f64) -> Bounds {
        Bounds { min: self.min - pt(by, by), max: self.max + pt(by, by) }
    }

    /// Columns and rows of a picture that the box touches: x0, y0, x1, y1 with the ends left out.
    pub fn pixels(self, width: usize, height: usize) -> (usize, usize, usize, usize) {
        let lo = |v: f64, n: usize| v.floor().clamp(0.0, n as f64) as usize;
        let hi = |v: f64, n: usize| v.ceil().clamp(0.0, n as f64) as usize;
        (lo(self.min.x, width), lo(self.min.y, height), hi(self.max.x, width), hi(self.max.y, height))
    }
}
