//! Rubbing along lines: calmed, thicker, thinner, the more the longer it is rubbed; and a line bent where it is taken.

use super::along::Along;
use super::redraw::Reshaped;
use super::stretch::{Way, led, opened};
use super::stroke::{box_radius, corners_of, smoothed};
use crate::geom::profile::{on_grid, thin_profile, width_at};
use crate::geom::{Bounds, Pt, nearest_on_segment, segments_gap};
use crate::model::erasure::InkPath;
use crate::model::line::{Form, Line, Made};
use crate::weight::BROADEST;

/// A rub: where it went, and how far around it works, px.
#[derive(Debug, Clone, PartialEq)]
pub struct Rub<'a> {
    pub path: &'a [Pt],
    pub radius: f64,
}

/// What is moved by less stays as it is, px.
const LEAST: f64 = 0.02;
/// From how far off a corner is seen at least, px.
const TREMOR: f64 = 4.0;
/// How thick what is rubbed thicker gets with one pass, and thin, as a factor at full strength.
const PASS: f64 = 1.35;

impl Rub<'_> {
    fn bounds(&self) -> Bounds {
        Bounds::of(self.path).grown(self.radius)
    }

    /// Whether a line comes so near that it is rubbed.
    fn reaches(&self, line: &Line) -> bool {
        if !line.bounds().touches(&self.bounds()) {
            return false;
        }
        let near = |w: &[Pt]| {
            Bounds::of(w).touches(&self.bounds())
                && self.path.windows(2).any(|v| segments_gap(w[0], w[1], v[0], v[1]) < self.radius)
        };
        line.spine().is_some_and(|s| s.flatten(0.5).windows(2).any(near))
    }

    /// How often it passed over a place, about: the length of it that is near, by how near, in diameters.
    fn passes(&self, p: Pt) -> f64 {
        let r = self.radius;
        let share = |w: &[Pt]| {
            let far = p.dist(w[0].lerp(w[1], nearest_on_segment(p, w[0], w[1])));
            if far >= r { 0.0 } else { (1.0 - (far / r).powi(2)).powi(2) * w[0].dist(w[1]).min(2.0 * r) }
        };
        self.path.windows(2).map(share).sum::<f64>() / r
    }
}

/// A line, read about every pixel: how far along, where, its width, and how much of what is done is done there.
struct Read {
    s: Vec<f64>,
    way: Vec<Pt>,
    widths: Vec<f64>,
    shares: Vec<f64>,
    corners: Vec<usize>,
}

/// `tremor`: turns that are not seen from so far off are no corners, px.
fn read(line: &Line, tremor: f64, share: &dyn Fn(Pt) -> f64) -> Option<Read> {
    let spine = line.spine()?;
    let along = Along::of(spine);
    let whole = along.length();
    if whole < 1.0 {
        return None;
    }
    let n = whole.ceil().clamp(2.0, 20_000.0) as usize;
    let step = whole / n as f64;
    let mut s: Vec<f64> = (0..=n).map(|k| step * k as f64).collect();
    let even: Vec<Pt> = s.iter().map(|&s| along.at(s)).collect();
    let joints = along.corners();
    let mut corners = Vec::new();
    for seen in corners_of(&even, tremor, step) {
        let off = |at: &f64| (at - s[seen]).abs();
        // The joint that turns there, if it is one.
        let Some(at) = joints.iter().copied().min_by(|a, b| off(a).total_cmp(&off(b))) else { continue };
        let k = (at / step).round() as usize;
        if off(&at) <= 0.5 * tremor && k > 0 && k < n {
            s[k] = at;
            corners.push(k);
        }
    }
    corners.dedup();
    let way: Vec<Pt> = s.iter().map(|&s| along.at(s)).collect();
    let width = |s: f64| match &line.form {
        Form::Centreline { width, .. } => width_at(width, s / whole),
        _ => 0.0,
    };
    let widths = s.iter().map(|&s| width(s)).collect();
    let shares = way.iter().map(|&p| share(p)).collect();
    Some(Read { s, way, widths, shares, corners })
}

/// A closed line is read from where it is left alone, so that the stretch does not run through its start.
fn begun_afar(line: &Line, share: &dyn Fn(Pt) -> f64) -> Option<Line> {
    let spine = line.spine()?;
    if !spine.closed {
        return Some(line.clone());
    }
    let along = Along::of(spine);
    let n = along.length().ceil().clamp(2.0, 4000.0) as usize;
    let at = |k: usize| along.length() * k as f64 / n as f64;
    let least = (0..n).min_by(|&a, &b| share(along.at(at(a))).total_cmp(&share(along.at(at(b)))))?;
    if least == 0 { Some(line.clone()) } else { opened(line, along.place(at(least))) }
}

/// The line with all places that moved where they are now.
fn moved(line: &Line, read: &Read, now: &[Pt]) -> Option<Reshaped> {
    let off = |k: usize| read.way[k].dist(now[k]) > LEAST;
    let n = now.len();
    let (first, last) = ((0..n).find(|&k| off(k))?, (0..n).rev().find(|&k| off(k))?);
    // The curves go on from where nothing moved.
    let (first, last) = (first.saturating_sub(2), (last + 2).min(n - 1));
    let along = Along::of(line.spine()?);
    let point = |p: Pt, k: usize| [p.x, p.y, read.widths[k]];
    let points: Vec<[f64; 3]> = (first..=last).map(|k| point(now[k], k)).collect();
    let corners = read.corners.iter().filter(|&&k| k > first && k < last).map(|k| k - first).collect();
    let is_closed = line.spine().is_some_and(|s| s.closed);
    let from = (first > 0 || is_closed).then(|| along.place(read.s[first]));
    let to = (last < n - 1 || is_closed).then(|| along.place(read.s[last]));
    let gone: InkPath = (first..=last).map(|k| point(read.way[k], k)).collect();
    let came = points.clone();
    let mut new = led(line, from, to, &Way { points, corners })?;
    if let (Form::Centreline { ends: was, .. }, Form::Centreline { ends, .. }) = (&line.form, &mut new.form) {
        *ends = *was;
    }
    Some(Reshaped { line: new, gone, came })
}

/// A line calmed where it was rubbed: smoothed by a Gaussian as broad as the rub reaches, ends and corners kept, the more
/// the more passes there were. `None`: nothing of it moves.
pub fn calmed(line: &Line, rub: &Rub, strength: f64) -> Option<Reshaped> {
    if let Form::Outline { contours } = &line.form {
        return edges(line, contours, |edge| calmed(edge, rub, strength));
    }
    if !rub.reaches(line) {
        return None;
    }
    let share = |p: Pt| 1.0 - (-strength * rub.passes(p)).exp();
    let line = begun_afar(line, &share)?;
    let read = read(&line, (0.5 * rub.radius).max(TREMOR), &share)?;
    if read.shares.iter().all(|s| *s < 1e-3) {
        return None;
    }
    let step = read.s[1].max(read.s[read.s.len() - 1] / (read.s.len() - 1) as f64);
    let radius = box_radius(0.45 * rub.radius / step);
    let mut calm = read.way.clone();
    let stops: Vec<usize> = [0].into_iter().chain(read.corners.iter().copied()).chain([calm.len() - 1]).collect();
    for w in stops.windows(2).filter(|w| w[1] > w[0]) {
        let part = smoothed(&read.way[w[0]..=w[1]], radius);
        calm[w[0]..=w[1]].copy_from_slice(&part);
    }
    let now: Vec<Pt> = read.way.iter().zip(&calm).zip(&read.shares).map(|((p, q), share)| p.lerp(*q, *share)).collect();
    moved(&line, &read, &now)
}

/// The edges of an outline, each treated as a closed line.
fn edges(
    line: &Line,
    contours: &[crate::geom::spine::Spine],
    of: impl Fn(&Line) -> Option<Reshaped>,
) -> Option<Reshaped> {
    let mut contours = contours.to_vec();
    let mut out: Option<(InkPath, InkPath)> = None;
    for contour in &mut contours {
        let edge = Line::new(0, Form::Seam { spine: contour.clone() }, Made::Hand);
        let Some(Reshaped { line, gone, came }) = of(&edge) else { continue };
        *contour = line.spine()?.clone();
        // One edge of a shape is changed at a time; of several the whole shape is drawn anew.
        out = Some(if out.is_some() { (Vec::new(), Vec::new()) } else { (gone, came) });
    }
    let (gone, came) = out?;
    Some(Reshaped { line: Line { form: Form::Outline { contours }, ..line.clone() }, gone, came })
}

/// A centreline made thicker where it was rubbed, `strength` above 0, or thinner, below. `None`: nothing of it changes.
pub fn pressed(line: &Line, rub: &Rub, strength: f64) -> Option<Line> {
    let Form::Centreline { spine, width, ends } = &line.form else { return None };
    if !rub.reaches(line) {
        return None;
    }
    let read = read(line, TREMOR, &|p| strength * rub.passes(p))?;
    if read.shares.iter().all(|s| s.abs() < 1e-3) {
        return None;
    }
    let whole = read.s[read.s.len() - 1];
    let knot = |k: usize| {
        let factor = PASS.powf(read.shares[k].clamp(-12.0, 12.0));
        [read.s[k] / whole, (read.widths[k] * factor).clamp(0.25, BROADEST)]
    };
    let mut knots: Vec<[f64; 2]> = (0..read.s.len()).map(knot).collect();
    // Where nothing is rubbed its own knots are exact.
    let untouched = |s: f64| {
        let k = ((s * (read.s.len() - 1) as f64).round() as usize).min(read.s.len() - 1);
        read.shares[k].abs() < 1e-3
    };
    knots.extend(width.iter().filter(|k| untouched(k[0])));
    knots.sort_by(|a, b| a[0].total_cmp(&b[0]));
    knots.dedup_by(|a, b| a[0] == b[0]);
    let width = thin_profile(&knots, 0.03).into_iter().map(|[s, w]| [s, on_grid(w)]).collect();
    let form = Form::Centreline { spine: spine.clone(), width, ends: *ends };
    Some(Line { form, ..line.clone() }.jointed())
}

/// A line bent: what lies at `from` goes to `to`, its neighbours up to `reach` px along the line go with it, the less the
/// farther; its other ends and all beyond stay. `None`: nothing moves.
pub fn bent(line: &Line, from: Pt, to: Pt, reach: f64) -> Option<Reshaped> {
    if let Form::Outline { contours } = &line.form {
        let off = |c: &crate::geom::spine::Spine| c.nearest(from).1;
        let n = (0..contours.len()).min_by(|&a, &b| off(&contours[a]).total_cmp(&off(&contours[b])))?;
        let chosen = contours[n].clone();
        return edges(line, contours, |edge| {
            (edge.spine() == Some(&chosen)).then(|| bent(edge, from, to, reach)).flatten()
        });
    }
    let line = begun_afar(line, &|p| -p.dist(from))?;
    let spine = line.spine()?;
    let along = Along::of(spine);
    let (place, _) = spine.nearest(from);
    let (grab, whole) = (along.up_to(place), along.length());
    // An end that is taken goes along.
    let near_end = (0.15 * reach).min(0.1 * whole);
    let [before, behind] = [grab, whole - grab].map(|d| if d < near_end && !spine.closed { 0.0 } else { d });
    let by = to - along.at(grab);
    let share = |s: f64| {
        let (d, room) = if s < grab { (grab - s, before) } else { (s - grab, behind) };
        if room == 0.0 {
            return 1.0;
        }
        let t = (d / reach.min(room).max(1e-9)).min(1.0);
        (1.0 - t * t).powi(2)
    };
    let read = read(&line, TREMOR, &|_| 0.0)?;
    let now: Vec<Pt> = read.way.iter().zip(&read.s).map(|(p, s)| *p + by * share(*s)).collect();
    moved(&line, &read, &now)
}
