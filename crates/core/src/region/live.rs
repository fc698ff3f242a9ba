//! What edits need besides an arrangement, to find what lies where they touch it.

use super::snap::Cells;

/// What edits need besides the arrangement: its pieces and vertices by the cells they meet, and numbers that are free.
#[derive(Debug, Clone)]
pub(super) struct Live {
    pub(super) cells: Cells,
    pub(super) pieces: Vec<Vec<u32>>,
    pub(super) point_cells: Cells,
    pub(super) points: Vec<Vec<u32>>,
    pub(super) free: Free,
}

#[derive(Debug, Clone, Default)]
pub(super) struct Free {
    pub(super) pieces: Vec<u32>,
    pub(super) vertices: Vec<u32>,
    pub(super) edges: Vec<u32>,
    pub(super) cycles: Vec<u32>,
    pub(super) faces: Vec<u32>,
}
