//! Steps: ink by hand.

use super::ground::Ground;
use super::limits::lie_near;
use super::paint::known;
use crate::draw::{Inked, Pen, Sample, Shape, area_of, ink, outline_of, path_of};
use crate::error::Error;
use crate::geom::area::{common, united};
use crate::geom::{Pt, pt};
use crate::model::line::{Line, Made};
use crate::model::pixels::bounds_of;
use crate::model::sheet::Sheet;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// Ink by hand.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum DrawStep {
    /// One stroke of the pen, in the ink's colour or a swatch's; over all there is, or under. `fuse`: what was drawn in that
    /// colour before and it lies on becomes one shape with it.
    Ink {
        samples: Vec<Sample>,
        pen: Pen,
        swatch: Option<String>,
        under: bool,
        #[serde(default)]
        fuse: bool,
    },
    /// A shape of curves: the points of a chain, ends and handles in turn, `3 n + 1` of them; a closed one ends where it
    /// begins. As a line of a width (px), filled, or both in one group.
    Path { points: Vec<Pt>, closed: bool, width: f64, inked: Inked, swatch: Option<String>, under: bool },
    /// A shape between two places, as a line of a width (px), filled, or both in one group.
    Shape { shape: Shape, from: Pt, to: Pt, width: f64, inked: Inked, swatch: Option<String>, under: bool },
}

impl DrawStep {
    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet, ground: &dyn Ground) -> Result<String, Error> {
        let (forms, swatch, under, label) = match self {
            DrawStep::Ink { samples, pen, swatch, under, fuse } => {
                let form = ink(samples, pen)?;
                lie_near(after, &samples.iter().map(|s| pt(s.0, s.1)).collect::<Vec<_>>())?;
                swatch.iter().try_for_each(|s| known(ground.swatches(), s))?;
                let new = Line { swatch: swatch.clone(), ..Line::new(0, form.clone(), Made::Hand) };
                if *fuse && fused(after, &new) {
                    return Ok("ink, fused".to_owned());
                }
                (vec![form], swatch, *under, "ink")
            }
            DrawStep::Path { points, closed, width, inked, swatch, under } => {
                lie_near(after, points)?;
                (inked.forms(path_of(points, *closed)?, *width)?, swatch, *under, "shape")
            }
            DrawStep::Shape { shape, from, to, width, inked, swatch, under } => {
                lie_near(after, &[*from, *to])?;
                (shape.forms(*from, *to, *width, *inked)?, swatch, *under, "shape")
            }
        };
        swatch.iter().try_for_each(|s| known(ground.swatches(), s))?;
        let group = (forms.len() > 1).then(|| after.fresh_id());
        let lines =
            forms.into_iter().map(|form| Line { swatch: swatch.clone(), group, ..Line::new(0, form, Made::Hand) });
        if under {
            // The lowest one is put beneath last.
            lines.rev().for_each(|line| after.draw_under(line));
        } else {
            lines.for_each(|line| after.draw(line));
        }
        Ok(label.to_owned())
    }
}

/// Makes a new line one shape with all that was drawn in its colour before and that it lies on; whether there is any. The
/// topmost of them stays, with its place and its number.
fn fused(after: &mut Sheet, new: &Line) -> bool {
    let mut area = area_of(new);
    let bounds = bounds_of(new);
    let mut met = Vec::new();
    for line in after.lines.iter().filter(|l| l.made == Made::Hand && l.swatch == new.swatch && l.opacity == 1.0) {
        if line.is_seam() || !bounds_of(line).touches(&bounds) {
            continue;
        }
        let other = area_of(line);
        // Those that only an older one joins to it are one shape with that already.
        if !common(&other, &area_of(new)).is_empty() {
            area = united(&area, &other).concat();
            met.push(line.id);
        }
    }
    let (Some(topmost), Some(form)) = (met.pop(), outline_of(&[area])) else { return false };
    after.lines.retain(|l| !met.contains(&l.id));
    if let Some(line) = after.lines.iter_mut().find(|l| l.id == topmost) {
        Arc::make_mut(line).form = form;
    }
    true
}
