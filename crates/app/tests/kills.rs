//! The program, its workers and its database killed at random moments, under edits, undo, redo and background work: what
//! was answered is there, nothing is there twice.
//!
//! `KILLS=200 cargo test -p rhizograph --test kills -- --nocapture` kills two hundred times; `KILL_PEOPLE=50` has as many at
//! work, each on a drawing of their own, and more time between for all of those to come back. With `KILL_DATABASE`, a shell
//! command that kills the database and starts it again, that is killed, too; without it only its connections are.

#![allow(clippy::unwrap_used)]

mod support;

use serde_json::{Value, json};
use std::process::Command;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use support::Server;
use support::asking::*;

/// What somebody knows of a drawing: the revision of the last step that was answered, and whether one more may be done.
#[derive(Default, Clone, Copy)]
struct Known {
    revision: u64,
    in_flight: bool,
}

fn noise(k: usize) -> usize {
    (k.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 33) ^ k
}

/// Asks, or none if nobody answers.
fn ask(url: &str, body: Option<&Value>) -> Option<(u16, Value)> {
    let quick = ureq::Agent::config_builder().http_status_as_error(false).timeout_global(Some(Duration::from_secs(20)));
    let asking: ureq::Agent = quick.build().into();
    let mut answer = match body {
        Some(body) => asking.post(url).header("x-rhizograph", "1").send_json(body).ok()?,
        None => asking.get(url).call().ok()?,
    };
    let status = answer.status().as_u16();
    Some((status, answer.body_mut().with_config().limit(64 << 20).read_json().ok()?))
}

/// Ends what everyone does when it goes, also where something failed: nobody waits for them for ever.
struct Ending<'a>(&'a AtomicBool);

impl Drop for Ending<'_> {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

/// Works on one drawing until the end, whatever happens to the server; counts the steps that were answered.
fn work(
    url: &Mutex<String>,
    id: i64,
    seed: usize,
    known: &Mutex<Known>,
    (is_over, answered): (&AtomicBool, &AtomicUsize),
) {
    let mut k = seed * 1000;
    while !is_over.load(Ordering::Relaxed) {
        k += 1;
        let at = format!("{}/api/drawings/{id}", url.lock().unwrap());
        let Some((200, view)) = ask(&at, None) else {
            std::thread::sleep(Duration::from_millis(40));
            continue;
        };
        let revision = view["info"]["revision"].as_u64().unwrap();
        {
            let mut known = known.lock().unwrap();
            let most = known.revision + u64::from(known.in_flight);
            assert!(
                (known.revision..=most).contains(&revision),
                "drawing {id} is at {revision}; {} was answered, one more in flight: {}",
                known.revision,
                known.in_flight
            );
            *known = Known { revision, in_flight: true };
        }
        let regions = view["regions"].as_array().unwrap();
        let (path, command) = match k % 7 {
            // The first step made the lines that all others are about.
            0 | 3 if view["steps"].as_u64() > Some(1) => ("undo", Value::Null),
            4 => ("redo", Value::Null),
            _ => {
                let at = &regions[noise(k) % regions.len()]["seed"];
                (
                    "commands",
                    json!({ "of": "paint", "do": "fill", "at": [at], "swatch": (["skin", "satchel", "kettle"][k % 3]) }),
                )
            }
        };
        let request = json!({ "revision": revision, "command": command });
        match ask(&format!("{at}/{path}"), Some(&request)) {
            Some((200, told)) => {
                let now = told["info"]["revision"].as_u64().unwrap();
                assert!(now == revision || now == revision + 1, "{revision} became {now}");
                *known.lock().unwrap() = Known { revision: now, in_flight: false };
                answered.fetch_add(1, Ordering::Relaxed);
            }
            Some((409 | 422, _)) => *known.lock().unwrap() = Known { revision, in_flight: false },
            // It may be done, or not.
            _ => {}
        }
    }
}

#[test]
fn nothing_that_was_answered_is_lost_or_doubled_whatever_is_killed() {
    let number = |name: &str, usual: usize| std::env::var(name).ok().and_then(|s| s.parse().ok()).unwrap_or(usual);
    let (kills, people) = (number("KILLS", 6), number("KILL_PEOPLE", 4));
    let mut server = Server::start();
    let ids: Vec<i64> =
        shot(&server, "012")["drawings"].as_array().unwrap().iter().map(|d| d["id"].as_i64().unwrap()).collect();
    let (traced, lifted) = ids.split_at(4);
    let mut worked = traced.to_vec();
    for &id in traced {
        command(&server, id, &get(&server, &format!("/drawings/{id}")), json!({ "of": "trace", "do": "trace" }));
    }
    for n in worked.len()..people {
        let copied = format!("/drawings/{}/duplicate", traced[n % traced.len()]);
        worked.push(done(&server, &copied, &json!({ "name": format!("B-{n}") })).as_i64().unwrap());
    }
    let lifted_shot = shot(&server, "013");
    let url = Mutex::new(server.url.clone());
    let at_first = |id: &i64| get(&server, &format!("/drawings/{id}"))["info"]["revision"].as_u64().unwrap();
    let known: Vec<Mutex<Known>> =
        worked.iter().map(|id| Mutex::new(Known { revision: at_first(id), in_flight: false })).collect();
    let (is_over, answered, jobs) = (AtomicBool::new(false), AtomicUsize::new(0), AtomicUsize::new(0));
    let began = Instant::now();
    let start_worker = |server: &Server| {
        Command::new(env!("CARGO_BIN_EXE_rhizograph"))
            .arg("work")
            .env("DATABASE_URL", server.database())
            .stdout(std::process::Stdio::null())
            .stderr(std::process::Stdio::null())
            .spawn()
            .unwrap()
    };
    let mut worker = start_worker(&server);
    std::thread::scope(|scope| {
        let ending = Ending(&is_over);
        for (k, (&id, known)) in worked.iter().zip(&known).enumerate() {
            let (url, is_over, answered) = (&url, &is_over, &answered);
            scope.spawn(move || {
                work(url, id, k + 1, known, (is_over, answered));
            });
        }
        // Work in the background, the next one as soon as one is done.
        scope.spawn(|| {
            let mut n = 0;
            while !is_over.load(Ordering::Relaxed) {
                let at = format!("{}/api/shots/{}", url.lock().unwrap(), lifted_shot["id"]);
                let running = ask(&format!("{at}/jobs"), None).is_none_or(|(_, j)| j[0]["state"] == "running");
                if !running {
                    let specks = 0.1 + f64::from(n % 2) * 0.1;
                    let settings = json!({ "lift": { "specks": specks }, "weight": {}, "trace": {} });
                    if ask(&format!("{at}/lift"), Some(&settings)).is_some_and(|a| a.0 == 200) {
                        jobs.fetch_add(1, Ordering::Relaxed);
                        n += 1;
                    }
                }
                std::thread::sleep(Duration::from_millis(100));
            }
        });
        for k in 0..kills {
            // Somebody gets on between two kills, however slow the machine is.
            let (before, since) = (answered.load(Ordering::Relaxed), Instant::now());
            while answered.load(Ordering::Relaxed) == before && since.elapsed() < Duration::from_secs(30) {
                std::thread::sleep(Duration::from_millis(20));
            }
            // Each one's drawing is opened anew after the server was killed.
            std::thread::sleep(Duration::from_millis((150 + (noise(k) % 1500) as u64) * people.max(12) as u64 / 12));
            match (k % 3, std::env::var("KILL_DATABASE")) {
                (1, Ok(command)) => assert!(Command::new("sh").args(["-c", &command]).status().unwrap().success()),
                (1, Err(_)) => server.execute("select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()"),
                (2, _) => {
                    worker.kill().unwrap();
                    worker.wait().unwrap();
                    worker = start_worker(&server);
                }
                _ => {
                    server.crash_and_restart();
                    *url.lock().unwrap() = server.url.clone();
                }
            }
        }
        // What is on its way comes to its end.
        std::thread::sleep(Duration::from_secs(2));
        drop(ending);
    });
    let _ = worker.kill();
    let _ = worker.wait();
    println!(
        "figure: {people} at work, {kills} kills in {:.0} s: {} steps answered, none lost or doubled; {} jobs in the background",
        began.elapsed().as_secs_f64(),
        answered.load(Ordering::Relaxed),
        jobs.load(Ordering::Relaxed)
    );
    assert!(answered.load(Ordering::Relaxed) >= kills);
    // Everything that is stored opens, undoes to the very start, and comes back the same.
    for id in worked {
        let at = format!("/drawings/{id}");
        let mut view = get(&server, &at);
        let end = view.clone();
        let steps = view["steps"].as_u64().unwrap();
        for _ in 0..steps {
            view = done(&server, &format!("{at}/undo"), &json!({ "revision": view["info"]["revision"] }));
        }
        // A copy begins with the lines of what it is a copy of.
        assert_eq!((view["steps"].as_u64(), view["traced"].as_bool()), (Some(0), Some(!traced.contains(&id))));
        for _ in 0..steps {
            view = done(&server, &format!("{at}/redo"), &json!({ "revision": view["info"]["revision"] }));
        }
        let paint = |v: &Value| {
            let mut all: Vec<String> =
                v["regions"].as_array().unwrap().iter().map(|r| format!("{} {}", r["seed"], r["swatch"])).collect();
            all.sort();
            all
        };
        assert_eq!(paint(&view), paint(&end));
    }
    assert!(lifted.iter().all(|id| get(&server, &format!("/drawings/{id}"))["steps"] == json!(0)));
    // Each job was done once, or left as it was.
    let photo = lifted_shot["drawings"][0]["id"].as_i64().unwrap();
    let steps = get(&server, &format!("/drawings/{photo}"))["steps"].as_u64().unwrap() as usize;
    assert!(steps <= jobs.load(Ordering::Relaxed), "{steps} steps of {} jobs", jobs.load(Ordering::Relaxed));
}
