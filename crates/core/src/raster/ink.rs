//! Ink on transparency: how much of each pixel it covers, and its colour.

use crate::raster::plane::{Plane, Rgb};
use std::sync::Arc;

/// Lifted ink. `alpha` is coverage, 0 to 255; a pixel counts as ink from 128 on.
#[derive(Debug, Clone, PartialEq)]
pub struct Ink {
    pub alpha: Plane<u8>,
    pub colour: [u8; 3],
    /// The colour each pixel was drawn in, where that is kept.
    pub drawn: Option<Arc<Plane<Rgb>>>,
}

/// From this alpha on a pixel is ink.
pub const IS_INK: u8 = 128;

/// A face with fewer visible pixels than this is a pocket under the ink.
pub const POCKET: usize = 6;

impl Ink {
    /// Ink of one colour.
    pub fn plain(alpha: Plane<u8>, colour: [u8; 3]) -> Ink {
        Ink { alpha, colour, drawn: None }
    }

    /// About how many bytes it takes.
    pub fn bytes(&self) -> usize {
        self.alpha.data.len() + self.drawn.as_ref().map_or(0, |d| 3 * d.data.len())
    }

    /// The colour of a pixel.
    #[inline]
    pub fn colour_at(&self, x: usize, y: usize) -> Rgb {
        match &self.drawn {
            // What was added by hand was never drawn.
            Some(drawn) if *drawn.at(x, y) != [0; 3] => *drawn.at(x, y),
            _ => self.colour,
        }
    }

    /// Which pixels are ink.
    pub fn mask(&self) -> Plane<bool> {
        self.alpha.map(|&a| a >= IS_INK)
    }
}
