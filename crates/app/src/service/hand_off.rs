//! Hand off: ink, paint, lines and a readiness report as files.

use crate::api::{Progress, Readiness};
use crate::service::error::Error;
use crate::service::open::Open;
use crate::service::pictures;
use rhizograph_core::model::line::Line;
use rhizograph_core::model::paint::{Swatch, colour_of, parted};
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_formats::{drawing_json, raster_out, svg_out};

/// The files a drawing can be handed off as, with their media types.
pub const FILES: [(&str, &str); 5] = [
    ("ink.png", "image/png"),
    ("paint.png", "image/png"),
    ("flat.png", "image/png"),
    ("drawing.svg", "image/svg+xml"),
    ("lines.json", "application/json"),
];

fn counted(n: usize, one: &str, many: &str) -> Option<String> {
    match n {
        0 => None,
        1 => Some(format!("1 {one}")),
        _ => Some(format!("{n} {many}")),
    }
}

/// Why a drawing is not ready, if it is not.
pub fn readiness(p: &Progress, stale: bool) -> Readiness {
    let mut reasons = Vec::new();
    if !p.lifted {
        reasons.push("the ink has not been lifted and traced yet".to_owned());
    }
    if stale {
        reasons.push("the lift was changed after tracing: the lines are older than its settings".to_owned());
    }
    reasons.extend(counted(
        p.beyond,
        "region is beyond those that can be told apart",
        "regions are beyond those that can be told apart",
    ));
    reasons.extend(counted(p.join_open, "finding is open at Join", "findings are open at Join"));
    reasons.extend(counted(p.paint_open, "finding is open at Paint", "findings are open at Paint"));
    Readiness { ready: reasons.is_empty(), reasons }
}

/// What one file of the hand-off is made of, taken out of the drawing, so that nobody waits while it is written.
pub enum Taken {
    Ink(Ink, f64),
    Paint(Plane<[u8; 4]>, f64),
    Text(String),
}

impl Taken {
    /// The bytes of the file.
    pub fn write(self) -> Result<Vec<u8>, Error> {
        Ok(match self {
            Taken::Ink(ink, dpi) => raster_out::ink_png(&ink, dpi)?,
            Taken::Paint(paint, dpi) => raster_out::rgba_png(&paint, dpi)?,
            Taken::Text(text) => text.into_bytes(),
        })
    }
}

/// Takes what one file of the hand-off is made of.
pub fn take(open: &Open, swatches: &[Swatch], name: &str) -> Result<Taken, Error> {
    let sheet = &open.stored.sheet;
    let ink = &open.scene.ink;
    Ok(match name {
        "ink.png" => Taken::Ink(pictures::ink(open, swatches), sheet.dpi),
        "paint.png" => Taken::Paint(pictures::paint(open, swatches), sheet.dpi),
        "flat.png" => {
            // Ink over paint, what is neither stays clear.
            let mut flat = pictures::paint(open, swatches);
            let ink = pictures::ink(open, swatches);
            let w = flat.width;
            for (i, (p, &a)) in flat.data.iter_mut().zip(&ink.alpha.data).enumerate() {
                let (a, under, colour) = (u32::from(a), u32::from(p[3]), ink.colour_at(i % w, i / w));
                let out = a * 255 + under * (255 - a);
                if out > 0 {
                    let mix = |k: usize| {
                        (u32::from(colour[k]) * a * 255 + u32::from(p[k]) * under * (255 - a) + out / 2) / out
                    };
                    *p = [mix(0) as u8, mix(1) as u8, mix(2) as u8, (out / 255) as u8];
                }
            }
            Taken::Paint(flat, sheet.dpi)
        }
        "drawing.svg" => {
            let shapes: Vec<svg_out::Fill> = open
                .scene
                .regions
                .iter()
                .filter_map(|r| {
                    let fill = open.scene.fill(r.id)?;
                    let (id, tone) = parted(fill);
                    let s = swatches.iter().find(|s| s.id == id)?;
                    let name = tone.map_or_else(|| s.name.clone(), |tone| format!("{}, {tone}", s.name));
                    Some(svg_out::Fill { name, colour: colour_of(swatches, fill)?, rings: &r.rings })
                })
                .collect();
            let colour = |line: &Line| pictures::colour_of(line, swatches).unwrap_or(ink.colour);
            Taken::Text(svg_out::drawing_svg(&sheet.lines, &shapes, &colour, sheet.width, sheet.height, sheet.dpi))
        }
        "lines.json" => Taken::Text(drawing_json::lines_json(&sheet.lines, sheet.width, sheet.height, sheet.dpi)?),
        _ => return Err(Error::Asked(format!("there is no file {name} to hand off"))),
    })
}
