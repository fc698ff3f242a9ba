//! `rhizograph prepare`: from pictures to ink, lines, regions and a report, without a server or a database.

use crate::intake::{USUAL_DPI, of_vector};
use crate::memory;
use crate::reader;
use rhizograph_core::edit::{close, cut_all};
use rhizograph_core::handoff::{HandOff, Leaving};
use rhizograph_core::intake::{by_itself, lay_out};
use rhizograph_core::join::Tail;
use rhizograph_core::lift;
use rhizograph_core::model::by_hand::ByHand;
use rhizograph_core::model::line::{Line, piled};
use rhizograph_core::model::paint::{ColourModel, Drop};
use rhizograph_core::model::recipe::{CloseWith, IntakeRecipe, Recipes};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_core::scene::findings::Finding;
use rhizograph_core::trace::trace;
use rhizograph_core::weight::weigh;
use rhizograph_formats::hand_off::{Format, Packed};
use rhizograph_formats::palette::{self, PaletteFile};
use rhizograph_formats::svg::{Art, svg};
use rhizograph_formats::{Input, Reading, drawing_json, raster_out};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};
use std::time::Instant;

/// The last step that is done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, clap::ValueEnum)]
pub enum Until {
    Lift,
    Weight,
    Trace,
    Join,
    Paint,
}

/// What else is written of each picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum Write {
    /// Layers in OpenRaster.
    Ora,
    /// Layers as the pages of a TIFF.
    Tiff,
    /// Paint, and ink over paint.
    Png,
    /// All as vectors; given again it comes back as the same lines and paint.
    Svg,
    /// All but pixels.
    Json,
    /// The colours.
    Gpl,
}

/// What is done with each picture.
#[derive(Debug, Clone)]
pub struct Asked {
    pub recipes: Recipes,
    pub until: Until,
    pub write: Vec<Write>,
    /// Paint that is put on each.
    pub drops: Vec<Drop>,
    pub colours: ColourModel,
}

#[derive(Debug, thiserror::Error)]
pub enum Error {
    #[error("{path}: {reason}")]
    Read { path: PathBuf, reason: std::io::Error },
    #[error("{path}: {reason}")]
    File { path: PathBuf, reason: reader::Error },
    #[error("{path}: {reason}")]
    Format { path: PathBuf, reason: rhizograph_formats::Error },
    #[error("{path}: {beyond} regions are left out: {most} can be told apart in one picture")]
    Beyond { path: PathBuf, beyond: usize, most: usize },
    #[error("{path}: {reason}")]
    Core { path: PathBuf, reason: rhizograph_core::Error },
    #[error("{path}: could not be written: {reason}")]
    Write { path: PathBuf, reason: std::io::Error },
    #[error("{path}: {reason}")]
    Drops { path: PathBuf, reason: String },
    #[error("{0}: another input has the same name; its results would be overwritten")]
    SameName(PathBuf),
    #[error("{0}: the result would overwrite the picture itself; give another folder")]
    Itself(PathBuf),
}

struct Clock {
    steps: Vec<Value>,
    last: Instant,
}

impl Clock {
    fn step(&mut self, name: &str) {
        self.steps.push(json!({ "step": name, "ms": (self.last.elapsed().as_secs_f64() * 1e5).round() / 100.0 }));
        self.last = Instant::now();
    }
}

/// Settles everything that is sure, once: gaps closed, tails cut. Gives the sheet after it and the tails that went.
pub fn settle_sure(sheet: &Sheet, scene: &Scene) -> (Sheet, Vec<Tail>) {
    let mut after = sheet.clone();
    let with = sheet.recipes.join.close_with;
    let sure = |kind: Kind, end| scene.findings.at_end(end).is_some_and(|f| f.kind == kind && f.sure && !f.left);
    scene.gaps.iter().filter(|g| sure(Kind::Gap, (g.line, g.at_end))).for_each(|g| close(&mut after, g, with));
    let tails: Vec<&Tail> = scene.tails.iter().filter(|t| sure(Kind::Tail, (t.line, t.at_end))).collect();
    cut_all(&mut after, scene, &tails);
    (after, tails.into_iter().cloned().collect())
}

/// A picture that was brought as far as a step.
pub(super) struct Brought {
    pub sheet: Sheet,
    pub lifted: Ink,
    /// The swatches that its file brought.
    pub colours: ColourModel,
    results: Results,
    steps: Vec<Value>,
}

impl Brought {
    /// What is computed of it, once it was joined.
    pub fn scene(&self) -> Option<&Scene> {
        self.results.scene.as_ref()
    }

    /// What of its file is missing or was left out.
    pub fn notes(self) -> Vec<String> {
        self.results.notes
    }
}

/// Brings one picture as far as a step: by its file, the recipes, and everything sure settled.
pub(super) fn bring(path: &Path, recipes: &Recipes, until: Until) -> Result<Brought, Error> {
    let bytes = std::fs::read(path).map_err(|reason| Error::Read { path: path.to_owned(), reason })?;
    let core = |reason| Error::Core { path: path.to_owned(), reason };
    let layer = recipes.intake.layer.clone();
    let reading = reader::contents(&bytes, Reading { layer: layer.clone(), ..Reading::default() });
    let input = reading.map_err(|reason| Error::File { path: path.to_owned(), reason })?;
    drop(bytes);
    let mut recipes = recipes.clone();
    let notes;
    let mut colours = ColourModel::default();
    let mut clock = Clock { steps: Vec::new(), last: Instant::now() };
    let (mut sheet, mut lifted, vector) = match input {
        Input::Raster(raster) => {
            notes = raster.notes;
            let dpi = raster.dpi.unwrap_or(USUAL_DPI);
            let original = [raster.rgb.width, raster.rgb.height];
            // A recipe that says nothing of it leaves it to the picture, as the server does.
            if recipes.intake == (IntakeRecipe { layer: layer.clone(), ..IntakeRecipe::default() }) {
                recipes.intake = IntakeRecipe { layer: layer.clone(), ..by_itself(&raster.rgb, dpi, None) };
            }
            let rgb = lay_out(raster.rgb, &recipes.intake).map_err(core)?;
            let (ink, _) = lift::lift(&rgb, &recipes.lift, &ByHand::default(), dpi).map_err(core)?;
            (Sheet { original, ..Sheet::new(rgb.width, rgb.height, dpi) }, ink, false)
        }
        Input::Vector(v) => {
            let ink = Ink::plain(Plane::new(v.width, v.height, 0), recipes.lift.ink_colour);
            let (sheet, of_file, missing) = of_vector(v);
            colours = of_file;
            notes = missing;
            (sheet, ink, true)
        }
    };
    sheet.recipes = recipes.clone();
    clock.step("lift");
    if until >= Until::Weight && recipes.weight.amount != 0.0 && !vector {
        lifted.alpha = weigh(&lifted.alpha, &recipes.weight, recipes.lift.edge, None, sheet.dpi);
        clock.step("weight");
    }
    let mut results = Results { scene: None, before: None, cut: Vec::new(), notes };
    if until >= Until::Trace && !vector {
        sheet.lines = piled(trace(&lifted, &recipes.trace, sheet.dpi, 1));
        sheet.next_id = sheet.lines.len() as u64 + 1;
        sheet.traced = Some(Box::new(sheet.tracing()));
        clock.step("trace");
    }
    if until >= Until::Join {
        let scene = Scene::of(&sheet, &lifted);
        let (after, cut) = settle_sure(&sheet, &scene);
        sheet = after;
        results.before = Some(scene);
        results.cut = cut;
        clock.step("join");
        results.scene = Some(Scene::of(&sheet, &lifted));
        clock.step("regions");
    }
    Ok(Brought { sheet, lifted, colours, results, steps: clock.steps })
}

/// Prepares one picture: all results are written beside each other into `out`. Gives what of the file is missing.
fn prepare_one(path: &Path, out: &Path, asked: &Asked) -> Result<Vec<String>, Error> {
    let mut brought = bring(path, &asked.recipes, asked.until)?;
    paint(path, &mut brought, asked)?;
    let Brought { sheet, lifted, results, steps, .. } = &brought;
    write_all(path, out, sheet, lifted, results, steps, asked.until)?;
    if let Some(scene) = &results.scene {
        write_layers(path, out, &brought, scene, asked)?;
    }
    match brought.scene().map(|s| &s.regions).filter(|r| r.beyond() > 0) {
        Some(r) => Err(Error::Beyond { path: path.to_owned(), beyond: r.beyond(), most: r.len() }),
        None => Ok(brought.notes()),
    }
}

/// Puts the paint that is asked for on a picture. Errors: a drop that lies in no region.
fn paint(path: &Path, brought: &mut Brought, asked: &Asked) -> Result<(), Error> {
    brought.colours.take_over(&asked.colours);
    let Some(scene) = brought.results.scene.as_ref().filter(|_| !asked.drops.is_empty()) else { return Ok(()) };
    if let Some(d) = asked.drops.iter().find(|d| scene.regions.at(d.at).is_none()) {
        return Err(no_region(path, d));
    }
    let before = brought.sheet.clone();
    asked.drops.iter().for_each(|d| brought.sheet.drop_paint(d.clone()));
    let Brought { sheet, lifted, results, .. } = brought;
    if let Some(scene) = &mut results.scene {
        scene.advance(&before, sheet, lifted);
    }
    Ok(())
}

/// A drop lies in no region.
pub(super) fn no_region(path: &Path, drop: &Drop) -> Error {
    let reason = format!("no region lies at {}, {}", drop.at.x, drop.at.y);
    Error::Drops { path: path.to_owned(), reason }
}

/// Writes the layers of a picture as they are asked for.
fn write_layers(path: &Path, out: &Path, brought: &Brought, scene: &Scene, asked: &Asked) -> Result<(), Error> {
    let stem = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let Brought { sheet, lifted, colours, .. } = brought;
    let format = |reason| Error::Format { path: path.to_owned(), reason };
    let of = HandOff::of(&stem, sheet, lifted, scene, colours, Leaving::default());
    let of = of.map_err(|reason| Error::Core { path: path.to_owned(), reason })?;
    let put = |suffix: &str, bytes: &[u8]| {
        let to = out.join(format!("{stem}.{suffix}"));
        if to.canonicalize().ok().is_some_and(|t| path.canonicalize().ok() == Some(t)) {
            return Err(Error::Itself(to));
        }
        std::fs::write(&to, bytes).map_err(|reason| Error::Write { path: to, reason })
    };
    for write in &asked.write {
        let formats: &[(Format, &str)] = match write {
            Write::Ora => &[(Format::OpenRaster, "ora")],
            Write::Tiff => &[(Format::Tiff, "tiff")],
            Write::Png => &[(Format::PaintPng, "paint.png"), (Format::Flat, "flat.png")],
            Write::Svg => &[(Format::Svg, "svg")],
            Write::Json => &[(Format::Json, "json")],
            Write::Gpl => {
                let text = palette::write(PaletteFile::Gpl, colours, &stem).map_err(format)?;
                put("gpl", text.as_bytes())?;
                continue;
            }
        };
        for (kind, suffix) in formats {
            for made in kind.files(&of, Packed::default()).map_err(format)? {
                put(suffix, &made.bytes)?;
            }
        }
    }
    Ok(())
}

struct Results {
    before: Option<Scene>,
    scene: Option<Scene>,
    cut: Vec<Tail>,
    /// What of the file is missing or was left out.
    notes: Vec<String>,
}

fn write_all(
    path: &Path,
    out: &Path,
    sheet: &Sheet,
    lifted: &Ink,
    results: &Results,
    steps: &[Value],
    until: Until,
) -> Result<(), Error> {
    let stem = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let write = |suffix: &str, bytes: &[u8]| {
        let to = out.join(format!("{stem}.{suffix}"));
        std::fs::write(&to, bytes).map_err(|reason| Error::Write { path: to, reason })
    };
    let format = |reason| Error::Format { path: path.to_owned(), reason };
    let drawn;
    let ink = if let Some(s) = &results.scene {
        &s.ink
    } else {
        drawn = sheet.visible_ink(lifted);
        &drawn
    };
    let labels = results.scene.as_ref().map(|s| &s.regions.labels);
    let regions = || labels.map(|l| raster_out::labels_png(l, sheet.dpi)).transpose();
    let (ink_png, regions) = rayon::join(|| raster_out::ink_png(ink, sheet.dpi), regions);
    write("ink.png", &ink_png.map_err(format)?)?;
    if until >= Until::Trace {
        let colour = |_: &Line| ink.colour;
        let art = Art::of_lines([sheet.width, sheet.height], sheet.dpi, &sheet.lines, &colour);
        write("lines.svg", svg(&art).as_bytes())?;
        let json = drawing_json::lines_json(&sheet.lines, sheet.width, sheet.height, sheet.dpi);
        write("lines.json", json.map_err(format)?.as_bytes())?;
    }
    if let Some(png) = regions.map_err(format)? {
        write("regions.png", &png)?;
    }
    let report = report(sheet, results, steps);
    write("report.json", format!("{report:#}").as_bytes())
}

fn report(sheet: &Sheet, results: &Results, steps: &[Value]) -> Value {
    let mut gaps = Vec::new();
    let mut tails = Vec::new();
    let mut loose = Vec::new();
    let mut regions = Vec::new();
    let name = match sheet.recipes.join.close_with {
        CloseWith::Bridge => "bridge",
        CloseWith::Seam => "seam",
    };
    let round = |v: f64| (v * 100.0).round() / 100.0;
    if let Some(before) = &results.before {
        for g in before.gaps.iter() {
            gaps.push(json!({
                "from": g.from, "to": g.to, "length": round(g.length), "confidence": round(g.confidence),
                "closed_with": g.sure.then_some(name), "quiet": g.quiet,
            }));
        }
        for t in before.tails.iter() {
            let cut = results.cut.iter().any(|c| c.tip == t.tip);
            tails.push(json!({ "at": t.at, "length": round(t.length), "cut": cut, "quiet": t.quiet && !cut }));
        }
    }
    if let Some(scene) = &results.scene {
        // What is told as a gap or a tail already is not told again as a loose end.
        let is_told = |f: &Finding| {
            let before = results.before.as_ref().map(|b| &b.findings);
            matches!(f.kind, Kind::Gap | Kind::Tail) && before.is_some_and(|b| b.get(&f.id).is_some())
        };
        for e in scene.network.ends().filter(|e| e.loose) {
            let quiet = scene.findings.at_end(e.key()).is_none_or(|f| f.quiet || is_told(f));
            let line = sheet.lines[e.line].id;
            loose.push(json!({ "x": round(e.p.x), "y": round(e.p.y), "line": line, "quiet": quiet }));
        }
        for r in scene.regions.iter() {
            regions.push(json!({ "id": r.id, "area": r.area, "bbox": r.bbox }));
        }
    }
    json!({
        "size": [sheet.width, sheet.height], "dpi": sheet.dpi, "steps": steps,
        "loose_ends": loose, "gaps": gaps, "tails": tails, "regions": regions, "notes": results.notes,
        "intake": sheet.recipes.intake,
    })
}

/// About what one picture takes, bytes.
const MEMORY_OF_ONE: u64 = 1_200_000_000;

/// How many pictures are prepared at a time where nobody says: one a core, as far as memory allows.
fn usual_jobs() -> usize {
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    let fit = memory::free() / MEMORY_OF_ONE;
    cores.min(fit.max(1) as usize)
}

/// What of a picture's file is missing or was left out, or why it failed.
pub type Told = Result<Vec<String>, Error>;

/// Prepares all inputs, `jobs` at a time. Gives for each, in their order, what of its file is missing or was left out.
pub fn prepare(inputs: &[PathBuf], out: &Path, asked: &Asked, jobs: Option<usize>) -> Vec<Told> {
    if let Err(reason) = std::fs::create_dir_all(out) {
        let reason = reason.kind();
        return inputs.iter().map(|_| Err(Error::Write { path: out.to_owned(), reason: reason.into() })).collect();
    }
    let run = |i: usize, path: &PathBuf| {
        if inputs[..i].iter().any(|p| p.file_stem() == path.file_stem()) {
            return Err(Error::SameName(path.clone()));
        }
        prepare_one(path, out, asked)
    };
    let jobs = jobs.unwrap_or_else(usual_jobs).clamp(1, inputs.len().max(1));
    let results: Mutex<Vec<Option<Told>>> = Mutex::new(inputs.iter().map(|_| None).collect());
    let next = AtomicUsize::new(0);
    // Threads of their own take one picture after the other; within a picture all share the pool.
    std::thread::scope(|scope| {
        for _ in 0..jobs {
            scope.spawn(|| {
                loop {
                    let i = next.fetch_add(1, Ordering::Relaxed);
                    let Some(path) = inputs.get(i) else { break };
                    let result = run(i, path);
                    results.lock().unwrap_or_else(PoisonError::into_inner)[i] = Some(result);
                }
            });
        }
    });
    let results = results.into_inner().unwrap_or_else(PoisonError::into_inner);
    results.into_iter().flatten().collect()
}
