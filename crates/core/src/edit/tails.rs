//! Tails cut off a sheet.

use crate::geom::{Pt, pt};
use crate::join::{Tail, cut_tail, tails_up_to};
use crate::model::erasure::Erasure;
use crate::model::line::Line;
use crate::model::sheet::Sheet;
use crate::model::verdict::{Kind, Settled, Verdict};
use crate::region::network::Network;
use crate::scene::Scene;
use std::collections::HashSet;
use std::sync::Arc;

/// Cuts tails; of a line with tails at both ends both. Gives how many went.
pub fn cut_all(after: &mut Sheet, scene: &Scene, tails: &[&Tail]) -> usize {
    let mut done: Vec<&Tail> = Vec::new();
    let mut gone = 0;
    for &tail in tails {
        // A line already cut at its other end is cut anew from what is left of it.
        let id = scene_line_id(after, scene, tail);
        let Some(place) = id.and_then(|id| after.lines.iter().position(|l| l.id == id)) else {
            continue;
        };
        if done.iter().any(|d| d.line == tail.line) {
            // What is left of it, among all that the tail may cross.
            let near = near_tail(scene, tail);
            let lines: Vec<Arc<Line>> = std::iter::once(&after.lines[place])
                .chain(after.lines.iter().filter(|l| l.id != after.lines[place].id && near.contains(&l.id)))
                .cloned()
                .collect();
            let network = Network::of(&lines);
            let again = tails_up_to(&network, f64::INFINITY);
            let Some(same) = again.iter().find(|t| t.line == 0 && t.tip.dist(tail.tip) < 0.01) else {
                continue;
            };
            gone += apply_cut(after, place, cut_tail(&lines[0], same, &network), tail);
        } else {
            let line = after.lines[place].clone();
            gone += apply_cut(after, place, cut_tail(&line, tail, &scene.network), tail);
        }
        done.push(tail);
    }
    gone
}

fn scene_line_id(after: &Sheet, scene: &Scene, tail: &Tail) -> Option<u64> {
    let id = scene.network.line(tail.line)?.id;
    after.lines.iter().any(|l| l.id == id).then_some(id)
}

/// The ids of the lines that pass near a tail.
fn near_tail(scene: &Scene, tail: &Tail) -> HashSet<u64> {
    let path: Vec<Pt> = tail.path.iter().map(|p| pt(p[0], p[1])).chain([tail.tip]).collect();
    let reach = 2.0 * scene.network.widest() + 4.0;
    let pieces = path.windows(2).flat_map(|w| {
        let half = w[0].dist(w[1]) / 2.0;
        scene.network.near(w[0].lerp(w[1], 0.5), half + reach)
    });
    pieces.filter_map(|p| scene.network.line(p.line as usize)).map(|l| l.id).collect()
}

fn apply_cut(after: &mut Sheet, place: usize, cut: Option<(Option<Line>, Erasure)>, tail: &Tail) -> usize {
    let Some((left, erasure)) = cut else { return 0 };
    match left {
        Some(line) => after.lines[place] = Arc::new(line),
        None => {
            after.lines.remove(place);
        }
    }
    after.erase(erasure);
    after.settle(Settled { kind: Kind::Tail, at: tail.at, how: Verdict::Cut });
    1
}
