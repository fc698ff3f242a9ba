//! A line and its forms: a centreline with its width along it, the outline of solid ink, or a seam without ink.

use crate::geom::flat::{Facet, FlatPoint, Stroke};
use crate::geom::profile::{thin_profile, width_at};
use crate::geom::spine::{Place, Spine};
use crate::geom::{Bounds, Pt, lengths, polyline_len};
use crate::model::order::Order;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// How the ink of a centreline ends.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum End {
    Round,
    Flat,
    /// Cut parallel to this direction: the line it was cut at.
    AlongCutter(Pt),
}

/// How lines end where they are cut.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum EndStyle {
    /// Rounded off, the tip at the cutter.
    Round,
    /// Square to the line, the foremost corner at the cutter.
    Flat,
    /// Exactly as the cutter ran.
    #[default]
    AlongCutter,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "kind")]
pub enum Form {
    /// `width`: places along the spine (0 to 1, by length) and the width there, px, linear between.
    Centreline {
        spine: Spine,
        width: Vec<[f64; 2]>,
        ends: [End; 2],
    },
    Outline {
        contours: Vec<Spine>,
    },
    Seam {
        spine: Spine,
    },
}

/// Where a line came from: traced ones may be replaced by tracing again, the others are somebody's work.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Made {
    Traced,
    /// Traced, then edited (a tail cut off, say).
    Edited,
    Bridge,
    Hand,
}

/// The lines of one state that are not in another as they are, and the other way round: gone or changed, new or changed.
/// States have most lines in common, so those at both ends of the lists that are the same are passed over first.
pub fn unlike<'a>(before: &'a [Arc<Line>], after: &'a [Arc<Line>]) -> (Vec<&'a Arc<Line>>, Vec<&'a Arc<Line>>) {
    let same = |(a, b): &(&Arc<Line>, &Arc<Line>)| Arc::ptr_eq(a, b);
    let least = before.len().min(after.len());
    let first = before.iter().zip(after).take_while(same).count();
    let last = before.iter().rev().zip(after.iter().rev()).take(least - first).take_while(same).count();
    let (before, after) = (&before[first..before.len() - last], &after[first..after.len() - last]);
    let old: FxHashMap<u64, &Arc<Line>> = before.iter().map(|l| (l.id, l)).collect();
    let new: FxHashMap<u64, &Arc<Line>> = after.iter().map(|l| (l.id, l)).collect();
    let stays = |l: &Arc<Line>, there: Option<&&Arc<Line>>| there.is_some_and(|o| is_same(o, l));
    (
        before.iter().filter(|l| !stays(l, new.get(&l.id))).collect(),
        after.iter().filter(|l| !stays(l, old.get(&l.id))).collect(),
    )
}

/// Whether two are the same line as it is.
pub fn is_same(a: &Arc<Line>, b: &Arc<Line>) -> bool {
    Arc::ptr_eq(a, b) || **a == **b
}

/// Lines that many states of a sheet have in common, one put on the other.
pub fn piled(lines: Vec<Line>) -> Vec<Arc<Line>> {
    piled_between(lines, None, None)
}

/// The same between two places in the order.
pub fn piled_between(lines: Vec<Line>, low: Option<&Order>, high: Option<&Order>) -> Vec<Arc<Line>> {
    let orders = Order::spread(lines.len(), low, high);
    lines.into_iter().zip(orders).map(|(line, order)| Arc::new(Line { order, ..line })).collect()
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Line {
    #[ts(type = "number")]
    pub id: u64,
    /// Its place from the lowest to the topmost.
    pub order: Order,
    #[serde(flatten)]
    pub form: Form,
    pub made: Made,
    /// The swatch that colours it; `None`: the lifted ink's colour.
    pub swatch: Option<String>,
    pub opacity: f64,
    #[ts(type = "number | null")]
    pub group: Option<u64>,
}

impl Line {
    /// A line in the ink's colour that nobody put anywhere in the order yet.
    pub fn new(id: u64, form: Form, made: Made) -> Line {
        Line { id, order: Order::default(), form, made, swatch: None, opacity: 1.0, group: None }
    }

    /// The middle path, if the line has one.
    pub fn spine(&self) -> Option<&Spine> {
        match &self.form {
            Form::Centreline { spine, .. } | Form::Seam { spine } => Some(spine),
            Form::Outline { .. } => None,
        }
    }

    /// A box around its geometry, its width left aside.
    pub fn bounds(&self) -> Bounds {
        match &self.form {
            Form::Centreline { spine, .. } | Form::Seam { spine } => Bounds::of(&spine.points),
            Form::Outline { contours } => Bounds::of(contours.iter().flat_map(|c| &c.points)),
        }
    }

    /// The same line elsewhere.
    pub fn moved(mut self, by: Pt) -> Line {
        let go = |spine: &mut Spine| spine.points.iter_mut().for_each(|p| *p = *p + by);
        match &mut self.form {
            Form::Centreline { spine, .. } | Form::Seam { spine } => go(spine),
            Form::Outline { contours } => contours.iter_mut().for_each(go),
        }
        self
    }

    /// The line led through a map that enlarges things `scale` times at a place of it, and takes a direction there to
    /// `turn`: within `tolerance` px, its width with it.
    pub fn mapped(
        &self,
        map: &impl Fn(Pt) -> Pt,
        scale: &impl Fn(Pt) -> f64,
        turn: &impl Fn(Pt, Pt) -> Pt,
        tolerance: f64,
    ) -> Line {
        let form = match &self.form {
            Form::Seam { spine } => Form::Seam { spine: spine.mapped(map, tolerance) },
            Form::Outline { contours } => {
                Form::Outline { contours: contours.iter().map(|c| c.mapped(map, tolerance)).collect() }
            }
            Form::Centreline { spine, width, ends } => {
                // Lengths along the line, before and after.
                let flat = spine.flatten(0.2);
                let (Some(&first), Some(&last)) = (flat.first(), flat.last()) else {
                    return self.clone();
                };
                let run = |path: &[Pt]| {
                    let mut run = lengths(path);
                    let whole = run[run.len() - 1].max(1e-12);
                    run.iter_mut().for_each(|s| *s /= whole);
                    run
                };
                let before = run(&flat);
                let after = run(&flat.iter().map(|&p| map(p)).collect::<Vec<_>>());
                let mut shares: Vec<f64> = width.iter().map(|k| k[0]).chain(before.iter().copied()).collect();
                shares.sort_by(f64::total_cmp);
                shares.dedup();
                let knot = |&s: &f64| {
                    let k = before.partition_point(|&b| b <= s).clamp(1, before.len().max(2) - 1);
                    let (Some(&to), Some(&p)) = (before.get(k), flat.get(k)) else {
                        return [s, width_at(width, s) * scale(first)];
                    };
                    let t = ((s - before[k - 1]) / (to - before[k - 1]).max(1e-12)).clamp(0.0, 1.0);
                    let share = after[k - 1] + (after[k] - after[k - 1]) * t;
                    [share, width_at(width, s) * scale(flat[k - 1].lerp(p, t))]
                };
                let knots = thin_profile(&shares.iter().map(knot).collect::<Vec<_>>(), 0.02);
                let on_grid = |k: [f64; 2]| [k[0], (k[1] * 256.0).round() / 256.0];
                let mut ends = *ends;
                for (end, at) in ends.iter_mut().zip([first, last]) {
                    if let End::AlongCutter(d) = end {
                        *d = turn(*d, at);
                    }
                }
                let width = knots.into_iter().map(on_grid).collect();
                Form::Centreline { spine: spine.mapped(map, tolerance), width, ends }
            }
        };
        Line { form, ..self.clone() }
    }

    /// Whether a line from outside is one: curves of finite numbers, widths in their order.
    pub fn is_sound(&self) -> bool {
        let number = |p: &Pt| p.x.is_finite() && p.y.is_finite();
        let chain = |s: &Spine| s.points.len() >= 4 && s.points.len() % 3 == 1 && s.points.iter().all(number);
        let b = self.bounds();
        let has_size = (b.max - b.min).len() > 0.05;
        has_size
            && (0.0..=1.0).contains(&self.opacity)
            && match &self.form {
                Form::Seam { spine } => chain(spine),
                Form::Outline { contours } => !contours.is_empty() && contours.iter().all(|c| c.closed && chain(c)),
                Form::Centreline { spine, width, .. } => {
                    let knot = |k: &[f64; 2]| (0.0..=1.0).contains(&k[0]) && (0.01..=4000.0).contains(&k[1]);
                    let in_order = width.is_sorted_by(|a, b| a[0] <= b[0]);
                    chain(spine) && !width.is_empty() && width.iter().all(knot) && in_order
                }
            }
    }

    /// Its ink is drawn from its geometry; that of the others is what was lifted.
    pub fn is_drawn(&self) -> bool {
        matches!(self.made, Made::Bridge | Made::Hand)
    }

    pub fn is_seam(&self) -> bool {
        matches!(self.form, Form::Seam { .. })
    }

    /// The middle path as points with widths, within `tolerance` px. Empty for an outline.
    pub fn flat(&self, tolerance: f64) -> Vec<FlatPoint> {
        let Some(spine) = self.spine() else {
            return Vec::new();
        };
        let points = spine.flatten(tolerance);
        let total = polyline_len(&points).max(1e-12);
        let mut s = 0.0;
        let mut out = Vec::with_capacity(points.len());
        for (i, &p) in points.iter().enumerate() {
            if i > 0 {
                s += p.dist(points[i - 1]);
            }
            let width = match &self.form {
                Form::Centreline { width, .. } => width_at(width, s / total),
                _ => 0.0,
            };
            out.push(FlatPoint { p, width });
        }
        out
    }

    /// The same as x, y, width.
    pub fn ink_path(&self, tolerance: f64) -> Vec<[f64; 3]> {
        self.flat(tolerance).iter().map(|f| [f.p.x, f.p.y, f.width]).collect()
    }

    /// The same line with a joint of its curves wherever its width would not be told by the points it is flattened to: a
    /// straight curve has but two.
    pub fn jointed(self) -> Line {
        let Form::Centreline { spine, width, ends } = &self.form else { return self };
        let (flat, places) = (spine.flatten(0.1), spine.places(0.1));
        let run = lengths(&flat);
        let whole = run[run.len() - 1].max(1e-12);
        let told = |s: f64| {
            let k = run.partition_point(|r| r / whole <= s).clamp(1, run.len().max(2) - 1);
            let (a, b) = (run[k - 1] / whole, run.get(k).copied().unwrap_or(whole) / whole);
            let t = ((s - a) / (b - a).max(1e-12)).clamp(0.0, 1.0);
            (k, t, width_at(width, a) + (width_at(width, b) - width_at(width, a)) * t)
        };
        let mut joints: Vec<Place> = Vec::new();
        for knot in width.iter().filter(|k| k[0] > 0.0 && k[0] < 1.0) {
            let (k, t, seen) = told(knot[0]);
            if (seen - knot[1]).abs() > 0.02 && k < places.len() {
                let (a, b) = (places[k - 1], places[k]);
                let from = if a.curve == b.curve { a.t } else { 0.0 };
                joints.push(Place { curve: b.curve, t: from + (b.t - from) * t });
            }
        }
        joints.retain(|j| j.t > 1e-3 && j.t < 1.0 - 1e-3);
        if joints.is_empty() {
            return self;
        }
        let last = Place { curve: (spine.points.len() - 1) / 3 - 1, t: 1.0 };
        let stops: Vec<Place> = [Place { curve: 0, t: 0.0 }].into_iter().chain(joints).chain([last]).collect();
        let mut points = vec![spine.points[0]];
        for w in stops.windows(2) {
            points.extend(spine.between(w[0], w[1]).points.into_iter().skip(1));
        }
        let form =
            Form::Centreline { spine: Spine { points, closed: spine.closed }, width: width.clone(), ends: *ends };
        Line { form, ..self }
    }

    /// The same with all that is drawn: where an end is cut off slantwise, the ink goes on beyond the spine to the cut.
    pub fn stroke(&self, tolerance: f64) -> Stroke {
        let mut flat = self.flat(tolerance);
        let mut facets = [None, None];
        if let Form::Centreline { spine: Spine { closed: false, .. }, ends, .. } = &self.form {
            for (side, end) in ends.iter().enumerate() {
                if side == 1 {
                    flat.reverse();
                }
                facets[side] = facet(&mut flat, *end);
                if side == 1 {
                    flat.reverse();
                }
            }
        }
        Stroke { flat, facets }
    }

    /// The stretch of a centreline or seam from one place to another, round through its start where that lies before
    /// `from` on a line that closes on itself; its width along it is as it was. `None` for an outline.
    pub fn stretch(&self, from: Place, to: Place) -> Option<Line> {
        let spine = self.spine()?;
        let (flat, places) = (spine.flatten(0.05), spine.places(0.05));
        let lengths = lengths(&flat);
        let total = lengths[lengths.len() - 1].max(1e-12);
        let along = |place: Place| {
            let k = places.partition_point(|p| *p <= place).clamp(1, places.len()) - 1;
            (lengths[k] + flat[k].dist(spine.at(place))) / total
        };
        let (s0, mut s1) = (along(from), along(to));
        let part = if from <= to {
            spine.between(from, to)
        } else {
            s1 += 1.0;
            let mut head = spine.between(from, places[places.len() - 1]);
            head.points.extend(&spine.between(places[0], to).points[1..]);
            head
        };
        let form = match &self.form {
            Form::Centreline { width, ends, .. } => {
                let at = |s: f64| width_at(width, if s > 1.0 { s - 1.0 } else { s });
                let mut inner: Vec<f64> = width.iter().flat_map(|k| [k[0], k[0] + 1.0]).collect();
                inner.retain(|s| *s > s0 && *s < s1);
                inner.sort_by(f64::total_cmp);
                let knot = |s: f64| [(s - s0) / (s1 - s0).max(1e-12), at(s)];
                let knots: Vec<[f64; 2]> = [s0].into_iter().chain(inner).chain([s1]).map(knot).collect();
                Form::Centreline { spine: part, width: thin_profile(&knots, 0.02), ends: *ends }
            }
            _ => Form::Seam { spine: part },
        };
        Some(Line { form, ..self.clone() })
    }

    /// The closed rings of an outline, as points. Empty for the other forms.
    pub fn rings(&self, tolerance: f64) -> Vec<Vec<Pt>> {
        match &self.form {
            Form::Outline { contours } => contours
                .iter()
                .map(|c| {
                    let mut ring = c.flatten(tolerance);
                    ring.pop();
                    ring
                })
                .filter(|r| r.len() >= 3)
                .collect(),
            _ => Vec::new(),
        }
    }
}

/// Where the ink is cut off before the first of `flat`, which is carried on to there and has a point where the cut ends
/// to hold.
fn facet(flat: &mut Vec<FlatPoint>, end: End) -> Option<Facet> {
    let first = *flat.first()?;
    let dir = flat.iter().map(|f| f.p - first.p).find(|d| d.len() > 0.25 * first.width.max(0.1))?.unit();
    let half = first.width / 2.0;
    // A cut nearly along the line would draw its tip out without end.
    let (inward, beyond) = match end {
        End::Round => return None,
        End::Flat => (dir, 0.0),
        End::AlongCutter(d) if d.turned().unit().dot(dir).abs() < 0.3 => (dir, 0.0),
        End::AlongCutter(d) => {
            let normal = d.turned().unit();
            let across = normal.dot(dir);
            (normal * across.signum(), half * (1.0 - across * across).sqrt() / across.abs())
        }
    };
    if beyond > 0.01 {
        flat.insert(0, FlatPoint { p: first.p - dir * beyond, width: first.width });
    }
    let reach = 2.0 * (half + beyond) + 2.0;
    let mut run = 0.0;
    for k in 1..flat.len() {
        let (a, b) = (flat[k - 1], flat[k]);
        let step = a.p.dist(b.p);
        if run + step > reach {
            // Up to there it is cut off, and no further, however long the piece is.
            let t = (reach - run) / step;
            if t > 1e-6 {
                flat.insert(k, FlatPoint { p: a.p.lerp(b.p, t), width: a.width + (b.width - a.width) * t });
            }
            break;
        }
        run += step;
    }
    Some(Facet { at: first.p, inward, reach })
}
