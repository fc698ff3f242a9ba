//! Lifted lines drawn in another weight by their own pixels.

use super::line::Line;
use super::pixels::{FLATNESS, bounds_of};
use crate::geom::flat::{Facet, FlatPoint, Stroke};
use crate::geom::{Bounds, Pt, nearest_on_segment, pt};
use crate::raster::plane::Plane;
use crate::raster::strokes::{Area, as_flat, common, fill, stroke, stroke_in};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// A line whose weight was changed: its lifted pixels give way to the line as it is now.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Reweighed {
    #[ts(type = "number")]
    pub line: u64,
    /// The line as it was traced: x, y, width.
    pub path: Vec<[f64; 3]>,
}

impl Reweighed {
    /// A line as it is, before its weight changes.
    pub fn of(line: &Line) -> Reweighed {
        let path = line.flat(0.2).iter().map(|f| (f.p.snapped(), f.width)).map(|(p, w)| [p.x, p.y, w]).collect();
        Reweighed { line: line.id, path }
    }

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

    /// Takes the old ink of all of them away within an area, the ink of every other line kept, and puts it back in their
    /// new width. `under` gives the pixels the lines lie over, for columns and rows.
    pub fn apply_in(
        all: &[Reweighed],
        lines: &[Arc<Line>],
        alpha: &mut Plane<u8>,
        area: Area,
        under: impl Fn(Area) -> Plane<u8>,
    ) {
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
        for line in lines.iter().filter(|l| redrawn.contains(&l.id) && bounds_of(l).touches(&seen)) {
            if let Some(r) = all.iter().find(|r| r.line == line.id) {
                stretch_across(&as_flat(&r.path), line, alpha, area, &under);
            }
        }
    }
}

/// How far in from its edge a line's ink feathers, px at most: that much goes along with the edge as it is.
const FEATHER: f64 = 2.0;

/// Draws a line by its own old pixels, stretched or squeezed across it from the old width to the new: its grain and the
/// softness of its edge are kept.
fn stretch_across(
    old: &[FlatPoint],
    line: &Line,
    alpha: &mut Plane<u8>,
    area: Area,
    under: impl Fn(Area) -> Plane<u8>,
) {
    let stroke = line.stroke(FLATNESS);
    let flat = &stroke.flat;
    if old.is_empty() || flat.len() < 2 {
        return;
    }
    let all = bounds_of(line).pixels(alpha.width, alpha.height);
    let (x0, y0, x1, y1) = common(all, area);
    if x0 >= x1 || y0 >= y1 {
        return;
    }
    // Half the width it had at each of its points.
    let old_half = |p: Pt| {
        let mut best = (p.dist(old[0].p), old[0].width);
        for w in old.windows(2) {
            let t = nearest_on_segment(p, w[0].p, w[1].p);
            let d = p.dist(w[0].p.lerp(w[1].p, t));
            if d < best.0 {
                best = (d, w[0].width + (w[1].width - w[0].width) * t);
            }
        }
        best.1 / 2.0
    };
    let was: Vec<f64> = flat.iter().map(|f| old_half(f.p)).collect();
    // The nearest place of the line for each pixel: how far, which piece, how far along it.
    let (w, h) = (x1 - x0, y1 - y0);
    let mut nearest = Plane::new(w, h, (f32::INFINITY, 0u32, 0f32));
    // Moved to where the line begins, not to the area: whatever the area, each pixel is the same to the last bit.
    let mut drawn = Plane::new(all.2 - all.0, all.3 - all.1, 0u8);
    let origin = pt(all.0 as f64, all.1 as f64);
    let wider = |f: &FlatPoint| FlatPoint { p: f.p - origin, width: f.width + 2.0 * FEATHER };
    let facets = stroke.facets.map(|f| f.map(|f| Facet { at: f.at - origin, ..f }));
    let (left, top) = (x0 - all.0, y0 - all.1);
    let part = (left, top, left + w, top + h);
    let shifted = Stroke { flat: flat.iter().map(wider).collect(), facets };
    stroke_in(&mut drawn, &shifted, 255.0, part);
    for (k, piece) in shifted.flat.windows(2).enumerate() {
        let reach = piece[0].width.max(piece[1].width) / 2.0 + 1.0;
        let near = Bounds::of([&piece[0].p, &piece[1].p]).grown(reach).pixels(drawn.width, drawn.height);
        let (px0, py0, px1, py1) = common(near, part);
        for y in py0..py1 {
            for x in px0..px1 {
                let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                let t = nearest_on_segment(p, piece[0].p, piece[1].p);
                let d = p.dist(piece[0].p.lerp(piece[1].p, t)) as f32;
                let here = &mut nearest.data[(y - top) * w + x - left];
                if d < here.0 {
                    *here = (d, k as u32, t as f32);
                }
            }
        }
    }
    let most = was.iter().zip(flat).map(|(o, f)| (o - f.width / 2.0).abs()).fold(0.0, f64::max) + FEATHER + 2.0;
    // What lies under all of the line, not of the area alone: what is cut out there is cut the same whatever the area.
    let around = Bounds::of_area(all).grown(most.min(500.0)).pixels(alpha.width, alpha.height);
    let pixels = under(around);
    let at = pt(around.0 as f64, around.1 as f64);
    for y in 0..h {
        for x in 0..w {
            let cover = *drawn.at(left + x, top + y);
            let (_, k, t) = *nearest.at(x, y);
            if cover == 0 {
                continue;
            }
            let (k, t) = (k as usize, f64::from(t));
            let q = flat[k].p.lerp(flat[k + 1].p, t);
            let new = (flat[k].width + (flat[k + 1].width - flat[k].width) * t) / 2.0;
            let old = was[k] + (was[k + 1] - was[k]) * t;
            let out = pt((x0 + x) as f64 + 0.5, (y0 + y) as f64 + 0.5) - q;
            let d = out.len();
            let edge = FEATHER.min(new / 2.0).min(old / 2.0);
            let from = if d <= new - edge {
                d * (old - edge) / (new - edge).max(1e-9)
            } else {
                old - edge + (d - (new - edge))
            };
            let p = q + out.unit() * from - at;
            let value = (pixels.sample(p.x, p.y) as u8).min(cover);
            let here = &mut alpha.data[(y0 + y) * alpha.width + x0 + x];
            *here = (*here).max(value);
        }
    }
}
