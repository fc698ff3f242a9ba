//! The edge of ink as closed rings, between pixels: marching squares at half coverage with linear interpolation
//! (Lorensen and Cline, 1987, in the plane). Ink lies on the left of each ring as seen on the sheet; a saddle is
//! taken as parted.

use crate::geom::{Pt, pt};
use crate::raster::plane::Plane;
use rayon::prelude::*;
use rustc_hash::FxHashMap;

/// The level the rings run at.
const LEVEL: f64 = 127.5;
/// How many rows of cells are looked at in one go.
const BAND: usize = 64;

/// A crossing lies on a cell's edge: named by the pixel at its upper left and whether the edge runs down.
type Crossing = (i64, i64, bool);

/// The rings of the level 127.5 within a box of pixels (x0, y0, x1, y1), in coordinates of the plane. What lies beyond
/// the box counts as paper.
pub fn rings(field: impl Fn(i64, i64) -> f64 + Sync, bounds: (i64, i64, i64, i64)) -> Vec<Vec<Pt>> {
    rings_around(|x, y| field(x, y) > LEVEL, &field, bounds)
}

/// The same where what lies within is known by itself: `is_in` holds where `field` is above the level.
pub fn rings_around(
    is_in: impl Fn(i64, i64) -> bool + Sync,
    field: impl Fn(i64, i64) -> f64,
    bounds: (i64, i64, i64, i64),
) -> Vec<Vec<Pt>> {
    let (x0, y0, x1, y1) = bounds;
    let row = |y: i64| -> Vec<bool> {
        let is_there = y >= y0 && y < y1;
        (x0 - 1..=x1).map(|x| is_there && x >= x0 && x < x1 && is_in(x, y)).collect()
    };
    let bands: Vec<i64> = (y0 - 1..y1).step_by(BAND).collect();
    let links = bands.par_iter().map(|&top| {
        let mut links = Vec::new();
        let mut above = row(top);
        for y in top..(top + BAND as i64).min(y1) {
            let below = row(y + 1);
            for (x, (a, b)) in (x0 - 1..).zip(above.windows(2).zip(below.windows(2))) {
                let code = [a[0], a[1], b[1], b[0]].iter().rev().fold(0, |s, &b| s << 1 | u8::from(b));
                if code != 0 && code != 15 {
                    link(code, (x, y), &mut links);
                }
            }
            above = below;
        }
        links
    });
    let links = links.collect::<Vec<_>>().concat();
    let mut next: FxHashMap<Crossing, Crossing> = links.iter().copied().collect();
    let value = |x: i64, y: i64| {
        if x < x0 || y < y0 || x >= x1 || y >= y1 { 0.0 } else { field(x, y) }
    };
    let place = |(x, y, down): Crossing| {
        let (u, v) = if down { (x, y + 1) } else { (x + 1, y) };
        let (a, b) = (value(x, y), value(u, v));
        let t = if a == b { 0.5 } else { ((LEVEL - a) / (b - a)).clamp(0.0, 1.0) };
        if down { pt(x as f64 + 0.5, y as f64 + 0.5 + t) } else { pt(x as f64 + 0.5 + t, y as f64 + 0.5) }
    };
    let mut out = Vec::new();
    for (start, _) in links {
        let mut ring = Vec::new();
        let mut here = start;
        while let Some(to) = next.remove(&here) {
            ring.push(place(here));
            here = to;
        }
        if ring.len() >= 3 {
            out.push(ring);
        }
    }
    out
}

/// What leads through a cell: bits of `code` from the upper left pixel clockwise, set within.
fn link(code: u8, (x, y): (i64, i64), links: &mut Vec<(Crossing, Crossing)>) {
    let (top, right, bottom, left) = ((x, y, false), (x + 1, y, true), (x, y + 1, false), (x, y, true));
    links.push(match code {
        1 | 5 => (left, top),
        2 | 10 => (top, right),
        3 => (left, right),
        4 => (right, bottom),
        6 => (top, bottom),
        7 => (left, bottom),
        8 => (bottom, left),
        9 => (bottom, top),
        11 => (bottom, right),
        12 => (right, left),
        13 => (right, top),
        _ => (top, left),
    });
    match code {
        5 => links.push((right, bottom)),
        10 => links.push((bottom, left)),
        _ => {}
    }
}

/// The rings of a whole plane.
pub fn rings_of(plane: &Plane<u8>) -> Vec<Vec<Pt>> {
    rings(|x, y| f64::from(*plane.at(x as usize, y as usize)), (0, 0, plane.width as i64, plane.height as i64))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geom::polygon_area;

    #[test]
    fn a_disc_has_one_ring_of_its_own_area_and_a_hole_turns_the_other_way() {
        // Larger than a band of rows.
        let mut plane = Plane::new(200, 200, 0u8);
        for y in 0..200 {
            for x in 0..200 {
                let r = pt(x as f64 + 0.5, y as f64 + 0.5).dist(pt(100.0, 100.0));
                let a = (90.5 - r).clamp(0.0, 1.0).min((r - 29.5).clamp(0.0, 1.0));
                plane.set(x, y, (a * 255.0) as u8);
            }
        }
        let rings = rings_of(&plane);
        assert_eq!(rings.len(), 2);
        let areas: Vec<f64> = rings.iter().map(|r| polygon_area(r)).collect();
        let pi = std::f64::consts::PI;
        assert!((areas[0] + pi * 8100.0).abs() < 18.0, "{areas:?}");
        assert!((areas[1] - pi * 900.0).abs() < 9.0, "{areas:?}");
    }

    #[test]
    fn what_lies_within_is_told_by_itself_or_by_the_field() {
        let mut plane = Plane::new(150, 170, 0u8);
        let mut seed = 7u32;
        for v in &mut plane.data {
            seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            *v = (seed >> 24) as u8;
        }
        let at = |x: i64, y: i64| plane.get(x, y).map_or(0.0, |&v| f64::from(v));
        // The box lies partly beyond the plane.
        let bounds = (-3, 5, 120, 180);
        let all = rings(at, bounds);
        assert_eq!(rings_around(|x, y| at(x, y) > 127.5, at, bounds), all);
        // Row by row in one band or in several: a part of the rows has the rings that lie wholly in it.
        let part = rings(at, (-3, 5, 120, 60));
        let within = |r: &&Vec<Pt>| r.iter().all(|p| p.y < 59.0);
        let (whole, own): (Vec<_>, Vec<_>) =
            (all.iter().filter(within).collect(), part.iter().filter(within).collect());
        assert!(whole.len() > 50);
        assert_eq!(own, whole);
    }
}
