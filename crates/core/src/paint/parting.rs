//! Regions parted by a path, as far as its pixels tell.

use crate::geom::{Pt, pt};
use crate::raster::components::components;
use crate::raster::distance::squared_distance;
use crate::raster::plane::Plane;
use crate::region::Region;

/// A piece of a region that a path parts.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Part {
    /// Well inside of it.
    pub at: Pt,
    /// Px².
    pub area: usize,
    /// It lies at the side of the path that a quarter turn from x to y points to.
    pub turned: bool,
}

/// Pieces under this are crumbs beside the path, px².
const LEAST: usize = 12;
/// How far beside the path is looked for what lies there, px.
const BESIDE: f64 = 2.5;

/// The pieces that a path leaves of a region; the path in steps of at most half a pixel is cut out of its pixels.
pub fn parted_by(labels: &Plane<u16>, region: &Region, path: &[Pt]) -> Vec<Part> {
    let [x0, y0, w, h] = region.bbox;
    let mut set = Plane::new(w + 2, h + 2, false);
    let origin = pt(x0 as f64 - 1.0, y0 as f64 - 1.0);
    for y in 0..h {
        for x in 0..w {
            set.set(x + 1, y + 1, usize::from(*labels.at(x0 + x, y0 + y)) == region.id as usize);
        }
    }
    let steps = in_steps(path, 0.5);
    let place = |p: Pt| {
        let (x, y) = ((p.x - origin.x).floor(), (p.y - origin.y).floor());
        (x >= 0.0 && y >= 0.0 && x < (w + 2) as f64 && y < (h + 2) as f64).then_some((x as usize, y as usize))
    };
    for (x, y) in steps.iter().filter_map(|s| place(s.0)) {
        set.set(x, y, false);
    }
    let (pieces, found) = components(&set, false);
    let depth = squared_distance(&set);
    let mut at: Vec<(u32, Pt)> = vec![(0, pt(0.0, 0.0)); found.len()];
    for y in 0..set.height {
        for x in 0..set.width {
            let piece = *pieces.at(x, y) as usize;
            if piece > 0 {
                let p = origin + pt(x as f64 + 0.5, y as f64 + 0.5);
                if *depth.at(x, y) > at[piece - 1].0 {
                    at[piece - 1] = (*depth.at(x, y), p);
                }
            }
        }
    }
    let mut sides = vec![[0usize; 2]; found.len()];
    for (p, along) in &steps {
        for (k, turn) in [1.0, -1.0].into_iter().enumerate() {
            let beside = place(*p + along.turned() * (turn * BESIDE));
            let piece = beside.map_or(0, |(x, y)| *pieces.at(x, y) as usize);
            if piece > 0 {
                sides[piece - 1][k] += 1;
            }
        }
    }
    let part = |n: usize| Part { at: at[n].1, area: found[n].area, turned: sides[n][0] >= sides[n][1] };
    (0..found.len()).filter(|&n| found[n].area >= LEAST).map(part).collect()
}

/// A path in steps of at most so many px, with the way it goes at each.
pub fn in_steps(path: &[Pt], step: f64) -> Vec<(Pt, Pt)> {
    let mut out = Vec::new();
    for ends in path.windows(2) {
        let far = ends[0].dist(ends[1]);
        let n = (far / step).ceil().max(1.0) as usize;
        let along = (ends[1] - ends[0]).unit();
        out.extend((0..=n).map(|k| (ends[0].lerp(ends[1], k as f64 / n as f64), along)));
    }
    out
}
