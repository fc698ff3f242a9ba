//! Tails that were cut, as another renderer draws them from `lines.svg`: nothing of them is left and nothing is bitten
//! out of other lines. Fixed seeds; the figures are printed.

use crate::support;

use resvg::{tiny_skia, usvg};
use rhizograph_core::edit::{Command, FindingsStep};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_formats::svg::{Art, svg};
use support::tails::Made;
use support::{do_it, traced};

const SHEETS: u64 = 8;

/// The coverage of a sheet's lines as drawn from their SVG.
fn drawn(sheet: &Sheet) -> Plane<u8> {
    let svg = svg(&Art::of_lines([sheet.width, sheet.height], sheet.dpi, &sheet.lines, &|_| [0; 3]));
    let tree = usvg::Tree::from_str(&svg, &usvg::Options::default()).unwrap();
    let mut pixels = tiny_skia::Pixmap::new(sheet.width as u32, sheet.height as u32).unwrap();
    let scale = sheet.width as f32 / tree.size().width();
    resvg::render(&tree, tiny_skia::Transform::from_scale(scale, scale), &mut pixels.as_mut());
    let data = pixels.pixels().iter().map(|p| p.alpha()).collect();
    Plane { width: sheet.width, height: sheet.height, data }
}

#[test]
fn cut_tails_are_gone_from_the_lines_too() {
    for scanned in [false, true] {
        let (mut cut, mut clean, mut whole) = (0, 0, 0);
        for seed in 0..SHEETS {
            let made = Made::sheet(seed);
            let ink = made.ink(scanned, seed);
            let sheet = traced(&ink);
            let scene = Scene::of(&sheet, &ink);
            let sure: Vec<_> = scene.findings.iter().filter(|f| f.kind == Kind::Tail && f.sure).collect();
            let ids = sure.iter().map(|f| f.id.clone()).collect();
            let after = do_it(&sheet, &ink, &Command::Findings(FindingsStep::Settle { ids, with: None }))
                .apply(&sheet)
                .unwrap();
            let is_cut = |k: &usize| {
                let t = &made.tails[*k];
                sure.iter().any(|f| f.to.unwrap().dist(t.tip) < t.width.max(6.0))
            };
            let known: Vec<usize> = (0..made.tails.len()).filter(is_cut).collect();
            for c in made.cuts(&known, &ink.alpha, &drawn(&after)) {
                cut += 1;
                clean += usize::from(c.leaves_nothing());
                whole += usize::from(c.bites_nothing());
            }
        }
        let share = |n: usize| n as f64 / f64::from(cut);
        println!(
            "figure: {cut} tails that were cut, {}, drawn from lines.svg by resvg: {:.3} without a rest, {:.3} without a bite",
            if scanned { "as scanned" } else { "clean" },
            share(clean),
            share(whole),
        );
        assert!(cut > 150 && share(clean) >= 0.98 && share(whole) >= 0.98);
    }
}
