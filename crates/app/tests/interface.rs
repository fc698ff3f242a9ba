//! The interface in a real browser: Node.js drives Debian's Chromium through the tests of `e2e/tests`.

#![allow(clippy::unwrap_used)]

mod support;

use std::process::Command;
use support::Server;

fn drive(file: &str) {
    assert!(Server::web_is_built(), "the front end is not built: npm --prefix web run build");
    let server = Server::start();
    let out = Command::new("node")
        .arg("run.mjs")
        .arg(file)
        .current_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/../../e2e"))
        .env("RHIZOGRAPH_URL", &server.url)
        .output()
        .expect("Node.js drives the browser");
    let said = String::from_utf8_lossy(&out.stdout);
    print!("{said}");
    assert!(out.status.success(), "{said}\n{}", String::from_utf8_lossy(&out.stderr));
    assert!(said.contains("interface: ok"), "no test ran in {file}");
}

#[test]
fn a_drawing_goes_the_whole_way() {
    drive("whole_way");
}

#[test]
fn bad_input_is_told_and_changes_nothing() {
    drive("bad_input");
}

#[test]
fn every_screen_works_by_key_and_for_all_eyes() {
    drive("every_screen");
}
