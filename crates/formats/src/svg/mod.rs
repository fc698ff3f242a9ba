//! SVG: vector art in, drawings out.

mod bounds;
mod edge;
mod kept;
mod lettering;
mod lightness;
mod opened;
mod pictures;
mod pile;
mod read;
mod shapes;
mod text;
mod write;

pub use pictures::{picture, pictures};
pub use read::{Vector, drawn, read};
pub use text::{escape, looks_like_svg};
pub use write::{Art, Fill, Remark, svg};
