//! Connected pieces of ink or paper, labelled: runs of rows and union-find.

use crate::forest::Forest;
use crate::raster::plane::Plane;

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

/// Labels each pixel of the set with the number of its piece (from 1; 0 outside), pieces in reading order.
/// `diagonal`: pixels that touch at a corner are connected.
pub fn components(set: &Plane<bool>, diagonal: bool) -> (Plane<u32>, Vec<Component>) {
    let (runs, mut put) = runs_of(|x, y| *set.at(x, y), set.width, set.height, diagonal);
    let mut number = vec![0u32; runs.len()];
    let mut pieces: Vec<Component> = Vec::new();
    let mut labels = Plane::new(set.width, set.height, 0u32);
    for i in 0..runs.len() {
        let r = put.root(i);
        if number[r] == 0 {
            pieces.push(Component { area: 0, bounds: (usize::MAX, usize::MAX, 0, 0) });
            number[r] = pieces.len() as u32;
        }
        number[i] = number[r];
        let run = &runs[i];
        let piece = &mut pieces[number[r] as usize - 1];
        piece.area += run.to - run.from;
        let b = &mut piece.bounds;
        *b = (b.0.min(run.from), b.1.min(run.y), b.2.max(run.to), b.3.max(run.y + 1));
        labels.data[run.y * set.width + run.from..run.y * set.width + run.to].fill(number[r]);
    }
    (labels, pieces)
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
