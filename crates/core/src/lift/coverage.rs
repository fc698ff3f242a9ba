//! How much of each pixel is ink.

use crate::raster::plane::Plane;

/// How much of each pixel is ink (0 none, 255 all), and what was found on the way.
#[derive(Debug, Clone)]
pub struct Coverage {
    pub plane: Plane<u8>,
    /// How much of each pixel was taken out as pencil, 0 to 255.
    pub removed: Plane<u8>,
    /// The pencil colours dropped, as they look on this paper (sRGB).
    pub drop_out: Vec<[u8; 3]>,
    pub light_ink: bool,
    /// How many pixels hold each coverage.
    pub histogram: Vec<u32>,
}
