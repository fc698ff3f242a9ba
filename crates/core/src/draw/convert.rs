//! One form of line for another: a centreline's ink as an outline, an outline's middle as a centreline, closed rings as
//! curves; and a line's end cut along another line.

use super::along::Along;
use super::stretch::{Way, curves_along, led};
use crate::geom::area::{Rings, inked, size};
use crate::geom::spine::{Place, Spine};
use crate::geom::{Bounds, Pt, polygon_area, pt};
use crate::model::line::{End, Form, Line};
use crate::model::recipe::TraceRecipe;
use crate::raster::ink::Ink;
use crate::raster::plane::Plane;
use crate::raster::strokes::fill;
use crate::trace::trace;

/// How closely an outline is followed before curves are led along it, px.
const FINE: f64 = 0.01;
/// Where a ring turns by more it has a corner, degrees.
const CORNER: f64 = 38.0;
/// A ring smaller than this is a leftover of the computation, px².
const LEAST: f64 = 0.05;

/// Curves along a closed ring, within about 0.1 px, its corners kept.
pub fn ring_as_curves(ring: &[Pt]) -> Option<Spine> {
    let mut ring: Vec<Pt> = ring.to_vec();
    ring.dedup_by(|a, b| a.dist(*b) < 1e-3);
    while ring.len() > 2 && ring[0].dist(ring[ring.len() - 1]) < 1e-3 {
        ring.pop();
    }
    let n = ring.len();
    if n < 3 || polygon_area(&ring).abs() < LEAST {
        return None;
    }
    let turn = |k: usize| {
        let (a, b) = (ring[k] - ring[(k + n - 1) % n], ring[(k + 1) % n] - ring[k]);
        a.cross(b).atan2(a.dot(b)).abs().to_degrees()
    };
    let corners: Vec<usize> = (0..n).filter(|&k| turn(k) > CORNER).collect();
    let start = corners.first().copied().unwrap_or(0);
    let way: Vec<Pt> = (0..=n).map(|k| ring[(start + k) % n]).collect();
    // Long straight pieces are read in between, so that curves do not swing out of them.
    let mut dense: Vec<Pt> = vec![way[0]];
    let mut stops = Vec::new();
    for w in way.windows(2).enumerate() {
        let (k, w) = w;
        if k > 0 && turn((start + k) % n) > CORNER {
            stops.push(dense.len() - 1);
        }
        let pieces = (w[0].dist(w[1]) / 2.0).ceil().clamp(1.0, 400.0) as usize;
        dense.extend((1..=pieces).map(|i| w[0].lerp(w[1], i as f64 / pieces as f64)));
    }
    let leaves = if corners.is_empty() {
        let along = (way[1] - way[n - 1]).unit();
        [Some(along), Some(along * -1.0)]
    } else {
        [None, None]
    };
    let mut points = curves_along(&dense, &stops, leaves);
    let first = *points.first()?;
    *points.last_mut()? = first;
    Some(Spine { points, closed: true })
}

/// An outline of shapes; `None` if nothing of them is left.
pub fn outline_of(shapes: &[Rings]) -> Option<Form> {
    let contours: Vec<Spine> = shapes.iter().flatten().filter_map(|r| ring_as_curves(r)).collect();
    (!contours.is_empty()).then_some(Form::Outline { contours })
}

/// The area of a line's ink; a seam has none.
pub fn area_of(line: &Line) -> Rings {
    match &line.form {
        Form::Centreline { .. } => inked(&line.stroke(FINE)),
        Form::Outline { .. } => line.rings(FINE),
        Form::Seam { .. } => Vec::new(),
    }
}

/// The outline of a centreline's ink.
pub fn as_outline(line: &Line) -> Option<Form> {
    matches!(line.form, Form::Centreline { .. }).then(|| outline_of(&[area_of(line)])).flatten()
}

/// How large a shape is drawn to find its middle: so that the thinnest of it is as broad, px; and what it may be at most.
const DRAWN_BROAD: f64 = 24.0;
const MOST_PIXELS: f64 = 16e6;

/// The middles of an outline with its width along them: drawn large, traced, and led back. Empty if it has none: it is as
/// broad as it is long.
pub fn as_centrelines(line: &Line) -> Vec<Form> {
    let rings = area_of(line);
    let bounds = Bounds::of(rings.iter().flatten());
    let (w, h) = (bounds.max.x - bounds.min.x, bounds.max.y - bounds.min.y);
    if rings.is_empty() || !(w.max(h)).is_finite() {
        return Vec::new();
    }
    // About as broad as its area over half of its edge.
    let edge: f64 = rings.iter().map(|r| (0..r.len()).map(|k| r[k].dist(r[(k + 1) % r.len()])).sum::<f64>()).sum();
    let broad = 2.0 * size(&rings) / edge.max(1e-9);
    let margin = 6.0;
    let most = (MOST_PIXELS / ((w + 2.0 * margin) * (h + 2.0 * margin))).sqrt();
    let scale = (DRAWN_BROAD / broad.max(0.05)).clamp(1.0, 16.0).min(most);
    if scale < 0.05 {
        return Vec::new();
    }
    let origin = bounds.min - pt(margin, margin) * (1.0 / scale);
    let size_of = |v: f64| ((v * scale + 2.0 * margin).ceil() as usize).max(1);
    let mut alpha = Plane::new(size_of(w), size_of(h), 0u8);
    let large: Rings = rings.iter().map(|r| r.iter().map(|&p| (p - origin) * scale).collect()).collect();
    fill(&mut alpha, &large);
    // Nothing is too broad to be a line: somebody asked for its middle.
    let recipe = TraceRecipe { widest_line: 20.0, tolerance: 0.25, smallest_piece: 0.0 };
    let lines = trace(&Ink::plain(alpha, [0; 3]), &recipe, 300.0, 1);
    let back = |p: Pt| p * (1.0 / scale) + origin;
    let shrink = 1.0 / scale;
    let lines = lines.into_iter().filter(|l| matches!(l.form, Form::Centreline { .. }));
    lines.map(|l| l.mapped(&back, &|_| shrink, &|d, _| d, 0.02).form).collect()
}

/// How far a line is carried on at most to end along another one, in px and in widths of it.
const CARRIED: (f64, f64) = (60.0, 12.0);

/// A centreline whose end is cut parallel to another line, `gap` px off that one's ink: shortened or carried on straight.
/// `None`: it does not come so near, or nothing would be left.
pub fn ended_along(line: &Line, at_end: bool, other: &Line, gap: f64) -> Option<Line> {
    let Form::Centreline { spine, .. } = &line.form else { return None };
    if spine.closed {
        return None;
    }
    let edges: Vec<&Spine> = match &other.form {
        Form::Outline { contours } => contours.iter().collect(),
        Form::Centreline { spine, .. } | Form::Seam { spine } => vec![spine],
    };
    let half = |p: Pt| {
        let flat = other.flat(0.1);
        flat.iter().min_by(|a, b| a.p.dist(p).total_cmp(&b.p.dist(p))).map_or(0.0, |f| f.width / 2.0)
    };
    // The place of the other line nearest to one: how far its ink is, and which way it runs there.
    let nearest = |p: Pt| {
        let near = edges.iter().map(|s| (s, s.nearest(p))).min_by(|a, b| a.1.1.total_cmp(&b.1.1));
        near.map(|(s, (place, far))| (far - half(s.at(place)), s.direction(place, place.t > 0.5)))
    };
    let along = Along::of(spine);
    let whole = along.length();
    let (last, outward) = if at_end {
        let n = (spine.points.len() - 1) / 3;
        let place = Place { curve: n - 1, t: 1.0 };
        (spine.at(place), spine.direction(place, true))
    } else {
        (spine.points[0], spine.direction(Place { curve: 0, t: 0.0 }, false) * -1.0)
    };
    let width = line.flat(0.1).iter().map(|f| f.width).fold(0.0, f64::max);
    // From as far out as it may be carried on inwards: the first place that is far enough off, once it came too near.
    let carried = CARRIED.0.max(CARRIED.1 * width);
    let step = 0.25;
    let outer = (carried / step) as i64;
    let at = |k: i64| {
        let d = k as f64 * step;
        if d <= 0.0 { last - outward * d } else { along.at(if at_end { whole - d } else { d }) }
    };
    // Inwards from the end as long as it is too near; else outwards until it would be.
    let far = |k: i64| nearest(at(k)).map_or(f64::INFINITY, |n| n.0) - gap;
    let most = (whole / step) as i64;
    let found = if far(0) < 0.0 {
        (1..most).find(|&k| far(k) >= 0.0)?
    } else {
        // A line that crosses the other one is cut before it.
        let crossed = (1..most).find(|&k| far(k) < 0.0);
        match crossed {
            Some(k) => (k..most).find(|&k| far(k) >= 0.0)?,
            None => -(1..outer).find(|&k| far(-k) < 0.0)? + 1,
        }
    };
    // Between the two steps, to a hair.
    let (mut near, mut off) = ((found - 1) as f64, found as f64);
    let place_at = |k: f64| {
        let d = k * step;
        if d <= 0.0 { last - outward * d } else { along.at(if at_end { whole - d } else { d }) }
    };
    for _ in 0..30 {
        let middle = 0.5 * (near + off);
        if nearest(place_at(middle))?.0 - gap >= 0.0 { off = middle } else { near = middle }
    }
    let cut = place_at(off);
    let (_, direction) = nearest(cut)?;
    let d = off * step;
    let mut new = if d > 0.0 {
        let s = if at_end { whole - d } else { d };
        let place = along.place(s);
        let ends = [Place { curve: 0, t: 0.0 }, Place { curve: (spine.points.len() - 1) / 3 - 1, t: 1.0 }];
        if at_end { line.stretch(ends[0], place)? } else { line.stretch(place, ends[1])? }
    } else if d < -0.05 {
        let width = line.flat(0.1);
        let w = if at_end { width.last()?.width } else { width.first()?.width };
        let n = ((-d).ceil() as usize).max(2);
        let way = |k: usize| last.lerp(cut, k as f64 / n as f64);
        let points: Vec<[f64; 3]> = (0..=n).map(way).map(|p| [p.x, p.y, w]).collect();
        let way = Way { points, corners: vec![] };
        let s = along.place(if at_end { whole } else { 0.0 });
        let mut new = if at_end { led(line, Some(s), None, &way)? } else { led(line, None, Some(s), &way.reversed())? };
        if let (Form::Centreline { ends: was, .. }, Form::Centreline { ends, .. }) = (&line.form, &mut new.form) {
            *ends = *was;
        }
        new
    } else {
        line.clone()
    };
    if let Form::Centreline { ends, .. } = &mut new.form {
        ends[usize::from(at_end)] = End::AlongCutter(direction);
    }
    Some(new)
}
