//! A stretch of a line led another way; all else of the line stays as it is.

use crate::geom::profile::{on_grid, thin_profile, width_at};
use crate::geom::spine::{Place, Spine};
use crate::geom::{Pt, polyline_len, pt};
use crate::model::line::{Form, Line};
use crate::trace::fit_curves;

/// How closely curves follow a way, px.
pub(super) const FITTED_WITHIN: f64 = 0.12;
/// Where a way leaves a line more sharply than this there is a corner, degrees.
const SMOOTH: f64 = 50.0;

/// A way for a line: x, y and width, and which of its points are corners.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Way {
    pub points: Vec<[f64; 3]>,
    pub corners: Vec<usize>,
}

impl Way {
    pub fn places(&self) -> Vec<Pt> {
        self.points.iter().map(|p| pt(p[0], p[1])).collect()
    }

    /// The same from its end to its beginning.
    pub fn reversed(mut self) -> Way {
        let last = self.points.len().saturating_sub(1);
        self.points.reverse();
        self.corners = self.corners.iter().rev().map(|k| last - k).collect();
        self
    }
}

/// Curves along a way, `3 n + 1` points. `leaves`: the directions in which it should leave its first point and run back
/// from its last.
pub(super) fn curves_along(way: &[Pt], corners: &[usize], leaves: [Option<Pt>; 2]) -> Vec<Pt> {
    let mut curves: Vec<Pt> = Vec::new();
    let last = way.len() - 1;
    let inner = corners.iter().copied().filter(|&k| k > 0 && k < last);
    let stops: Vec<usize> = [0].into_iter().chain(inner).chain([last]).collect();
    for w in stops.windows(2).filter(|w| w[1] > w[0]) {
        let part = &way[w[0]..=w[1]];
        let reach = 4.min(part.len() - 1);
        let own = [(part[reach] - part[0]).unit(), (part[part.len() - 1 - reach] - part[part.len() - 1]).unit()];
        let at_end = [w[0] == 0, w[1] == last];
        let tangents = [0, 1].map(|k| leaves[k].filter(|_| at_end[k]).unwrap_or(own[k]));
        let fitted = fit_curves(part, tangents, FITTED_WITHIN);
        curves.extend(fitted.into_iter().skip(usize::from(!curves.is_empty())).map(Pt::snapped));
    }
    curves
}

/// Where a profile of places by length lies on a whole that it is a part of.
fn laid(profile: &[[f64; 2]], from: f64, length: f64, whole: f64) -> Vec<[f64; 2]> {
    profile.iter().map(|[s, w]| [(from + s * length) / whole, *w]).collect()
}

/// The line with the stretch from one place to another led along a way, which begins and ends there; without a place the
/// line begins, or ends, as the way does. On a closed line both are given, and the stretch runs through its start where
/// `to` lies before `from`. `None`: it is an outline, or nothing would be left of it.
pub fn led(line: &Line, from: Option<Place>, to: Option<Place>, way: &Way) -> Option<Line> {
    let spine = line.spine()?;
    let n = (spine.points.len() - 1) / 3;
    let (first, last) = (Place { curve: 0, t: 0.0 }, Place { curve: n.checked_sub(1)?, t: 1.0 });
    let (head, tail) = if spine.closed {
        (None, line.stretch(to?, from?))
    } else {
        (from.and_then(|p| line.stretch(first, p)), to.and_then(|p| line.stretch(p, last)))
    };
    let is_long = |l: &Line| l.spine().is_some_and(|s| polyline_len(&s.flatten(0.2)) > 0.05);
    let (head, tail) = (head.filter(is_long), tail.filter(is_long));
    let places = way.places();
    if places.len() < 2 {
        return None;
    }
    let near = |k: usize| {
        if k == 0 {
            places[4.min(places.len() - 1)] - places[0]
        } else {
            places[places.len() - 1 - 4.min(places.len() - 1)] - places[places.len() - 1]
        }
    };
    // Where the line goes on from its rest, unless it turns sharply there.
    let smooth = |out: Pt, k: usize| {
        let own = near(k).unit();
        (out.cross(own).atan2(out.dot(own)).abs().to_degrees() < SMOOTH).then_some(out)
    };
    let leaves = [
        from.and_then(|p| smooth(spine.direction(p, true), 0)),
        to.and_then(|p| smooth(spine.direction(p, false) * -1.0, 1)),
    ];
    let middle = curves_along(&places, &way.corners, leaves);
    let length = |points: &[Pt]| polyline_len(&Spine { points: points.to_vec(), closed: false }.flatten(0.05));
    let steps = (way.points.len() - 1) as f64;
    let of_way: Vec<[f64; 2]> = way.points.iter().enumerate().map(|(k, p)| [k as f64 / steps, p[2]]).collect();
    let width_of = |l: &Line| match &l.form {
        Form::Centreline { width, .. } => {
            let (a, b) = (width.first().map_or(0.0, |k| k[1]), width.last().map_or(0.0, |k| k[1]));
            [vec![[0.0, a]], width.clone(), vec![[1.0, b]]].concat()
        }
        _ => Vec::new(),
    };
    let part = |l: &Line| (l.spine().map(|s| s.points.clone()).unwrap_or_default(), width_of(l));
    let parts = [head.as_ref().map(part), Some((middle, of_way)), tail.as_ref().map(part)];
    let mut points: Vec<Pt> = Vec::new();
    let mut profiles = Vec::new();
    for (mut more, profile) in parts.into_iter().flatten() {
        // Each goes on exactly where the one before ends.
        if let (Some(end), Some(start)) = (points.last(), more.first_mut()) {
            *start = *end;
        }
        profiles.push((length(&more), profile));
        points.extend(more.into_iter().skip(usize::from(!points.is_empty())));
    }
    if spine.closed {
        let start = points[0];
        *points.last_mut()? = start;
    }
    let whole: f64 = profiles.iter().map(|p| p.0).sum::<f64>().max(1e-9);
    let mut run = 0.0;
    let mut knots: Vec<[f64; 2]> = Vec::new();
    for (length, profile) in profiles {
        knots.extend(laid(&profile, run, length, whole));
        run += length;
    }
    let spine = Spine { points, closed: spine.closed };
    let form = match &line.form {
        Form::Centreline { ends, .. } => {
            let mut ends = *ends;
            let own = crate::model::line::End::Round;
            if from.is_none() {
                ends[0] = own;
            }
            if to.is_none() {
                ends[1] = own;
            }
            let gridded = |[s, w]: [f64; 2]| [s, on_grid(w)];
            let width = thin_profile(&knots, 0.03).into_iter().map(gridded).collect();
            Form::Centreline { spine, width, ends }
        }
        _ => Form::Seam { spine },
    };
    Some(Line { form, ..line.clone() }.jointed())
}

/// A closed line that begins at another of its places.
pub(super) fn opened(line: &Line, at: Place) -> Option<Line> {
    let spine = line.spine().filter(|s| s.closed)?;
    let last = Place { curve: (spine.points.len() - 1) / 3 - 1, t: 1.0 };
    let first = Place { curve: 0, t: 0.0 };
    let (head, tail) = (spine.between(at, last), spine.between(first, at));
    let mut points = head.points;
    points.extend(tail.points.into_iter().skip(1));
    let form = match &line.form {
        Form::Centreline { width, ends, .. } => {
            let before = polyline_len(&spine.between(first, at).flatten(0.05));
            let whole = polyline_len(&spine.flatten(0.05)).max(1e-9);
            let share = before / whole;
            let at_share = width_at(width, share);
            let mut knots: Vec<[f64; 2]> =
                width.iter().map(|[s, w]| [if *s >= share { s - share } else { s + 1.0 - share }, *w]).collect();
            // The profile may jump where the line closes.
            if let (Some(a), Some(b)) = (width.first(), width.last()) {
                knots.extend([[(1.0 - share - 1e-9).max(0.0), b[1]], [(1.0 - share).min(1.0), a[1]]]);
            }
            knots.extend([[0.0, at_share], [1.0, at_share]]);
            knots.sort_by(|a, b| a[0].total_cmp(&b[0]));
            Form::Centreline { spine: Spine { points, closed: true }, width: thin_profile(&knots, 0.02), ends: *ends }
        }
        _ => Form::Seam { spine: Spine { points, closed: true } },
    };
    Some(Line { form, ..line.clone() })
}
