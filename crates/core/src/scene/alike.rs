//! Findings that are alike: the ends of one hatching, specks of one kind. One decision serves all of them.

use crate::forest::Forest;
use crate::geom::{Pt, angle_between};
use crate::model::recipe::px_per_mm;
use crate::model::verdict::Kind;
use crate::region::network::Network;
use crate::scene::findings::{Finding, Findings};
use rustc_hash::FxHashMap;

/// The least findings that are a group.
const LEAST: usize = 3;
/// How far apart neighbours of a group may lie, mm.
const REACH: f64 = 6.0;
/// How far apart their lines may run, radians; how unlike their widths may be, and their lengths and areas.
const TURNED: f64 = 0.6;
const WIDTHS: f64 = 1.7;
const SIZES: f64 = 3.0;

/// What of a finding tells whether another is like it.
struct Trait<'a> {
    finding: &'a Finding,
    /// How its line runs out, and how broad that is; of regions none.
    end: Option<(Pt, f64)>,
}

impl Trait<'_> {
    fn is_like(&self, o: &Trait) -> bool {
        let (f, g) = (self.finding, o.finding);
        if (f.kind, f.sure, f.quiet, f.left) != (g.kind, g.sure, g.quiet, g.left) {
            return false;
        }
        let ratio = |a: f64, b: f64| (a.max(1.0) / b.max(1.0)).max(b.max(1.0) / a.max(1.0));
        let ends = match (self.end, o.end) {
            (Some((a, v)), Some((b, w))) => ratio(v, w) < WIDTHS && angle_between(a, b) < TURNED,
            (None, None) => true,
            _ => false,
        };
        ratio(f.size, g.size) < SIZES && ends
    }
}

/// The findings that are alike, as lists of their ids in the order they are listed; each in one group at most. Neighbours
/// that are like one another are of one group, and so are theirs. Unpainted regions are alike by nothing but that.
/// O(findings · neighbours).
pub fn alike(findings: &Findings, network: &Network, dpi: f64) -> Vec<Vec<String>> {
    let reach = REACH * px_per_mm(dpi);
    let all: Vec<Trait> = findings
        .iter()
        .filter(|f| !matches!(f.kind, Kind::Unpainted | Kind::TwoPaints | Kind::Doubtful | Kind::Unlike))
        .map(|finding| {
            let end = findings.end_of(&finding.id).and_then(|key| network.end(key));
            Trait { finding, end: end.map(|e| (e.dir, e.width)) }
        })
        .collect();
    let cell = |p: Pt| [p.x, p.y].map(|v| (v / reach).floor().clamp(-1e9, 1e9) as i64);
    let mut cells: FxHashMap<[i64; 2], Vec<usize>> = FxHashMap::default();
    for (n, t) in all.iter().enumerate() {
        cells.entry(cell(t.finding.at)).or_default().push(n);
    }
    let mut like = Forest::new(all.len());
    for (n, t) in all.iter().enumerate() {
        let [x, y] = cell(t.finding.at);
        for near in (-1..=1).flat_map(|dy| (-1..=1).map(move |dx| [x + dx, y + dy])) {
            for &m in cells.get(&near).into_iter().flatten().filter(|m| **m > n) {
                if all[m].finding.at.dist(t.finding.at) < reach && t.is_like(&all[m]) {
                    like.join(n, m);
                }
            }
        }
    }
    let mut groups: FxHashMap<usize, Vec<usize>> = FxHashMap::default();
    for n in 0..all.len() {
        groups.entry(like.root(n)).or_default().push(n);
    }
    let mut groups: Vec<Vec<usize>> = groups.into_values().filter(|g| g.len() >= LEAST).collect();
    groups.sort_unstable();
    groups.into_iter().map(|g| g.into_iter().map(|n| all[n].finding.id.clone()).collect()).collect()
}
