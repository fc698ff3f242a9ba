//! Findings: what the program found that someone should settle. They are computed from the sheet, never stored; what
//! is stored is only what was settled or left.

use crate::geom::{Pt, pt};
use crate::join::{Gap, Gaps, Tails};
use crate::model::numbered::Numbered;
use crate::model::paint::{Drop, Like};
use crate::model::recipe::px_per_mm;
use crate::model::sheet::Sheet;
use crate::model::verdict::{Kind, SAME_PLACE, Settled, Verdict};
use crate::paint::Dropped;
use crate::region::Regions;
use crate::region::network::{EndKey, Network, end_place};
use rustc_hash::{FxHashMap, FxHashSet};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use ts_rs::TS;

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
    /// Nothing speaks for a fault: it is at hand, but nobody is asked.
    pub quiet: bool,
    /// By which findings are listed, from the most harm on.
    pub harm: f64,
    /// The areas of the two regions it parts, px²; the outside has none.
    pub parts: Option<[Option<usize>; 2]>,
    /// The region it is about.
    pub region: Option<u32>,
    /// What its region was found like in another drawing, where that is what it is about.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub like: Option<Box<Like>>,
    /// It was left knowingly.
    pub left: bool,
}

impl Finding {
    /// It waits for a verdict, and can be settled without asking.
    pub fn is_sure_and_open(&self) -> bool {
        self.sure && !self.quiet && !self.left
    }
}

/// Regions under this are slivers, mm².
const SLIVER: f64 = 0.18;

/// What a finding is about. At most one thing is found about each.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
enum About {
    End(EndKey),
    Region(u32),
}

/// The name of what is found about something at a place. Ends may lie upon one another: their lines tell them apart.
fn id_of(kind: Kind, at: Pt, about: About, network: &Network) -> String {
    let name = match kind {
        Kind::Gap => "gap",
        Kind::Tail => "tail",
        Kind::Leak => "leak",
        Kind::LooseEnd => "end",
        Kind::Sliver => "sliver",
        Kind::Unpainted => "unpainted",
        Kind::TwoPaints => "two-paints",
        Kind::Doubtful => "doubtful",
        Kind::Unlike => "unlike",
    };
    let place = format!("{name}@{:.1},{:.1}", at.x, at.y);
    match about {
        About::End((line, at_end)) => {
            let id = network.line(line).map_or(0, |l| l.id);
            format!("{place}:{id}{}", if at_end { "z" } else { "a" })
        }
        About::Region(_) => place,
    }
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
    quiet: bool,
    parts: Option<[Option<usize>; 2]>,
    /// Paint runs out by it.
    painted: bool,
    left: bool,
    /// Tells its path from another.
    mark: u64,
}

impl Spec {
    /// What leaks a painted room goes first, then what leaks a large one, then tails, what is doubtful last; at Paint large
    /// regions before small ones.
    fn harm(&self) -> f64 {
        let share = |area: f64| area / (area + HALF_HARM);
        let room = self.parts.map(|p| p.into_iter().flatten().min().map_or(1.0, |least| share(least as f64)));
        match (self.kind, room) {
            (Kind::Gap | Kind::Leak, Some(room)) => 4.0 + f64::from(u8::from(self.painted)) + room,
            (Kind::Tail, _) => 3.0 + self.confidence,
            (Kind::Gap | Kind::Leak, None) => 2.0 + self.confidence,
            (Kind::TwoPaints, _) => 2.0 + share(self.size),
            (Kind::Doubtful, _) => 1.5 + 0.5 * share(self.size),
            (Kind::Unlike, _) => 1.5 + 0.5 * share(self.size),
            (Kind::Unpainted, _) => 1.0 + share(self.size),
            (Kind::LooseEnd, _) => 1.0,
            (Kind::Sliver, _) => share(self.size),
        }
    }
}

/// The newest drop in a region.
fn drop_in(dropped: Dropped, sheet: &Sheet) -> Option<&Drop> {
    match dropped {
        Dropped::None => None,
        Dropped::Alike(k) | Dropped::Differing(k) => sheet.drops.get(k).map(|d| &d.it),
    }
}

/// The area of a room that does half the harm any can, px².
const HALF_HARM: f64 = 20_000.0;

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

/// The order findings are listed in: quiet ones last, else by harm.
type Rank = (bool, u64, String, About);

fn rank(f: &Finding, about: About) -> Rank {
    (f.quiet, u64::MAX - f.harm.to_bits(), f.id.clone(), about)
}

/// The findings of a drawing, kept up through edits.
#[derive(Debug, Clone, Default)]
pub struct Findings {
    all: BTreeMap<Rank, Finding>,
    by_id: FxHashMap<String, Rank>,
    /// What is found about each end and each region, by their places.
    ends: Vec<Option<(Spec, Rank)>>,
    regions: Vec<Option<(Spec, Rank)>>,
    /// How many are open, by kind: neither left nor quiet.
    open: [usize; KINDS],
}

/// So many kinds there are.
const KINDS: usize = Kind::Unlike as usize + 1;

/// Makes a list as long as that, with room to grow a little: laid elsewhere it would hold an edit up.
fn grown<T>(list: &mut Vec<Option<T>>, len: usize) {
    if len > list.capacity() {
        list.reserve(len + len / 8 + 64 - list.len());
    }
    list.resize_with(list.len().max(len), || None);
}

/// What may be found otherwise after an edit: the places of ends, and regions; no regions told: all of them.
pub(crate) struct Changed {
    pub ends: FxHashSet<usize>,
    pub regions: Option<BTreeSet<u32>>,
}

/// The ids of findings that are no more or changed, and of those that are new or changed.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct FindingsEdited {
    pub gone: Vec<String>,
    pub made: Vec<String>,
}

/// Where findings were left knowingly, by cells.
struct LeftPlaces(FxHashMap<(i64, i64), Vec<(Kind, Pt)>>);

impl LeftPlaces {
    fn of(settled: &[Numbered<Settled>]) -> LeftPlaces {
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

    /// What is found about an end of a line.
    pub fn at_end(&self, end: EndKey) -> Option<&Finding> {
        let (_, rank) = self.ends.get(end_place(end))?.as_ref()?;
        self.all.get(rank)
    }

    /// The end that a finding is about, if it is about one.
    pub fn end_of(&self, id: &str) -> Option<EndKey> {
        match self.by_id.get(id)?.3 {
            About::End(end) => Some(end),
            About::Region(_) => None,
        }
    }

    /// How many of a kind are open.
    pub fn open(&self, kind: Kind) -> usize {
        self.open[kind as usize]
    }

    /// Finds anew what is about the ends and regions that changed, or everything; what is as it was stays. With the regions
    /// what lies in each.
    pub(crate) fn update(
        &mut self,
        sheet: &Sheet,
        network: &Network,
        (regions, drops): (&Regions, &[Dropped]),
        (gaps, tails): (&Gaps, &Tails),
        changed: Option<Changed>,
    ) -> FindingsEdited {
        let left = LeftPlaces::of(&sheet.settled);
        let plain = |kind: Kind, at: Pt, size: f64| Spec {
            kind,
            at,
            to: None,
            size,
            confidence: 1.0,
            sure: false,
            quiet: false,
            parts: None,
            painted: false,
            left: left.hold(kind, at),
            mark: 0,
        };
        let is_painted = |spec: &Spec| {
            let middle = spec.at.lerp(spec.to.unwrap_or(spec.at), 0.5);
            let region = spec.parts.and_then(|_| regions.at(middle));
            region.is_some_and(|r| !matches!(drops[r.id as usize - 1], Dropped::None))
        };
        let (ends, of_regions) = changed.map_or((None, None), |c| (Some(c.ends), c.regions));
        // A tail that also faces a gap is judged once: as a gap when closing is sure or the tail is quiet, else as a tail.
        let judged_gap = |place: usize| {
            let yields = |g: &Gap, e: EndKey| tails.at(e).is_none_or(|t| t.quiet && !g.quiet);
            gaps.at(place).filter(|g| !g.leak && (g.sure || g.ends().all(|e| yields(g, e))))
        };
        let tail_of = |place: usize| tails.at((place / 2, place % 2 == 1)).filter(|_| judged_gap(place).is_none());
        let mut edited = FindingsEdited::default();
        let mut made: Vec<(About, Spec)> = Vec::new();
        // What was found where nothing is any more is taken out, too.
        grown(&mut self.ends, 2 * network.line_numbers());
        let mut asked: BTreeSet<usize> = match ends {
            None => (0..self.ends.len()).collect(),
            // What is said of one end of a gap depends on the other.
            Some(ends) => {
                let others = ends.iter().filter_map(|&e| gaps.at(e)).flat_map(Gap::ends).map(end_place);
                others.chain(ends.iter().copied()).collect()
            }
        };
        let found = self.ends.iter().enumerate().filter_map(|(place, slot)| Some((place, &slot.as_ref()?.0)));
        asked.extend(found.filter(|(_, spec)| is_painted(spec) != spec.painted).map(|(place, _)| place));
        for place in asked {
            let key = (place / 2, place % 2 == 1);
            let spec = match (judged_gap(place), tail_of(place)) {
                // It is told at the end it starts from.
                (Some(g), _) => ((g.line, g.at_end) == key).then(|| Spec {
                    to: Some(g.to),
                    confidence: g.confidence,
                    sure: g.sure,
                    quiet: g.quiet,
                    parts: g.parts,
                    mark: u64::from(g.number),
                    ..plain(Kind::Gap, g.from, g.length)
                }),
                (None, Some(t)) => Some(Spec {
                    to: Some(t.tip),
                    confidence: t.confidence,
                    sure: t.sure,
                    quiet: t.quiet,
                    mark: t.path.iter().flatten().fold(17, |m, v| m.wrapping_mul(31).wrapping_add(v.to_bits())),
                    ..plain(Kind::Tail, t.at, t.length)
                }),
                (None, None) => network.end(key).filter(|e| e.loose).map(|e| {
                    match gaps.at(place).filter(|g| g.leak && g.parts.is_some()) {
                        Some(g) => Spec {
                            to: Some(g.to),
                            confidence: g.confidence,
                            quiet: g.quiet,
                            parts: g.parts,
                            left: left.hold(Kind::Leak, g.from) || left.hold(Kind::LooseEnd, e.p),
                            mark: u64::from(g.number),
                            ..plain(Kind::Leak, g.from, g.length)
                        },
                        // By itself a free end is no fault.
                        None => Spec { quiet: true, ..plain(Kind::LooseEnd, e.p, 0.0) },
                    }
                }),
            };
            let spec = spec.map(|s| Spec { painted: is_painted(&s), ..s });
            let mut was = self.ends[place].take();
            self.drop_changed(&mut was, spec.as_ref(), &mut edited);
            made.extend(spec.filter(|_| was.is_none()).map(|s| (About::End(key), s)));
            self.ends[place] = was;
        }
        let least = SLIVER * px_per_mm(sheet.dpi).powi(2);
        grown(&mut self.regions, regions.most());
        for id in of_regions.unwrap_or_else(|| (1..=self.regions.len() as u32).collect()) {
            let n = id as usize - 1;
            let spec = regions.get(id).and_then(|region| {
                let area = region.area as f64;
                let of = |kind: Kind| plain(kind, region.seed, area);
                Some(match drops[n] {
                    Dropped::None if area < least => of(Kind::Sliver),
                    Dropped::None => of(Kind::Unpainted),
                    Dropped::Differing(_) => of(Kind::TwoPaints),
                    Dropped::Alike(k) => {
                        let drop = &sheet.drops[k];
                        let like = drop.like.as_ref().filter(|l| !l.carried || l.doubtful)?;
                        let kind = if like.carried { Kind::Doubtful } else { Kind::Unlike };
                        // Its number tells it from what was carried before.
                        let quiet = !like.carried && like.doubtful;
                        Spec { confidence: like.confidence, quiet, mark: drop.id, ..of(kind) }
                    }
                })
            });
            let mut was = self.regions[n].take();
            self.drop_changed(&mut was, spec.as_ref(), &mut edited);
            made.extend(spec.filter(|_| was.is_none()).map(|s| (About::Region(id), s)));
            self.regions[n] = was;
        }
        for (about, spec) in made {
            let path = match about {
                About::End(key) => match (judged_gap(end_place(key)), tail_of(end_place(key))) {
                    (Some(g), _) => g.bridge.flat(0.2).iter().map(|f| f.p).collect(),
                    (None, Some(t)) => t.path.iter().map(|p| pt(p[0], p[1])).collect(),
                    (None, None) if spec.kind == Kind::Leak => way_out(&spec),
                    (None, None) => Vec::new(),
                },
                About::Region(_) => Vec::new(),
            };
            let like = match about {
                About::Region(id) if matches!(spec.kind, Kind::Doubtful | Kind::Unlike) => {
                    drop_in(drops[id as usize - 1], sheet).and_then(|d| d.like.clone())
                }
                _ => None,
            };
            let finding = Finding {
                id: id_of(spec.kind, spec.at, about, network),
                kind: spec.kind,
                at: spec.at,
                to: spec.to,
                path,
                size: spec.size,
                confidence: spec.confidence,
                sure: spec.sure,
                quiet: spec.quiet,
                harm: spec.harm(),
                parts: spec.parts,
                region: if let About::Region(id) = about { Some(id) } else { None },
                like,
                left: spec.left,
            };
            let rank = rank(&finding, about);
            edited.made.push(finding.id.clone());
            self.open[spec.kind as usize] += usize::from(!spec.left && !spec.quiet);
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
        if self.by_id.get(&rank.2) == Some(&rank) {
            self.by_id.remove(&rank.2);
        }
        self.all.remove(&rank);
        self.open[spec.kind as usize] -= usize::from(!spec.left && !spec.quiet);
        edited.gone.push(rank.2);
    }
}
