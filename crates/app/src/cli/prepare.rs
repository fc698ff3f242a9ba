//! `rhizograph prepare`: from pictures to ink, lines, regions and a report, without a server or a database.

use crate::intake::USUAL_DPI;
use crate::reader;
use rayon::prelude::*;
use rhizograph_core::edit::{close, cut_all};
use rhizograph_core::intake::{by_itself, lay_out};
use rhizograph_core::join::Tail;
use rhizograph_core::lift;
use rhizograph_core::model::by_hand::ByHand;
use rhizograph_core::model::line::piled;
use rhizograph_core::model::recipe::{CloseWith, IntakeRecipe, Recipes};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_core::scene::findings::Finding;
use rhizograph_core::trace::trace;
use rhizograph_core::weight::weigh;
use rhizograph_formats::{Input, Reading, drawing_json, raster_out, svg_out};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
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
    let reading = reader::contents(&bytes, Reading::default());
    let input = reading.map_err(|reason| Error::File { path: path.to_owned(), reason })?;
    drop(bytes);
    let mut recipes = recipes.clone();
    let mut notes = Vec::new();
    let mut clock = Clock { steps: Vec::new(), last: Instant::now() };
    let (mut sheet, mut lifted, vector) = match input {
        Input::Raster(raster) => {
            notes = raster.notes;
            let dpi = raster.dpi.unwrap_or(USUAL_DPI);
            let original = [raster.rgb.width, raster.rgb.height];
            // A recipe that says nothing of it leaves it to the picture, as the server does.
            if recipes.intake == IntakeRecipe::default() {
                recipes.intake = by_itself(&raster.rgb, dpi, None);
            }
            let rgb = lay_out(raster.rgb, &recipes.intake).map_err(core)?;
            let (ink, _) = lift::lift(&rgb, &recipes.lift, &ByHand::default(), dpi).map_err(core)?;
            (Sheet { original, ..Sheet::new(rgb.width, rgb.height, dpi) }, ink, false)
        }
        Input::Vector(v) => {
            let ink = Ink::plain(Plane::new(v.width, v.height, 0), recipes.lift.ink_colour);
            let mut sheet = Sheet::new(v.width, v.height, USUAL_DPI);
            sheet.next_id = v.lines.len() as u64 + 1;
            sheet.lines = v.lines;
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
    Ok(Brought { sheet, lifted, results, steps: clock.steps })
}

/// Prepares one picture: all results are written beside each other into `out`. Gives what of the file is missing.
fn prepare_one(path: &Path, out: &Path, recipes: &Recipes, until: Until) -> Result<Vec<String>, Error> {
    let brought = bring(path, recipes, until)?;
    let Brought { sheet, lifted, results, steps } = &brought;
    write_all(path, out, sheet, lifted, results, steps, until)?;
    match brought.scene().map(|s| &s.regions).filter(|r| r.beyond() > 0) {
        Some(r) => Err(Error::Beyond { path: path.to_owned(), beyond: r.beyond(), most: r.len() }),
        None => Ok(brought.notes()),
    }
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
    write("ink.png", &raster_out::ink_png(ink, sheet.dpi).map_err(format)?)?;
    if until >= Until::Trace {
        let svg = svg_out::drawing_svg(&sheet.lines, &[], &|_| ink.colour, sheet.width, sheet.height, sheet.dpi);
        write("lines.svg", svg.as_bytes())?;
        let json = drawing_json::lines_json(&sheet.lines, sheet.width, sheet.height, sheet.dpi);
        write("lines.json", json.map_err(format)?.as_bytes())?;
    }
    if let Some(scene) = &results.scene {
        write("regions.png", &raster_out::labels_png(&scene.regions.labels, sheet.dpi).map_err(format)?)?;
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

/// Prepares all inputs, `jobs` at a time. Gives for each, in their order, what of its file is missing or was left out.
pub fn prepare(
    inputs: &[PathBuf],
    out: &Path,
    recipes: &Recipes,
    until: Until,
    jobs: Option<usize>,
) -> Vec<Result<Vec<String>, Error>> {
    if let Err(reason) = std::fs::create_dir_all(out) {
        let reason = reason.kind();
        return inputs.iter().map(|_| Err(Error::Write { path: out.to_owned(), reason: reason.into() })).collect();
    }
    let run = |i: usize, path: &PathBuf| {
        if inputs[..i].iter().any(|p| p.file_stem() == path.file_stem()) {
            return Err(Error::SameName(path.clone()));
        }
        prepare_one(path, out, recipes, until)
    };
    match jobs {
        Some(n) if n > 1 => {
            inputs.par_iter().enumerate().with_max_len(inputs.len().div_ceil(n)).map(|(i, p)| run(i, p)).collect()
        }
        _ => inputs.iter().enumerate().map(|(i, p)| run(i, p)).collect(),
    }
}
