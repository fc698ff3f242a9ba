//! Cutting with an outline, drawn freely or as a box: what lies within goes. Lines are divided at the outline and end
//! there round, flat or along it; solid shapes are cut exactly on it (polygon difference by `i_overlay`).

use crate::geom::area::{Rings, common, inked, slit, united, unlike, without};
use crate::geom::flat::{FlatPoint, Stroke};
use crate::geom::spine::{Place, Spine};
use crate::geom::{Bounds, Pt, inside, nearest_on_segment, segments_cross, segments_gap, thinned};
use crate::model::erasure::{Erasure, InkPath};
use crate::model::line::{End, EndStyle, Form, Line, Made};
use std::sync::Arc;

/// How closely curves are followed, px.
const FLATNESS: f64 = 0.05;
/// How closely what is erased exactly is followed, px.
const FINE: f64 = 0.02;
/// How much of a line its end may be set back by to be rounded off or square, in halves of its width.
const MOST_BACK: f64 = 3.0;

/// What cutting does.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct CutOut {
    /// What is left of each line that is cut, by the number of the line in the list.
    pub left: Vec<(usize, Vec<Line>)>,
    /// What that takes off the lifted ink.
    pub erased: Vec<Erasure>,
    /// Where lines end now: their middle, and the tip of their ink.
    pub ends: Vec<[Pt; 2]>,
}

/// Cuts everything within `outline` (px; closed, even-odd where it crosses itself) out of a drawing.
pub fn cut_out(lines: &[Arc<Line>], outline: &[Pt], style: EndStyle) -> CutOut {
    let cutter = Cutter::of(outline);
    let mut out = CutOut::default();
    let mut beside: Vec<InkPath> = Vec::new();
    for (n, line) in lines.iter().enumerate().filter(|(_, l)| cutter.reaches(l)) {
        if let Form::Outline { .. } = &line.form {
            out.left.extend(cutter.shape_without(line).map(|left| (n, left)));
        } else if !cutter.divides((n, line), style, &mut out) && !line.is_seam() {
            beside.extend(cutter.reaching_in(&line.flat(FLATNESS)));
        }
    }
    out.erased.push(Erasure::Within { outline: slit(&cutter.rings), beside });
    out
}

/// What of each line lies within an outline, by the number of the line in the list: stretches that end along it, shapes cut on
/// it.
pub fn pieces_within(lines: &[Arc<Line>], outline: &[Pt]) -> Vec<(usize, Vec<Line>)> {
    let cutter = Cutter::of(outline);
    let pieces = |line: &Line| -> Vec<Line> {
        if let Form::Outline { .. } = &line.form {
            return common(&line.rings(FLATNESS), &cutter.rings).iter().map(|s| shape(line, s)).collect();
        }
        let flat = line.flat(FLATNESS);
        let stretches = line.spine().and_then(|s| cutter.stretches(&flat, s, true)).unwrap_or_default();
        stretches.iter().filter_map(|s| finished(line, s, EndStyle::AlongCutter).0).collect()
    };
    let near = lines.iter().enumerate().filter(|(_, l)| cutter.reaches(l));
    near.map(|(n, line)| (n, pieces(line))).filter(|(_, p)| !p.is_empty()).collect()
}

/// Takes all ink within closed rings off a drawing, exactly; of the lines that are `chosen` only. A drawn centreline stays
/// one where what is left of it can end so within [`BLUNT`]; else it becomes the outline of what is left.
pub fn erase(lines: &[Arc<Line>], rings: &[Vec<Pt>], chosen: &dyn Fn(&Line) -> bool) -> CutOut {
    let cutter = Cutter::of_rings(rings.to_vec());
    let mut out = CutOut::default();
    let (mut beside, mut spared): (Vec<InkPath>, Vec<Vec<Pt>>) = (Vec::new(), rings.to_vec());
    for (n, line) in lines.iter().enumerate().filter(|(_, l)| cutter.reaches(l)) {
        let is_outline = matches!(line.form, Form::Outline { .. });
        if !chosen(line) {
            if is_outline {
                spared = without(&spared, &line.rings(FLATNESS)).concat();
            } else if !line.is_seam() {
                beside.extend(cutter.reaching_in(&line.flat(FLATNESS)));
            }
        } else if is_outline {
            out.left.extend(cutter.shape_without(line).map(|left| (n, left)));
        } else if line.is_drawn() && !line.is_seam() {
            cutter.erases((n, line), &mut out);
        } else {
            cutter.divides((n, line), EndStyle::AlongCutter, &mut out);
        }
    }
    if !spared.is_empty() {
        out.erased.push(Erasure::Within { outline: slit(&spared), beside });
    }
    out
}

/// How far off the eraser's edge a line may end that stays a centreline, px on average along the cut, and anywhere on it.
const BLUNT: f64 = 0.03;
const BLUNT_ANYWHERE: f64 = 0.15;

/// An end of a stretch: where it lies and, if it was cut there, which way the cutter runs.
#[derive(Debug, Clone, Copy)]
struct StretchEnd {
    place: Place,
    cut: Option<Pt>,
}

struct Cutter {
    rings: Vec<Vec<Pt>>,
    bounds: Bounds,
}

impl Cutter {
    fn of(outline: &[Pt]) -> Cutter {
        let mut ring: Vec<Pt> = Vec::with_capacity(outline.len());
        for p in outline.iter().map(|p| p.snapped()) {
            if ring.last().is_none_or(|q| q.dist(p) > 0.5) {
                ring.push(p);
            }
        }
        while ring.len() > 1 && ring[0].dist(ring[ring.len() - 1]) <= 0.5 {
            ring.pop();
        }
        Cutter::of_rings(vec![ring])
    }

    fn of_rings(rings: Vec<Vec<Pt>>) -> Cutter {
        let bounds = Bounds::of(rings.iter().flatten());
        Cutter { rings, bounds }
    }

    fn edges(&self) -> impl Iterator<Item = (Pt, Pt)> + '_ {
        self.rings.iter().flat_map(|r| (0..r.len()).map(|k| (r[k], r[(k + 1) % r.len()])))
    }

    fn holds(&self, p: Pt) -> bool {
        inside(p, &self.rings)
    }

    /// Whether a line's box comes near.
    fn reaches(&self, line: &Line) -> bool {
        let widest = match &line.form {
            Form::Centreline { width, .. } => width.iter().map(|k| k[1]).fold(0.0, f64::max),
            _ => 0.0,
        };
        line.bounds().grown(widest / 2.0 + 1.0).touches(&self.bounds)
    }

    /// Divides a line with a middle at the outline; whether any of that lies within.
    fn divides(&self, (n, line): (usize, &Line), style: EndStyle, out: &mut CutOut) -> bool {
        let flat = line.flat(FLATNESS);
        let Some(stretches) = line.spine().and_then(|s| self.stretches(&flat, s, false)) else { return false };
        let is_lifted = matches!(line.made, Made::Traced | Made::Edited);
        let mut left = Vec::new();
        for stretch in stretches {
            let (part, mut erased) = finished(line, &stretch, style);
            out.ends.extend(part.iter().flat_map(|p| cut_ends(p, &stretch)));
            left.extend(part);
            if is_lifted {
                out.erased.append(&mut erased);
            }
        }
        out.left.push((n, left));
        true
    }

    /// Takes what lies within off the ink of a drawn centreline.
    fn erases(&self, (n, line): (usize, &Line), out: &mut CutOut) {
        let mut divided = CutOut::default();
        let is_divided = self.divides((n, line), EndStyle::AlongCutter, &mut divided);
        if !is_divided && self.reaching_in(&line.flat(FLATNESS)).is_empty() {
            return;
        }
        if is_divided && self.divides_cleanly(line, divided.left.first().map_or(&[], |l| &l.1)) {
            out.left.append(&mut divided.left);
            out.ends.append(&mut divided.ends);
            return;
        }
        let ink = self.ink_near(line);
        if common(&ink, &self.rings).is_empty() {
            return;
        }
        let left: Rings = without(&ink, &self.rings).concat();
        if let Some((_, lines)) = divided.left.first() {
            let seen = lines.iter().fold(Rings::new(), |all, l| united(&all, &self.ink_near(l)).concat());
            let cuts: f64 = divided.ends.iter().map(|[end, tip]| 2.0 * end.dist(*tip)).sum();
            if unlike(&seen, &left) <= BLUNT * cuts.max(0.5) {
                out.left.append(&mut divided.left);
                out.ends.append(&mut divided.ends);
                return;
            }
        }
        let shapes = without(&inked(&line.stroke(FINE)), &self.rings);
        out.left.push((n, shapes.iter().map(|s| shape(line, s)).collect()));
    }

    /// Whether the round tips of ends that are taken off go with them: none reaches out of what is erased on its other side.
    fn takes_tips(&self, line: &Line) -> bool {
        let flat = line.flat(FLATNESS);
        let n = flat.len();
        if n < 2 || line.spine().is_none_or(|s| s.closed) {
            return true;
        }
        [(flat[0], flat[1]), (flat[n - 1], flat[n - 2])].into_iter().filter(|(tip, _)| self.holds(tip.p)).all(
            |(tip, inner)| {
                let back = (tip.p - inner.p).unit() * (tip.width / 2.0);
                let around = (-4..=4).map(|k| f64::from(k) * std::f64::consts::FRAC_PI_8);
                around.map(f64::sin_cos).all(|(s, c)| self.holds(tip.p + back * c + back.turned() * s))
            },
        )
    }

    /// Whether what is left of a line ends as the outline passes, and that meets the line's ink nowhere else.
    fn divides_cleanly(&self, line: &Line, left: &[Line]) -> bool {
        if !self.takes_tips(line) {
            return false;
        }
        let mut tips: Vec<(Pt, f64)> = Vec::new();
        for part in left {
            let Form::Centreline { ends, .. } = &part.form else { continue };
            let flat = part.flat(FLATNESS);
            let n = flat.len();
            // One much shorter than it is broad is no stroke any more.
            let widest = flat.iter().map(|f| f.width).fold(0.0, f64::max);
            if n < 2 || flat.windows(2).map(|w| w[0].p.dist(w[1].p)).sum::<f64>() < 0.5 * widest {
                return false;
            }
            for (end, (tip, inner)) in ends.iter().zip([(flat[0], flat[1]), (flat[n - 1], flat[n - 2])]) {
                let End::AlongCutter(along) = end else { continue };
                let half = tip.width / 2.0;
                let slant = (inner.p - tip.p).unit().cross(along.unit()).abs();
                // What is cut nearly along ends in a sliver.
                if slant < 0.4 {
                    return false;
                }
                // Just before the cut is outside, just behind it within, all across the ink.
                let across = along.unit() * (half / slant);
                let normal = along.unit().turned();
                let inward = normal * (BLUNT_ANYWHERE * normal.dot(inner.p - tip.p).signum());
                let fits = |t: f64| {
                    let q = tip.p + across * t;
                    self.holds(q - inward) && !self.holds(q + inward)
                };
                if ![-1.0, -0.5, 0.5, 1.0].into_iter().all(fits) {
                    return false;
                }
                tips.push((tip.p, half / slant + 1.0));
            }
        }
        // An edge that passes through the ink does so at a cut: what of it lies in the ink is near that.
        let at_cut = |p: Pt| tips.iter().any(|(tip, reach)| p.dist(*tip) < *reach);
        let strays = |w: &[FlatPoint], a: Pt, b: Pt| {
            let half = w[0].width.max(w[1].width) / 2.0;
            let steps = (a.dist(b) / (0.25 * half).max(0.5)).ceil().clamp(1.0, 400.0) as usize;
            (0..=steps).map(|k| a.lerp(b, k as f64 / steps as f64)).any(|p| {
                let t = nearest_on_segment(p, w[0].p, w[1].p);
                p.dist(w[0].p.lerp(w[1].p, t)) < half && !at_cut(p)
            })
        };
        let touched = |w: &[FlatPoint]| {
            let near = Bounds::of([&w[0].p, &w[1].p]).grown(w[0].width.max(w[1].width) / 2.0);
            near.touches(&self.bounds)
                && self.edges().any(|(a, b)| near.touches(&Bounds::of([&a, &b])) && strays(w, a, b))
        };
        !line.flat(FLATNESS).windows(2).any(touched)
    }

    /// The ink of the stretches of a line that come near.
    fn ink_near(&self, line: &Line) -> Rings {
        let Stroke { flat, facets } = line.stroke(FINE);
        let near = |w: &[FlatPoint]| {
            let half = w[0].width.max(w[1].width) / 2.0 + 1.0;
            Bounds::of([&w[0].p, &w[1].p]).grown(half).touches(&self.bounds)
        };
        let mut out = Rings::new();
        let mut from = 0;
        for run in flat.windows(2).map(near).collect::<Vec<_>>().chunk_by(|a, b| a == b) {
            let to = from + run.len();
            if run[0] {
                let facets = [facets[0].filter(|_| from == 0), facets[1].filter(|_| to == flat.len() - 1)];
                let ink = inked(&Stroke { flat: flat[from..=to].to_vec(), facets });
                out = if out.is_empty() { ink } else { united(&out, &ink).concat() };
            }
            from = to;
        }
        out
    }

    /// The stretches of a line that lie outside, or those within; `None` if none of it lies within.
    fn stretches(&self, flat: &[FlatPoint], spine: &Spine, inside: bool) -> Option<Vec<[StretchEnd; 2]>> {
        let places = spine.places(FLATNESS);
        let mut crossings: Vec<(Place, Pt)> = Vec::new();
        for (k, w) in flat.windows(2).enumerate() {
            if !Bounds::of([&w[0].p, &w[1].p]).touches(&self.bounds) {
                continue;
            }
            for (a, b) in self.edges() {
                if let Some((t, _)) = segments_cross(w[0].p, w[1].p, a, b) {
                    // The first place of a curve is the last of the one before.
                    let from = if places[k].curve == places[k + 1].curve { places[k].t } else { 0.0 };
                    let t = from + (places[k + 1].t - from) * t;
                    crossings.push((Place { curve: places[k + 1].curve, t }, (b - a).unit()));
                }
            }
        }
        crossings.sort_by(|a, b| a.0.partial_cmp(&b.0).unwrap_or(std::cmp::Ordering::Equal));
        let (first, last) = (places[0], places[places.len() - 1]);
        let mut ends = vec![StretchEnd { place: first, cut: None }];
        ends.extend(crossings.iter().map(|&(place, along)| StretchEnd { place, cut: Some(along) }));
        ends.push(StretchEnd { place: last, cut: None });
        let pairs = ends.windows(2).map(|w| [w[0], w[1]]);
        let real = |w: &[StretchEnd; 2]| spine.at(w[0].place).dist(spine.at(w[1].place)) > 0.02 || crossings.is_empty();
        let (within, without): (Vec<_>, Vec<_>) =
            pairs.filter(real).partition(|w| self.holds(middle(flat, &places, w)));
        if within.is_empty() {
            return None;
        }
        let meant = if inside { within } else { without };
        // Stretches that only touch the outline go on as one, and a closed line through its start.
        let mut out: Vec<[StretchEnd; 2]> = Vec::new();
        for w in meant {
            match out.last_mut() {
                Some(before) if before[1].place == w[0].place => before[1] = w[1],
                _ => out.push(w),
            }
        }
        if spine.closed && out.len() > 1 && out[0][0].place == first && out[out.len() - 1][1].place == last {
            let head = out.remove(0);
            if let Some(tail) = out.last_mut() {
                tail[1] = head[1];
            }
        }
        Some(out)
    }

    /// Stretches of a line that lies outside whose ink reaches in.
    fn reaching_in(&self, flat: &[FlatPoint]) -> Vec<InkPath> {
        let reaches = |w: &[FlatPoint]| {
            let half = w[0].width.max(w[1].width) / 2.0 + 1.0;
            let bounds = Bounds::of([&w[0].p, &w[1].p]).grown(half);
            let near = |(a, b): (Pt, Pt)| segments_gap(w[0].p, w[1].p, a, b) < half;
            bounds.touches(&self.bounds) && self.edges().any(near)
        };
        let knot = |f: &FlatPoint| [f.p.x, f.p.y, f.width + 1.0];
        let mut out: Vec<InkPath> = Vec::new();
        let mut goes_on = false;
        for w in flat.windows(2) {
            let here = reaches(w);
            match out.last_mut() {
                Some(path) if here && goes_on => path.push(knot(&w[1])),
                _ if here => out.push(vec![knot(&w[0]), knot(&w[1])]),
                _ => {}
            }
            goes_on = here;
        }
        out
    }

    /// A solid shape less what lies within; `None` if nothing of it does.
    fn shape_without(&self, line: &Line) -> Option<Vec<Line>> {
        let whole = line.rings(FLATNESS);
        if common(&whole, &self.rings).is_empty() {
            return None;
        }
        Some(without(&whole, &self.rings).iter().map(|s| shape(line, s)).collect())
    }
}

/// A line's ink as a solid shape within rings, exactly.
pub fn shape(line: &Line, rings: &Rings) -> Line {
    let contour = |ring: &Vec<Pt>| {
        let closed: Vec<Pt> = ring.iter().chain(ring.first()).copied().collect();
        Spine::through(&thinned(&closed, FINE), true)
    };
    let made = if line.made == Made::Traced { Made::Edited } else { line.made };
    Line { form: Form::Outline { contours: rings.iter().map(contour).collect() }, made, ..line.clone() }
}

/// A point of the flattened line well between two places of its spine.
fn middle(flat: &[FlatPoint], places: &[Place], [a, b]: &[StretchEnd; 2]) -> Pt {
    let between = |k: usize, place: Place| {
        let (from, to) = (places[k], places[k + 1]);
        let start = if from.curve == to.curve { from.t } else { 0.0 };
        let t = ((place.t - start) / (to.t - start).max(1e-12)).clamp(0.0, 1.0);
        flat[k].p.lerp(flat[k + 1].p, t)
    };
    let piece = |place: Place| places.partition_point(|p| *p < place).clamp(1, places.len() - 1) - 1;
    let (ka, kb) = (piece(a.place), piece(b.place));
    let mut path = vec![between(ka, a.place)];
    path.extend(flat[ka + 1..=kb].iter().map(|f| f.p));
    path.push(between(kb, b.place));
    let longest = path.windows(2).max_by(|v, w| v[0].dist(v[1]).total_cmp(&w[0].dist(w[1])));
    longest.map_or(path[0], |w| w[0].lerp(w[1], 0.5))
}

/// A stretch that is left, with its ends as they should be, and what setting those back takes off the lifted ink.
fn finished(line: &Line, ends: &[StretchEnd; 2], style: EndStyle) -> (Option<Line>, Vec<Erasure>) {
    let edited = if line.made == Made::Traced { Made::Edited } else { line.made };
    let Some(whole) = line.stretch(ends[0].place, ends[1].place) else {
        return (None, vec![]);
    };
    let whole = Line { made: edited, ..whole };
    let Form::Centreline { ends: old, .. } = &whole.form else {
        return (Some(whole), vec![]);
    };
    let flat = whole.flat(FLATNESS);
    let length: f64 = flat.windows(2).map(|w| w[0].p.dist(w[1].p)).sum();
    if length < 0.05 {
        return (None, vec![]);
    }
    let count = flat.len();
    // By how much either end is set back from the cutter.
    let back = [0, 1].map(|side| {
        let along = ends[side].cut?;
        let (tip, next) = if side == 0 { (flat[0], flat[1]) } else { (flat[count - 1], flat[count - 2]) };
        let half = tip.width / 2.0;
        let dir = (tip.p - next.p).unit();
        let (sin, cos) = (dir.cross(along).abs().max(0.05), dir.dot(along).abs());
        match style {
            EndStyle::AlongCutter => None,
            EndStyle::Round => Some((half / sin).min(MOST_BACK * half)),
            EndStyle::Flat => Some((half * cos / sin).min(MOST_BACK * half)),
        }
    });
    let fits = back.iter().flatten().sum::<f64>() < length - 0.5;
    let mut erased = Vec::new();
    let mut new_ends = *old;
    for side in [0, 1] {
        if let Some(along) = ends[side].cut {
            new_ends[side] = match style {
                EndStyle::Round if fits => End::Round,
                EndStyle::Flat if fits => End::Flat,
                _ => End::AlongCutter(along),
            };
        }
    }
    let mut part = whole.clone();
    if fits {
        let places = whole.spine().map(|s| s.places(FLATNESS)).unwrap_or_default();
        let (from, head) = set_back(&flat, &places, back[0].unwrap_or(0.0), false);
        let (to, tail) = set_back(&flat, &places, back[1].unwrap_or(0.0), true);
        part = whole.stretch(from, to).unwrap_or(whole);
        for (off, style_of) in [(head, new_ends[0]), (tail, new_ends[1])] {
            erased.extend(taken_off(&off, style_of));
        }
    }
    if let Form::Centreline { ends, .. } = &mut part.form {
        *ends = new_ends;
    }
    (Some(part), erased)
}

/// Where a stretch ends that was cut.
fn cut_ends(part: &Line, ends: &[StretchEnd; 2]) -> Vec<[Pt; 2]> {
    let flat = part.flat(FLATNESS);
    let n = flat.len();
    let at = |end: FlatPoint, inner: FlatPoint| [end.p, end.p + (end.p - inner.p).unit() * (end.width / 2.0)];
    let sides = [(0, 1), (n.saturating_sub(1), n.saturating_sub(2))];
    let cut = ends.iter().zip(sides).filter(|(e, _)| e.cut.is_some() && n > 1);
    cut.map(|(_, (end, inner))| at(flat[end], flat[inner])).collect()
}

/// The place so far from an end along a line, and the points from there out to that end.
fn set_back(flat: &[FlatPoint], places: &[Place], by: f64, at_end: bool) -> (Place, Vec<FlatPoint>) {
    let n = flat.len();
    let index = |k: usize| if at_end { n - 1 - k } else { k };
    let mut off = vec![flat[index(0)]];
    let mut left = by;
    for k in 1..n {
        let (a, b) = (index(k - 1), index(k));
        let step = flat[a].p.dist(flat[b].p);
        if step >= left {
            let t = left / step.max(1e-12);
            // A curve's first place is the last of the one before.
            let (mut from, mut to) = (places[a], places[b]);
            if from.curve < to.curve {
                from = Place { curve: to.curve, t: 0.0 };
            } else if to.curve < from.curve {
                to = Place { curve: from.curve, t: 0.0 };
            }
            off.push(FlatPoint {
                p: flat[a].p.lerp(flat[b].p, t),
                width: flat[a].width + (flat[b].width - flat[a].width) * t,
            });
            off.reverse();
            return (Place { curve: from.curve, t: from.t + (to.t - from.t) * t }, off);
        }
        left -= step;
        off.push(flat[b]);
    }
    off.reverse();
    (places[index(n - 1)], off)
}

/// The ink between an end that was set back and the cutter, and what the line feathers beyond it.
fn taken_off(off: &[FlatPoint], end: End) -> Option<Erasure> {
    let (start, tip) = (off.first()?, off.last()?);
    let side = (off.iter().find(|f| f.p.dist(start.p) > 0.3 * start.width.min(1.0))?.p - start.p).unit();
    let beyond = tip.p + (tip.p - off[off.len() - 2].p).unit() * (tip.width + 2.0);
    let knot = |p: Pt, w: f64| [p.x, p.y, w];
    let mut tail: InkPath = off.iter().map(|f| knot(f.p, f.width)).collect();
    tail.push(knot(beyond, tip.width));
    let cap = knot(start.p, start.width);
    let cutter = if end == End::Round { vec![cap, cap] } else { vec![] };
    Some(Erasure::Tail { tail, cutter, side, beside: vec![] })
}
