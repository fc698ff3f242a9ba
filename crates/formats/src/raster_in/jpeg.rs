//! JPEG, 8 bits a sample. What was cut or damaged half way is taken as far as it goes, with a note.

use super::{Decoded, missing_part, within_bounds};
use crate::{Error, MOST_SIDE};
use image::metadata::Orientation;
use rhizograph_core::plane::Plane;
use zune_core::bytestream::ZCursor;
use zune_core::colorspace::ColorSpace;
use zune_core::options::DecoderOptions;
use zune_jpeg::JpegDecoder;

/// What the markers of a JPEG tell before it is decoded.
struct Markers {
    /// Bits of a sample.
    precision: u8,
    width: u32,
    height: u32,
    is_progressive: bool,
    /// An end mark comes after the picture data.
    is_whole: bool,
}

/// Reads the markers up to the picture data.
fn markers(bytes: &[u8]) -> Option<Markers> {
    let mut at = 2;
    let mut found: Option<Markers> = None;
    while let Some(&[0xFF, kind, high, low]) = bytes.get(at..at + 4) {
        // Any number of bytes may fill up before a marker.
        if kind == 0xFF {
            at += 1;
            continue;
        }
        if kind == 0xDA {
            let is_whole = bytes[at..].windows(2).any(|w| w == [0xFF, 0xD9]);
            return found.map(|m| Markers { is_whole, ..m });
        }
        if matches!(kind, 0xC0..=0xCF) && !matches!(kind, 0xC4 | 0xC8 | 0xCC) {
            let frame = bytes.get(at + 4..at + 10)?;
            let number = |k: usize| u32::from(u16::from_be_bytes([frame[k], frame[k + 1]]));
            let is_progressive = matches!(kind, 0xC2 | 0xC6 | 0xCA | 0xCE);
            found = Some(Markers {
                precision: frame[0],
                height: number(1),
                width: number(3),
                is_progressive,
                is_whole: false,
            });
        }
        at += 2 + usize::from(u16::from_be_bytes([high, low]));
    }
    None
}

pub(super) fn decode(bytes: &[u8]) -> Result<Decoded, Error> {
    let damaged = |e: &dyn std::fmt::Display| Error::Damaged("JPEG", e.to_string());
    let markers = markers(bytes).ok_or_else(|| damaged(&"its picture data are missing"))?;
    within_bounds(markers.width, markers.height)?;
    if markers.precision != 8 {
        return Err(Error::Unsupported("JPEG", format!("it has {} bits a sample", markers.precision)));
    }
    let options = |is_strict| {
        let side = MOST_SIDE as usize;
        DecoderOptions::default().set_strict_mode(is_strict).set_max_width(side).set_max_height(side)
    };
    let mut headers = JpegDecoder::new_with_options(ZCursor::new(bytes), options(false));
    headers.decode_headers().map_err(|e| damaged(&e))?;
    let turn = headers.exif().and_then(|e| Orientation::from_exif_chunk(e)).unwrap_or(Orientation::NoTransforms);
    let space = match headers.input_colorspace() {
        Some(ColorSpace::Luma) => ColorSpace::Luma,
        _ => ColorSpace::RGB,
    };
    let run = |is_strict| {
        let options = options(is_strict).jpeg_set_out_colorspace(space);
        JpegDecoder::new_with_options(ZCursor::new(bytes), options).decode()
    };
    // What is not as it should be is read again as far as it goes.
    let (mut samples, is_as_should_be) = match run(true) {
        Ok(samples) => (samples, true),
        Err(_) => (run(false).map_err(|e| damaged(&e))?, false),
    };
    let (width, height, each) = (markers.width as usize, markers.height as usize, space.num_components());
    if samples.len() != width * height * each {
        return Err(damaged(&"its picture data do not fit its size"));
    }
    let mut notes = Vec::new();
    if markers.is_whole && !is_as_should_be {
        notes.push("the file is damaged: a part of the picture may be missing or wrong".to_owned());
    } else if !markers.is_whole && markers.is_progressive {
        notes.push("the end of the file is missing: the picture is less sharp than it was".to_owned());
    } else if !markers.is_whole {
        let rows = missing_rows(&samples, width * each);
        notes.push(missing_part("JPEG", rows, height)?);
        let there = samples.len() - rows * width * each;
        samples[there..].fill(255);
    }
    let data = match space {
        ColorSpace::Luma => samples.iter().map(|&v| [v; 3]).collect(),
        _ => samples.as_chunks::<3>().0.to_vec(),
    };
    Ok(Decoded { rgb: Plane { width, height, data }, turn, notes })
}

/// How many rows at the lower end are of one value throughout: what a decoder leaves where data are missing.
fn missing_rows(samples: &[u8], row: usize) -> usize {
    let Some(&last) = samples.last() else { return 0 };
    samples.rchunks(row).take_while(|r| r.iter().all(|&v| v == last)).count()
}
