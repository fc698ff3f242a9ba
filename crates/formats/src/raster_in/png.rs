//! PNG, row by row: no more of it than the picture itself is ever held. Colour profiles and texts are passed over unpacked.

use super::decoded::{Decoded, fill_missing, missing_part, on_white, to_8, within_bounds};
use crate::error::{Error, MOST_PIXELS};
use image::metadata::Orientation;
use png::{BitDepth, ColorType, Decoder, DecodingError, Limits, Transformations};
use rhizograph_core::raster::plane::{Plane, Rgb};
use std::io::Cursor;

/// The size a PNG's header tells, before anything else of the file is read.
fn size(bytes: &[u8]) -> Option<(u32, u32)> {
    let head = bytes.strip_prefix(b"\x89PNG\r\n\x1a\n")?;
    let number = |at: usize| head.get(at..at + 4)?.try_into().ok().map(u32::from_be_bytes);
    Some((number(8)?, number(12)?))
}

pub(super) fn decode(bytes: &[u8]) -> Result<Decoded, Error> {
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
    let mut notes = Vec::new();
    let mut data: Vec<Rgb> = Vec::with_capacity(width * height);
    if reader.info().interlaced {
        let mut whole = vec![0; reader.output_buffer_size().ok_or(Error::TooManyPixels(width as u32, height as u32))?];
        reader.next_frame(&mut whole).map_err(damaged)?;
        whole.chunks_exact(whole.len() / height).for_each(|row| take(row, colour, is_wide, &mut data));
    } else {
        loop {
            match reader.next_row() {
                Ok(Some(row)) => take(row.data(), colour, is_wide, &mut data),
                Ok(None) => break,
                // Of what was cut short most may be there.
                Err(_) => {
                    notes.push(missing_part("PNG", height - data.len() / width, height)?);
                    break;
                }
            }
        }
    }
    let missing = height - data.len() / width;
    data.resize(width * height, [255; 3]);
    let mut rgb = Plane { width, height, data };
    fill_missing(&mut rgb, missing);
    Ok(Decoded { rgb, turn, notes })
}

/// Adds a row of samples as colours.
fn take(row: &[u8], colour: ColorType, is_wide: bool, out: &mut Vec<Rgb>) {
    if is_wide {
        let narrow: Vec<u8> = row.as_chunks::<2>().0.iter().map(|v| to_8(u16::from_be_bytes(*v))).collect();
        return take(&narrow, colour, false, out);
    }
    match colour {
        ColorType::Grayscale | ColorType::Indexed => out.extend(row.iter().map(|&v| [v; 3])),
        ColorType::GrayscaleAlpha => out.extend(row.as_chunks::<2>().0.iter().map(|p| on_white([p[0]; 3], p[1]))),
        ColorType::Rgb => out.extend_from_slice(row.as_chunks::<3>().0),
        ColorType::Rgba => out.extend(row.as_chunks::<4>().0.iter().map(|p| on_white([p[0], p[1], p[2]], p[3]))),
    }
}
