//! A shot as a whole, over the server: its order and names, what is put away and comes back, what is copied, what is settled
//! in all drawings and undone in one go; and who works on it.

use crate::support;

use serde_json::{Value, json};
use support::Server;
use support::asking::*;

/// Asks to put something as one of the page's own does; gives the status and the answer.
fn put(server: &Server, path: &str, body: &Value, author: &str) -> (u16, Value) {
    let put = agent().put(format!("{}/api{path}", server.url)).header("x-rhizograph", "1");
    let mut answer = put.header("x-rhizograph-author", author).send_json(body).unwrap();
    (answer.status().as_u16(), answer.body_mut().read_json().unwrap())
}

fn put_done(server: &Server, path: &str, body: &Value) {
    let (status, told) = put(server, path, body, "");
    assert_eq!(status, 200, "{path}: {told}");
}

fn hang(server: &Server, number: &str) -> Vec<(i64, String)> {
    let shot = shot(server, number);
    let told = |d: &Value| (d["id"].as_i64().unwrap(), d["name"].as_str().unwrap().to_owned());
    shot["drawings"].as_array().unwrap().iter().map(told).collect()
}

fn names(server: &Server, number: &str) -> Vec<String> {
    hang(server, number).into_iter().map(|d| d.1).collect()
}

/// A production with a shot of bare sheets of these names.
fn sheets(server: &Server, number: &str, named: &[&str]) -> i64 {
    let production = get(server, "/productions")[0]["id"].clone();
    let new = json!({ "production": production, "number": number, "name": "Sheets" });
    let shot = done(server, "/shots", &new).as_i64().unwrap();
    for name in named {
        let blank = json!({ "name": name, "width": 400, "height": 300, "dpi": 150.0 });
        done(server, &format!("/shots/{shot}/blank"), &blank);
    }
    shot
}

#[test]
fn drawings_are_hung_named_copied_taken_out_and_brought_back_and_nothing_of_them_is_lost() {
    let server = Server::start();
    let shot = sheets(&server, "040", &["B-1", "B-2", "B-10"]);
    assert_eq!(names(&server, "040"), ["B-1", "B-2", "B-10"]);
    let ids: Vec<i64> = hang(&server, "040").iter().map(|d| d.0).collect();
    let order = |list: &[i64]| put(&server, &format!("/shots/{shot}/order"), &json!({ "drawings": list }), "");
    assert_eq!(order(&[ids[2], ids[0], ids[1]]).0, 200);
    assert_eq!(names(&server, "040"), ["B-10", "B-1", "B-2"]);
    // Whoever did not see all of them does not hang them.
    for wrong in [vec![ids[0], ids[1]], vec![ids[0], ids[0], ids[1]], vec![ids[0], ids[1], 99_999]] {
        assert_eq!(order(&wrong).0, 422, "{wrong:?}");
    }
    assert_eq!(names(&server, "040"), ["B-10", "B-1", "B-2"]);

    // Names: all or none.
    let named = |list: Value| put(&server, &format!("/shots/{shot}/names"), &list, "");
    assert_eq!(named(json!([{ "id": ids[0], "name": "C-1" }, { "id": 99_999, "name": "C-2" }])).0, 404);
    assert_eq!(named(json!([{ "id": ids[0], "name": " " }])).0, 422);
    assert_eq!(names(&server, "040"), ["B-10", "B-1", "B-2"]);
    assert_eq!(named(json!([{ "id": ids[0], "name": "C-1" }, { "id": ids[1], "name": "C-2" }])).0, 200);
    assert_eq!(names(&server, "040"), ["B-10", "C-1", "C-2"]);
    assert_eq!(get(&server, &format!("/drawings/{}", ids[0]))["info"]["name"], "C-1");

    // A copy has what was drawn, and goes its own way.
    let view = get(&server, &format!("/drawings/{}", ids[0]));
    command(&server, ids[0], &view, json!({ "of": "intake", "do": "resolution", "dpi": 200.0 }));
    let copy =
        done(&server, &format!("/drawings/{}/duplicate", ids[0]), &json!({ "name": "C-1 copy" })).as_i64().unwrap();
    assert_eq!(names(&server, "040"), ["B-10", "C-1", "C-1 copy", "C-2"]);
    let copied = get(&server, &format!("/drawings/{copy}"));
    assert_eq!((&copied["dpi"], &copied["steps"], &copied["undo"]), (&json!(200.0), &json!(0), &Value::Null));

    // Taken out: nobody works on it, and it comes back as it was, where its name belongs.
    let away = |id: i64, away: bool| put(&server, "/away", &json!({ "what": "drawing", "id": id, "away": away }), "");
    let before = get(&server, &format!("/drawings/{}", ids[0]));
    assert_eq!(away(ids[0], true).0, 200);
    assert_eq!(names(&server, "040"), ["B-10", "C-1 copy", "C-2"]);
    let undo = json!({ "revision": before["info"]["revision"], "numbering": 0 });
    assert_eq!(post(&server, &format!("/drawings/{}/undo", ids[0]), &undo).status(), 404);
    assert_eq!(away(ids[0], true).0, 404);
    let put_away = get(&server, "/away");
    assert_eq!(
        (&put_away[0]["what"], &put_away[0]["name"], &put_away[0]["of"]),
        (&json!("drawing"), &json!("C-1"), &json!("040 Sheets"))
    );
    assert_eq!(away(ids[0], false).0, 200);
    assert_eq!(names(&server, "040"), ["B-10", "C-1", "C-1 copy", "C-2"]);
    let back = get(&server, &format!("/drawings/{}", ids[0]));
    for what in ["lines", "regions", "recipes", "dpi", "steps", "undo"] {
        assert_eq!(back[what], before[what], "{what}");
    }
    assert_eq!(back["info"]["revision"], before["info"]["revision"]);
    assert_eq!(get(&server, "/away"), json!([]));
}

#[test]
fn shots_and_productions_are_put_away_brought_back_and_copied_with_colours_and_settings() {
    let server = Server::start();
    let shot = fed_shot(&server);
    let id = hang(&server, "030")[0].0;
    let view = get(&server, &format!("/drawings/{id}"));
    let mut recipes = view["recipes"].clone();
    recipes["weight"]["amount"] = json!(0.2);
    recipes["join"]["close_with"] = json!("seam");
    command(&server, id, &view, json!({ "of": "trace", "do": "prepare", "recipes": recipes }));
    let swatches =
        json!([{ "id": "moss", "name": "Moss", "colour": [40, 90, 60], "group": "", "tones": {}, "note": "" }]);
    put_done(&server, &format!("/shots/{shot}/colours"), &json!({ "revision": 0, "tones": [], "swatches": swatches }));

    let named = json!({ "number": "031", "name": "Fed again" });
    let copy = done(&server, &format!("/shots/{shot}/copy"), &named).as_i64().unwrap();
    assert_eq!(post(&server, &format!("/shots/{shot}/copy"), &named).status(), 409, "the number is taken");
    assert_eq!(self::shot(&server, "031")["swatches"], swatches);
    // What comes into it has those settings, and its own points.
    let delivery = json!({ "device": "sheet_feeder", "sheets": [2], "dpi": 150.0, "grey": false });
    done(&server, &format!("/shots/{copy}/deliver"), &delivery);
    job_when(&server, copy, |j| j["state"] == "done");
    let came = get(&server, &format!("/drawings/{}", hang(&server, "031")[0].0))["recipes"].clone();
    assert_eq!((&came["weight"]["amount"], &came["join"]["close_with"]), (&json!(0.2), &json!("seam")));
    assert_ne!(came["intake"], recipes["intake"], "each sheet lies in its own way");

    // Put away, its number is free; brought back while another has it, it stays away.
    let away =
        |what: &str, id: i64, away: bool| put(&server, "/away", &json!({ "what": what, "id": id, "away": away }), "").0;
    assert_eq!(away("shot", copy, true), 200);
    assert!(get(&server, "/productions")[0]["shots"].as_array().unwrap().iter().all(|s| s["number"] != "031"));
    let other = done(&server, &format!("/shots/{shot}/copy"), &named).as_i64().unwrap();
    assert_eq!(away("shot", copy, false), 409);
    put_done(&server, &format!("/shots/{other}"), &json!({ "number": "032", "name": "Fed thrice" }));
    assert_eq!((away("shot", copy, false), away("shot", 99_999, true)), (200, 404));
    assert_eq!(names(&server, "031").len(), 1);

    let production = get(&server, "/productions")[0]["id"].as_i64().unwrap();
    let twin = done(&server, &format!("/productions/{production}/copy"), &json!({ "name": "Second season" })).as_i64();
    let all = get(&server, "/productions");
    let numbers =
        |p: &Value| -> Vec<Value> { p["shots"].as_array().unwrap().iter().map(|s| s["number"].clone()).collect() };
    assert_eq!(numbers(&all[0]), numbers(&all[1]));
    assert!(all[1]["shots"].as_array().unwrap().iter().all(|s| s["drawings"] == json!([])));
    put_done(&server, &format!("/productions/{}", twin.unwrap()), &json!({ "name": "Third season" }));
    assert_eq!(away("production", twin.unwrap(), true), 200);
    assert_eq!(get(&server, "/productions").as_array().unwrap().len(), 1);
    assert_eq!(get(&server, "/away")[0]["name"], "Third season");
}

/// Two rooms that meet in a wall with a gap, and a line that runs past it.
fn leaking() -> &'static str {
    r#"<svg xmlns="http://www.w3.org/2000/svg" width="800" height="600"><g fill="none" stroke="black" stroke-width="6"><rect x="60" y="80" width="640" height="400"/><path d="M 380 80 V 270 M 380 278 V 480"/><path d="M 60 200 H 394"/></g></svg>"#
}

#[test]
fn what_is_sure_is_settled_in_all_drawings_told_and_undone_in_one_go() {
    let server = Server::start();
    let shot = sheets(&server, "050", &[]);
    for n in 1..=3 {
        let url = format!("{}/api/shots/{shot}/drawings?name=R-{n}.svg", server.url);
        assert_eq!(agent().post(url).header("x-rhizograph", "1").send(leaking().as_bytes()).unwrap().status(), 200);
    }
    let ids: Vec<i64> = hang(&server, "050").iter().map(|d| d.0).collect();
    let view = |id: i64| get(&server, &format!("/drawings/{id}"));
    let lines = |id: i64| view(id)["lines"].clone();
    let before: Vec<Value> = ids.iter().map(|id| lines(*id)).collect();
    let sure = view(ids[0])["info"]["progress"]["sure"].as_u64().unwrap();
    assert!(sure >= 1, "{}", view(ids[0])["findings"]);

    let job = done(&server, &format!("/shots/{shot}/settle"), &Value::Null);
    let told = job_when(&server, shot, |j| j["id"] == job && j["state"] == "done");
    assert_eq!((&told["steps"], told["told"].as_array().unwrap().len()), (&json!(3), 3));
    assert!(told["told"][0].as_str().unwrap().starts_with("R-1: 1 gap closed"), "{told}");
    assert!(ids.iter().all(|id| view(*id)["info"]["progress"]["sure"] == 0));
    // Somebody goes on in one of them, elsewhere, and in another one takes the bridge away.
    let second = view(ids[1]);
    command(&server, ids[1], &second, json!({ "of": "intake", "do": "resolution", "dpi": 200.0 }));
    let third = view(ids[2]);
    let bridge = third["lines"].as_array().unwrap().iter().find(|l| l["made"] == "bridge").unwrap()["id"].clone();
    command(&server, ids[2], &third, json!({ "of": "join", "do": "remove", "line": bridge }));

    let undo = done(&server, &format!("/jobs/{job}/undo"), &Value::Null);
    let told = job_when(&server, shot, |j| j["id"] == undo && j["state"] == "done");
    assert_eq!(lines(ids[0]), before[0]);
    let kept = told["told"].as_array().unwrap();
    assert!(kept.iter().any(|t| t == "R-3: kept: somebody went on from there"), "{kept:?}");
    // What could not be undone stands; the rest can be done again by anyone.
    assert_eq!(get(&server, &format!("/shots/{shot}/jobs"))[1]["steps"], json!(kept.len()));
    assert!(view(ids[0])["redo"].is_string());
}

#[test]
fn who_is_on_a_drawing_is_seen_and_what_others_did_comes_as_a_patch() {
    let server = Server::start();
    let shot = sheets(&server, "060", &[]);
    let url = format!("{}/api/shots/{shot}/drawings?name=R-1.svg", server.url);
    assert_eq!(agent().post(url).header("x-rhizograph", "1").send(leaking().as_bytes()).unwrap().status(), 200);
    let id = hang(&server, "060")[0].0;
    let people = || get(&server, &format!("/shots/{shot}/people"));
    let here = |author: &str, drawing: Value| {
        let here = agent().post(format!("{}/api/here", server.url)).header("x-rhizograph", "1");
        let said = json!({ "shot": shot, "drawing": drawing });
        assert_eq!(here.header("x-rhizograph-author", author).send_json(said).unwrap().status(), 200);
    };
    assert_eq!(put(&server, "/me", &json!({ "name": "Ada", "colour": [47, 93, 80] }), "").0, 422, "nobody has no name");
    assert_eq!(put(&server, "/me", &json!({ "name": "x".repeat(41), "colour": [1, 2, 3] }), "ada-1").0, 422);
    assert_eq!(put(&server, "/me", &json!({ "name": " Ada ", "colour": [47, 93, 80] }), "ada-1").0, 200);
    here("ada-1", json!(id));
    here("ida-2", json!(id));
    let told = people();
    let ada = told.as_array().unwrap().iter().find(|p| p["author"] == "ada-1").unwrap();
    assert_eq!(*ada, json!({ "author": "ada-1", "name": "Ada", "colour": [47, 93, 80], "drawing": id, "here": true }));
    assert_eq!(told.as_array().unwrap().len(), 2);
    here("ida-2", Value::Null);
    assert!(people().as_array().unwrap().iter().any(|p| p["author"] == "ida-2" && p["drawing"].is_null()));

    // Ada closes the gap; Ida, who shows the state before, is told only what changed.
    let view = get(&server, &format!("/drawings/{id}"));
    let gap = view["findings"].as_array().unwrap().iter().find(|f| f["kind"] == "gap").unwrap()["id"].clone();
    let settle = json!({ "of": "findings", "do": "settle", "ids": [gap], "with": null });
    let asked = json!({ "revision": 0, "numbering": view["numbering"], "command": settle });
    let ask = agent().post(format!("{}/api/drawings/{id}/commands", server.url)).header("x-rhizograph", "1");
    let own: Value =
        ask.header("x-rhizograph-author", "ada-1").send_json(&asked).unwrap().body_mut().read_json().unwrap();
    let since = |numbering: &Value| get(&server, &format!("/drawings/{id}/since?revision=0&numbering={numbering}"));
    let told = since(&view["numbering"]);
    assert_eq!((&told["told"], &told["frame"]["info"]["revision"]), (&json!("patch"), &json!(1)));
    for what in ["lines", "regions", "findings", "inked"] {
        assert_eq!(told[what], own[what], "{what}");
    }
    assert!(!told["lines"].as_array().unwrap().is_empty());
    assert_eq!(since(&json!(1))["told"], "whole", "another numbering of regions");
    assert_eq!(get(&server, &format!("/drawings/{id}"))["info"]["changed_by"], "ada-1");
    // Nobody is there any more, but she changed it last.
    server.execute("update people set seen = now() - interval '2 minutes'");
    let told = people();
    assert_eq!((told.as_array().unwrap().len(), &told[0]["name"], &told[0]["here"]), (1, &json!("Ada"), &json!(false)));
}

#[test]
fn a_still_shows_ink_and_paint_by_themselves_and_is_kept() {
    let server = Server::start();
    fed_shot(&server);
    let id = hang(&server, "030")[0].0;
    let read = |bytes: Vec<u8>| {
        let n = u32::from_le_bytes(bytes[..4].try_into().unwrap()) as usize;
        let facts: Value = serde_json::from_slice(&bytes[4..4 + n]).unwrap();
        let ink = facts["ink"].as_u64().unwrap() as usize;
        let picture = |bytes: &[u8]| image::load_from_memory(bytes).unwrap().into_rgba8();
        (facts.clone(), picture(&bytes[4 + n..4 + n + ink]), picture(&bytes[4 + n + ink..]))
    };
    let inked = |p: &image::RgbaImage| p.pixels().filter(|p| p.0[3] > 128).count();
    // Not lifted yet: what is darker than paper.
    let (_, ink, paint) = read(bytes(&server, &format!("/drawings/{id}/still")));
    assert!(inked(&ink) > 2000 && inked(&ink) < ink.len() / 40 && inked(&paint) == 0, "{}", inked(&ink));
    let view = get(&server, &format!("/drawings/{id}"));
    command(&server, id, &view, json!({ "of": "trace", "do": "prepare", "recipes": view["recipes"] }));
    let view = get(&server, &format!("/drawings/{id}"));
    let seed = view["regions"].as_array().unwrap().iter().max_by_key(|r| r["area"].as_u64()).unwrap()["seed"].clone();
    let (sid, swatches) = (
        view["shot"].clone(),
        json!([{ "id": "moss", "name": "Moss", "colour": [40, 90, 60], "group": "", "tones": {}, "note": "" }]),
    );
    put_done(&server, &format!("/shots/{sid}/colours"), &json!({ "revision": 0, "tones": [], "swatches": swatches }));
    command(&server, id, &view, json!({ "of": "paint", "do": "fill", "at": [seed], "swatch": "moss" }));
    let address = format!("/drawings/{id}/still");
    let first = bytes(&server, &address);
    let (facts, ink, paint) = read(first.clone());
    let size = |p: &image::RgbaImage| [p.width(), p.height()];
    assert_eq!(size(&ink), size(&paint));
    assert_eq!(facts["level"], 0, "150 dpi need not be made smaller");
    let at = |n: usize| seed[n].as_f64().unwrap() as u32;
    assert_eq!(paint.get_pixel(at(0), at(1)).0, [40, 90, 60, 255]);
    assert_eq!(ink.get_pixel(at(0), at(1)).0[3], 0);
    assert_eq!(bytes(&server, &address), first);
}

#[test]
fn a_new_scan_takes_the_place_of_a_drawing_with_what_was_made_by_hand() {
    let server = Server::start();
    let shot = fed_shot(&server);
    let before = hang(&server, "030");
    let (id, name) = before[1].clone();
    let view = get(&server, &format!("/drawings/{id}"));
    let mut recipes = view["recipes"].clone();
    recipes["weight"]["amount"] = json!(0.1);
    let view = command(&server, id, &view, json!({ "of": "trace", "do": "prepare", "recipes": recipes }));
    let findings = |v: &Value| v["findings"].as_array().unwrap().clone();
    let sure: Vec<Value> = findings(&view).iter().filter(|f| f["sure"] == true).map(|f| f["id"].clone()).collect();
    let place = |f: &Value| [0, 1].map(|k| f["at"][k].as_f64().unwrap());
    let cut: Vec<[f64; 2]> =
        findings(&view).iter().filter(|f| f["sure"] == true && f["kind"] == "tail").map(place).collect();
    assert!(!cut.is_empty(), "there is a tail that is cut");
    command(&server, id, &view, json!({ "of": "findings", "do": "settle", "ids": sure, "with": null }));
    let view = get(&server, &format!("/drawings/{id}"));
    let seed = view["regions"].as_array().unwrap().iter().max_by_key(|r| r["area"].as_u64()).unwrap()["seed"].clone();
    put_done(
        &server,
        &format!("/shots/{shot}/colours"),
        &json!({ "revision": 0, "tones": [], "swatches": [
            { "id": "moss", "name": "Moss", "colour": [40, 90, 60], "group": "", "tones": {}, "note": "" } ] }),
    );
    command(&server, id, &view, json!({ "of": "paint", "do": "fill", "at": [seed], "swatch": "moss" }));
    // A stretch of the longest line, from crossing to crossing, is taken away.
    let points = |of: i64| -> Vec<Vec<[f64; 2]>> {
        let drawing = get(&server, &format!("/drawings/{of}/hand-off/drawing.json"));
        let pair = |p: &Value| [0, 1].map(|k| p[k].as_f64().unwrap());
        let lines = drawing["lines"].as_array().unwrap().iter();
        lines.filter_map(|l| Some(l["points"].as_array()?.iter().map(pair).collect())).collect()
    };
    let longest = points(id).into_iter().max_by_key(Vec::len).unwrap();
    let taken = longest[longest.len() / 2];
    let near = |of: i64| points(of).concat().iter().any(|p| (p[0] - taken[0]).hypot(p[1] - taken[1]) < 2.0);
    assert!(near(id));
    let view = get(&server, &format!("/drawings/{id}"));
    command(&server, id, &view, json!({ "of": "join", "do": "take_span", "at": taken }));
    assert!(!near(id));
    let old = get(&server, &format!("/drawings/{id}"));
    let bridges = |v: &Value| v["lines"].as_array().unwrap().iter().filter(|l| l["made"] == "bridge").count();
    assert!(bridges(&old) >= 2, "{} bridges", bridges(&old));

    // The same sheet fed once more, in grey.
    let scan = |of: i64, name: &str, bytes: &[u8]| {
        let url = format!("{}/api/drawings/{of}/scan?name={name}", server.url);
        let mut answer = agent().post(url).header("x-rhizograph", "1").send(bytes).unwrap();
        (answer.status().as_u16(), answer.body_mut().read_json::<Value>().unwrap())
    };
    let (_, file) = rhizograph_app::demo::fed(3, 150.0, true).unwrap();
    let (status, told) = scan(id, "again.png", &file);
    assert_eq!(status, 200, "{told}");
    let new = told["id"].as_i64().unwrap();
    let now = hang(&server, "030");
    assert_eq!(now[1], (new, name.clone()));
    assert_eq!([now[0].0, now[2].0], [before[0].0, before[2].0]);
    let again = get(&server, &format!("/drawings/{new}"));
    assert_eq!((&again["recipes"]["weight"]["amount"], &again["dpi"]), (&json!(0.1), &json!(150.0)));
    assert_eq!(bridges(&again), bridges(&old), "{told}");
    // What was cut is cut again.
    let is_there = |c: &[f64; 2]| {
        let is_near = |f: &Value| (place(f)[0] - c[0]).hypot(place(f)[1] - c[1]) < 6.0;
        findings(&again).iter().any(|f| f["kind"] == "tail" && f["left"] == false && f["quiet"] == false && is_near(f))
    };
    assert!(!cut.iter().any(is_there), "{told}");
    let painted = |v: &Value| {
        let area = |v: &Value| v["area"].as_f64().unwrap() / v["dpi"].as_f64().unwrap_or(1.0);
        v["regions"].as_array().unwrap().iter().filter(|r| r["swatch"] == "moss").map(area).sum::<f64>()
            / v["dpi"].as_f64().unwrap().powi(2)
    };
    let (a, b) = (painted(&old), painted(&again));
    assert!((a - b).abs() < 0.05 * a, "{a} and {b} square inches are painted");
    assert!(!near(new), "{told}");
    for says in ["still lie on ink", "what was erased or led elsewhere by hand is so again at one place"] {
        assert!(told["notes"].as_array().unwrap().iter().any(|n| n.as_str().unwrap().contains(says)), "{told}");
    }

    // The old one is kept, as it was; what cannot be read changes nothing.
    assert_eq!(get(&server, "/away")[0]["id"], id);
    assert_eq!(scan(new, "letter.png", b"Dear reader").0, 422);
    assert_eq!(scan(id, "again.jpg", b"Dear reader").0, 404);
    assert_eq!(hang(&server, "030"), now);
    put_done(&server, "/away", &json!({ "what": "drawing", "id": id, "away": false }));
    assert_eq!(get(&server, &format!("/drawings/{id}"))["lines"], old["lines"]);
}
