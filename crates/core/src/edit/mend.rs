//! Steps: lines mended by hand: redrawn, calmed, pressed, bent, erased.

use super::ground::Ground;
use super::join::{put_in_place, settle_ends};
use super::lifted::Lifted;
use super::limits::{MOST_POINTS, counted, lie_near, on_sheet};
use crate::draw::{Gives, Pen, Reshaped, Rub, Sample, Way, bent, calmed, nearness, pressed, redrawn, reshaped, shaped};
use crate::error::Error;
use crate::geom::area::{Rings, common, inked, swept};
use crate::geom::flat::FlatPoint;
use crate::geom::{Bounds, Pt, needed, pt};
use crate::join::{erase, span_at, take_span};
use crate::model::line::{Form, Line, Made};
use crate::model::reweighed::Reweighed;
use crate::model::sheet::Sheet;
use crate::region::network::Network;
use rustc_hash::FxHashSet;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// What an eraser takes of what it passes over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Takes {
    /// Exactly that.
    #[default]
    Exactly,
    /// Each line up to its next crossings.
    Spans,
    /// Whole lines.
    Lines,
}

/// Lines mended by hand. `lines`: the ids of those that are meant; of all if none is named.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "do")]
pub enum MendStep {
    /// A stroke takes the place of the stretch it begins and ends on.
    Redraw {
        samples: Vec<Sample>,
        pen: Pen,
        gives: Gives,
        #[ts(type = "number[]")]
        lines: Vec<u64>,
    },
    /// Smooths lines where they are rubbed. `strength`: of one pass, 0 to 4.
    Calm {
        path: Vec<Pt>,
        radius: f64,
        strength: f64,
        #[ts(type = "number[]")]
        lines: Vec<u64>,
    },
    /// Makes lines thicker where they are rubbed, thinner if `strength` is below 0.
    Press {
        path: Vec<Pt>,
        radius: f64,
        strength: f64,
        #[ts(type = "number[]")]
        lines: Vec<u64>,
    },
    /// Takes a line at a place elsewhere; up to `reach` px along it go with that.
    Bend {
        #[ts(type = "number")]
        line: u64,
        from: Pt,
        to: Pt,
        reach: f64,
    },
    /// Leads a line, or ring `ring` of an outline, through other curves: its points and handles as somebody set them.
    Reshape {
        #[ts(type = "number")]
        line: u64,
        ring: usize,
        points: Vec<Pt>,
    },
    /// Takes off what a pen passes over.
    Erase {
        samples: Vec<Sample>,
        pen: Pen,
        takes: Takes,
        #[ts(type = "number[]")]
        lines: Vec<u64>,
    },
}

/// How far from a stroke's end, in px of the screen, the line lies that it redraws, besides half of its width.
const NEAR: f64 = 14.0;

fn ranged(name: &'static str, value: f64, from: f64, to: f64) -> Result<(), Error> {
    if (from..=to).contains(&value) { Ok(()) } else { Err(Error::Recipe { name, value, from, to }) }
}

/// Of some lines, or all if none is named. Errors: one is not there.
fn those(sheet: &Sheet, ids: &[u64]) -> Result<impl Fn(&Line) -> bool + use<>, Error> {
    let asked: FxHashSet<u64> = ids.iter().copied().collect();
    let there: FxHashSet<u64> = sheet.lines.iter().map(|l| l.id).filter(|id| asked.contains(id)).collect();
    match asked.iter().find(|id| !there.contains(id)) {
        Some(id) => Err(Error::NoSuchLine(*id)),
        None => Ok(move |line: &Line| asked.is_empty() || asked.contains(&line.id)),
    }
}

impl MendStep {
    /// The ids it names.
    pub(super) fn named(&self) -> usize {
        match self {
            MendStep::Redraw { lines, .. }
            | MendStep::Calm { lines, .. }
            | MendStep::Press { lines, .. }
            | MendStep::Erase { lines, .. } => lines.len(),
            MendStep::Bend { .. } | MendStep::Reshape { .. } => 1,
        }
    }

    /// Where it looks for lines.
    pub(super) fn places(&self) -> Bounds {
        match self {
            MendStep::Redraw { samples, pen, .. } | MendStep::Erase { samples, pen, .. } => {
                let reach = NEAR * pen.grain + pen.width * (1.0 + pen.tilt);
                Bounds::of(&samples.iter().map(|s| pt(s.0, s.1)).collect::<Vec<_>>()).grown(reach)
            }
            MendStep::Calm { path, radius, .. } | MendStep::Press { path, radius, .. } => {
                Bounds::of(path).grown(*radius)
            }
            MendStep::Bend { from, to, .. } => Bounds::of([from, to]),
            MendStep::Reshape { points, .. } => Bounds::of(points),
        }
    }

    /// Does it to a sheet; gives its label.
    pub(super) fn plan(&self, after: &mut Sheet, ground: &dyn Ground) -> Result<String, Error> {
        let scene = ground.scene();
        let lifted = Lifted::of(&scene.network);
        match self {
            MendStep::Redraw { samples, pen, gives, lines } => {
                let way = pens_way(after, samples, pen)?;
                let is_meant = those(after, lines)?;
                let reach = NEAR * pen.grain;
                let bounds = Bounds::of(&way.places());
                let widest = |l: &Line| match &l.form {
                    Form::Centreline { width, .. } => width.iter().map(|k| k[1]).fold(0.0, f64::max),
                    _ => 0.0,
                };
                let mut near: Vec<(f64, usize)> = (0..after.lines.len())
                    .filter(|&n| {
                        is_meant(&after.lines[n])
                            && after.lines[n].bounds().grown(reach + 0.5 * widest(&after.lines[n])).touches(&bounds)
                    })
                    .map(|n| (nearness(&after.lines[n], &way), n))
                    .collect();
                near.sort_by(|a, b| a.0.total_cmp(&b.0));
                let new = near.into_iter().take(24).find_map(|(_, n)| {
                    let line = &after.lines[n];
                    Some((n, redrawn(line, &way, reach + 0.5 * widest(line), *gives)?))
                });
                let (n, new) = new.ok_or(Error::Mismatch("a stroke that redraws a line begins or ends on it"))?;
                if *gives == Gives::Width {
                    weigh(after, n, new.line);
                } else {
                    lifted.put(after, n, new);
                }
                Ok("redrew a line".to_owned())
            }
            MendStep::Calm { path, radius, strength, lines } => {
                ranged("strength", *strength, 0.0, 4.0)?;
                let rub = rub(after, path, *radius)?;
                let is_meant = those(after, lines)?;
                let calm = |l: &Arc<Line>| is_meant(l).then(|| calmed(l, &rub, *strength)).flatten();
                let new: Vec<(usize, Reshaped)> =
                    after.lines.iter().enumerate().filter_map(|(n, l)| Some((n, calm(l)?))).collect();
                if new.is_empty() {
                    return Err(Error::Mismatch("no line was rubbed that is not calm already"));
                }
                let label = counted("calmed", new.len(), "line");
                new.into_iter().for_each(|(n, new)| lifted.put(after, n, new));
                Ok(label)
            }
            MendStep::Press { path, radius, strength, lines } => {
                ranged("strength", *strength, -4.0, 4.0)?;
                let rub = rub(after, path, *radius)?;
                let is_meant = those(after, lines)?;
                let press = |l: &Arc<Line>| is_meant(l).then(|| pressed(l, &rub, *strength)).flatten();
                let new: Vec<(usize, Line)> =
                    after.lines.iter().enumerate().filter_map(|(n, l)| Some((n, press(l)?))).collect();
                if new.is_empty() {
                    return Err(Error::Mismatch("no line with a width was rubbed"));
                }
                let label = counted("pressed", new.len(), "line");
                new.into_iter().for_each(|(n, new)| weigh(after, n, new));
                Ok(label)
            }
            MendStep::Bend { line, from, to, reach } => {
                ranged("reach", *reach, 1.0, 1e6)?;
                lie_near(after, &[*from, *to])?;
                let n = after.lines.iter().position(|l| l.id == *line).ok_or(Error::NoSuchLine(*line))?;
                let new = bent(&after.lines[n], *from, *to, *reach).ok_or(Error::Mismatch("nothing is bent"))?;
                lie_near(after, &new.came.iter().map(|k| pt(k[0], k[1])).collect::<Vec<_>>())?;
                lifted.put(after, n, new);
                Ok("bent a line".to_owned())
            }
            MendStep::Reshape { line, ring, points } => {
                if points.len() > MOST_POINTS {
                    return Err(Error::Mismatch("a line has up to 20000 points"));
                }
                lie_near(after, points)?;
                let n = after.lines.iter().position(|l| l.id == *line).ok_or(Error::NoSuchLine(*line))?;
                let new = reshaped(&after.lines[n], *ring, points);
                let new = new.ok_or(Error::Mismatch("these points are no line's curves"))?;
                lifted.put(after, n, new);
                Ok("reshaped a line".to_owned())
            }
            MendStep::Erase { samples, pen, takes, lines } => {
                let way = pens_way(after, samples, &Pen { steadying: 0.0, ..*pen })?;
                let is_meant = those(after, lines)?;
                let rings = swept(&sparse(&way.points));
                match takes {
                    Takes::Exactly => erase_exactly(after, &rings, &is_meant, &scene.ink),
                    Takes::Lines => {
                        let hit: FxHashSet<u64> =
                            after.lines.iter().filter(|l| is_meant(l) && meets(l, &rings)).map(|l| l.id).collect();
                        if hit.is_empty() {
                            return Err(Error::Mismatch("no line was passed over"));
                        }
                        remove(after, &lifted, &hit);
                        Ok(counted("erased", hit.len(), "line"))
                    }
                    Takes::Spans => erase_spans(after, &rings, &way.places(), &is_meant),
                }
            }
        }
    }
}

/// Takes lines away with all their ink.
pub(super) fn remove(after: &mut Sheet, lifted: &Lifted, ids: &FxHashSet<u64>) {
    let lines: Vec<Arc<Line>> = after.lines.iter().filter(|l| ids.contains(&l.id)).cloned().collect();
    lines.iter().for_each(|l| lifted.take_off(after, l, ids));
    after.lines.retain(|l| !ids.contains(&l.id));
}

/// Puts a line of another weight in its place; its pixels follow.
fn weigh(after: &mut Sheet, n: usize, line: Line) {
    let old = after.lines[n].clone();
    let made = if old.made == Made::Traced { Made::Edited } else { old.made };
    if made == Made::Edited && !after.reweighed.iter().any(|r| r.line == old.id) {
        after.reweighed.push(Reweighed::of(&old));
    }
    after.lines[n] = Arc::new(Line { made, ..line });
}

fn rub<'a>(sheet: &Sheet, path: &'a [Pt], radius: f64) -> Result<Rub<'a>, Error> {
    ranged("radius", radius, 0.5, 4000.0)?;
    on_sheet(sheet, path)?;
    Ok(Rub { path, radius })
}

/// The way of a pen over a sheet. Errors: it leads far off, or is none.
fn pens_way(sheet: &Sheet, samples: &[Sample], pen: &Pen) -> Result<Way, Error> {
    lie_near(sheet, &samples.iter().map(|s| pt(s.0, s.1)).collect::<Vec<_>>())?;
    shaped(samples, pen)
}

/// A pen's way with no more points than tell what it sweeps within a hair.
fn sparse(points: &[[f64; 3]]) -> Vec<FlatPoint> {
    let all: Vec<FlatPoint> = points.iter().map(|p| FlatPoint { p: pt(p[0], p[1]), width: p[2] }).collect();
    let stays = needed(all.len(), 0.05, |a, b, k| {
        // Evenly read, so the share along the way is that of the points.
        let t = (k - a) as f64 / (b - a) as f64;
        let width = all[a].width + (all[b].width - all[a].width) * t;
        all[k].p.dist(all[a].p.lerp(all[b].p, t)) + 0.5 * (all[k].width - width).abs()
    });
    all.into_iter().zip(stays).filter(|(_, stays)| *stays).map(|(f, _)| f).collect()
}

fn erase_exactly(
    after: &mut Sheet,
    rings: &Rings,
    is_meant: &dyn Fn(&Line) -> bool,
    ink: &crate::raster::ink::Ink,
) -> Result<String, Error> {
    let cut = erase(&after.lines, rings, is_meant);
    if cut.left.is_empty() && cut.erased.iter().all(|e| e.takes_nothing(&ink.alpha)) {
        return Err(Error::Mismatch("there is no ink where that passed"));
    }
    for (place, left) in cut.left.into_iter().rev() {
        put_in_place(after, place, left);
    }
    cut.erased.into_iter().filter(|e| !e.takes_nothing(&ink.alpha)).for_each(|e| after.erase(e));
    settle_ends(after, cut.ends);
    Ok("erased".to_owned())
}

/// Whether an eraser meets a line's ink.
fn meets(line: &Line, rings: &Rings) -> bool {
    let bounds = Bounds::of(rings.iter().flatten());
    if !crate::model::pixels::bounds_of(line).touches(&bounds) && !line.bounds().touches(&bounds) {
        return false;
    }
    let ink = match &line.form {
        Form::Outline { .. } => line.rings(0.1),
        Form::Centreline { .. } => inked(&line.stroke(0.1)),
        // A seam is a hair.
        Form::Seam { .. } => {
            swept(&line.flat(0.1).iter().map(|f| FlatPoint { p: f.p, width: 1.0 }).collect::<Vec<_>>())
        }
    };
    !common(&ink, rings).is_empty()
}

/// Takes every span off that an eraser meets, one after the other.
fn erase_spans(
    after: &mut Sheet,
    rings: &Rings,
    way: &[Pt],
    is_meant: &dyn Fn(&Line) -> bool,
) -> Result<String, Error> {
    let hit: Vec<u64> = after.lines.iter().filter(|l| is_meant(l) && meets(l, rings)).map(|l| l.id).collect();
    let mut taken = 0;
    for id in hit {
        let Some(line) = after.lines.iter().find(|l| l.id == id).cloned() else { continue };
        if matches!(line.form, Form::Outline { .. }) {
            continue;
        }
        // What is left of the line goes on being erased, in a network of all that may cross it.
        let near = line.bounds().grown(4.0);
        let mut mine: FxHashSet<u64> = [id].into_iter().collect();
        for p in way {
            let local: Vec<Arc<Line>> = after
                .lines
                .iter()
                .filter(|l| crate::model::pixels::bounds_of(l).touches(&near) || l.bounds().touches(&near))
                .cloned()
                .collect();
            let on = |l: &Arc<Line>| mine.contains(&l.id) && l.spine().is_some_and(|s| s.nearest(*p).1 < 1.5);
            if !local.iter().any(on) {
                continue;
            }
            let network = Network::of(&local);
            let Some(span) = span_at(&network, *p, 2.0).filter(|s| mine.contains(&local[s.line].id)) else { continue };
            let old = local[span.line].clone();
            let Some(place) = after.lines.iter().position(|l| l.id == old.id) else { continue };
            let (left, erased) = take_span(&old, &span, &network);
            let before = after.next_id;
            put_in_place(after, place, left);
            mine.extend(before..after.next_id);
            if !old.is_seam() && !old.is_drawn() {
                erased.into_iter().for_each(|e| after.erase(e));
            }
            taken += 1;
        }
    }
    if taken == 0 {
        return Err(Error::Mismatch("no line was passed over"));
    }
    Ok(counted("erased", taken, "span"))
}
