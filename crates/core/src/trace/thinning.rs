//! Distance-ordered homotopic thinning: pixels are taken away from the rim inwards as long as neither a piece nor a
//! hole of the ink changes, keeping the ends of true branches (Pudney, "Distance-ordered homotopic thinning", Computer
//! Vision and Image Understanding 72, 1998). The skeleton is one pixel wide, 8-connected, and has exactly the pieces
//! and holes of the ink.

use crate::plane::Plane;
use rayon::prelude::*;

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

/// Pixels ranked above `last` stay.
fn thin_by<T: Copy + Send + Sync + Into<u32>>(squared: &Plane<T>, last: u32, ends: Option<f64>) -> Plane<bool> {
    let w = squared.width;
    let simple: Vec<bool> = (0..=255u8).map(is_simple).collect();
    let rank_of = |i: usize| -> u32 { squared.data[i].into() };
    let mut left = squared.map(|&d| d.into() > 0);
    // The ink neighbours of each pixel that is left, kept up to date: bit k is `AROUND[k]`.
    let mut rings = Plane::new(w, squared.height, 0u8);
    let rows: Vec<Vec<u32>> = rings
        .par_rows_mut()
        .map(|(y, rings)| {
            let mut found = Vec::new();
            // Most of a sheet is paper.
            for x in (0..w).step_by(RUN) {
                let run = x..(x + RUN).min(w);
                let all = y * w + run.start..y * w + run.end;
                if left.data[all.clone()].iter().fold(false, |a, &b| a | b) {
                    run.for_each(|x| rings[x] = ring_of(&left, x, y));
                    found.extend(all.filter(|&i| (1..=last).contains(&rank_of(i))).map(|i| i as u32));
                }
            }
            found
        })
        .collect();
    // In the order of their ranks; among equals in the order of the sheet.
    let mut from = vec![0usize; last as usize + 2];
    rows.iter().flatten().for_each(|&i| from[rank_of(i as usize) as usize + 1] += 1);
    (1..from.len()).for_each(|rank| from[rank] += from[rank - 1]);
    let (mut next, mut order) = (from.clone(), vec![0u32; from[from.len() - 1]]);
    for i in rows.into_iter().flatten() {
        let place = &mut next[rank_of(i as usize) as usize];
        order[*place] = i;
        *place += 1;
    }
    let steps = AROUND.map(|(dx, dy)| dy as isize * w as isize + dx as isize);
    let mut again: Vec<u32> = Vec::new();
    for rank in 0..=last as usize {
        again.clear();
        let (bucket, mut turn) = (&order[from[rank]..from[rank + 1]], 0);
        while let Some(&i) = bucket.get(turn).or_else(|| again.get(turn - bucket.len())) {
            turn += 1;
            let i = i as usize;
            let ring = rings.data[i];
            if !left.data[i] || !simple[ring as usize] {
                continue;
            }
            let neighbours = (0..8).filter(|k| ring >> k & 1 == 1).map(|k| (k, (i as isize + steps[k]) as usize));
            if let Some(slope) = ends
                && is_end(ring)
            {
                // On the rim of a slanting edge the nearest paper lies a pixel off, the edge itself half of that and less.
                let own = match rank_of(i) {
                    1 => RIM,
                    squared => f64::from(squared).sqrt(),
                };
                let contained = neighbours.clone().any(|(k, j)| {
                    let step = if k % 2 == 0 { 1.0 } else { std::f64::consts::SQRT_2 };
                    f64::from(rank_of(j)).sqrt() >= own + slope * step
                });
                if !contained {
                    continue;
                }
            }
            left.data[i] = false;
            for (k, j) in neighbours {
                rings.data[j] &= !(1 << (k ^ 4));
                // Deeper ones come up in their own turn.
                if rank_of(j) as usize <= rank {
                    again.push(j as u32);
                }
            }
        }
    }
    left
}

/// The ink neighbours of a pixel, bit k: `AROUND[k]`.
#[inline]
fn ring_of(ink: &Plane<bool>, x: usize, y: usize) -> u8 {
    let (w, h) = (ink.width, ink.height);
    if x > 0 && y > 0 && x + 1 < w && y + 1 < h {
        let [above, here, below] = [y - 1, y, y + 1].map(|y| &ink.data[y * w + x - 1..y * w + x + 2]);
        let bit = |row: &[bool], x: usize| u8::from(row[x]);
        bit(here, 2)
            | bit(below, 2) << 1
            | bit(below, 1) << 2
            | bit(below, 0) << 3
            | bit(here, 0) << 4
            | bit(above, 0) << 5
            | bit(above, 1) << 6
            | bit(above, 2) << 7
    } else {
        let near = |&(dx, dy): &(i64, i64)| ink.get(x as i64 + dx, y as i64 + dy).copied().unwrap_or(false);
        AROUND.iter().enumerate().fold(0, |ring, (k, d)| ring | u8::from(near(d)) << k)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::distance::squared_distance;
    use crate::lift::components;
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
