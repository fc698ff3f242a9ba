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

    /// Made smaller: every `2^level` pixels into one, its colour that of their ink, by how much there is of it.
    pub fn weighted(&self, level: u32) -> Ink {
        let (w, h) = (self.alpha.width, self.alpha.height);
        let alpha = self.alpha.smaller(level, [0, 0, w, h]);
        let drawn = self.drawn.as_ref().map(|_| {
            let k = 1usize << level;
            let mut out = Plane::new(alpha.width, alpha.height, [0u8; 3]);
            for y in 0..out.height {
                for x in 0..out.width {
                    let (mut sum, mut whole) = ([0u32; 3], 0u32);
                    for v in y * k..(y * k + k).min(h) {
                        for u in x * k..(x * k + k).min(w) {
                            let a = u32::from(*self.alpha.at(u, v));
                            let c = self.colour_at(u, v);
                            (0..3).for_each(|i| sum[i] += a * u32::from(c[i]));
                            whole += a;
                        }
                    }
                    if whole > 0 {
                        out.set(x, y, sum.map(|s| ((s + whole / 2) / whole) as u8));
                    }
                }
            }
            Arc::new(out)
        });
        Ink { alpha, colour: self.colour, drawn }
    }

    /// Which pixels are ink.
    pub fn mask(&self) -> Plane<bool> {
        self.alpha.map(|&a| a >= IS_INK)
    }
}
