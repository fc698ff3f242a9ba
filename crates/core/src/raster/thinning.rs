//! Distance-ordered homotopic thinning: pixels are taken away from the rim inwards as long as neither a piece nor a
//! hole of the ink changes, keeping the ends of true branches (Pudney, "Distance-ordered homotopic thinning", Computer
//! Vision and Image Understanding 72, 1998). The skeleton is one pixel wide, 8-connected, and has exactly the pieces
//! and holes of the ink.

use crate::raster::plane::Plane;
use rayon::prelude::*;
use std::ops::Range;

/// The 8 neighbours in turn: right, lower right, below, ... (x, y).
pub const AROUND: [(i64, i64); 8] = [(1, 0), (1, 1), (0, 1), (-1, 1), (-1, 0), (-1, -1), (0, -1), (1, -1)];

/// Whether a pixel with these ink neighbours (bit k: `AROUND[k]`) can go without joining or parting anything: its
/// Yokoi number for 8-connected ink is one.
fn is_simple(ring: u8) -> bool {
    let paper = |k: usize| u32::from(ring >> (k % 8) & 1 == 0);
    (0..8).step_by(2).map(|k| paper(k) - paper(k) * paper(k + 1) * paper(k + 2)).sum::<u32>() == 1
}

/// Whether the ink around a pixel is one pixel or two side by side: the pixel ends a line of one or two pixels' width.
fn is_end(ring: u8) -> bool {
    ring.count_ones() == 1 || (ring.count_ones() == 2 && ring & ring.rotate_left(1) != 0)
}

/// What thinning leaves of a branch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Thinning {
    /// Its end stays unless its disc lies in a neighbour's: then it is only a bump of the rim. What widens from a corner
    /// is no branch.
    KeepingEnds,
    /// Whatever can go without joining or parting anything goes.
    ToTheLast,
}

/// How much deeper a neighbour must be, a pixel's step, for an end to be a bump: discs contained for the skeleton.
const CONTAINED: f64 = 0.87;
/// The same where corners are no branches: a right angle deepens by 0.71 a step.
const WIDENS: f64 = 0.6;
/// How far the edge is from the pixels of the rim.
const RIM: f64 = 0.5;

/// The skeleton of the pixels whose squared distance to the paper is above 0.
pub fn thin(squared: &Plane<u32>) -> Plane<bool> {
    let deepest = squared.data.par_iter().copied().max().unwrap_or(0);
    thin_by(squared, deepest, Some(CONTAINED))
}

/// Thins a set whose pixels have ranks (0: not in it; the lowest go first; above `last`: stays).
pub fn thin_to(rank: &Plane<u16>, last: u16, how: Thinning) -> Plane<bool> {
    thin_by(rank, u32::from(last), (how == Thinning::KeepingEnds).then_some(WIDENS))
}

/// So many pixels of a row are passed over at once where none is in the set.
const RUN: usize = 32;
/// The least rows of a band, and the most bands of a sheet.
const BAND: usize = 128;
const BANDS: usize = 24;
/// Each band counts its pixels by rank: on a sheet of deep solids there are fewer bands, so that this takes no more.
const MOST_COUNTS: usize = 4_000_000;
/// The pixels of one rank from which on bands are thinned at the same time.
const MANY: usize = 2048;

/// Pixels by rank: those of rank r are `pixels[from[r]..from[r + 1]]`, in the order of the sheet.
struct Ranked {
    pixels: Vec<u32>,
    from: Vec<u32>,
}

impl Ranked {
    fn of(pixels: &[u32], last: u32, rank_of: impl Fn(usize) -> u32) -> Ranked {
        let mut from = vec![0u32; last as usize + 2];
        pixels.iter().for_each(|&i| from[rank_of(i as usize) as usize + 1] += 1);
        (1..from.len()).for_each(|rank| from[rank] += from[rank - 1]);
        let (mut next, mut sorted) = (from.clone(), vec![0u32; pixels.len()]);
        for &i in pixels {
            let place = &mut next[rank_of(i as usize) as usize];
            sorted[*place as usize] = i;
            *place += 1;
        }
        Ranked { pixels: sorted, from }
    }

    fn at(&self, rank: usize) -> &[u32] {
        &self.pixels[self.from[rank] as usize..self.from[rank + 1] as usize]
    }
}

/// What is thinned, for all bands.
struct Thinner<'a, T> {
    ranks: &'a Plane<T>,
    simple: [bool; 256],
    ends: Option<f64>,
    steps: [isize; 8],
}

/// Rows that are thinned together: the pixels from `base` on, the bits of those that are left and of their neighbours.
struct Rows<'a> {
    base: usize,
    left: &'a mut [bool],
    rings: &'a mut [u8],
}

impl<T: Copy + Into<u32>> Thinner<'_, T> {
    fn rank_of(&self, i: usize) -> usize {
        let rank: u32 = self.ranks.data[i].into();
        rank as usize
    }

    /// Thins pixels of a rank, and those around them that this frees. `own`: the pixels that may go now; gives the
    /// others that are freed.
    fn thin(&self, rank: usize, bucket: &[u32], rows: &mut Rows, own: Range<usize>) -> Vec<u32> {
        let mut again: Vec<u32> = Vec::new();
        let mut others: Vec<u32> = Vec::new();
        let mut turn = 0;
        while let Some(&i) = bucket.get(turn).or_else(|| again.get(turn - bucket.len())) {
            turn += 1;
            let i = i as usize;
            let ring = rows.rings[i - rows.base];
            if !rows.left[i - rows.base] || !self.simple[ring as usize] {
                continue;
            }
            let neighbours = (0..8).filter(|k| ring >> k & 1 == 1).map(|k| (k, (i as isize + self.steps[k]) as usize));
            if let Some(slope) = self.ends
                && is_end(ring)
            {
                // On the rim of a slanting edge the nearest paper lies a pixel off, the edge itself half of that and less.
                let own = match self.rank_of(i) {
                    1 => RIM,
                    squared => (squared as f64).sqrt(),
                };
                let contained = neighbours.clone().any(|(k, j)| {
                    let step = if k % 2 == 0 { 1.0 } else { std::f64::consts::SQRT_2 };
                    (self.rank_of(j) as f64).sqrt() >= own + slope * step
                });
                if !contained {
                    continue;
                }
            }
            rows.left[i - rows.base] = false;
            for (k, j) in neighbours {
                rows.rings[j - rows.base] &= !(1 << (k ^ 4));
                // Deeper ones come up in their own turn.
                if self.rank_of(j) <= rank {
                    if own.contains(&j) { &mut again } else { &mut others }.push(j as u32);
                }
            }
        }
        others
    }
}

/// Pixels ranked above `last` stay. Of each rank the bands go first, each without its first and last row, then what lies
/// between them: so bands touch nothing of one another's, and it is the same however many are thinned at once.
fn thin_by<T: Copy + Send + Sync + Into<u32>>(ranks: &Plane<T>, last: u32, ends: Option<f64>) -> Plane<bool> {
    let (w, h) = (ranks.width, ranks.height);
    let rank_of = |i: usize| -> u32 { ranks.data[i].into() };
    let mut left = ranks.map(|&d| d.into() > 0);
    if left.data.is_empty() {
        return left;
    }
    // The ink neighbours of each pixel that is left, kept up to date: bit k is `AROUND[k]`.
    let mut rings = Plane::new(w, h, 0u8);
    let rows: Vec<Vec<u32>> = rings
        .par_rows_mut()
        .map(|(y, rings)| {
            let mut found = Vec::new();
            // Most of a sheet is paper.
            for x in (0..w).step_by(RUN) {
                let run = x..(x + RUN).min(w);
                let all = y * w + run.start..y * w + run.end;
                if left.data[all.clone()].iter().fold(false, |a, &b| a | b) {
                    rings_of(&left, x, y, &mut rings[run]);
                    found.extend(all.filter(|&i| (1..=last).contains(&rank_of(i))).map(|i| i as u32));
                }
            }
            found
        })
        .collect();
    let band = BAND.max(h.div_ceil((MOST_COUNTS / (last as usize + 1)).clamp(1, BANDS)));
    let is_between = |y: usize| (y > 0 && y.is_multiple_of(band)) || (y + 1 < h && (y + 1).is_multiple_of(band));
    let bands: Vec<Ranked> = (0..h.div_ceil(band))
        .into_par_iter()
        .map(|k| {
            let own = k * band..((k + 1) * band).min(h);
            let pixels: Vec<u32> = own.filter(|&y| !is_between(y)).flat_map(|y| rows[y].iter().copied()).collect();
            Ranked::of(&pixels, last, rank_of)
        })
        .collect();
    let between: Vec<u32> = (0..h).filter(|&y| is_between(y)).flat_map(|y| rows[y].iter().copied()).collect();
    let between = Ranked::of(&between, last, rank_of);
    drop(rows);
    let thinner = Thinner {
        ranks,
        simple: std::array::from_fn(|ring| is_simple(ring as u8)),
        ends,
        steps: AROUND.map(|(dx, dy)| dy as isize * w as isize + dx as isize),
    };
    for rank in 0..=last as usize {
        let many: usize = bands.iter().map(|b| b.at(rank).len()).sum();
        let chunks = left.data.chunks_mut(band * w).zip(rings.data.chunks_mut(band * w)).enumerate();
        let rows = chunks.map(|(k, (left, rings))| Rows { base: k * band * w, left, rings });
        let thinned = |(mut rows, ranked): (Rows, &Ranked)| {
            let (base, end) = (rows.base, rows.base + rows.left.len());
            let own = base + if base > 0 { w } else { 0 }..end - if end < w * h { w } else { 0 };
            thinner.thin(rank, ranked.at(rank), &mut rows, own)
        };
        let mut freed: Vec<Vec<u32>> = match many {
            0 => Vec::new(),
            1..MANY => rows.zip(&bands).map(thinned).collect(),
            _ => rows.zip(&bands).collect::<Vec<_>>().into_par_iter().map(thinned).collect(),
        };
        freed.insert(0, between.at(rank).to_vec());
        let bucket = freed.concat();
        if !bucket.is_empty() {
            let mut all = Rows { base: 0, left: &mut left.data, rings: &mut rings.data };
            thinner.thin(rank, &bucket, &mut all, 0..w * h);
        }
    }
    left
}

/// The ink neighbours of the pixels of a row from `x` on, bit k: `AROUND[k]`.
fn rings_of(ink: &Plane<bool>, x: usize, y: usize, rings: &mut [u8]) {
    let (w, h, n) = (ink.width, ink.height, rings.len());
    if x > 0 && y > 0 && x + n < w && y + 1 < h {
        let [above, here, below] = [y - 1, y, y + 1].map(|y| &ink.data[y * w + x - 1..y * w + x + n + 1]);
        let bits = |row: &[bool], k: usize| [row[k], row[k + 1], row[k + 2]].map(u8::from);
        for (k, ring) in rings.iter_mut().enumerate() {
            let ([a, b, c], [d, _, e], [f, g, i]) = (bits(above, k), bits(here, k), bits(below, k));
            *ring = e | i << 1 | g << 2 | f << 3 | d << 4 | a << 5 | b << 6 | c << 7;
        }
        return;
    }
    for (k, ring) in rings.iter_mut().enumerate() {
        let near = |&(dx, dy): &(i64, i64)| ink.get((x + k) as i64 + dx, y as i64 + dy).copied().unwrap_or(false);
        *ring = AROUND.iter().enumerate().fold(0, |ring, (k, d)| ring | u8::from(near(d)) << k);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster::components::components;
    use crate::raster::distance::squared_distance;

    use proptest::prelude::*;

    proptest! {
        #[test]
        fn the_skeleton_has_the_pieces_and_holes_of_the_ink(w in 3usize..24, h in 3usize..24, bits in proptest::collection::vec(proptest::bool::weighted(0.6), 576)) {
            let mut ink = Plane { width: w, height: h, data: bits[..w * h].to_vec() };
            // A rim of paper, so that every hole is one.
            for y in 0..h { for x in 0..w { if x == 0 || y == 0 || x == w - 1 || y == h - 1 { ink.set(x, y, false); } } }
            let skeleton = thin(&squared_distance(&ink));
            prop_assert_eq!(components(&ink, true).1.len(), components(&skeleton, true).1.len());
            prop_assert_eq!(components(&ink.map(|&b| !b), false).1.len(), components(&skeleton.map(|&b| !b), false).1.len());
            prop_assert!(skeleton.data.iter().zip(&ink.data).all(|(s, i)| !s || *i));
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]
        #[test]
        fn across_bands_too(w in 6usize..30, bits in proptest::collection::vec(proptest::bool::weighted(0.7), 64 * 10)) {
            // Blocks of several pixels, so that it is thick; several bands high.
            let (h, block) = (3 * BAND - 7, 6);
            let mut ink = Plane::new(w, h, false);
            for y in 1..h - 1 { for x in 1..w - 1 { ink.set(x, y, bits[(y / block) * 10 % 640 + x / block]); } }
            let skeleton = thin(&squared_distance(&ink));
            prop_assert_eq!(components(&ink, true).1.len(), components(&skeleton, true).1.len());
            prop_assert_eq!(components(&ink.map(|&b| !b), false).1.len(), components(&skeleton.map(|&b| !b), false).1.len());
            let alone = rayon::ThreadPoolBuilder::new().num_threads(1).build().expect("a pool of one thread");
            prop_assert_eq!(alone.install(|| thin(&squared_distance(&ink))), skeleton);
        }
    }

    #[test]
    fn a_line_of_even_width_keeps_its_whole_length() {
        for width in 2..9 {
            let mut ink = Plane::new(60, 20, false);
            for y in 5..5 + width {
                for x in 4..56 {
                    ink.set(x, y, true);
                }
            }
            let skeleton = thin(&squared_distance(&ink));
            let columns = (0..60).filter(|&x| (0..20).any(|y| *skeleton.at(x, y))).count();
            assert!(columns + width >= 52, "width {width}: {columns} columns are left");
        }
    }

    #[test]
    fn a_bar_thins_to_its_middle_row() {
        let mut ink = Plane::new(40, 15, false);
        for y in 4..11 {
            for x in 4..36 {
                ink.set(x, y, true);
            }
        }
        let skeleton = thin(&squared_distance(&ink));
        for x in 9..31 {
            assert_eq!((0..15).filter(|&y| *skeleton.at(x, y)).collect::<Vec<_>>(), vec![7]);
        }
    }
}
