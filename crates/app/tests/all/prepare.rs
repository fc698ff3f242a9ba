//! `rhizograph prepare` and `carry` as they are called: what they write, what they say, how they end.

use rhizograph_demo::marrow::DRAWINGS;
use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

fn scratch(name: &str) -> PathBuf {
    let dir = std::env::temp_dir().join(format!("rhizograph-prepare-{name}-{}", std::process::id()));
    std::fs::remove_dir_all(&dir).ok();
    std::fs::create_dir_all(&dir).unwrap();
    dir
}

fn prepare(args: &[&str], inputs: &[&Path], out: &Path) -> Output {
    Command::new(env!("CARGO_BIN_EXE_rhizograph"))
        .arg("prepare")
        .args(inputs)
        .arg("--out")
        .arg(out)
        .args(args)
        .output()
        .unwrap()
}

fn json(path: PathBuf) -> Value {
    serde_json::from_slice(&std::fs::read(path).unwrap()).unwrap()
}

#[test]
fn a_demo_sheet_gives_all_five_files_that_agree_with_each_other() {
    let dir = scratch("demo");
    let input = dir.join("A-01.jpg");
    std::fs::write(&input, rhizograph_app::demo::scanned(0).unwrap()).unwrap();
    let out = dir.join("out");
    let run = prepare(&[], &[&input], &out);
    assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
    let report = json(out.join("A-01.report.json"));
    assert_eq!(report["size"], serde_json::json!([2400, 1800]));
    assert_eq!(report["dpi"], 300.0);
    let labels = image::open(out.join("A-01.regions.png")).unwrap().into_luma16();
    let ink = image::open(out.join("A-01.ink.png")).unwrap().into_rgba8();
    let mut areas = vec![0u64; usize::from(u16::MAX) + 1];
    for (label, ink) in labels.as_raw().iter().zip(ink.as_raw().chunks_exact(4)) {
        areas[usize::from(*label)] += u64::from(ink[3] < 128);
    }
    for region in report["regions"].as_array().unwrap() {
        let id = region["id"].as_u64().unwrap();
        assert_eq!(areas[id as usize], region["area"].as_u64().unwrap(), "region {id}");
    }
    let lines = json(out.join("A-01.lines.json"));
    let first = &lines["lines"][0];
    assert!(first["id"].is_u64() && first["closed"].is_boolean() && first["kind"].is_string());
    assert!(report["gaps"].as_array().unwrap().iter().any(|g| g["closed_with"] == "bridge"));
    assert!(report["steps"].as_array().unwrap().iter().all(|s| s["ms"].as_f64().unwrap() >= 0.0));
    let svg = std::fs::read_to_string(out.join("A-01.lines.svg")).unwrap();
    assert!(["lines", "bridges", "seams"].iter().all(|g| svg.contains(&format!("<g id=\"{g}\""))));

    // The same again gives the same bytes.
    let again = dir.join("again");
    assert!(prepare(&[], &[&input], &again).status.success());
    for name in ["A-01.ink.png", "A-01.lines.svg", "A-01.lines.json", "A-01.regions.png"] {
        assert!(std::fs::read(out.join(name)).unwrap() == std::fs::read(again.join(name)).unwrap(), "{name}");
    }
    std::fs::remove_dir_all(dir).ok();
}

#[test]
fn a_photo_is_laid_out_as_the_server_lays_it_out() {
    let dir = scratch("photo");
    let (name, bytes) = rhizograph_app::demo::photographed(rhizograph_app::demo::PHOTOGRAPHED).unwrap();
    let input = dir.join(&name);
    std::fs::write(&input, &bytes).unwrap();
    let at_server = rhizograph_app::intake::new_drawing(&name, &bytes, None).unwrap().sheet;
    let run = prepare(&["--until", "lift"], &[&input], &dir.join("out"));
    assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
    let report = json(dir.join("out").join(input.file_stem().unwrap()).with_extension("report.json"));
    assert!(report["intake"]["corners"].is_array(), "it is squared up: {}", report["intake"]);
    assert_eq!(report["intake"], serde_json::to_value(&at_server.recipes.intake).unwrap());
    assert_eq!(report["size"], serde_json::json!([at_server.width, at_server.height]));
    std::fs::remove_dir_all(dir).ok();
}

#[test]
fn bad_inputs_are_named_with_their_reason_and_the_others_are_done() {
    let dir = scratch("bad");
    let put = |name: &str, bytes: &[u8]| {
        let p = dir.join(name);
        std::fs::write(&p, bytes).unwrap();
        p
    };
    let jpeg = rhizograph_app::demo::scanned(0).unwrap();
    let grey = |w, h, v| {
        let plane = rhizograph_core::raster::plane::Plane::new(w, h, v);
        rhizograph_formats::raster_out::grey_png(&plane, 300.0).unwrap()
    };
    let svg = br#"<svg xmlns="http://www.w3.org/2000/svg" width="120" height="90"><rect x="20" y="20" width="70" height="50" fill="none" stroke="black" stroke-width="4"/></svg>"#;
    let cases = [
        (put("letter.png", b"Dear Marrow"), "no PNG, JPEG, TIFF or SVG"),
        (put("cut.jpg", &jpeg[..4000]), "damaged or cut short"),
        (put("empty.png", b""), "the file is empty"),
        (put("white.png", &grey(100, 100, 255)), "no ink was found"),
        (put("black.png", &grey(100, 100, 0)), "the whole sheet is ink"),
        (put("dot.png", &grey(1, 1, 0)), "1 x 1 pixels"),
        (dir.join("missing.png"), "No such file"),
    ];
    let good = put("shape.svg", svg);
    let mut inputs: Vec<&Path> = cases.iter().map(|c| c.0.as_path()).collect();
    inputs.push(&good);
    let out = dir.join("out");
    let run = prepare(&["--jobs", "2"], &inputs, &out);
    assert_eq!(run.status.code(), Some(1));
    let said = String::from_utf8_lossy(&run.stderr);
    for (path, reason) in &cases {
        let name = path.file_name().unwrap().to_string_lossy();
        assert!(said.lines().any(|l| l.contains(&*name) && l.contains(reason)), "{name}: {reason}\n{said}");
        assert!(!out.join(format!("{}.report.json", path.file_stem().unwrap().to_string_lossy())).exists());
    }
    let report = json(out.join("shape.report.json"));
    assert_eq!(report["regions"].as_array().unwrap().len(), 1);
    assert_eq!(report["regions"][0]["area"], 66 * 46);
    std::fs::remove_dir_all(dir).ok();
}

#[test]
fn a_wrong_call_ends_with_two() {
    let dir = scratch("wrong");
    let no_out = Command::new(env!("CARGO_BIN_EXE_rhizograph")).args(["prepare", "a.png"]).output().unwrap();
    assert_eq!(no_out.status.code(), Some(2));
    let recipe = dir.join("recipe.json");
    std::fs::write(&recipe, r#"{"lift":{"reach":900}}"#).unwrap();
    let out = dir.join("out");
    let bad = prepare(&["--recipe", recipe.to_str().unwrap()], &[Path::new("a.png")], &out);
    assert_eq!(bad.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&bad.stderr).contains("reach"));
    std::fs::remove_dir_all(dir).ok();
}

#[test]
fn until_lift_stops_after_the_ink() {
    let dir = scratch("until");
    let input = dir.join("A-01.jpg");
    std::fs::write(&input, rhizograph_app::demo::scanned(0).unwrap()).unwrap();
    let out = dir.join("out");
    assert!(prepare(&["--until", "lift"], &[&input], &out).status.success());
    assert!(out.join("A-01.ink.png").exists() && out.join("A-01.report.json").exists());
    assert!(!out.join("A-01.lines.svg").exists() && !out.join("A-01.regions.png").exists());
    std::fs::remove_dir_all(dir).ok();
}

#[test]
fn paint_is_carried_to_a_drawing_that_lies_elsewhere() {
    let dir = scratch("carry");
    let input = dir.join("A-01.jpg");
    std::fs::write(&input, rhizograph_app::demo::scanned(0).unwrap()).unwrap();
    assert!(prepare(&["--until", "lift"], &[&input], &dir.join("lifted")).status.success());
    let ink = image::open(dir.join("lifted/A-01.ink.png")).unwrap().into_rgba8();
    // The same ink on white, and again 37 px to the right and 21 up.
    let on_white = |dx: i64, dy: i64| {
        image::GrayImage::from_fn(ink.width(), ink.height(), |x, y| {
            let (u, v) = (i64::from(x) - dx, i64::from(y) - dy);
            let is_in = (0..i64::from(ink.width())).contains(&u) && (0..i64::from(ink.height())).contains(&v);
            image::Luma([if is_in { 255 - ink.get_pixel(u as u32, v as u32).0[3] } else { 255 }])
        })
    };
    let (a, b) = (dir.join("a.png"), dir.join("b.png"));
    on_white(0, 0).save(&a).unwrap();
    on_white(37, -21).save(&b).unwrap();
    let out = dir.join("out");
    assert!(prepare(&[], &[&a, &b], &out).status.success());
    let labels = |name: &str| image::open(out.join(name)).unwrap().into_luma16();
    let (la, lb) = (labels("a.regions.png"), labels("b.regions.png"));
    // Each region has a swatch of its own: a place of it, the middle of its longest row.
    let mut runs: std::collections::BTreeMap<u16, (u32, u32, u32)> = std::collections::BTreeMap::new();
    for (y, row) in la.rows().enumerate() {
        let row: Vec<u16> = row.map(|p| p.0[0]).collect();
        let mut from = 0;
        for x in 1..=row.len() {
            if x == row.len() || row[x] != row[from] {
                let best = runs.entry(row[from]).or_default();
                *best = (*best).max(((x - from) as u32, (from + x) as u32 / 2, y as u32));
                from = x;
            }
        }
    }
    runs.remove(&0);
    let drops: Vec<Value> = runs
        .iter()
        .map(|(id, (_, x, y))| {
            serde_json::json!({ "at": [f64::from(*x) + 0.5, f64::from(*y) + 0.5], "swatch": format!("s{id:03}") })
        })
        .collect();
    let file = dir.join("a.drops.json");
    std::fs::write(&file, serde_json::to_vec(&drops).unwrap()).unwrap();
    let carry = |drops: &Path, to: &[&Path]| {
        let mut call = Command::new(env!("CARGO_BIN_EXE_rhizograph"));
        call.arg("carry").arg("--from").arg(&a).arg("--drops").arg(drops).arg("--to").args(to);
        call.arg("--out").arg(&out).output().unwrap()
    };
    let run = carry(&file, &[&b]);
    assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
    let told = json(out.join("b.drops.json"));
    let told = told.as_array().unwrap();
    let paint = labels("b.paint.png");
    let (mut right, mut met) = (0, std::collections::BTreeSet::new());
    for drop in told {
        let at = |k: usize| drop["at"][k].as_f64().unwrap() as u32;
        let id: u16 = drop["swatch"].as_str().unwrap()[1..].parse().unwrap();
        assert!(met.insert(lb.get_pixel(at(0), at(1)).0[0]), "a region is told once");
        assert!((0.0..=1.0).contains(&drop["confidence"].as_f64().unwrap()) && drop["doubtful"].is_boolean());
        // The picture holds the place of the swatch in their order, from 1.
        let place = runs.keys().position(|k| *k == id).unwrap() as u16 + 1;
        assert_eq!(paint.get_pixel(at(0), at(1)).0[0], place);
        let back = (i64::from(at(0)) - 37, i64::from(at(1)) + 21);
        right += usize::from(la.get_pixel(back.0 as u32, back.1 as u32).0[0] == id);
    }
    assert!(right + 1 >= runs.len() && right == told.len(), "{right} of {} right, {} told", runs.len(), told.len());
    // A wrong list is a wrong call; a picture that is none is named, and the others are done.
    for wrong in ["{}", "[{\"at\":[1,2]}]", "[{\"at\":[1,2],\"swatch\":\"\"}]"] {
        let file = dir.join("wrong.json");
        std::fs::write(&file, wrong).unwrap();
        assert_eq!(carry(&file, &[&b]).status.code(), Some(2), "{wrong}");
    }
    let none = dir.join("none.png");
    std::fs::write(&none, b"none").unwrap();
    std::fs::remove_file(out.join("b.drops.json")).unwrap();
    let run = carry(&file, &[&none, &b]);
    assert_eq!(run.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&run.stderr).contains("none.png") && out.join("b.drops.json").exists());
    std::fs::remove_dir_all(dir).ok();
}

#[test]
fn what_is_written_besides_agrees_and_can_be_given_again() {
    let dir = scratch("written");
    let art = r#"<svg xmlns="http://www.w3.org/2000/svg" width="400" height="300"><g fill="none" stroke="black" stroke-width="5"><rect x="40" y="50" width="120" height="160"/><ellipse cx="280" cy="140" rx="80" ry="60"/></g></svg>"#;
    let (input, drops, swatches) = (dir.join("Room.svg"), dir.join("paint.json"), dir.join("colours.json"));
    std::fs::write(&input, art).unwrap();
    std::fs::write(&drops, r#"[{"at":[100,120],"swatch":"skin"},{"at":[280,140],"swatch":"shell/shadow"}]"#).unwrap();
    let model = r##"{"tones":[{"id":"shadow","name":"Shadow"}],"swatches":[{"id":"skin","name":"Skin","colour":"#d9b67a"},{"id":"shell","name":"Shell","colour":"#708a58","tones":{"shadow":"#38452c"}}]}"##;
    std::fs::write(&swatches, model).unwrap();
    let given = ["--drops", drops.to_str().unwrap(), "--swatches", swatches.to_str().unwrap()];
    let out = dir.join("out");
    let write = ["--write", "ora,tiff,png,svg,json,gpl"];
    let run = prepare(&[&write[..], &given].concat(), &[&input], &out);
    assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
    let paint = image::open(out.join("Room.paint.png")).unwrap().into_rgba8();
    assert_eq!([paint.get_pixel(100, 120).0, paint.get_pixel(280, 140).0], [[217, 182, 122, 255], [56, 69, 44, 255]]);
    assert!(std::fs::read_to_string(out.join("Room.gpl")).unwrap().contains("217 182 122"));
    // Given again: the vector drawing and the document are the same lines with the same paint, the layers the same regions.
    let want = json(out.join("Room.report.json"))["regions"].clone();
    for name in ["Room.svg", "Room.json", "Room.ora", "Room.tiff"] {
        let again = dir.join(name.replace('.', "-"));
        let run = prepare(&["--write", "png"], &[&out.join(name)], &again);
        assert!(run.status.success(), "{name}: {}", String::from_utf8_lossy(&run.stderr));
        let report = json(again.join("Room.report.json"));
        assert_eq!(report["size"], serde_json::json!([400, 300]), "{name}");
        assert_eq!(report["regions"].as_array().unwrap().len(), 2, "{name}: {}", report["regions"]);
        if name.ends_with("svg") || name.ends_with("json") {
            assert_eq!(report["regions"], want, "{name}");
            assert_eq!(image::open(again.join("Room.paint.png")).unwrap().into_rgba8(), paint, "{name}");
            let lines = |at: &Path| std::fs::read(at.join("Room.lines.json")).unwrap();
            assert_eq!(lines(&again), lines(&out), "{name}");
        }
    }
    // Nothing is written over what is read, and nobody is named that is not there.
    let over = prepare(&["--write", "svg"], &[&input], &dir);
    assert!(String::from_utf8_lossy(&over.stderr).contains("overwrite the picture itself"));
    assert_eq!(std::fs::read_to_string(&input).unwrap(), art);
    std::fs::write(&drops, r#"[{"at":[100,120],"swatch":"steam"}]"#).unwrap();
    let wrong = prepare(&given, &[&input], &out);
    assert_eq!(wrong.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&wrong.stderr).contains("steam, which is no swatch"));
}

/// `PAGES=100 cargo test --release --workspace --test all -- --nocapture prepare::several_pages` is a hundred pages of 17
/// megapixels: the demo's sheets fed at 600 dpi.
#[test]
fn several_pages_at_once_give_what_each_gives_alone() {
    let many: Option<usize> = std::env::var("PAGES").ok().and_then(|n| n.parse().ok());
    let (many, dpi) = many.map_or((3, 150.0), |many| (many, 600.0));
    let dir = scratch("several");
    let pages: Vec<PathBuf> = (0..many)
        .map(|n| {
            let to = dir.join(format!("page-{n:03}.png"));
            let first = dir.join(format!("page-{:03}.png", n % DRAWINGS));
            if n < DRAWINGS {
                let (_, jpeg) = rhizograph_app::demo::fed(n, dpi, false).unwrap();
                image::load_from_memory(&jpeg).unwrap().into_rgb8().save(&to).unwrap();
            } else {
                std::fs::hard_link(first, &to).unwrap();
            }
            to
        })
        .collect();
    let timed = |inputs: &[&Path], out: &str| {
        let began = std::time::Instant::now();
        let run = prepare(&[], inputs, &dir.join(out));
        assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
        began.elapsed().as_secs_f64()
    };
    let mut alone = [(); 3].map(|()| timed(&[&pages[0]], "one"));
    alone.sort_by(f64::total_cmp);
    let one = alone[1];
    let all = timed(&pages.iter().map(PathBuf::as_path).collect::<Vec<_>>(), "all");
    let megapixels = image::image_dimensions(&pages[0]).map(|(w, h)| f64::from(w) * f64::from(h) / 1e6).unwrap();
    println!("figure: prepare, pages of {megapixels:.0} megapixels: one {one:.2} s, {many} at once {all:.1} s");
    for name in ["ink.png", "lines.svg", "lines.json", "regions.png"] {
        let of = |out: &str| std::fs::read(dir.join(out).join(format!("page-000.{name}"))).unwrap();
        assert!(of("one") == of("all"), "{name}");
    }
    for page in &pages {
        let stem = page.file_stem().unwrap().to_str().unwrap();
        let report = json(dir.join("all").join(format!("{stem}.report.json")));
        assert!(report["regions"].as_array().unwrap().len() > 20, "{stem}");
    }
    std::fs::remove_dir_all(&dir).ok();
}
