//! What is kept in a list by number.

use serde::{Deserialize, Serialize};
use std::ops::{Deref, DerefMut};
use ts_rs::TS;

/// Something with the number that it keeps as long as it is on the sheet. Lists of them are in the order of the numbers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Numbered<T> {
    #[ts(type = "number")]
    pub id: u64,
    #[serde(flatten)]
    pub it: T,
}

impl<T> Deref for Numbered<T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.it
    }
}

impl<T> DerefMut for Numbered<T> {
    fn deref_mut(&mut self) -> &mut T {
        &mut self.it
    }
}

/// Things numbered from 1 on.
pub fn numbered<T>(things: impl IntoIterator<Item = T>) -> Vec<Numbered<T>> {
    things.into_iter().zip(1..).map(|(it, id)| Numbered { id, it }).collect()
}
