//! Plain data: all that a drawing is, and how its parts look.

pub mod by_hand;
pub mod erasure;
pub mod inking;
pub mod keyed;
pub mod line;
pub mod numbered;
pub mod order;
pub mod paint;
pub mod piece;
pub mod pixels;
pub mod recipe;
pub mod reweighed;
pub mod sheet;
pub mod verdict;
