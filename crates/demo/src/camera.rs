//! The phone camera's stand-in: a sheet on a table, photographed a little from the side in uneven light, with a soft
//! shadow over it, the lens's blur and the sensor's noise.

use crate::feeder::{Sheet, scan};
use crate::pen::Page;
use crate::random::{mix, normal, unit, wander};
use rayon::prelude::*;
use rhizograph_core::geom::homography::Homography;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::raster::plane::{Plane, Rgb};

/// Size of a photo, px.
pub const WIDTH: usize = 3200;
pub const HEIGHT: usize = 2400;

/// Where the corners of the paper are on the photo, px: upper left, upper right, lower right, lower left.
pub fn corners(seed: u64) -> [Pt; 4] {
    let (w, h) = (WIDTH as f64, HEIGHT as f64);
    let j = |k: u64| 36.0 * (unit(mix(seed).wrapping_add(k)) - 0.5);
    [
        pt(0.085 * w + j(1), 0.075 * h + j(2)),
        pt(0.925 * w + j(3), 0.055 * h + j(4)),
        pt(0.965 * w + j(5), 0.945 * h + j(6)),
        pt(0.045 * w + j(7), 0.965 * h + j(8)),
    ]
}

/// Takes a photo of a page inked at `page_dpi`.
pub fn photograph(page: &Page, page_dpi: f64, seed: u64) -> Plane<Rgb> {
    let sheet = scan(page, page_dpi, Sheet { dpi: page_dpi, grey: false, skew: 0.0, seed });
    let (w, h) = (sheet.width as f64, sheet.height as f64);
    let paper = [pt(0.0, 0.0), pt(w, 0.0), pt(w, h), pt(0.0, h)];
    let to_paper = Homography::between(corners(seed), paper).unwrap_or(Homography::IDENTITY);
    let sample = |p: Pt| {
        let (fx, fy) = (p.x - 0.5, p.y - 0.5);
        let (x, y) = (fx.floor(), fy.floor());
        let (tx, ty) = (fx - x, fy - y);
        let at = |dx: i64, dy: i64| {
            let c = |v: i64, n: usize| v.clamp(0, n as i64 - 1) as usize;
            sheet.at(c(x as i64 + dx, sheet.width), c(y as i64 + dy, sheet.height)).map(f64::from)
        };
        let (a, b, c, d) = (at(0, 0), at(1, 0), at(0, 1), at(1, 1));
        std::array::from_fn::<f64, 3, _>(|k| {
            (a[k] + (b[k] - a[k]) * tx) * (1.0 - ty) + (c[k] + (d[k] - c[k]) * tx) * ty
        })
    };
    let mut out = Plane::new(WIDTH, HEIGHT, [0u8; 3]);
    out.par_rows_mut().for_each(|(y, row)| {
        for (x, o) in row.iter_mut().enumerate() {
            let p = pt(x as f64 + 0.5, y as f64 + 0.5);
            let q = to_paper.map(p);
            let table = {
                let grain = wander(seed + 40, p.y / 9.0 + 2.0 * wander(seed + 41, p.x / 400.0));
                [86.0, 66.0, 50.0].map(|v: f64| v * (1.0 + 0.16 * grain))
            };
            // The lens spreads the light: five samples for one, a little wider than the pixels are apart.
            let spread = 0.9;
            let near = [(0.0, 0.0), (spread, 0.0), (-spread, 0.0), (0.0, spread), (0.0, -spread)];
            let seen = near.map(|(dx, dy)| {
                let q = q + pt(dx, dy);
                if q.x < 0.0 || q.y < 0.0 || q.x >= w || q.y >= h { table } else { sample(q) }
            });
            let (u, v) = (p.x / WIDTH as f64, p.y / HEIGHT as f64);
            // A window at the upper left, the corners of the lens darker, somebody's shadow from the lower right.
            let window = 1.04 - 0.30 * u - 0.16 * v;
            let lens = 1.0 - 0.22 * ((u - 0.5).powi(2) + (v - 0.5).powi(2)) / 0.5;
            let edge = 1.25 * u + v - 1.62 + 0.05 * wander(seed + 50, 4.0 * u + 2.0 * v);
            let shadow = 1.0 - 0.36 / (1.0 + (-edge / 0.035).exp());
            let light = window * lens * shadow;
            let n = mix(seed + 60).wrapping_add((y * WIDTH + x) as u64);
            for c in 0..3 {
                let value = (seen[0][c] * 2.0 + seen[1..].iter().map(|s| s[c]).sum::<f64>()) / 6.0;
                let warm = [1.0, 0.975, 0.90][c];
                let noise = 2.6 * normal(n) + 1.6 * normal(n ^ (0x51 + c as u64));
                o[c] = (value * light * warm + noise).clamp(0.0, 255.0) as u8;
            }
        }
    });
    out
}
