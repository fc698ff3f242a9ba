//! A stretch of a line drawn anew: a stroke over it takes its place.

use super::along::Along;
use super::stretch::{Way, led};
use crate::geom::profile::{on_grid, thin_profile, width_at};
use crate::geom::spine::{Place, Spine};
use crate::geom::{Pt, lengths, polyline_len, pt};
use crate::model::erasure::InkPath;
use crate::model::line::{Form, Line, Made};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What of a stroke a line takes on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Gives {
    Path,
    Width,
    Both,
}

/// A line that was changed along a stretch, and the ink of that stretch before and after. An outline's stretch is its edge,
/// without a width.
#[derive(Debug, Clone, PartialEq)]
pub struct Reshaped {
    pub line: Line,
    pub gone: InkPath,
    pub came: InkPath,
}

/// How far from a stroke's ends a line passes, px, the farther one twice as light: the least is the one that is meant.
pub fn nearness(line: &Line, way: &Way) -> f64 {
    let places = way.places();
    let (Some(first), Some(last)) = (places.first(), places.last()) else { return f64::INFINITY };
    let spines: Vec<&Spine> = match &line.form {
        Form::Outline { contours } => contours.iter().collect(),
        Form::Centreline { spine, .. } | Form::Seam { spine } => vec![spine],
    };
    let of = |s: &Spine| {
        let (a, b) = (s.nearest(*first).1, s.nearest(*last).1);
        let middle = s.nearest(places[places.len() / 2]).1;
        a.min(b) + 0.5 * a.max(b) + 0.25 * middle
    };
    spines.into_iter().map(of).fold(f64::INFINITY, f64::min)
}

/// A line redrawn along a stroke that begins or ends on it, up to `reach` px off. Where the stroke only begins on it, or
/// only ends, the line ends as the stroke does. `None`: it does neither; a closed line needs both.
pub fn redrawn(line: &Line, way: &Way, reach: f64, gives: Gives) -> Option<Reshaped> {
    match &line.form {
        Form::Outline { contours } => {
            let places = way.places();
            let off = |c: &Spine| c.nearest(places[0]).1 + c.nearest(places[places.len() - 1]).1;
            let n = (0..contours.len()).min_by(|&a, &b| off(&contours[a]).total_cmp(&off(&contours[b])))?;
            let edge = Line::new(0, Form::Seam { spine: contours[n].clone() }, Made::Hand);
            let Reshaped { line: new, gone, came } = redrawn(&edge, way, reach, Gives::Path)?;
            let mut contours = contours.clone();
            contours[n] = new.spine()?.clone();
            Some(Reshaped { line: Line { form: Form::Outline { contours }, ..line.clone() }, gone, came })
        }
        _ => of_spine(line, way, reach, gives),
    }
}

/// A line led through other curves, `3 n + 1` points; of an outline one of its rings. Its width stays by shares of the length.
/// `None`: they are no curves of it, or nothing changes.
pub fn reshaped(line: &Line, ring: usize, points: &[Pt]) -> Option<Reshaped> {
    let old = match &line.form {
        Form::Outline { contours } => contours.get(ring)?,
        Form::Centreline { spine, .. } | Form::Seam { spine } => spine,
    };
    let points: Vec<Pt> = points.iter().map(|p| p.snapped()).collect();
    let n = points.len();
    let is_chain = n >= 4 && n % 3 == 1 && points.iter().all(|p| p.x.is_finite() && p.y.is_finite());
    let length = polyline_len(&points);
    if !is_chain || length < 0.25 || (old.closed && points[0] != points[n - 1]) || points == old.points {
        return None;
    }
    let new = Spine { points, closed: old.closed };
    // The curves at both ends that are as they were.
    let same = |a: &[Pt], b: &[Pt]| a == b;
    let (olds, news): (Vec<&[Pt]>, Vec<&[Pt]>) = (old.cubics().collect(), new.cubics().collect());
    let most = olds.len().min(news.len());
    let first = olds.iter().zip(&news).take_while(|(a, b)| same(a, b)).count().min(most.saturating_sub(1));
    let last = olds.iter().rev().zip(news.iter().rev()).take_while(|(a, b)| same(a, b)).count().min(most - 1 - first);
    let form = match &line.form {
        Form::Outline { contours } => {
            let mut contours = contours.clone();
            contours[ring] = new.clone();
            Form::Outline { contours }
        }
        Form::Centreline { width, ends, .. } => {
            Form::Centreline { spine: new.clone(), width: width.clone(), ends: *ends }
        }
        Form::Seam { .. } => Form::Seam { spine: new.clone() },
    };
    let after = Line { form, ..line.clone() };
    let path = |line: &Line, spine: &Spine| -> InkPath {
        let curves = (spine.points.len() - 1) / 3;
        let (from, to) = (Place { curve: first, t: 0.0 }, Place { curve: curves - 1 - last, t: 1.0 });
        let along = Along::of(spine);
        let (s0, s1) = (along.up_to(from), along.up_to(to));
        let width = |s: f64| match &line.form {
            Form::Centreline { width, .. } => width_at(width, s / along.length().max(1e-9)),
            _ => 0.0,
        };
        sampled(s1 - s0).map(|t| s0 + (s1 - s0) * t).map(|s| [along.at(s).x, along.at(s).y, width(s)]).collect()
    };
    let (gone, came) = (path(line, old), path(&after, &new));
    Some(Reshaped { line: after.jointed(), gone, came })
}

/// How far a stroke's end goes on beyond a line's end before it is meant to, in widths of the line there and px.
const BEYOND: (f64, f64) = (0.5, 1.0);

fn of_spine(line: &Line, way: &Way, reach: f64, gives: Gives) -> Option<Reshaped> {
    let spine = line.spine()?;
    let along = Along::of(spine);
    let whole = along.length();
    if way.points.len() < 2 || whole < 0.1 {
        return None;
    }
    let profile = match &line.form {
        Form::Centreline { width, .. } => width.clone(),
        _ => vec![[0.0, 0.0]],
    };
    let width_of = |s: f64| width_at(&profile, s / whole);
    let mut way = way.clone();
    let ends = |way: &Way| [pt(way.points[0][0], way.points[0][1]), way.places()[way.points.len() - 1]];
    // Where an end of the stroke meets the line; the line's own end if it goes on beyond it.
    let meets = |p: Pt| {
        let (place, far) = spine.nearest(p);
        let s = along.up_to(place);
        let out = if spine.closed {
            None
        } else if s < 0.01 {
            Some((false, spine.direction(place, false) * -1.0))
        } else if s > whole - 0.01 {
            Some((true, spine.direction(place, true)))
        } else {
            None
        };
        let beyond = out.filter(|(_, d)| (p - spine.at(place)).dot(*d) > BEYOND.0 * width_of(s) + BEYOND.1);
        (far <= reach, s, beyond.map(|b| b.0))
    };
    let [a, b] = ends(&way).map(meets);
    let joins = [a.0 && a.2.is_none(), b.0 && b.2.is_none()];
    let (from, to) = match joins {
        [true, true] => {
            if spine.closed {
                // Of the two ways round the one that lies nearer to the stroke is meant.
                let off = |from: f64, to: f64| {
                    let length = if to >= from { to - from } else { to - from + whole };
                    let near = |k: usize| {
                        let s = (from + length * k as f64 / 12.0) % whole;
                        let places = way.places();
                        let step = (places.len() / 60).max(1);
                        places.iter().step_by(step).map(|p| p.dist(along.at(s))).fold(f64::INFINITY, f64::min)
                    };
                    (1..12).map(near).sum::<f64>()
                };
                if off(a.1, b.1) > off(b.1, a.1) {
                    way = way.reversed();
                    (Some(b.1), Some(a.1))
                } else {
                    (Some(a.1), Some(b.1))
                }
            } else if b.1 < a.1 {
                way = way.reversed();
                (Some(b.1), Some(a.1))
            } else {
                (Some(a.1), Some(b.1))
            }
        }
        [false, false] if a.2.is_some() && b.2.is_some() && a.0 && b.0 && a.2 != b.2 => {
            if a.2 == Some(true) {
                way = way.reversed();
            }
            (None, None)
        }
        [false, false] => return None,
        _ if spine.closed => return None,
        [starts, _] => {
            if !starts {
                way = way.reversed();
            }
            let s = if starts { a.1 } else { b.1 };
            let places = way.places();
            let there = places.iter().position(|p| p.dist(places[0]) > reach.max(2.0)).unwrap_or(places.len() - 1);
            let goes = (places[there] - places[0]).dot(spine.direction(along.place(s), s > 0.5 * whole));
            if goes >= 0.0 {
                (Some(s), None)
            } else {
                way = way.reversed();
                (None, Some(s))
            }
        }
    };
    let (s0, s1) = (from.unwrap_or(0.0), to.unwrap_or(whole));
    let length = if s1 >= s0 { s1 - s0 } else { s1 - s0 + whole };
    if from.is_some() && to.is_some() && length < 0.5 {
        return None;
    }
    let old_at = |t: f64| (s0 + length * t) % (whole + 1e-9);
    let gone: InkPath = sampled(length).map(&old_at).map(|s| [along.at(s).x, along.at(s).y, width_of(s)]).collect();
    if gives == Gives::Width {
        return widened(line, &way, (s0, length, whole), &along, gone);
    }
    let joined = [from, to].map(|s| s.map(|s| (along.at(s).snapped(), width_of(s))));
    let way = joining(way, joined, |t| width_of(old_at(t)), gives);
    let came = way.points.clone();
    let line = led(line, from.map(|s| along.place(s)), to.map(|s| along.place(s)), &way)?;
    Some(Reshaped { line, gone, came })
}

/// Shares of a length, about a pixel apart.
fn sampled(length: f64) -> impl Iterator<Item = f64> {
    let n = length.ceil().clamp(1.0, 20_000.0) as usize;
    (0..=n).map(move |k| k as f64 / n as f64)
}

/// A way led onto the places where it joins a line, with that line's width there; without them it keeps its own.
fn joining(mut way: Way, joined: [Option<(Pt, f64)>; 2], old: impl Fn(f64) -> f64, gives: Gives) -> Way {
    let places = way.places();
    let run = lengths(&places);
    let whole = polyline_len(&places).max(1e-9);
    if gives == Gives::Path {
        way.points.iter_mut().zip(&run).for_each(|(p, s)| p[2] = old(s / whole));
    }
    let n = way.points.len();
    let own = [0, n - 1].map(|k| way.points[k]);
    for (side, joined) in joined.iter().enumerate() {
        let Some((at, width)) = joined else { continue };
        let off = *at - pt(own[side][0], own[side][1]);
        let more = width - own[side][2];
        let over = (4.0 * off.len() + 2.0 * width + 2.0).min(0.45 * whole);
        for (p, s) in way.points.iter_mut().zip(&run) {
            let far = if side == 0 { *s } else { whole - s };
            let t = (far / over).clamp(0.0, 1.0);
            let share = 1.0 - t * t * (3.0 - 2.0 * t);
            p[0] += off.x * share;
            p[1] += off.y * share;
            p[2] += more * share;
        }
        let k = if side == 0 { 0 } else { n - 1 };
        way.points[k] = [at.x, at.y, *width];
    }
    way
}

/// The line in its old course with the width of a way along a stretch of it.
fn widened(
    line: &Line,
    way: &Way,
    (s0, length, whole): (f64, f64, f64),
    along: &Along,
    gone: InkPath,
) -> Option<Reshaped> {
    let Form::Centreline { spine, width, ends } = &line.form else { return None };
    let places = way.places();
    let nearest = |p: Pt| {
        let k = (0..places.len()).min_by(|&a, &b| places[a].dist(p).total_cmp(&places[b].dist(p))).unwrap_or(0);
        way.points[k][2]
    };
    let old = |s: f64| width_at(width, s / whole);
    // It goes over into the old width within two of them, where the line goes on.
    let eased = |t: f64| {
        let s = (s0 + length * t) % (whole + 1e-9);
        let edge = (2.0 * old(s) + 2.0).min(0.45 * length);
        let far = |on: bool, d: f64| if on { (d / edge.max(1e-9)).clamp(0.0, 1.0) } else { 1.0 };
        let share = far(s0 > 0.01, length * t).min(far(s0 + length < whole - 0.01, length * (1.0 - t)));
        let new = nearest(along.at(s));
        [s / whole, old(s) + (new - old(s)) * share * share * (3.0 - 2.0 * share)]
    };
    let is_within = |s: f64| {
        let d = s * whole - s0;
        (if d < 0.0 { d + whole } else { d }) <= length
    };
    let kept = [[0.0, old(0.0)], [1.0, old(whole)]].into_iter().chain(width.iter().copied());
    let mut knots: Vec<[f64; 2]> = kept.filter(|k| !is_within(k[0])).chain(sampled(length).map(eased)).collect();
    knots.sort_by(|a, b| a[0].total_cmp(&b[0]));
    let gridded = |[s, w]: [f64; 2]| [s, on_grid(w)];
    let width = thin_profile(&knots, 0.03).into_iter().map(gridded).collect();
    let form = Form::Centreline { spine: spine.clone(), width, ends: *ends };
    let line = Line { form, ..line.clone() }.jointed();
    let came = gone.clone();
    Some(Reshaped { line, gone, came })
}
