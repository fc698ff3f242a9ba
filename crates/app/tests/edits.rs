//! How edits feel in a drawing of 5,000 lines. A binary of its own, so that it has the machine to itself.

#![allow(clippy::unwrap_used)]

mod support;

use serde_json::{Value, json};
use std::fmt::Write as _;
use support::{Server, drive};

/// A number 0 to 1, the same for the same seed.
fn unit(seed: u64) -> f64 {
    let mut z = seed.wrapping_mul(0x9E37_79B9_7F4A_7C15);
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z ^= z >> 27;
    (z >> 11) as f64 / (1u64 << 53) as f64
}

/// 5,000 wandering lines of 40 pieces each on a sheet of 4800 x 3600, as SVG.
fn many_lines() -> String {
    let mut svg = r#"<svg xmlns="http://www.w3.org/2000/svg" width="4800" height="3600">"#.to_owned();
    for line in 0..5000u64 {
        let seed = line * 7 + 3;
        let (mut x, mut y) = (unit(seed) * 4800.0, unit(seed + 1) * 3600.0);
        let mut angle = unit(seed + 2) * std::f64::consts::TAU;
        let mut points = String::new();
        for k in 0..=40 {
            let _ = write!(points, "{x:.3},{y:.3} ");
            angle += 0.43 * (unit(seed * 1000 + k) + unit(seed * 777 + k) - 1.0);
            x += 8.0 * angle.cos();
            y += 8.0 * angle.sin();
        }
        let _ = write!(svg, r#"<polyline points="{points}" fill="none" stroke="black" stroke-width="2"/>"#);
    }
    svg + "</svg>"
}

#[test]
fn edits_in_a_drawing_of_5000_lines_show_at_once() {
    let server = Server::start();
    let agent: ureq::Agent = ureq::Agent::config_builder().http_status_as_error(false).build().into();
    let mut all = agent.get(format!("{}/api/productions", server.url)).call().unwrap();
    let demo = all.body_mut().read_json::<Value>().unwrap()[0].clone();
    let production = demo["id"].clone();
    let post = |path: &str| agent.post(format!("{}/api{path}", server.url)).header("x-rhizograph", "1");
    let body = json!({ "production": production, "number": "070", "name": "Many lines" });
    let shot: Value = post("/shots").send_json(body).unwrap().body_mut().read_json().unwrap();
    let swatches = &demo["shots"][0]["swatches"];
    let model = json!({ "revision": 0, "tones": demo["shots"][0]["tones"], "swatches": swatches });
    let set = agent.put(format!("{}/api/shots/{shot}/colours", server.url)).header("x-rhizograph", "1");
    assert_eq!(set.send_json(model).unwrap().status(), 200);
    let answer = post(&format!("/shots/{shot}/drawings?name=many.svg")).send(many_lines()).unwrap();
    assert_eq!(answer.status(), 200);
    drive(&server, "edits");
}
