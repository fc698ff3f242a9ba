//! The planar arrangement of segments: split at every crossing, with its faces.
//!
//! Coordinates are whole numbers (1/256 px) and every predicate is exact. A crossing is rounded to the grid; since that
//! may bend a segment across another by less than a grid step, splitting is repeated until nothing crosses (iterated
//! snap rounding; Hobby, "Practical segment intersection with finite precision output", Computational Geometry 13,
//! 1999; Halperin and Packer, 2002). Faces are read off the half-edges in angular order around each vertex (doubly
//! connected edge list; de Berg et al., "Computational Geometry", chapter 2). Pairs are found on a uniform grid:
//! O(n + k) for n segments of similar length with k crossings.

use crate::geom::{GRID, Pt, pt};
use std::collections::HashMap;

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

/// Rounds of splitting; two or three suffice, the bound only guards against the unthinkable.
const ROUNDS: usize = 24;

fn split(segments: &[Segment]) -> Vec<(Vertex, Vertex, Vec<u32>)> {
    let mut pieces = merged(segments.iter().filter(|s| s.a != s.b).map(|s| (s.a, s.b, vec![s.owner])).collect());
    for _ in 0..ROUNDS {
        let mut cuts = find_cuts(&pieces);
        if cuts.is_empty() {
            break;
        }
        cuts.sort_unstable();
        cuts.dedup();
        let mut next = Vec::with_capacity(pieces.len() + cuts.len());
        let mut k = 0;
        for (i, (a, b, owners)) in pieces.into_iter().enumerate() {
            let from = k;
            while k < cuts.len() && cuts[k].0 == i as u32 {
                k += 1;
            }
            if from == k {
                next.push((a, b, owners));
                continue;
            }
            let d = [b[0] - a[0], b[1] - a[1]];
            let mut along: Vec<Vertex> = cuts[from..k].iter().map(|c| c.1).collect();
            along.sort_unstable_by_key(|p| ((p[0] - a[0]) * d[0] + (p[1] - a[1]) * d[1], *p));
            let mut here = a;
            for p in along.into_iter().chain([b]) {
                if p != here {
                    next.push((here, p, owners.clone()));
                    here = p;
                }
            }
        }
        pieces = merged(next);
    }
    pieces
}

/// Equal pieces become one with all its owners; each runs from its lesser end.
fn merged(mut pieces: Vec<(Vertex, Vertex, Vec<u32>)>) -> Vec<(Vertex, Vertex, Vec<u32>)> {
    for p in &mut pieces {
        if p.1 < p.0 {
            std::mem::swap(&mut p.0, &mut p.1);
        }
    }
    pieces.sort_unstable();
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

/// Where pieces must be split: (piece, grid point).
fn find_cuts(pieces: &[(Vertex, Vertex, Vec<u32>)]) -> Vec<(u32, Vertex)> {
    if pieces.is_empty() {
        return Vec::new();
    }
    let (mut lo, mut hi) = ([i64::MAX; 2], [i64::MIN; 2]);
    let mut total = 0f64;
    for (a, b, _) in pieces {
        for c in 0..2 {
            lo[c] = lo[c].min(a[c]).min(b[c]);
            hi[c] = hi[c].max(a[c]).max(b[c]);
        }
        total += ((a[0] - b[0]).abs() + (a[1] - b[1]).abs()) as f64;
    }
    // Cells about as large as a piece, but no more cells than a few a piece.
    let extent = ((hi[0] - lo[0]) as f64).max(1.0) * ((hi[1] - lo[1]) as f64).max(1.0);
    let least = (extent / (4.0 * pieces.len() as f64)).sqrt();
    let size = (total / pieces.len() as f64).max(least).max(16.0) as i64;
    let cols = ((hi[0] - lo[0]) / size + 1) as usize;
    let mut in_cell: Vec<(u32, u32)> = Vec::with_capacity(pieces.len() * 3);
    for (i, (a, b, _)) in pieces.iter().enumerate() {
        let (top, low) = if a[1] <= b[1] { (a, b) } else { (b, a) };
        let (r0, r1) = ((top[1] - lo[1]) / size, (low[1] - lo[1]) / size);
        for r in r0..=r1 {
            // The stretch of the piece within this row of cells, a unit wider on each side.
            let x_at = |y: i64| {
                if low[1] == top[1] {
                    return top[0];
                }
                let y = y.clamp(top[1], low[1]);
                top[0] + ((low[0] - top[0]) as i128 * (y - top[1]) as i128 / (low[1] - top[1]) as i128) as i64
            };
            let (xa, xb) = if low[1] == top[1] {
                (a[0].min(b[0]), a[0].max(b[0]))
            } else {
                let (p, q) = (x_at(lo[1] + r * size), x_at(lo[1] + (r + 1) * size));
                (p.min(q), p.max(q))
            };
            let (c0, c1) = ((xa - 2 - lo[0]).max(0) / size, ((xb + 2 - lo[0]) / size).min(cols as i64 - 1));
            for c in c0..=c1 {
                in_cell.push(((r as usize * cols + c as usize) as u32, i as u32));
            }
        }
    }
    in_cell.sort_unstable();
    let mut cuts = Vec::new();
    for group in in_cell.chunk_by(|a, b| a.0 == b.0) {
        for (k, &(_, i)) in group.iter().enumerate() {
            let (a, b, _) = &pieces[i as usize];
            let (min_x, max_x) = (a[0].min(b[0]), a[0].max(b[0]));
            let (min_y, max_y) = (a[1].min(b[1]), a[1].max(b[1]));
            for &(_, j) in &group[k + 1..] {
                let (c, d, _) = &pieces[j as usize];
                if c[0].max(d[0]) < min_x || c[0].min(d[0]) > max_x || c[1].max(d[1]) < min_y || c[1].min(d[1]) > max_y
                {
                    continue;
                }
                cut_pair((i, *a, *b), (j, *c, *d), &mut cuts);
            }
        }
    }
    cuts
}

fn cut_pair(first: (u32, Vertex, Vertex), second: (u32, Vertex, Vertex), cuts: &mut Vec<(u32, Vertex)>) {
    let ((i, a, b), (j, c, d)) = (first, second);
    let (tc, td) = (turn(a, b, c), turn(a, b, d));
    if tc.signum() * td.signum() > 0 {
        return;
    }
    let (ta, tb) = (turn(c, d, a), turn(c, d, b));
    if ta.signum() * tb.signum() > 0 {
        return;
    }
    // An end that lies on the other piece, the collinear case included.
    let within = |p: Vertex, u: Vertex, v: Vertex| {
        p != u
            && p != v
            && p[0] >= u[0].min(v[0])
            && p[0] <= u[0].max(v[0])
            && p[1] >= u[1].min(v[1])
            && p[1] <= u[1].max(v[1])
    };
    let mut touched = false;
    for (t, p) in [(tc, c), (td, d)] {
        if t == 0 && within(p, a, b) {
            cuts.push((i, p));
            touched = true;
        }
    }
    for (t, p) in [(ta, a), (tb, b)] {
        if t == 0 && within(p, c, d) {
            cuts.push((j, p));
            touched = true;
        }
    }
    if touched || tc == 0 || td == 0 || ta == 0 || tb == 0 {
        return;
    }
    // A proper crossing, rounded to the nearest grid point.
    let (num, den) = (i128::from(tc), i128::from(tc) - i128::from(td));
    let at = |u: i64, v: i64| {
        let n = i128::from(v - u) * num;
        let (n, m) = if den < 0 { (-n, -den) } else { (n, den) };
        u + (2 * n + m).div_euclid(2 * m) as i64
    };
    let p = [at(c[0], d[0]), at(c[1], d[1])];
    if p != a && p != b {
        cuts.push((i, p));
    }
    if p != c && p != d {
        cuts.push((j, p));
    }
}

/// Compares directions by angle, exactly.
fn by_angle(a: Vertex, b: Vertex) -> std::cmp::Ordering {
    let half = |v: Vertex| u8::from(v[1] < 0 || (v[1] == 0 && v[0] < 0));
    half(a).cmp(&half(b)).then_with(|| 0.cmp(&(a[0] * b[1] - a[1] * b[0])))
}

fn build(pieces: &[(Vertex, Vertex, Vec<u32>)]) -> Arrangement {
    let mut vertices: Vec<Vertex> = pieces.iter().flat_map(|p| [p.0, p.1]).collect();
    vertices.sort_unstable();
    vertices.dedup();
    let number: HashMap<Vertex, usize> = vertices.iter().enumerate().map(|(i, &v)| (v, i)).collect();
    let edges: Vec<(usize, usize)> = pieces.iter().map(|p| (number[&p.0], number[&p.1])).collect();
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
            let pieces: Vec<_> = arr.edges.iter().zip(&arr.owners).map(|(&(a, b), o)| (arr.vertices[a], arr.vertices[b], o.clone())).collect();
            prop_assert!(find_cuts(&pieces).is_empty());
        }
    }
}
