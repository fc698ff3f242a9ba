//! What is kept at hand of a drawing. What is known of it is looked up in a moment, so nobody who looks waits for another;
//! only steps and openings go one after the other. What was not used for long goes first, the larger parts before the
//! drawing itself.

use super::latest::Latest;
use crate::store::Stored;
use rhizograph_core::model::inking::Inking;
use rhizograph_core::model::recipe::IntakeRecipe;
use rhizograph_core::preview::{Inked, Stages};
use rhizograph_core::raster::plane::{Plane, Rgb};
use rhizograph_core::scene::Scene;
use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use tokio::sync::RwLock;

/// How many drawings are kept at hand at most, and how many bytes all that is kept of them may take.
const AT_HAND: usize = 64;
const BYTES_AT_HAND: usize = 350_000_000;

/// A scene with the revision it is of. Only a step changes it, in place.
pub struct SceneAt {
    pub revision: i64,
    /// Tells one numbering of regions from another, whichever server made it.
    pub numbering: u64,
    pub scene: Scene,
}

/// The ink of a sheet, with all that decides it.
#[derive(Clone)]
pub struct Lifted {
    pub intake: IntakeRecipe,
    pub inking: Inking,
    pub dpi: f64,
    pub inked: Arc<Inked>,
}

/// What is known of a drawing now. Each part can be computed again.
#[derive(Clone, Default)]
pub struct Known {
    pub stored: Option<Arc<Stored>>,
    /// The sheet as it is laid out, and by which recipe.
    pub source: Option<(IntakeRecipe, Arc<Plane<Rgb>>)>,
    /// The picture as it came, while it is laid out.
    pub raw: Option<Arc<Plane<Rgb>>>,
    /// It came as lines, not as pixels.
    pub is_vector: Option<bool>,
    pub lifted: Option<Lifted>,
    pub scene: Option<Arc<RwLock<SceneAt>>>,
    pub latest: Latest,
}

/// The kept steps of the lift, with the sheet they are of.
#[derive(Default)]
pub struct Lifting {
    of: Option<Arc<Plane<Rgb>>>,
    stages: Stages,
}

impl Lifting {
    /// The steps of this sheet; those of another are forgotten.
    pub fn of(&mut self, source: &Arc<Plane<Rgb>>) -> &mut Stages {
        if !self.of.as_ref().is_some_and(|of| Arc::ptr_eq(of, source)) {
            self.stages.forget();
            self.of = Some(source.clone());
        }
        &mut self.stages
    }

    fn forget(&mut self) {
        *self = Lifting::default();
    }
}

/// A drawing at hand.
#[derive(Default)]
pub struct Slot {
    known: Mutex<Known>,
    lifting: Mutex<Lifting>,
    /// Whoever does a step or opens the drawing.
    pub step: tokio::sync::Mutex<()>,
    /// Whoever lays the sheet out.
    pub laying_out: tokio::sync::Mutex<()>,
    used: AtomicU64,
    /// The drawing was taken out: nobody wants it computed any more.
    gone: AtomicBool,
}

impl Slot {
    /// What is known; to be held for a moment only.
    pub fn known(&self) -> MutexGuard<'_, Known> {
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The kept steps of the lift. What broke off half way is forgotten.
    pub fn lifting(&self) -> MutexGuard<'_, Lifting> {
        self.lifting.lock().unwrap_or_else(|broken| {
            self.lifting.clear_poison();
            let mut lifting = broken.into_inner();
            lifting.forget();
            lifting
        })
    }

    pub fn give_up(&self) {
        self.gone.store(true, Ordering::Relaxed);
    }

    pub fn is_wanted(&self) -> bool {
        !self.gone.load(Ordering::Relaxed)
    }

    /// About how many bytes are kept: of the lift's steps, of the pictures, of the scene. What is at work is not counted.
    fn bytes(&self) -> [usize; 3] {
        let known = self.known().clone();
        let of = |p: &Arc<Plane<Rgb>>| 3 * p.data.len();
        let pictures = known.source.as_ref().map_or(0, |s| of(&s.1)) + known.raw.as_ref().map_or(0, of);
        let lifted = known.lifted.as_ref().and_then(|l| l.inked.as_ref().as_ref().ok().map(|(ink, _)| ink.bytes()));
        let scene = known.scene.as_ref().and_then(|s| s.try_read().ok().map(|s| s.scene.bytes()));
        let lifting = self.lifting.try_lock().map_or(0, |l| l.stages.bytes());
        [lifting, pictures, lifted.unwrap_or(0) + scene.unwrap_or(0)]
    }
}

/// The drawings at hand.
#[derive(Default)]
pub struct AtHand {
    slots: Mutex<HashMap<i64, Arc<Slot>>>,
    clock: AtomicU64,
}

impl AtHand {
    fn slots(&self) -> MutexGuard<'_, HashMap<i64, Arc<Slot>>> {
        self.slots.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A drawing's slot, made if there is none.
    pub fn slot(&self, id: i64) -> Arc<Slot> {
        let now = self.clock.fetch_add(1, Ordering::Relaxed);
        let mut slots = self.slots();
        let is_new = !slots.contains_key(&id);
        let slot = slots.entry(id).or_default().clone();
        slot.used.store(now, Ordering::Relaxed);
        if is_new || now.is_multiple_of(16) {
            make_room(&mut slots, id);
        }
        slot
    }

    /// A drawing's slot, if it is at hand; looking does not count as using it.
    pub fn peek(&self, id: i64) -> Option<Arc<Slot>> {
        self.slots().get(&id).cloned()
    }

    /// A drawing that was taken out.
    pub fn remove(&self, id: i64) {
        if let Some(slot) = self.slots().remove(&id) {
            slot.give_up();
        }
    }
}

/// Lets go of what was not used for longest until the rest fits; of the drawing in hand everything stays.
fn make_room(slots: &mut HashMap<i64, Arc<Slot>>, in_hand: i64) {
    let mut oldest_first: Vec<(u64, i64)> =
        slots.iter().map(|(id, s)| (s.used.load(Ordering::Relaxed), *id)).filter(|s| s.1 != in_hand).collect();
    oldest_first.sort_unstable();
    let bytes: HashMap<i64, [usize; 3]> = slots.iter().map(|(id, s)| (*id, s.bytes())).collect();
    let mut all: usize = bytes.values().flatten().sum();
    for (_, id) in &oldest_first {
        if all <= BYTES_AT_HAND {
            break;
        }
        if let Ok(mut lifting) = slots[id].lifting.try_lock() {
            lifting.forget();
            all -= bytes[id][0];
        }
    }
    for (_, id) in &oldest_first {
        if all <= BYTES_AT_HAND {
            break;
        }
        let mut known = slots[id].known();
        (known.source, known.raw) = (None, None);
        all -= bytes[id][1];
    }
    for (_, id) in &oldest_first {
        if all <= BYTES_AT_HAND && slots.len() <= AT_HAND {
            break;
        }
        // Nobody is at it: there would be two of it otherwise.
        if slots.get(id).is_some_and(|s| Arc::strong_count(s) == 1) {
            slots.remove(id);
            all -= bytes[id][2];
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn source(pixels: usize) -> Option<(IntakeRecipe, Arc<Plane<Rgb>>)> {
        Some((IntakeRecipe::default(), Arc::new(Plane::new(pixels, 1, [0; 3]))))
    }

    #[test]
    fn three_neighbours_of_seventeen_megapixels_stay_at_hand_and_what_is_old_goes_first() {
        let at_hand = AtHand::default();
        for id in 1..=3 {
            at_hand.slot(id).known().source = source(17_000_000);
        }
        at_hand.slot(4);
        assert!((1..=3).all(|id| at_hand.slot(id).known().source.is_some()));
        for id in 4..=40 {
            at_hand.slot(id).known().source = source(17_000_000);
        }
        let has = |id| at_hand.peek(id).is_some_and(|s| s.known().source.is_some());
        let kept: Vec<i64> = (1..=40).filter(|id| has(*id)).collect();
        assert!(kept.len() >= 5 && kept.len() <= 8, "{kept:?}");
        assert!(kept.windows(2).all(|w| w[1] == w[0] + 1) && kept[kept.len() - 1] == 40, "{kept:?}");
        for id in 41..300 {
            at_hand.slot(id);
        }
        assert!(at_hand.slots().len() <= AT_HAND);
    }

    #[test]
    fn a_slot_that_somebody_is_at_is_not_doubled() {
        let at_hand = AtHand::default();
        let held = at_hand.slot(1);
        for id in 2..500 {
            at_hand.slot(id);
        }
        assert!(Arc::ptr_eq(&held, &at_hand.slot(1)));
    }

    #[test]
    fn what_broke_off_is_forgotten_and_the_next_goes_on() {
        let slot = Arc::new(Slot::default());
        let source = Arc::new(Plane::new(8, 8, [255; 3]));
        let of = slot.clone();
        let broke = std::thread::spawn(move || {
            of.lifting().of(&source);
            let _held = of.lifting();
            panic!("half way");
        });
        assert!(broke.join().is_err());
        assert!(slot.lifting().of.is_none());
        assert!(!slot.lifting.is_poisoned());
    }
}
