//! Steps: what is done to the lift by hand.

use super::limits::{THINNED_WITHIN, lie_near};
use crate::error::Error;
use crate::geom::{Pt, thinned};
use crate::model::by_hand::{Effect, Touch};
use crate::model::recipe::px_per_mm;
use crate::model::sheet::Sheet;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What is done to the lift by hand.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum LiftStep {
    /// One stroke of the touch-up brush.
    Touch { touch: Touch },
    /// Turns what is painted for an effect about.
    Invert { effect: Effect },
    /// Takes off all that is painted for an effect.
    ClearArea { effect: Effect },
    /// Protects a dot from going as a speck, or gives one up that was protected there.
    Protect { at: Pt },
}

impl LiftStep {
    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet) -> Result<String, Error> {
        Ok(match self {
            LiftStep::Touch { touch } => {
                lie_near(after, &touch.path)?;
                let path = thinned(&touch.path, THINNED_WITHIN).iter().map(|p| p.snapped()).collect();
                after.touch_up(Touch { path, ..touch.clone() });
                after.by_hand.check()?;
                "touch-up".to_owned()
            }
            LiftStep::Invert { effect } => {
                let inverted = &mut after.by_hand.inverted;
                match inverted.binary_search(effect) {
                    Ok(k) => {
                        inverted.remove(k);
                    }
                    Err(k) => inverted.insert(k, *effect),
                }
                "turned the area about".to_owned()
            }
            LiftStep::ClearArea { effect } => {
                after.by_hand.touches.retain(|t| t.effect != *effect);
                after.by_hand.inverted.retain(|e| e != effect);
                "cleared the area".to_owned()
            }
            LiftStep::Protect { at } => {
                lie_near(after, &[*at])?;
                let near = px_per_mm(after.dpi).max(6.0);
                let known = after.by_hand.protected.iter().position(|p| p.dist(*at) < near);
                match known {
                    Some(k) => {
                        after.by_hand.protected.remove(k);
                        "gave a dot up".to_owned()
                    }
                    None => {
                        after.by_hand.protected.push(at.snapped());
                        after.by_hand.check()?;
                        "protected a dot".to_owned()
                    }
                }
            }
        })
    }
}
