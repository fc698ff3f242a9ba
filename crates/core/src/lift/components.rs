//! Connected pieces of ink or paper, found by runs of rows and union-find, and what is done with the small ones.

use crate::ink::IS_INK;
use crate::plane::Plane;

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

fn root(parent: &mut [usize], mut i: usize) -> usize {
    while parent[i] != i {
        parent[i] = parent[parent[i]];
        i = parent[i];
    }
    i
}

fn runs_of(is_in: impl Fn(usize, usize) -> bool, w: usize, h: usize, diagonal: bool) -> (Vec<Run>, Vec<usize>) {
    let mut runs: Vec<Run> = Vec::new();
    let mut parent: Vec<usize> = Vec::new();
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
            parent.push(me);
            let slack = usize::from(diagonal);
            while k < above.end && runs[k].to + slack <= from {
                k += 1;
            }
            let mut j = k;
            while j < above.end && runs[j].from < x + slack {
                let (a, b) = (root(&mut parent, j), root(&mut parent, me));
                parent[a.max(b)] = a.min(b);
                j += 1;
            }
        }
        above = first..runs.len();
    }
    (runs, parent)
}

/// Labels each pixel of the set with the number of its piece (from 1; 0 outside), pieces in reading order.
/// `diagonal`: pixels that touch at a corner are connected.
pub fn components(set: &Plane<bool>, diagonal: bool) -> (Plane<u32>, Vec<Component>) {
    let (runs, mut parent) = runs_of(|x, y| *set.at(x, y), set.width, set.height, diagonal);
    let mut number = vec![0u32; runs.len()];
    let mut pieces: Vec<Component> = Vec::new();
    let mut labels = Plane::new(set.width, set.height, 0u32);
    for i in 0..runs.len() {
        let r = root(&mut parent, i);
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

/// Sets every piece of `is_in` smaller than `limit` pixels by `change`; gives how many. The pixels just around a speck
/// are changed with it, so that no faint rim stays.
fn change_small(
    alpha: &mut Plane<u8>,
    limit: f64,
    diagonal: bool,
    is_in: impl Fn(u8) -> bool,
    change: impl Fn(&mut u8, bool),
) -> usize {
    let (w, h) = (alpha.width, alpha.height);
    let (runs, mut parent) = runs_of(|x, y| is_in(*alpha.at(x, y)), w, h, diagonal);
    let mut area = vec![0usize; runs.len()];
    let mut border = vec![false; runs.len()];
    for (i, run) in runs.iter().enumerate() {
        let r = root(&mut parent, i);
        area[r] += run.to - run.from;
        border[r] |= run.y == 0 || run.y + 1 == h || run.from == 0 || run.to == w;
    }
    let mut gone = 0;
    for (i, run) in runs.iter().enumerate() {
        let r = root(&mut parent, i);
        // A hole at the sheet's border is no hole.
        if area[r] as f64 >= limit || (border[r] && !diagonal) {
            continue;
        }
        gone += usize::from(r == i);
        for y in run.y.saturating_sub(2)..(run.y + 3).min(h) {
            for x in run.from.saturating_sub(2)..(run.to + 2).min(w) {
                let own = y == run.y && (run.from..run.to).contains(&x);
                change(&mut alpha.data[y * w + x], own);
            }
        }
    }
    gone
}

/// Takes ink pieces under `limit` pixels away; gives how many.
pub fn remove_specks(alpha: &mut Plane<u8>, limit: f64) -> usize {
    change_small(
        alpha,
        limit,
        true,
        |a| a >= IS_INK,
        |a, own| {
            if own || *a < IS_INK {
                *a = 0;
            }
        },
    )
}

/// Fills holes in ink under `limit` pixels; gives how many.
pub fn fill_pinholes(alpha: &mut Plane<u8>, limit: f64) -> usize {
    change_small(
        alpha,
        limit,
        false,
        |a| a < IS_INK,
        |a, own| {
            if own || *a >= IS_INK {
                *a = 255;
            }
        },
    )
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

    #[test]
    fn specks_go_and_pinholes_fill_while_larger_things_stay() {
        let mut alpha =
            plane(&["........", ".#..###.", "....#.#.", "....###.", "........"]).map(|&b| if b { 255u8 } else { 0 });
        assert_eq!(remove_specks(&mut alpha, 3.0), 1);
        assert_eq!(fill_pinholes(&mut alpha, 2.0), 1);
        assert_eq!(*alpha.at(1, 1), 0);
        assert_eq!(*alpha.at(5, 2), 255);
        assert_eq!(alpha.data.iter().filter(|&&a| a > 0).count(), 9);
    }
}
