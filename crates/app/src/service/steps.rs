//! Steps: commands, undo and redo. Each is planned on the state it was made on, stored in one transaction while what is
//! shown is brought up, and only then counts.

use crate::api::StepTold;
use crate::jobs::queue::{self, Carriage};
use crate::progress;
use crate::service::error::Error;
use crate::service::held::{Lifted, SceneAt, Slot};
use crate::service::latest::Done;
use crate::service::latest::Touched;
use crate::service::open::{Open, scene_of};
use crate::service::view::{patch, view};
use crate::service::{Bench, SceneHeld, advance, apart, fresh_numbering, known_open, make_ready_soon};
use crate::store::people;
use crate::store::{self, Begun, Does, Pending, Step, Stored};
use rhizograph_core::edit::{
    Change, Command, Ground, HoldStep, IntakeStep, PaintStep, TraceStep, plan, replay, stands_apart,
};
use rhizograph_core::geom::Pt;
use rhizograph_core::intake::{Layout, level};
use rhizograph_core::model::inking::Inking;
use rhizograph_core::model::recipe::{IntakeRecipe, Register};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::preview::Inked;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::scene::Scene;
use sqlx::{PgPool, Postgres, Transaction};
use std::sync::{Arc, Weak};
use std::time::Duration;
use tokio::sync::RwLock;

/// What a step stands on at the server. A sheet may have no ink that can be lifted.
pub(super) struct Standing<'a> {
    pub lifted: &'a Inked,
    pub scene: &'a Scene,
    pub swatches: &'a [String],
}

impl Ground for Standing<'_> {
    fn lifted(&self) -> Result<&Ink, rhizograph_core::Error> {
        self.lifted.as_ref().map(|(ink, _)| ink).map_err(Clone::clone)
    }

    fn scene(&self) -> &Scene {
        self.scene
    }

    fn swatches(&self) -> &[String] {
        self.swatches
    }
}

/// The most steps of others that an undo is held against.
const MOST_OF_OTHERS: usize = 256;

/// Who asks for a step, and what is shown where it is asked for.
#[derive(Debug, Clone, Default)]
pub struct Asker {
    pub author: String,
    pub revision: i64,
    /// Of the regions that are shown; 0: none are.
    pub numbering: u64,
}

/// What changed of a drawing since the revision that is shown to somebody, or all of it where that is not known.
async fn told_since(slot: &Slot, open: Open, asked: Asker) -> Result<StepTold, Error> {
    let Asker { author, revision, numbering } = asked;
    let now = open.stored.revision;
    let touched = if revision == now { Some(Touched::default()) } else { slot.known().latest.touched(revision, now) };
    let is_same = numbering == open.scene.numbering() && open.stored.sheet.traced.is_some();
    apart(move || match touched.filter(|_| is_same) {
        Some(touched) => StepTold::Patch(Box::new(patch(&open, &author, touched))),
        None => StepTold::Whole(Box::new(view(&open, &author))),
    })
    .await
}

impl Bench {
    /// Does a command on the revision it was made on. `numbering`: of the regions that are shown where it was made.
    pub async fn command(&self, id: i64, asked: Asker, command: Command) -> Result<(i64, StepTold), Error> {
        let Asker { author, revision, .. } = asked.clone();
        let slot = self.at_hand.slot(id);
        let _one = slot.step.lock().await;
        // A step on the revision that is held is planned on it at once: whether it still is the stored one is seen when the
        // step is written.
        let held = slot.known().stored.clone().filter(|s| s.revision == revision);
        let held = match held {
            Some(stored) => known_open(&slot, stored).await,
            None => None,
        };
        let is_held = held.is_some();
        let open = match held {
            Some(open) => open,
            None => self.open_alone(&slot, id).await?,
        };
        // One made on an older state may stand on this one.
        let now = open.stored.revision;
        let since = if now == revision { None } else { Some(slot.known().latest.since(revision, now)) };
        if let Some(None) = since {
            return Err(self.refused(&slot, revision, now).await);
        }
        let since = since.flatten();
        let swatches: Vec<String> = match command {
            Command::Hold(HoldStep::Paste { .. }) | Command::Draw(_) | Command::Paint(_) => {
                store::paints(&self.pool, open.stored.shot).await.map_err(Error::of_shot)?
            }
            _ => Vec::new(),
        };
        // Tracing takes the ink of the settings as they are now, or as they are about to be.
        let inking_now = open.stored.sheet.inking();
        let inking = match &command {
            Command::Trace(TraceStep::Trace { .. }) => Some(inking_now),
            Command::Trace(TraceStep::Prepare { recipes }) => {
                recipes.check()?;
                Some(Inking { lift: recipes.lift.clone(), weight: recipes.weight.clone(), ..inking_now })
            }
            _ => None,
        };
        let sheet = &open.stored.sheet;
        let lifted = match inking {
            Some(inking) => self.ink(&slot, &open.stored, (&sheet.recipes.intake, &inking, sheet.dpi), None).await?,
            None => open.lifted.clone(),
        };
        let is_carrying = matches!(command, Command::Paint(PaintStep::Carry { .. }));
        let (open, change) = apart(move || {
            let sheet = &open.stored.sheet;
            let ground = Standing { lifted: &lifted, scene: &open.scene, swatches: &swatches };
            let change = match since {
                Some(since) => Ok(replay(sheet, &command, &ground, &since)),
                None => plan(sheet, &command, &ground).map(Some),
            };
            (open, change)
        })
        .await?;
        // What was planned on a state that is stored no more would be seen when it is written: what is not, is seen here.
        if is_held && change.as_ref().map_or(true, |c| c.as_ref().is_none_or(Change::is_empty)) {
            let stored = store::revision(&self.pool, id).await.map_err(Error::of_drawing)?;
            if stored != revision {
                return Err(self.refused(&slot, revision, stored).await);
            }
        }
        let Some(change) = change? else { return Err(self.refused(&slot, revision, now).await) };
        if change.is_empty() {
            let shot = open.stored.shot;
            return Ok((shot, told_since(&slot, open, asked).await?));
        }
        let is_teaching = !is_carrying && change.settles_carried();
        let (before, after) = (open.stored.clone(), change.apply(&open.stored.sheet)?);
        drop(open);
        let does = Does::Add { author: author.clone() };
        let step = Step::new(Box::new(change), does, author.clone());
        let told = self.finish(&slot, before, asked, after, step).await?;
        if is_teaching {
            teach_soon(self.pool.clone(), told.0, id);
        }
        Ok(told)
    }

    /// A step is refused: what others did since, and who.
    async fn refused(&self, slot: &Slot, from: i64, now: i64) -> Error {
        let steps = slot.known().latest.labels(from, now);
        // Without names it is told all the same.
        let names = people::names(&self.pool).await.unwrap_or_default();
        let told = |(label, by): (String, String)| match names.get(&by) {
            Some(name) => format!("{label} by {name}"),
            None => label,
        };
        Error::Conflict { revision: now, meanwhile: steps.into_iter().map(told).collect() }
    }

    /// Lays a sheet so that two marks set on it lie where the shot's other sheets have theirs, else level.
    pub async fn register(&self, id: i64, asked: Asker, marks: [Pt; 2]) -> Result<(i64, StepTold), Error> {
        let stored = store::load(&self.pool, id).await.map_err(Error::of_drawing)?;
        let recipe = &stored.sheet.recipes.intake;
        let [w, h] = stored.sheet.original;
        let layout = Layout::of(recipe, w, h)?;
        let from = marks.map(|p| layout.to_turned.map(p).snapped());
        let others = store::marks_of_shot(&self.pool, stored.shot, id).await?;
        let to = others.map_or_else(|| level(from), |others| others.on_sheet_of(stored.sheet.dpi));
        let register = Some(Register { from, to, pegs: false });
        let intake = Box::new(IntakeRecipe { register, straighten: 0.0, ..recipe.clone() });
        self.command(id, asked, Command::Intake(IntakeStep::Intake { intake })).await
    }

    /// Undoes somebody's last step, or does again what they undid. Where others took steps meanwhile it is done on what
    /// they left, if none of them touched the same. Errors: they did; there is none.
    pub async fn step(&self, id: i64, asked: Asker, redo: bool) -> Result<(i64, StepTold), Error> {
        let Asker { author, revision, numbering } = asked;
        let slot = self.at_hand.slot(id);
        let _one = slot.step.lock().await;
        let stored = self.stored(&slot, id).await?;
        let now = stored.revision;
        let what = if redo { "do again" } else { "undo" };
        let pending = store::pending(&self.pool, id, &author, redo).await?.ok_or(Error::NothingTo(what))?;
        let refused = || self.refused(&slot, revision.min(pending.at), now);
        // What is undone is what was shown.
        if now < revision || (now > revision && pending.at > revision) {
            return Err(refused().await);
        }
        let others = store::of_others_since(&self.pool, id, &author, pending.at, MOST_OF_OTHERS).await?;
        let Some(others) = others else { return Err(refused().await) };
        if !others.is_empty() {
            let open = self.open_alone(&slot, id).await?;
            let change = pending.change.clone();
            if !apart(move || stands_apart(&change, &others, &open.scene)).await? {
                return Err(refused().await);
            }
        }
        let Pending { number, change, .. } = &pending;
        let after = if redo { change.apply(&stored.sheet) } else { change.undo(&stored.sheet) };
        let Ok(after) = after else { return Err(refused().await) };
        let change = Box::new(change.clone());
        let does = if redo { Does::Redo { number: *number } } else { Does::Undo { number: *number } };
        let step = Step::new(change, does, author.clone());
        self.finish(&slot, stored, Asker { author, revision, numbering }, after, step).await
    }

    /// What changed of a drawing since the revision that is shown to somebody, or all of it where that is not known.
    pub async fn since(&self, id: i64, asked: Asker) -> Result<StepTold, Error> {
        let slot = self.at_hand.slot(id);
        let open = self.open_slot(&slot, id).await?;
        told_since(&slot, open, asked).await
    }

    /// Brings the scene up to the new state, stores the step, and tells what changed against what is shown, or all. The
    /// caller holds the drawing's lock for steps.
    async fn finish(
        &self,
        slot: &Arc<Slot>,
        before: Arc<Stored>,
        asked: Asker,
        after: Sheet,
        step: Step,
    ) -> Result<(i64, StepTold), Error> {
        let (id, revision) = (before.id, before.revision);
        let (inking, dpi) = after.inking_of_lines();
        let intake = after.recipes.intake.clone();
        // A sheet that is laid out anew has other pixels.
        let lies_as_before = intake == before.sheet.recipes.intake;
        let source = if lies_as_before { None } else { Some(self.laid_out(slot, id, &intake, false).await?) };
        let lifted = self.ink(slot, &before, (&intake, &inking, dpi), source.clone()).await?;
        let after = Arc::new(after);
        let computing = async {
            let known = slot.known().scene.clone();
            if let Some(known) = known {
                let mut at = known.clone().write_owned().await;
                if at.revision == revision {
                    let (before, after, lifted) = (before.clone(), after.clone(), lifted.clone());
                    // Until it is known to count nobody takes it for the state that is stored.
                    at.revision = revision + 1;
                    let advanced = apart(move || {
                        let edited = advance(&mut at.scene, &before.sheet, &after, &lifted);
                        if edited.is_none() {
                            at.numbering = fresh_numbering();
                        }
                        (at.downgrade(), edited)
                    });
                    let (at, edited) = advanced.await?;
                    return Ok((known, at, edited));
                }
            }
            let (after, lifted) = (after.clone(), lifted.clone());
            let scene = apart(move || scene_of(&after, &lifted)).await?;
            let at = SceneAt { revision: revision + 1, numbering: fresh_numbering(), scene };
            let scene = Arc::new(RwLock::new(at));
            let guard = scene.clone().read_owned().await;
            Ok::<_, Error>((scene, guard, None))
        };
        let (computed, begun) = tokio::join!(computing, store::begin_step(&self.pool, id, revision, &after, &step));
        let written = Bench::written(slot, &before, after, &step, begun).await;
        let ((known, at, edited), (stored, tx)) = match (computed, written) {
            (Ok(computed), Ok(written)) => (computed, written),
            (Err(e), _) | (_, Err(e)) => {
                // What was computed is of no state that is stored.
                slot.known().scene = None;
                return Err(e);
            }
        };
        let is_vector = slot.known().is_vector == Some(true);
        let open = Open { stored: stored.clone(), lifted: lifted.clone(), scene: SceneHeld(at), vector: is_vector };
        let far = progress::of(&stored.sheet, &open.scene);
        let edited = edited.map(Arc::new);
        let change = Arc::new((*step.change).clone());
        let what = edited.clone().map(|edited| (change.clone(), edited));
        let done = Done { revision: revision + 1, label: step.change.label.clone(), by: step.by.clone(), edited: what };
        let Asker { author, revision: shown, numbering } = asked;
        // Whoever took it on an older state is told what others did since, too.
        let before =
            if shown == revision { Some(Touched::default()) } else { slot.known().latest.touched(shown, revision) };
        let telling = apart(move || match (edited, before) {
            (Some(edited), Some(mut touched))
                if numbering == open.scene.numbering() && open.stored.sheet.traced.is_some() =>
            {
                touched.add(&change, &edited);
                StepTold::Patch(Box::new(patch(&open, &author, touched)))
            }
            _ => StepTold::Whole(Box::new(view(&open, &author))),
        });
        // What is told waits until it counts.
        let (closed, told) = tokio::join!(store::close_step(tx, id, far), telling);
        if let Err(e) = closed {
            slot.known().scene = None;
            return Err(e.into());
        }
        {
            let mut now = slot.known();
            now.stored = Some(stored.clone());
            now.scene = Some(known.clone());
            now.latest.add(done);
            now.lifted = Some(Lifted { intake: intake.clone(), inking, dpi, inked: lifted });
            if let Some(source) = source {
                now.source = Some((intake, source));
            }
        }
        make_ready_soon(known);
        settle_when_quiet(self.pool.clone(), Arc::downgrade(slot), id, stored.revision);
        Ok((stored.shot, told?))
    }

    /// The state a step leads to, if it was written.
    async fn written(
        slot: &Slot,
        before: &Stored,
        after: Arc<Sheet>,
        step: &Step,
        begun: sqlx::Result<Begun>,
    ) -> Result<(Arc<Stored>, Transaction<'static, Postgres>), Error> {
        let mut tx = match begun.map_err(Error::of_drawing)? {
            Begun::Conflict { revision } => return Err(Error::Conflict { revision, meanwhile: Vec::new() }),
            Begun::Open(tx) => tx,
        };
        if !slot.is_wanted() {
            return Err(Error::NoDrawing);
        }
        let steps = match &step.does {
            Does::Add { author } => before.steps.after(&step.change, author),
            Does::Undo { .. } | Does::Redo { .. } => store::steps(&mut *tx, before.id).await?,
        };
        let stored = Arc::new(Stored {
            sheet: Arc::unwrap_or_clone(after),
            revision: before.revision + 1,
            steps,
            name: before.name.clone(),
            key: before.key.clone(),
            notes: before.notes.clone(),
            changed_at: step.at,
            changed_by: step.by.clone(),
            ..*before
        });
        Ok((stored, tx))
    }
}

/// What was settled of carried paint is carried on to the drawings behind that were painted the same way.
fn teach_soon(pool: PgPool, shot: i64, id: i64) {
    tokio::spawn(async move {
        let teaching = async {
            let all = store::placed(&pool, shot).await?;
            let behind = all.iter().skip_while(|d| d.id != id).skip(1).take_while(|d| d.progress.carried > 0);
            let behind: Vec<i64> = behind.map(|d| d.id).collect();
            let settings = queue::Settings::Carry(Carriage { from: id, back: false });
            if behind.is_empty() || queue::is_waiting(&pool, shot, &settings).await? {
                return Ok(());
            }
            queue::add(&pool, shot, "Carry on what was settled", &settings, &behind, &[]).await.map(|_| ())
        };
        if let Err(e) = sqlx::Result::<()>::from(teaching.await) {
            tracing::warn!("what was settled was not carried on: {e}");
        }
    });
}

/// After so long without a step nobody waits for the next one.
const QUIET: Duration = Duration::from_secs(15);
/// Longer than that no journal grows, however busy somebody is.
const LONGEST_JOURNAL: i64 = 8 * store::LONG_JOURNAL;

/// Settles a long journal when nothing was done for a while; if it fails, the journal goes on. No state is kept for it
/// meanwhile: the latest one is at hand as long as somebody works on the drawing.
fn settle_when_quiet(pool: PgPool, slot: Weak<Slot>, id: i64, revision: i64) {
    tokio::spawn(async move {
        let settling = async {
            if revision % LONGEST_JOURNAL != 0 {
                tokio::time::sleep(QUIET).await;
                if store::journal_length(&pool, id).await? < store::LONG_JOURNAL {
                    return Ok(());
                }
            }
            let latest = slot.upgrade().and_then(|slot| slot.known().stored.clone());
            match latest.filter(|s| s.revision == revision) {
                Some(latest) => store::settle_journal(&pool, id, revision, &latest.sheet).await,
                None => Ok(()),
            }
        };
        if let Err(e) = settling.await {
            tracing::warn!("a journal was not settled: {e}");
        }
    });
}
