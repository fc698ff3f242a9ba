//! Many people on one shot at once: each step is answered soon, none is lost, none is done twice.
//!
//! `CROWD_SECONDS=60 cargo test --release -p rhizograph --test crowd -- --nocapture` is a minute of it.

#![allow(clippy::unwrap_used)]

mod support;

use serde_json::{Value, json};
use std::sync::Mutex;
use std::time::{Duration, Instant};
use support::Server;
use support::asking::*;

const PEOPLE: usize = 50;

/// What one of them did.
#[derive(Default)]
struct Did {
    /// How long each step took to be answered, ms.
    took: Vec<f64>,
    refused: usize,
    /// The revisions that steps left, by drawing.
    left: Vec<(i64, u64)>,
}

/// A number that looks like any other.
fn noise(k: usize) -> usize {
    (k.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 33) ^ k
}

/// Paints, settles and takes back, with a moment between, until the time is over.
fn work(server: &Server, who: usize, drawings: &[i64], until: Instant) -> Did {
    let id = drawings[who % drawings.len()];
    let asking = agent();
    let url = format!("{}/api/drawings/{id}", server.url);
    let look = || -> Value {
        let mut answer = asking.get(&url).call().unwrap();
        answer.body_mut().with_config().limit(64 << 20).read_json().unwrap()
    };
    let mut did = Did::default();
    let mut view = look();
    let mut k = who * 1000;
    while Instant::now() < until {
        k += 1;
        std::thread::sleep(Duration::from_millis(600 + (noise(k) % 900) as u64));
        let (regions, findings) = (view["regions"].as_array().unwrap(), view["findings"].as_array().unwrap());
        let (r, f) = (noise(k) % regions.len(), noise(k) % findings.len().max(1));
        let was = regions[r]["swatch"].clone();
        // Each changes something: what is known of the drawing is kept up.
        let swatch = ["skin", "shell", "kettle"].into_iter().cycle().skip(k % 3).find(|s| was != *s).unwrap();
        let (path, command, known) = match k % 5 {
            0 if view["steps"].as_u64() > Some(2) => ("undo", Value::Null, None),
            1 if !findings.is_empty() => {
                let left = findings[f]["left"] == true;
                let what = if left { "reopen" } else { "leave" };
                let command = json!({ "of": "findings", "do": what, "ids": [findings[f]["id"]] });
                ("commands", command, Some((format!("/findings/{f}/left"), json!(!left))))
            }
            _ => {
                let command = json!({ "of": "paint", "do": "fill", "at": [regions[r]["seed"]], "swatch": swatch });
                ("commands", command, Some((format!("/regions/{r}/swatch"), json!(swatch))))
            }
        };
        let revision = view["info"]["revision"].as_u64().unwrap();
        let request = json!({ "revision": revision, "numbering": view["numbering"], "command": command });
        let began = Instant::now();
        let mut answer = asking.post(format!("{url}/{path}")).header("x-rhizograph", "1").send_json(&request).unwrap();
        let told: Value = answer.body_mut().with_config().limit(64 << 20).read_json().unwrap();
        did.took.push(began.elapsed().as_secs_f64() * 1000.0);
        match answer.status().as_u16() {
            200 => {
                let is_patch = told["told"] == "patch";
                let frame = if is_patch { &told["frame"] } else { &told };
                did.left.push((id, frame["info"]["revision"].as_u64().unwrap()));
                match known {
                    Some((place, value)) if is_patch => {
                        *view.pointer_mut(&place).unwrap() = value;
                        for key in ["info", "steps", "numbering"] {
                            view[key] = told["frame"][key].clone();
                        }
                    }
                    None if is_patch => view = look(),
                    _ => view = told,
                }
            }
            409 | 422 => {
                did.refused += 1;
                view = look();
            }
            other => panic!("{other}: {told}"),
        }
    }
    did
}

#[test]
fn fifty_people_on_one_shot_are_answered_soon_and_lose_nothing() {
    let seconds = std::env::var("CROWD_SECONDS").ok().and_then(|s| s.parse().ok()).unwrap_or(12);
    let server = Server::start();
    let drawings: Vec<i64> =
        shot(&server, "012")["drawings"].as_array().unwrap().iter().map(|d| d["id"].as_i64().unwrap()).collect();
    for &id in &drawings {
        command(&server, id, &get(&server, &format!("/drawings/{id}")), json!({ "of": "trace", "do": "trace" }));
    }
    let all = Mutex::new(Vec::new());
    let until = Instant::now() + Duration::from_secs(seconds);
    std::thread::scope(|scope| {
        for who in 0..PEOPLE {
            let (server, drawings, all) = (&server, &drawings, &all);
            scope.spawn(move || {
                let did = work(server, who, drawings, until);
                all.lock().unwrap().push(did);
            });
        }
    });
    let all = all.into_inner().unwrap();
    let mut took: Vec<f64> = all.iter().flat_map(|d| d.took.iter().copied()).collect();
    took.sort_by(f64::total_cmp);
    let share = |s: f64| took[((took.len() - 1) as f64 * s) as usize];
    let refused: usize = all.iter().map(|d| d.refused).sum();
    println!(
        "figure: {PEOPLE} people for {seconds} s: {} steps answered, median {:.0} ms, 99 % under {:.0} ms, slowest {:.0} ms; {refused} were refused as stale",
        took.len(),
        share(0.5),
        share(0.99),
        took[took.len() - 1]
    );
    // Every revision was left by one step only, and all of them are there.
    let mut left: Vec<(i64, u64)> = all.into_iter().flat_map(|d| d.left).collect();
    left.sort_unstable();
    assert!(left.windows(2).all(|w| w[0] != w[1]), "two steps left the same revision");
    for id in drawings {
        let now = get(&server, &format!("/drawings/{id}"))["info"]["revision"].as_u64().unwrap();
        let steps = left.iter().filter(|l| l.0 == id).count() as u64;
        assert_eq!(now, steps + 1, "drawing {id}: a step was lost or done unasked");
    }
    assert!(share(0.99) < 1000.0 && took[took.len() - 1] < 4000.0);
}
