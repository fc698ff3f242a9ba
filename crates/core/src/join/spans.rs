//! Spans: the stretches of a line between its crossings and ends, picked by a place and taken away.

use super::beside::ink_beside;
use super::tails::{Tail, cut, cutter_at, first_crossing, shortened};
use crate::geom::flat::FlatPoint;
use crate::geom::spine::{Place, Spine};
use crate::geom::{Pt, polyline_len};
use crate::model::erasure::Erasure;
use crate::model::line::{End, Form, Line, Made};
use crate::region::network::{FLATNESS, Network, Piece};

/// A stretch of a line.
#[derive(Debug, Clone, PartialEq)]
pub struct Span {
    /// The line's number in the drawing.
    pub line: usize,
    pub path: Vec<FlatPoint>,
    /// Where it is crossed at either side; `None`: the line ends there, or is a ring that nothing crosses.
    from: Option<Crossing>,
    to: Option<Crossing>,
}

#[derive(Debug, Clone, Copy, PartialEq)]
struct Crossing {
    at: Pt,
    cutter: usize,
    /// The first point of the flattened line beyond it.
    beyond: usize,
    /// The piece of the flattened line it lies on.
    piece: usize,
}

/// The span nearest to a place, up to `reach` px away from its line's middle. On a line that closes on itself it goes on
/// through the line's start; one that nothing crosses is one span.
pub fn span_at(network: &Network, at: Pt, reach: f64) -> Option<Span> {
    let on_middle = |piece: &Piece| network.rings(piece.line as usize).is_empty();
    let (found, FlatPoint { p: q, .. }) = network.nearest(at, reach, on_middle)?;
    let (line, piece) = (found.line as usize, found.at as usize);
    let flat = network.flat(line);
    let width = flat[piece].width;
    let is_closed = network.line(line).and_then(|l| l.spine()).is_some_and(|s| s.closed);
    // Walks through points of the line, each with the piece that leads to it.
    let walk = |points: &mut dyn Iterator<Item = (usize, usize)>| {
        let mut here = q;
        let mut path = Vec::new();
        for (k, piece) in points {
            if let Some((p, cutter)) = first_crossing(network, (line, &[]), here, flat[k].p) {
                path.push(FlatPoint { p, width: flat[k].width });
                return (path, Some(Crossing { at: p, cutter, beyond: k, piece }));
            }
            here = flat[k].p;
            path.push(flat[k]);
        }
        (path, None)
    };
    // A ring's last point is its first one: the way round goes on beside it, back to where it began.
    let last = flat.len() - 1;
    let round = |points: std::ops::Range<usize>| if is_closed { points } else { 0..0 };
    let (back, from) = walk(&mut (0..=piece).rev().map(|k| (k, k)).chain(round(piece + 1..last).rev().map(|k| (k, k))));
    if from.is_none() && is_closed {
        let mut path: Vec<FlatPoint> = flat[..last].iter().cycle().skip(piece + 1).take(last).copied().collect();
        path.insert(0, FlatPoint { p: q, width });
        path.push(FlatPoint { p: q, width });
        return Some(Span { line, path, from: None, to: None });
    }
    let (on, to) = walk(&mut (piece + 1..=last).map(|k| (k, k - 1)).chain(round(1..piece + 1).map(|k| (k, k - 1))));
    let mut path: Vec<FlatPoint> = back.into_iter().rev().collect();
    path.push(FlatPoint { p: q, width });
    path.extend(on);
    path.dedup_by(|a, b| a.p.dist(b.p) < 1e-9);
    Some(Span { line, path, from, to })
}

/// Where crossings lie along a curve.
fn places_on(spine: &Spine) -> impl Fn(Crossing) -> Place {
    let (places, flat) = (spine.places(FLATNESS), spine.flatten(FLATNESS));
    move |c| {
        let (a, b) = (places[c.piece], places[c.piece + 1]);
        let before = if a.curve == b.curve { a.t } else { 0.0 };
        let share = flat[c.piece].dist(c.at) / flat[c.piece].dist(flat[c.piece + 1]).max(1e-9);
        Place { curve: b.curve, t: before + (b.t - before) * share.min(1.0) }
    }
}

/// A line as what lies before a span, the span, and what lies behind it; no ink changes. The span comes last, so that it lies
/// over the round ends of the others; its own are flat where it was crossed. `None`: the span is all of the line.
pub fn parted_at_span(line: &Line, span: &Span) -> Option<Vec<Line>> {
    let spine = line.spine()?;
    let place = places_on(spine);
    let all = spine.places(FLATNESS);
    let (first, last) = (all[0], all[all.len() - 1]);
    let (from, to) = (span.from.map(&place), span.to.map(&place));
    let stretches = match (from, to) {
        _ if spine.closed => {
            let (from, to) = (from?, to?);
            if from == to {
                return None;
            }
            vec![(to, from, [false; 2]), (from, to, [true; 2])]
        }
        (None, None) => return None,
        _ => [
            from.map(|from| (first, from, [false; 2])),
            to.map(|to| (to, last, [false; 2])),
            Some((from.unwrap_or(first), to.unwrap_or(last), [from.is_some(), to.is_some()])),
        ]
        .into_iter()
        .flatten()
        .collect(),
    };
    let mut parts = Vec::new();
    for (a, b, is_flat) in stretches {
        let mut part = line.stretch(a, b)?;
        if let Form::Centreline { ends, .. } = &mut part.form {
            for (side, end) in ends.iter_mut().enumerate() {
                let is_own = !spine.closed && [a == first, b == last][side];
                if !is_own {
                    *end = if is_flat[side] { End::Flat } else { End::Round };
                }
            }
        }
        parts.push(part);
    }
    Some(parts)
}

/// What a ring is without a span: the stretch from where that ends, round, to where it begins.
fn rest_of_ring(line: &Line, [from, to]: [Crossing; 2], network: &Network) -> Option<Line> {
    let place = places_on(line.spine()?);
    if from.at.dist(to.at) < 0.5 {
        return None;
    }
    let mut rest = line.stretch(place(to), place(from))?;
    if let Form::Centreline { ends, .. } = &mut rest.form {
        for (end, c) in ends.iter_mut().zip([to, from]) {
            if let Some((direction, _)) = cutter_at(network, c.cutter, c.at) {
                *end = End::AlongCutter(direction);
            }
        }
    }
    if rest.made == Made::Traced {
        rest.made = Made::Edited;
    }
    Some(rest)
}

/// What is left of the line without the span, and what that takes off the lifted ink.
pub fn take_span(line: &Line, span: &Span, network: &Network) -> (Vec<Line>, Vec<Erasure>) {
    let flat = network.flat(span.line);
    let is_ring = line.spine().is_some_and(|s| s.closed);
    let crossed = span.from.zip(span.to).map(<[Crossing; 2]>::from);
    let of_ring = is_ring.then(|| crossed.and_then(|c| rest_of_ring(line, c, network)));
    if let Form::Seam { spine } = &line.form {
        if let Some(rest) = of_ring {
            return (rest.into_iter().collect(), Vec::new());
        }
        // A seam has no ink: its rests end on the middles of what crosses it. By less than a pixel it only reaches over
        // the line it was to end on.
        let rest = |c: Crossing, at_end: bool| {
            let (before, behind) = (&flat[..=c.beyond], &flat[c.beyond..]);
            let mut points: Vec<Pt> = if at_end { before } else { behind }.iter().map(|f| f.p).collect();
            points.insert(if at_end { points.len() } else { 0 }, c.at);
            let form = || Form::Seam { spine: shortened(spine, &points, at_end) };
            (polyline_len(&points) >= 1.0).then(|| Line { form: form(), ..line.clone() })
        };
        let left = span.from.and_then(|c| rest(c, true)).into_iter().chain(span.to.and_then(|c| rest(c, false)));
        return (left.collect(), Vec::new());
    }
    let knot = |f: &FlatPoint| [f.p.x, f.p.y, f.width];
    let tail = |at_end: bool, crossing: Crossing, path: Vec<[f64; 3]>| {
        let tip = path.last().map_or(crossing.at, |k| crate::geom::pt(k[0], k[1]));
        let length = path.windows(2).map(|w| (w[0][0] - w[1][0]).hypot(w[0][1] - w[1][1])).sum();
        let cutter = crossing.cutter;
        Tail {
            line: span.line,
            at_end,
            at: crossing.at,
            tip,
            length,
            confidence: 1.0,
            sure: true,
            quiet: false,
            path,
            cutter,
        }
    };
    let is_open = of_ring.is_none();
    let mut left: Vec<Line> = of_ring.flatten().into_iter().collect();
    if let Some(c) = span.from.filter(|_| is_open) {
        let mut path = vec![[c.at.x, c.at.y, flat[c.beyond].width]];
        path.extend(flat[c.beyond + 1..].iter().map(knot));
        left.extend(cut(line, &tail(true, c, path), network).and_then(|c| c.0));
    }
    if let Some(c) = span.to.filter(|_| is_open) {
        let mut path = vec![[c.at.x, c.at.y, flat[c.beyond].width]];
        path.extend(flat[..c.beyond].iter().rev().map(knot));
        left.extend(cut(line, &tail(false, c, path), network).and_then(|c| c.0));
    }
    let middle = span.path.len() / 2;
    let halves = [
        (span.from, span.path[..=middle].iter().map(knot).collect::<Vec<_>>()),
        (span.to, span.path[middle..].iter().rev().map(knot).collect()),
    ];
    let taken =
        halves.into_iter().filter(|(_, path)| path.len() > 1).filter_map(|(crossing, mut path)| match crossing {
            Some(c) => cut(line, &tail(true, c, path), network).map(|c| c.1),
            None => {
                // A loose end goes with all of its ink: from the middle out, past the tip.
                let [a, b] = [path[1], path[0]].map(|k| crate::geom::pt(k[0], k[1]));
                let out = b + (b - a).unit() * path[0][2];
                path.insert(0, [out.x, out.y, path[0][2]]);
                path.reverse();
                let start = crate::geom::pt(path[0][0], path[0][1]);
                let next = crate::geom::pt(path[1][0], path[1][1]);
                let beside = ink_beside(network, &path, &[span.line]);
                Some(Erasure::Tail { tail: path, cutter: vec![], side: (next - start).unit(), beside })
            }
        });
    (left, taken.collect())
}
