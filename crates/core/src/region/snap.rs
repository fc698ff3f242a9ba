//! Exact snap rounding: pieces led through every hot point whose unit square they meet.
//!
//! Coordinates are whole numbers (1/256 px) and every predicate is exact. All ends and crossings, rounded to the grid,
//! are hot; each piece is led through every hot point whose unit square it meets. So nothing crosses any more but at
//! vertices, however near to each other things lie (snap rounding: Hobby, "Practical segment intersection with finite
//! precision output", Computational Geometry 13, 1999; Guibas and Marimont, "Rounding arrangements dynamically", 1998).
//! Splitting at crossings alone, again and again until there are none, was tried: near-parallel lines close up by a grid
//! step a round and never end. Pairs are found on a uniform grid: O(n + k) for n pieces of similar length with k
//! crossings. What comes out depends on nothing but the set of pieces, so it can be kept up piece by piece.

use super::planar::{Owners, Segment, Vertex};
use rayon::prelude::*;
use smallvec::smallvec;

/// Twice the signed area of `a b c`; exact.
pub(super) fn turn(a: Vertex, b: Vertex, c: Vertex) -> i64 {
    (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
}

/// A piece, its lesser end first, with all that run along it: one that runs along it twice is named twice.
pub(super) type Piece = (Vertex, Vertex, Owners);

/// Segments without those that have no length, equal ones as one.
pub(super) fn pieces_of(segments: &[Segment]) -> Vec<Piece> {
    merged(segments.iter().filter(|s| s.a != s.b).map(|s| (s.a, s.b, smallvec![s.owner])).collect())
}

/// The pieces led through all hot points; what runs along one another is one edge.
pub(super) fn led(pieces: &[Piece]) -> Vec<Piece> {
    if pieces.is_empty() {
        return Vec::new();
    }
    let cells = Cells::over(pieces);
    let mut hot = crossings(pieces, &cells);
    hot.extend(pieces.iter().flat_map(|p| [p.0, p.1]));
    hot.par_sort_unstable();
    hot.dedup();
    // Where much crosses, hot points lie far closer than pieces are long.
    let cells = cells.for_points(hot.len());
    let hot = cells.sorted(hot);
    let led: Vec<Vec<Piece>> = pieces
        .par_chunks(1024)
        .map(|chunk| {
            let mut out = Vec::with_capacity(2 * chunk.len());
            let mut along = Vec::new();
            for (a, b, owners) in chunk {
                along.clear();
                cells.each(*a, *b, |cell| along.extend(hot.of(cell).iter().filter(|&&p| meets(*a, *b, p)).copied()));
                in_order(*a, *b, &mut along);
                out.extend(along.windows(2).map(|w| (w[0], w[1], owners.clone())));
            }
            out
        })
        .collect();
    merged(led.into_iter().flatten().collect())
}

/// Sorts the points that a piece is led through along it, each once.
pub(super) fn in_order(a: Vertex, b: Vertex, points: &mut Vec<Vertex>) {
    let d = [b[0] - a[0], b[1] - a[1]];
    points.sort_unstable_by_key(|p| ((p[0] - a[0]) * d[0] + (p[1] - a[1]) * d[1], *p));
    points.dedup();
}

/// Whether a segment meets the unit square around a grid point, which holds its lower sides and not its upper ones: so
/// squares share nothing, and what runs through a corner of four meets just one.
pub(super) fn meets(a: Vertex, b: Vertex, p: Vertex) -> bool {
    let d = [b[0] - a[0], b[1] - a[1]];
    let off = 2 * (d[0] * (p[1] - a[1]) - d[1] * (p[0] - a[0])).abs() - d[0].abs() - d[1].abs();
    // How far the segment's box and the square reach into each other, in halves of a unit.
    let overlap = |c: usize| {
        let (least, most) = (2 * (a[c].min(b[c]) - p[c]), 2 * (a[c].max(b[c]) - p[c]));
        (most + 1).min(1 - least)
    };
    let (x, y) = (overlap(0), overlap(1));
    if off > 0 || x < 0 || y < 0 {
        return false;
    }
    (off < 0 && x > 0 && y > 0) || meets_by_a_side(a, d, p)
}

/// The same where the segment may touch the square by no more than its sides: the stretches of it that lie within each
/// pair of sides, as fractions of it, have a place in common.
fn meets_by_a_side(a: Vertex, d: [i64; 2], p: Vertex) -> bool {
    // (numerator, denominator, whether the bound itself is within), denominators positive.
    type Bound = (i128, i128, bool);
    let (mut from, mut to): (Bound, Bound) = ((0, 1, true), (1, 1, true));
    for c in 0..2 {
        let (at, d) = (i128::from(2 * (a[c] - p[c])), i128::from(2 * d[c]));
        if d == 0 {
            if !(-1..1).contains(&at) {
                return false;
            }
            continue;
        }
        let (lower, upper) = ((-1 - at, d, true), (1 - at, d, false));
        let (lower, upper) = if d > 0 { (lower, upper) } else { ((at - 1, -d, false), (at + 1, -d, true)) };
        let less = |l: Bound, r: Bound| (l.0 * r.1).cmp(&(r.0 * l.1));
        if less(lower, from).then(from.2.cmp(&lower.2)).is_gt() {
            from = lower;
        }
        if less(upper, to).then(upper.2.cmp(&to.2)).is_lt() {
            to = upper;
        }
    }
    match (from.0 * to.1).cmp(&(to.0 * from.1)) {
        std::cmp::Ordering::Less => true,
        std::cmp::Ordering::Equal => from.2 && to.2,
        std::cmp::Ordering::Greater => false,
    }
}

/// Equal pieces become one with all its owners; each runs from its lesser end.
fn merged(mut pieces: Vec<Piece>) -> Vec<Piece> {
    for p in &mut pieces {
        if p.1 < p.0 {
            std::mem::swap(&mut p.0, &mut p.1);
        }
    }
    pieces.par_sort_unstable();
    pieces.dedup_by(|later, first| {
        let same = later.0 == first.0 && later.1 == first.1;
        if same {
            first.2.append(&mut later.2);
            first.2.sort_unstable();
        }
        same
    });
    pieces
}

/// A uniform grid of cells over pieces, about as large as a piece, but no more of them than a few a piece.
#[derive(Debug, Clone)]
pub(super) struct Cells {
    pub lo: Vertex,
    pub size: i64,
    pub columns: i64,
    pub rows: i64,
}

/// Grid points by cell.
struct ByCell {
    points: Vec<Vertex>,
    /// Where each cell's points begin.
    from: Vec<u32>,
}

impl ByCell {
    fn of(&self, cell: usize) -> &[Vertex] {
        &self.points[self.from[cell] as usize..self.from[cell + 1] as usize]
    }
}

impl Cells {
    pub(super) fn over(pieces: &[Piece]) -> Cells {
        let (mut lo, mut hi) = ([i64::MAX; 2], [i64::MIN; 2]);
        let mut total = 0f64;
        for (a, b, _) in pieces {
            for c in 0..2 {
                lo[c] = lo[c].min(a[c]).min(b[c]);
                hi[c] = hi[c].max(a[c]).max(b[c]);
            }
            total += ((a[0] - b[0]).abs() + (a[1] - b[1]).abs()) as f64;
        }
        let extent = ((hi[0] - lo[0]) as f64).max(1.0) * ((hi[1] - lo[1]) as f64).max(1.0);
        let least = (extent / (4.0 * pieces.len() as f64)).sqrt();
        // A sheet that is nearly a line must not fall into more cells along it than there are pieces to fill them.
        let longest = (hi[0] - lo[0]).max(hi[1] - lo[1]) as f64 / (8.0 * pieces.len() as f64 + 64.0);
        let size = (total / pieces.len() as f64).max(least).max(longest).max(16.0) as i64;
        Cells { lo, size, columns: (hi[0] - lo[0]) / size + 1, rows: (hi[1] - lo[1]) / size + 1 }
    }

    /// The same area in smaller cells, made for `n` points, a few in each; as it is if those would be larger.
    pub(super) fn for_points(&self, n: usize) -> Cells {
        let extent = (self.columns * self.size) as f64 * (self.rows * self.size) as f64;
        let size = ((3.0 * extent / n.max(1) as f64).sqrt().max(16.0) as i64).min(self.size);
        let count = |old: i64| (old * self.size) / size + 1;
        Cells { lo: self.lo, size, columns: count(self.columns), rows: count(self.rows) }
    }

    /// Calls `see` with every cell that the piece meets, or nearly meets.
    pub(super) fn each(&self, a: Vertex, b: Vertex, mut see: impl FnMut(usize)) {
        let (lo, size) = (self.lo, self.size);
        let (top, low) = if a[1] <= b[1] { (a, b) } else { (b, a) };
        let row = |y: i64| ((y - lo[1]).max(0) / size).min(self.rows - 1);
        for r in row(top[1] - 1)..=row(low[1] + 1) {
            // The stretch of the piece within this row of cells, some units wider on each side.
            let x_at = |y: i64| {
                let y = y.clamp(top[1], low[1]);
                top[0] + ((low[0] - top[0]) as i128 * (y - top[1]) as i128 / (low[1] - top[1]) as i128) as i64
            };
            let (xa, xb) = if low[1] == top[1] {
                (a[0].min(b[0]), a[0].max(b[0]))
            } else {
                // A unit beyond the row, where a steep piece may still be near.
                // What lies beyond all cells is in the outermost.
                let from = if r == 0 { top[1] } else { lo[1] + r * size - 1 };
                let to = if r == self.rows - 1 { low[1] } else { lo[1] + (r + 1) * size + 1 };
                let (p, q) = (x_at(from), x_at(to));
                (p.min(q), p.max(q))
            };
            let column = |x: i64| ((x - lo[0]).max(0) / size).min(self.columns - 1);
            for c in column(xa - 2)..=column(xb + 2) {
                see((r * self.columns + c) as usize);
            }
        }
    }

    pub(super) fn len(&self) -> usize {
        (self.columns * self.rows) as usize
    }

    /// Column and row of a place; what lies outside is in the nearest cell.
    pub(super) fn at(&self, p: Vertex) -> (i64, i64) {
        let of = |c: usize, n: i64| ((p[c] - self.lo[c]).max(0) / self.size).min(n - 1);
        (of(0, self.columns), of(1, self.rows))
    }

    pub(super) fn cell(&self, p: Vertex) -> usize {
        let (column, row) = self.at(p);
        (row * self.columns + column) as usize
    }

    fn sorted(&self, points: Vec<Vertex>) -> ByCell {
        let cell = |p: &Vertex| self.cell(*p);
        let mut from = vec![0u32; self.len() + 2];
        points.iter().for_each(|p| from[cell(p) + 2] += 1);
        for k in 2..from.len() {
            from[k] += from[k - 1];
        }
        let mut sorted = vec![[0; 2]; points.len()];
        for p in &points {
            let at = &mut from[cell(p) + 1];
            sorted[*at as usize] = *p;
            *at += 1;
        }
        from.pop();
        ByCell { points: sorted, from }
    }
}

/// The grid points nearest to where pieces cross, each pair's once or more.
fn crossings(pieces: &[Piece], cells: &Cells) -> Vec<Vertex> {
    let mut in_cell: Vec<(u32, u32)> = Vec::with_capacity(pieces.len() * 3);
    for (i, (a, b, _)) in pieces.iter().enumerate() {
        cells.each(*a, *b, |cell| in_cell.push((cell as u32, i as u32)));
    }
    in_cell.par_sort_unstable();
    let groups: Vec<&[(u32, u32)]> = in_cell.chunk_by(|a, b| a.0 == b.0).collect();
    let found: Vec<Vec<Vertex>> = groups
        .par_chunks(256)
        .map(|groups| {
            let mut found = Vec::new();
            for group in groups {
                for (k, &(_, i)) in group.iter().enumerate() {
                    let (a, b, _) = &pieces[i as usize];
                    let (min_x, max_x) = (a[0].min(b[0]), a[0].max(b[0]));
                    let (min_y, max_y) = (a[1].min(b[1]), a[1].max(b[1]));
                    for &(_, j) in &group[k + 1..] {
                        let (c, d, _) = &pieces[j as usize];
                        let beside = c[0].max(d[0]) < min_x
                            || c[0].min(d[0]) > max_x
                            || c[1].max(d[1]) < min_y
                            || c[1].min(d[1]) > max_y;
                        if !beside {
                            found.extend(crossing((*a, *b), (*c, *d)));
                        }
                    }
                }
            }
            found
        })
        .collect();
    found.concat()
}

/// The grid point nearest to where two segments cross within both; touching at an end is no crossing.
pub(super) fn crossing((a, b): (Vertex, Vertex), (c, d): (Vertex, Vertex)) -> Option<Vertex> {
    let (tc, td) = (turn(a, b, c), turn(a, b, d));
    if tc == 0 || td == 0 || tc.signum() == td.signum() {
        return None;
    }
    let (ta, tb) = (turn(c, d, a), turn(c, d, b));
    if ta == 0 || tb == 0 || ta.signum() == tb.signum() {
        return None;
    }
    let (num, den) = (i128::from(tc), i128::from(tc) - i128::from(td));
    let at = |u: i64, v: i64| {
        let n = i128::from(v - u) * num;
        let (n, m) = if den < 0 { (-n, -den) } else { (n, den) };
        u + (2 * n + m).div_euclid(2 * m) as i64
    };
    Some([at(c[0], d[0]), at(c[1], d[1])])
}
