//! Steps: ink by hand.

use super::ground::Ground;
use super::limits::lie_near;
use super::paint::known;
use crate::draw::{Inked, Pen, Sample, Shape, ink};
use crate::error::Error;
use crate::geom::{Pt, pt};
use crate::model::line::{Line, Made};
use crate::model::sheet::Sheet;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Ink by hand.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum DrawStep {
    /// One stroke of the pen, in the ink's colour or a swatch's; over all there is, or under.
    Ink { samples: Vec<Sample>, pen: Pen, swatch: Option<String>, under: bool },
    /// A shape between two places, as a line of a width (px), filled, or both in one group.
    Shape { shape: Shape, from: Pt, to: Pt, width: f64, inked: Inked, swatch: Option<String>, under: bool },
}

impl DrawStep {
    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet, ground: &dyn Ground) -> Result<String, Error> {
        let (forms, swatch, under, label) = match self {
            DrawStep::Ink { samples, pen, swatch, under } => {
                let form = ink(samples, pen)?;
                lie_near(after, &samples.iter().map(|s| pt(s.0, s.1)).collect::<Vec<_>>())?;
                (vec![form], swatch, *under, "ink")
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
