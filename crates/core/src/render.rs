//! Ink drawn from geometry: coverage of pixels by lines, and the edits that joining makes to lifted pixels.

use crate::geom::{Bounds, Pt, nearest_on_segment, pt};
use crate::line::{FlatPoint, Form, Line};
use crate::plane::Plane;
use crate::stages::Window;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// How closely curves are followed when pixels are drawn, px.
const FLATNESS: f64 = 0.1;

/// Coverage (0 to 1) of the pixel centred at `p` by a line with round ends: one pixel of fall-off at its edge.
fn stroke_cover(p: Pt, flat: &[FlatPoint]) -> f64 {
    let mut best = f64::NEG_INFINITY;
    for w in flat.windows(2) {
        let t = nearest_on_segment(p, w[0].p, w[1].p);
        let half = (w[0].width + (w[1].width - w[0].width) * t) / 2.0;
        best = best.max(half - p.dist(w[0].p.lerp(w[1].p, t)));
    }
    (best + 0.5).clamp(0.0, 1.0)
}

/// Columns and rows of a plane: x0, y0, x1, y1 with the ends left out.
pub type Area = (usize, usize, usize, usize);

/// All of a plane.
pub fn whole<T>(plane: &Plane<T>) -> Area {
    (0, 0, plane.width, plane.height)
}

/// What two areas have in common; empty where the ends do not lie behind the beginnings.
fn common(a: Area, b: Area) -> Area {
    (a.0.max(b.0), a.1.max(b.1), a.2.min(b.2), a.3.min(b.3))
}

/// Draws a stroke with round ends over `alpha`: each pixel keeps the greater coverage.
pub fn stroke(alpha: &mut Plane<u8>, flat: &[FlatPoint]) {
    stroke_in(alpha, flat, whole(alpha));
}

fn stroke_in(alpha: &mut Plane<u8>, flat: &[FlatPoint], area: Area) {
    for w in flat.windows(2) {
        let reach = w[0].width.max(w[1].width) / 2.0 + 1.0;
        let bounds = Bounds::of([&w[0].p, &w[1].p]).grown(reach);
        let (x0, y0, x1, y1) = common(bounds.pixels(alpha.width, alpha.height), area);
        for y in y0..y1 {
            for x in x0..x1 {
                let a = (stroke_cover(pt(x as f64 + 0.5, y as f64 + 0.5), w) * 255.0) as u8;
                let here = &mut alpha.data[y * alpha.width + x];
                *here = (*here).max(a);
            }
        }
    }
}

/// Fills closed rings (even-odd) over `alpha` with anti-aliased edges.
pub fn fill(alpha: &mut Plane<u8>, rings: &[Vec<Pt>]) {
    fill_in(alpha, rings, whole(alpha));
}

fn fill_in(alpha: &mut Plane<u8>, rings: &[Vec<Pt>], area: Area) {
    let (x0, y0, x1, y1) = Bounds::of(rings.iter().flatten()).grown(1.0).pixels(alpha.width, alpha.height);
    if x1 <= x0 || y1 <= y0 {
        return;
    }
    let mut path = tiny_skia::PathBuilder::new();
    for ring in rings {
        for (i, p) in ring.iter().enumerate() {
            let (x, y) = ((p.x - x0 as f64) as f32, (p.y - y0 as f64) as f32);
            if i == 0 { path.move_to(x, y) } else { path.line_to(x, y) }
        }
        path.close();
    }
    let (Some(path), Some(mut mask)) = (path.finish(), tiny_skia::Mask::new((x1 - x0) as u32, (y1 - y0) as u32)) else {
        return;
    };
    mask.fill_path(&path, tiny_skia::FillRule::EvenOdd, true, tiny_skia::Transform::identity());
    let (left, top, right, low) = common((x0, y0, x1, y1), area);
    for y in top..low {
        for x in left..right {
            let here = &mut alpha.data[y * alpha.width + x];
            *here = (*here).max(mask.data()[(y - y0) * (x1 - x0) + x - x0]);
        }
    }
}

/// Draws a line's ink over `alpha`; a seam has none.
pub fn draw(alpha: &mut Plane<u8>, line: &Line) {
    draw_in(alpha, line, whole(alpha));
}

/// The same within an area of the plane.
pub fn draw_in(alpha: &mut Plane<u8>, line: &Line, area: Area) {
    match line.form {
        Form::Centreline { .. } => stroke_in(alpha, &line.flat(FLATNESS), area),
        Form::Outline { .. } => fill_in(alpha, &line.rings(FLATNESS), area),
        Form::Seam { .. } => {}
    }
}

/// A box around all pixels that a line's ink may reach.
pub fn bounds_of(line: &Line) -> Bounds {
    match &line.form {
        // Curves lie within their handles.
        Form::Centreline { spine, width, .. } => {
            Bounds::of(&spine.points).grown(width.iter().map(|k| k[1]).fold(0.0, f64::max) / 2.0 + 2.0)
        }
        Form::Outline { contours } => Bounds::of(contours.iter().flat_map(|c| &c.points)).grown(2.0),
        Form::Seam { .. } => Bounds::EMPTY,
    }
}

/// Draws the part of a line's ink that a window shows, at the window's size.
pub fn draw_seen(alpha: &mut Plane<u8>, line: &Line, window: Window) {
    let k = f64::from(1u32 << window.level);
    let origin = pt(window.x as f64, window.y as f64);
    let seen = |p: Pt| (p - origin) * (1.0 / k);
    match line.form {
        Form::Centreline { .. } => {
            let flat = line.flat(FLATNESS * k);
            let flat: Vec<FlatPoint> = flat.iter().map(|f| FlatPoint { p: seen(f.p), width: f.width / k }).collect();
            stroke(alpha, &flat);
        }
        Form::Outline { .. } => {
            let rings: Vec<Vec<Pt>> =
                line.rings(FLATNESS * k).iter().map(|r| r.iter().map(|&p| seen(p)).collect()).collect();
            fill(alpha, &rings);
        }
        Form::Seam { .. } => {}
    }
}

/// Ink taken off the lifted pixels: a tail, up to the edge of the line it was cut at.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Erasure {
    /// The tail from the crossing outwards: x, y, width of its ink.
    pub tail: Vec<[f64; 3]>,
    /// The line it was cut at, near the crossing: x, y, width. Its ink stays.
    pub cutter: Vec<[f64; 3]>,
    /// From the crossing to the side that is cleared.
    pub side: Pt,
}

fn as_flat(points: &[[f64; 3]]) -> Vec<FlatPoint> {
    points.iter().map(|p| FlatPoint { p: pt(p[0], p[1]), width: p[2] }).collect()
}

impl Erasure {
    /// The box of pixels that may change.
    pub fn bounds(&self) -> Bounds {
        let widest = self.tail.iter().map(|p| p[2]).fold(0.0, f64::max);
        Bounds::of(&as_flat(&self.tail).iter().map(|f| f.p).collect::<Vec<_>>()).grown(widest + 4.0)
    }

    /// The same elsewhere.
    pub fn moved(&self, by: Pt) -> Erasure {
        let go = |path: &[[f64; 3]]| path.iter().map(|k| [k[0] + by.x, k[1] + by.y, k[2]]).collect();
        Erasure { tail: go(&self.tail), cutter: go(&self.cutter), side: self.side }
    }

    /// Takes the tail's ink off `alpha`.
    pub fn apply(&self, alpha: &mut Plane<u8>) {
        self.apply_in(alpha, whole(alpha));
    }

    /// The same within an area of the plane.
    pub fn apply_in(&self, alpha: &mut Plane<u8>, area: Area) {
        let cutter = as_flat(&self.cutter);
        // Ink feathers beyond the width that was measured.
        let wide: Vec<FlatPoint> =
            as_flat(&self.tail).iter().map(|f| FlatPoint { p: f.p, width: f.width * 1.3 + 4.0 }).collect();
        let Some(crossing) = wide.first().map(|f| f.p) else {
            return;
        };
        let (x0, y0, x1, y1) = common(self.bounds().pixels(alpha.width, alpha.height), area);
        for y in y0..y1 {
            for x in x0..x1 {
                let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                if (p - crossing).dot(self.side) <= 0.0 || stroke_cover(p, &wide) < 0.5 {
                    continue;
                }
                let keep = (stroke_cover(p, &cutter) * 255.0) as u8;
                let here = &mut alpha.data[y * alpha.width + x];
                *here = (*here).min(keep);
            }
        }
    }
}

/// A line whose weight was changed: its lifted pixels give way to the line as it is now.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Reweighed {
    #[ts(type = "number")]
    pub line: u64,
    /// The line as it was traced: x, y, width.
    pub path: Vec<[f64; 3]>,
}

impl Reweighed {
    /// The ink of the line as it was traced: it feathers beyond the width that was measured.
    fn old(&self) -> (Vec<FlatPoint>, Bounds) {
        let wide: Vec<FlatPoint> =
            as_flat(&self.path).iter().map(|f| FlatPoint { p: f.p, width: f.width * 1.15 + 3.0 }).collect();
        let widest = wide.iter().map(|f| f.width).fold(0.0, f64::max);
        let bounds = Bounds::of(&wide.iter().map(|f| f.p).collect::<Vec<_>>()).grown(widest / 2.0 + 1.0);
        (wide, bounds)
    }

    /// The box of pixels that may change, the line as it is now left aside.
    pub fn bounds(&self) -> Bounds {
        self.old().1
    }

    /// Takes the old ink of all of them away within an area, the ink of every other line kept, and draws them as they are
    /// now.
    pub fn apply_in(all: &[Reweighed], lines: &[Arc<Line>], alpha: &mut Plane<u8>, area: Area) {
        if all.is_empty() {
            return;
        }
        let redrawn: std::collections::HashSet<u64> = all.iter().map(|r| r.line).collect();
        let seen = Bounds { min: pt(area.0 as f64, area.1 as f64), max: pt(area.2 as f64, area.3 as f64) };
        let others: Vec<(&Line, Bounds)> = lines
            .iter()
            .filter(|l| !redrawn.contains(&l.id) && !l.is_seam())
            .map(|l| (&**l, bounds_of(l)))
            .filter(|(_, b)| b.touches(&seen))
            .collect();
        for r in all {
            let (wide, bounds) = r.old();
            if !bounds.touches(&seen) {
                continue;
            }
            let (x0, y0, x1, y1) = bounds.pixels(alpha.width, alpha.height);
            if x1 <= x0 || y1 <= y0 {
                continue;
            }
            let here = |p: Pt| p - pt(x0 as f64, y0 as f64);
            let shifted = |flat: &[FlatPoint]| -> Vec<FlatPoint> {
                flat.iter().map(|f| FlatPoint { p: here(f.p), width: f.width }).collect()
            };
            let (mut old, mut keep) = (Plane::new(x1 - x0, y1 - y0, 0u8), Plane::new(x1 - x0, y1 - y0, 0u8));
            stroke(&mut old, &shifted(&wide));
            for (line, _) in others.iter().filter(|o| o.1.touches(&bounds)) {
                let grown: Vec<FlatPoint> =
                    shifted(&line.flat(FLATNESS)).iter().map(|f| FlatPoint { p: f.p, width: f.width + 1.0 }).collect();
                stroke(&mut keep, &grown);
                let rings: Vec<Vec<Pt>> =
                    line.rings(FLATNESS).iter().map(|r| r.iter().map(|&p| here(p)).collect()).collect();
                fill(&mut keep, &rings);
            }
            let (left, top, right, low) = common((x0, y0, x1, y1), area);
            for y in top..low {
                for x in left..right {
                    if *old.at(x - x0, y - y0) >= 128 {
                        let a = &mut alpha.data[y * alpha.width + x];
                        *a = (*a).min(*keep.at(x - x0, y - y0));
                    }
                }
            }
        }
        let now = lines.iter().filter(|l| redrawn.contains(&l.id) && bounds_of(l).touches(&seen));
        now.for_each(|l| draw_in(alpha, l, area));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn flat(points: &[(f64, f64, f64)]) -> Vec<FlatPoint> {
        points.iter().map(|&(x, y, width)| FlatPoint { p: pt(x, y), width }).collect()
    }

    #[test]
    fn a_stroke_covers_its_own_area() {
        let mut alpha = Plane::new(120, 60, 0u8);
        stroke(&mut alpha, &flat(&[(20.0, 30.3, 10.0), (100.0, 30.3, 10.0)]));
        let area: f64 = alpha.data.iter().map(|&a| f64::from(a) / 255.0).sum();
        assert!((area - (800.0 + 25.0 * std::f64::consts::PI)).abs() < 6.0, "{area}");
    }

    #[test]
    fn a_tail_goes_and_the_line_it_was_cut_at_stays() {
        let cutter = [(50.0, 5.0, 8.0), (50.0, 95.0, 8.0)];
        let mut alone = Plane::new(100, 100, 0u8);
        stroke(&mut alone, &flat(&cutter));
        let mut both = alone.clone();
        stroke(&mut both, &flat(&[(10.0, 50.0, 6.0), (70.0, 50.0, 6.0)]));
        let cut = Erasure {
            tail: vec![[50.0, 50.0, 6.0], [70.0, 50.0, 6.0]],
            cutter: cutter.iter().map(|c| [c.0, c.1, c.2]).collect(),
            side: pt(1.0, 0.0),
        };
        cut.apply(&mut both);
        for y in 0..100 {
            for x in 50..100 {
                assert_eq!(both.at(x, y), alone.at(x, y), "at {x}, {y}");
            }
        }
        assert!(*both.at(20, 50) == 255);
    }
}
