//! What nobody draws and somebody will: none of it may fail or crawl. Times are printed; what is refused here is far
//! beyond what a busy machine explains.

use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::model::line::{End, Form, Line, Made, piled};
use rhizograph_core::model::recipe::TraceRecipe;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::distance::squared_distance;
use rhizograph_core::raster::ink::{IS_INK, Ink};
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::region::arrangement::Arrangement;
use rhizograph_core::scene::Scene;
use rhizograph_core::trace::trace;
use std::time::Instant;

fn unit(seed: u64) -> f64 {
    let mut z = seed.wrapping_mul(0x9E37_79B9_7F4A_7C15).wrapping_add(77);
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z ^= z >> 27;
    (z >> 11) as f64 / (1u64 << 53) as f64
}

fn line(id: u64, points: &[Pt], closed: bool) -> Line {
    Line::new(
        id,
        Form::Centreline {
            spine: Spine::through(points, closed),
            width: vec![[0.0, 1.5]],
            ends: [End::Round, End::Round],
        },
        Made::Traced,
    )
}

/// V − E + F = 1 + C, and no edge without two ends.
fn is_sound(a: &Arrangement) {
    assert_eq!(a.euler(), 0);
    assert!(a.edges().all(|([a, b], ..)| a != b));
}

fn scene_of(lines: Vec<Line>, side: usize) -> (Scene, f64) {
    let lines = piled(lines);
    let mut sheet = Sheet::new(side, side, 300.0);
    sheet.next_id = lines.len() as u64 + 1;
    let ink = Scene::ink_of_lines(&lines, side, side, [0; 3]);
    sheet.lines = lines;
    let began = Instant::now();
    let scene = Scene::of(&sheet, &ink);
    is_sound(&scene.network.arrangement);
    (scene, began.elapsed().as_secs_f64())
}

#[test]
fn twenty_thousand_hatching_strokes_in_one_place() {
    let lines = (0..20_000u64)
        .map(|k| {
            let p = pt(150.0 + 700.0 * unit(3 * k), 150.0 + 700.0 * unit(3 * k + 1));
            let a: f64 = if k % 2 == 0 { 0.8 } else { 2.3 } + 0.1 * unit(3 * k + 2);
            line(k + 1, &[p, p + pt(a.cos(), a.sin()) * 40.0], false)
        })
        .collect();
    let (scene, took) = scene_of(lines, 1000);
    println!(
        "figure: 20,000 hatching strokes in 700 x 700 px: {} faces, {} findings in {took:.1} s",
        scene.network.arrangement.counts().faces,
        scene.findings.len()
    );
    assert!(took < 90.0, "{took} s");
}

#[test]
fn a_line_that_crosses_itself_five_hundred_times() {
    let points: Vec<Pt> = (0..1600)
        .map(|k| f64::from(k) * 0.13)
        .map(|t| pt(500.0 + 380.0 * (t * 1.0).cos() * (0.37 * t).sin(), 500.0 + 380.0 * (t * 1.3).sin()))
        .collect();
    let (scene, took) = scene_of(vec![line(1, &points, false)], 1000);
    let crossings = scene.network.arrangement.vertices().filter(|v| v.1 > 2).count();
    println!("figure: a line crossing itself {crossings} times: {took:.2} s");
    assert!(crossings > 500, "{crossings}");
    assert!(took < 20.0, "{took} s");
}

#[test]
fn lines_that_overlap_exactly_have_one_edge_and_all_their_owners() {
    let square = [pt(100.0, 100.0), pt(300.0, 100.0), pt(300.0, 300.0), pt(100.0, 300.0), pt(100.0, 100.0)];
    let (scene, took) = scene_of((1..=300).map(|id| line(id, &square, true)).collect(), 400);
    let a = &scene.network.arrangement;
    assert_eq!(a.counts().faces, 2);
    assert!(a.edges().all(|(_, owners, _)| owners.len() == 300));
    assert_eq!(scene.regions.len(), 1);
    println!("figure: 300 lines that overlap exactly: {took:.2} s");
    assert!(took < 20.0, "{took} s");
}

#[test]
fn lines_without_length_of_three_points_and_off_the_sheet() {
    let p = pt(50.0, 50.0);
    let lines = vec![
        line(1, &[p, p], false),
        line(2, &[p, p, p], true),
        line(3, &[pt(100.0, 100.0), pt(200.0, 110.0), pt(150.0, 190.0), pt(100.0, 100.0)], true),
        line(4, &[pt(-5000.0, -5000.0), pt(-4000.0, 90_000.0)], false),
        line(5, &[pt(1e9, 1e9), pt(-1e9, 1e9)], false),
        line(6, &[pt(f64::MAX, 10.0), pt(20.0, 20.0)], false),
    ];
    let (scene, _) = scene_of(lines, 300);
    assert_eq!(scene.regions.len(), 1);
    let same = (1..=500).map(|id| line(id, &[p, p, p, p], id % 2 == 0)).collect();
    let (scene, took) = scene_of(same, 300);
    assert!(scene.network.arrangement.counts().edges == 0);
    assert!(took < 10.0, "{took} s");
}

/// Tracing noise takes so many exact distances of its page at most; 50 were measured.
const MOST_OF_NOISE: f64 = 150.0;

/// A page of 17 megapixels of noise, the ink at every second pixel or so.
#[test]
fn a_page_of_noise_is_traced() {
    let mut alpha = Plane::new(4800, 3600, 0u8);
    for (k, a) in alpha.data.iter_mut().enumerate() {
        let blob = unit((k / 4800 / 6 * 800 + k % 4800 / 6) as u64);
        *a = (255.0 * (0.35 * unit(k as u64 + 1_000_000) + 0.65 * blob)) as u8;
    }
    let began = Instant::now();
    let lines = trace(&Ink::plain(alpha.clone(), [0; 3]), &TraceRecipe::default(), 300.0, 1);
    let took = began.elapsed().as_secs_f64();
    println!("figure: 17 megapixels of noise: {} lines traced in {took:.1} s", lines.len());
    assert!(lines.len() > 1000);
    // Against what any machine needs for the exact distance of the same page.
    let began = Instant::now();
    let far = squared_distance(&alpha.map(|&a| a >= IS_INK));
    let once = began.elapsed().as_secs_f64();
    assert_eq!(far.data.len(), 4800 * 3600);
    println!("figure: that is {:.0} times its exact distance", took / once);
    assert!(took < MOST_OF_NOISE * once, "{took} s, its distance {once} s");
}
