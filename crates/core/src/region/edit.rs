//! An arrangement kept up through edits: segments go and come, and only what they touch is made anew.
//!
//! Which points are hot depends on the set of pieces alone, and so does the way of each piece through them: a piece that
//! goes takes along the hot points that no other end or crossing makes hot, a piece that comes brings its ends and
//! crossings, and the pieces led through any of those are led anew. Boundary cycles through a vertex whose edges changed
//! are walked again; what enclosed nothing is placed by a ray again where the face it lay in was reshaped. So the result
//! is that of arranging everything anew (Guibas and Marimont, "Rounding arrangements dynamically", 1998, keep theirs up
//! likewise), but numbers stay. O(k log k) for k pieces, crossings and half-edges of reshaped faces.

use super::arrangement::{Arrangement, arrange};
use super::live::{Free, Live};
use super::planar::{Cycle, Face, NONE, Owners, Segment, Vertex};
use super::snap::{Cells, crossing, in_order, meets};
use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

/// Beyond this share of all pieces, everything is arranged anew.
const MOST_OF: usize = 3;

/// The owners that leave an edge and those that come to it.
type Swap = (Owners, Owners);

impl Arrangement {
    /// Whether what edits need is there.
    pub fn is_ready(&self) -> bool {
        self.live.is_some() || self.pieces.is_empty()
    }

    /// Makes what edits need, if it is not there yet.
    pub fn make_ready(&mut self) {
        if self.live.is_some() || self.pieces.is_empty() {
            return;
        }
        let Some(point_cells) = self.grid.cells.clone() else { return };
        let cells = Cells::over(&self.pieces);
        let mut pieces = vec![Vec::new(); cells.len()];
        for (n, (a, b, _)) in self.pieces.iter().enumerate() {
            cells.each(*a, *b, |cell| pieces[cell].push(n as u32));
        }
        let mut points = vec![Vec::new(); point_cells.len()];
        for (v, p) in self.vertices.iter().enumerate() {
            points[point_cells.cell(*p)].push(v as u32);
        }
        self.live = Some(Box::new(Live { cells, pieces, point_cells, points, free: Free::default() }));
        // A list that must be laid elsewhere to grow would hold the first edit up.
        fn room<T>(list: &mut Vec<T>) {
            list.reserve(list.len() / 8 + 1024);
        }
        room(&mut self.vertices);
        room(&mut self.edges);
        room(&mut self.owners);
        room(&mut self.leaving);
        room(&mut self.next);
        room(&mut self.cycle_of);
        room(&mut self.cycles);
        room(&mut self.faces);
        room(&mut self.pieces);
    }

    /// Takes segments out and puts others in. Gives the numbers of the faces that are no more, are new, or have another
    /// shape; `None` when all was arranged anew and no number stays. Segments to remove that are not there are ignored.
    pub fn edit(&mut self, removed: &[Segment], added: &[Segment]) -> Option<Vec<usize>> {
        if self.pieces.is_empty() || (removed.len() + added.len()) * MOST_OF > self.pieces.len() + 1000 {
            let mut all: Vec<Segment> = Vec::new();
            let mut gone: FxHashMap<Segment, usize> = FxHashMap::default();
            removed.iter().for_each(|s| *gone.entry(lesser_first(s)).or_default() += 1);
            for (a, b, owners) in &self.pieces {
                for &owner in owners {
                    let s = Segment { a: *a, b: *b, owner };
                    match gone.get_mut(&s) {
                        Some(n) if *n > 0 => *n -= 1,
                        _ => all.push(s),
                    }
                }
            }
            all.extend(added);
            *self = arrange(&all);
            return None;
        }
        self.make_ready();
        let mut live = self.live.take()?;
        let mut before: FxHashMap<u32, Owners> = FxHashMap::default();
        for s in added.iter().map(lesser_first).filter(|s| s.a != s.b) {
            let n = live.piece(&self.pieces, s.a, s.b).unwrap_or_else(|| {
                let n = live.free.pieces.pop().unwrap_or(self.pieces.len() as u32);
                let piece = (s.a, s.b, Owners::new());
                put_at(&mut self.pieces, n, piece);
                live.cells.each(s.a, s.b, |cell| live.pieces[cell].push(n));
                n
            });
            let owners = &mut self.pieces[n as usize].2;
            before.entry(n).or_insert_with(|| owners.clone());
            let place = owners.partition_point(|o| *o < s.owner);
            owners.insert(place, s.owner);
        }
        for s in removed.iter().map(lesser_first).filter(|s| s.a != s.b) {
            let Some(n) = live.piece(&self.pieces, s.a, s.b) else { continue };
            let owners = &mut self.pieces[n as usize].2;
            if let Some(place) = owners.iter().position(|o| *o == s.owner) {
                before.entry(n).or_insert_with(|| owners.clone());
                owners.remove(place);
            }
        }
        before.retain(|n, owners| self.pieces[*n as usize].2 != *owners);
        let swaps = self.lead_anew(&mut live, &before);
        let faces = self.reshape(&mut live, swaps);
        self.live = Some(live);
        Some(faces)
    }

    /// Leads the pieces through the hot points there are now. `before`: the owners of the pieces that changed, as they
    /// were. Gives the owners that each edge, by its vertices, loses and gains.
    fn lead_anew(&mut self, live: &mut Live, before: &FxHashMap<u32, Owners>) -> FxHashMap<(u32, u32), Swap> {
        let comes = |n: u32| before.get(&n).is_some_and(|o| o.is_empty());
        let goes = |n: u32, pieces: &[(Vertex, Vertex, Owners)]| pieces[n as usize].2.is_empty();
        // Hot points that come.
        let mut new: Vec<Vertex> = Vec::new();
        for &n in before.keys().filter(|n| comes(**n)) {
            let (a, b, _) = self.pieces[n as usize];
            new.extend([a, b]);
            for m in live.beside(a, b) {
                if m != n && !goes(m, &self.pieces) {
                    let (c, d, _) = self.pieces[m as usize];
                    new.extend(crossing((a, b), (c, d)));
                }
            }
        }
        new.sort_unstable();
        new.dedup();
        new.retain(|p| live.point(&self.vertices, *p).is_none());
        // Hot points that go: those on the pieces that go, if nothing else makes them hot.
        let mut lost: Vec<u32> = Vec::new();
        let mut old_ways: FxHashMap<u32, Vec<u32>> = FxHashMap::default();
        for &n in before.keys() {
            old_ways.insert(n, if comes(n) { Vec::new() } else { self.way(live, n) });
        }
        for (_, way) in old_ways.iter().filter(|(n, _)| goes(**n, &self.pieces)) {
            lost.extend(way.iter().filter(|&&v| !live.is_hot(&self.pieces, self.place(v))));
        }
        lost.sort_unstable();
        lost.dedup();
        // Pieces that are led through any of them.
        for p in new.iter().copied().chain(lost.iter().map(|&v| self.place(v))) {
            for &n in &live.pieces[live.cells.cell(p)] {
                let (a, b, ref owners) = self.pieces[n as usize];
                if !owners.is_empty() && !old_ways.contains_key(&n) && meets(a, b, p) {
                    let way = self.way(live, n);
                    old_ways.insert(n, way);
                }
            }
        }
        for &v in &lost {
            live.points[live.point_cells.cell(self.vertices[v as usize])].retain(|o| *o != v);
        }
        for &p in &new {
            let v = live.free.vertices.pop().unwrap_or(self.vertices.len() as u32);
            put_at(&mut self.vertices, v, p);
            put_at(&mut self.leaving, v, SmallVec::new());
            live.points[live.point_cells.cell(p)].push(v);
        }
        let mut swaps: FxHashMap<(u32, u32), Swap> = FxHashMap::default();
        let key = |w: &[u32]| (w[0].min(w[1]), w[0].max(w[1]));
        for (&n, way) in &old_ways {
            let owners = before.get(&n).unwrap_or(&self.pieces[n as usize].2);
            way.windows(2).for_each(|w| swaps.entry(key(w)).or_default().0.extend_from_slice(owners));
            let owners = &self.pieces[n as usize].2;
            if !owners.is_empty() {
                let way = self.way(live, n);
                way.windows(2).for_each(|w| swaps.entry(key(w)).or_default().1.extend_from_slice(owners));
            }
        }
        for &n in before.keys().filter(|n| goes(**n, &self.pieces)) {
            let (a, b, _) = self.pieces[n as usize];
            live.cells.each(a, b, |cell| live.pieces[cell].retain(|o| *o != n));
            live.free.pieces.push(n);
        }
        live.free.vertices.extend(lost);
        swaps
    }

    /// The vertices that a piece is led through.
    fn way(&self, live: &Live, n: u32) -> Vec<u32> {
        let (a, b, _) = self.pieces[n as usize];
        let mut met: Vec<Vertex> = Vec::new();
        let mut number: FxHashMap<Vertex, u32> = FxHashMap::default();
        live.point_cells.each(a, b, |cell| {
            for &v in &live.points[cell] {
                let p = self.place(v);
                if meets(a, b, p) {
                    met.push(p);
                    number.insert(p, v);
                }
            }
        });
        in_order(a, b, &mut met);
        met.iter().map(|p| number[p]).collect()
    }

    /// Takes edges out and puts others in, and reads the faces that changes anew.
    fn reshape(&mut self, live: &mut Live, swaps: FxHashMap<(u32, u32), Swap>) -> Vec<usize> {
        let (mut dead, mut fresh): (Vec<u32>, Vec<(u32, u32, Owners)>) = (Vec::new(), Vec::new());
        for ((u, v), (minus, plus)) in swaps {
            let there = self.leaving[u as usize].iter().find(|&&h| self.ends(h).1 == v).map(|h| h / 2);
            let mut owners = there.map(|e| self.owners[e as usize].clone()).unwrap_or_default();
            for o in minus {
                if let Some(place) = owners.iter().position(|p| *p == o) {
                    owners.remove(place);
                }
            }
            owners.extend(plus);
            owners.sort_unstable();
            match there {
                Some(e) if owners.is_empty() => dead.push(e),
                Some(e) => self.owners[e as usize] = owners,
                None if owners.is_empty() => {}
                None => fresh.push((u, v, owners)),
            }
        }
        // In a fixed order, so that numbers do not depend on how a map was hashed.
        dead.sort_unstable();
        fresh.sort_unstable_by_key(|f| (self.place(f.0), self.place(f.1)));
        let mut touched: Vec<u32> =
            dead.iter().flat_map(|&e| [self.edges[e as usize].0, self.edges[e as usize].1]).collect();
        touched.extend(fresh.iter().flat_map(|f| [f.0, f.1]));
        touched.sort_unstable();
        touched.dedup();
        // Cycles that run through a touched vertex are walked again.
        let mut cycles: Vec<u32> = touched
            .iter()
            .flat_map(|&v| self.leaving[v as usize].iter().map(|&h| self.cycle_of[(h ^ 1) as usize]))
            .collect();
        cycles.sort_unstable();
        cycles.dedup();
        let mut halves: Vec<u32> = cycles.iter().flat_map(|&c| self.around(c)).collect();
        let mut was: FxHashMap<u32, u32> = FxHashMap::default();
        for &h in &halves {
            was.insert(h, self.face_of(h) as u32);
        }
        let mut dirty: Vec<u32> = cycles.iter().map(|&c| self.cycles[c as usize].face).collect();
        for &c in &cycles {
            self.cycles[c as usize].start = NONE;
        }
        for &e in &dead {
            let (u, v) = self.edges[e as usize];
            self.leaving[u as usize].retain(|h| *h / 2 != e);
            self.leaving[v as usize].retain(|h| *h / 2 != e);
            self.owners[e as usize] = Owners::new();
            let (a, b) = (self.place(u), self.place(v));
            self.grid.take(e, a, b);
        }
        let is_dead: FxHashSet<u32> = dead.iter().copied().collect();
        halves.retain(|h| !is_dead.contains(&(h / 2)));
        live.free.edges.extend(dead);
        for (u, v, owners) in fresh {
            let e = live.free.edges.pop().unwrap_or(self.edges.len() as u32);
            put_at(&mut self.edges, e, (u, v));
            put_at(&mut self.owners, e, owners);
            for h in [2 * e, 2 * e + 1] {
                put_at(&mut self.next, h, NONE);
                put_at(&mut self.cycle_of, h, NONE);
                halves.push(h);
                was.remove(&h);
            }
            self.leaving[u as usize].push(2 * e);
            self.leaving[v as usize].push(2 * e + 1);
            let (a, b) = (self.place(u), self.place(v));
            self.grid.put(e, a, b);
        }
        for &v in &touched {
            self.link(v as usize);
        }
        halves.iter().for_each(|&h| self.cycle_of[h as usize] = NONE);
        let mut made: Vec<u32> = Vec::new();
        for h in halves {
            if self.cycle_of[h as usize] == NONE {
                // A number that died just now is not taken again: faces still name it.
                let c = live.free.cycles.pop().unwrap_or(self.cycles.len() as u32);
                let cycle = self.walk(h, c);
                put_at(&mut self.cycles, c, cycle);
                made.push(c);
            }
        }
        let mut enclosing: Vec<u32> = made.iter().copied().filter(|&c| self.cycles[c as usize].area2 > 0).collect();
        enclosing.sort_unstable_by_key(|&c| (std::cmp::Reverse(self.cycles[c as usize].area2), c));
        // Faces whose outer cycle is gone: their numbers go to what was made of them, the largest first.
        let ended = |face: &Face, cycles: &[Cycle]| face.outer.is_some_and(|c| cycles[c as usize].start == NONE);
        let mut open: FxHashSet<u32> =
            dirty.iter().copied().filter(|&f| ended(&self.faces[f as usize], &self.cycles)).collect();
        let mut pending: FxHashSet<u32> =
            made.iter().copied().filter(|&c| self.cycles[c as usize].area2 <= 0).collect();
        // What came without touching anything may enclose what lay in the same face.
        for &c in &pending {
            match self.left_of(self.cycles[c as usize].least) {
                None => dirty.push(0),
                Some(h) if self.cycles[self.cycle_of[h as usize] as usize].face != NONE => {
                    dirty.push(self.face_of(h) as u32);
                }
                Some(_) => {}
            }
        }
        dirty.sort_unstable();
        dirty.dedup();
        let boxes: Vec<[Vertex; 2]> = enclosing.iter().map(|&c| self.box_of(c)).collect();
        for &f in &dirty {
            let ended = open.contains(&f);
            let holes = std::mem::take(&mut self.faces[f as usize].holes);
            let mut kept = Vec::with_capacity(holes.len());
            for c in holes {
                let cycle = &self.cycles[c as usize];
                if cycle.start == NONE {
                    continue;
                }
                let p = self.place(cycle.least);
                let within = |b: &[Vertex; 2]| (0..2).all(|k| b[0][k] <= p[k] && p[k] <= b[1][k]);
                if ended || boxes.iter().any(within) {
                    pending.insert(c);
                } else {
                    kept.push(c);
                }
            }
            self.faces[f as usize].holes = kept;
            if ended {
                self.faces[f as usize].outer = None;
            }
        }
        for &c in &enclosing {
            let before = self.around(c).filter_map(|h| was.get(&h).copied()).find(|f| open.contains(f));
            let f = match before {
                Some(f) => {
                    open.remove(&f);
                    f
                }
                None => {
                    let f = live.free.faces.pop().unwrap_or(self.faces.len() as u32);
                    put_at(&mut self.faces, f, Face::default());
                    f
                }
            };
            self.faces[f as usize].outer = Some(c);
            self.cycles[c as usize].face = f;
            dirty.push(f);
        }
        live.free.faces.extend(open);
        let mut order: Vec<u32> = pending.iter().copied().collect();
        order.sort_unstable_by_key(|&c| self.place(self.cycles[c as usize].least));
        // From the left on: whatever lies to the left of one is already placed.
        for c in order {
            let f = self.left_of(self.cycles[c as usize].least).map_or(0, |h| self.face_of(h)) as u32;
            self.cycles[c as usize].face = f;
            self.faces[f as usize].holes.push(c);
            dirty.push(f);
        }
        live.free.cycles.extend(cycles);
        dirty.sort_unstable();
        dirty.dedup();
        for &f in &dirty {
            let face = &self.faces[f as usize];
            let of = |c: &u32| self.cycles[*c as usize].area2;
            let area2 = face.outer.as_ref().map_or(0, |c| of(c) + face.holes.iter().map(of).sum::<i64>());
            self.faces[f as usize].area2 = area2;
        }
        dirty.into_iter().map(|f| f as usize).collect()
    }

    fn box_of(&self, c: u32) -> [Vertex; 2] {
        let mut b = [[i64::MAX; 2], [i64::MIN; 2]];
        for h in self.around(c) {
            let p = self.place(self.ends(h).0);
            for k in 0..2 {
                b[0][k] = b[0][k].min(p[k]);
                b[1][k] = b[1][k].max(p[k]);
            }
        }
        b
    }
}

fn lesser_first(s: &Segment) -> Segment {
    Segment { a: s.a.min(s.b), b: s.a.max(s.b), owner: s.owner }
}

fn put_at<T>(list: &mut Vec<T>, n: u32, item: T) {
    if n as usize == list.len() {
        list.push(item);
    } else {
        list[n as usize] = item;
    }
}

impl Live {
    /// The number of the piece with these ends.
    fn piece(&self, pieces: &[(Vertex, Vertex, Owners)], a: Vertex, b: Vertex) -> Option<u32> {
        self.pieces[self.cells.cell(a)]
            .iter()
            .copied()
            .find(|&n| pieces[n as usize].0 == a && pieces[n as usize].1 == b)
    }

    /// The number of the vertex at a place.
    fn point(&self, vertices: &[Vertex], p: Vertex) -> Option<u32> {
        self.points[self.point_cells.cell(p)].iter().copied().find(|&v| vertices[v as usize] == p)
    }

    /// The pieces that share a cell with one, each once.
    fn beside(&self, a: Vertex, b: Vertex) -> Vec<u32> {
        let mut out = Vec::new();
        self.cells.each(a, b, |cell| out.extend(&self.pieces[cell]));
        out.sort_unstable();
        out.dedup();
        out
    }

    /// Whether an end of a piece or a crossing of two lies at a point.
    fn is_hot(&self, pieces: &[(Vertex, Vertex, Owners)], p: Vertex) -> bool {
        let here: Vec<(Vertex, Vertex)> = self.pieces[self.cells.cell(p)]
            .iter()
            .map(|&n| &pieces[n as usize])
            .filter(|(a, b, owners)| !owners.is_empty() && meets(*a, *b, p))
            .map(|(a, b, _)| (*a, *b))
            .collect();
        here.iter().any(|(a, b)| *a == p || *b == p)
            || here.iter().enumerate().any(|(k, &s)| here[k + 1..].iter().any(|&t| crossing(s, t) == Some(p)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Everything there is to tell about an arrangement, whatever its numbers.
    type Told = (Vec<([Vertex; 2], Owners)>, Vec<(i64, Vec<(Vertex, Vertex)>)>);

    fn told(a: &Arrangement) -> Told {
        let mut edges: Vec<([Vertex; 2], Owners)> =
            a.edges().map(|(p, o, _)| ([p[0].min(p[1]), p[0].max(p[1])], o.clone())).collect();
        edges.sort();
        let mut faces: Vec<(i64, Vec<(Vertex, Vertex)>)> = (0..a.face_numbers())
            .filter(|&f| f == 0 || a.is_face(f))
            .map(|f| {
                let face = &a.faces[f];
                let mut sides: Vec<(Vertex, Vertex)> = face
                    .outer
                    .iter()
                    .chain(&face.holes)
                    .flat_map(|c| a.around(*c))
                    .inspect(|&h| assert_eq!(a.face_of(h), f))
                    .map(|h| (a.place(a.ends(h).0), a.place(a.ends(h).1)))
                    .collect();
                sides.sort_unstable();
                (face.area2, sides)
            })
            .collect();
        faces.sort();
        (edges, faces)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(ProptestConfig::default().cases * 3 / 2))]

        /// Whatever goes and comes: the same as arranged anew, and faces that are not named are as they were.
        #[test]
        fn an_edited_arrangement_is_that_of_its_segments(
            raw in proptest::collection::vec((0i64..30, 0i64..30, 0i64..30, 0i64..30, 0u32..6), 1..50),
            steps in proptest::collection::vec(proptest::collection::vec((any::<bool>(), 0usize..50), 1..6), 1..8),
            scale in prop::sample::select(vec![1i64, 3, 50, 1000]),
            outside in any::<bool>(),
        ) {
            let all: Vec<Segment> = raw.iter().map(|&(a, b, c, d, owner)| {
                let far = if outside && owner == 0 { 400 } else { 0 };
                Segment { a: [a * scale - far, b * scale], b: [c * scale + far, d * scale + 1], owner }
            }).collect();
            // So many more pieces beside that no step arranges all of them anew.
            let still: Vec<Segment> = (0..300).map(|k| {
                Segment { a: [2000 * scale + 3 * k, 0], b: [2000 * scale + 3 * k + 2, 2], owner: 9 }
            }).collect();
            let mut now: Vec<Segment> = all.iter().step_by(2).copied().chain(still).collect();
            let mut live = arrange(&now);
            for step in steps {
                let (mut removed, mut added) = (Vec::new(), Vec::new());
                for (out, k) in step {
                    if out {
                        let s = now.swap_remove(k % now.len());
                        removed.push(s);
                    } else {
                        let s = all[k % all.len()];
                        added.push(s);
                        now.push(s);
                    }
                }
                let shape = |a: &Arrangement, f: usize| {
                    let cycles = a.faces.get(f).filter(|x| f == 0 || x.outer.is_some());
                    cycles.map(|x| {
                        let mut sides: Vec<_> = x.outer.iter().chain(&x.holes).flat_map(|c| a.around(*c))
                            .map(|h| (a.place(a.ends(h).0), a.place(a.ends(h).1))).collect();
                        sides.sort_unstable();
                        sides
                    })
                };
                let shapes: Vec<_> = (0..live.face_numbers()).map(|f| shape(&live, f)).collect();
                let changed = live.edit(&removed, &added).expect("not arranged anew");
                prop_assert_eq!(live.euler(), 0);
                prop_assert_eq!(told(&live), told(&arrange(&now)));
                for (f, was) in shapes.iter().enumerate().filter(|(f, _)| !changed.contains(f)) {
                    prop_assert_eq!(was, &shape(&live, f));
                }
            }
        }
    }

    #[test]
    fn a_face_keeps_its_number_while_a_seam_grows_into_it() {
        let c = [[0, 0], [1000, 0], [1000, 1000], [0, 1000]];
        let mut all: Vec<Segment> = (0..4).map(|i| Segment { a: c[i], b: c[(i + 1) % 4], owner: 0 }).collect();
        all.extend((0..400).map(|k| Segment { a: [5000 + 4 * k, 0], b: [5002 + 4 * k, 1], owner: 1 }));
        let mut a = arrange(&all);
        let face = a.faces().next().unwrap_or(0);
        let half = [Segment { a: [0, 500], b: [600, 500], owner: 2 }];
        // The outside has a corner more on its side.
        assert_eq!(a.edit(&[], &half), Some(vec![0, face]));
        let rest = [Segment { a: [600, 500], b: [1000, 500], owner: 2 }];
        let changed = a.edit(&[], &rest).unwrap_or_default();
        assert!(changed.len() == 3 && changed.contains(&face));
        assert!(a.faces().all(|f| a.area2(f) == 1_000_000));
        a.edit(&half, &[]);
        assert_eq!(a.faces().collect::<Vec<_>>(), vec![face]);
    }
}
