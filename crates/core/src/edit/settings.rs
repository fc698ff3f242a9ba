//! Steps: the settings of all stations.

use crate::error::Error;
use crate::model::recipe::Recipes;
use crate::model::sheet::Sheet;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// The settings of all stations.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum SettingsStep {
    /// New settings; lines stay as they are until traced again.
    Recipes { recipes: Box<Recipes> },
}

impl SettingsStep {
    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet) -> Result<String, Error> {
        Ok(match self {
            SettingsStep::Recipes { recipes } => {
                recipes.check()?;
                if recipes.intake != after.recipes.intake {
                    return Err(Error::Mismatch("the sheet is laid out by a step of its own"));
                }
                after.recipes = (**recipes).clone();
                "settings".to_owned()
            }
        })
    }
}
