//! A stroke of a pen, steadied and given its width, then fitted with curves.
//!
//! The stroke is read at even steps along its way. Where it turns sharply it has a corner; between corners it is smoothed by
//! a Gaussian (three passes of a running mean: Wells, "Efficient synthesis of Gaussian filters by cascaded uniform filters",
//! 1986), mirrored through its ends so that those stay where they are, and what smoothing took off bends is added back once
//! (twicing: Tukey, "Exploratory data analysis", 1977). The page shows a stroke by the same steps while it is drawn
//! (`web/src/lib/geometry/stroke`), so that the line that stays is the one that was seen.

use super::stretch::{Way, curves_along};
use crate::error::Error;
use crate::geom::profile::{on_grid, thin_profile};
use crate::geom::spine::Spine;
use crate::geom::{Pt, polyline_len, pt};
use crate::model::line::{End, Form};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Where a pen was, x and y in px of the sheet; its pressure, 0 to 1, if it tells one; its tilt away from upright to the
/// right and towards the hand, degrees, if it tells that; when, ms.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Sample(pub f64, pub f64, pub Option<f64>, pub Option<[f64; 2]>, pub Option<f64>);

impl Sample {
    fn at(&self) -> Pt {
        pt(self.0, self.1)
    }
}

/// What the width of a line follows.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "by")]
pub enum Follows {
    /// `least`: the share of the width without pressure. `bend`: the pressure is taken to this power.
    Pressure { least: f64, bend: f64 },
    /// The quicker the thinner, down to the share `least`.
    Speed { least: f64 },
    /// One width all along.
    Steady,
}

/// How a pen draws.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Pen {
    /// The greatest width, px.
    pub width: f64,
    /// 0: as drawn; 1: as calm as can be.
    pub steadying: f64,
    pub follows: Follows,
    /// How much broader the line is where the pen lies flat, a share.
    pub tilt: f64,
    /// How many px of the sheet one of the screen was: a hand is as steady as what it sees.
    pub grain: f64,
}

/// The most samples of a stroke.
const MOST_SAMPLES: usize = 20_000;
/// The most places it is read at.
const MOST_PLACES: f64 = 40_000.0;
/// The deviation of the smoothing at its calmest, px of the screen.
const CALMEST: f64 = 30.0;
/// The turn from which on it is a corner, degrees.
const CORNER: f64 = 50.0;
/// From how far off corners are seen, px of the screen, and how much farther when all is calmed: a tremor has corners, too.
const SEEN: f64 = 5.0;
const SEEN_CALM: f64 = 12.0;
/// A sample where the way turns more than this is read exactly, degrees.
const SHARP: f64 = 15.0;
/// The speed at which a line is halfway to its thinnest, px of the screen a ms.
const QUICK: f64 = 1.2;
/// The tilt at which a pen lies flat, degrees.
const FLAT: f64 = 60.0;

impl Pen {
    /// Refuses numbers outside their ranges.
    pub fn check(&self) -> Result<(), Error> {
        let within = |name, value: f64, from, to| {
            if (from..=to).contains(&value) { Ok(()) } else { Err(Error::Recipe { name, value, from, to }) }
        };
        within("line weight", self.width, 0.1, 1000.0)?;
        within("steadying", self.steadying, 0.0, 1.0)?;
        within("tilt", self.tilt, 0.0, 4.0)?;
        within("grain", self.grain, 0.001, 1000.0)?;
        match self.follows {
            Follows::Pressure { least, bend } => {
                within("least width", least, 0.0, 1.0)?;
                within("bend", bend, 0.1, 10.0)
            }
            Follows::Speed { least } => within("least width", least, 0.0, 1.0),
            Follows::Steady => Ok(()),
        }
    }

    /// The width where the pen was, by what it told there. `speed`: px of the sheet a ms.
    fn width_at(&self, pressure: f64, tilt: f64, speed: f64) -> f64 {
        let share = match self.follows {
            Follows::Pressure { least, bend } => least + (1.0 - least) * pressure.powf(bend),
            Follows::Speed { least } => 1.0 - (1.0 - least) * speed / (speed + QUICK * self.grain),
            Follows::Steady => 1.0,
        };
        self.width * share * (1.0 + self.tilt * tilt)
    }
}

/// Steadies a stroke and gives it its width: its way as it is shown, evenly read. Errors: numbers outside their ranges, no samples or too many, numbers that are
/// none.
pub fn shaped(samples: &[Sample], pen: &Pen) -> Result<Way, Error> {
    pen.check()?;
    if samples.is_empty() || samples.len() > MOST_SAMPLES {
        return Err(Error::Mismatch("a stroke has 1 to 20000 samples"));
    }
    if samples.iter().any(|s| !s.0.is_finite() || !s.1.is_finite()) {
        return Err(Error::Mismatch("a stroke's places are numbers"));
    }
    let (way, widths, step) = read_evenly(samples, pen);
    let reach = (pen.grain * (SEEN + pen.steadying * SEEN_CALM)).max(0.75 * pen.width);
    let corners = corners_of(&way, reach, step);
    let radius = box_radius(pen.steadying * pen.steadying * CALMEST * pen.grain / step);
    let mut calm: Vec<Pt> = way.clone();
    let stops: Vec<usize> = [0].into_iter().chain(corners.iter().copied()).chain([way.len() - 1]).collect();
    for w in stops.windows(2) {
        let part = smoothed(&way[w[0]..=w[1]], radius);
        calm[w[0]..=w[1]].copy_from_slice(&part);
    }
    let broad = box_radius((pen.grain + 0.25 * pen.width) / step);
    let widths = evened(&widths, broad);
    let points = calm.iter().zip(widths).map(|(p, w)| [p.x, p.y, w]).collect();
    Ok(Way { points, corners })
}

/// The stroke at even steps along its way, the width there, and the step.
fn read_evenly(samples: &[Sample], pen: &Pen) -> (Vec<Pt>, Vec<f64>, f64) {
    let mut run = vec![0.0; samples.len()];
    for k in 1..samples.len() {
        run[k] = run[k - 1] + samples[k].at().dist(samples[k - 1].at());
    }
    let whole = run[samples.len() - 1];
    let fine = (0.25 * pen.width).min(0.3 * pen.grain).clamp(0.15, 1.0);
    let step = fine.max(whole / MOST_PLACES);
    let count = (whole / step).ceil().max(1.0) as usize;
    let step = if whole > 0.0 { whole / count as f64 } else { fine };
    let told = |k: usize| {
        let Sample(_, _, pressure, tilt, _) = samples[k];
        let pressure = pressure.filter(|p| p.is_finite()).unwrap_or(1.0).clamp(0.0, 1.0);
        let lean = tilt.map_or(0.0, |[x, y]| (x.hypot(y) / FLAT).min(1.0));
        (pressure, if lean.is_finite() { lean } else { 0.0 })
    };
    // Between two samples; without times a hand is taken to be as quick everywhere.
    let speed = |k: usize| match (samples[k].4, samples[k + 1].4) {
        (Some(a), Some(b)) if b > a => (run[k + 1] - run[k]) / (b - a),
        _ => 0.0,
    };
    let (mut way, mut widths) = (Vec::with_capacity(count + 1), Vec::with_capacity(count + 1));
    let mut k = 0;
    for n in 0..=count {
        let s = if n == count { whole } else { n as f64 * step };
        while k + 2 < samples.len() && run[k + 1] < s {
            k += 1;
        }
        let next = (k + 1).min(samples.len() - 1);
        let t = if run[next] > run[k] { ((s - run[k]) / (run[next] - run[k])).clamp(0.0, 1.0) } else { 0.0 };
        way.push(samples[k].at().lerp(samples[next].at(), t));
        let ((p, a), (q, b)) = (told(k), told(next));
        let quick = if next > k { speed(k) } else { 0.0 };
        widths.push(pen.width_at(p + (q - p) * t, a + (b - a) * t, quick));
    }
    for k in 1..samples.len().saturating_sub(1) {
        let (a, b) = (samples[k].at() - samples[k - 1].at(), samples[k + 1].at() - samples[k].at());
        if a.cross(b).atan2(a.dot(b)).abs().to_degrees() > SHARP {
            way[(run[k] / step).round() as usize] = samples[k].at();
        }
    }
    (way[0], way[count]) = (samples[0].at(), samples[samples.len() - 1].at());
    (way, widths, step)
}

/// Where a way turns sharply, as seen from a place so far before to one so far behind, px: a tremor does not count.
pub(super) fn corners_of(way: &[Pt], reach: f64, step: f64) -> Vec<usize> {
    let n = way.len();
    // Nearer ones along the way cannot lie so far off; a sharp sample may lie half a step beside its place.
    let least = ((reach / step) as usize).saturating_sub(2).max(1);
    // By place: the nearest ones before and behind that lie so far off, and the turn between them.
    let seen: Vec<Option<(usize, usize, f64)>> = (0..n)
        .map(|k| {
            let is_far = |o: &usize| {
                let d = way[*o] - way[k];
                d.dot(d) >= reach * reach
            };
            let before = (0..=k.checked_sub(least)?).rev().find(is_far)?;
            let behind = (k + least..n).find(is_far)?;
            let (a, b) = (way[k] - way[before], way[behind] - way[k]);
            Some((before, behind, a.cross(b).atan2(a.dot(b)).abs().to_degrees()))
        })
        .collect();
    let turn = |k: usize| seen[k].map_or(0.0, |s| s.2);
    let is_corner = |&k: &usize| {
        let Some((before, behind, sharp)) = seen[k] else { return false };
        // Of several that are as sharp the first one is it.
        sharp > CORNER && (before..=behind).all(|o| turn(o) < sharp || (turn(o) == sharp && o >= k))
    };
    (0..n).filter(is_corner).collect()
}

/// The radius of a running mean that, done three times, has a deviation, in places.
pub(super) fn box_radius(deviation: f64) -> usize {
    (((1.0 + 4.0 * deviation * deviation).sqrt() - 1.0) / 2.0).round() as usize
}

/// The means of all stretches of `2 radius + 1` places.
fn running_mean(list: &[Pt], radius: usize) -> Vec<Pt> {
    let span = 2 * radius + 1;
    let mut sum = list[..span].iter().fold(pt(0.0, 0.0), |s, p| s + *p);
    let mut out = vec![sum * (1.0 / span as f64)];
    for k in span..list.len() {
        sum = sum + list[k] - list[k - span];
        out.push(sum * (1.0 / span as f64));
    }
    out
}

/// A part of the way, blurred; beyond its ends it is taken to go on as its image in a point.
fn blurred(part: &[Pt], radius: usize) -> Vec<Pt> {
    let n = part.len();
    let pad = 3 * radius;
    let before = (1..=pad).rev().map(|k| part[0] * 2.0 - part[k]);
    let behind = (1..=pad).map(|k| part[n - 1] * 2.0 - part[n - 1 - k]);
    let all: Vec<Pt> = before.chain(part.iter().copied()).chain(behind).collect();
    (0..3).fold(all, |list, _| running_mean(&list, radius))
}

pub(super) fn smoothed(part: &[Pt], radius: usize) -> Vec<Pt> {
    let n = part.len();
    let radius = radius.min((n - 1) / 3);
    if radius == 0 {
        return part.to_vec();
    }
    let once = blurred(part, radius);
    let twice = blurred(&once, radius);
    let mut out: Vec<Pt> = once.iter().zip(&twice).map(|(a, b)| *a * 2.0 - *b).collect();
    (out[0], out[n - 1]) = (part[0], part[n - 1]);
    out
}

/// Widths blurred along the way; beyond its ends they are taken to go back.
fn evened(widths: &[f64], radius: usize) -> Vec<f64> {
    let n = widths.len();
    let radius = radius.min((n - 1) / 3);
    if radius == 0 {
        return widths.to_vec();
    }
    let pad = 3 * radius;
    let before = (1..=pad).rev().map(|k| widths[k]);
    let behind = (1..=pad).map(|k| widths[n - 1 - k]);
    let all: Vec<Pt> = before.chain(widths.iter().copied()).chain(behind).map(|w| pt(w, 0.0)).collect();
    (0..3).fold(all, |list, _| running_mean(&list, radius)).iter().map(|p| p.x).collect()
}

/// The line that a stroke gives: a centreline with round ends. Errors: as of [`shaped`].
///
/// ```
/// use rhizograph_core::draw::{Follows, Pen, Sample, ink};
///
/// let pen = Pen { width: 6.0, steadying: 0.3, follows: Follows::Steady, tilt: 0.0, grain: 1.0 };
/// let samples: Vec<Sample> = (0..40).map(|k| Sample(10.0 + 3.0 * k as f64, 20.0, None, None, None)).collect();
/// let line = ink(&samples, &pen).unwrap();
/// # assert!(matches!(line, rhizograph_core::model::line::Form::Centreline { .. }));
/// ```
pub fn ink(samples: &[Sample], pen: &Pen) -> Result<Form, Error> {
    let Way { points, corners } = shaped(samples, pen)?;
    let way: Vec<Pt> = points.iter().map(|p| pt(p[0], p[1])).collect();
    let ends = [End::Round, End::Round];
    let whole = polyline_len(&way);
    if whole < 0.25 {
        // The pen was set down and not moved.
        let dot = way[0].snapped();
        let spine = Spine::through(&[dot, dot + pt(0.25, 0.0)], false);
        return Ok(Form::Centreline { spine, width: vec![[0.0, on_grid(points[0][2])]], ends });
    }
    let curves = curves_along(&way, &corners, [None, None]);
    let last = (points.len() - 1).max(1) as f64;
    let profile: Vec<[f64; 2]> = points.iter().enumerate().map(|(k, p)| [k as f64 / last, p[2]]).collect();
    let width = thin_profile(&profile, 0.05).into_iter().map(|[s, w]| [s, on_grid(w)]).collect();
    Ok(Form::Centreline { spine: Spine { points: curves, closed: false }, width, ends })
}
