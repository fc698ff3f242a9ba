//! Lines drawn as pixels.

use super::line::{End, Form, Line};
use crate::geom::flat::{Facet, FlatPoint, Stroke};
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
        Form::Centreline { .. } => stroke_in(alpha, &line.stroke(FLATNESS), line.opacity * 255.0, area),
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
            let flat = s.flat.iter().map(|f| FlatPoint { p: seen(f.p), width: f.width / k }).collect();
            let facets = s.facets.map(|f| f.map(|f| Facet { at: seen(f.at), reach: f.reach / k, ..f }));
            let all = whole(alpha);
            stroke_in(alpha, &Stroke { flat, facets }, line.opacity * 255.0, all);
        }
        Form::Outline { .. } => {
            let rings: Vec<Vec<Pt>> =
                line.rings(FLATNESS * k).iter().map(|r| r.iter().map(|&p| seen(p)).collect()).collect();
            fill(alpha, &rings);
        }
        Form::Seam { .. } => {}
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geom::area::inked;
    use crate::geom::inside;
    use crate::geom::spine::Spine;
    use crate::model::line::Made;
    use proptest::prelude::*;

    fn pen(points: &[Pt], width: f64, ends: [End; 2]) -> Line {
        let corner = |w: &[Pt]| [w[0].lerp(w[1], 1.0 / 3.0), w[0].lerp(w[1], 2.0 / 3.0), w[1]];
        let points = points[..1].iter().copied().chain(points.windows(2).flat_map(corner)).collect();
        let form = Form::Centreline { spine: Spine { points, closed: false }, width: vec![[0.0, width]], ends };
        Line::new(1, form, Made::Hand)
    }

    #[test]
    fn a_flat_end_cuts_off_nothing_of_what_comes_back_past_it() {
        let line = pen(&[pt(60.0, 60.0), pt(60.0, 68.0), pt(100.0, 10.0)], 8.0, [End::Flat, End::Round]);
        let mut ink = Plane::new(120, 80, 0u8);
        draw(&mut ink, &line);
        assert_eq!(*ink.at(90, 24), 255, "far past the end");
        assert_eq!(*ink.at(57, 57), 0, "beyond the cut");
        assert_eq!(*ink.at(58, 63), 255);
    }

    proptest! {
        #[test]
        fn what_is_drawn_covers_the_area_of_the_ink(
            points in proptest::collection::vec((20.0f64..100.0, 20.0f64..80.0), 2..6),
            width in 1.0f64..16.0,
            ends in proptest::collection::vec(proptest::option::of(0.0f64..3.1), 2),
        ) {
            let ends = [ends[0], ends[1]].map(|e| e.map_or(End::Flat, |a| End::AlongCutter(pt(a.cos(), a.sin()))));
            let points: Vec<Pt> = points.iter().map(|p| pt(p.0, p.1).snapped()).collect();
            let line = pen(&points, width, ends);
            let mut ink = Plane::new(120, 100, 0u8);
            draw(&mut ink, &line);
            let rings = inked(&line.stroke(FLATNESS));
            for y in 0..100 {
                for x in 0..120 {
                    let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                    let is = inside(p, &rings);
                    let covered = *ink.at(x, y);
                    // At the very edge either may be.
                    prop_assert!(is || covered < 160, "nothing at {x}, {y}, ink {covered}");
                    prop_assert!(!is || covered > 95, "too much at {x}, {y}, ink {covered}");
                }
            }
        }
    }
}
