//! Paint carried to a drawing from the drawings beside it.

use super::error::Error;
use super::steps::Asker;
use super::{Bench, Turn, apart};
use crate::api::StepTold;
use crate::store::{self, Placed};
use rhizograph_core::edit::{Command, PaintStep};
use rhizograph_core::shot::carry::{Painted, proposed_drops};

/// How far off a drawing painted by hand is listened to from the other side, drawings.
const FARTHEST: usize = 12;

/// The drawings that one is painted from: the nearest with paint on the side that the paint comes from, and the nearest
/// painted by hand on the other. `back`: it comes from behind.
pub fn sources(all: &[Placed], drawing: i64, back: bool) -> Vec<i64> {
    let Some(here) = all.iter().position(|d| d.id == drawing) else { return Vec::new() };
    let paints = |d: &&Placed| d.progress.painted > 0;
    let (before, behind) = (all[..here].iter().rev(), all[here + 1..].iter());
    let both = if back {
        [behind.clone().find(paints), before.take(FARTHEST).find(|d| d.is_painted_by_hand())]
    } else {
        [before.clone().find(paints), behind.take(FARTHEST).find(|d| d.is_painted_by_hand())]
    };
    both.into_iter().flatten().map(|d| d.id).collect()
}

impl Bench {
    /// Paints a drawing from those beside it. Errors: none of them is painted; the drawing was changed meanwhile.
    pub async fn carry_to(&self, id: i64, author: String, back: bool) -> Result<(i64, StepTold), Error> {
        let shot = store::shot_of(&self.pool, id).await.map_err(Error::of_drawing)?;
        let all = store::placed(&self.pool, shot).await?;
        let mut from = Vec::new();
        let mut name = None;
        for source in sources(&all, id, back) {
            let open = self.open(source).await?;
            name.get_or_insert_with(|| open.stored.name.clone());
            from.push(apart(move || Painted::of(&open.stored.sheet, &open.scene)).await?);
        }
        let Some(drawing) = name else {
            return Err(Error::Asked("nothing is painted that it could be painted from".into()));
        };
        let open = self.open(id).await?;
        if open.stored.sheet.traced.is_none() {
            return Err(Error::Asked("it has no lines yet: lift and trace it first".into()));
        }
        let revision = open.stored.revision;
        let carrying = move || proposed_drops(&from.iter().collect::<Vec<_>>(), &open.scene);
        let drops = self.heavy(id, Turn::Step, carrying).await?;
        let asked = Asker { author, revision, numbering: 0 };
        self.command(id, asked, Command::Paint(PaintStep::Carry { drawing, drops })).await
    }
}
