//! A server that is open to a network: its keys, who may do what, TLS; and backups, made and put back while people work.

use crate::support;

use rhizograph_app::http::guard::{is_loopback, looks};
use rhizograph_app::service::access::{hashed, is_key};
use rocket::http::Method::{Delete, Get, Post, Put};
use serde_json::{Value, json};
use std::process::{Command, Output};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};
use support::Server;
use support::asking::*;

fn rhizograph(arguments: &[&str], database: &str) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_rhizograph"));
    command.args(arguments).env("DATABASE_URL", database).output().unwrap()
}

fn said(out: &Output) -> String {
    format!("{}{}", String::from_utf8_lossy(&out.stdout), String::from_utf8_lossy(&out.stderr))
}

/// The keys that a server told, for painting and for looking.
fn keys(told: &[String]) -> [String; 2] {
    ["painting", "looking"].map(|role| {
        let line = told.iter().find(|l| l.contains(&format!("key for {role}"))).unwrap_or_else(|| panic!("{told:?}"));
        line.rsplit(' ').next().unwrap().to_owned()
    })
}

/// Asks as a page behind a proxy does, from an address; gives status, cookie and answer.
fn asked(server: &Server, path: &str, from: &str, cookie: &str, body: Option<&Value>) -> (u16, String, Value) {
    let url = format!("{}/api{path}", server.url);
    let mut answer = match body {
        Some(body) => {
            let post = agent().post(url).header("x-rhizograph", "1").header("x-forwarded-for", from);
            post.header("cookie", cookie).send_json(body).unwrap()
        }
        None => agent().get(url).header("x-forwarded-for", from).header("cookie", cookie).call().unwrap(),
    };
    let kept = answer.headers().get("set-cookie").map_or(String::new(), |c| c.to_str().unwrap().to_owned());
    let told = answer.body_mut().with_config().limit(64 << 20).read_json().unwrap_or(Value::Null);
    (answer.status().as_u16(), kept, told)
}

fn enter(server: &Server, key: &str, from: &str) -> (u16, String) {
    let (status, cookie, _) = asked(server, "/enter", from, "", Some(&json!({ "key": key })));
    (status, cookie)
}

#[test]
fn a_server_that_is_open_asks_for_a_key_and_who_may_only_look_changes_nothing() {
    let database = Server::start().database().to_owned();
    let bare = rhizograph(&["serve", "--port", "1", "--address", "0.0.0.0"], &database);
    assert!(!bare.status.success() && said(&bare).contains("--certificate"), "{}", said(&bare));

    let (server, told) = Server::start_told(&database, &["--behind-proxy", "--host", "paint.example"]);
    let [paint, look] = keys(&told);
    let id = server.count("select min(id) from drawings");
    let view = format!("/drawings/{id}");
    // The page is there for everybody, and nothing else.
    assert_eq!(agent().get(&server.url).call().unwrap().status(), 200);
    for path in
        ["/productions", &view, "/shots/1/events", "/away", "//productions", "/../api/productions", "/%70roductions"]
    {
        assert_eq!(asked(&server, path, "9.9.9.1", "", None).0, 401, "{path}");
        assert_eq!(asked(&server, path, "9.9.9.1", "rhizograph=made-up", None).0, 401, "{path}");
    }
    for path in ["//api/productions", "/%61pi/productions", "/./api/productions", "/x/../api/productions"] {
        let answer = agent().get(format!("{}{path}", server.url)).call().unwrap();
        assert!(answer.status() == 401 || answer.status() == 404, "{path}: {}", answer.status());
    }
    assert_eq!(asked(&server, "/access", "9.9.9.1", "", None).2, json!({ "guarded": true, "role": null }));

    // Wrong keys are few; another address has its own.
    for _ in 0..5 {
        assert_eq!(enter(&server, "no-key", "9.9.9.2").0, 401);
    }
    assert_eq!(enter(&server, &paint, "9.9.9.2").0, 429);
    let (status, kept) = enter(&server, &format!(" {paint} "), "9.9.9.3");
    assert_eq!(status, 200);
    for part in ["HttpOnly", "SameSite=Strict", "Secure", "Path=/", "Max-Age="] {
        assert!(kept.contains(part), "{kept}");
    }
    let cookie = |kept: &str| kept.split(';').next().unwrap().to_owned();
    let painter = cookie(&kept);
    let looker = cookie(&enter(&server, &look, "9.9.9.4").1);
    assert_eq!(asked(&server, "/access", "", &looker, None).2["role"], "look");

    // Both see everything; one changes it.
    let step = json!({ "revision": 0, "command": { "of": "intake", "do": "resolution", "dpi": 299.0 } });
    let commands = format!("{view}/commands");
    let (status, _, told) = asked(&server, &commands, "", &looker, Some(&step));
    assert_eq!(status, 403, "{told}");
    for path in ["/jobs/1/stop", "/shots/1/settle", "/shots/1/blank", "/productions"] {
        assert_eq!(asked(&server, path, "", &looker, Some(&json!({}))).0, 403, "{path}");
    }
    assert_eq!(asked(&server, &format!("{view}/span"), "", &looker, Some(&json!({ "at": [9.0, 9.0] }))).0, 200);
    assert_eq!(asked(&server, &view, "", &looker, None).2["info"]["revision"], 0);
    assert_eq!(asked(&server, &commands, "", &painter, Some(&step)).0, 200);
    // A page of another origin, or under another name, does neither.
    let foreign = |header: &str, value: &str| {
        let post = agent().post(format!("{}/api{commands}", server.url)).header("x-rhizograph", "1");
        let post = post.header("cookie", &painter).header(header, value);
        post.send_json(&step).unwrap().status().as_u16()
    };
    assert_eq!(foreign("origin", "https://evil.example"), 403);
    assert_eq!(foreign("host", "evil.example"), 403);

    // Started again it tells no key, and whoever was in is in; a new key ends that.
    drop(server);
    let (server, told) = Server::start_told(&database, &["--behind-proxy"]);
    assert!(told.iter().all(|l| !l.contains("key for")), "{told:?}");
    assert_eq!(asked(&server, &view, "", &painter, None).0, 200);
    let new = rhizograph(&["key", "paint"], &database);
    let new = String::from_utf8_lossy(&new.stdout).trim().to_owned();
    let began = Instant::now();
    while asked(&server, &view, "", &painter, None).0 == 200 {
        assert!(began.elapsed() < Duration::from_secs(60), "the old key still lets in");
        std::thread::sleep(Duration::from_millis(200));
    }
    assert_eq!(enter(&server, &paint, "9.9.9.5").0, 401);
    let painter = cookie(&enter(&server, &new, "9.9.9.5").1);
    assert_eq!(asked(&server, &view, "", &painter, None).0, 200);
    assert_eq!(asked(&server, "/leave", "", &painter, Some(&json!({}))).0, 200);
    assert_eq!(asked(&server, &view, "", &painter, None).0, 401);
}

#[test]
fn over_tls_the_page_asks_for_the_key_and_works() {
    let database = Server::start().database().to_owned();
    let file = |name: &str| format!("{}/tests/stored/{name}", env!("CARGO_MANIFEST_DIR"));
    let [certificate, key] = [file("localhost.pem"), file("localhost.key.pem")];
    let given = ["--address", "0.0.0.0", "--certificate", &certificate, "--private-key", &key];
    let (mut server, told) = Server::start_told(&database, &given);
    let [paint, look] = keys(&told);
    assert!(server.url.starts_with("https://0.0.0.0:"), "{}", server.url);
    server.url = server.url.replace("0.0.0.0", "localhost");
    support::drive_given(&server, "network", &[("RHIZOGRAPH_PAINT", &paint), ("RHIZOGRAPH_LOOK", &look)]);
}

fn lines(server: &Server, id: i64) -> Value {
    get(server, &format!("/drawings/{id}"))["lines"].clone()
}

#[test]
fn a_backup_is_of_one_moment_while_people_work_and_is_put_back_whole() {
    let server = Server::start();
    fed_shot(&server);
    let id = server.count("select min(id) from drawings where name like 'A-%'");
    let dpi = |n: usize| json!({ "of": "intake", "do": "resolution", "dpi": 200.0 + n as f64 });
    let view = get(&server, &format!("/drawings/{id}"));
    command(&server, id, &view, json!({ "of": "trace", "do": "prepare", "recipes": view["recipes"] }));
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path().join("evening");
    let name = at.to_str().unwrap().to_owned();
    let traced = lines(&server, id);
    // Somebody works all the while.
    let stop = AtomicBool::new(false);
    let steps = std::thread::scope(|s| {
        let working = s.spawn(|| {
            let mut n = 0;
            while !stop.load(Ordering::Relaxed) || n < 3 {
                let view = get(&server, &format!("/drawings/{id}"));
                command(&server, id, &view, dpi(n % 50));
                n += 1;
            }
            n
        });
        std::thread::sleep(Duration::from_millis(200));
        let out = rhizograph(&["backup", &name], server.database());
        stop.store(true, Ordering::Relaxed);
        assert!(out.status.success(), "{}", said(&out));
        working.join().unwrap()
    });
    assert!(steps >= 3);
    let again = rhizograph(&["backup", &name], server.database());
    assert!(!again.status.success() && said(&again).contains("is there already"), "{}", said(&again));
    assert!(!folder.path().join("evening.part").exists());

    // Into a database of its own: the same drawings, at one of the revisions, with what can be undone.
    let other = Server::empty_database();
    let out = rhizograph(&["restore", &name], &other);
    assert!(out.status.success(), "{}", said(&out));
    let (restored, _) = Server::start_told(&other, &[]);
    let there = get(&restored, &format!("/drawings/{id}"));
    let revision = there["info"]["revision"].as_u64().unwrap();
    assert!((1..=1 + steps as u64).contains(&revision), "{revision} of {steps}");
    assert_eq!(there["steps"].as_u64(), Some(revision));
    assert_eq!(there["lines"], traced);
    let names = |s: &Server| -> Vec<Value> {
        self::shot(s, "030")["drawings"].as_array().unwrap().iter().map(|d| d["name"].clone()).collect()
    };
    assert_eq!((names(&restored), names(&restored).len()), (names(&server), 3));
    let undo = json!({ "revision": revision, "numbering": 0 });
    done(&restored, &format!("/drawings/{id}/undo"), &undo);

    // Over a database that is worked in: not unless it is said, and then the running server shows it.
    let kept = rhizograph(&["restore", &name], server.database());
    assert!(!kept.status.success() && said(&kept).contains("--over"), "{}", said(&kept));
    assert_eq!(get(&server, &format!("/drawings/{id}"))["info"]["revision"], 1 + steps);
    let key = get(&server, &format!("/drawings/{id}"))["info"]["key"].clone();
    let out = rhizograph(&["restore", &name, "--over"], server.database());
    assert!(out.status.success(), "{}", said(&out));
    let began = Instant::now();
    loop {
        let now = get(&server, &format!("/drawings/{id}"));
        if now["info"]["revision"] == revision && now["info"]["key"] != key && now["dpi"] == there["dpi"] {
            break;
        }
        assert!(began.elapsed() < Duration::from_secs(60), "still {}", now["info"]);
        std::thread::sleep(Duration::from_millis(100));
    }
    let view = get(&server, &format!("/drawings/{id}"));
    command(&server, id, &view, dpi(60));
    assert_eq!(get(&server, &format!("/drawings/{id}"))["dpi"], 260.0);

    // What is no backup changes nothing.
    let no = rhizograph(&["restore", folder.path().to_str().unwrap(), "--over"], server.database());
    assert!(!no.status.success() && said(&no).contains("holds no backup"), "{}", said(&no));
    assert_eq!(get(&server, &format!("/drawings/{id}"))["dpi"], 260.0);
}

#[test]
fn only_what_changes_nothing_is_looking() {
    for (method, path) in [
        (Get, "api/drawings/1"),
        (Post, "api/drawings/1/glance"),
        (Post, "api/shots/1/hand-off/names"),
        (Post, "api/here"),
    ] {
        assert!(looks(method, &path.split('/').collect::<Vec<_>>()), "{method} {path}");
    }
    for (method, path) in [
        (Post, "api/drawings/1/commands"),
        (Post, "api/shots/1/hand-off"),
        (Put, "api/shots/1/names"),
        (Put, "api/drawings/1/lines"),
        (Delete, "api/drawings/1/glance"),
        (Post, ""),
    ] {
        assert!(!looks(method, &path.split('/').filter(|p| !p.is_empty()).collect::<Vec<_>>()), "{method} {path}");
    }
}

#[test]
fn only_loopback_names_are_own() {
    for own in ["127.0.0.1:7411", "localhost", "[::1]:7411", "[::1]", "localhost:80"] {
        assert!(is_loopback(own), "{own}");
    }
    for other in [
        "",
        "evil.example",
        "127.0.0.1.evil.example",
        "localhost.evil.example:7411",
        "[::2]",
        "[::1]evil",
        "[::1]:7411@evil",
        "127.0.0.1:7500@evil",
        "localhost:80x",
        "127.0.0.1:999999",
    ] {
        assert!(!is_loopback(other), "{other}");
    }
}

#[test]
fn a_key_is_known_by_its_hash_and_no_other_is() {
    let hash = hashed("0a1b2c-3d4e5f").unwrap();
    assert!(hash.starts_with("$argon2id$") && !hash.contains("0a1b2c"));
    assert!(is_key("0a1b2c-3d4e5f", &hash));
    assert!(!is_key("0a1b2c-3d4e5e", &hash) && !is_key("", &hash) && !is_key("0a1b2c-3d4e5f", "no hash"));
    assert_ne!(hash, hashed("0a1b2c-3d4e5f").unwrap(), "each with a salt of its own");
}
