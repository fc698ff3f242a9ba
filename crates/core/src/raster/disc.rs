//! Growing by an exact Euclidean disc.
//!
//! A pixel is reached when some ink pixel lies within the radius. Down each column the distance to the nearest ink is
//! swept; along each row, ink at column distance c reaches √(r² − c²) to both sides, and the union of those reaches is
//! read in two sweeps (the two-pass idea of Saito and Toriwaki, "New algorithms for Euclidean distance transformation",
//! Pattern Recognition 27, 1994, cut down to a fixed radius). The cost does not depend on the radius but for the rows
//! that bands of work share. Where edges are soft, the nearest ink pixel is read off the lower envelope of the columns'
//! parabolas (Felzenszwalb and Huttenlocher, "Distance Transforms of Sampled Functions", Theory of Computing 8, 2012) and
//! the edge's own fall-off is carried outwards by the radius.

use crate::raster::ink::IS_INK;
use crate::raster::plane::Plane;
use rayon::prelude::*;
use std::ops::Range;

/// Rows done at a time.
const BAND: usize = 96;
/// Columns looked at together.
const STRETCH: usize = 16;
/// Farther than this nothing grows, px.
pub const FARTHEST: f64 = 120.0;

/// What a band of rows is worked with: the columns of one row after the other, and room for the rest.
#[derive(Default)]
struct Scratch {
    reached: Vec<bool>,
    nearest: Nearest,
}

/// Calls `each` for every row of every band, in turn, with its number on the sheet and in the band, its column distances
/// to ink up to `cap` + 1, and what `bands` has for that band of [`BAND`] rows.
fn banded<B: Send>(
    alpha: &Plane<u8>,
    cap: usize,
    bands: impl IndexedParallelIterator<Item = B>,
    each: impl Fn((usize, usize), &[u8], &mut B, &mut Scratch) + Sync,
) {
    let (w, h) = (alpha.width, alpha.height);
    let none = (cap + 1).min(255) as u8;
    bands.enumerate().for_each_init(
        || (vec![0u8; w * BAND], vec![0u8; w], Scratch::default()),
        |(columns, now, scratch), (band, mut of)| {
            let y0 = band * BAND;
            let n = BAND.min(h - y0);
            let sweep = |now: &mut [u8], y: usize| one_farther(now, alpha.row(y), none);
            now.fill(none);
            for y in y0.saturating_sub(cap)..y0 + n {
                sweep(now, y);
                if y >= y0 {
                    columns[(y - y0) * w..(y - y0 + 1) * w].copy_from_slice(now);
                }
            }
            now.fill(none);
            for y in (y0..(y0 + n + cap).min(h)).rev() {
                sweep(now, y);
                if y < y0 + n {
                    let row = &mut columns[(y - y0) * w..(y - y0 + 1) * w];
                    row.iter_mut().zip(now.iter()).for_each(|(c, &d)| *c = (*c).min(d));
                }
            }
            for i in 0..n {
                each((y0 + i, i), &columns[i * w..(i + 1) * w], &mut of, scratch);
            }
        },
    );
}

/// The bands of a plane.
fn bands<T: Send>(plane: &mut Plane<T>) -> impl IndexedParallelIterator<Item = &mut [T]> {
    plane.data.par_chunks_mut((plane.width * BAND).max(1))
}

#[multiversion::multiversion(targets("x86_64+avx2"))]
fn one_farther(distance: &mut [u8], row: &[u8], none: u8) {
    for (d, &a) in distance.iter_mut().zip(row) {
        let farther = (*d + 1).min(none);
        *d = if a >= IS_INK { 0 } else { farther };
    }
}

/// Ink grown by `r` pixels. `scale`: how much of the radius counts at each pixel, 0 to 255. `crisp`: pixels are ink or
/// not, and a pixel is reached when the centre of an ink pixel is within the radius.
pub fn grow(alpha: &Plane<u8>, r: f64, scale: Option<&Plane<u8>>, crisp: bool) -> Plane<u8> {
    let r = r.clamp(0.0, FARTHEST);
    let (w, h) = (alpha.width, alpha.height);
    let mut out = Plane::new(w, h, 0u8);
    if w == 0 || h == 0 {
        return out;
    }
    if crisp && scale.is_none() {
        let cap = r.floor() as usize;
        // How far ink at each column distance reaches along the row.
        let reach: Vec<i32> =
            (0..=cap + 1).map(|c| if c > cap { -1 } else { (r * r - (c * c) as f64).max(0.0).sqrt() as i32 }).collect();
        banded(alpha, cap, bands(&mut out), |(_, i), columns, rows, _| {
            union_of_reaches(columns, &reach, &mut rows[i * w..(i + 1) * w]);
        });
    } else {
        let soft = Soft { alpha, r, cap: (r + 1.5).ceil() as usize, scale, crisp };
        banded(alpha, soft.cap, bands(&mut out), |(y, i), columns, rows, scratch| {
            soft.row(y, columns, &mut rows[i * w..(i + 1) * w], |_, _| {}, scratch);
        });
    }
    out
}

/// What [`grow`] gives, and for each pixel that is no ink the exact squared distance to the nearest ink: 0 for ink,
/// `u16::MAX` from a pixel and a half beyond the radius on.
pub fn grow_measured(alpha: &Plane<u8>, r: f64, scale: Option<&Plane<u8>>, crisp: bool) -> (Plane<u8>, Plane<u16>) {
    let r = r.clamp(0.0, FARTHEST);
    let (w, h) = (alpha.width, alpha.height);
    let (mut out, mut squared) = (Plane::new(w, h, 0u8), Plane::new(w, h, 0u16));
    if w == 0 || h == 0 {
        return (out, squared);
    }
    let soft = Soft { alpha, r, cap: (r + 1.5).ceil() as usize, scale, crisp };
    let farthest = (soft.cap * soft.cap) as u32;
    banded(alpha, soft.cap, bands(&mut out).zip(bands(&mut squared)), |(y, i), columns, (rows, squared), scratch| {
        let squared = &mut squared[i * w..(i + 1) * w];
        let tell = |xs: Range<usize>, d: Option<u32>| match d {
            Some(d) if d <= farthest => squared[xs].fill(d as u16),
            _ => squared[xs].fill(u16::MAX),
        };
        soft.row(y, columns, &mut rows[i * w..(i + 1) * w], tell, scratch);
    });
    (out, squared)
}

/// One row's union of the intervals around its columns; the row is empty before.
fn union_of_reaches(columns: &[u8], reach: &[i32], row: &mut [u8]) {
    // Where no ink is near in any column, and none reaches in from the side, nothing changes: most of a sheet is so.
    let none = (reach.len() - 1) as u8;
    let is_far = |columns: &[u8]| columns.iter().fold(255, |a, &b| a.min(b)) >= none;
    let mut until = -1;
    for (s, (row, columns)) in row.chunks_mut(STRETCH).zip(columns.chunks(STRETCH)).enumerate() {
        let x0 = (s * STRETCH) as i32;
        if until < x0 && is_far(columns) {
            continue;
        }
        for (x, (o, &c)) in (x0..).zip(row.iter_mut().zip(columns)) {
            let reach = reach[c as usize];
            until = until.max(if reach < 0 { -1 } else { x + reach });
            *o = if until >= x { 255 } else { 0 };
        }
    }
    let mut from = i32::MAX;
    for (s, (row, columns)) in row.chunks_mut(STRETCH).zip(columns.chunks(STRETCH)).enumerate().rev() {
        let x0 = (s * STRETCH) as i32;
        if from >= x0 + STRETCH as i32 && is_far(columns) {
            continue;
        }
        for (x, (o, &c)) in row.iter_mut().zip(columns).enumerate().rev() {
            let x = x0 + x as i32;
            let reach = reach[c as usize];
            from = from.min(if reach < 0 { i32::MAX } else { x - reach });
            *o |= if from <= x { 255 } else { 0 };
        }
    }
}

/// The nearest ink along one row: the lower envelope of the parabolas (x − q)² + c(q)² over the columns q that have ink
/// at column distance c. O(columns).
#[derive(Default)]
struct Nearest {
    /// Columns whose parabola is lowest somewhere, and from which x on.
    at: Vec<i32>,
    from: Vec<i32>,
    next: usize,
}

impl Nearest {
    /// Takes in a row; columns at `none` have no ink.
    fn read(&mut self, columns: &[u8], none: u8) {
        self.at.clear();
        self.from.clear();
        self.next = 0;
        let height = |q: i32| {
            let c = i32::from(columns[q as usize]);
            c * c
        };
        let last = columns.len().saturating_sub(1);
        // Ink between ink is nearest to itself alone, and where there is none there is nothing to take in: both come in
        // long stretches.
        let is_idle = |s: usize| {
            let run = &columns[s.saturating_sub(1)..(s + STRETCH + 1).min(columns.len())];
            run.iter().fold(0, |a, &b| a | b) == 0 || run.iter().fold(255, |a, &b| a.min(b)) >= none
        };
        let stretches = (0..columns.len()).step_by(STRETCH).filter(|&s| !is_idle(s));
        for q in stretches.flat_map(|s| s..(s + STRETCH).min(columns.len())) {
            let c = columns[q];
            if c >= none || c == 0 && columns[q.saturating_sub(1)] == 0 && columns[(q + 1).min(last)] == 0 {
                continue;
            }
            let (q, own) = (q as i32, i32::from(c) * i32::from(c));
            let start = loop {
                let Some(&p) = self.at.last() else {
                    break 0;
                };
                // The first x at which q's parabola is below p's.
                let (rise, run) = (own - height(p), q - p);
                let start = if run == 1 {
                    p + ((rise + 1) >> 1) + 1
                } else {
                    let twice = rise + run * (q + p);
                    twice.div_euclid(2 * run) + 1
                };
                if start > self.from[self.from.len() - 1] {
                    break start;
                }
                self.at.pop();
                self.from.pop();
            };
            if start < columns.len() as i32 {
                self.at.push(q);
                self.from.push(start.max(0));
            }
        }
    }

    /// The squared distance to the nearest ink and its column; to be asked from left to right. Of two equally near the
    /// left one.
    #[inline]
    fn of(&mut self, columns: &[u8], x: usize) -> Option<(u32, usize)> {
        if columns[x] == 0 {
            return Some((0, x));
        }
        while self.next + 1 < self.from.len() && self.from[self.next + 1] <= x as i32 {
            self.next += 1;
        }
        let q = *self.at.get(self.next)?;
        let (d, c) = (x as i32 - q, i32::from(columns[q as usize]));
        Some(((d * d + c * c) as u32, q as usize))
    }
}

/// Growing where edges are soft, or where the radius differs from place to place.
struct Soft<'a> {
    alpha: &'a Plane<u8>,
    r: f64,
    /// Ink farther away than this changes nothing.
    cap: usize,
    scale: Option<&'a Plane<u8>>,
    crisp: bool,
}

impl Soft<'_> {
    /// The highest value of a pixel and those around it.
    fn strongest(&self, x: usize, y: usize) -> u8 {
        let alpha = self.alpha;
        let columns = x.saturating_sub(1)..(x + 2).min(alpha.width);
        let rows = y.saturating_sub(1)..(y + 2).min(alpha.height);
        rows.flat_map(|v| &alpha.row(v)[columns.clone()]).fold(0, |m, &a| m.max(a))
    }

    /// One row. `tell` is called with the squared distances to the nearest ink (none: beyond the cap) of what is no ink.
    fn row(
        &self,
        y: usize,
        columns: &[u8],
        row: &mut [u8],
        mut tell: impl FnMut(Range<usize>, Option<u32>),
        scratch: &mut Scratch,
    ) {
        let Soft { alpha, r, cap, scale, crisp } = *self;
        let Scratch { reached, nearest } = scratch;
        let w = row.len();
        row.copy_from_slice(alpha.row(y));
        // Only where some ink is within the cap there is anything to search: stretches of 16 columns with ink, and those
        // beside them that it can reach.
        let none = (cap + 1) as u8;
        reached.clear();
        reached.extend(columns.chunks(STRETCH).map(|c| c.iter().fold(255, |a, &b| a.min(b)) < none));
        let beside = cap.div_ceil(STRETCH);
        nearest.read(columns, none);
        // Neighbours mostly have the same ink nearest to them.
        let mut last = (usize::MAX, 0, 0.0, 0.0);
        for s in 0..reached.len() {
            let xs = s * STRETCH..((s + 1) * STRETCH).min(w);
            let full = row[xs.clone()].iter().fold(255, |a, &b| a.min(b)) == 255;
            if full {
                continue;
            }
            let (from, to) = (s.saturating_sub(beside), (s + beside + 1).min(reached.len()));
            if !reached[from..to].contains(&true) {
                tell(xs, None);
                continue;
            }
            for x in xs {
                let own = row[x];
                if own >= IS_INK {
                    let r = scale.map_or(r, |s| r * f64::from(*s.at(x, y)) / 255.0);
                    if own < 255 && r > 0.0 {
                        let darker = f64::from(own) + 255.0 * r;
                        row[x] = if crisp { 255 } else { darker.min(f64::from(self.strongest(x, y))) as u8 };
                    }
                    continue;
                }
                let found = nearest.of(columns, x);
                tell(x..x + 1, found.map(|f| f.0));
                let Some((d2, q)) = found else {
                    continue;
                };
                let r = scale.map_or(r, |s| r * f64::from(*s.at(x, y)) / 255.0);
                if r == 0.0 {
                    continue;
                }
                if crisp {
                    row[x] = if f64::from(d2) <= r * r { 255 } else { own };
                    continue;
                }
                let d = f64::from(d2).sqrt();
                if d > r + 1.5 {
                    continue;
                }
                if last.0 != q {
                    let c = columns[q] as usize;
                    let v = if y >= c && *alpha.at(q, y - c) >= IS_INK { y - c } else { y + c };
                    last = (q, v, f64::from(*alpha.at(q, v)), f64::from(self.strongest(q, v)));
                }
                let (_, v, edge, most) = last;
                let new = if d <= r {
                    (edge + 255.0 * (r - d)).min(most)
                } else {
                    // The fall-off as it stands there, carried out by the radius.
                    let t = (d - r) / d;
                    let (dx, dy) = (x as f64 - q as f64, y as f64 - v as f64);
                    alpha.sample(q as f64 + 0.5 + dx * t, v as f64 + 0.5 + dy * t)
                };
                row[x] = own.max((new + 0.5) as u8);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn plane(w: usize, h: usize, bits: &[bool]) -> Plane<u8> {
        Plane { width: w, height: h, data: bits[..w * h].iter().map(|&b| if b { 255 } else { 0 }).collect() }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(ProptestConfig::default().cases / 10))]
        #[test]
        fn growing_equals_brute_force_at_every_quarter_up_to_12(w in 1usize..34, h in 1usize..34, bits in proptest::collection::vec(proptest::bool::weighted(0.015), 1156)) {
            let alpha = plane(w, h, &bits);
            let ink: Vec<(i64, i64)> = (0..w * h).filter(|&i| alpha.data[i] == 255).map(|i| ((i % w) as i64, (i / w) as i64)).collect();
            let near: Vec<i64> = (0..w * h).map(|i| {
                let (x, y) = ((i % w) as i64, (i / w) as i64);
                ink.iter().map(|p| (p.0 - x).pow(2) + (p.1 - y).pow(2)).min().unwrap_or(i64::MAX)
            }).collect();
            let everywhere = Plane::new(w, h, 255u8);
            for quarter in 0..=48 {
                let r = f64::from(quarter) * 0.25;
                let grown = grow(&alpha, r, None, true);
                let painted = grow(&alpha, r, Some(&everywhere), true);
                for (i, &near) in near.iter().enumerate() {
                    let reached = near != i64::MAX && near as f64 <= r * r;
                    prop_assert_eq!(grown.data[i], if reached { 255 } else { 0 }, "radius {}, pixel {}", r, i);
                    prop_assert_eq!(painted.data[i], grown.data[i]);
                }
            }
        }

        #[test]
        fn measured_distances_equal_brute_force_and_what_grew_is_the_same(
            w in 1usize..40, h in 1usize..24, r in 0.0f64..9.0, soft in proptest::bool::ANY, painted in proptest::bool::ANY,
            values in proptest::collection::vec(prop_oneof![19 => Just(0u8), 1 => 0u8..=255], 960),
        ) {
            let mut alpha = Plane { width: w, height: h, data: values[..w * h].to_vec() };
            if !soft { alpha.data.iter_mut().for_each(|a| *a = if *a >= IS_INK { 255 } else { 0 }); }
            let area = Plane { width: w, height: h, data: (0..w * h).map(|i| (i * 37 % 256) as u8).collect() };
            let area = painted.then_some(&area);
            let (grown, squared) = grow_measured(&alpha, r, area, !soft);
            prop_assert_eq!(&grown.data, &grow(&alpha, r, area, !soft).data);
            let cap = (r + 1.5).ceil() as i64;
            for i in 0..w * h {
                let (x, y) = ((i % w) as i64, (i / w) as i64);
                let near = (0..w * h).filter(|&j| alpha.data[j] >= IS_INK).map(|j| ((j % w) as i64 - x).pow(2) + ((j / w) as i64 - y).pow(2)).min();
                let expected = near.filter(|&d| d <= cap * cap).map_or(u16::MAX, |d| d as u16);
                prop_assert_eq!(squared.data[i], expected, "at {}, {}", x, y);
            }
        }
    }

    /// A soft line of width 4 grown by fractions covers as much more as it should, and stays as soft.
    #[test]
    fn a_fraction_of_a_pixel_moves_a_soft_edge_by_that_fraction() {
        use crate::geom::flat::FlatPoint;
        use crate::geom::pt;
        let mut alpha = Plane::new(200, 60, 0u8);
        let ends = [pt(-20.0, 22.0), pt(220.0, 37.0)];
        crate::raster::strokes::stroke(&mut alpha, &ends.map(|p| FlatPoint { p, width: 4.0 }));
        let area = |p: &Plane<u8>| {
            (60..140).map(|x| (0..60).map(|y| f64::from(*p.at(x, y))).sum::<f64>()).sum::<f64>() / 255.0
        };
        let slope = (240f64.hypot(15.0)) / 240.0;
        for r in [0.2, 0.5, 0.8, 1.3, 2.7, 6.0] {
            let grown = grow(&alpha, r, None, false);
            let moved = (area(&grown) - area(&alpha)) / 80.0 / slope / 2.0;
            assert!((moved - r).abs() < 0.12, "by {r}: moved {moved}");
        }
        assert_eq!(grow(&alpha, 0.0, None, false), alpha);
    }
}
