//! Hand off: whether a drawing is ready, its files, and what they are called.

use crate::api::{Progress, Readiness};
use crate::service::error::Error;
use crate::service::open::{Open, ink_or_none};
use rhizograph_core::handoff::{HandOff, Leaving, Naming, named};
use rhizograph_core::model::paint::ColourModel;
use rhizograph_formats::hand_off::{FORMATS, Format, Packed};
use std::collections::HashMap;

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

/// The name by which one file of a drawing is asked for: of a format that makes one.
pub fn format_of(name: &str) -> Option<Format> {
    let told = |f: &Format| {
        let (layer, ending) = f.name();
        !layer.is_empty() && name == format!("{layer}.{ending}")
    };
    FORMATS.into_iter().find(told)
}

/// What a file of a format is called as its kind of media.
pub fn media(format: Format) -> &'static str {
    match format {
        Format::Flat | Format::InkPng | Format::PaintPng | Format::LayerPngs => "image/png",
        Format::Tiff => "image/tiff",
        Format::OpenRaster => "image/openraster",
        Format::Svg => "image/svg+xml",
        Format::Json => "application/json",
    }
}

/// One file of a drawing as it is.
pub fn file(open: &Open, colours: &ColourModel, format: Format) -> Result<Vec<u8>, Error> {
    let sheet = &open.stored.sheet;
    let lifted = ink_or_none(sheet, &open.lifted);
    let of = HandOff::of(&open.stored.name, sheet, &lifted, &open.scene, colours, Leaving::default());
    let made = format.files(&of.map_err(Error::Core)?, Packed::default())?;
    made.into_iter().next().map(|m| m.bytes).ok_or(Error::BrokeOff)
}

/// What the names of a shot's files are made of.
#[derive(Debug, Clone)]
pub struct NamedBy {
    pub production: String,
    pub shot: String,
    pub pattern: String,
}

/// The names of one file: one, or where holds are repeated one for each frame. `layer`: what of the drawing it is, and what
/// the name ends in.
pub fn file_names(
    by: &NamedBy,
    drawing: &str,
    (first, hold): (usize, usize),
    (layer, ending): (&str, &str),
    repeat_holds: bool,
) -> Result<Vec<String>, rhizograph_core::Error> {
    let frames = if repeat_holds { first..first + hold } else { first..first + 1 };
    frames
        .map(|frame| {
            let of = Naming { production: &by.production, shot: &by.shot, drawing, frame, layer };
            Ok(format!("{}.{ending}", named(&by.pattern, of)?))
        })
        .collect()
}

/// The names of all files that a pattern gives for drawings with their frames. Errors: two would have the same name.
pub fn all_names(
    by: &NamedBy,
    drawings: &[(String, (usize, usize))],
    formats: &[Format],
    repeat_holds: bool,
) -> Result<Vec<String>, Error> {
    let mut taken: HashMap<String, &str> = HashMap::new();
    let mut out = Vec::new();
    for (drawing, frames) in drawings {
        for format in formats {
            let (layer, ending) = format.name();
            // Which layers a drawing has is known when it goes out: one stands for them.
            let layer = if layer.is_empty() { "Layer" } else { layer };
            for name in file_names(by, drawing, *frames, (layer, ending), repeat_holds).map_err(Error::Core)? {
                if let Some(other) = taken.insert(name.clone(), drawing) {
                    let of = if other == drawing { "two files".into() } else { format!("{other} and {drawing}") };
                    return Err(Error::Asked(format!(
                        "{of} would both be called {name}: name {{drawing}} or {{layer}}, too"
                    )));
                }
                out.push(name);
            }
        }
    }
    Ok(out)
}
