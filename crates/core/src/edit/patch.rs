//! What changes in a list, by place.

use crate::error::Error;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};

/// Which way a change is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Way {
    Forth,
    Back,
}

impl Way {
    /// The one of both states that this way leads to.
    pub(super) fn end<T>(self, (before, after): &(T, T)) -> &T {
        match self {
            Way::Forth => after,
            Way::Back => before,
        }
    }
}

/// What leaves a list and what enters it, by place; what stays keeps its order.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(bound = "T: Serialize + serde::de::DeserializeOwned")]
pub struct Patch<T> {
    removed: Vec<(usize, T)>,
    added: Vec<(usize, T)>,
}

impl<T> Default for Patch<T> {
    fn default() -> Self {
        Patch { removed: Vec::new(), added: Vec::new() }
    }
}

impl<T: Clone + PartialEq> Patch<T> {
    pub(super) fn between<K: std::hash::Hash + Eq>(before: &[T], after: &[T], key: impl Fn(&T) -> K) -> Patch<T> {
        Patch::unlike(before, after, key, |a, b| a == b)
    }

    /// The same with a quicker way to tell whether two are equal.
    pub(super) fn unlike<K: std::hash::Hash + Eq>(
        before: &[T],
        after: &[T],
        key: impl Fn(&T) -> K,
        same: impl Fn(&T, &T) -> bool,
    ) -> Patch<T> {
        // Most of both is the same, from the beginning and from the end on.
        let least = before.len().min(after.len());
        let first = before.iter().zip(after).take_while(|(a, b)| same(a, b)).count();
        let ends = before.iter().rev().zip(after.iter().rev()).take(least - first);
        let last = ends.take_while(|(a, b)| same(a, b)).count();
        let (before, after) = (&before[first..before.len() - last], &after[first..after.len() - last]);
        let places: FxHashMap<K, usize> = before.iter().enumerate().map(|(i, t)| (key(t), i)).collect();
        let mut kept_before = vec![false; before.len()];
        let mut added = Vec::new();
        let mut next = 0;
        for (j, t) in after.iter().enumerate() {
            match places.get(&key(t)) {
                Some(&i) if i >= next && same(&before[i], t) => {
                    kept_before[i] = true;
                    next = i + 1;
                }
                _ => added.push((first + j, t.clone())),
            }
        }
        let gone = before.iter().enumerate().filter(|(i, _)| !kept_before[*i]);
        Patch { removed: gone.map(|(i, t)| (first + i, t.clone())).collect(), added }
    }

    pub(super) fn lead(&self, list: &mut Vec<T>, way: Way) -> Result<(), Error> {
        match way {
            Way::Forth => swap(list, &self.removed, &self.added),
            Way::Back => swap(list, &self.added, &self.removed),
        }
    }

    /// What leaves the list.
    pub(super) fn gone(&self) -> impl Iterator<Item = &T> {
        self.removed.iter().map(|r| &r.1)
    }

    /// What enters it.
    pub(super) fn came(&self) -> impl Iterator<Item = &T> {
        self.added.iter().map(|a| &a.1)
    }

    /// Both.
    pub(super) fn items(&self) -> impl Iterator<Item = &T> {
        self.gone().chain(self.came())
    }

    /// Whether nothing changes.
    pub fn is_empty(&self) -> bool {
        self.removed.is_empty() && self.added.is_empty()
    }
}

fn swap<T: Clone + PartialEq>(list: &mut Vec<T>, out: &[(usize, T)], new: &[(usize, T)]) -> Result<(), Error> {
    if out.iter().any(|(i, t)| list.get(*i) != Some(t)) {
        return Err(Error::Mismatch("what should go is not there"));
    }
    let mut gone = out.iter().map(|o| o.0).peekable();
    let mut rest = list.iter().enumerate().filter(|(i, _)| gone.next_if_eq(i).is_none()).map(|(_, t)| t);
    let mut made = Vec::with_capacity(list.len() + new.len());
    for (j, t) in new {
        while made.len() < *j {
            made.push(rest.next().ok_or(Error::Mismatch("a place beyond the end"))?.clone());
        }
        made.push(t.clone());
    }
    made.extend(rest.cloned());
    *list = made;
    Ok(())
}
