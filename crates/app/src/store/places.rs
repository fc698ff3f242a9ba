//! Where a drawing that comes in hangs, and the settings it comes in with.

use rhizograph_core::model::recipe::{LiftRecipe, Recipes};
use rhizograph_core::model::sheet::Sheet;
use sqlx::types::Json;
use sqlx::{Postgres, Transaction};
use std::borrow::Cow;

/// Makes a place for a drawing of a name: behind the last whose name's number is not higher.
pub async fn by_name(tx: &mut Transaction<'_, Postgres>, shot: i64, name: &str) -> sqlx::Result<i32> {
    // Two that come at once must not take the same place.
    sqlx::query("select id from shots where id = $1 for update").bind(shot).fetch_one(&mut **tx).await?;
    let place: i32 = sqlx::query_scalar(
        "select coalesce(max(place), 0) + 1 from drawings where shot = $1 and name <= $2 collate by_number",
    )
    .bind(shot)
    .bind(name)
    .fetch_one(&mut **tx)
    .await?;
    make_room(tx, shot, place).await?;
    Ok(place)
}

/// Moves what hangs from a place on one place further.
pub async fn make_room(tx: &mut Transaction<'_, Postgres>, shot: i64, place: i32) -> sqlx::Result<()> {
    sqlx::query("update drawings set place = place + 1 where shot = $1 and place >= $2")
        .bind(shot)
        .bind(place)
        .execute(&mut **tx)
        .await?;
    Ok(())
}

/// A new sheet with the settings that its shot has for drawings to come; what was found of the picture by itself stays.
pub async fn with_recipes<'a>(
    tx: &mut Transaction<'_, Postgres>,
    shot: i64,
    sheet: &'a Sheet,
) -> sqlx::Result<Cow<'a, Sheet>> {
    let kept: Option<Json<Recipes>> =
        sqlx::query_scalar("select recipes from shots where id = $1").bind(shot).fetch_one(&mut **tx).await?;
    let Some(Json(of_shot)) = kept.filter(|_| sheet.traced.is_none()) else { return Ok(Cow::Borrowed(sheet)) };
    let own = &sheet.recipes;
    let lift = LiftRecipe { points: own.lift.points, polarity: own.lift.polarity, ..of_shot.lift };
    let recipes = Recipes { intake: own.intake.clone(), lift, ..of_shot };
    Ok(Cow::Owned(Sheet { recipes, ..sheet.clone() }))
}
