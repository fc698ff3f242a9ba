//! The colour of the paper at every place of the sheet, under whatever lies on it.
//!
//! Blocks of 16 x 16 pixels give the mean of their brighter pixels; blocks that are mostly ink, by their darkness
//! against the neighbourhood or by their unrest, are left out and filled from around (push-pull on a pyramid: Gortler,
//! Grzeszczuk, Szeliski, Cohen, "The Lumigraph", 1996). So a broad solid black does not hollow, and the edge of a
//! shadow is followed as finely as the blocks are.

use crate::raster::plane::{Plane, Rgb};
use rayon::prelude::*;

const BLOCK: usize = 16;

/// The paper's colour on a grid of blocks, and as a whole; 0 to 255 a channel.
#[derive(Debug, Clone)]
pub struct Paper {
    grid: Plane<[f32; 3]>,
    middle: [f32; 3],
}

impl Paper {
    /// Measures the paper of a sheet; `flip` 255 turns light and dark about, for light ink.
    pub fn measure(rgb: &Plane<Rgb>, flip: u8) -> Paper {
        let (gw, gh) = (rgb.width.div_ceil(BLOCK), rgb.height.div_ceil(BLOCK));
        let blocks: Vec<Block> = (0..gw * gh)
            .into_par_iter()
            .with_min_len(gw)
            .map(|i| Block::measure(rgb, flip, (i % gw * BLOCK, i / gw * BLOCK)))
            .collect();
        let light = Plane { width: gw, height: gh, data: blocks.iter().map(|b| b.light).collect::<Vec<f32>>() };
        let mut order: Vec<f32> = light.data.clone();
        let near_top = order.len() - 1 - order.len() / 20;
        let brightest = *order.select_nth_unstable_by(near_top, f32::total_cmp).1;
        let around = light.highest_within(20);
        let mut valid: Vec<bool> = (0..gw * gh)
            .map(|i| {
                let Block { light, unrest, .. } = blocks[i];
                light > 0.45 * around.data[i] && light > 0.16 * brightest && unrest < 0.28 * light
            })
            .collect();
        if !valid.iter().any(|&v| v) {
            valid = light.data.iter().map(|&l| l >= brightest).collect();
        }
        let mut middle = [0f32; 3];
        for (c, m) in middle.iter_mut().enumerate() {
            let mut v: Vec<f32> = (0..gw * gh).filter(|&i| valid[i]).map(|i| blocks[i].mean[c]).collect();
            let half = v.len() / 2;
            *m = *v.select_nth_unstable_by(half, f32::total_cmp).1;
        }
        let mut grid = push_pull(gw, gh, &blocks.iter().map(|b| b.mean).collect::<Vec<_>>(), &valid);
        smooth(&mut grid);
        Paper { grid, middle }
    }

    /// The paper's usual colour.
    pub fn middle(&self) -> [f32; 3] {
        self.middle
    }

    /// The paper at a place of the sheet, px.
    pub fn at(&self, x: usize, y: usize) -> [f32; 3] {
        let mut one = Vec::new();
        self.inverse_row((y, 1), (x, 1), 0, 1.0, &mut one);
        one[0].map(|v| 1.0 / v)
    }

    /// What the pixels of `rows` rows from `y` on, `n` of them from column `x0` on, are to be multiplied with to give
    /// shares of the paper; one value a channel for each [`run`] of pixels, linear between block centres. `level`: every `2^level`
    /// pixels of the sheet are one. `even_light` 0 takes one colour for all, 1 follows the light.
    pub fn inverse_row(
        &self,
        (y, rows): (usize, usize),
        (x0, n): (usize, usize),
        level: u32,
        even_light: f64,
        out: &mut Vec<[f32; 3]>,
    ) {
        let (gw, gh) = (self.grid.width, self.grid.height);
        let (step, even) = (BLOCK as f32 / (1u32 << level) as f32, even_light as f32);
        let row = ((y as f32 + rows as f32 / 2.0) / step - 0.5).clamp(0.0, (gh - 1) as f32);
        let ya = (row as usize).min(gh.saturating_sub(2));
        let (ra, rb, ty) = (self.grid.row(ya), self.grid.row((ya + 1).min(gh - 1)), row - ya as f32);
        // The blocks' own inverses first; between them the inverse is as good as linear.
        let inverse = |i: usize| {
            let (a, b, m) = (&ra[i], &rb[i], &self.middle);
            let at = |c: usize| 1.0 / (m[c] + (a[c] + (b[c] - a[c]) * ty - m[c]) * even).max(1.0);
            [at(0), at(1), at(2)]
        };
        let run = run(level);
        let (mut left, mut a, mut b) = (0, inverse(0), inverse(1.min(gw - 1)));
        out.clear();
        for x in (x0..x0 + n).step_by(run) {
            let place = ((x as f32 + run as f32 / 2.0) / step - 0.5).clamp(0.0, (gw - 1) as f32);
            let i = place as usize;
            if i != left {
                a = if i == left + 1 { b } else { inverse(i) };
                b = inverse((i + 1).min(gw - 1));
                left = i;
            }
            let t = place - i as f32;
            out.push([a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t, a[2] + (b[2] - a[2]) * t]);
        }
    }
}

/// The side of the squares of pixels that share one value of the paper: it changes slowly.
pub fn run(level: u32) -> usize {
    (8usize >> level).max(1)
}

/// What a block of pixels tells of the paper: the mean of its brighter half without the very brightest, the sum of
/// that, and how far apart the two ends of that part are.
#[derive(Clone, Copy)]
struct Block {
    mean: [f32; 3],
    light: f32,
    unrest: f32,
}

impl Block {
    /// From up to 32 of its pixels: every other row, every fourth pixel, staggered.
    fn measure(rgb: &Plane<Rgb>, flip: u8, (bx, by): (usize, usize)) -> Block {
        let (mut colours, mut sums, mut n) = ([[0u8; 3]; 32], [u16::MAX; 32], 0);
        for y in (by..(by + BLOCK).min(rgb.height)).step_by(2) {
            let row = &rgb.row(y)[bx..(bx + BLOCK).min(rgb.width)];
            for p in row.get(y % 4..).unwrap_or(row).iter().step_by(4) {
                let p = p.map(|c| c ^ flip);
                colours[n] = p;
                sums[n] = u16::from(p[0]) + u16::from(p[1]) + u16::from(p[2]);
                n += 1;
            }
        }
        let mut order = sums;
        order.sort_unstable();
        let from = n * 55 / 100;
        let (low, high) = (order[from], order[(n * 95 / 100).max(from + 1) - 1]);
        let (mut total, mut counted) = ([0u32; 3], 0u32);
        for (p, s) in colours.iter().zip(sums).take(n) {
            if (low..=high).contains(&s) {
                (0..3).for_each(|c| total[c] += u32::from(p[c]));
                counted += 1;
            }
        }
        let mean = total.map(|t| t as f32 / counted.max(1) as f32);
        Block { mean, light: mean.iter().sum(), unrest: f32::from(high - low) }
    }
}

/// Fills the blocks that are not valid from those that are, coarse to fine.
fn push_pull(w: usize, h: usize, value: &[[f32; 3]], valid: &[bool]) -> Plane<[f32; 3]> {
    if w <= 1 && h <= 1 || valid.iter().all(|&v| v) {
        return Plane { width: w, height: h, data: value.to_vec() };
    }
    let (cw, ch) = (w.div_ceil(2), h.div_ceil(2));
    let mut coarse = vec![[0f32; 3]; cw * ch];
    let mut weight = vec![0f32; cw * ch];
    for y in 0..h {
        for x in 0..w {
            if valid[y * w + x] {
                let i = y / 2 * cw + x / 2;
                weight[i] += 1.0;
                (0..3).for_each(|c| coarse[i][c] += value[y * w + x][c]);
            }
        }
    }
    for (v, n) in coarse.iter_mut().zip(&weight) {
        v.iter_mut().for_each(|c| *c /= n.max(1.0));
    }
    let known: Vec<bool> = weight.iter().map(|&n| n > 0.0).collect();
    let coarse = push_pull(cw, ch, &coarse, &known);
    let mut out = Plane { width: w, height: h, data: value.to_vec() };
    let place = |v: usize, n: usize| {
        let f = ((v as f32 + 0.5) / 2.0 - 0.5).clamp(0.0, (n - 1) as f32);
        let i = f as usize;
        (i, (i + 1).min(n - 1), f - i as f32)
    };
    for y in 0..h {
        for x in 0..w {
            if !valid[y * w + x] {
                let ((xa, xb, tx), (ya, yb, ty)) = (place(x, cw), place(y, ch));
                let mix = |c: usize| {
                    let top = coarse.at(xa, ya)[c] * (1.0 - tx) + coarse.at(xb, ya)[c] * tx;
                    let low = coarse.at(xa, yb)[c] * (1.0 - tx) + coarse.at(xb, yb)[c] * tx;
                    top * (1.0 - ty) + low * ty
                };
                out.set(x, y, std::array::from_fn(mix));
            }
        }
    }
    out
}

/// A 3 x 3 binomial blur, with the border repeated: blocks touched by pencil differ a little from their neighbours.
fn smooth(grid: &mut Plane<[f32; 3]>) {
    let from = grid.clone();
    let (w, h) = (grid.width as i64, grid.height as i64);
    for y in 0..h {
        for x in 0..w {
            let mut sum = [0f32; 3];
            for (dy, ky) in [(-1, 1.0), (0, 2.0), (1, 1.0)] {
                for (dx, kx) in [(-1, 1.0), (0, 2.0), (1, 1.0)] {
                    let p = from.at((x + dx).clamp(0, w - 1) as usize, (y + dy).clamp(0, h - 1) as usize);
                    (0..3).for_each(|c| sum[c] += p[c] * ky * kx / 16.0);
                }
            }
            grid.set(x as usize, y as usize, sum);
        }
    }
}
