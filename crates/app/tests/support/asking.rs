//! Asking a server as its page does.

#![allow(dead_code)]

use super::Server;
use serde_json::{Value, json};
use ureq::http::Response;
use ureq::{Agent, Body};

pub fn agent() -> Agent {
    Agent::config_builder().http_status_as_error(false).build().into()
}

pub fn get(server: &Server, path: &str) -> Value {
    let mut response = agent().get(format!("{}/api{path}", server.url)).call().unwrap();
    assert_eq!(response.status(), 200, "{path}");
    response.body_mut().with_config().limit(64 << 20).read_json().unwrap()
}

pub fn bytes(server: &Server, path: &str) -> Vec<u8> {
    let mut response = agent().get(format!("{}/api{path}", server.url)).call().unwrap();
    assert_eq!(response.status(), 200, "{path}");
    response.body_mut().with_config().limit(64 << 20).read_to_vec().unwrap()
}

pub fn post(server: &Server, path: &str, body: &Value) -> Response<Body> {
    agent().post(format!("{}/api{path}", server.url)).header("x-rhizograph", "1").send_json(body).unwrap()
}

pub fn done(server: &Server, path: &str, body: &Value) -> Value {
    let mut response = post(server, path, body);
    let status = response.status();
    let value: Value = response.body_mut().with_config().limit(64 << 20).read_json().unwrap();
    assert_eq!(status, 200, "{path}: {value}");
    value
}

pub fn drawing(server: &Server, n: usize) -> i64 {
    get(server, "/productions")[0]["shots"][0]["drawings"][n]["id"].as_i64().unwrap()
}

pub fn command(server: &Server, id: i64, view: &Value, command: Value) -> Value {
    done(
        server,
        &format!("/drawings/{id}/commands"),
        &json!({ "revision": view["info"]["revision"], "command": command }),
    )
}

pub fn shot(server: &Server, number: &str) -> Value {
    let all = get(server, "/productions");
    all[0]["shots"].as_array().unwrap().iter().find(|s| s["number"] == number).unwrap().clone()
}

/// What is asked for when drawings, each perhaps as it is at a revision, go out in formats under names of a pattern.
pub fn outgoing(drawings: &[(i64, Option<u64>)], formats: &[&str], naming: &str) -> Value {
    let drawings: Vec<Value> =
        drawings.iter().map(|(id, revision)| json!({ "id": id, "revision": revision })).collect();
    json!({
        "drawings": drawings, "formats": formats, "packed": {}, "leaving": {}, "naming": naming,
        "repeat_holds": false, "palette": false, "report": false, "anyway": true, "to_folder": false,
    })
}

/// Waits until the newest job of a shot is as wanted, and gives it.
pub fn job_when(server: &Server, shot: i64, wanted: impl Fn(&Value) -> bool) -> Value {
    let began = std::time::Instant::now();
    loop {
        let jobs = get(server, &format!("/shots/{shot}/jobs"));
        if !jobs[0].is_null() && wanted(&jobs[0]) {
            return jobs[0].clone();
        }
        assert!(began.elapsed().as_secs() < 240, "the job did not get there: {jobs}");
        std::thread::sleep(std::time::Duration::from_millis(60));
    }
}

/// Three sheets from the feeder at 150 dpi hang in a shot of their own.
pub fn fed_shot(server: &Server) -> i64 {
    let production = get(server, "/productions")[0]["id"].clone();
    let shot = done(server, "/shots", &json!({ "production": production, "number": "030", "name": "Fed" }));
    let shot = shot.as_i64().unwrap();
    let delivery = json!({ "device": "sheet_feeder", "sheets": [1, 3, 6], "dpi": 150.0, "grey": false });
    done(server, &format!("/shots/{shot}/deliver"), &delivery);
    let job = job_when(server, shot, |j| j["state"] == "done");
    assert_eq!((job["done"].as_u64(), job["told"].as_array().unwrap().len()), (Some(3), 0));
    shot
}

/// Sheets from the feeder at 600 dpi, 17 megapixels each, hang in shot 060.
pub fn large_shot(server: &Server, sheets: &[u32]) -> i64 {
    let production = get(server, "/productions")[0]["id"].clone();
    let shot = done(server, "/shots", &json!({ "production": production, "number": "060", "name": "Large" }));
    let shot = shot.as_i64().unwrap();
    let delivery = json!({ "device": "sheet_feeder", "sheets": sheets, "dpi": 600.0, "grey": false });
    done(server, &format!("/shots/{shot}/deliver"), &delivery);
    let job = job_when(server, shot, |j| j["state"] == "done");
    assert_eq!(job["told"], json!([]));
    shot
}
