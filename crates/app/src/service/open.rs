//! A drawing with all that is computed of it.

use super::held::{SceneAt, Slot};
use crate::store::Stored;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::preview::Inked;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::{Scene, SceneEdited};
use std::borrow::Cow;
use std::ops::Deref;
use std::sync::Arc;
use tokio::sync::OwnedRwLockReadGuard;

/// A drawing with its computed scene, which is not changed while this is held.
pub struct Open {
    pub stored: Arc<Stored>,
    pub lifted: Arc<Inked>,
    pub scene: SceneHeld,
    pub vector: bool,
}

/// A scene that nobody changes as long as this is there.
pub struct SceneHeld(pub(super) OwnedRwLockReadGuard<SceneAt>);

impl SceneHeld {
    /// Tells one numbering of regions from another, whichever server made it.
    pub fn numbering(&self) -> u64 {
        self.0.numbering
    }
}

impl Deref for SceneHeld {
    type Target = Scene;
    fn deref(&self) -> &Scene {
        &self.0.scene
    }
}

/// A drawing whose state is known with its scene, if that is of the same revision.
pub(super) async fn known_open(slot: &Slot, stored: Arc<Stored>) -> Option<Open> {
    let (scene, lifted, is_vector) = {
        let known = slot.known();
        (known.scene.clone()?, known.lifted.clone()?, known.is_vector == Some(true))
    };
    let scene = scene.read_owned().await;
    let (inking, dpi) = stored.sheet.inking_of_lines();
    let is_same = lifted.intake == stored.sheet.recipes.intake && lifted.inking == inking && lifted.dpi == dpi;
    (scene.revision == stored.revision && is_same).then(|| Open {
        stored,
        lifted: lifted.inked,
        scene: SceneHeld(scene),
        vector: is_vector,
    })
}

/// The ink that was lifted, or none where lifting failed.
pub fn ink_or_none<'a>(sheet: &Sheet, lifted: &'a Inked) -> Cow<'a, Ink> {
    match lifted {
        Ok((ink, _)) => Cow::Borrowed(ink),
        Err(_) => Cow::Owned(Ink::plain(Plane::new(sheet.width, sheet.height, 0), [0; 3])),
    }
}

/// The scene of a sheet, computed anew.
pub fn scene_of(sheet: &Sheet, lifted: &Inked) -> Scene {
    Scene::of(sheet, &ink_or_none(sheet, lifted))
}

pub(super) fn advance(scene: &mut Scene, before: &Sheet, after: &Sheet, lifted: &Inked) -> Option<SceneEdited> {
    scene.advance(before, after, &ink_or_none(after, lifted))
}
