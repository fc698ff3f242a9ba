//! SVG in: strokes become centrelines, fills become outlines. What is neither (pictures, text) is left out.

use crate::{Error, MOST_PIXELS, MOST_SIDE, svg_bounds};
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::line::{End, Form, Line, Made, Spine, shared};
use std::sync::Arc;
use usvg::roxmltree::{Document, ParsingOptions};
use usvg::tiny_skia_path::{PathSegment, Transform};

/// The longest SVG text that is read, bytes.
const MOST_TEXT: usize = 32 << 20;
/// The most lines that are taken from one file.
const MOST_LINES: usize = 100_000;
/// The most nodes of a document.
const MOST_NODES: u32 = 1_000_000;
/// Nothing lies farther off or is broader, px: a curve is followed to a part of a pixel all along.
const FARTHEST: f64 = 1e6;

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

/// Reads vector art. Errors: not well-formed, too large, numbers that no drawing has.
pub fn read(bytes: &[u8]) -> Result<Vector, Error> {
    if bytes.len() > MOST_TEXT {
        return Err(Error::TooLarge(bytes.len() >> 20));
    }
    let damaged = |why: String| Error::Damaged("SVG", why);
    let text = std::str::from_utf8(bytes).map_err(|e| damaged(e.to_string()))?;
    let how = ParsingOptions { allow_dtd: true, nodes_limit: MOST_NODES, ..ParsingOptions::default() };
    let doc = Document::parse_with_options(text, how).map_err(|e| damaged(e.to_string()))?;
    svg_bounds::check(&doc)?;
    // The reader itself breaks off at some numbers that no drawing has.
    let cannot = || damaged("it holds numbers that cannot be drawn".into());
    let read = || usvg::Tree::from_xmltree(&doc, &usvg::Options::default());
    let tree = std::panic::catch_unwind(std::panic::AssertUnwindSafe(read))
        .map_err(|_| cannot())?
        .map_err(|e| damaged(e.to_string()))?;
    let (w, h) = (tree.size().width().ceil(), tree.size().height().ceil());
    if w > MOST_SIDE as f32 || h > MOST_SIDE as f32 || f64::from(w) * f64::from(h) > MOST_PIXELS as f64 {
        return Err(Error::TooManyPixels(w as u32, h as u32));
    }
    let mut lines = Vec::new();
    collect(tree.root(), &mut lines);
    if !lines.iter().all(is_drawable) {
        return Err(cannot());
    }
    Ok(Vector { width: (w as usize).max(1), height: (h as usize).max(1), lines: shared(lines) })
}

/// Whether all of a line lies where somebody could draw.
fn is_drawable(line: &Line) -> bool {
    let is_near = |p: &Pt| p.x.abs() <= FARTHEST && p.y.abs() <= FARTHEST;
    match &line.form {
        Form::Centreline { spine, width, .. } => {
            spine.points.iter().all(is_near) && width.iter().all(|k| k[1] <= FARTHEST)
        }
        Form::Seam { spine } => spine.points.iter().all(is_near),
        Form::Outline { contours } => contours.iter().flat_map(|c| &c.points).all(is_near),
    }
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
        let [sx, sy, kx, ky] = [t.sx, t.sy, t.kx, t.ky].map(f64::from);
        let scale = (sx * sy - kx * ky).abs().sqrt();
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
    use proptest::prelude::*;

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

    #[test]
    fn numbers_that_no_drawing_has_are_refused_before_curves_are_made_of_them() {
        for (d, transform) in [
            ("M1 1 T0 99999999999 1e30 0", "matrix(11.03,156.54,-9.61,246.81,0,0)"),
            ("M1 1 a5 5 0 1 1 1e30 0", ""),
            ("M1 1 a1e38 1e38 0 1 1 3e7 0", ""),
            ("M1 1 L50 60", "scale(1e6)"),
        ] {
            let svg = format!(
                "<svg xmlns='http://www.w3.org/2000/svg' width='300' height='200'>
                <path stroke='black' fill='none' d='{d}' transform='{transform}'/></svg>"
            );
            assert!(matches!(read(svg.as_bytes()), Err(Error::Damaged("SVG", _))), "{d} {transform}");
        }
    }

    /// A piece of vector art: whole elements, odd ones and halves, with numbers of any size.
    fn piece() -> impl Strategy<Value = String> {
        let number = prop_oneof![
            400 => (-200.0..400.0f64).prop_map(|v| format!("{v:.2}")),
            60 => prop::sample::select(vec!["NaN", "0", "1e-30", "", "1e5", "-9999999", "1e-308"]).prop_map(str::to_owned),
            1 => prop::sample::select(vec!["1e30", "-1e30", "99999999999", "1e308"]).prop_map(str::to_owned),
        ];
        let steps = prop::collection::vec(
            (
                prop::sample::select(vec!["M", "L", "C", "q", "a", "h", "V", "s", "T", "z"]),
                prop::collection::vec(number.clone(), 0..7),
            ),
            0..8,
        );
        let path =
            steps.prop_map(|steps| steps.into_iter().map(|(c, n)| format!("{c}{}", n.join(" "))).collect::<String>());
        let paint = prop::sample::select(vec![
            "fill='black'",
            "stroke='#123' fill='none'",
            "stroke='red' stroke-width='1e20'",
            "fill='url(#g)'",
            "",
        ]);
        let turn =
            prop::collection::vec(number.clone(), 6).prop_map(|n| format!("transform='matrix({})'", n.join(",")));
        prop_oneof![
            6 => (path, paint, turn.clone()).prop_map(|(d, p, t)| format!("<path d='M1 1 {d}' {p} {t}/>")),
            2 => (number.clone(), number).prop_map(|(a, b)| format!("<circle cx='{a}' cy='{b}' r='{a}' stroke='black'/><rect width='{b}' height='{a}'/>")),
            1 => turn.prop_map(|t| format!("<g {t}>")),
            1 => prop::sample::select(vec!["</g>", "<g>", "<use href='#a'/>", "<g id='a'><use href='#a'/></g>", "&amp;", "&lol;", "<image href='x.png'/>", "<text>Kettle</text>", "<![CDATA[", "<style>*{stroke:red}</style>"]).prop_map(str::to_owned),
        ]
    }

    proptest! {
        #[test]
        fn vector_art_of_any_kind_gives_finite_lines_or_an_error(
            pieces in prop::collection::vec(piece(), 0..12),
            size in prop::sample::select(vec!["width='300' height='200'", "viewBox='0 0 1e9 5'", "viewBox='0 0 60 60'", "width='1e9' height='1e9'", "width='-4'", ""]),
            cut in 0usize..4000,
        ) {
            let mut text = format!("<svg xmlns='http://www.w3.org/2000/svg' {size}>{}</svg>", pieces.concat());
            if cut < text.len() && text.is_char_boundary(cut) {
                text.truncate(cut);
            }
            if let Ok(v) = read(text.as_bytes()) {
                prop_assert!(v.width as u64 * v.height as u64 <= MOST_PIXELS);
                prop_assert!(v.lines.iter().all(|l| is_drawable(l)), "{text}");
                for line in &v.lines {
                    let points: Vec<Pt> = match &line.form {
                        Form::Centreline { spine, .. } | Form::Seam { spine } => spine.points.clone(),
                        Form::Outline { contours } => contours.iter().flat_map(|c| c.points.clone()).collect(),
                    };
                    prop_assert!(points.iter().all(|p| p.x.is_finite() && p.y.is_finite()), "{text}");
                    if let Form::Centreline { width, .. } = &line.form {
                        prop_assert!(width.iter().all(|k| k[1].is_finite()), "{text}");
                    }
                }
            }
        }
    }
}
