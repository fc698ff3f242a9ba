//! Gaps: which loose end was meant to meet which other end, or which line.
//!
//! Each pair of a loose end with another, and each end with the line it runs at, gets a confidence from the distance
//! between their ink, how straight each runs at the other, and how alike their widths are (good continuation: after
//! Fourey and others, "A fast and efficient semi-guided algorithm for flat coloring line-arts", 2018, where ends of
//! lines are matched as keypoints). The best pairs are taken first, each end once; then all of them are put into the
//! arrangement together, and one that parts no two regions gains nothing and is only proposed. O(ends · neighbours); after
//! an edit only ends near what changed are looked at again, only candidates that one which came or went may cross or
//! leave an end to are decided anew, and of the arrangements only what the edit touched is.

use super::bridge_spine;
use super::closing::Closing;
use super::faces::{faces, reach_of_faces, straight_faces};
use crate::geom::{Bounds, Pt, angle_between, nearest_on_segment, segments_cross};
use crate::ink::IS_INK;
use crate::line::{End, Form, Line, Made, Spine};
use crate::plane::Plane;
use crate::recipe::{JoinRecipe, px_per_mm};
use crate::region::network::{Edited, EndKey, LineEnd, Network, Places, end_place};
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use std::sync::Arc;

/// A gap and the curve that would close it.
#[derive(Debug, Clone, PartialEq)]
pub struct Gap {
    /// The loose end it starts from: the line's number in the drawing, and which end.
    pub line: usize,
    pub at_end: bool,
    /// The other loose end, or the line whose body is met.
    pub other: usize,
    pub other_end: Option<bool>,
    /// Where the ink ends on both sides.
    pub from: Pt,
    pub to: Pt,
    /// Between the ink on both sides, px.
    pub length: f64,
    /// 0 to 1.
    pub confidence: f64,
    /// The areas of the two regions it parts (of the outside: none), when it parts any.
    pub parts: Option<[Option<usize>; 2]>,
    /// It can be settled without asking.
    pub sure: bool,
    pub bridge: Line,
    /// Nothing tells that the two were meant to meet, but paint gets out between them.
    pub leak: bool,
    /// Along the line that is met at its body.
    pub(super) along: Option<Pt>,
    /// Tells it from every other one there ever was in the drawing.
    pub(crate) number: u32,
}

impl Gap {
    /// Whether another lies just so.
    fn is_where(&self, o: &Gap) -> bool {
        (self.line, self.at_end, self.other, self.other_end, self.leak)
            == (o.line, o.at_end, o.other, o.other_end, o.leak)
            && (self.from, self.to, self.along, self.length) == (o.from, o.to, o.along, o.length)
            && self.bridge == o.bridge
    }

    /// Of the bridge at its start, px.
    fn width(&self) -> f64 {
        if let Form::Centreline { width, .. } = &self.bridge.form { width[0][1] } else { 0.0 }
    }

    /// The loose ends it closes.
    pub fn ends(&self) -> impl Iterator<Item = EndKey> + use<> {
        [Some((self.line, self.at_end)), self.other_end.map(|e| (self.other, e))].into_iter().flatten()
    }
}

/// From this confidence on a gap that parts regions is closed without asking.
const SURE: f64 = 0.30;
/// The same where an end would be carried to a line's body: that end has no counterpart that speaks for it.
const SURE_TO_LINE: f64 = 0.36;
/// From this confidence on a gap may complete one of the other, if it is no longer than half the longest.
const COMPLETES: f64 = 0.12;
const COMPLETED: f64 = 0.5;
/// Below this it is not even proposed.
const FAINT: f64 = 0.06;
/// Regions smaller than this many visible pixels are no gain.
const LEAST_GAIN: usize = 40;
/// A leak is looked for around an end up to this turn from its direction, radians.
const ASIDE: f64 = 2.1;
/// How much farther than the longest gap things are looked at that may matter to one, px.
const AROUND: f64 = 40.0;
/// Ink is looked at up to so many widths of a line from its end.
const DENSITY_REACH: f64 = 4.0;

#[derive(Debug, Clone)]
struct Candidate {
    /// Of the two ends the one of the lesser line by id.
    end: EndKey,
    other_end: Option<EndKey>,
    other: usize,
    to: Pt,
    to_width: f64,
    /// Along the line, where its body is met.
    along: Option<Pt>,
    /// Where the ink ends at both sides, when the ends are faces of a cut.
    faces: Option<[Pt; 2]>,
    length: f64,
    confidence: f64,
    /// The curves that would close it and cross no line; found when they are asked for.
    ways: Option<Vec<Way>>,
}

#[derive(Debug, Clone)]
struct Way {
    spine: Spine,
    flat: Arc<[Pt]>,
    bounds: Bounds,
}

/// What was decided of a candidate last.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Verdict {
    /// Nothing yet.
    Open,
    /// An end of it was in a better one.
    EndTaken,
    /// All its ways cross better ones.
    Crosses,
    /// It is closed by this of its ways.
    Chosen(u32),
}

/// A candidate in the order they are decided in, with what is asked of each at every edit.
#[derive(Debug, Clone)]
struct Ranked {
    confidence: f64,
    /// The places of its ends; where it meets a line's body, of the one end twice.
    ends: [u32; 2],
    verdict: Verdict,
    /// Around all its ways, once they are known.
    bounds: Bounds,
    candidate: Box<Candidate>,
}

impl Ranked {
    fn of(c: Candidate) -> Ranked {
        let start = end_place(c.end) as u32;
        let ends = [start, c.other_end.map_or(start, |o| end_place(o) as u32)];
        Ranked { confidence: c.confidence, ends, verdict: Verdict::Open, bounds: Bounds::EMPTY, candidate: c.into() }
    }

    /// Where it lies, if it is chosen.
    fn lies(&self) -> Option<Bounds> {
        let Verdict::Chosen(way) = self.verdict else { return None };
        Some(self.candidate.ways.as_ref()?.get(way as usize)?.bounds)
    }
}

impl Candidate {
    /// Of its kind are those that are closest to an end that is in no other.
    fn is_leak(&self) -> bool {
        self.confidence < FAINT
    }

    fn is_confident(&self) -> bool {
        self.confidence >= if self.other_end.is_some() { SURE } else { SURE_TO_LINE }
    }
}

/// A gap that was chosen.
#[derive(Debug, Clone)]
struct Chosen {
    confident: bool,
    /// Before it was weighed by what closing gains.
    confidence: f64,
    gap: Gap,
    flat: Arc<[Pt]>,
    bounds: Bounds,
}

/// What of a chosen one decides whether others complete it; of none where no chosen one starts.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
struct Standing {
    number: u32,
    /// The faces at its sides among all, the lesser first, if it parts two.
    sides: Option<[u32; 2]>,
    is_confident: bool,
    /// It parts nothing among the confident ones alone.
    is_idle: bool,
    may_complete: bool,
    /// It parts two regions among all.
    gains: bool,
}

/// Places to look at again: those of closures that came or went.
struct Stir {
    boxes: Vec<Bounds>,
    all: Bounds,
}

/// From so many places on all is looked at again.
const MOST_STIRRED: usize = 128;

impl Stir {
    fn add(&mut self, b: Bounds) {
        self.all = self.all.around(&b);
        self.boxes.push(b);
    }

    fn touches(&self, b: &Bounds) -> bool {
        self.all.touches(b) && (self.boxes.len() > MOST_STIRRED || self.boxes.iter().any(|s| s.touches(b)))
    }
}

/// The gaps of a drawing, kept up through edits.
#[derive(Debug, Clone)]
pub struct Gaps {
    limit: f64,
    /// Of each end: not loose, loose, or loose as the other end of its line is.
    loose: Vec<u8>,
    /// From the most confident on.
    candidates: Vec<Ranked>,
    /// By the end they start from.
    chosen: Vec<Option<Box<Chosen>>>,
    /// Of each end the start of the chosen one it is in, and one more; 0: it is in none.
    starts: Vec<u32>,
    /// In which round an end was taken last, and whether a chosen one starts from it.
    taken: Vec<(u32, bool)>,
    round: u32,
    numbers: u32,
    /// The end each chosen one starts from, by its number.
    places: FxHashMap<u32, u32>,
    lying: Lying,
    /// With the confident ones closed, and with all of them.
    confident: Closing,
    all: Closing,
    /// By the end each starts from.
    standings: Vec<Standing>,
    /// Those that speak for one another.
    completed: FxHashSet<u32>,
}

/// What came of choosing.
#[derive(Default)]
struct Choice {
    /// What leaves and what comes to the confident ones, and to all.
    confident: Swapped,
    all: Swapped,
    /// Those to weigh anew besides.
    weigh: Vec<u32>,
    /// The places of ends of those that came or went.
    ends: FxHashSet<usize>,
}

impl Gaps {
    /// Finds the gaps of a drawing. `alpha` is the ink as it is seen.
    pub fn of(network: &Network, alpha: &Plane<u8>, recipe: &JoinRecipe, dpi: f64) -> Gaps {
        let mut gaps = Gaps {
            limit: recipe.longest_gap * px_per_mm(dpi),
            loose: Vec::new(),
            candidates: Vec::new(),
            chosen: Vec::new(),
            starts: Vec::new(),
            taken: Vec::new(),
            round: 0,
            numbers: 0,
            places: FxHashMap::default(),
            lying: Lying::default(),
            confident: Closing::default(),
            all: Closing::default(),
            standings: Vec::new(),
            completed: FxHashSet::default(),
        };
        let gone = gaps.look(network, alpha, |_| true);
        let Choice { confident, all, .. } = gaps.choose(network, alpha, &gone);
        gaps.confident = Closing::of(network, alpha, &confident.1);
        gaps.all = Closing::of(network, alpha, &all.1);
        let numbers: Vec<u32> = gaps.places.keys().copied().collect();
        gaps.weigh_gain(&numbers);
        gaps
    }

    /// The same after an edit of the network, and of the ink in `inked`. Gives the ends of those that came, went or are
    /// weighed otherwise.
    pub fn update(
        &mut self,
        network: &Network,
        edited: &Edited,
        alpha: &Plane<u8>,
        inked: &[Bounds],
    ) -> FxHashSet<usize> {
        let mut places = edited.places.clone();
        places.extend(inked);
        let widest = network.widest();
        let reach = self.limit + AROUND + DENSITY_REACH * widest + reach_of_faces(widest);
        let near = Places::of(&places);
        let gone = self.look(network, alpha, |end| near.near(end.p, reach));
        let Choice { confident, all, mut weigh, mut ends } = self.choose(network, alpha, &gone);
        let Gaps { confident: some, all: every, .. } = self;
        let (stale, others) = rayon::join(
            || some.update(network, edited, alpha, inked, &confident),
            || every.update(network, edited, alpha, inked, &all),
        );
        weigh.extend(stale.into_iter().chain(others));
        ends.extend(self.weigh_gain(&weigh));
        ends
    }

    pub fn is_ready(&self) -> bool {
        self.confident.is_ready() && self.all.is_ready()
    }

    /// Makes what the first edit would have to make.
    pub fn make_ready(&mut self) {
        self.confident.make_ready();
        self.all.make_ready();
    }

    pub fn iter(&self) -> impl Iterator<Item = &Gap> {
        self.chosen.iter().flatten().map(|c| &c.gap).filter(|g| !g.leak)
    }

    /// Openings beside a loose end that look like no gap and part two regions all the same.
    pub fn leaks(&self) -> impl Iterator<Item = &Gap> {
        self.chosen.iter().flatten().map(|c| &c.gap).filter(|g| g.leak && g.parts.is_some())
    }

    /// The gap an end is in, or the leak beside it, by the end's place.
    pub(crate) fn at(&self, place: usize) -> Option<&Gap> {
        let start = self.starts.get(place)?.checked_sub(1)?;
        self.chosen[start as usize].as_ref().map(|c| &c.gap)
    }

    /// Looks for candidates of the ends that are asked for, once more. Gives those that were chosen and are no more.
    fn look(&mut self, network: &Network, alpha: &Plane<u8>, asked: impl Fn(&LineEnd) -> bool) -> Vec<Ranked> {
        let before = std::mem::replace(&mut self.loose, vec![0; 2 * network.line_numbers()]);
        let mut anew = vec![false; self.loose.len()];
        let mut all = Bounds::EMPTY;
        for end in network.ends().filter(|e| e.loose) {
            let n = end_place(end.key());
            self.loose[n] = 1 + u8::from(network.loose_at_both(end.line));
            if before.get(n) != Some(&self.loose[n]) || asked(end) {
                anew[n] = true;
                all = all.around(&Bounds::of([&end.p]));
            }
        }
        // Only what lies around those that are looked at is asked for.
        let cell = self.limit + AROUND;
        let all = all.grown(2.0 * cell);
        let close: Vec<&LineEnd> = network.ends().filter(|e| e.loose && all.touches(&Bounds::of([&e.p]))).collect();
        let near = EndGrid::of(&close, cell);
        let is_anew = |k: EndKey| anew[end_place(k)];
        let rank = |e: &LineEnd| (network.line(e.line).map_or(0, |l| l.id), e.at_end);
        let limit = self.limit;
        let mut found: Vec<Candidate> = close
            .par_iter()
            .filter(|e| is_anew(e.key()))
            .flat_map_iter(|end| {
                let mut found = Vec::new();
                for other in near.around(end.p).map(|j| close[j]).filter(|o| o.key() != end.key()) {
                    // Of two that are both looked at the lesser one speaks for both.
                    if is_anew(other.key()) && rank(other) < rank(end) {
                        continue;
                    }
                    let (a, b) = if rank(end) < rank(other) { (*end, other) } else { (other, *end) };
                    found.extend(end_to_end(a, b, network, alpha, limit));
                }
                found.extend(end_to_line(end, (&close, &near), network, alpha, limit).into_iter().flatten());
                found
            })
            .collect();
        let rank = |k: &EndKey| (network.line(k.0).map_or(0, |l| l.id), k.1);
        let id = |n: usize| network.line(n).map_or(0, |l| l.id);
        let order = |a: &Candidate, b: &Candidate| {
            b.confidence
                .total_cmp(&a.confidence)
                .then_with(|| rank(&a.end).cmp(&rank(&b.end)))
                .then_with(|| id(a.other).cmp(&id(b.other)))
                .then_with(|| a.other_end.map(|e| e.1).cmp(&b.other_end.map(|e| e.1)))
        };
        found.sort_by(order);
        // Merged, where what was there goes before what is as good.
        let loose = &self.loose;
        let stays = |n: u32| loose[n as usize] > 0 && !anew[n as usize];
        let mut gone: Vec<Ranked> = Vec::new();
        let mut merged: Vec<Ranked> = Vec::with_capacity(self.candidates.len() + found.len());
        let mut found = found.into_iter().map(Ranked::of).peekable();
        for c in self.candidates.drain(..) {
            if c.ends.into_iter().all(stays) {
                let is_before = |n: &Ranked| n.confidence >= c.confidence && order(&n.candidate, &c.candidate).is_lt();
                while let Some(new) = found.next_if(is_before) {
                    merged.push(new);
                }
                merged.push(c);
            } else if let Verdict::Chosen(_) = c.verdict {
                gone.push(c);
            }
        }
        merged.extend(found);
        self.candidates = merged;
        gone
    }

    /// Takes the best candidates, each end once, none crossing another. `gone`: those that were chosen and are candidates
    /// no more. What was decided of a candidate holds as long as its ends are free as they were and nothing that came or
    /// went before it touches it.
    fn choose(&mut self, network: &Network, alpha: &Plane<u8>, gone: &[Ranked]) -> Choice {
        let places = 2 * network.line_numbers();
        self.chosen.resize_with(places, || None);
        self.starts.resize(places, 0);
        self.standings.resize(places, Standing::default());
        self.taken.resize(places, (0, false));
        self.round += 1;
        let round = self.round;
        let mut choice = Choice::default();
        let mut stir = Stir { boxes: Vec::new(), all: Bounds::EMPTY };
        gone.iter().filter_map(Ranked::lies).for_each(|b| stir.add(b));
        // Ends whose chosen one may be no more.
        let mut left: Vec<u32> = gone.iter().map(|c| c.ends[0]).collect();
        let mut candidates = std::mem::take(&mut self.candidates);
        for c in &mut candidates {
            let [start, other] = c.ends;
            if c.ends.iter().any(|&e| self.taken[e as usize].0 == round) {
                if let Some(lay) = c.lies() {
                    stir.add(lay);
                    left.push(start);
                }
                c.verdict = Verdict::EndTaken;
                continue;
            }
            let holds = matches!(c.verdict, Verdict::Chosen(_) | Verdict::Crosses) && !stir.touches(&c.bounds);
            if !holds {
                let lay = c.lies();
                let was = c.verdict;
                c.verdict = self.decide(network, c);
                if c.verdict != was {
                    lay.into_iter().for_each(|b| stir.add(b));
                    left.extend(lay.map(|_| start));
                    if let Verdict::Chosen(way) = c.verdict {
                        c.lies().into_iter().for_each(|b| stir.add(b));
                        self.close(network, alpha, &c.candidate, way as usize, &mut choice);
                    }
                }
            }
            if let Verdict::Chosen(_) = c.verdict {
                self.taken[other as usize] = (round, false);
                self.taken[start as usize] = (round, true);
            }
        }
        // Most of those ends start another one now.
        for start in left {
            if !self.is_closed(start) {
                self.open(start, &mut choice);
            }
        }
        self.candidates = candidates;
        choice
    }

    /// Whether the one that starts from an end is chosen in this round already.
    fn is_closed(&self, start: u32) -> bool {
        self.taken[start as usize] == (self.round, true)
    }

    /// By which of its ways a candidate crosses none of those chosen in this round.
    fn decide(&self, network: &Network, c: &mut Ranked) -> Verdict {
        let Ranked { candidate, bounds, .. } = c;
        let ways = candidate.ways.take().or_else(|| {
            let end = network.end(candidate.end)?;
            let other = candidate.other_end.and_then(|o| network.end(o));
            Some(ways_of(&end, candidate.to, other.as_ref(), candidate.faces, network))
        });
        let ways = candidate.ways.insert(ways.unwrap_or_default());
        *bounds = ways.iter().fold(Bounds::EMPTY, |all, w| all.around(&w.bounds));
        let is_clear = |w: &Way| {
            self.lying.near(&w.bounds).filter(|&start| self.is_closed(start)).all(|start| {
                let Some(o) = &self.chosen[start as usize] else { return true };
                let crosses = |a: &[Pt], b: &[Pt]| segments_cross(a[0], a[1], b[0], b[1]).is_some();
                let crossed = |a: &[Pt]| o.flat.windows(2).any(|b| crosses(a, b));
                !(w.bounds.touches(&o.bounds) && w.flat.windows(2).any(crossed))
            })
        };
        ways.iter().position(is_clear).map_or(Verdict::Crosses, |way| Verdict::Chosen(way as u32))
    }

    /// Puts a candidate among the chosen ones, by one of its ways.
    fn close(&mut self, network: &Network, alpha: &Plane<u8>, c: &Candidate, way: usize, choice: &mut Choice) {
        let (Some(end), Some(way)) = (network.end(c.end), c.ways.as_ref().and_then(|w| w.get(way))) else { return };
        let other = c.other_end.and_then(|o| network.end(o));
        let densities = [Some(&end), other.as_ref()].map(|e| e.map(|e| density_at(e, network, alpha)));
        let opacity = bridge_opacity(densities[0], densities[1]);
        let gap = gap_of(&end, c, other.as_ref(), (way.spine.clone(), opacity), self.numbers + 1);
        let (start, confident) = (end_place(c.end), c.is_confident());
        if let Some(was) = &mut self.chosen[start]
            && was.confident == confident
            && was.gap.is_where(&gap)
        {
            // Looked at again and found as it was: it stays in what was computed with it.
            was.confidence = c.confidence;
            choice.weigh.push(was.gap.number);
            return;
        }
        self.open(start as u32, choice);
        self.numbers += 1;
        if confident {
            choice.confident.1.push((self.numbers, gap.clone()));
        }
        choice.all.1.push((self.numbers, gap.clone()));
        for end in gap.ends().map(end_place) {
            self.starts[end] = start as u32 + 1;
            choice.ends.insert(end);
        }
        self.places.insert(self.numbers, start as u32);
        self.lying.add(&way.bounds, start as u32);
        let (flat, bounds) = (way.flat.clone(), way.bounds);
        self.chosen[start] = Some(Box::new(Chosen { confident, confidence: c.confidence, gap, flat, bounds }));
    }

    /// Takes the one that starts from an end out of the chosen ones, if there is one.
    fn open(&mut self, start: u32, choice: &mut Choice) {
        let Some(was) = self.chosen[start as usize].take() else { return };
        choice.all.0.push(was.gap.number);
        if was.confident {
            choice.confident.0.push(was.gap.number);
        }
        for end in was.gap.ends().map(end_place) {
            // Another may have taken it by now.
            if self.starts[end] == start + 1 {
                self.starts[end] = 0;
            }
            choice.ends.insert(end);
        }
        self.places.remove(&was.gap.number);
        self.standings[start as usize] = Standing::default();
        self.lying.remove(&was.bounds, start);
    }

    /// Which closures part two regions: first the confident ones alone, so that none of them counts on a doubtful one,
    /// then all. Those of these numbers, and what depends on them; gives the ends of those that are weighed otherwise.
    fn weigh_gain(&mut self, numbers: &[u32]) -> FxHashSet<usize> {
        let mut asked: FxHashSet<u32> = numbers.iter().copied().filter(|n| self.places.contains_key(n)).collect();
        for &number in &asked {
            let start = self.places[&number] as usize;
            if let Some(c) = &self.chosen[start] {
                self.standings[start] = Standing::of(c, self);
            }
        }
        let completed = self.completed();
        asked.extend(completed.symmetric_difference(&self.completed));
        self.completed = completed;
        let mut ends = FxHashSet::default();
        for number in asked {
            let Some(c) = self.places.get(&number).and_then(|&start| self.chosen[start as usize].as_mut()) else {
                continue;
            };
            let alone = if c.confident { gains(&self.confident, &c.gap) } else { None };
            let parts = alone.or_else(|| gains(&self.all, &c.gap));
            let sure = alone.is_some() || self.completed.contains(&number);
            let share = match (sure, parts) {
                (true, _) => 1.0,
                (false, Some(_)) => 0.8,
                (false, None) => 0.4,
            };
            let weighed = (parts, sure, c.confidence * share);
            if weighed != (c.gap.parts, c.gap.sure, c.gap.confidence) {
                (c.gap.parts, c.gap.sure, c.gap.confidence) = weighed;
                ends.extend(c.gap.ends().map(end_place));
            }
        }
        ends
    }

    /// A confident closure that parts nothing by itself was cut at another place, too: where one or two doubtful ones
    /// lie between the same two regions and complete it, they speak for one another. The numbers of both.
    fn completed(&self) -> FxHashSet<u32> {
        let all = || self.standings.iter().filter_map(|s| Some((s, s.sides?)));
        let mut groups: FxHashMap<[u32; 2], Vec<&Standing>> =
            all().filter(|(s, _)| s.is_idle).map(|(_, k)| (k, Vec::new())).collect();
        if groups.is_empty() {
            return FxHashSet::default();
        }
        // What is open besides joins the faces at both its sides. Most lie between other faces: that is seen at once.
        let most = all().map(|(_, k)| k[1] as usize).max().unwrap_or(0);
        let mut is_beside_idle = vec![false; most + 1];
        groups.keys().for_each(|k| is_beside_idle[k[0] as usize] = true);
        let mut open: Vec<[u32; 2]> = Vec::new();
        for (s, k) in all() {
            let group = if is_beside_idle[k[0] as usize] { groups.get_mut(&k) } else { None };
            match group {
                Some(group) => group.push(s),
                None if !s.is_confident => open.push(k),
                None => {}
            }
        }
        groups.retain(|k, group| {
            let doubtful: Vec<&&Standing> = group.iter().filter(|s| !s.is_confident).collect();
            let speaks = (1..=2).contains(&doubtful.len())
                && doubtful.iter().all(|s| s.may_complete)
                && group.iter().all(|s| s.gains);
            if !speaks && !doubtful.is_empty() {
                open.push(*k);
            }
            speaks
        });
        let mut parent: Vec<u32> = (0..=most as u32).collect();
        fn root(parent: &mut [u32], mut f: u32) -> u32 {
            while parent[f as usize] != f {
                parent[f as usize] = parent[parent[f as usize] as usize];
                f = parent[f as usize];
            }
            f
        }
        for [a, b] in open {
            let (a, b) = (root(&mut parent, a), root(&mut parent, b));
            parent[a.max(b) as usize] = a.min(b);
        }
        groups.retain(|k, _| root(&mut parent, k[0]) != root(&mut parent, k[1]));
        groups.into_values().flatten().map(|s| s.number).collect()
    }
}

impl Standing {
    fn of(c: &Chosen, gaps: &Gaps) -> Standing {
        let is_short = c.gap.length <= 0.5 * gaps.limit;
        Standing {
            number: c.gap.number,
            sides: gaps.all.sides(c.gap.number).map(|[a, b]| [a.min(b) as u32, a.max(b) as u32]),
            is_confident: c.confident,
            is_idle: c.confidence >= COMPLETED && gains(&gaps.confident, &c.gap).is_none(),
            may_complete: !c.gap.leak && c.confidence >= COMPLETES && is_short,
            gains: gains(&gaps.all, &c.gap).is_some(),
        }
    }
}

/// The areas of the regions a closure parts, when neither is too small to be one.
fn gains(closing: &Closing, gap: &Gap) -> Option<[Option<usize>; 2]> {
    let parts = closing.parts(gap.number)?;
    // Paint is held by a room, not by the corner between an end and what it stands beside.
    let room = if gap.leak { 4.0 * (gap.length + gap.width()).powi(2) } else { 0.0 };
    (parts.iter().flatten().min().copied().unwrap_or(0) >= LEAST_GAIN.max(room as usize)).then_some(parts)
}

/// The numbers of closures that go, and those that come.
pub(super) type Swapped = (Vec<u32>, Vec<(u32, Gap)>);

/// The curves of chosen gaps by the cells their boxes touch: the ends they start from.
#[derive(Debug, Clone, Default)]
struct Lying(FxHashMap<(i32, i32), Vec<u32>>);

impl Lying {
    fn keys(b: &Bounds) -> impl Iterator<Item = (i32, i32)> + use<> {
        let at = |v: f64| (v / 64.0).floor().clamp(-1e9, 1e9) as i32;
        let (x, y) = ((at(b.min.x), at(b.max.x)), (at(b.min.y), at(b.max.y)));
        (y.0..=y.1).flat_map(move |r| (x.0..=x.1).map(move |c| (c, r)))
    }

    /// What lies in the cells of a box.
    fn near(&self, b: &Bounds) -> impl Iterator<Item = u32> + '_ {
        Lying::keys(b).filter_map(|key| self.0.get(&key)).flatten().copied()
    }

    fn add(&mut self, b: &Bounds, start: u32) {
        for key in Lying::keys(b) {
            self.0.entry(key).or_default().push(start);
        }
    }

    fn remove(&mut self, b: &Bounds, start: u32) {
        for key in Lying::keys(b) {
            if let Some(cell) = self.0.get_mut(&key) {
                cell.retain(|s| *s != start);
            }
        }
    }
}

/// Loose ends in square cells, so that only neighbours are looked at.
struct EndGrid {
    cell: f64,
    /// Cells with the numbers of the ends in them, sorted: row, column, end.
    ends: Vec<(i32, i32, u32)>,
}

impl EndGrid {
    fn of(ends: &[&LineEnd], cell: f64) -> EndGrid {
        let mut grid = EndGrid { cell, ends: Vec::new() };
        grid.ends = ends.iter().enumerate().map(|(i, e)| (grid.at(e.p.y), grid.at(e.p.x), i as u32)).collect();
        grid.ends.sort_unstable();
        grid
    }

    /// Far off the sheet all places are one.
    fn at(&self, v: f64) -> i32 {
        (v / self.cell).floor().clamp(-1e9, 1e9) as i32
    }

    /// The ends within a cell's width of a place, and some more.
    fn around(&self, p: Pt) -> impl Iterator<Item = usize> + '_ {
        let (x, y) = (self.at(p.x), self.at(p.y));
        (y - 1..=y + 1).flat_map(move |row| {
            let from = self.ends.partition_point(|e| (e.0, e.1) < (row, x - 1));
            self.ends[from..].iter().take_while(move |e| (e.0, e.1) <= (row, x + 1)).map(|e| e.2 as usize)
        })
    }
}

fn ink_side(to: Pt, from: Pt, half: f64) -> Pt {
    to + (from - to).unit() * half.min(to.dist(from) / 2.0)
}

fn end_to_end(a: &LineEnd, b: &LineEnd, network: &Network, alpha: &Plane<u8>, limit: f64) -> Option<Candidate> {
    let chord = b.p - a.p;
    let len = chord.len();
    let halves = (a.width + b.width) / 2.0;
    let length = (len - halves).max(0.0);
    if length > limit || len < 1e-6 {
        return None;
    }
    let (turn_a, turn_b) = (angle_between(a.dir, chord), angle_between(b.dir, chord * -1.0));
    // Where a thick line was cut through its faces tell more than the way its middle runs so near to its end.
    let most = turn_a.max(turn_b);
    // One of them runs at the other all the same: ends of two lines side by side do not.
    let runs_at = turn_a.min(turn_b) < 1.0;
    let may_be_cut = runs_at && most > 0.3 && most < 2.4 && length < 1.8 * a.width.min(b.width);
    let cut = if may_be_cut { faces(a, b, alpha) } else { None };
    if most > 1.9 && cut.is_none() {
        return cut_straight(a, b, alpha, limit);
    }
    // Close to the ends' own width their directions say little.
    let trust = len / (len + 0.8 * halves + 2.0);
    // Two ends of one arc turn from their chord by the same angle to the same side; an S costs more than an arc. What
    // the lines' own bend accounts for costs nothing.
    let signed = |dir: Pt, chord: Pt| dir.cross(chord).atan2(dir.dot(chord));
    let beyond = |turn: f64, bend: f64| turn - (bend * len / 2.0).clamp(turn.min(0.0), turn.max(0.0));
    let turns =
        [beyond(signed(a.dir, chord), bend_at(a, network)), beyond(-signed(b.dir, chord * -1.0), -bend_at(b, network))];
    let bend = (0.75 * (turns[0] - turns[1]).powi(2) + 0.22 * (turns[0] + turns[1]).powi(2)) * trust;
    let bend = if cut.is_some() { 0.15 * bend } else { bend };
    let unlike = (a.width.max(1.0) / b.width.max(1.0)).ln();
    let same = if a.line == b.line { 0.25 } else { 0.0 };
    // The farther, the straighter it must be.
    let far = length / limit;
    let cost = 0.32 * far * far + bend * (0.5 + 0.6 * far) + 0.12 * unlike * unlike - same;
    // Ends that run straight at each other were hardly meant to taper off or to stand alone.
    let facing = (0.4 + turns[0].abs() + turns[1].abs()).min(1.0);
    let accident = end_weight(a, network, length, same > 0.0) * end_weight(b, network, length, same > 0.0);
    let confidence = (-cost.max(0.0)).exp() * accident.powf(facing);
    if confidence < SURE
        && let Some(straight) = cut_straight(a, b, alpha, limit)
    {
        return Some(straight);
    }
    if confidence < FAINT || cut.is_none() && ink_between(alpha, a.p, b.p, a.width / 2.0, b.width / 2.0) {
        return None;
    }
    Some(between(a, b, cut, cut.map_or(length, |[a, b]| a.dist(b)), confidence))
}

/// What was cut straight through shows it, wherever its middle runs to beside the cut.
fn cut_straight(a: &LineEnd, b: &LineEnd, alpha: &Plane<u8>, limit: f64) -> Option<Candidate> {
    let faces = straight_faces((a.p, a.width), (b.p, b.width), 0.4, alpha, limit)?;
    let length = faces[0].dist(faces[1]);
    let far = length / limit;
    Some(between(a, b, Some(faces), length, 0.8 * (-0.32 * far * far).exp()))
}

fn between(a: &LineEnd, b: &LineEnd, faces: Option<[Pt; 2]>, length: f64, confidence: f64) -> Candidate {
    Candidate {
        end: a.key(),
        other_end: Some(b.key()),
        other: b.line,
        to: b.p,
        to_width: b.width,
        along: None,
        faces,
        length,
        confidence,
        ways: None,
    }
}

/// How much a line bends on its last stretch, radians a px, towards the left of the way out (in a picture: the right).
/// The end itself, within its own width, tells more of the pen than of the line.
fn bend_at(end: &LineEnd, network: &Network) -> f64 {
    let flat = network.flat(end.line);
    let at = |k: usize| if end.at_end { flat[flat.len() - 1 - k] } else { flat[k] };
    let mut walked = 0.0;
    let mut near: Option<(Pt, f64)> = None;
    for k in 1..flat.len() {
        let step = at(k - 1).p - at(k).p;
        walked += step.len();
        match near {
            None if walked > end.width => near = Some((step.unit(), walked)),
            Some((out, since)) if walked > 3.5 * end.width => {
                let back = step.unit();
                return back.cross(out).atan2(back.dot(out)) / (walked - since).max(1e-9);
            }
            _ => {}
        }
    }
    0.0
}

/// How much an end looks like one that stops by accident. One that tapers off was mostly meant to stop there, the more
/// so the farther the gap; a dash, loose at both ends and not much longer than wide, to stand alone.
fn end_weight(end: &LineEnd, network: &Network, gap: f64, closes_on_itself: bool) -> f64 {
    let flat = network.flat(end.line);
    let at = |k: usize| if end.at_end { flat[flat.len() - 1 - k] } else { flat[k] };
    let mut walked = 0.0;
    let mut body = end.width;
    for k in 1..flat.len() {
        walked += at(k).p.dist(at(k - 1).p);
        body = body.max(at(k).width);
        if walked > 3.0 * body + 8.0 {
            break;
        }
    }
    let taper = 1.0 - (end.width / body.max(1e-9)).min(1.0);
    let meant = (taper - 0.2).max(0.0) * 1.6 * (gap / (0.8 * body + 4.0)).min(1.0);
    // Of a line that was cut twice a piece is left which is far longer than the gaps beside it.
    let long = |most: f64| network.length(end.line) >= most;
    let dash = !closes_on_itself && network.loose_at_both(end.line) && !long((6.0 * body).min(1.5 * gap + 2.5 * body));
    (-meant).exp() * if dash { 0.45 } else { 1.0 }
}

/// How dense a line's ink is near an end, 0 to 1: the mean of its middle over the last four widths.
pub fn density_at(end: &LineEnd, network: &Network, alpha: &Plane<u8>) -> f64 {
    let flat = network.flat(end.line);
    let at = |k: usize| if end.at_end { flat[flat.len() - 1 - k] } else { flat[k] };
    let (mut walked, mut sum, mut count) = (0.0, 0.0, 0.0);
    for k in 1..flat.len() {
        let (a, b) = (at(k - 1).p, at(k).p);
        let step = a.dist(b);
        let mut s = 0.5;
        while s < step && walked + s < 4.0 * end.width {
            if walked + s > 0.5 * end.width {
                let p = a.lerp(b, s / step);
                sum += alpha.sample(p.x, p.y) / 255.0;
                count += 1.0;
            }
            s += 1.0;
        }
        walked += step;
        if walked > 4.0 * end.width {
            break;
        }
    }
    // On a line under three px the pen's edges are all there is to see.
    if count == 0.0 || end.width < 3.0 { 1.0 } else { (sum / count).clamp(0.0, 1.0) }
}

/// How dense a bridge is between ends of such density; never so thin that it would not hold.
pub fn bridge_opacity(a: Option<f64>, b: Option<f64>) -> f64 {
    let known: Vec<f64> = a.into_iter().chain(b).collect();
    let mean = if known.is_empty() { 1.0 } else { known.iter().sum::<f64>() / known.len() as f64 };
    (mean.max(0.7) * 256.0).round() / 256.0
}

/// A nub on another line's edge (dust, a blot) aims at nothing; only another end that faces it makes it a gap's.
fn nub_weight(end: &LineEnd, network: &Network) -> f64 {
    if !network.loose_at_both(end.line) && network.length(end.line) < 2.0 * end.width + 6.0 { 0.25 } else { 1.0 }
}

/// Whether other ink lies on the straight way between two ends.
fn ink_between(alpha: &Plane<u8>, a: Pt, b: Pt, half_a: f64, half_b: f64) -> bool {
    let len = a.dist(b);
    let mut s = half_a + 1.5;
    while s < len - half_b - 1.5 {
        let p = a.lerp(b, s / len);
        if alpha.sample(p.x, p.y) >= f64::from(IS_INK) {
            return true;
        }
        s += 0.5;
    }
    false
}

/// The line an end runs at, and the line nearest to it by which paint may leak.
fn end_to_line(
    end: &LineEnd,
    (loose, near): (&[&LineEnd], &EndGrid),
    network: &Network,
    alpha: &Plane<u8>,
    limit: f64,
) -> [Option<Candidate>; 2] {
    let own = end.width / 2.0;
    let mut best: Option<Candidate> = None;
    let mut leak: Option<Candidate> = None;
    // Nothing that is farther off is met, however broad.
    let reach = limit + own + network.widest() / 2.0;
    for piece in network.near(end.p, reach) {
        let t = nearest_on_segment(end.p, piece.a, piece.b);
        // The place the line runs at, and the nearest place: whichever is better.
        let ahead = segments_cross(end.p, end.p + end.dir * (limit + own + AROUND), piece.a, piece.b).map(|c| c.1);
        for t in [Some(t), ahead].into_iter().flatten() {
            let q = piece.a.lerp(piece.b, t);
            let half = (piece.width[0] + (piece.width[1] - piece.width[0]) * t) / 2.0;
            let chord = q - end.p;
            let len = chord.len();
            let length = (len - half - own).max(0.0);
            if length > limit || len < 1e-6 {
                continue;
            }
            let turn = angle_between(end.dir, chord);
            if turn > ASIDE {
                continue;
            }
            // Its own body just behind it is no target.
            if piece.line as usize == end.line && len < 3.0 * end.width + 10.0 {
                continue;
            }
            let along = (piece.b - piece.a).unit();
            let met = |confidence: f64| Candidate {
                end: end.key(),
                other_end: None,
                other: piece.line as usize,
                to: q,
                to_width: 2.0 * half,
                along: Some(along),
                faces: None,
                length,
                confidence,
                ways: None,
            };
            // Of two as good the one of the lesser line, whichever was looked at first.
            let id = |line: usize| network.line(line).map_or(0, |l| l.id);
            let is_better = |confidence: f64, than: &Option<Candidate>| {
                than.as_ref().is_none_or(|b| {
                    let order = confidence.total_cmp(&b.confidence);
                    let order = order.then_with(|| id(b.other).cmp(&id(piece.line as usize)));
                    // Of two pieces that meet there either would do, but always the same one.
                    order.then_with(|| b.along.map_or(0.0, |d| d.x).total_cmp(&along.x)).is_gt()
                })
            };
            let closeness = 0.9 * FAINT * (1.0 - 0.9 * length / limit);
            if is_better(closeness, &leak) {
                leak = Some(met(closeness));
            }
            if turn > 1.2 {
                continue;
            }
            let trust = len / (len + 0.8 * (own + half) + 2.0);
            let far = length / limit;
            let cost = 1.85 * far * far + turn * turn * trust * (1.2 + 1.95 * far) + 0.12;
            // What the end itself is worth is asked last: it takes a walk along the line.
            let most = (-cost).exp();
            if most < FAINT || best.as_ref().is_some_and(|b| most < b.confidence) {
                continue;
            }
            let confidence = most * end_weight(end, network, length, false) * nub_weight(end, network);
            if confidence < FAINT || !is_better(confidence, &best) {
                continue;
            }
            // A loose end of that line just there is a matter of two ends.
            let at_end = near
                .around(q)
                .map(|j| loose[j])
                .any(|o| o.line == piece.line as usize && o.p.dist(q) < 0.6 * o.width + 2.0);
            if !at_end {
                best = Some(met(confidence));
            }
        }
    }
    // What was cut straight through goes on there, at the corner of two lines for one. A face beside a loose end is a
    // matter of two ends.
    let is_of_an_end = |face: Pt| {
        let others = near.around(face).map(|j| loose[j]).filter(|o| o.key() != end.key());
        others.into_iter().any(|o| o.p.dist(face) < 1.5 * o.width + 2.0)
    };
    if let Some(best) = best.as_mut().filter(|b| b.confidence < SURE_TO_LINE)
        && angle_between(end.dir, best.to - end.p) < 0.3
        && let Some([from, to]) = straight_faces((end.p, end.width), (best.to, end.width), 0.7, alpha, limit)
        && !is_of_an_end(to)
    {
        let length = from.dist(to);
        let far = length / limit;
        let confidence = 0.7 * (-0.32 * far * far).exp();
        *best = Candidate { faces: Some([from, to]), length, confidence, ..best.clone() };
    }
    [best, leak]
}

/// The gap of a candidate, closed by a curve.
fn gap_of(end: &LineEnd, c: &Candidate, other: Option<&LineEnd>, (spine, opacity): (Spine, f64), number: u32) -> Gap {
    let width = vec![[0.0, end.width], [1.0, other.map_or(end.width.min(c.to_width.max(1.0)), |o| o.width)]];
    let bridge = Line {
        id: 0,
        form: Form::Centreline { spine, width, ends: [End::Round, End::Round] },
        made: Made::Bridge,
        swatch: None,
        opacity,
        group: None,
    };
    let [from, to] = c.faces.unwrap_or_else(|| {
        let tip = end.p + end.dir * (end.width / 2.0).min(end.p.dist(c.to) / 2.0);
        [tip, ink_side(c.to, end.p, c.to_width / 2.0)]
    });
    Gap {
        line: end.line,
        at_end: end.at_end,
        other: c.other,
        other_end: c.other_end.map(|o| o.1),
        from,
        to,
        length: c.length,
        confidence: c.confidence,
        parts: None,
        sure: false,
        bridge,
        leak: c.is_leak(),
        along: c.along,
        number,
    }
}

/// The curves that would close a gap and cross no line: as a hand would have drawn it, straight, and from face to face.
fn ways_of(end: &LineEnd, to: Pt, other: Option<&LineEnd>, faces: Option<[Pt; 2]>, network: &Network) -> Vec<Way> {
    let curved = bridge_spine(end.p, end.dir, to, other.map(|o| o.dir));
    let straight = Spine::through(&[end.p, to], false);
    let clear = |flat: &[Pt]| {
        flat.windows(2).all(|w| {
            network.near(w[0].lerp(w[1], 0.5), w[0].dist(w[1])).all(|piece| {
                let Some((t, _)) = segments_cross(w[0], w[1], piece.a, piece.b) else {
                    return true;
                };
                // Touching at its own two ends is what a bridge does.
                let at = w[0].lerp(w[1], t);
                at.dist(end.p) < 0.02 || at.dist(to) < 0.02
            })
        })
    };
    let through = faces.map(|[a, b]| Spine::through(&[end.p, a, b, to], false));
    [Some(curved), Some(straight), through]
        .into_iter()
        .flatten()
        .map(|spine| (spine.flatten(0.2), spine))
        .filter(|(flat, _)| clear(flat))
        .map(|(flat, spine)| Way { bounds: Bounds::of(&flat), spine, flat: flat.into() })
        .collect()
}
