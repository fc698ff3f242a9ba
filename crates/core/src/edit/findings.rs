//! Steps: what is decided of findings.

use super::ground::Ground;
use super::limits::counted;
use super::tails::cut_all;
use crate::error::Error;
use crate::geom::Pt;
use crate::join::{Gap, Tail};
use crate::model::line::Form;
use crate::model::paint::Drop;
use crate::model::recipe::CloseWith;
use crate::model::sheet::Sheet;
use crate::model::verdict::{Kind, SAME_PLACE, Settled, Verdict};
use crate::region::network::end_place;
use crate::scene::Scene;
use crate::scene::findings::Finding;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use ts_rs::TS;

/// What is decided of findings.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum FindingsStep {
    /// Settles findings by doing what they propose. `with` overrides what gaps are closed with.
    Settle { ids: Vec<String>, with: Option<CloseWith> },
    /// Settles findings as the like ones of another drawing were, each in its own way, in one step.
    Decide { decisions: Vec<Decision> },
    /// Leaves findings knowingly.
    Leave { ids: Vec<String> },
    /// Opens findings again that were left.
    Reopen { ids: Vec<String> },
}

impl FindingsStep {
    /// The findings it names.
    pub(super) fn ids(&self) -> impl Iterator<Item = &str> {
        let (ids, decisions): (&[String], &[Decision]) = match self {
            FindingsStep::Settle { ids, .. } | FindingsStep::Leave { ids } | FindingsStep::Reopen { ids } => (ids, &[]),
            FindingsStep::Decide { decisions } => (&[], decisions),
        };
        ids.iter().map(String::as_str).chain(decisions.iter().map(|d| d.id.as_str()))
    }

    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet, ground: &dyn Ground) -> Result<String, Error> {
        Ok(match self {
            FindingsStep::Settle { ids, with } => {
                settle(after, ground.scene(), once_each(ids).map(|id| (id, Way::AsFits(*with))))?
            }
            FindingsStep::Decide { decisions } => {
                let mut seen = HashSet::new();
                let once = decisions.iter().filter(|d| seen.insert(d.id.as_str()));
                settle(after, ground.scene(), once.map(|d| (&d.id, Way::Decided(d.how))))?
            }
            FindingsStep::Leave { ids } => {
                settle(after, ground.scene(), once_each(ids).map(|id| (id, Way::Decided(Verdict::Left))))?
            }
            FindingsStep::Reopen { ids } => {
                let asked = once_each(ids).map(|id| finding(ground.scene(), id)).collect::<Result<Vec<_>, _>>()?;
                let mut cells: FxHashMap<(i64, i64), Vec<&Finding>> = FxHashMap::default();
                let cell = |p: Pt| ((p.x / SAME_PLACE).floor() as i64, (p.y / SAME_PLACE).floor() as i64);
                asked.iter().for_each(|f| cells.entry(cell(f.at)).or_default().push(f));
                let is_asked = |s: &Settled| {
                    let (x, y) = cell(s.at);
                    let near = (-1..=1).flat_map(|v| (-1..=1).map(move |u| (x + u, y + v)));
                    near.filter_map(|c| cells.get(&c))
                        .flatten()
                        .any(|f| f.kind == s.kind && s.at.dist(f.at) < SAME_PLACE)
                };
                after.settled.retain(|s| !(s.how == Verdict::Left && is_asked(s)));
                counted("opened again", asked.iter().filter(|f| f.left).count(), "finding")
            }
        })
    }
}

/// How a finding is to be settled.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Decision {
    pub id: String,
    pub how: Verdict,
}

/// Ids without those that were named before.
fn once_each(ids: &[String]) -> impl Iterator<Item = &String> {
    let mut seen = HashSet::new();
    ids.iter().filter(move |id| seen.insert(id.as_str()))
}

fn finding<'a>(scene: &'a Scene, id: &str) -> Result<&'a Finding, Error> {
    scene.findings.get(id).ok_or_else(|| Error::NoSuchFinding(id.to_owned()))
}

/// How a finding is settled by a command.
#[derive(Clone, Copy)]
enum Way {
    /// As its kind asks for; gaps with what is told, else by the recipe.
    AsFits(Option<CloseWith>),
    Decided(Verdict),
}

fn settle<'a>(
    after: &mut Sheet,
    scene: &Scene,
    asked: impl Iterator<Item = (&'a String, Way)>,
) -> Result<String, Error> {
    let mut tails: Vec<&Tail> = Vec::new();
    let (mut closed, mut kept, mut left) = (0, 0, 0);
    for (id, way) in asked {
        let f = finding(scene, id)?;
        let end = scene.findings.end_of(id);
        let unknown = || Error::NoSuchFinding(id.clone());
        let with = match (f.kind, way) {
            (_, Way::Decided(Verdict::Left)) => None,
            (Kind::Gap | Kind::Leak, Way::AsFits(with)) => Some(with.unwrap_or(after.recipes.join.close_with)),
            (Kind::Gap | Kind::Leak, Way::Decided(Verdict::Bridged)) => Some(CloseWith::Bridge),
            (Kind::Gap | Kind::Leak, Way::Decided(Verdict::Seamed)) => Some(CloseWith::Seam),
            (Kind::Tail, Way::AsFits(_) | Way::Decided(Verdict::Cut)) => {
                tails.push(end.and_then(|e| scene.tails.at(e)).ok_or_else(unknown)?);
                continue;
            }
            (Kind::Doubtful | Kind::Unlike, Way::AsFits(_)) => {
                kept += settle_paint(after, scene, f);
                continue;
            }
            // These have no one way of being settled: to leave them knowingly is.
            (Kind::LooseEnd | Kind::Sliver | Kind::Unpainted | Kind::TwoPaints, Way::AsFits(_)) => None,
            _ => return Err(Error::Mismatch("a finding of this kind is not settled like that")),
        };
        match with {
            Some(with) => {
                let gap = end.and_then(|e| scene.gaps.at(end_place(e))).ok_or_else(unknown)?;
                close(after, gap, with);
                closed += 1;
            }
            None if f.left => {}
            None => {
                after.settle(Settled { kind: f.kind, at: f.at, how: Verdict::Left });
                left += 1;
            }
        }
    }
    let cut = cut_all(after, scene, &tails);
    Ok(match (closed, cut, kept, left) {
        (c, 0, 0, 0) if c > 0 => counted("closed", c, "gap"),
        (0, t, 0, 0) if t > 0 => counted("cut", t, "tail"),
        (0, 0, k, 0) if k > 0 => counted("took as told", k, "region"),
        (0, 0, 0, l) => counted("left", l, "finding"),
        (c, t, k, l) => counted("settled", c + t + k + l, "finding"),
    })
}

/// Takes the paint that a region's counterpart has; how many regions that are.
fn settle_paint(after: &mut Sheet, scene: &Scene, f: &Finding) -> usize {
    let Some(swatch) = f.like.as_ref().and_then(|l| l.swatches.first()) else { return 0 };
    let is_here = |at: Pt| scene.regions.at(at).map(|r| r.id) == f.region;
    for drop in after.drops.iter_mut().filter(|d| is_here(d.at)) {
        drop.it = Drop::by_hand(drop.at, swatch);
    }
    1
}

/// Closes a gap with a bridge or a seam of the same path.
pub fn close(after: &mut Sheet, gap: &Gap, with: CloseWith) {
    let mut line = gap.bridge.clone();
    if with == CloseWith::Seam
        && let Form::Centreline { spine, .. } = line.form
    {
        line.form = Form::Seam { spine };
    }
    after.draw(line);
    let how = if with == CloseWith::Seam { Verdict::Seamed } else { Verdict::Bridged };
    after.settle(Settled { kind: Kind::Gap, at: gap.from, how });
}
