//! Steps: paint put into regions and taken out; colours of lines.

use super::ground::Ground;
use super::join::{SPAN_REACH, put_in_place};
use super::limits::counted;
use super::toned::{self, Model};
use crate::error::Error;
use crate::geom::Pt;
use crate::join::{parted_at_span, span_at};
use crate::model::line::{Line, Made};
use crate::model::numbered::Numbered;
use crate::model::paint::{CarriedDrop, Drop, Like, parted, toned as toned_name};
use crate::model::sheet::Sheet;
use crate::model::verdict::{Kind, Settled, Verdict};
use crate::scene::Scene;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use std::sync::Arc;
use ts_rs::TS;

/// Paint put into regions and taken out.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum PaintStep {
    /// Fills the regions at these places.
    Fill { at: Vec<Pt>, swatch: String },
    /// Fills every region that has no paint.
    FillEmpties { swatch: String },
    /// Takes the paint out of the regions at these places.
    Clear { at: Vec<Pt> },
    /// Puts one swatch in the place of another all over the drawing, tones by like tones, lines too; without one regions are
    /// emptied and lines take the ink's colour. Of a tone: just that.
    Replace { swatch: String, by: Option<String> },
    /// Paints regions as their counterparts in another drawing are, in the place of all that was carried before. What
    /// somebody has painted stays, and is told where it is unlike.
    Carry { drawing: String, drops: Vec<CarriedDrop> },
    /// Parts the regions that a stroke goes across by a seam; the smaller side of them, or the larger, takes a tone.
    ToneCut {
        path: Vec<Pt>,
        tone: String,
        #[serde(default)]
        larger: bool,
    },
    /// Shades all painted regions that have a tone away from the light: degrees from x to y towards it, and a depth in mm.
    Shade { light: f64, depth: f64, tone: String },
    /// Paints empty regions under an area, mm², as what they border on most.
    FillSpecks { under: f64 },
    /// Gives all lines that bound a swatch a colour; none: the ink's.
    ColourBounding { bounds: String, swatch: Option<String> },
    /// Gives all lines that have no colour of their own a tone of what they bound.
    ToneLines { tone: String },
    /// Gives the span at a place the colour of a swatch; without one, the ink's. Its line is parted there.
    ColourSpan { at: Pt, swatch: Option<String> },
    /// Gives lines the colour of a swatch; without one, the ink's.
    ColourLines {
        #[ts(type = "number[]")]
        lines: Vec<u64>,
        swatch: Option<String>,
    },
}

/// The most swatches that are told of what is carried, and the longest name of a drawing.
const MOST_SWATCHES: usize = 4;
const LONGEST_NAME: usize = 200;

impl PaintStep {
    /// How many places it names.
    pub(super) fn named(&self) -> usize {
        match self {
            PaintStep::Fill { at, .. } | PaintStep::Clear { at } => at.len(),
            PaintStep::ColourLines { lines, .. } => lines.len(),
            PaintStep::Carry { drops, .. } => drops.len(),
            PaintStep::ToneCut { path, .. } => path.len(),
            PaintStep::FillEmpties { .. }
            | PaintStep::Replace { .. }
            | PaintStep::Shade { .. }
            | PaintStep::FillSpecks { .. }
            | PaintStep::ColourBounding { .. }
            | PaintStep::ColourSpan { .. }
            | PaintStep::ToneLines { .. } => 0,
        }
    }

    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet, ground: &dyn Ground) -> Result<String, Error> {
        let scene = ground.scene();
        Ok(match self {
            PaintStep::Fill { at, swatch } => {
                known(ground.swatches(), swatch)?;
                let mut had: FxHashMap<u32, Vec<&Numbered<Drop>>> = FxHashMap::default();
                for drop in &after.drops {
                    had.entry(region_of(scene, drop.at)).or_default().push(drop);
                }
                let mut new = Vec::new();
                let mut filled = HashSet::new();
                for &p in at {
                    let region = scene.regions.at(p).ok_or(Error::NoRegion(p.x, p.y))?;
                    let is_as_asked = matches!(had.get(&region.id).map(Vec::as_slice), Some([d]) if d.swatch == *swatch && d.like.is_none());
                    if !is_as_asked && filled.insert(region.id) {
                        new.push(Drop::by_hand(region.seed, swatch));
                    }
                }
                after.drops.retain(|d| !filled.contains(&region_of(scene, d.at)));
                new.into_iter().for_each(|drop| after.drop_paint(drop));
                counted("filled", filled.len(), "region")
            }
            PaintStep::FillEmpties { swatch } => {
                known(ground.swatches(), swatch)?;
                let empty = scene.regions.iter().filter(|r| scene.fill(r.id).is_none());
                let new: Vec<Drop> = empty.map(|r| Drop::by_hand(r.seed, swatch)).collect();
                let label = counted("filled", new.len(), "empty region");
                new.into_iter().for_each(|drop| after.drop_paint(drop));
                label
            }
            PaintStep::Clear { at } => {
                let region = |p: &Pt| scene.regions.at(*p).map(|r| r.id).ok_or(Error::NoRegion(p.x, p.y));
                let asked = at.iter().map(region).collect::<Result<HashSet<u32>, _>>()?;
                after.drops.retain(|d| !asked.contains(&region_of(scene, d.at)));
                counted("cleared", asked.len(), "region")
            }
            PaintStep::Replace { swatch, by } => {
                by.iter().try_for_each(|s| known(ground.swatches(), s))?;
                let is_of = |paint: &str| paint == swatch || parted(paint).0 == swatch;
                let new = |paint: &str| {
                    let by = by.as_ref()?;
                    let in_tone = parted(paint).1.filter(|_| paint != swatch).map(|tone| toned_name(by, tone));
                    Some(in_tone.filter(|t| ground.swatches().contains(t)).unwrap_or_else(|| by.clone()))
                };
                let mut regions = HashSet::new();
                for drop in after.drops.iter_mut().filter(|d| is_of(&d.swatch)) {
                    regions.insert(region_of(scene, drop.at));
                    if let Some(new) = new(&drop.swatch) {
                        drop.it = Drop::by_hand(drop.at, new);
                    }
                }
                if by.is_none() {
                    after.drops.retain(|d| !is_of(&d.swatch));
                }
                let mut lines = 0;
                for line in after.lines.iter_mut().filter(|l| l.swatch.as_deref().is_some_and(is_of)) {
                    let line = Arc::make_mut(line);
                    line.swatch = line.swatch.as_deref().and_then(new);
                    lines += 1;
                }
                let label = counted(if by.is_some() { "replaced in" } else { "emptied" }, regions.len(), "region");
                if lines > 0 { format!("{label}, {}", counted("recoloured", lines, "line")) } else { label }
            }
            PaintStep::ToneCut { path, tone, larger } => {
                toned::cut(after, scene, &Model(ground.swatches()), path, (tone, *larger))?
            }
            PaintStep::Shade { light, depth, tone } => {
                toned::shade(after, scene, &Model(ground.swatches()), (*light, *depth), tone)?
            }
            PaintStep::FillSpecks { under } => toned::fill_specks(after, scene, *under)?,
            PaintStep::ColourBounding { bounds, swatch } => {
                swatch.iter().try_for_each(|s| known(ground.swatches(), s))?;
                toned::colour_bounding(after, scene, bounds, swatch.as_deref())?
            }
            PaintStep::ToneLines { tone } => toned::tone_lines(after, scene, &Model(ground.swatches()), tone)?,
            PaintStep::Carry { drawing, drops } => carry(after, ground, drawing, drops)?,
            PaintStep::ColourSpan { at, swatch } => {
                swatch.iter().try_for_each(|s| known(ground.swatches(), s))?;
                colour_span(after, scene, *at, swatch.as_deref())?
            }
            PaintStep::ColourLines { lines, swatch } => {
                swatch.iter().try_for_each(|s| known(ground.swatches(), s))?;
                let asked: HashSet<u64> = lines.iter().copied().collect();
                let there = after.lines.iter().filter(|l| asked.contains(&l.id)).count();
                if there < asked.len() {
                    let is_there = |id: &&u64| after.lines.iter().any(|l| l.id == **id);
                    return Err(Error::NoSuchLine(*asked.iter().find(|id| !is_there(id)).unwrap_or(&0)));
                }
                let others = |l: &&mut Arc<Line>| asked.contains(&l.id) && !l.is_seam() && l.swatch != *swatch;
                let mut n = 0;
                for line in after.lines.iter_mut().filter(others) {
                    toned::colour(line, swatch.clone());
                    n += 1;
                }
                counted("coloured", n, "line")
            }
        })
    }
}

fn colour_span(after: &mut Sheet, scene: &Scene, at: Pt, swatch: Option<&str>) -> Result<String, Error> {
    let none = Error::Mismatch("there is no line there");
    let span = span_at(&scene.network, at, SPAN_REACH).ok_or(none.clone())?;
    let id = scene.network.line(span.line).map(|l| l.id);
    let place = after.lines.iter().position(|l| Some(l.id) == id && !l.is_seam()).ok_or(none)?;
    if after.lines[place].swatch.as_deref() == swatch {
        return Ok("coloured a span".to_owned());
    }
    match parted_at_span(&after.lines[place], &span) {
        None => toned::colour(&mut after.lines[place], swatch.map(str::to_owned)),
        Some(mut parts) => {
            if after.lines[place].made == Made::Traced {
                parts.iter_mut().for_each(|p| p.made = Made::Edited);
            }
            if let Some(part) = parts.last_mut() {
                part.swatch = swatch.map(str::to_owned);
            }
            put_in_place(after, place, parts);
        }
    }
    Ok("coloured a span".to_owned())
}

fn carry(after: &mut Sheet, ground: &dyn Ground, drawing: &str, drops: &[CarriedDrop]) -> Result<String, Error> {
    let scene = ground.scene();
    if drawing.len() > LONGEST_NAME {
        return Err(Error::Mismatch("the name of a drawing has up to 200 bytes"));
    }
    let mut told: FxHashMap<u32, (Pt, Like)> = FxHashMap::default();
    for drop in drops {
        if drop.swatches.len() > MOST_SWATCHES {
            return Err(Error::Mismatch("what is carried has up to four swatches"));
        }
        if !(0.0..=1.0).contains(&drop.confidence) {
            return Err(Error::Mismatch("a confidence lies between 0 and 1"));
        }
        drop.swatches.iter().try_for_each(|s| known(ground.swatches(), s))?;
        let region = scene.regions.at(drop.at).ok_or(Error::NoRegion(drop.at.x, drop.at.y))?;
        let like = Like {
            drawing: drawing.to_owned(),
            swatches: drop.swatches.clone(),
            confidence: drop.confidence,
            doubtful: drop.doubtful,
            carried: true,
        };
        told.insert(region.id, (region.seed, like));
    }
    let mut by_hand: HashSet<u32> = HashSet::new();
    for drop in after.drops.iter_mut().filter(|d| !d.is_carried()) {
        let region = region_of(scene, drop.at);
        by_hand.insert(region);
        let unlike = told.get(&region).filter(|(_, l)| l.swatches.first().is_some_and(|s| *s != drop.swatch));
        drop.like = unlike.map(|(_, like)| Box::new(Like { carried: false, ..like.clone() }));
    }
    // What is told as it was stays the same drop.
    let mut kept: HashSet<u32> = HashSet::new();
    after.drops.retain(|d| {
        let region = region_of(scene, d.at);
        let is_as_told = || told.get(&region).is_some_and(|(_, like)| d.like.as_deref() == Some(like));
        !d.is_carried() || (!by_hand.contains(&region) && is_as_told() && kept.insert(region))
    });
    let mut new: Vec<(u32, Pt, Like)> = told
        .into_iter()
        .filter(|(region, _)| !by_hand.contains(region) && !kept.contains(region))
        .map(|(region, (at, like))| (region, at, like))
        .collect();
    new.sort_by_key(|n| n.0);
    let doubtful = new.iter().filter(|n| n.2.doubtful).count();
    let painted = new.iter().filter(|n| !n.2.swatches.is_empty()).count();
    let label = counted("carried", painted, "region");
    for (_, at, like) in new {
        if let Some(swatch) = like.swatches.first().cloned() {
            after.drop_paint(Drop { at, swatch, like: Some(Box::new(like)) });
        } else if scene.findings.iter().any(|f| f.at == at && f.kind == Kind::Unpainted && !f.left) {
            after.settle(Settled { kind: Kind::Unpainted, at, how: Verdict::Left });
        }
    }
    let doubts = if doubtful > 0 { format!(", {doubtful} doubtful") } else { String::new() };
    Ok(format!("{label} from {drawing}{doubts}"))
}

/// The number of the region at a place; 0: none.
fn region_of(scene: &Scene, at: Pt) -> u32 {
    scene.regions.at(at).map_or(0, |r| r.id)
}

/// Refuses a swatch that is not in the shot's colour model.
pub(super) fn known(swatches: &[String], swatch: &str) -> Result<(), Error> {
    if swatches.iter().any(|s| s == swatch) { Ok(()) } else { Err(Error::NoSuchSwatch(swatch.to_owned())) }
}
