//! PNG, JPEG and TIFF in, as 8 bits of red, green and blue a pixel: every depth and colour that is common, what is
//! see-through laid on white, turned as the file says it is to be looked at. What of a damaged file can be read is read,
//! with a note of what is missing.

mod decoded;
mod jpeg;
mod png;
mod tiff;
mod turn;

use crate::error::Error;
use crate::reading::Reading;
use crate::resolution;
use decoded::Decoded;
pub(crate) use decoded::{Rgba, over};
use image::ImageFormat;
use image::metadata::Orientation;
use rhizograph_core::raster::plane::{Plane, Rgb};

/// A decoded picture.
#[derive(Debug, Clone)]
pub struct Raster {
    pub rgb: Plane<Rgb>,
    /// From the file, if it says.
    pub dpi: Option<f64>,
    /// What is missing or was left out, in words.
    pub notes: Vec<String>,
}

/// What a file is by its contents.
fn format_of(bytes: &[u8]) -> Result<ImageFormat, Error> {
    // BigTIFF is TIFF with longer places in it.
    let is_big_tiff = bytes.starts_with(b"II+\0") || bytes.starts_with(b"MM\0+");
    match image::guess_format(bytes) {
        Ok(format) => Ok(format),
        Err(_) if is_big_tiff => Ok(ImageFormat::Tiff),
        Err(_) => Err(Error::Unknown),
    }
}

/// How many drawings a file holds: of a TIFF as many as it has pages, but one where they are the layers of a drawing.
pub fn pages(bytes: &[u8]) -> usize {
    if matches!(format_of(bytes), Ok(ImageFormat::Tiff)) { tiff::drawings(bytes) } else { 1 }
}

/// Decodes a picture. Errors: another format, a kind that is not read, too many pixels (told by the header alone), damage, no
/// such page.
pub fn read(bytes: &[u8], how: Reading) -> Result<Raster, Error> {
    let format = format_of(bytes)?;
    let Decoded { pixels: rgb, turn, notes } = match format {
        ImageFormat::Png => png::decode(bytes)?,
        ImageFormat::Jpeg => jpeg::decode(bytes)?,
        ImageFormat::Tiff => tiff::decode(bytes, how.page as usize)?,
        _ => return Err(Error::Unknown),
    };
    let rgb = if how.upright { turn::turned(rgb, turn) } else { rgb };
    Ok(Raster { rgb, dpi: resolution::read(bytes, format), notes })
}

/// What takes a picture row by row as it is decoded.
pub trait Rows {
    /// Told before any row: the picture's width and height, px.
    fn begin(&mut self, width: usize, height: usize);
    /// The next row, from the top on.
    fn row(&mut self, row: &[Rgb]);
}

/// What is told of a picture that was given row by row.
#[derive(Debug, Clone)]
pub struct Told {
    /// From the file, if it says.
    pub dpi: Option<f64>,
    /// What is missing or was left out, in words.
    pub notes: Vec<String>,
}

/// Rows of a picture that needs no turning.
struct Straight<'a> {
    rows: &'a mut dyn Rows,
    upright: bool,
}

impl png::Taking<Rgb> for Straight<'_> {
    fn begin(&mut self, width: usize, height: usize, turn: Orientation) -> bool {
        let is_taken = !self.upright || turn == Orientation::NoTransforms;
        if is_taken {
            self.rows.begin(width, height);
        }
        is_taken
    }

    fn row(&mut self, row: &[Rgb]) {
        self.rows.row(row);
    }
}

/// Decodes a picture row by row, so that it is never held whole; `None`: it has to be read whole. Errors: as [`read`]; then
/// rows may have been given.
pub(crate) fn read_rows(bytes: &[u8], how: &Reading, rows: &mut dyn Rows) -> Result<Option<Told>, Error> {
    if !matches!(format_of(bytes), Ok(ImageFormat::Png)) {
        return Ok(None);
    }
    let notes = png::decode_into(bytes, &mut Straight { rows, upright: how.upright })?;
    Ok(notes.map(|notes| Told { dpi: resolution::read(bytes, ImageFormat::Png), notes }))
}

/// A PNG with how much of each pixel is there, as it is stored. Errors: as [`read`].
pub(crate) fn read_rgba(bytes: &[u8]) -> Result<(Plane<Rgba>, Vec<String>), Error> {
    let Decoded { pixels, notes, .. } = png::decode::<Rgba>(bytes)?;
    Ok((pixels, notes))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Input;
    use ::image::{DynamicImage, Rgba};
    use proptest::prelude::*;
    use std::io::Cursor;

    fn read_any(bytes: &[u8]) -> Result<Input, Error> {
        crate::read(bytes, Reading::default())
    }

    fn read(bytes: &[u8]) -> Result<Raster, Error> {
        super::read(bytes, Reading::default())
    }

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
        let grey8 =
            DynamicImage::ImageLuma8(::image::ImageBuffer::from_fn(31, 17, |x, y| ::image::Luma([sample(x, y)])));
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

    /// A picture put together of its rows.
    #[derive(Default)]
    struct Collected {
        size: [usize; 2],
        data: Vec<Rgb>,
    }

    impl Rows for Collected {
        fn begin(&mut self, width: usize, height: usize) {
            self.size = [width, height];
        }

        fn row(&mut self, row: &[Rgb]) {
            assert_eq!(row.len(), self.size[0]);
            self.data.extend(row);
        }
    }

    #[test]
    fn row_by_row_a_picture_is_the_same_as_whole() {
        let grey =
            DynamicImage::ImageLuma8(::image::ImageBuffer::from_fn(300, 200, |x, y| ::image::Luma([sample(x, y)])));
        let png = encoded(&grey, ImageFormat::Png);
        for bytes in [&png[..], &png[..png.len() / 2], &encoded(&grey.to_rgba16().into(), ImageFormat::Png)] {
            let mut rows = Collected::default();
            let told = read_rows(bytes, &Reading::default(), &mut rows).unwrap().unwrap();
            let whole = read(bytes).unwrap();
            assert_eq!((rows.size, &rows.data), ([300, 200], &whole.rgb.data));
            assert_eq!((told.dpi, told.notes), (whole.dpi, whole.notes));
        }
        assert!(read_rows(&png[..40], &Reading::default(), &mut Collected::default()).is_err());
        let tiff = encoded(&grey, ImageFormat::Tiff);
        assert!(read_rows(&tiff, &Reading::default(), &mut Collected::default()).unwrap().is_none());
    }

    #[test]
    fn what_is_see_through_lies_on_white() {
        let clear = DynamicImage::ImageRgba8(::image::ImageBuffer::from_pixel(9, 9, Rgba([0, 0, 0, 0])));
        assert_eq!(*read(&encoded(&clear, ImageFormat::Png)).unwrap().rgb.at(4, 4), [255; 3]);
    }

    #[test]
    fn bad_files_tell_what_is_wrong() {
        assert!(matches!(read_any(b""), Err(Error::Empty)));
        assert!(matches!(read_any(b"Dear reader, this is a letter."), Err(Error::Unknown)));
        let grey =
            DynamicImage::ImageLuma8(::image::ImageBuffer::from_fn(300, 200, |x, y| ::image::Luma([sample(x, y)])));
        let jpeg = encoded(&DynamicImage::ImageRgb8(grey.to_rgb8()), ImageFormat::Jpeg);
        assert!(matches!(read_any(&jpeg[..40]), Err(Error::Damaged("JPEG", _))));
        let png = encoded(&grey, ImageFormat::Png);
        // What is there of it is taken, and told.
        let half = read(&png[..png.len() / 2]).unwrap();
        assert!(half.notes.iter().any(|n| n.contains("missing")), "{:?}", half.notes);
        assert!(matches!(read_any(&png[..40]), Err(Error::Damaged("PNG", _))));
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
        let grey =
            DynamicImage::ImageLuma8(::image::ImageBuffer::from_fn(12, 12, |x, y| ::image::Luma([sample(x, y)])));
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
