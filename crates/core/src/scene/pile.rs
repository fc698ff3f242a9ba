//! The ink as a pile of pieces, composed to colour and coverage: the lifted ink with the colours of its lines, and the lines
//! that were drawn under and over it, each in its own colour. Made in parts, so that a change costs what it touches.

use crate::geom::flat::FlatPoint;
use crate::geom::{Bounds, Pt, nearest_on_segment, pt};
use crate::model::erasure::Erasure;
use crate::model::line::{Form, Line};
use crate::model::pixels;
use crate::model::sheet::Sheet;
use crate::raster::ink::Ink;
use crate::raster::plane::{Plane, Rgb};
use crate::raster::strokes::{Area, fill, stroke};
use crate::raster::window::Window;
use std::sync::Arc;

/// The colour of a line, if it has one of its own.
pub type Palette<'a> = &'a dyn Fn(&Line) -> Option<Rgb>;

/// How far lifted ink feathers beyond the width that was measured: times the width, and px.
const FEATHERS: (f64, f64) = (1.15, 3.0);

/// What follows one another in one colour: there ink is as deep as the deepest of it.
struct Layer {
    /// Its number from the lowest one up.
    run: usize,
    /// `None`: the lifted ink's, pixel by pixel.
    colour: Option<Rgb>,
    cover: Plane<u8>,
}

impl Sheet {
    /// The colours that the lifted ink of some columns and rows was drawn in, if it keeps them; pieces brought theirs.
    pub fn own_colours(&self, lifted: &Ink, area: Area) -> Option<Plane<Rgb>> {
        let (x0, y0, x1, y1) = area;
        let mut own = lifted.drawn.as_ref()?.part([x0, y0, x1 - x0, y1 - y0]);
        let box_of = Bounds::of_area(area);
        let pieces = self.erased.iter().filter_map(|e| match &e.it {
            Erasure::Piece { piece, .. } => Some(piece).filter(|p| p.bounds().touches(&box_of)),
            _ => None,
        });
        let mut cover: Option<Plane<u8>> = None;
        for piece in pieces {
            // Ink that is there already keeps its colour where it is the deeper one.
            let cover = cover.get_or_insert_with(|| lifted.alpha.part([x0, y0, x1 - x0, y1 - y0]));
            piece.colour(&mut own, cover, [x0, y0]);
        }
        Some(own)
    }

    /// Whether some of its ink has a colour of its own.
    pub fn is_coloured(&self) -> bool {
        self.lines.iter().any(|l| l.swatch.is_some() && !l.is_seam())
            || self
                .erased
                .iter()
                .any(|e| matches!(&e.it, Erasure::Piece { piece, .. } if piece.pixels.colours.is_some()))
    }

    /// The ink of some columns and rows in its colours. `seen`: the coverage of all of it, as the scene keeps it.
    pub fn composed(&self, seen: &Ink, lifted: &Ink, palette: Palette, area: Area) -> Ink {
        let (x0, y0, x1, y1) = area;
        let part = [x0, y0, x1 - x0, y1 - y0];
        let box_of = Bounds::of_area(area);
        let drawn = self.own_colours(lifted, area);
        let is_near = |l: &&Line| pixels::bounds_of(l).touches(&box_of);
        let traced: Vec<&Line> =
            self.lines.iter().map(|l| &**l).filter(|l| !l.is_drawn() && !l.is_seam()).filter(is_near).collect();
        let of_lifted = self.order_of_lifted();
        let base = self.without_drawn(lifted, area);
        let window = Window { x: x0, y: y0, width: part[2], height: part[3], level: 0 };
        let drawn_lines = || self.lines.iter().map(|l| &**l).filter(|l| l.is_drawn() && !l.is_seam());
        let under = drawn_lines().filter(|l| l.order < of_lifted).map(Some);
        let over = drawn_lines().filter(|l| l.order >= of_lifted).map(Some);
        let mut layers: Vec<Layer> = Vec::new();
        // Which pieces are of one layer does not depend on the part: all of them are asked, not only those near.
        let (mut run, mut last) = (0, None);
        for piece in under.chain([None]).chain(over) {
            let colour = piece.and_then(palette);
            if last.replace(colour).is_some_and(|l| l != colour) {
                run += 1;
            }
            if piece.is_some_and(|l| !is_near(&l)) {
                continue;
            }
            if layers.last().is_none_or(|l| l.run != run) {
                layers.push(Layer { run, colour, cover: Plane::new(part[2], part[3], 0u8) });
            }
            let Some(Layer { cover, .. }) = layers.last_mut() else { continue };
            match piece {
                Some(line) => pixels::draw_seen(cover, line, window),
                None => cover.data.iter_mut().zip(&base.data).for_each(|(c, b)| *c = (*c).max(*b)),
            }
        }
        // Most parts hold nothing but the ink in its own colour.
        if layers.len() == 1 && traced.iter().all(|l| l.swatch.is_none()) {
            return Ink { alpha: seen.alpha.part(part), colour: seen.colour, drawn: drawn.map(Arc::new) };
        }
        let mut own = drawn.unwrap_or_else(|| Plane::new(part[2], part[3], lifted.colour));
        for (p, _) in own.data.iter_mut().zip(&base.data).filter(|(p, _)| **p == [0; 3]) {
            *p = lifted.colour;
        }
        tint(&mut own, &base, &traced, palette, pt(x0 as f64, y0 as f64));
        merged(&layers, &own)
    }
}

/// Colours the lifted pixels that belong to lines with a colour: those nearest to the edge of such a one.
fn tint(own: &mut Plane<Rgb>, base: &Plane<u8>, traced: &[&Line], colours: Palette, at: Pt) {
    let seen = Bounds::of_area((0, 0, own.width, own.height));
    let reaches: Vec<(Bounds, Reach, Option<Rgb>)> = traced
        .iter()
        .map(|l| {
            let reach = Reach::of(l, at, [own.width, own.height]);
            (reach.bounds(), reach, colours(l))
        })
        .filter(|(b, ..)| b.touches(&seen))
        .collect();
    for (k, (bounds, reach, colour)) in reaches.iter().enumerate() {
        let Some(colour) = colour else { continue };
        let others: Vec<&Reach> =
            reaches.iter().enumerate().filter(|(o, (b, ..))| *o != k && b.touches(bounds)).map(|(_, r)| &r.1).collect();
        let (x0, y0, x1, y1) = bounds.pixels(own.width, own.height);
        for y in y0..y1 {
            for x in x0..x1 {
                let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                if *base.at(x, y) == 0 {
                    continue;
                }
                let beyond = reach.beyond(p);
                if beyond <= 0.0 && others.iter().all(|o| beyond <= o.beyond(p)) {
                    own.set(x, y, *colour);
                }
            }
        }
    }
}

/// How far the ink of a traced line goes.
enum Reach {
    Along(Vec<FlatPoint>),
    /// Of a solid: which pixels of the part it holds, and where they begin.
    Solid(Plane<u8>, [usize; 2]),
}

impl Reach {
    /// Within a part of the sheet that begins at a place and has a size, px.
    fn of(line: &Line, at: Pt, size: [usize; 2]) -> Reach {
        if let Form::Outline { .. } = line.form {
            let rings: Vec<Vec<Pt>> =
                line.rings(pixels::FLATNESS).iter().map(|r| r.iter().map(|&p| p - at).collect()).collect();
            let b = Bounds::of(rings.iter().flatten()).grown(FEATHERS.1);
            let (x0, y0, x1, y1) = b.pixels(size[0], size[1]);
            let (w, h) = (x1.saturating_sub(x0), y1.saturating_sub(y0));
            let here = |p: &Pt| *p - pt(x0 as f64, y0 as f64);
            let mut held = Plane::new(w, h, 0u8);
            let rings: Vec<Vec<Pt>> = rings.iter().map(|r| r.iter().map(here).collect()).collect();
            fill(&mut held, &rings);
            for ring in &rings {
                let edge: Vec<FlatPoint> =
                    ring.iter().chain(ring.first()).map(|&p| FlatPoint { p, width: 2.0 * FEATHERS.1 }).collect();
                stroke(&mut held, &edge);
            }
            return Reach::Solid(held, [x0, y0]);
        }
        let wide = |f: &FlatPoint| FlatPoint { p: f.p - at, width: f.width * FEATHERS.0 + FEATHERS.1 };
        Reach::Along(line.flat(pixels::FLATNESS).iter().map(wide).collect())
    }

    fn bounds(&self) -> Bounds {
        match self {
            Reach::Along(flat) => {
                let widest = flat.iter().map(|f| f.width).fold(0.0, f64::max);
                Bounds::of(flat.iter().map(|f| &f.p)).grown(widest / 2.0 + 1.0)
            }
            Reach::Solid(held, [x, y]) => Bounds::of_area((*x, *y, x + held.width, y + held.height)),
        }
    }

    /// How far beyond the ink's edge a place lies, px; below 0 within.
    fn beyond(&self, p: Pt) -> f64 {
        match self {
            Reach::Along(flat) => flat
                .windows(2)
                .map(|w| {
                    let t = nearest_on_segment(p, w[0].p, w[1].p);
                    p.dist(w[0].p.lerp(w[1].p, t)) - (w[0].width + (w[1].width - w[0].width) * t) / 2.0
                })
                .fold(f64::INFINITY, f64::min),
            Reach::Solid(held, [x, y]) => {
                let (u, v) = (p.x - *x as f64, p.y - *y as f64);
                let is_in = u >= 0.0 && v >= 0.0 && (u as usize) < held.width && (v as usize) < held.height;
                if is_in && *held.at(u as usize, v as usize) > 0 { -FEATHERS.1 } else { f64::INFINITY }
            }
        }
    }
}

/// Layers one over the other (Porter and Duff, "Compositing digital images", 1984: *over*).
fn merged(layers: &[Layer], own: &Plane<Rgb>) -> Ink {
    let (width, height) = (own.width, own.height);
    let mut alpha = Plane::new(width, height, 0u8);
    let mut colours = Plane::new(width, height, [0u8; 3]);
    for i in 0..alpha.data.len() {
        let (mut sum, mut covered) = ([0.0f32; 3], 0.0f32);
        for layer in layers {
            let a = f32::from(layer.cover.data[i]) / 255.0;
            if a > 0.0 {
                let colour = layer.colour.unwrap_or(own.data[i]);
                (0..3).for_each(|k| sum[k] = sum[k] * (1.0 - a) + f32::from(colour[k]) * a);
                covered = covered * (1.0 - a) + a;
            }
        }
        if covered > 0.0 {
            alpha.data[i] = (covered * 255.0).round() as u8;
            colours.data[i] = sum.map(|s| (s / covered).round() as u8);
        }
    }
    // Black is a colour here like any other.
    Ink { alpha, colour: [0; 3], drawn: Some(Arc::new(colours)) }
}
