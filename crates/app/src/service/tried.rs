//! Steps tried: what one would make of lines, told without doing it; and lines as they are, to be pasted elsewhere.

use super::steps::Standing;
use super::view::SEEN;
use super::{Bench, apart, pictures};
use crate::api::{TriedLine, TriedTold};
use crate::service::error::Error;
use crate::store;
use rhizograph_core::draw::area_of;
use rhizograph_core::edit::{Command, HoldStep, plan};
use rhizograph_core::model::line::{Line, unlike};
use std::collections::HashSet;

/// The most lines that are told of: more of them nobody tells apart.
const MOST_TOLD: usize = 2000;

impl Bench {
    /// The lines that a step with lines would leave, each as the area of its ink; none where it cannot be done.
    pub async fn tried(&self, id: i64, command: Command) -> Result<TriedTold, Error> {
        if !matches!(command, Command::Mend(_) | Command::Hold(_)) {
            return Err(Error::Asked("only what is done to lines by hand is tried".into()));
        }
        let open = self.open(id).await?;
        let swatches = store::swatches(&self.pool, open.stored.shot).await.map_err(Error::of_shot)?;
        apart(move || {
            let before = &open.stored.sheet;
            let revision = open.stored.revision;
            let ground = Standing { lifted: &open.lifted, scene: &open.scene, swatches: &[] };
            let change = match plan(before, &command, &ground) {
                Ok(change) => change,
                Err(e) => {
                    return Ok(TriedTold { revision, label: e.to_string(), gone: vec![], lines: vec![], unlike: None });
                }
            };
            let after = change.apply(before)?;
            let (gone, came) = unlike(&before.lines, &after.lines);
            let gone = gone.into_iter().take(MOST_TOLD).map(|l| l.id).collect();
            let told = |l: &Line| TriedLine { id: l.id, path: SEEN.rings(&area_of(l)) };
            let lines = came.into_iter().take(MOST_TOLD).map(|l| told(l)).collect();
            let is_tidying = matches!(&command, Command::Hold(HoldStep::Tidy { .. }));
            let unlike = is_tidying.then(|| pictures::unlike(&open, &after, &swatches));
            Ok(TriedTold { revision, label: change.label, gone, lines, unlike })
        })
        .await?
    }

    /// Lines of a drawing as they are. Errors: one is not there.
    pub async fn lines(&self, id: i64, asked: Vec<u64>) -> Result<Vec<Line>, Error> {
        let open = self.open(id).await?;
        let ids: HashSet<u64> = asked.iter().copied().collect();
        let found: Vec<Line> =
            open.stored.sheet.lines.iter().filter(|l| ids.contains(&l.id)).map(|l| (**l).clone()).collect();
        match asked.iter().find(|id| !found.iter().any(|l| l.id == **id)) {
            Some(gone) => Err(rhizograph_core::Error::NoSuchLine(*gone).into()),
            None => Ok(found),
        }
    }
}
