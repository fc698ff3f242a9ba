//! Paint across a shot, over the server: carried at once and in the background, taught, replaced; the colour model in and out.

use crate::support;

use serde_json::{Value, json};
use support::Server;
use support::asking::*;

/// Three rooms side by side, moved a little from drawing to drawing.
fn art(n: usize) -> String {
    let x = 100 + 18 * n;
    let rings = [(x, 220, 130), (x + 330, 200, 190), (x + 720, 230, 90)]
        .map(|(x, y, s)| format!(r#"<rect x="{x}" y="{y}" width="{s}" height="{}"/>"#, s + 40));
    format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="1200" height="600"><g fill="none" stroke="black" stroke-width="6">{}</g></svg>"#,
        rings.concat()
    )
}

/// A shot of such drawings with three swatches: its number and theirs.
fn painted_shot(server: &Server, count: usize) -> (i64, Vec<i64>) {
    let production = get(server, "/productions")[0]["id"].clone();
    let new = json!({ "production": production, "number": "050", "name": "Rooms" });
    let shot = done(server, "/shots", &new).as_i64().unwrap();
    let swatch = |id: &str, name: &str, c: [u8; 3]| json!({ "id": id, "name": name, "colour": c, "group": "Body", "note": "", "tones": { "shadow": c.map(|v| v / 2) } });
    let model = json!({
        "revision": 0,
        "tones": [{ "id": "shadow", "name": "Shadow" }],
        "swatches": [swatch("skin", "Skin", [217, 182, 122]), swatch("shell", "Shell", [112, 138, 88]), swatch("kettle", "Kettle", [181, 83, 58])],
    });
    let set = agent().put(format!("{}/api/shots/{shot}/colours", server.url)).header("x-rhizograph", "1");
    assert_eq!(set.send_json(&model).unwrap().status(), 200);
    for n in 0..count {
        let url = format!("{}/api/shots/{shot}/drawings?name=R-{:02}.svg", server.url, n + 1);
        assert_eq!(agent().post(url).header("x-rhizograph", "1").send(art(n).as_bytes()).unwrap().status(), 200);
    }
    let all = now(server)["drawings"].as_array().unwrap().iter().map(|d| d["id"].as_i64().unwrap()).collect();
    (shot, all)
}

fn now(server: &Server) -> Value {
    shot(server, "050")
}

fn view(server: &Server, id: i64) -> Value {
    get(server, &format!("/drawings/{id}"))
}

/// The swatches of the regions, from left to right.
fn paint(view: &Value) -> Vec<Option<String>> {
    let mut regions = view["regions"].as_array().unwrap().clone();
    regions.sort_by(|a, b| a["seed"][0].as_f64().unwrap().total_cmp(&b["seed"][0].as_f64().unwrap()));
    regions.iter().map(|r| r["swatch"].as_str().map(str::to_owned)).collect()
}

fn fill(server: &Server, id: i64, room: usize, swatch: &str) -> Value {
    let now = view(server, id);
    let mut seeds: Vec<Value> = now["regions"].as_array().unwrap().iter().map(|r| r["seed"].clone()).collect();
    seeds.sort_by(|a, b| a[0].as_f64().unwrap().total_cmp(&b[0].as_f64().unwrap()));
    command(server, id, &now, json!({ "of": "paint", "do": "fill", "at": [seeds[room]], "swatch": swatch }))
}

fn is(paint: &[&str]) -> Vec<Option<String>> {
    paint.iter().map(|s| (!s.is_empty()).then(|| (*s).to_owned())).collect()
}

fn steps(server: &Server, id: i64) -> u64 {
    view(server, id)["steps"].as_u64().unwrap()
}

#[test]
fn a_shot_is_painted_from_one_drawing_and_taught_by_what_is_settled() {
    let server = Server::start();
    let (shot, all) = painted_shot(&server, 5);
    for (room, swatch) in ["skin", "shell", "kettle"].iter().enumerate() {
        fill(&server, all[0], room, swatch);
    }
    // The next one at once, as one step that is undone in one.
    let told = done(&server, &format!("/drawings/{}/carry", all[0]), &json!({ "to": "next" }));
    assert_eq!(told, json!({ "told": "painted", "drawing": all[1] }));
    let second = view(&server, all[1]);
    assert_eq!(paint(&second), is(&["skin", "shell", "kettle"]));
    assert_eq!((second["steps"].as_u64(), second["info"]["progress"]["carried"].as_u64()), (Some(1), Some(3)));
    assert_eq!(second["undo"], json!("carried 3 regions from R-01"));
    let undone =
        done(&server, &format!("/drawings/{}/undo", all[1]), &json!({ "revision": second["info"]["revision"] }));
    assert_eq!(paint(&undone), is(&["", "", ""]));
    // All behind it in the background; what is painted by hand stays, and is told where it is unlike.
    fill(&server, all[3], 2, "skin");
    let begun = done(&server, &format!("/drawings/{}/carry", all[0]), &json!({ "to": "after" }));
    assert_eq!(begun, json!({ "told": "begun", "drawings": 4 }));
    let job = job_when(&server, shot, |j| j["state"] == "done");
    assert_eq!((job["done"].as_u64(), job["told"].as_array().unwrap().len()), (Some(4), 0), "{job}");
    assert_eq!(paint(&view(&server, all[1])), is(&["skin", "shell", "kettle"]));
    // Between the two, what a hand painted beside it goes before what was carried.
    assert_eq!(paint(&view(&server, all[2])), is(&["skin", "shell", "skin"]));
    let fourth = view(&server, all[3]);
    assert_eq!(paint(&fourth), is(&["skin", "shell", "skin"]));
    // Behind it the hand paint goes on.
    assert_eq!(paint(&view(&server, all[4])), is(&["skin", "shell", "skin"]));
    let before: Vec<u64> = all.iter().map(|&id| steps(&server, id)).collect();
    // The same again changes nothing.
    done(&server, &format!("/drawings/{}/carry", all[0]), &json!({ "to": "after" }));
    let job = job_when(&server, shot, |j| j["state"] == "done" && j["id"] != job["id"]);
    assert_eq!(job["told"].as_array().unwrap().len(), 4, "{job}");
    assert_eq!(all.iter().map(|&id| steps(&server, id)).collect::<Vec<_>>(), before);
    // What is painted over what was carried goes on to those behind by itself, by no hand of theirs.
    fill(&server, all[1], 0, "kettle");
    let job = job_when(&server, shot, |j| j["state"] == "done" && j["id"] != job["id"]);
    assert_eq!(job["what"], json!("Carry on what was settled"));
    assert_eq!(paint(&view(&server, all[2])), is(&["kettle", "shell", "skin"]));
    assert_eq!(paint(&view(&server, all[0])), is(&["skin", "shell", "kettle"]));
    // From both sides, up to the next that somebody painted.
    let told = done(&server, &format!("/drawings/{}/carry", all[1]), &json!({ "to": "between" }));
    assert_eq!(told, json!({ "told": "begun", "drawings": 1 }));
    let job = job_when(&server, shot, |j| j["state"] == "done" && j["id"] != job["id"]);
    let third = view(&server, all[2]);
    assert_eq!(third["info"]["progress"]["doubtful"], json!(1), "the sides say different of one: {job}");
    let asked = third["findings"].as_array().unwrap().iter().find(|f| f["kind"] == "doubtful").unwrap();
    assert_eq!(asked["like"]["swatches"].as_array().unwrap().len(), 2);
    // What is painted by hand stays, and is told where it is unlike.
    fill(&server, all[2], 1, "skin");
    job_when(&server, shot, |j| j["state"] == "done" && j["what"] == "Carry on what was settled");
    done(&server, &format!("/drawings/{}/carry", all[1]), &json!({ "to": "next" }));
    let third = view(&server, all[2]);
    assert_eq!(paint(&third), is(&["kettle", "skin", "skin"]));
    let unlike: Vec<&Value> = third["findings"].as_array().unwrap().iter().filter(|f| f["kind"] == "unlike").collect();
    assert_eq!((unlike.len(), &unlike[0]["like"]["swatches"][0]), (1, &json!("shell")));
}

#[test]
fn a_swatch_is_replaced_all_over_the_shot_and_its_tones_with_it() {
    let server = Server::start();
    let (shot, all) = painted_shot(&server, 3);
    fill(&server, all[0], 0, "skin");
    fill(&server, all[0], 1, "skin/shadow");
    fill(&server, all[2], 1, "skin");
    let used = || -> Vec<Value> {
        now(&server)["drawings"].as_array().unwrap().iter().map(|d| d["progress"]["used"]["skin"].clone()).collect()
    };
    assert_eq!(used(), [json!([2, 0]), Value::Null, json!([1, 0])]);
    done(&server, &format!("/shots/{shot}/replace"), &json!({ "swatch": "skin", "by": "shell" }));
    let job = job_when(&server, shot, |j| j["state"] == "done");
    assert_eq!((job["all"].as_u64(), job["told"].as_array().unwrap().len()), (Some(2), 0), "{job}");
    assert_eq!(paint(&view(&server, all[0])), is(&["shell", "shell/shadow", ""]));
    assert_eq!(paint(&view(&server, all[2])), is(&["", "shell", ""]));
    assert!(used().iter().all(Value::is_null));
    // Left empty where nothing takes its place.
    done(&server, &format!("/shots/{shot}/replace"), &json!({ "swatch": "shell", "by": null }));
    job_when(&server, shot, |j| j["state"] == "done" && j["id"] != job["id"]);
    assert_eq!(paint(&view(&server, all[0])), is(&["", "", ""]));
}

#[test]
fn colours_go_out_and_come_in_as_open_files() {
    let server = Server::start();
    let (shot, _) = painted_shot(&server, 0);
    let model = json!({ "tones": now(&server)["tones"], "swatches": now(&server)["swatches"] });
    for kind in ["gpl", "css", "json"] {
        let file = bytes(&server, &format!("/shots/{shot}/colours/colours.{kind}"));
        let url = format!("{}/api/colours?name=colours.{kind}", server.url);
        let mut answer = agent().post(url).header("x-rhizograph", "1").send(&file[..]).unwrap();
        assert_eq!(answer.status(), 200);
        let read: Value = answer.body_mut().read_json().unwrap();
        let colours = |m: &Value| -> Vec<Value> {
            m["swatches"].as_array().unwrap().iter().map(|s| json!([s["name"], s["colour"], s["tones"]])).collect()
        };
        assert_eq!(colours(&read), colours(&model), "{kind}");
    }
    // A model that does not fit together is refused, and the shot keeps its own.
    let url = format!("{}/api/shots/{shot}/colours", server.url);
    let odd = |swatch: Value| json!({ "revision": 1, "tones": [], "swatches": [swatch] });
    let one = |id: &str, tones: Value, note: &str| json!({ "id": id, "name": "Odd", "colour": [1, 2, 3], "group": "", "tones": tones, "note": note });
    for wrong in [
        odd(one("a/b", json!({}), "")),
        odd(one("a", json!({ "night": [1, 2, 3] }), "")),
        odd(one("a", json!({}), &"long".repeat(200))),
    ] {
        assert_eq!(agent().put(&url).header("x-rhizograph", "1").send_json(&wrong).unwrap().status(), 422);
    }
    assert_eq!(now(&server)["swatches"], model["swatches"]);
}
