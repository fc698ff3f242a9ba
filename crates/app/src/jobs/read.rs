//! A drawing as background work reads it: as it is stored, with its ink as it was kept, or else its file.

use crate::reader;
use crate::service::inks::{self, Origin};
use crate::service::open::ink_or_none;
use crate::store::{self, Stored};
use rhizograph_core::intake::lay_out;
use rhizograph_core::preview::{Inked, Stages};
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_formats::{Input, Reading};
use sqlx::PgPool;

/// A drawing as it is stored, with what its ink comes from.
pub struct Read {
    pub stored: Stored,
    from: InkFrom,
}

/// What the ink of a drawing comes from.
enum InkFrom {
    Kept(Box<Inked>),
    File { bytes: Vec<u8>, how: Reading },
}

impl Read {
    pub async fn of(pool: &PgPool, drawing: i64) -> sqlx::Result<Read> {
        let stored = store::load(pool, drawing).await?;
        let from = match inks::kept(pool, drawing, Origin::of_lines(&stored.sheet)).await? {
            Some(inked) => InkFrom::Kept(Box::new(inked)),
            None => {
                let (bytes, how) = store::original(pool, drawing).await?;
                let layer = stored.sheet.recipes.intake.layer.clone();
                InkFrom::File { bytes, how: Reading { layer, ..how } }
            }
        };
        Ok(Read { stored, from })
    }

    /// What is computed of it, with its lifted ink. Errors: why it cannot be, in words.
    pub fn scene(&self) -> Result<(Scene, Ink), String> {
        let sheet = &self.stored.sheet;
        let lifted = match &self.from {
            InkFrom::Kept(inked) => ink_or_none(sheet, inked).into_owned(),
            InkFrom::File { bytes, how } => self.lifted(bytes, how)?,
        };
        let scene = Scene::of(sheet, &lifted);
        Ok((scene, lifted))
    }

    fn lifted(&self, bytes: &[u8], how: &Reading) -> Result<Ink, String> {
        let sheet = &self.stored.sheet;
        Ok(match reader::contents(bytes, how.clone()).map_err(|e| e.to_string())? {
            // Vector art is all drawn by its lines.
            Input::Vector(_) => Ink::plain(Plane::new(sheet.width, sheet.height, 0), sheet.recipes.lift.ink_colour),
            Input::Raster(raster) => {
                let rgb = lay_out(raster.rgb, &sheet.recipes.intake).map_err(|e| e.to_string())?;
                let (inking, dpi) = sheet.inking_of_lines();
                ink_or_none(sheet, &Stages::default().ink(&rgb, &inking, dpi)).into_owned()
            }
        })
    }
}
