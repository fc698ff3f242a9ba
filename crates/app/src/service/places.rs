//! Places for heavy work: so many things are computed at a time, and who waits is served by turns. A step goes before what
//! is only looked at; drawings take turns; of the glances at one drawing the newest goes first, since nobody looks at an
//! older one any more. Of the kept steps of a lift only one thing is done at a time for a drawing, so the others wait
//! here instead of at a place.

use std::collections::{HashMap, HashSet, VecDeque};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use tokio::sync::oneshot;

/// What a place is wanted for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Turn {
    /// Somebody's step: goes first.
    Step,
    /// Something that is shown or handed off.
    Look,
    /// What a setting in hand would give.
    Glance,
}

/// More glances at one drawing do not wait: the oldest is told that newer ones came.
pub const MOST_GLANCES: usize = 12;

/// Everything that waits for one drawing.
#[derive(Default)]
struct Waiting {
    steps: VecDeque<oneshot::Sender<Place>>,
    looks: VecDeque<oneshot::Sender<Place>>,
    /// The newest last.
    glances: VecDeque<oneshot::Sender<Place>>,
}

impl Waiting {
    fn is_empty(&self) -> bool {
        self.steps.is_empty() && self.looks.is_empty() && self.glances.is_empty()
    }
}

struct State {
    free: usize,
    waiting: HashMap<i64, Waiting>,
    /// Drawings something waits for, in turn.
    turns: VecDeque<i64>,
    /// Drawings whose kept steps are at work.
    busy: HashSet<i64>,
}

/// The places there are.
#[derive(Clone)]
pub struct Places(Arc<Mutex<State>>);

/// A place that is taken, until it is dropped.
pub struct Place {
    places: Places,
    drawing: i64,
    holds_steps: bool,
}

impl Places {
    pub fn new(count: usize) -> Places {
        let (waiting, turns, busy) = (HashMap::new(), VecDeque::new(), HashSet::new());
        Places(Arc::new(Mutex::new(State { free: count.max(1), waiting, turns, busy })))
    }

    fn state(&self) -> MutexGuard<'_, State> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Waits for a place. `None`: newer glances came, nobody looks at this one any more.
    pub async fn take(&self, drawing: i64, turn: Turn) -> Option<Place> {
        let (to, place) = oneshot::channel();
        {
            let mut state = self.state();
            let waiting = state.waiting.entry(drawing).or_default();
            let was_empty = waiting.is_empty();
            match turn {
                Turn::Step => waiting.steps.push_back(to),
                Turn::Look => waiting.looks.push_back(to),
                Turn::Glance => {
                    waiting.glances.push_back(to);
                    if waiting.glances.len() > MOST_GLANCES {
                        waiting.glances.pop_front();
                    }
                }
            }
            if was_empty {
                state.turns.push_back(drawing);
            }
        }
        self.serve();
        place.await.ok()
    }

    /// Gives free places to those whose turn it is.
    fn serve(&self) {
        while let Some((to, place)) = self.next() {
            // Who went away leaves the place to the next.
            drop(to.send(place));
        }
    }

    fn next(&self) -> Option<(oneshot::Sender<Place>, Place)> {
        let mut state = self.state();
        if state.free == 0 {
            return None;
        }
        let State { waiting, turns, busy, .. } = &mut *state;
        let with_step =
            turns.iter().position(|d| waiting.get(d).is_some_and(|w| !w.steps.is_empty() && !busy.contains(d)));
        let other = || {
            turns.iter().position(|d| {
                waiting.get(d).is_some_and(|w| !w.looks.is_empty() || !w.glances.is_empty() && !busy.contains(d))
            })
        };
        let drawing = turns.remove(with_step.or_else(other)?)?;
        let here = waiting.get_mut(&drawing)?;
        let is_busy = busy.contains(&drawing);
        let mut take = || {
            if !is_busy && let Some(to) = here.steps.pop_front() {
                return Some((to, true));
            }
            if !is_busy && let Some(to) = here.glances.pop_back() {
                return Some((to, true));
            }
            here.looks.pop_front().map(|to| (to, false))
        };
        let (to, holds_steps) = take()?;
        if here.is_empty() {
            waiting.remove(&drawing);
        } else {
            turns.push_back(drawing);
        }
        if holds_steps {
            busy.insert(drawing);
        }
        state.free -= 1;
        Some((to, Place { places: self.clone(), drawing, holds_steps }))
    }
}

impl Drop for Place {
    fn drop(&mut self) {
        {
            let mut state = self.places.state();
            state.free += 1;
            if self.holds_steps {
                state.busy.remove(&self.drawing);
            }
        }
        self.places.serve();
    }
}
