//! The planar arrangement of segments: split at every crossing, with its faces.
//!
//! Segments are split by exact snap rounding (see `snap`). Faces are read off the half-edges in angular order around each
//! vertex (doubly connected edge list; de Berg et al., "Computational Geometry", chapter 2): cycles that enclose are a
//! face each; those around a component are holes of the face found by a ray from their leftmost vertex. What is edited
//! keeps its numbers where nothing changed (see `edit`).

use super::live::Live;
use super::planar::{Cycle, NONE};
pub use super::planar::{Face, Owners, Segment, Vertex};
use super::snap::{Cells, Piece, in_order, led, meets, pieces_of, turn};
use crate::geom::{GRID, Pt, pt};
use rayon::prelude::*;
use smallvec::SmallVec;

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

/// Half-edge `2 e` runs from `edges[e].0` to `edges[e].1`, `2 e + 1` back. A half-edge's face lies at its left as seen
/// with y down turned up (positive area). Numbers of vertices, edges and faces stay through edits; what is no more
/// leaves its number unused.
#[derive(Debug, Clone, Default)]
pub struct Arrangement {
    pub(super) vertices: Vec<Vertex>,
    pub(super) edges: Vec<(u32, u32)>,
    /// Empty where an edge is no more.
    pub(super) owners: Vec<Owners>,
    /// Half-edges leaving each vertex, in angular order; none where it is no more.
    pub(super) leaving: Vec<SmallVec<[u32; 4]>>,
    pub(super) next: Vec<u32>,
    pub(super) cycle_of: Vec<u32>,
    /// `start` is `NONE` where one is no more.
    pub(super) cycles: Vec<Cycle>,
    pub(super) faces: Vec<Face>,
    /// The pieces it was made of.
    pub(super) pieces: Vec<Piece>,
    pub(super) grid: EdgeGrid,
    /// What edits need, made by the first of them.
    pub(super) live: Option<Box<Live>>,
}

/// Edges by the cells they meet.
#[derive(Debug, Clone, Default)]
pub(super) struct EdgeGrid {
    pub cells: Option<Cells>,
    pub edges: Vec<Vec<u32>>,
}

/// How many there are of what.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Counts {
    pub vertices: usize,
    pub edges: usize,
    /// With the unbounded one.
    pub faces: usize,
    pub components: usize,
}

/// Splits segments until no two cross or overlap, then reads the faces.
pub fn arrange(segments: &[Segment]) -> Arrangement {
    let pieces = pieces_of(segments);
    let mut arrangement = build(led(&pieces));
    arrangement.pieces = pieces;
    arrangement
}

/// Compares directions by angle, exactly.
pub(super) fn by_angle(a: Vertex, b: Vertex) -> std::cmp::Ordering {
    let half = |v: Vertex| u8::from(v[1] < 0 || (v[1] == 0 && v[0] < 0));
    half(a).cmp(&half(b)).then_with(|| 0.cmp(&(a[0] * b[1] - a[1] * b[0])))
}

fn build(pieces: Vec<Piece>) -> Arrangement {
    let mut vertices: Vec<Vertex> = pieces.iter().flat_map(|p| [p.0, p.1]).collect();
    vertices.par_sort_unstable();
    vertices.dedup();
    let number = |v: &Vertex| vertices.partition_point(|u| u < v) as u32;
    let edges: Vec<(u32, u32)> = pieces.par_iter().map(|p| (number(&p.0), number(&p.1))).collect();
    let cells = (!pieces.is_empty()).then(|| Cells::over(&pieces).for_points(vertices.len()));
    let mut grid = EdgeGrid { edges: vec![Vec::new(); cells.as_ref().map_or(0, Cells::len)], cells };
    for (e, piece) in pieces.iter().enumerate() {
        grid.put(e as u32, piece.0, piece.1);
    }
    let mut leaving: Vec<SmallVec<[u32; 4]>> = vec![SmallVec::new(); vertices.len()];
    for (e, &(a, b)) in edges.iter().enumerate() {
        leaving[a as usize].push(2 * e as u32);
        leaving[b as usize].push(2 * e as u32 + 1);
    }
    let mut it = Arrangement {
        next: vec![NONE; 2 * edges.len()],
        cycle_of: vec![NONE; 2 * edges.len()],
        owners: pieces.into_iter().map(|p| p.2).collect(),
        faces: vec![Face::default()],
        leaving,
        vertices,
        edges,
        grid,
        ..Arrangement::default()
    };
    for v in 0..it.vertices.len() {
        it.link(v);
    }
    for h in 0..it.cycle_of.len() {
        if it.cycle_of[h] == NONE {
            let c = it.cycles.len() as u32;
            let cycle = it.walk(h as u32, c);
            it.cycles.push(cycle);
        }
    }
    let mut around: Vec<u32> = Vec::new();
    for c in 0..it.cycles.len() {
        let area2 = it.cycles[c].area2;
        if area2 > 0 {
            it.cycles[c].face = it.faces.len() as u32;
            it.faces.push(Face { outer: Some(c as u32), holes: Vec::new(), area2 });
        } else {
            around.push(c as u32);
        }
    }
    // In the order of their leftmost vertices, so that whatever lies to the left is already placed.
    around.sort_unstable_by_key(|&c| it.vertices[it.cycles[c as usize].least as usize]);
    for c in around {
        let cycle = &it.cycles[c as usize];
        let face = it.left_of(cycle.least).map_or(0, |h| it.face_of(h)) as u32;
        let area2 = cycle.area2;
        it.cycles[c as usize].face = face;
        let face = &mut it.faces[face as usize];
        face.holes.push(c);
        face.area2 += if face.outer.is_some() { area2 } else { 0 };
    }
    it
}

impl EdgeGrid {
    pub(super) fn put(&mut self, e: u32, a: Vertex, b: Vertex) {
        if let Some(cells) = &self.cells {
            cells.each(a, b, |cell| self.edges[cell].push(e));
        }
    }

    pub(super) fn take(&mut self, e: u32, a: Vertex, b: Vertex) {
        if let Some(cells) = &self.cells {
            cells.each(a, b, |cell| self.edges[cell].retain(|o| *o != e));
        }
    }
}

impl Arrangement {
    /// The ends of a half-edge, from and to.
    pub(super) fn ends(&self, h: u32) -> (u32, u32) {
        let (a, b) = self.edges[h as usize / 2];
        if h.is_multiple_of(2) { (a, b) } else { (b, a) }
    }

    pub(super) fn place(&self, v: u32) -> Vertex {
        self.vertices[v as usize]
    }

    /// The number of the face of a half-edge.
    pub(super) fn face_of(&self, h: u32) -> usize {
        self.cycles[self.cycle_of[h as usize] as usize].face as usize
    }

    /// Sorts what leaves a vertex by angle and says what follows on what arrives there: a face's boundary goes on with
    /// the edge just before the way back.
    pub(super) fn link(&mut self, v: usize) {
        let here = self.vertices[v];
        let mut list = std::mem::take(&mut self.leaving[v]);
        let dir = |h: u32| {
            let q = self.place(self.ends(h).1);
            [q[0] - here[0], q[1] - here[1]]
        };
        list.sort_unstable_by(|&g, &h| by_angle(dir(g), dir(h)));
        for (k, &h) in list.iter().enumerate() {
            self.next[(h ^ 1) as usize] = list[(k + list.len() - 1) % list.len()];
        }
        self.leaving[v] = list;
    }

    /// Walks a cycle once around and gives it the number `c`.
    pub(super) fn walk(&mut self, start: u32, c: u32) -> Cycle {
        let o = self.place(self.ends(start).0);
        let mut cycle = Cycle { start, area2: 0, least: self.ends(start).0, face: NONE };
        let mut h = start;
        loop {
            self.cycle_of[h as usize] = c;
            let (a, b) = self.ends(h);
            let (p, q) = (self.place(a), self.place(b));
            // Measured from the cycle's own start, so that sums stay small.
            cycle.area2 += (p[0] - o[0]) * (q[1] - o[1]) - (p[1] - o[1]) * (q[0] - o[0]);
            if p < self.place(cycle.least) {
                cycle.least = a;
            }
            h = self.next[h as usize];
            if h == start {
                return cycle;
            }
        }
    }

    /// The half-edges of a cycle.
    pub(super) fn around(&self, c: u32) -> impl Iterator<Item = u32> + '_ {
        let start = self.cycles[c as usize].start;
        let mut h = start;
        std::iter::from_fn(move || {
            let here = (h != NONE).then_some(h)?;
            h = self.next[here as usize];
            if h == start {
                h = NONE;
            }
            Some(here)
        })
    }

    /// The half-edge whose face is met first on the way left of a vertex, just below its row (so an end on the row counts
    /// once).
    pub(super) fn left_of(&self, v: u32) -> Option<u32> {
        let cells = self.grid.cells.as_ref()?;
        let p = self.place(v);
        let (column, row) = cells.at(p);
        let mut best: Option<(f64, u32)> = None;
        for c in (0..=column).rev() {
            for &e in &self.grid.edges[(row * cells.columns + c) as usize] {
                let (a, b) = self.edges[e as usize];
                let (top, low) = if self.place(a)[1] < self.place(b)[1] { (a, b) } else { (b, a) };
                let (t, l) = (self.place(top), self.place(low));
                if !(t[1] <= p[1] && p[1] < l[1]) || turn(t, l, p) >= 0 {
                    continue;
                }
                let x = t[0] as f64 + (l[0] - t[0]) as f64 * ((p[1] - t[1]) as f64 + 1e-3) / (l[1] - t[1]) as f64;
                if best.is_none_or(|(bx, _)| x > bx) {
                    // The half-edge that runs up has its face at the right hand, towards p.
                    let down = 2 * e + u32::from(a != top);
                    best = Some((x, down ^ 1));
                }
            }
            // What meets the ray farther right would lie in this cell.
            if best.is_some_and(|(x, _)| x > (cells.lo[0] + c * cells.size + 4) as f64) {
                break;
            }
        }
        best.map(|b| b.1)
    }

    /// The numbers of the bounded faces.
    pub fn faces(&self) -> impl Iterator<Item = usize> + '_ {
        (1..self.faces.len()).filter(|&f| self.is_face(f))
    }

    /// Numbers of faces lie below this.
    pub fn face_numbers(&self) -> usize {
        self.faces.len()
    }

    /// Whether there is a bounded face of that number.
    pub fn is_face(&self, face: usize) -> bool {
        self.faces[face].outer.is_some()
    }

    /// Twice the area of a face in grid units.
    pub fn area2(&self, face: usize) -> i64 {
        self.faces[face].area2
    }

    /// The boundary cycles of a face as points, in px, the outer one first.
    pub fn rings(&self, face: usize) -> Vec<Vec<Pt>> {
        let face = &self.faces[face];
        let ring = |c: &u32| self.around(*c).map(|h| from_grid(self.place(self.ends(h).0))).collect();
        face.outer.iter().chain(&face.holes).map(ring).collect()
    }

    /// The edges that there are: both ends, who runs along them, and the faces at both sides.
    pub fn edges(&self) -> impl Iterator<Item = ([Vertex; 2], &Owners, [usize; 2])> + '_ {
        (0..self.edges.len() as u32).filter(|&e| !self.owners[e as usize].is_empty()).map(|e| {
            let (a, b) = self.edges[e as usize];
            let faces = [self.face_of(2 * e), self.face_of(2 * e + 1)];
            ([self.place(a), self.place(b)], &self.owners[e as usize], faces)
        })
    }

    /// The vertices that there are, with how many edges meet there.
    pub fn vertices(&self) -> impl Iterator<Item = (Vertex, usize)> + '_ {
        self.vertices.iter().zip(&self.leaving).filter(|(_, l)| !l.is_empty()).map(|(v, l)| (*v, l.len()))
    }

    /// The vertex at a place, if there is one.
    pub(super) fn vertex(&self, p: Vertex) -> Option<u32> {
        let cells = self.grid.cells.as_ref()?;
        self.grid.edges[cells.cell(p)].iter().find_map(|&e| {
            let (a, b) = self.edges[e as usize];
            [a, b].into_iter().find(|&v| self.place(v) == p)
        })
    }

    /// Who runs along the edges at a place, of each edge one after the other.
    pub fn owners_at(&self, p: Vertex) -> Vec<&Owners> {
        let leaving = self.vertex(p).map(|v| &self.leaving[v as usize]);
        leaving.into_iter().flatten().map(|&h| &self.owners[h as usize / 2]).collect()
    }

    /// The faces at both sides of the edges along which a segment runs, from its first end on.
    pub fn sides_of(&self, s: &Segment) -> Vec<[usize; 2]> {
        let Some(cells) = &self.grid.cells else { return Vec::new() };
        let mut met: Vec<Vertex> = Vec::new();
        cells.each(s.a, s.b, |cell| {
            for &e in &self.grid.edges[cell] {
                let (u, v) = self.edges[e as usize];
                met.extend([u, v].map(|v| self.place(v)).iter().filter(|p| meets(s.a, s.b, **p)));
            }
        });
        in_order(s.a, s.b, &mut met);
        let side = |w: &[Vertex]| {
            let from = self.vertex(w[0])?;
            let h = *self.leaving[from as usize].iter().find(|&&h| self.place(self.ends(h).1) == w[1])?;
            Some([self.face_of(h), self.face_of(h ^ 1)])
        };
        met.windows(2).filter_map(side).collect()
    }

    pub fn counts(&self) -> Counts {
        Counts {
            vertices: self.vertices().count(),
            edges: self.owners.iter().filter(|o| !o.is_empty()).count(),
            faces: 1 + self.faces().count(),
            components: self.faces.iter().map(|f| f.holes.len()).sum(),
        }
    }

    /// V - E + F - 1 - C: zero in every planar arrangement.
    pub fn euler(&self) -> i64 {
        let n = self.counts();
        n.vertices as i64 - n.edges as i64 + n.faces as i64 - 1 - n.components as i64
    }
}

#[cfg(test)]
mod tests {
    use super::super::snap::crossing;
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
        assert_eq!(a.counts().faces, 5);
        assert!(a.faces().all(|f| a.area2(f) == 2 * 2500));
    }

    #[test]
    fn a_ring_in_a_ring_is_a_hole_of_the_outer_face() {
        let mut s = square(0, 100, 0);
        s.extend(square(30, 60, 1));
        s.extend(square(40, 50, 2));
        s.push(seg([10, 10], [20, 12], 3));
        let a = arrange(&s);
        assert_eq!(a.euler(), 0);
        let mut areas: Vec<i64> = a.faces().map(|f| a.area2(f) / 2).collect();
        areas.sort_unstable();
        assert_eq!(areas, vec![100, 900 - 100, 10_000 - 900]);
    }

    #[test]
    fn lines_that_overlap_exactly_are_one_edge_of_both() {
        let a = arrange(&[seg([0, 0], [100, 0], 1), seg([20, 0], [120, 0], 2), seg([0, 0], [100, 0], 3)]);
        assert_eq!(a.edges().count(), 3);
        assert!(a.edges().any(|e| e.1.as_slice() == [1, 2, 3]));
        assert_eq!(a.euler(), 0);
    }

    proptest! {
        #[test]
        fn euler_holds_and_areas_add_up(raw in proptest::collection::vec((0i64..40, 0i64..40, 0i64..40, 0i64..40), 0..60), scale in prop::sample::select(vec![1i64, 7, 1000])) {
            let s: Vec<Segment> = raw.iter().enumerate().map(|(i, &(a, b, c, d))| seg([a * scale, b * scale], [c * scale + i as i64 % 3, d * scale], i as u32)).collect();
            let arr = arrange(&s);
            prop_assert_eq!(arr.euler(), 0);
            // Bounded faces are positive, and together they are what the unbounded face's cycles enclose.
            let bounded: i64 = arr.faces().map(|f| arr.area2(f)).sum();
            prop_assert!(arr.faces().all(|f| arr.area2(f) > 0));
            let outer: i64 = arr.faces[0].holes.iter().map(|&c| arr.cycles[c as usize].area2).sum();
            prop_assert_eq!(bounded, -outer);
            // No two edges cross.
            let edges: Vec<(Vertex, Vertex)> = arr.edges().map(|e| (e.0[0], e.0[1])).collect();
            let within = |p: Vertex, (a, b): (Vertex, Vertex)| {
                p != a && p != b && turn(a, b, p) == 0 && (0..2).all(|c| a[c].min(b[c]) <= p[c] && p[c] <= a[c].max(b[c]))
            };
            for (k, &e) in edges.iter().enumerate() {
                prop_assert!(!arr.vertices().any(|(v, _)| within(v, e)));
                prop_assert!(edges[k + 1..].iter().all(|&f| crossing(e, f).is_none()));
            }
            // Every segment is still there, as a chain of edges within half a grid step of it.
            for (k, s) in s.iter().enumerate().filter(|(_, s)| s.a != s.b) {
                let mine: Vec<(Vertex, Vertex)> =
                    arr.edges().filter(|e| e.1.contains(&(k as u32))).map(|e| (e.0[0], e.0[1])).collect();
                prop_assert!(mine.iter().all(|&(p, q)| meets(s.a, s.b, p) && meets(s.a, s.b, q)));
                let mut ends: Vec<Vertex> = mine.iter().flat_map(|e| [e.0, e.1]).collect();
                ends.sort_unstable();
                let odd: Vec<Vertex> = ends.chunk_by(|a, b| a == b).filter(|c| c.len() % 2 == 1).map(|c| c[0]).collect();
                prop_assert_eq!(odd, vec![s.a.min(s.b), s.a.max(s.b)]);
            }
        }
    }
}
