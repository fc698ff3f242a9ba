//! Ink and pencil told apart by linear unmixing against the local paper.
//!
//! What a pixel lacks against the paper, d = 1 − pixel / paper (one value a channel), is taken as a share of ink, whose
//! lack is nearly the same in all channels, and a share of pencil, whose lack has a hue: d = α·ink + u·pencil, solved
//! by least squares with u ≥ 0 (linear mixing model; Keshava and Mustard, "Spectral Unmixing", IEEE Signal Processing
//! Magazine, 2002). A pale and a strong stroke of one pencil have the same direction, and ink over pencil keeps its own
//! share. Whether a pixel is pencil at all is asked of its hue in a perceptual space, with the paper taken as white:
//! the direction of a and b in Oklab (Ottosson, "A perceptual color space for image processing", 2020). What has too
//! little chroma to have a hue is left to the ink.

use super::paper::{Paper, run};
use crate::model::recipe::LiftRecipe;
use crate::raster::plane::{Plane, Rgb};
use rayon::prelude::*;
use std::sync::LazyLock;

type V3 = [f32; 3];

fn dot(a: V3, b: V3) -> f32 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

/// What a colour lacks against the paper, by channel; 0 to 1, a little below 0 where it is brighter than the paper.
fn lack(p: Rgb, paper: V3) -> V3 {
    std::array::from_fn(|c| 1.0 - f32::from(p[c]) / paper[c].max(1.0))
}

/// The same by the inverse of the paper.
#[inline]
fn lack_by(p: Rgb, flip: u8, inverse: [f32; 3]) -> V3 {
    std::array::from_fn(|c| 1.0 - f32::from(p[c] ^ flip) * inverse[c])
}

/// The length of the part of a lack that is not grey.
fn tint(d: V3) -> f32 {
    let m = (d[0] + d[1] + d[2]) / 3.0;
    let t = d.map(|v| v - m);
    dot(t, t).sqrt()
}

/// Below this a lack has no hue: neutral ink, the paper's grain.
const LEAST_TINT: f32 = 0.02;
/// Below this share of ink a pixel is bare paper.
const BARE: u8 = 5;

/// Linear light of 1024 sRGB values.
static LINEAR: LazyLock<[f32; 1024]> = LazyLock::new(|| {
    std::array::from_fn(|i| {
        let v = i as f32 / 1023.0;
        if v <= 0.040_45 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) }
    })
});

/// Oklab's a and b of a lack, the paper taken as white; the direction is the hue, the length the chroma.
fn hue(d: V3) -> [f32; 2] {
    let [r, g, b] = d.map(|v| LINEAR[((1.0 - v).clamp(0.0, 1.0) * 1023.0) as usize]);
    let l = cube_root(0.412_221_47 * r + 0.536_332_55 * g + 0.051_445_995 * b);
    let m = cube_root(0.211_903_5 * r + 0.680_699_5 * g + 0.107_396_96 * b);
    let s = cube_root(0.088_302_46 * r + 0.281_718_85 * g + 0.629_978_7 * b);
    [1.977_998_5 * l - 2.428_592_2 * m + 0.450_593_7 * s, 0.025_904_037 * l + 0.782_771_77 * m - 0.808_675_77 * s]
}

/// The cube root of what is not negative, to within a few units in the last place: a third of the exponent, then Halley's
/// iteration twice.
fn cube_root(x: f32) -> f32 {
    if x < f32::MIN_POSITIVE {
        return 0.0;
    }
    let step = |y: f32| {
        let cube = y * y * y;
        y * (cube + 2.0 * x) / (2.0 * cube + x)
    };
    step(step(f32::from_bits(x.to_bits() / 3 + 709_921_077)))
}

fn unit(h: [f32; 2]) -> [f32; 2] {
    let l = (h[0] * h[0] + h[1] * h[1]).sqrt().max(1e-6);
    [h[0] / l, h[1] / l]
}

/// A drop-out colour on this paper.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pencil {
    /// What it lacks, scaled to length 1.
    direction: V3,
    /// Its hue, scaled to length 1.
    hue: [f32; 2],
    /// How strong its usual stroke is.
    strength: f32,
}

impl Pencil {
    fn from_lack(d: V3, ink: V3) -> Option<Pencil> {
        let l = dot(d, d).sqrt();
        let direction = d.map(|v| v / l);
        // A sample as grey as ink cannot be told from it.
        let cos = dot(direction, ink) / dot(ink, ink).sqrt();
        (l > 0.02 && tint(d) > LEAST_TINT && cos < 0.985).then(|| Pencil { direction, hue: unit(hue(d)), strength: l })
    }

    /// From a colour picked on the sheet; `None` if it is as grey as the ink.
    pub fn from_sample(sample: Rgb, paper: V3, ink: V3) -> Option<Pencil> {
        Pencil::from_lack(lack(sample, paper), ink)
    }

    /// Its usual colour on that paper.
    pub fn looks_on(&self, paper: V3) -> Rgb {
        std::array::from_fn(|c| (paper[c] * (1.0 - self.direction[c] * self.strength)).clamp(0.0, 255.0) as u8)
    }
}

/// Goes over every `step`-th row, giving what each `step`-th pixel lacks.
fn sampled(rgb: &Plane<Rgb>, flip: u8, paper: &Paper, step: usize, mut see: impl FnMut(V3)) {
    let mut inverse = Vec::new();
    for y in (0..rgb.height).step_by(step) {
        paper.inverse_row((y, 1), (0, rgb.width), 0, 1.0, &mut inverse);
        for x in (y / step % step..rgb.width).step_by(step) {
            see(lack_by(*rgb.at(x, y), flip, inverse[x / run(0)]));
        }
    }
}

/// Every which pixel is enough to learn a sheet by: half a million of them.
fn sampling(rgb: &Plane<Rgb>) -> usize {
    ((rgb.data.len() as f64 / 5e5).sqrt() as usize).clamp(1, 8)
}

/// What full ink lacks on this sheet: the middle of its darkest pixels.
pub fn ink_direction(rgb: &Plane<Rgb>, flip: u8, paper: &Paper) -> V3 {
    let mut dark: Vec<(f32, V3)> = Vec::new();
    sampled(rgb, flip, paper, sampling(rgb), |d| {
        let least = d[0].min(d[1]).min(d[2]);
        if least > 0.35 {
            dark.push((least, d));
        }
    });
    if dark.len() < 20 {
        return [0.85; 3];
    }
    // Broad ink, where there is any, gathers at one darkness; thin lines trail below it. The upper part is safe.
    let at = dark.len() * 6 / 10;
    dark.select_nth_unstable_by(at, |a, b| a.0.total_cmp(&b.0));
    let top = &dark[at..];
    let mut mean = [0f32; 3];
    top.iter().for_each(|p| (0..3).for_each(|c| mean[c] += p.1[c] / top.len() as f32));
    mean.map(|v| v.clamp(0.3, 1.0))
}

/// The pencil colours on a sheet, the most used first, at most three: peaks of the hue histogram of what is neither
/// paper nor ink.
pub fn find(rgb: &Plane<Rgb>, flip: u8, paper: &Paper, ink: V3) -> Vec<Pencil> {
    const BINS: usize = 36;
    let mut bins = vec![(0usize, [0f32; 3]); BINS];
    let mut seen = 0usize;
    sampled(rgb, flip, paper, sampling(rgb).max(2), |d| {
        seen += 1;
        if tint(d) > 0.11 && d[0].max(d[1]).max(d[2]) < 0.8 {
            let [a, b] = hue(d);
            let bin = ((b.atan2(a) / std::f32::consts::TAU + 1.0) * BINS as f32) as usize % BINS;
            bins[bin].0 += 1;
            (0..3).for_each(|c| bins[bin].1[c] += d[c]);
        }
    });
    let mut found = Vec::new();
    for _ in 0..3 {
        let sum = |i: usize| bins[i].0 + bins[(i + 1) % BINS].0 + bins[(i + BINS - 1) % BINS].0;
        let Some(best) = (0..BINS).max_by_key(|&i| sum(i)) else {
            break;
        };
        let n = sum(best);
        if n < (seen / 4000).max(40) {
            break;
        }
        let mut d = [0f32; 3];
        for off in [BINS - 2, BINS - 1, 0, 1, 2] {
            let b = &mut bins[(best + off) % BINS];
            // The two outer ones are its tails: not measured, but not found again either.
            if off != 2 && off != BINS - 2 {
                (0..3).for_each(|c| d[c] += b.1[c] / n as f32);
            }
            b.0 = 0;
        }
        found.extend(Pencil::from_lack(d, ink));
    }
    found
}

/// The plain ink share of a row's pixels, 0 to 255, in whole numbers of 1/4096.
#[multiversion::multiversion(targets("x86_64+avx2"))]
fn plain_row(pixels: &[u8], flip: u8, by: V3, inverse: &[[f32; 3]], run: usize, out: &mut [u8]) {
    const ONE: f32 = 4096.0;
    let whole = ((by[0] + by[1] + by[2]) * 255.0 * ONE) as i32;
    let share = |p: &[u8], w: [i32; 3]| {
        let lit = w[0] * (p[0] ^ flip) as i32 + w[1] * (p[1] ^ flip) as i32 + w[2] * (p[2] ^ flip) as i32;
        ((whole - lit) >> 12).clamp(0, 255) as u8
    };
    for ((px, out), inverse) in pixels.chunks(3 * run).zip(out.chunks_mut(run)).zip(inverse) {
        let weight = |c: usize| (by[c] * inverse[c] * 255.0 * ONE) as i32;
        let w = [weight(0), weight(1), weight(2)];
        // The usual run has a length that is known: its loop becomes a few wide steps.
        if let (Ok(px), Ok(out)) = (<&[u8; 24]>::try_from(px), <&mut [u8; 8]>::try_from(&mut *out)) {
            for x in 0..8 {
                out[x] = share(&px[3 * x..3 * x + 3], w);
            }
        } else {
            px.chunks_exact(3).zip(out).for_each(|(p, o)| *o = share(p, w));
        }
    }
}

/// Which pixels of a row may have a tint. Bare paper has nothing to tell apart, nor has what lacks the same in all channels.
#[multiversion::multiversion(targets("x86_64+avx2"))]
fn spread_row(pixels: &[u8], flip: u8, inverse: &[[f32; 3]], run: usize, cover: &[u8], out: &mut [bool]) {
    let is_spread = |r: u8, g: u8, b: u8, inverse: [f32; 3], cover: u8| {
        let d = lack_by([r, g, b], flip, inverse);
        (d[0].max(d[1]).max(d[2]) - d[0].min(d[1]).min(d[2]) > LEAST_TINT) & (cover >= BARE)
    };
    let runs = pixels.chunks(3 * run).zip(cover.chunks(run)).zip(out.chunks_mut(run)).zip(inverse);
    for (((px, cover), out), &inverse) in runs {
        // As above.
        if let (Ok(px), Ok(cover), Ok(out)) =
            (<&[u8; 24]>::try_from(px), <&[u8; 8]>::try_from(cover), <&mut [bool; 8]>::try_from(&mut *out))
        {
            for x in 0..8 {
                out[x] = is_spread(px[3 * x], px[3 * x + 1], px[3 * x + 2], inverse, cover[x]);
            }
        } else {
            let all = px.chunks_exact(3).zip(cover).zip(out);
            all.for_each(|((p, &cover), o)| *o = is_spread(p[0], p[1], p[2], inverse, cover));
        }
    }
}

/// A pencil made ready for a sheet's pixels: each share is a dot product with what a pixel lacks.
struct Unmixing {
    ink: V3,
    pencil: V3,
    hue: [f32; 2],
}

/// How much of each pixel is ink, and how much was taken for pencil (0 to 255 both), over an area of a picture in which
/// every `2^level` pixels of the sheet are one. `area`: left, top, width, height in pixels of that picture.
pub fn unmix(
    rgb: &Plane<Rgb>,
    flip: u8,
    (paper, ink): (&Paper, V3),
    pencils: &[Pencil],
    recipe: &LiftRecipe,
    level: u32,
    area: [usize; 4],
) -> (Plane<u8>, Plane<u8>) {
    let [x0, y0, w, h] = area;
    // Weighted least squares: the channel mix says how much each channel counts.
    let m: V3 = recipe.mix.map(|v| v as f32);
    let by = |a: V3, b: V3| (0..3).map(|c| m[c] * a[c] * b[c]).sum::<f32>();
    let ii = by(ink, ink).max(1e-6);
    let plainly: V3 = std::array::from_fn(|c| m[c] * ink[c] / ii);
    let near = recipe.reach.to_radians().cos() as f32;
    let far = (recipe.reach + recipe.softness).min(180.0).to_radians().cos() as f32;
    let rows: Vec<Unmixing> = pencils
        .iter()
        .filter_map(|p| {
            let (ip, pp) = (by(ink, p.direction), by(p.direction, p.direction));
            let det = ii * pp - ip * ip;
            (det > 1e-5).then(|| Unmixing {
                ink: std::array::from_fn(|c| m[c] * (pp * ink[c] - ip * p.direction[c]) / det),
                pencil: std::array::from_fn(|c| m[c] * (ii * p.direction[c] - ip * ink[c]) / det),
                hue: p.hue,
            })
        })
        .collect();
    let mut cover = Plane::new(w, h, 0u8);
    let mut removed = Plane::new(w, h, 0u8);
    let run = run(level);
    let bands = cover.data.par_chunks_mut((w * run).max(1)).zip(removed.data.par_chunks_mut((w * run).max(1)));
    let at_hand = || (Vec::new(), vec![false; w]);
    bands.enumerate().for_each_init(at_hand, |(inverse, is_spread), (band, (cover, removed))| {
        // One look at the paper serves as many rows as columns.
        let top = y0 + band * run;
        paper.inverse_row((top, run), (x0, w), level, recipe.even_light, inverse);
        for (i, (cover, removed)) in cover.chunks_mut(w).zip(removed.chunks_mut(w)).enumerate() {
            let pixels = &rgb.row(top + i)[x0..x0 + w];
            plain_row(pixels.as_flattened(), flip, plainly, inverse, run, cover);
            if rows.is_empty() {
                continue;
            }
            spread_row(pixels.as_flattened(), flip, inverse, run, cover, is_spread);
            for x in (0..w).filter(|&x| is_spread[x]) {
                let d = lack_by(pixels[x], flip, inverse[x / run]);
                if tint(d) <= LEAST_TINT {
                    continue;
                }
                let own = unit(hue(d));
                let plain = dot(d, plainly);
                let mut alpha = plain;
                for row in &rows {
                    let cos = own[0] * row.hue[0] + own[1] * row.hue[1];
                    if cos > far && dot(d, row.pencil) > 0.0 {
                        let caught = if cos >= near { 1.0 } else { (cos - far) / (near - far).max(1e-6) };
                        alpha = alpha.min(plain + (dot(d, row.ink) - plain) * caught);
                    }
                }
                cover[x] = (alpha * 255.0).clamp(0.0, 255.0) as u8;
                removed[x] = ((plain - alpha) * 255.0).clamp(0.0, 255.0) as u8;
            }
        }
    });
    (cover, removed)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_cube_root_is_that_of_the_library() {
        for k in 0..=100_000u32 {
            let x = k as f32 / 100_000.0;
            let (own, exact) = (f64::from(cube_root(x)), f64::from(x).cbrt());
            assert!((own - exact).abs() <= 3e-7 * exact, "{x}: {own}, {exact}");
        }
    }

    #[test]
    fn a_pixel_is_spread_by_the_widest_of_its_channels() {
        let pixels: Vec<u8> = (0..3 * 43u32).map(|k| (k * 37 % 256) as u8).collect();
        let cover: Vec<u8> = (0..43).map(|k| k % 11).collect();
        for (run, flip) in [(8, 0), (5, 255)] {
            let inverse: Vec<[f32; 3]> =
                (0..43usize.div_ceil(run)).map(|k| [0.0039, 0.004 + k as f32 * 1e-4, 0.0041]).collect();
            let mut out = vec![false; 43];
            spread_row(&pixels, flip, &inverse, run, &cover, &mut out);
            for (x, is_spread) in out.into_iter().enumerate() {
                let d = lack_by([0, 1, 2].map(|c| pixels[3 * x + c]), flip, inverse[x / run]);
                let spread = d.iter().copied().fold(f32::MIN, f32::max) - d.iter().copied().fold(f32::MAX, f32::min);
                assert_eq!(is_spread, spread > LEAST_TINT && cover[x] >= BARE, "{x}");
            }
        }
    }
}
