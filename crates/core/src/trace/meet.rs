//! Where lines meet: one that ends is led on to the line that goes on, lines that share ink without crossing are joined.

use super::branch::Heading;
use super::course::Course;
use super::graph::LOOP;
use super::lead::{self, Seen, Station};
use super::middle::{HALF, to_edge};
use super::path::spine_through;
use super::walk::{Half, Tracing};
use crate::geom::{Pt, angle_between, nearest_on_segment, segments_cross};
use crate::model::line::{End, Form};
use rayon::prelude::*;
use std::f64::consts::PI;

/// A line shows beyond one that it meets: the least angle between them, radians, and the least share of its width.
const STEEP: f64 = 0.4;
const SEEN: f64 = 0.3;

impl Tracing<'_> {
    /// Leads each line that ends on another on to it.
    pub(super) fn meet(&self, courses: &mut [Option<Course>]) {
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
                lines.0.retain(|l| l.course != i || !own.contains(&l.segment));
                let led = self.led_on(&tail, usual, &lines, n);
                let from = tail[tail.len() - 1].p;
                let is_straight = |way: &[Station]| {
                    let to = way.last().map_or(from, |s| s.p);
                    let length = way.first().map_or(0.0, |s| s.p.dist(from)) + lead::len(way);
                    length <= 1.5 * from.dist(to) + 2.0
                };
                let good =
                    |l: &(Vec<Station>, Option<Contact>)| is_straight(&l.0) && self.within(l.0.iter().map(|s| s.p));
                let (more, contact) = match led.filter(good) {
                    Some(led) => led,
                    None => self.plainly_on((i, courses[i].as_ref()?), side, &lines, n),
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
    fn led_on(&self, tail: &[Station], usual: f64, lines: &Lines, n: usize) -> Option<(Vec<Station>, Option<Contact>)> {
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
                let dir = (w[1].p - w[0].p).unit();
                if let Some(tip) = self.beyond(contact, dir, (lean, width), lines) {
                    out.push(Station::hidden(tip));
                    return Some((out, None));
                }
                return Some((out, Some(contact)));
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
        Some((out, Some(contact)))
    }

    /// Where a line ends that shows beyond the one that it was led on to: it runs past it by a nub of its own width.
    fn beyond(&self, contact: Contact, dir: Pt, (lean, width): (f64, f64), lines: &Lines) -> Option<Pt> {
        let half = lines.0.iter().find(|l| (l.course, l.segment) == (contact.course, contact.segment))?.half;
        let edge = to_edge(self.alpha, contact.p, dir, 3.0 * width + half)?;
        let past = edge - width / 2.0;
        let seen = edge - half / lean.sin().max(0.3);
        // What is longer was traced.
        let is_nub = seen > SEEN * width + 0.8 && seen < width;
        // Within a mass of ink nothing stands out.
        let near_tip = contact.p + dir * (edge - 0.3 * seen);
        let aside = dir.turned() * (width / 2.0 + 2.0);
        let is_bare = [near_tip + aside, near_tip - aside].iter().any(|q| self.alpha.sample(q.x, q.y) < HALF);
        (lean > STEEP && is_nub && past > 1.0 && is_bare).then(|| contact.p + dir * past)
    }

    /// What leads a course along the skeleton to a node's place and on to a line that passes there.
    fn plainly_on(
        &self,
        (own, course): (usize, &Course),
        side: usize,
        lines: &Lines,
        n: usize,
    ) -> (Vec<Station>, Option<Contact>) {
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
        // Of a line that ends on itself all that is near may be its own end.
        let near = 1.5 * self.graph.nodes[n].radius + 2.0;
        match lines.nearest(self.places[n]).filter(|l| l.1.course != own || l.0 <= near) {
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
    pub(super) fn webs(&self, courses: &mut [Option<Course>]) -> Vec<Form> {
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

/// A piece of a line near a node: its course, the station it begins with, its ends, half the width there.
struct Piece {
    course: usize,
    segment: usize,
    ends: [Pt; 2],
    half: f64,
}

/// The pieces of lines near a node.
struct Lines(Vec<Piece>);

impl Lines {
    fn near(courses: &[(usize, &Course)], at: Pt, reach: f64) -> Lines {
        let pieces = courses.iter().flat_map(|&(course, c)| {
            c.segments().map(move |(segment, a, b)| {
                let half = c.stations[segment].width.unwrap_or(c.usual) / 2.0;
                Piece { course, segment, ends: [a, b], half }
            })
        });
        Lines(pieces.filter(|s| s.ends[0].dist(at) < reach).collect())
    }

    /// The nearest place on any of them and how far it is.
    fn nearest(&self, p: Pt) -> Option<(f64, Contact)> {
        let places = self.0.iter().map(|&Piece { course, segment, ends: [a, b], .. }| {
            let q = a.lerp(b, nearest_on_segment(p, a, b));
            (q.dist(p), Contact { course, segment, p: q })
        });
        places.min_by(|a, b| a.0.total_cmp(&b.0))
    }

    /// Where a straight way first crosses one: the share of the way, the place, that line's direction.
    fn crossed(&self, a: Pt, b: Pt) -> Option<(f64, Contact, Pt)> {
        let places = self.0.iter().filter_map(|&Piece { course, segment, ends: [c, d], .. }| {
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
