//! OpenRaster (baseline 0.0.x of the freedesktop.org draft): a ZIP of PNG layers, their order in `stack.xml`, the merged
//! picture and a thumbnail.

mod read;
mod write;

pub use read::{Entry, ink, layer, layers, looks_like_openraster, merged};
pub use write::{Leaf, Node, openraster};

/// What the first entry of the ZIP is called and holds.
const MIMETYPE: (&str, &str) = ("mimetype", "image/openraster");
const STACK: &str = "stack.xml";
const MERGED: &str = "mergedimage.png";
const THUMBNAIL: &str = "Thumbnails/thumbnail.png";
