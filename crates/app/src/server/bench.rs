//! The bench: drawings being worked on, with what was computed from them kept at hand. Everything here can be computed
//! again from what is stored; nothing is lost when it goes.

use super::api::{DrawingInfo, DrawingView, LineKind, LineView, Progress, RegionView, Window};
use super::store::{self, NewDrawing, Step, Stored, Written};
use rhizograph_core::command::{Change, Command, plan};
use rhizograph_core::finding::Kind;
use rhizograph_core::geom::Pt;
use rhizograph_core::ink::Ink;
use rhizograph_core::lift::{self, Coverage, LiftFacts};
use rhizograph_core::line::{Form, Line, Spine};
use rhizograph_core::paint::fills;
use rhizograph_core::plane::{Plane, Rgb};
use rhizograph_core::recipe::{LiftRecipe, Polarity};
use rhizograph_core::sheet::{Scene, Sheet};
use rhizograph_formats::Input;
use sha2::{Digest, Sha256};
use sqlx::PgPool;
use std::collections::HashMap;
use std::fmt::Write as _;
use std::sync::Arc;
use tokio::sync::Mutex;

#[derive(Debug, thiserror::Error)]
pub enum Error {
    #[error("the database did not answer as it should: {0}")]
    Store(#[from] sqlx::Error),
    #[error("{0}")]
    Format(#[from] rhizograph_formats::Error),
    #[error("{0}")]
    Core(#[from] rhizograph_core::Error),
    #[error("there is no such drawing")]
    NoDrawing,
    #[error("there is no such shot")]
    NoShot,
    #[error("the drawing was changed elsewhere in the meantime")]
    Conflict { revision: i64 },
    #[error("there is nothing to {0}")]
    NothingTo(&'static str),
    #[error("the computation broke off")]
    BrokeOff,
    #[error("{0}")]
    Asked(String),
}

/// How many drawings are kept at hand.
const AT_HAND: usize = 6;

type CoverKey = (Option<Vec<[u8; 3]>>, [u64; 3], Polarity);

fn cover_key(r: &LiftRecipe) -> CoverKey {
    (r.drop_out.clone(), [r.reach.to_bits(), r.softness.to_bits(), r.even_light.to_bits()], r.polarity)
}

type Lifted = Result<(Ink, LiftFacts), rhizograph_core::Error>;

/// A drawing with what was computed from it.
#[derive(Default)]
struct Held {
    stored: Option<Stored>,
    source: Option<Arc<Plane<Rgb>>>,
    vector: Option<Arc<Vec<Line>>>,
    coverage: Option<(CoverKey, Arc<Coverage>)>,
    lifted: Option<(LiftRecipe, Arc<Lifted>)>,
    scene: Option<(i64, Arc<Scene>)>,
    used: u64,
}

pub struct Bench {
    pub pool: PgPool,
    held: Mutex<HashMap<i64, Arc<Mutex<Held>>>>,
    clock: std::sync::atomic::AtomicU64,
}

/// A drawing with its computed scene.
pub struct Open {
    pub stored: Stored,
    pub source: Arc<Plane<Rgb>>,
    pub lifted: Arc<Lifted>,
    pub scene: Arc<Scene>,
    pub vector: bool,
}

async fn apart<T: Send + 'static>(f: impl FnOnce() -> T + Send + 'static) -> Result<T, Error> {
    tokio::task::spawn_blocking(f).await.map_err(|_| Error::BrokeOff)
}

/// Reads a file that comes in and makes a drawing of it. The name without its ending is the drawing's.
pub fn new_drawing(file_name: &str, bytes: &[u8]) -> Result<NewDrawing, rhizograph_formats::Error> {
    let input = rhizograph_formats::read(bytes)?;
    let dpi = crate::prepare::USUAL_DPI;
    let sheet = match input {
        Input::Raster(r) => Sheet::new(r.rgb.width, r.rgb.height, r.dpi.unwrap_or(dpi)),
        Input::Vector(v) => {
            let mut sheet = Sheet::new(v.width, v.height, dpi);
            sheet.next_id = v.lines.len() as u64 + 1;
            sheet.lines = v.lines;
            sheet.traced = Some(Box::new(sheet.tracing()));
            sheet
        }
    };
    let stem = std::path::Path::new(file_name)
        .file_stem()
        .map_or_else(|| "drawing".into(), |s| s.to_string_lossy().into_owned());
    let name: String = stem.chars().filter(|c| !c.is_control()).take(80).collect();
    let sha256 = Sha256::digest(bytes).iter().fold(String::new(), |mut s, b| {
        let _ = write!(s, "{b:02x}");
        s
    });
    Ok(NewDrawing { name, file_name: file_name.chars().filter(|c| !c.is_control()).take(200).collect(), sha256, sheet })
}

impl Bench {
    pub fn new(pool: PgPool) -> Bench {
        Bench { pool, held: Mutex::default(), clock: std::sync::atomic::AtomicU64::new(0) }
    }

    async fn slot(&self, id: i64) -> Arc<Mutex<Held>> {
        let mut held = self.held.lock().await;
        let now = self.clock.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
        if held.len() >= AT_HAND && !held.contains_key(&id) {
            // The one not used for longest goes, if nobody is at it.
            let idle = held.iter().filter_map(|(k, h)| h.try_lock().ok().map(|h| (h.used, *k))).min();
            if let Some((_, k)) = idle {
                held.remove(&k);
            }
        }
        let slot = held.entry(id).or_default().clone();
        if let Ok(mut h) = slot.try_lock() {
            h.used = now;
        }
        slot
    }

    /// Brings a drawing's stored state and source up to date.
    async fn refresh(&self, held: &mut Held, id: i64) -> Result<(), Error> {
        let missing = |e| {
            if matches!(e, sqlx::Error::RowNotFound) { Error::NoDrawing } else { Error::Store(e) }
        };
        let revision = store::revision(&self.pool, id).await.map_err(missing)?;
        if held.stored.as_ref().is_none_or(|s| s.revision != revision) {
            held.stored = Some(store::load(&self.pool, id).await.map_err(missing)?);
        }
        if held.source.is_none() {
            let bytes = store::original(&self.pool, id).await?;
            let (source, vector) = apart(move || read_source(&bytes)).await??;
            held.source = Some(Arc::new(source));
            held.vector = vector.map(Arc::new);
        }
        Ok(())
    }

    async fn coverage(&self, held: &mut Held, recipe: &LiftRecipe) -> Result<Arc<Coverage>, Error> {
        let key = cover_key(recipe);
        if let Some((k, c)) = &held.coverage
            && *k == key
        {
            return Ok(c.clone());
        }
        let (source, recipe) = (held.source.clone().ok_or(Error::NoDrawing)?, recipe.clone());
        let coverage = Arc::new(apart(move || lift::cover(&source, &recipe)).await??);
        held.coverage = Some((key, coverage.clone()));
        Ok(coverage)
    }

    /// Lifts with a recipe; an error of the lift itself (no ink, say) is a result like another.
    async fn lift(&self, held: &mut Held, recipe: &LiftRecipe, dpi: f64) -> Result<Arc<Lifted>, Error> {
        if let Some((r, l)) = &held.lifted
            && r == recipe
        {
            return Ok(l.clone());
        }
        let lifted = match &held.vector {
            Some(lines) => {
                let (lines, colour) = (lines.clone(), recipe.ink_colour);
                let size = held.source.as_ref().map(|s| (s.width, s.height)).ok_or(Error::NoDrawing)?;
                let ink = apart(move || Scene::ink_of_lines(&lines, size.0, size.1, colour)).await?;
                Ok((ink, LiftFacts::of_vector()))
            }
            None => match self.coverage(held, recipe).await {
                Err(Error::Core(e)) => Err(e),
                Err(e) => return Err(e),
                Ok(coverage) => {
                    let recipe = recipe.clone();
                    apart(move || lift::develop(&coverage, &recipe, dpi)).await?
                }
            },
        };
        let lifted = Arc::new(lifted);
        held.lifted = Some((recipe.clone(), lifted.clone()));
        Ok(lifted)
    }

    async fn open_held(&self, held: &mut Held, id: i64) -> Result<Open, Error> {
        self.refresh(held, id).await?;
        let stored = held.stored.clone().ok_or(Error::NoDrawing)?;
        let source = held.source.clone().ok_or(Error::NoDrawing)?;
        // Lines lie over the ink they were traced from, whatever the lift's settings are by now.
        let recipe = stored.sheet.traced.as_ref().map_or_else(|| stored.sheet.recipes.lift.clone(), |t| t.lift.clone());
        let lifted = self.lift(held, &recipe, stored.sheet.dpi).await?;
        let scene = match &held.scene {
            Some((revision, scene)) if *revision == stored.revision => scene.clone(),
            _ => {
                let (sheet, lifted) = (stored.sheet.clone(), lifted.clone());
                Arc::new(apart(move || scene_of(&sheet, &lifted)).await?)
            }
        };
        held.scene = Some((stored.revision, scene.clone()));
        Ok(Open { stored, source, lifted, scene, vector: held.vector.is_some() })
    }

    /// A drawing with everything computed.
    pub async fn open(&self, id: i64) -> Result<Open, Error> {
        let slot = self.slot(id).await;
        let mut held = slot.lock().await;
        self.open_held(&mut held, id).await
    }

    /// Only the original's pixels.
    pub async fn source(&self, id: i64) -> Result<Arc<Plane<Rgb>>, Error> {
        let slot = self.slot(id).await;
        let mut held = slot.lock().await;
        self.refresh(&mut held, id).await?;
        held.source.clone().ok_or(Error::NoDrawing)
    }

    /// The ink that a recipe would lift, without changing anything.
    pub async fn preview(&self, id: i64, recipe: &LiftRecipe) -> Result<Arc<Lifted>, Error> {
        recipe.check()?;
        let slot = self.slot(id).await;
        let mut held = slot.lock().await;
        self.refresh(&mut held, id).await?;
        let dpi = held.stored.as_ref().map_or(crate::prepare::USUAL_DPI, |s| s.sheet.dpi);
        self.lift(&mut held, recipe, dpi).await
    }

    /// Does a command on the revision it was made on.
    pub async fn command(&self, id: i64, revision: i64, command: Command) -> Result<Open, Error> {
        let slot = self.slot(id).await;
        let mut held = slot.lock().await;
        let open = self.open_held(&mut held, id).await?;
        if open.stored.revision != revision {
            return Err(Error::Conflict { revision: open.stored.revision });
        }
        let swatches: Vec<String> =
            store::swatches(&self.pool, open.stored.shot).await?.into_iter().map(|s| s.id).collect();
        // Tracing takes the ink of the settings as they are now.
        let lifted = if command == Command::Trace {
            self.lift(&mut held, &open.stored.sheet.recipes.lift, open.stored.sheet.dpi).await?
        } else {
            open.lifted.clone()
        };
        let (sheet, scene) = (open.stored.sheet.clone(), open.scene.clone());
        let change = apart(move || {
            let none = Ink { alpha: Plane::new(sheet.width, sheet.height, 0), colour: [0; 3] };
            match (&*lifted, &command) {
                (Err(e), Command::Trace) => Err(e.clone()),
                (Err(_), _) => plan(&sheet, &command, &none, &scene, &swatches),
                (Ok((ink, _)), _) => plan(&sheet, &command, ink, &scene, &swatches),
            }
        })
        .await??;
        if change.is_empty() {
            return Ok(open);
        }
        let after = change.apply(&open.stored.sheet)?;
        self.finish(&mut held, id, revision, after, Step::Add(Box::new(change))).await
    }

    /// Undoes the last change, or does the last undone one again.
    pub async fn step(&self, id: i64, revision: i64, redo: bool) -> Result<Open, Error> {
        let slot = self.slot(id).await;
        let mut held = slot.lock().await;
        self.refresh(&mut held, id).await?;
        let stored = held.stored.clone().ok_or(Error::NoDrawing)?;
        if stored.revision != revision {
            return Err(Error::Conflict { revision: stored.revision });
        }
        let what = if redo { "do again" } else { "undo" };
        let change: Change = store::pending(&self.pool, id, redo).await?.ok_or(Error::NothingTo(what))?;
        let after = if redo { change.apply(&stored.sheet)? } else { change.undo(&stored.sheet)? };
        self.finish(&mut held, id, revision, after, if redo { Step::Redo } else { Step::Undo }).await
    }

    /// Computes the scene of the new state, stores it with the step, and gives the drawing as it stands then.
    async fn finish(&self, held: &mut Held, id: i64, revision: i64, after: Sheet, step: Step) -> Result<Open, Error> {
        let recipe = after.traced.as_ref().map_or_else(|| after.recipes.lift.clone(), |t| t.lift.clone());
        let lifted = self.lift(held, &recipe, after.dpi).await?;
        let (sheet, ink) = (after.clone(), lifted.clone());
        let scene = Arc::new(apart(move || scene_of(&sheet, &ink)).await?);
        let progress = progress(&after, &scene);
        match store::write(&self.pool, id, revision, &after, progress, &step).await? {
            Written::Conflict { revision } => Err(Error::Conflict { revision }),
            Written::Done { revision } => {
                held.scene = Some((revision, scene));
                self.open_held(held, id).await
            }
        }
    }
}

fn read_source(bytes: &[u8]) -> Result<(Plane<Rgb>, Option<Vec<Line>>), Error> {
    Ok(match rhizograph_formats::read(bytes)? {
        Input::Raster(r) => (r.rgb, None),
        Input::Vector(v) => {
            let ink = Scene::ink_of_lines(&v.lines, v.width, v.height, [0; 3]);
            (ink.alpha.map(|&a| [255 - a; 3]), Some(v.lines))
        }
    })
}

fn scene_of(sheet: &Sheet, lifted: &Lifted) -> Scene {
    match lifted {
        Ok((ink, _)) => Scene::of(sheet, ink),
        Err(_) => Scene::of(sheet, &Ink { alpha: Plane::new(sheet.width, sheet.height, 0), colour: [0; 3] }),
    }
}

/// How far a drawing is, counted from its scene.
pub fn progress(sheet: &Sheet, scene: &Scene) -> Progress {
    let at_paint = |k: Kind| matches!(k, Kind::Unpainted | Kind::TwoPaints);
    let open = |paint: bool| scene.findings.iter().filter(|f| !f.left && at_paint(f.kind) == paint).count();
    let lifted = sheet.traced.is_some();
    Progress {
        lifted,
        join_open: if lifted { open(false) } else { 0 },
        paint_open: if lifted { open(true) } else { 0 },
        regions: scene.regions.list.len(),
        painted: fills(&scene.regions, &sheet.drops).iter().flatten().count(),
        settled: sheet.settled.len(),
    }
}

fn number(out: &mut String, v: f64) {
    let _ = write!(out, "{}", (v * 10.0).round() / 10.0);
}

fn spine_path(spine: &Spine) -> String {
    let mut d = String::new();
    let mut put = |cmd: &str, p: Pt| {
        d.push_str(cmd);
        number(&mut d, p.x);
        d.push(' ');
        number(&mut d, p.y);
    };
    for (i, &p) in spine.points.iter().enumerate() {
        put(
            if i == 0 {
                "M"
            } else if i % 3 == 1 {
                "C"
            } else {
                " "
            },
            p,
        );
    }
    if spine.closed {
        d.push('Z');
    }
    d
}

fn rings_path(rings: &[Vec<Pt>]) -> String {
    let mut d = String::new();
    for ring in rings {
        for (i, p) in ring.iter().enumerate() {
            d.push(if i == 0 { 'M' } else { 'L' });
            number(&mut d, p.x);
            d.push(' ');
            number(&mut d, p.y);
        }
        d.push('Z');
    }
    d
}

fn line_view(line: &Line) -> LineView {
    let (kind, path) = match &line.form {
        Form::Centreline { spine, .. } => (LineKind::Centreline, spine_path(spine)),
        Form::Seam { spine } => (LineKind::Seam, spine_path(spine)),
        Form::Outline { contours } => (LineKind::Outline, contours.iter().map(spine_path).collect()),
    };
    LineView { id: line.id, kind, made: line.made, path }
}

/// What the front end shows of a drawing.
pub fn view(open: &Open) -> DrawingView {
    let s = &open.stored;
    let progress = progress(&s.sheet, &open.scene);
    let fills = fills(&open.scene.regions, &s.sheet.drops);
    let traced = s.sheet.traced.is_some();
    let (lift, trouble) = match &*open.lifted {
        Ok((_, facts)) => (Some(facts.clone()), None),
        Err(e) => (None, Some(e.to_string())),
    };
    DrawingView {
        info: DrawingInfo {
            id: s.id,
            name: s.name.clone(),
            revision: s.revision,
            progress,
            handed_off: s.handed_off == Some(s.revision),
            ready: store::is_ready(&progress),
        },
        shot: s.shot,
        width: s.sheet.width,
        height: s.sheet.height,
        dpi: s.sheet.dpi,
        recipes: s.sheet.recipes.clone(),
        lift: if open.vector { None } else { lift },
        trouble,
        traced,
        stale: traced && !open.vector && !s.sheet.lines_are_current(),
        handmade: s.sheet.handmade(),
        lines: s.sheet.lines.iter().map(line_view).collect(),
        regions: open
            .scene
            .regions
            .list
            .iter()
            .zip(fills)
            .map(|(r, fill)| RegionView {
                id: r.id,
                area: r.area,
                seed: r.seed,
                path: rings_path(&r.rings),
                swatch: fill.map(str::to_owned),
            })
            .collect(),
        findings: if traced { open.scene.findings.clone() } else { Vec::new() },
        undo: s.undo.clone(),
        redo: s.redo.clone(),
        steps: s.steps,
    }
}

/// A window drawn in: kept on the picture and to a size that can be sent.
pub fn clipped(w: Window, width: usize, height: usize) -> Window {
    let level = w.level.min(8);
    let (x, y) = (w.x.min(width), w.y.min(height));
    Window { x, y, width: w.width.min(width - x), height: w.height.min(height - y), level }
}
