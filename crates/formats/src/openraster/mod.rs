//! OpenRaster (baseline 0.0.x of the freedesktop.org draft): a ZIP of PNG layers, their order in `stack.xml`, the merged
//! picture and a thumbnail.

mod parts;
mod read;
mod write;

pub use read::{ink, looks_like_openraster};
pub use write::{Leaf, Node, openraster};
