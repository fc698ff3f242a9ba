//! What goes out: the files that a job made, and the record of them.

use rhizograph_core::model::verdict::Settled;
use serde::Deserialize;
use sqlx::types::Json;
use sqlx::{PgExecutor, PgPool, Postgres, Row, Transaction};
use std::collections::BTreeMap;

use super::NOBODY;
use crate::api::Facts;

/// A file with all names it has.
pub struct Out {
    pub names: Vec<String>,
    pub bytes: Vec<u8>,
}

/// Keeps what an item made.
pub async fn keep_files(
    tx: &mut Transaction<'_, Postgres>,
    (job, place): (i64, i32),
    files: &[Out],
) -> sqlx::Result<()> {
    for (number, file) in files.iter().enumerate() {
        sqlx::query("insert into job_files (job, place, number, names, bytes) values ($1, $2, $3, $4, $5)")
            .bind(job)
            .bind(place)
            .bind(number as i32)
            .bind(Json(&file.names))
            .bind(&file.bytes)
            .execute(&mut **tx)
            .await?;
    }
    Ok(())
}

/// Keeps what was found of an item's drawing.
pub async fn keep_facts(
    tx: &mut Transaction<'_, Postgres>,
    (job, place): (i64, i32),
    facts: &Facts,
) -> sqlx::Result<()> {
    let sql = "update job_items set facts = $3 where job = $1 and place = $2";
    sqlx::query(sql).bind(job).bind(place).bind(Json(facts)).execute(&mut **tx).await?;
    Ok(())
}

/// Notes that a drawing went out as it was at a revision.
pub async fn note(
    tx: &mut Transaction<'_, Postgres>,
    (drawing, revision): (i64, i64),
    author: &str,
    files: &[Out],
    reasons: &[String],
) -> sqlx::Result<()> {
    let names: Vec<&String> = files.iter().filter_map(|f| f.names.first()).collect();
    sqlx::query("insert into hand_offs (drawing, revision, author, files, reasons) values ($1, $2, $3, $4, $5)")
        .bind(drawing)
        .bind(revision)
        .bind(author)
        .bind(Json(names))
        .bind(Json(reasons))
        .execute(&mut **tx)
        .await?;
    // One that went out later stays the last.
    sqlx::query("update drawings set handed_off = greatest(coalesce(handed_off, 0), $2) where id = $1")
        .bind(drawing)
        .bind(revision)
        .execute(&mut **tx)
        .await?;
    Ok(())
}

/// A file that a job made: its key, its names, how many bytes it has.
#[derive(Debug, Clone, PartialEq)]
pub struct Listed {
    pub key: (i32, i32),
    pub names: Vec<String>,
    pub size: i64,
}

/// All files of a job in the order of its drawings.
pub async fn files(pool: &PgPool, job: i64) -> sqlx::Result<Vec<Listed>> {
    let sql = "select place, number, names, octet_length(bytes)::bigint as size from job_files where job = $1
               order by place, number";
    let rows = sqlx::query(sql).bind(job).fetch_all(pool).await?;
    rows.iter()
        .map(|row| {
            Ok(Listed {
                key: (row.try_get("place")?, row.try_get("number")?),
                names: row.try_get::<Json<Vec<String>>, _>("names")?.0,
                size: row.try_get("size")?,
            })
        })
        .collect()
}

/// The bytes of one.
pub async fn bytes(pool: &PgPool, job: i64, (place, number): (i32, i32)) -> sqlx::Result<Vec<u8>> {
    let sql = "select bytes from job_files where job = $1 and place = $2 and number = $3";
    sqlx::query_scalar(sql).bind(job).bind(place).bind(number).fetch_one(pool).await
}

/// What was found of the drawings of a job, in their order.
pub async fn facts(pool: &PgPool, job: i64) -> sqlx::Result<Vec<Facts>> {
    let sql = "select facts from job_items where job = $1 and facts is not null order by place";
    let found: Vec<Json<Facts>> = sqlx::query_scalar(sql).bind(job).fetch_all(pool).await?;
    Ok(found.into_iter().map(|Json(f)| f).collect())
}

/// The first frame each drawing of a shot is seen in, from 1, and for how many.
pub async fn frames(pool: &PgPool, shot: i64) -> sqlx::Result<BTreeMap<i64, (usize, usize)>> {
    let rows =
        sqlx::query("select id, hold from drawings where shot = $1 and place is not null order by place").bind(shot);
    let mut next = 1;
    let mut out = BTreeMap::new();
    for row in rows.fetch_all(pool).await? {
        let hold = row.try_get::<i32, _>("hold")?.max(1) as usize;
        out.insert(row.try_get("id")?, (next, hold));
        next += hold;
    }
    Ok(out)
}

/// Sets for how many frames a drawing is seen; gives its shot.
pub async fn set_hold(pool: &PgPool, drawing: i64, hold: i32) -> sqlx::Result<i64> {
    let sql = "update drawings set hold = $2 where id = $1 and place is not null returning shot";
    sqlx::query_scalar(sql).bind(drawing).bind(hold).fetch_one(pool).await
}

/// Production, number and name of a shot.
pub async fn names_of_shot(pool: &PgPool, shot: i64) -> sqlx::Result<[String; 3]> {
    let sql = "select p.name, s.number, s.name from shots s join productions p on p.id = s.production where s.id = $1";
    let (production, number, name) = sqlx::query_as(sql).bind(shot).fetch_one(pool).await?;
    Ok([production, number, name])
}

/// What a step settled, as it is kept in the change.
#[derive(Deserialize)]
struct Came {
    came: Vec<Numbered>,
}

#[derive(Deserialize)]
struct Numbered {
    #[serde(flatten)]
    it: Settled,
}

/// Who settled what, the last first.
pub async fn settlers(db: impl PgExecutor<'_>, drawing: i64) -> sqlx::Result<Vec<(Settled, String)>> {
    let sql = "select author, change->'settled' as settled from changes
               where drawing = $1 and not undone and author <> $2 order by step desc";
    let rows = sqlx::query(sql).bind(drawing).bind(NOBODY).fetch_all(db).await?;
    let mut out = Vec::new();
    for row in rows {
        let author: String = row.try_get("author")?;
        // What an older version kept in another form tells nobody.
        let settled: Option<Json<serde_json::Value>> = row.try_get("settled")?;
        let came = settled.and_then(|Json(v)| serde_json::from_value::<Came>(v).ok());
        out.extend(came.into_iter().flat_map(|c| c.came).map(|n| (n.it, author.clone())));
    }
    Ok(out)
}
