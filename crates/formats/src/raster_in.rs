//! PNG, JPEG and TIFF in: 8 and 16 bit, grey, RGB, with and without alpha (laid on white).

use crate::{Error, MOST_PIXELS, MOST_SIDE, resolution};
use image::{DynamicImage, ImageFormat, ImageReader, Limits};
use rhizograph_core::plane::{Plane, Rgb};
use std::io::Cursor;

/// A decoded picture.
#[derive(Debug, Clone)]
pub struct Raster {
    pub rgb: Plane<Rgb>,
    /// From the file, if it says.
    pub dpi: Option<f64>,
    pub format: &'static str,
}

/// Decodes a picture. Errors: another format, too many pixels (told by the header alone), damage.
pub fn read(bytes: &[u8]) -> Result<Raster, Error> {
    let format = image::guess_format(bytes).map_err(|_| Error::Unknown)?;
    let name = match format {
        ImageFormat::Png => "PNG",
        ImageFormat::Jpeg => "JPEG",
        ImageFormat::Tiff => "TIFF",
        _ => return Err(Error::Unknown),
    };
    let damaged = |e: image::ImageError| Error::Damaged(name, e.to_string());
    if let Some((w, h)) = png_size(bytes) {
        within_bounds(w, h)?;
    }
    if format == ImageFormat::Jpeg && !jpeg_is_whole(bytes) {
        return Err(Error::Damaged(name, "its end is missing".into()));
    }
    let (w, h) = ImageReader::with_format(Cursor::new(bytes), format).into_dimensions().map_err(damaged)?;
    within_bounds(w, h)?;
    let mut reader = ImageReader::with_format(Cursor::new(bytes), format);
    let mut limits = Limits::default();
    limits.max_image_width = Some(MOST_SIDE);
    limits.max_image_height = Some(MOST_SIDE);
    limits.max_alloc = Some(MOST_PIXELS * 8 + (64 << 20));
    reader.limits(limits);
    let picture = reader.decode().map_err(damaged)?;
    let dpi = resolution::read(bytes, format);
    Ok(Raster { rgb: on_white(picture), dpi, format: name })
}

fn within_bounds(w: u32, h: u32) -> Result<(), Error> {
    let fits = w <= MOST_SIDE && h <= MOST_SIDE && u64::from(w) * u64::from(h) <= MOST_PIXELS;
    if fits { Ok(()) } else { Err(Error::TooManyPixels(w, h)) }
}

/// The size a PNG's header tells, before anything else of the file is read.
fn png_size(bytes: &[u8]) -> Option<(u32, u32)> {
    let head = bytes.strip_prefix(b"\x89PNG\r\n\x1a\n")?;
    let number = |at: usize| head.get(at..at + 4)?.try_into().ok().map(u32::from_be_bytes);
    Some((number(8)?, number(12)?))
}

/// Whether the picture data of a JPEG goes on to an end mark: a decoder would fill what is missing with grey.
fn jpeg_is_whole(bytes: &[u8]) -> bool {
    let mut at = 2;
    while let Some(&[0xFF, kind, high, low]) = bytes.get(at..at + 4) {
        if kind == 0xDA {
            return bytes[at..].windows(2).any(|w| w == [0xFF, 0xD9]);
        }
        at += 2 + usize::from(u16::from_be_bytes([high, low]));
    }
    false
}

fn on_white(picture: DynamicImage) -> Plane<Rgb> {
    let (width, height) = (picture.width() as usize, picture.height() as usize);
    if !picture.color().has_alpha() {
        let data = picture.into_rgb8().into_raw();
        return Plane { width, height, data: data.as_chunks::<3>().0.to_vec() };
    }
    let data = picture.into_rgba8().into_raw();
    let over = |p: &[u8; 4]| {
        let a = u32::from(p[3]);
        [p[0], p[1], p[2]].map(|c| ((u32::from(c) * a + 255 * (255 - a) + 127) / 255) as u8)
    };
    Plane { width, height, data: data.as_chunks::<4>().0.iter().map(over).collect() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Input, read as read_any};
    use proptest::prelude::*;

    fn encoded(picture: &DynamicImage, format: ImageFormat) -> Vec<u8> {
        let mut out = Cursor::new(Vec::new());
        picture.write_to(&mut out, format).unwrap();
        out.into_inner()
    }

    fn sample(x: u32, y: u32) -> u8 {
        ((x * 37 + y * 91) % 256) as u8
    }

    #[test]
    fn every_depth_and_colour_of_png_and_tiff_reads_alike() {
        let grey8 = DynamicImage::ImageLuma8(image::ImageBuffer::from_fn(31, 17, |x, y| image::Luma([sample(x, y)])));
        let want = read(&encoded(&grey8, ImageFormat::Png)).unwrap().rgb;
        assert_eq!((want.width, want.height), (31, 17));
        assert_eq!(*want.at(3, 2), [sample(3, 2); 3]);
        let variants = [
            DynamicImage::ImageLuma16(grey8.to_luma16()),
            DynamicImage::ImageRgb8(grey8.to_rgb8()),
            DynamicImage::ImageRgb16(grey8.to_rgb16()),
            DynamicImage::ImageRgba8(grey8.to_rgba8()),
            DynamicImage::ImageRgba16(grey8.to_rgba16()),
        ];
        for v in &variants {
            for format in [ImageFormat::Png, ImageFormat::Tiff] {
                assert_eq!(read(&encoded(v, format)).unwrap().rgb, want, "{:?} {format:?}", v.color());
            }
        }
    }

    #[test]
    fn what_is_see_through_lies_on_white() {
        let clear = DynamicImage::ImageRgba8(image::ImageBuffer::from_pixel(9, 9, image::Rgba([0, 0, 0, 0])));
        assert_eq!(*read(&encoded(&clear, ImageFormat::Png)).unwrap().rgb.at(4, 4), [255; 3]);
    }

    #[test]
    fn bad_files_tell_what_is_wrong() {
        assert!(matches!(read_any(b""), Err(Error::Empty)));
        assert!(matches!(read_any(b"Dear reader, this is a letter."), Err(Error::Unknown)));
        let grey = DynamicImage::ImageLuma8(image::ImageBuffer::from_fn(300, 200, |x, y| image::Luma([sample(x, y)])));
        let jpeg = encoded(&DynamicImage::ImageRgb8(grey.to_rgb8()), ImageFormat::Jpeg);
        assert!(matches!(read_any(&jpeg[..40]), Err(Error::Damaged("JPEG", _))));
        let png = encoded(&grey, ImageFormat::Png);
        assert!(matches!(read_any(&png[..png.len() / 2]), Err(Error::Damaged("PNG", _))));
        // Only the header of an enormous picture.
        let mut huge = png[..16].to_vec();
        huge.extend(60_000u32.to_be_bytes());
        huge.extend(60_000u32.to_be_bytes());
        huge.extend([8, 0, 0, 0, 0]);
        huge.extend(crc_of(&huge[12..29]).to_be_bytes());
        assert!(matches!(read_any(&huge), Err(Error::TooManyPixels(60_000, 60_000))));
    }

    fn crc_of(bytes: &[u8]) -> u32 {
        let mut crc = !0u32;
        for &b in bytes {
            crc ^= u32::from(b);
            for _ in 0..8 {
                crc = if crc & 1 == 1 { crc >> 1 ^ 0xEDB8_8320 } else { crc >> 1 };
            }
        }
        !crc
    }

    /// A file that was damaged, its check sums made to fit again, so that decoding goes on.
    fn damaged(format: ImageFormat, flips: &[(usize, u8)], cut: usize) -> Vec<u8> {
        let grey = DynamicImage::ImageLuma8(image::ImageBuffer::from_fn(12, 12, |x, y| image::Luma([sample(x, y)])));
        let mut bytes = encoded(&grey, format);
        for &(at, value) in flips {
            let n = bytes.len();
            bytes[at % n] = value;
        }
        let mut at = 8;
        while format == ImageFormat::Png && at + 12 <= bytes.len() {
            let length = u32::from_be_bytes(bytes[at..at + 4].try_into().unwrap()) as usize;
            let Some(end) = at.checked_add(8 + length).filter(|e| e + 4 <= bytes.len()) else { break };
            let sum = crc_of(&bytes[at + 4..end]).to_be_bytes();
            bytes[end..end + 4].copy_from_slice(&sum);
            at = end + 4;
        }
        bytes.truncate(cut.max(8));
        bytes
    }

    proptest! {
        #[test]
        fn bytes_of_any_kind_never_panic(kind in 0usize..3, cut in 0usize..2000, flips in proptest::collection::vec((0usize..2000, any::<u8>()), 0..8)) {
            let format = [ImageFormat::Png, ImageFormat::Jpeg, ImageFormat::Tiff][kind];
            if let Ok(Input::Raster(r)) = read_any(&damaged(format, &flips, cut)) {
                prop_assert_eq!(r.rgb.data.len(), r.rgb.width * r.rgb.height);
            }
        }

        #[test]
        fn noise_after_a_head_never_panics(kind in 0usize..4, noise in proptest::collection::vec(any::<u8>(), 0..300)) {
            let head: &[u8] = [&b"\x89PNG\r\n\x1a\n"[..], b"\xFF\xD8\xFF", b"II*\0", b"MM\0*"][kind];
            let bytes = [head, &noise].concat();
            if let Ok(Input::Raster(r)) = read_any(&bytes) {
                prop_assert_eq!(r.rgb.data.len(), r.rgb.width * r.rgb.height);
            }
        }
    }
}
