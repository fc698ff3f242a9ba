//! Open formats in and out. Every decoder is bounded in bytes, pixels and memory; bad input gives an error that tells
//! the reason in plain words.

pub mod drawing_json;
pub mod raster_in;
pub mod raster_out;
pub mod resolution;
mod svg_bounds;
pub mod svg_in;
pub mod svg_out;

/// The largest file that is read, bytes.
pub const MOST_BYTES: usize = 256 << 20;
/// The longest side of a picture, px.
pub const MOST_SIDE: u32 = 20_000;
/// The most pixels of a picture.
pub const MOST_PIXELS: u64 = 120_000_000;

#[derive(Debug, thiserror::Error)]
pub enum Error {
    #[error("the file is empty")]
    Empty,
    #[error("the file has {} MiB; up to {} MiB of this kind are read", .has.div_ceil(1 << 20), .most >> 20)]
    TooLarge { has: usize, most: usize },
    #[error("this is no PNG, JPEG, TIFF or SVG picture")]
    Unknown,
    #[error("the picture is {0} x {1} pixels; up to {max} a side and 120 megapixels are read", max = MOST_SIDE)]
    TooManyPixels(u32, u32),
    #[error("the {0} file is damaged or cut short: {1}")]
    Damaged(&'static str, String),
    #[error("this kind of {0} is not read: {1}")]
    Unsupported(&'static str, String),
    #[error("this file takes more than is given to one: {0}")]
    TooMuch(String),
    #[error("the picture could not be written: {0}")]
    Write(String),
}

/// What a file holds.
pub enum Input {
    Raster(raster_in::Raster),
    Vector(svg_in::Vector),
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
    if svg_in::looks_like_svg(bytes) {
        svg_in::read(bytes).map(Input::Vector)
    } else {
        raster_in::read(bytes, how.upright).map(Input::Raster)
    }
}
