//! A picture turned and mirrored as its file says it is to be looked at.

use image::metadata::Orientation;
use rhizograph_core::raster::plane::{Plane, Rgb};

/// The picture as it is to be looked at.
pub(super) fn turned(rgb: Plane<Rgb>, by: Orientation) -> Plane<Rgb> {
    let (w, h) = (rgb.width, rgb.height);
    // Where each pixel of the turned picture is on the stored one.
    let from: fn(usize, usize, usize, usize) -> (usize, usize) = match by {
        Orientation::NoTransforms => return rgb,
        Orientation::FlipHorizontal => |x, y, w, _| (w - 1 - x, y),
        Orientation::Rotate180 => |x, y, w, h| (w - 1 - x, h - 1 - y),
        Orientation::FlipVertical => |x, y, _, h| (x, h - 1 - y),
        Orientation::Rotate90FlipH => |x, y, _, _| (y, x),
        Orientation::Rotate90 => |x, y, _, h| (y, h - 1 - x),
        Orientation::Rotate270FlipH => |x, y, w, h| (w - 1 - y, h - 1 - x),
        Orientation::Rotate270 => |x, y, w, _| (w - 1 - y, x),
    };
    let is_on_its_side = matches!(
        by,
        Orientation::Rotate90FlipH | Orientation::Rotate90 | Orientation::Rotate270FlipH | Orientation::Rotate270
    );
    let (width, height) = if is_on_its_side { (h, w) } else { (w, h) };
    let at = |i: usize| {
        let (x, y) = from(i % width, i / width, w, h);
        rgb.data[y * w + x]
    };
    Plane { width, height, data: (0..w * h).map(at).collect() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use image::{DynamicImage, RgbImage};

    #[test]
    fn each_way_of_turning_is_that_of_the_library() {
        let rgb = Plane { width: 5, height: 3, data: (0..15).map(|i| [i as u8, 2 * i as u8, 7]).collect() };
        let raw: Vec<u8> = rgb.data.iter().flatten().copied().collect();
        for k in 1..=8 {
            let by = Orientation::from_exif(k).unwrap();
            let mut want = DynamicImage::ImageRgb8(RgbImage::from_raw(5, 3, raw.clone()).unwrap());
            want.apply_orientation(by);
            let is = turned(rgb.clone(), by);
            assert_eq!((is.width as u32, is.height as u32), (want.width(), want.height()), "{k}");
            assert_eq!(is.data.concat(), want.into_rgb8().into_raw(), "{k}");
        }
    }
}
