//! The place of a line in the order from the lowest to the topmost, as a fraction: between any two there is room for
//! another, so that nothing else is renumbered when one comes (fractional indexing). Ours, since the published package
//! falters once a key holds a zero byte.

use serde::{Deserialize, Deserializer, Serialize, Serializer};
use smallvec::SmallVec;
use std::fmt::Write as _;
use ts_rs::TS;

/// A fraction between 0 and 1 in base 256, its last digit not zero.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, TS)]
#[ts(type = "string")]
pub struct Order(SmallVec<[u8; 16]>);

/// So many digits count those that are put on top of one another.
const COUNTING: usize = 3;
/// The most digits that are read.
const MOST_DIGITS: usize = 4096;

impl Default for Order {
    /// In the middle.
    fn default() -> Order {
        Order(SmallVec::from_slice(&[128]))
    }
}

impl Order {
    /// A place above another.
    pub fn above(other: &Order) -> Order {
        Order::between(Some(other), None)
    }

    /// A place between two, of which the first is the lower one; at either side of one, or anywhere. Two that are not in
    /// order are taken as the first alone.
    pub fn between(low: Option<&Order>, high: Option<&Order>) -> Order {
        match (low, high) {
            (None, None) => Order::default(),
            (Some(low), None) => low.counted(1).unwrap_or_else(|| middle(&low.0, None)),
            (None, Some(high)) => high.counted(-1).unwrap_or_else(|| middle(&[], Some(&high.0))),
            (Some(low), Some(high)) if low < high => middle(&low.0, Some(&high.0)),
            (Some(low), Some(_)) => Order::above(low),
        }
    }

    /// So many places between two, in order.
    pub fn spread(count: usize, low: Option<&Order>, high: Option<&Order>) -> Vec<Order> {
        if high.is_none() {
            let first = Order::between(low, None);
            return std::iter::successors(Some(first), |o| Some(Order::above(o))).take(count).collect();
        }
        let mut out = Vec::with_capacity(count);
        halve(count, low, high, &mut out);
        out
    }

    /// The next place up or down by the digits that count; `None` where they end.
    fn counted(&self, by: i32) -> Option<Order> {
        let digit = |k: usize| i32::from(self.0.get(k).copied().unwrap_or(0));
        let number = (0..COUNTING).fold(0, |n, k| n << 8 | digit(k)) + by;
        let fits = number > 0 && number < 1 << (8 * COUNTING);
        fits.then(|| trimmed((0..COUNTING).rev().map(|k| (number >> (8 * k)) as u8).collect()))
    }
}

fn halve(count: usize, low: Option<&Order>, high: Option<&Order>, out: &mut Vec<Order>) {
    if count > 0 {
        let here = Order::between(low, high);
        halve((count - 1) / 2, low, Some(&here), out);
        out.push(here.clone());
        halve(count / 2, Some(&here), high, out);
    }
}

/// A fraction between two; without a higher one, below 1.
fn middle(low: &[u8], high: Option<&[u8]>) -> Order {
    let mut digits: SmallVec<[u8; 16]> = SmallVec::new();
    let mut high = high;
    for k in 0.. {
        let from = u16::from(low.get(k).copied().unwrap_or(0));
        let to = high.map_or(256, |h| u16::from(h.get(k).copied().unwrap_or(0)));
        if to > from + 1 {
            digits.push((from + (to - from) / 2) as u8);
            break;
        }
        digits.push(from as u8);
        // Whatever follows lies below the higher one now.
        if to > from {
            high = None;
        }
    }
    Order(digits)
}

fn trimmed(mut digits: SmallVec<[u8; 16]>) -> Order {
    while digits.last() == Some(&0) {
        digits.pop();
    }
    Order(digits)
}

impl Serialize for Order {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let hex = self.0.iter().fold(String::with_capacity(2 * self.0.len()), |mut s, d| {
            let _ = write!(s, "{d:02x}");
            s
        });
        to.serialize_str(&hex)
    }
}

impl<'de> Deserialize<'de> for Order {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Order, D::Error> {
        let hex = String::deserialize(from)?;
        let digit = |k: usize| hex.get(k..k + 2).and_then(|two| u8::from_str_radix(two, 16).ok());
        let digits: Option<SmallVec<[u8; 16]>> = (0..hex.len()).step_by(2).map(digit).collect();
        match digits {
            Some(d) if d.last().is_some_and(|l| *l > 0) && d.len() <= MOST_DIGITS => Ok(Order(d)),
            _ => Err(serde::de::Error::custom("no place in an order")),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn between_any_two_there_is_room(places in prop::collection::vec(0usize..1000, 1..400)) {
            let mut all: Vec<Order> = Vec::new();
            for p in places {
                let k = p % (all.len() + 1);
                let new = Order::between(k.checked_sub(1).map(|k| &all[k]), all.get(k));
                all.insert(k, new);
            }
            prop_assert!(all.windows(2).all(|w| w[0] < w[1]));
            let again: Vec<Order> = serde_json::from_str(&serde_json::to_string(&all).unwrap()).unwrap();
            prop_assert_eq!(again, all);
        }

        #[test]
        fn as_many_as_are_asked_for_lie_between_two(count in 0usize..300, down in 0usize..300) {
            let low = Order::default();
            let high = (0..down).fold(Order::above(&low), |high, _| Order::between(Some(&low), Some(&high)));
            for (low, high) in [(Some(&low), Some(&high)), (None, Some(&high)), (Some(&low), None)] {
                let all = Order::spread(count, low, high);
                prop_assert_eq!(all.len(), count);
                let lies = |o: &Order| low.is_none_or(|l| l < o) && high.is_none_or(|h| o < h);
                prop_assert!(all.iter().all(lies) && all.windows(2).all(|w| w[0] < w[1]));
            }
        }
    }

    #[test]
    fn what_is_put_on_top_again_and_again_stays_short() {
        let top = (0..70_000).fold(Order::default(), |o, _| Order::above(&o));
        assert!(top.0.len() <= COUNTING && top > Order::default());
        let low = (0..70_000).fold(Order::default(), |o, _| Order::between(None, Some(&o)));
        assert!(low.0.len() <= COUNTING && low < Order::default());
    }

    #[test]
    fn what_is_no_place_is_refused() {
        for text in ["\"\"", "\"8\"", "\"8000\"", "\"x1\"", "\"8é\"", "7"] {
            assert!(serde_json::from_str::<Order>(text).is_err(), "{text}");
        }
    }
}
