//! Steps: ink by hand.

use super::ground::Ground;
use super::limits::lie_near;
use super::paint::known;
use crate::draw::{Pen, Sample, ink};
use crate::error::Error;
use crate::geom::pt;
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
}

impl DrawStep {
    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet, ground: &dyn Ground) -> Result<String, Error> {
        let DrawStep::Ink { samples, pen, swatch, under } = self;
        swatch.iter().try_for_each(|s| known(ground.swatches(), s))?;
        let form = ink(samples, pen)?;
        let places: Vec<_> = samples.iter().map(|s| pt(s.0, s.1)).collect();
        lie_near(after, &places)?;
        let line = Line { swatch: swatch.clone(), ..Line::new(0, form, Made::Hand) };
        if *under {
            after.draw_under(line)
        } else {
            after.draw(line)
        }
        Ok("ink".to_owned())
    }
}
