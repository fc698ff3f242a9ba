//! Lines drawn as pixels.

use super::line::{End, Form, Line};
use crate::geom::flat::{Facet, FlatPoint};
use crate::geom::{Bounds, Pt, pt};
use crate::raster::plane::Plane;
use crate::raster::strokes::{Area, fill, fill_in, stroke_in, whole};
use crate::raster::window::Window;

/// How closely curves are followed when pixels are drawn, px.
pub(crate) const FLATNESS: f64 = 0.1;

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
