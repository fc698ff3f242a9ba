//! A drawing of 5,000 lines.

#![allow(dead_code)]

use super::Server;
use super::asking::{agent, done, get};
use serde_json::{Value, json};
use std::fmt::Write as _;

/// A build for tests reads so many lines slowly on a busy machine: how long that may take, s.
pub const READING: (&str, &str) = ("RHIZOGRAPH_LONGEST_READING", "240");

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

/// Hangs the drawing so many times in shot 070, which has the colours of the demo; gives the number of the first.
pub fn hang(server: &Server, times: usize) -> i64 {
    let demo = get(server, "/productions")[0].clone();
    let shot = done(server, "/shots", &json!({ "production": demo["id"], "number": "070", "name": "Many lines" }));
    let first = &demo["shots"][0];
    let model = json!({ "revision": 0, "tones": first["tones"], "swatches": first["swatches"] });
    let set = agent().put(format!("{}/api/shots/{shot}/colours", server.url)).header("x-rhizograph", "1");
    assert_eq!(set.send_json(model).unwrap().status(), 200);
    let (url, svg) = (format!("{}/api/shots/{shot}/drawings?name=many.svg", server.url), many_lines());
    let hung = (0..times).map(|_| {
        let mut answer = agent().post(&url).header("x-rhizograph", "1").send(&svg).unwrap();
        let status = answer.status();
        assert_eq!(status, 200, "{:?}", answer.body_mut().read_to_string());
        answer.body_mut().read_json::<Value>().unwrap()["id"].as_i64().unwrap()
    });
    hung.min().unwrap()
}
