//! What closing each chosen gap gains, and which of them are sure by it.

use super::super::closing::Closing;
use super::super::gap::Gap;
use super::standing::Standing;
use super::state::{Chosen, Gaps};
use crate::forest::Forest;
use crate::region::network::end_place;
use rustc_hash::{FxHashMap, FxHashSet};

/// From this confidence on a gap may complete one of the other, if it is no longer than half the longest.
const COMPLETES: f64 = 0.12;
const COMPLETED: f64 = 0.5;
/// Regions smaller than this many visible pixels are no gain.
const LEAST_GAIN: usize = 40;

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

impl Gaps {
    /// Which closures part two regions: first the confident ones alone, so that none of them counts on a doubtful one,
    /// then all. Those of these numbers, and what depends on them; gives the ends of those that are weighed otherwise.
    pub(super) fn weigh_gain(&mut self, numbers: &[u32]) -> FxHashSet<usize> {
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
            // Two that look at one another and would part rooms, or what was cut through, speak for a fault.
            let is_facing = c.confidence >= COMPLETES && c.gap.other_end.is_some() && parts.is_some();
            let weighed = (parts, sure, c.confidence * share, !(sure || is_facing || c.blunt));
            if weighed != (c.gap.parts, c.gap.sure, c.gap.confidence, c.gap.quiet) {
                (c.gap.parts, c.gap.sure, c.gap.confidence, c.gap.quiet) = weighed;
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
        let mut put = Forest::new(most + 1);
        for [a, b] in open {
            put.join(a as usize, b as usize);
        }
        groups.retain(|k, _| put.root(k[0] as usize) != put.root(k[1] as usize));
        groups.into_values().flatten().map(|s| s.number).collect()
    }
}

/// The areas of the regions a closure parts, when neither is too small to be one.
fn gains(closing: &Closing, gap: &Gap) -> Option<[Option<usize>; 2]> {
    let parts = closing.parts(gap.number)?;
    // Paint is held by a room, not by the corner between an end and what it stands beside.
    let room = if gap.leak { 4.0 * (gap.length + gap.width()).powi(2) } else { 0.0 };
    (parts.iter().flatten().min().copied().unwrap_or(0) >= LEAST_GAIN.max(room as usize)).then_some(parts)
}
