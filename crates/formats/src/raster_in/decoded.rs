//! What every decoder gives, and what all of them need.

use crate::error::{Error, MOST_PIXELS, MOST_SIDE};
use image::metadata::Orientation;
use rhizograph_core::raster::plane::{Plane, Rgb};

/// What a decoder gives: the picture as it is stored, how it is to be turned, and notes.
pub(super) struct Decoded {
    pub(super) rgb: Plane<Rgb>,
    pub(super) turn: Orientation,
    pub(super) notes: Vec<String>,
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

/// Gives rows that are missing the colour that is in the middle of those in the last row there: mostly paper.
pub(super) fn fill_missing(rgb: &mut Plane<Rgb>, rows: usize) {
    let there = rgb.height - rows;
    let Some(last) = there.checked_sub(1).filter(|_| rows > 0) else { return };
    let middle: Rgb = std::array::from_fn(|c| {
        let mut values: Vec<u8> = rgb.row(last).iter().map(|p| p[c]).collect();
        values.sort_unstable();
        values.get(values.len() / 2).copied().unwrap_or(255)
    });
    rgb.data[there * rgb.width..].fill(middle);
}

/// 16 bits as 8, to the nearest.
pub(super) fn to_8(v: u16) -> u8 {
    ((u32::from(v) * 255 + 32_767) / 65_535) as u8
}

/// A colour that is see-through by `255 - a`, on white.
pub(super) fn on_white(colour: Rgb, a: u8) -> Rgb {
    let a = u32::from(a);
    colour.map(|c| ((u32::from(c) * a + 255 * (255 - a) + 127) / 255) as u8)
}

/// Red, green and blue of a colour in cyan, magenta, yellow and black.
pub(super) fn of_cmyk([c, m, y, k]: [u8; 4]) -> Rgb {
    [c, m, y].map(|v| ((255 - u32::from(v)) * (255 - u32::from(k)) / 255) as u8)
}
