//! The edge of ink as closed rings, between pixels: marching squares at half coverage with linear interpolation
//! (Lorensen and Cline, 1987, in the plane). Ink lies on the left of each ring as seen on the sheet; a saddle is
//! taken as parted.

use crate::geom::{Pt, pt};
use crate::raster::plane::Plane;
use std::collections::HashMap;

/// The rings of the level 127.5 within a box of pixels (x0, y0, x1, y1), in coordinates of the plane. What lies beyond
/// the box counts as paper.
pub fn rings(field: impl Fn(i64, i64) -> f64, bounds: (i64, i64, i64, i64)) -> Vec<Vec<Pt>> {
    let level = 127.5;
    let (x0, y0, x1, y1) = bounds;
    let value = |x: i64, y: i64| {
        if x < x0 || y < y0 || x >= x1 || y >= y1 { 0.0 } else { field(x, y) }
    };
    // A crossing lies on a cell's edge: named by the pixel at its upper left and whether it runs down.
    let mut next: HashMap<(i64, i64, bool), (i64, i64, bool)> = HashMap::new();
    let mut order: Vec<(i64, i64, bool)> = Vec::new();
    for y in y0 - 1..y1 {
        for x in x0 - 1..x1 {
            let ring = [(x, y), (x + 1, y), (x + 1, y + 1), (x, y + 1)].map(|(u, v)| value(u, v) > level);
            let code = ring.iter().enumerate().fold(0, |s, (k, &b)| s | usize::from(b) << k);
            if code == 0 || code == 15 {
                continue;
            }
            let (top, right, bottom, left) = ((x, y, false), (x + 1, y, true), (x, y + 1, false), (x, y, true));
            let mut link = |a: (i64, i64, bool), b: (i64, i64, bool)| {
                next.insert(a, b);
                order.push(a);
            };
            match code {
                1 => link(left, top),
                2 => link(top, right),
                3 => link(left, right),
                4 => link(right, bottom),
                5 => {
                    link(left, top);
                    link(right, bottom);
                }
                6 => link(top, bottom),
                7 => link(left, bottom),
                8 => link(bottom, left),
                9 => link(bottom, top),
                10 => {
                    link(top, right);
                    link(bottom, left);
                }
                11 => link(bottom, right),
                12 => link(right, left),
                13 => link(right, top),
                _ => link(top, left),
            }
        }
    }
    let place = |(x, y, down): (i64, i64, bool)| {
        let (u, v) = if down { (x, y + 1) } else { (x + 1, y) };
        let (a, b) = (value(x, y), value(u, v));
        let t = if a == b { 0.5 } else { ((level - a) / (b - a)).clamp(0.0, 1.0) };
        if down { pt(x as f64 + 0.5, y as f64 + 0.5 + t) } else { pt(x as f64 + 0.5 + t, y as f64 + 0.5) }
    };
    let mut out = Vec::new();
    for start in order {
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
        let mut plane = Plane::new(80, 80, 0u8);
        for y in 0..80 {
            for x in 0..80 {
                let r = pt(x as f64 + 0.5, y as f64 + 0.5).dist(pt(40.0, 40.0));
                let a = (30.5 - r).clamp(0.0, 1.0).min((r - 9.5).clamp(0.0, 1.0));
                plane.set(x, y, (a * 255.0) as u8);
            }
        }
        let rings = rings_of(&plane);
        assert_eq!(rings.len(), 2);
        let areas: Vec<f64> = rings.iter().map(|r| polygon_area(r)).collect();
        let pi = std::f64::consts::PI;
        assert!((areas[0] + pi * 900.0).abs() < 6.0, "{areas:?}");
        assert!((areas[1] - pi * 100.0).abs() < 3.0, "{areas:?}");
    }
}
