//! How a file is read.

use rhizograph_core::model::recipe::FileLayer;

/// What of a file is read, and how.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct Reading {
    /// Turned as the file says it is to be looked at.
    pub upright: bool,
    /// Of a file of several pages the one that is read, from 1 on; 0: that which is the drawing.
    #[serde(default)]
    pub page: u32,
    /// Of a file of layers what is read; `None`: the one called ink, or where there is none all of them.
    #[serde(default)]
    pub layer: Option<FileLayer>,
}

impl Default for Reading {
    fn default() -> Self {
        Reading { upright: true, page: 0, layer: None }
    }
}
