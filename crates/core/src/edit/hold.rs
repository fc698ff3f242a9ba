//! Steps: lines taken in hand: moved, copied, put in order, grouped, converted, made one with others.

use super::follow::{follow, led_with};
use super::ground::Ground;
use super::lifted::Lifted;
use super::limits::{MOST_NAMED, counted};
use super::mend::remove;
use super::tidy::tidy;
use crate::draw::{area_of, as_centrelines, as_outline, ended_along, outline_of};
use crate::error::Error;
use crate::geom::area::{Rings, common, united, without};
use crate::geom::homography::Homography;
use crate::geom::{Bounds, Pt, pt};
use crate::model::erasure::Erasure;
use crate::model::line::{End, Form, Line, Made};
use crate::model::order::Order;
use crate::model::piece::Piece;
use crate::model::pixels::bounds_of;
use crate::model::sheet::Sheet;
use rustc_hash::{FxHashMap, FxHashSet};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// Where lines go in the order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Level {
    /// Over the next one that lies over them.
    Up,
    /// Under the next one that lies under them.
    Down,
    Top,
    Bottom,
}

/// What a line becomes.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "form")]
pub enum Becomes {
    /// The edge of its ink.
    Outline,
    /// Its own middle; of a seam with this width, px.
    Centreline { width: f64 },
    /// Its middle without ink.
    Seam,
}

/// How shapes are put together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Together {
    /// All of them as one.
    Fuse,
    /// The first ones less the last.
    Subtract,
    /// What lies in every one of them.
    Intersect,
}

/// Lines taken in hand.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum HoldStep {
    /// Led through an affine map: x' = a x + b y + c, y' = d x + e y + f. `weight`: their width is scaled with them.
    /// `copy`: they stay, and others like them are there.
    Move {
        #[ts(type = "number[]")]
        lines: Vec<u64>,
        map: [f64; 6],
        weight: bool,
        copy: bool,
    },
    /// Lines from elsewhere, so far off.
    Paste { lines: Vec<Line>, by: Pt },
    TakeAway {
        #[ts(type = "number[]")]
        lines: Vec<u64>,
    },
    Order {
        #[ts(type = "number[]")]
        lines: Vec<u64>,
        to: Level,
    },
    /// One group from now on; `apart`: none.
    Group {
        #[ts(type = "number[]")]
        lines: Vec<u64>,
        apart: bool,
    },
    Convert {
        #[ts(type = "number[]")]
        lines: Vec<u64>,
        to: Becomes,
    },
    /// Cuts an end of a line parallel to another one, `gap` px off its ink.
    EndAlong {
        #[ts(type = "number")]
        line: u64,
        at_end: bool,
        #[ts(type = "number")]
        along: u64,
        gap: f64,
    },
    Combine {
        #[ts(type = "number[]")]
        lines: Vec<u64>,
        how: Together,
    },
    /// Others like them, led through affine maps, one for each.
    Spread {
        #[ts(type = "number[]")]
        lines: Vec<u64>,
        maps: Vec<[f64; 6]>,
    },
    /// Opaque shapes of one colour that lie on one another become one, what they hide of others goes, and so do idle seams;
    /// of all lines if none is named. The picture stays.
    Tidy {
        #[ts(type = "number[]")]
        lines: Vec<u64>,
    },
}

/// The most copies that are made at a time.
const MOST_COPIES: usize = 500;

/// No map enlarges or lessens more than this.
const MOST_SCALED: f64 = 1000.0;
/// The most lines that are pasted at a time, and the most points they have.
const MOST_PASTED: usize = 20_000;
const MOST_PASTED_POINTS: usize = 2_000_000;

impl HoldStep {
    /// The ids it names.
    pub(super) fn lines(&self) -> &[u64] {
        match self {
            HoldStep::Move { lines, .. }
            | HoldStep::TakeAway { lines }
            | HoldStep::Order { lines, .. }
            | HoldStep::Group { lines, .. }
            | HoldStep::Convert { lines, .. }
            | HoldStep::Combine { lines, .. }
            | HoldStep::Spread { lines, .. }
            | HoldStep::Tidy { lines } => lines,
            HoldStep::EndAlong { line, .. } => std::slice::from_ref(line),
            HoldStep::Paste { .. } => &[],
        }
    }

    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet, ground: &dyn Ground) -> Result<String, Error> {
        let asked = there(after, self.lines())?;
        let lifted = Lifted::of(&ground.scene().network);
        let n = asked.len();
        Ok(match self {
            HoldStep::Move { map, weight, copy, .. } => {
                if *copy {
                    spread(after, &lifted, ground, &asked, std::slice::from_ref(map), *weight)?;
                } else {
                    moved(after, &lifted, ground, &asked, *map, *weight)?;
                }
                counted(if *copy { "copied" } else { "moved" }, n, "line")
            }
            HoldStep::Paste { lines, by } => {
                pasted(after, lines, *by, ground.swatches())?;
                counted("pasted", lines.len(), "line")
            }
            HoldStep::TakeAway { .. } => {
                remove(after, &lifted, &asked);
                counted("took away", n, "line")
            }
            HoldStep::Order { to, .. } => {
                lifted.draw(after, &asked);
                put_in_order(after, &asked, *to)?;
                counted("reordered", n, "line")
            }
            HoldStep::Group { apart, .. } => {
                let group = (!apart).then(|| after.fresh_id());
                for line in after.lines.iter_mut().filter(|l| asked.contains(&l.id)) {
                    Arc::make_mut(line).group = group;
                }
                counted(if *apart { "ungrouped" } else { "grouped" }, n, "line")
            }
            HoldStep::Convert { lines, to } => {
                let done = lines.iter().filter(|id| converted(after, &lifted, **id, *to)).count();
                if done == 0 {
                    return Err(Error::Mismatch("none of these lines can become that"));
                }
                counted("converted", done, "line")
            }
            HoldStep::EndAlong { line, at_end, along, gap } => {
                if !(0.0..=1000.0).contains(gap) {
                    return Err(Error::Recipe { name: "gap", value: *gap, from: 0.0, to: 1000.0 });
                }
                let at = |id: u64| after.lines.iter().position(|l| l.id == id).ok_or(Error::NoSuchLine(id));
                let (k, other) = (at(*line)?, at(*along)?);
                if k == other {
                    return Err(Error::Mismatch("a line does not end along itself"));
                }
                let new = ended_along(&after.lines[k], *at_end, &after.lines[other], *gap);
                let new = new.ok_or(Error::Mismatch("that end does not come near the other line"))?;
                // Its ink is cut as the curve is.
                lifted.draw(after, &asked);
                let made = after.lines[k].made;
                after.lines[k] = Arc::new(Line { made, ..new });
                "ended a line along another".to_owned()
            }
            HoldStep::Spread { maps, .. } => {
                if maps.is_empty() || maps.len() > MOST_COPIES || n * maps.len() > MOST_PASTED {
                    return Err(Error::Mismatch("up to 500 copies are made at a time, of 20000 lines in all"));
                }
                spread(after, &lifted, ground, &asked, maps, true)?;
                counted("made", maps.len(), if maps.len() == 1 { "copy" } else { "copie" })
            }
            HoldStep::Tidy { .. } => {
                let done = tidy(after, ground.scene(), |l| asked.is_empty() || asked.contains(&l.id));
                done.told().ok_or(Error::Mismatch("there is nothing to tidy"))?
            }
            HoldStep::Combine { lines, how } => {
                combined(after, &lifted, lines, *how)?;
                let label = match how {
                    Together::Fuse => "fused",
                    Together::Subtract => "subtracted",
                    Together::Intersect => "intersected",
                };
                counted(label, n, "shape")
            }
        })
    }
}

/// Lines that are named. Errors: one is not there, or none is named where some must be.
fn there(sheet: &Sheet, ids: &[u64]) -> Result<FxHashSet<u64>, Error> {
    let asked: FxHashSet<u64> = ids.iter().copied().collect();
    let found: FxHashSet<u64> = sheet.lines.iter().map(|l| l.id).filter(|id| asked.contains(id)).collect();
    match asked.iter().find(|id| !found.contains(id)) {
        Some(id) => Err(Error::NoSuchLine(*id)),
        None => Ok(asked),
    }
}

fn is_near(line: &Line) -> bool {
    let b = bounds_of(line);
    let is_seam = line.is_seam();
    let b = if is_seam { line.bounds() } else { b };
    [b.min, b.max].iter().all(|p| p.x.abs() < 1e5 && p.y.abs() < 1e5)
}

/// Lines led through a map. `weight`: their width is scaled with them. Errors: they would be too small, too large, or lie
/// far off.
fn led(lines: &[Arc<Line>], map: [f64; 6], weight: bool) -> Result<Vec<Line>, Error> {
    let [a, b, _, d, e, _] = map;
    let scale = (a * e - b * d).abs().sqrt();
    if map.iter().any(|v| !v.is_finite()) || !(1.0 / MOST_SCALED..=MOST_SCALED).contains(&scale) {
        return Err(Error::Mismatch("what is in hand would be too small or too large to be seen"));
    }
    let way = Homography::affine(map);
    let go = |p: Pt| way.map(p);
    let turn = |d0: Pt, _: Pt| pt(a * d0.x + b * d0.y, d * d0.x + e * d0.y).unit();
    let width = if weight { scale } else { 1.0 };
    let new: Vec<Line> = lines.iter().map(|l| l.mapped(&go, &|_| width, &turn, 0.05)).collect();
    if new.iter().all(is_near) { Ok(new) } else { Err(Error::Mismatch("what is in hand would lie far off the sheet")) }
}

/// Of lines those that are led with their own pixels: lifted ones, unless their weight is to stay while they grow or shrink,
/// or was changed already.
fn with_pixels(sheet: &Sheet, lines: &[Arc<Line>], map: [f64; 6], weight: bool) -> FxHashSet<u64> {
    let keeps_pixels = weight || is_rigid(map);
    let is_weighed = |l: &Line| sheet.reweighed.iter().any(|r| r.line == l.id);
    let whole = |l: &&Arc<Line>| keeps_pixels && !l.is_drawn() && !l.is_seam() && !is_weighed(l);
    lines.iter().filter(whole).map(|l| l.id).collect()
}

fn named(sheet: &Sheet, ids: &FxHashSet<u64>) -> Vec<Arc<Line>> {
    sheet.lines.iter().filter(|l| ids.contains(&l.id)).cloned().collect()
}

/// Leads lines through a map, lifted ones with their own pixels where those can follow.
fn moved(
    after: &mut Sheet,
    lifted: &Lifted,
    ground: &dyn Ground,
    asked: &FxHashSet<u64>,
    map: [f64; 6],
    weight: bool,
) -> Result<(), Error> {
    let mine = named(after, asked);
    let mut new = led(&mine, map, weight)?.into_iter();
    // What lies at two of them goes once.
    let were: Vec<_> = mine.iter().map(|l| led_with(l, |p| Homography::affine(map).map(p))).collect();
    follow(after, |p| were.iter().find_map(|go| go(p)));
    let pieces = with_pixels(after, &mine, map, weight);
    let piece = match pieces.is_empty() {
        true => None,
        false => lifted.lift(after, ground.lifted()?, &pieces),
    };
    lifted.draw(after, &asked.difference(&pieces).copied().collect());
    for line in after.lines.iter_mut().filter(|l| asked.contains(&l.id)) {
        let made = if pieces.contains(&line.id) { Made::Edited } else { line.made };
        if let Some(led) = new.next() {
            *line = Arc::new(Line { made, ..led });
        }
    }
    if let Some((piece, lines)) = piece {
        after.erase(Erasure::Piece { piece: piece.led(map), lines });
    }
    Ok(())
}

/// Puts others like some lines on top, led through maps.
fn spread(
    after: &mut Sheet,
    lifted: &Lifted,
    ground: &dyn Ground,
    asked: &FxHashSet<u64>,
    maps: &[[f64; 6]],
    weight: bool,
) -> Result<(), Error> {
    let mine = named(after, asked);
    let mut piece: Option<Piece> = None;
    for map in maps {
        let pieces = with_pixels(after, &mine, *map, weight);
        if !pieces.is_empty() && piece.is_none() {
            piece = lifted.copy_of(after, ground.lifted()?, &pieces);
        }
        let (mut groups, mut ids) = (FxHashMap::default(), Vec::new());
        for line in led(&mine, *map, weight)? {
            let group = line.group.map(|g| *groups.entry(g).or_insert_with(|| after.fresh_id()));
            let is_piece = pieces.contains(&line.id);
            if is_piece {
                ids.push(after.next_id);
            }
            after.draw(Line { made: if is_piece { Made::Edited } else { Made::Hand }, group, ..line });
        }
        if let Some(piece) = piece.as_ref().filter(|_| !ids.is_empty()) {
            after.erase(Erasure::Piece { piece: piece.led(*map), lines: ids });
        }
    }
    Ok(())
}

/// Whether a map leaves all as large as it is: lines keep their weight then by themselves.
fn is_rigid([a, b, _, d, e, _]: [f64; 6]) -> bool {
    let is_one = |v: f64| (v - 1.0).abs() < 1e-6;
    is_one(a * a + d * d) && is_one(b * b + e * e) && (a * b + d * e).abs() < 1e-6
}

fn pasted(after: &mut Sheet, lines: &[Line], by: Pt, swatches: &[String]) -> Result<(), Error> {
    let points = |l: &Line| match &l.form {
        Form::Outline { contours } => contours.iter().map(|c| c.points.len()).sum(),
        Form::Centreline { spine, width, .. } => spine.points.len() + width.len(),
        Form::Seam { spine } => spine.points.len(),
    };
    if lines.is_empty()
        || lines.len() > MOST_PASTED.min(MOST_NAMED)
        || lines.iter().map(points).sum::<usize>() > MOST_PASTED_POINTS
    {
        return Err(Error::Mismatch("1 to 20000 lines are pasted at a time"));
    }
    let mut groups: FxHashMap<u64, u64> = FxHashMap::default();
    for line in lines {
        let line = line.clone().moved(by);
        if !line.is_sound() || !is_near(&line) {
            return Err(Error::Mismatch("a line that is pasted is none"));
        }
        // What is not in this shot's colour model has the ink's colour.
        let swatch = line.swatch.clone().filter(|s| swatches.contains(s));
        let group = line.group.map(|g| *groups.entry(g).or_insert_with(|| after.fresh_id()));
        after.draw(Line { made: Made::Hand, swatch, group, ..line });
    }
    Ok(())
}

fn put_in_order(after: &mut Sheet, asked: &FxHashSet<u64>, to: Level) -> Result<(), Error> {
    let (mine, rest): (Vec<Arc<Line>>, Vec<Arc<Line>>) =
        after.lines.iter().cloned().partition(|l| asked.contains(&l.id));
    if mine.is_empty() {
        return Err(Error::Mismatch("nothing is in hand"));
    }
    let boxes: Vec<Bounds> = mine.iter().map(|l| bounds_of(l)).collect();
    let overlaps = |l: &&Arc<Line>| boxes.iter().any(|b| b.touches(&bounds_of(l)));
    let (lowest, topmost) = (&mine[0].order, &mine[mine.len() - 1].order);
    // How many of the others lie under them then.
    let under = match to {
        Level::Top => rest.len(),
        Level::Bottom => 0,
        Level::Up => {
            let above = rest.partition_point(|l| l.order < *topmost);
            let next = rest[above..].iter().position(|l| overlaps(&l));
            above + next.map_or(rest.len() - above, |k| k + 1)
        }
        Level::Down => {
            let below = rest.partition_point(|l| l.order < *lowest);
            rest[..below].iter().rposition(|l| overlaps(&l)).unwrap_or(0)
        }
    };
    let low = under.checked_sub(1).map(|k| rest[k].order.clone());
    let high = rest.get(under).map(|l| l.order.clone());
    let orders = Order::spread(mine.len(), low.as_ref(), high.as_ref());
    let mut lines = rest;
    lines.splice(under..under, mine.into_iter().zip(orders).map(|(l, order)| Arc::new(Line { order, ..(*l).clone() })));
    after.lines = lines;
    Ok(())
}

/// Converts a line; whether it could be.
fn converted(after: &mut Sheet, lifted: &Lifted, id: u64, to: Becomes) -> bool {
    let Some(place) = after.lines.iter().position(|l| l.id == id) else { return false };
    let line = after.lines[place].clone();
    let only: FxHashSet<u64> = [id].into_iter().collect();
    let forms: Vec<Form> = match (&line.form, to) {
        (Form::Centreline { .. }, Becomes::Outline) => as_outline(&line).into_iter().collect(),
        (Form::Outline { .. }, Becomes::Centreline { .. }) => as_centrelines(&line),
        (Form::Seam { spine }, Becomes::Centreline { width }) if (0.1..=1000.0).contains(&width) => {
            vec![Form::Centreline { spine: spine.clone(), width: vec![[0.0, width]], ends: [End::Round; 2] }]
        }
        (Form::Centreline { spine, .. }, Becomes::Seam) => vec![Form::Seam { spine: spine.clone() }],
        _ => Vec::new(),
    };
    if forms.is_empty() {
        return false;
    }
    lifted.draw(after, &only);
    let group = if forms.len() > 1 { Some(after.fresh_id()) } else { line.group };
    let left = forms.into_iter().map(|form| Line { form, made: Made::Hand, group, ..(*line).clone() }).collect();
    super::join::put_in_place(after, place, left);
    true
}

fn combined(after: &mut Sheet, lifted: &Lifted, ids: &[u64], how: Together) -> Result<(), Error> {
    let line = |id: &u64| after.lines.iter().find(|l| l.id == *id).cloned();
    let lines: Vec<Arc<Line>> = ids.iter().filter_map(line).collect();
    let areas: Vec<Rings> = lines.iter().map(|l| area_of(l)).collect();
    if lines.len() < 2 || areas.iter().any(Vec::is_empty) {
        return Err(Error::Mismatch("two or more lines with ink are needed"));
    }
    let all = |list: &[Rings]| list.iter().fold(Rings::new(), |all, a| united(&all, a).concat());
    let (last, first) = (&areas[areas.len() - 1], &areas[..areas.len() - 1]);
    let asked: FxHashSet<u64> = ids.iter().copied().collect();
    lifted.draw(after, &asked);
    if how == Together::Subtract {
        let cutter = lines[lines.len() - 1].id;
        for (line, area) in lines.iter().zip(first) {
            let left = without(area, last);
            if common(area, last).is_empty() {
                continue;
            }
            let form = outline_of(&left);
            put_form(after, line.id, form);
        }
        after.lines.retain(|l| l.id != cutter);
        return Ok(());
    }
    let whole = match how {
        Together::Fuse => united(&all(first), last),
        _ => areas[1..].iter().fold(vec![areas[0].clone()], |met, a| common(&met.concat(), a)),
    };
    let form = outline_of(&whole).ok_or(Error::Mismatch("these shapes have nothing in common"))?;
    // The topmost one becomes it, the others go into it.
    let topmost = lines.iter().max_by(|a, b| a.order.cmp(&b.order)).map_or(0, |l| l.id);
    after.lines.retain(|l| l.id == topmost || !asked.contains(&l.id));
    put_form(after, topmost, Some(form));
    Ok(())
}

/// Gives a line another form; without one it goes.
fn put_form(after: &mut Sheet, id: u64, form: Option<Form>) {
    let Some(place) = after.lines.iter().position(|l| l.id == id) else { return };
    match form {
        Some(form) => Arc::make_mut(&mut after.lines[place]).form = form,
        None => {
            after.lines.remove(place);
        }
    }
}
