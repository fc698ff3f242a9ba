//! The server over a real PostgreSQL: what it saves, refuses and remembers.

#![allow(clippy::unwrap_used)]

mod support;

use serde_json::{Value, json};
use support::Server;
use ureq::http::Response;
use ureq::{Agent, Body};

fn agent() -> Agent {
    Agent::config_builder().http_status_as_error(false).build().into()
}

fn get(server: &Server, path: &str) -> Value {
    let mut response = agent().get(format!("{}/api{path}", server.url)).call().unwrap();
    assert_eq!(response.status(), 200, "{path}");
    response.body_mut().with_config().limit(64 << 20).read_json().unwrap()
}

fn bytes(server: &Server, path: &str) -> Vec<u8> {
    let mut response = agent().get(format!("{}/api{path}", server.url)).call().unwrap();
    assert_eq!(response.status(), 200, "{path}");
    response.body_mut().with_config().limit(64 << 20).read_to_vec().unwrap()
}

fn post(server: &Server, path: &str, body: &Value) -> Response<Body> {
    agent().post(format!("{}/api{path}", server.url)).header("x-rhizograph", "1").send_json(body).unwrap()
}

fn done(server: &Server, path: &str, body: &Value) -> Value {
    let mut response = post(server, path, body);
    let status = response.status();
    let value: Value = response.body_mut().with_config().limit(64 << 20).read_json().unwrap();
    assert_eq!(status, 200, "{path}: {value}");
    value
}

fn drawing(server: &Server, n: usize) -> i64 {
    get(server, "/productions")[0]["shots"][0]["drawings"][n]["id"].as_i64().unwrap()
}

fn command(server: &Server, id: i64, view: &Value, command: Value) -> Value {
    done(
        server,
        &format!("/drawings/{id}/commands"),
        &json!({ "revision": view["info"]["revision"], "command": command }),
    )
}

/// The view without what counts steps and revisions.
fn state(view: &Value) -> Value {
    json!([view["lines"], view["regions"], view["findings"], view["recipes"]])
}

#[test]
fn work_outlives_a_crash_and_undo_works_after_it() {
    let mut server = Server::start();
    let id = drawing(&server, 0);
    let at = format!("/drawings/{id}");
    let fresh = get(&server, &at);
    let traced = command(&server, id, &fresh, json!({ "do": "trace" }));
    let ids: Vec<Value> =
        traced["findings"].as_array().unwrap().iter().filter(|f| f["sure"] == true).map(|f| f["id"].clone()).collect();
    assert!(ids.len() >= 3);
    let settled = command(&server, id, &traced, json!({ "do": "settle", "ids": ids, "with": null }));
    let seed = settled["regions"][0]["seed"].clone();
    let filled = command(&server, id, &settled, json!({ "do": "fill", "at": [seed], "swatch": "skin" }));
    let ink = bytes(&server, &format!("{at}/hand-off/ink.png"));

    server.crash_and_restart();
    let again = get(&server, &at);
    assert_eq!(again, filled);
    assert_eq!(bytes(&server, &format!("{at}/hand-off/ink.png")), ink, "the same pixels after a restart");

    // Undo three times, each the same state as before; then redo all.
    let mut view = again;
    for want in [&settled, &traced, &fresh] {
        view = done(&server, &format!("{at}/undo"), &json!({ "revision": view["info"]["revision"] }));
        assert_eq!(state(&view), state(want));
    }
    for want in [&traced, &settled, &filled] {
        view = done(&server, &format!("{at}/redo"), &json!({ "revision": view["info"]["revision"] }));
        assert_eq!(state(&view), state(want));
    }
    let nothing = post(&server, &format!("{at}/redo"), &json!({ "revision": view["info"]["revision"] }));
    assert_eq!(nothing.status(), 422);
}

#[test]
fn a_stale_step_is_refused_and_overwrites_nothing() {
    let server = Server::start();
    let id = drawing(&server, 1);
    let at = format!("/drawings/{id}");
    let fresh = get(&server, &at);
    let first = command(&server, id, &fresh, json!({ "do": "trace" }));
    let mut recipes = fresh["recipes"].clone();
    recipes["join"]["longest_gap"] = json!(1.0);
    let body = json!({ "revision": fresh["info"]["revision"], "command": { "do": "recipes", "recipes": recipes } });
    let mut refused = post(&server, &format!("{at}/commands"), &body);
    assert_eq!(refused.status(), 409);
    let told: Value = refused.body_mut().read_json().unwrap();
    assert_eq!(told["revision"], first["info"]["revision"]);
    assert_eq!(get(&server, &at), first);
}

#[test]
fn originals_are_kept_byte_for_byte() {
    let server = Server::start();
    let want = rhizograph_app::demo::scanned(2).unwrap();
    let id = drawing(&server, 2);
    assert_eq!(bytes(&server, &format!("/drawings/{id}/original")), want);
}

#[test]
fn only_the_programs_own_pages_may_write() {
    let server = Server::start();
    let count = || get(&server, "/productions").as_array().unwrap().len();
    let before = count();
    let send = |headers: &[(&str, &str)]| {
        let mut request = agent().post(format!("{}/api/productions", server.url));
        for (k, v) in headers {
            request = request.header(*k, *v);
        }
        request.send_json(json!({ "name": "Somebody else's" })).unwrap().status().as_u16()
    };
    assert_eq!(send(&[]), 403, "a form of another page cannot send our header");
    assert_eq!(send(&[("x-rhizograph", "1"), ("origin", "http://evil.example")]), 403);
    assert_eq!(send(&[("x-rhizograph", "1"), ("host", "evil.example")]), 403);
    assert_eq!(count(), before);
    let read =
        agent().get(format!("{}/api/productions", server.url)).header("host", "evil.example:7411").call().unwrap();
    assert_eq!(read.status(), 403, "another host name reads nothing either");
    assert_eq!(send(&[("x-rhizograph", "1"), ("origin", &server.url)]), 200);
    assert_eq!(count(), before + 1);
}

#[test]
fn settings_out_of_range_and_unknown_names_are_told_and_change_nothing() {
    let server = Server::start();
    let id = drawing(&server, 3);
    let at = format!("/drawings/{id}");
    let fresh = get(&server, &at);
    let revision = fresh["info"]["revision"].clone();
    let mut recipes = fresh["recipes"].clone();
    recipes["lift"]["reach"] = json!(400);
    for (command, says) in [
        (json!({ "do": "recipes", "recipes": recipes }), "reach"),
        (json!({ "do": "fill", "at": [[5, 5]], "swatch": "no-such" }), "no-such"),
        (json!({ "do": "settle", "ids": ["gap@1,1"], "with": null }), "gap@1,1"),
        (json!({ "do": "remove", "line": 4_000_000 }), "4000000"),
    ] {
        let mut refused =
            post(&server, &format!("{at}/commands"), &json!({ "revision": revision, "command": command }));
        assert_eq!(refused.status(), 422, "{command}");
        let told: Value = refused.body_mut().read_json().unwrap();
        assert!(told["error"].as_str().unwrap().contains(says), "{told}");
    }
    let garbled = agent()
        .post(format!("{}/api{at}/commands", server.url))
        .header("x-rhizograph", "1")
        .header("content-type", "application/json")
        .send("{\"revision\":")
        .unwrap();
    assert!([400, 422].contains(&garbled.status().as_u16()));
    assert_eq!(get(&server, &at), fresh);
}

#[test]
fn what_the_lift_shows_in_its_preview_is_what_tracing_then_takes() {
    let server = Server::start();
    let id = drawing(&server, 4);
    let at = format!("/drawings/{id}");
    let fresh = get(&server, &at);
    let mut recipes = fresh["recipes"].clone();
    recipes["lift"]["edge"] = json!("crisp");
    recipes["lift"]["specks"] = json!(0.3);
    let window = json!({ "x": 400, "y": 300, "width": 900, "height": 700, "level": 0 });
    let preview = {
        let mut r =
            post(&server, &format!("{at}/lift-preview"), &json!({ "recipe": recipes["lift"], "window": window }));
        assert_eq!(r.status(), 200);
        assert!(r.headers()["x-lift-facts"].to_str().unwrap().contains("specks_gone"));
        r.body_mut().with_config().limit(64 << 20).read_to_vec().unwrap()
    };
    assert_eq!(get(&server, &at), fresh, "a preview changes nothing");
    let set = command(&server, id, &fresh, json!({ "do": "recipes", "recipes": recipes }));
    command(&server, id, &set, json!({ "do": "trace" }));
    let ink = bytes(&server, &format!("{at}/pictures/ink?x=400&y=300&width=900&height=700&level=0"));
    assert_eq!(ink, preview);
}
