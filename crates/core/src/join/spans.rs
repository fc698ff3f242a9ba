//! Spans: the stretches of a line between its crossings and ends, picked by a place and taken away.

use super::ink_beside;
use super::tails::{Tail, cut, first_crossing};
use crate::geom::{Pt, nearest_on_segment};
use crate::line::{FlatPoint, Line};
use crate::region::network::Network;
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
    let mut best: Option<(f64, usize, usize, Pt)> = None;
    for piece in network.near(at, reach) {
        let q = piece.a.lerp(piece.b, nearest_on_segment(at, piece.a, piece.b));
        let line = piece.line as usize;
        if at.dist(q) <= reach && network.rings(line).is_empty() && best.is_none_or(|b| at.dist(q) < b.0) {
            best = Some((at.dist(q), line, piece.at as usize, q));
        }
    }
    let (_, line, piece, q) = best?;
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
