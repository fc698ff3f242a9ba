//! Paint across a shot in the background: carried, each drawing from the one before it with what was painted by hand beyond;
//! one swatch put in the place of another.

use super::read::Read;
use crate::api::ShotReplace;
use crate::jobs::queue::{Carriage, Outcome};
use crate::progress;
use crate::service::carry::sources;
use crate::store::{self, Step, Stored};
use rhizograph_core::edit::{Command, Given, PaintStep, plan};
use rhizograph_core::model::paint::parted;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::scene::Scene;
use rhizograph_core::shot::carry::{Painted, proposed_drops};
use sqlx::PgPool;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

/// So many drawings painted last are kept.
const MOST_KEPT: usize = 3;

/// What was painted last, as it is carried on, by drawing and revision.
#[derive(Default)]
pub struct Kept(Mutex<VecDeque<(i64, i64, Arc<Painted>)>>);

impl Kept {
    fn get(&self, drawing: i64, revision: i64) -> Option<Arc<Painted>> {
        let kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        kept.iter().find(|k| (k.0, k.1) == (drawing, revision)).map(|k| k.2.clone())
    }

    fn keep(&self, drawing: i64, revision: i64, painted: Arc<Painted>) {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        kept.retain(|k| k.0 != drawing);
        kept.push_front((drawing, revision, painted));
        kept.truncate(MOST_KEPT);
    }
}

/// All that carrying to a drawing needs of the database.
pub struct Asked {
    to: Read,
    from: Vec<Read>,
    swatches: Vec<String>,
}

/// Reads what carrying to a drawing needs.
pub async fn ask(pool: &PgPool, drawing: i64, carriage: &Carriage) -> sqlx::Result<Asked> {
    let to = Read::of(pool, drawing).await?;
    let all = store::placed(pool, to.stored.shot).await?;
    let mut from = Vec::new();
    for id in sources(&all, drawing, carriage.back) {
        from.push(Read::of(pool, id).await?);
    }
    let swatches = store::paints(pool, to.stored.shot).await?;
    Ok(Asked { to, from, swatches })
}

/// Reads a drawing and what its paint may name.
pub async fn read_with_paints(pool: &PgPool, drawing: i64) -> sqlx::Result<(Read, Vec<String>)> {
    let read = Read::of(pool, drawing).await?;
    let swatches = store::paints(pool, read.stored.shot).await?;
    Ok((read, swatches))
}

/// Puts one swatch in the place of another in a drawing.
pub fn replace(
    (read, swatches): &(Read, Vec<String>),
    ShotReplace { swatch, by }: ShotReplace,
    who: String,
) -> Outcome {
    if !read.stored.sheet.used().contains_key(parted(&swatch).0) {
        return Outcome::Left("it has none of it".into());
    }
    let step = Command::Paint(PaintStep::Replace { swatch, by });
    match read.scene() {
        Ok((scene, lifted)) => taken(&read.stored, (&step, who), (scene, &lifted), swatches).0,
        Err(why) => Outcome::Failed(why),
    }
}

/// A step taken on a drawing, and its scene after it with the state, if it changed.
fn taken(
    stored: &Stored,
    (step, by): (&Command, String),
    (mut scene, lifted): (Scene, &Ink),
    swatches: &[String],
) -> (Outcome, Option<(Sheet, Scene)>) {
    let Stored { sheet, revision, .. } = stored;
    let change = plan(sheet, step, &Given { lifted, scene: &scene, swatches });
    match change.and_then(|change| Ok((change.apply(sheet)?, change))) {
        Ok((_, change)) if change.is_empty() => (Outcome::Left("it is painted like that already".into()), None),
        Ok((after, change)) => {
            scene.advance(sheet, &after, lifted);
            let progress = progress::of(&after, &scene);
            let sheet = Box::new(after.clone());
            let step = Step::nobodys(change, by);
            let outcome = Outcome::Step { revision: *revision, sheet, progress, step, told: None };
            (outcome, Some((after, scene)))
        }
        Err(e) => (Outcome::Failed(e.to_string()), None),
    }
}

/// Carries paint to a drawing.
pub fn carry(asked: &Asked, kept: &Kept, by: String) -> Outcome {
    let Asked { to, from, swatches } = asked;
    if to.stored.sheet.traced.is_none() {
        return Outcome::Left("it has no lines yet".into());
    }
    let Some(nearest) = from.first() else {
        return Outcome::Left("nothing is painted that it could be painted from".into());
    };
    let mut sources: Vec<Arc<Painted>> = Vec::new();
    for read in from {
        let stored = &read.stored;
        let painted = match kept.get(stored.id, stored.revision) {
            Some(painted) => painted,
            None => match read.scene() {
                Ok((scene, _)) => Arc::new(Painted::of(&stored.sheet, &scene)),
                Err(why) => return Outcome::Failed(why),
            },
        };
        kept.keep(stored.id, stored.revision, painted.clone());
        sources.push(painted);
    }
    let (scene, lifted) = match to.scene() {
        Ok(made) => made,
        Err(why) => return Outcome::Failed(why),
    };
    let sources: Vec<&Painted> = sources.iter().map(Arc::as_ref).collect();
    let drops = proposed_drops(&sources, &scene);
    let step = Command::Paint(PaintStep::Carry { drawing: nearest.stored.name.clone(), drops });
    let (outcome, after) = taken(&to.stored, (&step, by), (scene, &lifted), swatches);
    if let Some((sheet, scene)) = after {
        kept.keep(to.stored.id, to.stored.revision + 1, Arc::new(Painted::of(&sheet, &scene)));
    }
    outcome
}
