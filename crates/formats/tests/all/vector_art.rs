//! Vector art by any hand comes in as it looks: held against resvg, pixel by pixel.

use proptest::prelude::*;
use resvg::{tiny_skia, usvg};
use rhizograph_core::geom::pt;
use rhizograph_core::model::line::Form;
use rhizograph_core::model::paint::colour_of;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_formats::svg::{Vector, read};
use std::fmt::Write;

const SIDE: usize = 200;

fn art(inner: &str) -> String {
    format!("<svg xmlns='http://www.w3.org/2000/svg' width='{SIDE}' height='{SIDE}'>{inner}</svg>")
}

/// What resvg shows on white.
fn shown(text: &str) -> Plane<[u8; 3]> {
    let tree = usvg::Tree::from_str(text, &usvg::Options::default()).unwrap();
    let mut pixels = tiny_skia::Pixmap::new(SIDE as u32, SIDE as u32).unwrap();
    pixels.fill(tiny_skia::Color::WHITE);
    resvg::render(&tree, tiny_skia::Transform::identity(), &mut pixels.as_mut());
    Plane { width: SIDE, height: SIDE, data: pixels.pixels().iter().map(|p| [p.red(), p.green(), p.blue()]).collect() }
}

/// What came in: its ink, and the colour at each pixel, white where nothing is.
fn came_in(v: Vector) -> (Plane<u8>, Plane<[u8; 3]>) {
    let mut sheet = Sheet { lines: v.lines, next_id: 1_000_000, ..Sheet::new(v.width, v.height, 300.0) };
    v.drops.into_iter().for_each(|d| sheet.drop_paint(d));
    let blank = Ink::plain(Plane::new(v.width, v.height, 0), [0; 3]);
    let scene = Scene::of(&sheet, &blank);
    let swatches = &v.colours.swatches;
    let ink =
        sheet.composed(&scene.ink, &blank, &|l| colour_of(swatches, l.swatch.as_ref()?), (0, 0, v.width, v.height));
    let mut out = Plane::new(v.width, v.height, [255u8; 3]);
    for y in 0..v.height {
        for x in 0..v.width {
            let label = u32::from(*scene.regions.labels.at(x, y));
            let under = scene.fill(label).and_then(|f| colour_of(swatches, f)).unwrap_or([255; 3]);
            let (a, c) = (u32::from(*ink.alpha.at(x, y)), ink.colour_at(x, y));
            out.set(
                x,
                y,
                std::array::from_fn(|k| ((u32::from(c[k]) * a + u32::from(under[k]) * (255 - a)) / 255) as u8),
            );
        }
    }
    (scene.ink.alpha, out)
}

fn brightness([r, g, b]: [u8; 3]) -> f64 {
    0.2126 * f64::from(r) + 0.7152 * f64::from(g) + 0.0722 * f64::from(b)
}

/// Of the ink how much is shown light, and of all pixels how many have another colour.
fn off(text: &str) -> (f64, f64) {
    let want = shown(text);
    let (ink, is) = came_in(read(text.as_bytes()).unwrap());
    let inked: Vec<usize> = (0..ink.data.len()).filter(|&i| ink.data[i] >= 200).collect();
    let light = inked.iter().filter(|&&i| brightness(want.data[i]) > 160.0).count();
    let far = |a: [u8; 3], b: [u8; 3]| a.iter().zip(b).map(|(p, q)| p.abs_diff(q)).max().unwrap() > 60;
    let other = (0..is.data.len()).filter(|&i| far(is.data[i], want.data[i])).count();
    (light as f64 / inked.len().max(1) as f64, other as f64 / is.data.len() as f64)
}

/// What vector art is made of, one thing each.
const PROBES: [(&str, &str); 23] = [
    (
        "a white square covers lines",
        "<path d='M10 100H190M100 10V190' stroke='black' stroke-width='8'/><rect x='60' y='60' width='80' height='80' fill='white'/>",
    ),
    ("a white disc in a black one", "<circle cx='100' cy='100' r='80'/><circle cx='100' cy='100' r='50' fill='#fff'/>"),
    ("nonzero keeps what crosses itself", "<path d='M100 10L160 190L10 80H190L40 190Z'/>"),
    ("even-odd leaves it open", "<path fill-rule='evenodd' d='M100 10L160 190L10 80H190L40 190Z'/>"),
    ("a hole the same way round, nonzero", "<path d='M20 20H180V180H20ZM60 60H140V140H60Z'/>"),
    ("a hole the other way round", "<path d='M20 20H180V180H20ZM60 60V140H140V60Z'/>"),
    (
        "a clip path",
        "<clipPath id='c'><circle cx='100' cy='100' r='60'/></clipPath><g clip-path='url(#c)'><path d='M0 100H200M100 0V200' stroke='black' stroke-width='10'/><rect x='20' y='20' width='50' height='160' fill='#b33'/></g>",
    ),
    (
        "a mask",
        "<mask id='m'><rect width='200' height='200' fill='white'/><circle cx='100' cy='100' r='40' fill='black'/></mask><rect x='30' y='30' width='140' height='140' mask='url(#m)'/>",
    ),
    (
        "dashes",
        "<path d='M10 60H190M10 140H190' stroke='black' stroke-width='8' stroke-dasharray='20 12' stroke-dashoffset='6'/>",
    ),
    (
        "markers",
        "<marker id='a' markerWidth='4' markerHeight='4' refX='2' refY='2' orient='auto'><path d='M0 0L4 2L0 4Z'/></marker><path d='M30 150L100 40L170 150' fill='none' stroke='black' stroke-width='8' marker-end='url(#a)' marker-start='url(#a)'/>",
    ),
    ("square caps", "<path d='M50 60H150' stroke='black' stroke-width='20' stroke-linecap='square'/>"),
    ("flat caps", "<path d='M50 60H150' stroke='black' stroke-width='20'/>"),
    ("round caps", "<path d='M50 60L150 140' stroke='black' stroke-width='20' stroke-linecap='round'/>"),
    ("mitred corners", "<path d='M40 160L100 40L160 160Z' fill='none' stroke='black' stroke-width='16'/>"),
    (
        "bevelled corners",
        "<path d='M40 160L100 40L160 160' fill='none' stroke='black' stroke-width='24' stroke-linejoin='bevel'/>",
    ),
    (
        "a stroke scaled unevenly",
        "<g transform='scale(3 1)'><circle cx='33' cy='100' r='20' fill='none' stroke='black' stroke-width='6'/></g>",
    ),
    ("a hairline", "<path d='M10 20L190 180' stroke='black' stroke-width='0.6'/>"),
    ("a group that is see-through", "<g opacity='0.25'><rect x='40' y='40' width='120' height='120'/></g>"),
    (
        "used twice",
        "<defs><path id='p' d='M0 0H60V60H0Z' fill='none' stroke='black' stroke-width='5'/></defs><use href='#p' x='20' y='20'/><use href='#p' x='110' y='110'/>",
    ),
    (
        "a style sheet",
        "<style>.ink{fill:none;stroke:#000;stroke-width:7}.plate{fill:#7a9a55}</style><rect class='plate' x='30' y='30' width='140' height='140'/><rect class='ink' x='30' y='30' width='140' height='140'/>",
    ),
    (
        "paint upon paint",
        "<rect x='20' y='20' width='160' height='160' fill='#d9b67a'/><circle cx='100' cy='100' r='50' fill='#4a6a9a'/>",
    ),
    (
        "paint behind, lines before",
        "<rect x='20' y='20' width='160' height='160' fill='#d9b67a'/><path d='M20 20H180V180H20ZM20 100H180' fill='none' stroke='black' stroke-width='6'/>",
    ),
    (
        "a white line over black",
        "<rect x='20' y='20' width='160' height='160'/><path d='M20 100H180' stroke='white' stroke-width='12'/>",
    ),
];

#[test]
fn what_is_shown_is_what_comes_in() {
    let mut told = String::new();
    for (name, inner) in PROBES {
        let (light, other) = off(&art(inner));
        if light > 0.02 || other > 0.02 {
            let _ = writeln!(
                told,
                "{name}: {light:.3} of the ink is shown light, {other:.3} of all pixels have another colour"
            );
        }
    }
    assert!(told.is_empty(), "{told}");
}

#[test]
fn lines_stay_lines_and_what_hides_them_parts_them() {
    let (_, covered) = PROBES[0];
    let v = read(art(covered).as_bytes()).unwrap();
    assert_eq!(v.lines.len(), 4, "each of both lines is in two");
    assert!(v.lines.iter().all(|l| matches!(l.form, Form::Centreline { .. })));
    // What is cut is cut: the lines end at the square.
    let is_near = |x: f64, y: f64| v.lines.iter().any(|l| l.spine().unwrap().nearest(pt(x, y)).1 < 1.0);
    assert!(is_near(30.0, 100.0) && !is_near(100.0, 100.0));
}

#[test]
fn what_cannot_be_kept_is_told_by_name() {
    let inner = "<text x='9' y='50'>Kettle</text><image href='x.png' width='9' height='9'/>
        <linearGradient id='g'><stop offset='0' stop-color='#800'/><stop offset='1' stop-color='#f80'/></linearGradient>
        <rect x='20' y='60' width='90' height='90' fill='url(#g)'/>
        <rect x='20' y='90' width='160' height='20' fill='white' fill-opacity='0.5'/>";
    let v = read(art(inner).as_bytes()).unwrap();
    for name in ["1 text", "1 gradient", "1 see-through shape"] {
        assert!(v.notes.iter().any(|n| n.starts_with(name)), "{name}: {:?}", v.notes);
    }
}

/// Shapes of any colour at any place, on one another.
fn shape() -> impl Strategy<Value = String> {
    let colour = prop::sample::select(vec!["black", "white", "#ffffff", "#b33a2a", "#7a9a55", "#222233", "#d9b67a"]);
    let place = || (10.0..190.0f64, 10.0..190.0f64);
    prop_oneof![
        (place(), 15.0..60.0f64, colour.clone())
            .prop_map(|((x, y), r, c)| format!("<circle cx='{x:.1}' cy='{y:.1}' r='{r:.1}' fill='{c}'/>")),
        (place(), 20.0..90.0f64, 20.0..90.0f64, colour.clone()).prop_map(|((x, y), w, h, c)| format!(
            "<rect x='{x:.1}' y='{y:.1}' width='{w:.1}' height='{h:.1}' fill='{c}'/>"
        )),
        (place(), place(), 3.0..12.0f64, prop::sample::select(vec!["black", "white", "#222"])).prop_map(
            |(a, b, w, c)| format!(
                "<path d='M{:.1} {:.1}L{:.1} {:.1}' stroke='{c}' stroke-width='{w:.1}' stroke-linecap='round'/>",
                a.0, a.1, b.0, b.1
            )
        ),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    #[test]
    fn heaps_of_shapes_look_as_they_did(shapes in prop::collection::vec(shape(), 1..9)) {
        let text = art(&shapes.concat());
        let (light, other) = off(&text);
        // Soft edges, and slivers of paint too small to be regions, are all that may differ.
        prop_assert!(light < 0.03, "{light:.3} of the ink is shown light: {text}");
        prop_assert!(other < 0.03, "{other:.3} of all pixels have another colour: {text}");
    }
}
