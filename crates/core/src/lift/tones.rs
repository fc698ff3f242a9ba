//! How light and dark a sheet is, in one pass: which of ink and paper is the darker one, and whether there is any
//! contrast at all.

use crate::error::Error;
use crate::model::recipe::Polarity;
use crate::raster::plane::{Plane, Rgb};
use rayon::prelude::*;

/// Counts of the pixels' brightest channel, 0 to 255.
pub struct Tones {
    /// Of every fourth pixel.
    all: [u32; 256],
    rim: [u32; 256],
    /// The lowest channel of all pixels.
    lowest: u8,
}

#[multiversion::multiversion(targets("x86_64+avx2"))]
fn lowest(values: &[u8]) -> u8 {
    values.iter().fold(255, |a, &b| a.min(b))
}

fn lightness(p: &Rgb) -> usize {
    usize::from(p[0].max(p[1]).max(p[2]))
}

/// The value that a share of the counted lie below.
fn quantile(counts: &[u32; 256], share: f64) -> u8 {
    let total: u64 = counts.iter().map(|&n| u64::from(n)).sum();
    let mut sum = 0u64;
    for (v, &n) in counts.iter().enumerate() {
        sum += u64::from(n);
        if sum as f64 > total as f64 * share {
            return v as u8;
        }
    }
    255
}

impl Tones {
    pub fn of(rgb: &Plane<Rgb>) -> Tones {
        let (w, h) = (rgb.width, rgb.height);
        let lowest = rgb.data.par_chunks((w * 16).max(1)).map(|part| lowest(part.as_flattened())).min().unwrap_or(0);
        let all = rgb
            .data
            .par_chunks((w * 2).max(1))
            .with_min_len(16)
            .fold(
                || [0u32; 256],
                |mut n, rows| {
                    for pair in rows[..rows.len().min(w)].chunks_exact(2) {
                        n[lightness(&pair[0])] += 1;
                    }
                    n
                },
            )
            .reduce(|| [0u32; 256], |a, b| std::array::from_fn(|i| a[i] + b[i]));
        let m = (w.min(h) / 40).max(1);
        let mut rim = [0u32; 256];
        for y in (0..h).step_by(3) {
            for x in (0..w).step_by(3).filter(|&x| x < m || y < m || x + m >= w || y + m >= h) {
                rim[lightness(rgb.at(x, y))] += 1;
            }
        }
        Tones { all, rim, lowest }
    }

    /// Whether the ink is the lighter one.
    pub fn is_light_ink(&self, polarity: Polarity) -> bool {
        match polarity {
            Polarity::DarkInk => false,
            Polarity::LightInk => true,
            Polarity::Auto => {
                // The ink of an almost empty sheet is a few pixels: near the very ends of the scale.
                let low = f64::from(quantile(&self.all, 0.0002));
                let high = f64::from(quantile(&self.all, 0.9998));
                let middle = (low + high) / 2.0;
                let half = |counts| f64::from(quantile(counts, 0.5));
                half(&self.all) < middle && half(&self.rim) < middle && high > 90.0
            }
        }
    }

    /// Errors: nothing on the sheet differs enough from the rest to be ink.
    pub fn check_contrast(&self) -> Result<(), Error> {
        // Ink may be a few pixels of an almost empty sheet: the darkest of all counts.
        let low = usize::from(self.lowest);
        let high = usize::from(quantile(&self.all, 0.9999));
        if high.saturating_sub(low) >= 30 {
            return Ok(());
        }
        Err(if high < 100 { Error::AllInk } else { Error::NoInk })
    }
}
