//! What goes out of a shot, over the server: files of the revision that is noted, under names that are told before, with a
//! report; nothing unready in silence, nothing half.

use crate::support;

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

#[test]
fn the_ink_is_taken_of_any_layer_of_a_file_and_that_is_a_step_like_others() {
    let server = Server::start();
    let id = shot(&server, "014")["drawings"][0]["id"].as_i64().unwrap();
    let revision = info(&server, id)["revision"].clone();
    let file = bytes(&server, &format!("/drawings/{id}/hand-off/layers.ora?revision={revision}"));
    let place = shot(&server, "014")["id"].clone();
    let url = format!("{}/api/shots/{place}/drawings?name=kettle.ora", server.url);
    let mut answer = agent().post(url).header("x-rhizograph", "1").send(&file[..]).unwrap();
    let new = answer.body_mut().read_json::<Value>().unwrap()["id"].as_i64().unwrap();
    let at = format!("/drawings/{new}");
    let names = get(&server, &format!("{at}/layers"));
    let names: Vec<&str> = names.as_array().unwrap().iter().map(|n| n.as_str().unwrap()).collect();
    let ink = names.iter().position(|n| n.rsplit(" / ").next() == Some("Ink")).unwrap();
    assert!(names.len() > 1, "{names:?}");
    assert_eq!(get(&server, &format!("/drawings/{id}/layers")), json!([]), "an original without layers has none");

    let part = "x=0&y=0&width=2400&height=1800&level=2";
    let shown = |kind: &str| bytes(&server, &format!("{at}/pictures/{kind}?{part}"));
    let first = shown("original");
    assert_eq!(first, shown(&format!("layer-{ink}")), "without a choice the layer called ink is taken");
    let other = (0..names.len()).find(|n| shown(&format!("layer-{n}")) != first).unwrap();
    let view = command(&server, new, &get(&server, &at), json!({ "of": "trace", "do": "trace" }));
    assert_eq!(view["stale"], false);
    let choose = |view: &Value, layer: Value| {
        let mut intake = view["recipes"]["intake"].clone();
        intake["layer"] = layer;
        json!({ "of": "intake", "do": "intake", "intake": intake })
    };
    let lines = view["lines"].clone();
    let view = command(&server, new, &view, choose(&view, json!({ "numbers": [other] })));
    assert_eq!(shown("original"), shown(&format!("layer-{other}")));
    assert_eq!((&view["lines"], &view["stale"]), (&lines, &json!(true)), "the lines are those of the other layer");
    // Several lie on one another.
    let view = command(&server, new, &view, choose(&view, json!({ "numbers": [ink, other] })));
    let both = shown("original");
    assert!(both != shown(&format!("layer-{other}")) && both != first);
    // The whole picture is a choice, too; what is not there is refused and changes nothing.
    let view = command(&server, new, &view, choose(&view, json!("whole")));
    let asked = json!({ "revision": view["info"]["revision"], "numbering": view["numbering"],
        "command": choose(&view, json!({ "numbers": [other, names.len()] })) });
    let mut refused = post(&server, &format!("{at}/commands"), &asked);
    let told: Value = refused.body_mut().read_json().unwrap();
    assert!((400..500).contains(&refused.status().as_u16()), "{told}");
    assert!(told["error"].as_str().unwrap().contains("no layer"), "{told}");
    for _ in 0..3 {
        done(&server, &format!("{at}/undo"), &json!({ "revision": info(&server, new)["revision"] }));
    }
    let view = get(&server, &at);
    assert_eq!((&view["stale"], &view["lines"]), (&json!(false), &lines));
    assert_eq!(shown("original"), first);
}

#[test]
fn a_picture_within_vector_art_can_be_looked_at_and_the_drawing_stays_its_lines() {
    let server = Server::start();
    let place = shot(&server, "014")["id"].clone();
    let picture =
        "iVBORw0KGgoAAAANSUhEUgAAAAIAAAACCAIAAAD91JpzAAAAEklEQVR42mP4z8DAAMIM/4EAAB/uBfvxq7p3AAAAAElFTkSuQmCC";
    let art = format!(
        "<svg xmlns='http://www.w3.org/2000/svg' width='300' height='200'>
        <image id='wash' href='data:image/png;base64,{picture}' x='40' y='40' width='100' height='100'/>
        <path d='M20 150H280' stroke='black' stroke-width='6'/></svg>"
    );
    let url = format!("{}/api/shots/{place}/drawings?name=wash.svg", server.url);
    let mut answer = agent().post(url).header("x-rhizograph", "1").send(art.as_bytes()).unwrap();
    let came = answer.body_mut().read_json::<Value>().unwrap();
    let at = format!("/drawings/{}", came["id"]);
    let part = "x=0&y=0&width=300&height=200&level=0";
    // Before and after the drawing itself is at hand.
    let first = bytes(&server, &format!("{at}/pictures/layer-0?{part}"));
    assert_eq!(get(&server, &format!("{at}/layers")), json!(["wash"]));
    let view = get(&server, &at);
    assert_eq!((&view["lift"], view["lines"].as_array().unwrap().len()), (&Value::Null, 1));
    assert_eq!(bytes(&server, &format!("{at}/pictures/layer-0?{part}")), first);
    assert_ne!(bytes(&server, &format!("{at}/pictures/ink?{part}")), first);
    let view = command(
        &server,
        came["id"].as_i64().unwrap(),
        &view,
        json!({ "of": "hold", "do": "take_away", "lines": [view["lines"][0]["id"]] }),
    );
    assert_eq!((&view["lift"], view["lines"].as_array().unwrap().len()), (&Value::Null, 0));
}

/// `OUTGOING=100 cargo test --release --workspace --test all -- --nocapture handing_off::a_long_shot` is a hundred drawings of
/// 9 megapixels.
#[test]
fn a_long_shot_goes_out_in_all_formats_with_bounded_memory() {
    let many: usize = std::env::var("OUTGOING").ok().and_then(|n| n.parse().ok()).unwrap_or(2);
    let server = Server::start();
    let shot = shot(&server, "012");
    let first = shot["drawings"][0]["id"].as_i64().unwrap();
    let at = format!("/drawings/{first}");
    let view = command(&server, first, &get(&server, &at), json!({ "of": "trace", "do": "trace" }));
    let mut seeds: Vec<(u64, Value)> =
        view["regions"].as_array().unwrap().iter().map(|r| (r["area"].as_u64().unwrap(), r["seed"].clone())).collect();
    seeds.sort_by_key(|s| std::cmp::Reverse(s.0));
    let swatches = shot["swatches"].as_array().unwrap();
    for (n, (_, seed)) in seeds.iter().take(12).enumerate() {
        let swatch = &swatches[n % swatches.len()]["id"];
        let fill = json!({ "of": "paint", "do": "fill", "at": [seed], "swatch": swatch });
        command(&server, first, &get(&server, &at), fill);
    }
    let mut drawings = vec![(first, None)];
    for n in 1..many {
        let copied = done(&server, &format!("{at}/duplicate"), &json!({ "name": format!("C-{n}") }));
        drawings.push((copied.as_i64().unwrap(), None));
    }
    let formats = ["flat", "ink_png", "paint_png", "layer_pngs", "tiff", "open_raster", "svg", "json"];
    let mut how = outgoing(&drawings, &formats, "{shot}-{drawing}-{layer}");
    // The sheet has 4.3 megapixels.
    how["leaving"] = json!({ "percent": 144 });
    let began = std::time::Instant::now();
    let id = shot["id"].as_i64().unwrap();
    let job = done(&server, &format!("/shots/{id}/hand-off"), &how);
    let job = job_when(&server, id, |j| j["id"] == job && j["state"] == "done");
    let seconds = began.elapsed().as_secs_f64();
    assert_eq!(job["told"], json!([]));
    let status = std::fs::read_to_string(format!("/proc/{}/status", server.process())).unwrap();
    let most = status.lines().find_map(|l| l.strip_prefix("VmHWM:")).unwrap().trim().trim_end_matches(" kB");
    println!(
        "figure: {many} drawings of 9 megapixels in all formats in {seconds:.0} s, {} files; memory of the server at most {most} kB",
        job["files"]
    );
    // A build for tests is slower.
    let bounds = if cfg!(debug_assertions) { (60.0, 3e6) } else { (1.8, 1.46e6) };
    assert!(seconds < bounds.0 * many.max(10) as f64 && most.parse::<f64>().unwrap() < bounds.1);
    assert!(job["files"].as_u64().unwrap() >= 8 * many as u64);
}
