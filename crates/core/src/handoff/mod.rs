//! What leaves: a drawing as layers that any format can be written from, each as pixels at the size that is asked for.

mod chart;
mod layers;
mod naming;
mod notes;
mod pixels;

pub use chart::{Chart, Fields};
pub use layers::{Group, HandOff, InkEdge, Layer, Leaving, What, paint_name};
pub use naming::{Naming, named};
pub use notes::Note;
pub use pixels::{Picture, over};
