//! The sheet feeder's stand-in: an inked page as a scanner would deliver it, with paper tone and grain, dust, pencil
//! construction lines under the ink, and a slight skew.

use crate::pen::Page;
use crate::random::{mix, normal, unit, wander};
use rayon::prelude::*;
use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::raster::plane::{Plane, Rgb};
use rhizograph_core::raster::strokes;
use std::f64::consts::TAU;

/// What the paper and the scanner add.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sheet {
    /// Resolution of the scan, dpi.
    pub dpi: f64,
    /// Shades of grey only.
    pub grey: bool,
    /// Turned on the glass by this, radians.
    pub skew: f64,
    pub seed: u64,
}

/// The light-blue pencil's share of what the paper throws back, by channel.
const PENCIL: [f64; 3] = [0.60, 0.79, 0.93];
const PAPER: [f64; 3] = [243.0, 239.0, 227.0];
const INK: [f64; 3] = [30.0, 28.0, 31.0];
/// The scanner's lid, seen through the peg holes.
const LID: [f64; 3] = [62.0, 64.0, 70.0];

/// The peg holes of the paper: one round, two long, in a row along the upper edge. mm from the upper edge, from the
/// middle to the middle of a long one, radius of the round one, half length and half height of a long one.
const PEGS: [f64; 5] = [6.4, 75.0, 3.2, 6.0, 2.3];

/// How much of a place is a peg hole, 0 to 1; the page is `width` px wide, with `mm` px a mm.
fn hole(p: Pt, width: f64, mm: f64) -> f64 {
    let [down, apart, radius, half, height] = PEGS.map(|v| v * mm);
    let d = p - pt(width / 2.0, down);
    let slot = |x: f64| pt(((d.x - x).abs() - (half - height)).max(0.0), d.y).len() - height;
    let off = (d.len() - radius).min(slot(-apart)).min(slot(apart));
    (0.5 - off).clamp(0.0, 1.0)
}

/// Where the middles of the two long holes are on a page of that width and resolution, px.
pub fn peg_marks(width: f64, dpi: f64) -> [Pt; 2] {
    let mm = dpi / 25.4;
    [-PEGS[1], PEGS[1]].map(|x| pt(width / 2.0 + x * mm, PEGS[0] * mm))
}

/// Where a place of the drawing lands on the scan.
pub fn on_scan(p: Pt, width: f64, height: f64, skew: f64) -> Pt {
    let c = pt(width / 2.0, height / 2.0);
    let d = p - c;
    let (s, k) = skew.sin_cos();
    c + pt(d.x * k - d.y * s, d.x * s + d.y * k)
}

/// Scans a page inked at `page_dpi`.
pub fn scan(page: &Page, page_dpi: f64, sheet: Sheet) -> Plane<Rgb> {
    let (pw, ph) = (page.ink.width as f64, page.ink.height as f64);
    let scale = sheet.dpi / page_dpi;
    let (w, h) = ((pw * scale).round() as usize, (ph * scale).round() as usize);
    let pencil = construction(page.ink.width, page.ink.height, sheet.seed);
    let dust = dust(w, h, sheet.seed);
    let (inked, drawn) = (within_reach(&page.ink), within_reach(&pencil));
    let mut out = Plane::new(w, h, [0u8; 3]);
    out.par_rows_mut().for_each(|(y, row)| {
        for (x, o) in row.iter_mut().enumerate() {
            let q = pt((x as f64 + 0.5) / scale, (y as f64 + 0.5) / scale);
            let p = on_scan(q, pw, ph, -sheet.skew);
            // The lens spreads the light a little: five samples for one.
            let spread = 0.55;
            let soft = |plane: &Plane<u8>, near: &Plane<bool>| {
                if near.get(p.x as i64, p.y as i64) == Some(&false) {
                    return 0.0;
                }
                let around = [(spread, 0.0), (-spread, 0.0), (0.0, spread), (0.0, -spread)];
                let sum: f64 = around.iter().map(|(dx, dy)| plane.sample(p.x + dx, p.y + dy)).sum();
                (2.0 * plane.sample(p.x, p.y) + sum) / 6.0 / 255.0
            };
            let n = (y * w + x) as u64;
            let tone = 1.0 + 0.012 * wander(sheet.seed, p.x / 310.0 + 7.0) * wander(sheet.seed + 5, p.y / 270.0);
            let ink = soft(&page.ink, &inked);
            // Pencil is grainy: the tooth of the paper takes it unevenly.
            let tooth = 0.72 + 0.28 * unit(mix(sheet.seed ^ 99).wrapping_add(n));
            let blue = soft(&pencil, &drawn) * tooth;
            let speck = f64::from(dust.data[n as usize]) / 255.0;
            let through = if p.y < 15.0 * page_dpi / 25.4 { hole(p, pw, page_dpi / 25.4) } else { 0.0 };
            let grain = 2.3 * normal(mix(sheet.seed).wrapping_add(n));
            for c in 0..3 {
                let paper = PAPER[c] * tone * (1.0 - blue * (1.0 - PENCIL[c]));
                let inked = paper * (1.0 - ink) + INK[c] * ink;
                let inked = inked * (1.0 - through) + LID[c] * through;
                let v =
                    inked * (1.0 - 0.75 * speck) + grain + 0.7 * normal(mix(sheet.seed + 1 + c as u64).wrapping_add(n));
                o[c] = v.clamp(0.0, 255.0) as u8;
            }
            if sheet.grey {
                let [r, g, b] = o.map(f64::from);
                *o = [(0.30 * r + 0.59 * g + 0.11 * b) as u8; 3];
            }
        }
    });
    out
}

/// Where something of a plane lies within two pixels: most of a sheet is bare, with nothing to spread.
fn within_reach(plane: &Plane<u8>) -> Plane<bool> {
    let mut near = Plane::new(plane.width, plane.height, false);
    near.par_rows_mut().for_each(|(y, row)| {
        for v in y.saturating_sub(2)..(y + 3).min(plane.height) {
            let reach = 2 - v.abs_diff(y);
            for (x, _) in plane.row(v).iter().enumerate().filter(|(_, a)| **a > 0) {
                row[x.saturating_sub(reach)..(x + reach + 1).min(plane.width)].fill(true);
            }
        }
    });
    near
}

/// The pencil lines a drawing is built on: masses, axes, the line of the ground.
fn construction(width: usize, height: usize, seed: u64) -> Plane<u8> {
    let mut plane = Plane::new(width, height, 0u8);
    let j = |k: u64| 12.0 * (unit(seed * 17 + k) - 0.5);
    let mut draw = |points: &[Pt], width: f64| {
        let flat: Vec<FlatPoint> = points.iter().map(|&p| FlatPoint { p, width }).collect();
        strokes::stroke(&mut plane, &flat);
    };
    let oval = |x: f64, y: f64, rx: f64, ry: f64, turns: f64, k: u64| -> Vec<Pt> {
        (0..=(90.0 * turns) as usize)
            .map(|i| i as f64 / 90.0 * TAU)
            .map(|a| pt(x + j(k) + (rx + 2.0 * a) * a.cos(), y + j(k + 1) + (ry + 1.5 * a) * a.sin()))
            .collect()
    };
    draw(&oval(1120.0, 900.0, 540.0, 400.0, 1.6, 1), 4.5);
    draw(&oval(1850.0, 790.0, 170.0, 160.0, 2.1, 3), 4.0);
    draw(&oval(1120.0, 460.0, 190.0, 120.0, 1.7, 5), 4.0);
    for (k, x) in [790.0, 830.0, 1380.0, 1430.0].into_iter().enumerate() {
        draw(&oval(x, 1380.0, 78.0, 130.0, 1.2, 7 + k as u64), 3.5);
    }
    draw(&[pt(120.0, 1512.0 + j(20)), pt(2290.0, 1500.0 + j(21))], 4.0);
    draw(&[pt(1110.0 + j(22), 180.0), pt(1130.0 + j(23), 1560.0)], 3.5);
    draw(&[pt(500.0, 1190.0 + j(24)), pt(2060.0, 700.0 + j(25))], 3.5);
    plane
}

/// Specks of dust that lie on the glass.
fn dust(width: usize, height: usize, seed: u64) -> Plane<u8> {
    let mut plane = Plane::new(width, height, 0u8);
    for k in 0..90u64 {
        let s = mix(seed.wrapping_mul(1009) + k);
        let p = pt(unit(s) * width as f64, unit(s + 1) * height as f64);
        let size = 1.2 + 2.2 * unit(s + 2);
        let a = unit(s + 3) * TAU;
        let q = p + pt(a.cos(), a.sin()) * (2.0 * unit(s + 4));
        strokes::stroke(&mut plane, &[FlatPoint { p, width: size }, FlatPoint { p: q, width: size }]);
    }
    plane
}
