//! Where ink ends and paper begins, for each line by its own height.
//!
//! A scanner's or lens's blur lowers a thin line's peak and spreads its foot, so one threshold for all makes hairs too
//! thin or loses them. For a line of width w blurred by a Gaussian of deviation s, the peak is erf(z) with
//! z = w / (2 √2 s), and the coverage where the line's true edge was is ½ erf(2 z). So the height of the peak alone
//! tells the threshold that gives the width as drawn: T(peak) = ½ erf(2 erf⁻¹(peak)); one half for broad lines, nearer
//! to the peak the thinner the line.

use crate::model::recipe::{Edge, Points};
use crate::raster::plane::Plane;
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
/// Both are separable; bands of rows are done at a time, so that what is between stays in the cache.
pub fn peaks(coverage: &Plane<u8>) -> Plane<u8> {
    const BAND: usize = 32;
    const R: usize = PEAK_RADIUS;
    let (w, h) = (coverage.width, coverage.height);
    let mut out = Plane::new(w, h, 0u8);
    out.data.par_chunks_mut((w * BAND).max(1)).enumerate().for_each_init(
        || (vec![0u16; w + 2], vec![0u8; w + 2 * R + 16], vec![0u8; w * (BAND + 2 * R)]),
        |(sums, wide, rows), (band, out)| {
            let y0 = band * BAND;
            let n = out.len() / w;
            // Rows y0 - R to y0 + n + R, each blurred and then the highest within R columns.
            let first = y0.saturating_sub(R);
            let last = (y0 + n + R).min(h);
            for y in first..last {
                let near = [y.saturating_sub(1), y, (y + 1).min(h - 1)].map(|y| coverage.row(y));
                highest_across(near, sums, wide, &mut rows[(y - first) * w..(y - first + 1) * w]);
            }
            for (i, out) in out.chunks_mut(w).enumerate() {
                let y = y0 + i;
                for v in y.saturating_sub(R)..(y + R + 1).min(h) {
                    higher_of(out, &rows[(v - first) * w..(v - first + 1) * w]);
                }
            }
        },
    );
    out
}

#[multiversion::multiversion(targets("x86_64+avx2"))]
fn higher_of(out: &mut [u8], other: &[u8]) {
    out.iter_mut().zip(other).for_each(|(o, &n)| *o = (*o).max(n));
}

/// A row blurred 3 x 3 with its neighbours, then the highest within `PEAK_RADIUS` columns.
#[multiversion::multiversion(targets("x86_64+avx2"))]
fn highest_across(near: [&[u8]; 3], sums: &mut [u16], wide: &mut [u8], out: &mut [u8]) {
    const R: usize = PEAK_RADIUS;
    let w = out.len();
    let [a, b, c] = near.map(|r| &r[..w]);
    {
        let sums = &mut sums[1..=w];
        for x in 0..w {
            sums[x] = a[x] as u16 + 2 * b[x] as u16 + c[x] as u16;
        }
    }
    sums[0] = sums[1];
    sums[w + 1] = sums[w];
    wide[..R].fill(0);
    wide[R + w..].fill(0);
    {
        let (s0, s1, s2, to) = (&sums[..w], &sums[1..=w], &sums[2..w + 2], &mut wide[R..R + w]);
        for x in 0..w {
            to[x] = ((s0[x] + 2 * s1[x] + s2[x]) / 16) as u8;
        }
    }
    // Doubling: the highest of 2, of 4, of 8, and the ninth.
    out.copy_from_slice(&wide[2 * R..2 * R + w]);
    for step in [1, 2, 4] {
        let n = w + 2 * R;
        for x in 0..n {
            wide[x] = wide[x].max(wide[x + step]);
        }
    }
    out.iter_mut().zip(wide.iter()).for_each(|(o, &n)| *o = (*o).max(n));
}

/// Points from the sheet itself: the paper point above the grain of the paper, the ink point at broad ink.
/// `histogram`: how many pixels hold each coverage, 0 to 255.
pub fn automatic(histogram: &[u32]) -> Points {
    Points { ink: 1.0, mid: 0.5, paper: (bare(histogram).0 + 6.0 * bare(histogram).1).clamp(0.26, 0.5) }
}

/// The most generous points that still leave bare paper bare: what a thin line lost is judged against.
pub fn generous(histogram: &[u32]) -> Points {
    let (middle, grain) = bare(histogram);
    Points { ink: 1.0, mid: 0.5, paper: (middle + 4.0 * grain).clamp(0.1, 0.5) }
}

/// The coverage that bare paper seems to have, and its grain: half of all pixels are surely paper.
fn bare(histogram: &[u32]) -> (f64, f64) {
    let total: u64 = histogram.iter().map(|&n| u64::from(n)).sum();
    let below = |share: f64| {
        let mut sum = 0u64;
        for (i, &n) in histogram.iter().enumerate() {
            sum += u64::from(n);
            if sum as f64 >= total as f64 * share {
                return i as f64 / 255.0;
            }
        }
        1.0
    };
    let (middle, wide) = (below(0.35), below(0.60));
    (middle, (wide - middle).max(1.0 / 255.0) * 2.0)
}

/// The alpha of every coverage on a line of every height: all that points, edge and grain say, for one look a pixel.
pub struct Table {
    /// By peak, then coverage.
    rows: Vec<[u8; 256]>,
    /// No line lower than this leaves anything.
    first: u8,
}

impl Table {
    pub fn new(points: Points, edge: Edge, grain: f64) -> Table {
        let tooth = (2.0 * grain).min(1.0);
        let around = (2.0 * grain - 1.0).max(0.0);
        let rows: Vec<[u8; 256]> = (0..256)
            .map(|peak| {
                let own = f64::from(peak) / 255.0;
                if own < points.paper {
                    return std::array::from_fn(|c| (c as f64 * around).min(127.0) as u8);
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
                    let alpha = alpha.clamp(0.0, 1.0);
                    let alpha = if edge == Edge::Crisp { alpha } else { toothed(alpha, a, tooth, around) };
                    (alpha * 255.0 + 0.5) as u8
                })
            })
            .collect();
        let first = rows.iter().position(|r| r.iter().any(|&a| a > 0)).unwrap_or(255) as u8;
        Table { rows, first }
    }

    #[inline]
    pub fn alpha(&self, peak: u8, coverage: u8) -> u8 {
        self.rows[peak as usize][coverage as usize]
    }
}

/// Alpha with the paper's tooth let in: within the ink never below half, so that ink stays ink.
fn toothed(alpha: f64, coverage: f64, tooth: f64, around: f64) -> f64 {
    if alpha >= 0.5 {
        return alpha + (coverage.max(0.5).min(alpha) - alpha) * tooth;
    }
    // The foot of the fall-off is the paper's grain: it goes, unless it is wanted.
    if alpha < 0.06 { (coverage * around).min(0.49) } else { alpha }
}

/// Alpha of each pixel, written over `out` of the same size: 128 where the line's own threshold is met.
pub fn apply(coverage: &Plane<u8>, peaks: &Plane<u8>, table: &Table, out: &mut Plane<u8>) {
    out.par_rows_mut().for_each(|(y, row)| {
        let (c, p) = (coverage.row(y), peaks.row(y));
        for ((out, c), p) in row.chunks_mut(16).zip(c.chunks(16)).zip(p.chunks(16)) {
            // Most of a sheet is bare.
            if p.iter().fold(0, |a, &b| a.max(b)) < table.first {
                out.fill(0);
                continue;
            }
            for ((o, &c), &p) in out.iter_mut().zip(c).zip(p) {
                *o = table.alpha(p, c);
            }
        }
    });
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
