//! The steps on one page of 4800 x 3600 pixels, beside a copy of that page (8-bit RGB), the unit they are judged by.

use divan::{Bencher, black_box};
use rhizograph_core::edit::{Command, FindingsStep, Given, JoinStep, plan};
use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::intake::lay_out;
use rhizograph_core::lift;
use rhizograph_core::model::by_hand::ByHand;
use rhizograph_core::model::line::{End, Form, Line, Made, piled};
use rhizograph_core::model::recipe::{Edge, IntakeRecipe, LiftRecipe, Polarity, TraceRecipe, WeightRecipe};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::raster::disc::grow;
use rhizograph_core::raster::distance::squared_distance;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::{Plane, Rgb};
use rhizograph_core::raster::strokes;
use rhizograph_core::region::arrangement::{Segment, arrange, to_grid};
use rhizograph_core::scene::Scene;
use rhizograph_core::trace::trace;
use rhizograph_core::weight::weigh;
use std::sync::LazyLock;

const W: usize = 4800;
const H: usize = 3600;

fn main() {
    divan::main();
}

/// A number 0 to 1, the same for the same seed.
fn unit(seed: u64) -> f64 {
    let mut z = seed.wrapping_mul(0x9E37_79B9_7F4A_7C15);
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z ^= z >> 27;
    (z >> 11) as f64 / (1u64 << 53) as f64
}

/// A wandering line of `pieces` steps.
fn wander(seed: u64, pieces: usize, step: f64) -> Vec<Pt> {
    let mut p = pt(unit(seed) * W as f64, unit(seed + 1) * H as f64);
    let mut angle = unit(seed + 2) * std::f64::consts::TAU;
    (0..=pieces)
        .map(|k| {
            let here = p;
            angle += 0.43 * (unit(seed * 1000 + k as u64) + unit(seed * 777 + k as u64) - 1.0);
            p = p + pt(angle.cos(), angle.sin()) * step;
            here
        })
        .collect()
}

static INK: LazyLock<Plane<u8>> = LazyLock::new(|| {
    let mut ink = Plane::new(W, H, 0u8);
    for k in 0..260 {
        let width = 5.0 + 9.0 * unit(k + 50_000);
        let flat: Vec<FlatPoint> = wander(k * 3 + 1, 90, 9.0).into_iter().map(|p| FlatPoint { p, width }).collect();
        strokes::stroke(&mut ink, &flat);
    }
    ink
});

static PAGE: LazyLock<Plane<Rgb>> = LazyLock::new(|| {
    let mut k = 0u64;
    INK.map(|&a| f64::from(a) / 255.0).data.iter().fold(
        Plane { width: W, height: H, data: Vec::with_capacity(W * H) },
        |mut page, a| {
            k += 1;
            let grain = 6.0 * (unit(k) - 0.5);
            page.data.push([240.0, 236.0, 224.0].map(|c: f64| (c * (1.0 - 0.88 * a) + grain).clamp(0.0, 255.0) as u8));
            page
        },
    )
});

#[divan::bench(sample_count = 15)]
fn a_copy_of_the_page(bencher: Bencher) {
    let page = &*PAGE;
    bencher.bench(|| black_box(page.data.clone()));
}

/// A page that lay askew, laid out.
#[divan::bench(sample_count = 9)]
fn a_lay_out(bencher: Bencher) {
    let recipe = IntakeRecipe { straighten: 0.7, ..IntakeRecipe::default() };
    bencher.with_inputs(|| PAGE.clone()).bench_values(|page| black_box(lay_out(page, &recipe).expect("it is a sheet")));
}

/// Even light, points, specks and drop-out: from a page to ink.
#[divan::bench(sample_count = 9)]
fn b_lift(bencher: Bencher) {
    let (page, recipe) = (&*PAGE, LiftRecipe::default());
    bencher.bench(|| black_box(lift::lift(page, &recipe, &ByHand::default(), 300.0).expect("the page has ink")));
}

#[divan::bench(sample_count = 9)]
fn b_lift_analyse(bencher: Bencher) {
    let page = &*PAGE;
    bencher.bench(|| black_box(lift::analyse(page, Polarity::Auto)));
}

#[divan::bench(sample_count = 9)]
fn b_lift_cover(bencher: Bencher) {
    let (page, recipe) = (&*PAGE, LiftRecipe::default());
    let analysis = lift::analyse(page, Polarity::Auto).expect("the page has ink");
    bencher.bench(|| black_box(lift::cover(page, &analysis, &recipe)));
}

#[divan::bench(sample_count = 9)]
fn b_lift_peaks(bencher: Bencher) {
    let (page, recipe) = (&*PAGE, LiftRecipe::default());
    let coverage = lift::cover(page, &lift::analyse(page, Polarity::Auto).expect("the page has ink"), &recipe);
    bencher.bench(|| black_box(lift::peaks(&coverage)));
}

#[divan::bench(sample_count = 9)]
fn b_lift_develop(bencher: Bencher) {
    let (page, recipe) = (&*PAGE, LiftRecipe::default());
    let coverage = lift::cover(page, &lift::analyse(page, Polarity::Auto).expect("the page has ink"), &recipe);
    let (peaks, points) = (lift::peaks(&coverage), lift::points_of(&recipe, &coverage));
    bencher.bench(|| {
        let (painted, removed) = (lift::Painted::default(), &coverage.removed);
        let (coverage_of, recipe) = (&coverage.plane, &recipe);
        let cutting =
            lift::Cutting { coverage: coverage_of, removed, peaks: &peaks, points, recipe, painted: &painted };
        let base = lift::Base::of(cutting, Plane::empty(), 300.0, false);
        black_box(base.develop(&coverage, recipe, &[], 300.0))
    });
}

/// Looking a page over for what points would cost and leave.
#[divan::bench(sample_count = 9)]
fn b_trade_survey(bencher: Bencher) {
    let (page, recipe) = (&*PAGE, LiftRecipe::default());
    let coverage = lift::cover(page, &lift::analyse(page, Polarity::Auto).expect("the page has ink"), &recipe);
    let peaks = lift::peaks(&coverage);
    bencher.bench(|| black_box(lift::Survey::of(&coverage, &peaks, 300.0)));
}

/// Growing by an exact disc, by radius.
#[divan::bench(sample_count = 9, args = [1.0, 3.0, 10.0, 25.0])]
fn c_grow_crisp(bencher: Bencher, r: f64) {
    let ink = INK.map(|&a| if a >= 128 { 255u8 } else { 0 });
    bencher.bench(|| black_box(grow(&ink, r, None, true)));
}

#[divan::bench(sample_count = 5, args = [1.0, 3.0, 10.0, 25.0])]
fn c_grow_soft(bencher: Bencher, r: f64) {
    let ink = &*INK;
    bencher.bench(|| black_box(grow(ink, r, None, false)));
}

#[divan::bench(sample_count = 5, args = [1.0, 3.0])]
fn c_shrink_keeping_lines(bencher: Bencher, r: f64) {
    let (ink, recipe) = (&*INK, WeightRecipe { amount: -r * 25.4 / 300.0, ..WeightRecipe::default() });
    bencher.bench(|| black_box(weigh(ink, &recipe, Edge::Soft1, None, 300.0)));
}

#[divan::bench(sample_count = 7)]
fn c_exact_distance(bencher: Bencher) {
    let mask = INK.map(|&a| a >= 128);
    bencher.bench(|| black_box(squared_distance(&mask)));
}

#[divan::bench(sample_count = 3)]
fn d_trace(bencher: Bencher) {
    let ink = Ink::plain(INK.clone(), [0; 3]);
    bencher.bench(|| black_box(trace(&ink, &TraceRecipe::default(), 300.0, 1)));
}

#[divan::bench(sample_count = 3)]
fn e_regions_of_5000_lines(bencher: Bencher) {
    let segments: Vec<Segment> = (0..5000u32)
        .flat_map(|line| {
            let p = wander(u64::from(line) * 7 + 3, 40, 8.0);
            p.windows(2).map(|w| Segment { a: to_grid(w[0]), b: to_grid(w[1]), owner: line }).collect::<Vec<_>>()
        })
        .collect();
    bencher.bench(|| black_box(arrange(&segments)));
}

/// The same lines as a drawing, with a scene of it.
fn drawing_of_5000_lines() -> (Sheet, Ink, Scene) {
    let mut sheet = Sheet::new(W, H, 300.0);
    let lines = (0..5000u64).map(|line| {
        Line::new(
            line + 1,
            Form::Centreline {
                spine: Spine::through(&wander(line * 7 + 3, 40, 8.0), false),
                width: vec![[0.0, 2.0]],
                ends: [End::Round; 2],
            },
            Made::Traced,
        )
    });
    sheet.lines = piled(lines.collect());
    sheet.next_id = 5001;
    let ink = Scene::ink_of_lines(&sheet.lines, W, H, [0; 3]);
    let mut scene = Scene::of(&sheet, &ink);
    scene.make_ready();
    (sheet, ink, scene)
}

/// A seam across a few regions: planned, applied, and everything that is computed from the drawing brought up to it.
#[divan::bench(sample_count = 40)]
fn f_edit_in_5000_lines(bencher: Bencher) {
    let (mut sheet, ink, mut scene) = drawing_of_5000_lines();
    let mut n = 0.0;
    bencher.bench_local(move || {
        n += 1.0;
        let at = pt(600.0 + 83.0 * n % 3600.0, 500.0 + 61.0 * n % 2600.0);
        let path = vec![at, at + pt(30.0, 12.0), at + pt(60.0, 40.0)];
        let change = plan(
            &sheet,
            &Command::Join(JoinStep::Seam { path }),
            &Given { lifted: &ink, scene: &scene, swatches: &[] },
        )
        .expect("a seam can be drawn anywhere");
        let after = change.apply(&sheet).expect("it was planned on this sheet");
        black_box(scene.advance(&sheet, &after, &ink));
        sheet = after;
    });
}

#[divan::bench(sample_count = 5)]
fn f_settle_300_in_5000_lines(bencher: Bencher) {
    let (sheet, ink, scene) = drawing_of_5000_lines();
    let ids: Vec<String> =
        scene.findings.iter().filter(|f| f.kind == Kind::Gap).take(300).map(|f| f.id.clone()).collect();
    assert_eq!(ids.len(), 300);
    bencher.with_inputs(|| scene.clone()).bench_local_values(|mut scene| {
        let settle = Command::Findings(FindingsStep::Settle { ids: ids.clone(), with: None });
        let change =
            plan(&sheet, &settle, &Given { lifted: &ink, scene: &scene, swatches: &[] }).expect("they were just found");
        let after = change.apply(&sheet).expect("it was planned on this sheet");
        black_box(scene.advance(&sheet, &after, &ink))
    });
}
