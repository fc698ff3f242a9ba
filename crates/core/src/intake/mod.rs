//! Intake: the sheet laid out of its original. Corners squared up, turned, straightened or registered, cropped; all as a
//! recipe, the original untouched.

mod by_itself;
mod corners;
mod layout;
mod pegs;

pub use by_itself::{Marks, by_itself, level};
pub use corners::find_corners;
pub use layout::{Layout, lay_out};
pub use pegs::{Pegs, find_pegs};
