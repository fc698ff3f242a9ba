//! Growing by an exact Euclidean disc.
//!
//! A pixel is reached when some ink pixel lies within the radius. Down each column the distance to the nearest ink is
//! swept; along each row, ink at column distance c reaches √(r² − c²) to both sides, and the union of those reaches is
//! read in two sweeps (the two-pass idea of Saito and Toriwaki, "New algorithms for Euclidean distance transformation",
//! Pattern Recognition 27, 1994, cut down to a fixed radius). The cost does not depend on the radius but for the rows
//! that bands of work share. Where edges are soft, the nearest ink pixel is read off the lower envelope of the columns'
//! parabolas (Felzenszwalb and Huttenlocher, "Distance Transforms of Sampled Functions", Theory of Computing 8, 2012) and
//! the edge's own fall-off is carried outwards by the radius.

use crate::ink::IS_INK;
use crate::plane::Plane;
use rayon::prelude::*;

/// Rows done at a time.
const BAND: usize = 96;
/// Columns looked at together.
const STRETCH: usize = 16;
/// Farther than this nothing grows, px.
pub const FARTHEST: f64 = 120.0;

/// Calls `each` with every row's number and its column distances to ink (or to paper), up to `cap` + 1.
fn banded(
    alpha: &Plane<u8>,
    cap: usize,
    out: &mut Plane<u8>,
    each: impl Fn(usize, &[u8], &mut [u8], &mut (Vec<bool>, Nearest)) + Sync,
) {
    let (w, h) = (alpha.width, alpha.height);
    let none = (cap + 1).min(255) as u8;
    out.data.par_chunks_mut((w * BAND).max(1)).enumerate().for_each_init(
        || (vec![0u8; w * BAND], vec![0u8; w], Default::default()),
        |(columns, now, scratch), (band, rows)| {
            let (y0, n) = (band * BAND, rows.len() / w.max(1));
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
            for (i, row) in rows.chunks_mut(w.max(1)).enumerate() {
                each(y0 + i, &columns[i * w..(i + 1) * w], row, scratch);
            }
        },
    );
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
    let mut out = Plane::new(alpha.width, alpha.height, 0u8);
    if alpha.width == 0 || alpha.height == 0 {
        return out;
    }
    if crisp && scale.is_none() {
        let cap = r.floor() as usize;
        // How far ink at each column distance reaches along the row.
        let reach: Vec<i32> =
            (0..=cap + 1).map(|c| if c > cap { -1 } else { (r * r - (c * c) as f64).max(0.0).sqrt() as i32 }).collect();
        banded(alpha, cap, &mut out, |_, columns, row, _| union_of_reaches(columns, &reach, row));
    } else {
        let cap = (r + 1.5).ceil() as usize;
        banded(alpha, cap, &mut out, |y, columns, row, scratch| {
            soft_row(alpha, (y, columns), (r, cap), scale, crisp, row, scratch);
        });
    }
    out
}

/// One row's union of the intervals around its columns.
fn union_of_reaches(columns: &[u8], reach: &[i32], row: &mut [u8]) {
    let mut until = -1;
    for (x, (o, &c)) in row.iter_mut().zip(columns).enumerate() {
        let reach = reach[c as usize];
        let mine = if reach < 0 { -1 } else { x as i32 + reach };
        until = until.max(mine);
        *o = if until >= x as i32 { 255 } else { 0 };
    }
    let mut from = i32::MAX;
    for (x, (o, &c)) in row.iter_mut().zip(columns).enumerate().rev() {
        let reach = reach[c as usize];
        let mine = if reach < 0 { i32::MAX } else { x as i32 - reach };
        from = from.min(mine);
        *o |= if from <= x as i32 { 255 } else { 0 };
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

fn soft_row(
    alpha: &Plane<u8>,
    (y, columns): (usize, &[u8]),
    (r, cap): (f64, usize),
    scale: Option<&Plane<u8>>,
    crisp: bool,
    row: &mut [u8],
    (reached, nearest): &mut (Vec<bool>, Nearest),
) {
    let w = row.len();
    row.copy_from_slice(alpha.row(y));
    // Only where some ink is within the cap there is anything to search: stretches of 16 columns with ink, and those
    // beside them that it can reach.
    let none = (cap + 1) as u8;
    reached.clear();
    reached.extend(columns.chunks(STRETCH).map(|c| c.iter().fold(255, |a, &b| a.min(b)) < none));
    let beside = cap.div_ceil(STRETCH);
    let strongest = |x: usize, v: usize| {
        let mut m = 0;
        for v in v.saturating_sub(1)..(v + 2).min(alpha.height) {
            for u in x.saturating_sub(1)..(x + 2).min(w) {
                m = m.max(*alpha.at(u, v));
            }
        }
        m
    };
    let active = |s: usize| {
        let (from, to) = (s.saturating_sub(beside), (s + beside + 1).min(reached.len()));
        reached[from..to].contains(&true)
    };
    nearest.read(columns, none);
    // Neighbours mostly have the same ink nearest to them.
    let mut last = (usize::MAX, 0, 0.0, 0.0);
    let of = |s: usize| s * STRETCH..((s + 1) * STRETCH).min(w);
    let full = |s: usize| alpha.row(y)[of(s)].iter().fold(255, |a, &b| a.min(b)) == 255;
    let stretches = (0..reached.len()).filter(|&s| active(s) && !full(s));
    for x in stretches.flat_map(of) {
        let own = row[x];
        let r = scale.map_or(r, |s| r * f64::from(*s.at(x, y)) / 255.0);
        if own == 255 || r == 0.0 {
            continue;
        }
        if own >= IS_INK {
            let darker = f64::from(own) + 255.0 * r;
            row[x] = if crisp { 255 } else { darker.min(f64::from(strongest(x, y))) as u8 };
            continue;
        }
        let Some((d2, q)) = nearest.of(columns, x) else {
            continue;
        };
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
            last = (q, v, f64::from(*alpha.at(q, v)), f64::from(strongest(q, v)));
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

/// Exact squared distances to the nearest ink up to `cap` pixels; beyond, `u16::MAX`. `cap` at most 254.
pub fn squared_distance_up_to(alpha: &Plane<u8>, cap: usize) -> Plane<u16> {
    let cap = cap.min(254);
    let (w, h) = (alpha.width, alpha.height);
    let mut columns = Plane::new(w, h, 0u8);
    banded(alpha, cap, &mut columns, |_, from, to, _| to.copy_from_slice(from));
    let mut out = Plane::new(w, h, u16::MAX);
    let (none, farthest) = ((cap + 1) as u8, (cap * cap) as u32);
    out.data.par_chunks_mut(w.max(1)).enumerate().for_each_init(Nearest::default, |nearest, (y, row)| {
        let columns = columns.row(y);
        nearest.read(columns, none);
        for (x, o) in row.iter_mut().enumerate() {
            if let Some((d, _)) = nearest.of(columns, x)
                && d <= farthest
            {
                *o = d as u16;
            }
        }
    });
    out
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
        fn distances_up_to_a_cap_equal_brute_force(w in 1usize..24, h in 1usize..24, cap in 1usize..9, bits in proptest::collection::vec(proptest::bool::weighted(0.05), 576)) {
            let alpha = plane(w, h, &bits);
            let got = squared_distance_up_to(&alpha, cap);
            for i in 0..w * h {
                let (x, y) = ((i % w) as i64, (i / w) as i64);
                let near = (0..w * h).filter(|&j| alpha.data[j] == 255).map(|j| ((j % w) as i64 - x).pow(2) + ((j / w) as i64 - y).pow(2)).min();
                let expected = near.filter(|&d| d <= (cap * cap) as i64).map_or(u16::MAX, |d| d as u16);
                prop_assert_eq!(got.data[i], expected);
            }
        }
    }

    /// A soft line of width 4 grown by fractions covers as much more as it should, and stays as soft.
    #[test]
    fn a_fraction_of_a_pixel_moves_a_soft_edge_by_that_fraction() {
        use crate::geom::pt;
        use crate::line::FlatPoint;
        let mut alpha = Plane::new(200, 60, 0u8);
        let ends = [pt(-20.0, 22.0), pt(220.0, 37.0)];
        crate::render::stroke(&mut alpha, &ends.map(|p| FlatPoint { p, width: 4.0 }));
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
