//! The store: productions, shots, drawings, originals and changes in PostgreSQL. Each step is one transaction, so what was
//! answered as saved is saved. A drawing's state is kept as it was now and then, with a journal of the steps since: a
//! step costs what it changes, not what the drawing holds.

pub mod access;
pub mod arranging;
pub mod hand_offs;
pub mod inks;
pub mod people;
mod places;
pub mod stored;

use crate::api::{DrawingInfo, ProductionInfo, Progress, ShotInfo, StillFacts};
use crate::intake::NewDrawing;
use rhizograph_core::edit::Change;
use rhizograph_core::intake::Marks;
use rhizograph_core::model::paint::{ColourModel, Swatch};
use rhizograph_core::model::recipe::Register;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_formats::Reading;
use serde_json::Value;
use serde_json::value::RawValue;
use sqlx::postgres::PgPoolOptions;
use sqlx::types::Json;
use sqlx::{PgExecutor, PgPool, Postgres, Row, Transaction};
use std::collections::BTreeMap;
use std::time::Duration;
use stored::{History, VERSION};

/// Why the store cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    #[error("the database cannot be reached: {0}")]
    Database(#[from] sqlx::Error),
    #[error("the database could not be brought up to date: {0}")]
    Migrate(#[from] sqlx::migrate::MigrateError),
}

/// The time after which whoever waits for the database is told so.
const LONGEST_WAIT: Duration = Duration::from_secs(6);
/// How many of them a program that begins waits: a machine that has just been started is slow at first.
const WAITS_TO_BEGIN: usize = 5;

/// Connects and brings the tables up to date.
pub async fn connect(url: &str) -> Result<PgPool, Error> {
    let pool = PgPoolOptions::new().max_connections(12).acquire_timeout(LONGEST_WAIT).connect_lazy(url)?;
    let mut waited = 1;
    while let Err(e) = pool.acquire().await {
        if !matches!(e, sqlx::Error::PoolTimedOut) || waited == WAITS_TO_BEGIN {
            return Err(e.into());
        }
        waited += 1;
    }
    sqlx::migrate!("./migrations").run(&pool).await?;
    Ok(pool)
}

/// A drawing as it is flipped through: its ink and its paint by themselves, PNG with alpha, at a size for the screen.
#[derive(Debug, Clone)]
pub struct Still {
    pub facts: StillFacts,
    pub ink: Vec<u8>,
    pub paint: Vec<u8>,
}

/// A drawing as it stands.
#[derive(Debug, Clone)]
pub struct Stored {
    pub id: i64,
    pub shot: i64,
    pub name: String,
    /// Tells it from a drawing of the same number in another database.
    pub key: String,
    /// What of its file is missing or was left out.
    pub notes: Vec<String>,
    pub sheet: Sheet,
    pub revision: i64,
    pub handed_off: Option<i64>,
    /// For how many frames it is seen.
    pub hold: i32,
    /// When it was changed last, ms since 1970, and by whom.
    pub changed_at: i64,
    pub changed_by: String,
    pub steps: Steps,
}

/// What a write met.
#[derive(Debug)]
pub enum Written {
    Done {
        revision: i64,
    },
    /// Somebody else was first.
    Conflict {
        revision: i64,
    },
}

pub async fn is_empty(pool: &PgPool) -> sqlx::Result<bool> {
    sqlx::query_scalar("select not exists (select 1 from productions)").fetch_one(pool).await
}

pub async fn add_production(db: impl PgExecutor<'_>, name: &str) -> sqlx::Result<i64> {
    sqlx::query_scalar("insert into productions (name) values ($1) returning id").bind(name).fetch_one(db).await
}

pub async fn add_shot(
    db: impl PgExecutor<'_>,
    production: i64,
    number: &str,
    name: &str,
    swatches: &[Swatch],
) -> sqlx::Result<i64> {
    sqlx::query_scalar("insert into shots (production, number, name, swatches) values ($1, $2, $3, $4) returning id")
        .bind(production)
        .bind(number)
        .bind(name)
        .bind(Json(swatches))
        .fetch_one(db)
        .await
}

/// The file of a drawing that comes in.
#[derive(Clone, Copy)]
pub enum Original<'a> {
    Bytes(&'a [u8]),
    /// The same as this drawing's, which has its bytes.
    Shared(i64),
}

/// Adds the drawings of a file at the end of the shot, or each before the first whose name's number is higher; all or none.
/// Gives the number of the first.
pub async fn add_drawings(pool: &PgPool, shot: i64, drawings: &[NewDrawing], bytes: &[u8]) -> sqlx::Result<i64> {
    let mut tx = pool.begin().await?;
    let mut first = None;
    for drawing in drawings {
        let original = first.map_or(Original::Bytes(bytes), Original::Shared);
        let id = insert_drawing(&mut tx, shot, drawing, original).await?;
        first.get_or_insert(id);
    }
    tx.commit().await?;
    first.ok_or(sqlx::Error::RowNotFound)
}

/// Adds a drawing within a transaction.
pub async fn insert_drawing(
    tx: &mut Transaction<'_, Postgres>,
    shot: i64,
    drawing: &NewDrawing,
    original: Original<'_>,
) -> sqlx::Result<i64> {
    let place = places::by_name(tx, shot, &drawing.name).await?;
    let sheet = places::with_recipes(tx, shot, &drawing.sheet).await?;
    if !drawing.colours.swatches.is_empty() {
        let sql = "select tones, swatches from shots where id = $1";
        let (Json(tones), Json(swatches)) = sqlx::query_as(sql).bind(shot).fetch_one(&mut **tx).await?;
        let had = ColourModel { tones, swatches };
        let mut has = had.clone();
        has.take_over(&drawing.colours);
        if has != had {
            sqlx::query("update shots set swatches = $2, tones = $3, revision = revision + 1 where id = $1")
                .bind(shot)
                .bind(Json(&has.swatches))
                .bind(Json(&has.tones))
                .execute(&mut **tx)
                .await?;
        }
    }
    let id: i64 = sqlx::query_scalar(
        "insert into drawings (shot, place, name, progress, register) values ($1, $2, $3, $4, $5) returning id",
    )
    .bind(shot)
    .bind(place)
    .bind(&drawing.name)
    .bind(Json(&drawing.progress))
    .bind(drawing.sheet.recipes.intake.register.map(Json))
    .fetch_one(&mut **tx)
    .await?;
    sqlx::query("insert into states (drawing, revision, sheet, version) values ($1, 0, $2, $3)")
        .bind(id)
        .bind(Json(&*sheet))
        .bind(VERSION)
        .execute(&mut **tx)
        .await?;
    let (bytes, shares) = match original {
        Original::Bytes(bytes) => (Some(bytes), None),
        Original::Shared(of) => (None, Some(of)),
    };
    let sql = "insert into originals (drawing, file_name, sha256, bytes, notes, page, shares) values ($1, $2, $3, $4, $5, $6, $7)";
    sqlx::query(sql)
        .bind(id)
        .bind(&drawing.file_name)
        .bind(&drawing.sha256)
        .bind(bytes)
        .bind(Json(&drawing.notes))
        .bind(drawing.page[0] as i32)
        .bind(shares)
        .execute(&mut **tx)
        .await?;
    Ok(id)
}

/// The original as it came, and how it is read; which of its layers, the drawing's recipe says.
pub async fn original(pool: &PgPool, drawing: i64) -> sqlx::Result<(Vec<u8>, Reading)> {
    let sql = "select coalesce(o.bytes, s.bytes), o.upright, o.page from originals o
               left join originals s on s.drawing = o.shares where o.drawing = $1";
    let row = sqlx::query(sql).bind(drawing).fetch_one(pool).await?;
    let page = row.try_get::<i32, _>(2)?.max(0) as u32;
    Ok((row.try_get(0)?, Reading { upright: row.try_get(1)?, page, layer: None }))
}

/// How a drawing's file begins.
async fn head(pool: &PgPool, drawing: i64) -> sqlx::Result<Vec<u8>> {
    let sql = "select coalesce(substring(o.bytes for 256), substring(s.bytes for 256)) from originals o
               left join originals s on s.drawing = o.shares where o.drawing = $1";
    sqlx::query_scalar(sql).bind(drawing).fetch_one(pool).await
}

/// Whether a drawing's file is one of layers.
pub async fn has_layers(pool: &PgPool, drawing: i64) -> sqlx::Result<bool> {
    Ok(rhizograph_formats::openraster::looks_like_openraster(&head(pool, drawing).await?))
}

/// Whether a drawing's file may be one of lines, by how it begins.
pub async fn may_be_vector(pool: &PgPool, drawing: i64) -> sqlx::Result<bool> {
    Ok(rhizograph_formats::may_be_vector(&head(pool, drawing).await?))
}

/// Where the sheets of a shot have the marks of their peg holes, if one has them.
pub async fn pegs_of_shot(db: impl PgExecutor<'_>, shot: i64) -> sqlx::Result<Option<Marks>> {
    marks(db, shot, true, None).await
}

/// Where the marks of a sheet of the shot were laid by hand, the first that has such; another drawing's than `but`.
pub async fn marks_of_shot(pool: &PgPool, shot: i64, but: i64) -> sqlx::Result<Option<Marks>> {
    marks(pool, shot, false, Some(but)).await
}

async fn marks(db: impl PgExecutor<'_>, shot: i64, by_pegs: bool, but: Option<i64>) -> sqlx::Result<Option<Marks>> {
    let sql = "select register, (sheet->>'dpi')::float8 from drawings join states on drawing = id
               where shot = $1 and place is not null and (register->>'pegs')::boolean = $2 and id is distinct from $3
               order by place limit 1";
    let found: Option<(Json<Register>, f64)> =
        sqlx::query_as(sql).bind(shot).bind(by_pegs).bind(but).fetch_optional(db).await?;
    Ok(found.map(|(register, dpi)| Marks { at: register.0.to, dpi }))
}

pub async fn shot_of(pool: &PgPool, drawing: i64) -> sqlx::Result<i64> {
    sqlx::query_scalar("select shot from drawings where id = $1 and place is not null")
        .bind(drawing)
        .fetch_one(pool)
        .await
}

pub async fn shot_exists(pool: &PgPool, shot: i64) -> sqlx::Result<bool> {
    sqlx::query_scalar("select exists (select 1 from shots where id = $1)").bind(shot).fetch_one(pool).await
}

/// The drawings of a shot, in order.
pub async fn drawings_of(pool: &PgPool, shot: i64) -> sqlx::Result<Vec<i64>> {
    sqlx::query_scalar("select id from drawings where shot = $1 and place is not null order by place")
        .bind(shot)
        .fetch_all(pool)
        .await
}

/// A drawing in its shot, and how far it is.
#[derive(Debug, Clone, PartialEq)]
pub struct Placed {
    pub id: i64,
    pub name: String,
    pub progress: Progress,
}

impl Placed {
    /// Somebody painted some of it, rather than all being carried there.
    pub fn is_painted_by_hand(&self) -> bool {
        self.progress.painted > self.progress.carried
    }
}

/// The drawings of a shot and how far they are, in order.
pub async fn placed(pool: &PgPool, shot: i64) -> sqlx::Result<Vec<Placed>> {
    let sql = "select id, name, progress from drawings where shot = $1 and place is not null order by place";
    let rows: Vec<(i64, String, Json<Progress>)> = sqlx::query_as(sql).bind(shot).fetch_all(pool).await?;
    Ok(rows.into_iter().map(|(id, name, Json(progress))| Placed { id, name, progress }).collect())
}

pub async fn swatches(pool: &PgPool, shot: i64) -> sqlx::Result<Vec<Swatch>> {
    let Json(s) = sqlx::query_scalar("select swatches from shots where id = $1").bind(shot).fetch_one(pool).await?;
    Ok(s)
}

/// The colours of a drawing's shot, and which revision of them it is.
pub async fn model_of(pool: &PgPool, drawing: i64) -> sqlx::Result<(Vec<Swatch>, i64)> {
    let sql = "select swatches, s.revision from shots s join drawings d on d.shot = s.id where d.id = $1";
    let (Json(swatches), revision) = sqlx::query_as(sql).bind(drawing).fetch_one(pool).await?;
    Ok((swatches, revision))
}

/// The small picture of a drawing, if the one that was kept shows it as it is now.
pub async fn thumbnail(pool: &PgPool, drawing: i64) -> sqlx::Result<Option<Vec<u8>>> {
    let sql = "select picture from thumbnails t join drawings d on d.id = t.drawing join shots s on s.id = d.shot \
               where t.drawing = $1 and t.revision = d.revision and t.model = s.revision";
    sqlx::query_scalar(sql).bind(drawing).fetch_optional(pool).await
}

/// The still of a drawing, if the one that was kept shows it as it is now.
pub async fn still(pool: &PgPool, drawing: i64) -> sqlx::Result<Option<Still>> {
    let sql = "select facts, ink, paint from stills t join drawings d on d.id = t.drawing join shots s on s.id = d.shot \
               where t.drawing = $1 and t.revision = d.revision and t.model = s.revision";
    let found: Option<(Json<StillFacts>, Vec<u8>, Vec<u8>)> =
        sqlx::query_as(sql).bind(drawing).fetch_optional(pool).await?;
    Ok(found.map(|(Json(facts), ink, paint)| Still { facts, ink, paint }))
}

/// Keeps the small picture and the still of a drawing at a revision, in the colours of a revision of its shot.
pub async fn keep_pictures(
    pool: &PgPool,
    drawing: i64,
    (revision, model): (i64, i64),
    picture: &[u8],
    still: &Still,
) -> sqlx::Result<()> {
    let mut tx = pool.begin().await?;
    let sql = "insert into thumbnails (drawing, revision, model, picture) values ($1, $2, $3, $4) \
               on conflict (drawing) do update set revision = $2, model = $3, picture = $4 \
               where (thumbnails.revision, thumbnails.model) < ($2, $3)";
    sqlx::query(sql).bind(drawing).bind(revision).bind(model).bind(picture).execute(&mut *tx).await?;
    let sql = "insert into stills (drawing, revision, model, facts, ink, paint) values ($1, $2, $3, $4, $5, $6) \
               on conflict (drawing) do update set revision = $2, model = $3, facts = $4, ink = $5, paint = $6 \
               where (stills.revision, stills.model) < ($2, $3)";
    sqlx::query(sql)
        .bind(drawing)
        .bind(revision)
        .bind(model)
        .bind(Json(still.facts))
        .bind(&still.ink)
        .bind(&still.paint)
        .execute(&mut *tx)
        .await?;
    tx.commit().await
}

/// The colour model of a shot, with its name.
pub async fn colour_model(pool: &PgPool, shot: i64) -> sqlx::Result<(ColourModel, String)> {
    let sql = "select tones, swatches, number || ' ' || name from shots where id = $1";
    let (Json(tones), Json(swatches), name) = sqlx::query_as(sql).bind(shot).fetch_one(pool).await?;
    Ok((ColourModel { tones, swatches }, name))
}

/// All that paint may name in a shot: its swatches and their tones.
pub async fn paints(pool: &PgPool, shot: i64) -> sqlx::Result<Vec<String>> {
    Ok(swatches(pool, shot).await?.iter().flat_map(Swatch::paints).collect())
}

pub async fn set_colour_model(
    pool: &PgPool,
    shot: i64,
    revision: i64,
    ColourModel { tones, swatches }: &ColourModel,
) -> sqlx::Result<Written> {
    let sql = "update shots set swatches = $3, tones = $4, revision = revision + 1
               where id = $1 and revision = $2 returning revision";
    let query = sqlx::query_scalar(sql).bind(shot).bind(revision).bind(Json(swatches)).bind(Json(tones));
    let done: Option<i64> = query.fetch_optional(pool).await?;
    if let Some(revision) = done {
        return Ok(Written::Done { revision });
    }
    let revision = sqlx::query_scalar("select revision from shots where id = $1").bind(shot).fetch_one(pool).await?;
    Ok(Written::Conflict { revision })
}

fn info(row: &sqlx::postgres::PgRow) -> sqlx::Result<DrawingInfo> {
    let Json(progress): Json<Progress> = row.try_get("progress")?;
    let revision: i64 = row.try_get("revision")?;
    let handed: Option<i64> = row.try_get("handed_off")?;
    Ok(DrawingInfo {
        id: row.try_get("id")?,
        key: row.try_get("key")?,
        name: row.try_get("name")?,
        revision,
        handed_off: handed == Some(revision),
        changed_since: handed.is_some_and(|h| h < revision),
        hold: row.try_get("hold")?,
        ready: is_ready(&progress),
        progress,
        changed_at: row.try_get("changed_at")?,
        changed_by: row.try_get("changed_by")?,
    })
}

/// Lifted, nothing open, something enclosed.
pub fn is_ready(p: &Progress) -> bool {
    p.lifted && p.join_open == 0 && p.paint_open == 0 && p.beyond == 0
}

/// Everything there is, in order.
pub async fn productions(pool: &PgPool) -> sqlx::Result<Vec<ProductionInfo>> {
    let mut out = Vec::new();
    for production in
        sqlx::query("select id, name from productions where put_away is null order by name").fetch_all(pool).await?
    {
        let id: i64 = production.try_get("id")?;
        let mut shots = Vec::new();
        for shot in sqlx::query(
            "select id, number, name, tones, swatches, revision from shots
             where production = $1 and put_away is null order by number",
        )
        .bind(id)
        .fetch_all(pool)
        .await?
        {
            let shot_id: i64 = shot.try_get("id")?;
            let rows = sqlx::query(
                "select id, key::text, name, revision, handed_off, hold, progress, changed_by,
                        (extract(epoch from changed_at) * 1000)::bigint as changed_at
                 from drawings where shot = $1 and place is not null order by place",
            )
            .bind(shot_id)
            .fetch_all(pool)
            .await?;
            let (Json(tones), Json(swatches)) = (shot.try_get("tones")?, shot.try_get("swatches")?);
            shots.push(ShotInfo {
                id: shot_id,
                number: shot.try_get("number")?,
                name: shot.try_get("name")?,
                revision: shot.try_get("revision")?,
                tones,
                swatches,
                drawings: rows.iter().map(info).collect::<sqlx::Result<_>>()?,
            });
        }
        out.push(ProductionInfo { id, name: production.try_get("name")?, shots });
    }
    Ok(out)
}

/// What of a drawing changes by other means than steps, with its revision.
#[derive(Debug, Clone, PartialEq, sqlx::FromRow)]
pub struct Stamp {
    pub revision: i64,
    pub name: String,
    /// The revision that went out last.
    pub handed_off: Option<i64>,
    /// For how many frames it is seen.
    pub hold: i32,
}

pub async fn stamp(pool: &PgPool, drawing: i64) -> sqlx::Result<Stamp> {
    let sql = "select revision, name, handed_off, hold from drawings where id = $1 and place is not null";
    sqlx::query_as(sql).bind(drawing).fetch_one(pool).await
}

pub async fn revision(pool: &PgPool, drawing: i64) -> sqlx::Result<i64> {
    sqlx::query_scalar("select revision from drawings where id = $1 and place is not null")
        .bind(drawing)
        .fetch_one(pool)
        .await
}

/// A step in the journal: a change, done or undone.
#[derive(serde::Deserialize)]
struct Journaled {
    change: Box<RawValue>,
    version: i16,
    back: bool,
}

/// Brings all that an older program stored of a drawing up to today's form, if it is not yet.
async fn bring_up(pool: &PgPool, drawing: i64) -> sqlx::Result<()> {
    let mut tx = pool.begin().await?;
    let sql = "select s.sheet, s.version, s.revision, d.revision from drawings d join states s on s.drawing = d.id
               where d.id = $1 for update";
    let (Json(sheet), version, kept, revision): (Json<Value>, i16, i64, i64) =
        sqlx::query_as(sql).bind(drawing).fetch_one(&mut *tx).await?;
    if version >= VERSION {
        return Ok(());
    }
    let sql = "select change, back from journal where drawing = $1 and revision > $2 order by revision";
    let journal: Vec<(Json<Value>, bool)> = sqlx::query_as(sql).bind(drawing).bind(kept).fetch_all(&mut *tx).await?;
    let journal: Vec<(Value, bool)> = journal.into_iter().map(|(Json(change), back)| (change, back)).collect();
    let sql = "select step, undone, change from changes where drawing = $1 order by step";
    let changes: Vec<(i32, bool, Json<Value>)> = sqlx::query_as(sql).bind(drawing).fetch_all(&mut *tx).await?;
    let done = changes.iter().filter(|c| !c.1).count();
    let numbers: Vec<i32> = changes.iter().map(|c| c.0).collect();
    let changes = changes.into_iter().map(|(_, _, Json(change))| change).collect();
    let history = History { sheet, changes, done };
    // It takes as long as everything that was ever done.
    let brought = tokio::task::spawn_blocking(move || {
        let mut history = history;
        stored::bring_up(&mut history, &journal, version).map(|()| history)
    });
    let history = brought.await.map_err(|e| sqlx::Error::Decode(Box::new(e)))??;
    for (number, change) in numbers.iter().zip(&history.changes) {
        sqlx::query("update changes set change = $3, version = $4 where drawing = $1 and step = $2")
            .bind(drawing)
            .bind(number)
            .bind(Json(change))
            .bind(VERSION)
            .execute(&mut *tx)
            .await?;
    }
    sqlx::query("update states set sheet = $2, version = $3, revision = $4 where drawing = $1")
        .bind(drawing)
        .bind(Json(&history.sheet))
        .bind(VERSION)
        .bind(revision)
        .execute(&mut *tx)
        .await?;
    sqlx::query("delete from journal where drawing = $1").bind(drawing).execute(&mut *tx).await?;
    tx.commit().await
}

/// A drawing with its state and the labels of what can be undone and done again.
pub async fn load(pool: &PgPool, drawing: i64) -> sqlx::Result<Stored> {
    let version: i16 =
        sqlx::query_scalar("select version from states where drawing = $1").bind(drawing).fetch_one(pool).await?;
    if version < VERSION {
        bring_up(pool, drawing).await?;
    }
    let row = sqlx::query(
        "select d.id, d.key::text, d.shot, d.name, o.notes, s.sheet, s.version, d.revision, d.handed_off, d.hold,
                (extract(epoch from d.changed_at) * 1000)::bigint as changed_at, d.changed_by,
                (select coalesce(jsonb_agg(jsonb_build_object('change', j.change, 'version', j.version, 'back', j.back)
                    order by j.revision), '[]')
                 from journal j where j.drawing = d.id and j.revision > s.revision) as journal
         from drawings d join states s on s.drawing = d.id join originals o on o.drawing = d.id
         where d.id = $1 and d.place is not null",
    )
    .bind(drawing)
    .fetch_one(pool)
    .await?;
    let (Json(state), Json(journal)): (Json<Box<RawValue>>, Json<Vec<Journaled>>) =
        (row.try_get("sheet")?, row.try_get("journal")?);
    let mut sheet = stored::sheet(&state, row.try_get("version")?)?;
    for step in journal {
        let change = stored::change(&step.change, step.version)?;
        let next = if step.back { change.undo(&sheet) } else { change.apply(&sheet) };
        sheet = next.map_err(|e| sqlx::Error::Decode(Box::new(e)))?;
    }
    let steps = steps(pool, drawing).await?;
    Ok(Stored {
        id: row.try_get("id")?,
        shot: row.try_get("shot")?,
        name: row.try_get("name")?,
        key: row.try_get("key")?,
        notes: row.try_get::<Json<Vec<String>>, _>("notes")?.0,
        sheet,
        revision: row.try_get("revision")?,
        handed_off: row.try_get("handed_off")?,
        hold: row.try_get("hold")?,
        changed_at: row.try_get("changed_at")?,
        changed_by: row.try_get("changed_by")?,
        steps,
    })
}

/// Which steps can be undone and done again: everybody's own, and those that are nobody's.
#[derive(Debug, Clone, Default)]
pub struct Steps {
    /// By author: the last that stands and the first that was undone, by number and label.
    own: BTreeMap<String, [Option<(i32, String)>; 2]>,
    pub done: usize,
    last: i32,
}

impl Steps {
    /// Once somebody adds a new one: what they had undone cannot be done again any more.
    pub fn after(&self, change: &Change, author: &str) -> Steps {
        let mut steps = self.clone();
        steps.done += 1;
        steps.last += 1;
        for who in [author, NOBODY] {
            if let Some(own) = steps.own.get_mut(who) {
                own[1] = None;
            }
        }
        steps.own.entry(author.to_owned()).or_default()[0] = Some((steps.last, change.label.clone()));
        steps
    }

    /// What somebody would undo and do again, in a few words; nobody in particular whatever was last.
    pub fn of(&self, author: &str) -> [Option<String>; 2] {
        let is_asked = |who: &str| author == NOBODY || who == author || who == NOBODY;
        let both = |k: usize| self.own.iter().filter_map(move |(who, own)| own[k].as_ref().filter(|_| is_asked(who)));
        [both(0).max(), both(1).min()].map(|step| step.map(|(_, label)| label.clone()))
    }
}

/// Whose steps are everybody's.
pub const NOBODY: &str = "";

pub async fn steps(db: impl PgExecutor<'_>, drawing: i64) -> sqlx::Result<Steps> {
    let rows = sqlx::query(
        "select distinct on (author, undone) author, undone, step, change->>'label' as label,
                count(*) over (partition by undone) as many, max(step) over () as last
         from changes where drawing = $1
         order by author, undone, case when undone then step else -step end",
    )
    .bind(drawing)
    .fetch_all(db)
    .await?;
    let mut steps = Steps::default();
    for row in rows {
        let (undone, many): (bool, i64) = (row.try_get("undone")?, row.try_get("many")?);
        steps.last = row.try_get("last")?;
        if !undone {
            steps.done = many as usize;
        }
        let step = (row.try_get("step")?, row.try_get("label")?);
        steps.own.entry(row.try_get("author")?).or_default()[usize::from(undone)] = Some(step);
    }
    Ok(steps)
}

/// What a write does to the list of changes.
pub enum Does {
    /// One more: somebody's, or nobody's.
    Add {
        author: String,
    },
    /// That of a number is undone, or done again.
    Undo {
        number: i32,
    },
    Redo {
        number: i32,
    },
}

/// A step that is written.
pub struct Step {
    pub change: Box<Change>,
    pub does: Does,
    /// Who took it.
    pub by: String,
    /// The job that took it.
    pub job: Option<i64>,
    /// When, ms since 1970.
    pub at: i64,
}

/// ms since 1970.
fn now_ms() -> i64 {
    let since = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
    since.map_or(0, |d| d.as_millis() as i64)
}

impl Step {
    /// Somebody's, taken now.
    pub fn new(change: Box<Change>, does: Does, by: String) -> Step {
        Step { change, does, by, job: None, at: now_ms() }
    }

    /// What somebody had done in the background: everybody may undo it.
    pub fn nobodys(change: Change, by: String) -> Step {
        Step::new(Box::new(change), Does::Add { author: NOBODY.to_owned() }, by)
    }
}

/// Changes that take more bytes than this are stored with the state they leave.
const MOST_IN_JOURNAL: usize = 4 << 20;

/// The length from which on a journal is worth settling, steps.
pub const LONG_JOURNAL: i64 = 48;

/// A change that somebody may undo or do again.
pub struct Pending {
    pub number: i32,
    pub change: Change,
    /// The revision at which it was done, or undone.
    pub at: i64,
}

/// The change that somebody's undo (or redo) is about, if there is one.
pub async fn pending(pool: &PgPool, drawing: i64, author: &str, redo: bool) -> sqlx::Result<Option<Pending>> {
    let query = if redo {
        "select step, change, version, undone_at from changes
         where drawing = $1 and undone and (author in ($2, '') or $2 = '') order by step limit 1"
    } else {
        "select step, change, version, done_at from changes
         where drawing = $1 and not undone and (author in ($2, '') or $2 = '') order by step desc limit 1"
    };
    let found: Option<(i32, Json<Box<RawValue>>, i16, i64)> =
        sqlx::query_as(query).bind(drawing).bind(author).fetch_optional(pool).await?;
    let Some((number, Json(change), version, at)) = found else { return Ok(None) };
    Ok(Some(Pending { number, change: stored::change(&change, version)?, at }))
}

/// The step that a job took in a drawing, if it stands.
pub async fn step_of_job(pool: &PgPool, drawing: i64, job: i64) -> sqlx::Result<Option<Pending>> {
    let sql = "select step, change, version, done_at from changes where drawing = $1 and job = $2 and not undone";
    let found: Option<(i32, Json<Box<RawValue>>, i16, i64)> =
        sqlx::query_as(sql).bind(drawing).bind(job).fetch_optional(pool).await?;
    let Some((number, Json(change), version, at)) = found else { return Ok(None) };
    Ok(Some(Pending { number, change: stored::change(&change, version)?, at }))
}

/// What was done, or undone, since a step that was done at a revision.
pub async fn since_step(pool: &PgPool, drawing: i64, number: i32, at: i64) -> sqlx::Result<Vec<Change>> {
    let sql = "select change, version from changes where drawing = $1 and step <> $2
               and case when undone then undone_at > $3 and done_at <= $3 else done_at > $3 end";
    let found: Vec<(Json<Box<RawValue>>, i16)> =
        sqlx::query_as(sql).bind(drawing).bind(number).bind(at).fetch_all(pool).await?;
    let changes = found.iter().map(|(Json(change), version)| stored::change(change, *version));
    Ok(changes.collect::<Result<_, _>>()?)
}

/// What others did since a revision that is not undone again, and what they undid that was done before; `None`: more than
/// so many.
pub async fn of_others_since(
    pool: &PgPool,
    drawing: i64,
    author: &str,
    revision: i64,
    most: usize,
) -> sqlx::Result<Option<Vec<Change>>> {
    let query = "select change, version from changes where drawing = $1 and author not in ($2, '') and $2 <> ''
                 and case when undone then undone_at > $3 and done_at <= $3 else done_at > $3 end limit $4";
    let found: Vec<(Json<Box<RawValue>>, i16)> =
        sqlx::query_as(query).bind(drawing).bind(author).bind(revision).bind(most as i64 + 1).fetch_all(pool).await?;
    if found.len() > most {
        return Ok(None);
    }
    let changes = found.iter().map(|(Json(change), version)| stored::change(change, *version));
    Ok(Some(changes.collect::<Result<_, _>>()?))
}

/// A step that is written, but does not count before it is closed: what it leads to is computed meanwhile.
pub enum Begun {
    Open(Transaction<'static, Postgres>),
    /// Somebody else was first.
    Conflict {
        revision: i64,
    },
}

/// Begins to store a step that leaves `sheet`, if the drawing is still at `revision`.
pub async fn begin_step(pool: &PgPool, drawing: i64, revision: i64, sheet: &Sheet, step: &Step) -> sqlx::Result<Begun> {
    let mut tx = pool.begin().await?;
    if !write_step(&mut tx, drawing, revision, sheet, step).await? {
        let now: i64 = sqlx::query_scalar("select revision from drawings where id = $1 and place is not null")
            .bind(drawing)
            .fetch_one(&mut *tx)
            .await?;
        return Ok(Begun::Conflict { revision: now });
    }
    Ok(Begun::Open(tx))
}

/// Closes a step with how far the drawing is then.
pub async fn close_step(mut tx: Transaction<'static, Postgres>, drawing: i64, progress: Progress) -> sqlx::Result<()> {
    set_progress(&mut tx, drawing, progress).await?;
    tx.commit().await
}

/// Sets how far a drawing is.
pub async fn set_progress(tx: &mut Transaction<'_, Postgres>, drawing: i64, progress: Progress) -> sqlx::Result<()> {
    sqlx::query("update drawings set progress = $2 where id = $1")
        .bind(drawing)
        .bind(Json(progress))
        .execute(&mut **tx)
        .await?;
    Ok(())
}

/// Writes a step within a transaction; `false` if the drawing is not at that revision any more.
pub async fn write_step(
    tx: &mut Transaction<'_, Postgres>,
    drawing: i64,
    revision: i64,
    sheet: &Sheet,
    step: &Step,
) -> sqlx::Result<bool> {
    let change = serde_json::to_string(&step.change).map_err(|e| sqlx::Error::Encode(Box::new(e)))?;
    let whole = change.len() > MOST_IN_JOURNAL;
    let (noted, number, author) = match &step.does {
        Does::Add { author } => (
            "gone as (delete from changes where undone and author in ($7, '') and drawing in (select id from moved)),
             noted as (insert into changes (drawing, step, change, version, author, done_at, job)
                select id, (select coalesce(max(step), 0) + 1 from changes where drawing = $1), $3::jsonb, $6, $7, $2 + 1, $10
                from moved)",
            0,
            author.as_str(),
        ),
        Does::Undo { number } => (
            "noted as (update changes set undone = true, undone_at = $2 + 1
                where drawing in (select id from moved) and step = $8)",
            *number,
            NOBODY,
        ),
        Does::Redo { number } => (
            "noted as (update changes set undone = false, done_at = $2 + 1
                where drawing in (select id from moved) and step = $8)",
            *number,
            NOBODY,
        ),
    };
    // In one go: each way to the database and back takes as long as what is done there.
    let all = format!(
        "with moved as (update drawings set revision = revision + 1, changed_at = to_timestamp($11::float8 / 1000), changed_by = $9
            where id = $1 and revision = $2 and place is not null returning id),
         written as (insert into journal (drawing, revision, change, back, version)
            select id, $2 + 1, $3::jsonb, $4, $6 from moved where $5),
         {noted}
         select count(*) from moved where $7::text is not null and $8::int is not null
            and ($10::bigint is null or $10 > 0)"
    );
    let moved: i64 = sqlx::query_scalar(sqlx::AssertSqlSafe(all))
        .bind(drawing)
        .bind(revision)
        .bind(&change)
        .bind(matches!(step.does, Does::Undo { .. }))
        .bind(!whole)
        .bind(VERSION)
        .bind(author)
        .bind(number)
        .bind(&step.by)
        .bind(step.job)
        .bind(step.at as f64)
        .fetch_one(&mut **tx)
        .await?;
    if moved == 0 {
        return Ok(false);
    }
    if whole {
        keep_state(tx, drawing, revision + 1, sheet).await?;
    }
    if step.change.lays_out() {
        sqlx::query("update drawings set register = $2 where id = $1")
            .bind(drawing)
            .bind(sheet.recipes.intake.register.map(Json))
            .execute(&mut **tx)
            .await?;
    }
    Ok(true)
}

/// How many steps the journal of a drawing holds.
pub async fn journal_length(pool: &PgPool, drawing: i64) -> sqlx::Result<i64> {
    sqlx::query_scalar("select count(*) from journal where drawing = $1").bind(drawing).fetch_one(pool).await
}

/// Keeps a drawing's state as it was at a revision, in place of the journal up to there.
pub async fn settle_journal(pool: &PgPool, drawing: i64, revision: i64, sheet: &Sheet) -> sqlx::Result<()> {
    let mut tx = pool.begin().await?;
    keep_state(&mut tx, drawing, revision, sheet).await?;
    tx.commit().await
}

/// The same within a transaction. A later state that is kept already stays.
async fn keep_state(
    tx: &mut Transaction<'_, Postgres>,
    drawing: i64,
    revision: i64,
    sheet: &Sheet,
) -> sqlx::Result<()> {
    let done =
        sqlx::query("update states set sheet = $3, revision = $2, version = $4 where drawing = $1 and revision < $2")
            .bind(drawing)
            .bind(revision)
            .bind(Json(sheet))
            .bind(VERSION)
            .execute(&mut **tx)
            .await?;
    if done.rows_affected() == 1 {
        sqlx::query("delete from journal where drawing = $1 and revision <= $2")
            .bind(drawing)
            .bind(revision)
            .execute(&mut **tx)
            .await?;
    }
    Ok(())
}
