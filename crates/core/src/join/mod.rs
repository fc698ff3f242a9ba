//! Join: loose ends, gaps and tails found, and what settling each would do.

mod closing;
mod cut;
mod density;
mod face;
mod faces;
mod gaps;
mod leak;
mod spans;
mod tails;

pub use cut::{CutOut, cut_out};
pub use density::{bridge_opacity, density_at};
pub use gaps::{Gap, Gaps};
pub use leak::{Leak, find_leak};
pub use spans::{Span, span_at, take_span};
pub use tails::{Tail, Tails, cut as cut_tail, tails_up_to};

use crate::geom::{Bounds, Pt, angle_between, pt, segments_gap};
use crate::line::Spine;
use crate::region::network::Network;
use crate::render::InkPath;
use std::collections::BTreeSet;

/// The stretches of other lines whose ink lies within reach of what is cleared along a path: it stays.
fn ink_beside(network: &Network, path: &[[f64; 3]], not: &[usize]) -> Vec<InkPath> {
    let knots: Vec<Pt> = path.iter().map(|k| pt(k[0], k[1])).collect();
    let widest = path.iter().map(|k| k[2]).fold(0.0, f64::max);
    let reach = 0.65 * widest + 3.0 + network.widest() / 2.0;
    let bounds = Bounds::of(&knots);
    let mut seen = BTreeSet::new();
    let mut found = Vec::new();
    for w in knots.windows(2) {
        for piece in network.near(w[0].lerp(w[1], 0.5), w[0].dist(w[1]) / 2.0 + reach) {
            let thick = piece.width[0].max(piece.width[1]);
            if thick <= 0.0 || not.contains(&(piece.line as usize)) {
                continue;
            }
            let near = Bounds::of([&piece.a, &piece.b]).grown(0.65 * widest + 3.0 + thick / 2.0);
            let meets = || {
                let gaps = knots.windows(2).map(|q| segments_gap(q[0], q[1], piece.a, piece.b));
                gaps.fold(f64::INFINITY, f64::min) < 0.65 * widest + 3.0 + thick / 2.0
            };
            if near.touches(&bounds) && meets() && seen.insert((piece.line, piece.at)) {
                let knot = |p: Pt, width: f64| [p.x, p.y, width + 1.0];
                found
                    .push(((piece.line, piece.at), vec![knot(piece.a, piece.width[0]), knot(piece.b, piece.width[1])]));
            }
        }
    }
    found.sort_by_key(|f| f.0);
    found.into_iter().map(|f| f.1).collect()
}

/// The curve a hand would have drawn from one end to another: it leaves both as their lines run. `to_dir` points out of
/// the far end (towards the gap), or is `None` when the far side is a line's body.
pub fn bridge_spine(from: Pt, from_dir: Pt, to: Pt, to_dir: Option<Pt>) -> Spine {
    let chord = to - from;
    let len = chord.len();
    let third = len / 3.0;
    let away = |dir: Pt, chord: Pt| {
        // A direction that turns away from the other end is not followed.
        if angle_between(dir, chord) < 1.3 { dir } else { chord.unit() }
    };
    let a = away(from_dir, chord);
    let (h0, h1) = match to_dir {
        None => (from + a * third, to.lerp(from + a * third, 1.0 / 3.0)),
        Some(d) => {
            let b = away(d, chord * -1.0);
            // At a corner both lines run on to where they meet.
            let den = a.cross(b);
            let meet = (den.abs() > 0.35).then(|| (chord.cross(b) / den, chord.cross(a) / den));
            match meet {
                Some((u, v)) if u > 0.0 && v > 0.0 && u < 1.2 * len && v < 1.2 * len => {
                    (from + a * (u * 0.75), to + b * (v * 0.75))
                }
                _ => (from + a * third, to + b * third),
            }
        }
    };
    Spine { points: [from, h0, h1, to].map(Pt::snapped).to_vec(), closed: false }
}
