//! How soon a drawing that is opened is seen, and can be worked on. A binary of its own, so that it has the machine to
//! itself.

#![allow(clippy::unwrap_used)]

mod support;

use serde_json::json;
use support::asking::{bytes, command, get, large_shot, shot};
use support::{Server, drive, many_lines};

#[test]
fn drawings_of_17_megapixels_and_of_5000_lines_are_opened_and_stepped_through() {
    let mut server = Server::start_given(&[many_lines::READING]);
    large_shot(&server, &[4, 5]);
    for drawing in shot(&server, "060")["drawings"].as_array().unwrap() {
        let id = drawing["id"].as_i64().unwrap();
        let view = get(&server, &format!("/drawings/{id}"));
        command(&server, id, &view, json!({ "of": "trace", "do": "prepare", "recipes": view["recipes"] }));
    }
    many_lines::hang(&server, 2);
    for number in ["060", "070"] {
        for drawing in shot(&server, number)["drawings"].as_array().unwrap() {
            // Its picture was seen on the table of the shot.
            bytes(&server, &format!("/drawings/{}/thumbnail", drawing["id"]));
        }
    }
    // A server that has just been started holds nothing of them.
    server.crash_and_restart();
    drive(&server, "opening");
}
