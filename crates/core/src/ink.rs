//! Ink on transparency: how much of each pixel it covers, and its colour.

use crate::plane::Plane;

/// Lifted ink. `alpha` is coverage, 0 to 255; a pixel counts as ink from 128 on.
#[derive(Debug, Clone, PartialEq)]
pub struct Ink {
    pub alpha: Plane<u8>,
    pub colour: [u8; 3],
}

/// From this alpha on a pixel is ink.
pub const IS_INK: u8 = 128;

impl Ink {
    /// Which pixels are ink.
    pub fn mask(&self) -> Plane<bool> {
        self.alpha.map(|&a| a >= IS_INK)
    }
}
