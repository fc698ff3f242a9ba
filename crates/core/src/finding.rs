//! Findings: what the program found that someone should settle. They are computed from the sheet, never stored; what
//! is stored is only what was settled or left.

use crate::geom::{Pt, pt};
use crate::join::{Gap, Gaps, Tail, Tails};
use crate::paint::drops_in;
use crate::recipe::px_per_mm;
use crate::region::Regions;
use crate::region::network::{EndKey, Network};
use crate::sheet::Sheet;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashMap, HashSet};
use ts_rs::TS;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    Gap,
    Tail,
    LooseEnd,
    Sliver,
    Unpainted,
    TwoPaints,
}

/// A finding, with its place and what settling it would do.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Finding {
    /// Names it in commands, as long as nothing at its place changes.
    pub id: String,
    pub kind: Kind,
    pub at: Pt,
    /// Where it reaches to: the far side of a gap, the tip of a tail.
    pub to: Option<Pt>,
    /// The path that settling would add (a gap) or take away (a tail).
    pub path: Vec<Pt>,
    /// Length in px; of a sliver or region: area in px².
    pub size: f64,
    /// 0 to 1.
    pub confidence: f64,
    /// It can be settled without asking.
    pub sure: bool,
    /// The areas of the two regions it parts, px²; the outside has none.
    pub parts: Option<[Option<usize>; 2]>,
    /// The region it is about.
    pub region: Option<u32>,
    /// It was left knowingly.
    pub left: bool,
}

/// How a finding was settled.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    Bridged,
    Seamed,
    Cut,
    /// Left knowingly.
    Left,
}

/// What was settled or left, by place, so that it outlives edits nearby.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Settled {
    pub kind: Kind,
    pub at: Pt,
    pub how: Verdict,
}

/// How near a finding must be to a stored verdict to be the same one, px.
pub const SAME_PLACE: f64 = 6.0;

/// The name of a finding at a place; `to` tells two that start at one crossing apart.
pub fn id_of(kind: Kind, at: Pt, to: Option<Pt>) -> String {
    let name = match kind {
        Kind::Gap => "gap",
        Kind::Tail => "tail",
        Kind::LooseEnd => "end",
        Kind::Sliver => "sliver",
        Kind::Unpainted => "unpainted",
        Kind::TwoPaints => "two-paints",
    };
    let place = format!("{name}@{:.1},{:.1}", at.x, at.y);
    to.map_or(place.clone(), |to| format!("{place}-{:.1},{:.1}", to.x, to.y))
}

/// Regions under this are slivers, mm².
const SLIVER: f64 = 0.18;

/// What a finding is about. At most one thing is found about each.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
enum About {
    End(EndKey),
    Region(u32),
}

/// All that decides a finding but what takes time to make: as long as it is the same, so is the finding.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Spec {
    kind: Kind,
    at: Pt,
    to: Option<Pt>,
    size: f64,
    confidence: f64,
    sure: bool,
    parts: Option<[Option<usize>; 2]>,
    left: bool,
    /// Of its path.
    mark: u64,
}

/// The order findings are listed in: by kind, the sure ones first, then by confidence.
type Rank = (Kind, bool, u64, String, About);

fn rank(f: &Finding, about: About) -> Rank {
    (f.kind, !f.sure, u64::MAX - f.confidence.max(0.0).to_bits(), f.id.clone(), about)
}

/// The findings of a drawing, kept up through edits.
#[derive(Debug, Clone, Default)]
pub struct Findings {
    specs: HashMap<About, Spec>,
    all: BTreeMap<Rank, Finding>,
    ranks: HashMap<About, Rank>,
    by_id: HashMap<String, Rank>,
}

/// The ids of findings that are no more or changed, and of those that are new or changed.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct FindingsEdited {
    pub gone: Vec<String>,
    pub made: Vec<String>,
}

/// Where findings were left knowingly, by cells.
struct LeftPlaces(HashMap<(i64, i64), Vec<(Kind, Pt)>>);

impl LeftPlaces {
    fn of(settled: &[Settled]) -> LeftPlaces {
        let mut cells: HashMap<(i64, i64), Vec<(Kind, Pt)>> = HashMap::new();
        for s in settled.iter().filter(|s| s.how == Verdict::Left) {
            let (x, y) = LeftPlaces::cell(s.at);
            for cell in (-1..=1).flat_map(|dy| (-1..=1).map(move |dx| (x + dx, y + dy))) {
                cells.entry(cell).or_default().push((s.kind, s.at));
            }
        }
        LeftPlaces(cells)
    }

    fn cell(p: Pt) -> (i64, i64) {
        let at = |v: f64| (v / SAME_PLACE).floor().clamp(-1e9, 1e9) as i64;
        (at(p.x), at(p.y))
    }

    fn hold(&self, kind: Kind, at: Pt) -> bool {
        if self.0.is_empty() {
            return false;
        }
        let here = self.0.get(&LeftPlaces::cell(at));
        here.is_some_and(|list| list.iter().any(|(k, p)| *k == kind && p.dist(at) < SAME_PLACE))
    }
}

impl Findings {
    /// In the order they are listed.
    pub fn iter(&self) -> impl Iterator<Item = &Finding> {
        self.all.values()
    }

    pub fn len(&self) -> usize {
        self.all.len()
    }

    pub fn is_empty(&self) -> bool {
        self.all.is_empty()
    }

    pub fn get(&self, id: &str) -> Option<&Finding> {
        self.all.get(self.by_id.get(id)?)
    }

    /// Finds everything anew; what is as it was stays.
    pub(crate) fn update(
        &mut self,
        sheet: &Sheet,
        network: &Network,
        regions: &Regions,
        gaps: &Gaps,
        tails: &Tails,
    ) -> FindingsEdited {
        let left = LeftPlaces::of(&sheet.settled);
        let mut gap_at: HashMap<EndKey, &Gap> = HashMap::new();
        let mut tail_at: HashMap<EndKey, &Tail> = HashMap::new();
        let mut specs: HashMap<About, Spec> = HashMap::with_capacity(self.specs.len() + 64);
        let plain = |kind: Kind, at: Pt, size: f64| Spec {
            kind,
            at,
            to: None,
            size,
            confidence: 1.0,
            sure: false,
            parts: None,
            left: left.hold(kind, at),
            mark: 0,
        };
        // A tail that also faces a gap is judged once: as a gap when closing is sure, else as a tail.
        let in_sure_gap: HashSet<EndKey> = gaps.iter().filter(|g| g.sure).flat_map(Gap::ends).collect();
        for t in tails.iter().filter(|t| !in_sure_gap.contains(&(t.line, t.at_end))) {
            tail_at.insert((t.line, t.at_end), t);
        }
        let mut in_gap: HashSet<EndKey> = HashSet::new();
        for g in gaps.iter().filter(|g| g.sure || !g.ends().any(|e| tail_at.contains_key(&e))) {
            in_gap.extend(g.ends());
            gap_at.insert((g.line, g.at_end), g);
            let spec = Spec {
                to: Some(g.to),
                confidence: g.confidence,
                sure: g.sure,
                parts: g.parts,
                mark: u64::from(g.number),
                ..plain(Kind::Gap, g.from, g.length)
            };
            specs.insert(About::End((g.line, g.at_end)), spec);
        }
        for (key, t) in &tail_at {
            let mark = t.path.iter().flatten().fold(17u64, |m, v| m.wrapping_mul(31).wrapping_add(v.to_bits()));
            let spec = Spec {
                to: Some(t.tip),
                confidence: t.confidence,
                sure: t.sure,
                mark,
                ..plain(Kind::Tail, t.at, t.length)
            };
            specs.insert(About::End(*key), spec);
        }
        for end in network.ends().filter(|e| e.loose) {
            let key = end.key();
            if !in_gap.contains(&key) && !tail_at.contains_key(&key) {
                specs.insert(About::End(key), plain(Kind::LooseEnd, end.p, 0.0));
            }
        }
        let least = SLIVER * px_per_mm(sheet.dpi).powi(2);
        let drops = drops_in(regions, &sheet.drops);
        for region in regions.iter() {
            let here = &drops[region.id as usize - 1];
            let area = region.area as f64;
            let differ = || {
                let mut swatches = here.iter().map(|&k| &sheet.drops[k].swatch);
                swatches.next().is_some_and(|first| swatches.any(|s| s != first))
            };
            let kind = match here.len() {
                0 if area < least => Kind::Sliver,
                0 => Kind::Unpainted,
                1 => continue,
                _ if differ() => Kind::TwoPaints,
                _ => continue,
            };
            specs.insert(About::Region(region.id), plain(kind, region.seed, area));
        }
        let mut edited = FindingsEdited::default();
        let before = std::mem::take(&mut self.specs);
        for about in before.keys().filter(|a| before.get(*a) != specs.get(*a)) {
            if let Some(rank) = self.ranks.remove(about) {
                // Another finding may have its id by now.
                if self.by_id.get(&rank.3) == Some(&rank) {
                    self.by_id.remove(&rank.3);
                }
                self.all.remove(&rank);
                edited.gone.push(rank.3);
            }
        }
        for (about, spec) in specs.iter().filter(|(a, s)| before.get(*a) != Some(*s)) {
            let path = match about {
                About::End(key) => match (gap_at.get(key), tail_at.get(key)) {
                    (Some(g), _) => g.bridge.flat(0.2).iter().map(|f| f.p).collect(),
                    (None, Some(t)) => t.path.iter().map(|p| pt(p[0], p[1])).collect(),
                    (None, None) => Vec::new(),
                },
                About::Region(_) => Vec::new(),
            };
            let finding = Finding {
                id: id_of(spec.kind, spec.at, spec.to),
                kind: spec.kind,
                at: spec.at,
                to: spec.to,
                path,
                size: spec.size,
                confidence: spec.confidence,
                sure: spec.sure,
                parts: spec.parts,
                region: if let About::Region(id) = about { Some(*id) } else { None },
                left: spec.left,
            };
            let rank = rank(&finding, *about);
            edited.made.push(finding.id.clone());
            self.by_id.insert(finding.id.clone(), rank.clone());
            self.ranks.insert(*about, rank.clone());
            self.all.insert(rank, finding);
        }
        self.specs = specs;
        edited
    }
}
