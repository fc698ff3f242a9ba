//! A file of any kind that is read.

use crate::error::{Error, MOST_BYTES};
use crate::{drawing_json, openraster, raster_in, svg};

/// What a file holds.
pub enum Input {
    Raster(raster_in::Raster),
    Vector(svg::Vector),
}

/// How a file is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct Reading {
    /// Turned as the file says it is to be looked at.
    pub upright: bool,
}

impl Default for Reading {
    fn default() -> Self {
        Reading { upright: true }
    }
}

/// Reads a picture from the bytes of a file; the contents decide what it is, not the name.
pub fn read(bytes: &[u8], how: Reading) -> Result<Input, Error> {
    if bytes.is_empty() {
        return Err(Error::Empty);
    }
    if bytes.len() > MOST_BYTES {
        return Err(Error::TooLarge { has: bytes.len(), most: MOST_BYTES });
    }
    if drawing_json::looks_like_drawing(bytes) {
        drawing_json::read(bytes).map(Input::Vector)
    } else if svg::looks_like_svg(bytes) {
        svg::read(bytes).map(Input::Vector)
    } else if openraster::looks_like_openraster(bytes) {
        openraster::ink(bytes).map(Input::Raster)
    } else {
        raster_in::read(bytes, how.upright).map(Input::Raster)
    }
}
