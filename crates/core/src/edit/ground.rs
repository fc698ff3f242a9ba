//! What a step may ask of the drawing it is planned on.

use crate::error::Error;
use crate::raster::ink::Ink;
use crate::scene::Scene;

/// What a step stands on. It asks for what it needs, so nothing else need be there.
pub trait Ground {
    /// The sheet's lifted ink. Errors: there is none, and why.
    fn lifted(&self) -> Result<&Ink, Error>;
    /// What is computed from the sheet over that ink.
    fn scene(&self) -> &Scene;
    /// The ids of the swatches in the shot's colour model.
    fn swatches(&self) -> &[String];
}

/// All of it, given beforehand.
#[derive(Clone, Copy)]
pub struct Given<'a> {
    pub lifted: &'a Ink,
    pub scene: &'a Scene,
    pub swatches: &'a [String],
}

impl Ground for Given<'_> {
    fn lifted(&self) -> Result<&Ink, Error> {
        Ok(self.lifted)
    }

    fn scene(&self) -> &Scene {
        self.scene
    }

    fn swatches(&self) -> &[String] {
        self.swatches
    }
}
