//! The state of one drawing, and the scene computed from it.

use crate::finding::{Finding, Kind, SAME_PLACE, Settled, Verdict, id_of};
use crate::ink::Ink;
use crate::join::{Gap, Tail, find_gaps, find_tails};
use crate::line::{Form, Line, Made};
use crate::paint::{Drop, drops_in};
use crate::plane::Plane;
use crate::recipe::{Recipes, px_per_mm};
use crate::region::network::Network;
use crate::region::{Regions, regions};
use crate::render::{self, Erasure};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// All that a drawing is besides its original: every edit changes this, and undoing gives back what was, field by field.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Sheet {
    pub width: usize,
    pub height: usize,
    pub dpi: f64,
    pub recipes: Recipes,
    #[ts(type = "number")]
    pub next_id: u64,
    /// From the lowest to the topmost.
    pub lines: Vec<Line>,
    pub erased: Vec<Erasure>,
    pub drops: Vec<Drop>,
    pub settled: Vec<Settled>,
    /// The lines were traced from the lifted ink at least once.
    pub traced: bool,
}

impl Sheet {
    pub fn new(width: usize, height: usize, dpi: f64) -> Sheet {
        Sheet {
            width,
            height,
            dpi,
            recipes: Recipes::default(),
            next_id: 1,
            lines: Vec::new(),
            erased: Vec::new(),
            drops: Vec::new(),
            settled: Vec::new(),
            traced: false,
        }
    }

    /// The ink as it is seen: lifted pixels without what was cut, with what was added.
    pub fn visible_ink(&self, lifted: &Ink) -> Ink {
        let mut ink = lifted.clone();
        for cut in &self.erased {
            cut.apply(&mut ink.alpha);
        }
        for line in self.lines.iter().filter(|l| matches!(l.made, Made::Bridge | Made::Hand)) {
            render::draw(&mut ink.alpha, line);
        }
        ink
    }

    /// How many lines somebody made or edited by hand.
    pub fn handmade(&self) -> usize {
        self.lines.iter().filter(|l| l.made != Made::Traced).count()
    }
}

/// What is computed from a sheet: its network, regions and findings, over the ink as it is seen.
#[derive(Debug, Clone)]
pub struct Scene {
    pub ink: Ink,
    /// The ids of the lines, by their numbers in the network.
    pub ids: Vec<u64>,
    pub network: Network,
    pub regions: Regions,
    pub gaps: Vec<Gap>,
    pub tails: Vec<Tail>,
    pub findings: Vec<Finding>,
}

impl Scene {
    /// Computes the scene of a sheet whose lifted ink is given.
    pub fn of(sheet: &Sheet, lifted: &Ink) -> Scene {
        let ink = sheet.visible_ink(lifted);
        let network = Network::of(&sheet.lines);
        let regions = regions(&network, &ink.alpha);
        let join = &sheet.recipes.join;
        let gaps = find_gaps(&sheet.lines, &network, &ink.alpha, join, sheet.dpi);
        let tails = find_tails(&sheet.lines, &network, join, sheet.dpi);
        let findings = findings(sheet, &network, &regions, &gaps, &tails);
        let ids = sheet.lines.iter().map(|l| l.id).collect();
        Scene { ink, ids, network, regions, gaps, tails, findings }
    }

    /// Whether nothing is in the way: every finding settled or left.
    pub fn open_findings(&self) -> usize {
        self.findings.iter().filter(|f| !f.left).count()
    }

    /// Ink drawn from vector lines alone, for drawings that have no lifted pixels.
    pub fn ink_of_lines(lines: &[Line], width: usize, height: usize, colour: [u8; 3]) -> Ink {
        let mut alpha = Plane::new(width, height, 0u8);
        lines.iter().for_each(|l| render::draw(&mut alpha, l));
        Ink { alpha, colour }
    }
}

/// Regions under this are slivers, mm².
const SLIVER: f64 = 0.18;

fn findings(sheet: &Sheet, network: &Network, regions: &Regions, gaps: &[Gap], tails: &[Tail]) -> Vec<Finding> {
    let left = |kind: Kind, at| {
        sheet.settled.iter().any(|s| s.kind == kind && s.how == Verdict::Left && s.at.dist(at) < SAME_PLACE)
    };
    let plain = |kind: Kind, at, size| Finding {
        id: id_of(kind, at),
        kind,
        at,
        to: None,
        path: Vec::new(),
        size,
        confidence: 1.0,
        sure: false,
        parts: None,
        region: None,
        left: left(kind, at),
    };
    let mut out = Vec::new();
    // A tail that also faces a gap is judged once: as a gap when closing is sure, else as a tail.
    let sure_gap = |line: usize, at_end: bool| {
        gaps.iter().any(|g| g.sure && ((g.line, g.at_end) == (line, at_end) || (g.other, g.other_end) == (line, Some(at_end))))
    };
    let tails: Vec<&Tail> = tails.iter().filter(|t| !sure_gap(t.line, t.at_end)).collect();
    let is_tail = |line: usize, at_end: bool| tails.iter().any(|t| (t.line, t.at_end) == (line, at_end));
    let gaps: Vec<&Gap> = gaps
        .iter()
        .filter(|g| g.sure || !(is_tail(g.line, g.at_end) || g.other_end.is_some_and(|e| is_tail(g.other, e))))
        .collect();
    for g in &gaps {
        out.push(Finding {
            to: Some(g.to),
            path: g.bridge.flat(0.2).iter().map(|f| f.p).collect(),
            confidence: g.confidence,
            sure: g.sure,
            parts: g.parts,
            ..plain(Kind::Gap, g.from, g.length)
        });
    }
    for t in &tails {
        out.push(Finding {
            to: Some(t.tip),
            path: t.path.iter().map(|p| crate::geom::pt(p[0], p[1])).collect(),
            confidence: t.confidence,
            sure: t.sure,
            ..plain(Kind::Tail, t.at, t.length)
        });
    }
    for end in network.ends.iter().filter(|e| e.loose) {
        let in_gap = gaps.iter().any(|g| (g.line, g.at_end) == (end.line, end.at_end) || (g.other, g.other_end) == (end.line, Some(end.at_end)));
        if !in_gap && !is_tail(end.line, end.at_end) && !matches!(sheet.lines[end.line].form, Form::Outline { .. }) {
            out.push(plain(Kind::LooseEnd, end.p, 0.0));
        }
    }
    let px2 = px_per_mm(sheet.dpi).powi(2);
    let drops = drops_in(regions, &sheet.drops);
    for (region, drops) in regions.list.iter().zip(&drops) {
        let here = |kind| Finding { region: Some(region.id), ..plain(kind, region.seed, region.area as f64) };
        if (region.area as f64) < SLIVER * px2 {
            if drops.is_empty() {
                out.push(here(Kind::Sliver));
            }
        } else if drops.is_empty() {
            out.push(here(Kind::Unpainted));
        }
        let mut swatches: Vec<&str> = drops.iter().map(|&k| sheet.drops[k].swatch.as_str()).collect();
        swatches.sort_unstable();
        swatches.dedup();
        if swatches.len() > 1 {
            out.push(here(Kind::TwoPaints));
        }
    }
    out.sort_by(|a, b| a.kind.cmp(&b.kind).then(b.sure.cmp(&a.sure)).then(b.confidence.total_cmp(&a.confidence)).then(a.id.cmp(&b.id)));
    out
}
