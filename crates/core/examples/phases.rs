use rhizograph_core::command::{Command, plan};
use rhizograph_core::finding::Kind;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::ink::Ink;
use rhizograph_core::line::{End, Form, Line, Made, Spine, shared};
use rhizograph_core::scene::Scene;
use rhizograph_core::sheet::Sheet;
use std::time::Instant;
const W: usize = 4800;
const H: usize = 3600;
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

/// The same lines as a drawing, with a scene of it.
fn drawing_of_5000_lines() -> (Sheet, Ink, Scene) {
    let mut sheet = Sheet::new(W, H, 300.0);
    let lines = (0..5000u64).map(|line| Line {
        id: line + 1,
        form: Form::Centreline {
            spine: Spine::through(&wander(line * 7 + 3, 40, 8.0), false),
            width: vec![[0.0, 2.0]],
            ends: [End::Round; 2],
        },
        made: Made::Traced,
        swatch: None,
        opacity: 1.0,
        group: None,
    });
    sheet.lines = shared(lines.collect());
    sheet.next_id = 5001;
    let ink = Scene::ink_of_lines(&sheet.lines, W, H, [0; 3]);
    let mut scene = Scene::of(&sheet, &ink);
    scene.make_ready();
    (sheet, ink, scene)
}

fn main() {
    let t = Instant::now();
    let (mut sheet, ink, mut scene) = drawing_of_5000_lines();
    println!("open {:?}", t.elapsed());
    let gaps: Vec<String> =
        scene.findings.iter().filter(|f| f.kind == Kind::Gap).take(300).map(|f| f.id.clone()).collect();
    for n in 0..14 {
        let command = if n == 13 {
            Command::Settle { ids: gaps.clone(), with: None }
        } else {
            let at = pt(600.0 + 83.0 * n as f64, 500.0 + 61.0 * n as f64);
            Command::Seam { path: vec![at, at + pt(30.0, 12.0), at + pt(60.0, 40.0)] }
        };
        let t = Instant::now();
        let change = plan(&sheet, &command, &ink, &scene, &[]).unwrap();
        let a = t.elapsed();
        let after = change.apply(&sheet).unwrap();
        let b = t.elapsed();
        let inked = after.see_again(&sheet, &ink, &mut scene.ink.alpha);
        let c = t.elapsed();
        let edited = scene.network.edit(&sheet.lines, &after.lines);
        let d = t.elapsed();
        scene.regions.update(&scene.network, &edited, &scene.ink.alpha, &inked);
        let e = t.elapsed();
        scene.gaps.update(&scene.network, &edited, &scene.ink.alpha, &inked);
        let f = t.elapsed();
        scene.tails.update(&scene.network, &edited);
        let g = t.elapsed();
        println!(
            "plan {:?} apply {:?} ink {:?} network {:?} regions {:?} gaps {:?} tails {:?} faces {:?} seg {} {}",
            a,
            b - a,
            c - b,
            d - c,
            e - d,
            f - e,
            g - f,
            edited.faces.as_ref().map(|f| f.len()),
            edited.removed.len(),
            edited.added.len()
        );
        sheet = after;
    }
}
