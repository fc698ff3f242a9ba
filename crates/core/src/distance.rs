//! Exact squared Euclidean distance of each pixel of a set to the nearest pixel outside it, by the lower envelope of
//! parabolas along columns and then rows (Felzenszwalb and Huttenlocher, "Distance Transforms of Sampled Functions",
//! Theory of Computing 8, 2012). O(pixels), exact in integers.

use crate::plane::Plane;
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
const FAR: u32 = 40_000;

/// `border`: the distance at which the nearest outside pixel stands beyond the plane, less one.
fn transform(set: &Plane<bool>, border: u32) -> Plane<u32> {
    let (w, h) = (set.width, set.height);
    // Columns: distance to the nearest outside pixel of the same column, by two sweeps over rows.
    let mut column = Plane::new(w, h, 0u32);
    for y in 0..h {
        for x in 0..w {
            if *set.at(x, y) {
                let above = if y == 0 { border } else { *column.at(x, y - 1) };
                column.set(x, y, (above + 1).min(FAR));
            }
        }
    }
    for y in (0..h).rev() {
        for x in 0..w {
            let below = if y + 1 == h { border } else { *column.at(x, y + 1) };
            let here = (*column.at(x, y)).min(below + 1);
            column.set(x, y, here);
        }
    }
    // Rows: the lower envelope of the parabolas (x - q)^2 + column(q)^2, with an outside pixel beyond each end.
    let mut out = Plane::new(w, h, 0u32);
    out.data.par_chunks_mut(w.max(1)).enumerate().for_each_init(
        || (Vec::<i64>::with_capacity(w + 2), Vec::<i64>::with_capacity(w + 2), vec![0i64; w + 2]),
        |(at, from, f), (y, row)| {
            for x in 0..w {
                let d = i64::from(*column.at(x, y));
                f[x + 1] = d * d;
            }
            let beyond = i64::from(border) * i64::from(border);
            f[0] = beyond;
            f[w + 1] = beyond;
            at.clear();
            from.clear();
            for q in 0..(w + 2) as i64 {
                loop {
                    let Some(&p) = at.last() else {
                        at.push(q);
                        from.push(0);
                        break;
                    };
                    // First integer x where q's parabola is not above p's.
                    let num = (f[q as usize] + q * q) - (f[p as usize] + p * p);
                    let s = num.div_euclid(2 * (q - p)) + i64::from(num.rem_euclid(2 * (q - p)) != 0);
                    let start = from[from.len() - 1];
                    if s <= start {
                        at.pop();
                        from.pop();
                        continue;
                    }
                    if s <= (w + 1) as i64 {
                        at.push(q);
                        from.push(s);
                    }
                    break;
                }
            }
            let mut k = 0;
            for x in 1..=(w as i64) {
                while k + 1 < at.len() && from[k + 1] <= x {
                    k += 1;
                }
                let d = x - at[k];
                row[(x - 1) as usize] = (d * d + f[at[k] as usize]) as u32;
            }
        },
    );
    out
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
