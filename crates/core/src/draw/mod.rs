//! Ink by hand: what a pen did becomes a line, or changes one.

mod along;
mod convert;
mod redraw;
mod rub;
mod shape;
mod stretch;
mod stroke;

pub use convert::{area_of, as_centrelines, as_outline, ended_along, outline_of};
pub use redraw::{Gives, Reshaped, nearness, redrawn, reshaped};
pub use rub::{Rub, bent, calmed, pressed};
pub use shape::{Inked, Shape, path_of};
pub use stretch::{Way, led};
pub use stroke::{Follows, Pen, Sample, ink, shaped};
