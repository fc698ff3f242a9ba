//! PNG out: ink with alpha, paint, label pictures, with the resolution written in.

use crate::error::Error;
use rayon::prelude::*;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::{Plane, Rgb};

fn write(
    width: usize,
    height: usize,
    colour: png::ColorType,
    depth: png::BitDepth,
    dpi: f64,
    data: &[u8],
) -> Result<Vec<u8>, Error> {
    let mut out = Vec::new();
    let failed = |e: png::EncodingError| Error::Write(e.to_string());
    let mut encoder = png::Encoder::new(&mut out, width as u32, height as u32);
    encoder.set_color(colour);
    encoder.set_depth(depth);
    encoder.set_compression(png::Compression::Fastest);
    let ppm = (dpi / 0.0254).round() as u32;
    encoder.set_pixel_dims(Some(png::PixelDimensions { xppu: ppm, yppu: ppm, unit: png::Unit::Meter }));
    let mut writer = encoder.write_header().map_err(failed)?;
    writer.write_image_data(data).map_err(failed)?;
    writer.finish().map_err(failed)?;
    Ok(out)
}

/// Ink on transparency, 8-bit RGBA.
pub fn ink_png(ink: &Ink, dpi: f64) -> Result<Vec<u8>, Error> {
    let mut seen = Plane::new(ink.alpha.width, ink.alpha.height, [0u8; 4]);
    seen.par_rows_mut().for_each(|(y, row)| {
        for (x, (p, &a)) in row.iter_mut().zip(ink.alpha.row(y)).enumerate().filter(|(_, (_, a))| **a > 0) {
            let [r, g, b] = ink.colour_at(x, y);
            *p = [r, g, b, a];
        }
    });
    rgba_png(&seen, dpi)
}

/// 8-bit RGBA as it is.
pub fn rgba_png(plane: &Plane<[u8; 4]>, dpi: f64) -> Result<Vec<u8>, Error> {
    write(plane.width, plane.height, png::ColorType::Rgba, png::BitDepth::Eight, dpi, plane.data.as_flattened())
}

/// 8-bit RGB.
pub fn rgb_png(plane: &Plane<Rgb>, dpi: f64) -> Result<Vec<u8>, Error> {
    write(plane.width, plane.height, png::ColorType::Rgb, png::BitDepth::Eight, dpi, plane.data.as_flattened())
}

/// 8-bit grey.
pub fn grey_png(plane: &Plane<u8>, dpi: f64) -> Result<Vec<u8>, Error> {
    write(plane.width, plane.height, png::ColorType::Grayscale, png::BitDepth::Eight, dpi, &plane.data)
}

/// JPEG of a quality up to 100, with its resolution if there is one.
pub fn jpeg(plane: &Plane<Rgb>, dpi: Option<f64>, quality: u8) -> Result<Vec<u8>, Error> {
    use image::codecs::jpeg::{JpegEncoder, PixelDensity};
    let mut out = Vec::new();
    let mut encoder = JpegEncoder::new_with_quality(&mut out, quality);
    if let Some(dpi) = dpi {
        encoder.set_pixel_density(PixelDensity::dpi(dpi.round() as u16));
    }
    encoder
        .encode(plane.data.as_flattened(), plane.width as u32, plane.height as u32, image::ExtendedColorType::Rgb8)
        .map_err(|e| Error::Write(e.to_string()))?;
    Ok(out)
}

/// The number of the region at each pixel, 16-bit grey.
pub fn labels_png(labels: &Plane<u16>, dpi: f64) -> Result<Vec<u8>, Error> {
    let wide = labels.map(|v| v.to_be_bytes());
    let data = wide.data.as_flattened();
    write(labels.width, labels.height, png::ColorType::Grayscale, png::BitDepth::Sixteen, dpi, data)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ink_comes_back_with_its_alpha_and_colour() {
        let mut alpha = Plane::new(5, 4, 0u8);
        alpha.set(2, 1, 200);
        let png = ink_png(&Ink::plain(alpha, [10, 20, 30]), 300.0).unwrap();
        let back = image::load_from_memory(&png).unwrap().into_rgba8();
        assert_eq!(back.get_pixel(2, 1).0, [10, 20, 30, 200]);
        assert_eq!(back.get_pixel(0, 0).0, [0; 4]);
    }

    #[test]
    fn labels_keep_sixteen_bits() {
        let mut labels = Plane::new(3, 2, 0u16);
        labels.set(1, 1, 40_000);
        let back = image::load_from_memory(&labels_png(&labels, 300.0).unwrap()).unwrap().into_luma16();
        assert_eq!(back.get_pixel(1, 1).0, [40_000]);
    }
}
