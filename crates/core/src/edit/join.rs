//! Steps: tails, bridges, seams, spans and cuts by hand.

use super::ground::Ground;
use super::limits::{THINNED_WITHIN, counted, on_sheet};
use super::tails::cut_all;
use crate::error::Error;
use crate::geom::flat::FlatPoint;
use crate::geom::spine::Spine;
use crate::geom::{Pt, segments_cross, thinned};
use crate::join::{
    Tail, bridge_opacity, bridge_spine, cut_out, density_at, pieces_within, span_at, tails_up_to, take_span,
};
use crate::model::line::{End, EndStyle, Form, Line, Made};
use crate::model::order::Order;
use crate::model::reweighed::Reweighed;
use crate::model::sheet::Sheet;
use crate::model::verdict::{Kind, Settled, Verdict};
use crate::scene::Scene;
use crate::trace::fit_curves;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// Tails, bridges, seams, spans and cuts by hand.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum JoinStep {
    /// Cuts every tail that a stroke passes over.
    Sweep { path: Vec<Pt> },
    /// A seam by hand; its ends reach out to the nearest line.
    Seam { path: Vec<Pt> },
    /// An ink bridge between the lines nearest to two places, in their width.
    Bridge { from: Pt, to: Pt },
    /// Takes the span at a place away: the stretch of its line between two crossings or ends.
    TakeSpan { at: Pt },
    /// Cuts all that lies within a closed outline out of the drawing; lines end there as told. `loose`: what lay within is
    /// there still, as lines of their own on top of the others.
    Cut {
        outline: Vec<Pt>,
        ends: EndStyle,
        #[serde(default)]
        loose: bool,
    },
    /// Takes a bridge, seam or other handmade line away.
    Remove { line: u64 },
}

impl JoinStep {
    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet, ground: &dyn Ground) -> Result<String, Error> {
        let scene = ground.scene();
        Ok(match self {
            JoinStep::Sweep { path } => {
                on_sheet(after, path)?;
                let all = tails_up_to(&scene.network, f64::INFINITY);
                let hit: Vec<&Tail> = all.iter().filter(|t| sweeps(path, t)).collect();
                counted("swept off", cut_all(after, scene, &hit), "tail")
            }
            JoinStep::Seam { path } => {
                on_sheet(after, path)?;
                let spine = seam_spine(path, scene)?;
                after.draw(Line::new(0, Form::Seam { spine }, Made::Hand));
                "seam".to_owned()
            }
            JoinStep::Bridge { from, to } => {
                on_sheet(after, &[*from, *to])?;
                after.draw(bridge_between(*from, *to, scene)?);
                "ink bridge".to_owned()
            }
            JoinStep::TakeSpan { at } => {
                let span = span_at(&scene.network, *at, SPAN_REACH).ok_or(Error::Mismatch("there is no line there"))?;
                let id = scene.network.line(span.line).map(|l| l.id);
                let place = after.lines.iter().position(|l| Some(l.id) == id);
                let place = place.ok_or(Error::Mismatch("there is no line there"))?;
                let (left, taken) = take_span(&after.lines[place], &span, &scene.network);
                let old = after.lines[place].clone();
                put_in_place(after, place, left);
                if !old.is_seam() && matches!(old.made, Made::Traced | Made::Edited) {
                    taken.into_iter().for_each(|e| after.erase(e));
                }
                "took a span away".to_owned()
            }
            JoinStep::Cut { outline, ends, loose } => {
                on_sheet(after, outline)?;
                if outline.len() > 4000 {
                    return Err(Error::Mismatch("an outline has up to 4000 points"));
                }
                let pieces = if *loose { pieces_within(&after.lines, outline) } else { Vec::new() };
                if *loose && pieces.is_empty() {
                    return Err(Error::Mismatch("there is no line in there"));
                }
                let ends = if *loose { EndStyle::AlongCutter } else { *ends };
                let cut = cut_out(&after.lines, outline, ends);
                if cut.left.is_empty() && cut.erased.iter().all(|e| e.takes_nothing(&scene.ink.alpha)) {
                    return Err(Error::Mismatch("there is no ink in there"));
                }
                let mut label = counted("cut", cut.left.len(), "line");
                for (place, left) in cut.left.into_iter().rev() {
                    put_in_place(after, place, left);
                }
                cut.erased.into_iter().for_each(|e| after.erase(e));
                settle_ends(after, cut.ends);
                if *loose {
                    let loose: Vec<Line> = pieces.into_iter().flat_map(|p| p.1).collect();
                    label = counted("cut loose", loose.len(), "piece");
                    loose.into_iter().for_each(|piece| after.draw(Line { made: Made::Hand, ..piece }));
                }
                label
            }
            JoinStep::Remove { line } => {
                let at = after.lines.iter().position(|l| l.id == *line).ok_or(Error::NoSuchLine(*line))?;
                after.lines.remove(at);
                "removed a line".to_owned()
            }
        })
    }
}

/// Settles the ends of what was cut open, middle and tip: it is meant to be.
pub(super) fn settle_ends(after: &mut Sheet, ends: Vec<[Pt; 2]>) {
    for [end, tip] in ends {
        let left = |kind, at: Pt| Settled { kind, at: at.snapped(), how: Verdict::Left };
        after.settle(left(Kind::Gap, tip));
        after.settle(left(Kind::LooseEnd, end));
    }
}

/// Puts what is left of a line in its place: the first stretch keeps its number, and all of them its weight.
pub(super) fn put_in_place(after: &mut Sheet, place: usize, left: Vec<Line>) {
    let old = after.lines.remove(place);
    let weighed = after.reweighed.iter().find(|r| r.line == old.id).cloned();
    let more = left.len().saturating_sub(1);
    let orders = Order::spread(more, Some(&old.order), after.lines.get(place).map(|l| &l.order));
    for (k, (line, order)) in left.into_iter().zip(std::iter::once(old.order.clone()).chain(orders)).enumerate() {
        let id = if k == 0 { old.id } else { after.fresh_id() };
        if k > 0 {
            after.reweighed.extend(weighed.clone().map(|r| Reweighed { line: id, ..r }));
        }
        after.lines.insert(place + k, Arc::new(Line { id, order, ..line }));
    }
}

/// Whether a stroke passes over what is seen of a tail.
fn sweeps(path: &[Pt], tail: &Tail) -> bool {
    let mut whole: Vec<Pt> = tail.path.iter().map(|p| crate::geom::pt(p[0], p[1])).collect();
    whole.push(tail.tip);
    path.windows(2).any(|s| whole.windows(2).any(|t| segments_cross(s[0], s[1], t[0], t[1]).is_some()))
}

/// A bridge between the lines nearest to two places: from their ends, if those are there, else from their middles.
fn bridge_between(from: Pt, to: Pt, scene: &Scene) -> Result<Line, Error> {
    let network = &scene.network;
    let nearest = |p: Pt| {
        let (_, FlatPoint { p: q, width }) = network
            .nearest(p, SEAM_REACH, |_| true)
            .ok_or(Error::Mismatch("a bridge needs a line near both of its ends"))?;
        // The outline of a solid has no width of its own.
        let width = if width > 0.0 { width } else { 4.0 };
        let end = network.ends().find(|e| e.p.dist(q) < 0.5 * width);
        let density = end.as_ref().map(|e| density_at(e, network, &scene.ink.alpha));
        Ok::<_, Error>((end.map_or((q, None, width), |e| (e.p, Some(e.dir), e.width)), density))
    };
    let (((a, out_a, wa), da), ((b, out_b, wb), db)) = (nearest(from)?, nearest(to)?);
    if a.dist(b) < 0.5 {
        return Err(Error::Mismatch("a bridge needs two different places"));
    }
    let width = if out_a.is_some() && out_b.is_some() { vec![[0.0, wa], [1.0, wb]] } else { vec![[0.0, wa.min(wb)]] };
    Ok(Line {
        opacity: bridge_opacity(da, db),
        ..Line::new(
            0,
            Form::Centreline {
                spine: bridge_spine(a, out_a.unwrap_or((b - a).unit()), b, out_b),
                width,
                ends: [End::Round, End::Round],
            },
            Made::Bridge,
        )
    })
}

/// How far the end of a seam reaches out for a line, px at least.
const SEAM_REACH: f64 = 24.0;

/// How far from a line's middle its span is picked, px.
pub const SPAN_REACH: f64 = 24.0;

/// A smooth seam through a drawn path, its ends carried on to the middle of the nearest line.
pub fn seam_spine(path: &[Pt], scene: &Scene) -> Result<Spine, Error> {
    let mut points: Vec<Pt> = Vec::with_capacity(path.len() + 2);
    for &p in path {
        if points.last().is_none_or(|q| q.dist(p) > 0.5) {
            points.push(p);
        }
    }
    if points.len() < 2 {
        return Err(Error::Mismatch("a seam needs two different points"));
    }
    let mut points = thinned(&points, THINNED_WITHIN);
    if points.len() > MOST_BENDS {
        return Err(Error::Mismatch("the seam wavers too much to be one line"));
    }
    let reach = |p: Pt| scene.network.nearest(p, SEAM_REACH, |_| true).map(|found| found.1.p);
    // A little past the line's middle, so that they surely cross.
    let over = |from: Pt, to: Pt| to + (to - from).unit() * 0.5;
    if let Some(q) = reach(points[0]) {
        points.insert(0, over(points[0], q));
    }
    let last = points[points.len() - 1];
    if let Some(q) = reach(last) {
        points.push(over(last, q));
    }
    let n = points.len();
    let tangents = [(points[1] - points[0]).unit(), (points[n - 2] - points[n - 1]).unit()];
    let spine = fit_curves(&points, tangents, 1.0).into_iter().map(Pt::snapped).collect();
    Ok(Spine { points: spine, closed: false })
}

/// The most points of a stroke that are left once it is thinned: nobody's hand wavers more.
const MOST_BENDS: usize = 4000;
