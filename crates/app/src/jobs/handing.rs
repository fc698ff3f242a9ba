//! Drawings that go out in the background: each as the files that were asked for, of the revision that is noted; at the end
//! the report and the colours.

use super::read::Read;
use crate::api::{Facts, HandOff, Left, OpenCount, PaintedWith};
use crate::jobs::queue::Outcome;
use crate::progress;
use crate::service::hand_off::{NamedBy, file_names, readiness};
use crate::service::report;
use crate::store;
use crate::store::hand_offs::{self, Listed, Out};
use crate::store::people;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use rhizograph_core::handoff::{self, Note, paint_name};
use rhizograph_core::model::paint::{ColourModel, colour_of};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::{SAME_PLACE, Settled};
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_formats::palette::{self, PaletteFile};
use rhizograph_formats::raster_out;
use sqlx::PgPool;
use std::collections::{BTreeMap, HashSet};
use std::path::{Path, PathBuf};

/// All that one drawing's files need of the database.
pub struct Asked {
    read: Read,
    colours: ColourModel,
    naming: NamedBy,
    /// The first frame, and how many there are.
    frames: (usize, usize),
    settlers: Vec<(Settled, String)>,
    /// What those who are called something are called.
    names: BTreeMap<String, String>,
}

async fn naming(pool: &PgPool, shot: i64, pattern: &str) -> sqlx::Result<NamedBy> {
    let [production, shot, _] = hand_offs::names_of_shot(pool, shot).await?;
    Ok(NamedBy { production, shot, pattern: pattern.to_owned() })
}

/// Reads what one drawing's files need.
pub async fn ask(pool: &PgPool, drawing: i64, how: &HandOff) -> sqlx::Result<Asked> {
    let read = Read::of(pool, drawing).await?;
    let shot = read.stored.shot;
    let (colours, _) = store::colour_model(pool, shot).await?;
    let frames = hand_offs::frames(pool, shot).await?.get(&drawing).copied().unwrap_or((1, 1));
    let settlers = hand_offs::settlers(pool, drawing).await?;
    let names = people::names(pool).await?;
    Ok(Asked { naming: naming(pool, shot, &how.naming).await?, read, colours, frames, settlers, names })
}

/// Makes one drawing's files. Left: it is not ready, or at another revision than was looked at.
pub fn hand_off(asked: &Asked, how: &HandOff) -> Outcome {
    let stored = &asked.read.stored;
    let wanted = how.drawings.iter().find(|d| d.id == stored.id).and_then(|d| d.revision);
    if wanted.is_some_and(|r| r != stored.revision) {
        return Outcome::Left("it was changed meanwhile".into());
    }
    let (scene, lifted) = match asked.read.scene() {
        Ok(made) => made,
        Err(why) => return Outcome::Failed(why),
    };
    match made(asked, how, &scene, &lifted) {
        Ok(outcome) => outcome,
        Err(e) => Outcome::Failed(e.to_string()),
    }
}

fn made(asked: &Asked, how: &HandOff, scene: &Scene, lifted: &Ink) -> Result<Outcome, rhizograph_formats::Error> {
    let Asked { read, colours, naming, frames, settlers, names } = asked;
    let stored = &read.stored;
    let sheet = &stored.sheet;
    let told = readiness(&progress::of(sheet, scene), sheet.traced.is_some() && !sheet.lines_are_current());
    let mut of = handoff::HandOff::of(&stored.name, sheet, lifted, scene, colours, how.leaving)?;
    for note in of.notes.iter_mut().filter(|n| n.left) {
        note.by = left_by(note, settlers).map(|who| names.get(&who).cloned().unwrap_or("somebody".into()));
    }
    let mut facts = facts(asked, &of, &told.reasons)?;
    facts.goes_out = !how.formats.is_empty() && (told.ready || how.anyway);
    let facts = Box::new(facts);
    if !facts.goes_out {
        let why = (!how.formats.is_empty()).then(|| format!("not ready: {}", told.reasons.join("; ")));
        return Ok(Outcome::Looked { facts, why });
    }
    let (mut files, mut taken) = (Vec::new(), HashSet::new());
    for format in &how.formats {
        for made in format.files(&of, how.packed)? {
            let names = file_names(naming, &stored.name, *frames, (&made.layer, made.ending), how.repeat_holds)?;
            // Layers of one name are told apart by a number.
            let is_taken = |names: &[String]| names.iter().any(|n| taken.contains(n));
            let mut out = names.clone();
            for n in 2.. {
                if !is_taken(&out) {
                    break;
                }
                let tell = |name: &String| match name.rsplit_once('.') {
                    Some((stem, ending)) => format!("{stem}-{n}.{ending}"),
                    None => format!("{name}-{n}"),
                };
                out = names.iter().map(tell).collect();
            }
            taken.extend(out.iter().cloned());
            files.push(Out { names: out, bytes: made.bytes });
        }
    }
    Ok(Outcome::HandedOff { revision: stored.revision, files, reasons: told.reasons, facts })
}

/// Who left a finding, if a step that did so is known.
fn left_by(note: &Note, settlers: &[(Settled, String)]) -> Option<String> {
    let is_it = |s: &Settled| s.kind == note.kind && s.at.dist(note.at) <= SAME_PLACE;
    settlers.iter().find(|(s, _)| is_it(s)).map(|(_, who)| who.clone())
}

/// Square mm of so many pixels.
fn mm2(pixels: usize, sheet: &Sheet) -> f64 {
    let mm = 25.4 / sheet.dpi;
    (pixels as f64 * mm * mm * 10.0).round() / 10.0
}

fn facts(asked: &Asked, of: &handoff::HandOff, reasons: &[String]) -> Result<Facts, rhizograph_formats::Error> {
    let (stored, scene, sheet) = (&asked.read.stored, of.scene, of.sheet);
    let mut open: BTreeMap<&str, usize> = BTreeMap::new();
    of.notes.iter().filter(|n| !n.left).for_each(|n| *open.entry(n.says).or_default() += 1);
    let mut areas: BTreeMap<&str, usize> = BTreeMap::new();
    for region in scene.regions.iter() {
        if let Some(paint) = scene.fill(region.id) {
            *areas.entry(paint).or_default() += region.area;
        }
    }
    let swatches = areas.into_iter().map(|(paint, pixels)| PaintedWith {
        name: paint_name(of.colours, paint),
        colour: colour_of(&of.colours.swatches, paint),
        mm2: mm2(pixels, sheet),
    });
    let bare = scene.regions.iter().filter(|r| scene.fill(r.id).is_none()).map(|r| r.area).sum();
    Ok(Facts {
        drawing: stored.id,
        name: stored.name.clone(),
        revision: stored.revision,
        first_frame: asked.frames.0,
        hold: asked.frames.1,
        reasons: reasons.to_vec(),
        goes_out: false,
        open: open.into_iter().map(|(says, count)| OpenCount { says: says.to_owned(), count }).collect(),
        left: of
            .notes
            .iter()
            .filter(|n| n.left)
            .map(|n| Left { says: n.says.to_owned(), at: n.at, by: n.by.clone() })
            .collect(),
        swatches: swatches.collect(),
        unpainted_mm2: mm2(bare, sheet),
        thumbnail: STANDARD.encode(small(&of.composed()?)?),
    })
}

/// How long the longer side of a report's picture may be, px.
const SMALL: usize = 400;

/// A small picture on white.
fn small(of: &Plane<[u8; 4]>) -> Result<Vec<u8>, rhizograph_formats::Error> {
    let level = (0..).find(|l| of.width.max(of.height) >> l <= SMALL).unwrap_or(0);
    let white = of.map(|&p| {
        let [r, g, b, _] = handoff::over(p, [255; 4]);
        [r, g, b]
    });
    raster_out::rgb_png(&white.averaged(level, [0, 0, of.width, of.height]), 72.0)
}

/// What closes a job: the report of what was found and the colours, and with a folder all files in it.
pub async fn close(
    pool: &PgPool,
    (job, shot): (i64, i64),
    how: &HandOff,
    folder: Option<&Path>,
) -> sqlx::Result<Outcome> {
    let facts = hand_offs::facts(pool, job).await?;
    let (colours, of) = store::colour_model(pool, shot).await?;
    let naming = naming(pool, shot, "").await?;
    let mut files = Vec::new();
    let stem = handoff::named(
        "{shot}",
        handoff::Naming { production: &naming.production, shot: &naming.shot, drawing: "", frame: 1, layer: "" },
    )
    .unwrap_or_else(|_| "shot".into());
    let mut add = |ending: &str, bytes: Vec<u8>| files.push(Out { names: vec![format!("{stem}.{ending}")], bytes });
    if how.report {
        let told = report::Report { production: naming.production.clone(), shot: of.clone(), drawings: facts };
        add("report.html", report::html(&told).into_bytes());
        add("report.json", report::json(&told).into_bytes());
    }
    if how.palette {
        match palette::write(PaletteFile::Gpl, &colours, &of) {
            Ok(text) => add("gpl", text.into_bytes()),
            Err(e) => return Ok(Outcome::Failed(e.to_string())),
        }
    }
    if how.to_folder {
        let Some(folder) = folder else {
            return Ok(Outcome::Failed("this server was given no folder to write to".into()));
        };
        let at = folder.join(format!("{stem}-{job}"));
        if let Err(why) = write_all(pool, job, &at, &files).await? {
            return Ok(Outcome::Failed(format!("the folder could not be written: {why}")));
        }
    }
    Ok(Outcome::Closed { files })
}

/// Writes all files of a job into a folder; each is there whole or not at all.
async fn write_all(pool: &PgPool, job: i64, at: &Path, more: &[Out]) -> sqlx::Result<Result<(), std::io::Error>> {
    let put = |name: &str, bytes: &[u8]| -> Result<(), std::io::Error> {
        let whole: PathBuf = at.join(name);
        let half = at.join(format!(".{name}.part"));
        std::fs::write(&half, bytes)?;
        std::fs::rename(&half, &whole)
    };
    if let Err(e) = std::fs::create_dir_all(at) {
        return Ok(Err(e));
    }
    for Listed { key, names, .. } in hand_offs::files(pool, job).await? {
        let bytes = hand_offs::bytes(pool, job, key).await?;
        for name in names {
            if let Err(e) = put(&name, &bytes) {
                return Ok(Err(e));
            }
        }
    }
    for file in more {
        for name in &file.names {
            if let Err(e) = put(name, &file.bytes) {
                return Ok(Err(e));
            }
        }
    }
    Ok(Ok(()))
}
