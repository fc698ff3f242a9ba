//! How the interface feels on a scan of 17 megapixels, and what it costs. A binary of its own, so that it has the machine
//! to itself.

#![allow(clippy::unwrap_used)]

mod support;

use support::{Server, asking, drive};

#[test]
fn sliders_move_a_scan_of_17_megapixels() {
    let mut server = Server::start();
    asking::large_shot(&server, &[4]);
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
