//! Connected pieces of ink or paper, labelled: runs of rows and union-find.

use crate::forest::Forest;
use crate::raster::plane::Plane;
use std::ops::Range;

/// A connected piece: its pixels' count and its box (x0, y0, x1, y1, ends left out).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Component {
    pub area: usize,
    pub bounds: (usize, usize, usize, usize),
}

struct Run {
    y: usize,
    from: usize,
    to: usize,
}

fn runs_of(is_in: impl Fn(usize, usize) -> bool, w: usize, h: usize, diagonal: bool) -> (Vec<Run>, Forest) {
    let mut runs: Vec<Run> = Vec::new();
    let mut put = Forest::default();
    let mut above = 0..0;
    for y in 0..h {
        let first = runs.len();
        let mut x = 0;
        let mut k = above.start;
        while x < w {
            if !is_in(x, y) {
                x += 1;
                continue;
            }
            let from = x;
            while x < w && is_in(x, y) {
                x += 1;
            }
            let me = runs.len();
            runs.push(Run { y, from, to: x });
            put.add();
            let slack = usize::from(diagonal);
            while k < above.end && runs[k].to + slack <= from {
                k += 1;
            }
            let mut j = k;
            while j < above.end && runs[j].from < x + slack {
                put.join(j, me);
                j += 1;
            }
        }
        above = first..runs.len();
    }
    (runs, put)
}

/// The connected pieces of a set, by their runs of pixels: no plane of labels is made, which is much memory on a large page.
pub struct Pieces {
    width: usize,
    height: usize,
    runs: Vec<Run>,
    /// Of each run the piece it is of.
    number: Vec<usize>,
    /// In reading order.
    pub list: Vec<Component>,
}

impl Pieces {
    /// The pieces of a set. `diagonal`: pixels that touch at a corner are connected. O(pixels).
    pub fn of(set: &Plane<bool>, diagonal: bool) -> Pieces {
        let (runs, mut put) = runs_of(|x, y| *set.at(x, y), set.width, set.height, diagonal);
        let mut of_root = vec![usize::MAX; runs.len()];
        let mut list: Vec<Component> = Vec::new();
        let number: Vec<usize> = (0..runs.len())
            .map(|i| {
                let of = &mut of_root[put.root(i)];
                if *of == usize::MAX {
                    *of = list.len();
                    list.push(Component { area: 0, bounds: (usize::MAX, usize::MAX, 0, 0) });
                }
                let (run, piece) = (&runs[i], &mut list[*of]);
                piece.area += run.to - run.from;
                let b = &mut piece.bounds;
                *b = (b.0.min(run.from), b.1.min(run.y), b.2.max(run.to), b.3.max(run.y + 1));
                *of
            })
            .collect();
        Pieces { width: set.width, height: set.height, runs, number, list }
    }

    /// Each run: the number of its piece, from 0 on, and where its pixels lie in the plane's data.
    pub fn spans(&self) -> impl Iterator<Item = (usize, Range<usize>)> {
        self.runs
            .iter()
            .zip(&self.number)
            .map(|(run, &n)| (n, run.y * self.width + run.from..run.y * self.width + run.to))
    }

    /// Each pixel's piece, from 1 on; 0 outside the set.
    pub fn labels(&self) -> Plane<u32> {
        let mut labels = Plane::new(self.width, self.height, 0u32);
        self.spans().for_each(|(n, span)| labels.data[span].fill(n as u32 + 1));
        labels
    }
}

/// Labels each pixel of the set with the number of its piece (from 1; 0 outside), pieces in reading order.
/// `diagonal`: pixels that touch at a corner are connected.
pub fn components(set: &Plane<bool>, diagonal: bool) -> (Plane<u32>, Vec<Component>) {
    let pieces = Pieces::of(set, diagonal);
    (pieces.labels(), pieces.list)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plane(rows: &[&str]) -> Plane<bool> {
        Plane { width: rows[0].len(), height: rows.len(), data: rows.concat().bytes().map(|b| b == b'#').collect() }
    }

    #[test]
    fn pieces_touching_at_a_corner_are_one_only_when_diagonals_count() {
        let set = plane(&["##..#", "..#..", "#..##"]);
        assert_eq!(components(&set, true).1.len(), 3);
        let (labels, pieces) = components(&set, false);
        assert_eq!(pieces.len(), 5);
        assert_eq!(pieces[0], Component { area: 2, bounds: (0, 0, 2, 1) });
        assert_eq!(*labels.at(3, 2), *labels.at(4, 2));
    }

    #[test]
    fn arms_that_meet_below_are_one_piece() {
        let set = plane(&["#.#.#", "#.#.#", "#####"]);
        assert_eq!(components(&set, false).1, vec![Component { area: 11, bounds: (0, 0, 5, 3) }]);
    }
}
