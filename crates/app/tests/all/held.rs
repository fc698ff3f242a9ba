//! What is kept of drawings at hand: how much, and what goes first.

use rhizograph_app::service::held::{AT_HAND, AtHand, Slot};
use rhizograph_core::model::recipe::IntakeRecipe;
use rhizograph_core::raster::plane::{Plane, Rgb};
use std::sync::Arc;

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
    assert!(at_hand.count() <= AT_HAND);
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
        assert!(of.lifting().is_of_any());
        let _held = of.lifting();
        panic!("half way");
    });
    assert!(broke.join().is_err());
    assert!(!slot.lifting().is_of_any());
}
