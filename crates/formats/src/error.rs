//! What can be wrong with a file, and how much of one is read.

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
    #[error("these are no colours: {0}")]
    Palette(String),
    #[error("{0}")]
    Core(#[from] rhizograph_core::Error),
    #[error("the picture could not be written: {0}")]
    Write(String),
}
