//! The lines of a drawing as one network: flattened, their ends joined to whatever their ink touches, arranged.

use super::arrangement::{Arrangement, Segment, Vertex, arrange, to_grid};
use crate::geom::{Pt, inside, nearest_on_segment, outward_at, outward_from};
use crate::line::{FlatPoint, Line};
use rstar::{AABB, RTree, RTreeObject};
use std::collections::HashMap;

/// How closely curves are followed in the arrangement, px.
pub const FLATNESS: f64 = 0.08;

/// One piece of a flattened line or ring.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Piece {
    /// Number of the line in the network.
    pub line: u32,
    /// Number of the piece along the line.
    pub at: u32,
    pub a: Pt,
    pub b: Pt,
    /// The ink's width at both ends (0 for rings and seams).
    pub width: [f64; 2],
}

impl RTreeObject for Piece {
    type Envelope = AABB<[f64; 2]>;
    fn envelope(&self) -> Self::Envelope {
        AABB::from_corners([self.a.x, self.a.y], [self.b.x, self.b.y])
    }
}

/// One end of an open line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LineEnd {
    pub line: usize,
    pub at_end: bool,
    /// The spine's end.
    pub p: Pt,
    /// Outwards.
    pub dir: Pt,
    /// The ink's width there.
    pub width: f64,
    pub loose: bool,
}

/// A drawing's lines, flattened and arranged. Lines are numbered by their place in the drawing.
#[derive(Debug, Clone)]
pub struct Network {
    pub flats: Vec<Vec<FlatPoint>>,
    pub rings: Vec<Vec<Vec<Pt>>>,
    pub ends: Vec<LineEnd>,
    pub index: RTree<Piece>,
    pub arrangement: Arrangement,
}

/// Where an end is tied to another line: `at` on piece `piece` of `line`.
struct Tie {
    end: usize,
    line: u32,
    piece: u32,
    at: Pt,
}

impl Network {
    /// Flattens, joins and arranges the lines of a drawing.
    pub fn of(lines: &[Line]) -> Network {
        let flats: Vec<Vec<FlatPoint>> = lines.iter().map(|l| l.flat(FLATNESS)).collect();
        let rings: Vec<Vec<Vec<Pt>>> = lines.iter().map(|l| l.rings(FLATNESS)).collect();
        let mut pieces: Vec<Piece> = Vec::new();
        for (line, flat) in flats.iter().enumerate() {
            pieces.extend(flat.windows(2).enumerate().map(|(at, w)| Piece {
                line: line as u32,
                at: at as u32,
                a: w[0].p,
                b: w[1].p,
                width: [w[0].width, w[1].width],
            }));
            let mut at = 0;
            for ring in &rings[line] {
                for k in 0..ring.len() {
                    pieces.push(Piece {
                        line: line as u32,
                        at,
                        a: ring[k],
                        b: ring[(k + 1) % ring.len()],
                        width: [0.0; 2],
                    });
                    at += 1;
                }
            }
        }
        let mut met: HashMap<Vertex, u32> = HashMap::new();
        for flat in &flats {
            let mut places: Vec<Vertex> = flat.iter().map(|f| to_grid(f.p)).collect();
            places.dedup();
            places.into_iter().for_each(|v| *met.entry(v).or_default() += 1);
        }
        let mut ends = Vec::new();
        for (line, flat) in flats.iter().enumerate() {
            if flat.len() < 2 || lines[line].spine().is_none_or(|s| s.closed) {
                continue;
            }
            let points: Vec<Pt> = flat.iter().map(|f| f.p).collect();
            for at_end in [false, true] {
                let tip = if at_end { flat[flat.len() - 1] } else { flat[0] };
                let reach = 1.5 * tip.width + 6.0;
                let dir = if at_end { outward_at(&points, reach) } else { outward_from(&points, reach) * -1.0 };
                let loose = met.get(&to_grid(tip.p)).is_none_or(|&n| n < 2);
                ends.push(LineEnd { line, at_end, p: tip.p, dir, width: tip.width, loose });
            }
        }
        let widest = flats.iter().flatten().map(|f| f.width).fold(0.0, f64::max);
        let index = RTree::bulk_load(pieces);
        let mut ties = Vec::new();
        for (k, end) in ends.iter_mut().enumerate() {
            if end.loose {
                let found = touching(end, &flats, &rings, (&index, widest));
                end.loose = found.is_empty();
                ties.extend(found.into_iter().map(|(line, piece, at)| Tie { end: k, line, piece, at }));
            }
        }
        let arrangement = arrange(&segments(&flats, &rings, &ends, ties));
        Network { flats, rings, ends, index, arrangement }
    }

    /// The pieces that a box around `p` touches.
    pub fn near(&self, p: Pt, reach: f64) -> impl Iterator<Item = &Piece> {
        self.index
            .locate_in_envelope_intersecting(AABB::from_corners([p.x - reach, p.y - reach], [p.x + reach, p.y + reach]))
    }

    /// Whether a line is open and joined to nothing at either end.
    pub fn loose_at_both(&self, line: usize) -> bool {
        let first = self.ends.partition_point(|e| e.line < line);
        self.ends[first..].iter().take_while(|e| e.line == line).filter(|e| e.loose).count() == 2
    }
}

/// The lines whose ink an end's ink touches, each with the nearest place on it. `widest`: no line is broader.
fn touching(
    end: &LineEnd,
    flats: &[Vec<FlatPoint>],
    rings: &[Vec<Vec<Pt>>],
    (index, widest): (&RTree<Piece>, f64),
) -> Vec<(u32, u32, Pt)> {
    let own = end.width / 2.0;
    let reach = own + widest / 2.0 + 1.0;
    let around = AABB::from_corners([end.p.x - reach, end.p.y - reach], [end.p.x + reach, end.p.y + reach]);
    let mut best: HashMap<u32, (f64, u32, Pt)> = HashMap::new();
    for piece in index.locate_in_envelope_intersecting(around) {
        if piece.line as usize == end.line && is_own_stretch(end, piece, flats) {
            continue;
        }
        let t = nearest_on_segment(end.p, piece.a, piece.b);
        let q = piece.a.lerp(piece.b, t);
        let half = (piece.width[0] + (piece.width[1] - piece.width[0]) * t) / 2.0;
        // A quarter pixel of overlap, so that ends that merely come near stay apart.
        let gap = end.p.dist(q) - half - own + 0.25;
        if gap < 0.0 && best.get(&piece.line).is_none_or(|b| gap < b.0) {
            best.insert(piece.line, (gap, piece.at, q));
        }
    }
    // Deep inside a solid its edge may be far: join to the nearest place of the ring all the same.
    for (line, rings) in rings.iter().enumerate() {
        if !rings.is_empty() && !best.contains_key(&(line as u32)) && inside(end.p, rings) {
            let mut at = 0;
            let mut nearest: Option<(f64, u32, Pt)> = None;
            for ring in rings {
                for k in 0..ring.len() {
                    let (a, b) = (ring[k], ring[(k + 1) % ring.len()]);
                    let q = a.lerp(b, nearest_on_segment(end.p, a, b));
                    if nearest.is_none_or(|n| end.p.dist(q) < n.0) {
                        nearest = Some((end.p.dist(q), at, q));
                    }
                    at += 1;
                }
            }
            best.extend(nearest.map(|n| (line as u32, n)));
        }
    }
    let mut found: Vec<(u32, u32, Pt)> = best.into_iter().map(|(line, (_, piece, q))| (line, piece, q)).collect();
    found.sort_unstable_by_key(|f| f.0);
    found
}

/// Whether a piece belongs to the stretch of the end's own line that its ink touches anyway.
fn is_own_stretch(end: &LineEnd, piece: &Piece, flats: &[Vec<FlatPoint>]) -> bool {
    let flat = &flats[end.line];
    let limit = 2.0 * end.width.max(piece.width[0]) + 8.0;
    let mut len = 0.0;
    let at = piece.at as usize;
    if end.at_end {
        for k in (at + 1..flat.len() - 1).rev() {
            len += flat[k].p.dist(flat[k + 1].p);
            if len > limit {
                return false;
            }
        }
    } else {
        for k in 0..at {
            len += flat[k].p.dist(flat[k + 1].p);
            if len > limit {
                return false;
            }
        }
    }
    true
}

fn segments(flats: &[Vec<FlatPoint>], rings: &[Vec<Vec<Pt>>], ends: &[LineEnd], ties: Vec<Tie>) -> Vec<Segment> {
    let mut out = Vec::new();
    let mut cuts: HashMap<(u32, u32), Vec<Vertex>> = HashMap::new();
    for tie in ties {
        let (from, to) = (to_grid(ends[tie.end].p), to_grid(tie.at));
        out.push(Segment { a: from, b: to, owner: ends[tie.end].line as u32 });
        cuts.entry((tie.line, tie.piece)).or_default().push(to);
    }
    let mut add = |line: u32, at: u32, a: Pt, b: Pt| {
        let (from, to) = (to_grid(a), to_grid(b));
        let mut here = from;
        if let Some(cut) = cuts.get_mut(&(line, at)) {
            let d = [to[0] - from[0], to[1] - from[1]];
            cut.sort_unstable_by_key(|p| ((p[0] - from[0]) * d[0] + (p[1] - from[1]) * d[1], *p));
            for &mut p in cut {
                out.push(Segment { a: here, b: p, owner: line });
                here = p;
            }
        }
        out.push(Segment { a: here, b: to, owner: line });
    };
    for (line, flat) in flats.iter().enumerate() {
        flat.windows(2).enumerate().for_each(|(at, w)| add(line as u32, at as u32, w[0].p, w[1].p));
        let mut at = 0;
        for ring in &rings[line] {
            for k in 0..ring.len() {
                add(line as u32, at, ring[k], ring[(k + 1) % ring.len()]);
                at += 1;
            }
        }
    }
    out
}
