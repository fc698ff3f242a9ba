//! The server over a real PostgreSQL: what it saves, refuses and remembers.

use crate::support;

use rhizograph_core::raster::plane::Plane;
use rhizograph_formats::tiff_out::{Depth, Packing, tiff};
use serde_json::{Value, json};
use support::Server;
use support::asking::*;
use ureq::Body;
use ureq::http::Response;

/// The view without what counts steps and revisions. Regions are told by where they are: their numbers, and where their
/// borders begin, depend on how the drawing came about.
fn state(view: &Value) -> Value {
    let list = |name: &str| view[name].as_array().unwrap().clone();
    let mut lines = list("lines");
    lines.sort_by_key(|l| l["id"].as_u64());
    let mut regions: Vec<Value> =
        list("regions").iter().map(|r| json!([r["seed"], r["area"], r["bounds"], r["swatch"]])).collect();
    regions.sort_by_key(Value::to_string);
    let mut findings = list("findings");
    findings.iter_mut().for_each(|f| f["region"] = Value::Null);
    json!([lines, regions, findings, view["recipes"]])
}

/// All of a view that does not depend on who is asked.
fn whole(view: &Value) -> Value {
    let mut rest = view.as_object().unwrap().clone();
    for name in ["told", "numbering", "lines", "regions", "findings"] {
        rest.remove(name);
    }
    json!([state(view), rest])
}

#[test]
fn work_outlives_a_crash_and_undo_works_after_it() {
    let mut server = Server::start();
    let id = drawing(&server, 0);
    let at = format!("/drawings/{id}");
    let fresh = get(&server, &at);
    let traced = command(&server, id, &fresh, json!({ "of": "trace", "do": "trace" }));
    let ids: Vec<Value> =
        traced["findings"].as_array().unwrap().iter().filter(|f| f["sure"] == true).map(|f| f["id"].clone()).collect();
    assert!(ids.len() >= 3);
    let settled = command(&server, id, &traced, json!({ "of": "findings", "do": "settle", "ids": ids, "with": null }));
    let seed = settled["regions"][0]["seed"].clone();
    let filled = command(&server, id, &settled, json!({ "of": "paint", "do": "fill", "at": [seed], "swatch": "skin" }));
    let ink = bytes(&server, &format!("{at}/hand-off/ink.png"));

    server.crash_and_restart();
    let again = get(&server, &at);
    assert_eq!(whole(&again), whole(&filled));
    assert_eq!(bytes(&server, &format!("{at}/hand-off/ink.png")), ink, "the same pixels after a restart");

    // Undo three times, each the same state as before; then redo all.
    let mut view = again;
    for want in [&settled, &traced, &fresh] {
        view = done(&server, &format!("{at}/undo"), &json!({ "revision": view["info"]["revision"] }));
        assert_eq!(state(&view), state(want));
    }
    for want in [&traced, &settled, &filled] {
        view = done(&server, &format!("{at}/redo"), &json!({ "revision": view["info"]["revision"] }));
        assert_eq!(state(&view), state(want));
    }
    let nothing = post(&server, &format!("{at}/redo"), &json!({ "revision": view["info"]["revision"] }));
    assert_eq!(nothing.status(), 422);
}

/// A step on what is shown answers what changed of it: taken over, that is what is told when all is asked for; and what is
/// stored gives the same after a restart, with a journal longer than it is let grow.
#[test]
fn steps_answer_what_changed_and_the_journal_gives_the_same_state() {
    let mut server = Server::start();
    let id = drawing(&server, 3);
    let at = format!("/drawings/{id}");
    let mut view = command(&server, id, &get(&server, &at), json!({ "of": "trace", "do": "trace" }));
    let step = |view: &mut Value, path: &str, command: Option<Value>| {
        let request = json!({
            "revision": view["info"]["revision"], "numbering": view["numbering"], "command": command,
        });
        let told = done(&server, &format!("{at}/{path}"), &request);
        assert_eq!(told["told"], "patch", "{path}");
        let swap = |list: &Value, gone: &Value, made: &Value, key: &str| {
            let gone = gone.as_array().unwrap();
            let kept = list.as_array().unwrap().iter().filter(|t| !gone.contains(&t[key]));
            Value::Array(kept.chain(made.as_array().unwrap()).cloned().collect())
        };
        let mut next = told["frame"].clone();
        next["lines"] = swap(&view["lines"], &told["lines_gone"], &told["lines"], "id");
        next["regions"] = swap(&view["regions"], &told["regions_gone"], &told["regions"], "id");
        next["findings"] = swap(&view["findings"], &told["findings_gone"], &told["findings"], "id");
        for r in told["refilled"].as_array().unwrap() {
            let regions = next["regions"].as_array_mut().unwrap();
            let hit = regions.iter_mut().filter(|o| o["id"] == r["region"]);
            hit.for_each(|o| o["swatch"] = r["swatch"].clone());
        }
        *view = next;
    };
    let sorted = |view: &Value| {
        let mut told = state(view);
        told[2].as_array_mut().unwrap().sort_by_key(|f| f["id"].as_str().unwrap().to_owned());
        told
    };
    for k in 0..60 {
        let (x, y) = (300.0 + 29.0 * f64::from(k), 400.0 + 17.0 * f64::from(k % 9));
        let seed = view["regions"][k as usize % 5]["seed"].clone();
        let command = match k % 4 {
            0 => json!({ "of": "join", "do": "seam", "path": [[x, y], [x + 120.0, y + 90.0]] }),
            1 => {
                let is_skin = view["regions"][k as usize % 5]["swatch"] == "skin";
                json!({ "of": "paint", "do": "fill", "at": [seed], "swatch": if is_skin { "shell-rim" } else { "skin" } })
            }
            2 => json!({ "of": "findings", "do": "settle", "ids": [view["findings"][0]["id"]], "with": null }),
            _ => json!({ "of": "paint", "do": "clear", "at": [seed] }),
        };
        // Only what is filled can be cleared: what changes nothing is no step, and answers that nothing changed.
        if k % 4 == 3 && view["regions"][k as usize % 5]["swatch"].is_null() {
            let before = view["info"]["revision"].clone();
            step(&mut view, "commands", Some(command));
            assert_eq!(view["info"]["revision"], before);
            continue;
        }
        step(&mut view, "commands", Some(command));
        if k % 10 == 9 {
            step(&mut view, "undo", None);
            step(&mut view, "redo", None);
        }
    }
    let all = get(&server, &at);
    assert_eq!(sorted(&view), sorted(&all));
    server.crash_and_restart();
    assert_eq!(sorted(&get(&server, &at)), sorted(&all));
    // One step more; when it has been quiet for a while the state is kept in place of the journal, and is the same.
    done(&server, &format!("{at}/undo"), &json!({ "revision": all["info"]["revision"] }));
    let all = get(&server, &at);
    let began = std::time::Instant::now();
    while server.journal_length(id) > 0 {
        assert!(began.elapsed().as_secs() < 60, "the journal is not settled");
        std::thread::sleep(std::time::Duration::from_millis(250));
    }
    server.crash_and_restart();
    assert_eq!(sorted(&get(&server, &at)), sorted(&all));
}

#[test]
fn what_a_newer_program_wrote_is_refused_and_kept() {
    let mut server = Server::start();
    let id = drawing(&server, 1);
    let at = format!("/drawings/{id}");
    let traced = command(&server, id, &get(&server, &at), json!({ "of": "trace", "do": "trace" }));
    server.execute("update states set version = 99");
    server.crash_and_restart();
    let mut refused = agent().get(format!("{}/api{at}", server.url)).call().unwrap();
    assert_eq!(refused.status(), 422);
    let told: Value = refused.body_mut().read_json().unwrap();
    assert!(told["error"].as_str().unwrap().contains("a newer program wrote"), "{told}");
    let step = post(&server, &format!("{at}/undo"), &json!({ "revision": traced["info"]["revision"] }));
    assert_eq!(step.status(), 422);
    // It is as it was for the program that can read it.
    server.execute(&format!("update states set version = {}", rhizograph_app::store::stored::VERSION));
    server.crash_and_restart();
    assert_eq!(state(&get(&server, &at)), state(&traced));
}

#[test]
fn a_stale_step_is_refused_and_overwrites_nothing() {
    let server = Server::start();
    let id = drawing(&server, 1);
    let at = format!("/drawings/{id}");
    let fresh = get(&server, &at);
    let set = |longest: f64| {
        let mut recipes = fresh["recipes"].clone();
        recipes["join"]["longest_gap"] = json!(longest);
        json!({ "of": "settings", "do": "recipes", "recipes": recipes })
    };
    let first = command(&server, id, &fresh, set(2.0));
    let body = json!({ "revision": fresh["info"]["revision"], "command": set(1.0) });
    let mut refused = post(&server, &format!("{at}/commands"), &body);
    assert_eq!(refused.status(), 409);
    let told: Value = refused.body_mut().read_json().unwrap();
    assert_eq!(told["revision"], first["info"]["revision"]);
    assert_eq!(whole(&get(&server, &at)), whole(&first));
}

#[test]
fn originals_are_kept_byte_for_byte() {
    let server = Server::start();
    let want = rhizograph_app::demo::scanned(2).unwrap();
    let id = drawing(&server, 2);
    assert_eq!(bytes(&server, &format!("/drawings/{id}/original")), want);
}

#[test]
fn each_page_of_a_tiff_is_a_drawing_and_the_layers_of_one_are_one() {
    let server = Server::start();
    let production = get(&server, "/productions")[0]["id"].clone();
    let new = json!({ "production": production, "number": "070", "name": "Pages" });
    let shot = done(&server, "/shots", &new).as_i64().unwrap();
    // A stroke of another length on each page.
    let page = |name: &str, length: usize| {
        let mut pixels = Plane::new(400, 300, [255u8; 4]);
        (0..length).for_each(|x| (140..152).for_each(|y| pixels.set(40 + x, y, [10, 10, 10, 255])));
        (name.to_owned(), pixels)
    };
    let file = |pages: &[(&str, usize)]| {
        let pages = pages.iter().map(|&(name, length)| Ok(page(name, length)));
        tiff(150.0, Packing::Lzw, Depth::Eight, pages).unwrap()
    };
    let bring = |name: &str, bytes: &[u8]| {
        let url = format!("{}/api/shots/{shot}/drawings?name={name}", server.url);
        let mut answer = agent().post(url).header("x-rhizograph", "1").send(bytes).unwrap();
        (answer.status().as_u16(), answer.body_mut().read_json::<Value>().unwrap())
    };
    let three = file(&[("", 100), ("", 200), ("", 300)]);
    let (status, told) = bring("stack.tiff", &three);
    assert_eq!((status, &told["notes"][0]), (200, &json!("its 3 pages are a drawing each")), "{told}");
    let hang = || self::shot(&server, "070")["drawings"].as_array().unwrap().clone();
    let names = |list: &[Value]| list.iter().map(|d| d["name"].clone()).collect::<Vec<_>>();
    assert_eq!(names(&hang()), ["stack-01", "stack-02", "stack-03"]);
    for (n, d) in hang().iter().enumerate() {
        let id = d["id"].as_i64().unwrap();
        assert_eq!(bytes(&server, &format!("/drawings/{id}/original")), three);
        let view = get(&server, &format!("/drawings/{id}"));
        let traced = command(&server, id, &view, json!({ "of": "trace", "do": "prepare", "recipes": view["recipes"] }));
        let line = &traced["lines"][0]["bounds"];
        let long = line[2].as_f64().unwrap() - line[0].as_f64().unwrap();
        assert!((long - 100.0 * (n + 1) as f64).abs() < 16.0, "page {n}: {line}");
    }
    // A copy shares its file, and outlives a restart.
    let id = hang()[1]["id"].as_i64().unwrap();
    let copy = done(&server, &format!("/drawings/{id}/duplicate"), &json!({ "name": "copy" })).as_i64().unwrap();
    let other = server.beside();
    assert_eq!(bytes(&other, &format!("/drawings/{copy}/original")), three);
    let paths = |id: i64| -> Vec<Value> {
        get(&other, &format!("/drawings/{id}"))["lines"].as_array().unwrap().iter().map(|l| l["path"].clone()).collect()
    };
    assert_eq!(paths(copy), paths(id));
    // What went out as layers comes back as one drawing; of a file that is cut off nothing comes in.
    let (_, told) = bring("layers.tiff", &file(&[("Drawing", 100), ("Ink", 200)]));
    assert_eq!(told["notes"], json!(["of its 2 layers the ink was taken"]));
    let before = names(&hang());
    assert_eq!(bring("cut.tiff", &three[..60]).0, 422);
    assert_eq!(names(&hang()), before);
}

#[test]
fn only_the_programs_own_pages_may_write() {
    let server = Server::start();
    let count = || get(&server, "/productions").as_array().unwrap().len();
    let before = count();
    let send = |headers: &[(&str, &str)]| {
        let mut request = agent().post(format!("{}/api/productions", server.url));
        for (k, v) in headers {
            request = request.header(*k, *v);
        }
        request.send_json(json!({ "name": "Somebody else's" })).unwrap().status().as_u16()
    };
    assert_eq!(send(&[]), 403, "a form of another page cannot send our header");
    assert_eq!(send(&[("x-rhizograph", "1"), ("origin", "http://evil.example")]), 403);
    assert_eq!(send(&[("x-rhizograph", "1"), ("host", "evil.example")]), 403);
    assert_eq!(count(), before);
    let read =
        agent().get(format!("{}/api/productions", server.url)).header("host", "evil.example:7411").call().unwrap();
    assert_eq!(read.status(), 403, "another host name reads nothing either");
    assert_eq!(send(&[("x-rhizograph", "1"), ("origin", &server.url)]), 200);
    assert_eq!(count(), before + 1);
}

#[test]
fn settings_out_of_range_and_unknown_names_are_told_and_change_nothing() {
    let server = Server::start();
    let id = drawing(&server, 3);
    let at = format!("/drawings/{id}");
    let fresh = get(&server, &at);
    let revision = fresh["info"]["revision"].clone();
    let mut recipes = fresh["recipes"].clone();
    recipes["lift"]["reach"] = json!(400);
    for (command, says) in [
        (json!({ "of": "settings", "do": "recipes", "recipes": recipes }), "reach"),
        (json!({ "of": "paint", "do": "fill", "at": [[5, 5]], "swatch": "no-such" }), "no-such"),
        (json!({ "of": "findings", "do": "settle", "ids": ["gap@1,1"], "with": null }), "gap@1,1"),
        (json!({ "of": "join", "do": "remove", "line": 4_000_000 }), "4000000"),
    ] {
        let mut refused =
            post(&server, &format!("{at}/commands"), &json!({ "revision": revision, "command": command }));
        assert_eq!(refused.status(), 422, "{command}");
        let told: Value = refused.body_mut().read_json().unwrap();
        assert!(told["error"].as_str().unwrap().contains(says), "{told}");
    }
    let garbled = agent()
        .post(format!("{}/api{at}/commands", server.url))
        .header("x-rhizograph", "1")
        .header("content-type", "application/json")
        .send("{\"revision\":")
        .unwrap();
    assert!([400, 422].contains(&garbled.status().as_u16()));
    assert_eq!(get(&server, &at), fresh);
}

/// What is told and the pixels after it.
fn told(mut response: Response<Body>) -> (Value, Vec<u8>) {
    assert_eq!(response.status(), 200);
    let bytes = response.body_mut().with_config().limit(64 << 20).read_to_vec().unwrap();
    let n = u32::from_le_bytes(bytes[..4].try_into().unwrap()) as usize;
    (serde_json::from_slice(&bytes[4..4 + n]).unwrap(), bytes[4 + n..].to_vec())
}

/// The alpha of a picture that comes in runs of 64 pixels of a row, and what comes after it.
fn unpacked(packed: &[u8], width: usize, height: usize) -> (Vec<u8>, &[u8]) {
    let runs = width.div_ceil(64);
    let (seen, mut rest) = packed.split_at(runs * height);
    let mut alpha = vec![0; width * height];
    for (k, _) in seen.iter().enumerate().filter(|s| *s.1 > 0) {
        let (x, y) = (k % runs * 64, k / runs);
        let (run, more) = rest.split_at(64.min(width - x));
        alpha[y * width + x..][..run.len()].copy_from_slice(run);
        rest = more;
    }
    (alpha, rest)
}

/// The alpha of a window of the ink that is stored, as a PNG gives it.
fn stored_alpha(server: &Server, id: i64, window: &str) -> Vec<u8> {
    let png = bytes(server, &format!("/drawings/{id}/pictures/ink?{window}"));
    let rgba = image::load_from_memory(&png).unwrap().to_rgba8();
    rgba.pixels().map(|p| p[3]).collect()
}

#[test]
fn what_lift_and_weight_show_is_what_tracing_then_takes() {
    let server = Server::start();
    let id = drawing(&server, 4);
    let at = format!("/drawings/{id}");
    let fresh = get(&server, &at);
    let mut recipes = fresh["recipes"].clone();
    recipes["lift"]["edge"] = json!("crisp");
    recipes["lift"]["specks"] = json!(0.3);
    recipes["weight"]["amount"] = json!(0.13);
    let window = json!({ "x": 400, "y": 304, "width": 900, "height": 700, "level": 0 });
    let inking = json!({ "lift": recipes["lift"], "weight": recipes["weight"], "by_hand": fresh["by_hand"] });
    let ask = |exact| {
        let request = json!({ "inking": inking, "window": window, "exact": exact, "caught": false });
        told(post(&server, &format!("{at}/glance"), &request))
    };
    let (quick, quickly) = ask(false);
    let (exact, packed) = ask(true);
    let (pixels, rest) = unpacked(&packed, 900, 700);
    assert!(rest.is_empty());
    assert!(quick["facts"].is_null());
    assert!(exact["facts"]["specks_gone"].as_u64().unwrap() > 0);
    assert_eq!((exact["width"].as_u64(), exact["height"].as_u64()), (Some(900), Some(700)));
    assert!(quickly == packed, "the quick one shows the same");
    // What points cost is told of the ink as it is lifted.
    assert!(exact["trade"].is_null());
    let mut lifted = inking.clone();
    lifted["weight"]["amount"] = json!(0.0);
    let request = json!({ "inking": lifted, "window": window, "exact": true, "caught": false });
    let (of_lifted, _) = told(post(&server, &format!("{at}/glance"), &request));
    assert!(of_lifted["trade"]["thin_lost"].as_f64().unwrap() < 0.05);
    let strip = json!({ "inking": inking, "window": window, "weights": [recipes["weight"], { "amount": 0.0 }] });
    let (size, variants) = told(post(&server, &format!("{at}/strip"), &strip));
    assert_eq!(size, json!([900, 700]));
    let (first, rest) = unpacked(&variants, 900, 700);
    assert!(first == pixels, "the variant shows the same");
    let (second, rest) = unpacked(rest, 900, 700);
    assert!(second != pixels && rest.is_empty());
    assert_eq!(get(&server, &at), fresh, "looking changes nothing");
    let set = command(&server, id, &fresh, json!({ "of": "settings", "do": "recipes", "recipes": recipes }));
    command(&server, id, &set, json!({ "of": "trace", "do": "trace" }));
    assert!(stored_alpha(&server, id, "x=400&y=304&width=900&height=700&level=0") == pixels);
}

#[test]
fn a_sheet_laid_out_anew_takes_its_lines_along_and_comes_back_by_undo() {
    let server = Server::start();
    let id = drawing(&server, 2);
    let at = format!("/drawings/{id}");
    let traced = command(&server, id, &get(&server, &at), json!({ "of": "trace", "do": "trace" }));
    let mut intake = traced["recipes"]["intake"].clone();
    intake["crop"] = json!([200.0, 100.0, 2000.0, 1600.0]);
    let cropped = command(&server, id, &traced, json!({ "of": "intake", "do": "intake", "intake": intake }));
    assert_eq!((cropped["width"].as_u64(), cropped["height"].as_u64()), (Some(2000), Some(1600)));
    assert_eq!(cropped["lines"].as_array().unwrap().len(), traced["lines"].as_array().unwrap().len());
    assert_eq!(cropped["stale"], json!(false), "the lines went along");
    let first = |view: &Value| {
        view["findings"][0]["at"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect::<Vec<_>>()
    };
    let (before, after) = (first(&traced), first(&cropped));
    assert!(
        (before[0] - after[0] - 200.0).abs() < 3.0 && (before[1] - after[1] - 100.0).abs() < 3.0,
        "{before:?} {after:?}"
    );
    let undone = done(&server, &format!("{at}/undo"), &json!({ "revision": cropped["info"]["revision"] }));
    assert_eq!(state(&undone), state(&traced));
    // Settings cannot smuggle a layout in.
    let mut recipes = undone["recipes"].clone();
    recipes["intake"]["quarter_turns"] = json!(1);
    let request = json!({ "revision": undone["info"]["revision"], "command": { "of": "settings", "do": "recipes", "recipes": recipes } });
    assert_eq!(post(&server, &format!("{at}/commands"), &request).status(), 422);
    assert_eq!(whole(&get(&server, &at)), whole(&undone));
}

fn steps(server: &Server, shot: &Value) -> Vec<u64> {
    let steps = |d: &Value| get(server, &format!("/drawings/{}", d["id"]))["steps"].as_u64().unwrap();
    shot["drawings"].as_array().unwrap().iter().map(steps).collect()
}

#[test]
fn a_shot_lifts_in_the_background_and_goes_on_after_a_crash_without_loss_or_double_work() {
    let mut server = Server::start();
    let id = fed_shot(&server);
    let first = shot(&server, "030")["drawings"][0]["id"].as_i64().unwrap();
    // One drawing has points of its own.
    let view = get(&server, &format!("/drawings/{first}"));
    let mut own = view["recipes"].clone();
    own["lift"]["points"] = json!({ "ink": 0.9, "mid": 0.45, "paper": 0.3 });
    command(&server, first, &view, json!({ "of": "settings", "do": "recipes", "recipes": own }));
    let mut settings = json!({ "lift": view["recipes"]["lift"], "weight": view["recipes"]["weight"], "trace": view["recipes"]["trace"] });
    settings["lift"]["specks"] = json!(0.2);
    done(&server, &format!("/shots/{id}/lift"), &settings);
    job_when(&server, id, |j| j["done"].as_u64() >= Some(1));
    server.crash_and_restart();
    let job = job_when(&server, id, |j| j["state"] == "done");
    assert_eq!(job["told"], json!([]));
    let after = shot(&server, "030");
    assert!(after["drawings"].as_array().unwrap().iter().all(|d| d["progress"]["lifted"] == json!(true)));
    assert_eq!(steps(&server, &after), [2, 1, 1], "each was done once");
    let kept = get(&server, &format!("/drawings/{first}"));
    assert_eq!(kept["recipes"]["lift"]["points"]["mid"], json!(0.45));
    assert_eq!(kept["recipes"]["lift"]["specks"], json!(0.2));
    assert!(kept["lines"].as_array().unwrap().len() > 30);
    // The same again changes nothing; work by hand is left as it is.
    let second = after["drawings"][1]["id"].as_i64().unwrap();
    let view = get(&server, &format!("/drawings/{second}"));
    let gap = view["findings"].as_array().unwrap().iter().find(|f| f["kind"] == "gap").unwrap()["id"].clone();
    command(&server, second, &view, json!({ "of": "findings", "do": "settle", "ids": [gap], "with": null }));
    settings["lift"]["specks"] = json!(0.1);
    done(&server, &format!("/shots/{id}/lift"), &settings);
    let job = job_when(&server, id, |j| j["state"] == "done");
    let told = job["told"].as_array().unwrap();
    assert!(told.len() == 1 && told[0].as_str().unwrap().contains("bridges or cut lines"), "{told:?}");
    assert_eq!(steps(&server, &shot(&server, "030")), [3, 2, 2]);
}

#[test]
fn stopping_keeps_what_is_done_and_begins_nothing_more() {
    let server = Server::start();
    let demo = shot(&server, "012");
    let id = demo["id"].as_i64().unwrap();
    let view = get(&server, &format!("/drawings/{}", demo["drawings"][0]["id"]));
    let settings = json!({ "lift": view["recipes"]["lift"], "weight": view["recipes"]["weight"], "trace": view["recipes"]["trace"] });
    done(&server, &format!("/shots/{id}/lift"), &settings);
    let job = job_when(&server, id, |j| j["done"].as_u64() >= Some(1));
    done(&server, &format!("/jobs/{}/stop", job["id"]), &json!({}));
    let stopped = job_when(&server, id, |j| j["state"] != "running");
    // Work is taken in turn: when what was asked for afterwards is done, nothing of the stopped work is left to be begun.
    let one = json!({ "device": "sheet_feeder", "sheets": [0], "dpi": 100.0, "grey": true });
    let other = done(
        &server,
        "/shots",
        &json!({ "production": get(&server, "/productions")[0]["id"], "number": "031", "name": "After" }),
    );
    done(&server, &format!("/shots/{other}/deliver"), &one);
    job_when(&server, other.as_i64().unwrap(), |j| j["state"] == "done");
    let later = job_when(&server, id, |_| true);
    assert_eq!((&later["id"], &later["done"]), (&stopped["id"], &stopped["done"]));
    let lifted =
        |s: &Value| s["drawings"].as_array().unwrap().iter().filter(|d| d["progress"]["lifted"] == json!(true)).count();
    let now = shot(&server, "012");
    assert_eq!(Some(lifted(&now) as u64), stopped["done"].as_u64());
    assert!(lifted(&now) < 8, "it was stopped before the end");
    assert_eq!(steps(&server, &now).iter().sum::<u64>(), lifted(&now) as u64);
    for wrong in [
        json!({ "device": "sheet_feeder", "sheets": [], "dpi": 300.0, "grey": false }),
        json!({ "device": "sheet_feeder", "sheets": [99], "dpi": 300.0, "grey": false }),
        json!({ "device": "sheet_feeder", "sheets": [1], "dpi": 9000.0, "grey": false }),
    ] {
        assert_eq!(post(&server, &format!("/shots/{id}/deliver"), &wrong).status(), 422);
    }
}

fn send(server: &Server, method: &str, path: &str, body: &Value) -> (u16, Value) {
    let address = format!("{}/api{path}", server.url);
    let mut response = match method {
        "GET" => agent().get(address).call(),
        "PUT" => agent().put(address).header("x-rhizograph", "1").send_json(body),
        _ => agent().post(address).header("x-rhizograph", "1").send_json(body),
    }
    .unwrap();
    (response.status().as_u16(), response.body_mut().read_json().unwrap_or(Value::Null))
}

/// Whatever is asked wrongly is refused in words, with what became of the work, and changes nothing.
#[test]
fn every_address_says_in_words_what_it_cannot_do() {
    let server = Server::start();
    let id = drawing(&server, 3);
    let at = format!("/drawings/{id}");
    let before = get(&server, "/productions");
    let shot = before[0]["shots"][0]["id"].clone();
    let revision = get(&server, &at)["info"]["revision"].clone();
    let swatch = |id: &str, name: &str| json!({ "id": id, "name": name, "colour": [1, 2, 3] });
    let window = json!({ "x": 0, "y": 0, "width": 8, "height": 8, "level": 0 });
    let inking = json!({ "lift": {}, "weight": { "amount": 9.0 }, "by_hand": {} });
    let long = "x".repeat(81);
    let asked = [
        ("GET", "/drawings/987654".into(), Value::Null, 404, "no such drawing"),
        ("GET", "/drawings/987654/original".into(), Value::Null, 404, "no such drawing"),
        ("GET", "/drawings/987654/thumbnail".into(), Value::Null, 404, "no such drawing"),
        ("PUT", "/away".into(), json!({ "what": "drawing", "id": 987654, "away": true }), 404, "no such drawing"),
        ("PUT", "/away".into(), json!({ "what": "drawing", "id": 987654, "away": false }), 404, "no such drawing"),
        ("PUT", "/away".into(), json!({ "what": "shot", "id": 987654, "away": true }), 404, "no such shot"),
        ("PUT", "/away".into(), json!({ "what": "production", "id": 987654, "away": true }), 404, "no such production"),
        ("PUT", "/shots/987654/order".into(), json!({ "drawings": [] }), 404, "no such shot"),
        ("PUT", "/shots/987654".into(), json!({ "number": "1", "name": "Two" }), 404, "no such shot"),
        ("PUT", "/productions/987654".into(), json!({ "name": "" }), 422, "a name of"),
        ("PUT", "/productions/987654".into(), json!({ "name": "Two" }), 404, "no such production"),
        ("POST", "/shots/987654/copy".into(), json!({ "number": "1", "name": "Two" }), 404, "no such shot"),
        ("POST", "/productions/987654/copy".into(), json!({ "name": "Two" }), 404, "no such production"),
        ("POST", "/drawings/987654/duplicate".into(), json!({ "name": "Two" }), 404, "no such drawing"),
        ("POST", "/shots/987654/settle".into(), Value::Null, 422, "nothing is open"),
        ("POST", "/jobs/987654/undo".into(), Value::Null, 422, "nothing to undo"),
        ("GET", "/drawings/987654/still".into(), Value::Null, 404, "no such drawing"),
        ("GET", "/drawings/987654/since?revision=0&numbering=0".into(), Value::Null, 404, "no such drawing"),
        ("POST", "/drawings/987654/undo".into(), json!({ "revision": 1 }), 404, "no such drawing"),
        ("POST", "/drawings/987654/leak".into(), json!({ "at": [1, 1] }), 404, "no such drawing"),
        ("GET", "/drawings/987654/alike".into(), Value::Null, 404, "no such drawing"),
        ("GET", "/drawings/987654/decided-elsewhere".into(), Value::Null, 404, "no such drawing"),
        ("POST", "/shots/987654/lift".into(), Value::Null, 422, "could not be understood"),
        (
            "PUT",
            "/shots/987654/colours".into(),
            json!({ "revision": 0, "tones": [], "swatches": [] }),
            404,
            "no such shot",
        ),
        (
            "POST",
            "/shots/987654/deliver".into(),
            json!({ "device": "phone_camera", "sheets": [0] }),
            404,
            "no such shot",
        ),
        ("POST", "/jobs/987654/stop".into(), json!({}), 404, "no such work"),
        ("POST", "/drawings/987654/carry".into(), json!({ "to": "next" }), 404, "no such drawing"),
        ("POST", format!("{at}/carry"), json!({ "to": "everywhere" }), 422, ""),
        ("POST", format!("{at}/carry"), json!({ "to": "next" }), 422, "nothing is painted"),
        ("GET", "/shots/987654/colours/colours.gpl".into(), Value::Null, 404, "no such shot"),
        ("GET", format!("/shots/{shot}/colours/colours.xls"), Value::Null, 422, ".gpl, .css or .json"),
        ("POST", "/shots/987654/replace".into(), json!({ "swatch": "skin", "by": null }), 404, "no such shot"),
        ("POST", format!("/shots/{shot}/replace"), json!({ "swatch": "skin", "by": "nobody" }), 422, "nobody"),
        ("POST", format!("/shots/{shot}/replace"), json!({ "swatch": "unheard", "by": null }), 422, "no drawing"),
        ("POST", "/colours?name=a.gpl".into(), json!({ "no": "palette" }), 422, "no palette"),
        ("POST", "/colours?name=a.psx".into(), Value::Null, 422, ".gpl, .css or .json"),
        (
            "POST",
            "/drawings/987654/register".into(),
            json!({ "revision": 1, "marks": [[1, 1], [90, 1]] }),
            404,
            "no such drawing",
        ),
        (
            "POST",
            "/shots".into(),
            json!({ "production": 987_654, "number": "1", "name": "One" }),
            404,
            "no such production",
        ),
        (
            "PUT",
            format!("/shots/{shot}/colours"),
            json!({ "revision": 0, "tones": [], "swatches": [{ "id": "a\0b", "name": "Odd", "colour": [1, 2, 3] }] }),
            422,
            "an id of its own",
        ),
        ("POST", "/shots/987654/lift".into(), json!({ "lift": {}, "weight": {}, "trace": {} }), 404, "no such shot"),
        ("GET", "/nowhere".into(), Value::Null, 404, "nothing at this address"),
        ("GET", format!("{at}/pictures/painting?x=0&y=0&width=8&height=8&level=0"), Value::Null, 422, "painting"),
        ("GET", format!("{at}/pictures/ink?x=-4&y=0&width=8&height=8&level=0"), Value::Null, 404, "nothing at this"),
        ("GET", format!("{at}/hand-off/colours.psx"), Value::Null, 422, "no file colours.psx"),
        ("GET", format!("{at}/pixel?x=99999&y=0"), Value::Null, 422, "99999"),
        (
            "POST",
            format!("/shots/{shot}/hand-off"),
            outgoing(&[(id, Some(44))], &["flat"], "{drawing}"),
            409,
            "changed elsewhere",
        ),
        ("POST", format!("{at}/glance"), json!({ "inking": inking, "window": window }), 422, ""),
        (
            "POST",
            format!("{at}/strip"),
            json!({ "inking": {}, "window": window, "weights": vec![json!({}); 13] }),
            422,
            "",
        ),
        ("POST", "/productions".into(), json!({ "name": "  " }), 422, "1 to 80 characters"),
        ("POST", "/productions".into(), json!({ "name": long }), 422, "1 to 80 characters"),
        ("POST", "/productions".into(), json!({ "name": "Kettle\u{7}Post" }), 422, "1 to 80 characters"),
        ("POST", "/productions".into(), json!({ "name": "Kettle Post" }), 409, "already taken"),
        (
            "POST",
            "/shots".into(),
            json!({ "production": before[0]["id"], "number": "012", "name": "Again" }),
            409,
            "already taken",
        ),
        (
            "PUT",
            format!("/shots/{shot}/colours"),
            json!({ "revision": 0, "tones": [], "swatches": [swatch("a", "One"), swatch("a", "Two")] }),
            422,
            "id of its own",
        ),
        (
            "PUT",
            format!("/shots/{shot}/colours"),
            json!({ "revision": 0, "tones": [], "swatches": vec![swatch("a", "One"); 501] }),
            422,
            "up to 500",
        ),
        (
            "PUT",
            format!("/shots/{shot}/colours"),
            json!({ "revision": 77, "tones": [], "swatches": [swatch("a", "One")] }),
            409,
            "changed elsewhere",
        ),
        (
            "POST",
            format!("/shots/{shot}/deliver"),
            json!({ "device": "sheet_feeder", "sheets": [0], "dpi": 6000.0, "grey": false }),
            422,
            "75 to 600",
        ),
        (
            "POST",
            format!("/shots/{shot}/deliver"),
            json!({ "device": "phone_camera", "sheets": [4000] }),
            422,
            "1 to 200",
        ),
        (
            "POST",
            format!("{at}/commands"),
            json!({ "revision": revision, "command": { "of": "intake", "do": "resolution", "dpi": 2.0 } }),
            422,
            "resolution",
        ),
        (
            "POST",
            format!("{at}/commands"),
            json!({ "revision": revision, "command": { "do": "dance" } }),
            422,
            "could not be understood",
        ),
    ];
    for (method, path, body, status, says) in &asked {
        let (got, told) = send(&server, method, path, body);
        let error = told["error"].as_str().unwrap_or("nothing");
        assert_eq!(got, *status, "{method} {path}: {told}");
        assert!(error.contains(says), "{method} {path}: {told}");
        assert!(told["advice"].as_str().is_some_and(|a| a.starts_with("Nothing was ")), "{method} {path}: {told}");
    }
    assert_eq!(get(&server, "/productions"), before);
}

#[test]
fn a_step_made_stale_by_another_server_is_refused_and_both_go_on_from_there() {
    let server = Server::start();
    let other = server.beside();
    let id = drawing(&server, 0);
    let at = format!("/drawings/{id}");
    let steps = format!("{at}/commands");
    let before = get(&server, &at);
    let traced = command(&other, id, &get(&other, &at), json!({ "of": "trace", "do": "trace" }));
    // Whatever it asks for: something, nothing, or what cannot be had.
    for (what, ids) in [("leave", json!([])), ("settle", json!(["gap@1,1"])), ("trace", Value::Null)] {
        let of = if what == "trace" { "trace" } else { "findings" };
        let asked = json!({ "of": of, "do": what, "ids": ids });
        let mut stale = post(&server, &steps, &json!({ "revision": before["info"]["revision"], "command": asked }));
        let told: Value = stale.body_mut().read_json().unwrap();
        assert_eq!((stale.status().as_u16(), &told["revision"]), (409, &traced["info"]["revision"]), "{what}: {told}");
    }
    assert_eq!(whole(&get(&server, &at)), whole(&traced));
    // They take turns, each on the other's step; of two on the same state one is refused, at whichever server.
    let seeds: Vec<Value> = traced["regions"].as_array().unwrap().iter().map(|r| r["seed"].clone()).take(8).collect();
    let mut view = traced.clone();
    for (k, seed) in seeds.iter().enumerate() {
        let (here, there) = if k % 2 == 0 { (&server, &other) } else { (&other, &server) };
        let fill = json!({ "of": "paint", "do": "fill", "at": [seed], "swatch": "skin" });
        let late = json!({ "revision": view["info"]["revision"], "command": fill });
        view = command(here, id, &view, fill.clone());
        assert_eq!(post(there, &steps, &late).status(), 409);
        assert_eq!(whole(&get(there, &at)), whole(&view), "after step {k}");
    }
    let painted = |v: &Value| v["regions"].as_array().unwrap().iter().filter(|r| r["swatch"] == "skin").count();
    assert_eq!(painted(&view), seeds.len());
    // What one did the other takes back.
    for k in 0..seeds.len() {
        let on = if k % 2 == 0 { &other } else { &server };
        view = done(on, &format!("{at}/undo"), &json!({ "revision": view["info"]["revision"] }));
    }
    assert_eq!(state(&view), state(&traced));
    assert_eq!(whole(&get(&server, &at)), whole(&get(&other, &at)));
}

#[test]
fn of_steps_on_one_state_those_on_different_things_stand_and_those_on_the_same_are_told() {
    let mut server = Server::start();
    let id = drawing(&server, 0);
    let at = format!("/drawings/{id}");
    let steps = format!("{at}/commands");
    let view = command(&server, id, &get(&server, &at), json!({ "of": "trace", "do": "trace" }));
    let seeds: Vec<Value> = view["regions"].as_array().unwrap().iter().map(|r| r["seed"].clone()).collect();
    let revision = &view["info"]["revision"];
    let ask = |server: &Server, what: Value| {
        let mut answer =
            post(server, &steps, &json!({ "revision": revision, "numbering": view["numbering"], "command": what }));
        let told: Value = answer.body_mut().with_config().limit(64 << 20).read_json().unwrap();
        (answer.status().as_u16(), told)
    };
    let fill = |k: usize, swatch: &str| json!({ "of": "paint", "do": "fill", "at": [seeds[k]], "swatch": swatch });
    assert_eq!(ask(&server, fill(0, "skin")).0, 200);
    let gap = view["findings"].as_array().unwrap().iter().find(|f| f["kind"] == "gap" && f["sure"] == true).unwrap();
    let (status, _) = ask(&server, json!({ "of": "findings", "do": "settle", "ids": [gap["id"]], "with": null }));
    assert_eq!(status, 200);
    // Whoever was behind is told all that came since: the paint, and the bridge.
    let (status, told) = ask(&server, json!({ "of": "paint", "do": "fill", "at": [seeds[1]], "swatch": "kettle" }));
    assert_eq!((status, &told["told"]), (200, &json!("patch")));
    let now = &told["frame"]["info"]["revision"];
    assert_eq!(*now, json!(revision.as_i64().unwrap() + 3));
    let refilled = told["refilled"].as_array().unwrap().iter().chain(told["regions"].as_array().unwrap());
    assert_eq!(refilled.filter(|r| r["swatch"] == "skin" || r["swatch"] == "kettle").count(), 2);
    let came: Vec<&Value> = told["lines"].as_array().unwrap().iter().filter(|l| l["made"] == "bridge").collect();
    assert_eq!(came.len(), 1);
    // The same region, the same gap: nothing is overwritten, and it is told what was done.
    for clashing in [fill(0, "shell-rim"), json!({ "of": "findings", "do": "leave", "ids": [gap["id"]] })] {
        let (status, told) = ask(&server, clashing);
        assert_eq!((status, &told["revision"]), (409, now), "{told}");
        let advice = told["advice"].as_str().unwrap();
        assert!(advice.contains("closed 1 gap") && advice.contains("filled 1 region"), "{advice}");
    }
    assert_eq!(post(&server, &format!("{at}/undo"), &json!({ "revision": revision })).status(), 409);
    let all = get(&server, &at);
    assert_eq!(all["info"]["revision"], *now);
    server.crash_and_restart();
    assert_eq!(state(&get(&server, &at)), state(&all));
}

#[test]
fn everybody_undoes_their_own_steps_unless_somebody_went_on_from_them() {
    let mut server = Server::start();
    let id = drawing(&server, 0);
    let at = format!("/drawings/{id}");
    let ask = |server: &Server, who: &str, path: &str, body: Value| {
        let url = format!("{}/api{at}{path}", server.url);
        let asking = agent().post(url).header("x-rhizograph", "1").header("x-rhizograph-author", who);
        let mut answer = asking.send_json(&body).unwrap();
        let told: Value = answer.body_mut().with_config().limit(64 << 20).read_json().unwrap();
        (answer.status().as_u16(), told)
    };
    let seen = |server: &Server, who: &str| -> Value {
        let asking = agent().get(format!("{}/api{at}", server.url)).header("x-rhizograph-author", who);
        asking.call().unwrap().body_mut().with_config().limit(64 << 20).read_json().unwrap()
    };
    let step = |server: &Server, who: &str, what: Value| {
        let body = json!({ "revision": seen(server, who)["info"]["revision"], "command": what });
        let (status, told) = ask(server, who, "/commands", body);
        assert_eq!(status, 200, "{told}");
        told
    };
    let back = |server: &Server, who: &str, path: &str| {
        ask(server, who, path, json!({ "revision": seen(server, who)["info"]["revision"] }))
    };
    // The tracing is nobody's, so it is everybody's to undo.
    let traced = command(&server, id, &get(&server, &at), json!({ "of": "trace", "do": "trace" }));
    let mut regions: Vec<&Value> = traced["regions"].as_array().unwrap().iter().collect();
    regions.sort_by_key(|r| r["bounds"][0].as_f64().map(|x| x as i64));
    let (left, right) = (regions[0]["seed"].clone(), regions[regions.len() - 1]["seed"].clone());
    let fill = |seed: &Value, swatch: &str| json!({ "of": "paint", "do": "fill", "at": [seed], "swatch": swatch });
    step(&server, "ann", fill(&left, "skin"));
    let both = step(&server, "bob", fill(&right, "shell-rim"));
    step(&server, "ann", json!({ "of": "lift", "do": "protect", "at": [5, 5] }));
    assert_eq!(seen(&server, "ann")["undo"], "protected a dot");
    assert_eq!(seen(&server, "bob")["undo"], "filled 1 region");
    assert_eq!(seen(&server, "cy")["undo"], "trace");
    let painted = |view: &Value, swatch: &str| {
        view["regions"].as_array().unwrap().iter().filter(|r| r["swatch"] == swatch).count()
    };
    // Two of hers, then one again, beneath his.
    assert_eq!(back(&server, "ann", "/undo").0, 200);
    let (status, view) = back(&server, "ann", "/undo");
    assert_eq!((status, painted(&view, "skin"), painted(&view, "shell-rim")), (200, 0, 1));
    assert_eq!((&view["undo"], &view["redo"]), (&json!("trace"), &json!("filled 1 region")));
    server.crash_and_restart();
    let (status, view) = back(&server, "ann", "/redo");
    assert_eq!((status, state(&view)), (200, state(&both)));
    assert_eq!((&view["undo"], &view["redo"]), (&json!("filled 1 region"), &json!("protected a dot")));
    // He paints her region otherwise: now hers cannot be taken from beneath it, nor what all stands on.
    step(&server, "bob", fill(&left, "shell-rim"));
    for (who, path) in [("ann", "/undo"), ("cy", "/undo")] {
        let (status, told) = back(&server, who, path);
        assert_eq!(status, 409, "{told}");
    }
    assert_eq!(painted(&seen(&server, "ann"), "shell-rim"), 2);
    // Once he took that back it can be; what was not shown yet is not undone.
    let before = seen(&server, "ann");
    assert_eq!(back(&server, "bob", "/undo").0, 200);
    let stale = json!({ "revision": before["info"]["revision"] });
    let (status, view) = ask(&server, "ann", "/undo", stale.clone());
    assert_eq!((status, painted(&view, "skin"), painted(&view, "shell-rim")), (200, 0, 1), "made before his undo");
    step(&server, "ann", fill(&left, "skin"));
    assert_eq!(ask(&server, "ann", "/undo", stale).0, 409);
}

#[test]
fn a_thumbnail_is_made_once_and_anew_when_the_drawing_or_its_colours_change() {
    let mut server = Server::start();
    let id = drawing(&server, 0);
    let at = format!("/drawings/{id}/thumbnail");
    // What is kept is marked, so that it is told from what is made.
    let mark = "update thumbnails set picture = 'kept'";
    let mut seen: Vec<Vec<u8>> = Vec::new();
    let mut is_new = |server: &Server| {
        let picture = bytes(server, &at);
        assert!(picture.starts_with(b"\x89PNG") && !seen.contains(&picture));
        seen.push(picture);
        server.execute(mark);
        assert_eq!(bytes(server, &at), b"kept");
    };
    is_new(&server);
    server.crash_and_restart();
    assert_eq!(bytes(&server, &at), b"kept");
    let traced =
        command(&server, id, &get(&server, &format!("/drawings/{id}")), json!({ "of": "trace", "do": "trace" }));
    is_new(&server);
    let seed = traced["regions"].as_array().unwrap().iter().max_by_key(|r| r["area"].as_u64()).unwrap()["seed"].clone();
    command(&server, id, &traced, json!({ "of": "paint", "do": "fill", "at": [seed], "swatch": "skin" }));
    is_new(&server);
    let shot = &get(&server, "/productions")[0]["shots"][0];
    let mut swatches = shot["swatches"].as_array().unwrap().clone();
    swatches.iter_mut().filter(|s| s["id"] == "skin").for_each(|s| s["colour"] = json!([3, 200, 250]));
    let change = json!({ "revision": shot["revision"], "tones": shot["tones"], "swatches": swatches });
    assert_eq!(send(&server, "PUT", &format!("/shots/{}/colours", shot["id"]), &change).0, 200);
    is_new(&server);
}

#[test]
fn swatches_are_the_shots_and_somebody_elses_change_of_them_is_not_overwritten() {
    let server = Server::start();
    let shots = || get(&server, "/productions")[0]["shots"].clone();
    let shot = shots()[0].clone();
    let mut swatches = shot["swatches"].as_array().unwrap().clone();
    swatches[0]["name"] = json!("Shell, in the evening");
    swatches[0]["colour"] = json!([90, 80, 120]);
    let at = format!("/shots/{}/colours", shot["id"]);
    let revision = shot["revision"].as_i64().unwrap();
    let tones = &shot["tones"];
    let (status, now) =
        send(&server, "PUT", &at, &json!({ "revision": revision, "tones": tones, "swatches": swatches }));
    assert_eq!((status, now), (200, json!(revision + 1)));
    assert_eq!(shots()[0]["swatches"], json!(swatches));
    // Who still has the old ones is told, and nothing is lost.
    let (status, told) = send(&server, "PUT", &at, &json!({ "revision": revision, "tones": [], "swatches": [] }));
    assert_eq!((status, &told["revision"]), (409, &json!(revision + 1)));
    assert_eq!(shots()[0]["swatches"], json!(swatches));
    assert_ne!(shots()[1]["swatches"], json!(swatches), "another shot has its own");
}

#[test]
fn a_drawing_that_is_taken_out_leaves_the_others_as_they_are() {
    let server = Server::start();
    let drawings = || get(&server, "/productions")[0]["shots"][0]["drawings"].as_array().unwrap().clone();
    let before = drawings();
    let id = before[2]["id"].as_i64().unwrap();
    command(&server, id, &get(&server, &format!("/drawings/{id}")), json!({ "of": "trace", "do": "trace" }));
    let out = json!({ "what": "drawing", "id": id, "away": true });
    assert_eq!(send(&server, "PUT", "/away", &out).0, 200);
    let names = |list: &[Value]| list.iter().map(|d| d["name"].clone()).collect::<Vec<_>>();
    let mut left = before.clone();
    left.remove(2);
    assert_eq!(names(&drawings()), names(&left));
    assert_eq!(send(&server, "GET", &format!("/drawings/{id}"), &Value::Null).0, 404);
    // Its neighbour still opens; and what comes anew hangs in the order of the numbers, 9 before 10.
    get(&server, &format!("/drawings/{}", left[2]["id"]));
    let file = rhizograph_app::demo::scanned(2).unwrap();
    let shot = get(&server, "/productions")[0]["shots"][0]["id"].clone();
    let bring = |name: &str| {
        let address = format!("{}/api/shots/{shot}/drawings?name={name}", server.url);
        assert_eq!(agent().post(address).header("x-rhizograph", "1").send(&file[..]).unwrap().status(), 200);
    };
    bring("A-03.png");
    assert_eq!(names(&drawings()), names(&before));
    bring("A-10.png");
    bring("A-9.png");
    let last: Vec<Value> = names(&drawings()).split_off(before.len());
    assert_eq!(last, [json!("A-9"), json!("A-10")]);
}

#[test]
fn whoever_looks_at_a_shot_is_told_of_each_step_in_it() {
    use std::io::{BufRead, BufReader};
    let server = Server::start();
    let shots = get(&server, "/productions")[0]["shots"].clone();
    let listen = |shot: &Value| {
        let response = agent().get(format!("{}/api/shots/{shot}/events", server.url)).call().unwrap();
        BufReader::new(response.into_body().into_reader()).lines()
    };
    let mut here = listen(&shots[0]["id"]);
    let id = shots[0]["drawings"][5]["id"].as_i64().unwrap();
    let view = command(&server, id, &get(&server, &format!("/drawings/{id}")), json!({ "of": "trace", "do": "trace" }));
    let event = here.find_map(|line| {
        let line = line.unwrap();
        serde_json::from_str::<Value>(line.strip_prefix("data:")?).ok().filter(|e| e["id"] == json!(id))
    });
    let event = event.unwrap();
    assert_eq!(event["revision"], view["info"]["revision"]);
    assert_eq!(event["progress"], view["info"]["progress"]);
}

/// What is handed off is one drawing in several files: the ink of one lies over the paint of the other, the lines are those
/// of the vector file, and colours are those of the swatches.
#[test]
fn the_files_of_a_hand_off_agree() {
    let server = Server::start();
    let id = drawing(&server, 0);
    let at = format!("/drawings/{id}");
    let traced = command(&server, id, &get(&server, &at), json!({ "of": "trace", "do": "trace" }));
    let (_, unready) = send(&server, "GET", &format!("{at}/readiness"), &Value::Null);
    assert_eq!(unready["ready"], json!(false));
    assert!(unready["reasons"][0].as_str().unwrap().ends_with("open at Join"), "{unready}");
    let filled = command(&server, id, &traced, json!({ "of": "paint", "do": "fill_empties", "swatch": "shell-plate" }));
    let picture =
        |name: &str| image::load_from_memory(&bytes(&server, &format!("{at}/hand-off/{name}"))).unwrap().to_rgba8();
    let (ink, paint, flat) = (picture("ink.png"), picture("paint.png"), picture("flat.png"));
    let swatches = get(&server, "/productions")[0]["shots"][0]["swatches"].clone();
    let plate = swatches.as_array().unwrap().iter().find(|s| s["id"] == "shell-plate").unwrap()["colour"].clone();
    let plate: [u8; 3] = serde_json::from_value(plate).unwrap();
    let mut painted = 0;
    for ((i, p), f) in ink.pixels().zip(paint.pixels()).zip(flat.pixels()) {
        match (i[3], p[3]) {
            (0, 0) => assert_eq!(f[3], 0),
            (0, _) => assert_eq!(f, p),
            (255, _) => assert_eq!([f[0], f[1], f[2], f[3]], [i[0], i[1], i[2], 255]),
            _ => assert!(f[3] >= i[3].max(p[3])),
        }
        if p[3] > 0 {
            assert_eq!([p[0], p[1], p[2]], plate);
            painted += 1;
        }
    }
    assert!(painted > 100_000, "{painted} pixels are painted");
    // Every region has its paint at its seed.
    for region in filled["regions"].as_array().unwrap() {
        let [x, y]: [f64; 2] = serde_json::from_value(region["seed"].clone()).unwrap();
        assert_eq!(paint.get_pixel(x as u32, y as u32)[3], 255, "{region}");
    }
    let lines: Value = serde_json::from_slice(&bytes(&server, &format!("{at}/hand-off/drawing.json"))).unwrap();
    let view = filled["lines"].as_array().unwrap();
    assert_eq!(lines["lines"].as_array().unwrap().len(), view.len());
    let svg = String::from_utf8(bytes(&server, &format!("{at}/hand-off/drawing.svg"))).unwrap();
    let hex = format!("#{:02x}{:02x}{:02x}", plate[0], plate[1], plate[2]);
    assert!(svg.contains(&hex), "the vector file is painted with {hex}");
}
