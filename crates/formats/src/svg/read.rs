//! SVG in, as it looks: strokes become centrelines, dark areas outlines, coloured ones paint; what is hidden is cut away, and
//! what cannot be kept is told by name.

use super::kept;
use super::opened::{FARTHEST, Opened, USUAL_DPI, cannot_be_drawn, opened, sheet_of};
use super::pile::Pile;
use super::shapes::{self, Drawn, Shape, Shapes};
use crate::error::Error;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::model::line::{Form, Line, Made, piled};
use rhizograph_core::model::paint::{ColourModel, Drop};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// The most lines that are taken from one file.
const MOST_LINES: usize = 100_000;

/// Vector art as lines and paint.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Vector {
    pub width: usize,
    pub height: usize,
    /// `None`: the file has no measure that is meant.
    pub dpi: Option<f64>,
    pub lines: Vec<Arc<Line>>,
    pub drops: Vec<Drop>,
    /// The swatches that lines and drops name.
    pub colours: ColourModel,
    /// What of the file is missing or was left out, in words.
    pub notes: Vec<String>,
}

/// Reads vector art. Nothing but the text itself is ever opened. Errors: not well-formed, too large, numbers that no
/// drawing has.
pub fn read(bytes: &[u8]) -> Result<Vector, Error> {
    opened(bytes, read_opened)
}

fn read_opened(art: Opened) -> Result<Vector, Error> {
    let kept = kept::of(art.doc);
    let ([w, h], to_sheet, scale) = sheet_of(&art, &kept)?;
    // Our own notes and charts are text that says what is kept beside.
    let shapes = shapes::of(art.tree, to_sheet, &kept.ids, kept.whole.is_none())?;
    let notes = if kept.whole.is_some() { Vec::new() } else { missing(&art, &shapes) };
    let (dpi, shift, mut drops, mut colours) = match &kept.whole {
        Some(whole) => {
            let shift = pt(-(whole.part[0] as f64), -(whole.part[1] as f64));
            (Some(whole.dpi), shift, kept.drops, whole.colours.clone())
        }
        None => ((scale != 1.0).then_some(USUAL_DPI), pt(0.0, 0.0), Vec::new(), ColourModel::default()),
    };
    // What is kept has its place in the order; what was added since lies over it.
    let mut all: Vec<Line> = kept.lines.into_iter().map(|l| Line { made: drawn(l.made), ..l.moved(shift) }).collect();
    all.sort_by(|a, b| a.order.cmp(&b.order));
    drops.iter_mut().for_each(|d| *d = Drop { at: d.at + shift, like: None, ..d.clone() });
    let first = all.iter().map(|l| l.id).max().unwrap_or(0) + 1;
    if !shapes.all.iter().all(is_near) {
        return Err(cannot_be_drawn());
    }
    let mut pile = Pile::of(shapes.all, first);
    pile.paint([(w as usize).max(1), (h as usize).max(1)]);
    all.extend(pile.lines.into_iter().map(Arc::unwrap_or_clone));
    drops.extend(pile.drops);
    colours.take_over(&pile.colours);
    if all.len() > MOST_LINES {
        return Err(Error::TooMuch(format!("it has more than {MOST_LINES} lines")));
    }
    if !all.iter().all(is_drawable) {
        return Err(cannot_be_drawn());
    }
    Ok(Vector {
        width: (w as usize).max(1),
        height: (h as usize).max(1),
        dpi,
        lines: piled(all),
        drops,
        colours,
        notes,
    })
}

/// Whether a shape lies where somebody could draw.
fn is_near(shape: &Shape) -> bool {
    match &shape.drawn {
        Drawn::Stroke(line) => is_drawable(line),
        Drawn::Area { rings, .. } => rings.iter().flatten().all(|p| p.x.abs() <= FARTHEST && p.y.abs() <= FARTHEST),
    }
}

/// Of lines from a file all ink is drawn by their geometry: there are no pixels that they were traced from.
pub fn drawn(made: Made) -> Made {
    if made == Made::Bridge { Made::Bridge } else { Made::Hand }
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

/// What of a file could not be kept, in words.
fn missing(art: &Opened, shapes: &Shapes) -> Vec<String> {
    let pictures = art.doc.descendants().filter(|n| n.tag_name().name() == "image").count();
    let told = |n: usize, one: &str, many: &str, what: &str| match n {
        0 => None,
        1 => Some(format!("1 {one} {what}")),
        _ => Some(format!("{n} {many} {what}")),
    };
    [
        told(shapes.letterings, "text was", "texts were", "set in the type of this program: their own is not here"),
        told(shapes.letters, "letter was", "letters were", "left out: the type has none such"),
        told(shapes.pictures, "picture is", "pictures are", "no ink: it can lie below as a rough, or be a reference"),
        told(
            pictures.saturating_sub(shapes.pictures),
            "picture was",
            "pictures were",
            "left out: it is not in the file",
        ),
        told(shapes.gradients, "gradient became", "gradients became", "the mean of its colours"),
        told(shapes.patterns, "pattern was", "patterns were", "left out"),
        told(shapes.masks, "mask was", "masks were", "cut where it shows half"),
        told(shapes.veils, "see-through shape was", "see-through shapes were", "taken as it looks on white"),
        told(shapes.filters, "filter was", "filters were", "left out"),
    ]
    .into_iter()
    .flatten()
    .collect()
}

#[cfg(test)]
mod tests {
    use super::super::text::looks_like_svg;
    use super::*;
    use proptest::prelude::*;
    use rhizograph_core::model::line::End;

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
    fn a_stroke_that_is_broader_than_any_sheet_is_refused_before_its_outline_is_made() {
        let svg =
            "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 60 60'><path d='M1 1V158 -97 313 -160L-142 165 368'
            stroke='red' stroke-width='1e20' transform='matrix(-10.76,-27.12,-51.7,-79.7,-90.43,84.28)'/></svg>";
        assert!(matches!(read(svg.as_bytes()), Err(Error::Damaged("SVG", _))));
    }

    #[test]
    fn text_that_is_no_svg_is_told_apart() {
        assert!(!looks_like_svg(b"hello <svg"));
        assert!(looks_like_svg(b"<?xml version=\"1.0\"?>\n<svg/>"));
        let long = format!(
            "<?xml version='1.0'?><!-- {} --><!DOCTYPE svg [<!ENTITY a 'b'>]>\n<svg:svg/>",
            "of old ".repeat(900)
        );
        assert!(looks_like_svg(long.as_bytes()));
        assert!(!looks_like_svg(b"<!-- <svg> --><html/>"));
        assert!(matches!(read(b"<svg xmlns="), Err(Error::Damaged("SVG", _))));
    }

    #[test]
    fn utf_16_is_read_as_utf_8_is() {
        let text =
            "<?xml version='1.0' encoding='UTF-16'?><svg xmlns='http://www.w3.org/2000/svg' width='90' height='40'>
            <path d='M10 10L80 30' stroke='black'/></svg>";
        for (mark, to) in [([0xFF, 0xFE], u16::to_le_bytes as fn(u16) -> [u8; 2]), ([0xFE, 0xFF], u16::to_be_bytes)] {
            let bytes: Vec<u8> = mark.into_iter().chain(text.encode_utf16().flat_map(to)).collect();
            assert!(looks_like_svg(&bytes));
            let v = read(&bytes).unwrap();
            assert_eq!((v.width, v.height, v.lines.len()), (90, 40, 1));
        }
    }

    #[test]
    fn nothing_outside_the_file_is_opened() {
        // A pipe nobody writes to would be waited for without end.
        for path in ["/etc/passwd", "/dev/zero", "file:///dev/stdin", "http://127.0.0.1:9/x.svg"] {
            let svg = format!("<svg xmlns='http://www.w3.org/2000/svg' xmlns:xlink='http://www.w3.org/1999/xlink' width='30' height='20'>
                <image href='{path}' width='9' height='9'/><image xlink:href='{path}' width='9' height='9'/>
                <path d='M1 1L9 9' stroke='black'/></svg>");
            assert_eq!(read(svg.as_bytes()).unwrap().lines.len(), 1);
        }
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
                prop_assert!(v.width as u64 * v.height as u64 <= crate::MOST_PIXELS);
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
