//! The queue of long work, in PostgreSQL: any number of workers, in this process and in others, take items from it. An
//! item is done when its result is stored, in the same transaction: killed half way, it is as if it had not begun.

use crate::api::{Event, JobInfo, JobState, Progress};
use crate::intake::NewDrawing;
use crate::service::events::{CHANNEL, News};
use crate::store::{self, Original, Step};
use rhizograph_core::model::sheet::Sheet;
use serde::{Deserialize, Serialize};
use sqlx::types::Json;
use sqlx::{PgPool, Postgres, Row, Transaction};

use crate::api::{Delivery, Facts, HandOff, ShotLift, ShotReplace};
use crate::store::hand_offs::{self, Out};

/// The silence of a worker, seconds, after which its item is taken up by another.
const SILENT: f64 = 10.0;
/// An item that was begun so often and never came to an end is given up: it may be what ends its workers.
const MOST_ATTEMPTS: i32 = 5;
/// The days after which jobs that are over are forgotten.
const KEPT_DAYS: i32 = 7;

/// What a job is about.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case", tag = "job")]
pub enum Settings {
    Lift(ShotLift),
    Deliver(Delivery),
    Carry(Carriage),
    Replace(ShotReplace),
    HandOff(Box<HandOff>),
    /// What is sure is settled.
    Settle,
    /// What a job did is undone.
    Undo {
        of: i64,
    },
}

/// Which way paint is carried, and where it began.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Carriage {
    pub from: i64,
    /// To the drawings before it.
    pub back: bool,
}

/// An item that was taken.
pub struct Item {
    pub job: i64,
    pub place: i32,
    pub shot: i64,
    pub drawing: Option<i64>,
    pub sheet: Option<i32>,
    pub settings: Settings,
    /// Who asked for it.
    pub author: String,
}

/// Adds a job on drawings of a shot, or on sheets that are to come in.
pub async fn add(
    pool: &PgPool,
    shot: i64,
    what: &str,
    settings: &Settings,
    drawings: &[i64],
    sheets: &[i32],
) -> sqlx::Result<i64> {
    add_for(pool, (shot, store::NOBODY), what, settings, drawings, sheets).await
}

/// The same for somebody.
pub async fn add_for(
    pool: &PgPool,
    (shot, author): (i64, &str),
    what: &str,
    settings: &Settings,
    drawings: &[i64],
    sheets: &[i32],
) -> sqlx::Result<i64> {
    let mut tx = pool.begin().await?;
    let sql = "insert into jobs (shot, what, settings, author) values ($1, $2, $3, $4) returning id";
    let job: i64 =
        sqlx::query_scalar(sql).bind(shot).bind(what).bind(Json(settings)).bind(author).fetch_one(&mut *tx).await?;
    sqlx::query("insert into job_items (job, place, drawing) select $1, n, d from unnest($2::bigint[]) with ordinality as t (d, n)")
        .bind(job)
        .bind(drawings)
        .execute(&mut *tx)
        .await?;
    sqlx::query("insert into job_items (job, place, sheet) select $1, n, s from unnest($2::integer[]) with ordinality as t (s, n)")
        .bind(job)
        .bind(sheets)
        .execute(&mut *tx)
        .await?;
    // What goes out is closed by the report and what lies beside all drawings.
    if matches!(settings, Settings::HandOff(_)) {
        sqlx::query("insert into job_items (job, place) values ($1, $2)")
            .bind(job)
            .bind(drawings.len() as i32 + 1)
            .execute(&mut *tx)
            .await?;
    }
    tell(&mut tx, shot).await?;
    tx.commit().await?;
    Ok(job)
}

/// Whether a job of these settings waits that was not begun.
pub async fn is_waiting(pool: &PgPool, shot: i64, settings: &Settings) -> sqlx::Result<bool> {
    sqlx::query_scalar(
        "select exists (select 1 from jobs j where j.shot = $1 and j.settings = $2 and not j.stopped and not exists
            (select 1 from job_items i where i.job = j.id and i.state <> 'waiting'))",
    )
    .bind(shot)
    .bind(Json(settings))
    .fetch_one(pool)
    .await
}

async fn tell(tx: &mut Transaction<'_, Postgres>, shot: i64) -> sqlx::Result<()> {
    let news = News::for_all(shot, Event::Jobs);
    sqlx::query("select pg_notify($1, $2)").bind(CHANNEL).bind(news).execute(&mut **tx).await?;
    Ok(())
}

/// Takes the next item that nobody works on.
pub async fn take(pool: &PgPool, worker: &str) -> sqlx::Result<Option<Item>> {
    give_up(pool).await?;
    let mut tx = pool.begin().await?;
    let row = sqlx::query(
        "update job_items i set state = 'working', worker = $1, heard_at = now(), attempts = attempts + 1
         from (select i.job, i.place, j.shot, j.settings, j.author from job_items i join jobs j on j.id = i.job
               where not j.stopped and (i.state = 'waiting'
                   or (i.state = 'working' and i.attempts < $3 and i.heard_at < now() - make_interval(secs => $2)))
               -- Sheets come in one by one, in the order of their stack, paint goes from drawing to drawing, and what
               -- closes a job comes last.
               and ((i.drawing is not null and j.settings->>'job' <> 'carry') or not exists (select 1 from job_items b where b.job = i.job and b.place < i.place
                   and b.state in ('waiting', 'working')))
               order by i.job, i.place limit 1 for update of i skip locked) as next
         where i.job = next.job and i.place = next.place
         returning i.job, i.place, i.drawing, i.sheet, next.shot, next.settings, next.author",
    )
    .bind(worker)
    .bind(SILENT)
    .bind(MOST_ATTEMPTS)
    .fetch_optional(&mut *tx)
    .await?;
    let Some(row) = row else {
        return Ok(None);
    };
    let item = Item {
        job: row.try_get("job")?,
        place: row.try_get("place")?,
        shot: row.try_get("shot")?,
        drawing: row.try_get("drawing")?,
        sheet: row.try_get("sheet")?,
        settings: row.try_get::<Json<Settings>, _>("settings")?.0,
        author: row.try_get("author")?,
    };
    tell(&mut tx, item.shot).await?;
    tx.commit().await?;
    Ok(Some(item))
}

/// Gives up what was begun too often without an end, and tells so.
async fn give_up(pool: &PgPool) -> sqlx::Result<()> {
    let why = format!("given up: its worker ended {MOST_ATTEMPTS} times over it");
    let shots: Vec<i64> = sqlx::query_scalar(
        "update job_items i set state = 'failed', told = $1, worker = null from jobs j
         where j.id = i.job and i.state = 'working' and i.attempts >= $2
             and i.heard_at < now() - make_interval(secs => $3)
         returning j.shot",
    )
    .bind(why)
    .bind(MOST_ATTEMPTS)
    .bind(SILENT)
    .fetch_all(pool)
    .await?;
    for shot in shots {
        let mut tx = pool.begin().await?;
        tell(&mut tx, shot).await?;
        tx.commit().await?;
    }
    Ok(())
}

/// Forgets jobs that were over long ago.
pub async fn prune(pool: &PgPool) -> sqlx::Result<()> {
    sqlx::query(
        "delete from jobs j where j.made_at < now() - make_interval(days => $1) and (j.stopped or not exists
            (select 1 from job_items i where i.job = j.id and i.state in ('waiting', 'working')))",
    )
    .bind(KEPT_DAYS)
    .execute(pool)
    .await?;
    Ok(())
}

/// Says that an item is still worked on.
pub async fn hear(pool: &PgPool, item: &Item, worker: &str) -> sqlx::Result<()> {
    sqlx::query(
        "update job_items set heard_at = now() where job = $1 and place = $2 and worker = $3 and state = 'working'",
    )
    .bind(item.job)
    .bind(item.place)
    .bind(worker)
    .execute(pool)
    .await?;
    Ok(())
}

/// What came of an item.
pub enum Outcome {
    /// The drawing's next state, made on this revision.
    Step {
        revision: i64,
        sheet: Box<Sheet>,
        progress: Progress,
        step: Step,
        told: Option<String>,
    },
    /// There was nothing to do.
    Nothing,
    /// A sheet that came in.
    Drawing {
        drawing: Box<NewDrawing>,
        bytes: Vec<u8>,
    },
    /// A drawing that goes out, as it was at a revision.
    HandedOff {
        revision: i64,
        files: Vec<Out>,
        /// What was in the way.
        reasons: Vec<String>,
        facts: Box<Facts>,
    },
    /// A drawing that was only looked at, and why it does not go out.
    Looked {
        facts: Box<Facts>,
        why: Option<String>,
    },
    /// The end of what goes out.
    Closed {
        files: Vec<Out>,
    },
    /// Left as it was, and why.
    Left(String),
    Failed(String),
}

/// Stores what came of an item, once: if another worker took it over, or the job was stopped, nothing is stored. `false`
/// if the drawing was changed in the meantime, so the item has to be done again.
pub async fn finish(pool: &PgPool, item: &Item, worker: &str, outcome: Outcome) -> sqlx::Result<bool> {
    let mut tx = pool.begin().await?;
    let mine: Option<i32> = sqlx::query_scalar(
        "select place from job_items i join jobs j on j.id = i.job
         where i.job = $1 and i.place = $2 and i.worker = $3 and i.state = 'working' and not j.stopped
         for update of i for share of j",
    )
    .bind(item.job)
    .bind(item.place)
    .bind(worker)
    .fetch_optional(&mut *tx)
    .await?;
    if mine.is_none() {
        return Ok(true);
    }
    let (state, told) = match outcome {
        Outcome::Step { revision, sheet, progress, step, told } => {
            let Some(drawing) = item.drawing else {
                return Ok(true);
            };
            if !store::write_step(&mut tx, drawing, revision, &sheet, &step).await? {
                return Ok(false);
            }
            store::set_progress(&mut tx, drawing, progress.clone()).await?;
            let event = Event::Drawing { id: drawing, revision: revision + 1, progress, by: step.by.clone() };
            sqlx::query("select pg_notify($1, $2)")
                .bind(CHANNEL)
                .bind(News::for_all(item.shot, event))
                .execute(&mut *tx)
                .await?;
            ("done", told)
        }
        Outcome::Nothing => ("done", None),
        Outcome::Drawing { drawing, bytes } => {
            store::insert_drawing(&mut tx, item.shot, &drawing, Original::Bytes(&bytes)).await?;
            ("done", None)
        }
        Outcome::HandedOff { revision, files, reasons, facts } => {
            let Some(drawing) = item.drawing else {
                return Ok(true);
            };
            hand_offs::keep_files(&mut tx, (item.job, item.place), &files).await?;
            hand_offs::note(&mut tx, (drawing, revision), &item.author, &files, &reasons).await?;
            hand_offs::keep_facts(&mut tx, (item.job, item.place), &facts).await?;
            let news = News::for_all(item.shot, Event::Drawings);
            sqlx::query("select pg_notify($1, $2)").bind(CHANNEL).bind(news).execute(&mut *tx).await?;
            ("done", None)
        }
        Outcome::Looked { facts, why } => {
            hand_offs::keep_facts(&mut tx, (item.job, item.place), &facts).await?;
            (if why.is_some() { "left" } else { "done" }, why)
        }
        Outcome::Closed { files } => {
            hand_offs::keep_files(&mut tx, (item.job, item.place), &files).await?;
            ("done", None)
        }
        Outcome::Left(why) => ("left", Some(why)),
        Outcome::Failed(why) => ("failed", Some(why)),
    };
    sqlx::query("update job_items set state = $3, told = $4, worker = null where job = $1 and place = $2")
        .bind(item.job)
        .bind(item.place)
        .bind(state)
        .bind(told)
        .execute(&mut *tx)
        .await?;
    tell(&mut tx, item.shot).await?;
    tx.commit().await?;
    Ok(true)
}

/// The shot of a job, and the drawings in which a step of it stands.
pub async fn changed_by(pool: &PgPool, job: i64) -> sqlx::Result<(i64, Vec<i64>)> {
    let rows: Vec<(i64, i64)> = sqlx::query_as(
        "select d.shot, d.id from changes c join drawings d on d.id = c.drawing
         where c.job = $1 and not c.undone and d.place is not null order by d.place",
    )
    .bind(job)
    .fetch_all(pool)
    .await?;
    Ok((rows.first().map_or(0, |r| r.0), rows.iter().map(|r| r.1).collect()))
}

/// Stops a job: what is done stays, what waits is not begun, what is being worked on is not stored. Waits for what is
/// being stored just now, so that nothing is done once this is answered.
pub async fn stop(pool: &PgPool, job: i64) -> sqlx::Result<()> {
    let mut tx = pool.begin().await?;
    let shot: i64 = sqlx::query_scalar("update jobs set stopped = true where id = $1 returning shot")
        .bind(job)
        .fetch_one(&mut *tx)
        .await?;
    tell(&mut tx, shot).await?;
    tx.commit().await
}

/// The jobs of a shot that are not over, and those that ended in the last quarter of an hour; the newest first.
pub async fn of_shot(pool: &PgPool, shot: i64) -> sqlx::Result<Vec<JobInfo>> {
    let rows = sqlx::query(
        "select j.id, j.what, j.stopped, count(*) as all_items,
                count(*) filter (where i.state in ('done', 'left', 'failed')) as over,
                count(*) filter (where i.state = 'working') as working,
                coalesce(array_agg(coalesce(d.name || ': ', '') || i.told order by i.place)
                    filter (where i.told is not null), '{}') as told,
                (select coalesce(sum(jsonb_array_length(f.names)), 0) from job_files f where f.job = j.id) as files,
                (select count(*) from changes c where c.job = j.id and not c.undone) as steps
         from jobs j join job_items i on i.job = j.id left join drawings d on d.id = i.drawing
         where j.shot = $1
         group by j.id
         having j.made_at > now() - interval '15 minutes'
             or (not j.stopped and count(*) filter (where i.state in ('waiting', 'working')) > 0)
         order by j.id desc limit 8",
    )
    .bind(shot)
    .fetch_all(pool)
    .await?;
    rows.iter()
        .map(|row| {
            let count = |name| row.try_get::<i64, _>(name).map(|n| n as usize);
            let (all, done, stopped) = (count("all_items")?, count("over")?, row.try_get::<bool, _>("stopped")?);
            let state = if done == all {
                JobState::Done
            } else if stopped {
                JobState::Stopped
            } else {
                JobState::Running
            };
            Ok(JobInfo {
                id: row.try_get("id")?,
                what: row.try_get("what")?,
                state,
                all,
                done,
                working: if state == JobState::Running { count("working")? } else { 0 },
                told: row.try_get("told")?,
                files: count("files")?,
                steps: count("steps")?,
            })
        })
        .collect()
}
