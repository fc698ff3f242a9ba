//! The bench: drawings being worked on, with what was computed from them kept at hand. Everything here can be computed
//! again from what is stored; nothing is lost when it goes.

use super::api::{DrawingView, GlanceRequest, LandingTold, LeakTold, Progress, SpanTold, StepTold, TraceTold};
use super::pictures;
use super::store::{self, Begun, NewDrawing, Step, Stored};
use super::view::{line_view, patch, polyline_path, spine_path, view};
use rhizograph_core::command::{Change, Command, SPAN_REACH, plan, seam_spine};
use rhizograph_core::finding::{Finding, Kind};
use rhizograph_core::geom::{Bounds, Pt, pt};
use rhizograph_core::ink::Ink;
use rhizograph_core::intake::{Layout, find_corners, find_pegs, lay_out};
use rhizograph_core::join::{Leak, Span, span_at};
use rhizograph_core::lift::{LiftFacts, Trade};
use rhizograph_core::line::{Form, Line};
use rhizograph_core::plane::{Plane, Rgb};
use rhizograph_core::recipe::{IntakeRecipe, Register, WeightRecipe};
use rhizograph_core::scene::{Scene, SceneEdited};
use rhizograph_core::sheet::Sheet;
use rhizograph_core::stages::{Inked, Inking, Stages, Window};
use rhizograph_formats::Input;
use sha2::{Digest, Sha256};
use sqlx::PgPool;
use std::borrow::Cow;
use std::collections::HashMap;
use std::fmt::Write as _;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::{Mutex, OwnedRwLockReadGuard, RwLock};

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

/// The lines of vector art as it came.
type Lines = Vec<Arc<Line>>;

/// How many drawings are kept at hand, and how many pixels their sheets may have in all.
const AT_HAND: usize = 6;
const PIXELS_AT_HAND: usize = 20_000_000;

/// A drawing with what was computed from it.
#[derive(Default)]
struct Held {
    stored: Option<Arc<Stored>>,
    /// The sheet as it is laid out, and by which recipe.
    source: Option<(IntakeRecipe, Arc<Plane<Rgb>>)>,
    /// The picture as it came, while it is laid out.
    raw: Option<Arc<Plane<Rgb>>>,
    vector: Option<Arc<Lines>>,
    stages: Arc<std::sync::Mutex<Stages>>,
    /// The ink that vector art lies over: none, in its colour.
    blank: Option<([u8; 3], Arc<Inked>)>,
    scene: Option<HeldScene>,
    used: u64,
}

/// What was computed from a drawing's state at a revision.
#[derive(Clone)]
struct HeldScene {
    revision: i64,
    /// Tells one numbering of regions from another, whichever server made it.
    numbering: u64,
    scene: Arc<RwLock<Scene>>,
}

/// What is looked at while a setting is changed.
pub struct Glance {
    pub alpha: Plane<u8>,
    /// With an exact one.
    pub facts: Option<LiftFacts>,
    pub trade: Option<Trade>,
    pub trace: Option<TraceTold>,
    /// The colour of each pixel, where it is kept as drawn.
    pub colours: Option<Plane<Rgb>>,
}

pub struct Bench {
    pub pool: PgPool,
    held: Mutex<HashMap<i64, Arc<Mutex<Held>>>>,
    clock: std::sync::atomic::AtomicU64,
}

/// A drawing with its computed scene, which is not changed while this is held.
pub struct Open {
    pub stored: Arc<Stored>,
    pub source: Arc<Plane<Rgb>>,
    pub lifted: Arc<Inked>,
    pub scene: OwnedRwLockReadGuard<Scene>,
    pub numbering: u64,
    pub vector: bool,
}

/// Numbers no other server or start gives; they survive JavaScript's numbers.
fn fresh_numbering() -> u64 {
    use std::hash::{BuildHasher, RandomState};
    RandomState::new().hash_one(std::time::SystemTime::now()) >> 12
}

async fn apart<T: Send + 'static>(f: impl FnOnce() -> T + Send + 'static) -> Result<T, Error> {
    tokio::task::spawn_blocking(f).await.map_err(|_| Error::BrokeOff)
}

/// Reads a file that comes in and makes a drawing of it. The name without its ending is the drawing's. `pegs`: where the
/// shot's sheets have the marks of their peg holes, if one has them already.
pub fn new_drawing(
    file_name: &str,
    bytes: &[u8],
    pegs: Option<[Pt; 2]>,
) -> Result<NewDrawing, rhizograph_formats::Error> {
    let input = rhizograph_formats::read(bytes)?;
    let dpi = crate::prepare::USUAL_DPI;
    let sheet = match input {
        Input::Raster(r) => {
            let mut sheet = Sheet::new(r.rgb.width, r.rgb.height, r.dpi.unwrap_or(dpi));
            sheet.dpi_assumed = r.dpi.is_none();
            let intake = laid_out_by_itself(&r.rgb, sheet.dpi, pegs);
            if let Ok(layout) = Layout::of(&intake, r.rgb.width, r.rgb.height) {
                (sheet.width, sheet.height) = (layout.width, layout.height);
                sheet.recipes.intake = intake;
            }
            sheet
        }
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

/// What can be told of a picture by itself: paper on a darker ground is squared up, peg holes register it.
fn laid_out_by_itself(rgb: &Plane<Rgb>, dpi: f64, pegs: Option<[Pt; 2]>) -> IntakeRecipe {
    let corners = find_corners(rgb).map(|c| c.map(Pt::snapped));
    let squared = IntakeRecipe { corners, ..IntakeRecipe::default() };
    let Ok(layout) = Layout::of(&squared, rgb.width, rgb.height) else {
        return IntakeRecipe::default();
    };
    let found = match corners {
        None => find_pegs(rgb, dpi),
        Some(_) => lay_out(rgb.clone(), &squared).ok().and_then(|square| find_pegs(&square, dpi)),
    };
    let Some(found) = found else {
        return squared;
    };
    // Holes are covered on the original: the box around where each one's corners are there.
    let on_original = |[x, y, w, h]: [f64; 4]| {
        let corners = [pt(x, y), pt(x + w, y), pt(x + w, y + h), pt(x, y + h)].map(|p| layout.to_original.map(p));
        let b = Bounds::of(&corners);
        [b.min.x.floor(), b.min.y.floor(), (b.max.x - b.min.x).ceil(), (b.max.y - b.min.y).ceil()]
    };
    let from = found.marks().map(Pt::snapped);
    let to = pegs.unwrap_or_else(|| level(from));
    IntakeRecipe {
        holes: found.boxes.map(on_original).to_vec(),
        register: Some(Register { from, to, pegs: true }),
        ..squared
    }
}

/// Two marks brought level (or upright) about their middle.
pub fn level(from: [Pt; 2]) -> [Pt; 2] {
    let (middle, half) = (from[0].lerp(from[1], 0.5), from[0].dist(from[1]) / 2.0);
    let d = from[1] - from[0];
    let along = if d.x.abs() > d.y.abs() { pt(half * d.x.signum(), 0.0) } else { pt(0.0, half * d.y.signum()) };
    [(middle - along).snapped(), (middle + along).snapped()]
}

impl Bench {
    pub fn new(pool: PgPool) -> Bench {
        Bench { pool, held: Mutex::default(), clock: std::sync::atomic::AtomicU64::new(0) }
    }

    async fn slot(&self, id: i64) -> Arc<Mutex<Held>> {
        let mut held = self.held.lock().await;
        let now = self.clock.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
        if !held.contains_key(&id) {
            // Those not used for longest go, if nobody is at them.
            let pixels = |h: &Held| h.source.as_ref().map_or(0, |s| s.1.data.len());
            let mut idle: Vec<(u64, i64, usize)> =
                held.iter().filter_map(|(k, h)| h.try_lock().ok().map(|h| (h.used, *k, pixels(&h)))).collect();
            idle.sort_unstable();
            let mut all: usize = idle.iter().map(|i| i.2).sum();
            for (_, k, n) in idle {
                if held.len() < AT_HAND && all < PIXELS_AT_HAND {
                    break;
                }
                held.remove(&k);
                all -= n;
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
        let revision = store::revision(&self.pool, id).await.map_err(missing)?;
        if held.stored.as_ref().is_none_or(|s| s.revision != revision) {
            held.stored = Some(Arc::new(store::load(&self.pool, id).await.map_err(missing)?));
        }
        let intake = held.stored.as_ref().map(|s| s.sheet.recipes.intake.clone()).unwrap_or_default();
        self.lay_out(held, id, &intake).await
    }

    /// Lays the original out by a recipe, if it is not laid out so already.
    async fn lay_out(&self, held: &mut Held, id: i64, intake: &IntakeRecipe) -> Result<(), Error> {
        if held.source.as_ref().is_some_and(|(i, _)| i == intake) {
            return Ok(());
        }
        let raw = self.raw(held, id).await?;
        let by = intake.clone();
        let source = Arc::new(apart(move || lay_out(Arc::unwrap_or_clone(raw), &by)).await??);
        if let Ok(mut stages) = held.stages.lock() {
            stages.forget();
        }
        held.source = Some((intake.clone(), source));
        Ok(())
    }

    /// The picture as it came.
    async fn raw(&self, held: &mut Held, id: i64) -> Result<Arc<Plane<Rgb>>, Error> {
        if let Some(raw) = &held.raw {
            return Ok(raw.clone());
        }
        let bytes = store::original(&self.pool, id).await?;
        let (raw, vector) = apart(move || read_source(&bytes)).await??;
        held.vector = vector.map(Arc::new);
        Ok(Arc::new(raw))
    }

    /// Lifts and weighs; an error of the lift itself (no ink, say) is a result like another.
    async fn ink(&self, held: &mut Held, inking: &Inking, dpi: f64) -> Result<Arc<Inked>, Error> {
        let source = held.source.as_ref().ok_or(Error::NoDrawing)?.1.clone();
        if held.vector.is_some() {
            // Vector art is all drawn by its lines: what is taken away of them is gone.
            let colour = inking.lift.ink_colour;
            if let Some((c, blank)) = &held.blank
                && *c == colour
            {
                return Ok(blank.clone());
            }
            let ink = Ink::plain(Plane::new(source.width, source.height, 0), colour);
            let blank = Arc::new(Ok((ink, LiftFacts::of_vector())));
            held.blank = Some((colour, blank.clone()));
            return Ok(blank);
        }
        let inking = inking.clone();
        with_stages(held, move |stages| Ok(stages.ink(&source, &inking, dpi))).await
    }

    async fn open_held(&self, held: &mut Held, id: i64) -> Result<Open, Error> {
        self.refresh(held, id).await?;
        self.open_as_held(held).await
    }

    /// The drawing as it is held, which may be behind what is stored.
    async fn open_as_held(&self, held: &mut Held) -> Result<Open, Error> {
        let stored = held.stored.clone().ok_or(Error::NoDrawing)?;
        let source = held.source.as_ref().ok_or(Error::NoDrawing)?.1.clone();
        let (inking, dpi) = stored.sheet.inking_of_lines();
        let lifted = self.ink(held, &inking, dpi).await?;
        let known = held.scene.clone().filter(|s| s.revision == stored.revision);
        let known = match known {
            Some(known) => known,
            None => {
                let (stored, lifted) = (stored.clone(), lifted.clone());
                let revision = stored.revision;
                let scene = apart(move || scene_of(&stored.sheet, &lifted)).await?;
                let scene = Arc::new(RwLock::new(scene));
                HeldScene { revision, numbering: fresh_numbering(), scene }
            }
        };
        held.scene = Some(known.clone());
        let scene = known.scene.read_owned().await;
        Ok(Open { stored, source, lifted, scene, numbering: known.numbering, vector: held.vector.is_some() })
    }

    /// What is shown of a drawing.
    pub async fn view(&self, id: i64) -> Result<DrawingView, Error> {
        let open = self.open(id).await?;
        let view = apart(move || view(&open)).await?;
        // Somebody is about to work on it.
        if let Some(known) = &self.slot(id).await.lock().await.scene {
            make_ready_soon(known.scene.clone());
        }
        Ok(view)
    }

    /// What a drawing looks like now, small: as it was kept, or made and kept.
    pub async fn thumbnail(&self, id: i64) -> Result<Vec<u8>, Error> {
        if let Some(kept) = store::thumbnail(&self.pool, id).await? {
            return Ok(kept);
        }
        let (revision, model, picture) = self.make_thumbnail(id).await?;
        // It can be made again at any time, and the drawing may be gone by now.
        if let Err(reason) = store::keep_thumbnail(&self.pool, id, revision, model, &picture).await {
            tracing::warn!("the thumbnail of drawing {id} was not kept: {reason}");
        }
        Ok(picture)
    }

    /// With the revisions of the drawing and of the colours it shows. A drawing that is not worked on does not take the
    /// place of one that is.
    async fn make_thumbnail(&self, id: i64) -> Result<(i64, i64, Vec<u8>), Error> {
        let slot = self.held.lock().await.get(&id).cloned().unwrap_or_default();
        let mut held = slot.lock().await;
        self.refresh(&mut held, id).await?;
        let stored = held.stored.clone().ok_or(Error::NoDrawing)?;
        let (swatches, model) = store::model_of(&self.pool, id).await?;
        if stored.sheet.traced.is_none() {
            let source = held.source.as_ref().ok_or(Error::NoDrawing)?.1.clone();
            let picture = apart(move || pictures::untouched_thumbnail(&source)).await??;
            return Ok((stored.revision, model, picture));
        }
        let open = self.open_held(&mut held, id).await?;
        drop(held);
        let revision = open.stored.revision;
        let picture = apart(move || pictures::thumbnail(&open, &swatches)).await??;
        Ok((revision, model, picture))
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
        Ok(held.source.as_ref().ok_or(Error::NoDrawing)?.1.clone())
    }

    /// The picture as it came, before it was laid out.
    pub async fn as_it_came(&self, id: i64) -> Result<Arc<Plane<Rgb>>, Error> {
        let slot = self.slot(id).await;
        let mut held = slot.lock().await;
        self.refresh(&mut held, id).await?;
        let raw = self.raw(&mut held, id).await?;
        held.raw = Some(raw.clone());
        Ok(raw)
    }

    /// The ink that settings would give, without changing anything: quick for a slider that is dragged, exact with all
    /// that is told of it when it was let go.
    pub async fn glance(&self, id: i64, request: GlanceRequest) -> Result<Glance, Error> {
        let GlanceRequest { inking, window, exact, caught, trace } = request;
        inking.check()?;
        let slot = self.slot(id).await;
        let mut held = slot.lock().await;
        self.refresh(&mut held, id).await?;
        // What was needed to lay the sheet out is not needed here.
        held.raw = None;
        let dpi = held.stored.as_ref().map_or(crate::prepare::USUAL_DPI, |s| s.sheet.dpi);
        let source = held.source.as_ref().ok_or(Error::NoDrawing)?.1.clone();
        if held.vector.is_some() {
            let ink = self.ink(&mut held, &inking, dpi).await?;
            let (ink, _) = (*ink).as_ref().map_err(Clone::clone)?;
            return Ok(Glance {
                alpha: pictures::smaller(&ink.alpha, window),
                facts: None,
                trade: None,
                trace: None,
                colours: None,
            });
        }
        if let Some(recipe) = trace {
            let kept = held.stored.as_ref().map(|s| s.sheet.kept()).unwrap_or_default();
            return with_stages(&held, move |stages| {
                let (alpha, lines) = stages.traced(&source, &inking, &recipe, &kept, (window, exact), dpi)?;
                let centrelines = lines.iter().filter(|l| matches!(l.form, Form::Centreline { .. })).count();
                let trace = TraceTold {
                    whole: exact,
                    centrelines,
                    outlines: lines.len() - centrelines,
                    lines: if window.level == 0 { lines.iter().map(line_view).collect() } else { vec![] },
                };
                Ok(Glance { alpha, facts: None, trade: None, trace: Some(trace), colours: None })
            })
            .await;
        }
        with_stages(&held, move |stages| {
            if caught {
                let alpha = stages.caught(&source, &inking.lift, window)?;
                return Ok(Glance { alpha, facts: None, trade: None, trace: None, colours: None });
            }
            let mut facts = None;
            if exact {
                let ink = stages.ink(&source, &inking, dpi);
                let (_, told) = (*ink).as_ref().map_err(Clone::clone)?;
                facts = Some(told.clone());
            }
            let alpha = stages.glance(&source, &inking, window, dpi)?;
            // What points cost and leave is told of the ink as it is lifted.
            let is_lifted = inking.weight.amount == 0.0;
            let trade = if is_lifted && (exact || stages.is_surveyed(&inking.lift)) {
                Some(stages.trade(&source, &inking.lift, dpi)?)
            } else {
                None
            };
            let colours = inking.lift.as_drawn.then(|| stages.colours(&source, &inking, window, dpi)).flatten();
            Ok(Glance { alpha, facts, trade, trace: None, colours })
        })
        .await
    }

    /// The same part of a drawing with several weights.
    pub async fn strip(
        &self,
        id: i64,
        inking: Inking,
        window: Window,
        weights: Vec<WeightRecipe>,
    ) -> Result<Vec<Plane<u8>>, Error> {
        let slot = self.slot(id).await;
        let mut held = slot.lock().await;
        self.refresh(&mut held, id).await?;
        let dpi = held.stored.as_ref().map_or(crate::prepare::USUAL_DPI, |s| s.sheet.dpi);
        let source = held.source.as_ref().ok_or(Error::NoDrawing)?.1.clone();
        with_stages(&held, move |stages| {
            // The lifted ink is the same for all of them.
            stages.lifted(&source, &inking, dpi);
            let one = |weight| stages.glance(&source, &Inking { weight, ..inking.clone() }, window, dpi);
            Ok(weights.into_iter().map(one).collect::<Result<_, _>>()?)
        })
        .await
    }

    /// By which way paint would run from a place.
    pub async fn leak(&self, id: i64, at: Pt) -> Result<LeakTold, Error> {
        let open = self.open(id).await?;
        apart(move || {
            let leak = open.scene.leak(at);
            let near = |l: &Leak| {
                let gaps = open.scene.findings.iter().filter(|f| f.kind == Kind::Gap);
                let off = |f: &&Finding| f.at.lerp(f.to.unwrap_or(f.at), 0.5).dist(l.at);
                gaps.min_by(|a, b| off(a).total_cmp(&off(b)))
                    .filter(|f| off(f) < l.width.max(8.0))
                    .map(|f| f.id.clone())
            };
            LeakTold { finding: leak.as_ref().and_then(near), leak }
        })
        .await
    }

    /// The span at a place.
    pub async fn span(&self, id: i64, at: Pt) -> Result<Option<SpanTold>, Error> {
        let open = self.open(id).await?;
        let span = span_at(&open.scene.network, at, SPAN_REACH);
        let points = |s: Span| s.path.iter().map(|f| f.p).collect::<Vec<_>>();
        Ok(span.map(|s| SpanTold { path: polyline_path(&points(s)) }))
    }

    /// Where a seam that is being drawn would land.
    pub async fn landing(&self, id: i64, path: Vec<Pt>) -> Result<LandingTold, Error> {
        if path.len() > 20_000 || path.iter().any(|p| !p.x.is_finite() || !p.y.is_finite()) {
            return Err(Error::Asked("a seam has up to 20000 points".into()));
        }
        let open = self.open(id).await?;
        let spine = seam_spine(&path, &open.scene)?;
        let [Some(&a), Some(&b)] = [spine.points.first(), spine.points.last()] else {
            return Err(Error::Asked("a seam needs two different points".into()));
        };
        let meets = [a, b].map(|p| open.scene.network.nearest(p, 1.5, |_| true).is_some());
        Ok(LandingTold { path: spine_path(&spine), ends: [a, b], meets })
    }

    /// Does a command on the revision it was made on. `numbering`: of the regions that are shown where it was made.
    pub async fn command(
        &self,
        id: i64,
        revision: i64,
        numbering: u64,
        command: Command,
    ) -> Result<(i64, StepTold), Error> {
        let slot = self.slot(id).await;
        let mut held = slot.lock().await;
        // A step on the revision that is held is planned on it at once: whether it still is the stored one is seen when the
        // step is written.
        let laid_out = held.source.as_ref().map(|s| &s.0);
        let is_as_asked = |s: &Arc<Stored>| s.revision == revision && laid_out == Some(&s.sheet.recipes.intake);
        let is_held = held.stored.as_ref().is_some_and(is_as_asked);
        let open = if is_held { self.open_as_held(&mut held).await? } else { self.open_held(&mut held, id).await? };
        if open.stored.revision != revision {
            return Err(Error::Conflict { revision: open.stored.revision });
        }
        let swatches: Vec<String> = match command {
            Command::Fill { .. } | Command::FillEmpties { .. } => {
                store::swatches(&self.pool, open.stored.shot).await?.into_iter().map(|s| s.id).collect()
            }
            _ => Vec::new(),
        };
        // Tracing takes the ink of the settings as they are now, or as they are about to be.
        let now = open.stored.sheet.inking();
        let inking = match &command {
            Command::Trace { .. } => Some(now),
            Command::Prepare { recipes } => {
                recipes.check()?;
                Some(Inking { lift: recipes.lift.clone(), weight: recipes.weight.clone(), ..now })
            }
            _ => None,
        };
        let lifted = match inking {
            Some(inking) => self.ink(&mut held, &inking, open.stored.sheet.dpi).await?,
            None => open.lifted.clone(),
        };
        let (open, change) = apart(move || {
            let sheet = &open.stored.sheet;
            let none = || Ink::plain(Plane::new(sheet.width, sheet.height, 0), [0; 3]);
            let change = match (&*lifted, &command) {
                (Err(e), Command::Trace { .. } | Command::Prepare { .. }) => Err(e.clone()),
                (Err(_), _) => plan(sheet, &command, &none(), &open.scene, &swatches),
                (Ok((ink, _)), _) => plan(sheet, &command, ink, &open.scene, &swatches),
            };
            (open, change)
        })
        .await?;
        // What was planned on a state that is stored no more would be seen when it is written: what is not, is seen here.
        if is_held && change.as_ref().map_or(true, |c| c.is_empty()) {
            let stored = store::revision(&self.pool, id).await.map_err(missing)?;
            if stored != revision {
                return Err(Error::Conflict { revision: stored });
            }
        }
        let change = change?;
        if change.is_empty() {
            let shot = open.stored.shot;
            return Ok((shot, StepTold::Whole(Box::new(apart(move || view(&open)).await?))));
        }
        let after = change.apply(&open.stored.sheet)?;
        drop(open);
        self.finish(&mut held, id, numbering, after, Step::Add(Box::new(change))).await
    }

    /// Lays a sheet so that two marks set on it lie where the shot's other sheets have theirs, else level.
    pub async fn register(&self, id: i64, revision: i64, marks: [Pt; 2]) -> Result<(i64, StepTold), Error> {
        let stored = store::load(&self.pool, id).await?;
        let recipe = &stored.sheet.recipes.intake;
        let [w, h] = stored.sheet.original;
        let layout = Layout::of(recipe, w, h)?;
        let from = marks.map(|p| layout.to_turned.map(p).snapped());
        let others = store::marks_of_shot(&self.pool, stored.shot, id).await?;
        let to = others.unwrap_or_else(|| level(from));
        let register = Some(Register { from, to, pegs: false });
        let intake = Box::new(IntakeRecipe { register, straighten: 0.0, ..recipe.clone() });
        self.command(id, revision, 0, Command::Intake { intake }).await
    }

    /// Undoes the last change, or does the last undone one again.
    pub async fn step(&self, id: i64, revision: i64, numbering: u64, redo: bool) -> Result<(i64, StepTold), Error> {
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
        let change = Box::new(change);
        self.finish(&mut held, id, numbering, after, if redo { Step::Redo(change) } else { Step::Undo(change) }).await
    }

    /// Brings the scene up to the new state, stores the step, and tells what changed against what is shown, or all.
    async fn finish(
        &self,
        held: &mut Held,
        id: i64,
        numbering: u64,
        after: Sheet,
        step: Step,
    ) -> Result<(i64, StepTold), Error> {
        let before = held.stored.clone().ok_or(Error::NoDrawing)?;
        let revision = before.revision;
        // A sheet that is laid out anew has other pixels.
        self.lay_out(held, id, &after.recipes.intake).await?;
        let (inking, dpi) = after.inking_of_lines();
        let lifted = self.ink(held, &inking, dpi).await?;
        let after = Arc::new(after);
        let known = held.scene.take().filter(|s| s.revision == revision);
        let computing = async {
            if let Some(known) = known {
                let mut scene = known.scene.clone().write_owned().await;
                let (before, after, lifted) = (before.clone(), after.clone(), lifted.clone());
                let advanced = apart(move || {
                    let edited = advance(&mut scene, &before.sheet, &after, &lifted);
                    (scene.downgrade(), edited)
                });
                let (scene, edited) = advanced.await?;
                return Ok((known, scene, edited));
            }
            let (after, lifted) = (after.clone(), lifted.clone());
            let scene = Arc::new(RwLock::new(apart(move || scene_of(&after, &lifted)).await?));
            let guard = scene.clone().read_owned().await;
            Ok::<_, Error>((HeldScene { revision, numbering: 0, scene }, guard, None))
        };
        let (computed, begun) = tokio::join!(computing, store::begin_step(&self.pool, id, revision, &after, &step));
        let (mut known, scene, edited) = computed?;
        let mut tx = match begun? {
            Begun::Conflict { revision } => return Err(Error::Conflict { revision }),
            Begun::Open(tx) => tx,
        };
        let steps = match &step {
            Step::Add(change) => before.steps.after(change),
            Step::Undo(_) | Step::Redo(_) => store::steps(&mut *tx, id).await?,
        };
        let stored = Arc::new(Stored {
            sheet: Arc::unwrap_or_clone(after),
            revision: revision + 1,
            steps,
            name: before.name.clone(),
            ..*before
        });
        known.revision = stored.revision;
        if edited.is_none() {
            known.numbering = fresh_numbering();
        }
        let source = held.source.as_ref().ok_or(Error::NoDrawing)?.1.clone();
        let vector = held.vector.is_some();
        let open = Open { stored: stored.clone(), source, lifted, scene, numbering: known.numbering, vector };
        let far = progress(&stored.sheet, &open.scene);
        let telling = apart(move || match edited {
            Some(edited) if numbering == open.numbering && open.stored.sheet.traced.is_some() => {
                StepTold::Patch(Box::new(patch(&open, &before.sheet, &edited)))
            }
            _ => StepTold::Whole(Box::new(view(&open))),
        });
        // What is told waits until it counts.
        let (closed, told) = tokio::join!(store::close_step(tx, id, far), telling);
        closed?;
        held.stored = Some(stored.clone());
        held.scene = Some(known.clone());
        make_ready_soon(known.scene);
        settle_when_quiet(self.pool.clone(), stored.clone());
        Ok((stored.shot, told?))
    }
}

/// Makes what the first edit needs while somebody looks at the drawing.
fn make_ready_soon(scene: Arc<RwLock<Scene>>) {
    tokio::spawn(async move {
        if scene.read().await.is_ready() {
            return Ok(());
        }
        let mut scene = scene.write_owned().await;
        tokio::task::spawn_blocking(move || scene.make_ready()).await
    });
}

/// After so long without a step nobody waits for the next one.
const QUIET: Duration = Duration::from_secs(15);
/// Longer than that no journal grows, however busy somebody is.
const LONGEST_JOURNAL: i64 = 8 * store::LONG_JOURNAL;

/// What the store says of a drawing that is not there.
fn missing(e: sqlx::Error) -> Error {
    if matches!(e, sqlx::Error::RowNotFound) { Error::NoDrawing } else { Error::Store(e) }
}

/// Settles a long journal when nothing was done for a while; if it fails, the journal goes on.
fn settle_when_quiet(pool: PgPool, stored: Arc<Stored>) {
    tokio::spawn(async move {
        let settling = async {
            if stored.revision % LONGEST_JOURNAL != 0 {
                tokio::time::sleep(QUIET).await;
                let is_quiet = store::revision(&pool, stored.id).await.ok() == Some(stored.revision);
                if !is_quiet || store::journal_length(&pool, stored.id).await? < store::LONG_JOURNAL {
                    return Ok(());
                }
            }
            store::settle_journal(&pool, stored.id, stored.revision, &stored.sheet).await
        };
        if let Err(e) = settling.await {
            tracing::warn!("a journal was not settled: {e}");
        }
    });
}

/// Does something with a drawing's kept steps, on a thread that may be busy.
async fn with_stages<T: Send + 'static>(
    held: &Held,
    f: impl FnOnce(&mut Stages) -> Result<T, Error> + Send + 'static,
) -> Result<T, Error> {
    let stages = held.stages.clone();
    apart(move || f(&mut *stages.lock().map_err(|_| Error::BrokeOff)?)).await?
}

fn read_source(bytes: &[u8]) -> Result<(Plane<Rgb>, Option<Lines>), Error> {
    Ok(match rhizograph_formats::read(bytes)? {
        Input::Raster(r) => (r.rgb, None),
        Input::Vector(v) => {
            let ink = Scene::ink_of_lines(&v.lines, v.width, v.height, [0; 3]);
            (ink.alpha.map(|&a| [255 - a; 3]), Some(v.lines))
        }
    })
}

/// The ink that was lifted, or none where lifting failed.
fn ink_or_none<'a>(sheet: &Sheet, lifted: &'a Inked) -> Cow<'a, Ink> {
    match lifted {
        Ok((ink, _)) => Cow::Borrowed(ink),
        Err(_) => Cow::Owned(Ink::plain(Plane::new(sheet.width, sheet.height, 0), [0; 3])),
    }
}

pub fn scene_of(sheet: &Sheet, lifted: &Inked) -> Scene {
    Scene::of(sheet, &ink_or_none(sheet, lifted))
}

fn advance(scene: &mut Scene, before: &Sheet, after: &Sheet, lifted: &Inked) -> Option<SceneEdited> {
    scene.advance(before, after, &ink_or_none(after, lifted))
}

/// How far a drawing is, counted from its scene.
pub fn progress(sheet: &Sheet, scene: &Scene) -> Progress {
    let open = |kinds: &[Kind]| kinds.iter().map(|k| scene.findings.open(*k)).sum();
    let lifted = sheet.traced.is_some();
    Progress {
        lifted,
        join_open: if lifted { open(&[Kind::Gap, Kind::Tail, Kind::Leak, Kind::LooseEnd, Kind::Sliver]) } else { 0 },
        paint_open: if lifted { open(&[Kind::Unpainted, Kind::TwoPaints]) } else { 0 },
        regions: scene.regions.len(),
        painted: scene.fills.iter().flatten().count(),
        settled: sheet.settled.len(),
    }
}
