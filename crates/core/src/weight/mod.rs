//! Weight: the lifted line thicker or thinner, by any fraction of a pixel, on the side that is asked for, only where
//! that is painted. Thinning keeps every line whole.

mod lines;
mod thin;

pub use lines::{Adjust, BROADEST, adjust};

use crate::lift::outside;
use crate::model::recipe::{Edge, Placement, WeightRecipe, px_per_mm};
use crate::raster::disc::grow;
use crate::raster::ink::IS_INK;
use crate::raster::plane::Plane;
use rayon::prelude::*;

/// Everything that decides what weighing gives.
#[derive(Clone, Copy)]
pub struct Weighing<'a> {
    pub recipe: &'a WeightRecipe,
    /// Whether pixels are ink or not, or have soft edges that are to stay as soft.
    pub edge: Edge,
    /// Where weight is wanted and how much of it, 0 to 255; everywhere if there is none.
    pub area: Option<&'a Plane<u8>>,
    /// Paper that is joined to the sheet's border; needed for every placement but both sides.
    pub outside: Option<&'a Plane<u8>>,
    /// Pixels a mm.
    pub px_per_mm: f64,
}

/// The ink with its weight changed: every edge moved by the recipe's amount.
///
/// ```
/// use rhizograph_core::model::recipe::{Edge, WeightRecipe};
/// use rhizograph_core::raster::plane::Plane;
/// use rhizograph_core::weight::weigh;
///
/// let mut alpha = Plane::new(60, 40, 0u8);
/// (10..50).for_each(|x| alpha.set(x, 20, 255));
/// // A tenth of a mm at 254 dpi is a pixel.
/// let recipe = WeightRecipe { amount: 0.1, ..WeightRecipe::default() };
/// let thicker = weigh(&alpha, &recipe, Edge::Crisp, None, 254.0);
/// assert!((19..=21).all(|y| *thicker.at(30, y) == 255) && *thicker.at(30, 22) == 0);
/// ```
pub fn weigh(alpha: &Plane<u8>, recipe: &WeightRecipe, edge: Edge, area: Option<&Plane<u8>>, dpi: f64) -> Plane<u8> {
    let paper = (recipe.placement != Placement::Both && recipe.amount != 0.0).then(|| outside(alpha));
    weigh_part(alpha, Weighing { recipe, edge, area, outside: paper.as_ref(), px_per_mm: px_per_mm(dpi) })
}

/// The steps a pixel that radii are rounded to: what should be whole pixels is, whatever mm times dpi leaves of it.
const FINENESS: f64 = 1e6;

/// How far an edge moves, px.
fn radius(amount: f64, px_per_mm: f64) -> f64 {
    (amount.abs() * px_per_mm * FINENESS).round() / FINENESS
}

/// The same for a part of a sheet, or for the sheet made smaller.
pub fn weigh_part(alpha: &Plane<u8>, by: Weighing) -> Plane<u8> {
    let r = radius(by.recipe.amount, by.px_per_mm);
    if r == 0.0 {
        return alpha.clone();
    }
    let crisp = by.edge == Edge::Crisp;
    if by.recipe.amount > 0.0 {
        let mut out = grow(alpha, r, by.area, crisp);
        if let (Some(outside), true) = (by.outside, by.recipe.placement != Placement::Both) {
            keep_to_one_side(&mut out, alpha, outside, by.recipe.placement == Placement::Outward);
        }
        return out;
    }
    let mut paper = alpha.map(|&a| 255 - a);
    let floor = by.recipe.floor * by.px_per_mm;
    let mut kept = None;
    if let (Some(outside), true) = (by.outside, by.recipe.placement != Placement::Both) {
        // The ink is taken from one side only: only the paper of that side grows, and what lies at the other side's stays
        // as it is, as broad as the floor.
        let outward = by.recipe.placement == Placement::Outward;
        let mut others = Plane::new(alpha.width, alpha.height, 0u8);
        paper.data.par_iter_mut().zip(&outside.data).zip(&mut others.data).for_each(|((p, &o), other)| {
            if *p > 255 - IS_INK && (o > 0) != outward {
                (*p, *other) = (0, 255);
            }
        });
        kept = Some(grow(&others, floor.max(1.5), None, true));
    }
    thin::keep_whole(alpha, paper, thin::Least { floor, kept: kept.as_ref() }, r, by.area, crisp)
}

/// Puts back what grew on the other side. Outward: only outside paper changes. Inward: everything but outside paper and
/// the ink that touches it, so the outer contour stays as it was.
fn keep_to_one_side(out: &mut Plane<u8>, alpha: &Plane<u8>, outside: &Plane<u8>, outward: bool) {
    let (w, h) = (alpha.width, alpha.height);
    out.par_rows_mut().for_each(|(y, row)| {
        for (x, o) in row.iter_mut().enumerate() {
            let here = *outside.at(x, y) > 0;
            let changes = if outward {
                here
            } else {
                !here && {
                    let near = |v: usize| (x.saturating_sub(1)..(x + 2).min(w)).any(|u| *outside.at(u, v) > 0);
                    !(y.saturating_sub(1)..(y + 2).min(h)).any(near)
                }
            };
            if !changes {
                *o = *alpha.at(x, y);
            }
        }
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pixels_exactly_on_the_radius_are_taken_whatever_mm_and_dpi_leave_of_it() {
        for (mm, dpi, px) in [(0.508, 300.0, 6), (0.254, 600.0, 6), (0.127, 400.0, 2), (0.381, 200.0, 3)] {
            let mut dot = Plane::new(41, 41, 0u8);
            dot.set(20, 20, 255);
            let recipe = WeightRecipe { amount: mm, ..WeightRecipe::default() };
            let grown = weigh(&dot, &recipe, Edge::Crisp, None, dpi);
            let off = |i: usize| (i as i64 % 41 - 20).pow(2) + (i as i64 / 41 - 20).pow(2);
            for (i, &a) in grown.data.iter().enumerate() {
                assert_eq!(a == 255, off(i) <= px * px, "{mm} mm at {dpi} dpi, {} px² away", off(i));
            }
        }
    }
}
