//! What vector art draws, from the lowest to the topmost: strokes and areas with the colour they are seen in, clipped, masked
//! and dashed as they are.

use super::lettering;
use super::lightness::lightness;
use super::opened::{FARTHEST, cannot_be_drawn};
use crate::error::Error;
use rhizograph_core::draw::area_of;
use rhizograph_core::geom::area::{Rings, common, filled, size, united, without};
use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Pt, polygon_area, pt};
use rhizograph_core::model::line::{End, Form, Line, Made};
use std::collections::HashSet;
use usvg::tiny_skia_path::{Path, PathSegment, Point, StrokeDash, Transform};
use usvg::{FillRule, Group, LineCap, LineJoin, Node, Paint};

/// The most shapes that are taken from one file.
const MOST_SHAPES: usize = 100_000;
/// How closely curves are followed, px.
const FLATNESS: f64 = 0.05;
/// What is less opaque is not seen.
const LEAST_ALPHA: f64 = 0.04;
/// A stroke with sharp corners becomes its outline from this width on, px: thinner ones differ by some pixels at most.
const BROAD: f64 = 12.0;
/// The longest and the shortest unit under a transform may differ by this where a stroke is as broad all round.
const EVEN: f64 = 1.05;
/// A mask shows what it is brighter than this at.
const SHOWS: f64 = 0.5;

/// What is drawn.
#[derive(Debug, Clone)]
pub enum Drawn {
    /// A stroke of one width.
    Stroke(Line),
    /// An area by the even-odd rule; its curves, as long as they are what bounds it.
    Area { rings: Rings, contours: Option<Vec<Spine>> },
}

/// One thing that is drawn.
#[derive(Debug, Clone)]
pub struct Shape {
    pub drawn: Drawn,
    /// As it is seen on white.
    pub colour: [u8; 3],
    /// Nothing under it is seen.
    pub is_opaque: bool,
    /// A stroke of the same element follows its edge.
    pub is_edged: bool,
}

/// All that is drawn, and what of it could not be kept.
#[derive(Debug, Default)]
pub struct Shapes {
    pub all: Vec<Shape>,
    pub gradients: usize,
    pub patterns: usize,
    pub masks: usize,
    pub filters: usize,
    pub pictures: usize,
    /// Texts that were set in another type than they ask for.
    pub letterings: usize,
    /// Letters that the type does not have.
    pub letters: usize,
    with_texts: bool,
    /// What lies under is seen through them.
    pub veils: usize,
}

/// Where something is drawn, and how much of it is seen.
#[derive(Clone)]
struct Place {
    to: Transform,
    alpha: f64,
    /// What it is cut to; `None`: nothing.
    clip: Option<Rings>,
}

/// Collects what a tree draws; `to`: from its units to pixels of the sheet. `known`: elements that are left aside.
/// `with_texts`: its texts count as drawn.
pub fn of(tree: &usvg::Tree, to: Transform, known: &HashSet<String>, with_texts: bool) -> Result<Shapes, Error> {
    let mut out = Shapes { with_texts, ..Shapes::default() };
    out.group(tree.root(), &Place { to, alpha: 1.0, clip: None }, known)?;
    Ok(out)
}

fn mean(stops: &[usvg::Stop]) -> ([f64; 3], f64) {
    let n = stops.len().max(1) as f64;
    let sum = |f: &dyn Fn(&usvg::Stop) -> f64| stops.iter().map(f).sum::<f64>() / n;
    let colour =
        [sum(&|s| f64::from(s.color().red)), sum(&|s| f64::from(s.color().green)), sum(&|s| f64::from(s.color().blue))];
    (colour, sum(&|s| f64::from(s.opacity().get())))
}

impl Shapes {
    fn group(&mut self, group: &Group, at: &Place, known: &HashSet<String>) -> Result<(), Error> {
        let to = at.to.pre_concat(group.transform());
        let mut at = Place { to, alpha: at.alpha * f64::from(group.opacity().get()), clip: at.clip.clone() };
        if !group.filters().is_empty() {
            self.filters += 1;
        }
        let mut clip = |more: Rings| {
            at.clip = Some(match &at.clip {
                Some(had) => common(had, &more).concat(),
                None => more,
            });
        };
        if let Some(path) = group.clip_path() {
            clip(clip_area(path, to));
        }
        if let Some(mask) = group.mask() {
            self.masks += 1;
            clip(mask_area(mask, to)?);
        }
        for node in group.children() {
            match node {
                Node::Group(g) => self.group(g, &at, known)?,
                Node::Path(p) if p.is_visible() && !known.contains(p.id()) => {
                    if !is_near(p, at.to) {
                        return Err(cannot_be_drawn());
                    }
                    self.path(p, &at);
                }
                Node::Path(_) => {}
                Node::Image(_) => self.pictures += 1,
                Node::Text(text) if self.with_texts => {
                    let (is_own, letters) = lettering::told(text);
                    self.letterings += usize::from(!is_own);
                    self.letters += letters;
                    self.group(text.flattened(), &at, known)?;
                }
                Node::Text(_) => {}
            }
            if self.all.len() > MOST_SHAPES {
                return Err(Error::TooMuch(format!("it has more than {MOST_SHAPES} lines")));
            }
        }
        Ok(())
    }

    /// The colour something is seen in on white, and how much of it is seen. `None`: it cannot be told, or nothing is seen.
    fn seen(&mut self, paint: &Paint, opacity: f32, alpha: f64) -> Option<([u8; 3], f64)> {
        let (colour, own) = match paint {
            Paint::Color(c) => ([c.red, c.green, c.blue].map(f64::from), 1.0),
            Paint::LinearGradient(g) => {
                self.gradients += 1;
                mean(g.stops())
            }
            Paint::RadialGradient(g) => {
                self.gradients += 1;
                mean(g.stops())
            }
            Paint::Pattern(_) => {
                self.patterns += 1;
                return None;
            }
        };
        let alpha = alpha * own * f64::from(opacity);
        self.veils += usize::from(alpha > LEAST_ALPHA && alpha <= OPAQUE);
        (alpha > LEAST_ALPHA).then(|| (colour.map(|c| (c * alpha + 255.0 * (1.0 - alpha)).round() as u8), alpha))
    }

    fn path(&mut self, path: &usvg::Path, at: &Place) {
        let stroke = path.stroke().and_then(|s| {
            let (colour, alpha) = self.seen(s.paint(), s.opacity().get(), at.alpha)?;
            Some(strokes(path.data(), s, at).into_iter().map(move |drawn| Shape {
                drawn,
                colour,
                is_opaque: alpha > OPAQUE,
                is_edged: false,
            }))
        });
        let stroke: Vec<Shape> = stroke.into_iter().flatten().collect();
        let fill = path.fill().and_then(|f| {
            let (colour, alpha) = self.seen(f.paint(), f.opacity().get(), at.alpha)?;
            let drawn = area(path.data(), at.to, f.rule(), at.clip.as_ref())?;
            Some(Shape { drawn, colour, is_opaque: alpha > OPAQUE, is_edged: !stroke.is_empty() })
        });
        match path.paint_order() {
            usvg::PaintOrder::FillAndStroke => {
                self.all.extend(fill);
                self.all.extend(stroke);
            }
            usvg::PaintOrder::StrokeAndFill => {
                self.all.extend(stroke);
                self.all.extend(fill);
            }
        }
    }
}

/// Whether a path with its stroke lies where somebody could draw.
fn is_near(path: &usvg::Path, to: Transform) -> bool {
    let width = path.stroke().map_or(0.0, |s| f64::from(s.width().get()));
    let longest = f64::from(to.sx).hypot(f64::from(to.ky)).max(f64::from(to.kx).hypot(f64::from(to.sy)));
    let b = path.data().bounds();
    let corners = [(b.left(), b.top()), (b.right(), b.top()), (b.right(), b.bottom()), (b.left(), b.bottom())];
    let is_near = |(x, y)| {
        let mut p = Point::from_xy(x, y);
        to.map_point(&mut p);
        // No number is near either.
        f64::from(p.x).abs() <= FARTHEST && f64::from(p.y).abs() <= FARTHEST
    };
    width * longest <= FARTHEST && corners.into_iter().all(is_near)
}

/// From this alpha on nothing that lies under something counts as seen.
const OPAQUE: f64 = 0.9;

/// The area of a filled path, cut to what it is clipped to. `None`: it has none.
fn area(path: &Path, to: Transform, rule: FillRule, clip: Option<&Rings>) -> Option<Drawn> {
    let contours: Vec<Spine> = spines(path, to).into_iter().filter(|s| s.points.len() > 4).map(closed).collect();
    let flat = |s: &Spine| {
        let mut ring = s.flatten(FLATNESS);
        ring.pop();
        ring
    };
    let rings: Rings = contours.iter().map(flat).filter(|r| r.len() > 2).collect();
    let resolved = match rule {
        FillRule::NonZero => filled(&rings),
        FillRule::EvenOdd => united(&rings, &[]).concat(),
    };
    // Where its rings neither cross nor cover one another, its own curves bound it.
    let sizes = |rings: &Rings| {
        let mut out: Vec<f64> = rings.iter().map(|r| polygon_area(r).abs()).collect();
        out.sort_by(f64::total_cmp);
        out
    };
    let (own, made) = (sizes(&rings), sizes(&resolved));
    let is_alike = own.len() == made.len() && own.iter().zip(&made).all(|(a, b)| (a - b).abs() < LEAST_AREA);
    let is_plain = clip.is_none() && is_alike;
    let resolved = clip.map_or_else(|| resolved.clone(), |c| common(&resolved, c).concat());
    (!resolved.is_empty()).then(|| Drawn::Area { rings: resolved, contours: is_plain.then_some(contours) })
}

/// What is smaller is no area that anybody means, px².
const LEAST_AREA: f64 = 0.5;

/// What a stroked path draws: lines, or their areas where a line cannot be as it is.
fn strokes(path: &Path, stroke: &usvg::Stroke, at: &Place) -> Vec<Drawn> {
    let t = at.to;
    let [sx, sy, kx, ky] = [t.sx, t.sy, t.kx, t.ky].map(f64::from);
    let scale = (sx * sy - kx * ky).abs().sqrt();
    let width = f64::from(stroke.width().get()) * scale;
    // The longest and the shortest unit: singular values of the linear part.
    let sum = sx * sx + sy * sy + kx * kx + ky * ky;
    let apart = (sum * sum - 4.0 * (sx * sy - kx * ky).powi(2)).max(0.0).sqrt();
    let is_even = ((sum + apart) / (sum - apart).max(1e-12)).sqrt() < EVEN;
    let dashes = stroke.dasharray().and_then(|d| StrokeDash::new(d.to_vec(), stroke.dashoffset()));
    let dashed = dashes.and_then(|d| path.dash(&d, scale as f32));
    let path = dashed.as_ref().unwrap_or(path);
    let has_corners = !matches!(stroke.linejoin(), LineJoin::Round) && width >= BROAD && turns_sharply(path);
    if !is_even || has_corners {
        let mut pen = stroke.to_tiny_skia();
        pen.dash = None;
        let outline = path.stroke(&pen, scale.max(0.01) as f32);
        return outline.and_then(|o| area(&o, t, FillRule::NonZero, at.clip.as_ref())).into_iter().collect();
    }
    let end = if stroke.linecap() == LineCap::Round { End::Round } else { End::Flat };
    let mut out = Vec::new();
    for mut spine in spines(path, t) {
        if stroke.linecap() == LineCap::Square && !spine.closed {
            reach_on(&mut spine, width / 2.0);
        }
        let line =
            Line::new(1, Form::Centreline { spine, width: vec![[0.0, width.max(0.02)]], ends: [end; 2] }, Made::Hand);
        match &at.clip {
            None => out.push(Drawn::Stroke(line)),
            Some(clip) => {
                let whole = area_of(&line);
                let rings = common(&whole, clip).concat();
                // What the clip leaves as it is stays a line.
                if (size(&whole) - size(&rings)).abs() < LEAST_AREA {
                    out.push(Drawn::Stroke(line));
                } else if !rings.is_empty() {
                    out.push(Drawn::Area { rings, contours: None });
                }
            }
        }
    }
    out
}

/// Lengthens both ends straight on.
fn reach_on(spine: &mut Spine, by: f64) {
    let n = spine.points.len();
    for (end, rest) in [(0, (1..n).collect::<Vec<_>>()), (n - 1, (0..n - 1).rev().collect())] {
        let p = spine.points[end];
        let inner = rest.into_iter().map(|k| spine.points[k]).find(|q| q.dist(p) > 1e-6);
        if let Some(q) = inner {
            spine.points[end] = (p + (p - q).unit() * by).snapped();
        }
    }
}

/// Whether a path has corners.
fn turns_sharply(path: &Path) -> bool {
    let corners = path.segments().filter(|s| matches!(s, PathSegment::LineTo(_) | PathSegment::Close)).count();
    corners > 1
}

/// The area that a clip path leaves.
fn clip_area(clip: &usvg::ClipPath, to: Transform) -> Rings {
    let mut out = Rings::new();
    gather(clip.root(), to.pre_concat(clip.transform()), &mut |path, to| {
        if let Some(fill) = path.fill()
            && let Some(Drawn::Area { rings, .. }) = area(path.data(), to, fill.rule(), None)
        {
            out = united(&out, &rings).concat();
        }
    });
    match clip.clip_path() {
        Some(outer) => common(&out, &clip_area(outer, to)).concat(),
        None => out,
    }
}

fn gather(group: &Group, to: Transform, each: &mut dyn FnMut(&usvg::Path, Transform)) {
    let to = to.pre_concat(group.transform());
    for node in group.children() {
        match node {
            Node::Group(g) => gather(g, to, each),
            Node::Path(p) if p.is_visible() => each(p, to),
            _ => {}
        }
    }
}

/// The area that a mask shows more than half of.
fn mask_area(mask: &usvg::Mask, to: Transform) -> Result<Rings, Error> {
    let mut inner = Shapes::default();
    inner.group(mask.root(), &Place { to, alpha: 1.0, clip: None }, &HashSet::new())?;
    let mut out = Rings::new();
    for shape in inner.all {
        let rings = match shape.drawn {
            Drawn::Stroke(line) => area_of(&line),
            Drawn::Area { rings, .. } => rings,
        };
        let shows = mask.kind() == usvg::MaskType::Alpha || lightness(shape.colour) / 100.0 > SHOWS;
        out = if shows { united(&out, &rings) } else { without(&out, &rings) }.concat();
    }
    Ok(out)
}

fn closed(mut s: Spine) -> Spine {
    let (first, last) = (s.points[0], s.points[s.points.len() - 1]);
    if first != last {
        s.points.extend([last.lerp(first, 1.0 / 3.0).snapped(), last.lerp(first, 2.0 / 3.0).snapped(), first]);
    }
    s.closed = true;
    s
}

/// The curves of a path.
fn spines(path: &Path, t: Transform) -> Vec<Spine> {
    let place = |p: usvg::tiny_skia_path::Point| {
        let (x, y) = (f64::from(p.x), f64::from(p.y));
        pt(
            x * f64::from(t.sx) + y * f64::from(t.kx) + f64::from(t.tx),
            x * f64::from(t.ky) + y * f64::from(t.sy) + f64::from(t.ty),
        )
        .snapped()
    };
    let mut out: Vec<Spine> = Vec::new();
    let mut points: Vec<Pt> = Vec::new();
    let mut end = |points: &mut Vec<Pt>, is_closed: bool| {
        if points.len() >= 4 {
            let s = Spine { points: std::mem::take(points), closed: false };
            out.push(if is_closed { closed(s) } else { s });
        }
        points.clear();
    };
    let line_to = |points: &mut Vec<Pt>, b: Pt| {
        if let Some(&a) = points.last() {
            points.extend([a.lerp(b, 1.0 / 3.0).snapped(), a.lerp(b, 2.0 / 3.0).snapped(), b]);
        }
    };
    for segment in path.segments() {
        match segment {
            PathSegment::MoveTo(p) => {
                end(&mut points, false);
                points.push(place(p));
            }
            PathSegment::LineTo(p) => line_to(&mut points, place(p)),
            PathSegment::QuadTo(c, p) => {
                let (c, p) = (place(c), place(p));
                if let Some(&a) = points.last() {
                    points.extend([a.lerp(c, 2.0 / 3.0).snapped(), p.lerp(c, 2.0 / 3.0).snapped(), p]);
                }
            }
            PathSegment::CubicTo(c, d, p) => points.extend([place(c), place(d), place(p)]),
            PathSegment::Close => {
                let start = points.first().copied();
                end(&mut points, true);
                points.extend(start);
            }
        }
    }
    end(&mut points, false);
    out
}
