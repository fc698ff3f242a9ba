//! Paint as it is kept: drops, and the swatches they name.

use crate::geom::Pt;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A place and the swatch that fills the region around it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Drop {
    pub at: Pt,
    pub swatch: String,
}

/// A named colour of the colour model.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Swatch {
    pub id: String,
    pub name: String,
    /// sRGB.
    pub colour: [u8; 3],
}
