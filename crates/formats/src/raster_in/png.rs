//! PNG, row by row: no more of it than the picture itself is ever held, or than one row where rows will do. Colour profiles and texts are passed over unpacked.

use super::decoded::{Decoded, Seen, missing_part, paper_of, to_8, within_bounds};
use crate::error::{Error, MOST_PIXELS};
use image::metadata::Orientation;
use png::{BitDepth, ColorType, Decoder, DecodingError, Limits, Transformations};
use rhizograph_core::raster::plane::Plane;
use std::io::Cursor;

/// The size a PNG's header tells, before anything else of the file is read.
fn size(bytes: &[u8]) -> Option<(u32, u32)> {
    let head = bytes.strip_prefix(b"\x89PNG\r\n\x1a\n")?;
    let number = |at: usize| head.get(at..at + 4)?.try_into().ok().map(u32::from_be_bytes);
    Some((number(8)?, number(12)?))
}

/// What takes a picture as it is decoded.
pub(super) trait Taking<P> {
    /// Told before any row; whether it takes a picture of that size that is to be turned so.
    fn begin(&mut self, width: usize, height: usize, turn: Orientation) -> bool;
    /// The next row, from the top on.
    fn row(&mut self, row: &[P]);
}

/// A whole picture.
struct Whole<P>(Plane<P>, Orientation);

impl<P: Seen> Taking<P> for Whole<P> {
    fn begin(&mut self, width: usize, height: usize, turn: Orientation) -> bool {
        *self = Whole(Plane { width, height, data: Vec::with_capacity(width * height) }, turn);
        true
    }

    fn row(&mut self, row: &[P]) {
        self.0.data.extend_from_slice(row);
    }
}

/// A picture with what each pixel is made of.
pub(super) fn decode<P: Seen>(bytes: &[u8]) -> Result<Decoded<P>, Error> {
    let mut whole = Whole(Plane { width: 0, height: 0, data: Vec::new() }, Orientation::NoTransforms);
    let notes = decode_into(bytes, &mut whole)?.unwrap_or_default();
    Ok(Decoded { pixels: whole.0, turn: whole.1, notes })
}

/// Decodes row by row; gives what is missing, in words, or `None` where `out` does not take it. Errors: too many pixels,
/// damage; then rows may have been given.
pub(super) fn decode_into<P: Seen>(bytes: &[u8], out: &mut dyn Taking<P>) -> Result<Option<Vec<String>>, Error> {
    let damaged = |e: DecodingError| Error::Damaged("PNG", e.to_string());
    if let Some((w, h)) = size(bytes) {
        within_bounds(w, h)?;
    }
    let limits = Limits { bytes: MOST_PIXELS as usize * 8 + (64 << 20) };
    let mut decoder = Decoder::new_with_limits(Cursor::new(bytes), limits);
    decoder.set_ignore_text_chunk(true);
    decoder.set_ignore_iccp_chunk(true);
    decoder.set_transformations(Transformations::EXPAND);
    let mut reader = decoder.read_info().map_err(damaged)?;
    let (width, height) = (reader.info().width as usize, reader.info().height as usize);
    within_bounds(reader.info().width, reader.info().height)?;
    let exif = reader.info().exif_metadata.as_ref();
    let turn = exif.and_then(|e| Orientation::from_exif_chunk(e)).unwrap_or(Orientation::NoTransforms);
    let (colour, depth) = reader.output_color_type();
    let is_wide = depth == BitDepth::Sixteen;
    if !out.begin(width, height, turn) {
        return Ok(None);
    }
    let mut notes = Vec::new();
    let mut row: Vec<P> = Vec::with_capacity(width);
    let mut put = |samples: &[u8]| {
        row.clear();
        take(samples, colour, is_wide, &mut row);
        out.row(&row);
    };
    if reader.info().interlaced {
        let mut whole = vec![0; reader.output_buffer_size().ok_or(Error::TooManyPixels(width as u32, height as u32))?];
        reader.next_frame(&mut whole).map_err(damaged)?;
        whole.chunks_exact(whole.len() / height).for_each(put);
        return Ok(Some(notes));
    }
    for there in 0..height {
        match reader.next_row() {
            Ok(Some(samples)) => put(samples.data()),
            // Of what was cut short most may be there.
            Ok(None) | Err(_) => {
                notes.push(missing_part("PNG", height - there, height)?);
                let missing = vec![paper_of(&row); width];
                (there..height).for_each(|_| out.row(&missing));
                break;
            }
        }
    }
    Ok(Some(notes))
}

/// Adds a row of samples as colours.
fn take<P: Seen>(row: &[u8], colour: ColorType, is_wide: bool, out: &mut Vec<P>) {
    if is_wide {
        let narrow: Vec<u8> = row.as_chunks::<2>().0.iter().map(|v| to_8(u16::from_be_bytes(*v))).collect();
        return take(&narrow, colour, false, out);
    }
    match colour {
        ColorType::Grayscale | ColorType::Indexed => out.extend(row.iter().map(|&v| P::of([v; 3], 255))),
        ColorType::GrayscaleAlpha => out.extend(row.as_chunks::<2>().0.iter().map(|p| P::of([p[0]; 3], p[1]))),
        ColorType::Rgb => out.extend(row.as_chunks::<3>().0.iter().map(|p| P::of(*p, 255))),
        ColorType::Rgba => out.extend(row.as_chunks::<4>().0.iter().map(|p| P::of([p[0], p[1], p[2]], p[3]))),
    }
}
