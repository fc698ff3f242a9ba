//! A drawing as background work reads it: as it is stored, with its file.

use crate::reader;
use crate::service::open::ink_or_none;
use crate::store::{self, Stored};
use rhizograph_core::intake::lay_out;
use rhizograph_core::preview::Stages;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_formats::{Input, Reading};
use sqlx::PgPool;

/// A drawing as it is stored, with its file.
pub struct Read {
    pub stored: Stored,
    bytes: Vec<u8>,
    how: Reading,
}

impl Read {
    pub async fn of(pool: &PgPool, drawing: i64) -> sqlx::Result<Read> {
        let stored = store::load(pool, drawing).await?;
        let (bytes, how) = store::original(pool, drawing).await?;
        let layer = stored.sheet.recipes.intake.layer.clone();
        Ok(Read { stored, bytes, how: Reading { layer, ..how } })
    }

    /// What is computed of it, with its lifted ink. Errors: why it cannot be, in words.
    pub fn scene(&self) -> Result<(Scene, Ink), String> {
        let sheet = &self.stored.sheet;
        let lifted = match reader::contents(&self.bytes, self.how.clone()).map_err(|e| e.to_string())? {
            // Vector art is all drawn by its lines.
            Input::Vector(_) => Ink::plain(Plane::new(sheet.width, sheet.height, 0), sheet.recipes.lift.ink_colour),
            Input::Raster(raster) => {
                let rgb = lay_out(raster.rgb, &sheet.recipes.intake).map_err(|e| e.to_string())?;
                let (inking, dpi) = sheet.inking_of_lines();
                ink_or_none(sheet, &Stages::default().ink(&rgb, &inking, dpi)).into_owned()
            }
        };
        let scene = Scene::of(sheet, &lifted);
        Ok((scene, lifted))
    }
}
