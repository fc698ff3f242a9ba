//! Shapes by hand: a straight line, a rectangle, an ellipse, a path of curves.

use crate::error::Error;
use crate::geom::spine::Spine;
use crate::geom::{Bounds, Pt, pt};
use crate::model::line::{End, Form};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What is drawn from one place to another.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Shape {
    Line,
    Rectangle,
    /// The greatest one in the box between the places.
    Ellipse,
}

/// How it becomes ink.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Inked {
    /// A line along it.
    Line,
    /// All within it.
    Filled,
    Both,
}

impl Inked {
    /// The forms that a path becomes, the lowest first. `width`: of its line, px. Errors: a width outside its range.
    pub fn forms(self, spine: Spine, width: f64) -> Result<Vec<Form>, Error> {
        if !(0.1..=1000.0).contains(&width) {
            return Err(Error::Recipe { name: "line weight", value: width, from: 0.1, to: 1000.0 });
        }
        let line = Form::Centreline { spine: spine.clone(), width: vec![[0.0, width]], ends: [End::Round; 2] };
        // What is open is closed straight, to be filled.
        let filled = |spine: Spine| Form::Outline { contours: vec![closed(spine)] };
        Ok(match self {
            Inked::Line => vec![line],
            Inked::Filled => vec![filled(spine)],
            Inked::Both => vec![filled(spine), line],
        })
    }
}

fn closed(mut spine: Spine) -> Spine {
    let (Some(&first), Some(&last)) = (spine.points.first(), spine.points.last()) else { return spine };
    if !spine.closed && first != last {
        spine.points.extend([last.lerp(first, 1.0 / 3.0).snapped(), last.lerp(first, 2.0 / 3.0).snapped(), first]);
    }
    Spine { closed: true, ..spine }
}

/// The most curves of a path that is set by clicks.
const MOST_CURVES: usize = 5000;

/// A path of curves from the points of its chain, ends and handles in turn. Errors: no such chain, a closed one that does
/// not end where it begins, or one that gets nowhere.
pub fn path_of(points: &[Pt], closed: bool) -> Result<Spine, Error> {
    let n = points.len();
    if n < 4 || n % 3 != 1 || n > 3 * MOST_CURVES + 1 || points.iter().any(|p| !p.x.is_finite() || !p.y.is_finite()) {
        return Err(Error::Mismatch("a path has 1 to 5000 curves"));
    }
    let points: Vec<Pt> = points.iter().map(|p| p.snapped()).collect();
    if closed && points[0] != points[n - 1] {
        return Err(Error::Mismatch("a closed path ends where it begins"));
    }
    let b = Bounds::of(&points);
    if (b.max - b.min).len() < LEAST {
        return Err(Error::Mismatch("a shape is at least a pixel large"));
    }
    Ok(Spine { points, closed })
}

/// A shape is at least so large each way, px.
const LEAST: f64 = 1.0;

/// How far the handle of a quarter of a circle reaches, as a share of its radius: off by 0.03 % at most (Riškus,
/// "Approximation of a cubic Bézier curve by circular arcs and vice versa", 2006).
const QUARTER: f64 = 0.552_284_75;

impl Shape {
    fn spine(self, a: Pt, b: Pt) -> Spine {
        match self {
            Shape::Line => Spine::through(&[a, b], false),
            Shape::Rectangle => Spine::through(&[a, pt(b.x, a.y), b, pt(a.x, b.y), a], true),
            Shape::Ellipse => {
                let (c, r) = (a.lerp(b, 0.5), (b - a) * 0.5);
                let at = |x: f64, y: f64| (c + pt(x * r.x, y * r.y)).snapped();
                let k = QUARTER;
                let points = [
                    [at(1.0, 0.0), at(1.0, k), at(k, 1.0)],
                    [at(0.0, 1.0), at(-k, 1.0), at(-1.0, k)],
                    [at(-1.0, 0.0), at(-1.0, -k), at(-k, -1.0)],
                    [at(0.0, -1.0), at(k, -1.0), at(1.0, -k)],
                ];
                Spine { points: points.into_iter().flatten().chain([at(1.0, 0.0)]).collect(), closed: true }
            }
        }
    }

    /// The forms it gives from one place to another, the lowest first. `width`: of its line, px. Errors: it has no area, or
    /// no length; a width outside its range.
    ///
    /// ```
    /// use rhizograph_core::draw::{Inked, Shape};
    /// use rhizograph_core::geom::pt;
    ///
    /// let forms = Shape::Ellipse.forms(pt(10.0, 10.0), pt(90.0, 60.0), 4.0, Inked::Both)?;
    /// assert_eq!(forms.len(), 2);
    /// # Ok::<(), rhizograph_core::Error>(())
    /// ```
    pub fn forms(self, a: Pt, b: Pt, width: f64, inked: Inked) -> Result<Vec<Form>, Error> {
        let size = b - a;
        let is_line = self == Shape::Line;
        let has_size = if is_line { size.len() >= LEAST } else { size.x.abs() >= LEAST && size.y.abs() >= LEAST };
        if !has_size {
            return Err(Error::Mismatch("a shape is at least a pixel large"));
        }
        let spine = self.spine(a.snapped(), b.snapped());
        if is_line { Inked::Line } else { inked }.forms(spine, width)
    }
}
