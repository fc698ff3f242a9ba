//! The parts of a file by their names in the ZIP.

/// What the first entry of the ZIP is called and holds.
pub const MIMETYPE: (&str, &str) = ("mimetype", "image/openraster");
pub const STACK: &str = "stack.xml";
pub const MERGED: &str = "mergedimage.png";
pub const THUMBNAIL: &str = "Thumbnails/thumbnail.png";
