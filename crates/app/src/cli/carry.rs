//! `rhizograph carry`: the paint of one picture carried to others, without a server or a database.

use super::prepare::{Error, Until, bring, no_region};
use rhizograph_core::geom::Pt;
use rhizograph_core::model::paint::{ColourModel, Drop};
use rhizograph_core::model::recipe::Recipes;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::shot::carry::{Graph, Paint, Painted, propose};
use rhizograph_formats::palette::{self, PaletteFile};
use rhizograph_formats::raster_out;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

/// The largest file of drops, bytes, and the longest name of a swatch.
const MOST_BYTES: u64 = 16 << 20;
const LONGEST: usize = 200;

/// A drop that was carried.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CarriedDrop {
    /// Inside of the region it paints.
    pub at: [f64; 2],
    pub swatch: String,
    /// 0 to 1.
    pub confidence: f64,
    /// Somebody should look.
    pub doubtful: bool,
}

#[derive(Deserialize)]
struct Told {
    at: [f64; 2],
    swatch: String,
}

/// Reads a list of places and swatches. Errors: it cannot be read, is none, or is too large.
pub fn read_drops(path: &Path) -> Result<Vec<Drop>, Error> {
    let reading = |reason| Error::Read { path: path.to_owned(), reason };
    let wrong = |reason: String| Error::Drops { path: path.to_owned(), reason };
    if std::fs::metadata(path).map_err(reading)?.len() > MOST_BYTES {
        return Err(wrong("a list of drops has up to 16 MiB".into()));
    }
    let text = std::fs::read_to_string(path).map_err(reading)?;
    let told: Vec<Told> = serde_json::from_str(&text).map_err(|e| wrong(e.to_string()))?;
    if told.iter().any(|d| d.swatch.is_empty() || d.swatch.len() > LONGEST || d.at.iter().any(|v| !v.is_finite())) {
        return Err(wrong("a drop has a place and the id of a swatch".into()));
    }
    Ok(told.into_iter().map(|d| Drop::by_hand(Pt { x: d.at[0], y: d.at[1] }, d.swatch)).collect())
}

/// Reads the swatches that drops name from a file of colours: .gpl, .css or .json.
pub fn read_swatches(path: &Path) -> Result<ColourModel, Error> {
    let wrong = |reason: String| Error::Drops { path: path.to_owned(), reason };
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    let kind = PaletteFile::of(&name).ok_or_else(|| wrong("swatches are read from .gpl, .css or .json".into()))?;
    let bytes = std::fs::read(path).map_err(|reason| Error::Read { path: path.to_owned(), reason })?;
    palette::read(kind, &bytes).map_err(|e| wrong(e.to_string()))
}

/// Carries the paint of one picture to others: for each, its drops and its paint are written into `out`. Gives for each what
/// of its file is missing. Errors: the first picture cannot be brought as far as its regions, or a drop lies in none.
pub fn carry_to(
    from: &Path,
    drops: &[Drop],
    to: &[PathBuf],
    out: &Path,
    recipes: &Recipes,
) -> Result<Vec<Result<Vec<String>, Error>>, Error> {
    std::fs::create_dir_all(out).map_err(|reason| Error::Write { path: out.to_owned(), reason })?;
    let painted = bring(from, recipes, Until::Join)?;
    let regions = &painted
        .scene()
        .ok_or_else(|| Error::Drops { path: from.to_owned(), reason: "it has no regions".into() })?
        .regions;
    let mut paint: Vec<Option<Paint>> = vec![None; regions.most()];
    for drop in drops {
        let region = regions.at(drop.at).ok_or_else(|| no_region(from, drop))?;
        paint[region.id as usize - 1] = Some(Paint::by_hand(&drop.swatch));
    }
    let swatches: BTreeSet<&str> = drops.iter().map(|d| d.swatch.as_str()).collect();
    let swatches: Vec<&str> = swatches.into_iter().collect();
    let source = Painted { graph: Graph::of(regions), paint };
    let one = |(n, path): (usize, &PathBuf)| -> Result<Vec<String>, Error> {
        if to[..n].iter().any(|p| p.file_stem() == path.file_stem()) {
            return Err(Error::SameName(path.clone()));
        }
        let brought = bring(path, recipes, Until::Join)?;
        let Some(scene) = brought.scene() else { return Ok(brought.notes()) };
        let mut paint: Vec<u16> = vec![0; scene.regions.most() + 1];
        let mut carried = Vec::new();
        for (id, told) in propose(&[&source], &Graph::of(&scene.regions)) {
            let (Some(swatch), Some(region)) = (told.swatches.first(), scene.regions.get(id)) else { continue };
            paint[id as usize] = swatches.iter().position(|s| s == swatch).map_or(0, |k| k as u16 + 1);
            let confidence = (told.confidence * 1e4).round() / 1e4;
            let at = [region.seed.x, region.seed.y];
            carried.push(CarriedDrop { at, swatch: swatch.clone(), confidence, doubtful: told.doubtful });
        }
        let labels = &scene.regions.labels;
        let data = labels.data.iter().map(|l| paint[usize::from(*l)]).collect();
        let plane = Plane { width: labels.width, height: labels.height, data };
        let png = raster_out::labels_png(&plane, brought.sheet.dpi)
            .map_err(|reason| Error::Format { path: path.to_owned(), reason })?;
        let json = serde_json::to_vec(&carried).unwrap_or_default();
        let stem = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        for (name, bytes) in [(format!("{stem}.drops.json"), json), (format!("{stem}.paint.png"), png)] {
            let file = out.join(name);
            std::fs::write(&file, bytes).map_err(|reason| Error::Write { path: file, reason })?;
        }
        Ok(brought.notes())
    };
    Ok(to.iter().enumerate().map(one).collect())
}
