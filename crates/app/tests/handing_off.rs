//! What goes out of a shot, over the server: files of the revision that is noted, under names that are told before, with a
//! report; nothing unready in silence, nothing half.

#![allow(clippy::unwrap_used)]

mod support;

use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::io::{Cursor, Read};
use support::Server;
use support::asking::*;

/// Two rooms, one of them open where `gap` is not 0.
fn art(gap: usize) -> String {
    format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="800" height="600"><g fill="none" stroke="black" stroke-width="6"><rect x="60" y="80" width="240" height="300"/><path d="M {} 80 H 720 V 400 H 400 V 80"/></g></svg>"#,
        400 + gap
    )
}

/// A shot of such drawings: its number and theirs.
fn rooms(server: &Server, gaps: &[usize]) -> (i64, Vec<i64>) {
    let production = get(server, "/productions")[0]["id"].clone();
    let new = json!({ "production": production, "number": "060", "name": "Rooms" });
    let shot = done(server, "/shots", &new).as_i64().unwrap();
    let ids = gaps.iter().enumerate().map(|(n, gap)| {
        let url = format!("{}/api/shots/{shot}/drawings?name=R-{:02}.svg", server.url, n + 1);
        let mut answer = agent().post(url).header("x-rhizograph", "1").send(art(*gap).as_bytes()).unwrap();
        answer.body_mut().read_json::<Value>().unwrap()["id"].as_i64().unwrap()
    });
    (shot, ids.collect())
}

fn info(server: &Server, id: i64) -> Value {
    get(server, &format!("/drawings/{id}"))["info"].clone()
}

fn leave_all(server: &Server, id: i64) {
    for _ in 0..8 {
        let view = get(server, &format!("/drawings/{id}"));
        let open: Vec<Value> = view["findings"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|f| f["left"] == false && f["quiet"] == false)
            .map(|f| f["id"].clone())
            .collect();
        if open.is_empty() {
            return;
        }
        command(server, id, &view, json!({ "of": "findings", "do": "leave", "ids": open, "left": true }));
    }
}

fn unzipped(bytes: Vec<u8>) -> Vec<(String, Vec<u8>)> {
    let mut zip = zip::ZipArchive::new(Cursor::new(bytes)).unwrap();
    (0..zip.len())
        .map(|n| {
            let mut file = zip.by_index(n).unwrap();
            let mut out = Vec::new();
            file.read_to_end(&mut out).unwrap();
            (file.name().unwrap().into_owned(), out)
        })
        .collect()
}

fn hold(server: &Server, id: i64, frames: i32) -> u16 {
    let put = agent().put(format!("{}/api/drawings/{id}/hold", server.url)).header("x-rhizograph", "1");
    put.send_json(json!({ "frames": frames })).unwrap().status().as_u16()
}

#[test]
fn what_went_out_is_of_the_revision_that_is_noted_and_a_change_since_is_told() {
    let server = Server::start();
    let (shot, ids) = rooms(&server, &[0, 0]);
    ids.iter().for_each(|id| leave_all(&server, *id));
    let at = format!("/shots/{shot}/hand-off");
    let mut how = outgoing(
        &[(ids[0], None), (ids[1], None)],
        &["svg", "flat", "layer_pngs", "open_raster"],
        "{shot}-{drawing}-{layer}",
    );
    (how["report"], how["palette"], how["anyway"]) = (json!(true), json!(true), json!(false));
    let told = done(&server, &format!("{at}/names"), &how);
    assert_eq!(told["names"][0], "060-R-01-drawing.svg");
    let job = done(&server, &at, &how);
    let job = job_when(&server, shot, |j| j["id"] == job && j["state"] == "done");
    assert_eq!(job["told"], json!([]));
    let files = unzipped(bytes(&server, &format!("/jobs/{}/files.zip", job["id"])));
    let names: BTreeSet<&str> = files.iter().map(|f| f.0.as_str()).collect();
    assert_eq!((names.len(), job["files"].as_u64()), (files.len(), Some(files.len() as u64)));
    for name in [
        "060-R-01-drawing.svg",
        "060-R-02-layers.ora",
        "060-R-01-Ink.png",
        "060.report.html",
        "060.report.json",
        "060.gpl",
    ] {
        assert!(names.contains(name), "{name}: {names:?}");
    }
    // The same bytes as the drawing gives at that revision.
    let info = info(&server, ids[0]);
    assert_eq!((&info["handed_off"], &info["changed_since"]), (&json!(true), &json!(false)));
    let svg = bytes(&server, &format!("/drawings/{}/hand-off/drawing.svg?revision={}", ids[0], info["revision"]));
    assert_eq!(files.iter().find(|f| f.0 == "060-R-01-drawing.svg").unwrap().1, svg);
    let report: Value = serde_json::from_slice(&files.iter().find(|f| f.0 == "060.report.json").unwrap().1).unwrap();
    let first = &report["drawings"][0];
    assert_eq!(
        (&first["name"], &first["revision"], &first["reasons"]),
        (&json!("R-01"), &info["revision"], &json!([]))
    );
    assert!(!first["left"].as_array().unwrap().is_empty() && first["unpainted_mm2"].as_f64().unwrap() > 100.0);
    // Changed since: told, until that is undone or goes out again.
    let view = get(&server, &format!("/drawings/{}", ids[0]));
    command(&server, ids[0], &view, json!({ "of": "intake", "do": "resolution", "dpi": 299.0 }));
    let info = self::info(&server, ids[0]);
    assert_eq!((&info["handed_off"], &info["changed_since"]), (&json!(false), &json!(true)));
}

#[test]
fn what_is_not_ready_stays_and_tells_why_and_a_report_alone_hands_nothing_off() {
    let server = Server::start();
    let (shot, ids) = rooms(&server, &[9, 0]);
    leave_all(&server, ids[1]);
    let at = format!("/shots/{shot}/hand-off");
    let both = [(ids[0], None), (ids[1], None)];
    let mut how = outgoing(&both, &["ink_png"], "{drawing}");
    how["anyway"] = json!(false);
    done(&server, &at, &how);
    let job = job_when(&server, shot, |j| j["state"] == "done");
    assert_eq!(job["files"], 1, "{job}");
    let told = job["told"][0].as_str().unwrap();
    assert!(told.starts_with("R-01: not ready: ") && told.contains("open at Join"), "{told}");
    assert_eq!([0, 1].map(|k| info(&server, ids[k])["handed_off"].clone()), [json!(false), json!(true)]);

    let mut only = outgoing(&[both[0]], &[], "{drawing}");
    only["report"] = json!(true);
    let number = done(&server, &at, &only);
    let job = job_when(&server, shot, |j| j["id"] == number && j["state"] == "done");
    let files = get(&server, &format!("/jobs/{}/files", job["id"]));
    assert_eq!(files.as_array().unwrap().len(), 2);
    let page = String::from_utf8(bytes(&server, &format!("/jobs/{number}/files/060.report.html"))).unwrap();
    assert!(page.contains("Not ready") && page.contains("R-01") && !page.contains("R-02"));
    assert_eq!(info(&server, ids[0])["handed_off"], false);
}

#[test]
fn names_are_told_before_and_never_meet_and_holds_are_repeated() {
    let server = Server::start();
    let (shot, ids) = rooms(&server, &[0, 0, 0]);
    let at = format!("/shots/{shot}/hand-off");
    let all: Vec<(i64, Option<u64>)> = ids.iter().map(|id| (*id, None)).collect();
    assert_eq!([hold(&server, ids[0], 3), hold(&server, ids[1], 0), hold(&server, ids[2], 2)], [200, 422, 200]);
    let mut how = outgoing(&all, &["flat"], "walk.{frame:4}");
    how["repeat_holds"] = json!(true);
    let told = done(&server, &format!("{at}/names"), &how);
    let frames: Vec<String> = (1..=6).map(|n| format!("walk.{n:04}.png")).collect();
    assert_eq!((&told["names"], &told["all"], &told["has_folder"]), (&json!(frames), &json!(6), &json!(false)));
    done(&server, &at, &how);
    let job = job_when(&server, shot, |j| j["state"] == "done");
    let files = unzipped(bytes(&server, &format!("/jobs/{}/files.zip", job["id"])));
    assert_eq!(files.iter().map(|f| f.0.clone()).collect::<Vec<_>>(), frames);
    assert!(files[0].1 == files[2].1 && files[4].1 == files[5].1);
    for (pattern, why) in
        [("{shot}", "would both be called"), ("{nobody}", "knows {production}"), ("", "gives no name")]
    {
        let mut answer = post(&server, &at, &outgoing(&all, &["flat"], pattern));
        let said: Value = answer.body_mut().read_json().unwrap();
        assert_eq!(answer.status(), 422, "{pattern}");
        assert!(said.to_string().contains(why), "{said}");
    }
    let twice = outgoing(&[all[0], all[0]], &["flat"], "{drawing}");
    assert_eq!(post(&server, &at, &twice).status(), 422);
}

#[test]
fn a_hand_off_that_is_stopped_leaves_whole_files_only() {
    let server = Server::start();
    let (shot, ids) = rooms(&server, &[0; 6]);
    let all: Vec<(i64, Option<u64>)> = ids.iter().map(|id| (*id, None)).collect();
    let how = outgoing(&all, &["flat", "svg", "tiff"], "{drawing}_{layer}");
    let job = done(&server, &format!("/shots/{shot}/hand-off"), &how);
    job_when(&server, shot, |j| j["done"].as_u64() > Some(0));
    done(&server, &format!("/jobs/{job}/stop"), &Value::Null);
    let made = get(&server, &format!("/jobs/{job}/files"));
    let count = made.as_array().unwrap().len();
    assert!(count.is_multiple_of(3), "{made}");
    let out = ids.iter().filter(|id| info(&server, **id)["handed_off"] == true).count();
    assert_eq!(out * 3, count, "what counts as handed off has its files, and nothing else has");
}

#[test]
fn a_shot_goes_into_the_folder_that_the_server_was_given() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start_given(&[("RHIZOGRAPH_OUT", folder.path().to_str().unwrap())]);
    let (shot, ids) = rooms(&server, &[0]);
    let mut how = outgoing(&[(ids[0], None)], &["svg", "open_raster"], "{drawing}");
    how["to_folder"] = json!(true);
    let job = done(&server, &format!("/shots/{shot}/hand-off"), &how);
    job_when(&server, shot, |j| j["state"] == "done");
    let at = folder.path().join(format!("060-{job}"));
    let mut names: Vec<String> =
        std::fs::read_dir(&at).unwrap().map(|f| f.unwrap().file_name().into_string().unwrap()).collect();
    names.sort();
    assert_eq!(names, ["R-01.ora", "R-01.svg"]);
    // What was handed off comes in again as the same drawing.
    let url = format!("{}/api/shots/{shot}/drawings?name=again.svg", server.url);
    let text = std::fs::read(at.join("R-01.svg")).unwrap();
    let mut answer = agent().post(url).header("x-rhizograph", "1").send(&text[..]).unwrap();
    let again = answer.body_mut().read_json::<Value>().unwrap()["id"].as_i64().unwrap();
    let [was, is] = [ids[0], again].map(|id| get(&server, &format!("/drawings/{id}")));
    let paths = |v: &Value| v["lines"].as_array().unwrap().iter().map(|l| l["path"].clone()).collect::<Vec<_>>();
    assert_eq!((paths(&was), &was["width"], &was["dpi"]), (paths(&is), &is["width"], &is["dpi"]));
}
