//! Ink by hand: what a pen did becomes a line.

mod shape;
mod stroke;

pub use shape::{Inked, Shape};
pub use stroke::{Follows, Pen, Sample, ink, shaped};
