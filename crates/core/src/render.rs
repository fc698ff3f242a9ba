//! Ink drawn from geometry: coverage of pixels by lines, and the edits that joining makes to lifted pixels.

use crate::geom::{Bounds, Pt, nearest_on_segment, pt};
use crate::line::{End, Facet, FlatPoint, Form, Line};
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

/// On which side of a path a place lies, by its sign; `None` of a path that is but a place.
fn side_of(p: Pt, path: &[FlatPoint]) -> Option<f64> {
    let pieces = path.windows(2).filter(|w| w[0].p.dist(w[1].p) > 1e-6);
    let near = |w: &[FlatPoint]| p.dist(w[0].p.lerp(w[1].p, nearest_on_segment(p, w[0].p, w[1].p)));
    // Beyond a corner of the path the piece that is seen more straight on tells.
    let across = |w: &[FlatPoint]| (w[1].p - w[0].p).unit().cross(p - w[0].p);
    let nearest = pieces.min_by(|a, b| {
        let d = near(a) - near(b);
        if d.abs() < 1e-9 { across(b).abs().total_cmp(&across(a).abs()) } else { d.total_cmp(&0.0) }
    })?;
    Some(across(nearest))
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
    let all = whole(alpha);
    stroke_in(alpha, flat, [None, None], 255.0, all);
}

/// Draws a stroke within an area, cut off where it ends so; full coverage gives `most`.
fn stroke_in(alpha: &mut Plane<u8>, flat: &[FlatPoint], facets: [Option<Facet>; 2], most: f64, area: Area) {
    let lengths = |w: &[FlatPoint]| w[0].p.dist(w[1].p);
    let total: f64 = if facets == [None, None] { 0.0 } else { flat.windows(2).map(lengths).sum() };
    let mut from_start = 0.0;
    for w in flat.windows(2) {
        let from_end = total - from_start - lengths(w);
        let cuts = [facets[0].filter(|f| from_start <= f.reach), facets[1].filter(|f| from_end <= f.reach)];
        from_start += lengths(w);
        let reach = w[0].width.max(w[1].width) / 2.0 + 1.0;
        let bounds = Bounds::of([&w[0].p, &w[1].p]).grown(reach);
        let (x0, y0, x1, y1) = common(bounds.pixels(alpha.width, alpha.height), area);
        for y in y0..y1 {
            for x in x0..x1 {
                let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                let on_side = |f: &Facet| ((p - f.at).dot(f.inward) + 0.5).clamp(0.0, 1.0);
                let cover = cuts.iter().flatten().map(on_side).fold(stroke_cover(p, w), f64::min);
                let here = &mut alpha.data[y * alpha.width + x];
                *here = (*here).max((cover * most) as u8);
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
        Form::Centreline { .. } => {
            let s = line.stroke(FLATNESS);
            stroke_in(alpha, &s.flat, s.facets, line.opacity * 255.0, area);
        }
        Form::Outline { .. } => fill_in(alpha, &line.rings(FLATNESS), area),
        Form::Seam { .. } => {}
    }
}

/// A box around all pixels that a line's ink may reach.
pub fn bounds_of(line: &Line) -> Bounds {
    match &line.form {
        // Curves lie within their handles; an end cut off slantwise goes on by less than another two widths.
        Form::Centreline { spine, width, ends } => {
            let widest = width.iter().map(|k| k[1]).fold(0.0, f64::max);
            let slanted = ends.iter().any(|e| matches!(e, End::AlongCutter(_)));
            Bounds::of(&spine.points).grown(widest * if slanted { 2.5 } else { 0.5 } + 2.0)
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
            let s = line.stroke(FLATNESS * k);
            let flat: Vec<FlatPoint> = s.flat.iter().map(|f| FlatPoint { p: seen(f.p), width: f.width / k }).collect();
            let facets = s.facets.map(|f| f.map(|f| Facet { at: seen(f.at), reach: f.reach / k, ..f }));
            let all = whole(alpha);
            stroke_in(alpha, &flat, facets, line.opacity * 255.0, all);
        }
        Form::Outline { .. } => {
            let rings: Vec<Vec<Pt>> =
                line.rings(FLATNESS * k).iter().map(|r| r.iter().map(|&p| seen(p)).collect()).collect();
            fill(alpha, &rings);
        }
        Form::Seam { .. } => {}
    }
}

/// A path with the width of its ink: x, y, width.
pub type InkPath = Vec<[f64; 3]>;

/// Ink taken off the lifted pixels.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(untagged)]
pub enum Erasure {
    /// A tail, up to the edge of the line it was cut at.
    Tail {
        /// From the crossing outwards.
        tail: InkPath,
        /// The line it was cut at, near the crossing. Its ink stays.
        cutter: InkPath,
        /// From the crossing to the side that is cleared.
        side: Pt,
        /// Stretches of other lines that run beside it: their ink stays, too.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        beside: Vec<InkPath>,
    },
    /// All that lies within an outline, but for the ink of lines that only reach into it.
    Within { outline: Vec<Pt>, beside: Vec<InkPath> },
}

fn as_flat(points: &[[f64; 3]]) -> Vec<FlatPoint> {
    points.iter().map(|p| FlatPoint { p: pt(p[0], p[1]), width: p[2] }).collect()
}

impl Erasure {
    /// The box of pixels that may change.
    pub fn bounds(&self) -> Bounds {
        match self {
            Erasure::Tail { tail, .. } => {
                let widest = tail.iter().map(|p| p[2]).fold(0.0, f64::max);
                Bounds::of(&as_flat(tail).iter().map(|f| f.p).collect::<Vec<_>>()).grown(widest + 4.0)
            }
            Erasure::Within { outline, .. } => Bounds::of(outline).grown(2.0),
        }
    }

    /// Tells it from others of a drawing.
    pub fn key(&self) -> Vec<u64> {
        let bits = |p: &[f64; 3]| p.map(f64::to_bits);
        match self {
            Erasure::Tail { tail, .. } => tail.iter().flat_map(bits).collect(),
            Erasure::Within { outline, .. } => outline.iter().flat_map(|p| [p.x.to_bits(), p.y.to_bits()]).collect(),
        }
    }

    /// The same elsewhere.
    pub fn moved(&self, by: Pt) -> Erasure {
        self.mapped(|p| p + by, |d, _| d, |_| 1.0)
    }

    /// The same on a sheet laid out otherwise: where its points go, where a direction at a point goes, and how much
    /// larger things are there.
    pub fn mapped(&self, go: impl Fn(Pt) -> Pt, turn: impl Fn(Pt, Pt) -> Pt, scale: impl Fn(Pt) -> f64) -> Erasure {
        let path = |path: &InkPath| -> InkPath {
            let knot = |k: &[f64; 3]| (pt(k[0], k[1]), k[2]);
            path.iter().map(knot).map(|(p, w)| [go(p).x, go(p).y, w * scale(p)]).collect()
        };
        let paths = |list: &[InkPath]| list.iter().map(path).collect();
        match self {
            Erasure::Tail { tail, cutter, side, beside } => Erasure::Tail {
                side: tail.first().map_or(*side, |t| turn(*side, pt(t[0], t[1]))),
                tail: path(tail),
                cutter: path(cutter),
                beside: paths(beside),
            },
            Erasure::Within { outline, beside } => {
                Erasure::Within { outline: outline.iter().map(|&p| go(p)).collect(), beside: paths(beside) }
            }
        }
    }

    /// Takes the ink off `alpha`.
    pub fn apply(&self, alpha: &mut Plane<u8>) {
        self.apply_in(alpha, whole(alpha));
    }

    /// The same within an area of the plane.
    pub fn apply_in(&self, alpha: &mut Plane<u8>, area: Area) {
        let (x0, y0, x1, y1) = common(self.bounds().pixels(alpha.width, alpha.height), area);
        if x0 >= x1 || y0 >= y1 {
            return;
        }
        match self {
            Erasure::Tail { tail, cutter, side, beside } => {
                let cutter = as_flat(cutter);
                let beside: Vec<Vec<FlatPoint>> = beside.iter().map(|b| as_flat(b)).collect();
                // Ink feathers beyond the width that was measured.
                let wide: Vec<FlatPoint> =
                    as_flat(tail).iter().map(|f| FlatPoint { p: f.p, width: f.width * 1.3 + 4.0 }).collect();
                let (Some(crossing), Some(tip)) = (wide.first().map(|f| f.p), wide.last().map(|f| f.p)) else {
                    return;
                };
                // Of a line that was cut at by its side; of a mere place by the way to the tip.
                let beyond = side_of(tip, &cutter);
                let is_beyond = |p: Pt| match beyond {
                    Some(beyond) => side_of(p, &cutter).is_some_and(|s| s * beyond > 0.0),
                    None => (p - crossing).dot(*side) > 0.0,
                };
                for y in y0..y1 {
                    for x in x0..x1 {
                        let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                        let here = &mut alpha.data[y * alpha.width + x];
                        if *here == 0 || stroke_cover(p, &wide) < 0.5 || !is_beyond(p) {
                            continue;
                        }
                        let keep = beside.iter().map(|b| stroke_cover(p, b)).fold(stroke_cover(p, &cutter), f64::max);
                        *here = (*here).min((keep * 255.0) as u8);
                    }
                }
            }
            Erasure::Within { outline, beside } => {
                let all = self.bounds().pixels(alpha.width, alpha.height);
                let origin = pt(all.0 as f64, all.1 as f64);
                let (mut gone, mut keep) =
                    (Plane::new(all.2 - all.0, all.3 - all.1, 0u8), Plane::new(all.2 - all.0, all.3 - all.1, 0u8));
                fill(&mut gone, &[outline.iter().map(|&p| p - origin).collect()]);
                for path in beside {
                    let flat: Vec<FlatPoint> =
                        as_flat(path).iter().map(|f| FlatPoint { p: f.p - origin, width: f.width }).collect();
                    stroke(&mut keep, &flat);
                }
                for y in y0..y1 {
                    for x in x0..x1 {
                        let here = &mut alpha.data[y * alpha.width + x];
                        let (gone, keep) = (*gone.at(x - all.0, y - all.1), *keep.at(x - all.0, y - all.1));
                        let left = u32::from(*here) * u32::from(255 - gone) / 255;
                        *here = (left as u8).max(keep.min(*here));
                    }
                }
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
    let shifted: Vec<FlatPoint> =
        flat.iter().map(|f| FlatPoint { p: f.p - origin, width: f.width + 2.0 * FEATHER }).collect();
    let facets = stroke.facets.map(|f| f.map(|f| Facet { at: f.at - origin, ..f }));
    let (left, top) = (x0 - all.0, y0 - all.1);
    let part = (left, top, left + w, top + h);
    stroke_in(&mut drawn, &shifted, facets, 255.0, part);
    for (k, piece) in shifted.windows(2).enumerate() {
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
        let cut = Erasure::Tail {
            tail: vec![[50.0, 50.0, 6.0], [70.0, 50.0, 6.0]],
            cutter: cutter.iter().map(|c| [c.0, c.1, c.2]).collect(),
            side: pt(1.0, 0.0),
            beside: vec![],
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
