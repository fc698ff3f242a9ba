//! Pixels: planes of them, and what is computed on planes alone.

pub mod components;
pub mod contour;
pub mod disc;
pub mod distance;
pub mod ink;
pub mod plane;
pub mod strokes;
pub mod thinning;
pub mod window;
