//! Branches strung into lines: at a crossing the ends that go on in each other are paired, where two lines share a
//! stretch of ink both run through it, what is left over ends on the line that goes through.

use super::branch::{Branch, Heading, measured, trim};
use super::course::Course;
use super::graph::{Graph, LOOP, Walk};
use super::lead::{self, Station};
use crate::geom::{Pt, pt};
use crate::model::line::Form;
use crate::raster::plane::Plane;
use rayon::prelude::*;

/// A bend beyond which a line is paired with no other at a crossing, radians.
const GOES_ON: f64 = 0.9;
/// A bend from which on a line's way through a node is a corner, radians.
const SHARP: f64 = 0.6;
/// The same for both where a branch is too short to show how it runs.
const BARE: f64 = 1.2;
/// What pairing with a stub counts for, radians of bending.
const STUB: f64 = 0.3;
/// A bend beyond which two lines are not led through one stretch of ink, radians.
const SHARES: f64 = 0.4;

/// The lines of all branches; those of which no line comes are taken away, so that their ink is not passed over.
pub fn strokes(graph: &mut Graph, alpha: &Plane<u8>, solid: Option<&Plane<bool>>, tolerance: f64) -> Vec<Form> {
    let mut all = measured(graph, alpha);
    let mut degree: Vec<usize> = graph.incidence().iter().map(Vec::len).collect();
    let mut branches = all.clone();
    trim(graph, &degree, alpha, &mut branches);
    let mut places = node_places(graph, &branches, &degree);
    // Two Ts whose lines meet at one place are one crossing.
    if graph.merge_meeting(&places) {
        for (b, e) in all.iter_mut().zip(&graph.edges) {
            match (b.as_mut(), e) {
                (Some(b), Some(e)) => (b.a, b.b) = (e.a, e.b),
                _ => *b = None,
            }
        }
        degree = graph.incidence().iter().map(Vec::len).collect();
        branches = all;
        trim(graph, &degree, alpha, &mut branches);
        places = node_places(graph, &branches, &degree);
    }
    let tips = degree.iter().zip(&graph.nodes).map(|(d, n)| *d == 1 && !n.in_solid).collect();
    let mut tracing = Tracing {
        graph,
        alpha,
        solid,
        branches,
        places,
        tips,
        passed: Vec::new(),
        partner: Vec::new(),
        touching: Vec::new(),
    };
    tracing.pair();
    let walks = tracing.walks();
    let mut courses: Vec<Option<Course>> =
        walks.par_iter().map(|(walk, closed)| tracing.course(walk, *closed)).collect();
    tracing.meet(&mut courses);
    let webs = tracing.webs(&mut courses);
    let count = tracing.graph.edges.len();
    let mut forms: Vec<Option<Form>> = courses.into_par_iter().map(|c| c.and_then(|c| c.form(tolerance))).collect();
    for ((walk, _), form) in walks.iter().zip(&forms) {
        if form.is_none() {
            walk.iter().filter(|(k, _)| *k < count).for_each(|&(k, _)| graph.edges[k] = None);
        }
    }
    forms.extend(webs.into_iter().map(Some));
    forms.into_iter().flatten().collect()
}

/// The end of a branch: its number, and whether it is the end rather than the start.
pub(super) type Half = (usize, bool);

pub(super) struct Tracing<'a> {
    pub(super) graph: &'a Graph,
    pub(super) alpha: &'a Plane<u8>,
    /// The pixels of solid ink.
    solid: Option<&'a Plane<bool>>,
    /// In step with the graph's edges, then the stretches that are walked a second time.
    pub(super) branches: Vec<Option<Branch>>,
    /// Where the lines at a node meet.
    pub(super) places: Vec<Pt>,
    /// The nodes at which a line ends where its ink does.
    tips: Vec<bool>,
    /// The nodes that a line goes through.
    passed: Vec<bool>,
    /// For each end of a branch the one it goes on in, and by how much the line bends there.
    partner: Vec<[Option<(Half, f64)>; 2]>,
    /// Branches that two lines run through without crossing each other, with the second walk of each.
    pub(super) touching: Vec<(usize, usize)>,
}

/// Where the middles of the branches meet: the point nearest to all their lines, weighted to the skeleton's node.
fn node_places(graph: &Graph, branches: &[Option<Branch>], degree: &[usize]) -> Vec<Pt> {
    let mut lines: Vec<Vec<Heading>> = vec![Vec::new(); graph.nodes.len()];
    let heading = |b: &Branch, at_end: bool| {
        let node = &graph.nodes[b.node(at_end)];
        let part = b.from(at_end);
        (part.len() >= 2).then(|| {
            let heading = Heading::of(&part, 2.0 * node.radius + 4.0, 1.5 * node.radius + 3.0);
            (b.node(at_end), heading.on(heading.p.dist(node.at), 0.2))
        })
    };
    let branches = branches.par_iter().flatten().filter(|b| b.a != LOOP);
    let headings: Vec<_> = branches.map(|b| [false, true].map(|at_end| heading(b, at_end))).collect();
    headings.into_iter().flatten().flatten().for_each(|(n, heading)| lines[n].push(heading));
    graph
        .nodes
        .iter()
        .zip(&lines)
        .enumerate()
        .map(|(n, (node, lines))| {
            if degree[n] < 2 || lines.len() < 2 || node.in_solid {
                return node.at;
            }
            let hold = 0.06;
            let (mut a, mut b, mut c, mut x, mut y) = (hold, 0.0, hold, hold * node.at.x, hold * node.at.y);
            for line in lines {
                let m = line.dir.turned();
                let k = m.dot(line.p);
                a += m.x * m.x;
                b += m.x * m.y;
                c += m.y * m.y;
                x += m.x * k;
                y += m.y * k;
            }
            let det = a * c - b * b;
            if det < 1e-9 {
                return node.at;
            }
            let best = pt((x * c - y * b) / det, (y * a - x * b) / det);
            let far = if node.corner { 1.6 * node.radius } else { 0.9 * node.radius };
            let step = best - node.at;
            if step.len() <= far { best } else { node.at + step.unit() * far }
        })
        .collect()
}

impl Tracing<'_> {
    /// How a branch runs into the node at one of its ends.
    pub(super) fn heading(&self, (k, at_end): Half) -> Option<Heading> {
        let b = self.branches[k].as_ref()?;
        let n = b.node(at_end);
        let part = b.from(at_end);
        let radius = self.graph.nodes[n].radius;
        Some(if part.len() >= 3 {
            Heading::of(&part, 3.0 * radius + 8.0, 1.6 * radius + 3.0)
        } else {
            // Nothing of it shows its course: from where it comes to where it goes.
            let from = part.first().copied().unwrap_or(self.places[b.node(!at_end)]);
            Heading {
                p: if part.is_empty() { self.places[n].lerp(from, 0.5) } else { from },
                dir: (self.places[n] - from).unit(),
                bend: 0.0,
            }
        })
    }

    /// For each branch end the branch end it goes on in: the straightest pairs first, widths alike; two alone always.
    fn pair(&mut self) {
        self.partner = vec![[None, None]; self.branches.len()];
        let mut at_node: Vec<Vec<Half>> = vec![Vec::new(); self.graph.nodes.len()];
        for (k, b) in self.branches.iter().enumerate() {
            if let Some(b) = b.as_ref().filter(|b| b.a != LOOP) {
                at_node[b.a].push((k, false));
                at_node[b.b].push((k, true));
            }
        }
        self.share(&at_node);
        for (ends, node) in at_node.iter().zip(&self.graph.nodes) {
            // At a solid every line ends: what went through could pass it by.
            if node.in_solid {
                continue;
            }
            let ends: Vec<Half> =
                ends.iter().copied().filter(|&(k, e)| self.partner[k][usize::from(e)].is_none()).collect();
            let headings: Vec<Option<Heading>> = ends.iter().map(|&e| self.heading(e)).collect();
            let mut pairs: Vec<(f64, f64, Half, Half)> = Vec::new();
            for (i, &one) in ends.iter().enumerate() {
                for (&other, b) in ends.iter().zip(&headings).skip(i + 1) {
                    let (Some(a), Some(b)) = (&headings[i], b) else { continue };
                    let bend = a.bend_to(b);
                    let limit = if self.shows(one) && self.shows(other) { GOES_ON } else { BARE };
                    if ends.len() == 2 || bend < limit {
                        let stubs = f64::from(u8::from(self.is_stub(one)) + u8::from(self.is_stub(other)));
                        pairs.push((bend + 0.25 * self.unlike(one, other) + STUB * stubs, bend, one, other));
                    }
                }
            }
            pairs.sort_by(|a, b| a.0.total_cmp(&b.0));
            for (_, bend, one, other) in pairs {
                self.join(one, other, bend);
            }
        }
        self.passed = vec![false; self.graph.nodes.len()];
        for (b, partner) in self.branches.iter().zip(&self.partner) {
            let Some(b) = b.as_ref().filter(|b| b.a != LOOP) else { continue };
            [false, true]
                .into_iter()
                .filter(|&e| partner[usize::from(e)].is_some())
                .for_each(|e| self.passed[b.node(e)] = true);
        }
    }

    /// Whether a branch ends not far from one of its ends: what goes on there is rather another.
    fn is_stub(&self, (k, at_end): Half) -> bool {
        self.branches[k].as_ref().is_some_and(|b| {
            self.tips[b.node(!at_end)] && (b.samples.len() as f64) < self.graph.nodes[b.node(at_end)].radius
        })
    }

    /// Whether enough of a branch is measured to tell where it heads at one of its ends.
    fn shows(&self, (k, _): Half) -> bool {
        self.branches[k].as_ref().is_some_and(|b| b.samples.len() >= 3)
    }

    fn unlike(&self, one: Half, other: Half) -> f64 {
        let width = |(k, at_end): Half| self.branches[k].as_ref().map_or(1.0, |b| b.width(at_end)).max(0.1);
        (width(one) / width(other)).ln().abs()
    }

    fn join(&mut self, one: Half, other: Half, bend: f64) {
        if self.partner[one.0][usize::from(one.1)].is_none() && self.partner[other.0][usize::from(other.1)].is_none() {
            self.partner[one.0][usize::from(one.1)] = Some((other, bend));
            self.partner[other.0][usize::from(other.1)] = Some((one, bend));
        }
    }

    /// Finds the branches that are the shared ink of two lines, which cross or touch at a small angle: both lines that
    /// come in at one end go on smoothly in one of those at the other. Such a branch is walked twice.
    fn share(&mut self, at_node: &[Vec<Half>]) {
        for k in 0..self.graph.edges.len() {
            let Some(b) = self.branches[k].clone().filter(|b| b.a != LOOP && b.a != b.b) else { continue };
            let others = |n: usize, at_end: bool| -> Vec<Half> {
                at_node[n].iter().copied().filter(|&h| h != (k, at_end)).collect()
            };
            let (a, c) = (others(b.a, false), others(b.b, true));
            let taken = |h: &Half| self.partner[h.0][usize::from(h.1)].is_some() || h.0 == k;
            let solid = self.graph.nodes[b.a].in_solid || self.graph.nodes[b.b].in_solid;
            if a.len() != 2 || c.len() != 2 || solid || a.iter().chain(&c).any(taken) {
                continue;
            }
            let cost = |one: Half, other: Half| {
                let (Some(mut p), Some(mut q)) = (self.heading(one), self.heading(other)) else { return f64::INFINITY };
                // The heading of a branch that ends at once is unknown; only its place is.
                let chord = (q.p - p.p).unit();
                match (self.shows(one), self.shows(other)) {
                    (true, false) => q.dir = chord * -1.0,
                    (false, true) => p.dir = chord,
                    _ => {}
                }
                let bend = p.bend_to(&q);
                let unlike = self.unlike(one, other);
                if bend < SHARES && unlike < 0.4 && self.within_ink(&p, &q, one, other) {
                    bend + 0.25 * unlike
                } else {
                    f64::INFINITY
                }
            };
            let straight = cost(a[0], c[0]) + cost(a[1], c[1]);
            let swapped = cost(a[0], c[1]) + cost(a[1], c[0]);
            if straight.min(swapped) == f64::INFINITY {
                continue;
            }
            let pairs = if straight <= swapped { [(a[0], c[0]), (a[1], c[1])] } else { [(a[0], c[1]), (a[1], c[0])] };
            // Whether they come in and go out on the same side of each other.
            let (Some(one), Some(other)) = (self.heading(pairs[0].0), self.heading(pairs[1].0)) else { continue };
            let (Some(one_on), Some(other_on)) = (self.heading(pairs[0].1), self.heading(pairs[1].1)) else { continue };
            let axis = self.graph.nodes[b.b].at - self.graph.nodes[b.a].at;
            let before = axis.cross(one.p - other.p);
            let after = axis.cross(one_on.p - other_on.p);
            let second = self.branches.len();
            let bare = Branch { samples: Vec::new(), radius: Vec::new(), swollen: [Vec::new(), Vec::new()], ..b };
            self.branches[k] = Some(bare.clone());
            self.branches.push(Some(bare));
            self.partner.push([None, None]);
            for (way, (from, to)) in [k, second].into_iter().zip(pairs) {
                self.join(from, (way, false), 0.0);
                self.join((way, true), to, 0.0);
            }
            if before * after >= 0.0 {
                self.touching.push((k, second));
            }
        }
    }

    /// Whether a line of the width of both ends, led from one to the other, lies in the ink.
    fn within_ink(&self, p: &Heading, q: &Heading, one: Half, other: Half) -> bool {
        let width = |(k, at_end): Half| self.branches[k].as_ref().map_or(1.0, |b| b.width(at_end));
        let half = 0.4 * width(one).min(width(other));
        let way = lead::between(p.p, p.dir, q.p, q.dir);
        let inside = |p: Pt| self.alpha.sample(p.x, p.y) >= 127.5;
        let good = way
            .windows(2)
            .filter(|w| {
                let across = (w[1].p - w[0].p).unit().turned() * half;
                inside(w[0].p + across) && inside(w[0].p - across)
            })
            .count();
        good as f64 >= 0.9 * way.len().saturating_sub(1) as f64
    }

    /// What leads a branch on as it runs into the solid at one of its ends; `None` where it would pass the solid by.
    fn led_into_solid(&self, end: Half, width: f64) -> Option<Vec<Station>> {
        let b = self.branches[end.0].as_ref().filter(|b| b.samples.len() >= 3)?;
        let node = &self.graph.nodes[b.node(end.1)];
        let (solid, heading) = (self.solid.filter(|_| node.in_solid)?, self.heading(end)?);
        let from = b.from(end.1)[0];
        let ahead = Heading { p: from, ..heading };
        let on = from.dist(node.at);
        let is_solid = |p: Pt| solid.get(p.x as i64, p.y as i64).copied().unwrap_or(false);
        let way: Vec<Heading> = (1..(on + 2.0 * width) as usize + 5).map(|i| ahead.on(i as f64, 0.4)).collect();
        let met = way.iter().position(|h| is_solid(h.p))?;
        let inside = way[met..].iter().take_while(|h| is_solid(h.p)).count().min(width as usize + 3);
        // Far enough for the sides of its round end to lie in the solid, too.
        let half = b.width(end.1) / 2.0;
        let is_held = |h: &Heading| [half, -half].iter().all(|&s| is_solid(h.p + h.dir.turned() * s));
        let deep = way[met..met + inside].iter().position(is_held).unwrap_or(inside / 2);
        let last = met + deep.max(2).min(inside - 1);
        Some(way[..=last].iter().map(|h| Station::hidden(h.p)).collect())
    }

    /// All branches strung together, with whether each string closes on itself.
    fn walks(&self) -> Vec<(Walk, bool)> {
        let mut used = vec![false; self.branches.len()];
        let mut walks: Vec<(Walk, bool)> = Vec::new();
        // Open strokes start where a branch has no partner; what is left closes on itself.
        let mut starts: Vec<(usize, bool)> = Vec::new();
        for (k, b) in self.branches.iter().enumerate() {
            if b.is_some() {
                let is_start = |h: &Half| self.partner[h.0][usize::from(h.1)].is_none();
                starts.extend([(k, false), (k, true)].into_iter().filter(is_start));
            }
        }
        starts.extend((0..self.branches.len()).filter(|&k| self.branches[k].is_some()).map(|k| (k, false)));
        for start in starts {
            if used[start.0] {
                continue;
            }
            let mut walk = vec![start];
            used[start.0] = true;
            let mut closed = self.branches[start.0].as_ref().is_some_and(|b| b.a == LOOP);
            while let Some((k, back)) = walk.last().copied() {
                let Some(((next, at_end), _)) = self.partner[k][usize::from(!back)] else {
                    break;
                };
                if used[next] {
                    closed = true;
                    break;
                }
                used[next] = true;
                walk.push((next, at_end));
            }
            walks.push((walk, closed));
        }
        walks
    }

    /// The course of one walk, led through the nodes on its way; `None` if it comes to less than half a pixel.
    fn course(&self, walk: &[(usize, bool)], closed: bool) -> Option<Course> {
        let smooth = self.laid(walk, closed, false)?;
        // Led out of the ink it goes where the skeleton does.
        if self.within(smooth.stations.iter().map(|s| s.p)) { Some(smooth) } else { self.laid(walk, closed, true) }
    }

    /// Whether a course lies in the ink but for a rim's breadth.
    pub(super) fn within(&self, course: impl Iterator<Item = Pt>) -> bool {
        let mut out = 0;
        course.map(|p| self.alpha.sample(p.x, p.y) < 100.0).all(|outside| {
            out = if outside { out + 1 } else { 0 };
            out <= 2
        })
    }

    /// The same, straight through all places of nodes where it is to be `plain`.
    fn laid(&self, walk: &[(usize, bool)], closed: bool, plain: bool) -> Option<Course> {
        let branch = |k: usize| self.branches[k].as_ref();
        let is_loop = walk.len() == 1 && branch(walk[0].0)?.a == LOOP;
        let mut usual = 0.0f64;
        let mut parts: Vec<Part> = Vec::new();
        let mut through = Vec::new();
        let joints = walk.len() - usize::from(!closed || is_loop);
        for (step, &(k, back)) in walk.iter().enumerate() {
            let b = branch(k)?;
            if b.samples.is_empty() {
                if usual == 0.0 || !parts.iter().any(|p| matches!(p, Part::Run(..))) {
                    usual = usual.max(b.usual);
                }
            } else {
                let first = !parts.iter().any(|p| matches!(p, Part::Run(..)));
                usual = if first { b.usual } else { usual.max(b.usual) };
                let mut run: Vec<Station> = b.samples.iter().map(Station::of).collect();
                if plain {
                    run.splice(0..0, b.swollen[0].iter().map(Station::of));
                    run.extend(b.swollen[1].iter().map(Station::of));
                }
                if back {
                    run.reverse();
                }
                parts.push(Part::Run(run, [(k, back), (k, !back)]));
            }
            if step < joints {
                let (n, half) = (b.node(!back), usize::from(!back));
                through.push(n);
                let sharp = self.partner[k][half].is_some_and(|(other, bend)| {
                    bend > if self.shows((k, !back)) && self.shows(other) { SHARP } else { BARE }
                });
                parts.push(Part::Node(self.places[n], sharp));
            }
        }
        let mut open = [None, None];
        let mut ends = [None, None];
        if !closed {
            for (side, &(k, back)) in [walk[0], walk[walk.len() - 1]].iter().enumerate() {
                let b = branch(k)?;
                let n = b.node(back != (side == 1));
                let is_tip = self.tips[n];
                let goes_on = self.passed[n] && !self.graph.nodes[n].in_solid;
                open[side] = (!is_tip && goes_on).then_some(n);
                ends[side] = is_tip.then(|| b.width(back != (side == 1)));
                let at = if side == 0 { 0 } else { parts.len() };
                let end = (k, back != (side == 1));
                if let Some(mut more) = self.led_into_solid(end, usual).filter(|_| !plain) {
                    let Some(Part::Run(run, _)) = (if side == 0 { parts.first_mut() } else { parts.last_mut() }) else {
                        continue;
                    };
                    if side == 0 {
                        more.reverse();
                        run.splice(0..0, more);
                    } else {
                        run.extend(more);
                    }
                } else if b.samples.is_empty() || !is_tip && (!goes_on || plain || b.samples.len() < 3) {
                    parts.insert(at, Part::Node(self.places[n], true));
                }
            }
        }
        // Nodes between two runs that are measured are passed smoothly, unless there are many in a row.
        let is_run = |p: &Part| matches!(p, Part::Run(..));
        let count = parts.len();
        let mut keep = vec![true; count];
        for i in (0..count).filter(|&i| is_run(&parts[i])) {
            let mut next = i + 1;
            while next < i + count && !is_run(&parts[next % count]) {
                next += 1;
            }
            let wraps = next >= count;
            let between: Vec<usize> = (i + 1..next).map(|k| k % count).collect();
            let is_sharp = |k: &usize| matches!(parts[*k], Part::Node(_, true));
            let goes = is_run(&parts[next % count]) && !between.is_empty() && (!wraps || closed);
            if goes && !plain && between.len() <= 3 && !between.iter().any(is_sharp) {
                between.into_iter().for_each(|k| keep[k] = false);
            }
        }
        let mut stations: Vec<Station> = Vec::new();
        let mut before: Option<Half> = None;
        let mut passed = false;
        let bridge = |from: Half, to: Half| match (self.heading(from), self.heading(to)) {
            (Some(p), Some(q)) => lead::between(p.p, p.dir, q.p, q.dir),
            _ => Vec::new(),
        };
        let mut first = None;
        for (part, keep) in parts.iter().zip(&keep) {
            match part {
                Part::Run(run, [start, end]) => {
                    if let Some(from) = before.filter(|_| passed) {
                        stations.extend(bridge(from, *start));
                    }
                    if stations.is_empty() {
                        first = Some(*start);
                    }
                    stations.extend(run);
                    (before, passed) = (Some(*end), false);
                }
                Part::Node(place, sharp) if *keep => {
                    stations.push(Station { joint: sharp.then_some(true), ..Station::hidden(*place) });
                    (before, passed) = (None, false);
                }
                Part::Node(..) => passed = true,
            }
        }
        if let (Some(from), Some(to), true) = (before, first, passed && closed) {
            stations.extend(bridge(from, to));
        }
        if stations.len() < 2 || lead::len(&stations) < 0.5 {
            return None;
        }
        let mut course = Course { stations, closed, usual, open, through, walk: walk.to_vec(), plain };
        course.lead(self.alpha, ends, plain);
        Some(course)
    }
}

/// A part of a walk.
enum Part {
    /// What is measured of a branch, and the ends of that branch in the order of the walk.
    Run(Vec<Station>, [Half; 2]),
    /// The place of a node, and whether the line turns sharply there or ends.
    Node(Pt, bool),
}
