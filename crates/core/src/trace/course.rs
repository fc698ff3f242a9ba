//! A line's course: stations from branch to branch, led through crossings, corners set where the ink has them, and the
//! curves fitted to it in the end.

use super::branch::Heading;
use super::graph::Walk;
use super::lead::{self, Seen, Station};
use super::middle::to_edge;
use super::path::{Break, corners, spine_through};
use crate::geom::profile::thin_profile;
use crate::geom::{Pt, angle_between, polyline_len};
use crate::model::line::{End, Form};
use crate::raster::plane::Plane;

/// A line's course before curves are fitted to it.
pub(super) struct Course {
    pub(super) stations: Vec<Station>,
    pub(super) closed: bool,
    pub(super) usual: f64,
    /// The nodes at which it ends on whatever line goes through, at its start and its end.
    pub(super) open: [Option<usize>; 2],
    /// The nodes it goes through.
    pub(super) through: Vec<usize>,
    /// The branches it walks.
    pub(super) walk: Walk,
    /// It goes where the skeleton does.
    pub(super) plain: bool,
}

impl Course {
    /// Its straight pieces: the number of the station each begins with, and its ends.
    pub(super) fn segments(&self) -> impl Iterator<Item = (usize, Pt, Pt)> {
        let n = self.stations.len();
        let count = if self.closed { n } else { n - 1 };
        (0..count).map(move |i| (i, self.stations[i].p, self.stations[(i + 1) % n].p))
    }

    /// Leads it through its crossings. `tips`: its width at an end where its ink ends; `plain`: it stays as it is laid.
    pub(super) fn lead(&mut self, alpha: &Plane<u8>, tips: [Option<f64>; 2], plain: bool) {
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
    pub(super) fn form(self, tolerance: f64) -> Option<Form> {
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
