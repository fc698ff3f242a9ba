//! Regions of one drawing of a shot found again in another one, so that its paint can be carried there: a global fit of the
//! two, then parts by themselves. Regions and their neighbours are matched by relaxation (Rosenfeld, Hummel & Zucker, "Scene
//! labeling by relaxation operations", 1976): where a region is to be looked for is told by its neighbours as they are matched
//! so far, and how good a match is by place, size, shape and by how well the neighbours' matches are neighbours, too.

mod fit;
mod graph;
mod matching;
mod propose;

pub use graph::Graph;
pub use matching::{Carried, carry};
pub use propose::{Paint, Painted, propose, proposed_drops};
