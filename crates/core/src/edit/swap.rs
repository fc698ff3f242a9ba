//! What changes in a list whose items have keys: what leaves it and what enters it. A place in the list is that of the
//! key, so what else came or went meanwhile does not matter.

use crate::error::Error;
use crate::model::keyed::{Keyed, sort};
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

/// Up to so many are put at their places one by one: the rest of the list is in order.
const ONE_BY_ONE: usize = 64;

/// What leaves a list and what enters it; one that changes does both.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(bound = "T: Serialize + serde::de::DeserializeOwned")]
pub(super) struct Swap<T> {
    pub(super) gone: Vec<T>,
    pub(super) came: Vec<T>,
}

impl<T> Default for Swap<T> {
    fn default() -> Self {
        Swap { gone: Vec::new(), came: Vec::new() }
    }
}

impl<T: Keyed> Swap<T> {
    /// The difference of two lists that are in order.
    pub(super) fn between(before: &[T], after: &[T]) -> Swap<T> {
        // Most of both is the same, from the beginning and from the end on.
        let same = |(a, b): &(&T, &T)| a.is_like(b);
        let least = before.len().min(after.len());
        let first = before.iter().zip(after).take_while(same).count();
        let last = before.iter().rev().zip(after.iter().rev()).take(least - first).take_while(same).count();
        let (before, after) = (&before[first..before.len() - last], &after[first..after.len() - last]);
        let known: FxHashMap<T::Key, &T> = before.iter().map(|t| (t.key(), t)).collect();
        let new: FxHashMap<T::Key, &T> = after.iter().map(|t| (t.key(), t)).collect();
        let without = |list: &[T], other: &FxHashMap<T::Key, &T>| {
            let is_new = |t: &&T| other.get(&t.key()).is_none_or(|o| !o.is_like(t));
            list.iter().filter(is_new).cloned().collect()
        };
        Swap { gone: without(before, &new), came: without(after, &known) }
    }

    pub(super) fn lead(&self, list: &mut Vec<T>, way: Way) -> Result<(), Error> {
        let (out, new) = match way {
            Way::Forth => (&self.gone, &self.came),
            Way::Back => (&self.came, &self.gone),
        };
        if out.is_empty() && new.is_empty() {
            return Ok(());
        }
        let mut gone = Vec::with_capacity(out.len());
        for t in out {
            let at = list.binary_search_by_key(&t.place(), Keyed::place).ok().filter(|&k| list[k].is_like(t));
            gone.push(at.ok_or(Error::Mismatch("the change does not fit the sheet: what should go is not there"))?);
        }
        gone.sort_unstable();
        let mut gone = gone.into_iter().peekable();
        let mut k = 0;
        list.retain(|_| {
            k += 1;
            gone.next_if_eq(&(k - 1)).is_none()
        });
        let keys: FxHashMap<T::Key, ()> = new.iter().map(|t| (t.key(), ())).collect();
        if list.iter().any(|t| keys.contains_key(&t.key())) {
            return Err(Error::Mismatch("the change does not fit the sheet: what should come is there already"));
        }
        if new.len() > ONE_BY_ONE {
            list.extend(new.iter().cloned());
            sort(list);
            return Ok(());
        }
        for t in new {
            let place = t.place();
            list.insert(list.partition_point(|o| o.place() <= place), t.clone());
        }
        Ok(())
    }

    /// All that leaves or enters.
    pub(super) fn items(&self) -> impl Iterator<Item = &T> {
        self.gone.iter().chain(&self.came)
    }

    /// Whether nothing changes.
    pub(super) fn is_empty(&self) -> bool {
        self.gone.is_empty() && self.came.is_empty()
    }

    /// Whether another one is about some of the same.
    pub(super) fn meets(&self, other: &Swap<T>) -> bool {
        let mine: FxHashMap<T::Key, ()> = self.items().map(|t| (t.key(), ())).collect();
        !mine.is_empty() && other.items().any(|t| mine.contains_key(&t.key()))
    }
}
