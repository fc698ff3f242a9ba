//! Findings: what the program found that someone should settle. They are computed from the sheet, never stored; what
//! is stored is only what was settled or left.

use crate::geom::{Pt, pt};
use crate::join::{Gap, Gaps, Tail, Tails};
use crate::paint::Dropped;
use crate::recipe::px_per_mm;
use crate::region::Regions;
use crate::region::network::{EndKey, Network, end_place};
use crate::sheet::Sheet;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    Gap,
    Tail,
    Leak,
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
    /// Where it reaches to: the far side of a gap or leak, the tip of a tail.
    pub to: Option<Pt>,
    /// The path that settling would add (a gap) or take away (a tail); the way by which paint runs out (a leak), from
    /// inside to outside.
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
        Kind::Leak => "leak",
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

/// The way by which paint runs out at a leak: through its middle, from the smaller region it parts.
fn way_out(spec: &Spec) -> Vec<Pt> {
    let to = spec.to.unwrap_or(spec.at);
    let across = (to - spec.at).unit().turned() * spec.size.max(12.0);
    let middle = spec.at.lerp(to, 0.5);
    // The first region lies at the side that a quarter turn points to.
    let [a, b] = spec.parts.unwrap_or_default().map(|area| area.unwrap_or(usize::MAX));
    let out = if a <= b { across * -1.0 } else { across };
    vec![middle - out, middle, middle + out]
}

/// The order findings are listed in: by kind, the sure ones first, then by confidence.
type Rank = (Kind, bool, u64, String, About);

fn rank(f: &Finding, about: About) -> Rank {
    (f.kind, !f.sure, u64::MAX - f.confidence.max(0.0).to_bits(), f.id.clone(), about)
}

/// The findings of a drawing, kept up through edits.
#[derive(Debug, Clone, Default)]
pub struct Findings {
    all: BTreeMap<Rank, Finding>,
    by_id: FxHashMap<String, Rank>,
    /// What is found about each end and each region, by their places.
    ends: Vec<Option<(Spec, Rank)>>,
    regions: Vec<Option<(Spec, Rank)>>,
    /// How many are open, by kind.
    open: [usize; KINDS],
}

/// So many kinds there are.
const KINDS: usize = Kind::TwoPaints as usize + 1;

/// The ids of findings that are no more or changed, and of those that are new or changed.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct FindingsEdited {
    pub gone: Vec<String>,
    pub made: Vec<String>,
}

/// Where findings were left knowingly, by cells.
struct LeftPlaces(FxHashMap<(i64, i64), Vec<(Kind, Pt)>>);

impl LeftPlaces {
    fn of(settled: &[Settled]) -> LeftPlaces {
        let mut cells: FxHashMap<(i64, i64), Vec<(Kind, Pt)>> = FxHashMap::default();
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

    /// How many of a kind are open.
    pub fn open(&self, kind: Kind) -> usize {
        self.open[kind as usize]
    }

    /// Finds everything anew; what is as it was stays. With the regions what lies in each, and which of them may have
    /// changed: all when that is not told.
    pub(crate) fn update(
        &mut self,
        sheet: &Sheet,
        network: &Network,
        (regions, drops, changed): (&Regions, &[Dropped], Option<&[u32]>),
        gaps: &Gaps,
        tails: &Tails,
    ) -> FindingsEdited {
        let left = LeftPlaces::of(&sheet.settled);
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
        // What was found where nothing is any more is taken out, too.
        let places = self.ends.len().max(2 * network.line_numbers());
        let mut in_sure_gap = vec![false; places];
        for end in gaps.iter().filter(|g| g.sure).flat_map(Gap::ends) {
            in_sure_gap[end_place(end)] = true;
        }
        let mut tail_at: Vec<Option<&Tail>> = vec![None; places];
        for t in tails.iter() {
            let place = end_place((t.line, t.at_end));
            tail_at[place] = (!in_sure_gap[place]).then_some(t);
        }
        let mut gap_at: Vec<Option<&Gap>> = vec![None; places];
        let mut in_gap = vec![false; places];
        for g in gaps.iter().filter(|g| g.sure || g.ends().all(|e| tail_at[end_place(e)].is_none())) {
            g.ends().for_each(|e| in_gap[end_place(e)] = true);
            gap_at[end_place((g.line, g.at_end))] = Some(g);
        }
        let mut leak_at: Vec<Option<&Gap>> = vec![None; places];
        for g in gaps.leaks() {
            leak_at[end_place((g.line, g.at_end))] = Some(g);
        }
        let mut edited = FindingsEdited::default();
        let mut made: Vec<(About, Spec)> = Vec::new();
        let mut ends = std::mem::take(&mut self.ends);
        ends.resize_with(places, || None);
        for (place, was) in ends.iter_mut().enumerate() {
            let key = (place / 2, place % 2 == 1);
            let spec = match (gap_at[place], tail_at[place]) {
                (Some(g), _) => Some(Spec {
                    to: Some(g.to),
                    confidence: g.confidence,
                    sure: g.sure,
                    parts: g.parts,
                    mark: u64::from(g.number),
                    ..plain(Kind::Gap, g.from, g.length)
                }),
                (None, Some(t)) => Some(Spec {
                    to: Some(t.tip),
                    confidence: t.confidence,
                    sure: t.sure,
                    mark: t.path.iter().flatten().fold(17, |m, v| m.wrapping_mul(31).wrapping_add(v.to_bits())),
                    ..plain(Kind::Tail, t.at, t.length)
                }),
                (None, None) => network.end(key).filter(|e| e.loose && !in_gap[place]).map(|e| match leak_at[place] {
                    Some(g) => Spec {
                        to: Some(g.to),
                        confidence: g.confidence,
                        parts: g.parts,
                        left: left.hold(Kind::Leak, g.from) || left.hold(Kind::LooseEnd, e.p),
                        mark: u64::from(g.number),
                        ..plain(Kind::Leak, g.from, g.length)
                    },
                    None => plain(Kind::LooseEnd, e.p, 0.0),
                }),
            };
            self.drop_changed(was, spec.as_ref(), &mut edited);
            made.extend(spec.filter(|_| was.is_none()).map(|s| (About::End(key), s)));
        }
        self.ends = ends;
        let least = SLIVER * px_per_mm(sheet.dpi).powi(2);
        let mut of_regions = std::mem::take(&mut self.regions);
        of_regions.resize_with(of_regions.len().max(regions.most()), || None);
        let mut asked = changed.map_or_else(|| (1..=of_regions.len() as u32).collect(), <[u32]>::to_vec);
        asked.sort_unstable();
        asked.dedup();
        for id in asked {
            let n = id as usize - 1;
            let was = &mut of_regions[n];
            let spec = regions.get(id).and_then(|region| {
                let area = region.area as f64;
                let kind = match drops[n] {
                    Dropped::None if area < least => Kind::Sliver,
                    Dropped::None => Kind::Unpainted,
                    Dropped::Differing(_) => Kind::TwoPaints,
                    Dropped::Alike(_) => return None,
                };
                Some(plain(kind, region.seed, area))
            });
            self.drop_changed(was, spec.as_ref(), &mut edited);
            made.extend(spec.filter(|_| was.is_none()).map(|s| (About::Region(id), s)));
        }
        self.regions = of_regions;
        for (about, spec) in made {
            let path = match about {
                About::End(key) => match (gap_at[end_place(key)], tail_at[end_place(key)]) {
                    (Some(g), _) => g.bridge.flat(0.2).iter().map(|f| f.p).collect(),
                    (None, Some(t)) => t.path.iter().map(|p| pt(p[0], p[1])).collect(),
                    (None, None) if spec.kind == Kind::Leak => way_out(&spec),
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
                region: if let About::Region(id) = about { Some(id) } else { None },
                left: spec.left,
            };
            let rank = rank(&finding, about);
            edited.made.push(finding.id.clone());
            self.open[spec.kind as usize] += usize::from(!spec.left);
            self.by_id.insert(finding.id.clone(), rank.clone());
            let slot = match about {
                About::End(key) => &mut self.ends[end_place(key)],
                About::Region(id) => &mut self.regions[id as usize - 1],
            };
            *slot = Some((spec, rank.clone()));
            self.all.insert(rank, finding);
        }
        edited
    }

    /// Takes out what was found somewhere, unless it is found there still.
    fn drop_changed(&mut self, was: &mut Option<(Spec, Rank)>, now: Option<&Spec>, edited: &mut FindingsEdited) {
        let Some((spec, rank)) = was.take_if(|w| Some(&w.0) != now) else { return };
        // Another finding may have its id by now.
        if self.by_id.get(&rank.3) == Some(&rank) {
            self.by_id.remove(&rank.3);
        }
        self.all.remove(&rank);
        self.open[spec.kind as usize] -= usize::from(!spec.left);
        edited.gone.push(rank.3);
    }
}
