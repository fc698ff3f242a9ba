//! The order in which what is asked is computed.

use rhizograph_app::service::places::{MOST_GLANCES, Places, Turn};
use std::sync::{Arc, Mutex};
use tokio::task::yield_now;

/// Asks for a place; what it was for is noted once it is given, and it is given back at once.
fn ask(places: &Places, noted: &Arc<Mutex<Vec<&'static str>>>, drawing: i64, turn: Turn, name: &'static str) {
    let (places, noted) = (places.clone(), noted.clone());
    tokio::spawn(async move {
        let place = places.take(drawing, turn).await;
        noted.lock().unwrap().push(if place.is_some() { name } else { "given up" });
        yield_now().await;
    });
}

async fn settle() {
    for _ in 0..200 {
        yield_now().await;
    }
}

#[tokio::test]
async fn steps_go_first_drawings_take_turns_and_of_glances_the_newest_goes_first() {
    let places = Places::new(1);
    let noted = Arc::new(Mutex::new(Vec::new()));
    let held = places.take(9, Turn::Look).await.unwrap();
    for (drawing, turn, name) in [
        (1, Turn::Glance, "1 old"),
        (1, Turn::Glance, "1 new"),
        (1, Turn::Look, "1 look"),
        (2, Turn::Look, "2 look"),
        (2, Turn::Glance, "2 glance"),
        (3, Turn::Step, "3 step"),
    ] {
        ask(&places, &noted, drawing, turn, name);
        settle().await;
    }
    assert!(noted.lock().unwrap().is_empty());
    drop(held);
    settle().await;
    let order = noted.lock().unwrap().clone();
    assert_eq!(order, ["3 step", "1 new", "2 glance", "1 old", "2 look", "1 look"]);
}

#[tokio::test]
async fn no_more_are_at_work_than_there_are_places_and_all_come_to_their_end() {
    let places = Places::new(3);
    let (now, most, done) = (Arc::new(Mutex::new(0)), Arc::new(Mutex::new(0)), Arc::new(Mutex::new(0)));
    for k in 0..60 {
        let (places, now, most, done) = (places.clone(), now.clone(), most.clone(), done.clone());
        tokio::spawn(async move {
            let turn = [Turn::Step, Turn::Look, Turn::Glance][k % 3];
            let place = places.take((k % 7) as i64, turn).await;
            if place.is_some() {
                {
                    let (mut now, mut most) = (now.lock().unwrap(), most.lock().unwrap());
                    *now += 1;
                    *most = (*most).max(*now);
                }
                yield_now().await;
                *now.lock().unwrap() -= 1;
            }
            *done.lock().unwrap() += 1;
        });
    }
    settle().await;
    assert_eq!((*done.lock().unwrap(), *now.lock().unwrap(), *most.lock().unwrap()), (60, 0, 3));
    // Whoever went away while waiting takes no place with it.
    let held = [places.take(1, Turn::Look).await, places.take(2, Turn::Look).await, places.take(3, Turn::Look).await];
    let waits = tokio::spawn({
        let places = places.clone();
        async move { places.take(4, Turn::Look).await.is_some() }
    });
    settle().await;
    waits.abort();
    settle().await;
    drop(held);
    assert!(places.take(5, Turn::Step).await.is_some());
}

#[tokio::test]
async fn old_glances_are_given_up_when_many_newer_ones_came() {
    let places = Places::new(1);
    let noted = Arc::new(Mutex::new(Vec::new()));
    let held = places.take(1, Turn::Glance).await.unwrap();
    ask(&places, &noted, 1, Turn::Glance, "first");
    settle().await;
    for _ in 0..MOST_GLANCES {
        ask(&places, &noted, 1, Turn::Glance, "later");
        settle().await;
    }
    assert_eq!(*noted.lock().unwrap(), ["given up"]);
    drop(held);
    settle().await;
    assert_eq!(noted.lock().unwrap().iter().filter(|n| **n == "later").count(), MOST_GLANCES);
}
