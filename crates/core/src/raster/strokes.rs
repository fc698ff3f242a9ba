//! Ink drawn from geometry: coverage of pixels by lines, and the edits that joining makes to lifted pixels.

use crate::geom::flat::{Facet, FlatPoint, Stroke};
use crate::geom::{Bounds, Pt, nearest_on_segment, pt};
use crate::raster::plane::Plane;

/// Coverage (0 to 1) of the pixel centred at `p` by a line with round ends: one pixel of fall-off at its edge, and where
/// it is thinner than a pixel no more than it is wide.
pub(crate) fn stroke_cover(p: Pt, flat: &[FlatPoint]) -> f64 {
    let mut best = 0.0_f64;
    for w in flat.windows(2) {
        let t = nearest_on_segment(p, w[0].p, w[1].p);
        let half = (w[0].width + (w[1].width - w[0].width) * t) / 2.0;
        let within = half - p.dist(w[0].p.lerp(w[1].p, t)) + 0.5;
        best = best.max(within.min(2.0 * half));
    }
    best.min(1.0)
}

/// On which side of a path a place lies, by its sign; `None` of a path that is but a place.
pub(crate) fn side_of(p: Pt, path: &[FlatPoint]) -> Option<f64> {
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
pub(crate) fn common(a: Area, b: Area) -> Area {
    (a.0.max(b.0), a.1.max(b.1), a.2.min(b.2), a.3.min(b.3))
}

/// Draws a stroke with round ends over `alpha`: each pixel keeps the greater coverage.
pub fn stroke(alpha: &mut Plane<u8>, flat: &[FlatPoint]) {
    let all = whole(alpha);
    stroke_in(alpha, &Stroke { flat: flat.to_vec(), facets: [None; 2] }, 255.0, all);
}

/// Draws a stroke within an area, cut off where it ends so; full coverage gives `most`.
pub(crate) fn stroke_in(alpha: &mut Plane<u8>, stroke: &Stroke, most: f64, area: Area) {
    let Stroke { flat, facets } = stroke;
    let [head, tail] = stroke.faceted();
    for (k, w) in flat.windows(2).enumerate() {
        let cuts = [facets[0].filter(|_| k < head), facets[1].filter(|_| k + 1 + tail >= flat.len())];
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

pub(crate) fn fill_in(alpha: &mut Plane<u8>, rings: &[Vec<Pt>], area: Area) {
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

/// Points with widths as they are stored: x, y, width.
pub(crate) fn as_flat(points: &[[f64; 3]]) -> Vec<FlatPoint> {
    points.iter().map(|p| FlatPoint { p: pt(p[0], p[1]), width: p[2] }).collect()
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
}
