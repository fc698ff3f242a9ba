//! The state of one drawing.

use crate::finding::Settled;
use crate::geom::{Bounds, Pt, pt};
use crate::ink::Ink;
use crate::lift::ByHand;
use crate::line::{Form, Line, Made, Spine, unlike};
use crate::paint::Drop;
use crate::plane::Plane;
use crate::recipe::{Recipes, TraceRecipe};
use crate::render::{self, Area, Erasure, Reweighed};
use crate::stages::{Inking, Kept};
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use std::sync::Arc;
use ts_rs::TS;

/// Nothing on a sheet lies farther off than this, px.
pub const FARTHEST: f64 = 1e6;

/// From so many boxes on all that they span is drawn at once.
const MANY_BOXES: usize = 8;

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
    pub erased: Vec<Erasure>,
    /// Lines whose weight was changed after tracing.
    pub reweighed: Vec<Reweighed>,
    pub drops: Vec<Drop>,
    pub settled: Vec<Settled>,
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

    /// The ink as it is seen: lifted pixels without what was cut, with what was added.
    pub fn visible_ink(&self, lifted: &Ink) -> Ink {
        let mut ink = lifted.clone();
        self.over_pixels(&lifted.alpha).apply_in(&mut ink.alpha, render::whole(&lifted.alpha));
        ink
    }

    /// What is cut from lifted pixels and drawn over them, with where it is.
    fn over_pixels<'a>(&'a self, lifted: &'a Plane<u8>) -> OverPixels<'a> {
        let drawn = self.lines.iter().filter(|l| l.is_drawn());
        OverPixels {
            sheet: self,
            lifted,
            erased: self.erased.iter().map(|e| (e.bounds(), e)).collect(),
            drawn: drawn.map(|l| (render::bounds_of(l), &**l)).collect(),
        }
    }

    /// Brings the ink that is seen of `before` up to this sheet. Gives the boxes of the pixels that may have changed.
    pub fn see_again(&self, before: &Sheet, lifted: &Ink, alpha: &mut Plane<u8>) -> Vec<Bounds> {
        let mut boxes: Vec<Bounds> = Vec::new();
        let (cut, uncut) = (unshared(&before.erased, &self.erased), unshared(&self.erased, &before.erased));
        boxes.extend(cut.chain(uncut).map(Erasure::bounds));
        // A line of another weight is drawn by its own old pixels: what is cut off those is cut off it.
        let of_line = |id: u64| before.lines.iter().chain(&self.lines).filter(move |l| l.id == id);
        let sampled = before.reweighed.iter().chain(&self.reweighed);
        let redrawn: Vec<&Reweighed> =
            sampled.filter(|r| boxes.iter().any(|b| b.touches(&r.bounds().grown(4.0)))).collect();
        for r in redrawn {
            boxes.push(r.bounds());
            boxes.extend(of_line(r.line).map(|l| render::bounds_of(l)));
        }
        let (was, is) = (unshared(&before.reweighed, &self.reweighed), unshared(&self.reweighed, &before.reweighed));
        let reweighed: Vec<&Reweighed> = was.chain(is).collect();
        boxes.extend(reweighed.iter().map(|r| r.bounds()));
        let regarded: HashSet<u64> = reweighed.iter().map(|r| r.line).collect();
        let redrawn: HashSet<u64> = before.reweighed.iter().chain(&self.reweighed).map(|r| r.line).collect();
        let (gone, came) = unlike(&before.lines, &self.lines);
        let turned = |l: &&Arc<Line>| regarded.contains(&l.id);
        let turned = before.lines.iter().filter(turned).chain(self.lines.iter().filter(turned));
        let turned: Vec<&Arc<Line>> = if regarded.is_empty() { Vec::new() } else { turned.collect() };
        for line in gone.into_iter().chain(came).chain(turned).filter(|l| !l.is_seam()) {
            let bounds = render::bounds_of(line);
            if line.is_drawn() || redrawn.contains(&line.id) {
                boxes.push(bounds);
            }
            // Where a line was given another weight the ink of its neighbours is kept.
            boxes.extend(self.reweighed.iter().map(Reweighed::bounds).filter(|b| b.touches(&bounds)));
        }
        if boxes.is_empty() {
            return boxes;
        }
        let over = self.over_pixels(&lifted.alpha);
        // Lines of another weight take time to draw: where many boxes overlap, each of them once.
        let areas = if self.reweighed.is_empty() || boxes.len() < MANY_BOXES {
            boxes.clone()
        } else {
            let corners: Vec<Pt> = boxes.iter().flat_map(|b| [b.min, b.max]).collect();
            vec![Bounds::of(&corners)]
        };
        for b in &areas {
            let area = b.pixels(alpha.width, alpha.height);
            for y in area.1..area.3 {
                let row = y * alpha.width;
                if area.0 < area.2 {
                    let span = row + area.0..row + area.2;
                    alpha.data[span.clone()].copy_from_slice(&lifted.alpha.data[span]);
                }
            }
            over.apply_in(alpha, area);
        }
        boxes
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
        TracedWith { inking: self.inking(), trace: self.recipes.trace.clone(), dpi: Some(self.dpi) }
    }

    /// Whether the lines are those that tracing would give now, edits aside.
    pub fn lines_are_current(&self) -> bool {
        let now = self.tracing();
        let is_now =
            |t: &TracedWith| t.inking == now.inking && t.trace == now.trace && t.dpi.is_none_or(|d| d == self.dpi);
        self.traced.as_ref().is_some_and(|t| is_now(t))
    }

    /// What tracing again would keep.
    pub fn kept(&self) -> Kept {
        let lines = self.lines.iter().filter(|l| l.made != Made::Traced).cloned().collect();
        Kept { lines, erased: self.erased.clone() }
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

    /// How many lines somebody made or changed by hand: tracing again keeps them.
    pub fn handmade(&self) -> usize {
        self.lines.iter().filter(|l| l.made != Made::Traced).count()
    }
}

struct OverPixels<'a> {
    sheet: &'a Sheet,
    lifted: &'a Plane<u8>,
    erased: Vec<(Bounds, &'a Erasure)>,
    drawn: Vec<(Bounds, &'a Line)>,
}

impl OverPixels<'_> {
    /// The lifted pixels of some columns and rows without what was cut.
    fn erased_part(&self, (x0, y0, x1, y1): Area) -> Plane<u8> {
        let mut part = self.lifted.part([x0, y0, x1 - x0, y1 - y0]);
        let seen = Bounds::of_area((x0, y0, x1, y1));
        for (_, cut) in self.erased.iter().filter(|(b, _)| b.touches(&seen)) {
            cut.moved(pt(-(x0 as f64), -(y0 as f64))).apply(&mut part);
        }
        part
    }

    fn apply_in(&self, alpha: &mut Plane<u8>, area: Area) {
        let seen = Bounds::of_area(area);
        for (_, cut) in self.erased.iter().filter(|(b, _)| b.touches(&seen)) {
            cut.apply_in(alpha, area);
        }
        Reweighed::apply_in(&self.sheet.reweighed, &self.sheet.lines, alpha, area, |part| self.erased_part(part));
        for (_, line) in self.drawn.iter().filter(|(b, _)| b.touches(&seen)) {
            render::draw_in(alpha, line, area);
        }
    }
}

/// What of one list is not in another that is mostly the same: both begin and end alike.
fn unshared<'a, T: PartialEq>(list: &'a [T], other: &'a [T]) -> impl Iterator<Item = &'a T> {
    let least = list.len().min(other.len());
    let first = list.iter().zip(other).take_while(|(a, b)| a == b).count();
    let last = list.iter().rev().zip(other.iter().rev()).take(least - first).take_while(|(a, b)| a == b).count();
    list[first..list.len() - last].iter()
}
