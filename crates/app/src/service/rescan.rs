//! A drawing replaced by a new scan of it: lifted and traced by its settings, with what was done to it by hand.

use super::error::Error;
use super::{Bench, Turn};
use crate::intake::NewDrawing;
use crate::progress;
use crate::reader;
use crate::store;
use rhizograph_core::edit::{Command, FindingsStep, Given, TraceStep, plan};
use rhizograph_core::intake::lay_out;
use rhizograph_core::model::recipe::{LiftRecipe, Recipes};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::preview::Stages;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_core::shot::rescan::{TakenOver, cut_before, erased_before, take_over};
use rhizograph_formats::{Input, Reading};

impl Bench {
    /// Has a drawing that comes in take over what another one has, which it is a new scan of. Gives it with what was kept, in
    /// words. Errors: that one is not there.
    pub async fn rescanned(&self, id: i64, new: NewDrawing, bytes: Vec<u8>) -> Result<(NewDrawing, Vec<u8>), Error> {
        let old = store::load(&self.pool, id).await.map_err(Error::of_drawing)?;
        let page = Reading { page: new.page[0], ..Reading::default() };
        let (read, bytes) = super::apart(move || (reader::contents(&bytes, page), bytes)).await?;
        let read = read?;
        let made = self.heavy(id, Turn::Step, move || rescanned(&old.sheet, new, read)).await??;
        Ok((NewDrawing { name: old.name, ..made }, bytes))
    }
}

fn rescanned(old: &Sheet, new: NewDrawing, read: Input) -> Result<NewDrawing, Error> {
    let own = &new.sheet.recipes;
    let lift = LiftRecipe { points: own.lift.points, polarity: own.lift.polarity, ..old.recipes.lift.clone() };
    let recipes = Recipes { intake: own.intake.clone(), lift, ..old.recipes.clone() };
    let mut sheet = Sheet { recipes: recipes.clone(), ..new.sheet };
    let mut places = [0, 0];
    let ink = match read {
        // Vector art is all drawn by its lines.
        Input::Vector(_) => Ink::plain(Plane::new(sheet.width, sheet.height, 0), recipes.lift.ink_colour),
        Input::Raster(raster) => {
            let rgb = lay_out(raster.rgb, &recipes.intake)?;
            let inked = Stages::default().ink(&rgb, &sheet.inking(), sheet.dpi);
            let (ink, _) = (*inked).as_ref().map_err(Clone::clone)?;
            let erased;
            (erased, places) = erased_before(old, sheet.dpi, &ink.alpha);
            erased.into_iter().for_each(|e| sheet.erase(e));
            let before = Scene::of(&sheet, &Ink::plain(Plane::new(sheet.width, sheet.height, 0), [0; 3]));
            let step = Command::Trace(TraceStep::Prepare { recipes: Box::new(recipes) });
            let change = plan(&sheet, &step, &Given { lifted: ink, scene: &before, swatches: &[] })?;
            sheet = change.apply(&sheet)?;
            ink.clone()
        }
    };
    let seen = Scene::of(&sheet, &ink).ink.alpha;
    let TakenOver { lines: [kept, of], drops } = take_over(old, &mut sheet, &seen);
    let mut scene = Scene::of(&sheet, &ink);
    let cut = cut_before(old, &sheet, &scene);
    let mut notes = new.notes;
    if !cut.is_empty() {
        notes.push(format!("{} tails that were cut were cut again", cut.len()));
        let step = Command::Findings(FindingsStep::Settle { ids: cut, with: None });
        let change = plan(&sheet, &step, &Given { lifted: &ink, scene: &scene, swatches: &[] })?;
        sheet = change.apply(&sheet)?;
        scene = Scene::of(&sheet, &ink);
    }
    let progress = progress::of(&sheet, &scene);
    if of > 0 {
        notes.push(format!("{kept} of {of} lines that were made by hand still lie on ink, and were kept"));
    }
    let [again, of] = places;
    let at = |n: usize| if n == 1 { "one place".to_owned() } else { format!("{n} places") };
    if again > 0 {
        notes.push(format!("what was erased or led elsewhere by hand is so again at {}", at(again)));
    }
    if of > again {
        notes.push(format!("nothing lies any more where something was erased by hand, at {}", at(of - again)));
    }
    if drops > 0 {
        notes.push(format!("{drops} drops of paint were kept at their places"));
    }
    Ok(NewDrawing { sheet, progress, notes, ..new })
}
