//! The state of one drawing.

use crate::geom::spine::Spine;
use crate::geom::{Bounds, Pt};
use crate::model::by_hand::{ByHand, Touch};
use crate::model::erasure::Erasure;
use crate::model::inking::Inking;
use crate::model::keyed::sort;
use crate::model::line::{Form, Line, Made};
use crate::model::numbered::Numbered;
use crate::model::order::Order;
use crate::model::paint::{Drop, parted};
use crate::model::recipe::{FileLayer, Recipes, TraceRecipe};
use crate::model::reweighed::Reweighed;
use crate::model::verdict::Settled;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;
use ts_rs::TS;

/// Nothing on a sheet lies farther off than this, px.
pub const FARTHEST: f64 = 1e6;

/// All that a drawing is besides its original: every edit changes this, and undoing gives back what was, field by field.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Sheet {
    /// Of the sheet as it is laid out, px.
    pub width: usize,
    pub height: usize,
    /// Width and height of the original, px.
    pub original: [usize; 2],
    pub dpi: f64,
    /// The file did not tell its resolution and nobody was asked yet.
    pub dpi_assumed: bool,
    pub recipes: Recipes,
    pub by_hand: ByHand,
    #[ts(type = "number")]
    pub next_id: u64,
    /// From the lowest to the topmost.
    pub lines: Vec<Arc<Line>>,
    pub erased: Vec<Numbered<Erasure>>,
    /// Lines whose weight was changed after tracing, by their ids.
    pub reweighed: Vec<Reweighed>,
    pub drops: Vec<Numbered<Drop>>,
    pub settled: Vec<Numbered<Settled>>,
    /// What the lines were last traced with; `None` before the first time.
    pub traced: Option<Box<TracedWith>>,
}

/// The settings that decide what tracing gives.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct TracedWith {
    pub inking: Inking,
    pub trace: TraceRecipe,
    /// The resolution that their lengths were read at; `None`: the sheet's.
    #[serde(default)]
    pub dpi: Option<f64>,
    /// The layer of the file that they were read off.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub layer: Option<FileLayer>,
}

/// What tracing again keeps: lines somebody made or changed, and what was taken off the pixels.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Spared {
    pub lines: Vec<Arc<Line>>,
    pub erased: Vec<Numbered<Erasure>>,
}

impl Sheet {
    pub fn new(width: usize, height: usize, dpi: f64) -> Sheet {
        Sheet {
            width,
            height,
            original: [width, height],
            dpi,
            dpi_assumed: false,
            recipes: Recipes::default(),
            by_hand: ByHand::default(),
            next_id: 1,
            lines: Vec::new(),
            erased: Vec::new(),
            reweighed: Vec::new(),
            drops: Vec::new(),
            settled: Vec::new(),
            traced: None,
        }
    }

    /// A number that nothing on the sheet has.
    pub fn fresh_id(&mut self) -> u64 {
        self.next_id += 1;
        self.next_id - 1
    }

    fn numbered<T>(&mut self, it: T) -> Numbered<T> {
        Numbered { id: self.fresh_id(), it }
    }

    /// Puts a line on top of all others, with a number of its own.
    pub fn draw(&mut self, line: Line) {
        let (id, order) = (self.fresh_id(), Order::between(self.lines.last().map(|l| &l.order), None));
        self.lines.push(Arc::new(Line { id, order, ..line }));
    }

    /// The same beneath all others.
    pub fn draw_under(&mut self, line: Line) {
        let (id, order) = (self.fresh_id(), Order::between(None, self.lines.first().map(|l| &l.order)));
        self.lines.insert(0, Arc::new(Line { id, order, ..line }));
    }

    pub fn erase(&mut self, erasure: Erasure) {
        let new = self.numbered(erasure);
        self.erased.push(new);
    }

    pub fn drop_paint(&mut self, drop: Drop) {
        let new = self.numbered(drop);
        self.drops.push(new);
    }

    pub fn settle(&mut self, settled: Settled) {
        let new = self.numbered(settled);
        self.settled.push(new);
    }

    pub fn touch_up(&mut self, touch: Touch) {
        let new = self.numbered(touch);
        self.by_hand.touches.push(new);
    }

    /// Where the lifted ink lies in the order: with the lowest line that was traced from it.
    pub fn order_of_lifted(&self) -> Order {
        self.lines.iter().find(|l| !l.is_drawn()).map_or_else(Order::default, |l| l.order.clone())
    }

    /// Puts all lists in the order of their keys.
    pub fn put_in_order(&mut self) {
        sort(&mut self.lines);
        sort(&mut self.erased);
        sort(&mut self.reweighed);
        sort(&mut self.drops);
        sort(&mut self.settled);
        let by_hand = |b: &mut ByHand| {
            sort(&mut b.touches);
            sort(&mut b.inverted);
            sort(&mut b.protected);
        };
        by_hand(&mut self.by_hand);
        if let Some(t) = &mut self.traced {
            by_hand(&mut t.inking.by_hand);
        }
    }

    /// What the ink of this drawing is made by now.
    pub fn inking(&self) -> Inking {
        Inking { lift: self.recipes.lift.clone(), weight: self.recipes.weight.clone(), by_hand: self.by_hand.clone() }
    }

    /// What the ink is made by that the lines lie over, and at which resolution: those of their tracing, once they are
    /// traced.
    pub fn inking_of_lines(&self) -> (Inking, f64) {
        let of = |t: &TracedWith| (t.inking.clone(), t.dpi.unwrap_or(self.dpi));
        self.traced.as_ref().map_or_else(|| (self.inking(), self.dpi), |t| of(t))
    }

    /// The settings tracing would be done with now.
    pub fn tracing(&self) -> TracedWith {
        let layer = self.recipes.intake.layer.clone();
        TracedWith { inking: self.inking(), trace: self.recipes.trace.clone(), dpi: Some(self.dpi), layer }
    }

    /// Whether the lines are those that tracing would give now, edits aside.
    pub fn lines_are_current(&self) -> bool {
        let now = self.tracing();
        let is_now = |t: &TracedWith| *t == TracedWith { dpi: t.dpi.and(now.dpi), ..now.clone() };
        self.traced.as_ref().is_some_and(|t| is_now(t))
    }

    /// What tracing again would keep.
    pub fn spared(&self) -> Spared {
        let lines = self.lines.iter().filter(|l| l.made != Made::Traced).cloned().collect();
        Spared { lines, erased: self.erased.clone() }
    }

    /// Whether all that is drawn and kept on it lies where it can be worked on: numbers that are finite, places at most
    /// [`FARTHEST`] px off.
    pub fn lies_near(&self) -> bool {
        let is_near = |p: &Pt| p.x.abs() <= FARTHEST && p.y.abs() <= FARTHEST;
        let are_near = |spine: &Spine| spine.points.iter().all(is_near);
        let lies = |l: &Arc<Line>| match &l.form {
            Form::Centreline { spine, width, .. } => are_near(spine) && width.iter().all(|k| k[1] <= FARTHEST),
            Form::Seam { spine } => are_near(spine),
            Form::Outline { contours } => contours.iter().all(are_near),
        };
        let holds = |b: Bounds| is_near(&b.min) && is_near(&b.max);
        let by_hand = |b: &ByHand| b.protected.iter().chain(b.touches.iter().flat_map(|t| &t.path)).all(is_near);
        self.lines.iter().all(lies)
            && self.erased.iter().all(|e| holds(e.bounds()))
            && self.reweighed.iter().all(|r| holds(r.bounds()))
            && self.drops.iter().all(|d| is_near(&d.at))
            && self.settled.iter().all(|s| is_near(&s.at))
            && by_hand(&self.by_hand)
            && self.traced.as_ref().is_none_or(|t| by_hand(&t.inking.by_hand))
    }

    /// How many drops and how many lines have each swatch, whatever its tone.
    pub fn used(&self) -> BTreeMap<String, [usize; 2]> {
        let mut used: BTreeMap<String, [usize; 2]> = BTreeMap::new();
        let mut count = |paint: &str, k: usize| used.entry(parted(paint).0.to_owned()).or_default()[k] += 1;
        self.drops.iter().for_each(|d| count(&d.swatch, 0));
        self.lines.iter().filter_map(|l| l.swatch.as_deref()).for_each(|s| count(s, 1));
        used
    }

    /// How many lines somebody made or changed by hand: tracing again keeps them.
    pub fn handmade(&self) -> usize {
        self.lines.iter().filter(|l| l.made != Made::Traced).count()
    }
}
