//! What compares drawings of a shot.

pub mod surroundings;
