//! Branches strung into lines: at a crossing the ends that go on in each other are paired, where two lines share a
//! stretch of ink both run through it, what is left over ends on the line that goes through.

use super::branch::{Branch, Heading, measured, trim};
use super::graph::{Graph, LOOP};
use super::lead::{self, Seen, Station};
use super::middle::to_edge;
use super::path::{Break, corners, spine_through};
use crate::geom::{Pt, angle_between, nearest_on_segment, polyline_len, pt, segments_cross};
use crate::line::{End, Form, thin_profile};
use crate::plane::Plane;
use rayon::prelude::*;
use std::f64::consts::PI;

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
pub fn strokes(graph: &mut Graph, alpha: &Plane<u8>, tolerance: f64) -> Vec<Form> {
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
    let mut tracing =
        Tracing { graph, alpha, branches, places, tips, passed: Vec::new(), partner: Vec::new(), touching: Vec::new() };
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
type Half = (usize, bool);

/// Branches walked in turn, each with whether it is walked backwards.
type Walk = Vec<(usize, bool)>;

struct Tracing<'a> {
    graph: &'a Graph,
    alpha: &'a Plane<u8>,
    /// In step with the graph's edges, then the stretches that are walked a second time.
    branches: Vec<Option<Branch>>,
    /// Where the lines at a node meet.
    places: Vec<Pt>,
    /// The nodes at which a line ends where its ink does.
    tips: Vec<bool>,
    /// The nodes that a line goes through.
    passed: Vec<bool>,
    /// For each end of a branch the one it goes on in, and by how much the line bends there.
    partner: Vec<[Option<(Half, f64)>; 2]>,
    /// Branches that two lines run through without crossing each other, with the second walk of each.
    touching: Vec<(usize, usize)>,
}

/// A line's course before curves are fitted to it.
struct Course {
    stations: Vec<Station>,
    closed: bool,
    usual: f64,
    /// The nodes at which it ends on whatever line goes through, at its start and its end.
    open: [Option<usize>; 2],
    /// The nodes it goes through.
    through: Vec<usize>,
    /// The branches it walks.
    walk: Walk,
    /// It goes where the skeleton does.
    plain: bool,
}

/// Where the middles of the branches meet: the point nearest to all their lines, weighted to the skeleton's node.
fn node_places(graph: &Graph, branches: &[Option<Branch>], degree: &[usize]) -> Vec<Pt> {
    let mut lines: Vec<Vec<Heading>> = vec![Vec::new(); graph.nodes.len()];
    for b in branches.iter().flatten().filter(|b| b.a != LOOP) {
        for at_end in [false, true] {
            let node = &graph.nodes[b.node(at_end)];
            let part = b.from(at_end);
            if part.len() >= 2 {
                let heading = Heading::of(&part, 2.0 * node.radius + 4.0, 1.5 * node.radius + 3.0);
                lines[b.node(at_end)].push(heading.on(heading.p.dist(node.at), 0.2));
            }
        }
    }
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
    fn heading(&self, (k, at_end): Half) -> Option<Heading> {
        let b = self.branches[k].as_ref()?;
        let n = b.node(at_end);
        let part = b.from(at_end);
        let radius = self.graph.nodes[n].radius;
        Some(if part.len() >= 3 {
            Heading::of(&part, 3.0 * radius + 8.0, 1.6 * radius + 3.0)
        } else {
            // Nothing of it shows its course: from where it comes to where it goes.
            let from = part.first().copied().unwrap_or(self.places[b.node(!at_end)]);
            Heading { p: self.places[n].lerp(from, 0.5), dir: (self.places[n] - from).unit(), bend: 0.0 }
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
            let mut pairs: Vec<(f64, f64, Half, Half)> = Vec::new();
            for (i, &one) in ends.iter().enumerate() {
                for &other in &ends[i + 1..] {
                    let (Some(a), Some(b)) = (self.heading(one), self.heading(other)) else { continue };
                    let bend = a.bend_to(&b);
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
                let (Some(p), Some(q)) = (self.heading(one), self.heading(other)) else { return f64::INFINITY };
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
    fn within(&self, course: impl Iterator<Item = Pt>) -> bool {
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
                if b.samples.is_empty() || !is_tip && (!goes_on || plain || b.samples.len() < 3) {
                    let at = if side == 0 { 0 } else { parts.len() };
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

    /// Leads each line that ends on another on to it.
    fn meet(&self, courses: &mut [Option<Course>]) {
        let mut passing: Vec<Vec<usize>> = vec![Vec::new(); self.graph.nodes.len()];
        for (i, c) in courses.iter().enumerate() {
            c.iter().flat_map(|c| &c.through).for_each(|&n| passing[n].push(i));
        }
        let ends: Vec<(usize, usize, usize)> = courses
            .iter()
            .enumerate()
            .flat_map(|(i, c)| {
                let open = c.as_ref().map_or([None, None], |c| c.open);
                (0..2).filter_map(move |side| open[side].map(|n| (i, side, n)))
            })
            .collect();
        let found: Vec<(usize, usize, Vec<Station>, Option<Contact>)> = ends
            .par_iter()
            .filter_map(|&(i, side, n)| {
                let mut tail: Vec<Station> = courses[i].as_ref()?.stations.clone();
                if side == 0 {
                    tail.reverse();
                }
                let targets: Vec<(usize, &Course)> =
                    passing[n].iter().filter_map(|&t| courses[t].as_ref().map(|c| (t, c))).collect();
                let usual = courses[i].as_ref()?.usual;
                // A line may end on itself, but not where it ends.
                let beside = (3.0 * usual) as usize + 4;
                let own = if side == 0 { 0..beside } else { tail.len().saturating_sub(beside)..tail.len() };
                let mut lines = Lines::near(&targets, self.graph.nodes[n].at, 5.0 * self.graph.nodes[n].radius + 8.0);
                lines.0.retain(|l| l.0 != i || !own.contains(&l.1));
                let led = self.led_on(&tail, usual, &lines, n);
                let from = tail[tail.len() - 1].p;
                let is_straight = |way: &[Station], to: Pt| {
                    let length = way.first().map_or(0.0, |s| s.p.dist(from)) + lead::len(way);
                    length <= 1.5 * from.dist(to) + 2.0
                };
                let good =
                    |l: &(Vec<Station>, Contact)| is_straight(&l.0, l.1.p) && self.within(l.0.iter().map(|s| s.p));
                let (more, contact) = match led.filter(good) {
                    Some((more, contact)) => (more, Some(contact)),
                    None => self.plainly_on(courses[i].as_ref()?, side, &lines, n),
                };
                Some((i, side, more, contact))
            })
            .collect();
        let mut onto: Vec<Vec<(usize, Pt)>> = vec![Vec::new(); courses.len()];
        for (_, _, _, contact) in &found {
            if let Some(c) = contact {
                onto[c.course].push((c.segment, c.p));
            }
        }
        for (course, mut places) in courses.iter_mut().zip(onto) {
            let Some(course) = course else { continue };
            places.sort_by(|a, b| {
                let along = |x: &(usize, Pt)| course.stations[x.0].p.dist(x.1);
                b.0.cmp(&a.0).then(along(b).total_cmp(&along(a)))
            });
            for (segment, p) in places {
                course.stations.insert(segment + 1, Station { joint: Some(false), ..Station::hidden(p) });
            }
        }
        for (i, side, more, _) in found {
            let Some(c) = &mut courses[i] else { continue };
            // It ends on the line now, no more at the node's place.
            let ends_at_place = |s: Option<&Station>| s.is_some_and(|s| s.joint == Some(true));
            if side == 0 {
                let gone = usize::from(ends_at_place(c.stations.first()));
                c.stations.splice(0..gone, more.into_iter().rev());
            } else {
                c.stations.truncate(c.stations.len() - usize::from(ends_at_place(c.stations.last())));
                c.stations.extend(more);
            }
        }
    }

    /// What leads a course (its end last) smoothly on to one of the lines that go through a node, and where it meets it;
    /// `None` where the course is too short to tell, or passes all of them by.
    fn led_on(&self, tail: &[Station], usual: f64, lines: &Lines, n: usize) -> Option<(Vec<Station>, Contact)> {
        let node = &self.graph.nodes[n];
        let last = tail[tail.len() - 1];
        let width = lead::typical(&tail[tail.len().saturating_sub(60)..]).unwrap_or(usual).max(1.0);
        let points: Vec<Pt> = tail.iter().rev().take(3 * width as usize + 12).map(|s| s.p).collect();
        if points.len() < 3 || last.seen == Seen::Hidden {
            return None;
        }
        let heading = Heading::of(&points, 1.5 * width + 4.0, 1.2 * width + 3.0);
        let to_place = last.p.dist(self.places[n]);
        let far = to_place + 2.0 * node.radius + 2.0;
        let (length, lean) = match lines.crossed(last.p, last.p + heading.dir * far) {
            Some((t, _, along)) => {
                let angle = angle_between(heading.dir, along);
                (t * far, angle.min(PI - angle))
            }
            None => (to_place, 0.0),
        };
        // At a small angle it may run along the other line for long.
        let more = length + if lean < 0.5 { 4.0 * width } else { 0.6 * width };
        let mut way = lead::evenly(&tail[tail.len().saturating_sub(2 * width as usize + 12)..]);
        let ahead = Heading { p: last.p, ..heading };
        let from = way.len();
        way.extend((1..=more.ceil() as usize).map(|i| Station::hidden(ahead.on(i as f64, 0.4).p)));
        // One that meets the other steeply has little way to go.
        if lean < 0.9 {
            lead::lead(self.alpha, &mut way, usual, [true, false]);
        }
        let way = &way[from - 1..];
        let mut out: Vec<Station> = Vec::new();
        for w in way.windows(2) {
            let crossed = lines.crossed(w[0].p, w[1].p).map(|(_, contact, _)| contact);
            let met = || lines.nearest(w[1].p).filter(|n| n.0 < 0.35).map(|n| n.1);
            if let Some(contact) = crossed.or_else(met) {
                out.push(Station::hidden(contact.p));
                return Some((out, contact));
            }
            out.push(w[1]);
        }
        // It passes by: it bends over where it comes nearest.
        let near = out.iter().enumerate().filter_map(|(i, s)| lines.nearest(s.p).map(|(d, contact)| (d, i, contact)));
        let (_, i, contact) = near.min_by(|a, b| a.0.total_cmp(&b.0)).filter(|n| n.0 < 0.4 * width)?;
        let bends = (width as usize).min(i);
        let by = contact.p - out[i].p;
        for (k, s) in out[i - bends..=i].iter_mut().enumerate() {
            let t = k as f64 / bends.max(1) as f64;
            s.p = s.p + by * (t * t);
        }
        out.truncate(i);
        out.push(Station::hidden(contact.p));
        Some((out, contact))
    }

    /// What leads a course along the skeleton to a node's place and on to a line that passes there.
    fn plainly_on(&self, course: &Course, side: usize, lines: &Lines, n: usize) -> (Vec<Station>, Option<Contact>) {
        let (k, back) = course.walk[if side == 0 { 0 } else { course.walk.len() - 1 }];
        let at_end = back == (side == 0);
        let mut way: Vec<Station> = Vec::new();
        if let Some(b) = self.branches[k].as_ref().filter(|_| !course.plain) {
            way.extend(
                b.swollen[usize::from(at_end)].iter().map(|s| Station { seen: Seen::Guessed, ..Station::of(s) }),
            );
            if !at_end {
                way.reverse();
            }
        }
        match lines.nearest(self.places[n]) {
            Some((d, contact)) => {
                if d > 1.0 {
                    way.push(Station::hidden(self.places[n]));
                }
                way.push(Station::hidden(contact.p));
                (way, Some(contact))
            }
            None => {
                way.push(Station::hidden(self.places[n]));
                (way, None)
            }
        }
    }

    /// Joins lines that share ink but do not cross: a short line between where they come nearest. What they enclose stays
    /// enclosed.
    fn webs(&self, courses: &mut [Option<Course>]) -> Vec<Form> {
        let mut of_branch: Vec<usize> = vec![usize::MAX; self.branches.len()];
        let mut passing: Vec<Vec<(usize, Half, Half)>> = vec![Vec::new(); self.graph.nodes.len()];
        for (i, c) in courses.iter().enumerate() {
            let Some(c) = c else { continue };
            for (step, &(k, back)) in c.walk.iter().enumerate() {
                of_branch[k] = i;
                let next = if step + 1 < c.walk.len() { Some(c.walk[step + 1]) } else { c.closed.then(|| c.walk[0]) };
                if let (Some(next), Some(b)) = (next, &self.branches[k])
                    && b.a != LOOP
                {
                    passing[b.node(!back)].push((i, (k, !back), next));
                }
            }
        }
        let mut asked: Vec<(usize, usize, Pt, f64)> = Vec::new();
        for &(k, second) in &self.touching {
            let Some(b) = &self.branches[k] else { continue };
            let (a, b) = (&self.graph.nodes[b.a], &self.graph.nodes[b.b]);
            asked.push((
                of_branch[k],
                of_branch[second],
                a.at.lerp(b.at, 0.5),
                0.5 * a.at.dist(b.at) + a.radius.max(b.radius),
            ));
        }
        for (node, passes) in self.graph.nodes.iter().zip(&passing).filter(|(_, p)| p.len() > 1) {
            for (i, one) in passes.iter().enumerate() {
                for other in &passes[i + 1..] {
                    let shared = |h: Half| self.branches[h.0].as_ref().is_none_or(|b| b.samples.is_empty());
                    let bare = [one.1, one.2, other.1, other.2].into_iter().any(shared);
                    let angle = |h: Half| {
                        let from = self.heading(h).map_or(node.at, |h| h.p) - node.at;
                        from.y.atan2(from.x)
                    };
                    let (a, b) = (angle(one.1), angle(one.2));
                    let between = |x: f64| (x > a.min(b)) && (x < a.max(b));
                    if !bare && between(angle(other.1)) == between(angle(other.2)) {
                        asked.push((one.0, other.0, node.at, 2.0 * node.radius));
                    }
                }
            }
        }
        asked.into_iter().filter_map(|(i, j, at, reach)| web(courses, i, j, at, reach)).collect()
    }
}

/// A place on a course where another ends.
#[derive(Clone, Copy)]
struct Contact {
    course: usize,
    segment: usize,
    p: Pt,
}

/// The pieces of lines near a node: their course, their station, their ends.
struct Lines(Vec<(usize, usize, Pt, Pt)>);

impl Lines {
    fn near(courses: &[(usize, &Course)], at: Pt, reach: f64) -> Lines {
        let pieces = courses.iter().flat_map(|&(t, c)| c.segments().map(move |(i, a, b)| (t, i, a, b)));
        Lines(pieces.filter(|s| s.2.dist(at) < reach).collect())
    }

    /// The nearest place on any of them and how far it is.
    fn nearest(&self, p: Pt) -> Option<(f64, Contact)> {
        let places = self.0.iter().map(|&(course, segment, a, b)| {
            let q = a.lerp(b, nearest_on_segment(p, a, b));
            (q.dist(p), Contact { course, segment, p: q })
        });
        places.min_by(|a, b| a.0.total_cmp(&b.0))
    }

    /// Where a straight way first crosses one: the share of the way, the place, that line's direction.
    fn crossed(&self, a: Pt, b: Pt) -> Option<(f64, Contact, Pt)> {
        let places = self.0.iter().filter_map(|&(course, segment, c, d)| {
            segments_cross(a, b, c, d).map(|(t, _)| (t, Contact { course, segment, p: a.lerp(b, t) }, d - c))
        });
        places.min_by(|x, y| x.0.total_cmp(&y.0))
    }
}

/// The line between two courses near a place; `None` if they cross there or come together.
fn web(courses: &mut [Option<Course>], i: usize, j: usize, at: Pt, reach: f64) -> Option<Form> {
    if i == usize::MAX || j == usize::MAX || i == j {
        return None;
    }
    let near = |c: &Option<Course>| -> Vec<(usize, Pt, Pt)> {
        c.iter().flat_map(Course::segments).filter(|s| s.1.dist(at) < reach).collect()
    };
    let (one, other) = (near(&courses[i]), near(&courses[j]));
    let mut best: Option<(f64, usize, usize)> = None;
    for &(k, a, b) in &one {
        for &(l, c, d) in &other {
            if segments_cross(a, b, c, d).is_some() {
                return None;
            }
            let gap = a.dist(c);
            if best.is_none_or(|b| gap < b.0) {
                best = Some((gap, k, l));
            }
        }
    }
    let (gap, k, l) = best?;
    let p = courses[i].as_ref()?.stations[k].p;
    courses[i].as_mut()?.stations[k].joint.get_or_insert(false);
    let (usual, other) = (courses[i].as_ref()?.usual, courses[j].as_mut()?);
    other.stations[l].joint.get_or_insert(false);
    let q = other.stations[l].p;
    if gap < 0.5 {
        other.stations[l].p = p;
        return None;
    }
    let width = usual.min(other.usual);
    let spine = spine_through(&[p, q], &[], false, 0.1);
    Some(Form::Centreline { spine, width: vec![[0.0, width]], ends: [End::Round, End::Round] })
}

/// A part of a walk.
enum Part {
    /// What is measured of a branch, and the ends of that branch in the order of the walk.
    Run(Vec<Station>, [Half; 2]),
    /// The place of a node, and whether the line turns sharply there or ends.
    Node(Pt, bool),
}

impl Course {
    /// Its straight pieces: the number of the station each begins with, and its ends.
    fn segments(&self) -> impl Iterator<Item = (usize, Pt, Pt)> {
        let n = self.stations.len();
        let count = if self.closed { n } else { n - 1 };
        (0..count).map(move |i| (i, self.stations[i].p, self.stations[(i + 1) % n].p))
    }

    /// Leads it through its crossings. `tips`: its width at an end where its ink ends; `plain`: it stays as it is laid.
    fn lead(&mut self, alpha: &Plane<u8>, tips: [Option<f64>; 2], plain: bool) {
        self.find_corners(alpha);
        let is_hidden = |s: &Station| s.seen == Seen::Hidden;
        if plain || !self.stations.iter().any(is_hidden) {
            return;
        }
        let sharp = |s: &Station| s.joint == Some(true);
        if self.closed {
            match self.stations.iter().position(sharp) {
                Some(first) => {
                    self.stations.rotate_left(first);
                    self.stations.push(self.stations[0]);
                }
                None => {
                    self.stations.push(self.stations[0]);
                    self.stations = lead::evenly(&self.stations);
                    self.stations.pop();
                    lead::lead_round(alpha, &mut self.stations, self.usual);
                    return;
                }
            }
        }
        let n = self.stations.len();
        let mut cuts: Vec<usize> = (0..n).filter(|&i| i == 0 || i + 1 == n || sharp(&self.stations[i])).collect();
        cuts.dedup();
        let mut led: Vec<Station> = vec![self.stations[0]];
        for w in cuts.windows(2) {
            let mut part = self.stations[w[0]..=w[1]].to_vec();
            if part.iter().any(is_hidden) {
                part = lead::evenly(&part);
                let held = [part[0], part[part.len() - 1]].map(|s| sharp(&s));
                lead::lead(alpha, &mut part, self.usual, held);
            }
            led.extend(part.into_iter().skip(1));
        }
        self.stations = led;
        if self.closed {
            self.stations.pop();
            return;
        }
        for (side, tip) in tips.into_iter().enumerate() {
            let Some(width) = tip else { continue };
            if side == 0 {
                self.stations.reverse();
            }
            self.reach_tip(alpha, width);
            if side == 0 {
                self.stations.reverse();
            }
        }
    }

    /// Corners of the ink where a line is measured: what lies before and after is led straight on to where it meets.
    fn find_corners(&mut self, alpha: &Plane<u8>) {
        let points: Vec<Pt> = self.stations.iter().map(|s| s.p).collect();
        let reach = (0.8 * self.usual).max(4.0);
        let nodes: Vec<Pt> = self.stations.iter().filter(|s| s.seen == Seen::Hidden).map(|s| s.p).collect();
        let turns = corners(&points, reach, self.closed).into_iter();
        // A turn found beside a crossing is the crossing's.
        let turns: Vec<usize> = turns.filter(|&i| nodes.iter().all(|n| n.dist(points[i]) > reach)).collect();
        turns.iter().for_each(|&i| self.stations[i].joint = Some(true));
        for i in turns {
            if let Some((before, after, place)) = self.corner_at(i, alpha) {
                let n = self.stations.len();
                let count = after + if after < before { n } else { 0 } - before;
                for k in 1..count {
                    let at = (before + k) % n;
                    let own = (i + n - before) % n;
                    let (from, to, t) = if k <= own {
                        (points[before], place, k as f64 / own as f64)
                    } else {
                        (place, points[after], (k - own) as f64 / (count - own) as f64)
                    };
                    let joint = self.stations[at].joint;
                    self.stations[at] = Station { joint, ..Station::hidden(from.lerp(to, t)) };
                }
            }
        }
    }

    /// The last station before a corner at which its own line is seen and the first one after it, and where the two
    /// lines meet; `None` where the ink has no such corner.
    fn corner_at(&self, i: usize, alpha: &Plane<u8>) -> Option<(usize, usize, Pt)> {
        let n = self.stations.len();
        let side = |back: bool, skip: f64| -> Option<Vec<usize>> {
            let mut out = Vec::new();
            let (mut at, mut run) = (i, 0.0);
            while run < skip + 1.5 * self.usual + 6.0 {
                let next = match (back, self.closed) {
                    (true, true) => (at + n - 1) % n,
                    (false, true) => (at + 1) % n,
                    (true, false) if at > 0 => at - 1,
                    (false, false) if at + 1 < n => at + 1,
                    _ => break,
                };
                if next == i || self.stations[next].joint.is_some() || self.stations[next].seen == Seen::Hidden {
                    break;
                }
                run += self.stations[at].p.dist(self.stations[next].p);
                at = next;
                if run >= skip {
                    out.push(at);
                }
            }
            (out.len() >= 6).then_some(out)
        };
        let heading = |stations: &[usize]| {
            let points: Vec<Pt> = stations.iter().map(|&k| self.stations[k].p).collect();
            Heading::of(&points, 1.2 * self.usual + 6.0, 1.0 * self.usual + 4.0)
        };
        let mut skip = 0.6 * self.usual + 1.0;
        let mut found = None;
        // The sharper it is, the farther off its arms run together.
        for _ in 0..2 {
            let (before, after) = (side(true, skip)?, side(false, skip)?);
            let (a, b) = (heading(&before), heading(&after));
            let open = angle_between(a.dir, b.dir);
            found = Some((before[0], after[0], a, b));
            skip = (0.5 * self.usual / (open / 2.0).tan().max(0.1)).clamp(0.5 * self.usual, 2.4 * self.usual) + 2.0;
        }
        let (before, after, a, b) = found?;
        let cross = a.dir.cross(b.dir);
        if cross.abs() < 0.2 {
            return None;
        }
        let place = a.p + a.dir * ((b.p - a.p).cross(b.dir) / cross);
        let outward = (a.dir + b.dir).unit();
        let is_near = place.dist(self.stations[i].p) < 1.5 * self.usual && (place - a.p).dot(a.dir) > 0.0;
        // A round bend's ink ends before that.
        let reach = to_edge(alpha, place, outward, 2.0 * self.usual + 2.0)?;
        (is_near && reach > 0.42 * self.usual - 0.2).then_some((before, after, place))
    }

    /// Carries an end beside a crossing (the last station) to where its ink ends, less the half width that a round end adds.
    fn reach_tip(&mut self, alpha: &Plane<u8>, width: f64) {
        let n = self.stations.len();
        // What is measured up to its tip ends there already, tapering as it may.
        let reach = (0.7 * width) as usize + 2;
        if n < 3 || !self.stations[n.saturating_sub(reach)..].iter().any(|s| s.seen == Seen::Hidden) {
            return;
        }
        let base = n - 1 - ((0.4 * width) as usize).min(n - 2);
        let from = base.saturating_sub((0.8 * width) as usize + 3);
        let dir = (self.stations[base].p - self.stations[from].p).unit();
        let p = self.stations[base].p;
        if let Some(e) = to_edge(alpha, p, dir, 2.5 * width + 4.0) {
            let on = e - width / 2.0;
            self.stations.truncate(base + 1);
            if on > 0.25 {
                self.stations.push(Station::hidden(p + dir * on));
            }
        }
    }

    /// The line with curves fitted.
    fn form(self, tolerance: f64) -> Option<Form> {
        let points: Vec<Pt> = self.stations.iter().map(|s| s.p).collect();
        if points.len() < 2 || polyline_len(&points) < 0.5 {
            return None;
        }
        let breaks: Vec<Break> =
            self.stations.iter().enumerate().filter_map(|(at, s)| s.joint.map(|sharp| Break { at, sharp })).collect();
        let (n, closed) = (points.len(), self.closed);
        let total = polyline_len(&points) + if closed { points[n - 1].dist(points[0]) } else { 0.0 };
        // A ring's spine starts at its first sharp break, or its first: the profile must start there too.
        let first = if closed { breaks.iter().find(|b| b.sharp).or(breaks.first()).map_or(0, |b| b.at) } else { 0 };
        let mut profile: Vec<[f64; 2]> = Vec::new();
        let mut s = 0.0;
        for k in 0..n + usize::from(closed) {
            let i = (first + k) % n;
            if k > 0 {
                s += points[i].dist(points[(first + k - 1) % n]);
            }
            if let Some(w) = self.stations[i].width {
                profile.push([s / total.max(1e-9), w]);
            }
        }
        if profile.is_empty() {
            profile.push([0.0, self.usual]);
        }
        let calm: Vec<[f64; 2]> = (0..profile.len())
            .map(|i| {
                let r = 3.min(i).min(profile.len() - 1 - i);
                let sum: f64 = profile[i - r..=i + r].iter().map(|p| p[1]).sum();
                [profile[i][0], sum / (2 * r + 1) as f64]
            })
            .collect();
        let mut width = thin_profile(&calm, 0.3);
        width.iter_mut().for_each(|k| {
            *k = [(k[0] * 65536.0).round() / 65536.0, (k[1] * 256.0).round() / 256.0];
        });
        let spine = spine_through(&points, &breaks, closed, tolerance);
        Some(Form::Centreline { spine, width, ends: [End::Round, End::Round] })
    }
}
