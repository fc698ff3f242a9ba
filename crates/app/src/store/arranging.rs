//! How drawings, shots and productions are arranged: their order and names, what is put away, what is copied.

use super::places::{by_name, make_room};
use super::stored::VERSION;
use super::{Original, Stored, load};
use crate::api::{AwayTold, Named, PutAway};
use crate::intake::NewDrawing;
use rhizograph_core::model::recipe::Recipes;
use sqlx::types::Json;
use sqlx::{PgPool, Postgres, Row, Transaction};
use std::collections::BTreeSet;

/// Hangs the drawings of a shot in this order; `false`: they are not all that hang there.
pub async fn set_order(pool: &PgPool, shot: i64, drawings: &[i64]) -> sqlx::Result<bool> {
    let mut tx = pool.begin().await?;
    sqlx::query("select id from shots where id = $1 for update").bind(shot).fetch_one(&mut *tx).await?;
    let hang: Vec<i64> = sqlx::query_scalar("select id from drawings where shot = $1 and place is not null")
        .bind(shot)
        .fetch_all(&mut *tx)
        .await?;
    let asked: BTreeSet<i64> = drawings.iter().copied().collect();
    if asked.len() != drawings.len() || asked != hang.into_iter().collect() {
        return Ok(false);
    }
    hang_so(&mut tx, drawings).await?;
    tx.commit().await?;
    Ok(true)
}

/// Names drawings of a shot anew, all or none; `false`: one of them is not there.
pub async fn rename(pool: &PgPool, shot: i64, names: &[Named]) -> sqlx::Result<bool> {
    let mut tx = pool.begin().await?;
    for Named { id, name } in names {
        let sql = "update drawings set name = $3 where id = $1 and shot = $2 and place is not null";
        if sqlx::query(sql).bind(id).bind(shot).bind(name).execute(&mut *tx).await?.rows_affected() == 0 {
            return Ok(false);
        }
    }
    tx.commit().await?;
    Ok(true)
}

/// Hangs a copy of a drawing behind it, with its original; what was done before cannot be undone in it. Gives its number.
pub async fn duplicate(pool: &PgPool, drawing: i64, name: &str) -> sqlx::Result<i64> {
    let Stored { sheet, shot, .. } = load(pool, drawing).await?;
    let mut tx = pool.begin().await?;
    sqlx::query("select id from shots where id = $1 for update").bind(shot).fetch_one(&mut *tx).await?;
    let place: i32 = sqlx::query_scalar("select place from drawings where id = $1 and place is not null")
        .bind(drawing)
        .fetch_one(&mut *tx)
        .await?;
    make_room(&mut tx, shot, place + 1).await?;
    let id: i64 = sqlx::query_scalar(
        "insert into drawings (shot, place, name, progress, register, hold)
         select shot, $2, $3, progress, register, hold from drawings where id = $1 returning id",
    )
    .bind(drawing)
    .bind(place + 1)
    .bind(name)
    .fetch_one(&mut *tx)
    .await?;
    sqlx::query("insert into states (drawing, revision, sheet, version) values ($1, 0, $2, $3)")
        .bind(id)
        .bind(Json(&sheet))
        .bind(VERSION)
        .execute(&mut *tx)
        .await?;
    sqlx::query(
        "insert into originals (drawing, file_name, sha256, notes, upright, page, shares)
         select $2, file_name, sha256, notes, upright, page, coalesce(shares, drawing) from originals where drawing = $1",
    )
    .bind(drawing)
    .bind(id)
    .execute(&mut *tx)
    .await?;
    tx.commit().await?;
    Ok(id)
}

/// Hangs a new drawing in the place of another, which is taken out. Gives its number.
pub async fn replace(pool: &PgPool, old: i64, new: &NewDrawing, bytes: &[u8]) -> sqlx::Result<i64> {
    let mut tx = pool.begin().await?;
    let (shot, hold): (i64, i32) =
        sqlx::query_as("select shot, hold from drawings where id = $1 and place is not null for update")
            .bind(old)
            .fetch_one(&mut *tx)
            .await?;
    let id = super::insert_drawing(&mut tx, shot, new, Original::Bytes(bytes)).await?;
    let hang: Vec<i64> =
        sqlx::query_scalar("select id from drawings where shot = $1 and place is not null order by place")
            .bind(shot)
            .fetch_all(&mut *tx)
            .await?;
    let order: Vec<i64> = hang.into_iter().filter(|d| *d != id).map(|d| if d == old { id } else { d }).collect();
    sqlx::query("update drawings set place = null, taken_out = now() where id = $1")
        .bind(old)
        .execute(&mut *tx)
        .await?;
    sqlx::query("update drawings set hold = $2 where id = $1").bind(id).bind(hold).execute(&mut *tx).await?;
    hang_so(&mut tx, &order).await?;
    tx.commit().await?;
    Ok(id)
}

/// Hangs drawings of a shot in this order.
async fn hang_so(tx: &mut Transaction<'_, Postgres>, drawings: &[i64]) -> sqlx::Result<()> {
    let sql =
        "update drawings d set place = o.n from unnest($1::bigint[]) with ordinality as o (id, n) where d.id = o.id";
    sqlx::query(sql).bind(drawings).execute(&mut **tx).await.map(|_| ())
}

/// Takes a drawing off the peg bar; nothing of it is lost. Gives its shot.
pub async fn take_out(pool: &PgPool, drawing: i64) -> sqlx::Result<i64> {
    let sql = "update drawings set place = null, taken_out = now() where id = $1 and place is not null returning shot";
    sqlx::query_scalar(sql).bind(drawing).fetch_one(pool).await
}

/// Hangs a drawing that was taken out where its name belongs. Gives its shot.
pub async fn bring_back(pool: &PgPool, drawing: i64) -> sqlx::Result<i64> {
    let mut tx = pool.begin().await?;
    let (shot, name): (i64, String) =
        sqlx::query_as("select shot, name from drawings where id = $1 and place is null for update")
            .bind(drawing)
            .fetch_one(&mut *tx)
            .await?;
    let place = by_name(&mut tx, shot, &name).await?;
    sqlx::query("update drawings set place = $2, taken_out = null where id = $1")
        .bind(drawing)
        .bind(place)
        .execute(&mut *tx)
        .await?;
    tx.commit().await?;
    Ok(shot)
}

/// What was put away: productions, shots, and the drawings that were taken out of a shot; the latest first.
pub async fn away(pool: &PgPool) -> sqlx::Result<Vec<AwayTold>> {
    let rows = sqlx::query(
        "select 'production' as what, id, name, null as of, put_away as at from productions where put_away is not null
         union all
         select 'shot', s.id, s.number || ' ' || s.name, p.name, s.put_away
             from shots s join productions p on p.id = s.production where s.put_away is not null
         union all
         select 'drawing', d.id, d.name, s.number || ' ' || s.name, d.taken_out
             from drawings d join shots s on s.id = d.shot where d.taken_out is not null and s.put_away is null
         order by at desc limit 500",
    )
    .fetch_all(pool)
    .await?;
    let told = |row: &sqlx::postgres::PgRow| {
        let what = match row.try_get::<&str, _>("what")? {
            "production" => PutAway::Production,
            "shot" => PutAway::Shot,
            _ => PutAway::Drawing,
        };
        let of: Option<String> = row.try_get("of")?;
        Ok(AwayTold { what, id: row.try_get("id")?, name: row.try_get("name")?, of: of.unwrap_or_default() })
    };
    rows.iter().map(told).collect()
}

/// Puts a production away, or brings it back. Errors: another took its name; there is none.
pub async fn set_production_away(pool: &PgPool, production: i64, away: bool) -> sqlx::Result<()> {
    let sql = "update productions set put_away = case when $2 then now() end where id = $1 returning id";
    sqlx::query_scalar::<_, i64>(sql).bind(production).bind(away).fetch_one(pool).await.map(|_| ())
}

/// Puts a shot away, or brings it back. Errors: another took its number; there is none.
pub async fn set_shot_away(pool: &PgPool, shot: i64, away: bool) -> sqlx::Result<()> {
    let sql = "update shots set put_away = case when $2 then now() end where id = $1 returning id";
    sqlx::query_scalar::<_, i64>(sql).bind(shot).bind(away).fetch_one(pool).await.map(|_| ())
}

pub async fn rename_production(pool: &PgPool, production: i64, name: &str) -> sqlx::Result<()> {
    let sql = "update productions set name = $2 where id = $1 returning id";
    sqlx::query_scalar::<_, i64>(sql).bind(production).bind(name).fetch_one(pool).await.map(|_| ())
}

pub async fn rename_shot(pool: &PgPool, shot: i64, number: &str, name: &str) -> sqlx::Result<()> {
    let sql = "update shots set number = $2, name = $3 where id = $1 returning id";
    sqlx::query_scalar::<_, i64>(sql).bind(shot).bind(number).bind(name).fetch_one(pool).await.map(|_| ())
}

/// The settings a shot works with: those it has for drawings to come, or else those of its first drawing that is lifted.
async fn recipes_of(pool: &PgPool, shot: i64) -> sqlx::Result<Option<Recipes>> {
    let sql = "select id from drawings where shot = $1 and place is not null and (progress->>'lifted')::boolean
               order by place limit 1";
    let lifted: Option<i64> = sqlx::query_scalar(sql).bind(shot).fetch_optional(pool).await?;
    if let Some(drawing) = lifted {
        return Ok(Some(load(pool, drawing).await?.sheet.recipes));
    }
    let kept: Option<Json<Recipes>> =
        sqlx::query_scalar("select recipes from shots where id = $1").bind(shot).fetch_one(pool).await?;
    Ok(kept.map(|Json(r)| r))
}

/// Makes a shot with the colour model and the settings of another, in the same production. Gives its number.
pub async fn copy_shot(pool: &PgPool, shot: i64, number: &str, name: &str) -> sqlx::Result<i64> {
    let recipes = recipes_of(pool, shot).await?;
    let sql = "insert into shots (production, number, name, swatches, tones, recipes)
               select production, $2, $3, swatches, tones, $4 from shots where id = $1 returning id";
    sqlx::query_scalar(sql).bind(shot).bind(number).bind(name).bind(recipes.map(Json)).fetch_one(pool).await
}

/// Makes a production with all shots of another, each with its colour model and settings and without drawings. Gives its
/// number.
pub async fn copy_production(pool: &PgPool, production: i64, name: &str) -> sqlx::Result<i64> {
    sqlx::query("select id from productions where id = $1").bind(production).fetch_one(pool).await?;
    let shots: Vec<i64> = sqlx::query_scalar("select id from shots where production = $1 and put_away is null")
        .bind(production)
        .fetch_all(pool)
        .await?;
    let mut recipes = Vec::new();
    for shot in &shots {
        recipes.push(recipes_of(pool, *shot).await?);
    }
    let mut tx = pool.begin().await?;
    let copy = super::add_production(&mut *tx, name).await?;
    for (shot, recipes) in shots.iter().zip(recipes) {
        sqlx::query(
            "insert into shots (production, number, name, swatches, tones, recipes)
             select $2, number, name, swatches, tones, $3 from shots where id = $1",
        )
        .bind(shot)
        .bind(copy)
        .bind(recipes.map(Json))
        .execute(&mut *tx)
        .await?;
    }
    tx.commit().await?;
    Ok(copy)
}
