//! What is kept at hand of a drawing. What is known of it is looked up in a moment, so nobody who looks waits for another;
//! only steps and openings go one after the other. What was not used for long goes first, the larger parts before the
//! drawing itself.

use super::latest::Latest;
use crate::memory;
use crate::store::Stored;
use rhizograph_core::model::inking::Inking;
use rhizograph_core::model::recipe::{FileLayer, IntakeRecipe};
use rhizograph_core::preview::{Inked, Stages};
use rhizograph_core::raster::plane::{Plane, Rgb};
use rhizograph_core::scene::Scene;
use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, LazyLock, Mutex, MutexGuard, PoisonError};
use tokio::sync::RwLock;

/// How many drawings are kept at hand at most.
pub const AT_HAND: usize = 96;
/// Up to so many drawings keep the steps of their lift when they are opened: a slider may be moved next.
const FEW: usize = 6;
/// How many bytes what is kept beside drawings may take: pictures and steps of the lift.
const BYTES_BESIDE: usize = 350_000_000;
/// The most that all of it may take.
const MOST_BYTES: usize = 1_200_000_000;

/// How many bytes all that is kept may take: a share of the memory that was free when that was asked first.
fn bytes_at_hand() -> usize {
    static BYTES: LazyLock<usize> = LazyLock::new(|| (memory::free() as usize / 4).clamp(BYTES_BESIDE, MOST_BYTES));
    *BYTES
}

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
    /// The picture as it came, or a layer of it, while it is laid out.
    pub raw: Option<(Option<FileLayer>, Arc<Plane<Rgb>>)>,
    /// A layer that is looked at beside the drawing, laid out as the sheet is.
    pub beside: Option<(IntakeRecipe, Arc<Plane<Rgb>>)>,
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

    /// Whether the steps of a sheet are kept.
    pub fn is_of_any(&self) -> bool {
        self.of.is_some()
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

    /// Lets go of the kept steps of the lift, unless somebody is at them.
    pub fn forget_lifting(&self) {
        if let Ok(mut lifting) = self.lifting.try_lock() {
            lifting.forget();
        }
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
        let laid_out = known.source.iter().chain(&known.beside).map(|s| of(&s.1));
        let pictures = laid_out.chain(known.raw.iter().map(|r| of(&r.1))).sum();
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

    /// How many there are.
    pub fn count(&self) -> usize {
        self.slots().len()
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

    /// So many are at hand that what is opened keeps no more than it needs.
    pub fn is_crowded(&self) -> bool {
        self.slots().len() > FEW
    }

    /// Lets go of everything.
    pub fn clear(&self) {
        self.slots().drain().for_each(|(_, slot)| slot.give_up());
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
    let mut beside: usize = bytes.values().map(|b| b[0] + b[1]).sum();
    let mut all: usize = bytes.values().flatten().sum();
    for (_, id) in &oldest_first {
        if beside <= BYTES_BESIDE {
            break;
        }
        if let Ok(mut lifting) = slots[id].lifting.try_lock() {
            lifting.forget();
            (beside, all) = (beside - bytes[id][0], all - bytes[id][0]);
        }
    }
    for (_, id) in &oldest_first {
        if beside <= BYTES_BESIDE {
            break;
        }
        let mut known = slots[id].known();
        (known.source, known.raw, known.beside) = (None, None, None);
        (beside, all) = (beside - bytes[id][1], all - bytes[id][1]);
    }
    for (_, id) in &oldest_first {
        if all <= bytes_at_hand() && slots.len() <= AT_HAND {
            break;
        }
        // Nobody is at it: there would be two of it otherwise.
        if slots.get(id).is_some_and(|s| Arc::strong_count(s) == 1) {
            slots.remove(id);
            all -= bytes[id][2];
        }
    }
}
