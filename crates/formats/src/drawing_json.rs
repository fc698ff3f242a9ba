//! A drawing as JSON: its lines alone, flattened to 0.05 px, or all that is known of it but pixels.

use crate::error::Error;
use rhizograph_core::handoff::{HandOff, Note};
use rhizograph_core::model::line::{Form, Line};
use rhizograph_core::model::paint::{ColourModel, Drop};
use serde::Serialize;
use serde_json::{Value, json};
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
}
