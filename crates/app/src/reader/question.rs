//! What is asked of the process that reads a file, and what it answers.

use crate::intake::NewDrawing;
use rhizograph_core::intake::Marks;
use rhizograph_formats::Reading;
use rhizograph_formats::svg::Vector;
use serde::{Deserialize, Serialize};

/// What is asked of the process that reads a file.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(super) enum Asked {
    /// A drawing to be made of it, or of a page of it.
    Drawing { file_name: String, pegs: Option<Marks>, page: u32 },
    /// The picture or the lines in it.
    Contents(Reading),
    /// The names of its layers.
    Layers,
}

/// What that process answers. After a picture come its pixels, and then how that ended: `Read` or `Refused`.
#[derive(Debug, Serialize, Deserialize)]
pub(super) enum Answer {
    Drawing(Box<NewDrawing>),
    Raster { width: usize, height: usize },
    Read { dpi: Option<f64>, notes: Vec<String> },
    Vector(Box<Vector>),
    Layers(Vec<String>),
    Refused(String),
}
