//! The resolution a file says it has, in dots per inch: PNG's pHYs chunk, JPEG's JFIF header, TIFF's tags.

use image::ImageFormat;
use std::io::Cursor;
use tiff::tags::Tag;

/// The resolution, if the file tells one that can be (20 to 4800 dpi).
pub fn read(bytes: &[u8], format: ImageFormat) -> Option<f64> {
    let dpi = match format {
        ImageFormat::Png => png_dpi(bytes),
        ImageFormat::Jpeg => jfif_dpi(bytes),
        ImageFormat::Tiff => tiff_dpi(bytes),
        _ => None,
    }?;
    (20.0..=4800.0).contains(&dpi).then_some(dpi)
}

fn png_dpi(bytes: &[u8]) -> Option<f64> {
    let reader = png::Decoder::new(Cursor::new(bytes)).read_info().ok()?;
    let d = reader.info().pixel_dims?;
    // Written as whole pixels a metre: 11811 is 300 dpi.
    matches!(d.unit, png::Unit::Meter).then(|| (f64::from(d.xppu) * 0.0254 * 100.0).round() / 100.0)
}

fn jfif_dpi(bytes: &[u8]) -> Option<f64> {
    let mut at = 2;
    for _ in 0..32 {
        let head = bytes.get(at..at + 4)?;
        let len = usize::from(u16::from_be_bytes([head[2], head[3]]));
        if head[0] != 0xFF {
            return None;
        }
        if head[1] == 0xE0 {
            let body = bytes.get(at + 4..at + 2 + len)?;
            if body.starts_with(b"JFIF\0") && body.len() >= 12 {
                let x = f64::from(u16::from_be_bytes([body[8], body[9]]));
                return match body[7] {
                    1 => Some(x),
                    2 => Some(x * 2.54),
                    _ => None,
                };
            }
        }
        at += 2 + len;
    }
    None
}

fn tiff_dpi(bytes: &[u8]) -> Option<f64> {
    let mut decoder = tiff::decoder::Decoder::new(Cursor::new(bytes)).ok()?;
    let unit = decoder.get_tag_u32(Tag::ResolutionUnit).unwrap_or(2);
    let value = match decoder.get_tag(Tag::XResolution).ok()? {
        tiff::decoder::ifd::Value::Rational(a, b) if b > 0 => f64::from(a) / f64::from(b),
        _ => return None,
    };
    match unit {
        2 => Some(value),
        3 => Some(value * 2.54),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster_out::grey_png;
    use rhizograph_core::raster::plane::Plane;

    #[test]
    fn a_png_written_at_300_dpi_reads_as_such() {
        let png = grey_png(&Plane::new(10, 10, 200u8), 300.0).unwrap();
        assert_eq!(read(&png, ImageFormat::Png), Some(300.0));
    }

    #[test]
    fn a_jfif_header_tells_dots_per_inch_or_centimetre() {
        let head = |unit: u8, d: u16| {
            let mut b = vec![0xFF, 0xD8, 0xFF, 0xE0, 0, 16];
            b.extend(b"JFIF\0");
            b.extend([1, 2, unit]);
            b.extend(d.to_be_bytes());
            b.extend(d.to_be_bytes());
            b.extend([0, 0]);
            b
        };
        assert_eq!(read(&head(1, 600), ImageFormat::Jpeg), Some(600.0));
        assert_eq!(read(&head(2, 100), ImageFormat::Jpeg), Some(254.0));
        assert_eq!(read(&head(0, 1), ImageFormat::Jpeg), None);
    }

    #[test]
    fn a_tiff_tells_its_resolution() {
        let mut out = Cursor::new(Vec::new());
        {
            let mut encoder = tiff::encoder::TiffEncoder::new(&mut out).unwrap();
            let mut picture = encoder.new_image::<tiff::encoder::colortype::Gray8>(4, 4).unwrap();
            picture.resolution(tiff::tags::ResolutionUnit::Inch, tiff::encoder::Rational { n: 400, d: 1 });
            picture.write_data(&[0u8; 16]).unwrap();
        }
        assert_eq!(read(&out.into_inner(), ImageFormat::Tiff), Some(400.0));
    }
}
