//! How well gaps are closed and drawings are parted into regions, on drawings generated for the purpose: closed shapes
//! of many kinds, cut where nobody tells. Fixed seeds; the figures are printed.
use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::model::line::piled;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::components::components;
use rhizograph_core::raster::ink::{IS_INK, Ink};
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::raster::strokes;
use rhizograph_core::scene::Scene;
use rhizograph_core::trace::trace;

const SIDE: usize = 900;

fn unit(seed: u64) -> f64 {
    let mut z = seed.wrapping_mul(0x9E37_79B9_7F4A_7C15).wrapping_add(0x1234_5678);
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z ^= z >> 27;
    (z >> 11) as f64 / (1u64 << 53) as f64
}

/// Nine closed shapes, wobbly rings and polygons, on a sheet; each cut once if `gap` is given.
fn shapes(seed: u64, gap: Option<(f64, f64)>) -> (Ink, Vec<Pt>) {
    let mut alpha = Plane::new(SIDE, SIDE, 0u8);
    let mut cuts = Vec::new();
    for k in 0..9u64 {
        let s = seed * 100 + k * 11;
        let centre = pt(150.0 + 300.0 * (k % 3) as f64, 150.0 + 300.0 * (k / 3) as f64);
        let width = 5.0 + 7.0 * unit(s);
        let corners = 3 + (5.0 * unit(s + 1)) as usize;
        let ring: Vec<Pt> = if k % 2 == 0 {
            let wob = 12.0 * unit(s + 2);
            (0..240)
                .map(|i| f64::from(i) / 240.0 * std::f64::consts::TAU)
                .map(|a| centre + pt(a.cos(), a.sin()) * (85.0 + wob * (3.0 * a + unit(s + 3) * 6.0).sin()))
                .collect()
        } else {
            let turn = unit(s + 4) * 6.0;
            let corner = |i: usize| {
                let a = turn + i as f64 / corners as f64 * std::f64::consts::TAU;
                centre + pt(a.cos(), a.sin()) * 105.0
            };
            (0..corners)
                .flat_map(|i| (0..60).map(move |j| (i, j)))
                .map(|(i, j)| corner(i).lerp(corner(i + 1), j as f64 / 60.0))
                .collect()
        };
        let n = ring.len();
        let mut points: Vec<Pt> = ring.clone();
        points.push(ring[0]);
        if let Some((least, most)) = gap {
            let length = least + (most - least) * unit(s + 5);
            // Not at the very corner of a polygon.
            let mut start = (unit(s + 6) * n as f64) as usize;
            if k % 2 == 1 {
                start = start / 60 * 60 + 15 + (unit(s + 7) * 30.0) as usize;
            }
            points = (0..n).map(|i| ring[(start + i) % n]).collect();
            let opening = length + width;
            let at = points[0];
            let far = |p: &Pt| p.dist(at) > opening / 2.0;
            let first = points.iter().position(far).unwrap();
            let last = points.iter().rposition(far).unwrap();
            points = points[first..=last].to_vec();
            cuts.push(at);
        }
        let flat: Vec<FlatPoint> = points.iter().map(|&p| FlatPoint { p, width }).collect();
        strokes::stroke(&mut alpha, &flat);
    }
    (Ink::plain(alpha, [0; 3]), cuts)
}

fn settled(ink: &Ink) -> (Scene, Vec<Pt>) {
    let mut sheet = Sheet::new(SIDE, SIDE, 300.0);
    sheet.lines = piled(trace(ink, &sheet.recipes.trace, 300.0, 1));
    sheet.next_id = sheet.lines.len() as u64 + 1;
    let scene = Scene::of(&sheet, ink);
    let mut closed = Vec::new();
    let with = sheet.recipes.join.close_with;
    for gap in scene.gaps.iter().filter(|g| g.sure) {
        rhizograph_core::edit::close(&mut sheet, gap, with);
        closed.push(gap.from.lerp(gap.to, 0.5));
    }
    (Scene::of(&sheet, ink), closed)
}

#[test]
fn whole_shapes_are_regions_and_nothing_else_is() {
    let (mut found, mut all) = (0, 0);
    for seed in 1..=4 {
        let (ink, _) = shapes(seed, None);
        let (scene, closed) = settled(&ink);
        assert!(closed.is_empty(), "nothing was open in {seed}");
        let paper = ink.alpha.map(|&a| a < IS_INK);
        all += components(&paper, false).1.len() - 1;
        found += scene.regions.len();
        assert!(scene.network.ends().all(|e| !e.loose), "drawing {seed} has a loose end");
    }
    println!("figure: whole shapes: {found} regions of {all}");
    assert_eq!(found, all);
}

#[test]
fn gaps_of_4_to_24_px_are_closed_without_asking() {
    for (least, most, share) in [(4.0, 12.0, 0.97), (12.0, 24.0, 0.9)] {
        let (mut hit, mut cut, mut wrong, mut regions) = (0, 0, 0, 0);
        for seed in 1..=6 {
            let (ink, cuts) = shapes(seed, Some((least, most)));
            let (scene, closed) = settled(&ink);
            cut += cuts.len();
            hit += cuts.iter().filter(|c| closed.iter().any(|g| g.dist(**c) < 10.0)).count();
            wrong += closed.iter().filter(|g| !cuts.iter().any(|c| g.dist(*c) < 10.0)).count();
            regions += scene.regions.len();
        }
        println!(
            "figure: gaps of {least} to {most} px: {hit} of {cut} closed as sure, {wrong} wrong, {regions} regions"
        );
        assert!(hit as f64 >= share * cut as f64, "{hit} of {cut}");
        assert_eq!(wrong, 0);
    }
}

#[test]
fn hard_input_neither_fails_nor_crawls() {
    let began = std::time::Instant::now();
    // Hatching: many strokes in one place, crossing, overlapping, some of them equal.
    let mut sheet = Sheet::new(SIDE, SIDE, 300.0);
    let ink = Ink::plain(Plane::new(SIDE, SIDE, 0), [0; 3]);
    for k in 0..1200u64 {
        let a = pt(300.0 + 200.0 * unit(k), 300.0 + 200.0 * unit(k + 7));
        let b = if k % 10 == 0 {
            a
        } else {
            pt(300.0 + 200.0 * unit(k / 2 * 2 + 13), 300.0 + 200.0 * unit(k / 2 * 2 + 29))
        };
        sheet.lines.push(std::sync::Arc::new(rhizograph_core::model::line::Line::new(
            k + 1,
            rhizograph_core::model::line::Form::Seam {
                spine: rhizograph_core::geom::spine::Spine::through(&[a, b], false),
            },
            rhizograph_core::model::line::Made::Hand,
        )));
    }
    let scene = Scene::of(&sheet, &ink);
    assert_eq!(scene.network.arrangement.euler(), 0);
    println!(
        "figure: 1200 seams in one place: {} faces in {:.1} s with all findings",
        scene.network.arrangement.counts().faces,
        began.elapsed().as_secs_f64()
    );
    assert!(scene.network.arrangement.counts().faces > 10_000);
    assert!(began.elapsed().as_secs() < 60);
}
