//! What lies beside a stretch that is cleared: its ink stays.

use crate::geom::{Bounds, Pt, pt, segments_gap};
use crate::model::erasure::InkPath;
use crate::region::network::Network;
use std::collections::BTreeSet;

/// The stretches of other lines whose ink lies within reach of what is cleared along a path: it stays.
pub fn ink_beside(network: &Network, path: &[[f64; 3]], not: &[usize]) -> Vec<InkPath> {
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
