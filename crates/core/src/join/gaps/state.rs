//! The gaps of a drawing with all that keeps them up.

use super::super::closing::Closing;
use super::super::gap::Gap;
use super::ranked::{Lying, Ranked};
use super::standing::Standing;
use crate::geom::{Bounds, Pt};
use rustc_hash::{FxHashMap, FxHashSet};
use std::sync::Arc;

/// Whether an end, and the other one of its line, touch something.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(super) enum Looseness {
    #[default]
    Joined,
    Loose,
    BothLoose,
}

/// A gap that was chosen.
#[derive(Debug, Clone)]
pub(super) struct Chosen {
    pub(super) confident: bool,
    /// Before it was weighed by what closing gains.
    pub(super) confidence: f64,
    /// One of its loose ends is blunt.
    pub(super) blunt: bool,
    pub(super) gap: Gap,
    pub(super) flat: Arc<[Pt]>,
    pub(super) bounds: Bounds,
}

/// The gaps of a drawing, kept up through edits.
#[derive(Debug, Clone)]
pub struct Gaps {
    pub(super) limit: f64,
    /// Per end, by its place.
    pub(super) loose: Vec<Looseness>,
    /// From the most confident on.
    pub(super) candidates: Vec<Ranked>,
    /// By the end they start from.
    pub(super) chosen: Vec<Option<Box<Chosen>>>,
    /// Per end: one more than the place of the end from which the chosen one it is in starts; 0: it is in none.
    pub(super) starts: Vec<u32>,
    /// In which round an end was taken last, and whether a chosen one starts from it.
    pub(super) taken: Vec<(u32, bool)>,
    pub(super) round: u32,
    pub(super) numbers: u32,
    /// The end each chosen one starts from, by its number.
    pub(super) places: FxHashMap<u32, u32>,
    pub(super) lying: Lying,
    /// With the confident ones closed, and with all of them.
    pub(super) confident: Closing,
    pub(super) all: Closing,
    /// By the end each starts from.
    pub(super) standings: Vec<Standing>,
    /// Those that speak for one another.
    pub(super) completed: FxHashSet<u32>,
}
