//! The settings and the work by hand that decide the ink of a sheet.

use super::by_hand::ByHand;
use super::recipe::{LiftRecipe, WeightRecipe};
use crate::error::Error;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What decides the ink of a laid-out sheet.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
pub struct Inking {
    pub lift: LiftRecipe,
    pub weight: WeightRecipe,
    pub by_hand: ByHand,
}

impl Inking {
    /// Refuses numbers outside their ranges, naming the first.
    pub fn check(&self) -> Result<(), Error> {
        self.lift.check()?;
        self.weight.check()?;
        self.by_hand.check()
    }
}
