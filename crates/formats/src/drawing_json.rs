//! A drawing as JSON: its lines alone, flattened to 0.05 px, or all that is known of it but pixels.

use crate::error::{Error, MOST_PIXELS, MOST_SIDE};
use crate::svg::{Vector, drawn};
use rhizograph_core::geom::Pt;
use rhizograph_core::handoff::{HandOff, Note};
use rhizograph_core::model::line::{Form, Line, piled};
use rhizograph_core::model::paint::{ColourModel, Drop};
use rhizograph_core::model::sheet::FARTHEST;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::HashSet;
use std::sync::Arc;

/// How closely curves are followed, px.
const FLATNESS: f64 = 0.05;

#[derive(Serialize)]
struct Drawing {
    size: [usize; 2],
    dpi: f64,
    lines: Vec<Value>,
}

fn short(v: f64) -> f64 {
    (v * 1000.0).round() / 1000.0
}

fn line_value(line: &Line) -> Value {
    match &line.form {
        Form::Outline { .. } => {
            let contours: Vec<Vec<[f64; 2]>> =
                line.rings(FLATNESS).iter().map(|r| r.iter().map(|p| [short(p.x), short(p.y)]).collect()).collect();
            json!({ "id": line.id, "kind": "outline", "closed": true, "contours": contours })
        }
        Form::Centreline { spine, .. } | Form::Seam { spine } => {
            let points: Vec<[f64; 3]> =
                line.flat(FLATNESS).iter().map(|f| [short(f.p.x), short(f.p.y), short(f.width)]).collect();
            let kind = if line.is_seam() { "seam" } else { "centreline" };
            json!({ "id": line.id, "kind": kind, "closed": spine.closed, "points": points })
        }
    }
}

/// `{"size":[w,h],"dpi":n,"lines":[{"id","kind","closed","points":[[x,y,width],...]}]}`; an outline has "contours".
pub fn lines_json(lines: &[Arc<Line>], width: usize, height: usize, dpi: f64) -> Result<String, Error> {
    let drawing = Drawing { size: [width, height], dpi, lines: lines.iter().map(|l| line_value(l)).collect() };
    serde_json::to_string(&drawing).map_err(|e| Error::Write(e.to_string()))
}

/// What the file is, and the form it has.
const FORMAT: &str = "rhizograph drawing";
const VERSION: u32 = 1;

/// All of a drawing but pixels. `docs/drawing.schema.json` tells its form.
#[derive(Serialize)]
struct Document<'a> {
    format: &'static str,
    version: u32,
    name: &'a str,
    /// Of the sheet, px.
    size: [usize; 2],
    dpi: f64,
    colours: &'a ColourModel,
    /// From the lowest to the topmost.
    lines: Vec<Value>,
    /// Where paint was put.
    drops: Vec<&'a Drop>,
    regions: Vec<Value>,
    notes: &'a [Note],
}

/// A drawing as a JSON document: lines flattened and, as `exact`, with their curves; drops, regions with their paint, notes.
pub fn document(of: &HandOff) -> Result<String, Error> {
    let exact = |line: &Line| {
        let mut value = line_value(line);
        value["exact"] = serde_json::to_value(line).map_err(|e| Error::Write(e.to_string()))?;
        Ok(value)
    };
    let region = |r: &rhizograph_core::region::Region| {
        let [x, y] = [short(r.seed.x), short(r.seed.y)];
        json!({ "id": r.id, "area": r.area, "bbox": r.bbox, "at": [x, y], "paint": of.scene.fill(r.id) })
    };
    let document = Document {
        format: FORMAT,
        version: VERSION,
        name: of.name,
        size: [of.sheet.width, of.sheet.height],
        dpi: of.sheet.dpi,
        colours: of.colours,
        lines: of.sheet.lines.iter().map(|l| exact(l)).collect::<Result<_, Error>>()?,
        drops: of.sheet.drops.iter().map(|d| &d.it).collect(),
        regions: of.scene.regions.iter().map(region).collect(),
        notes: &of.notes,
    };
    serde_json::to_string(&document).map_err(|e| Error::Write(e.to_string()))
}

/// The longest document that is read, bytes, and its most lines.
const MOST_BYTES: usize = 128 << 20;
const MOST_LINES: usize = 100_000;

/// Whether the bytes begin like a document of ours.
pub fn looks_like_drawing(bytes: &[u8]) -> bool {
    let begin = &bytes[..bytes.len().min(200)];
    begin.trim_ascii_start().starts_with(b"{") && begin.windows(FORMAT.len()).any(|w| w == FORMAT.as_bytes())
}

#[derive(Deserialize)]
struct Read {
    version: u32,
    size: [usize; 2],
    dpi: f64,
    colours: ColourModel,
    lines: Vec<ReadLine>,
    drops: Vec<Drop>,
}

#[derive(Deserialize)]
struct ReadLine {
    exact: Line,
}

/// Reads a document of ours as vector art. Errors: damage, another version, what no drawing has.
pub fn read(bytes: &[u8]) -> Result<Vector, Error> {
    let damaged = |why: &str| Error::Damaged("JSON", why.to_owned());
    if bytes.len() > MOST_BYTES {
        return Err(Error::TooLarge { has: bytes.len(), most: MOST_BYTES });
    }
    let told: Read = serde_json::from_slice(bytes).map_err(|e| damaged(&e.to_string()))?;
    let Read { version, size: [width, height], dpi, colours, lines, drops } = told;
    if version != VERSION {
        return Err(Error::Unsupported("drawing", format!("version {version}")));
    }
    let side = MOST_SIDE as usize;
    if width == 0 || height == 0 || width > side || height > side || (width * height) as u64 > MOST_PIXELS {
        return Err(Error::TooManyPixels(width.min(side + 1) as u32, height.min(side + 1) as u32));
    }
    colours.check()?;
    let lines: Vec<Line> = lines.into_iter().map(|l| Line { made: drawn(l.exact.made), ..l.exact }).collect();
    let mut numbers = HashSet::new();
    let is_near = |p: Pt| p.x.abs() <= FARTHEST && p.y.abs() <= FARTHEST;
    let is_right =
        |l: &Line| l.is_sound() && numbers.insert(l.id) && is_near(l.bounds().min) && is_near(l.bounds().max);
    if lines.len() > MOST_LINES || !lines.iter().all(is_right) || !(1.0..=10_000.0).contains(&dpi) {
        return Err(damaged("it holds lines that cannot be drawn"));
    }
    let drops = drops.into_iter().filter(|d| is_near(d.at)).map(|d| Drop { like: None, ..d }).collect();
    Ok(Vector { width, height, dpi: Some(dpi), lines: piled(lines), drops, colours, notes: Vec::new() })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rhizograph_core::geom::pt;
    use rhizograph_core::geom::spine::Spine;
    use rhizograph_core::model::line::{End, Made};

    #[test]
    fn a_centreline_is_written_with_its_widths() {
        let spine = Spine::through(&[pt(1.0, 2.0), pt(9.0, 2.0)], false);
        let form = Form::Centreline { spine, width: vec![[0.0, 3.0], [1.0, 5.0]], ends: [End::Round; 2] };
        let line = Line::new(7, form, Made::Traced);
        let value: Value = serde_json::from_str(&lines_json(&[Arc::new(line)], 20, 10, 300.0).unwrap()).unwrap();
        assert_eq!(value["size"], json!([20, 10]));
        assert_eq!(value["lines"][0]["kind"], "centreline");
        assert_eq!(value["lines"][0]["points"], json!([[1.0, 2.0, 3.0], [9.0, 2.0, 5.0]]));
    }

    #[test]
    fn a_document_with_wrong_numbers_is_refused() {
        let line = |more: &str| {
            format!(
                r#"{{"format":"rhizograph drawing","version":1,"size":[20,10],"dpi":300.0,"colours":{{"tones":[],"swatches":[]}},"drops":[],"lines":[{{"exact":{more}}}]}}"#
            )
        };
        let spine = Spine::through(&[pt(1.0, 2.0), pt(9.0, 2.0)], false);
        let form = |spine, width| Form::Centreline { spine, width, ends: [End::Round; 2] };
        let json = |form| serde_json::to_string(&Line::new(7, form, Made::Traced)).unwrap();
        let right = line(&json(form(spine.clone(), vec![[0.0, 3.0]])));
        assert!(looks_like_drawing(right.as_bytes()));
        assert_eq!(read(right.as_bytes()).unwrap().lines[0].made, Made::Hand);
        let short = Spine { points: spine.points[..3].to_vec(), closed: false };
        let far = Spine::through(&[pt(1.0, 2.0), pt(9e7, 2.0)], false);
        for wrong in [
            line(&json(form(short, vec![[0.0, 3.0]]))),
            line(&json(form(far, vec![[0.0, 3.0]]))),
            line(&json(form(spine, vec![]))),
            right.replace("[20,10]", "[90000,10]"),
            right.replace("300.0", "0.0"),
            right.replace("\"version\":1", "\"version\":9"),
            right[..right.len() / 2].to_owned(),
        ] {
            assert!(read(wrong.as_bytes()).is_err(), "{wrong}");
        }
    }
}
