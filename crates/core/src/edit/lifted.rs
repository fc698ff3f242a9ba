//! Lifted ink that follows its lines: what of it is taken off, and what is put there instead, when a line is led another
//! way, taken away, or drawn from its curves from then on.

use super::follow::{follow, led_along};
use crate::draw::Reshaped;
use crate::geom::area::{Rings, common, slit, swept, united, without};
use crate::geom::flat::FlatPoint;
use crate::geom::{Bounds, Pt, nearest_on_segment, pt};
use crate::join::ink_beside;
use crate::model::erasure::{Erasure, InkPath};
use crate::model::line::{Form, Line, Made};
use crate::model::piece::{Piece, Pixels};
use crate::model::pixels;
use crate::model::sheet::Sheet;
use crate::raster::ink::Ink;
use crate::raster::plane::Plane;
use crate::region::network::Network;
use rustc_hash::{FxHashMap, FxHashSet};
use std::sync::Arc;

/// How closely curves are followed, px.
const FLATNESS: f64 = 0.1;
/// How far the edge of a solid feathers, px.
const FEATHER: f64 = 2.0;

/// The lines of a sheet by their ids, and where each is in the network.
pub(super) struct Lifted<'a> {
    network: &'a Network,
    numbers: FxHashMap<u64, usize>,
}

impl<'a> Lifted<'a> {
    pub fn of(network: &'a Network) -> Lifted<'a> {
        let numbers = network.lines().map(|(n, l)| (l.id, n)).collect();
        Lifted { network, numbers }
    }

    /// The rings of lifted solids near a box, those left out that are not spared.
    fn solids(&self, lines: &[Arc<Line>], near: &Bounds, not: &FxHashSet<u64>) -> Rings {
        let is_there = |l: &&Arc<Line>| {
            !l.is_drawn() && matches!(l.form, Form::Outline { .. }) && !not.contains(&l.id) && l.bounds().touches(near)
        };
        lines.iter().filter(is_there).flat_map(|l| l.rings(FLATNESS)).collect()
    }

    /// What takes a stretch off the lifted ink; the ink of all lines stays but of those that are not spared.
    fn stretch_off(&self, lines: &[Arc<Line>], stretch: InkPath, not: &FxHashSet<u64>) -> Erasure {
        let numbers: Vec<usize> = not.iter().filter_map(|id| self.numbers.get(id).copied()).collect();
        let beside = ink_beside(self.network, &stretch, &numbers);
        let widest = stretch.iter().map(|k| k[2]).fold(0.0, f64::max);
        let near = Bounds::of(&stretch.iter().map(|k| pt(k[0], k[1])).collect::<Vec<_>>()).grown(widest + 4.0);
        let solids = self.solids(lines, &near, not);
        Erasure::Stretch { stretch, beside, solids }
    }

    /// What takes all within rings off the lifted ink, but for the ink of other lines.
    fn rings_off(&self, lines: &[Arc<Line>], rings: &Rings, not: &FxHashSet<u64>) -> Erasure {
        let numbers: Vec<usize> = not.iter().filter_map(|id| self.numbers.get(id).copied()).collect();
        let edge = |r: &Vec<Pt>| r.iter().chain(r.first()).map(|p| [p.x, p.y, 0.0]).collect::<InkPath>();
        let beside = rings.iter().flat_map(|r| ink_beside(self.network, &edge(r), &numbers)).collect();
        let solids = self.solids(lines, &Bounds::of(rings.iter().flatten()), not);
        let rings = if solids.is_empty() { rings.clone() } else { without(rings, &solids).concat() };
        Erasure::Within { outline: slit(&rings), beside }
    }

    /// Takes all the lifted ink of a line off a sheet; of one that was weighed that of its old pixels. `not`: lines whose
    /// ink goes, too.
    pub fn take_off(&self, after: &mut Sheet, line: &Line, not: &FxHashSet<u64>) {
        if line.is_drawn() || line.is_seam() {
            return;
        }
        let weighed = after.reweighed.iter().position(|r| r.line == line.id).map(|k| after.reweighed.remove(k));
        let erasure = match &line.form {
            Form::Outline { .. } => {
                let rings = line.rings(FLATNESS);
                let edge = edges_of(&rings);
                self.rings_off(&after.lines, &united(&rings, &edge).concat(), not)
            }
            _ => self.stretch_off(&after.lines, weighed.map_or_else(|| line.ink_path(FLATNESS), |r| r.path), not),
        };
        after.erase(erasure);
    }

    /// Puts a line that was changed along a stretch in its place; lifted ink is drawn anew along that stretch.
    pub fn put(&self, after: &mut Sheet, place: usize, new: Reshaped) {
        let old = after.lines[place].clone();
        let not: FxHashSet<u64> = [old.id].into_iter().collect();
        let is_weighed = after.reweighed.iter().any(|r| r.line == old.id);
        let Reshaped { mut line, gone, came } = new;
        follow(after, led_along(&old, &line, &gone, &came));
        if old.is_drawn() || old.is_seam() {
            after.lines[place] = Arc::new(line);
            return;
        }
        if is_weighed || gone.is_empty() {
            // Its pixels stand no longer for it: it is drawn by its curves from now on.
            self.take_off(after, &old, &not);
            line.made = Made::Hand;
            after.lines[place] = Arc::new(line);
            return;
        }
        line.made = Made::Edited;
        if let Form::Outline { .. } = line.form {
            let ring: Vec<Pt> = gone.iter().chain(came.iter().rev()).map(|k| pt(k[0], k[1])).collect();
            let area = united(&[ring], &edges_of_path(&gone)).concat();
            after.erase(self.rings_off(&after.lines, &area, &not));
            let filled = common(&line.rings(FLATNESS), &area).concat();
            after.erase(Erasure::Filled { filled });
        } else {
            let rest = rest_of(&old, &gone);
            let Erasure::Stretch { stretch, mut beside, solids } = self.stretch_off(&after.lines, gone, &not) else {
                return;
            };
            beside.extend(rest);
            after.erase(Erasure::Stretch { stretch, beside, solids });
            after.erase(Erasure::Inked { inked: came });
        }
        after.lines[place] = Arc::new(line);
    }

    /// Takes lines off the lifted ink with their own pixels, and gives those, with the ids of the lines in order; `None`: they
    /// have none on the sheet. A piece that is lifted again is the one that was lifted first.
    pub fn lift(&self, after: &mut Sheet, ink: &Ink, ids: &FxHashSet<u64>) -> Option<(Piece, Vec<u64>)> {
        let mut lines: Vec<u64> = ids.iter().copied().collect();
        lines.sort_unstable();
        if let Some(piece) = taken_again(after, &lines) {
            return Some((piece, lines));
        }
        let mut without = after.clone();
        let own: Vec<Arc<Line>> = after.lines.iter().filter(|l| ids.contains(&l.id)).cloned().collect();
        own.iter().for_each(|l| self.take_off(&mut without, l, ids));
        let piece = cut_from(after, &without, ink, &own);
        *after = without;
        Some((piece?, lines))
    }

    /// The pixels of lines, which stay.
    pub fn copy_of(&self, sheet: &Sheet, ink: &Ink, ids: &FxHashSet<u64>) -> Option<Piece> {
        self.lift(&mut sheet.clone(), ink, ids).map(|(piece, _)| piece)
    }

    /// Has lines drawn by their curves: their lifted ink is taken off.
    pub fn draw(&self, after: &mut Sheet, ids: &FxHashSet<u64>) {
        let lifted = |l: &Arc<Line>| ids.contains(&l.id) && !l.is_drawn();
        let lines: Vec<Arc<Line>> = after.lines.iter().filter(|l| lifted(l)).cloned().collect();
        lines.iter().for_each(|l| self.take_off(after, l, ids));
        for line in after.lines.iter_mut().filter(|l| lifted(l)) {
            Arc::make_mut(line).made = Made::Hand;
        }
    }
}

/// The pixels that lines have on a sheet and not on the one they were taken off.
fn cut_from(sheet: &Sheet, without: &Sheet, ink: &Ink, own: &[Arc<Line>]) -> Option<Piece> {
    let taken = without.erased[sheet.erased.len()..].iter().map(|e| e.bounds());
    let area = taken.reduce(|a, b| a.around(&b))?.pixels(ink.alpha.width, ink.alpha.height);
    let (x0, y0, x1, y1) = area;
    if x0 >= x1 || y0 >= y1 {
        return None;
    }
    let mut alpha = sheet.lifted_part(&ink.alpha, area);
    let rest = without.lifted_part(&ink.alpha, area);
    // Where another line crosses, what their own curves cover is theirs, too.
    let mut cover = Plane::new(x1 - x0, y1 - y0, 0u8);
    let by = pt(-(x0 as f64), -(y0 as f64));
    own.iter().for_each(|l| pixels::draw(&mut cover, &(**l).clone().moved(by)));
    for ((a, r), c) in alpha.data.iter_mut().zip(&rest.data).zip(&cover.data) {
        *a = (*a).saturating_sub(*r).max((*a).min(*c));
    }
    let pixels = Arc::new(Pixels { alpha, colours: sheet.own_colours(ink, area) });
    Some(Piece { from: [x0, y0], pixels, map: [1.0, 0.0, 0.0, 0.0, 1.0, 0.0] })
}

/// The piece that stands for just these lines, taken off the sheet; none if anything else was done to the pixels there
/// since.
fn taken_again(after: &mut Sheet, of: &[u64]) -> Option<Piece> {
    let place = after.erased.iter().rposition(|e| matches!(&e.it, Erasure::Piece { lines, .. } if lines == of))?;
    let Erasure::Piece { piece, .. } = &after.erased[place].it else { return None };
    let (piece, bounds) = (piece.clone(), piece.bounds());
    if after.erased[place + 1..].iter().any(|e| e.bounds().touches(&bounds)) {
        return None;
    }
    after.erased.remove(place);
    Some(piece)
}

/// A band along the edges of rings, as broad as ink feathers.
fn edges_of(rings: &Rings) -> Rings {
    let edge = |r: &Vec<Pt>| edges_of_path(&r.iter().chain(r.first()).map(|p| [p.x, p.y, 0.0]).collect());
    rings.iter().map(edge).fold(Rings::new(), |all, band| united(&all, &band).concat())
}

fn edges_of_path(path: &InkPath) -> Rings {
    swept(&path.iter().map(|k| FlatPoint { p: pt(k[0], k[1]), width: 2.0 * FEATHER }).collect::<Vec<_>>())
}

/// The ink of a line beside a stretch of it: it stays.
fn rest_of(line: &Line, stretch: &InkPath) -> Vec<InkPath> {
    let way: Vec<Pt> = stretch.iter().map(|k| pt(k[0], k[1])).collect();
    let near = Bounds::of(&way).grown(4.0);
    let on_way = |p: Pt| {
        let off = |w: &[Pt]| p.dist(w[0].lerp(w[1], nearest_on_segment(p, w[0], w[1])));
        near.gap_to(p) == 0.0 && way.windows(2).any(|w| off(w) < 0.3)
    };
    let mut out: Vec<InkPath> = Vec::new();
    let mut goes_on = false;
    for w in line.flat(FLATNESS).windows(2) {
        let n = (w[0].p.dist(w[1].p) / 2.0).ceil().max(1.0) as usize;
        let knot = |k: usize| {
            let t = k as f64 / n as f64;
            let p = w[0].p.lerp(w[1].p, t);
            [p.x, p.y, w[0].width + (w[1].width - w[0].width) * t + 1.0]
        };
        for k in 0..n {
            let is_rest = !on_way(w[0].p.lerp(w[1].p, (k as f64 + 0.5) / n as f64));
            match out.last_mut() {
                Some(path) if is_rest && goes_on => path.push(knot(k + 1)),
                _ if is_rest => out.push(vec![knot(k), knot(k + 1)]),
                _ => {}
            }
            goes_on = is_rest;
        }
    }
    out
}
