//! What is sure is settled in all drawings of a shot, and all that a job did is undone.

use super::read::Read;
use crate::jobs::queue::Outcome;
use crate::progress;
use crate::store::{self, Does, Pending, Step};
use rhizograph_core::edit::{Change, Command, FindingsStep, Given, plan, stands_apart};
use rhizograph_core::model::verdict::Kind;
use sqlx::PgPool;

/// What is done to sure findings of a kind, one and many.
const DONE: [(Kind, &str, &str); 3] = [
    (Kind::Gap, "gap closed", "gaps closed"),
    (Kind::Leak, "leak closed", "leaks closed"),
    (Kind::Tail, "tail cut", "tails cut"),
];

/// Settles the sure findings of a drawing, and tells how many of each kind.
pub fn settle((read, swatches): &(Read, Vec<String>), job: i64, by: &str) -> Outcome {
    let stored = &read.stored;
    if stored.sheet.traced.is_none() {
        return Outcome::Left("it has no lines yet".into());
    }
    let (mut scene, lifted) = match read.scene() {
        Ok(made) => made,
        Err(why) => return Outcome::Failed(why),
    };
    let sure = scene.findings.iter().filter(|f| f.is_sure_and_open());
    let (ids, kinds): (Vec<String>, Vec<Kind>) = sure.map(|f| (f.id.clone(), f.kind)).unzip();
    if ids.is_empty() {
        return Outcome::Nothing;
    }
    let step = Command::Findings(FindingsStep::Settle { ids, with: None });
    let planned = plan(&stored.sheet, &step, &Given { lifted: &lifted, scene: &scene, swatches })
        .and_then(|change| Ok((change.apply(&stored.sheet)?, change)));
    match planned {
        Ok((after, change)) => {
            scene.advance(&stored.sheet, &after, &lifted);
            let told = DONE.iter().filter_map(|(kind, one, many)| {
                let n = kinds.iter().filter(|k| *k == kind).count();
                (n > 0).then(|| format!("{n} {}", if n == 1 { one } else { many }))
            });
            Outcome::Step {
                revision: stored.revision,
                progress: progress::of(&after, &scene),
                sheet: Box::new(after),
                told: Some(told.collect::<Vec<_>>().join(", ")),
                step: Step { job: Some(job), ..Step::nobodys(change, by.to_owned()) },
            }
        }
        Err(e) => Outcome::Failed(e.to_string()),
    }
}

/// What undoing a job's step in a drawing needs.
pub struct Asked {
    read: Read,
    /// The step, if there is one that stands.
    step: Option<Pending>,
    since: Vec<Change>,
}

/// Reads what a job did to a drawing, and what came after it.
pub async fn ask(pool: &PgPool, drawing: i64, job: i64) -> sqlx::Result<Asked> {
    let read = Read::of(pool, drawing).await?;
    let step = store::step_of_job(pool, drawing, job).await?;
    let since = match &step {
        Some(step) => store::since_step(pool, drawing, step.number, step.at).await?,
        None => Vec::new(),
    };
    Ok(Asked { read, step, since })
}

/// Undoes a job's step in a drawing, if nothing that came after touches the same.
pub fn undo(asked: Asked, by: &str) -> Outcome {
    let Asked { read, step, since } = asked;
    let Some(Pending { number, change, .. }) = step else { return Outcome::Nothing };
    let sheet = &read.stored.sheet;
    let (mut scene, lifted) = match read.scene() {
        Ok(made) => made,
        Err(why) => return Outcome::Failed(why),
    };
    let after = (since.is_empty() || stands_apart(&change, &since, &scene)).then(|| change.undo(sheet));
    let Some(Ok(after)) = after else {
        return Outcome::Left("kept: somebody went on from there".into());
    };
    scene.advance(sheet, &after, &lifted);
    Outcome::Step {
        revision: read.stored.revision,
        progress: progress::of(&after, &scene),
        sheet: Box::new(after),
        told: None,
        step: Step::new(Box::new(change), Does::Undo { number }, by.to_owned()),
    }
}
