//! Commands and changes: every edit of a sheet is a command; planning it gives a change, which can be applied, undone
//! exactly, and stored.

use crate::error::Error;
use crate::finding::{Finding, Kind, SAME_PLACE, Settled, Verdict};
use crate::geom::{Pt, polyline_len, pt, segments_cross, thinned};
use crate::ink::Ink;
use crate::intake::{Homography, Layout};
use crate::join::{
    Gap, Tail, bridge_opacity, bridge_spine, cut_out, cut_tail, density_at, span_at, tails_up_to, take_span,
};
use crate::lift::{ByHand, Effect, Touch};
use crate::line::{End, EndStyle, FlatPoint, Form, Line, Made, Spine, is_same, shared};
use crate::paint::Drop;
use crate::recipe::{CloseWith, IntakeRecipe, Recipes, px_per_mm};
use crate::region::network::{Network, end_place};
use crate::render::{Erasure, Reweighed};
use crate::scene::Scene;
use crate::sheet::{Sheet, TracedWith};
use crate::trace::{fit_curves, trace, without_covered};
use crate::weight::{Adjust, adjust};
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use std::collections::HashSet;
use std::sync::Arc;
use ts_rs::TS;

/// What somebody asks to be done to a sheet.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum Command {
    /// New settings; lines stay as they are until traced again.
    Recipes { recipes: Box<Recipes> },
    /// Takes new settings and traces with them, in one step.
    Prepare { recipes: Box<Recipes> },
    /// Traces the lifted ink: traced lines nobody touched are made anew. What was made or changed by hand stays, unless
    /// all is to be made `afresh`.
    Trace {
        #[serde(default)]
        afresh: bool,
    },
    /// Settles findings by doing what they propose. `with` overrides what gaps are closed with.
    Settle { ids: Vec<String>, with: Option<CloseWith> },
    /// Settles findings as the like ones of another drawing were, each in its own way, in one step.
    Decide { decisions: Vec<Decision> },
    /// Leaves findings knowingly.
    Leave { ids: Vec<String> },
    /// Opens findings again that were left.
    Reopen { ids: Vec<String> },
    /// Cuts every tail that a stroke passes over.
    Sweep { path: Vec<Pt> },
    /// A seam by hand; its ends reach out to the nearest line.
    Seam { path: Vec<Pt> },
    /// An ink bridge between the lines nearest to two places, in their width.
    Bridge { from: Pt, to: Pt },
    /// Takes the span at a place away: the stretch of its line between two crossings or ends.
    TakeSpan { at: Pt },
    /// Cuts all that lies within a closed outline out of the drawing; lines end there as told.
    Cut { outline: Vec<Pt>, ends: EndStyle },
    /// Takes a bridge, seam or other handmade line away.
    Remove { line: u64 },
    /// Fills the regions at these places.
    Fill { at: Vec<Pt>, swatch: String },
    /// Fills every region that has no paint.
    FillEmpties { swatch: String },
    /// Takes the paint out of the regions at these places.
    Clear { at: Vec<Pt> },
    /// Lays the sheet out anew; what was drawn on it goes along.
    Intake { intake: Box<IntakeRecipe> },
    /// Says how many pixels of the original make an inch.
    Resolution { dpi: f64 },
    /// One stroke of the touch-up brush.
    Touch { touch: Touch },
    /// Turns what is painted for an effect about.
    Invert { effect: Effect },
    /// Takes off all that is painted for an effect.
    ClearArea { effect: Effect },
    /// Protects a dot from going as a speck, or gives one up that was protected there.
    Protect { at: Pt },
    /// Changes the weight of lines; of all if none is named.
    Weigh {
        #[ts(type = "number[]")]
        lines: Vec<u64>,
        adjust: Adjust,
    },
}

/// How a finding is to be settled.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Decision {
    pub id: String,
    pub how: Verdict,
}

/// The most things named in one command.
const MOST_NAMED: usize = 200_000;
/// The most points of a stroke.
const MOST_POINTS: usize = 20_000;
/// The most points of a stroke that are left once it is thinned: nobody's hand wavers more.
const MOST_BENDS: usize = 4000;
/// How closely a stroke is followed when it is thinned, px.
const THINNED_WITHIN: f64 = 0.1;

impl Command {
    /// Refuses, by itself, more than one command may name.
    fn check(&self) -> Result<(), Error> {
        let named = match self {
            Command::Settle { ids, .. } | Command::Leave { ids } | Command::Reopen { ids } => ids.len(),
            Command::Decide { decisions } => decisions.len(),
            Command::Fill { at, .. } | Command::Clear { at } => at.len(),
            Command::Weigh { lines, .. } => lines.len(),
            _ => 0,
        };
        if named > MOST_NAMED { Err(Error::Mismatch("one step is about up to 200000 things")) } else { Ok(()) }
    }
}

/// What leaves a list and what enters it, by place; what stays keeps its order.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(bound = "T: Serialize + serde::de::DeserializeOwned")]
pub struct Patch<T> {
    removed: Vec<(usize, T)>,
    added: Vec<(usize, T)>,
}

impl<T> Default for Patch<T> {
    fn default() -> Self {
        Patch { removed: Vec::new(), added: Vec::new() }
    }
}

impl<T: Clone + PartialEq> Patch<T> {
    fn between<K: std::hash::Hash + Eq>(before: &[T], after: &[T], key: impl Fn(&T) -> K) -> Patch<T> {
        Patch::unlike(before, after, key, |a, b| a == b)
    }

    /// The same with a quicker way to tell whether two are equal.
    fn unlike<K: std::hash::Hash + Eq>(
        before: &[T],
        after: &[T],
        key: impl Fn(&T) -> K,
        same: impl Fn(&T, &T) -> bool,
    ) -> Patch<T> {
        // Most of both is the same, from the beginning and from the end on.
        let least = before.len().min(after.len());
        let first = before.iter().zip(after).take_while(|(a, b)| same(a, b)).count();
        let ends = before.iter().rev().zip(after.iter().rev()).take(least - first);
        let last = ends.take_while(|(a, b)| same(a, b)).count();
        let (before, after) = (&before[first..before.len() - last], &after[first..after.len() - last]);
        let places: FxHashMap<K, usize> = before.iter().enumerate().map(|(i, t)| (key(t), i)).collect();
        let mut kept_before = vec![false; before.len()];
        let mut added = Vec::new();
        let mut next = 0;
        for (j, t) in after.iter().enumerate() {
            match places.get(&key(t)) {
                Some(&i) if i >= next && same(&before[i], t) => {
                    kept_before[i] = true;
                    next = i + 1;
                }
                _ => added.push((first + j, t.clone())),
            }
        }
        let gone = before.iter().enumerate().filter(|(i, _)| !kept_before[*i]);
        Patch { removed: gone.map(|(i, t)| (first + i, t.clone())).collect(), added }
    }

    fn apply(&self, list: &mut Vec<T>) -> Result<(), Error> {
        swap(list, &self.removed, &self.added)
    }

    fn undo(&self, list: &mut Vec<T>) -> Result<(), Error> {
        swap(list, &self.added, &self.removed)
    }

    /// Whether nothing changes.
    pub fn is_empty(&self) -> bool {
        self.removed.is_empty() && self.added.is_empty()
    }
}

fn swap<T: Clone + PartialEq>(list: &mut Vec<T>, out: &[(usize, T)], new: &[(usize, T)]) -> Result<(), Error> {
    if out.iter().any(|(i, t)| list.get(*i) != Some(t)) {
        return Err(Error::Mismatch("what should go is not there"));
    }
    let mut gone = out.iter().map(|o| o.0).peekable();
    let mut rest = list.iter().enumerate().filter(|(i, _)| gone.next_if_eq(i).is_none()).map(|(_, t)| t);
    let mut made = Vec::with_capacity(list.len() + new.len());
    for (j, t) in new {
        while made.len() < *j {
            made.push(rest.next().ok_or(Error::Mismatch("a place beyond the end"))?.clone());
        }
        made.push(t.clone());
    }
    made.extend(rest.cloned());
    *list = made;
    Ok(())
}

type BeforeAfter<T> = (T, T);

/// What changes of what was done to the lift by hand.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
struct ByHandPatch {
    touches: Patch<Touch>,
    inverted: Patch<Effect>,
    protected: Patch<Pt>,
}

/// The difference between two states of a sheet, both ways.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Change {
    /// What was done, in a few words for the undo button.
    pub label: String,
    /// Width, height, resolution, whether that is assumed.
    size: Option<BeforeAfter<(usize, usize, f64, bool)>>,
    by_hand: ByHandPatch,
    reweighed: Patch<Reweighed>,
    recipes: Option<Box<BeforeAfter<Recipes>>>,
    lines: Patch<Arc<Line>>,
    erased: Patch<Erasure>,
    drops: Patch<Drop>,
    settled: Patch<Settled>,
    next_id: (u64, u64),
    traced: Option<Box<BeforeAfter<Option<Box<TracedWith>>>>>,
}

fn point_key(p: Pt) -> (u64, u64) {
    (p.x.to_bits(), p.y.to_bits())
}

impl Change {
    fn between(before: &Sheet, after: &Sheet, label: String) -> Change {
        let recipes =
            (before.recipes != after.recipes).then(|| Box::new((before.recipes.clone(), after.recipes.clone())));
        let erasure_key = |e: &Erasure| e.key();
        let size = |s: &Sheet| (s.width, s.height, s.dpi, s.dpi_assumed);
        let touch_key = |t: &Touch| {
            let path = t.path.iter().map(|&p| point_key(p)).collect::<Vec<_>>();
            (t.effect, path, [t.size, t.hardness, t.strength].map(f64::to_bits), t.takes_off)
        };
        let (b, a) = (&before.by_hand, &after.by_hand);
        Change {
            label,
            size: (size(before) != size(after)).then(|| (size(before), size(after))),
            by_hand: ByHandPatch {
                touches: Patch::between(&b.touches, &a.touches, touch_key),
                inverted: Patch::between(&b.inverted, &a.inverted, |e| *e),
                protected: Patch::between(&b.protected, &a.protected, |p| point_key(*p)),
            },
            reweighed: Patch::between(&before.reweighed, &after.reweighed, |r| r.line),
            recipes,
            lines: Patch::unlike(&before.lines, &after.lines, |l| l.id, is_same),
            erased: Patch::between(&before.erased, &after.erased, erasure_key),
            drops: Patch::between(&before.drops, &after.drops, |d| (point_key(d.at), d.swatch.clone())),
            settled: Patch::between(&before.settled, &after.settled, |s| (s.kind, point_key(s.at), s.how as u8)),
            next_id: (before.next_id, after.next_id),
            traced: (before.traced != after.traced).then(|| Box::new((before.traced.clone(), after.traced.clone()))),
        }
    }

    /// Whether it changes nothing.
    pub fn is_empty(&self) -> bool {
        self.recipes.is_none()
            && self.size.is_none()
            && self.by_hand.touches.is_empty()
            && self.by_hand.inverted.is_empty()
            && self.by_hand.protected.is_empty()
            && self.reweighed.is_empty()
            && self.traced.is_none()
            && self.lines.is_empty()
            && self.erased.is_empty()
            && self.drops.is_empty()
            && self.settled.is_empty()
    }

    /// Whether the sheet lies otherwise after it.
    pub fn lays_out(&self) -> bool {
        self.size.is_some() || self.recipes.as_ref().is_some_and(|r| r.0.intake != r.1.intake)
    }

    /// The sheet after the change. Errors: it was planned on another state.
    pub fn apply(&self, sheet: &Sheet) -> Result<Sheet, Error> {
        let mut s = sheet.clone();
        self.lines.apply(&mut s.lines)?;
        self.erased.apply(&mut s.erased)?;
        self.drops.apply(&mut s.drops)?;
        self.settled.apply(&mut s.settled)?;
        self.by_hand.touches.apply(&mut s.by_hand.touches)?;
        self.by_hand.inverted.apply(&mut s.by_hand.inverted)?;
        self.by_hand.protected.apply(&mut s.by_hand.protected)?;
        self.reweighed.apply(&mut s.reweighed)?;
        if let Some(z) = self.size {
            (s.width, s.height, s.dpi, s.dpi_assumed) = z.1;
        }
        if let Some(r) = &self.recipes {
            s.recipes = r.1.clone();
        }
        s.next_id = self.next_id.1;
        if let Some(t) = &self.traced {
            s.traced = t.1.clone();
        }
        Ok(s)
    }

    /// The sheet before the change. Errors: it is not in the state the change left.
    pub fn undo(&self, sheet: &Sheet) -> Result<Sheet, Error> {
        let mut s = sheet.clone();
        self.lines.undo(&mut s.lines)?;
        self.erased.undo(&mut s.erased)?;
        self.drops.undo(&mut s.drops)?;
        self.settled.undo(&mut s.settled)?;
        self.by_hand.touches.undo(&mut s.by_hand.touches)?;
        self.by_hand.inverted.undo(&mut s.by_hand.inverted)?;
        self.by_hand.protected.undo(&mut s.by_hand.protected)?;
        self.reweighed.undo(&mut s.reweighed)?;
        if let Some(z) = self.size {
            (s.width, s.height, s.dpi, s.dpi_assumed) = z.0;
        }
        if let Some(r) = &self.recipes {
            s.recipes = r.0.clone();
        }
        s.next_id = self.next_id.0;
        if let Some(t) = &self.traced {
            s.traced = t.0.clone();
        }
        Ok(s)
    }
}

/// Plans a command: what it would change, without doing it. `lifted` is the sheet's lifted ink, `scene` what was
/// computed from the sheet over it, `swatches` the ids of the shot's colour model.
pub fn plan(
    sheet: &Sheet,
    command: &Command,
    lifted: &Ink,
    scene: &Scene,
    swatches: &[String],
) -> Result<Change, Error> {
    let mut after = sheet.clone();
    command.check()?;
    let label = match command {
        Command::Recipes { recipes } => {
            recipes.check()?;
            if recipes.intake != sheet.recipes.intake {
                return Err(Error::Mismatch("the sheet is laid out by a step of its own"));
            }
            after.recipes = (**recipes).clone();
            "settings".to_owned()
        }
        Command::Prepare { recipes } => {
            recipes.check()?;
            after.recipes = Recipes { intake: sheet.recipes.intake.clone(), ..(**recipes).clone() };
            trace_anew(&mut after, lifted, false);
            "lift and trace".to_owned()
        }
        Command::Trace { afresh } => {
            trace_anew(&mut after, lifted, *afresh);
            "trace".to_owned()
        }
        Command::Settle { ids, with } => settle(&mut after, scene, once_each(ids).map(|id| (id, Way::AsFits(*with))))?,
        Command::Decide { decisions } => {
            let mut seen = HashSet::new();
            let once = decisions.iter().filter(|d| seen.insert(d.id.as_str()));
            settle(&mut after, scene, once.map(|d| (&d.id, Way::Decided(d.how))))?
        }
        Command::Leave { ids } => {
            settle(&mut after, scene, once_each(ids).map(|id| (id, Way::Decided(Verdict::Left))))?
        }
        Command::Reopen { ids } => {
            let asked = once_each(ids).map(|id| finding(scene, id)).collect::<Result<Vec<_>, _>>()?;
            let mut cells: FxHashMap<(i64, i64), Vec<&Finding>> = FxHashMap::default();
            let cell = |p: Pt| ((p.x / SAME_PLACE).floor() as i64, (p.y / SAME_PLACE).floor() as i64);
            asked.iter().for_each(|f| cells.entry(cell(f.at)).or_default().push(f));
            let is_asked = |s: &Settled| {
                let (x, y) = cell(s.at);
                let near = (-1..=1).flat_map(|v| (-1..=1).map(move |u| (x + u, y + v)));
                near.filter_map(|c| cells.get(&c)).flatten().any(|f| f.kind == s.kind && s.at.dist(f.at) < SAME_PLACE)
            };
            after.settled.retain(|s| !(s.how == Verdict::Left && is_asked(s)));
            counted("opened again", asked.iter().filter(|f| f.left).count(), "finding")
        }
        Command::Sweep { path } => {
            on_sheet(sheet, path)?;
            let all = tails_up_to(&scene.network, f64::INFINITY);
            let hit: Vec<&Tail> = all.iter().filter(|t| sweeps(path, t)).collect();
            counted("swept off", cut_all(&mut after, scene, &hit), "tail")
        }
        Command::Seam { path } => {
            on_sheet(sheet, path)?;
            let spine = seam_spine(path, scene)?;
            after.lines.push(Arc::new(Line {
                id: after.next_id,
                form: Form::Seam { spine },
                made: Made::Hand,
                swatch: None,
                opacity: 1.0,
                group: None,
            }));
            after.next_id += 1;
            "seam".to_owned()
        }
        Command::Bridge { from, to } => {
            on_sheet(sheet, &[*from, *to])?;
            after.lines.push(Arc::new(Line { id: after.next_id, ..bridge_between(*from, *to, scene)? }));
            after.next_id += 1;
            "ink bridge".to_owned()
        }
        Command::TakeSpan { at } => {
            let span = span_at(&scene.network, *at, SPAN_REACH).ok_or(Error::Mismatch("there is no line there"))?;
            let id = scene.network.line(span.line).map(|l| l.id);
            let place = after.lines.iter().position(|l| Some(l.id) == id);
            let place = place.ok_or(Error::Mismatch("there is no line there"))?;
            let (left, taken) = take_span(&after.lines[place], &span, &scene.network);
            let old = after.lines[place].clone();
            put_in_place(&mut after, place, left);
            if !old.is_seam() && matches!(old.made, Made::Traced | Made::Edited) {
                after.erased.extend(taken);
            }
            "took a span away".to_owned()
        }
        Command::Cut { outline, ends } => {
            on_sheet(sheet, outline)?;
            if outline.len() > 4000 {
                return Err(Error::Mismatch("an outline has up to 4000 points"));
            }
            let cut = cut_out(&after.lines, outline, *ends);
            if cut.left.is_empty() && cut.erased.iter().all(|e| takes_nothing(e, &scene.ink)) {
                return Err(Error::Mismatch("there is no ink in there"));
            }
            let label = counted("cut", cut.left.len(), "line");
            for (place, left) in cut.left.into_iter().rev() {
                put_in_place(&mut after, place, left);
            }
            after.erased.extend(cut.erased);
            // What was cut open is meant to be.
            for [end, tip] in cut.ends {
                let left = |kind, at: Pt| Settled { kind, at: at.snapped(), how: Verdict::Left };
                after.settled.extend([left(Kind::Gap, tip), left(Kind::LooseEnd, end)]);
            }
            label
        }
        Command::Remove { line } => {
            let at = after.lines.iter().position(|l| l.id == *line).ok_or(Error::NoSuchLine(*line))?;
            after.lines.remove(at);
            "removed a line".to_owned()
        }
        Command::Fill { at, swatch } => {
            known(swatches, swatch)?;
            let mut had: FxHashMap<u32, Vec<&Drop>> = FxHashMap::default();
            for drop in &sheet.drops {
                had.entry(region_of(scene, drop.at)).or_default().push(drop);
            }
            let mut new = Vec::new();
            let mut filled = HashSet::new();
            for &p in at {
                let region = scene.regions.at(p).ok_or(Error::NoRegion(p.x, p.y))?;
                let is_as_asked = matches!(had.get(&region.id).map(Vec::as_slice), Some([d]) if d.swatch == *swatch);
                if !is_as_asked && filled.insert(region.id) {
                    new.push(Drop { at: region.seed, swatch: swatch.clone() });
                }
            }
            after.drops.retain(|d| !filled.contains(&region_of(scene, d.at)));
            after.drops.extend(new);
            counted("filled", filled.len(), "region")
        }
        Command::FillEmpties { swatch } => {
            known(swatches, swatch)?;
            let empty = scene.regions.iter().filter(|r| scene.fill(r.id).is_none());
            let new: Vec<Drop> = empty.map(|r| Drop { at: r.seed, swatch: swatch.clone() }).collect();
            let label = counted("filled", new.len(), "empty region");
            after.drops.extend(new);
            label
        }
        Command::Clear { at } => {
            let region = |p: &Pt| scene.regions.at(*p).map(|r| r.id).ok_or(Error::NoRegion(p.x, p.y));
            let asked = at.iter().map(region).collect::<Result<HashSet<u32>, _>>()?;
            after.drops.retain(|d| !asked.contains(&region_of(scene, d.at)));
            counted("cleared", asked.len(), "region")
        }
        Command::Intake { intake } => {
            lay_out_anew(&mut after, intake)?;
            "laid the sheet out".to_owned()
        }
        Command::Resolution { dpi } => {
            if !(20.0..=4800.0).contains(dpi) {
                return Err(Error::Recipe { name: "resolution", value: *dpi, from: 20.0, to: 4800.0 });
            }
            after.dpi = *dpi;
            after.dpi_assumed = false;
            "resolution".to_owned()
        }
        Command::Touch { touch } => {
            lie_near(sheet, &touch.path)?;
            let path = thinned(&touch.path, THINNED_WITHIN).iter().map(|p| p.snapped()).collect();
            after.by_hand.touches.push(Touch { path, ..touch.clone() });
            after.by_hand.check()?;
            "touch-up".to_owned()
        }
        Command::Invert { effect } => {
            let known = after.by_hand.inverted.iter().position(|e| e == effect);
            match known {
                Some(k) => {
                    after.by_hand.inverted.remove(k);
                }
                None => after.by_hand.inverted.push(*effect),
            }
            "turned the area about".to_owned()
        }
        Command::ClearArea { effect } => {
            after.by_hand.touches.retain(|t| t.effect != *effect);
            after.by_hand.inverted.retain(|e| e != effect);
            "cleared the area".to_owned()
        }
        Command::Protect { at } => {
            lie_near(sheet, &[*at])?;
            let near = px_per_mm(sheet.dpi).max(6.0);
            let known = after.by_hand.protected.iter().position(|p| p.dist(*at) < near);
            match known {
                Some(k) => {
                    after.by_hand.protected.remove(k);
                    "gave a dot up".to_owned()
                }
                None => {
                    after.by_hand.protected.push(at.snapped());
                    after.by_hand.check()?;
                    "protected a dot".to_owned()
                }
            }
        }
        Command::Weigh { lines, adjust } => weigh_lines(&mut after, lines, *adjust)?,
    };
    Ok(Change::between(sheet, &after, label))
}

/// The number of the region at a place; 0: none.
fn region_of(scene: &Scene, at: Pt) -> u32 {
    scene.regions.at(at).map_or(0, |r| r.id)
}

/// Ids without those that were named before.
fn once_each(ids: &[String]) -> impl Iterator<Item = &String> {
    let mut seen = HashSet::new();
    ids.iter().filter(move |id| seen.insert(id.as_str()))
}

/// Puts what is left of a line in its place: the first stretch keeps its number, and all of them its weight.
fn put_in_place(after: &mut Sheet, place: usize, left: Vec<Line>) {
    let old = after.lines.remove(place);
    let weighed = after.reweighed.iter().find(|r| r.line == old.id).cloned();
    for (k, line) in left.into_iter().enumerate() {
        let id = if k == 0 { old.id } else { after.next_id };
        if k > 0 {
            after.next_id += 1;
            after.reweighed.extend(weighed.clone().map(|r| Reweighed { line: id, ..r }));
        }
        after.lines.insert(place + k, Arc::new(Line { id, ..line }));
    }
}

/// Whether an erasure leaves the ink as it is seen.
fn takes_nothing(erasure: &Erasure, ink: &Ink) -> bool {
    let (x0, y0, x1, y1) = erasure.bounds().pixels(ink.alpha.width, ink.alpha.height);
    if x0 >= x1 || y0 >= y1 {
        return true;
    }
    let mut part = ink.alpha.part([x0, y0, x1 - x0, y1 - y0]);
    let before = part.clone();
    erasure.moved(pt(-(x0 as f64), -(y0 as f64))).apply(&mut part);
    part == before
}

/// Traced lines made anew from the ink, less the tails that were cut. Unless `afresh`, what somebody made or changed stays
/// as it is, and what it stands for is not traced again.
fn trace_anew(after: &mut Sheet, lifted: &Ink, afresh: bool) {
    let kept = |l: &Line| if afresh { l.made == Made::Hand } else { l.made != Made::Traced };
    let kept: Vec<Arc<Line>> = after.lines.drain(..).filter(|l| kept(l)).collect();
    if afresh {
        after.erased.clear();
        after.settled.retain(|s| s.how == Verdict::Left);
    }
    let mut ink = Cow::Borrowed(lifted);
    if !after.erased.is_empty() {
        let alpha = &mut ink.to_mut().alpha;
        after.erased.iter().for_each(|e| e.apply(alpha));
    }
    let traced = trace(&ink, &after.recipes.trace, after.dpi, after.next_id);
    after.lines = shared(without_covered(traced, &kept, after.next_id));
    after.next_id += after.lines.len() as u64;
    after.lines.extend(kept);
    after.reweighed.retain(|r| after.lines.iter().any(|l| l.id == r.line));
    after.traced = Some(Box::new(after.tracing()));
}

/// How exactly lines follow a sheet that is squared up, px.
const LED_WITHIN: f64 = 0.05;

/// Lays the sheet out by another recipe and takes everything on it along.
fn lay_out_anew(after: &mut Sheet, intake: &IntakeRecipe) -> Result<(), Error> {
    let [w, h] = after.original;
    let (old, new) = (Layout::of(&after.recipes.intake, w, h)?, Layout::of(intake, w, h)?);
    let map = old.to(&new).ok_or(Error::Mismatch("the sheet cannot be laid out like that"))?;
    (after.width, after.height) = (new.width, new.height);
    after.recipes.intake = intake.clone();
    if map == Homography::IDENTITY {
        return Ok(());
    }
    let go = |p: Pt| map.map(p).snapped();
    // How much larger things are there; on a sheet squared up it differs from place to place.
    let scale = |p: Pt| {
        let (o, x, y) = (map.map(p), map.map(p + pt(1.0, 0.0)), map.map(p + pt(0.0, 1.0)));
        (x - o).cross(y - o).abs().sqrt()
    };
    let turn = |d: Pt, at: Pt| (map.map(at + d) - map.map(at)).unit();
    let knots = |path: &mut Vec<[f64; 3]>| {
        for k in path.iter_mut() {
            let p = pt(k[0], k[1]);
            let q = go(p);
            *k = [q.x, q.y, k[2] * scale(p)];
        }
    };
    for line in &mut after.lines {
        *line = Arc::new(line.mapped(&|p| map.map(p), &scale, &turn, LED_WITHIN));
    }
    after.erased.iter_mut().for_each(|e| *e = e.mapped(go, turn, scale));
    after.reweighed.iter_mut().for_each(|r| knots(&mut r.path));
    after.drops.iter_mut().for_each(|d| d.at = go(d.at));
    after.settled.iter_mut().for_each(|s| s.at = go(s.at));
    let by_hand = |b: &mut ByHand| {
        for t in &mut b.touches {
            t.size = (t.size * scale(t.path[0])).clamp(0.5, 4000.0);
            t.path.iter_mut().for_each(|p| *p = go(*p));
        }
        b.protected.iter_mut().for_each(|p| *p = go(*p));
    };
    by_hand(&mut after.by_hand);
    if let Some(t) = &mut after.traced {
        by_hand(&mut t.inking.by_hand);
    }
    if !after.lies_near() {
        return Err(Error::Mismatch("what was drawn on the sheet would lie too far off it"));
    }
    Ok(())
}

/// Changes the weight of lines, of all if none is named; their pixels follow.
fn weigh_lines(after: &mut Sheet, ids: &[u64], how: Adjust) -> Result<String, Error> {
    let known: HashSet<u64> = after.lines.iter().map(|l| l.id).collect();
    if let Some(id) = ids.iter().find(|id| !known.contains(id)) {
        return Err(Error::NoSuchLine(*id));
    }
    let ids: HashSet<u64> = ids.iter().copied().collect();
    let mut reweighed: HashSet<u64> = after.reweighed.iter().map(|r| r.line).collect();
    let numbers = match how {
        Adjust::Set { width } => [width, 0.0],
        Adjust::Scale { factor } => [factor, 0.0],
        Adjust::Add { by } => [by.abs(), 0.0],
        Adjust::Clamp { least, most } => [least, most],
        Adjust::Calm { amount } => [amount, 0.0],
        Adjust::Taper { length, .. } => [length, 0.0],
    };
    for v in numbers {
        if !(0.0..=4000.0).contains(&v) {
            return Err(Error::Recipe { name: "line weight", value: v, from: 0.0, to: 4000.0 });
        }
    }
    let mut n = 0;
    for line in &mut after.lines {
        if !ids.is_empty() && !ids.contains(&line.id) {
            continue;
        }
        let flat = line.flat(0.2);
        let length = polyline_len(&flat.iter().map(|f| f.p).collect::<Vec<_>>());
        let Form::Centreline { width, .. } = &line.form else {
            continue;
        };
        let new = adjust(width, length, how);
        if new == *width {
            continue;
        }
        let line = Arc::make_mut(line);
        if let Form::Centreline { width, .. } = &mut line.form {
            *width = new;
        }
        n += 1;
        if line.made == Made::Traced {
            line.made = Made::Edited;
        }
        // Bridges and lines by hand are drawn from their geometry anyway.
        if line.made == Made::Edited && reweighed.insert(line.id) {
            let path = flat.iter().map(|f| (f.p.snapped(), f.width)).map(|(p, w)| [p.x, p.y, w]).collect();
            after.reweighed.push(Reweighed { line: line.id, path });
        }
    }
    Ok(counted("weighed", n, "line"))
}

fn counted(what: &str, n: usize, thing: &str) -> String {
    format!("{what} {n} {thing}{}", if n == 1 { "" } else { "s" })
}

fn known(swatches: &[String], swatch: &str) -> Result<(), Error> {
    if swatches.iter().any(|s| s == swatch) { Ok(()) } else { Err(Error::NoSuchSwatch(swatch.to_owned())) }
}

/// Refuses places that are far off the sheet.
fn lie_near(sheet: &Sheet, places: &[Pt]) -> Result<(), Error> {
    let margin = 2000.0;
    let fits = |p: &&Pt| {
        (-margin..=sheet.width as f64 + margin).contains(&p.x)
            && (-margin..=sheet.height as f64 + margin).contains(&p.y)
    };
    match places.iter().find(|p| !fits(p)) {
        Some(p) => Err(Error::OffSheet(p.x, p.y)),
        None => Ok(()),
    }
}

/// Refuses a path that is no stroke on the sheet.
fn on_sheet(sheet: &Sheet, path: &[Pt]) -> Result<(), Error> {
    if path.len() < 2 || path.len() > MOST_POINTS {
        return Err(Error::Mismatch("a stroke needs 2 to 20000 points"));
    }
    lie_near(sheet, path)
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
    let (mut closed, mut left) = (0, 0);
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
                after.settled.push(Settled { kind: f.kind, at: f.at, how: Verdict::Left });
                left += 1;
            }
        }
    }
    let cut = cut_all(after, scene, &tails);
    Ok(match (closed, cut, left) {
        (c, 0, 0) if c > 0 => counted("closed", c, "gap"),
        (0, t, 0) if t > 0 => counted("cut", t, "tail"),
        (0, 0, l) => counted("left", l, "finding"),
        (c, t, l) => counted("settled", c + t + l, "finding"),
    })
}

/// Closes a gap with a bridge or a seam of the same path.
pub fn close(after: &mut Sheet, gap: &Gap, with: CloseWith) {
    let mut line = Line { id: after.next_id, ..gap.bridge.clone() };
    if with == CloseWith::Seam
        && let Form::Centreline { spine, .. } = line.form
    {
        line.form = Form::Seam { spine };
    }
    after.next_id += 1;
    after.lines.push(Arc::new(line));
    let how = if with == CloseWith::Seam { Verdict::Seamed } else { Verdict::Bridged };
    after.settled.push(Settled { kind: Kind::Gap, at: gap.from, how });
}

/// Cuts tails; of a line with tails at both ends both. Gives how many went.
pub fn cut_all(after: &mut Sheet, scene: &Scene, tails: &[&Tail]) -> usize {
    let mut done: Vec<&Tail> = Vec::new();
    let mut gone = 0;
    for &tail in tails {
        // A line already cut at its other end is cut anew from what is left of it.
        let id = scene_line_id(after, scene, tail);
        let Some(place) = id.and_then(|id| after.lines.iter().position(|l| l.id == id)) else {
            continue;
        };
        if done.iter().any(|d| d.line == tail.line) {
            // What is left of it, among all that the tail may cross.
            let near = near_tail(scene, tail);
            let lines: Vec<Arc<Line>> = std::iter::once(&after.lines[place])
                .chain(after.lines.iter().filter(|l| l.id != after.lines[place].id && near.contains(&l.id)))
                .cloned()
                .collect();
            let network = Network::of(&lines);
            let again = tails_up_to(&network, f64::INFINITY);
            let Some(same) = again.iter().find(|t| t.line == 0 && t.tip.dist(tail.tip) < 0.01) else {
                continue;
            };
            gone += apply_cut(after, place, cut_tail(&lines[0], same, &network), tail);
        } else {
            let line = after.lines[place].clone();
            gone += apply_cut(after, place, cut_tail(&line, tail, &scene.network), tail);
        }
        done.push(tail);
    }
    gone
}

fn scene_line_id(after: &Sheet, scene: &Scene, tail: &Tail) -> Option<u64> {
    let id = scene.network.line(tail.line)?.id;
    after.lines.iter().any(|l| l.id == id).then_some(id)
}

/// The ids of the lines that pass near a tail.
fn near_tail(scene: &Scene, tail: &Tail) -> HashSet<u64> {
    let path: Vec<Pt> = tail.path.iter().map(|p| pt(p[0], p[1])).chain([tail.tip]).collect();
    let reach = 2.0 * scene.network.widest() + 4.0;
    let pieces = path.windows(2).flat_map(|w| {
        let half = w[0].dist(w[1]) / 2.0;
        scene.network.near(w[0].lerp(w[1], 0.5), half + reach)
    });
    pieces.filter_map(|p| scene.network.line(p.line as usize)).map(|l| l.id).collect()
}

fn apply_cut(after: &mut Sheet, place: usize, cut: Option<(Option<Line>, Erasure)>, tail: &Tail) -> usize {
    let Some((left, erasure)) = cut else { return 0 };
    match left {
        Some(line) => after.lines[place] = Arc::new(line),
        None => {
            after.lines.remove(place);
        }
    }
    after.erased.push(erasure);
    after.settled.push(Settled { kind: Kind::Tail, at: tail.at, how: Verdict::Cut });
    1
}

/// Whether a stroke passes over what is seen of a tail.
fn sweeps(path: &[Pt], tail: &Tail) -> bool {
    let mut whole: Vec<Pt> = tail.path.iter().map(|p| crate::geom::pt(p[0], p[1])).collect();
    whole.push(tail.tip);
    path.windows(2).any(|s| whole.windows(2).any(|t| segments_cross(s[0], s[1], t[0], t[1]).is_some()))
}

/// A bridge between the lines nearest to two places: from their ends, if those are there, else from their middles.
fn bridge_between(from: Pt, to: Pt, scene: &Scene) -> Result<Line, Error> {
    let network = &scene.network;
    let nearest = |p: Pt| {
        let (_, FlatPoint { p: q, width }) = network
            .nearest(p, SEAM_REACH, |_| true)
            .ok_or(Error::Mismatch("a bridge needs a line near both of its ends"))?;
        // The outline of a solid has no width of its own.
        let width = if width > 0.0 { width } else { 4.0 };
        let end = network.ends().find(|e| e.p.dist(q) < 0.5 * width);
        let density = end.as_ref().map(|e| density_at(e, network, &scene.ink.alpha));
        Ok::<_, Error>((end.map_or((q, None, width), |e| (e.p, Some(e.dir), e.width)), density))
    };
    let (((a, out_a, wa), da), ((b, out_b, wb), db)) = (nearest(from)?, nearest(to)?);
    if a.dist(b) < 0.5 {
        return Err(Error::Mismatch("a bridge needs two different places"));
    }
    let width = if out_a.is_some() && out_b.is_some() { vec![[0.0, wa], [1.0, wb]] } else { vec![[0.0, wa.min(wb)]] };
    Ok(Line {
        id: 0,
        form: Form::Centreline {
            spine: bridge_spine(a, out_a.unwrap_or((b - a).unit()), b, out_b),
            width,
            ends: [End::Round, End::Round],
        },
        made: Made::Bridge,
        swatch: None,
        opacity: bridge_opacity(da, db),
        group: None,
    })
}

/// How far the end of a seam reaches out for a line, px at least.
const SEAM_REACH: f64 = 24.0;

/// How far from a line's middle its span is picked, px.
pub const SPAN_REACH: f64 = 24.0;

/// A smooth seam through a drawn path, its ends carried on to the middle of the nearest line.
pub fn seam_spine(path: &[Pt], scene: &Scene) -> Result<Spine, Error> {
    let mut points: Vec<Pt> = Vec::with_capacity(path.len() + 2);
    for &p in path {
        if points.last().is_none_or(|q| q.dist(p) > 0.5) {
            points.push(p);
        }
    }
    if points.len() < 2 {
        return Err(Error::Mismatch("a seam needs two different points"));
    }
    let mut points = thinned(&points, THINNED_WITHIN);
    if points.len() > MOST_BENDS {
        return Err(Error::Mismatch("the seam wavers too much to be one line"));
    }
    let reach = |p: Pt| scene.network.nearest(p, SEAM_REACH, |_| true).map(|found| found.1.p);
    // A little past the line's middle, so that they surely cross.
    let over = |from: Pt, to: Pt| to + (to - from).unit() * 0.5;
    if let Some(q) = reach(points[0]) {
        points.insert(0, over(points[0], q));
    }
    let last = points[points.len() - 1];
    if let Some(q) = reach(last) {
        points.push(over(last, q));
    }
    let n = points.len();
    let tangents = [(points[1] - points[0]).unit(), (points[n - 2] - points[n - 1]).unit()];
    let spine = fit_curves(&points, tangents, 1.0).into_iter().map(Pt::snapped).collect();
    Ok(Spine { points: spine, closed: false })
}
