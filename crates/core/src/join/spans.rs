//! Spans: the stretches of a line between its crossings and ends, picked by a place and taken away.

use super::ink_beside;
use super::tails::{Tail, cut, first_crossing, shortened};
use crate::geom::{Pt, polyline_len};
use crate::line::{FlatPoint, Form, Line};
use crate::region::network::{Network, Piece};
use crate::render::Erasure;

/// A stretch of a line.
#[derive(Debug, Clone, PartialEq)]
pub struct Span {
    /// The line's number in the drawing.
    pub line: usize,
    pub path: Vec<FlatPoint>,
    /// Where it is crossed at either side; `None`: the line ends there.
    from: Option<Crossing>,
    to: Option<Crossing>,
}

#[derive(Debug, Clone, Copy, PartialEq)]
struct Crossing {
    at: Pt,
    cutter: usize,
    /// The first point of the flattened line beyond it.
    beyond: usize,
}

/// The span nearest to a place, up to `reach` px away from its line's middle. Lines that close on themselves without
/// being crossed are one span.
pub fn span_at(network: &Network, at: Pt, reach: f64) -> Option<Span> {
    let on_middle = |piece: &Piece| network.rings(piece.line as usize).is_empty();
    let (found, FlatPoint { p: q, .. }) = network.nearest(at, reach, on_middle)?;
    let (line, piece) = (found.line as usize, found.at as usize);
    let flat = network.flat(line);
    let width = flat[piece].width;
    let walk = |points: &mut dyn Iterator<Item = usize>| {
        let mut here = q;
        let mut path = Vec::new();
        for k in points {
            if let Some((p, cutter)) = first_crossing(network, line, here, flat[k].p) {
                path.push(FlatPoint { p, width: flat[k].width });
                return (path, Some(Crossing { at: p, cutter, beyond: k }));
            }
            here = flat[k].p;
            path.push(flat[k]);
        }
        (path, None)
    };
    let (back, from) = walk(&mut (0..=piece).rev());
    let (on, to) = walk(&mut (piece + 1..flat.len()));
    let mut path: Vec<FlatPoint> = back.into_iter().rev().collect();
    path.push(FlatPoint { p: q, width });
    path.extend(on);
    path.dedup_by(|a, b| a.p.dist(b.p) < 1e-9);
    Some(Span { line, path, from, to })
}

/// What is left of the line without the span, and what that takes off the lifted ink.
pub fn take_span(line: &Line, span: &Span, network: &Network) -> (Vec<Line>, Vec<Erasure>) {
    let flat = network.flat(span.line);
    if let Form::Seam { spine } = &line.form {
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
        Tail { line: span.line, at_end, at: crossing.at, tip, length, confidence: 1.0, sure: true, path, cutter }
    };
    let mut left = Vec::new();
    if let Some(c) = span.from {
        let mut path = vec![[c.at.x, c.at.y, flat[c.beyond].width]];
        path.extend(flat[c.beyond + 1..].iter().map(knot));
        left.extend(cut(line, &tail(true, c, path), network).and_then(|c| c.0));
    }
    if let Some(c) = span.to {
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
