//! Changes: the difference between two states of a sheet, both ways, by the keys of what changes.

use super::swap::{Swap, Way};
use crate::error::Error;
use crate::geom::{Bounds, Pt};
use crate::model::by_hand::{Effect, Touch};
use crate::model::erasure::Erasure;
use crate::model::line::Line;
use crate::model::numbered::Numbered;
use crate::model::paint::Drop;
use crate::model::pixels::bounds_of;
use crate::model::recipe::Recipes;
use crate::model::reweighed::Reweighed;
use crate::model::sheet::{Sheet, TracedWith};
use crate::model::verdict::Settled;
use rustc_hash::FxHashSet;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

type BeforeAfter<T> = (T, T);

/// What changes of what was done to the lift by hand.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
struct ByHandSwap {
    touches: Swap<Numbered<Touch>>,
    inverted: Swap<Effect>,
    protected: Swap<Pt>,
}

/// The difference between two states of a sheet, both ways.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Change {
    /// What was done, in a few words for the undo button.
    pub label: String,
    /// Width, height, resolution, whether that is assumed.
    size: Option<BeforeAfter<(usize, usize, f64, bool)>>,
    by_hand: ByHandSwap,
    reweighed: Swap<Reweighed>,
    recipes: Option<Box<BeforeAfter<Recipes>>>,
    lines: Swap<Arc<Line>>,
    erased: Swap<Numbered<Erasure>>,
    drops: Swap<Numbered<Drop>>,
    settled: Swap<Numbered<Settled>>,
    next_id: (u64, u64),
    traced: Option<Box<BeforeAfter<Option<Box<TracedWith>>>>>,
}

impl Change {
    pub(super) fn between(before: &Sheet, after: &Sheet, label: String) -> Change {
        let recipes =
            (before.recipes != after.recipes).then(|| Box::new((before.recipes.clone(), after.recipes.clone())));
        let size = |s: &Sheet| (s.width, s.height, s.dpi, s.dpi_assumed);
        let (b, a) = (&before.by_hand, &after.by_hand);
        Change {
            label,
            size: (size(before) != size(after)).then(|| (size(before), size(after))),
            by_hand: ByHandSwap {
                touches: Swap::between(&b.touches, &a.touches),
                inverted: Swap::between(&b.inverted, &a.inverted),
                protected: Swap::between(&b.protected, &a.protected),
            },
            reweighed: Swap::between(&before.reweighed, &after.reweighed),
            recipes,
            lines: Swap::between(&before.lines, &after.lines),
            erased: Swap::between(&before.erased, &after.erased),
            drops: Swap::between(&before.drops, &after.drops),
            settled: Swap::between(&before.settled, &after.settled),
            next_id: (before.next_id, after.next_id),
            traced: (before.traced != after.traced).then(|| Box::new((before.traced.clone(), after.traced.clone()))),
        }
    }

    /// Whether it changes nothing.
    pub fn is_empty(&self) -> bool {
        self.recipes.is_none()
            && self.size.is_none()
            && self.by_hand.touches.is_empty()
            && self.by_hand.inverted.is_empty()
            && self.by_hand.protected.is_empty()
            && self.reweighed.is_empty()
            && self.traced.is_none()
            && self.lines.is_empty()
            && self.erased.is_empty()
            && self.drops.is_empty()
            && self.settled.is_empty()
    }

    /// Whether settings are others after it.
    pub(super) fn sets_recipes(&self) -> bool {
        self.recipes.is_some()
    }

    /// Whether the work by hand on the lift is another.
    pub(super) fn is_by_hand(&self) -> bool {
        let ByHandSwap { touches, inverted, protected } = &self.by_hand;
        !(touches.is_empty() && inverted.is_empty() && protected.is_empty())
    }

    /// Whether verdicts come or go.
    pub(super) fn settles(&self) -> bool {
        !self.settled.is_empty()
    }

    /// Where drops come or go.
    pub(super) fn drops(&self) -> impl Iterator<Item = Pt> {
        self.drops.items().map(|d| d.at)
    }

    /// Whether paint goes or changes that was carried from another drawing, or is told to be unlike one.
    pub fn settles_carried(&self) -> bool {
        self.drops.gone.iter().any(|d| d.like.is_some())
    }

    /// The erasures that come or go.
    pub(super) fn erasures(&self) -> impl Iterator<Item = &Erasure> {
        self.erased.items().map(|e| &e.it)
    }

    /// The ids of lines that come, go or change, and where lines come or go that bear no ink or leave it where it was.
    pub(super) fn lines_with_places(&self) -> (FxHashSet<u64>, Vec<Bounds>) {
        let of = |lines: &mut dyn Iterator<Item = &Arc<Line>>| lines.map(|l| l.id).collect::<FxHashSet<u64>>();
        let (gone, came) = (of(&mut self.lines.gone.iter()), of(&mut self.lines.came.iter()));
        let is_whole = |l: &&Arc<Line>| l.is_seam() || gone.contains(&l.id) != came.contains(&l.id);
        let boxes = self.lines.items().filter(is_whole).map(|l| l.bounds()).collect();
        let weighed = self.reweighed.items().map(|r| r.line);
        (gone.iter().chain(&came).copied().chain(weighed).collect(), boxes)
    }

    /// The ids of lines that come, go or change.
    pub fn line_ids(&self) -> impl Iterator<Item = u64> {
        self.lines.items().map(|l| l.id)
    }

    /// Whether it is about some of the same as another one: the same line, drop, verdict, setting, or everything.
    pub(super) fn meets(&self, other: &Change) -> bool {
        let is_of_all = |c: &Change| c.size.is_some() || c.traced.is_some() || c.lays_out();
        let (a, b) = (&self.by_hand, &other.by_hand);
        is_of_all(self)
            || is_of_all(other)
            || (self.sets_recipes() && other.sets_recipes())
            || a.touches.meets(&b.touches)
            || a.inverted.meets(&b.inverted)
            || a.protected.meets(&b.protected)
            || self.lines.meets(&other.lines)
            || self.erased.meets(&other.erased)
            || self.reweighed.meets(&other.reweighed)
            || self.drops.meets(&other.drops)
            || self.settled.meets(&other.settled)
    }

    /// Boxes of the ink that it changes, and of its lines.
    pub(super) fn places(&self) -> Vec<Bounds> {
        let lines = self.lines.items().map(|l| l.bounds().around(&bounds_of(l)));
        let erased = self.erased.items().map(|e| e.bounds());
        lines.chain(erased).chain(self.reweighed.items().map(Reweighed::bounds)).collect()
    }

    /// Whether the sheet lies otherwise after it.
    pub fn lays_out(&self) -> bool {
        self.size.is_some() || self.recipes.as_ref().is_some_and(|r| r.0.intake != r.1.intake)
    }

    /// The sheet after the change. Errors: it was planned on another state.
    pub fn apply(&self, sheet: &Sheet) -> Result<Sheet, Error> {
        self.lead(sheet, Way::Forth)
    }

    /// The sheet before the change. Errors: it is not in the state the change left.
    pub fn undo(&self, sheet: &Sheet) -> Result<Sheet, Error> {
        self.lead(sheet, Way::Back)
    }

    fn lead(&self, sheet: &Sheet, way: Way) -> Result<Sheet, Error> {
        let mut s = sheet.clone();
        self.lines.lead(&mut s.lines, way)?;
        self.erased.lead(&mut s.erased, way)?;
        self.drops.lead(&mut s.drops, way)?;
        self.settled.lead(&mut s.settled, way)?;
        self.by_hand.touches.lead(&mut s.by_hand.touches, way)?;
        self.by_hand.inverted.lead(&mut s.by_hand.inverted, way)?;
        self.by_hand.protected.lead(&mut s.by_hand.protected, way)?;
        self.reweighed.lead(&mut s.reweighed, way)?;
        if let Some(size) = &self.size {
            (s.width, s.height, s.dpi, s.dpi_assumed) = *way.end(size);
        }
        if let Some(recipes) = &self.recipes {
            s.recipes = way.end(recipes).clone();
        }
        let (before, after) = self.next_id;
        s.next_id = match way {
            Way::Forth => s.next_id.max(after),
            // Numbers that somebody else's step took meanwhile stay taken.
            Way::Back if s.next_id == after => before,
            Way::Back => s.next_id,
        };
        if let Some(traced) = &self.traced {
            s.traced = way.end(traced).clone();
        }
        Ok(s)
    }
}
