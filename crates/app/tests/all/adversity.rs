//! What goes wrong around the program: it is killed, its database is away, another server is first, work ends its worker.

use crate::support;

use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::sync::mpsc;
use std::time::{Duration, Instant};
use support::Server;
use support::asking::*;

/// Listens to the events of a shot; they come as they are told.
fn listen(server: &Server, shot: &Value) -> mpsc::Receiver<Value> {
    let (to, events) = mpsc::channel();
    let url = format!("{}/api/shots/{shot}/events", server.url);
    let response = agent().get(url).call().unwrap();
    std::thread::spawn(move || {
        for line in BufReader::new(response.into_body().into_reader()).lines().map_while(Result::ok) {
            if let Some(event) = line.strip_prefix("data:").and_then(|e| serde_json::from_str(e).ok()) {
                let _ = to.send(event);
            }
        }
    });
    events
}

/// What comes at once comes within this on a machine that stands still for seconds now and then.
const LONGEST: Duration = Duration::from_secs(30);

/// Waits for an event that is as wanted.
fn heard(events: &mpsc::Receiver<Value>, longest: Duration, wanted: impl Fn(&Value) -> bool) -> bool {
    let until = Instant::now() + longest;
    while let Ok(event) = events.recv_timeout(until.saturating_duration_since(Instant::now())) {
        if wanted(&event) {
            return true;
        }
    }
    false
}

/// Ends every connection of the program to its database, as a restart of that would.
fn cut_off(server: &Server) {
    server.execute(
        "select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()",
    );
}

#[test]
fn a_step_at_another_server_is_heard_and_so_is_what_comes_after_an_absence_of_the_database() {
    let server = Server::start();
    let other = server.beside();
    let shot = shot(&server, "012");
    let events = listen(&server, &shot["id"]);
    let id = shot["drawings"][2]["id"].as_i64().unwrap();
    let of_drawing = |revision: u64| move |e: &Value| e["id"] == json!(id) && e["revision"] == json!(revision);
    let view = command(&other, id, &get(&other, &format!("/drawings/{id}")), json!({ "of": "trace", "do": "trace" }));
    assert!(heard(&events, LONGEST, of_drawing(1)), "the other server's step is not heard");
    cut_off(&server);
    // Whoever looks is told to read again once it is back, and hears what comes after.
    assert!(heard(&events, LONGEST, |e| e["what"] == "drawings"), "nobody is told to read again");
    let step = json!({ "of": "paint", "do": "fill", "at": [view["regions"][0]["seed"]], "swatch": "skin" });
    command(&other, id, &view, step);
    assert!(heard(&events, LONGEST, of_drawing(2)), "news are not heard any more");
}

#[test]
fn a_first_start_that_is_killed_leaves_no_half_demo_and_each_database_has_keys_of_its_own() {
    let mut known: Vec<Value> = Vec::new();
    for wait in [400, 3000] {
        let mut server = Server::begin_empty();
        std::thread::sleep(Duration::from_millis(wait));
        server.crash_and_restart();
        let all = get(&server, "/productions");
        let shots: Vec<(Value, usize)> = all[0]["shots"]
            .as_array()
            .unwrap()
            .iter()
            .map(|s| (s["number"].clone(), s["drawings"].as_array().unwrap().len()))
            .collect();
        assert_eq!(shots, [(json!("012"), 8), (json!("013"), 1), (json!("014"), 1)], "killed after {wait} ms");
        assert_eq!(all.as_array().unwrap().len(), 1);
        // The same drawing in another database is not taken for this one.
        let drawings = shot(&server, "012");
        let keys: Vec<Value> = drawings["drawings"].as_array().unwrap().iter().map(|d| d["key"].clone()).collect();
        assert!(keys.iter().all(|k| k.is_string() && !known.contains(k)), "{keys:?}");
        known.extend(keys);
    }
}

#[test]
fn work_that_ended_its_workers_often_is_given_up_and_told() {
    let server = Server::start();
    let shot = shot(&server, "012");
    let id = shot["id"].as_i64().unwrap();
    // As it lies after workers ended over its first item again and again.
    server.execute(
        "with job as (insert into jobs (shot, what, settings)
            select id, 'Lift the shot', '{\"job\": \"lift\", \"lift\": {}, \"weight\": {}, \"trace\": {}}' from shots where number = '012'
            returning id, shot)
         insert into job_items (job, place, drawing, state, worker, heard_at, attempts)
            select job.id, d.place, d.id, case when d.place = 1 then 'working' else 'waiting' end, 'gone',
                now() - interval '1 hour', case when d.place = 1 then 5 else 0 end
            from job join drawings d on d.shot = job.shot where d.place <= 2",
    );
    let job = job_when(&server, id, |j| j["state"] == "done");
    let told = job["told"].as_array().unwrap();
    assert!(told.len() == 1 && told[0].as_str().unwrap().contains("given up"), "{told:?}");
    let lifted = |k: usize| get(&server, &format!("/drawings/{}", shot["drawings"][k]["id"]))["traced"].clone();
    assert_eq!([lifted(0), lifted(1)], [json!(false), json!(true)], "the others are done");
}

#[test]
fn jobs_that_were_over_long_ago_are_forgotten() {
    let mut server = Server::start();
    server.execute(
        "insert into jobs (shot, what, settings, stopped, made_at)
         select id, 'Old', '{\"job\": \"lift\", \"lift\": {}, \"weight\": {}, \"trace\": {}}', true, now() - interval '9 days' from shots",
    );
    server.crash_and_restart();
    let began = Instant::now();
    while server.count("select count(*) from jobs") > 0 {
        assert!(began.elapsed() < LONGEST, "old jobs are kept");
        std::thread::sleep(Duration::from_millis(50));
    }
}

#[test]
fn handing_off_and_steps_at_once_do_not_wait_for_one_another() {
    let server = Server::start();
    let id = drawing(&server, 0);
    let at = format!("/drawings/{id}");
    let traced = command(&server, id, &get(&server, &at), json!({ "of": "trace", "do": "trace" }));
    let seeds: Vec<Value> = traced["regions"].as_array().unwrap().iter().map(|r| r["seed"].clone()).take(12).collect();
    let of = shot(&server, "012")["id"].as_i64().unwrap();
    let began = Instant::now();
    std::thread::scope(|scope| {
        scope.spawn(|| {
            for seed in seeds.iter().cycle().take(40) {
                let view = get(&server, &at);
                let swatch =
                    if view["info"]["revision"].as_u64().unwrap().is_multiple_of(2) { "skin" } else { "kettle" };
                let step = json!({ "of": "paint", "do": "fill", "at": [seed], "swatch": swatch });
                let _ = post(
                    &server,
                    &format!("{at}/commands"),
                    &json!({ "revision": view["info"]["revision"], "command": step }),
                );
            }
        });
        scope.spawn(|| {
            for _ in 0..6 {
                let revision = get(&server, &at)["info"]["revision"].as_u64();
                let how = outgoing(&[(id, revision)], &["json"], "{drawing}");
                let status = post(&server, &format!("/shots/{of}/hand-off"), &how).status().as_u16();
                assert!([200, 409].contains(&status), "{status}");
            }
        });
    });
    assert!(began.elapsed() < Duration::from_secs(120), "{:?}", began.elapsed());
}

#[test]
fn what_is_handed_off_is_of_the_revision_that_is_noted() {
    let server = Server::start();
    let id = drawing(&server, 0);
    let at = format!("/drawings/{id}");
    let traced = command(&server, id, &get(&server, &at), json!({ "of": "trace", "do": "trace" }));
    let now = traced["info"]["revision"].as_u64().unwrap();
    let status = |revision: u64| {
        let url = format!("{}/api{at}/hand-off/ink.png?revision={revision}", server.url);
        agent().get(url).call().unwrap().status().as_u16()
    };
    assert_eq!([status(now), status(now - 1), status(now + 1)], [200, 409, 409]);
    let of = shot(&server, "012")["id"].as_i64().unwrap();
    let stale =
        post(&server, &format!("/shots/{of}/hand-off"), &outgoing(&[(id, Some(now - 1))], &["svg"], "{drawing}"));
    assert_eq!(stale.status().as_u16(), 409);
    assert_eq!(get(&server, &at)["info"]["handed_off"], json!(false));
}

#[test]
fn pictures_are_kept_only_of_what_is_shown() {
    let server = Server::start();
    let id = drawing(&server, 0);
    let at = format!("/drawings/{id}");
    let view = get(&server, &at);
    assert_eq!(shot(&server, "012")["drawings"][0]["key"], view["info"]["key"]);
    let traced = command(&server, id, &view, json!({ "of": "trace", "do": "trace" }));
    let kept = |revision: &Value| {
        let url = format!("{}/api{at}/pictures/ink?x=0&y=0&width=64&height=64&level=0", server.url);
        let answer = agent().get(url).header("x-rhizograph-at", revision.to_string()).call().unwrap();
        answer.headers()["cache-control"].to_str().unwrap().contains("immutable")
    };
    assert!(kept(&traced["info"]["revision"]));
    assert!(!kept(&view["info"]["revision"]), "what is of a later state is kept as the earlier one");
}

#[test]
fn the_page_holds_nothing_from_elsewhere_and_only_what_is_named_by_its_contents_is_kept() {
    let server = Server::start();
    let headers = |path: &str| {
        let answer = agent().get(format!("{}{path}", server.url)).call().unwrap();
        let header = |name: &str| answer.headers().get(name).map_or("", |v| v.to_str().unwrap()).to_owned();
        [header("content-security-policy"), header("cache-control"), header("x-content-type-options")]
    };
    let [policy, keep, sniff] = headers("/");
    assert!(policy.contains("default-src 'self'") && policy.contains("frame-ancestors 'none'"), "{policy}");
    assert!(!policy.contains("unsafe-eval") && !policy.contains('*'), "{policy}");
    assert_eq!((keep.as_str(), sniff.as_str()), ("no-cache", "nosniff"));
    let mut page = agent().get(format!("{}/", server.url)).call().unwrap();
    let page = page.body_mut().read_to_string().unwrap();
    let asset = page.split('"').find(|p| p.contains("assets/")).unwrap().trim_start_matches('.');
    assert!(headers(asset)[1].contains("immutable"), "{asset}");
    assert_eq!(headers("/assets/nothing.js")[1], "no-cache");
    assert_eq!(headers("/api/productions")[1], "no-store");
    for host in ["[::1]evil", "127.0.0.1:7500@evil", "localhost.evil"] {
        let answer = agent().get(format!("{}/api/productions", server.url)).header("host", host).call().unwrap();
        assert_eq!(answer.status().as_u16(), 403, "{host}");
    }
}

#[test]
fn it_ends_at_once_when_it_is_told_to_whatever_it_computes() {
    let mut server = Server::start();
    let shot = shot(&server, "012");
    // All drawings are traced and looked at just now.
    std::thread::scope(|scope| {
        for d in shot["drawings"].as_array().unwrap() {
            let (url, id) = (server.url.clone(), d["id"].clone());
            scope.spawn(move || {
                let request = json!({ "revision": 0, "command": { "of": "trace", "do": "trace" } });
                let _ = agent()
                    .post(format!("{url}/api/drawings/{id}/commands"))
                    .header("x-rhizograph", "1")
                    .send_json(request);
            });
        }
        std::thread::sleep(Duration::from_millis(250));
        let took = server.terminate();
        println!("figure: asked to end under load, it ended after {:.1} s", took.as_secs_f64());
        assert!(took < LONGEST, "{took:?}");
    });
}
