//! JPEG, 8 bits a sample. What was cut or damaged half way is taken as far as it goes, with a note.

use super::decoded::{Decoded, fill_missing, missing_part, within_bounds};
use crate::error::{Error, MOST_SIDE};
use image::metadata::Orientation;
use rhizograph_core::raster::plane::Plane;
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
    /// Markers lie in the picture data that do not belong there.
    is_strewn: bool,
}

/// Whether markers lie in the data of a scan that do not belong there: parts end only where the file says it has such,
/// one after the other.
fn is_strewn(data: &[u8], has_parts: bool) -> bool {
    let mut next_part = 0;
    let markers = data.windows(2).filter(|w| w[0] == 0xFF && !matches!(w[1], 0 | 0xFF)).map(|w| w[1]);
    for marker in markers {
        match marker {
            0xD0..=0xD7 if has_parts && marker & 7 == next_part => next_part = (next_part + 1) & 7,
            0xD0..=0xD7 => return true,
            // The end, or another scan with what belongs to it: the decoder looks at that.
            0xC4 | 0xD9..=0xDD | 0xE0..=0xEF | 0xFE => return false,
            _ => return true,
        }
    }
    false
}

/// Reads the markers up to the picture data.
fn markers(bytes: &[u8]) -> Option<Markers> {
    let mut at = 2;
    let mut found: Option<Markers> = None;
    let mut has_parts = false;
    while let Some(&[0xFF, kind, high, low]) = bytes.get(at..at + 4) {
        // Any number of bytes may fill up before a marker.
        if kind == 0xFF {
            at += 1;
            continue;
        }
        if kind == 0xDA {
            let is_whole = bytes[at..].windows(2).any(|w| w == [0xFF, 0xD9]);
            let data = bytes.get(at + 2 + usize::from(u16::from_be_bytes([high, low]))..).unwrap_or_default();
            return found.map(|m| Markers { is_whole, is_strewn: is_strewn(data, has_parts), ..m });
        }
        if kind == 0xDD {
            has_parts = bytes.get(at + 4..at + 6).is_some_and(|n| n != [0, 0]);
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
                is_strewn: false,
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
    let (samples, is_as_should_be) = match run(true) {
        Ok(samples) => (samples, true),
        Err(_) => (run(false).map_err(|e| damaged(&e))?, false),
    };
    let (width, height, each) = (markers.width as usize, markers.height as usize, space.num_components());
    if samples.len() != width * height * each {
        return Err(damaged(&"its picture data do not fit its size"));
    }
    let mut notes = Vec::new();
    let mut missing = 0;
    if markers.is_whole && (markers.is_strewn || !is_as_should_be) {
        notes.push("the file is damaged: a part of the picture may be missing or wrong".to_owned());
    } else if !markers.is_whole && markers.is_progressive {
        notes.push("the end of the file is missing: the picture is less sharp than it was".to_owned());
    } else if !markers.is_whole {
        let rows = missing_rows(&samples, width * each);
        notes.push(missing_part("JPEG", rows, height)?);
        missing = rows;
    }
    let data = match space {
        ColorSpace::Luma => samples.iter().map(|&v| [v; 3]).collect(),
        _ => samples.as_chunks::<3>().0.to_vec(),
    };
    let mut rgb = Plane { width, height, data };
    fill_missing(&mut rgb, missing);
    Ok(Decoded { pixels: rgb, turn, notes })
}

/// How many rows at the lower end are of one value throughout: what a decoder leaves where data are missing.
fn missing_rows(samples: &[u8], row: usize) -> usize {
    let Some(&last) = samples.last() else { return 0 };
    samples.rchunks(row).take_while(|r| r.iter().all(|&v| v == last)).count()
}

#[cfg(test)]
mod tests {
    use super::*;
    use image::{DynamicImage, GrayImage, ImageFormat, Luma};
    use std::io::Cursor;

    fn whole() -> Vec<u8> {
        let picture = GrayImage::from_fn(320, 240, |x, y| Luma([((x * x + 3 * y * y) % 251) as u8]));
        let mut out = Cursor::new(Vec::new());
        DynamicImage::ImageRgb8(DynamicImage::ImageLuma8(picture).to_rgb8())
            .write_to(&mut out, ImageFormat::Jpeg)
            .unwrap();
        out.into_inner()
    }

    #[test]
    fn of_a_picture_that_was_cut_short_what_is_there_is_taken_and_the_rest_is_paper_and_told() {
        let bytes = whole();
        let full = decode(&bytes).unwrap();
        assert!(full.notes.is_empty(), "{:?}", full.notes);
        let cut = decode(&bytes[..bytes.len() / 2]).unwrap();
        assert_eq!(cut.notes.len(), 1);
        assert!(cut.notes[0].contains("missing"), "{:?}", cut.notes);
        // About half of the rows are as they were; those that are missing are paper.
        let rows = |like: &dyn Fn(usize) -> bool| (0..240).take_while(|&y| like(y)).count();
        let same = rows(&|y| cut.pixels.row(y) == full.pixels.row(y));
        assert!((80..160).contains(&same), "{same}");
        assert!(cut.pixels.row(239).iter().all(|p| p == cut.pixels.at(0, 239)));
        assert!((100..160).contains(&cut.pixels.at(0, 239)[0]), "{:?}", cut.pixels.at(0, 239));
        assert!(decode(&bytes[..bytes.len() / 30]).is_err());
    }

    #[test]
    fn a_picture_that_was_garbled_is_taken_and_told() {
        let mut bytes = whole();
        let (half, n) = (bytes.len() / 2, bytes.len());
        // An end of a part where none is.
        for at in (half..n - 40).step_by(97) {
            bytes[at..at + 2].copy_from_slice(&[0xFF, 0xD3]);
        }
        let garbled = decode(&bytes).unwrap();
        assert!(garbled.notes.iter().any(|n| n.contains("damaged")), "{:?}", garbled.notes);
        assert_eq!(garbled.pixels.row(0), decode(&whole()).unwrap().pixels.row(0));
    }

    #[test]
    fn a_photo_lies_as_it_says() {
        // An application marker that says: turn by a quarter, clockwise.
        let exif = [&b"Exif\0\0MM\0*\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0"[..], &[0; 4]].concat();
        let mut bytes = vec![0xFF, 0xD8, 0xFF, 0xE1];
        bytes.extend(((exif.len() + 2) as u16).to_be_bytes());
        bytes.extend(exif);
        bytes.extend(&whole()[2..]);
        let turned = crate::raster_in::read(&bytes, crate::Reading::default()).unwrap().rgb;
        let stored =
            crate::raster_in::read(&bytes, crate::Reading { upright: false, ..Default::default() }).unwrap().rgb;
        assert_eq!([turned.width, turned.height, stored.width, stored.height], [240, 320, 320, 240]);
        assert_eq!(*turned.at(239, 0), *stored.at(0, 0));
        assert_eq!(*turned.at(239, 319), *stored.at(319, 0));
    }

    #[test]
    fn twelve_bits_are_named() {
        let mut bytes = whole();
        let frame = bytes.windows(2).position(|w| w == [0xFF, 0xC0]).unwrap();
        bytes[frame + 4] = 12;
        assert!(matches!(decode(&bytes), Err(Error::Unsupported("JPEG", why)) if why.contains("12 bits")));
    }
}
