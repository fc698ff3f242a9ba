//! What is handed off, read back: by readers that others wrote, by resvg, and by our own.

use crate::support;

use proptest::prelude::*;
use resvg::{tiny_skia, usvg};
use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::handoff::{Fields, HandOff, InkEdge, Layer, Leaving, over};
use rhizograph_core::model::line::{End, Form, Line, Made};
use rhizograph_core::model::paint::{ColourModel, Drop, Swatch, Tone};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_formats::hand_off::{Format, Packed};
use rhizograph_formats::tiff_out::{Depth, Packing};
use rhizograph_formats::{Input, Reading, svg};
use serde_json::{Value, json};
use std::path::Path;
use support::{inked, ring, traced};

fn colours() -> ColourModel {
    let mut shell = Swatch::new("Shell & rim", [196, 120, 60]);
    shell.tones.insert("shadow".into(), [120, 70, 30]);
    let tones = vec![Tone { id: "shadow".into(), name: "Shadow".into() }];
    ColourModel {
        tones,
        swatches: vec![shell, Swatch::new("Kettle", [60, 130, 150]), Swatch::new("Rust", [150, 40, 20])],
    }
}

/// Scanned rings beside and within one another, a line in a colour over them, a seam across one; painted.
fn drawing() -> (Sheet, Ink) {
    let (left, right) = (pt(130.0, 150.0), pt(280.0, 150.0));
    let tau = std::f64::consts::TAU;
    let ink = inked(&[
        (ring(left, 90.0, 100.0, 0.0, tau), 7.0),
        (ring(left, 40.0, 45.0, 0.0, tau), 4.5),
        (ring(right, 80.0, 90.0, 0.0, tau), 6.0),
    ]);
    let mut sheet = traced(&ink);
    let form = |points: &[Pt], width: f64| Form::Centreline {
        spine: Spine::through(points, false),
        width: vec![[0.0, width]],
        ends: [End::Round; 2],
    };
    let rust = Line::new(0, form(&[pt(20.0, 270.0), pt(200.0, 262.0), pt(380.0, 280.0)], 9.0), Made::Hand);
    sheet.draw(Line { swatch: Some("rust".into()), ..rust });
    let spine = Spine::through(&[pt(280.0, 60.0), pt(290.0, 150.0), pt(280.0, 240.0)], false);
    sheet.draw(Line::new(0, Form::Seam { spine }, Made::Hand));
    for (at, paint) in [
        (pt(130.0, 150.0), "kettle"),
        (pt(65.0, 150.0), "shell-rim"),
        (pt(240.0, 150.0), "shell-rim"),
        (pt(320.0, 150.0), "shell-rim/shadow"),
    ] {
        sheet.drop_paint(Drop::by_hand(at, paint));
    }
    (sheet, ink)
}

/// Raw pixels beside the files, and what readers are told of them.
fn picture(folder: &Path, name: &str, pixels: &Plane<[u8; 4]>, shown: bool) -> Value {
    let raw = format!("{}-{}.raw", name.replace(|c: char| !c.is_alphanumeric(), "-"), pixels.width);
    std::fs::write(folder.join(&raw), pixels.data.as_flattened()).unwrap();
    json!({ "name": name, "raw": raw, "width": pixels.width, "height": pixels.height, "shown": shown })
}

#[test]
fn every_format_is_read_with_equal_pixels_by_readers_that_others_wrote() {
    let python = std::env::var("RHIZOGRAPH_READERS").expect("RHIZOGRAPH_READERS: Python with scripts/readers.txt");
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let (sheet, ink) = drawing();
    let scene = Scene::of(&sheet, &ink);
    let colours = colours();
    for leaving in [
        Leaving::default(),
        Leaving { percent: 50, backdrop: Some([240, 230, 210]), ..Leaving::default() },
        Leaving { percent: 230, cropped: true, edge: InkEdge::Crisp, chart: Fields::Sixteen, ..Leaving::default() },
    ] {
        let of = HandOff::of("A-01", &sheet, &ink, &scene, &colours, leaving).unwrap();
        let folder = tempfile::tempdir().unwrap();
        let at = folder.path();
        let composed = picture(at, "Drawing", &of.composed().unwrap(), true);
        let layer = |l: &Layer| picture(at, &l.name, &of.whole(&l.what).unwrap(), l.shown);
        let layers: Vec<Value> = of.layers().map(layer).collect();
        assert_eq!(
            of.layers().map(|l| l.name.as_str()).collect::<Vec<_>>(),
            ["Shell & rim", "Shell & rim, Shadow", "Kettle", "Ink", "Line colours", "Seams", "Notes", "Field chart"]
        );
        let mut expected = Vec::new();
        let mut write = |format: Format, packed: Packed, name: &str, by: &str, pictures: &[Value]| {
            let made = format.files(&of, packed).unwrap();
            std::fs::write(at.join(name), &made[0].bytes).unwrap();
            let dpi = of.dpi().round();
            expected.push(json!({ "file": name, "by": by, "pictures": pictures, "dpi": dpi, "schema": root.join("docs/drawing.schema.json") }));
        };
        let pages: Vec<Value> = std::iter::once(composed.clone()).chain(layers.iter().cloned()).collect();
        let deep = Packed { tiff: Packing::Deflate, depth: Depth::Sixteen };
        write(Format::Tiff, Packed { tiff: Packing::Lzw, depth: Depth::Eight }, "lzw.tiff", "pillow", &pages);
        write(Format::Tiff, Packed::default(), "deflate.tiff", "tifffile", &pages);
        write(Format::Tiff, deep, "deep.tiff", "tifffile", &pages);
        write(Format::Flat, Packed::default(), "flat.png", "pillow", std::slice::from_ref(&composed));
        write(
            Format::InkPng,
            Packed::default(),
            "ink.png",
            "pillow",
            &[picture(at, "all ink", of.all_ink().unwrap(), true)],
        );
        let mut merged = composed.clone();
        merged["name"] = json!("merged");
        // Where nothing is drawn there is no layer.
        let has_pixels = |l: &&Value| of.layers().any(|o| o.name == l["name"] && of.pixels(o).unwrap().is_some());
        let stack: Vec<Value> = std::iter::once(merged).chain(layers.iter().filter(has_pixels).cloned()).collect();
        write(Format::OpenRaster, Packed::default(), "layers.ora", "openraster", &stack);
        write(Format::Json, Packed::default(), "drawing.json", "json", &[]);
        std::fs::write(at.join("expected.json"), serde_json::to_vec(&expected).unwrap()).unwrap();
        let run = std::process::Command::new(&python).arg(root.join("scripts/readers.py")).arg(at).output().unwrap();
        let told = String::from_utf8_lossy(&run.stdout);
        assert!(run.status.success(), "{leaving:?}: {told}{}", String::from_utf8_lossy(&run.stderr));
        // A merged picture, one composed by the reader, and the pages of three TIFFs, at least.
        assert!(told.lines().count() > 2 + 3 * pages.len(), "{told}");
    }
}

#[test]
fn layers_laid_on_one_another_are_the_drawing() {
    let (sheet, ink) = drawing();
    let scene = Scene::of(&sheet, &ink);
    let colours = colours();
    for percent in [25, 60, 100, 175] {
        let of = HandOff::of("A", &sheet, &ink, &scene, &colours, Leaving { percent, ..Leaving::default() }).unwrap();
        let mut laid = Plane::new(of.size()[0], of.size()[1], [0u8; 4]);
        let mut inked = 0;
        for layer in of.layers().filter(|l| l.shown) {
            for (p, &q) in laid.data.iter_mut().zip(&of.whole(&layer.what).unwrap().data) {
                *p = over(q, *p);
                inked += usize::from(q[3] > 0);
            }
        }
        assert_eq!(laid, of.composed().unwrap(), "{percent} %");
        assert!(inked > laid.data.len() / 4, "{inked} of {}", laid.data.len());
    }
}

/// The coverage of a drawing's SVG as resvg draws it.
fn drawn(text: &str, width: usize, height: usize) -> Plane<u8> {
    let tree = usvg::Tree::from_str(text, &usvg::Options::default()).unwrap();
    let mut pixels = tiny_skia::Pixmap::new(width as u32, height as u32).unwrap();
    let scale = width as f32 / tree.size().width();
    resvg::render(&tree, tiny_skia::Transform::from_scale(scale, scale), &mut pixels.as_mut());
    Plane { width, height, data: pixels.pixels().iter().map(|p| p.alpha()).collect() }
}

fn vector(text: &str) -> svg::Vector {
    match rhizograph_formats::read(text.as_bytes(), Reading::default()).unwrap() {
        Input::Vector(v) => v,
        Input::Raster(_) => panic!("no vector art"),
    }
}

fn written(sheet: &Sheet, ink: &Ink, leaving: Leaving) -> String {
    let scene = Scene::of(sheet, ink);
    let colours = colours();
    let of = HandOff::of("A", sheet, ink, &scene, &colours, leaving).unwrap();
    let made = Format::Svg.files(&of, Packed::default()).unwrap();
    String::from_utf8(made.into_iter().next().unwrap().bytes).unwrap()
}

#[test]
fn svg_comes_back_as_the_same_lines_regions_and_paint_at_its_own_size() {
    let (sheet, ink) = drawing();
    let v = vector(&written(&sheet, &ink, Leaving::default()));
    assert_eq!(([v.width, v.height], v.dpi), ([400, 300], Some(300.0)));
    assert_eq!(v.colours, colours());
    let forms = |lines: &[std::sync::Arc<Line>]| {
        lines.iter().map(|l| (l.id, l.form.clone(), l.swatch.clone())).collect::<Vec<_>>()
    };
    assert_eq!(forms(&v.lines), forms(&sheet.lines));
    let back = Sheet { lines: v.lines, ..Sheet::new(v.width, v.height, 300.0) };
    let mut back = Sheet { next_id: 1000, ..back };
    v.drops.into_iter().for_each(|d| back.drop_paint(d));
    let blank = Ink::plain(Plane::new(400, 300, 0), [0; 3]);
    let (was, is) = (Scene::of(&sheet, &ink), Scene::of(&back, &blank));
    assert_eq!(was.regions.len(), is.regions.len());
    for r in was.regions.iter() {
        let there = is.regions.at(r.seed).unwrap();
        assert_eq!(was.fill(r.id), is.fill(there.id));
    }
}

#[test]
fn what_somebody_changed_in_an_svg_is_read_as_it_looks() {
    let (sheet, ink) = drawing();
    let text = written(&sheet, &ink, Leaving::default());
    let rust = sheet.lines.iter().find(|l| l.swatch.is_some()).unwrap();
    let mark = format!("id=\"line-{}\" ", rust.id);
    assert_eq!(text.matches(&mark).count(), 1);
    // Moved by somebody: the line lies where it is seen.
    let moved = vector(&text.replace(&mark, &format!("{mark}transform=\"translate(0 -100)\" ")));
    let mut lowest: Vec<f64> = moved.lines.iter().map(|l| l.bounds().max.y).collect();
    lowest.sort_by(f64::total_cmp);
    assert!(lowest[lowest.len() - 1] < 255.0, "{lowest:?}");
    assert_eq!(moved.lines.len(), sheet.lines.len());
    // Taken away by somebody.
    let hidden = vector(&text.replace(&mark, &format!("{mark}display=\"none\" ")));
    assert!(hidden.lines.iter().all(|l| l.bounds().max.y < 260.0));
}

#[test]
fn a_cropped_svg_comes_back_as_what_is_shown() {
    let (sheet, ink) = drawing();
    let leaving = Leaving { cropped: true, chart: Fields::Twelve, ..Leaving::default() };
    let scene = Scene::of(&sheet, &ink);
    let colours = colours();
    let part = HandOff::of("A", &sheet, &ink, &scene, &colours, leaving).unwrap().part();
    let v = vector(&written(&sheet, &ink, leaving));
    assert_eq!([v.width, v.height], [part[2], part[3]]);
    let by = v.lines[0].bounds().min - sheet.lines[0].bounds().min;
    assert_eq!(by, pt(-(part[0] as f64), -(part[1] as f64)));
}

/// Whether a path turns back nearly upon itself: there thin ink of both ways shares pixels for long, which renderers add
/// up otherwise.
fn turns_back(points: &[Pt], is_closed: bool) -> bool {
    let ring: Vec<Pt> = points.iter().chain(if is_closed { &points[..1] } else { &[] }).copied().collect();
    let back = |w: &[Pt]| (w[1] - w[0]).unit().dot((w[2] - w[1]).unit()) < -0.9;
    ring.windows(3).any(back) || (is_closed && back(&[ring[ring.len() - 2], ring[0], ring[1]]))
}

/// Lines of any kind that a hand may have drawn.
fn some_line() -> impl Strategy<Value = Line> {
    let place = (20.0..280.0f64, 20.0..180.0f64).prop_map(|(x, y)| pt(x, y).snapped());
    let width = prop_oneof![Just(0.4), Just(0.8), 1.0..30.0f64];
    let ends = prop::sample::select(vec![End::Round, End::Flat]);
    let points = prop::collection::vec(place, 2..6).prop_filter("sharp", |p| !turns_back(p, true));
    (points, width, 0.2..1.0f64, any::<bool>(), any::<bool>(), ends).prop_map(
        |(mut points, width, taper, is_closed, is_square, end)| {
            let straight = |points: &[Pt]| {
                let mut out = vec![points[0]];
                for w in points.windows(2) {
                    out.extend([w[0].lerp(w[1], 1.0 / 3.0), w[0].lerp(w[1], 2.0 / 3.0), w[1]]);
                }
                out
            };
            if is_closed {
                points.push(points[0]);
            }
            let spine = if is_square {
                Spine { points: straight(&points), closed: is_closed }
            } else {
                Spine::through(&points, is_closed)
            };
            let width = if taper > 0.6 { vec![[0.0, width]] } else { vec![[0.0, width], [1.0, width * taper]] };
            let width = if is_closed { vec![width[0]] } else { width };
            Line::new(1, Form::Centreline { spine, width, ends: [end; 2] }, Made::Hand)
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]
    #[test]
    fn svg_looks_like_the_ink_in_another_renderer(line in some_line()) {
        prop_assume!(line.is_sound());
        let mut sheet = Sheet::new(300, 200, 300.0);
        sheet.draw(line.clone());
        let blank = Ink::plain(Plane::new(300, 200, 0), [0; 3]);
        let ink = sheet.visible_ink(&blank).alpha;
        let seen = drawn(&written(&sheet, &blank, Leaving::default()), 300, 200);
        // Where a path turns back sharply, ink of both ways shares some pixels: there renderers add it up otherwise.
        let off: Vec<usize> = (0..ink.data.len()).filter(|&i| ink.data[i].abs_diff(seen.data[i]) > 70).collect();
        let inked = ink.data.iter().filter(|a| **a > 0).count();
        prop_assert!(off.len() <= 4 + inked / 200, "{} of {inked} pixels: {line:?}", off.len());
    }
}
