//! A pile of shapes as it looks: dark ones are ink, coloured ones paint, light ones paper; what is hidden by something
//! opaque is cut away.

use super::lightness::{lightness, spread};
use super::shapes::{Drawn, Shape};
use rhizograph_core::draw::area_of;
use rhizograph_core::geom::area::{Rings, size, without};
use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Bounds, Pt, inside, thinned};
use rhizograph_core::join::erase;
use rhizograph_core::model::line::{Form, Line, Made};
use rhizograph_core::model::paint::{ColourModel, Drop, Swatch};
use rhizograph_core::model::pixels::bounds_of;
use rhizograph_core::region::Regions;
use rhizograph_core::region::network::Network;
use rhizograph_core::scene::Scene;
use std::sync::Arc;

/// Lightness (CIE L*, 0 to 100) and spread (between the strongest and the weakest of red, green and blue, 0 to 1) by which
/// colours are told apart: an area is ink below the first, at any spread below the second; a stroke likewise, a coloured
/// one up to the last. Chosen so that black, charcoal and navy are ink, and what is filled with brown, red or blue is painted.
const DARK_AREA: f64 = 35.0;
const DARKEST: f64 = 18.0;
const DARK_STROKE: f64 = 60.0;
const COLOURED_STROKE: f64 = 75.0;
const GREY: f64 = 0.25;
const COLOURED: f64 = 0.4;
/// Paper.
const LIGHT: f64 = 94.0;
const PLAIN: f64 = 0.08;
/// Ink that is as dark and grey is black.
const BLACK: f64 = 25.0;
/// Areas below this are passed over, px².
const LEAST: f64 = 4.0;
/// How closely the edge of paint is followed, px.
const FOLLOWED: f64 = 0.1;
/// The most swatches that one file brings; further colours become the nearest.
const MOST_SWATCHES: usize = 200;

/// What a shape is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Meant {
    Ink,
    Paint,
    Paper,
}

fn meant(shape: &Shape) -> Meant {
    let (l, s) = (lightness(shape.colour), spread(shape.colour));
    let is_ink = match shape.drawn {
        Drawn::Area { .. } => l < DARKEST || (l < DARK_AREA && s < GREY),
        Drawn::Stroke(_) => l < DARK_STROKE || (l < COLOURED_STROKE && s > COLOURED),
    };
    match is_ink {
        true => Meant::Ink,
        false if l > LIGHT && s < PLAIN => Meant::Paper,
        false => Meant::Paint,
    }
}

/// A painted area.
struct Painted {
    rings: Rings,
    bounds: Bounds,
    colour: [u8; 3],
    /// A line follows all of its edge.
    is_edged: bool,
}

/// What a pile of shapes comes to.
#[derive(Default)]
pub struct Pile {
    pub lines: Vec<Arc<Line>>,
    pub drops: Vec<Drop>,
    pub colours: ColourModel,
    painted: Vec<Painted>,
    next_id: u64,
}

fn as_line(shape: &Shape) -> Line {
    match &shape.drawn {
        Drawn::Stroke(line) => line.clone(),
        Drawn::Area { contours: Some(contours), .. } => {
            Line::new(1, Form::Outline { contours: contours.clone() }, Made::Hand)
        }
        Drawn::Area { rings, .. } => {
            Line::new(1, Form::Outline { contours: rings.iter().map(|r| edge(r)).collect() }, Made::Hand)
        }
    }
}

/// The closed edge of a ring.
fn edge(ring: &[Pt]) -> Spine {
    let closed: Vec<Pt> = ring.iter().chain(ring.first()).copied().collect();
    Spine::through(&thinned(&closed, FOLLOWED), true)
}

impl Pile {
    /// Puts shapes on one another; `first`: the number of the first line.
    pub fn of(shapes: Vec<Shape>, first: u64) -> Pile {
        let mut pile = Pile { next_id: first, ..Pile::default() };
        shapes.into_iter().for_each(|s| pile.put(s));
        pile
    }

    fn add(&mut self, line: Line) {
        if line.is_sound() {
            self.lines.push(Arc::new(Line { id: self.next_id, ..line }));
            self.next_id += 1;
        }
    }

    /// Cuts away what lies under an area; `ink`: lines, too.
    fn hide(&mut self, rings: &Rings, bounds: Bounds, ink: bool) {
        if ink {
            let near: Vec<usize> =
                (0..self.lines.len()).filter(|&k| bounds_of(&self.lines[k]).touches(&bounds)).collect();
            let under: Vec<Arc<Line>> = near.iter().map(|&k| self.lines[k].clone()).collect();
            let mut left = erase(&under, rings, &|_| true).left;
            left.sort_by_key(|l| std::cmp::Reverse(l.0));
            for (k, pieces) in left {
                let at = near[k];
                let pieces: Vec<Line> = pieces.into_iter().filter(Line::is_sound).collect();
                let ids = self.next_id;
                self.next_id += pieces.len() as u64;
                let pieces = pieces.into_iter().zip(ids..).map(|(l, id)| Arc::new(Line { id, ..l }));
                self.lines.splice(at..=at, pieces);
            }
        }
        for p in self.painted.iter_mut().filter(|p| p.bounds.touches(&bounds)) {
            let before = size(&p.rings);
            p.rings = without(&p.rings, rings).concat();
            // Where it is cut its own edge is no more.
            p.is_edged &= (before - size(&p.rings)).abs() < LEAST;
        }
        self.painted.retain(|p| size(&p.rings) > LEAST);
    }

    fn put(&mut self, shape: Shape) {
        let rings = |drawn: &Drawn| match drawn {
            Drawn::Stroke(line) => area_of(line),
            Drawn::Area { rings, .. } => rings.clone(),
        };
        match meant(&shape) {
            Meant::Ink => {
                let swatch =
                    (lightness(shape.colour) > BLACK || spread(shape.colour) > GREY).then(|| self.swatch(shape.colour));
                self.add(Line { swatch, ..as_line(&shape) });
            }
            what => {
                let rings = rings(&shape.drawn);
                let bounds = Bounds::of(rings.iter().flatten());
                if size(&rings) < LEAST {
                    return;
                }
                self.hide(&rings, bounds, shape.is_opaque);
                if what == Meant::Paint {
                    self.painted.push(Painted { rings, bounds, colour: shape.colour, is_edged: shape.is_edged });
                }
            }
        }
    }

    /// The swatch of a colour.
    fn swatch(&mut self, colour: [u8; 3]) -> String {
        let far = |c: [u8; 3]| c.iter().zip(colour).map(|(a, b)| u32::from(a.abs_diff(b)).pow(2)).sum::<u32>();
        let nearest = self.colours.swatches.iter().min_by_key(|s| far(s.colour));
        if let Some(known) = nearest.filter(|s| s.colour == colour || self.colours.swatches.len() >= MOST_SWATCHES) {
            return known.id.clone();
        }
        let [r, g, b] = colour;
        let swatch = Swatch::new(&format!("Colour {r:02x}{g:02x}{b:02x}"), colour);
        let id = swatch.id.clone();
        self.colours.swatches.push(swatch);
        id
    }

    /// Bounds what is painted by seams where no line does, and drops paint into every region of it. `size`: width and height
    /// of the sheet, px.
    pub fn paint(&mut self, [width, height]: [usize; 2]) {
        let painted = std::mem::take(&mut self.painted);
        if painted.is_empty() {
            return;
        }
        for p in painted.iter().filter(|p| !p.is_edged) {
            for ring in p.rings.iter().filter(|r| r.len() > 2) {
                self.add(Line::new(1, Form::Seam { spine: edge(ring) }, Made::Hand));
            }
        }
        let ink = Scene::ink_of_lines(&self.lines, width, height, [0; 3]);
        let regions = Regions::of(&Network::of(&self.lines), &ink.alpha);
        let mut drops = Vec::new();
        for region in regions.iter() {
            let holds = |p: &&Painted| p.bounds.touches(&Bounds::of([&region.seed])) && inside(region.seed, &p.rings);
            if let Some(top) = painted.iter().rev().find(holds) {
                drops.push((region.seed, top.colour));
            }
        }
        for (at, colour) in drops {
            let swatch = self.swatch(colour);
            self.drops.push(Drop::by_hand(at, swatch));
        }
    }
}
