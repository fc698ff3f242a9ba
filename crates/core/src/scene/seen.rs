//! The ink as it is seen: lifted pixels without what was cut, with what was added; made once, then kept up.

use crate::geom::{Bounds, Pt, pt};
use crate::model::erasure::Erasure;
use crate::model::line::{Line, unlike};
use crate::model::pixels;
use crate::model::reweighed::Reweighed;
use crate::model::sheet::Sheet;
use crate::raster::ink::Ink;
use crate::raster::plane::Plane;
use crate::raster::strokes::{self, Area};
use rayon::prelude::*;
use std::collections::HashSet;
use std::sync::Arc;

/// The number of boxes from which on all that they span is drawn at once.
const MANY_BOXES: usize = 8;

impl Sheet {
    /// The ink as it is seen: lifted pixels without what was cut, with what was added.
    pub fn visible_ink(&self, lifted: &Ink) -> Ink {
        let mut ink = lifted.clone();
        self.over_pixels(&lifted.alpha).apply_in(&mut ink.alpha, strokes::whole(&lifted.alpha));
        ink
    }

    /// The lifted ink of some columns and rows without what was cut, its lines in their weight, none drawn over it.
    pub(super) fn without_drawn(&self, lifted: &Ink, area: Area) -> Plane<u8> {
        let (x0, y0, x1, y1) = area;
        let mut alpha = Plane::new(lifted.alpha.width, lifted.alpha.height, 0u8);
        for y in y0..y1 {
            alpha.data[y * alpha.width..][x0..x1].copy_from_slice(&lifted.alpha.row(y)[x0..x1]);
        }
        OverPixels { drawn: Vec::new(), ..self.over_pixels(&lifted.alpha) }.apply_in(&mut alpha, area);
        alpha.part([x0, y0, x1 - x0, y1 - y0])
    }

    /// The lifted pixels of some columns and rows with what was taken off them and put in its place, but no line of another
    /// weight and none that was drawn.
    pub fn lifted_part(&self, lifted: &Plane<u8>, area: Area) -> Plane<u8> {
        self.over_pixels(lifted).erased_part(area)
    }

    /// What is cut from lifted pixels and drawn over them, with where it is.
    fn over_pixels<'a>(&'a self, lifted: &'a Plane<u8>) -> OverPixels<'a> {
        let drawn = self.lines.par_iter().filter(|l| l.is_drawn());
        OverPixels {
            sheet: self,
            lifted,
            erased: self.erased.iter().map(|e| (e.bounds(), &e.it)).collect(),
            drawn: drawn.map(|l| (pixels::bounds_of(l), &**l)).collect(),
        }
    }

    /// Brings the ink that is seen of `before` up to this sheet. Gives the boxes of the pixels that may have changed.
    pub fn see_again(&self, before: &Sheet, lifted: &Ink, alpha: &mut Plane<u8>) -> Vec<Bounds> {
        let mut boxes: Vec<Bounds> = Vec::new();
        let (cut, uncut) = (unshared(&before.erased, &self.erased), unshared(&self.erased, &before.erased));
        boxes.extend(cut.chain(uncut).map(|e| e.bounds()));
        // A line of another weight is drawn by its own old pixels: what is cut off those is cut off it.
        let of_line = |id: u64| before.lines.iter().chain(&self.lines).filter(move |l| l.id == id);
        let sampled = before.reweighed.iter().chain(&self.reweighed);
        let redrawn: Vec<&Reweighed> =
            sampled.filter(|r| boxes.iter().any(|b| b.touches(&r.bounds().grown(4.0)))).collect();
        for r in redrawn {
            boxes.push(r.bounds());
            boxes.extend(of_line(r.line).map(|l| pixels::bounds_of(l)));
        }
        let (was, is) = (unshared(&before.reweighed, &self.reweighed), unshared(&self.reweighed, &before.reweighed));
        let reweighed: Vec<&Reweighed> = was.chain(is).collect();
        boxes.extend(reweighed.iter().map(|r| r.bounds()));
        let regarded: HashSet<u64> = reweighed.iter().map(|r| r.line).collect();
        let redrawn: HashSet<u64> = before.reweighed.iter().chain(&self.reweighed).map(|r| r.line).collect();
        let (gone, came) = unlike(&before.lines, &self.lines);
        // The lifted pixels of a line show its colour.
        let coloured: HashSet<u64> = gone.iter().chain(&came).filter(|l| l.swatch.is_some()).map(|l| l.id).collect();
        let is_coloured = |id: u64| coloured.contains(&id);
        let turned = |l: &&Arc<Line>| regarded.contains(&l.id);
        let turned = before.lines.iter().filter(turned).chain(self.lines.iter().filter(turned));
        let turned: Vec<&Arc<Line>> = if regarded.is_empty() { Vec::new() } else { turned.collect() };
        for line in gone.into_iter().chain(came).chain(turned).filter(|l| !l.is_seam()) {
            let bounds = pixels::bounds_of(line);
            if line.is_drawn() || redrawn.contains(&line.id) || is_coloured(line.id) {
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
            merged(&boxes)
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
            pixels::draw_in(alpha, line, area);
        }
    }
}

/// Boxes that hold the same, those that overlap much put together: nothing is drawn many times.
fn merged(boxes: &[Bounds]) -> Vec<Bounds> {
    let size = |b: &Bounds| (b.max.x - b.min.x).max(0.0) * (b.max.y - b.min.y).max(0.0);
    let mut out: Vec<Bounds> = Vec::new();
    for b in boxes {
        let mut now = *b;
        // What it grows to may take in others in turn.
        while let Some(k) = out.iter().position(|o| size(&o.around(&now)) <= size(o) + size(&now)) {
            now = out.swap_remove(k).around(&now);
        }
        out.push(now);
    }
    out
}

/// What of one list is not in another that is mostly the same: both begin and end alike.
fn unshared<'a, T: PartialEq>(list: &'a [T], other: &'a [T]) -> impl Iterator<Item = &'a T> {
    let least = list.len().min(other.len());
    let first = list.iter().zip(other).take_while(|(a, b)| a == b).count();
    let last = list.iter().rev().zip(other.iter().rev()).take(least - first).take_while(|(a, b)| a == b).count();
    list[first..list.len() - last].iter()
}
