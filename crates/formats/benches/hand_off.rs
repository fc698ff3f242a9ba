//! A painted drawing of 9 megapixels as each format that it goes out in.

use divan::Bencher;
use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::handoff::{HandOff, Leaving};
use rhizograph_core::model::line::{End, Form, Line, Made};
use rhizograph_core::model::paint::{ColourModel, Drop, Swatch};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_formats::hand_off::{FORMATS, Format, Packed};
use std::sync::LazyLock;

const W: usize = 3464;
const H: usize = 2598;
/// Rings across and down, and how many swatches they are painted with.
const RINGS: [usize; 2] = [15, 11];
const SWATCHES: usize = 12;

fn main() {
    divan::main();
}

struct Drawing {
    sheet: Sheet,
    ink: Ink,
    scene: Scene,
    colours: ColourModel,
}

/// Wavy rings, each painted within.
static DRAWING: LazyLock<Drawing> = LazyLock::new(|| {
    let mut sheet = Sheet::new(W, H, 300.0);
    let swatches = (0..SWATCHES).map(|k| Swatch::new(&format!("Paint {k}"), [20 * k as u8, 200, 90]));
    let colours = ColourModel { tones: Vec::new(), swatches: swatches.collect() };
    for n in 0..RINGS[0] * RINGS[1] {
        let middle = pt(130.0 + 228.0 * (n % RINGS[0]) as f64, 130.0 + 232.0 * (n / RINGS[0]) as f64);
        let on = |k: usize| -> Pt {
            let angle = k as f64 * std::f64::consts::TAU / 40.0;
            middle + pt(angle.cos(), angle.sin()) * (95.0 + 9.0 * (5.0 * angle + n as f64).sin())
        };
        let points: Vec<Pt> = (0..=40).map(on).collect();
        let width = vec![[0.0, 5.0], [0.5, 11.0], [1.0, 5.0]];
        let form = Form::Centreline { spine: Spine::through(&points, true), width, ends: [End::Round; 2] };
        sheet.draw(Line::new(0, form, Made::Hand));
        sheet.drop_paint(Drop::by_hand(middle, &colours.swatches[n % SWATCHES].id));
    }
    let ink = Ink::plain(Plane::new(W, H, 0), [0; 3]);
    let scene = Scene::of(&sheet, &ink);
    assert_eq!(scene.fills.iter().flatten().count(), RINGS[0] * RINGS[1]);
    Drawing { sheet, ink, scene, colours }
});

fn leaving() -> HandOff<'static> {
    let Drawing { sheet, ink, scene, colours } = &*DRAWING;
    HandOff::of("A-01", sheet, ink, scene, colours, Leaving::default()).unwrap_or_else(|e| panic!("{e}"))
}

/// With what each format makes for itself of the drawing.
#[divan::bench(args = FORMATS, sample_count = 5)]
fn one_format(bencher: Bencher, format: Format) {
    bencher.with_inputs(leaving).bench_refs(|of| format.files(of, Packed::default()));
}

/// All of them, as a shot goes out.
#[divan::bench(sample_count = 5)]
fn all_formats(bencher: Bencher) {
    LazyLock::force(&DRAWING);
    bencher.bench(|| {
        let of = leaving();
        FORMATS.iter().map(|f| f.files(&of, Packed::default()).map_or(0, |m| m.len())).sum::<usize>()
    });
}
