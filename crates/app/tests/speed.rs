//! How the interface feels on a scan of 17 megapixels, and what it costs. A binary of its own, so that it has the machine
//! to itself.

#![allow(clippy::unwrap_used)]

mod support;

use support::{Server, drive};

#[test]
fn sliders_move_a_scan_of_17_megapixels() {
    let server = Server::start();
    drive(&server, "speed");
    let status = std::fs::read_to_string(format!("/proc/{}/status", server.process())).unwrap();
    let peak = status.lines().find(|l| l.starts_with("VmHWM")).unwrap();
    let kib: f64 = peak.split_whitespace().nth(1).unwrap().parse().unwrap();
    println!(
        "figure: memory of the server at its highest, with a colour page of 17 megapixels: {:.0} MB",
        kib * 1024.0 / 1e6
    );
    assert!(kib * 1024.0 < 600e6, "{kib} KiB");
}
