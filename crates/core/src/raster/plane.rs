//! A plane of pixels, row by row from the top left.

use rayon::prelude::*;

/// `width * height` values, row-major.
#[derive(Debug, Clone, PartialEq)]
pub struct Plane<T> {
    pub width: usize,
    pub height: usize,
    pub data: Vec<T>,
}

/// Red, green and blue of one pixel, as the file gave them (sRGB).
pub type Rgb = [u8; 3];

impl<T: Clone + Send + Sync> Plane<T> {
    /// A plane filled with one value.
    pub fn new(width: usize, height: usize, value: T) -> Self {
        Self { width, height, data: vec![value; width * height] }
    }

    /// A plane without pixels.
    pub fn empty() -> Self {
        Self { width: 0, height: 0, data: Vec::new() }
    }

    /// The value at column `x`, row `y`; panics outside the plane.
    #[inline]
    pub fn at(&self, x: usize, y: usize) -> &T {
        &self.data[y * self.width + x]
    }

    /// The value at signed coordinates, or `None` outside the plane.
    #[inline]
    pub fn get(&self, x: i64, y: i64) -> Option<&T> {
        if x < 0 || y < 0 || x >= self.width as i64 || y >= self.height as i64 {
            None
        } else {
            Some(&self.data[y as usize * self.width + x as usize])
        }
    }

    /// Sets the value at column `x`, row `y`; panics outside the plane.
    #[inline]
    pub fn set(&mut self, x: usize, y: usize, value: T) {
        self.data[y * self.width + x] = value;
    }

    /// A plane of the same size, each value mapped.
    pub fn map<U: Clone + Send + Sync>(&self, f: impl Fn(&T) -> U + Send + Sync) -> Plane<U> {
        let Some(first) = self.data.first() else {
            return Plane { width: self.width, height: self.height, data: Vec::new() };
        };
        // Whole runs at a time, which the compiler can do in vectors.
        let mut data = vec![f(first); self.data.len()];
        data.par_chunks_mut(1 << 14).zip(self.data.par_chunks(1 << 14)).for_each(|(to, from)| {
            to.iter_mut().zip(from).for_each(|(o, v)| *o = f(v));
        });
        Plane { width: self.width, height: self.height, data }
    }

    /// The rows of the plane, in parallel, with their numbers.
    pub fn par_rows_mut(&mut self) -> impl IndexedParallelIterator<Item = (usize, &mut [T])> {
        self.data.par_chunks_mut(self.width.max(1)).enumerate()
    }

    /// The plane with another size, its pixels whatever they were.
    pub fn sized(mut self, width: usize, height: usize) -> Self
    where
        T: Default,
    {
        self.data.resize(width * height, T::default());
        Plane { width, height, data: self.data }
    }

    /// Takes over size and pixels of another plane, without a new place for them if the old one is large enough.
    pub fn copy_from(&mut self, other: &Self) {
        self.data.clone_from(&other.data);
        (self.width, self.height) = (other.width, other.height);
    }

    /// A part of the plane: left, top, width, height; panics outside the plane.
    pub fn part(&self, [x, y, w, h]: [usize; 4]) -> Self {
        let mut data = Vec::with_capacity(w * h);
        (y..y + h).for_each(|y| data.extend_from_slice(&self.row(y)[x..x + w]));
        Plane { width: w, height: h, data }
    }

    /// Row `y`.
    #[inline]
    pub fn row(&self, y: usize) -> &[T] {
        &self.data[y * self.width..(y + 1) * self.width]
    }
}

impl<T: Copy + PartialOrd + Send + Sync> Plane<T> {
    /// For each pixel the highest value within a square of `2 r + 1` pixels. O(pixels · r), for small planes.
    pub fn highest_within(&self, r: usize) -> Plane<T> {
        let (w, h) = (self.width, self.height);
        let higher = |a: T, b: T| if b > a { b } else { a };
        let mut rows = self.clone();
        rows.par_rows_mut().for_each(|(y, row)| {
            let from = self.row(y);
            for (x, o) in row.iter_mut().enumerate() {
                *o = from[x.saturating_sub(r)..(x + r + 1).min(w)].iter().fold(*o, |a, &b| higher(a, b));
            }
        });
        let mut out = rows.clone();
        out.par_rows_mut().for_each(|(y, row)| {
            for v in y.saturating_sub(r)..(y + r + 1).min(h) {
                row.iter_mut().zip(rows.row(v)).for_each(|(o, &n)| *o = higher(*o, n));
            }
        });
        out
    }
}

impl Plane<[u8; 3]> {
    /// The plane made smaller: every `2^level` pixels averaged into one, channel by channel. `area`: left, top, width,
    /// height of what is taken.
    pub fn averaged(&self, level: u32, area: [usize; 4]) -> Plane<[u8; 3]> {
        averaged(self, level, area)
    }
}

impl Plane<[u8; 4]> {
    /// The same of four channels.
    pub fn averaged(&self, level: u32, area: [usize; 4]) -> Plane<[u8; 4]> {
        averaged(self, level, area)
    }
}

fn averaged<const N: usize>(of: &Plane<[u8; N]>, level: u32, [x0, y0, w, h]: [usize; 4]) -> Plane<[u8; N]> {
    let k = 1usize << level;
    let mut out = Plane::new(w.div_ceil(k), h.div_ceil(k), [0u8; N]);
    out.par_rows_mut().for_each(|(oy, row)| {
        let ya = y0 + oy * k;
        let rows = ya..(ya + k).min(y0 + h);
        for (ox, o) in row.iter_mut().enumerate() {
            let xa = x0 + ox * k;
            let xb = (xa + k).min(x0 + w);
            let mut sum = [0u32; N];
            for y in rows.clone() {
                for p in &of.row(y)[xa..xb] {
                    (0..N).for_each(|c| sum[c] += u32::from(p[c]));
                }
            }
            let n = ((xb - xa) * rows.len()).max(1) as u32;
            *o = sum.map(|s| ((s + n / 2) / n) as u8);
        }
    });
    out
}

/// Adds a row to sums of rows.
#[multiversion::multiversion(targets("x86_64+avx2"))]
fn add_row(sums: &mut [u16], row: &[u8]) {
    sums.iter_mut().zip(row).for_each(|(s, &v)| *s += v as u16);
}

impl Plane<u8> {
    /// The plane made smaller: every `2^level` pixels (up to 2^8) averaged into one. `area`: left, top, width, height of
    /// what is taken.
    pub fn smaller(&self, level: u32, [x0, y0, w, h]: [usize; 4]) -> Plane<u8> {
        if level == 0 {
            return self.part([x0, y0, w, h]);
        }
        let k = 1usize << level.min(8);
        let mut out = Plane::new(w.div_ceil(k), h.div_ceil(k), 0u8);
        out.data.par_chunks_mut(w.div_ceil(k).max(1)).enumerate().for_each_init(
            || vec![0u16; w],
            |sums, (oy, row)| {
                let ya = y0 + oy * k;
                let yb = (ya + k).min(y0 + h);
                sums.fill(0);
                (ya..yb).for_each(|y| add_row(sums, &self.row(y)[x0..x0 + w]));
                for (o, sums) in row.iter_mut().zip(sums.chunks(k)) {
                    let n = (sums.len() * (yb - ya)) as u32;
                    *o = ((sums.iter().map(|&s| u32::from(s)).sum::<u32>() + n / 2) / n) as u8;
                }
            },
        );
        out
    }

    /// The value between pixels, bilinear, with the border repeated; a pixel's own value stands at its centre (+0.5).
    #[inline]
    pub fn sample(&self, x: f64, y: f64) -> f64 {
        let between = |v: f64, n: usize| {
            let v = (v - 0.5).clamp(0.0, (n - 1) as f64);
            let from = v as usize;
            (from, (from + 1).min(n - 1), v - from as f64)
        };
        let ((xa, xb, tx), (ya, yb, ty)) = (between(x, self.width), between(y, self.height));
        let (a, b) = (f64::from(*self.at(xa, ya)), f64::from(*self.at(xb, ya)));
        let (c, d) = (f64::from(*self.at(xa, yb)), f64::from(*self.at(xb, yb)));
        (a + (b - a) * tx) * (1.0 - ty) + (c + (d - c) * tx) * ty
    }
}
