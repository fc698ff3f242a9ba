//! What every decoder gives, and what all of them need.

use crate::error::{Error, MOST_PIXELS, MOST_SIDE};
use image::metadata::Orientation;
use rhizograph_core::raster::plane::{Plane, Rgb};

/// What a decoder gives: the picture as it is stored, how it is to be turned, and notes.
pub(super) struct Decoded<P = Rgb> {
    pub(super) pixels: Plane<P>,
    pub(super) turn: Orientation,
    pub(super) notes: Vec<String>,
}

/// What is kept of a pixel: its colour on white, or with how much of it is there.
pub(super) trait Seen: Copy + Send + Sync {
    /// Of a colour that is see-through by `255 - a`.
    fn of(colour: Rgb, a: u8) -> Self;
    fn colour(self) -> Rgb;
}

impl Seen for Rgb {
    #[inline]
    fn of(colour: Rgb, a: u8) -> Rgb {
        on_white(colour, a)
    }

    fn colour(self) -> Rgb {
        self
    }
}

/// Red, green, blue and alpha, not multiplied by one another.
pub type Rgba = [u8; 4];

impl Seen for Rgba {
    #[inline]
    fn of([r, g, b]: Rgb, a: u8) -> Rgba {
        [r, g, b, a]
    }

    fn colour(self) -> Rgb {
        [self[0], self[1], self[2]]
    }
}

pub(super) fn within_bounds(w: u32, h: u32) -> Result<(), Error> {
    let fits = w > 0 && h > 0 && w <= MOST_SIDE && h <= MOST_SIDE && u64::from(w) * u64::from(h) <= MOST_PIXELS;
    if fits { Ok(()) } else { Err(Error::TooManyPixels(w, h)) }
}

/// With so little of a picture nobody can do anything: the share of its rows that has to be there.
const LEAST_SHARE: f64 = 0.1;

/// Tells how much of a picture is missing at its lower end. Errors: hardly anything is there.
pub(super) fn missing_part(name: &'static str, rows: usize, height: usize) -> Result<String, Error> {
    let missing = rows as f64 / height as f64;
    let percent = 100.0 * missing;
    if missing > 1.0 - LEAST_SHARE {
        return Err(Error::Damaged(name, format!("the lower {percent:.0} % of the picture are missing")));
    }
    Ok(format!("the file is damaged or cut short: the lower {percent:.0} % of the picture are missing"))
}

/// What rows that are missing are taken for: the colour that is in the middle of those in the last row there, mostly paper.
pub(super) fn paper_of<P: Seen>(last: &[P]) -> P {
    let middle: Rgb = std::array::from_fn(|c| {
        let mut values: Vec<u8> = last.iter().map(|p| p.colour()[c]).collect();
        values.sort_unstable();
        values.get(values.len() / 2).copied().unwrap_or(255)
    });
    P::of(middle, 255)
}

/// Gives rows that are missing at the lower end the colour of paper.
pub(super) fn fill_missing<P: Seen>(pixels: &mut Plane<P>, rows: usize) {
    let there = pixels.height - rows;
    let Some(last) = there.checked_sub(1).filter(|_| rows > 0) else { return };
    let paper = paper_of(pixels.row(last));
    let width = pixels.width;
    pixels.data[there * width..].fill(paper);
}

/// 16 bits as 8, to the nearest.
pub(super) fn to_8(v: u16) -> u8 {
    ((u32::from(v) * 255 + 32_767) / 65_535) as u8
}

/// A colour that is see-through by `255 - a`, on white.
#[inline]
pub(super) fn on_white(colour: Rgb, a: u8) -> Rgb {
    if a == 255 { colour } else { over([255; 3], colour, a) }
}

/// A colour that is see-through by `255 - a`, on another.
pub fn over(ground: Rgb, colour: Rgb, a: u8) -> Rgb {
    let a = u32::from(a);
    std::array::from_fn(|k| ((u32::from(colour[k]) * a + u32::from(ground[k]) * (255 - a) + 127) / 255) as u8)
}

/// Red, green and blue of a colour in cyan, magenta, yellow and black.
pub(super) fn of_cmyk([c, m, y, k]: [u8; 4]) -> Rgb {
    [c, m, y].map(|v| ((255 - u32::from(v)) * (255 - u32::from(k)) / 255) as u8)
}
