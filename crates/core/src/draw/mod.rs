//! Ink by hand: what a pen did becomes a line.

mod stroke;

pub use stroke::{Follows, Pen, Sample, ink, shaped};
