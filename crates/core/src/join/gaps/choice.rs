//! Which candidates are taken: the best first, each end once, none crossing another; kept up through edits.

use super::super::density::{bridge_opacity, density_at};
use super::super::face::face_of;
use super::super::gap::Swapped;
use super::candidate::{AROUND, Candidate, Way, candidates_of, in_order};
use super::ranked::{Ranked, Verdict};
use super::standing::Standing;
use super::state::{Chosen, Gaps, Looseness};
use super::way::{gap_of, ways_of};
use crate::geom::{Bounds, Pt, segments_cross};
use crate::raster::plane::Plane;
use crate::region::network::{LineEnd, Network, end_place};
use rustc_hash::FxHashSet;

/// Places to look at again: those of closures that came or went.
struct Stir {
    boxes: Vec<Bounds>,
    all: Bounds,
}

/// The number of places from which on everything is looked at again.
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

/// What came of choosing.
#[derive(Default)]
pub(super) struct Choice {
    /// What leaves and what comes to the confident ones, and to all.
    pub confident: Swapped,
    pub all: Swapped,
    /// Those to weigh anew besides.
    pub weigh: Vec<u32>,
    /// The places of ends of those that came or went.
    pub ends: FxHashSet<usize>,
}

impl Gaps {
    /// Looks for candidates of the ends that are asked for, once more. Gives those that were chosen and are no more.
    pub(super) fn look(
        &mut self,
        network: &Network,
        alpha: &Plane<u8>,
        asked: impl Fn(&LineEnd) -> bool,
    ) -> Vec<Ranked> {
        let before = std::mem::replace(&mut self.loose, vec![Looseness::Joined; 2 * network.line_numbers()]);
        let mut anew = vec![false; self.loose.len()];
        let mut all = Bounds::EMPTY;
        for end in network.ends().filter(|e| e.loose) {
            let n = end_place(end.key());
            self.loose[n] = if network.loose_at_both(end.line) { Looseness::BothLoose } else { Looseness::Loose };
            if before.get(n) != Some(&self.loose[n]) || asked(end) {
                anew[n] = true;
                all = all.around(&Bounds::of([&end.p]));
            }
        }
        // Only what lies around those that are looked at is asked for.
        let all = all.grown(2.0 * (self.limit + AROUND));
        let close: Vec<&LineEnd> = network.ends().filter(|e| e.loose && all.touches(&Bounds::of([&e.p]))).collect();
        let found = candidates_of(&close, |k| anew[end_place(k)], network, alpha, self.limit);
        let order = in_order(network);
        // Merged, where what was there goes before what is as good.
        let loose = &self.loose;
        let stays = |n: u32| loose[n as usize] != Looseness::Joined && !anew[n as usize];
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
    pub(super) fn choose(&mut self, network: &Network, alpha: &Plane<u8>, gone: &[Ranked]) -> Choice {
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
        // What a blunt end looks at is proposed as a gap: a leak is beside it.
        let mut ends = [Some(&end), other.as_ref()].into_iter().flatten();
        let blunt = !c.is_leak() && ends.any(|e| face_of(e, network, alpha).is_some());
        let (start, confident) = (end_place(c.end), c.is_confident());
        if let Some(was) = &mut self.chosen[start]
            && was.confident == confident
            && was.gap.is_where(&gap)
        {
            // Looked at again and found as it was: it stays in what was computed with it.
            (was.confidence, was.blunt) = (c.confidence, blunt);
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
        self.chosen[start] = Some(Box::new(Chosen { confident, confidence: c.confidence, blunt, gap, flat, bounds }));
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
}
