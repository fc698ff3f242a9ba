//! The colour of the paper at every place of the sheet, under whatever lies on it.
//!
//! Blocks of 16 x 16 pixels give the mean of their brighter pixels; blocks that are mostly ink, by their darkness
//! against the neighbourhood or by their unrest, are left out and filled from around (push-pull on a pyramid: Gortler,
//! Grzeszczuk, Szeliski, Cohen, "The Lumigraph", 1996). So a broad solid black does not hollow, and the edge of a
//! shadow is followed as finely as the blocks are.

use crate::plane::{Plane, Rgb};
use rayon::prelude::*;

const BLOCK: usize = 16;

/// The paper's colour on a grid of blocks, and as a whole; 0 to 255 a channel.
#[derive(Debug, Clone)]
pub struct Paper {
    grid: Plane<[f32; 3]>,
    middle: [f32; 3],
}

impl Paper {
    /// Measures the paper of a sheet; `even_light` 0 takes one colour for all, 1 follows the light.
    pub fn measure(rgb: &Plane<Rgb>, even_light: f64) -> Paper {
        let (gw, gh) = (rgb.width.div_ceil(BLOCK), rgb.height.div_ceil(BLOCK));
        let blocks: Vec<([f32; 3], f32, f32)> = (0..gw * gh)
            .into_par_iter()
            .map_init(Vec::new, |sorted, i| {
                let (bx, by) = (i % gw * BLOCK, i / gw * BLOCK);
                sorted.clear();
                for y in by..(by + BLOCK).min(rgb.height) {
                    let row = &rgb.row(y)[bx..(bx + BLOCK).min(rgb.width)];
                    sorted
                        .extend(row.iter().skip(y % 2).step_by(2).map(|p| (p.iter().map(|&c| u16::from(c)).sum(), *p)));
                }
                if sorted.is_empty() {
                    sorted.push((0u16, *rgb.at(bx, by)));
                }
                sorted.sort_unstable_by_key(|p: &(u16, Rgb)| p.0);
                let n = sorted.len();
                let part = &sorted[n * 55 / 100..(n * 95 / 100).max(n * 55 / 100 + 1)];
                let mut mean = [0f32; 3];
                part.iter().for_each(|p| (0..3).for_each(|c| mean[c] += f32::from(p.1[c]) / part.len() as f32));
                let (a, b) = (f32::from(part[0].0), f32::from(part[part.len() - 1].0));
                (mean, mean.iter().sum::<f32>(), b - a)
            })
            .collect();
        let light = Plane { width: gw, height: gh, data: blocks.iter().map(|b| b.1).collect::<Vec<f32>>() };
        let mut order: Vec<f32> = light.data.clone();
        order.sort_unstable_by(f32::total_cmp);
        let brightest = order[order.len() - 1 - order.len() / 20];
        let around = widest_light(&light, 20);
        let mut valid: Vec<bool> = (0..gw * gh)
            .map(|i| {
                let (_, l, unrest) = blocks[i];
                l > 0.45 * around.data[i] && l > 0.16 * brightest && unrest < 0.28 * l
            })
            .collect();
        if !valid.iter().any(|&v| v) {
            valid = light.data.iter().map(|&l| l >= brightest).collect();
        }
        let mut middle = [0f32; 3];
        for (c, m) in middle.iter_mut().enumerate() {
            let mut v: Vec<f32> = (0..gw * gh).filter(|&i| valid[i]).map(|i| blocks[i].0[c]).collect();
            v.sort_unstable_by(f32::total_cmp);
            *m = v[v.len() / 2];
        }
        let mut grid = push_pull(gw, gh, &blocks.iter().map(|b| b.0).collect::<Vec<_>>(), &valid);
        smooth(&mut grid);
        let even = even_light as f32;
        grid.data.iter_mut().for_each(|p| (0..3).for_each(|c| p[c] = middle[c] + (p[c] - middle[c]) * even));
        Paper { grid, middle }
    }

    /// The paper's usual colour.
    pub fn middle(&self) -> [f32; 3] {
        self.middle
    }

    /// One row of the paper, bilinear between block centres, written to `out`.
    pub fn row(&self, y: usize, out: &mut [[f32; 3]]) {
        let (gw, gh) = (self.grid.width, self.grid.height);
        let place = |v: usize, n: usize| {
            let f = ((v as f32 + 0.5) / BLOCK as f32 - 0.5).clamp(0.0, (n - 1) as f32);
            let i = (f as usize).min(n.saturating_sub(2));
            (i, (i + 1).min(n - 1), f - i as f32)
        };
        let (ya, yb, ty) = place(y, gh);
        let (ra, rb) = (self.grid.row(ya), self.grid.row(yb));
        let column: Vec<[f32; 3]> =
            (0..gw).map(|x| std::array::from_fn(|c| ra[x][c] + (rb[x][c] - ra[x][c]) * ty)).collect();
        for (x, o) in out.iter_mut().enumerate() {
            let (xa, xb, tx) = place(x, gw);
            *o = std::array::from_fn(|c| column[xa][c] + (column[xb][c] - column[xa][c]) * tx);
        }
    }
}

/// The highest light within a square of `2 r + 1` blocks.
fn widest_light(light: &Plane<f32>, r: usize) -> Plane<f32> {
    let run = |get: &dyn Fn(usize) -> f32, n: usize, i: usize| {
        (i.saturating_sub(r)..(i + r + 1).min(n)).map(get).fold(0f32, f32::max)
    };
    let mut rows = light.clone();
    for y in 0..light.height {
        for x in 0..light.width {
            rows.set(x, y, run(&|i| *light.at(i, y), light.width, x));
        }
    }
    let mut out = light.clone();
    for y in 0..light.height {
        for x in 0..light.width {
            out.set(x, y, run(&|i| *rows.at(x, i), light.height, y));
        }
    }
    out
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
