//! Ink that was lifted before is kept, so that a drawing opens without its scan.

use crate::support;

use serde_json::{Value, json};
use support::Server;
use support::asking::*;

/// A view without what counts and numbers anew at each opening.
fn shown(mut view: Value) -> Value {
    let view = view.as_object_mut().unwrap();
    for name in ["told", "numbering"] {
        view.remove(name);
    }
    // Whatever is numbered by a server is told in its order.
    for name in ["lines", "regions", "findings"] {
        let mut all = view.remove(name).unwrap();
        let all = all.as_array_mut().unwrap();
        all.sort_by_key(|e| e["seed"].to_string() + &e["id"].to_string());
        view.insert(format!("{name} in order"), json!(all));
    }
    json!(view)
}

#[test]
fn a_drawing_opens_without_its_scan_where_its_ink_is_kept() {
    let mut server = Server::start();
    let id = drawing(&server, 0);
    let at = format!("/drawings/{id}");
    let fresh = get(&server, &at);
    let traced = command(&server, id, &fresh, json!({ "of": "trace", "do": "trace" }));
    let ink = bytes(&server, &format!("{at}/hand-off/ink.png"));
    let kept = "select count(*) from inks where length(alpha) > 0";
    // What is kept at its small picture, and once.
    bytes(&server, &format!("{at}/thumbnail"));
    assert_eq!(server.count(kept), 1);

    server.execute(&format!("update originals set bytes = '' where drawing = {id}"));
    server.crash_and_restart();
    let again = get(&server, &at);
    assert_eq!(shown(again.clone()), shown(traced.clone()));
    assert_eq!(bytes(&server, &format!("{at}/hand-off/ink.png")), ink, "the same pixels");

    // Other settings need the scan: they are refused, and nothing is changed.
    let mut recipe = again["recipes"]["lift"].clone();
    recipe["specks"] = json!(0.9);
    let lift = json!({ "of": "trace", "do": "prepare", "recipes": { "lift": recipe } });
    let asked = json!({ "revision": again["info"]["revision"], "command": lift });
    assert_ne!(post(&server, &format!("{at}/commands"), &asked).status(), 200);
    assert_eq!(shown(get(&server, &at)), shown(traced));

    // Ink of another origin does not count.
    server.execute("update inks set origin = '\\x00'");
    server.crash_and_restart();
    let gone = agent().get(format!("{}/api{at}", server.url)).call().unwrap();
    assert_ne!(gone.status(), 200);
}

#[test]
fn the_ink_of_a_shot_that_is_lifted_is_kept() {
    let server = Server::start();
    let fed = fed_shot(&server);
    done(&server, &format!("/shots/{fed}/lift"), &json!({ "lift": {}, "weight": {}, "trace": {} }));
    job_when(&server, fed, |j| j["state"] == "done" && j["done"] == 3);
    assert_eq!(server.count("select count(*) from inks"), 3);
    server.execute("update originals set bytes = ''");
    let drawings = get(&server, "/productions")[0]["shots"].as_array().unwrap().clone();
    let of_fed = drawings.iter().find(|s| s["id"] == fed).unwrap();
    let opened = get(&server, &format!("/drawings/{}", of_fed["drawings"][0]["id"]));
    assert!(!opened["lines"].as_array().unwrap().is_empty());
}
