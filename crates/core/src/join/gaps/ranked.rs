//! Candidates in the order they are decided in, and where those that are chosen lie.

use super::candidate::Candidate;
use crate::geom::Bounds;
use crate::region::network::end_place;
use rustc_hash::FxHashMap;

/// What was decided of a candidate last.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Verdict {
    /// Nothing yet.
    Open,
    /// An end of it was in a better one.
    EndTaken,
    /// All its ways cross better ones.
    Crosses,
    /// It is closed by this of its ways.
    Chosen(u32),
}

/// A candidate in the order they are decided in, with what is asked of each at every edit.
#[derive(Debug, Clone)]
pub(super) struct Ranked {
    pub(super) confidence: f64,
    /// The places of its ends; where it meets a line's body, of the one end twice.
    pub(super) ends: [u32; 2],
    pub(super) verdict: Verdict,
    /// Around all its ways, once they are known.
    pub(super) bounds: Bounds,
    pub(super) candidate: Box<Candidate>,
}

impl Ranked {
    pub(super) fn of(c: Candidate) -> Ranked {
        let start = end_place(c.end) as u32;
        let ends = [start, c.other_end.map_or(start, |o| end_place(o) as u32)];
        Ranked { confidence: c.confidence, ends, verdict: Verdict::Open, bounds: Bounds::EMPTY, candidate: c.into() }
    }

    /// Where it lies, if it is chosen.
    pub(super) fn lies(&self) -> Option<Bounds> {
        let Verdict::Chosen(way) = self.verdict else { return None };
        Some(self.candidate.ways.as_ref()?.get(way as usize)?.bounds)
    }
}

/// The curves of chosen gaps by the cells their boxes touch: the ends they start from.
#[derive(Debug, Clone, Default)]
pub(super) struct Lying(FxHashMap<(i32, i32), Vec<u32>>);

impl Lying {
    pub(super) fn keys(b: &Bounds) -> impl Iterator<Item = (i32, i32)> + use<> {
        let at = |v: f64| (v / 64.0).floor().clamp(-1e9, 1e9) as i32;
        let (x, y) = ((at(b.min.x), at(b.max.x)), (at(b.min.y), at(b.max.y)));
        (y.0..=y.1).flat_map(move |r| (x.0..=x.1).map(move |c| (c, r)))
    }

    /// What lies in the cells of a box.
    pub(super) fn near(&self, b: &Bounds) -> impl Iterator<Item = u32> + '_ {
        Lying::keys(b).filter_map(|key| self.0.get(&key)).flatten().copied()
    }

    pub(super) fn add(&mut self, b: &Bounds, start: u32) {
        for key in Lying::keys(b) {
            self.0.entry(key).or_default().push(start);
        }
    }

    pub(super) fn remove(&mut self, b: &Bounds, start: u32) {
        for key in Lying::keys(b) {
            if let Some(cell) = self.0.get_mut(&key) {
                cell.retain(|s| *s != start);
            }
        }
    }
}
