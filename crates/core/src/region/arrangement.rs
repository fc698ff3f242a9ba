//! The planar arrangement of segments: split at every crossing, with its faces.
//!
//! Coordinates are whole numbers (1/256 px) and every predicate is exact. All ends and crossings, rounded to the grid,
//! are hot; each segment is led through every hot point whose unit square it meets. So nothing crosses any more but at
//! vertices, however near to each other things lie (snap rounding: Hobby, "Practical segment intersection with finite
//! precision output", Computational Geometry 13, 1999; Guibas and Marimont, "Rounding arrangements dynamically", 1998).
//! Splitting at crossings alone, again and again until there are none, was tried: near-parallel lines close up by a grid
//! step a round and never end. Faces are read off the half-edges in angular order around each vertex (doubly connected
//! edge list; de Berg et al., "Computational Geometry", chapter 2). Pairs are found on a uniform grid: O(n + k) for n
//! segments of similar length with k crossings.

use crate::geom::{GRID, Pt, pt};
use rayon::prelude::*;

/// A vertex in grid units.
pub type Vertex = [i64; 2];

/// The nearest grid point of a place; what lies absurdly far out is drawn in, so that products stay exact.
pub fn to_grid(p: Pt) -> Vertex {
    let c = |v: f64| {
        if v.is_finite() { (v * GRID).round().clamp(-5e7, 5e7) as i64 } else { 0 }
    };
    [c(p.x), c(p.y)]
}

pub fn from_grid(v: Vertex) -> Pt {
    pt(v[0] as f64 / GRID, v[1] as f64 / GRID)
}

/// Twice the signed area of `a b c`; exact.
fn turn(a: Vertex, b: Vertex, c: Vertex) -> i64 {
    (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
}

/// A segment of the input with whom it belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Segment {
    pub a: Vertex,
    pub b: Vertex,
    /// The caller's number, kept through splitting.
    pub owner: u32,
}

/// A face: the half-edges of its boundary cycles, the outer one first (the unbounded face has none).
#[derive(Debug, Clone, PartialEq)]
pub struct Face {
    pub cycles: Vec<Vec<usize>>,
    /// Twice the area in grid units; of the unbounded face: 0.
    pub area2: i64,
}

/// Half-edge `2 e` runs from `edges[e].0` to `edges[e].1`, `2 e + 1` back. A half-edge's face lies at its left as seen
/// with y down turned up (positive area).
#[derive(Debug, Clone, PartialEq)]
pub struct Arrangement {
    pub vertices: Vec<Vertex>,
    pub edges: Vec<(usize, usize)>,
    /// The owners whose segments run along each edge, sorted.
    pub owners: Vec<Vec<u32>>,
    /// Face of each half-edge; face 0 is the unbounded one.
    pub face_of: Vec<usize>,
    pub faces: Vec<Face>,
    pub components: usize,
    /// Half-edges leaving each vertex, in angular order.
    pub leaving: Vec<Vec<usize>>,
}

/// Splits segments until no two cross or overlap, then reads the faces.
pub fn arrange(segments: &[Segment]) -> Arrangement {
    let pieces = split(segments);
    build(&pieces)
}

type Piece = (Vertex, Vertex, Vec<u32>);

fn split(segments: &[Segment]) -> Vec<Piece> {
    let pieces = merged(segments.iter().filter(|s| s.a != s.b).map(|s| (s.a, s.b, vec![s.owner])).collect());
    if pieces.is_empty() {
        return pieces;
    }
    let cells = Cells::over(&pieces);
    let mut hot = crossings(&pieces, &cells);
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
            let mut along: Vec<(i64, Vertex)> = Vec::new();
            for (a, b, owners) in chunk {
                let d = [b[0] - a[0], b[1] - a[1]];
                along.clear();
                cells.each(*a, *b, |cell| {
                    let met = hot.of(cell).iter().filter(|&&p| meets(*a, *b, p));
                    along.extend(met.map(|&p| ((p[0] - a[0]) * d[0] + (p[1] - a[1]) * d[1], p)));
                });
                along.sort_unstable();
                along.dedup();
                for w in along.windows(2) {
                    out.push((w[0].1, w[1].1, owners.clone()));
                }
            }
            out
        })
        .collect();
    merged(led.into_iter().flatten().collect())
}

/// Whether a segment meets the unit square around a grid point, which holds its lower sides and not its upper ones: so
/// squares share nothing, and what runs through a corner of four meets just one.
fn meets(a: Vertex, b: Vertex, p: Vertex) -> bool {
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
            first.2.dedup();
        }
        same
    });
    pieces
}

/// A uniform grid of cells over pieces, about as large as a piece, but no more of them than a few a piece.
struct Cells {
    lo: Vertex,
    size: i64,
    columns: i64,
    rows: i64,
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
    fn over(pieces: &[Piece]) -> Cells {
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

    /// The same area in cells for a few of so many points each, if those are smaller.
    fn for_points(&self, n: usize) -> Cells {
        let extent = (self.columns * self.size) as f64 * (self.rows * self.size) as f64;
        let size = ((3.0 * extent / n.max(1) as f64).sqrt().max(16.0) as i64).min(self.size);
        let count = |old: i64| (old * self.size) / size + 1;
        Cells { lo: self.lo, size, columns: count(self.columns), rows: count(self.rows) }
    }

    /// Calls `see` with every cell that the piece meets, or nearly meets.
    fn each(&self, a: Vertex, b: Vertex, mut see: impl FnMut(usize)) {
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
                let (p, q) = (x_at(lo[1] + r * size - 1), x_at(lo[1] + (r + 1) * size + 1));
                (p.min(q), p.max(q))
            };
            let column = |x: i64| ((x - lo[0]).max(0) / size).min(self.columns - 1);
            for c in column(xa - 2)..=column(xb + 2) {
                see((r * self.columns + c) as usize);
            }
        }
    }

    fn sorted(&self, points: Vec<Vertex>) -> ByCell {
        let cell =
            |p: &Vertex| ((p[1] - self.lo[1]) / self.size * self.columns + (p[0] - self.lo[0]) / self.size) as usize;
        let mut from = vec![0u32; (self.columns * self.rows) as usize + 2];
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
fn crossing((a, b): (Vertex, Vertex), (c, d): (Vertex, Vertex)) -> Option<Vertex> {
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

/// Compares directions by angle, exactly.
fn by_angle(a: Vertex, b: Vertex) -> std::cmp::Ordering {
    let half = |v: Vertex| u8::from(v[1] < 0 || (v[1] == 0 && v[0] < 0));
    half(a).cmp(&half(b)).then_with(|| 0.cmp(&(a[0] * b[1] - a[1] * b[0])))
}

fn build(pieces: &[Piece]) -> Arrangement {
    let mut vertices: Vec<Vertex> = pieces.iter().flat_map(|p| [p.0, p.1]).collect();
    vertices.par_sort_unstable();
    vertices.dedup();
    let number = |v: &Vertex| vertices.partition_point(|u| u < v);
    let edges: Vec<(usize, usize)> = pieces.par_iter().map(|p| (number(&p.0), number(&p.1))).collect();
    let owners = pieces.iter().map(|p| p.2.clone()).collect();
    let ends = |h: usize| {
        if h.is_multiple_of(2) { edges[h / 2] } else { (edges[h / 2].1, edges[h / 2].0) }
    };
    let mut leaving: Vec<Vec<usize>> = vec![Vec::new(); vertices.len()];
    for h in 0..2 * edges.len() {
        leaving[ends(h).0].push(h);
    }
    let mut rank = vec![0usize; 2 * edges.len()];
    for (v, list) in leaving.iter_mut().enumerate() {
        let dir = |h: usize| {
            let (p, q) = (vertices[v], vertices[ends(h).1]);
            [q[0] - p[0], q[1] - p[1]]
        };
        list.sort_unstable_by(|&g, &h| by_angle(dir(g), dir(h)));
        list.iter().enumerate().for_each(|(k, &h)| rank[h] = k);
    }
    // Arriving at a vertex, a face's boundary goes on with the edge just before the way back.
    let next = |h: usize| {
        let list = &leaving[ends(h).1];
        list[(rank[h ^ 1] + list.len() - 1) % list.len()]
    };
    let mut component: Vec<usize> = (0..vertices.len()).collect();
    fn root(parent: &mut [usize], mut i: usize) -> usize {
        while parent[i] != i {
            parent[i] = parent[parent[i]];
            i = parent[i];
        }
        i
    }
    for &(a, b) in &edges {
        let (a, b) = (root(&mut component, a), root(&mut component, b));
        component[a.max(b)] = a.min(b);
    }
    let mut cycles: Vec<(Vec<usize>, i64)> = Vec::new();
    let mut cycle_of = vec![usize::MAX; 2 * edges.len()];
    for h in 0..2 * edges.len() {
        if cycle_of[h] != usize::MAX {
            continue;
        }
        let mut cycle = Vec::new();
        let mut area2 = 0i64;
        let mut g = h;
        while cycle_of[g] == usize::MAX {
            cycle_of[g] = cycles.len();
            let (p, q) = (vertices[ends(g).0], vertices[ends(g).1]);
            // Measured from the cycle's own start, so that sums stay small.
            let o = vertices[ends(h).0];
            area2 += (p[0] - o[0]) * (q[1] - o[1]) - (p[1] - o[1]) * (q[0] - o[0]);
            cycle.push(g);
            g = next(g);
        }
        cycles.push((cycle, area2));
    }
    // Each component has one cycle around it (the one at its leftmost vertex, which is its root: vertices are sorted).
    let mut faces = vec![Face { cycles: Vec::new(), area2: 0 }];
    let mut face_of_cycle = vec![usize::MAX; cycles.len()];
    let mut around: Vec<(usize, usize)> = Vec::new();
    let mut is_around = vec![false; cycles.len()];
    for v in 0..vertices.len() {
        if root(&mut component, v) == v && !leaving[v].is_empty() {
            // At the leftmost vertex the outer side is that of the way in before the first direction by angle from
            // straight left, which no edge takes.
            let list = &leaving[v];
            // Angles run from +x through +y; the last one below the straight left is the boundary's next step.
            let last = list.iter().copied().rfind(|&h| {
                let (p, q) = (vertices[v], vertices[ends(h).1]);
                q[1] > p[1] || (q[1] == p[1] && q[0] > p[0])
            });
            let c = cycle_of[last.unwrap_or(list[list.len() - 1])];
            is_around[c] = true;
            around.push((v, c));
        }
    }
    for (c, (cycle, area2)) in cycles.iter().enumerate() {
        if !is_around[c] {
            face_of_cycle[c] = faces.len();
            faces.push(Face { cycles: vec![cycle.clone()], area2: *area2 });
        }
    }
    place_components(&vertices, &edges, &around, &cycle_of, &cycles, &mut face_of_cycle, &mut faces);
    let face_of = cycle_of.iter().map(|&c| face_of_cycle[c]).collect();
    Arrangement { vertices, edges, owners, face_of, faces, components: around.len(), leaving }
}

/// Finds for each component the face it lies in: the one left of the nearest edge towards -x of its leftmost vertex.
fn place_components(
    vertices: &[Vertex],
    edges: &[(usize, usize)],
    around: &[(usize, usize)],
    cycle_of: &[usize],
    cycles: &[(Vec<usize>, i64)],
    face_of_cycle: &mut [usize],
    faces: &mut [Face],
) {
    let (mut lo, mut hi) = (i64::MAX, i64::MIN);
    for v in vertices {
        lo = lo.min(v[1]);
        hi = hi.max(v[1]);
    }
    if vertices.is_empty() {
        return;
    }
    let slabs = (edges.len() / 8).clamp(1, 4096);
    let size = (hi - lo) / slabs as i64 + 1;
    let mut in_slab: Vec<Vec<u32>> = vec![Vec::new(); slabs + 1];
    for (e, &(a, b)) in edges.iter().enumerate() {
        let (ya, yb) = (vertices[a][1], vertices[b][1]);
        if ya != yb {
            for s in (ya.min(yb) - lo) / size..=(ya.max(yb) - lo) / size {
                in_slab[s as usize].push(e as u32);
            }
        }
    }
    // In the order of their leftmost vertices, so that whatever lies to the left is already placed.
    for &(v, cycle) in around {
        let p = vertices[v];
        let mut best: Option<(f64, usize)> = None;
        for &e in &in_slab[((p[1] - lo) / size) as usize] {
            let (a, b) = edges[e as usize];
            let (top, low) = if vertices[a][1] < vertices[b][1] { (a, b) } else { (b, a) };
            // The ray runs just below p's row, so an end on the row counts once.
            if !(vertices[top][1] <= p[1] && p[1] < vertices[low][1]) || turn(vertices[top], vertices[low], p) >= 0 {
                continue;
            }
            let (t, l) = (vertices[top], vertices[low]);
            let x = t[0] as f64 + (l[0] - t[0]) as f64 * ((p[1] - t[1]) as f64 + 1e-3) / (l[1] - t[1]) as f64;
            if best.is_none_or(|(bx, _)| x > bx) {
                // The half-edge that runs up has its face at the right hand, towards p.
                let down = 2 * e as usize + usize::from(edges[e as usize].0 != top);
                best = Some((x, down ^ 1));
            }
        }
        let face = best.map_or(0, |(_, h)| face_of_cycle[cycle_of[h]]);
        face_of_cycle[cycle] = face;
        faces[face].cycles.push(cycles[cycle].0.clone());
        if face != 0 {
            faces[face].area2 += cycles[cycle].1;
        }
    }
}

impl Arrangement {
    /// The ends of a half-edge, from and to.
    pub fn ends(&self, h: usize) -> (usize, usize) {
        let (a, b) = self.edges[h / 2];
        if h.is_multiple_of(2) { (a, b) } else { (b, a) }
    }

    /// The boundary cycles of a face as points, in px.
    pub fn rings(&self, face: usize) -> Vec<Vec<Pt>> {
        self.faces[face]
            .cycles
            .iter()
            .map(|c| c.iter().map(|&h| from_grid(self.vertices[self.ends(h).0])).collect())
            .collect()
    }

    /// V - E + F - 1 - C: zero in every planar arrangement.
    pub fn euler(&self) -> i64 {
        self.vertices.len() as i64 - self.edges.len() as i64 + self.faces.len() as i64 - 1 - self.components as i64
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn seg(a: [i64; 2], b: [i64; 2], owner: u32) -> Segment {
        Segment { a, b, owner }
    }

    fn square(lo: i64, hi: i64, owner: u32) -> Vec<Segment> {
        let c = [[lo, lo], [hi, lo], [hi, hi], [lo, hi]];
        (0..4).map(|i| seg(c[i], c[(i + 1) % 4], owner)).collect()
    }

    #[test]
    fn two_crossing_lines_in_a_square_make_four_faces() {
        let mut s = square(0, 100, 0);
        s.push(seg([-10, 50], [110, 50], 1));
        s.push(seg([50, -10], [50, 110], 2));
        let a = arrange(&s);
        assert_eq!(a.euler(), 0);
        assert_eq!(a.faces.len(), 5);
        assert!(a.faces[1..].iter().all(|f| f.area2 == 2 * 2500));
    }

    #[test]
    fn a_ring_in_a_ring_is_a_hole_of_the_outer_face() {
        let mut s = square(0, 100, 0);
        s.extend(square(30, 60, 1));
        s.extend(square(40, 50, 2));
        s.push(seg([10, 10], [20, 12], 3));
        let a = arrange(&s);
        assert_eq!(a.euler(), 0);
        let mut areas: Vec<i64> = a.faces.iter().map(|f| f.area2 / 2).collect();
        areas.sort_unstable();
        assert_eq!(areas, vec![0, 100, 900 - 100, 10_000 - 900]);
    }

    #[test]
    fn lines_that_overlap_exactly_are_one_edge_of_both() {
        let a = arrange(&[seg([0, 0], [100, 0], 1), seg([20, 0], [120, 0], 2), seg([0, 0], [100, 0], 3)]);
        assert_eq!(a.edges.len(), 3);
        assert_eq!(a.owners.iter().find(|o| o.len() == 3), Some(&vec![1, 2, 3]));
        assert_eq!(a.euler(), 0);
    }

    proptest! {
        #[test]
        fn euler_holds_and_areas_add_up(raw in proptest::collection::vec((0i64..40, 0i64..40, 0i64..40, 0i64..40), 0..60), scale in prop::sample::select(vec![1i64, 7, 1000])) {
            let s: Vec<Segment> = raw.iter().enumerate().map(|(i, &(a, b, c, d))| seg([a * scale, b * scale], [c * scale + i as i64 % 3, d * scale], i as u32)).collect();
            let arr = arrange(&s);
            prop_assert_eq!(arr.euler(), 0);
            // Bounded faces are positive, and together they are what the unbounded face's cycles enclose.
            let bounded: i64 = arr.faces[1..].iter().map(|f| f.area2).sum();
            prop_assert!(arr.faces[1..].iter().all(|f| f.area2 > 0));
            let outer: i64 = arr.faces[0].cycles.iter().flatten().map(|&h| {
                let (a, b) = arr.ends(h);
                let (p, q) = (arr.vertices[a], arr.vertices[b]);
                p[0] * q[1] - p[1] * q[0]
            }).sum();
            prop_assert_eq!(bounded, -outer);
            // No two edges cross.
            let edges: Vec<_> = arr.edges.iter().map(|&(a, b)| (arr.vertices[a], arr.vertices[b])).collect();
            let within = |p: Vertex, (a, b): (Vertex, Vertex)| {
                p != a && p != b && turn(a, b, p) == 0 && (0..2).all(|c| a[c].min(b[c]) <= p[c] && p[c] <= a[c].max(b[c]))
            };
            for (k, &e) in edges.iter().enumerate() {
                prop_assert!(!arr.vertices.iter().any(|&v| within(v, e)));
                prop_assert!(edges[k + 1..].iter().all(|&f| crossing(e, f).is_none()));
            }
            // Every segment is still there, as a chain of edges within half a grid step of it.
            for (k, s) in s.iter().enumerate().filter(|(_, s)| s.a != s.b) {
                let mine: Vec<_> = (0..edges.len()).filter(|&e| arr.owners[e].contains(&(k as u32))).map(|e| edges[e]).collect();
                prop_assert!(mine.iter().all(|&(p, q)| meets(s.a, s.b, p) && meets(s.a, s.b, q)));
                let mut ends: Vec<Vertex> = mine.iter().flat_map(|e| [e.0, e.1]).collect();
                ends.sort_unstable();
                let odd: Vec<Vertex> = ends.chunk_by(|a, b| a == b).filter(|c| c.len() % 2 == 1).map(|c| c[0]).collect();
                prop_assert_eq!(odd, vec![s.a.min(s.b), s.a.max(s.b)]);
            }
        }
    }
}
