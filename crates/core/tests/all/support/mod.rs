//! Drawings made for the tests, and steps taken on them.

#![allow(dead_code, clippy::unwrap_used)]

pub mod anew;
pub mod tails;

use rhizograph_core::edit::{Change, Command, Given, plan};
use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::model::line::piled;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::raster::strokes;
use rhizograph_core::scene::Scene;
use rhizograph_core::trace::trace;

/// Strokes inked on a sheet of 400 x 300: points, width.
pub fn inked(strokes: &[(Vec<Pt>, f64)]) -> Ink {
    let mut alpha = Plane::new(400, 300, 0u8);
    for (points, width) in strokes {
        let flat: Vec<FlatPoint> = points.iter().map(|&p| FlatPoint { p, width: *width }).collect();
        strokes::stroke(&mut alpha, &flat);
    }
    Ink::plain(alpha, [0; 3])
}

pub fn traced(ink: &Ink) -> Sheet {
    let mut sheet = Sheet::new(ink.alpha.width, ink.alpha.height, 300.0);
    sheet.lines = piled(trace(ink, &sheet.recipes.trace, 300.0, 1));
    sheet.next_id = sheet.lines.len() as u64 + 1;
    sheet.traced = Some(Box::new(sheet.tracing()));
    sheet
}

pub fn ring(centre: Pt, rx: f64, ry: f64, from: f64, to: f64) -> Vec<Pt> {
    (0..=120)
        .map(|k| from + (to - from) * f64::from(k) / 120.0)
        .map(|a| centre + pt(rx * a.cos(), ry * a.sin()))
        .collect()
}

pub fn do_it(sheet: &Sheet, ink: &Ink, command: &Command) -> Change {
    plan(
        sheet,
        command,
        &Given { lifted: ink, scene: &Scene::of(sheet, ink), swatches: &["skin".into(), "shell".into()] },
    )
    .unwrap()
}

/// Numbers from a seed (splitmix64).
pub struct Random(pub u64);

impl Random {
    pub fn unit(&mut self) -> f64 {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
    }

    pub fn within(&mut self, from: f64, to: f64) -> f64 {
        from + (to - from) * self.unit()
    }
}
