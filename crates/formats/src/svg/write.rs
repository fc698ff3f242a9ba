//! SVG out: paint, ink, seams, notes and the field chart in named groups, lengths in mm with a view box in pixels. Strokes
//! of a steady width stay strokes, the others are filled shapes; each tells what it was made of.

use super::edge::{disc, stroke_rings};
use super::kept::{SPACE, Whole, element};
use super::text::{escape, hex};
use crate::path_data::Parts;
use rhizograph_core::geom::Pt;
use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::model::line::{End, Form, Line, Made};
use rhizograph_core::model::paint::{ColourModel, Drop};
use rhizograph_core::raster::plane::Rgb;
use std::fmt::Write;
use std::sync::Arc;

const FLATNESS: f64 = 0.05;
/// Widths that differ by less are one, px.
const STEADY: f64 = 0.01;
/// The cosine of the angle by which a line goes on as it ended, or else bends.
const STRAIGHT_ON: f64 = 0.9;
/// How large a note is, in parts of an inch.
const NOTE: f64 = 1.0 / 12.0;

/// A filled region.
pub struct Fill<'a> {
    /// The name of its paint, and what that is called.
    pub paint: &'a str,
    pub name: String,
    pub colour: Rgb,
    pub rings: &'a [Vec<Pt>],
    /// The paint as it is kept.
    pub drops: Vec<Drop>,
}

/// Something about a place, in words.
pub struct Remark<'a> {
    pub at: Pt,
    pub says: &'a str,
    pub colour: Rgb,
}

/// All that is drawn.
pub struct Art<'a> {
    /// Width and height of the sheet, px.
    pub size: [usize; 2],
    /// What of it is shown: x, y, width, height, px.
    pub part: [usize; 4],
    pub dpi: f64,
    pub colours: &'a ColourModel,
    pub backdrop: Option<Rgb>,
    /// Those of one paint beside each other.
    pub fills: Vec<Fill<'a>>,
    /// From the lowest to the topmost.
    pub lines: &'a [Arc<Line>],
    /// The colour of each line's ink.
    pub ink: &'a dyn Fn(&Line) -> Rgb,
    pub remarks: Vec<Remark<'a>>,
    /// The lines of the field chart.
    pub chart: Vec<Vec<Pt>>,
}

impl<'a> Art<'a> {
    /// Lines alone, in one colour each.
    pub fn of_lines(size: [usize; 2], dpi: f64, lines: &'a [Arc<Line>], ink: &'a dyn Fn(&Line) -> Rgb) -> Art<'a> {
        static NONE: ColourModel = ColourModel { tones: Vec::new(), swatches: Vec::new() };
        Art {
            size,
            part: [0, 0, size[0], size[1]],
            dpi,
            colours: &NONE,
            backdrop: None,
            fills: vec![],
            lines,
            ink,
            remarks: vec![],
            chart: vec![],
        }
    }
}

/// The width of a line that is as wide all along, with ends that SVG knows.
fn steady(width: &[[f64; 2]], ends: [End; 2], closed: bool) -> Option<(f64, &'static str)> {
    let (first, rest) = width.split_first()?;
    let cap = match ends {
        _ if closed => "round",
        [End::Round, End::Round] => "round",
        [End::Flat, End::Flat] => "butt",
        _ => return None,
    };
    rest.iter().all(|k| (k[1] - first[1]).abs() < STEADY).then_some((first[1], cap))
}

/// Whether a line as wide all along bends within half its width of one of its ends: a flat end cuts off what the bend
/// reaches beyond it, which SVG's does not.
fn bends_at_an_end(flat: &[FlatPoint], width: f64) -> bool {
    let mut points: Vec<Pt> = flat.iter().map(|f| f.p).collect();
    let bends = |points: &[Pt]| {
        let along = (points[1] - points[0]).unit();
        let turns = |w: &[Pt]| (w[1] - w[0]).unit().dot(along) < STRAIGHT_ON;
        points.windows(2).take_while(|w| points[0].dist(w[0]) < width / 2.0).any(turns)
    };
    let at_its_beginning = bends(&points);
    points.reverse();
    at_its_beginning || bends(&points)
}

/// How a line looks: what SVG draws it by.
fn looks(line: &Line, ink: &str) -> Option<Vec<(&'static str, String)>> {
    let filled = |d: String| vec![("d", d), ("fill", ink.to_owned())];
    let mut out = match &line.form {
        Form::Outline { .. } => {
            let mut out = filled(Parts::Hundredths.rings(&line.rings(FLATNESS)));
            out.push(("fill-rule", "evenodd".into()));
            out
        }
        Form::Seam { spine } => vec![("d", Parts::Hundredths.spine(spine))],
        Form::Centreline { spine, width, ends } => {
            let mut stroke = line.stroke(FLATNESS);
            stroke.flat.dedup_by(|b, a| a.p.dist(b.p) < 1e-6);
            match (&stroke.flat[..], steady(width, *ends, spine.closed)) {
                ([], _) => return None,
                ([dot], _) => filled(Parts::Hundredths.rings(&[disc(*dot)])),
                (flat, Some((width, cap))) if cap == "round" || !bends_at_an_end(flat, width) => vec![
                    ("d", Parts::Hundredths.spine(spine)),
                    ("fill", "none".into()),
                    ("stroke", ink.to_owned()),
                    ("stroke-width", format!("{}", (width * 1000.0).round() / 1000.0)),
                    ("stroke-linecap", cap.into()),
                ],
                _ => filled(Parts::Hundredths.rings(&stroke_rings(&stroke, spine.closed))),
            }
        }
    };
    if line.opacity < 1.0 {
        out.push(("opacity", format!("{:.3}", line.opacity)));
    }
    Some(out)
}

fn lines_group(out: &mut String, art: &Art, id: &str, more: &str, pick: &dyn Fn(&Line) -> bool) {
    let _ = writeln!(out, "<g id=\"{id}\"{more}>");
    for line in art.lines.iter().filter(|l| pick(l)) {
        if let Some(looks) = looks(line, &hex((art.ink)(line))) {
            out.push_str(&element(&format!("line-{}", line.id), &looks, "line", &**line));
        }
    }
    out.push_str("</g>\n");
}

fn paint_group(out: &mut String, art: &Art) {
    out.push_str("<g id=\"paint\">\n");
    let mut number = 0;
    for of_one in art.fills.chunk_by(|a, b| a.paint == b.paint) {
        let _ = writeln!(out, "<g id=\"paint-{}\" data-name=\"{}\">", escape(of_one[0].paint), escape(&of_one[0].name));
        for fill in of_one {
            number += 1;
            let looks = [
                ("d", Parts::Hundredths.rings(fill.rings)),
                ("fill", hex(fill.colour)),
                ("fill-rule", "evenodd".to_owned()),
            ];
            out.push_str(&element(&format!("region-{number}"), &looks, "drops", &fill.drops));
        }
        out.push_str("</g>\n");
    }
    out.push_str("</g>\n");
}

/// A drawing as SVG. Groups: `paint`, `lines`, `bridges`, and, not shown, `seams`, `notes`, `chart`. What is shown goes
/// from the lowest to the topmost: a bridge is among the lines where some that lies over it is not.
pub fn svg(art: &Art) -> String {
    let mm = |px: usize| px as f64 / art.dpi * 25.4;
    let [x, y, w, h] = art.part;
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" xmlns:rz=\"{SPACE}\" width=\"{:.4}mm\" height=\"{:.4}mm\" viewBox=\"{x} {y} {w} {h}\">\n",
        mm(w),
        mm(h)
    );
    let whole = Whole::new(art.size, art.part, art.dpi, art.colours.clone());
    // All that is kept is numbers and names: it can always be written.
    let whole = serde_json::to_string(&whole).unwrap_or_default();
    let _ = writeln!(out, "<metadata rz:whole=\"{}\"/>", escape(&whole));
    if let Some(colour) = art.backdrop {
        let _ = writeln!(
            out,
            "<rect id=\"backdrop\" x=\"{x}\" y=\"{y}\" width=\"{w}\" height=\"{h}\" fill=\"{}\"/>",
            hex(colour)
        );
    }
    if !art.fills.is_empty() {
        paint_group(&mut out, art);
    }
    let is_bridge = |l: &Line| l.made == Made::Bridge;
    let join = " stroke-linejoin=\"round\"";
    lines_group(&mut out, art, "lines", join, &|l| !l.is_seam() && !is_bridge(l));
    lines_group(&mut out, art, "bridges", join, &|l| !l.is_seam() && is_bridge(l));
    let thin = NOTE * art.dpi / 12.0;
    let aside = |colour: &str| {
        format!(" display=\"none\" rz:aside=\"1\" fill=\"none\" stroke=\"{colour}\" stroke-width=\"{thin:.2}\"")
    };
    let dotted = format!("{} stroke-dasharray=\"{:.2}\"", aside("#6a4a80"), 3.0 * thin);
    lines_group(&mut out, art, "seams", &dotted, &|l| l.is_seam());
    if !art.remarks.is_empty() {
        let size = NOTE * art.dpi;
        let _ = writeln!(out, "<g id=\"notes\"{} font-size=\"{size:.1}\" font-family=\"sans-serif\">", aside("none"));
        for r in &art.remarks {
            let (colour, Pt { x, y }) = (hex(r.colour), r.at);
            let _ = writeln!(
                out,
                "<g><circle cx=\"{x:.2}\" cy=\"{y:.2}\" r=\"{:.2}\" stroke=\"{colour}\"/><text x=\"{:.2}\" y=\"{y:.2}\" fill=\"{colour}\">{}</text></g>",
                size / 2.0,
                x + size,
                escape(r.says)
            );
        }
        out.push_str("</g>\n");
    }
    if !art.chart.is_empty() {
        let _ = writeln!(out, "<g id=\"chart\"{}>", aside("#3b6fa5"));
        for path in &art.chart {
            let d = Parts::Hundredths.polyline(path);
            let _ = writeln!(out, "<path d=\"{d}\"/>");
        }
        out.push_str("</g>\n");
    }
    out.push_str("</svg>\n");
    out
}
