//! Gaps: which loose end was meant to meet which other end, or which line.
//!
//! Each pair of a loose end with another, and each end with the line it runs at, gets a confidence from the distance
//! between their ink, how straight each runs at the other, and how alike their widths are (good continuation: after
//! Fourey and others, "A fast and efficient semi-guided algorithm for flat coloring line-arts", 2018, where ends of
//! lines are matched as keypoints). The best pairs are taken first, each end once; then all of them are put into the
//! arrangement together, and one that parts no two regions gains nothing and is only proposed. O(ends · neighbours); after
//! an edit only ends near what changed are looked at again, and of the arrangements only what the edit touched.

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
    /// Tells it from every other one there ever was.
    stamp: u64,
    /// The curves that would close it and cross no line; found when they are asked for.
    ways: Option<Vec<Way>>,
}

#[derive(Debug, Clone)]
struct Way {
    spine: Spine,
    flat: Arc<[Pt]>,
    bounds: Bounds,
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

/// A gap that was chosen, by the candidate and the curve it is made of.
#[derive(Debug, Clone)]
struct Chosen {
    stamp: u64,
    way: usize,
    confident: bool,
    /// When it was chosen last.
    round: u64,
    /// Before it was weighed by what closing gains.
    confidence: f64,
    gap: Gap,
}

/// The gaps of a drawing, kept up through edits.
#[derive(Debug, Clone)]
pub struct Gaps {
    limit: f64,
    /// Of each end: not loose, loose, or loose as the other end of its line is.
    loose: Vec<u8>,
    /// From the most confident on.
    candidates: Vec<Candidate>,
    stamps: u64,
    /// By the end they start from.
    chosen: Vec<Option<Box<Chosen>>>,
    rounds: u64,
    numbers: u32,
    lying: Lying,
    /// With the confident ones closed, and with all of them.
    confident: Closing,
    all: Closing,
}

impl Gaps {
    /// Finds the gaps of a drawing. `alpha` is the ink as it is seen.
    pub fn of(network: &Network, alpha: &Plane<u8>, recipe: &JoinRecipe, dpi: f64) -> Gaps {
        let mut gaps = Gaps {
            limit: recipe.longest_gap * px_per_mm(dpi),
            loose: Vec::new(),
            candidates: Vec::new(),
            stamps: 0,
            chosen: Vec::new(),
            rounds: 0,
            numbers: 0,
            lying: Lying::default(),
            confident: Closing::default(),
            all: Closing::default(),
        };
        gaps.look(network, alpha, |_| true);
        let (confident, all) = gaps.choose(network, alpha);
        gaps.confident = Closing::of(network, alpha, &confident.1);
        gaps.all = Closing::of(network, alpha, &all.1);
        gaps.weigh_gain();
        gaps
    }

    /// The same after an edit of the network, and of the ink in `inked`.
    pub fn update(&mut self, network: &Network, edited: &Edited, alpha: &Plane<u8>, inked: &[Bounds]) {
        let mut places = edited.places.clone();
        places.extend(inked);
        let reach = 2.0 * (self.limit + AROUND) + network.widest() + reach_of_faces(network.widest());
        let near = Places::of(&places);
        // A change of one end reaches those that might have met it.
        self.look(network, alpha, |end| near.near(end.p, reach));
        let (confident, all) = self.choose(network, alpha);
        let Gaps { confident: some, all: every, .. } = self;
        rayon::join(
            || some.update(network, edited, alpha, inked, &confident),
            || every.update(network, edited, alpha, inked, &all),
        );
        self.weigh_gain();
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

    /// Looks for candidates of the ends that are asked for, once more.
    fn look(&mut self, network: &Network, alpha: &Plane<u8>, asked: impl Fn(&LineEnd) -> bool) {
        let loose: Vec<&LineEnd> = network.ends().filter(|e| e.loose).collect();
        let before = std::mem::replace(&mut self.loose, vec![0; 2 * network.line_numbers()]);
        let mut anew = vec![false; self.loose.len()];
        for end in &loose {
            let n = end_place(end.key());
            self.loose[n] = 1 + u8::from(network.loose_at_both(end.line));
            anew[n] = before.get(n) != Some(&self.loose[n]) || asked(end);
        }
        let is_anew = |k: EndKey| anew[end_place(k)];
        let stays = |k: EndKey| self.loose[end_place(k)] > 0 && !is_anew(k);
        self.candidates.retain(|c| stays(c.end) && c.other_end.is_none_or(stays));
        if !anew.contains(&true) {
            return;
        }
        // Only what lies around those that are looked at is asked for.
        let cell = self.limit + AROUND;
        let all = Bounds::of(loose.iter().filter(|e| is_anew(e.key())).map(|e| &e.p)).grown(2.0 * cell);
        let close: Vec<&LineEnd> = loose.iter().copied().filter(|e| all.touches(&Bounds::of([&e.p]))).collect();
        let near = EndGrid::of(&close, cell);
        let rank = |e: &LineEnd| (network.line(e.line).map_or(0, |l| l.id), e.at_end);
        let limit = self.limit;
        let found: Vec<Candidate> = close
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
        for c in found {
            self.stamps += 1;
            self.candidates.push(Candidate { stamp: self.stamps, ..c });
        }
        let rank = |k: &EndKey| (network.line(k.0).map_or(0, |l| l.id), k.1);
        let id = |n: usize| network.line(n).map_or(0, |l| l.id);
        self.candidates.sort_by(|a, b| {
            b.confidence
                .total_cmp(&a.confidence)
                .then_with(|| rank(&a.end).cmp(&rank(&b.end)))
                .then_with(|| id(a.other).cmp(&id(b.other)))
                .then_with(|| a.other_end.map(|e| e.1).cmp(&b.other_end.map(|e| e.1)))
        });
    }

    /// Takes the best candidates, each end once, none crossing another. Gives what leaves and what comes
    /// to the confident ones, and to all.
    fn choose(&mut self, network: &Network, alpha: &Plane<u8>) -> (Swapped, Swapped) {
        let mut taken = vec![false; 2 * network.line_numbers()];
        let mut lying = std::mem::take(&mut self.lying);
        lying.clear();
        self.chosen.resize_with(taken.len(), || None);
        self.rounds += 1;
        let mut confident = Swapped::default();
        let mut all = Swapped::default();
        for c in &mut self.candidates {
            if taken[end_place(c.end)] || c.other_end.is_some_and(|o| taken[end_place(o)]) {
                continue;
            }
            if c.ways.is_none() {
                let Some(end) = network.end(c.end) else { continue };
                let other = c.other_end.and_then(|o| network.end(o));
                c.ways = Some(ways_of(&end, c.to, other.as_ref(), c.faces, network));
            }
            let ways = c.ways.as_deref().unwrap_or_default();
            let Some(way) = ways.iter().position(|w| lying.is_clear(w)) else { continue };
            lying.add(&ways[way]);
            taken[end_place(c.end)] = true;
            if let Some(o) = c.other_end {
                taken[end_place(o)] = true;
            }
            let slot = &mut self.chosen[end_place(c.end)];
            if let Some(was) = slot.as_mut().filter(|was| (was.stamp, was.way) == (c.stamp, way)) {
                was.round = self.rounds;
                continue;
            }
            let Some(end) = network.end(c.end) else { continue };
            let other = c.other_end.and_then(|o| network.end(o));
            let densities = [Some(&end), other.as_ref()].map(|e| e.map(|e| density_at(e, network, alpha)));
            let opacity = bridge_opacity(densities[0], densities[1]);
            let gap = gap_of(&end, c, other.as_ref(), (ways[way].spine.clone(), opacity), self.numbers + 1);
            let is_confident = c.is_confident();
            if let Some(was) = slot {
                // Looked at again and found as it was: it stays in what was computed with it.
                if was.confident == is_confident && was.gap.is_where(&gap) {
                    (was.stamp, was.way, was.round, was.confidence) = (c.stamp, way, self.rounds, c.confidence);
                    continue;
                }
                all.0.push(was.gap.number);
                if was.confident {
                    confident.0.push(was.gap.number);
                }
            }
            self.numbers += 1;
            if is_confident {
                confident.1.push((self.numbers, gap.clone()));
            }
            all.1.push((self.numbers, gap.clone()));
            *slot = Some(Box::new(Chosen {
                stamp: c.stamp,
                way,
                confident: is_confident,
                round: self.rounds,
                confidence: c.confidence,
                gap,
            }));
        }
        for slot in &mut self.chosen {
            let gone = slot.take_if(|c| c.round != self.rounds);
            all.0.extend(gone.iter().map(|c| c.gap.number));
            confident.0.extend(gone.iter().filter(|c| c.confident).map(|c| c.gap.number));
        }
        self.lying = lying;
        (confident, all)
    }

    /// Which closures part two regions: first the confident ones alone, so that none of them counts on a doubtful one,
    /// then all.
    fn weigh_gain(&mut self) {
        let completed = self.completed();
        for c in self.chosen.iter_mut().flatten() {
            let number = c.gap.number;
            let alone = if c.confident { gains(&self.confident, &c.gap) } else { None };
            let together = || gains(&self.all, &c.gap);
            let is_completed = alone.is_none() && completed.contains(&number);
            c.gap.parts = alone.or_else(together);
            c.gap.sure = alone.is_some() || is_completed;
            let share = if c.gap.sure {
                1.0
            } else if c.gap.parts.is_some() {
                0.8
            } else {
                0.4
            };
            c.gap.confidence = c.confidence * share;
        }
    }

    /// A confident closure that parts nothing by itself was cut at another place, too: where one or two doubtful ones
    /// lie between the same two regions and complete it, they speak for one another. The numbers of both.
    fn completed(&self) -> FxHashSet<u32> {
        let key = |c: &Chosen| self.all.sides(c.gap.number).map(|[a, b]| [a.min(b), a.max(b)]);
        let is_idle = |c: &&Chosen| c.confidence >= COMPLETED && gains(&self.confident, &c.gap).is_none();
        let all = || self.chosen.iter().flatten().map(|c| &**c);
        let mut groups: FxHashMap<[usize; 2], Vec<&Chosen>> =
            all().filter(is_idle).filter_map(key).map(|k| (k, Vec::new())).collect();
        if groups.is_empty() {
            return FxHashSet::default();
        }
        // What is open besides joins the faces at both its sides.
        let mut open: Vec<[usize; 2]> = Vec::new();
        for (c, k) in all().filter_map(|c| key(c).map(|k| (c, k))) {
            match groups.get_mut(&k) {
                Some(group) => group.push(c),
                None if !c.confident => open.push(k),
                None => {}
            }
        }
        let is_short = |c: &Chosen| c.gap.length <= 0.5 * self.limit;
        let completes = |c: &&&Chosen| !c.gap.leak && c.confidence >= COMPLETES && is_short(c);
        groups.retain(|k, group| {
            let doubtful: Vec<&&Chosen> = group.iter().filter(|c| !c.confident).collect();
            let speaks = (1..=2).contains(&doubtful.len())
                && doubtful.iter().all(completes)
                && group.iter().all(|c| gains(&self.all, &c.gap).is_some());
            if !speaks && !doubtful.is_empty() {
                open.push(*k);
            }
            speaks
        });
        let most = open.iter().chain(groups.keys()).map(|k| k[1]).max().unwrap_or(0);
        let mut parent: Vec<usize> = (0..=most).collect();
        fn root(parent: &mut [usize], mut f: usize) -> usize {
            while parent[f] != f {
                parent[f] = parent[parent[f]];
                f = parent[f];
            }
            f
        }
        for [a, b] in open {
            let (a, b) = (root(&mut parent, a), root(&mut parent, b));
            parent[a.max(b)] = a.min(b);
        }
        groups.retain(|k, _| root(&mut parent, k[0]) != root(&mut parent, k[1]));
        groups.into_values().flatten().map(|c| c.gap.number).collect()
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

/// The curves of the gaps chosen so far, by the cells they touch: each cell heads a chain of entries.
#[derive(Debug, Clone, Default)]
struct Lying {
    heads: FxHashMap<(i32, i32), u32>,
    /// A curve's number and the next entry of the cell; the first is none.
    entries: Vec<(u32, u32)>,
    ways: Vec<(Bounds, Arc<[Pt]>)>,
}

impl Lying {
    /// What it took up of memory it keeps.
    fn clear(&mut self) {
        self.heads.clear();
        self.entries.clear();
        self.ways.clear();
    }

    fn keys(b: &Bounds) -> impl Iterator<Item = (i32, i32)> + use<> {
        let at = |v: f64| (v / 64.0).floor().clamp(-1e9, 1e9) as i32;
        let (x, y) = ((at(b.min.x), at(b.max.x)), (at(b.min.y), at(b.max.y)));
        (y.0..=y.1).flat_map(move |r| (x.0..=x.1).map(move |c| (c, r)))
    }

    fn is_clear(&self, way: &Way) -> bool {
        Lying::keys(&way.bounds).all(|key| {
            let mut entry = self.heads.get(&key).copied().unwrap_or(0);
            while entry > 0 {
                let (k, next) = self.entries[entry as usize];
                let (bounds, flat) = &self.ways[k as usize];
                let crossed = |w: &[Pt]| flat.windows(2).any(|o| segments_cross(w[0], w[1], o[0], o[1]).is_some());
                if way.bounds.touches(bounds) && way.flat.windows(2).any(crossed) {
                    return false;
                }
                entry = next;
            }
            true
        })
    }

    fn add(&mut self, way: &Way) {
        if self.entries.is_empty() {
            self.entries.push((0, 0));
        }
        for key in Lying::keys(&way.bounds) {
            let head = self.heads.entry(key).or_insert(0);
            self.entries.push((self.ways.len() as u32, *head));
            *head = self.entries.len() as u32 - 1;
        }
        self.ways.push((way.bounds, way.flat.clone()));
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
        stamp: 0,
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
    for piece in network.near(end.p, limit + own + AROUND) {
        let t = nearest_on_segment(end.p, piece.a, piece.b);
        // The place the line runs at, and the nearest place: whichever is better.
        let ahead = segments_cross(end.p, end.p + end.dir * (limit + own + AROUND), piece.a, piece.b).map(|c| c.1);
        for t in [Some(t), ahead].into_iter().flatten() {
            let q = piece.a.lerp(piece.b, t);
            let half = (piece.width[0] + (piece.width[1] - piece.width[0]) * t) / 2.0;
            let chord = q - end.p;
            let len = chord.len();
            let length = (len - half - own).max(0.0);
            let turn = angle_between(end.dir, chord);
            if length > limit || turn > ASIDE || len < 1e-6 {
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
                stamp: 0,
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
