//! The demo production, put into an empty database.

use crate::demo::{PHOTOGRAPHED, drawn, photographed, sheets};
use crate::intake::NewDrawing;
use crate::reader;
use crate::store::{self, Original};
use rhizograph_core::intake::Marks;
use rhizograph_demo::swatches;
use sqlx::PgPool;
use tokio::task::JoinHandle;

/// Why the demo is not there.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    #[error("the demo could not be stored: {0}")]
    Store(#[from] sqlx::Error),
    #[error("the demo could not be made: {0}")]
    Made(String),
}

type Read = (Result<NewDrawing, reader::Error>, Vec<u8>);

/// Reads a sheet's file apart.
fn read((name, bytes): (String, Vec<u8>), pegs: Option<Marks>) -> JoinHandle<Read> {
    tokio::task::spawn_blocking(move || (reader::drawing(&name, &bytes, pegs), bytes))
}

/// Puts the demo production into the database, all of it or, where that breaks off, none.
pub async fn load(pool: &PgPool) -> Result<(), Error> {
    let made = || {
        let (sheets, (photo, drawn)) = rayon::join(sheets, || rayon::join(|| photographed(PHOTOGRAPHED), drawn));
        Ok((sheets?, photo?, drawn?))
    };
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
        // The first sheet tells where the shot's pegs are; then all others are read at once.
        let mut pegs = None;
        let mut files = files.into_iter();
        loop {
            let at_once = if pegs.is_none() { 1 } else { files.len() };
            let reading: Vec<_> = files.by_ref().take(at_once).map(|file| read(file, pegs)).collect();
            if reading.is_empty() {
                break;
            }
            for read in reading {
                let (drawing, bytes) = read.await.map_err(|e| Error::Made(e.to_string()))?;
                let drawing = drawing.map_err(|e| Error::Made(e.to_string()))?;
                store::insert_drawing(&mut tx, shot, &drawing, Original::Bytes(&bytes)).await?;
            }
            pegs = store::pegs_of_shot(&mut *tx, shot).await?;
        }
    }
    let (number, name) = (rhizograph_demo::DRAWN_SHOT, rhizograph_demo::DRAWN_SHOT_NAME);
    let shot = store::add_shot(&mut *tx, production, number, name, &swatches()).await?;
    store::insert_drawing(&mut tx, shot, &drawing, Original::Bytes(&bare)).await?;
    Ok(tx.commit().await?)
}
