//! The stroke graph of a skeleton: nodes where branches meet or end, edges along the branches; bumps of the rim pruned,
//! the two half-crossings that thinning makes of one crossing put together again.

use crate::forest::Forest;
use crate::geom::{Pt, angle_between, outward_from, pt};
use crate::raster::plane::Plane;
use crate::raster::thinning::AROUND;
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

/// Branches walked in turn, each with whether it is walked backwards.
pub(super) type Walk = Vec<(usize, bool)>;

/// Where branches meet (three or more), end (one), or nothing does (none left).
#[derive(Debug, Clone)]
pub struct Node {
    pub at: Pt,
    /// Distance to the paper, px.
    pub radius: f64,
    /// The branch ends inside solid ink: it is joined there.
    pub in_solid: bool,
    /// A sharp corner's tip was found here.
    pub corner: bool,
}

/// A branch: its skeleton pixels between node `a` and node `b` (usize::MAX at both when it closes on itself).
#[derive(Debug, Clone)]
pub struct Edge {
    pub a: usize,
    pub b: usize,
    pub points: Vec<Pt>,
    pub radius: Vec<f64>,
}

/// A loop's ends are no node.
pub const LOOP: usize = usize::MAX;

#[derive(Debug, Clone, Default)]
pub struct Graph {
    pub nodes: Vec<Node>,
    /// `None`: pruned or put together.
    pub edges: Vec<Option<Edge>>,
}

/// The least radius of a branch at its tip, in those of the lines beside it, if a pen ended there.
const ROUND: f64 = 0.55;
/// By how much its radius falls from the node to the tip at most, px a px.
const FALL: f64 = 0.66;

impl Edge {
    pub fn len(&self) -> f64 {
        self.points.windows(2).map(|w| w[0].dist(w[1])).sum::<f64>()
    }

    pub fn reversed(&self) -> Edge {
        let flip = |v: &Vec<Pt>| v.iter().rev().copied().collect();
        Edge { a: self.b, b: self.a, points: flip(&self.points), radius: self.radius.iter().rev().copied().collect() }
    }
}

impl Graph {
    /// Reads the graph off a skeleton. `squared`: squared distances to the paper; `solid`: pixels of solid ink.
    pub fn of(skeleton: &Plane<bool>, squared: &Plane<u32>, solid: Option<&Plane<bool>>) -> Graph {
        let w = skeleton.width;
        let on = |x: i64, y: i64| skeleton.get(x, y).copied().unwrap_or(false);
        let around = |i: usize| {
            let (x, y) = ((i % w) as i64, (i / w) as i64);
            AROUND
                .iter()
                .filter(move |(dx, dy)| on(x + dx, y + dy))
                .map(move |(dx, dy)| (y + dy) as usize * w + (x + dx) as usize)
        };
        let place = |i: usize| pt((i % w) as f64 + 0.5, (i / w) as f64 + 0.5);
        // The paper begins half a pixel before the nearest paper pixel's centre.
        let depth = |i: usize| (f64::from(squared.data[i]).sqrt() - 0.5).max(0.5);
        let in_row = |y: usize| (y * w..(y + 1) * w).filter(|&i| skeleton.data[i]).collect::<Vec<usize>>();
        let pixels = (0..skeleton.height).into_par_iter().map(in_row).collect::<Vec<_>>().concat();
        let mut node_of: FxHashMap<usize, usize> = FxHashMap::default();
        let mut graph = Graph::default();
        for &i in &pixels {
            let degree = around(i).count();
            if degree == 2 || node_of.contains_key(&i) {
                continue;
            }
            // A cluster of junction pixels is one node; an end is one by itself.
            let mut cluster = vec![i];
            node_of.insert(i, graph.nodes.len());
            if degree > 2 {
                let mut k = 0;
                while k < cluster.len() {
                    for j in around(cluster[k]).collect::<Vec<_>>() {
                        if !node_of.contains_key(&j) && around(j).count() > 2 {
                            node_of.insert(j, graph.nodes.len());
                            cluster.push(j);
                        }
                    }
                    k += 1;
                }
            }
            let middle = cluster.iter().fold(pt(0.0, 0.0), |s, &j| s + place(j)) * (1.0 / cluster.len() as f64);
            // What is joined to a solid must come to lie in it.
            let within = cluster.iter().filter(|&&j| solid.is_some_and(|s| s.data[j])).map(|&j| place(j));
            let at = within.min_by(|a, b| a.dist(middle).total_cmp(&b.dist(middle))).unwrap_or(middle);
            let radius = cluster.iter().map(|&j| depth(j)).fold(0.0, f64::max);
            let in_solid = solid.is_some_and(|s| cluster.iter().any(|&j| s.data[j]));
            graph.nodes.push(Node { at, radius, in_solid, corner: false });
        }
        let mut seen = vec![false; skeleton.data.len()];
        let mut direct = FxHashSet::default();
        let mut starts: Vec<(usize, usize)> = node_of.iter().map(|(&i, &n)| (i, n)).collect();
        starts.sort_unstable();
        for (i, a) in starts {
            for first in around(i).collect::<Vec<_>>() {
                if let Some(&b) = node_of.get(&first) {
                    if b != a && direct.insert((a.min(b), a.max(b))) {
                        graph.edges.push(Some(Edge { a, b, points: vec![], radius: vec![] }));
                    }
                    continue;
                }
                if seen[first] {
                    continue;
                }
                let (mut before, mut here) = (i, first);
                let mut chain = Vec::new();
                let b = loop {
                    seen[here] = true;
                    chain.push(here);
                    let mut ways = around(here).filter(|&j| j != before);
                    let Some(next) = ways.next() else { break a };
                    if let Some(&b) = node_of.get(&next) {
                        break b;
                    }
                    if seen[next] {
                        break a;
                    }
                    before = here;
                    here = next;
                };
                graph.edges.push(Some(Edge {
                    a,
                    b,
                    points: chain.iter().map(|&j| place(j)).collect(),
                    radius: chain.iter().map(|&j| depth(j)).collect(),
                }));
            }
        }
        for &i in &pixels {
            if seen[i] || node_of.contains_key(&i) {
                continue;
            }
            let mut chain = vec![i];
            seen[i] = true;
            while let Some(next) = around(chain[chain.len() - 1]).find(|&j| !seen[j]) {
                seen[next] = true;
                chain.push(next);
            }
            graph.edges.push(Some(Edge {
                a: LOOP,
                b: LOOP,
                points: chain.iter().map(|&j| place(j)).collect(),
                radius: chain.iter().map(|&j| depth(j)).collect(),
            }));
        }
        if let Some(solid) = solid {
            graph.hold_in(solid);
        }
        graph
    }

    /// Where a branch runs through solid ink and out again a node holds it there: a curve through could pass by.
    fn hold_in(&mut self, solid: &Plane<bool>) {
        let inside = |p: &Pt| solid.get(p.x as i64, p.y as i64).copied().unwrap_or(false);
        for k in 0..self.edges.len() {
            let Some(edge) = &self.edges[k] else { continue };
            let within: Vec<bool> = edge.points.iter().map(inside).collect();
            let ends_there = |n: usize| n != LOOP && self.nodes[n].in_solid;
            let mut holds: Vec<usize> = Vec::new();
            let mut from = 0;
            for run in within.chunk_by(|a, b| a == b) {
                let to = from + run.len();
                let is_of_an_end = from == 0 && ends_there(edge.a) || to == within.len() && ends_there(edge.b);
                if run[0] && !is_of_an_end {
                    holds.push((from + to) / 2);
                }
                from = to;
            }
            let Some(&first) = holds.first() else { continue };
            let mut edge = edge.clone();
            let node = self.nodes.len();
            if edge.a == LOOP {
                // It begins and ends at its first hold.
                edge.points.rotate_left(first);
                edge.radius.rotate_left(first);
                holds.iter_mut().for_each(|h| *h -= first);
                (edge.a, edge.b) = (node, node);
            }
            let mut parts: Vec<Edge> = Vec::new();
            let (mut a, mut done) = (edge.a, 0);
            for (n, &h) in holds.iter().enumerate() {
                let (at, radius) = (edge.points[h], edge.radius[h]);
                self.nodes.push(Node { at, radius, in_solid: true, corner: false });
                let part = |from: usize, to: usize, b: usize| Edge {
                    a,
                    b,
                    points: edge.points[from..to].to_vec(),
                    radius: edge.radius[from..to].to_vec(),
                };
                // A loop has nothing before its first hold.
                if h > 0 || a != node {
                    parts.push(part(done, h, node + n));
                }
                (a, done) = (node + n, h + 1);
            }
            let (points, radius) = (edge.points[done..].to_vec(), edge.radius[done..].to_vec());
            parts.push(Edge { a, b: edge.b, points, radius });
            self.edges[k] = None;
            self.edges.extend(parts.into_iter().map(Some));
        }
    }

    /// For each node, the numbers of the edges that reach it; an edge from a node to itself twice.
    pub fn incidence(&self) -> Vec<Vec<usize>> {
        let mut out = vec![Vec::new(); self.nodes.len()];
        for (k, e) in self.edges.iter().enumerate() {
            if let Some(e) = e
                && e.a != LOOP
            {
                out[e.a].push(k);
                out[e.b].push(k);
            }
        }
        out
    }

    /// Takes away branches that stand out of the line's own width by no more than a square end's corner would, the
    /// shortest first. A sharp corner's branch to its tip goes too; the node keeps the tip.
    pub fn prune(&mut self) {
        for _ in 0..4 {
            self.prune_forks();
            let incidence = self.incidence();
            let mut spurs: Vec<(f64, usize, usize)> = Vec::new();
            for (k, e) in self.edges.iter().enumerate() {
                let Some(e) = e else { continue };
                if e.a == LOOP || e.a == e.b {
                    continue;
                }
                for (tip, foot) in [(e.a, e.b), (e.b, e.a)] {
                    if incidence[tip].len() != 1 || incidence[foot].len() < 3 || self.nodes[tip].in_solid {
                        continue;
                    }
                    let length = self.span(e);
                    let (t, f) = (self.nodes[tip].radius, self.nodes[foot].radius);
                    // Where lines run in one another their ink is broader than each: a pen's end stands out of a line.
                    // The corner of a broad shape falls all the way to its tip.
                    let arm =
                        self.arm_radius(k, foot, &incidence).filter(|arm| t > ROUND * arm && f - t < FALL * length);
                    let f = arm.map_or(f, |arm| arm.min(f));
                    let out = length + t - f;
                    if out < 0.42 * f + 0.6 || self.is_corner_spur(k, tip, foot, &incidence) {
                        spurs.push((out, k, tip));
                    }
                }
            }
            if spurs.is_empty() {
                break;
            }
            spurs.sort_by(|a, b| a.0.total_cmp(&b.0));
            let mut degree: Vec<usize> = incidence.iter().map(Vec::len).collect();
            for (_, k, tip) in spurs {
                let Some(e) = self.edges[k].clone() else {
                    continue;
                };
                let foot = if e.a == tip { e.b } else { e.a };
                if degree[foot] < 2 {
                    continue;
                }
                if self.is_corner_spur(k, tip, foot, &incidence) {
                    self.nodes[foot].corner = true;
                }
                degree[foot] -= 1;
                degree[tip] = 0;
                self.edges[k] = None;
            }
            self.weld();
        }
    }

    /// Takes away both tips of an end that forks by no more than the line is wide into points: what is cut off askew or
    /// frayed is one end, a bar across it is as broad at its tips. The line is carried on to where its ink ends afterwards.
    fn prune_forks(&mut self) {
        let incidence = self.incidence();
        for foot in 0..self.nodes.len() {
            if incidence[foot].len() != 3 || self.nodes[foot].in_solid {
                continue;
            }
            let radius = self.nodes[foot].radius;
            let is_tip = |k: &&usize| {
                self.edges[**k].as_ref().is_some_and(|e| {
                    let tip = if e.a == foot { e.b } else { e.a };
                    let free = tip != LOOP && tip != foot && incidence[tip].len() == 1 && !self.nodes[tip].in_solid;
                    free && self.span(e) + self.nodes[tip].radius - radius < radius + 2.0
                })
            };
            let tips: Vec<usize> = incidence[foot].iter().filter(is_tip).copied().collect();
            let broad = |k: &usize| {
                self.edges[*k]
                    .as_ref()
                    .is_some_and(|e| self.nodes[if e.a == foot { e.b } else { e.a }].radius > 0.6 * radius)
            };
            if tips.len() == 2 && !tips.iter().all(broad) {
                tips.into_iter().for_each(|k| self.edges[k] = None);
            }
        }
    }

    /// The least radius of the branches that meet branch `k` at a node, seen beyond the node's own disc; `None` where one
    /// of them ends within it.
    fn arm_radius(&self, k: usize, node: usize, incidence: &[Vec<usize>]) -> Option<f64> {
        let reach = 1.6 * self.nodes[node].radius;
        let mut least: Option<f64> = None;
        for &o in incidence[node].iter().filter(|&&o| o != k) {
            let e = self.edges[o].as_ref()?;
            let beyond = |p: &Pt| p.dist(self.nodes[node].at) > reach;
            let mut places = e.points.iter().zip(&e.radius);
            let at = if e.a == node { places.find(|s| beyond(s.0)) } else { places.rfind(|s| beyond(s.0)) };
            let other = if e.a == node { e.b } else { e.a };
            match at {
                Some((_, &radius)) => least = Some(least.map_or(radius, |l| l.min(radius))),
                None if other != LOOP && incidence[other].len() > 1 => {}
                None => return None,
            }
        }
        least
    }

    fn span(&self, e: &Edge) -> f64 {
        let mut all = vec![self.nodes[e.a].at];
        all.extend(&e.points);
        all.push(self.nodes[e.b].at);
        all.windows(2).map(|w| w[0].dist(w[1])).sum()
    }

    /// Whether a branch runs from where two arms of a line meet to the sharp tip between their outer edges: it leaves
    /// along their bisector and its distance to the paper falls by the sine of half their angle.
    fn is_corner_spur(&self, k: usize, tip: usize, foot: usize, incidence: &[Vec<usize>]) -> bool {
        let Some(e) = &self.edges[k] else {
            return false;
        };
        if incidence[foot].len() != 3 || e.points.len() < 2 {
            return false;
        }
        let (t, f) = (self.nodes[tip].radius, self.nodes[foot].radius);
        let length = self.span(e);
        if t > 2.5f64.max(0.35 * f) || length > 4.0 * f + 3.0 {
            return false;
        }
        let reach = 2.0 * f + 3.0;
        // Of a square end's two branches neither is a corner between the other and the line.
        let long = |o: usize| {
            self.edges[o].as_ref().is_some_and(|e| {
                let other = if e.a == foot { e.b } else { e.a };
                let ends = other != LOOP && incidence[other].len() == 1 && !self.nodes[other].in_solid;
                !ends || self.span(e) + self.nodes[other].radius > 2.2 * f + 2.0
            })
        };
        if !incidence[foot].iter().all(|&o| o == k || long(o)) {
            return false;
        }
        let arms: Vec<Pt> =
            incidence[foot].iter().filter(|&&o| o != k).filter_map(|&o| self.direction(o, foot, reach)).collect();
        if arms.len() != 2 {
            return false;
        }
        let theta = angle_between(arms[0], arms[1]);
        let bisector = (arms[0] + arms[1]) * -1.0;
        if bisector.len() < 0.25 || theta > 2.6 {
            return false;
        }
        let mine = (self.nodes[tip].at - self.nodes[foot].at).unit();
        let fall = (f - t) / length.max(1e-9);
        angle_between(mine, bisector) < 0.5 && (fall - (theta / 2.0).sin()).abs() < 0.22
    }

    /// The direction in which edge `k` leaves node `n`, taken some way along it.
    pub fn direction(&self, k: usize, n: usize, reach: f64) -> Option<Pt> {
        let e = self.edges[k].as_ref()?;
        let e = if e.a == n { e.clone() } else { e.reversed() };
        let mut all = vec![self.nodes[n].at];
        all.extend(&e.points);
        if e.b != LOOP {
            all.push(self.nodes[e.b].at);
        }
        Some(outward_from(&all, reach))
    }

    /// Joins the two edges at every node where just two are left.
    fn weld(&mut self) {
        let incidence = self.incidence();
        let mut incidence = incidence;
        for n in 0..self.nodes.len() {
            if incidence[n].len() != 2 || self.nodes[n].in_solid || self.nodes[n].corner {
                continue;
            }
            let (i, j) = (incidence[n][0], incidence[n][1]);
            if i == j {
                // An edge from the node to itself: a loop.
                if let Some(e) = self.edges[i].as_mut() {
                    e.points.push(self.nodes[n].at);
                    e.radius.push(self.nodes[n].radius);
                    (e.a, e.b) = (LOOP, LOOP);
                }
                incidence[n].clear();
                continue;
            }
            let (Some(e), Some(f)) = (self.edges[i].take(), self.edges[j].take()) else {
                continue;
            };
            let e = if e.b == n { e } else { e.reversed() };
            let f = if f.a == n { f } else { f.reversed() };
            let mut points = e.points;
            let mut radius = e.radius;
            points.push(self.nodes[n].at);
            radius.push(self.nodes[n].radius);
            points.extend(f.points);
            radius.extend(f.radius);
            let end = f.b;
            self.edges[i] = Some(Edge { a: e.a, b: end, points, radius });
            incidence[n].clear();
            if end != LOOP
                && let Some(slot) = incidence[end].iter_mut().find(|k| **k == j)
            {
                *slot = i;
            }
        }
    }

    /// Puts together the nodes that one crossing of thick lines fell apart into: joined by an edge no longer than the
    /// ink is wide there and nowhere thinner than it. Holes stay: of two edges between the same nodes one is kept.
    pub fn merge_crossings(&mut self) {
        let short = self.short_edges(|e, ra, rb, length| {
            let least = e.radius.iter().copied().fold(ra.min(rb), f64::min);
            length <= 1.0 * ra.max(rb) + 1.0 && least > 0.8 * ra.min(rb)
        });
        self.contract(&short);
    }

    /// Puts together neighbouring nodes whose lines were found to meet at nearly one place. Gives whether any were.
    pub fn merge_meeting(&mut self, places: &[Pt]) -> bool {
        let short = self.short_edges(|e, ra, rb, length| {
            length <= 2.6 * ra.max(rb) + 1.0 && places[e.a].dist(places[e.b]) < 0.5 * ra.min(rb) + 0.5
        });
        self.contract(&short);
        !short.is_empty()
    }

    /// Edges between two junctions that `is_short` says are none of their own, the shortest first. It is told the edge,
    /// the radii at both ends and the length.
    fn short_edges(&self, is_short: impl Fn(&Edge, f64, f64, f64) -> bool) -> Vec<usize> {
        let degree: Vec<usize> = self.incidence().iter().map(Vec::len).collect();
        let mut short: Vec<(f64, usize)> = Vec::new();
        for (k, e) in self.edges.iter().enumerate() {
            let Some(e) = e else { continue };
            if e.a == LOOP || e.a == e.b || degree[e.a] < 3 || degree[e.b] < 3 {
                continue;
            }
            let length = self.span(e);
            if is_short(e, self.nodes[e.a].radius, self.nodes[e.b].radius, length) {
                short.push((length, k));
            }
        }
        short.sort_by(|a, b| a.0.total_cmp(&b.0));
        short.into_iter().map(|s| s.1).collect()
    }

    fn contract(&mut self, short: &[usize]) {
        let mut put = Forest::new(self.nodes.len());
        for &k in short {
            let Some(e) = self.edges[k].clone() else { continue };
            let (a, b) = (put.root(e.a), put.root(e.b));
            if a == b || self.nodes[a].in_solid || self.nodes[b].in_solid {
                continue;
            }
            // A crossing that grew larger than its own ink is none.
            if self.nodes[a].at.dist(self.nodes[b].at) > 2.6 * self.nodes[a].radius.max(self.nodes[b].radius) + 1.0 {
                continue;
            }
            self.edges[k] = None;
            put.join_to(a, b);
            let middle = self.nodes[a].at.lerp(self.nodes[b].at, 0.5);
            self.nodes[a].at = middle;
            self.nodes[a].radius = self.nodes[a].radius.max(self.nodes[b].radius);
            self.nodes[a].corner |= self.nodes[b].corner;
        }
        for e in self.edges.iter_mut().flatten() {
            if e.a != LOOP {
                e.a = put.root(e.a);
                e.b = put.root(e.b);
            }
        }
    }
}
