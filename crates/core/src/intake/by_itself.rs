//! A sheet laid out without asking.

use super::corners::find_corners;
use super::layout::{Layout, lay_out};
use super::pegs::find_pegs;
use crate::geom::{Bounds, Pt, pt};
use crate::model::recipe::{IntakeRecipe, Register};
use crate::raster::plane::{Plane, Rgb};
use serde::{Deserialize, Serialize};

/// Where a sheet of the shot has its two marks; every other one has them at the same place of the paper.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Marks {
    /// On that sheet before cropping, px.
    pub at: [Pt; 2],
    /// That sheet's pixels an inch.
    pub dpi: f64,
}

impl Marks {
    /// Where they are on a sheet of another resolution, px.
    pub fn on_sheet_of(&self, dpi: f64) -> [Pt; 2] {
        self.at.map(|p| (p * (dpi / self.dpi)).snapped())
    }
}

/// How a picture is laid out by what can be told of it by itself: paper on a darker ground is squared up, peg holes are
/// covered and register it. `pegs`: where the shot's other sheets have the marks of theirs; else they are laid level.
///
/// ```
/// use rhizograph_core::intake::{by_itself, lay_out};
/// use rhizograph_core::raster::plane::Plane;
///
/// let photo = Plane::new(200, 150, [250, 248, 240]);
/// let recipe = by_itself(&photo, 300.0, None);
/// let sheet = lay_out(photo, &recipe)?;
/// assert_eq!((sheet.width, sheet.height), (200, 150));
/// # Ok::<(), rhizograph_core::Error>(())
/// ```
pub fn by_itself(rgb: &Plane<Rgb>, dpi: f64, pegs: Option<Marks>) -> IntakeRecipe {
    let corners = find_corners(rgb).map(|c| c.map(Pt::snapped));
    let squared = IntakeRecipe { corners, ..IntakeRecipe::default() };
    let Ok(layout) = Layout::of(&squared, rgb.width, rgb.height) else {
        return IntakeRecipe::default();
    };
    let found = match corners {
        None => find_pegs(rgb, dpi),
        Some(_) => lay_out(rgb.clone(), &squared).ok().and_then(|square| find_pegs(&square, dpi)),
    };
    let Some(found) = found else {
        return squared;
    };
    // Holes are covered on the original: the box around where each one's corners are there.
    let on_original = |[x, y, w, h]: [f64; 4]| {
        let corners = [pt(x, y), pt(x + w, y), pt(x + w, y + h), pt(x, y + h)].map(|p| layout.to_original.map(p));
        let b = Bounds::of(&corners);
        [b.min.x.floor(), b.min.y.floor(), (b.max.x - b.min.x).ceil(), (b.max.y - b.min.y).ceil()]
    };
    let from = found.marks().map(Pt::snapped);
    let to = pegs.map_or_else(|| level(from), |pegs| pegs.on_sheet_of(dpi));
    IntakeRecipe {
        holes: found.boxes.map(on_original).to_vec(),
        register: Some(Register { from, to, pegs: true }),
        ..squared
    }
}

/// Two marks brought level (or upright) about their middle.
pub fn level(from: [Pt; 2]) -> [Pt; 2] {
    let (middle, half) = (from[0].lerp(from[1], 0.5), from[0].dist(from[1]) / 2.0);
    let d = from[1] - from[0];
    let along = if d.x.abs() > d.y.abs() { pt(half * d.x.signum(), 0.0) } else { pt(0.0, half * d.y.signum()) };
    [(middle - along).snapped(), (middle + along).snapped()]
}
