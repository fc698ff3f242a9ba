//! What is computed from a sheet: its network, regions and findings, over the ink as it is seen; made once and then kept
//! up through edits, so that each costs what it touches.

pub mod alike;
pub mod findings;
pub mod pile;
mod seen;

use crate::geom::flat::FlatPoint;
use crate::geom::{Bounds, Pt};
use crate::join::{Gaps, Leak, Tails, find_leak};
use crate::model::line::Line;
use crate::model::numbered::Numbered;
use crate::model::paint::Drop;
use crate::model::pixels;
use crate::model::sheet::Sheet;
use crate::model::verdict::{Settled, Verdict};
use crate::paint::drops_in;
use crate::raster::ink::Ink;
use crate::raster::plane::Plane;
use crate::raster::strokes;
use crate::region::network::{Network, end_place};
use crate::region::{Regions, RegionsEdited};
use findings::{Changed, Findings, FindingsEdited};
use std::sync::Arc;

#[derive(Debug, Clone)]
pub struct Scene {
    pub ink: Ink,
    pub network: Network,
    pub regions: Regions,
    /// The swatch that fills each region, by its number less one.
    pub fills: Vec<Option<String>>,
    pub gaps: Gaps,
    pub tails: Tails,
    pub findings: Findings,
}

/// Where drops come, go or change; both lists are in the order of their numbers.
fn changed_drops(before: &[Numbered<Drop>], after: &[Numbered<Drop>]) -> Vec<Pt> {
    let (mut i, mut j, mut out) = (0, 0, Vec::new());
    while i < before.len() || j < after.len() {
        match (before.get(i), after.get(j)) {
            (Some(b), Some(a)) if b.id == a.id => {
                if b != a {
                    out.extend([b.at, a.at]);
                }
                (i, j) = (i + 1, j + 1);
            }
            (Some(b), a) if a.is_none_or(|a| b.id < a.id) => {
                out.push(b.at);
                i += 1;
            }
            (_, Some(a)) => {
                out.push(a.at);
                j += 1;
            }
            (_, None) => break,
        }
    }
    out
}

/// What an edit did to a scene.
#[derive(Debug, Clone, Default)]
pub struct SceneEdited {
    /// Boxes of the ink that may be seen otherwise.
    pub ink: Vec<Bounds>,
    pub regions: RegionsEdited,
    /// Regions that are filled otherwise, whatever their shape.
    pub refilled: Vec<u32>,
    pub findings: FindingsEdited,
}

impl Scene {
    /// Computes the scene of a sheet whose lifted ink is given.
    ///
    /// ```
    /// use rhizograph_core::geom::{pt, spine::Spine};
    /// use rhizograph_core::model::line::{End, Form, Line, Made};
    /// use rhizograph_core::model::sheet::Sheet;
    /// use rhizograph_core::raster::{ink::Ink, plane::Plane};
    /// use rhizograph_core::scene::Scene;
    ///
    /// let mut sheet = Sheet::new(200, 200, 300.0);
    /// let corners = [pt(50.0, 50.0), pt(150.0, 50.0), pt(150.0, 150.0), pt(50.0, 150.0), pt(50.0, 50.0)];
    /// let spine = Spine::through(&corners, true);
    /// let form = Form::Centreline { spine, width: vec![[0.0, 4.0]], ends: [End::Round; 2] };
    /// sheet.draw(Line::new(0, form, Made::Hand));
    /// let scene = Scene::of(&sheet, &Ink::plain(Plane::new(200, 200, 0), [0; 3]));
    /// assert!(scene.regions.at(pt(100.0, 100.0)).is_some());
    /// ```
    pub fn of(sheet: &Sheet, lifted: &Ink) -> Scene {
        Scene::of_while(sheet, lifted, &|| true).unwrap_or_else(|| unreachable!("it is wanted all along"))
    }

    /// The same as long as somebody wants it: asked between its steps. `None`: it was given up.
    pub fn of_while(sheet: &Sheet, lifted: &Ink, is_wanted: &dyn Fn() -> bool) -> Option<Scene> {
        let wanted = || is_wanted().then_some(());
        let (ink, network) = rayon::join(|| sheet.visible_ink(lifted), || Network::of(&sheet.lines));
        wanted()?;
        let (regions, (gaps, tails)) = rayon::join(
            || Regions::of(&network, &ink.alpha),
            || {
                let gaps = Gaps::of(&network, &ink.alpha, &sheet.recipes.join, sheet.dpi);
                (gaps, Tails::of(&network, &ink.alpha, &sheet.recipes.join, sheet.dpi))
            },
        );
        wanted()?;
        let mut findings = Findings::default();
        let dropped = drops_in(&regions, &sheet.drops);
        findings.update(sheet, &network, (&regions, &dropped), (&gaps, &tails), None);
        let fills = dropped.iter().map(|d| d.fill(&sheet.drops).map(str::to_owned)).collect();
        Some(Scene { ink, network, regions, fills, gaps, tails, findings })
    }

    /// About how many bytes it takes.
    pub fn bytes(&self) -> usize {
        // A line is flattened, indexed and arranged: some dozens of points, each held several times.
        self.ink.bytes() + 2 * self.regions.labels.data.len() + 6000 * self.network.line_numbers()
    }

    /// The swatch that fills a region.
    pub fn fill(&self, region: u32) -> Option<&str> {
        self.fills.get((region as usize).checked_sub(1)?)?.as_deref()
    }

    /// Whether what the first edit would have to make is there.
    pub fn is_ready(&self) -> bool {
        self.network.is_ready() && self.gaps.is_ready()
    }

    /// Makes what the first edit would have to make.
    pub fn make_ready(&mut self) {
        self.network.make_ready();
        self.gaps.make_ready();
    }

    /// The scene of `after`, when this is that of `before` over the same lifted ink; `None` if everything was computed
    /// anew, since more than lines, paint and verdicts changed.
    pub fn advance(&mut self, before: &Sheet, after: &Sheet, lifted: &Ink) -> Option<SceneEdited> {
        let frame = |s: &Sheet| (s.width, s.height, s.dpi, s.inking_of_lines());
        if frame(before) != frame(after)
            || before.recipes.join != after.recipes.join
            || before.recipes.intake != after.recipes.intake
            || self.ink.alpha.width != lifted.alpha.width
        {
            *self = Scene::of(after, lifted);
            return None;
        }
        let ink = after.see_again(before, lifted, &mut self.ink.alpha);
        let edited = self.network.edit(&before.lines, &after.lines);
        let Scene { ink: Ink { alpha, .. }, network, regions, gaps, tails, .. } = self;
        let ((of_regions, tail_ends), gap_ends) = rayon::join(
            || (regions.update(network, &edited, alpha, &ink), tails.update(network, &edited, alpha, &ink)),
            || gaps.update(network, &edited, alpha, &ink),
        );
        let dropped = drops_in(&self.regions, &after.drops);
        // Nothing else is said of a region as long as it, the paint and what was left knowingly are the same, nor of an end.
        let repainted = changed_drops(&before.drops, &after.drops);
        let repainted = repainted.into_iter().filter_map(|at| self.regions.at(at)).map(|r| r.id);
        fn left(sheet: &Sheet) -> impl Iterator<Item = &Settled> {
            sheet.settled.iter().map(|s| &s.it).filter(|s| s.how == Verdict::Left)
        }
        let changed = left(before).eq(left(after)).then(|| Changed {
            ends: {
                let of_lines = edited.lines.iter().flat_map(|&n| [false, true].map(|e| end_place((n, e))));
                of_lines.chain(tail_ends).chain(gap_ends).collect()
            },
            regions: Some(of_regions.gone.iter().chain(&of_regions.made).copied().chain(repainted).collect()),
        });
        let joined = (&self.gaps, &self.tails);
        let findings = self.findings.update(after, &self.network, (&self.regions, &dropped), joined, changed);
        self.fills.resize(dropped.len(), None);
        let mut refilled = Vec::new();
        let fills = dropped.iter().map(|d| d.fill(&after.drops));
        for (n, (was, is)) in
            self.fills.iter_mut().zip(fills).enumerate().filter(|(_, (was, is))| was.as_deref() != *is)
        {
            *was = is.map(str::to_owned);
            refilled.push(n as u32 + 1);
        }
        Some(SceneEdited { ink, regions: of_regions, refilled, findings })
    }

    /// By which way paint would run from a place: see [`find_leak`].
    pub fn leak(&self, from: Pt) -> Option<Leak> {
        let mut barriers = self.ink.alpha.clone();
        // Seams bear no width: they are drawn as a hair that holds.
        let flats = self.network.lines().map(|(n, _)| self.network.flat(n));
        for flat in flats.filter(|flat| flat.iter().all(|f| f.width == 0.0)) {
            let hair: Vec<FlatPoint> = flat.iter().map(|f| FlatPoint { p: f.p, width: 2.0 }).collect();
            strokes::stroke(&mut barriers, &hair);
        }
        find_leak(&barriers, from)
    }

    /// Ink drawn from vector lines alone, for drawings that have no lifted pixels.
    pub fn ink_of_lines(lines: &[Arc<Line>], width: usize, height: usize, colour: [u8; 3]) -> Ink {
        let mut alpha = Plane::new(width, height, 0u8);
        lines.iter().for_each(|l| pixels::draw(&mut alpha, l));
        Ink::plain(alpha, colour)
    }
}
