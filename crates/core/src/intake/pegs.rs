//! Peg holes: one round between two long ones in a row along an edge of the paper. They show the scanner's lid, which is
//! much darker or much lighter than the paper.

use crate::geom::{Pt, pt};
use crate::raster::components::{Component, Pieces};
use crate::raster::plane::{Plane, Rgb};
use rayon::prelude::*;

/// The peg holes of a sheet, px of its original.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pegs {
    pub round: Pt,
    /// The middles of the long ones, in the order of reading along the edge.
    pub long: [Pt; 2],
    /// Left, top, width, height of each hole, the round one first.
    pub boxes: [[f64; 4]; 3],
}

impl Pegs {
    /// The two marks a sheet is registered by: the middles of the long holes.
    pub fn marks(&self) -> [Pt; 2] {
        self.long
    }
}

/// Finds the peg holes. `dpi`: pixels an inch; holes of 3 to 12 mm are taken for such.
pub fn find_pegs(rgb: &Plane<Rgb>, dpi: f64) -> Option<Pegs> {
    // A quarter of a mm a pixel is fine enough to know a hole by.
    let k = ((dpi / 100.0) as usize).max(1);
    let (w, h) = (rgb.width / k, rgb.height / k);
    if w < 40 || h < 40 {
        return None;
    }
    let mut grey = Plane::new(w, h, 0u8);
    grey.data.par_iter_mut().enumerate().for_each(|(i, o)| {
        let (x, y) = (i % w * k + k / 2, i / w * k + k / 2);
        *o = rgb.at(x, y)[1];
    });
    let mut order = grey.data.clone();
    let half = order.len() / 2;
    let paper = f64::from(*order.select_nth_unstable(half).1);
    let mm = dpi / 25.4 / k as f64;
    let find = |set: Plane<bool>| {
        let pieces = Pieces::of(&set, false).list;
        let shapes: Vec<Hole> = pieces.iter().filter_map(|c| Hole::of(c, mm)).collect();
        shapes.iter().filter(|s| !s.is_long).find_map(|round| {
            let longs = || shapes.iter().filter(|s| s.is_long);
            longs().flat_map(|a| longs().map(move |b| (a, b))).find_map(|(a, b)| row_of(round, a, b, (w, h), mm))
        })
    };
    let found = find(grey.map(|&g| f64::from(g) < 0.6 * paper))
        .or_else(|| find(grey.map(|&g| f64::from(g) > paper + 0.6 * (255.0 - paper).max(20.0))))?;
    // The middles anew, on the full picture.
    let refined = found.map(|hole| {
        let grow = 2.0;
        let x0 = ((hole.middle.x - hole.size.x / 2.0 - grow) * k as f64).max(0.0) as usize;
        let y0 = ((hole.middle.y - hole.size.y / 2.0 - grow) * k as f64).max(0.0) as usize;
        let x1 = (((hole.middle.x + hole.size.x / 2.0 + grow) * k as f64) as usize).min(rgb.width);
        let y1 = (((hole.middle.y + hole.size.y / 2.0 + grow) * k as f64) as usize).min(rgb.height);
        let (mut sum, mut at) = (0.0, pt(0.0, 0.0));
        for y in y0..y1 {
            for x in x0..x1 {
                let off = ((f64::from(rgb.at(x, y)[1]) - paper).abs() / paper.max(1.0) - 0.25).max(0.0);
                sum += off;
                at = at + pt(x as f64 + 0.5, y as f64 + 0.5) * off;
            }
        }
        (at * (1.0 / f64::max(sum, 1e-9)), [x0 as f64, y0 as f64, (x1 - x0) as f64, (y1 - y0) as f64])
    });
    let [round, a, b] = refined;
    Some(Pegs { round: round.0, long: [a.0, b.0], boxes: [round.1, a.1, b.1] })
}

/// A blob with the size and the fullness of a hole, in pixels of the small picture.
#[derive(Debug, Clone, Copy)]
struct Hole {
    middle: Pt,
    size: Pt,
    is_long: bool,
}

impl Hole {
    fn of(c: &Component, mm: f64) -> Option<Hole> {
        let (x0, y0, x1, y1) = c.bounds;
        let size = pt((x1 - x0) as f64, (y1 - y0) as f64);
        let (long, short) = (size.x.max(size.y), size.x.min(size.y));
        let full = c.area as f64 / (size.x * size.y);
        let fits = short >= 3.0 * mm && short <= 12.0 * mm && long <= 25.0 * mm;
        let round = long < 1.25 * short && (0.68..0.90).contains(&full);
        let slot = long > 1.5 * short && full > 0.72;
        let middle = pt((x0 + x1) as f64 / 2.0, (y0 + y1) as f64 / 2.0);
        (fits && (round || slot)).then_some(Hole { middle, size, is_long: slot })
    }
}

/// The three in a row along an edge, if they are that.
fn row_of(round: &Hole, a: &Hole, b: &Hole, (w, h): (usize, usize), mm: f64) -> Option<[Hole; 3]> {
    let along = b.middle - a.middle;
    let length = along.len();
    // Each pair comes up in both orders: the one that reads along the edge is taken.
    let forward = if along.x.abs() > along.y.abs() { along.x > 0.0 } else { along.y > 0.0 };
    if length < 40.0 * mm || !forward {
        return None;
    }
    let u = along.unit();
    let to = round.middle - a.middle;
    let aligned = to.cross(u).abs() < 1.5 * mm && (to.dot(u) - length / 2.0).abs() < 0.03 * length;
    let level = u.x.abs() > 0.95 || u.y.abs() > 0.95;
    let lies = |s: &Hole| (s.size.x > s.size.y) == (u.x.abs() > u.y.abs());
    let alike = (a.size - b.size).len() < 2.0 * mm && (a.size.x.min(a.size.y) - round.size.x).abs() < 4.0 * mm;
    let from_edge = if u.x.abs() > u.y.abs() {
        round.middle.y.min(h as f64 - round.middle.y)
    } else {
        round.middle.x.min(w as f64 - round.middle.x)
    };
    (aligned && level && lies(a) && lies(b) && alike && from_edge < 25.0 * mm).then_some([*round, *a, *b])
}

/// Covers holes with the paper beside them, row by row from side to side.
pub fn cover(rgb: &mut Plane<Rgb>, holes: &[[f64; 4]]) {
    for &[x, y, w, h] in holes {
        let clamp = |v: f64, n: usize| v.clamp(0.0, n as f64) as usize;
        let (x0, y0) = (clamp(x, rgb.width), clamp(y, rgb.height));
        let (x1, y1) = (clamp(x + w, rgb.width), clamp(y + h, rgb.height));
        if x1 <= x0 {
            continue;
        }
        for v in y0..y1 {
            let mean = |from: usize, to: usize| {
                let part = &rgb.row(v)[from.min(rgb.width - 1)..to.clamp(from.min(rgb.width - 1) + 1, rgb.width)];
                let at = |c: usize| part.iter().map(|p| f64::from(p[c])).sum::<f64>() / part.len() as f64;
                [at(0), at(1), at(2)]
            };
            let (left, right) = (mean(x0.saturating_sub(6), x0), mean(x1, x1 + 6));
            for u in x0..x1 {
                let t = (u - x0) as f64 / (x1 - x0) as f64;
                rgb.set(u, v, std::array::from_fn(|c| (left[c] + (right[c] - left[c]) * t) as u8));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const DPI: f64 = 150.0;

    /// A sheet with holes 4 mm from its upper edge, turned by `skew`.
    fn sheet(skew: f64, lid: u8) -> (Plane<Rgb>, [Pt; 3]) {
        let (w, h, mm) = (1100usize, 800usize, DPI / 25.4);
        let middle = pt(550.0, 400.0);
        let turn = |p: Pt, a: f64| {
            let d = p - middle;
            middle + pt(d.x * a.cos() - d.y * a.sin(), d.x * a.sin() + d.y * a.cos())
        };
        let holes = [pt(550.3, 50.4), pt(550.3 - 70.0 * mm, 50.4), pt(550.3 + 70.0 * mm, 50.4)];
        let mut page = Plane::new(w, h, [240u8, 236, 226]);
        for y in 0..h {
            for x in 0..w {
                let p = turn(pt(x as f64 + 0.5, y as f64 + 0.5), -skew);
                let round = p.dist(holes[0]) < 3.2 * mm;
                let slot = |c: Pt| pt((p.x - c.x).abs() - 3.5 * mm, 0.0).x.max(0.0).hypot(p.y - c.y) < 2.6 * mm;
                if round || slot(holes[1]) || slot(holes[2]) {
                    page.set(x, y, [lid; 3]);
                }
            }
        }
        (page, holes.map(|p| turn(p, skew)))
    }

    #[test]
    fn the_holes_are_found_to_a_fraction_of_a_pixel_under_skew() {
        for skew in [0.0, 0.008, -0.02] {
            let (page, holes) = sheet(skew, 60);
            let pegs = find_pegs(&page, DPI).unwrap();
            for (got, is) in [pegs.round, pegs.long[0], pegs.long[1]].into_iter().zip(holes) {
                assert!(got.dist(is) < 0.25, "{got:?} for {is:?}");
            }
        }
    }

    #[test]
    fn covered_holes_look_like_the_paper_beside_them() {
        let (mut page, _) = sheet(0.004, 60);
        let pegs = find_pegs(&page, DPI).unwrap();
        cover(&mut page, &pegs.boxes);
        assert!(page.data.iter().all(|p| *p == [240, 236, 226]));
    }

    #[test]
    fn a_drawing_without_holes_has_none() {
        let mut page = Plane::new(900, 700, [240u8; 3]);
        for (x, y, r) in [(200, 300, 30), (450, 40, 20), (600, 500, 60)] {
            for v in y - r..y + r {
                for u in x - r..x + r {
                    page.set(u, v, [20; 3]);
                }
            }
        }
        assert!(find_pegs(&page, DPI).is_none());
    }
}
