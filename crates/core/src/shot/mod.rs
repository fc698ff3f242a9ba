//! What compares drawings of a shot.

pub mod carry;
pub mod rescan;
pub mod surroundings;
