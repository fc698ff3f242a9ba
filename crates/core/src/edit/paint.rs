//! Steps: paint put into regions and taken out; colours of lines.

use super::ground::Ground;
use super::limits::counted;
use crate::error::Error;
use crate::geom::Pt;
use crate::model::line::{Line, Made};
use crate::model::numbered::Numbered;
use crate::model::paint::Drop;
use crate::model::sheet::Sheet;
use crate::scene::Scene;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use std::sync::Arc;
use ts_rs::TS;

/// Paint put into regions and taken out.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum PaintStep {
    /// Fills the regions at these places.
    Fill { at: Vec<Pt>, swatch: String },
    /// Fills every region that has no paint.
    FillEmpties { swatch: String },
    /// Takes the paint out of the regions at these places.
    Clear { at: Vec<Pt> },
    /// Gives lines the colour of a swatch; without one, the ink's.
    ColourLines {
        #[ts(type = "number[]")]
        lines: Vec<u64>,
        swatch: Option<String>,
    },
}

impl PaintStep {
    /// How many places it names.
    pub(super) fn named(&self) -> usize {
        match self {
            PaintStep::Fill { at, .. } | PaintStep::Clear { at } => at.len(),
            PaintStep::ColourLines { lines, .. } => lines.len(),
            PaintStep::FillEmpties { .. } => 0,
        }
    }

    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet, ground: &dyn Ground) -> Result<String, Error> {
        let scene = ground.scene();
        Ok(match self {
            PaintStep::Fill { at, swatch } => {
                known(ground.swatches(), swatch)?;
                let mut had: FxHashMap<u32, Vec<&Numbered<Drop>>> = FxHashMap::default();
                for drop in &after.drops {
                    had.entry(region_of(scene, drop.at)).or_default().push(drop);
                }
                let mut new = Vec::new();
                let mut filled = HashSet::new();
                for &p in at {
                    let region = scene.regions.at(p).ok_or(Error::NoRegion(p.x, p.y))?;
                    let is_as_asked =
                        matches!(had.get(&region.id).map(Vec::as_slice), Some([d]) if d.swatch == *swatch);
                    if !is_as_asked && filled.insert(region.id) {
                        new.push(Drop { at: region.seed, swatch: swatch.clone() });
                    }
                }
                after.drops.retain(|d| !filled.contains(&region_of(scene, d.at)));
                new.into_iter().for_each(|drop| after.drop_paint(drop));
                counted("filled", filled.len(), "region")
            }
            PaintStep::FillEmpties { swatch } => {
                known(ground.swatches(), swatch)?;
                let empty = scene.regions.iter().filter(|r| scene.fill(r.id).is_none());
                let new: Vec<Drop> = empty.map(|r| Drop { at: r.seed, swatch: swatch.clone() }).collect();
                let label = counted("filled", new.len(), "empty region");
                new.into_iter().for_each(|drop| after.drop_paint(drop));
                label
            }
            PaintStep::Clear { at } => {
                let region = |p: &Pt| scene.regions.at(*p).map(|r| r.id).ok_or(Error::NoRegion(p.x, p.y));
                let asked = at.iter().map(region).collect::<Result<HashSet<u32>, _>>()?;
                after.drops.retain(|d| !asked.contains(&region_of(scene, d.at)));
                counted("cleared", asked.len(), "region")
            }
            PaintStep::ColourLines { lines, swatch } => {
                swatch.iter().try_for_each(|s| known(ground.swatches(), s))?;
                let asked: HashSet<u64> = lines.iter().copied().collect();
                let there = after.lines.iter().filter(|l| asked.contains(&l.id)).count();
                if there < asked.len() {
                    let is_there = |id: &&u64| after.lines.iter().any(|l| l.id == **id);
                    return Err(Error::NoSuchLine(*asked.iter().find(|id| !is_there(id)).unwrap_or(&0)));
                }
                let others = |l: &&mut Arc<Line>| asked.contains(&l.id) && !l.is_seam() && l.swatch != *swatch;
                let mut n = 0;
                for line in after.lines.iter_mut().filter(others) {
                    let line = Arc::make_mut(line);
                    line.swatch.clone_from(swatch);
                    // Tracing again is to keep its colour.
                    if line.made == Made::Traced {
                        line.made = Made::Edited;
                    }
                    n += 1;
                }
                counted("coloured", n, "line")
            }
        })
    }
}

/// The number of the region at a place; 0: none.
fn region_of(scene: &Scene, at: Pt) -> u32 {
    scene.regions.at(at).map_or(0, |r| r.id)
}

/// Refuses a swatch that is not in the shot's colour model.
pub(super) fn known(swatches: &[String], swatch: &str) -> Result<(), Error> {
    if swatches.iter().any(|s| s == swatch) { Ok(()) } else { Err(Error::NoSuchSwatch(swatch.to_owned())) }
}
