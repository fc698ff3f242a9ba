//! How the interface feels on a scan of 17 megapixels, and what it costs. A binary of its own, so that it has the machine
//! to itself.

#![allow(clippy::unwrap_used)]

mod support;

use serde_json::{Value, json};
use support::{Server, drive};

/// Hangs one sheet from the feeder, at 600 dpi, in shot 060.
fn feed(server: &Server) {
    let agent: ureq::Agent = ureq::Agent::config_builder().http_status_as_error(false).build().into();
    let get = |path: &str| -> Value {
        agent.get(format!("{}/api{path}", server.url)).call().unwrap().body_mut().read_json().unwrap()
    };
    let post = |path: &str, body: Value| -> Value {
        let request = agent.post(format!("{}/api{path}", server.url)).header("x-rhizograph", "1");
        request.send_json(body).unwrap().body_mut().read_json().unwrap()
    };
    let production = get("/productions")[0]["id"].clone();
    let shot = post("/shots", json!({ "production": production, "number": "060", "name": "Large" }));
    let delivery = json!({ "device": "sheet_feeder", "sheets": [4], "dpi": 600.0, "grey": false });
    post(&format!("/shots/{shot}/deliver"), delivery);
    for _ in 0..600 {
        if get(&format!("/shots/{shot}/jobs"))[0]["state"] == "done" {
            return;
        }
        std::thread::sleep(std::time::Duration::from_millis(200));
    }
    panic!("the sheet did not come in");
}

#[test]
fn sliders_move_a_scan_of_17_megapixels() {
    let mut server = Server::start();
    feed(&server);
    // What the stand-in needs to draw a sheet is not what the sheet needs.
    server.crash_and_restart();
    drive(&server, "speed");
    let status = std::fs::read_to_string(format!("/proc/{}/status", server.process())).unwrap();
    let peak = status.lines().find(|l| l.starts_with("VmHWM")).unwrap();
    let kib: f64 = peak.split_whitespace().nth(1).unwrap().parse().unwrap();
    let mb = kib * 1024.0 / 1e6;
    println!("figure: memory of the server at its highest, with a colour page of 17 megapixels: {mb:.0} MB");
    // To reach: 600 MB; a tenth more is left to the allocator on a busy machine.
    assert!(mb < 660.0, "{mb} MB");
}
