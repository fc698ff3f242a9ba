//! A file of any kind that is read.

use crate::error::{Error, MOST_BYTES};
use crate::reading::Reading;
use crate::{drawing_json, openraster, raster_in, svg};
use rhizograph_core::model::recipe::FileLayer;

/// What a file holds.
pub enum Input {
    Raster(raster_in::Raster),
    Vector(svg::Vector),
}

/// What was read of a file.
pub enum Got {
    /// A picture whose rows were given as they came.
    Rows(raster_in::Told),
    Whole(Input),
}

fn is_bounded(bytes: &[u8]) -> Result<(), Error> {
    if bytes.is_empty() {
        return Err(Error::Empty);
    }
    if bytes.len() > MOST_BYTES {
        return Err(Error::TooLarge { has: bytes.len(), most: MOST_BYTES });
    }
    Ok(())
}

/// The same as [`read`]; a picture that need not be held whole goes row by row to `rows`. Errors: as there; then rows may have
/// been given.
pub fn read_in_rows(bytes: &[u8], how: Reading, rows: &mut dyn raster_in::Rows) -> Result<Got, Error> {
    is_bounded(bytes)?;
    if let Some(told) = raster_in::read_rows(bytes, &how, rows)? {
        return Ok(Got::Rows(told));
    }
    read(bytes, how).map(Got::Whole)
}

/// Whether a file that begins like this may be one of lines; else it is none.
pub fn may_be_vector(head: &[u8]) -> bool {
    // Text in two bytes for each letter and text with its mark begin by those.
    let begins = |mark: &[u8]| head.starts_with(mark);
    begins(b"\xEF\xBB\xBF") || begins(b"\xFF\xFE") || begins(b"\xFE\xFF") || {
        matches!(head.trim_ascii_start().first(), Some(b'<' | b'{') | None)
    }
}

/// Whether a file is one of lines, not of pixels.
pub fn is_vector(bytes: &[u8]) -> bool {
    may_be_vector(bytes) && (drawing_json::looks_like_drawing(bytes) || svg::looks_like_svg(bytes))
}

/// Reads a picture from the bytes of a file; the contents decide what it is, not the name.
pub fn read(bytes: &[u8], how: Reading) -> Result<Input, Error> {
    is_bounded(bytes)?;
    if drawing_json::looks_like_drawing(bytes) {
        drawing_json::read(bytes).map(Input::Vector)
    } else if svg::looks_like_svg(bytes) {
        match how.layer.as_ref() {
            // Pictures within vector art are looked at one by one.
            Some(FileLayer::Numbers(n)) => svg::picture(bytes, n.first().copied().unwrap_or(0)).map(Input::Raster),
            _ => svg::read(bytes).map(Input::Vector),
        }
    } else if openraster::looks_like_openraster(bytes) {
        openraster::read(bytes, how.layer.as_ref()).map(Input::Raster)
    } else {
        raster_in::read(bytes, how).map(Input::Raster)
    }
}

/// The names of the pictures that can be had of a file by themselves, the topmost first: the layers of a file of layers, what
/// is placed within vector art; none of any other file.
pub fn layers(bytes: &[u8]) -> Result<Vec<String>, Error> {
    if openraster::looks_like_openraster(bytes) {
        openraster::layers(bytes)
    } else if svg::looks_like_svg(bytes) {
        svg::pictures(bytes)
    } else {
        Ok(Vec::new())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_told_to_be_of_lines_is_read_as_lines_and_nothing_else() {
        let svg = "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" height=\"9\"><path d=\"M1 1L8 8\" stroke=\"#000\"/></svg>";
        let commented = format!("\n<!-- {} -->{svg}", "long ".repeat(200));
        let wide: Vec<u8> = [0xFF, 0xFE].into_iter().chain(svg.encode_utf16().flat_map(u16::to_le_bytes)).collect();
        for bytes in [svg.as_bytes(), commented.as_bytes(), &wide] {
            assert!(may_be_vector(&bytes[..bytes.len().min(256)]) && is_vector(bytes));
            assert!(matches!(read(bytes, Reading::default()), Ok(Input::Vector(_))));
        }
        for bytes in [&b"\x89PNG\r\n\x1a\n"[..], b"\xFF\xD8\xFF\xE0", b"II*\0", b"PK\x03\x04", b"<html></html>", b"{}"]
        {
            assert!(!is_vector(bytes), "{bytes:?}");
            assert!(!matches!(read(bytes, Reading::default()), Ok(Input::Vector(_))));
        }
    }
}
