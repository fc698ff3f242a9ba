//! Who works here: names and colours that each chose, and where each was seen last.

use crate::api::{Here, Me, Person};
use sqlx::{PgExecutor, PgPool, Row};
use std::collections::BTreeMap;

/// For so long after somebody was heard of last they are taken to be there, seconds.
const THERE: f64 = 45.0;
/// Who was not heard of for so long is forgotten, days; who took a step is kept.
const KEPT_DAYS: i32 = 400;

/// Sets what somebody is called, and their colour.
pub async fn introduce(db: impl PgExecutor<'_>, author: &str, Me { name, colour }: &Me) -> sqlx::Result<()> {
    let sql = "insert into people (author, name, colour) values ($1, $2, $3)
               on conflict (author) do update set name = $2, colour = $3, seen = now()";
    let colour = colour.map(i32::from);
    sqlx::query(sql).bind(author).bind(name).bind(colour.as_slice()).execute(db).await.map(|_| ())
}

/// Notes where somebody is. Gives the shots that hear of it: where they came from and where they are, if that is news.
pub async fn is_here(pool: &PgPool, author: &str, here: &Here) -> sqlx::Result<Vec<i64>> {
    let sql = "with was as (select shot, drawing, seen from people where author = $1),
                    now_here as (insert into people (author, shot, drawing)
                        values ($1, (select id from shots where id = $2), (select id from drawings where id = $3))
                        on conflict (author) do update set shot = excluded.shot, drawing = excluded.drawing, seen = now()
                        returning shot, drawing)
               select n.shot as now_shot, w.shot as was_shot,
                   w.shot is distinct from n.shot or w.drawing is distinct from n.drawing
                   or w.seen < now() - make_interval(secs => $4) as news
               from now_here n left join was w on true";
    let row = sqlx::query(sql).bind(author).bind(here.shot).bind(here.drawing).bind(THERE).fetch_one(pool).await?;
    if !row.try_get::<Option<bool>, _>("news")?.unwrap_or(true) {
        return Ok(Vec::new());
    }
    let shots: [Option<i64>; 2] = [row.try_get("now_shot")?, row.try_get("was_shot")?];
    let mut told: Vec<i64> = shots.into_iter().flatten().collect();
    told.dedup();
    Ok(told)
}

/// Everybody who is here now, or who changed a drawing of the shot last.
pub async fn of_shot(pool: &PgPool, shot: i64) -> sqlx::Result<Vec<Person>> {
    let sql = "select author, name, colour,
                   case when shot = $1 and seen > now() - make_interval(secs => $2) then drawing end as drawing,
                   coalesce(shot = $1 and seen > now() - make_interval(secs => $2), false) as here
               from people where (shot = $1 and seen > now() - make_interval(secs => $2))
                   or author in (select changed_by from drawings where shot = $1)
               order by name, author limit 400";
    let rows = sqlx::query(sql).bind(shot).bind(THERE).fetch_all(pool).await?;
    rows.iter()
        .map(|row| {
            let author: String = row.try_get("author")?;
            let colour: Option<Vec<i32>> = row.try_get("colour")?;
            let colour = colour.and_then(|c| <[i32; 3]>::try_from(c).ok()).map(|c| c.map(|v| v.clamp(0, 255) as u8));
            Ok(Person {
                name: row.try_get("name")?,
                colour,
                drawing: row.try_get("drawing")?,
                here: row.try_get("here")?,
                author,
            })
        })
        .collect()
}

/// What those who are called something are called.
pub async fn names(pool: &PgPool) -> sqlx::Result<BTreeMap<String, String>> {
    let rows: Vec<(String, String)> =
        sqlx::query_as("select author, name from people where name <> ''").fetch_all(pool).await?;
    Ok(rows.into_iter().collect())
}

/// Forgets who was here long ago and is not called anything.
pub async fn prune(pool: &PgPool) -> sqlx::Result<()> {
    sqlx::query("delete from people where name = '' and seen < now() - make_interval(days => $1)")
        .bind(KEPT_DAYS)
        .execute(pool)
        .await?;
    Ok(())
}
