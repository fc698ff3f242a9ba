//! The bench: drawings being worked on, with what was computed from them kept at hand. Everything here can be computed
//! again from what is stored; nothing is lost when it goes.
//!
//! Whoever waits for a scene holds no place for heavy work, and whoever holds a place waits for nothing else: so nobody
//! waits in a circle.

pub mod access;
mod ahead;
pub mod carry;
pub mod demo;
pub mod error;
pub mod events;
pub mod hand_off;
pub mod held;
pub mod inks;
pub mod latest;
pub mod open;
pub mod pictures;
pub mod places;
pub mod report;
mod rescan;
pub mod steps;
mod stills;
mod tried;
pub mod view;

pub use places::Turn;

use crate::api::{
    AlikeTold, DecidedTold, DrawingView, GlanceRequest, LandingTold, LeakTold, LikeDecision, SpanTold, TraceTold,
};
use crate::reader;
use crate::service::ahead::Ahead;
use crate::service::held::{AtHand, Lifted, SceneAt, Slot};
use crate::service::inks::Origin;
use crate::service::places::Places;
use crate::service::view::{SEEN, line_view, view};
use crate::store::{self, Still, Stored};
use error::Error;
use open::{Open, SceneHeld, advance, ink_or_none, known_open};
use rhizograph_core::edit::{SPAN_REACH, seam_spine};
use rhizograph_core::geom::Pt;
use rhizograph_core::intake::lay_out;
use rhizograph_core::join::{Leak, Span, span_at};
use rhizograph_core::lift::{LiftFacts, Trade};
use rhizograph_core::model::inking::Inking;
use rhizograph_core::model::line::Form;
use rhizograph_core::model::recipe::{FileLayer, IntakeRecipe, WeightRecipe};
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::preview::{Inked, Stages};
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::{Plane, Rgb};
use rhizograph_core::raster::window::Window;
use rhizograph_core::scene::Scene;
use rhizograph_core::scene::alike::alike;
use rhizograph_core::scene::findings::Finding;
use rhizograph_core::shot::surroundings::{Decided, decided_in, like_decisions};
use rhizograph_formats::{Input, Reading};
use sqlx::PgPool;
use std::sync::Arc;
use tokio::sync::{RwLock, Semaphore};

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
    at_hand: AtHand,
    places: Places,
    /// Drawings that are opened at a time: each takes its scan along until its ink is there.
    openings: Semaphore,
    ahead: Ahead,
}

/// How many are for each core.
const OPENINGS: usize = 1;

/// Numbers no other server or start gives; they survive JavaScript's numbers.
fn fresh_numbering() -> u64 {
    use std::hash::{BuildHasher, RandomState};
    RandomState::new().hash_one(std::time::SystemTime::now()) >> 12
}

async fn apart<T: Send + 'static>(f: impl FnOnce() -> T + Send + 'static) -> Result<T, Error> {
    tokio::task::spawn_blocking(f).await.map_err(|_| Error::BrokeOff)
}

impl Bench {
    pub fn new(pool: PgPool) -> Bench {
        let cores = std::thread::available_parallelism().map_or(2, usize::from);
        let (places, openings) = (Places::new(cores.max(2)), Semaphore::new(OPENINGS * cores));
        Bench { pool, at_hand: AtHand::default(), places, openings, ahead: Ahead::new() }
    }

    /// Does something heavy for a drawing, once there is a place for it.
    pub async fn heavy<T: Send + 'static>(
        &self,
        drawing: i64,
        turn: Turn,
        f: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, Error> {
        if let Some(threads) = ahead::threads() {
            return apart(move || threads.install(f)).await;
        }
        let place = self.places.take(drawing, turn).await.ok_or(Error::Overtaken)?;
        apart(move || {
            let _place = place;
            f()
        })
        .await
    }

    /// A drawing was taken out: nothing more is computed of it.
    pub fn forget(&self, drawing: i64) {
        self.at_hand.remove(drawing);
    }

    /// The database was put back to another time: nothing that was computed counts any more.
    pub fn forget_all(&self) {
        self.at_hand.clear();
    }

    /// A drawing's stored state, brought up to date.
    async fn stored(&self, slot: &Slot, id: i64) -> Result<Arc<Stored>, Error> {
        let stamp = store::stamp(&self.pool, id).await.map_err(Error::of_drawing)?;
        if let Some(stored) = &mut slot.known().stored
            && stored.revision == stamp.revision
        {
            // What it is called, what goes out and how long it is held is no step.
            if (stored.handed_off, stored.hold, &stored.name) != (stamp.handed_off, stamp.hold, &stamp.name) {
                let known = Arc::make_mut(stored);
                (known.handed_off, known.hold, known.name) = (stamp.handed_off, stamp.hold, stamp.name);
            }
            return Ok(stored.clone());
        }
        let loaded = Arc::new(store::load(&self.pool, id).await.map_err(Error::of_drawing)?);
        let mut known = slot.known();
        // A step may have been done meanwhile.
        match &known.stored {
            Some(stored) if stored.revision > loaded.revision => Ok(stored.clone()),
            _ => {
                known.stored = Some(loaded.clone());
                Ok(loaded)
            }
        }
    }

    /// The sheet laid out by a recipe; kept, if it `stays`.
    async fn laid_out(
        &self,
        slot: &Slot,
        id: i64,
        intake: &IntakeRecipe,
        stays: bool,
    ) -> Result<Arc<Plane<Rgb>>, Error> {
        let known = |slot: &Slot| slot.known().source.as_ref().filter(|s| s.0 == *intake).map(|s| s.1.clone());
        if let Some(source) = known(slot) {
            return Ok(source);
        }
        let _one = slot.laying_out.lock().await;
        if let Some(source) = known(slot) {
            return Ok(source);
        }
        let source = self.laid_out_anew(slot, id, intake).await?;
        if stays {
            slot.known().source = Some((intake.clone(), source.clone()));
        }
        Ok(source)
    }

    async fn laid_out_anew(&self, slot: &Slot, id: i64, intake: &IntakeRecipe) -> Result<Arc<Plane<Rgb>>, Error> {
        let raw = self.raw(slot, id, intake.layer.as_ref()).await?;
        let by = intake.clone();
        Ok(Arc::new(self.heavy(id, Turn::Look, move || lay_out(Arc::unwrap_or_clone(raw), &by)).await??))
    }

    /// The picture as it came, or a layer of it.
    async fn raw(&self, slot: &Slot, id: i64, layer: Option<&FileLayer>) -> Result<Arc<Plane<Rgb>>, Error> {
        if let Some((_, raw)) = slot.known().raw.as_ref().filter(|r| r.0.as_ref() == layer) {
            return Ok(raw.clone());
        }
        let (bytes, how) = store::original(&self.pool, id).await.map_err(Error::of_drawing)?;
        let how = Reading { layer: layer.cloned(), ..how };
        // The reader has places of its own: what waits there takes none here.
        Ok(Arc::new(apart(move || read_source(&bytes, how)).await??))
    }

    /// Whether a drawing came as lines.
    async fn is_vector(&self, slot: &Slot, id: i64) -> Result<bool, Error> {
        let known = slot.known().is_vector;
        if let Some(is) = known {
            return Ok(is);
        }
        let mut is = store::may_be_vector(&self.pool, id).await.map_err(Error::of_drawing)?;
        if is {
            let (bytes, _) = store::original(&self.pool, id).await.map_err(Error::of_drawing)?;
            is = apart(move || rhizograph_formats::is_vector(&bytes)).await?;
        }
        slot.known().is_vector = Some(is);
        Ok(is)
    }

    /// Lifts and weighs; an error of the lift itself (no ink, say) is a result like another. `source`: the sheet, where
    /// it is laid out otherwise than it is stored.
    async fn ink(
        &self,
        slot: &Arc<Slot>,
        stored: &Stored,
        (intake, inking, dpi): (&IntakeRecipe, &Inking, f64),
        source: Option<Arc<Plane<Rgb>>>,
    ) -> Result<Arc<Inked>, Error> {
        let is_same = |l: &&Lifted| l.intake == *intake && l.inking == *inking && l.dpi == dpi;
        if let Some(lifted) = slot.known().lifted.as_ref().filter(is_same) {
            return Ok(lifted.inked.clone());
        }
        if self.is_vector(slot, stored.id).await? {
            // Vector art is all drawn by its lines: what is taken away of them is gone.
            let [width, height] = match slot.known().source.as_ref().filter(|s| s.0 == *intake) {
                Some((_, s)) => [s.width, s.height],
                None => size_laid_out(stored, intake)?,
            };
            let ink = Ink::plain(Plane::new(width, height, 0), inking.lift.ink_colour);
            return Ok(Arc::new(Ok((ink, LiftFacts::of_vector()))));
        }
        let source = match source {
            Some(source) => source,
            None => {
                let is_at_hand = slot.known().source.as_ref().is_some_and(|s| s.0 == *intake);
                if !is_at_hand
                    && let Some(kept) = inks::kept(&self.pool, stored.id, Origin::of(intake, inking, dpi)).await?
                {
                    return Ok(Arc::new(kept));
                }
                self.laid_out(slot, stored.id, intake, true).await?
            }
        };
        let inking = inking.clone();
        self.with_stages(
            slot,
            stored.id,
            Turn::Step,
            source,
            move |stages, source| Ok(stages.ink(source, &inking, dpi)),
        )
        .await
    }

    /// Does something with a drawing's kept steps of the lift.
    async fn with_stages<T: Send + 'static>(
        &self,
        slot: &Arc<Slot>,
        id: i64,
        turn: Turn,
        source: Arc<Plane<Rgb>>,
        f: impl FnOnce(&mut Stages, &Plane<Rgb>) -> Result<T, Error> + Send + 'static,
    ) -> Result<T, Error> {
        let slot = slot.clone();
        self.heavy(id, turn, move || f(slot.lifting().of(&source), &source)).await?
    }

    /// A drawing with everything computed.
    pub async fn open(&self, id: i64) -> Result<Open, Error> {
        let slot = self.at_hand.slot(id);
        self.open_slot(&slot, id).await
    }

    async fn open_slot(&self, slot: &Arc<Slot>, id: i64) -> Result<Open, Error> {
        let stored = self.stored(slot, id).await?;
        if let Some(open) = known_open(slot, stored).await {
            return Ok(open);
        }
        // A step is under way, or somebody opens it: then it is known.
        let _one = slot.step.lock().await;
        self.open_alone(slot, id).await
    }

    /// Opens a drawing for whoever holds its lock for steps.
    async fn open_alone(&self, slot: &Arc<Slot>, id: i64) -> Result<Open, Error> {
        let stored = self.stored(slot, id).await?;
        if let Some(open) = known_open(slot, stored.clone()).await {
            return Ok(open);
        }
        let _opening = self.openings.acquire().await.map_err(|_| Error::BrokeOff)?;
        let (inking, dpi) = stored.sheet.inking_of_lines();
        let intake = &stored.sheet.recipes.intake;
        let inked = self.ink(slot, &stored, (intake, &inking, dpi), None).await?;
        if self.at_hand.is_crowded() || ahead::threads().is_some() {
            slot.forget_lifting();
            slot.known().source = None;
        }
        let (of, by, wanted) = (stored.clone(), inked.clone(), slot.clone());
        let computing = move || {
            let ink = ink_or_none(&of.sheet, &by);
            Scene::of_while(&of.sheet, &ink, &|| wanted.is_wanted())
        };
        let scene = self.heavy(id, Turn::Look, computing).await?.ok_or(Error::NoDrawing)?;
        let scene = SceneAt { revision: stored.revision, numbering: fresh_numbering(), scene };
        let scene = Arc::new(RwLock::new(scene));
        let is_vector = {
            let mut known = slot.known();
            known.scene = Some(scene.clone());
            known.lifted = Some(Lifted { intake: intake.clone(), inking, dpi, inked: inked.clone() });
            known.is_vector == Some(true)
        };
        self.keep_ink(&stored, &inked, is_vector);
        Ok(Open { stored, lifted: inked, scene: SceneHeld(scene.read_owned().await), vector: is_vector })
    }

    /// Keeps the ink of a drawing's lines, beside what goes on.
    fn keep_ink(&self, stored: &Stored, inked: &Arc<Inked>, is_vector: bool) {
        if !is_vector {
            let (pool, id, origin, inked) =
                (self.pool.clone(), stored.id, Origin::of_lines(&stored.sheet), inked.clone());
            tokio::spawn(async move { inks::keep(&pool, id, origin, &inked).await });
        }
    }

    /// Opens a drawing that somebody may look at next, if it is not open and there is room for it.
    pub async fn open_ahead(&self, id: i64) -> Result<(), Error> {
        if !self.at_hand.is_crowded() && self.at_hand.peek(id).is_none_or(|slot| slot.known().scene.is_none()) {
            let slot = self.at_hand.slot(id);
            self.ahead.of_all(self.open_slot(&slot, id)).await?;
        }
        Ok(())
    }

    /// What is shown of a drawing to somebody.
    pub async fn view(&self, id: i64, author: String) -> Result<DrawingView, Error> {
        let slot = self.at_hand.slot(id);
        let open = self.open_slot(&slot, id).await?;
        let view = apart(move || view(&open, &author)).await?;
        // Somebody is about to work on it.
        let scene = slot.known().scene.clone();
        if let Some(scene) = scene {
            make_ready_soon(scene);
        }
        Ok(view)
    }

    /// What a drawing looks like now, small: as it was kept, or made and kept.
    pub async fn thumbnail(&self, id: i64) -> Result<Vec<u8>, Error> {
        if let Some(kept) = store::thumbnail(&self.pool, id).await? {
            return Ok(kept);
        }
        Ok(self.make_pictures(id).await?.0)
    }

    /// A drawing as it is flipped through: as it was kept, or made and kept.
    pub async fn still(&self, id: i64) -> Result<Still, Error> {
        if let Some(kept) = store::still(&self.pool, id).await? {
            return Ok(kept);
        }
        Ok(self.make_pictures(id).await?.1)
    }

    /// Makes the small picture and the still of a drawing, and keeps them. A drawing that is not worked on does not take
    /// the place of one that is.
    async fn make_pictures(&self, id: i64) -> Result<(Vec<u8>, Still), Error> {
        let slot = self.at_hand.peek(id).unwrap_or_default();
        let stored = self.stored(&slot, id).await?;
        let (swatches, model) = store::model_of(&self.pool, id).await.map_err(Error::of_drawing)?;
        let (revision, made): (i64, Result<_, Error>) = if stored.sheet.traced.is_none() {
            let source = self.laid_out(&slot, id, &stored.sheet.recipes.intake, true).await?;
            let dpi = stored.sheet.dpi;
            let making = move || Ok((pictures::untouched_thumbnail(&source)?, stills::untouched(&source, dpi)?));
            (stored.revision, self.heavy(id, Turn::Look, making).await?)
        } else {
            let open = self.open_slot(&slot, id).await?;
            let revision = open.stored.revision;
            self.keep_ink(&open.stored, &open.lifted, open.vector);
            let making = move || Ok((pictures::thumbnail(&open, &swatches)?, stills::still(&open, &swatches)?));
            (revision, apart(making).await?)
        };
        let (picture, still): (Vec<u8>, Still) = made?;
        // They can be made again at any time, and the drawing may be gone by now.
        if let Err(reason) = store::keep_pictures(&self.pool, id, (revision, model), &picture, &still).await {
            tracing::warn!("the pictures of drawing {id} were not kept: {reason}");
        }
        Ok((picture, still))
    }

    /// Only the pixels of the sheet as it is laid out, with the revision that is of.
    pub async fn source(&self, id: i64) -> Result<(i64, Arc<Plane<Rgb>>), Error> {
        let slot = self.at_hand.slot(id);
        let stored = self.stored(&slot, id).await?;
        Ok((stored.revision, self.laid_out(&slot, id, &stored.sheet.recipes.intake, true).await?))
    }

    /// The picture as it came, before it was laid out.
    pub async fn as_it_came(&self, id: i64) -> Result<Arc<Plane<Rgb>>, Error> {
        let slot = self.at_hand.slot(id);
        let layer = self.stored(&slot, id).await?.sheet.recipes.intake.layer.clone();
        let raw = self.raw(&slot, id, layer.as_ref()).await?;
        slot.known().raw = Some((layer, raw.clone()));
        Ok(raw)
    }

    /// The names of the layers of a drawing's file, or of the pictures in vector art, the topmost first; none of a file without
    /// such.
    pub async fn layers(&self, id: i64) -> Result<Vec<String>, Error> {
        let is_vector = self.is_vector(&self.at_hand.slot(id), id).await?;
        if !is_vector && !store::has_layers(&self.pool, id).await.map_err(Error::of_drawing)? {
            return Ok(Vec::new());
        }
        let (bytes, _) = store::original(&self.pool, id).await.map_err(Error::of_drawing)?;
        Ok(apart(move || reader::layers(&bytes)).await??)
    }

    /// Another layer of a drawing's file, laid out as the sheet is.
    pub async fn layer(&self, id: i64, layer: FileLayer) -> Result<(i64, Arc<Plane<Rgb>>), Error> {
        let slot = self.at_hand.slot(id);
        let stored = self.stored(&slot, id).await?;
        let by = IntakeRecipe { layer: Some(layer), ..stored.sheet.recipes.intake.clone() };
        let _one = slot.laying_out.lock().await;
        let known = slot.known().beside.as_ref().filter(|b| b.0 == by).map(|b| b.1.clone());
        let laid_out = match known {
            Some(known) => known,
            None => self.laid_out_anew(&slot, id, &by).await?,
        };
        slot.known().beside = Some((by, laid_out.clone()));
        Ok((stored.revision, laid_out))
    }

    /// A drawing's state with the sheet as it is laid out.
    async fn in_hand(&self, slot: &Slot, id: i64) -> Result<(Arc<Stored>, Arc<Plane<Rgb>>), Error> {
        let stored = self.stored(slot, id).await?;
        let source = self.laid_out(slot, id, &stored.sheet.recipes.intake, true).await?;
        // What was needed to lay the sheet out is not needed any more.
        slot.known().raw = None;
        Ok((stored, source))
    }

    /// The ink that settings would give, without changing anything: quick for a slider that is dragged, exact with all
    /// that is told of it when it was let go.
    pub async fn glance(&self, id: i64, request: GlanceRequest) -> Result<Glance, Error> {
        let GlanceRequest { inking, window, exact, caught, trace } = request;
        inking.check()?;
        let slot = self.at_hand.slot(id);
        let (stored, source) = self.in_hand(&slot, id).await?;
        let dpi = stored.sheet.dpi;
        if self.is_vector(&slot, id).await? {
            let ink = self.ink(&slot, &stored, (&stored.sheet.recipes.intake, &inking, dpi), None).await?;
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
            let kept = stored.sheet.spared();
            let looking = move |stages: &mut Stages, source: &Plane<Rgb>| {
                let (alpha, lines) = stages.traced(source, &inking, &recipe, &kept, (window, exact), dpi)?;
                let centrelines = lines.iter().filter(|l| matches!(l.form, Form::Centreline { .. })).count();
                let trace = TraceTold {
                    whole: exact,
                    centrelines,
                    outlines: lines.len() - centrelines,
                    lines: if window.level == 0 { lines.iter().map(line_view).collect() } else { vec![] },
                };
                Ok(Glance { alpha, facts: None, trade: None, trace: Some(trace), colours: None })
            };
            return self.with_stages(&slot, id, Turn::Glance, source, looking).await;
        }
        let looking = move |stages: &mut Stages, source: &Plane<Rgb>| {
            if caught {
                let alpha = stages.caught(source, &inking.lift, window)?;
                return Ok(Glance { alpha, facts: None, trade: None, trace: None, colours: None });
            }
            let mut facts = None;
            if exact {
                let ink = stages.ink(source, &inking, dpi);
                let (_, told) = (*ink).as_ref().map_err(Clone::clone)?;
                facts = Some(told.clone());
            }
            let alpha = stages.glance(source, &inking, window, dpi)?;
            // What points cost and leave is told of the ink as it is lifted.
            let is_lifted = inking.weight.amount == 0.0;
            let trade = if is_lifted && (exact || stages.is_surveyed(&inking.lift)) {
                Some(stages.trade(source, &inking.lift, dpi)?)
            } else {
                None
            };
            let colours = inking.lift.as_drawn.then(|| stages.colours(source, &inking, window, dpi)).flatten();
            Ok(Glance { alpha, facts, trade, trace: None, colours })
        };
        self.with_stages(&slot, id, Turn::Glance, source, looking).await
    }

    /// The same part of a drawing with several weights.
    pub async fn strip(
        &self,
        id: i64,
        inking: Inking,
        window: Window,
        weights: Vec<WeightRecipe>,
    ) -> Result<Vec<Plane<u8>>, Error> {
        inking.check()?;
        let slot = self.at_hand.slot(id);
        let (stored, source) = self.in_hand(&slot, id).await?;
        let dpi = stored.sheet.dpi;
        let looking = move |stages: &mut Stages, source: &Plane<Rgb>| {
            // The lifted ink is the same for all of them.
            stages.lifted(source, &inking, dpi);
            let one = |weight| stages.glance(source, &Inking { weight, ..inking.clone() }, window, dpi);
            Ok(weights.into_iter().map(one).collect::<Result<_, _>>()?)
        };
        self.with_stages(&slot, id, Turn::Glance, source, looking).await
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

    /// The findings that are alike.
    pub async fn alike(&self, id: i64) -> Result<AlikeTold, Error> {
        let open = self.open(id).await?;
        apart(move || {
            let Scene { findings, network, .. } = &*open.scene;
            AlikeTold { revision: open.stored.revision, groups: alike(findings, network, open.stored.sheet.dpi) }
        })
        .await
    }

    /// What was decided at the like places of the drawings before and behind it in the shot.
    pub async fn decided_elsewhere(&self, id: i64) -> Result<DecidedTold, Error> {
        let shot = store::shot_of(&self.pool, id).await.map_err(Error::of_drawing)?;
        let all = store::drawings_of(&self.pool, shot).await?;
        let here = all.iter().position(|d| *d == id).unwrap_or(0);
        let mut others: Vec<usize> = (0..all.len()).filter(|n| *n != here).collect();
        others.sort_by_key(|n| n.abs_diff(here));
        let mut decided: Vec<Decided> = Vec::new();
        let mut names: Vec<String> = Vec::new();
        let mut asked = 0;
        for other in others.into_iter().map(|n| all[n]) {
            // Nothing was decided where nothing was settled: it need not be opened.
            let slot = self.at_hand.slot(other);
            if asked == MOST_ASKED || self.stored(&slot, other).await?.sheet.settled.is_empty() {
                continue;
            }
            asked += 1;
            let open = self.open(other).await?;
            let name = open.stored.name.clone();
            let found = apart(move || {
                let sheet = &open.stored.sheet;
                decided_in(&sheet.settled, &open.scene.ink.alpha, sheet.dpi)
            })
            .await?;
            names.extend(found.iter().map(|_| name.clone()));
            decided.extend(found);
        }
        let open = self.open(id).await?;
        apart(move || {
            let Scene { findings, ink, .. } = &*open.scene;
            let found = like_decisions(findings, &ink.alpha, open.stored.sheet.dpi, &decided);
            let told = found.into_iter().map(|(f, n)| LikeDecision {
                finding: f.id.clone(),
                how: decided[n].how,
                drawing: names[n].clone(),
            });
            DecidedTold { revision: open.stored.revision, decided: told.collect() }
        })
        .await
    }

    /// The span at a place.
    pub async fn span(&self, id: i64, at: Pt) -> Result<Option<SpanTold>, Error> {
        let open = self.open(id).await?;
        let span = span_at(&open.scene.network, at, SPAN_REACH);
        let points = |s: Span| s.path.iter().map(|f| f.p).collect::<Vec<_>>();
        Ok(span.map(|s| SpanTold { path: SEEN.polyline(&points(s)) }))
    }

    /// Where a seam that is being drawn would land.
    pub async fn landing(&self, id: i64, path: Vec<Pt>) -> Result<LandingTold, Error> {
        if path.len() > 20_000 || path.iter().any(|p| p.x.abs() > 1e6 || p.y.abs() > 1e6) {
            return Err(Error::Asked("a seam has up to 20000 points on the sheet".into()));
        }
        let open = self.open(id).await?;
        let spine = seam_spine(&path, &open.scene)?;
        let [Some(&a), Some(&b)] = [spine.points.first(), spine.points.last()] else {
            return Err(Error::Asked("a seam needs two different points".into()));
        };
        let meets = [a, b].map(|p| open.scene.network.nearest(p, 1.5, |_| true).is_some());
        Ok(LandingTold { path: SEEN.spine(&spine), ends: [a, b], meets })
    }
}

/// The most drawings of a shot, the nearest first, whose decisions are looked at.
const MOST_ASKED: usize = 6;

/// The size of a sheet laid out by a recipe.
fn size_laid_out(stored: &Stored, intake: &IntakeRecipe) -> Result<[usize; 2], Error> {
    let [w, h] = stored.sheet.original;
    let layout = rhizograph_core::intake::Layout::of(intake, w, h)?;
    Ok([layout.width, layout.height])
}

/// Makes what the first edit needs while somebody looks at the drawing.
fn make_ready_soon(scene: Arc<RwLock<SceneAt>>) {
    tokio::spawn(async move {
        if scene.read().await.scene.is_ready() {
            return Ok(());
        }
        let mut scene = scene.write_owned().await;
        tokio::task::spawn_blocking(move || scene.scene.make_ready()).await
    });
}

/// The pixels of a file.
fn read_source(bytes: &[u8], how: Reading) -> Result<Plane<Rgb>, Error> {
    Ok(match reader::contents(bytes, how)? {
        Input::Raster(r) => r.rgb,
        Input::Vector(v) => Scene::ink_of_lines(&v.lines, v.width, v.height, [0; 3]).alpha.map(|&a| [255 - a; 3]),
    })
}
