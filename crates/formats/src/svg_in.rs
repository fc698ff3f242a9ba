//! SVG in: strokes become centrelines, fills become outlines. What is neither (pictures, text) is left out.

use crate::{Error, MOST_PIXELS, MOST_SIDE};
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::line::{End, Form, Line, Made, Spine, shared};
use std::sync::Arc;
use usvg::tiny_skia_path::{PathSegment, Transform};

/// The longest SVG text that is read, bytes.
const MOST_TEXT: usize = 32 << 20;
/// The most lines that are taken from one file.
const MOST_LINES: usize = 100_000;

/// Vector art as lines; no resolution of its own.
#[derive(Debug, Clone)]
pub struct Vector {
    pub width: usize,
    pub height: usize,
    pub lines: Vec<Arc<Line>>,
}

/// Whether the bytes begin like an SVG document.
pub fn looks_like_svg(bytes: &[u8]) -> bool {
    let head = String::from_utf8_lossy(&bytes[..bytes.len().min(1024)]);
    let head = head.trim_start_matches(['\u{feff}', ' ', '\t', '\r', '\n']);
    head.starts_with("<svg") || ((head.starts_with("<?xml") || head.starts_with("<!")) && head.contains("<svg"))
}

/// Reads vector art. Errors: not well-formed, too large, nothing that could be a line.
pub fn read(bytes: &[u8]) -> Result<Vector, Error> {
    if bytes.len() > MOST_TEXT {
        return Err(Error::TooLarge(bytes.len() >> 20));
    }
    let tree =
        usvg::Tree::from_data(bytes, &usvg::Options::default()).map_err(|e| Error::Damaged("SVG", e.to_string()))?;
    let (w, h) = (tree.size().width().ceil(), tree.size().height().ceil());
    if w > MOST_SIDE as f32 || h > MOST_SIDE as f32 || f64::from(w) * f64::from(h) > MOST_PIXELS as f64 {
        return Err(Error::TooManyPixels(w as u32, h as u32));
    }
    let mut lines = Vec::new();
    collect(tree.root(), &mut lines);
    Ok(Vector { width: (w as usize).max(1), height: (h as usize).max(1), lines: shared(lines) })
}

fn collect(group: &usvg::Group, lines: &mut Vec<Line>) {
    for node in group.children() {
        if lines.len() >= MOST_LINES {
            return;
        }
        match node {
            usvg::Node::Group(g) => collect(g, lines),
            usvg::Node::Path(p) if p.is_visible() => add_path(p, lines),
            _ => {}
        }
    }
}

fn add_path(path: &usvg::Path, lines: &mut Vec<Line>) {
    let t = path.abs_transform();
    let spines = spines_of(path, t);
    let mut add = |form| {
        let id = lines.len() as u64 + 1;
        lines.push(Line { id, form, made: Made::Hand, swatch: None, opacity: 1.0, group: None });
    };
    if path.fill().is_some() {
        let contours: Vec<Spine> = spines.iter().filter(|s| s.points.len() > 4).map(|s| closed(s.clone())).collect();
        if !contours.is_empty() {
            add(Form::Outline { contours });
        }
    }
    if let Some(stroke) = path.stroke() {
        let scale = f64::from((t.sx * t.sy - t.kx * t.ky).abs().sqrt());
        let width = f64::from(stroke.width().get()) * scale;
        let end = match stroke.linecap() {
            usvg::LineCap::Round => End::Round,
            _ => End::Flat,
        };
        for spine in spines {
            add(Form::Centreline { spine, width: vec![[0.0, width]], ends: [end, end] });
        }
    }
}

fn closed(mut s: Spine) -> Spine {
    let (first, last) = (s.points[0], s.points[s.points.len() - 1]);
    if first != last {
        s.points.extend([last.lerp(first, 1.0 / 3.0).snapped(), last.lerp(first, 2.0 / 3.0).snapped(), first]);
    }
    s.closed = true;
    s
}

fn spines_of(path: &usvg::Path, t: Transform) -> Vec<Spine> {
    let place = |p: usvg::tiny_skia_path::Point| {
        let (x, y) = (f64::from(p.x), f64::from(p.y));
        pt(
            x * f64::from(t.sx) + y * f64::from(t.kx) + f64::from(t.tx),
            x * f64::from(t.ky) + y * f64::from(t.sy) + f64::from(t.ty),
        )
        .snapped()
    };
    let mut out: Vec<Spine> = Vec::new();
    let mut points: Vec<Pt> = Vec::new();
    let mut end = |points: &mut Vec<Pt>, is_closed: bool| {
        if points.len() >= 4 {
            let s = Spine { points: std::mem::take(points), closed: false };
            out.push(if is_closed { closed(s) } else { s });
        }
        points.clear();
    };
    let line_to = |points: &mut Vec<Pt>, b: Pt| {
        if let Some(&a) = points.last() {
            points.extend([a.lerp(b, 1.0 / 3.0).snapped(), a.lerp(b, 2.0 / 3.0).snapped(), b]);
        }
    };
    for segment in path.data().segments() {
        match segment {
            PathSegment::MoveTo(p) => {
                end(&mut points, false);
                points.push(place(p));
            }
            PathSegment::LineTo(p) => line_to(&mut points, place(p)),
            PathSegment::QuadTo(c, p) => {
                let (c, p) = (place(c), place(p));
                if let Some(&a) = points.last() {
                    points.extend([a.lerp(c, 2.0 / 3.0).snapped(), p.lerp(c, 2.0 / 3.0).snapped(), p]);
                }
            }
            PathSegment::CubicTo(c, d, p) => points.extend([place(c), place(d), place(p)]),
            PathSegment::Close => {
                let start = points.first().copied();
                end(&mut points, true);
                points.extend(start);
            }
        }
    }
    end(&mut points, false);
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn strokes_become_centrelines_and_fills_outlines() {
        let svg = br#"<svg xmlns="http://www.w3.org/2000/svg" width="100" height="50">
            <g transform="scale(2)"><path d="M5 5 H20" stroke="black" stroke-width="3" fill="none" stroke-linecap="round"/></g>
            <path d="M60 10 h20 v20 h-20 z" fill="black"/></svg>"#;
        let v = read(svg).unwrap();
        assert_eq!((v.width, v.height, v.lines.len()), (100, 50, 2));
        let Form::Centreline { spine, width, ends } = &v.lines[0].form else { panic!("not a centreline") };
        assert_eq!(spine.points[3], pt(40.0, 10.0));
        assert_eq!(width, &vec![[0.0, 6.0]]);
        assert_eq!(ends[0], End::Round);
        assert_eq!(v.lines[1].rings(0.1)[0].len(), 4);
    }

    #[test]
    fn text_that_is_no_svg_is_told_apart() {
        assert!(!looks_like_svg(b"hello <svg"));
        assert!(looks_like_svg(b"<?xml version=\"1.0\"?>\n<svg/>"));
        assert!(matches!(read(b"<svg xmlns="), Err(Error::Damaged("SVG", _))));
    }
}
