//! Pictures made larger and smaller. A crate of its own, since the library that does it is all generic code: whoever calls it
//! compiles it, and that takes long.

use fast_image_resize::images::Image;
use fast_image_resize::{FilterType, PixelType, ResizeAlg, ResizeOptions, Resizer};

/// Red, green, blue and alpha, not multiplied by one another.
pub type Rgba = [u8; 4];

/// A picture of `from` = width, height px at the size `to`, by cubic convolution (Keys, "Cubic Convolution Interpolation for
/// Digital Image Processing", IEEE Transactions on Acoustics, Speech and Signal Processing 29, 1981, a = -1/2), weighed with
/// its alpha. Clear pixels are 0 throughout. `None`: there are not as many pixels as that, or a size is none.
pub fn resampled(pixels: Vec<Rgba>, from: [usize; 2], to: [usize; 2]) -> Option<Vec<Rgba>> {
    let side = |n: usize| u32::try_from(n).ok().filter(|n| *n > 0);
    let [w, h] = [side(from[0])?, side(from[1])?];
    let mut made = Image::new(side(to[0])?, side(to[1])?, PixelType::U8x4);
    let picture = Image::from_vec_u8(w, h, pixels.into_flattened(), PixelType::U8x4).ok()?;
    let how = ResizeOptions::new().resize_alg(ResizeAlg::Convolution(FilterType::CatmullRom)).use_alpha(true);
    Resizer::new().resize(&picture, &mut made, &how).ok()?;
    let (pixels, _) = made.buffer().as_chunks::<4>();
    Some(pixels.iter().map(|p| if p[3] == 0 { [0; 4] } else { *p }).collect())
}
