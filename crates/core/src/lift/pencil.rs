//! Ink and pencil told apart by linear unmixing against the local paper.
//!
//! What a pixel lacks against the paper, d = 1 − pixel / paper (one value a channel), is taken as a share of ink, whose
//! lack is nearly the same in all channels, and a share of pencil, whose lack has a hue: d = α·ink + u·pencil, solved
//! by least squares with u ≥ 0 (linear mixing model; Keshava and Mustard, "Spectral Unmixing", IEEE Signal Processing
//! Magazine, 2002). A pale and a strong stroke of one pencil have the same direction, and ink over pencil keeps its own
//! share. Whether a pixel is pencil at all is asked of its hue: the part of d that is not grey.

use super::paper::Paper;
use crate::plane::{Plane, Rgb};
use crate::recipe::LiftRecipe;
use rayon::prelude::*;

type V3 = [f32; 3];

fn dot(a: V3, b: V3) -> f32 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

/// What a colour lacks against the paper, by channel; 0 to 1, a little below 0 where it is brighter than the paper.
fn lack(p: Rgb, paper: V3) -> V3 {
    std::array::from_fn(|c| 1.0 - f32::from(p[c]) / paper[c].max(1.0))
}

/// The part of a lack that is not grey.
fn tint(d: V3) -> V3 {
    let m = (d[0] + d[1] + d[2]) / 3.0;
    d.map(|v| v - m)
}

/// A drop-out colour on this paper.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pencil {
    /// What it lacks, scaled to length 1.
    direction: V3,
    /// The hue of that, scaled to length 1.
    hue: V3,
    /// How strong its usual stroke is.
    strength: f32,
}

impl Pencil {
    fn from_lack(d: V3, ink: V3) -> Option<Pencil> {
        let (t, l) = (tint(d), dot(d, d).sqrt());
        let tl = dot(t, t).sqrt();
        let direction = d.map(|v| v / l);
        // A sample as grey as ink cannot be told from it.
        let cos = dot(direction, ink) / dot(ink, ink).sqrt();
        (l > 0.02 && tl > 0.02 && cos < 0.985).then(|| Pencil { direction, hue: t.map(|v| v / tl), strength: l })
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

/// What full ink lacks on this sheet: the middle of its darkest pixels.
pub fn ink_direction(rgb: &Plane<Rgb>, paper: &Paper) -> V3 {
    let mut row = vec![[0f32; 3]; rgb.width];
    let mut dark: Vec<(f32, V3)> = Vec::new();
    let mut rank = vec![0usize; 257];
    let step = (rgb.height / 700).max(1);
    for y in (0..rgb.height).step_by(step) {
        paper.row(y, &mut row);
        for (p, paper) in rgb.row(y).iter().zip(&row) {
            let d = lack(*p, *paper);
            let least = d[0].min(d[1]).min(d[2]);
            if least > 0.35 {
                dark.push((least, d));
                rank[(least * 256.0) as usize] += 1;
            }
        }
    }
    if dark.len() < 20 {
        return [0.85; 3];
    }
    // Broad ink, where there is any, gathers at one darkness; thin lines trail below it. The upper third is safe.
    dark.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
    let top = &dark[dark.len() * 6 / 10..];
    let mut mean = [0f32; 3];
    top.iter().for_each(|p| (0..3).for_each(|c| mean[c] += p.1[c] / top.len() as f32));
    mean.map(|v| v.clamp(0.3, 1.0))
}

/// The pencil colours on a sheet, the most used first, at most three: peaks of the hue histogram of what is neither
/// paper nor ink.
pub fn find(rgb: &Plane<Rgb>, paper: &Paper, ink: V3) -> Vec<Pencil> {
    const BINS: usize = 36;
    let mut row = vec![[0f32; 3]; rgb.width];
    let mut bins = vec![(0usize, [0f32; 3]); BINS];
    let mut seen = 0usize;
    for y in (0..rgb.height).step_by(2) {
        paper.row(y, &mut row);
        for x in (y / 2 % 2..rgb.width).step_by(2) {
            seen += 1;
            let d = lack(*rgb.at(x, y), row[x]);
            let t = tint(d);
            if dot(t, t) > 0.012 && d[0].max(d[1]).max(d[2]) < 0.8 {
                // Hue on the plane of tints: red-green against yellow-blue.
                let angle = (3f32.sqrt() * (t[1] - t[2])).atan2(2.0 * t[0] - t[1] - t[2]);
                let bin = ((angle / std::f32::consts::TAU + 1.0) * BINS as f32) as usize % BINS;
                bins[bin].0 += 1;
                (0..3).for_each(|c| bins[bin].1[c] += d[c]);
            }
        }
    }
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
        for i in [best + BINS - 2, best + BINS - 1, best, best + 1, best + 2] {
            let b = &mut bins[i % BINS];
            if (best + BINS - 1..=best + BINS + 1).contains(&i) || i == best || i == best + 1 {
                (0..3).for_each(|c| d[c] += b.1[c] / n as f32);
            }
            b.0 = 0;
        }
        found.extend(Pencil::from_lack(d, ink));
    }
    found
}

/// The ink coverage of each pixel, 0 to 255, with the pencils taken out as far as `reach` and `softness` say.
pub fn unmix(rgb: &Plane<Rgb>, paper: &Paper, ink: V3, pencils: &[Pencil], recipe: &LiftRecipe) -> Plane<u8> {
    let ii = dot(ink, ink);
    let (near, far) =
        (recipe.reach.to_radians().cos() as f32, (recipe.reach + recipe.softness).min(180.0).to_radians().cos() as f32);
    // Each pencil's solution row: alpha = w · d.
    let rows: Vec<(V3, V3, V3)> = pencils
        .iter()
        .map(|p| {
            let (ip, pp) = (dot(ink, p.direction), dot(p.direction, p.direction));
            let det = ii * pp - ip * ip;
            let for_ink = std::array::from_fn(|c| (pp * ink[c] - ip * p.direction[c]) / det);
            let for_pencil = std::array::from_fn(|c| (ii * p.direction[c] - ip * ink[c]) / det);
            (for_ink, for_pencil, p.hue)
        })
        .collect();
    let mut out = Plane::new(rgb.width, rgb.height, 0u8);
    out.data.par_chunks_mut(rgb.width).enumerate().for_each_init(
        || vec![[0f32; 3]; rgb.width],
        |local, (y, row)| {
            paper.row(y, local);
            for (x, o) in row.iter_mut().enumerate() {
                let d = lack(rgb.data[y * rgb.width + x], local[x]);
                let plain = dot(d, ink) / ii;
                let mut alpha = plain;
                let t = tint(d);
                let tl = dot(t, t).sqrt();
                if tl > 0.01 {
                    for (for_ink, for_pencil, hue) in &rows {
                        let cos = dot(t, *hue) / tl;
                        if cos > far && dot(d, *for_pencil) > 0.0 {
                            let caught = if cos >= near { 1.0 } else { (cos - far) / (near - far).max(1e-6) };
                            alpha = alpha.min(plain + (dot(d, *for_ink) - plain) * caught);
                        }
                    }
                }
                *o = (alpha * 255.0).clamp(0.0, 255.0) as u8;
            }
        },
    );
    out
}
