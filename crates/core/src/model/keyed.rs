//! Lists whose items have keys, and stand in the order of those.

use super::by_hand::Effect;
use super::line::{Line, is_same};
use super::numbered::Numbered;
use super::order::Order;
use super::reweighed::Reweighed;
use crate::geom::{GRID, Pt};
use std::hash::Hash;
use std::sync::Arc;

/// Something that is in a list once, at the place of its key.
pub trait Keyed: Clone + PartialEq {
    /// Tells it from all others of the list.
    type Key: Eq + Hash;
    fn key(&self) -> Self::Key;
    /// Where in the list it stands.
    type Place: Ord;
    fn place(&self) -> Self::Place;
    /// Whether two are equal.
    fn is_like(&self, other: &Self) -> bool {
        self == other
    }
}

impl<T: Clone + PartialEq> Keyed for Numbered<T> {
    type Key = u64;
    fn key(&self) -> u64 {
        self.id
    }
    type Place = u64;
    fn place(&self) -> u64 {
        self.id
    }
}

impl Keyed for Arc<Line> {
    type Key = u64;
    fn key(&self) -> u64 {
        self.id
    }
    type Place = (Order, u64);
    fn place(&self) -> (Order, u64) {
        (self.order.clone(), self.id)
    }
    fn is_like(&self, other: &Arc<Line>) -> bool {
        is_same(self, other)
    }
}

impl Keyed for Reweighed {
    type Key = u64;
    fn key(&self) -> u64 {
        self.line
    }
    type Place = u64;
    fn place(&self) -> u64 {
        self.line
    }
}

impl Keyed for Effect {
    type Key = Effect;
    fn key(&self) -> Effect {
        *self
    }
    type Place = Effect;
    fn place(&self) -> Effect {
        *self
    }
}

impl Keyed for Pt {
    type Key = [u64; 2];
    fn key(&self) -> [u64; 2] {
        [self.x.to_bits(), self.y.to_bits()]
    }
    /// Row and column in steps of the grid that kept coordinates lie on.
    type Place = [i64; 2];
    fn place(&self) -> [i64; 2] {
        [self.y, self.x].map(|v| (v * GRID).round() as i64)
    }
}

/// Puts a list in the order of its places.
pub fn sort<T: Keyed>(list: &mut [T]) {
    if !list.is_sorted_by(|a, b| a.place() <= b.place()) {
        list.sort_by_cached_key(Keyed::place);
    }
}
