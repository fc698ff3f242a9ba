//! Steps: how the sheet lies on its original.

use crate::error::Error;
use crate::geom::homography::Homography;
use crate::geom::{Pt, pt};
use crate::intake::Layout;
use crate::model::by_hand::ByHand;
use crate::model::recipe::IntakeRecipe;
use crate::model::sheet::Sheet;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// How the sheet lies on its original.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum IntakeStep {
    /// Lays the sheet out anew; what was drawn on it goes along.
    Intake { intake: Box<IntakeRecipe> },
    /// Says how many pixels of the original make an inch.
    Resolution { dpi: f64 },
}

impl IntakeStep {
    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet) -> Result<String, Error> {
        Ok(match self {
            IntakeStep::Intake { intake } => {
                let is_other = intake.layer != after.recipes.intake.layer;
                lay_out_anew(after, intake)?;
                if is_other { "chose the layer of the ink" } else { "laid the sheet out" }.to_owned()
            }
            IntakeStep::Resolution { dpi } => {
                if !(20.0..=4800.0).contains(dpi) {
                    return Err(Error::Recipe { name: "resolution", value: *dpi, from: 20.0, to: 4800.0 });
                }
                after.dpi = *dpi;
                after.dpi_assumed = false;
                "resolution".to_owned()
            }
        })
    }
}

/// How exactly lines follow a sheet that is squared up, px.
const LED_WITHIN: f64 = 0.05;

/// Lays the sheet out by another recipe and takes everything on it along.
fn lay_out_anew(after: &mut Sheet, intake: &IntakeRecipe) -> Result<(), Error> {
    let [w, h] = after.original;
    let (old, new) = (Layout::of(&after.recipes.intake, w, h)?, Layout::of(intake, w, h)?);
    let map = old.to(&new).ok_or(Error::Mismatch("the sheet cannot be laid out like that"))?;
    (after.width, after.height) = (new.width, new.height);
    after.recipes.intake = intake.clone();
    if map == Homography::IDENTITY {
        return Ok(());
    }
    let go = |p: Pt| map.map(p).snapped();
    // How much larger things are there; on a sheet squared up it differs from place to place.
    let scale = |p: Pt| {
        let (o, x, y) = (map.map(p), map.map(p + pt(1.0, 0.0)), map.map(p + pt(0.0, 1.0)));
        (x - o).cross(y - o).abs().sqrt()
    };
    let turn = |d: Pt, at: Pt| (map.map(at + d) - map.map(at)).unit();
    let knots = |path: &mut Vec<[f64; 3]>| {
        for k in path.iter_mut() {
            let p = pt(k[0], k[1]);
            let q = go(p);
            *k = [q.x, q.y, k[2] * scale(p)];
        }
    };
    for line in &mut after.lines {
        *line = Arc::new(line.mapped(&|p| map.map(p), &scale, &turn, LED_WITHIN));
    }
    after.erased.iter_mut().for_each(|e| e.it = e.mapped(go, turn, scale));
    after.reweighed.iter_mut().for_each(|r| knots(&mut r.path));
    after.drops.iter_mut().for_each(|d| d.at = go(d.at));
    after.settled.iter_mut().for_each(|s| s.at = go(s.at));
    let by_hand = |b: &mut ByHand| {
        for t in &mut b.touches {
            t.size = (t.size * scale(t.path[0])).clamp(0.5, 4000.0);
            t.path.iter_mut().for_each(|p| *p = go(*p));
        }
        b.protected.iter_mut().for_each(|p| *p = go(*p));
    };
    by_hand(&mut after.by_hand);
    if let Some(t) = &mut after.traced {
        by_hand(&mut t.inking.by_hand);
    }
    if !after.lies_near() {
        return Err(Error::Mismatch("what was drawn on the sheet would lie too far off it"));
    }
    Ok(())
}
