//! Where ink ends and paper begins, for each line by its own height.
//!
//! A scanner's or lens's blur lowers a thin line's peak and spreads its foot, so one threshold for all makes hairs too
//! thin or loses them. For a line of width w blurred by a Gaussian of deviation s, the peak is erf(z) with
//! z = w / (2 √2 s), and the coverage where the line's true edge was is ½ erf(2 z). So the height of the peak alone
//! tells the threshold that gives the width as drawn: T(peak) = ½ erf(2 erf⁻¹(peak)); one half for broad lines, nearer
//! to the peak the thinner the line.

use super::Coverage;
use crate::plane::Plane;
use crate::recipe::{Edge, Points};
use rayon::prelude::*;

/// How far around a pixel its line's peak is looked for, in pixels.
const PEAK_RADIUS: usize = 4;

/// The error function to 1.5e-7 (Abramowitz and Stegun, 7.1.26).
fn erf(x: f64) -> f64 {
    let t = 1.0 / (1.0 + 0.327_591_1 * x.abs());
    let poly =
        t * (0.254_829_592 + t * (-0.284_496_736 + t * (1.421_413_741 + t * (-1.453_152_027 + t * 1.061_405_429))));
    (1.0 - poly * (-x * x).exp()).copysign(x)
}

/// The threshold that gives a line its width as drawn, by its peak's height (both 0 to 1).
pub fn threshold_for_peak(peak: f64) -> f64 {
    let (mut lo, mut hi) = (0.0, 6.0);
    for _ in 0..50 {
        let mid = (lo + hi) / 2.0;
        if erf(mid) < peak { lo = mid } else { hi = mid }
    }
    0.5 * erf(2.0 * lo)
}

/// For each pixel the height of the line it may belong to: the highest coverage nearby, after a blur that calms grain.
pub fn peaks(coverage: &Plane<u8>) -> Plane<u8> {
    let (w, h) = (coverage.width, coverage.height);
    // 3 x 3 binomial blur, then the maximum over a square, each separable.
    let blurred = {
        let mut rows = Plane::new(w, h, 0u16);
        rows.par_rows_mut().for_each(|(y, row)| {
            let from = coverage.row(y);
            for x in 0..w {
                let (a, b, c) = (from[x.saturating_sub(1)], from[x], from[(x + 1).min(w - 1)]);
                row[x] = u16::from(a) + 2 * u16::from(b) + u16::from(c);
            }
        });
        let mut out = Plane::new(w, h, 0u8);
        out.par_rows_mut().for_each(|(y, row)| {
            let (a, b, c) = (rows.row(y.saturating_sub(1)), rows.row(y), rows.row((y + 1).min(h - 1)));
            for x in 0..w {
                row[x] = ((a[x] + 2 * b[x] + c[x]) / 16) as u8;
            }
        });
        out
    };
    let mut rows = Plane::new(w, h, 0u8);
    rows.par_rows_mut().for_each(|(y, row)| {
        let from = blurred.row(y);
        for x in 0..w {
            let part = &from[x.saturating_sub(PEAK_RADIUS)..(x + PEAK_RADIUS + 1).min(w)];
            row[x] = part.iter().copied().max().unwrap_or(0);
        }
    });
    let mut out = Plane::new(w, h, 0u8);
    out.par_rows_mut().for_each(|(y, row)| {
        for v in y.saturating_sub(PEAK_RADIUS)..(y + PEAK_RADIUS + 1).min(h) {
            row.iter_mut().zip(rows.row(v)).for_each(|(o, &n)| *o = (*o).max(n));
        }
    });
    out
}

/// Points from the sheet itself: the paper point above the grain of the paper, the ink point at broad ink.
pub fn automatic(coverage: &Coverage) -> Points {
    let total: u64 = coverage.histogram.iter().map(|&n| u64::from(n)).sum();
    let below = |share: f64| {
        let mut sum = 0u64;
        for (i, &n) in coverage.histogram.iter().enumerate() {
            sum += u64::from(n);
            if sum as f64 >= total as f64 * share {
                return i as f64 / 255.0;
            }
        }
        1.0
    };
    // Half of all pixels are surely paper; their spread tells the grain.
    let (middle, wide) = (below(0.35), below(0.60));
    let grain = (wide - middle).max(1.0 / 255.0) * 2.0;
    Points { ink: 1.0, mid: 0.5, paper: (middle + 6.0 * grain).clamp(0.26, 0.5) }
}

/// Alpha of each pixel: 128 where the line's own threshold is met.
pub fn apply(coverage: &Plane<u8>, peaks: &Plane<u8>, points: Points, edge: Edge) -> Plane<u8> {
    // One row of 256 alphas for each height of peak.
    let table: Vec<[u8; 256]> = (0..256)
        .map(|peak| {
            let own = f64::from(peak) / 255.0;
            if own < points.paper {
                return [0; 256];
            }
            let p = (own / points.ink).min(1.0);
            let t = (threshold_for_peak(p) * points.mid / 0.5).clamp(0.01, 0.99);
            std::array::from_fn(|c| {
                let a = (c as f64 / 255.0 / points.ink).min(1.0);
                let top = p.max(t + 0.02);
                let lifted = if a < t { 0.5 * a / t } else { 0.5 + 0.5 * (a - t) / (top - t) };
                let alpha = match edge {
                    Edge::Crisp => f64::from(u8::from(a >= t)),
                    Edge::Soft1 => 0.5 + (lifted - 0.5) * 2.2,
                    Edge::Soft2 => 0.5 + (lifted - 0.5) * 1.25,
                    Edge::Soft3 => {
                        if a < t {
                            0.5 * a / t
                        } else {
                            a.max(0.5)
                        }
                    }
                };
                // The foot of the fall-off is the paper's grain: it goes.
                let alpha = if alpha < 0.06 { 0.0 } else { alpha };
                (alpha * 255.0 + 0.5).clamp(0.0, 255.0) as u8
            })
        })
        .collect();
    let mut out = Plane::new(coverage.width, coverage.height, 0u8);
    out.par_rows_mut().for_each(|(y, row)| {
        let (c, p) = (coverage.row(y), peaks.row(y));
        for x in 0..row.len() {
            row[x] = table[p[x] as usize][c[x] as usize];
        }
    });
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A blurred line's threshold gives the width it was drawn with, for hairs and broad lines alike.
    #[test]
    fn the_threshold_gives_a_line_its_width_as_drawn() {
        let s = 1.3f64;
        for w in [0.8, 1.5, 3.0, 6.0, 20.0] {
            let z = w / (2.0 * 2f64.sqrt() * s);
            let profile =
                |x: f64| 0.5 * (erf((x + w / 2.0) / (2f64.sqrt() * s)) - erf((x - w / 2.0) / (2f64.sqrt() * s)));
            let t = threshold_for_peak(erf(z));
            let mut x = 0.0;
            while profile(x) > t {
                x += 0.001;
            }
            assert!((2.0 * x - w).abs() < 0.01 * w + 0.004, "width {w} became {}", 2.0 * x);
        }
    }
}
