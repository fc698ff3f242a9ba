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

    /// Row `y`.
    #[inline]
    pub fn row(&self, y: usize) -> &[T] {
        &self.data[y * self.width..(y + 1) * self.width]
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
