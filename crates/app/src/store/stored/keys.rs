//! From form 1 to form 2: changes told places in lists; now all that is in a list has a key. The changes are walked back
//! from the sheet as it is and then forth again through those that were undone: so every item that ever was in a list gets
//! its place among all others, and from that its key.

use super::history::{History, Unreadable};
use rhizograph_core::model::order::Order;
use serde_json::{Map, Value, json};

/// The lists whose items were known by their places, in a sheet and in a change.
const LISTS: [&str; 8] = [
    "/lines",
    "/erased",
    "/drops",
    "/settled",
    "/by_hand/touches",
    "/by_hand/inverted",
    "/by_hand/protected",
    "/reweighed",
];
/// Of those, the lines: they have numbers already, and get a place in the order.
const LINES: usize = 0;
/// The strokes of the brush, which the settings of the last tracing hold, too.
const TOUCHES: usize = 4;
/// From here on the item itself tells its place.
const OWN_KEYS: usize = 5;

type Items = Vec<(usize, Value)>;

/// What leaves a list and what enters it, by place.
fn patch(change: &Value, list: usize, back: bool) -> Result<(Items, Items), Unreadable> {
    let read = |key: &str| -> Result<Items, Unreadable> {
        let items = change.pointer(LISTS[list]).and_then(|p| p.get(key)).cloned().ok_or(Unreadable::Astray)?;
        Ok(serde_json::from_value(items)?)
    };
    let (removed, added) = (read("removed")?, read("added")?);
    Ok(if back { (added, removed) } else { (removed, added) })
}

/// The fields of a sheet that a change tells before and after, besides its lists.
fn lead_fields(sheet: &mut Value, change: &Value, back: bool) {
    let end = |field: &str| change.get(field).and_then(|both| both.get(usize::from(!back))).cloned();
    let Some(fields) = sheet.as_object_mut() else { return };
    if let Some(Value::Array(size)) = end("size") {
        for (name, value) in ["width", "height", "dpi", "dpi_assumed"].iter().zip(size) {
            fields.insert((*name).to_owned(), value);
        }
    }
    for name in ["recipes", "next_id", "traced"] {
        if let Some(value) = end(name) {
            fields.insert(name.to_owned(), value);
        }
    }
}

/// Leads a sheet of form 1 through a change of form 1.
pub(super) fn lead(sheet: &mut Value, change: &Value, back: bool) -> Result<(), Unreadable> {
    for (list, name) in LISTS.iter().enumerate() {
        let (out, new) = patch(change, list, back)?;
        let items = sheet.pointer_mut(name).and_then(Value::as_array_mut).ok_or(Unreadable::Astray)?;
        for (place, item) in out.iter().rev() {
            if items.get(*place) != Some(item) {
                return Err(Unreadable::Astray);
            }
            items.remove(*place);
        }
        for (place, item) in new {
            if place > items.len() {
                return Err(Unreadable::Astray);
            }
            items.insert(place, item);
        }
    }
    lead_fields(sheet, change, back);
    Ok(())
}

/// All items that ever were in a list, those that are in it now marked.
#[derive(Default)]
struct Pile {
    items: Vec<Value>,
    /// Their numbers in order.
    order: Vec<usize>,
    is_there: Vec<bool>,
}

/// What a change takes out of a list and puts in, by the numbers in its pile.
type Taken = (Vec<usize>, Vec<usize>);

impl Pile {
    fn there(&self) -> Vec<usize> {
        self.order.iter().copied().filter(|n| self.is_there[*n]).collect()
    }

    /// Puts one in after another, or first.
    fn put(&mut self, item: Value, after: Option<usize>) -> usize {
        let number = self.items.len();
        let at = after.and_then(|a| self.order.iter().position(|n| *n == a)).map_or(0, |k| k + 1);
        self.order.insert(at, number);
        self.items.push(item);
        self.is_there.push(true);
        number
    }

    fn lead(&mut self, out: Items, new: Items) -> Result<Taken, Unreadable> {
        if out.is_empty() && new.is_empty() {
            return Ok(Taken::default());
        }
        let mut list = self.there();
        let mut gone = Vec::new();
        for (place, item) in out.iter().rev() {
            if list.get(*place).is_none_or(|n| self.items[*n] != *item) {
                return Err(Unreadable::Astray);
            }
            let n = list.remove(*place);
            self.is_there[n] = false;
            gone.push(n);
        }
        let mut came = Vec::new();
        for (place, item) in new {
            if place > list.len() {
                return Err(Unreadable::Astray);
            }
            let n = self.put(item, place.checked_sub(1).map(|p| list[p]));
            list.insert(place, n);
            came.push(n);
        }
        Ok((gone, came))
    }
}

/// The keys of a list's items: those of form 2.
struct Keys {
    list: usize,
    /// By number: the item's place among all.
    places: Vec<usize>,
    orders: Vec<Order>,
}

impl Keys {
    fn of(list: usize, pile: &Pile) -> Keys {
        let mut places = vec![0; pile.items.len()];
        pile.order.iter().enumerate().for_each(|(k, n)| places[*n] = k);
        let orders = if list == LINES { Order::spread(places.len(), None, None) } else { Vec::new() };
        Keys { list, places, orders }
    }

    /// The item as it is in form 2.
    fn keyed(&self, pile: &Pile, number: usize) -> Value {
        let mut item = pile.items[number].clone();
        if let Some(fields) = item.as_object_mut() {
            let place = self.places[number];
            if self.list == LINES {
                fields.insert("order".into(), json!(self.orders[place]));
            } else if self.list < OWN_KEYS {
                fields.insert("id".into(), json!(place + 1));
            }
        }
        item
    }
}

/// Numbers of things that have none yet go before those of lines.
fn shifted(number: &Value, by: usize) -> Result<Value, Unreadable> {
    number.as_u64().map(|n| json!(n + by as u64)).ok_or(Unreadable::Astray)
}

/// The strokes in the settings of a tracing get the numbers of those that are equal, in turn.
fn number_traced(traced: &mut Value, pile: &Pile, keys: &Keys) {
    let mut left = pile.order.iter();
    let touches = traced.pointer_mut("/inking/by_hand/touches").and_then(Value::as_array_mut);
    for touch in touches.into_iter().flatten() {
        let same = left.clone().position(|n| pile.items[*n] == *touch);
        let found = match same {
            Some(k) => left.nth(k),
            None => pile.order.iter().find(|n| pile.items[**n] == *touch),
        };
        match (found, touch.as_object_mut()) {
            (Some(&n), _) => *touch = keys.keyed(pile, n),
            (None, Some(fields)) => {
                fields.insert("id".into(), json!(0));
            }
            (None, None) => {}
        }
    }
}

/// Brings a drawing's history into form 2.
pub(super) fn bring_up(history: &mut History) -> Result<(), Unreadable> {
    let mut piles: [Pile; LISTS.len()] = Default::default();
    for (pile, name) in piles.iter_mut().zip(LISTS) {
        let now = history.sheet.pointer(name).and_then(Value::as_array).ok_or(Unreadable::Astray)?;
        for item in now {
            pile.put(item.clone(), pile.order.last().copied());
        }
    }
    let now: Vec<Vec<bool>> = piles.iter().map(|p| p.is_there.clone()).collect();
    let mut taken: Vec<Vec<Taken>> = Vec::new();
    let walk = |piles: &mut [Pile; LISTS.len()], change: &Value, back: bool| {
        let mut of_change = Vec::new();
        for (list, pile) in piles.iter_mut().enumerate() {
            let (out, new) = patch(change, list, back)?;
            let (gone, came) = pile.lead(out, new)?;
            of_change.push(if back { (came, gone) } else { (gone, came) });
        }
        Ok::<_, Unreadable>(of_change)
    };
    for change in history.changes[..history.done].iter().rev() {
        taken.push(walk(&mut piles, change, true)?);
    }
    taken.reverse();
    for (pile, was) in piles.iter_mut().zip(now) {
        pile.is_there = was;
        pile.is_there.resize(pile.items.len(), false);
    }
    for change in &history.changes[history.done..] {
        taken.push(walk(&mut piles, change, false)?);
    }
    let keys: Vec<Keys> = piles.iter().enumerate().map(|(list, pile)| Keys::of(list, pile)).collect();
    // Those that are there now were marked before the undone ones were walked through.
    let there = |list: usize| history.sheet.pointer(LISTS[list]).and_then(Value::as_array).map_or(0, Vec::len);
    let lists: Vec<Value> =
        (0..LISTS.len()).map(|list| (0..there(list)).map(|n| keys[list].keyed(&piles[list], n)).collect()).collect();
    let numbered = piles[LINES + 1..OWN_KEYS].iter().map(|p| p.items.len()).max().unwrap_or(0);
    let (touches, touch_keys) = (&piles[TOUCHES], &keys[TOUCHES]);
    for (name, list) in LISTS.iter().zip(lists) {
        *history.sheet.pointer_mut(name).ok_or(Unreadable::Astray)? = list;
    }
    let next = history.sheet.get_mut("next_id").ok_or(Unreadable::Astray)?;
    *next = shifted(next, numbered)?;
    if let Some(traced) = history.sheet.get_mut("traced") {
        number_traced(traced, touches, touch_keys);
    }
    for (change, of_change) in history.changes.iter_mut().zip(taken) {
        for (list, (gone, came)) in of_change.into_iter().enumerate() {
            let keyed = |numbers: Vec<usize>| -> Value {
                numbers.into_iter().map(|n| keys[list].keyed(&piles[list], n)).collect()
            };
            let mut swap = Map::new();
            swap.insert("gone".into(), keyed(gone));
            swap.insert("came".into(), keyed(came));
            *change.pointer_mut(LISTS[list]).ok_or(Unreadable::Astray)? = Value::Object(swap);
        }
        for both in ["next_id", "traced"] {
            for end in change.get_mut(both).and_then(Value::as_array_mut).into_iter().flatten() {
                if both == "next_id" {
                    *end = shifted(end, numbered)?;
                } else {
                    number_traced(end, touches, touch_keys);
                }
            }
        }
    }
    // What tells its own place stands in its order.
    let mut sheet: rhizograph_core::model::sheet::Sheet = serde_json::from_value(history.sheet.take())?;
    sheet.put_in_order();
    history.sheet = serde_json::to_value(&sheet)?;
    Ok(())
}
