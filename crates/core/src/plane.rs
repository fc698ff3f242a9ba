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
        Plane { width: self.width, height: self.height, data: self.data.par_iter().map(f).collect() }
    }

    /// The rows of the plane, in parallel, with their numbers.
    pub fn par_rows_mut(&mut self) -> impl IndexedParallelIterator<Item = (usize, &mut [T])> {
        self.data.par_chunks_mut(self.width.max(1)).enumerate()
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

impl<T: Copy + Send + Sync> Plane<T> {
    /// The plane made smaller: every `2^level` pixels averaged into one; `N` channels of a pixel are given by `pixel`.
    /// `area`: left, top, width, height of what is taken.
    pub fn averaged<const N: usize>(
        &self,
        level: u32,
        [x0, y0, w, h]: [usize; 4],
        pixel: impl Fn(T) -> [u8; N] + Sync,
    ) -> Plane<[u8; N]> {
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
                    for &p in &self.row(y)[xa..xb] {
                        let p = pixel(p);
                        (0..N).for_each(|c| sum[c] += u32::from(p[c]));
                    }
                }
                let n = ((xb - xa) * rows.len()).max(1) as u32;
                *o = sum.map(|s| ((s + n / 2) / n) as u8);
            }
        });
        out
    }
}

impl Plane<u8> {
    /// The value between pixels, bilinear, with the border repeated; a pixel's own value stands at its centre (+0.5).
    #[inline]
    pub fn sample(&self, x: f64, y: f64) -> f64 {
        let (fx, fy) = (x - 0.5, y - 0.5);
        let (x0, y0) = (fx.floor(), fy.floor());
        let (tx, ty) = (fx - x0, fy - y0);
        let clamp = |v: f64, n: usize| v.clamp(0.0, (n - 1) as f64) as usize;
        let (xa, xb) = (clamp(x0, self.width), clamp(x0 + 1.0, self.width));
        let (ya, yb) = (clamp(y0, self.height), clamp(y0 + 1.0, self.height));
        let (a, b) = (f64::from(*self.at(xa, ya)), f64::from(*self.at(xb, ya)));
        let (c, d) = (f64::from(*self.at(xa, yb)), f64::from(*self.at(xb, yb)));
        (a + (b - a) * tx) * (1.0 - ty) + (c + (d - c) * tx) * ty
    }
}
