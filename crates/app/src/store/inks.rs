//! Ink that was lifted before, kept with its drawing.

use rhizograph_core::lift::LiftFacts;
use sqlx::PgPool;
use sqlx::types::Json;

/// The ink of a drawing as it is kept.
pub struct KeptInk {
    pub width: usize,
    pub height: usize,
    pub facts: LiftFacts,
    /// Its alpha, as [`crate::service::pictures::in_runs`] writes it.
    pub alpha: Vec<u8>,
}

/// The kept ink of a drawing, if it is of this origin.
pub async fn ink(pool: &PgPool, drawing: i64, origin: &[u8]) -> sqlx::Result<Option<KeptInk>> {
    let sql = "select width, height, facts, alpha from inks where drawing = $1 and origin = $2";
    let found: Option<(i32, i32, Json<LiftFacts>, Vec<u8>)> =
        sqlx::query_as(sql).bind(drawing).bind(origin).fetch_optional(pool).await?;
    let size = |n: i32| usize::try_from(n).unwrap_or(0);
    Ok(found.map(|(w, h, Json(facts), alpha)| KeptInk { width: size(w), height: size(h), facts, alpha }))
}

/// Whether ink of this origin is kept.
pub async fn has_ink(pool: &PgPool, drawing: i64, origin: &[u8]) -> sqlx::Result<bool> {
    let sql = "select exists (select from inks where drawing = $1 and origin = $2)";
    sqlx::query_scalar(sql).bind(drawing).bind(origin).fetch_one(pool).await
}

/// Keeps the ink of a drawing in the place of what was kept.
pub async fn keep_ink(pool: &PgPool, drawing: i64, origin: &[u8], ink: &KeptInk) -> sqlx::Result<()> {
    let sql = "insert into inks (drawing, origin, width, height, facts, alpha) values ($1, $2, $3, $4, $5, $6) \
               on conflict (drawing) do update set origin = $2, width = $3, height = $4, facts = $5, alpha = $6";
    sqlx::query(sql)
        .bind(drawing)
        .bind(origin)
        .bind(ink.width as i32)
        .bind(ink.height as i32)
        .bind(Json(&ink.facts))
        .bind(&ink.alpha)
        .execute(pool)
        .await?;
    Ok(())
}
