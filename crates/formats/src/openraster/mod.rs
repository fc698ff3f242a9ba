//! OpenRaster (baseline 0.0.x of the freedesktop.org draft): a ZIP of PNG layers, their order in `stack.xml`, the merged
//! picture and a thumbnail.

mod parts;
mod read;
mod write;

pub use read::{layers, looks_like_openraster, read};
pub use write::{Leaf, Node, openraster};
