//! A line and its forms: a centreline with its width along it, the outline of solid ink, or a seam without ink.

use crate::geom::{Pt, polyline_len};
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// A chain of cubic Bézier curves: `3 n + 1` points, ends and handles in turn. A closed one ends where it starts.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Spine {
    pub points: Vec<Pt>,
    pub closed: bool,
}

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

/// A place on a spine: a curve's number and the parameter there, 0 to 1.
#[derive(Debug, Clone, Copy, PartialEq, PartialOrd)]
pub struct Place {
    pub curve: usize,
    pub t: f64,
}

/// Where a line's ink is cut off straight: no ink of it lies on the far side.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Facet {
    pub at: Pt,
    /// Square to the cut, towards the line.
    pub inward: Pt,
    /// How far along the line from there it holds, px.
    pub reach: f64,
}

/// A centreline's points with all the ink they bear, and where that is cut off at either end.
#[derive(Debug, Clone, PartialEq)]
pub struct Stroke {
    pub flat: Vec<FlatPoint>,
    pub facets: [Option<Facet>; 2],
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

/// Lines that many states of a sheet have in common.
pub fn shared(lines: Vec<Line>) -> Vec<Arc<Line>> {
    lines.into_iter().map(Arc::new).collect()
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Line {
    #[ts(type = "number")]
    pub id: u64,
    #[serde(flatten)]
    pub form: Form,
    pub made: Made,
    /// The swatch that colours it; `None`: the lifted ink's colour.
    pub swatch: Option<String>,
    pub opacity: f64,
    #[ts(type = "number | null")]
    pub group: Option<u64>,
}

/// A point of a flattened line and the ink's width there (0 on a seam).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FlatPoint {
    pub p: Pt,
    pub width: f64,
}

fn cubic_at(c: &[Pt], t: f64) -> Pt {
    let u = 1.0 - t;
    c[0] * (u * u * u) + c[1] * (3.0 * u * u * t) + c[2] * (3.0 * u * t * t) + c[3] * (t * t * t)
}

impl Spine {
    /// A straight run through points.
    pub fn through(points: &[Pt], closed: bool) -> Spine {
        let mut out = vec![points[0].snapped()];
        for w in points.windows(2) {
            out.extend([w[0].lerp(w[1], 1.0 / 3.0).snapped(), w[0].lerp(w[1], 2.0 / 3.0).snapped(), w[1].snapped()]);
        }
        Spine { points: out, closed }
    }

    pub fn cubics(&self) -> impl Iterator<Item = &[Pt]> {
        (0..self.points.len().saturating_sub(1) / 3).map(|i| &self.points[3 * i..3 * i + 4])
    }

    /// A polyline within `tolerance` px of the curve, holding every joint of the curves exactly.
    pub fn flatten(&self, tolerance: f64) -> Vec<Pt> {
        let mut out: Vec<Pt> = self.points.first().copied().into_iter().collect();
        for c in self.cubics() {
            let n = pieces_of(c, tolerance);
            out.extend((1..n).map(|i| cubic_at(c, i as f64 / n as f64)));
            out.push(c[3]);
        }
        out
    }

    /// Where the points of the same polyline lie on the spine.
    pub fn places(&self, tolerance: f64) -> Vec<Place> {
        let mut out = vec![Place { curve: 0, t: 0.0 }];
        for (curve, c) in self.cubics().enumerate() {
            let n = pieces_of(c, tolerance);
            out.extend((1..=n).map(|i| Place { curve, t: i as f64 / n as f64 }));
        }
        out
    }

    pub fn at(&self, place: Place) -> Pt {
        let last = self.points.len().saturating_sub(1) / 3;
        let k = 3 * place.curve.min(last.saturating_sub(1));
        self.points.get(k..k + 4).map_or(self.points[0], |c| cubic_at(c, place.t))
    }

    /// The stretch from one place to another behind it; curves that lie in it whole stay as they are.
    pub fn between(&self, from: Place, to: Place) -> Spine {
        let mut points: Vec<Pt> = vec![self.at(from).snapped()];
        for (k, c) in self.cubics().enumerate().take(to.curve + 1).skip(from.curve) {
            let t0 = if k == from.curve { from.t } else { 0.0 };
            let t1 = if k == to.curve { to.t } else { 1.0 };
            if t1 <= t0 {
                continue;
            }
            if t0 <= 0.0 && t1 >= 1.0 {
                points.extend(&c[1..]);
                continue;
            }
            let [a, b, c, d] = [c[0], c[1], c[2], c[3]].map(|p| (p.x, p.y));
            let part = kurbo::ParamCurve::subsegment(&kurbo::CubicBez::new(a, b, c, d), t0..t1);
            points.extend([part.p1, part.p2, part.p3].map(|p| Pt { x: p.x, y: p.y }.snapped()));
        }
        Spine { points, closed: false }
    }

    /// The spine led through a map, within `tolerance` px: curves that it does not take for curves are divided.
    pub fn mapped(&self, map: &impl Fn(Pt) -> Pt, tolerance: f64) -> Spine {
        let mut points: Vec<Pt> = self.points.first().map(|&p| map(p).snapped()).into_iter().collect();
        for c in self.cubics() {
            lead([c[0], c[1], c[2], c[3]], map, tolerance, &mut points);
        }
        Spine { points, closed: self.closed }
    }
}

/// Adds a curve led through a map to the `out` it goes on from, divided as often as it takes.
fn lead(c: [Pt; 4], map: &impl Fn(Pt) -> Pt, tolerance: f64, out: &mut Vec<Pt>) {
    let led = c.map(map);
    let holds = |t: f64| map(cubic_at(&c, t)).dist(cubic_at(&led, t)) <= tolerance;
    // So short a curve ends where the grid does.
    let is_short = c[0].dist(c[1]) + c[1].dist(c[2]) + c[2].dist(c[3]) < 2.0;
    if is_short || [0.25, 0.5, 0.75].into_iter().all(holds) {
        out.extend(led[1..].iter().map(|p| p.snapped()));
        return;
    }
    let [ab, bc, cd] = [c[0].lerp(c[1], 0.5), c[1].lerp(c[2], 0.5), c[2].lerp(c[3], 0.5)];
    let (abc, bcd) = (ab.lerp(bc, 0.5), bc.lerp(cd, 0.5));
    let middle = abc.lerp(bcd, 0.5);
    lead([c[0], ab, abc, middle], map, tolerance, out);
    lead([middle, bcd, cd, c[3]], map, tolerance, out);
}

/// How many straight pieces follow a curve within `tolerance` px: the second differences bound how far the chord of one
/// is from it.
fn pieces_of(c: &[Pt], tolerance: f64) -> usize {
    let bend = (c[0] - c[1] * 2.0 + c[2]).len().max((c[1] - c[2] * 2.0 + c[3]).len());
    (0.75 * bend / tolerance.max(1e-3)).sqrt().ceil().clamp(1.0, 500.0) as usize
}

/// The width at place `s` (0 to 1) of a profile.
pub fn width_at(profile: &[[f64; 2]], s: f64) -> f64 {
    let Some(first) = profile.first() else {
        return 0.0;
    };
    let k = profile.partition_point(|k| k[0] <= s);
    if k == 0 {
        return first[1];
    }
    let a = profile[k - 1];
    let Some(b) = profile.get(k) else { return a[1] };
    a[1] + (b[1] - a[1]) * ((s - a[0]) / (b[0] - a[0]).max(1e-12)).clamp(0.0, 1.0)
}

impl Line {
    /// The middle path, if the line has one.
    pub fn spine(&self) -> Option<&Spine> {
        match &self.form {
            Form::Centreline { spine, .. } | Form::Seam { spine } => Some(spine),
            Form::Outline { .. } => None,
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
                    let mut run = vec![0.0];
                    run.extend(path.windows(2).scan(0.0, |s, w| {
                        *s += w[0].dist(w[1]);
                        Some(*s)
                    }));
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
        let mut lengths = vec![0.0];
        lengths.extend(flat.windows(2).scan(0.0, |s, w| {
            *s += w[0].dist(w[1]);
            Some(*s)
        }));
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

/// Where the ink is cut off before the first of `flat`, which is carried on to there.
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
    Some(Facet { at: first.p, inward, reach: 2.0 * (half + beyond) + 2.0 })
}

/// Leaves out the knots of a width profile that lie within `tolerance` px of the line between their neighbours
/// (Douglas and Peucker, "Algorithms for the reduction of the number of points", 1973).
pub fn thin_profile(profile: &[[f64; 2]], tolerance: f64) -> Vec<[f64; 2]> {
    let n = profile.len();
    if n < 3 {
        return profile.to_vec();
    }
    let mut keep = vec![false; n];
    keep[0] = true;
    keep[n - 1] = true;
    let mut todo = vec![(0, n - 1)];
    while let Some((a, b)) = todo.pop() {
        let off = |i: usize| {
            let t = (profile[i][0] - profile[a][0]) / (profile[b][0] - profile[a][0]).max(1e-12);
            (profile[i][1] - profile[a][1] - (profile[b][1] - profile[a][1]) * t).abs()
        };
        if let Some(i) = (a + 1..b).max_by(|&i, &j| off(i).total_cmp(&off(j)))
            && off(i) > tolerance
        {
            keep[i] = true;
            todo.extend([(a, i), (i, b)]);
        }
    }
    (0..n).filter(|&i| keep[i]).map(|i| profile[i]).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geom::{nearest_on_segment, pt};
    use crate::intake::Homography;
    use proptest::prelude::*;

    fn curves(points: &[(f64, f64)]) -> Spine {
        let n = (points.len() - 1) / 3 * 3 + 1;
        Spine { points: points[..n].iter().map(|p| pt(p.0, p.1).snapped()).collect(), closed: false }
    }

    fn off(p: Pt, path: &[Pt]) -> f64 {
        let to = |w: &[Pt]| p.dist(w[0].lerp(w[1], nearest_on_segment(p, w[0], w[1])));
        path.windows(2).map(to).fold(f64::INFINITY, f64::min)
    }

    proptest! {
        #[test]
        fn a_turned_and_enlarged_curve_keeps_its_curves_and_its_place(
            points in proptest::collection::vec((0.0f64..400.0, 0.0f64..300.0), 4..14),
            angle in -3.0f64..3.0, by in 0.4f64..2.5, x in -50.0f64..50.0,
        ) {
            let spine = curves(&points);
            let (s, k) = (by * angle.sin(), by * angle.cos());
            let map = Homography::affine([k, -s, x, s, k, 20.0]);
            let led = spine.mapped(&|p| map.map(p), 0.05);
            prop_assert_eq!(led.points.len(), spine.points.len());
            for (a, b) in spine.points.iter().zip(&led.points) {
                prop_assert!(map.map(*a).dist(*b) < 0.01);
            }
        }

        #[test]
        fn a_curve_on_a_sheet_squared_up_goes_where_its_points_go(
            points in proptest::collection::vec((0.0f64..400.0, 0.0f64..300.0), 4..11),
            q in proptest::array::uniform8(-60.0f64..60.0),
        ) {
            let spine = curves(&points);
            let from = [pt(0.0, 0.0), pt(400.0, 0.0), pt(400.0, 300.0), pt(0.0, 300.0)];
            let to: [Pt; 4] = std::array::from_fn(|i| from[i] + pt(q[2 * i], q[2 * i + 1]));
            let map = Homography::between(from, to).unwrap();
            let led = spine.mapped(&|p| map.map(p), 0.05);
            let path = led.flatten(0.01);
            for p in spine.flatten(0.1) {
                let off = off(map.map(p), &path);
                prop_assert!(off < 0.12, "{} px off", off);
            }
            // The ends go exactly there.
            for (a, b) in [(spine.points[0], led.points[0]), (spine.points[spine.points.len() - 1], led.points[led.points.len() - 1])] {
                prop_assert!(map.map(a).dist(b) < 0.01);
            }
        }
    }

    #[test]
    fn a_flattened_curve_stays_within_its_tolerance() {
        let spine =
            Spine { points: vec![pt(0.0, 0.0), pt(0.0, 55.2), pt(44.8, 100.0), pt(100.0, 100.0)], closed: false };
        let flat = spine.flatten(0.05);
        for w in flat.windows(2) {
            let m = w[0].lerp(w[1], 0.5);
            assert!((m.dist(pt(100.0, 0.0)) - 100.0).abs() < 0.05 + 0.03);
        }
        assert!(flat.len() < 60);
    }

    #[test]
    fn widths_run_straight_between_their_knots() {
        let profile = [[0.0, 2.0], [0.5, 6.0], [1.0, 6.0]];
        assert_eq!(width_at(&profile, 0.25), 4.0);
        assert_eq!(width_at(&profile, 0.9), 6.0);
        assert_eq!(thin_profile(&[[0.0, 2.0], [0.2, 3.0], [0.4, 4.0], [1.0, 7.0]], 0.1), vec![[0.0, 2.0], [1.0, 7.0]]);
    }
}
