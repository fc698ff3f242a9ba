//! What is asked of the process that reads a file, and what it answers.

use crate::intake::NewDrawing;
use rhizograph_core::geom::Pt;
use rhizograph_formats::Reading;
use rhizograph_formats::svg::Vector;
use serde::{Deserialize, Serialize};

/// What is asked of the process that reads a file.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(super) enum Asked {
    /// A drawing to be made of it.
    Drawing { file_name: String, pegs: Option<[Pt; 2]> },
    /// The picture or the lines in it.
    Contents(Reading),
}

/// What that process answers. The pixels of a picture come after it.
#[derive(Debug, Serialize, Deserialize)]
pub(super) enum Answer {
    Drawing(Box<NewDrawing>),
    Raster { width: usize, height: usize, dpi: Option<f64>, notes: Vec<String> },
    Vector(Box<Vector>),
    Refused(String),
}
