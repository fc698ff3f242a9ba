//! Workers: they take items from the queue and do them, in the background of everything else. Their threads have a low
//! priority, so that what somebody waits for goes first while both cores are used to the full.

use crate::api::{Delivery, ShotLift};
use crate::background;
use crate::jobs::carrying::{self, Kept};
use crate::jobs::handing;
use crate::jobs::queue::{self, Item, Outcome, Settings};
use crate::jobs::settling;
use crate::progress;
use crate::reader;
use crate::service::inks::{self, Origin};
use crate::service::open::scene_of;
use crate::store::{self, Step, people};
use rhizograph_core::edit::{Command, Given, TraceStep, plan};
use rhizograph_core::intake::{Marks, lay_out};
use rhizograph_core::model::recipe::{LiftRecipe, Recipes};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::preview::{Inked, Stages};
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_formats::{Input, Reading};
use sqlx::PgPool;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

/// How often a worker is heard of while it works.
const HEARTBEAT: Duration = Duration::from_secs(3);
/// How long a worker rests when there is nothing to do.
const REST: Duration = Duration::from_millis(400);

/// How often jobs that were over long ago are looked for.
const PRUNING: Duration = Duration::from_secs(3600);

/// Starts workers that go on until the runtime ends: one a core, since tracing keeps one core busy at a time.
/// `out`: the folder that files may be handed off to.
pub fn start(pool: &PgPool, out: Option<PathBuf>) {
    let Ok(threads) = background::threads(0) else {
        tracing::error!("no threads for background work");
        return;
    };
    let threads = Arc::new(threads);
    let kept = Arc::new(Kept::default());
    let pruned = pool.clone();
    tokio::spawn(async move {
        loop {
            if let Err(e) = queue::prune(&pruned).await {
                tracing::warn!("old jobs are kept: {e}");
            }
            if let Err(e) = people::prune(&pruned).await {
                tracing::warn!("who was here long ago is kept: {e}");
            }
            tokio::time::sleep(PRUNING).await;
        }
    });
    for n in 0..threads.current_num_threads().max(2) {
        let (pool, threads, kept, out) = (pool.clone(), threads.clone(), kept.clone(), out.clone());
        let name = format!("{}-{n}-{:x}", std::process::id(), rhizograph_demo::random::mix(n as u64 + seed()));
        tokio::spawn(async move {
            loop {
                match queue::take(&pool, &name).await {
                    Ok(Some(item)) => {
                        if let Err(e) = work(&pool, (&threads, &kept, out.as_deref()), item, &name).await {
                            tracing::warn!("background work: {e}");
                            tokio::time::sleep(REST).await;
                        }
                    }
                    Ok(None) => tokio::time::sleep(REST).await,
                    Err(e) => {
                        tracing::warn!("the queue cannot be reached: {e}");
                        tokio::time::sleep(REST * 5).await;
                    }
                }
            }
        });
    }
}

/// Workers of two processes, on one machine or two, must not be taken for each other.
fn seed() -> u64 {
    let since = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
    since.map_or(0, |d| d.as_nanos() as u64)
}

/// What work is done with: threads, what was painted last, the folder that files may be handed off to.
type With<'a> = (&'a Arc<rayon::ThreadPool>, &'a Arc<Kept>, Option<&'a Path>);

async fn work(pool: &PgPool, with: With<'_>, item: Item, name: &str) -> sqlx::Result<()> {
    // A drawing that somebody changes meanwhile is done again on its new state, a few times.
    for _ in 0..4 {
        let doing = do_item(pool, with, &item);
        tokio::pin!(doing);
        let outcome = loop {
            tokio::select! {
                outcome = &mut doing => break match outcome {
                    Err(sqlx::Error::RowNotFound) => Outcome::Left("it was taken out".into()),
                    outcome => outcome?,
                },
                () = tokio::time::sleep(HEARTBEAT) => queue::hear(pool, &item, name).await?,
            }
        };
        if queue::finish(pool, &item, name, outcome).await? {
            return Ok(());
        }
    }
    queue::finish(pool, &item, name, Outcome::Left("somebody is working on it".into())).await.map(|_| ())
}

async fn apart<T: Send + 'static>(
    threads: &Arc<rayon::ThreadPool>,
    f: impl FnOnce() -> T + Send + 'static,
) -> Option<T> {
    let threads = threads.clone();
    tokio::task::spawn_blocking(move || threads.install(f)).await.ok()
}

async fn do_item(pool: &PgPool, (threads, kept, out): With<'_>, item: &Item) -> sqlx::Result<Outcome> {
    let broke = || Outcome::Failed("the computation broke off".into());
    match (&item.settings, item.drawing, item.sheet) {
        (Settings::Lift(settings), Some(drawing), _) => {
            let stored = store::load(pool, drawing).await?;
            let (bytes, how) = store::original(pool, drawing).await?;
            let swatches = store::paints(pool, stored.shot).await?;
            let settings = settings.clone();
            let by = item.author.clone();
            let done =
                apart(threads, move || lift(&stored.sheet, stored.revision, (&bytes, how), &settings, (&swatches, by)));
            let (outcome, lifted) = done.await.unwrap_or_else(|| (broke(), None));
            if let Some((origin, inked)) = lifted {
                inks::keep(pool, drawing, origin, &inked).await;
            }
            Ok(outcome)
        }
        (Settings::Replace(replace), Some(drawing), _) => {
            let asked = carrying::read_with_paints(pool, drawing).await?;
            let replace = replace.clone();
            let by = item.author.clone();
            Ok(apart(threads, move || carrying::replace(&asked, replace, by)).await.unwrap_or_else(broke))
        }
        (Settings::Carry(carriage), Some(drawing), _) => {
            let asked = carrying::ask(pool, drawing, carriage).await?;
            let (kept, by) = (kept.clone(), item.author.clone());
            Ok(apart(threads, move || carrying::carry(&asked, &kept, by)).await.unwrap_or_else(broke))
        }
        (Settings::Settle, Some(drawing), _) => {
            let asked = carrying::read_with_paints(pool, drawing).await?;
            let (job, by) = (item.job, item.author.clone());
            Ok(apart(threads, move || settling::settle(&asked, job, &by)).await.unwrap_or_else(broke))
        }
        (Settings::Undo { of }, Some(drawing), _) => {
            let asked = settling::ask(pool, drawing, *of).await?;
            let by = item.author.clone();
            Ok(apart(threads, move || settling::undo(asked, &by)).await.unwrap_or_else(broke))
        }
        (Settings::HandOff(how), Some(drawing), _) => {
            let asked = handing::ask(pool, drawing, how).await?;
            let how = how.clone();
            Ok(apart(threads, move || handing::hand_off(&asked, &how)).await.unwrap_or_else(broke))
        }
        (Settings::HandOff(how), None, _) => handing::close(pool, (item.job, item.shot), how, out).await,
        (Settings::Deliver(delivery), _, Some(sheet)) => {
            let pegs = store::pegs_of_shot(pool, item.shot).await?;
            let delivery = delivery.clone();
            let done = apart(threads, move || deliver(&delivery, sheet.max(0) as usize, pegs));
            Ok(done.await.unwrap_or_else(broke))
        }
        _ => Ok(Outcome::Failed("there is nothing to work on".into())),
    }
}

/// The ink that lines were traced from, and what decides it.
type LinesInk = (Option<Origin>, Arc<Inked>);

/// Lifts and traces one drawing by the shot's recipe; points that were set by hand for it stay its own. With the ink that it
/// was traced from.
fn lift(
    sheet: &Sheet,
    revision: i64,
    file: (&[u8], Reading),
    settings: &ShotLift,
    (swatches, by): (&[String], String),
) -> (Outcome, Option<LinesInk>) {
    let own = &sheet.recipes;
    let recipes = Recipes {
        intake: own.intake.clone(),
        lift: LiftRecipe { points: own.lift.points, polarity: own.lift.polarity, ..settings.lift.clone() },
        weight: settings.weight.clone(),
        trace: settings.trace.clone(),
        ..own.clone()
    };
    let with = Sheet { recipes, ..sheet.clone() };
    let inked = match lifted(sheet, &with, file) {
        Ok(inked) => inked,
        Err(why) => return (*why, None),
    };
    let ink = match &*inked {
        Ok((ink, _)) => ink,
        Err(e) => return (Outcome::Failed(e.to_string()), None),
    };
    let before = Scene::of(sheet, &Ink::plain(Plane::new(sheet.width, sheet.height, 0), [0; 3]));
    let change = plan(
        sheet,
        &Command::Trace(TraceStep::Prepare { recipes: Box::new(with.recipes) }),
        &Given { lifted: ink, scene: &before, swatches },
    );
    match change.and_then(|change| Ok((change.apply(sheet)?, change))) {
        Ok((after, change)) => {
            let progress = progress::of(&after, &scene_of(&after, &inked));
            let origin = Origin::of_lines(&after);
            let step = Step::nobodys(change, by);
            let outcome = Outcome::Step { revision, sheet: Box::new(after), progress, step, told: None };
            (outcome, Some((origin, inked)))
        }
        Err(e) => (Outcome::Failed(e.to_string()), None),
    }
}

/// The ink of a sheet's file by the settings that it is to have. Errors: why it is left as it is.
fn lifted(sheet: &Sheet, with: &Sheet, (bytes, how): (&[u8], Reading)) -> Result<Arc<Inked>, Box<Outcome>> {
    let left = |why: &str| Box::new(Outcome::Left(why.into()));
    let failed = |e: &dyn std::fmt::Display| Box::new(Outcome::Failed(e.to_string()));
    if sheet.handmade() > 0 {
        return Err(left("kept as it is: it has bridges or cut lines"));
    }
    if with.lines_are_current() {
        return Err(left("already lifted and traced like that"));
    }
    let layer = with.recipes.intake.layer.clone();
    let raster = match reader::contents(bytes, Reading { layer, ..how }).map_err(|e| failed(&e))? {
        Input::Raster(raster) => raster,
        Input::Vector(_) => return Err(left("vector art needs no lifting")),
    };
    let rgb = lay_out(raster.rgb, &with.recipes.intake).map_err(|e| failed(&e))?;
    Ok(Stages::default().ink(&rgb, &with.inking(), sheet.dpi))
}

/// One sheet from a device.
fn deliver(delivery: &Delivery, sheet: usize, pegs: Option<Marks>) -> Outcome {
    let made = match delivery {
        Delivery::SheetFeeder { dpi, grey, .. } => crate::demo::fed(sheet, *dpi, *grey),
        Delivery::PhoneCamera { .. } => crate::demo::photographed(sheet),
    };
    let (name, bytes) = match made {
        Ok(made) => made,
        Err(e) => return Outcome::Failed(e.to_string()),
    };
    match reader::drawing(&name, &bytes, pegs) {
        Ok(drawing) => Outcome::Drawing { drawing: Box::new(drawing), bytes },
        Err(e) => Outcome::Failed(e.to_string()),
    }
}
