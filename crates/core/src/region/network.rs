//! The lines of a drawing as one network: flattened, their ends joined to whatever their ink touches, arranged; and kept
//! up through edits. A line keeps its number as long as it is there; what is told depends on the lines alone, not on how
//! they came.

use super::arrangement::{Arrangement, Segment, Vertex, arrange, to_grid};
use crate::geom::flat::FlatPoint;
use crate::geom::{Bounds, Pt, inside, nearest_on_segment, outward_at, outward_from};
use crate::model::line::{Line, unlike};
use rayon::prelude::*;
use rstar::{AABB, RTree, RTreeObject};
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// How closely curves are followed in the arrangement, px.
pub const FLATNESS: f64 = 0.08;

/// One piece of a flattened line or ring.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Piece {
    /// Number of the line in the network.
    pub line: u32,
    /// Number of the piece along the line.
    pub at: u32,
    pub a: Pt,
    pub b: Pt,
    /// The ink's width at both ends (0 for rings and seams).
    pub width: [f64; 2],
}

impl Piece {
    /// The place on it that is nearest to `p`, and the ink's width there.
    pub fn nearest(&self, p: Pt) -> FlatPoint {
        let t = nearest_on_segment(p, self.a, self.b);
        FlatPoint { p: self.a.lerp(self.b, t), width: self.width[0] + (self.width[1] - self.width[0]) * t }
    }
}

impl RTreeObject for Piece {
    type Envelope = AABB<[f64; 2]>;
    fn envelope(&self) -> Self::Envelope {
        AABB::from_corners([self.a.x, self.a.y], [self.b.x, self.b.y])
    }
}

/// Which end of which line.
pub type EndKey = (usize, bool);

/// One end of an open line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LineEnd {
    pub line: usize,
    pub at_end: bool,
    /// The spine's end.
    pub p: Pt,
    /// Outwards.
    pub dir: Pt,
    /// The ink's width there.
    pub width: f64,
    pub loose: bool,
}

impl LineEnd {
    pub fn key(&self) -> EndKey {
        (self.line, self.at_end)
    }
}

/// The place of an end in a list of all ends.
pub fn end_place((line, at_end): EndKey) -> usize {
    2 * line + usize::from(at_end)
}

/// Where an end is tied to another line: `at` on piece `piece` of `line`.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Tie {
    line: u32,
    piece: u32,
    at: Pt,
}

/// All that is known of one line.
#[derive(Debug, Clone, Default)]
struct Entry {
    /// None: it is no more.
    line: Option<Arc<Line>>,
    flat: Vec<FlatPoint>,
    rings: Vec<Vec<Pt>>,
    length: f64,
    mean_width: f64,
    /// An open line's ends, and what each is tied to.
    ends: Option<[LineEnd; 2]>,
    ties: [Vec<Tie>; 2],
    /// What it brings into the arrangement, its ties among it.
    segments: Vec<Segment>,
}

/// A drawing's lines, flattened and arranged. Lines are numbered from 0; a new network numbers them as they lie.
#[derive(Debug, Clone)]
pub struct Network {
    entries: Vec<Entry>,
    numbers: FxHashMap<u64, usize>,
    index: RTree<Piece>,
    /// How many lines have a point of theirs on a vertex.
    met: FxHashMap<Vertex, u32>,
    /// How many lines are as broad as that at their broadest: bits of the width, which order as widths do.
    widths: BTreeMap<u64, u32>,
    /// Where each outline lies.
    solids: RTree<Solid>,
    pub arrangement: Arrangement,
}

/// What an edit did to a network.
pub struct Edited {
    /// Boxes of all pieces of the lines that changed, as they were and as they are, and of ends that are joined otherwise.
    pub places: Vec<Bounds>,
    /// The lines that changed, or whose ends are joined otherwise.
    pub lines: BTreeSet<usize>,
    pub removed: Vec<Segment>,
    pub added: Vec<Segment>,
    /// Faces that are no more, new, or reshaped; `None`: all.
    pub faces: Option<Vec<usize>>,
    /// No line was or is broader, px.
    pub widest: f64,
}

/// The box of an outline.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Solid {
    line: u32,
    bounds: Bounds,
}

impl RTreeObject for Solid {
    type Envelope = AABB<[f64; 2]>;
    fn envelope(&self) -> Self::Envelope {
        let b = &self.bounds;
        AABB::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y])
    }
}

/// A box in an index.
struct Boxed(Bounds);

impl RTreeObject for Boxed {
    type Envelope = AABB<[f64; 2]>;
    fn envelope(&self) -> Self::Envelope {
        AABB::from_corners([self.0.min.x, self.0.min.y], [self.0.max.x, self.0.max.y])
    }
}

/// Boxes, asked whether any is near.
pub struct Places {
    boxes: RTree<Boxed>,
    /// Around all of them: most that is asked for lies far off.
    all: Bounds,
}

impl Places {
    pub fn of(boxes: &[Bounds]) -> Places {
        let all = Bounds::of(boxes.iter().flat_map(|b| [&b.min, &b.max]));
        Places { boxes: RTree::bulk_load(boxes.iter().copied().map(Boxed).collect()), all }
    }

    /// Whether a box of them touches the square around `p`.
    pub fn near(&self, p: Pt, reach: f64) -> bool {
        let around = AABB::from_corners([p.x - reach, p.y - reach], [p.x + reach, p.y + reach]);
        Bounds::of([&p]).grown(reach).touches(&self.all)
            && self.boxes.locate_in_envelope_intersecting(around).next().is_some()
    }
}

impl Entry {
    fn of(number: usize, line: &Arc<Line>) -> Entry {
        let flat = line.flat(FLATNESS);
        let length = flat.windows(2).map(|w| w[0].p.dist(w[1].p)).sum();
        let inked: f64 = flat.windows(2).map(|w| w[0].p.dist(w[1].p) * (w[0].width + w[1].width) / 2.0).sum();
        let mean_width = if length > 0.0 { inked / length } else { 0.0 };
        let mut entry = Entry { rings: line.rings(FLATNESS), length, mean_width, ..Entry::default() };
        if flat.len() >= 2 && line.spine().is_some_and(|s| !s.closed) {
            let points: Vec<Pt> = flat.iter().map(|f| f.p).collect();
            entry.ends = Some([false, true].map(|at_end| {
                let tip = if at_end { flat[flat.len() - 1] } else { flat[0] };
                let reach = 1.5 * tip.width + 6.0;
                let dir = if at_end { outward_at(&points, reach) } else { outward_from(&points, reach) * -1.0 };
                LineEnd { line: number, at_end, p: tip.p, dir, width: tip.width, loose: false }
            }));
        }
        Entry { line: Some(line.clone()), flat, ..entry }
    }

    fn pieces(&self, line: u32) -> impl Iterator<Item = Piece> + '_ {
        let of_flat = self.flat.windows(2).enumerate().map(move |(at, w)| Piece {
            line,
            at: at as u32,
            a: w[0].p,
            b: w[1].p,
            width: [w[0].width, w[1].width],
        });
        let sides = self.rings.iter().flat_map(|r| (0..r.len()).map(move |k| (r[k], r[(k + 1) % r.len()])));
        let of_rings = sides.enumerate().map(move |(at, (a, b))| Piece { line, at: at as u32, a, b, width: [0.0; 2] });
        of_flat.chain(of_rings)
    }

    /// The vertices its points lie on, each once in a row.
    fn vertices(&self) -> Vec<Vertex> {
        let mut places: Vec<Vertex> = self.flat.iter().map(|f| to_grid(f.p)).collect();
        places.dedup();
        places
    }

    fn widest(&self) -> f64 {
        self.flat.iter().map(|f| f.width).fold(0.0, f64::max)
    }

    /// Its box, if it is an outline.
    fn solid(&self, line: u32) -> Option<Solid> {
        (!self.rings.is_empty()).then(|| Solid { line, bounds: Bounds::of(self.rings.iter().flatten()) })
    }

    /// Its pieces, cut where ends are tied to them, and its own ties.
    fn segments(&self, number: u32, cuts: &[(u32, Pt)]) -> Vec<Segment> {
        let mut out = Vec::new();
        for (end, ties) in self.ends.iter().flatten().zip(&self.ties) {
            out.extend(ties.iter().map(|t| Segment { a: to_grid(end.p), b: to_grid(t.at), owner: number }));
        }
        for piece in self.pieces(number) {
            let (from, to) = (to_grid(piece.a), to_grid(piece.b));
            let d = [to[0] - from[0], to[1] - from[1]];
            let mut here = from;
            let mut at: Vec<Vertex> = cuts.iter().filter(|c| c.0 == piece.at).map(|c| to_grid(c.1)).collect();
            at.sort_unstable_by_key(|p| ((p[0] - from[0]) * d[0] + (p[1] - from[1]) * d[1], *p));
            at.dedup();
            for p in at {
                out.push(Segment { a: here, b: p, owner: number });
                here = p;
            }
            out.push(Segment { a: here, b: to, owner: number });
        }
        out
    }
}

impl Network {
    /// Flattens, joins and arranges the lines of a drawing.
    pub fn of(lines: &[Arc<Line>]) -> Network {
        let entries: Vec<Entry> = lines.par_iter().enumerate().map(|(n, l)| Entry::of(n, l)).collect();
        let pieces: Vec<Piece> = entries.iter().enumerate().flat_map(|(n, e)| e.pieces(n as u32)).collect();
        let mut met: FxHashMap<Vertex, u32> = FxHashMap::default();
        entries.iter().flat_map(Entry::vertices).for_each(|v| *met.entry(v).or_default() += 1);
        let mut network = Network {
            numbers: lines.iter().enumerate().map(|(n, l)| (l.id, n)).collect(),
            widths: BTreeMap::new(),
            solids: RTree::bulk_load(entries.iter().enumerate().filter_map(|(n, e)| e.solid(n as u32)).collect()),
            index: RTree::bulk_load(pieces),
            entries,
            met,
            arrangement: Arrangement::default(),
        };
        for entry in &network.entries {
            *network.widths.entry(entry.widest().to_bits()).or_default() += 1;
        }
        let joined: Vec<[(bool, Vec<Tie>); 2]> = (0..network.entries.len())
            .into_par_iter()
            .map(|n| [false, true].map(|at_end| network.end((n, at_end)).map(|e| network.join(&e)).unwrap_or_default()))
            .collect();
        for (n, joined) in joined.into_iter().enumerate() {
            network.set_joined(n, joined);
        }
        let all: Vec<usize> = (0..network.entries.len()).collect();
        network.cut_and_tie(&all);
        let segments: Vec<Segment> = network.entries.iter().flat_map(|e| e.segments.iter().copied()).collect();
        network.arrangement = arrange(&segments);
        network
    }

    /// Takes lines out, puts others in, and those that changed in another's place, so that it is the network of `after`.
    /// `before` are the lines it was made of.
    pub fn edit(&mut self, before: &[Arc<Line>], after: &[Arc<Line>]) -> Edited {
        let (gone, came) = unlike(before, after);
        let stays: FxHashSet<u64> = came.iter().map(|l| l.id).collect();
        let gone = gone.into_iter().filter(|l| !stays.contains(&l.id)).map(|l| (l.id, None));
        let changes: Vec<(u64, Option<Arc<Line>>)> =
            gone.chain(came.into_iter().map(|l| (l.id, Some(l.clone())))).collect();
        let mut places: Vec<Bounds> = Vec::new();
        let mut moved: FxHashSet<Vertex> = FxHashSet::default();
        let mut changed: BTreeSet<usize> = BTreeSet::new();
        let (mut stale, mut untied): (Vec<Segment>, Vec<usize>) = (Vec::new(), Vec::new());
        // Ends may have touched what was broader than all that is left.
        let mut widest = self.widest();
        for (id, line) in changes {
            let n = *self.numbers.entry(id).or_insert(self.entries.len());
            if n == self.entries.len() {
                self.entries.push(Entry::default());
            }
            changed.insert(n);
            let new = line.map_or_else(Entry::default, |l| Entry::of(n, &l));
            if new.line.is_none() {
                self.numbers.remove(&id);
            }
            *self.widths.entry(new.widest().to_bits()).or_default() += 1;
            let old = std::mem::replace(&mut self.entries[n], new);
            if old.line.is_some()
                && let Some(count) = self.widths.get_mut(&old.widest().to_bits())
            {
                *count -= 1;
                if *count == 0 {
                    self.widths.remove(&old.widest().to_bits());
                }
            }
            if let Some(solid) = old.solid(n as u32) {
                self.solids.remove(&solid);
            }
            if let Some(solid) = self.entries[n].solid(n as u32) {
                self.solids.insert(solid);
            }
            for piece in old.pieces(n as u32) {
                self.index.remove(&piece);
                places.push(Bounds::of([&piece.a, &piece.b]));
            }
            let new: Vec<Piece> = self.entries[n].pieces(n as u32).collect();
            for piece in new {
                self.index.insert(piece);
                places.push(Bounds::of([&piece.a, &piece.b]));
            }
            for v in old.vertices() {
                moved.insert(v);
                if let Some(count) = self.met.get_mut(&v) {
                    *count -= 1;
                    if *count == 0 {
                        self.met.remove(&v);
                    }
                }
            }
            for v in self.entries[n].vertices() {
                moved.insert(v);
                *self.met.entry(v).or_default() += 1;
            }
            let solids = [&old, &self.entries[n]].map(|e| e.rings.iter().flatten());
            places.extend(solids.into_iter().map(Bounds::of).filter(|b| b.min.x <= b.max.x));
            // What it was tied to is no longer cut there.
            untied.extend(old.ties.iter().flatten().map(|t| t.line as usize));
            stale.extend(old.segments);
        }
        // Ends that may be joined otherwise now.
        let near = Places::of(&places);
        widest = widest.max(self.widest());
        let mut resegment: BTreeSet<usize> = changed.iter().copied().chain(untied).collect();
        let mut rejoined: Vec<usize> = Vec::new();
        for n in 0..self.entries.len() {
            let Some(ends) = self.entries[n].ends else { continue };
            let reach = |e: &LineEnd| (e.width + widest) / 2.0 + 1.0;
            let asked = |e: &LineEnd| moved.contains(&to_grid(e.p)) || near.near(e.p, reach(e));
            if !changed.contains(&n) && !ends.iter().any(asked) {
                continue;
            }
            let joined = ends.map(|e| self.join(&e));
            let same =
                joined.iter().zip(&self.entries[n].ties).zip(&ends).all(|((j, t), e)| j.0 == e.loose && j.1 == *t);
            if same && !changed.contains(&n) {
                continue;
            }
            // Whether a line is loose at both ends matters to both.
            places.extend(ends.iter().map(|e| Bounds::of([&e.p])));
            resegment.insert(n);
            rejoined.push(n);
            resegment.extend(
                self.entries[n].ties.iter().chain(joined.iter().map(|j| &j.1)).flatten().map(|t| t.line as usize),
            );
            self.set_joined(n, joined);
        }
        let mut gone = stale;
        for &n in resegment.difference(&changed) {
            gone.extend(self.entries[n].segments.iter().copied());
        }
        let resegment: Vec<usize> = resegment.into_iter().collect();
        self.cut_and_tie(&resegment);
        let mut came: Vec<Segment> = resegment.iter().flat_map(|&n| self.entries[n].segments.iter().copied()).collect();
        let (removed, added) = difference(&mut gone, &mut came);
        let faces = self.arrangement.edit(&removed, &added);
        let mut lines = changed;
        lines.extend(rejoined);
        Edited { places, lines, removed, added, faces, widest }
    }

    pub fn is_ready(&self) -> bool {
        self.arrangement.is_ready()
    }

    /// Makes what the first edit would have to make.
    pub fn make_ready(&mut self) {
        self.arrangement.make_ready();
        self.entries.reserve(self.entries.len() / 8 + 64);
        self.numbers.reserve(self.entries.len() / 8 + 64);
    }

    /// Whether an end is loose, and what it is tied to.
    fn join(&self, end: &LineEnd) -> (bool, Vec<Tie>) {
        if self.met.get(&to_grid(end.p)).is_some_and(|&n| n >= 2) {
            return (false, Vec::new());
        }
        let ties = self.touching(end);
        (ties.is_empty(), ties)
    }

    fn set_joined(&mut self, n: usize, joined: [(bool, Vec<Tie>); 2]) {
        let entry = &mut self.entries[n];
        for (k, (loose, ties)) in joined.into_iter().enumerate() {
            if let Some(ends) = &mut entry.ends {
                ends[k].loose = loose;
                entry.ties[k] = ties;
            }
        }
    }

    /// Makes the segments of some lines anew.
    fn cut_and_tie(&mut self, numbers: &[usize]) {
        let asked: FxHashSet<usize> = numbers.iter().copied().collect();
        let mut cuts: FxHashMap<usize, Vec<(u32, Pt)>> = FxHashMap::default();
        for tie in self.entries.iter().flat_map(|e| e.ties.iter().flatten()) {
            if asked.contains(&(tie.line as usize)) {
                cuts.entry(tie.line as usize).or_default().push((tie.piece, tie.at));
            }
        }
        for &n in numbers {
            let cuts = cuts.get(&n).map_or(&[][..], Vec::as_slice);
            self.entries[n].segments = self.entries[n].segments(n as u32, cuts);
        }
    }

    /// The lines that there are, with their numbers.
    pub fn lines(&self) -> impl Iterator<Item = (usize, &Arc<Line>)> {
        self.entries.iter().enumerate().filter_map(|(n, e)| Some((n, e.line.as_ref()?)))
    }

    pub fn line(&self, number: usize) -> Option<&Arc<Line>> {
        self.entries.get(number)?.line.as_ref()
    }

    /// A line's middle path; empty for an outline, or where there is none of that number.
    pub fn flat(&self, number: usize) -> &[FlatPoint] {
        &self.entries[number].flat
    }

    /// An outline's rings; none for the other forms.
    pub fn rings(&self, number: usize) -> &[Vec<Pt>] {
        &self.entries[number].rings
    }

    /// How long a line's middle is, px.
    pub fn length(&self, number: usize) -> f64 {
        self.entries[number].length
    }

    /// How broad a line is on average, px.
    pub fn mean_width(&self, number: usize) -> f64 {
        self.entries[number].mean_width
    }

    /// No line is broader, px.
    pub fn widest(&self) -> f64 {
        self.widths.last_key_value().map_or(0.0, |(&bits, _)| f64::from_bits(bits))
    }

    /// The numbers of the outlines whose box holds a place.
    fn solids_near(&self, p: Pt) -> impl Iterator<Item = usize> {
        self.solids.locate_in_envelope_intersecting(AABB::from_point([p.x, p.y])).map(|s| s.line as usize)
    }

    /// Whether a place lies in solid ink.
    pub fn is_in_solid(&self, p: Pt) -> bool {
        self.solids_near(p).any(|n| inside(p, &self.entries[n].rings))
    }

    /// Numbers of lines lie below this.
    pub fn line_numbers(&self) -> usize {
        self.entries.len()
    }

    /// The ends of all open lines.
    pub fn ends(&self) -> impl Iterator<Item = &LineEnd> {
        self.entries.iter().flat_map(|e| e.ends.iter().flatten())
    }

    pub fn end(&self, key: EndKey) -> Option<LineEnd> {
        self.entries.get(key.0)?.ends.map(|e| e[usize::from(key.1)])
    }

    /// All that the arrangement is made of.
    pub fn segments(&self) -> impl Iterator<Item = &Segment> {
        self.entries.iter().flat_map(|e| &e.segments)
    }

    /// The pieces that a box around `p` touches.
    pub fn near(&self, p: Pt, reach: f64) -> impl Iterator<Item = &Piece> {
        self.index
            .locate_in_envelope_intersecting(AABB::from_corners([p.x - reach, p.y - reach], [p.x + reach, p.y + reach]))
    }

    /// The place of the network that is nearest to `p`, on pieces of a kind, up to `reach` px away: the piece and the place
    /// on it.
    pub fn nearest(&self, p: Pt, reach: f64, is_of_kind: impl Fn(&Piece) -> bool) -> Option<(Piece, FlatPoint)> {
        let mut best: Option<(f64, Piece, FlatPoint)> = None;
        for piece in self.near(p, reach).filter(|piece| is_of_kind(piece)) {
            let here = piece.nearest(p);
            let off = p.dist(here.p);
            if off <= reach && best.is_none_or(|b| off < b.0) {
                best = Some((off, *piece, here));
            }
        }
        best.map(|(_, piece, here)| (piece, here))
    }

    /// Whether a line is open and joined to nothing at either end.
    pub fn loose_at_both(&self, line: usize) -> bool {
        self.entries[line].ends.is_some_and(|e| e[0].loose && e[1].loose)
    }

    /// The lines whose ink an end's ink touches, each with the nearest place on it.
    fn touching(&self, end: &LineEnd) -> Vec<Tie> {
        let own = end.width / 2.0;
        let reach = own + self.widest() / 2.0 + 1.0;
        let mut best: FxHashMap<u32, (f64, u32, Pt)> = FxHashMap::default();
        for piece in self.near(end.p, reach) {
            if piece.line as usize == end.line && is_own_stretch(end, piece, self.flat(end.line)) {
                continue;
            }
            let t = nearest_on_segment(end.p, piece.a, piece.b);
            let q = piece.a.lerp(piece.b, t);
            let half = (piece.width[0] + (piece.width[1] - piece.width[0]) * t) / 2.0;
            // A quarter pixel of overlap, so that ends that merely come near stay apart.
            let gap = end.p.dist(q) - half - own + 0.25;
            if gap < 0.0 && best.get(&piece.line).is_none_or(|b| (gap, piece.at) < (b.0, b.1)) {
                best.insert(piece.line, (gap, piece.at, q));
            }
        }
        // Deep inside a solid its edge may be far: join to the nearest place of the ring all the same.
        for line in self.solids_near(end.p) {
            let entry = &self.entries[line];
            if !best.contains_key(&(line as u32)) && inside(end.p, &entry.rings) {
                let mut nearest: Option<(f64, u32, Pt)> = None;
                for side in entry.pieces(line as u32) {
                    let q = side.a.lerp(side.b, nearest_on_segment(end.p, side.a, side.b));
                    if nearest.is_none_or(|n| end.p.dist(q) < n.0) {
                        nearest = Some((end.p.dist(q), side.at, q));
                    }
                }
                best.extend(nearest.map(|n| (line as u32, n)));
            }
        }
        let mut found: Vec<Tie> = best.into_iter().map(|(line, (_, piece, at))| Tie { line, piece, at }).collect();
        found.sort_unstable_by_key(|t| t.line);
        found
    }
}

/// What is only in the one and only in the other, counting how often.
fn difference(gone: &mut [Segment], came: &mut [Segment]) -> (Vec<Segment>, Vec<Segment>) {
    gone.sort_unstable();
    came.sort_unstable();
    let (mut removed, mut added) = (Vec::new(), Vec::new());
    let (mut i, mut j) = (0, 0);
    while i < gone.len() || j < came.len() {
        let order = match (gone.get(i), came.get(j)) {
            (Some(g), Some(c)) => g.cmp(c),
            (Some(_), None) => std::cmp::Ordering::Less,
            _ => std::cmp::Ordering::Greater,
        };
        if order.is_lt() {
            removed.push(gone[i]);
        } else if order.is_gt() {
            added.push(came[j]);
        }
        i += usize::from(order.is_le());
        j += usize::from(order.is_ge());
    }
    (removed, added)
}

/// Whether a piece belongs to the stretch of the end's own line that its ink touches anyway.
fn is_own_stretch(end: &LineEnd, piece: &Piece, flat: &[FlatPoint]) -> bool {
    let limit = 2.0 * end.width.max(piece.width[0]) + 8.0;
    let mut len = 0.0;
    let at = piece.at as usize;
    if end.at_end {
        for k in (at + 1..flat.len() - 1).rev() {
            len += flat[k].p.dist(flat[k + 1].p);
            if len > limit {
                return false;
            }
        }
    } else {
        for k in 0..at {
            len += flat[k].p.dist(flat[k + 1].p);
            if len > limit {
                return false;
            }
        }
    }
    true
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geom::pt;
    use crate::geom::spine::Spine;
    use crate::model::line::{End, Form, Made};
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn the_nearest_place_is_that_of_all_places(
            lines in proptest::collection::vec(proptest::collection::vec((0.0f64..300.0, 0.0f64..200.0), 2..6), 1..8),
            width in 1.0f64..9.0, x in 0.0f64..300.0, y in 0.0f64..200.0, reach in 1.0f64..90.0,
        ) {
            let line = |(k, points): (usize, &Vec<(f64, f64)>)| {
                let spine = Spine::through(&points.iter().map(|p| pt(p.0, p.1)).collect::<Vec<_>>(), false);
                let form = Form::Centreline { spine, width: vec![[0.0, width], [1.0, 2.0 * width]], ends: [End::Round; 2] };
                Arc::new(Line::new(k as u64 + 1, form, Made::Hand))
            };
            let network = Network::of(&lines.iter().enumerate().map(line).collect::<Vec<_>>());
            let p = pt(x, y);
            for odd_only in [false, true] {
                let counts = |line: usize| !odd_only || line % 2 == 1;
                let all = (0..lines.len()).filter(|&l| counts(l)).flat_map(|l| network.flat(l).windows(2)).map(|w| {
                    let t = nearest_on_segment(p, w[0].p, w[1].p);
                    (p.dist(w[0].p.lerp(w[1].p, t)), w[0].width + (w[1].width - w[0].width) * t)
                });
                let nearest = all.min_by(|a, b| a.0.total_cmp(&b.0)).filter(|n| n.0 <= reach);
                let found = network.nearest(p, reach, |piece| counts(piece.line as usize));
                prop_assert_eq!(found.is_some(), nearest.is_some());
                if let (Some((piece, at)), Some((off, width))) = (found, nearest) {
                    prop_assert!((p.dist(at.p) - off).abs() < 1e-9);
                    // Two may be just as near, of other widths.
                    prop_assert!((at.width - width).abs() < 1e-6 || lines.len() > 1);
                    prop_assert!(counts(piece.line as usize));
                }
            }
        }
    }
}
