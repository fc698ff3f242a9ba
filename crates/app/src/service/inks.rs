//! Ink that was lifted before is kept with its drawing, so that opening it needs no scan. It counts only where all that
//! decides it is the same: the settings, and the methods of the program.

use crate::service::pictures::{in_runs, of_runs};
use crate::store::inks::{self, KeptInk};
use rhizograph_core::model::inking::Inking;
use rhizograph_core::model::recipe::IntakeRecipe;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::preview::Inked;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::{Plane, Rgb};
use sha2::{Digest, Sha256};
use sqlx::PgPool;
use std::sync::Arc;

/// What decides the ink of a drawing besides its file, which never changes.
pub struct Origin {
    hash: [u8; 32],
    colour: Rgb,
}

impl Origin {
    /// The ink of a sheet laid out and inked by these settings; `None` if they cannot be told.
    pub fn of(intake: &IntakeRecipe, inking: &Inking, dpi: f64) -> Option<Origin> {
        let told = serde_json::to_vec(&(env!("RHIZOGRAPH_METHODS"), intake, inking, dpi)).ok()?;
        Some(Origin { hash: Sha256::digest(told).into(), colour: inking.lift.ink_colour })
    }

    /// The ink that the lines of a sheet were traced from.
    pub fn of_lines(sheet: &Sheet) -> Option<Origin> {
        let (inking, dpi) = sheet.inking_of_lines();
        Origin::of(&sheet.recipes.intake, &inking, dpi)
    }
}

/// The ink of a drawing, if what is kept is of that origin.
pub async fn kept(pool: &PgPool, drawing: i64, origin: Option<Origin>) -> sqlx::Result<Option<Inked>> {
    let Some(Origin { hash, colour }) = origin else { return Ok(None) };
    let Some(KeptInk { width, height, facts, alpha }) = inks::ink(pool, drawing, &hash).await? else {
        return Ok(None);
    };
    let read = move || of_runs(&alpha, width, height).map(|data| Plane { width, height, data });
    let alpha = tokio::task::spawn_blocking(read).await.ok().flatten();
    Ok(alpha.map(|alpha| Ok((Ink::plain(alpha, colour), facts))))
}

/// Keeps the ink of a drawing, unless it is kept already or takes too much: the colours of each pixel would.
pub async fn keep(pool: &PgPool, drawing: i64, origin: Option<Origin>, inked: &Arc<Inked>) {
    // It can be lifted again at any time, and the drawing may be gone by now.
    if let Err(reason) = try_to_keep(pool, drawing, origin, inked).await {
        tracing::warn!("the ink of drawing {drawing} was not kept: {reason}");
    }
}

async fn try_to_keep(pool: &PgPool, drawing: i64, origin: Option<Origin>, inked: &Arc<Inked>) -> sqlx::Result<()> {
    let (Ok((ink, _)), Some(Origin { hash, .. })) = (&**inked, origin) else { return Ok(()) };
    if ink.drawn.is_some() || inks::has_ink(pool, drawing, &hash).await? {
        return Ok(());
    }
    let inked = inked.clone();
    let in_runs = move || {
        let (ink, facts) = (*inked).as_ref().ok()?;
        let Plane { width, height, data } = &ink.alpha;
        Some(KeptInk { width: *width, height: *height, facts: facts.clone(), alpha: in_runs::<1>(data, *width) })
    };
    match tokio::task::spawn_blocking(in_runs).await.ok().flatten() {
        Some(ink) => inks::keep_ink(pool, drawing, &hash, &ink).await,
        None => Ok(()),
    }
}
