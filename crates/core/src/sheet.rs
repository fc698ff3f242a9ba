//! The state of one drawing, and the scene computed from it.

use crate::finding::{Finding, Kind, SAME_PLACE, Settled, Verdict, id_of};
use crate::geom::Pt;
use crate::ink::Ink;
use crate::join::{Gap, Leak, Tail, find_gaps, find_leak, find_tails};
use crate::lift::ByHand;
use crate::line::{FlatPoint, Line, Made};
use crate::paint::{Drop, drops_in};
use crate::plane::Plane;
use crate::recipe::{Recipes, TraceRecipe, px_per_mm};
use crate::region::network::Network;
use crate::region::{Regions, regions};
use crate::render::{self, Erasure, Reweighed};
use crate::stages::{Inking, Kept};
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use ts_rs::TS;

/// All that a drawing is besides its original: every edit changes this, and undoing gives back what was, field by field.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Sheet {
    /// Of the sheet as it is laid out, px.
    pub width: usize,
    pub height: usize,
    /// Width and height of the original, px.
    pub original: [usize; 2],
    pub dpi: f64,
    /// The file did not tell its resolution and nobody was asked yet.
    pub dpi_assumed: bool,
    pub recipes: Recipes,
    pub by_hand: ByHand,
    #[ts(type = "number")]
    pub next_id: u64,
    /// From the lowest to the topmost.
    pub lines: Vec<Line>,
    pub erased: Vec<Erasure>,
    /// Lines whose weight was changed after tracing.
    pub reweighed: Vec<Reweighed>,
    pub drops: Vec<Drop>,
    pub settled: Vec<Settled>,
    /// What the lines were last traced with; `None` before the first time.
    pub traced: Option<Box<TracedWith>>,
}

/// The settings that decide what tracing gives.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct TracedWith {
    pub inking: Inking,
    pub trace: TraceRecipe,
}

impl Sheet {
    pub fn new(width: usize, height: usize, dpi: f64) -> Sheet {
        Sheet {
            width,
            height,
            original: [width, height],
            dpi,
            dpi_assumed: false,
            recipes: Recipes::default(),
            by_hand: ByHand::default(),
            next_id: 1,
            lines: Vec::new(),
            erased: Vec::new(),
            reweighed: Vec::new(),
            drops: Vec::new(),
            settled: Vec::new(),
            traced: None,
        }
    }

    /// The ink as it is seen: lifted pixels without what was cut, with what was added.
    pub fn visible_ink(&self, lifted: &Ink) -> Ink {
        let mut ink = lifted.clone();
        for cut in &self.erased {
            cut.apply(&mut ink.alpha);
        }
        Reweighed::apply_all(&self.reweighed, &self.lines, &mut ink.alpha);
        for line in self.lines.iter().filter(|l| matches!(l.made, Made::Bridge | Made::Hand)) {
            render::draw(&mut ink.alpha, line);
        }
        ink
    }

    /// What the ink of this drawing is made by now.
    pub fn inking(&self) -> Inking {
        Inking { lift: self.recipes.lift.clone(), weight: self.recipes.weight.clone(), by_hand: self.by_hand.clone() }
    }

    /// What the ink is made by that the lines lie over: that of their tracing, once they are traced.
    pub fn inking_of_lines(&self) -> Inking {
        self.traced.as_ref().map_or_else(|| self.inking(), |t| t.inking.clone())
    }

    /// The settings tracing would be done with now.
    pub fn tracing(&self) -> TracedWith {
        TracedWith { inking: self.inking(), trace: self.recipes.trace.clone() }
    }

    /// Whether the lines are those that tracing would give now, edits aside.
    pub fn lines_are_current(&self) -> bool {
        self.traced.as_ref().is_some_and(|t| **t == self.tracing())
    }

    /// What tracing again would keep.
    pub fn kept(&self) -> Kept {
        let lines = self.lines.iter().filter(|l| l.made != Made::Traced).cloned().collect();
        Kept { lines, erased: self.erased.clone() }
    }

    /// How many lines somebody made or changed by hand: tracing again keeps them.
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

    /// By which way paint would run from a place: see [`find_leak`].
    pub fn leak(&self, from: Pt) -> Option<Leak> {
        let mut barriers = self.ink.alpha.clone();
        // Seams bear no width: they are drawn as a hair that holds.
        for flat in self.network.flats.iter().filter(|flat| flat.iter().all(|f| f.width == 0.0)) {
            let hair: Vec<FlatPoint> = flat.iter().map(|f| FlatPoint { p: f.p, width: 2.0 }).collect();
            render::stroke(&mut barriers, &hair);
        }
        find_leak(&barriers, from)
    }

    /// Ink drawn from vector lines alone, for drawings that have no lifted pixels.
    pub fn ink_of_lines(lines: &[Line], width: usize, height: usize, colour: [u8; 3]) -> Ink {
        let mut alpha = Plane::new(width, height, 0u8);
        lines.iter().for_each(|l| render::draw(&mut alpha, l));
        Ink::plain(alpha, colour)
    }
}

/// Regions under this are slivers, mm².
const SLIVER: f64 = 0.18;

fn findings(sheet: &Sheet, network: &Network, regions: &Regions, gaps: &[Gap], tails: &[Tail]) -> Vec<Finding> {
    let left = |kind: Kind, at| {
        sheet.settled.iter().any(|s| s.kind == kind && s.how == Verdict::Left && s.at.dist(at) < SAME_PLACE)
    };
    let plain = |kind: Kind, at, size| Finding {
        id: id_of(kind, at, None),
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
    let ends_of = |g: &Gap| {
        [Some((g.line, g.at_end)), g.other_end.map(|e| (g.other, e))].into_iter().flatten().collect::<Vec<_>>()
    };
    let in_sure_gap: HashSet<(usize, bool)> = gaps.iter().filter(|g| g.sure).flat_map(ends_of).collect();
    let tails: Vec<&Tail> = tails.iter().filter(|t| !in_sure_gap.contains(&(t.line, t.at_end))).collect();
    let in_tail: HashSet<(usize, bool)> = tails.iter().map(|t| (t.line, t.at_end)).collect();
    let gaps: Vec<&Gap> = gaps.iter().filter(|g| g.sure || !ends_of(g).iter().any(|e| in_tail.contains(e))).collect();
    let in_gap: HashSet<(usize, bool)> = gaps.iter().flat_map(|g| ends_of(g)).collect();
    for g in &gaps {
        out.push(Finding {
            id: id_of(Kind::Gap, g.from, Some(g.to)),
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
            id: id_of(Kind::Tail, t.at, Some(t.tip)),
            to: Some(t.tip),
            path: t.path.iter().map(|p| crate::geom::pt(p[0], p[1])).collect(),
            confidence: t.confidence,
            sure: t.sure,
            ..plain(Kind::Tail, t.at, t.length)
        });
    }
    for end in network.ends.iter().filter(|e| e.loose) {
        let here = (end.line, end.at_end);
        if !in_gap.contains(&here) && !in_tail.contains(&here) {
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
    out.sort_by(|a, b| {
        a.kind.cmp(&b.kind).then(b.sure.cmp(&a.sure)).then(b.confidence.total_cmp(&a.confidence)).then(a.id.cmp(&b.id))
    });
    out
}
