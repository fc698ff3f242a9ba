//! Exact squared Euclidean distance of each pixel of a set to the nearest pixel outside it, by the lower envelope of
//! parabolas along columns and then rows (Felzenszwalb and Huttenlocher, "Distance Transforms of Sampled Functions",
//! Theory of Computing 8, 2012). O(pixels), exact in integers.

use crate::raster::plane::Plane;
use rayon::prelude::*;

/// Squared distances between pixel centres; 0 outside the set. What lies beyond the plane's border counts as outside.
pub fn squared_distance(set: &Plane<bool>) -> Plane<u32> {
    transform(set, 0)
}

/// Squared distance of each pixel to the nearest one of the set, 0 on it; very large when the set is empty.
pub fn squared_distance_to(set: &Plane<bool>) -> Plane<u32> {
    transform(&set.map(|&b| !b), FAR)
}

/// Farther than any two pixels of a picture that can be read (squared it still fits 32 bits).
const FAR: u16 = 40_000;

/// A row of column distances from the row before it.
#[multiversion::multiversion(targets("x86_64+avx2"))]
fn one_farther(before: &[u16], set: &[bool], row: &mut [u16]) {
    for ((d, &b), &s) in row.iter_mut().zip(before).zip(set) {
        *d = if s { (b + 1).min(FAR) } else { 0 };
    }
}

/// A row of column distances, less where the row after it is nearer.
#[multiversion::multiversion(targets("x86_64+avx2"))]
fn no_farther(after: &[u16], row: &mut [u16]) {
    row.iter_mut().zip(after).for_each(|(d, &a)| *d = (*d).min(a + 1));
}

/// `border`: the distance at which the nearest outside pixel stands beyond the plane.
fn transform(set: &Plane<bool>, border: u16) -> Plane<u32> {
    let (w, h) = (set.width, set.height);
    if w == 0 || h == 0 {
        return Plane::new(w, h, 0);
    }
    // Columns: distance to the nearest outside pixel of the same column, by two sweeps over rows.
    let beyond = vec![border; w];
    let mut columns = Plane::new(w, h, 0u16);
    for y in 0..h {
        let (done, rest) = columns.data.split_at_mut(y * w);
        let before = if y == 0 { &beyond } else { &done[(y - 1) * w..] };
        one_farther(before, set.row(y), &mut rest[..w]);
    }
    no_farther(&beyond, &mut columns.data[(h - 1) * w..]);
    for y in (0..h - 1).rev() {
        let (rest, done) = columns.data.split_at_mut((y + 1) * w);
        no_farther(&done[..w], &mut rest[y * w..]);
    }
    // Rows: the lower envelope of the parabolas (x - q)^2 + column(q)^2. The pixels beside a run of the set are outside,
    // so nothing farther off can be nearest to any of it: each run is a matter of its own.
    let mut out = Plane::new(w, h, 0u32);
    out.data.par_chunks_mut(w).enumerate().for_each_init(Envelope::default, |envelope, (y, row)| {
        let (set, columns) = (set.row(y), columns.row(y));
        let mut x = 0;
        while x < w {
            if !set[x] {
                x += 1;
                continue;
            }
            let from = x;
            while x < w && set[x] {
                x += 1;
            }
            envelope.of_run(columns, from, x, border, &mut row[from..x]);
        }
    });
    out
}

/// Room to work in: the columns whose parabola is lowest somewhere, its height, and from which x on.
#[derive(Default)]
struct Envelope {
    parts: Vec<(i64, i64, i64)>,
}

impl Envelope {
    /// The squared distances of one run of a row, columns `from` to `to`.
    fn of_run(&mut self, columns: &[u16], from: usize, to: usize, border: u16, row: &mut [u32]) {
        self.parts.clear();
        let beside = |inside: bool| if inside { 0 } else { i64::from(border) };
        let heights = [beside(from > 0)]
            .into_iter()
            .chain(columns[from..to].iter().map(|&c| i64::from(c)))
            .chain([beside(to < columns.len())]);
        // Column 0 is the one before the run.
        for (q, d) in (0i64..).zip(heights) {
            let height = d * d;
            let start = loop {
                let Some(&(p, f, since)) = self.parts.last() else {
                    break 0;
                };
                // The first x at which q's parabola is not above p's.
                let (rise, run) = (height - f, q - p);
                let start = if run == 1 {
                    q + (rise >> 1)
                } else {
                    // It fits 32 bits, whose division is quick; below 0 it is before every other.
                    u32::try_from(rise + run * (q + p) - 1).map_or(0, |n| i64::from(n / (2 * run) as u32) + 1)
                };
                if start > since {
                    break start;
                }
                self.parts.pop();
            };
            self.parts.push((q, height, start));
        }
        let mut k = 0;
        for (x, o) in (1i64..).zip(row) {
            while k + 1 < self.parts.len() && self.parts[k + 1].2 <= x {
                k += 1;
            }
            let (q, height, _) = self.parts[k];
            *o = ((x - q) * (x - q) + height) as u32;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn the_distance_equals_brute_force(w in 1usize..14, h in 1usize..14, bits in proptest::collection::vec(proptest::bool::weighted(0.8), 196)) {
            let set = Plane { width: w, height: h, data: bits[..w * h].to_vec() };
            let got = squared_distance(&set);
            for y in 0..h as i64 {
                for x in 0..w as i64 {
                    let mut best = u32::MAX;
                    for v in -1..=h as i64 {
                        for u in -1..=w as i64 {
                            if !set.get(u, v).copied().unwrap_or(false) {
                                best = best.min(((u - x).pow(2) + (v - y).pow(2)) as u32);
                            }
                        }
                    }
                    prop_assert_eq!(*got.at(x as usize, y as usize), best);
                }
            }
        }
    }
}
