//! The parts of a planar arrangement on the integer grid.

use smallvec::SmallVec;

/// A vertex in grid units.
pub type Vertex = [i64; 2];

/// Who runs along an edge, sorted; one that runs along it twice is named twice.
pub type Owners = SmallVec<[u32; 2]>;

/// A segment of the input with whom it belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Segment {
    pub a: Vertex,
    pub b: Vertex,
    /// The caller's number, kept through splitting.
    pub owner: u32,
}

/// A boundary cycle of half-edges.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Cycle {
    /// One of its half-edges; the others follow by `next`.
    pub start: u32,
    /// Twice its signed area in grid units: positive around a face, else it runs around a component.
    pub area2: i64,
    /// The number of its leftmost vertex.
    pub least: u32,
    pub face: u32,
}

/// A face: the cycle around it and those around the components that lie in it.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Face {
    /// None: the unbounded face, or one that is no more.
    pub(super) outer: Option<u32>,
    pub(super) holes: Vec<u32>,
    /// Twice the area in grid units; of the unbounded face: 0.
    pub area2: i64,
}

pub(super) const NONE: u32 = u32::MAX;
