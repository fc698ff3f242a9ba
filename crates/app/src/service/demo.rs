//! The demo production, put into an empty database.

use crate::demo::{PHOTOGRAPHED, drawn, photographed, sheets};
use crate::{reader, store};
use rhizograph_demo::swatches;
use sqlx::PgPool;

/// Why the demo is not there.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    #[error("the demo could not be stored: {0}")]
    Store(#[from] sqlx::Error),
    #[error("the demo could not be made: {0}")]
    Made(String),
}

/// Puts the demo production into the database, all of it or, where that breaks off, none.
pub async fn load(pool: &PgPool) -> Result<(), Error> {
    let made = || Ok((sheets().collect::<Result<Vec<_>, _>>()?, photographed(PHOTOGRAPHED)?, drawn()?));
    let (sheets, photo, (drawing, bare)) = tokio::task::spawn_blocking(made)
        .await
        .map_err(|e| Error::Made(e.to_string()))?
        .map_err(|e: rhizograph_formats::Error| Error::Made(e.to_string()))?;
    let mut tx = pool.begin().await?;
    let production = store::add_production(&mut *tx, rhizograph_demo::PRODUCTION).await?;
    for (number, name, files) in [
        (rhizograph_demo::SHOT, rhizograph_demo::SHOT_NAME, sheets),
        (rhizograph_demo::PHOTO_SHOT, rhizograph_demo::PHOTO_SHOT_NAME, vec![photo]),
    ] {
        let shot = store::add_shot(&mut *tx, production, number, name, &swatches()).await?;
        for (name, bytes) in files {
            let pegs = store::pegs_of_shot(&mut *tx, shot).await?;
            let reading = tokio::task::spawn_blocking(move || (reader::drawing(&name, &bytes, pegs), bytes));
            let (drawing, bytes) = reading.await.map_err(|e| Error::Made(e.to_string()))?;
            let drawing = drawing.map_err(|e| Error::Made(e.to_string()))?;
            store::insert_drawing(&mut tx, shot, &drawing, &bytes).await?;
        }
    }
    let (number, name) = (rhizograph_demo::DRAWN_SHOT, rhizograph_demo::DRAWN_SHOT_NAME);
    let shot = store::add_shot(&mut *tx, production, number, name, &swatches()).await?;
    store::insert_drawing(&mut tx, shot, &drawing, &bare).await?;
    Ok(tx.commit().await?)
}
