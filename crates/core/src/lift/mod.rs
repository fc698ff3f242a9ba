//! Lift: the ink off the paper.
//!
//! In steps, so that a slider computes only what it moves. [`analyse`] learns the sheet: its paper and light, its ink,
//! its pencils. [`cover`] measures how much of each pixel is ink, against the paper around it and with the pencil taken
//! out. [`Base`] turns that into alpha at the points that are set, and finds the small pieces; [`Base::finish`] takes
//! specks away and fills pinholes. [`crate::preview`] keeps the results of each step at hand.

mod bits;
mod coverage;
mod paper;
mod pencil;
mod points;
mod tones;
mod touch;
mod trade;

pub use bits::{bits, outside, unmet};
pub use coverage::Coverage;
pub use points::Table;
pub use touch::area;
pub use trade::{Survey, Trade};

use crate::error::Error;
use crate::geom::Pt;
use crate::model::by_hand::{ByHand, Effect};
use crate::model::recipe::{Edge, LiftRecipe, Points, Polarity, px_per_mm};
use crate::raster::ink::{IS_INK, Ink};
use crate::raster::plane::{Plane, Rgb};
use bits::Bits;
use paper::Paper;
use pencil::Pencil;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A sheet learnt: what paper, ink and pencil look like on it.
#[derive(Debug, Clone)]
pub struct Analysis {
    pub light_ink: bool,
    paper: Paper,
    ink: [f32; 3],
    pencils: Vec<Pencil>,
}

/// What developing did, told with the picture.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct LiftFacts {
    pub points: Points,
    pub specks_gone: usize,
    pub pinholes_filled: usize,
    /// Small dots that are left and would be thickened with the lines; those that were protected do not count.
    pub specks_left: usize,
    /// Where some of them were, px.
    pub specks: Vec<Pt>,
    pub pinholes: Vec<Pt>,
    pub drop_out: Vec<[u8; 3]>,
    pub light_ink: bool,
    /// 64 classes from paper (first) to full ink, as shares of the highest.
    pub histogram: Vec<f64>,
}

impl LiftFacts {
    /// Of a drawing that came in as vector art: nothing was lifted.
    pub fn of_vector() -> LiftFacts {
        LiftFacts {
            points: Points { ink: 1.0, mid: 0.5, paper: 0.26 },
            specks_gone: 0,
            pinholes_filled: 0,
            specks_left: 0,
            specks: vec![],
            pinholes: vec![],
            drop_out: vec![],
            light_ink: false,
            histogram: vec![],
        }
    }
}

/// Learns a sheet. Errors: a sheet under 8 x 8, one without contrast.
pub fn analyse(rgb: &Plane<Rgb>, polarity: Polarity) -> Result<Analysis, Error> {
    if rgb.width < 8 || rgb.height < 8 {
        return Err(Error::TooSmall(rgb.width, rgb.height));
    }
    let tones = tones::Tones::of(rgb);
    let light_ink = tones.is_light_ink(polarity);
    tones.check_contrast()?;
    let flip = flip(light_ink);
    let paper = Paper::measure(rgb, flip);
    let ink = pencil::ink_direction(rgb, flip, &paper);
    let pencils = pencil::find(rgb, flip, &paper, ink);
    Ok(Analysis { light_ink, paper, ink, pencils })
}

/// Light ink is lifted as dark ink of the picture turned light for dark: each channel xor this.
fn flip(light_ink: bool) -> u8 {
    if light_ink { 255 } else { 0 }
}

impl Analysis {
    fn pencils(&self, recipe: &LiftRecipe) -> Vec<Pencil> {
        match &recipe.drop_out {
            None => self.pencils.clone(),
            Some(samples) => {
                let flip = flip(self.light_ink);
                let here = |c: &[u8; 3]| Pencil::from_sample(c.map(|v| v ^ flip), self.paper.middle(), self.ink);
                samples.iter().filter_map(here).collect()
            }
        }
    }

    /// The paper's colour at a place of the sheet, px.
    pub fn paper_at(&self, x: usize, y: usize) -> Rgb {
        let flip = flip(self.light_ink);
        self.paper.at(x, y).map(|v| v.clamp(0.0, 255.0) as u8 ^ flip)
    }

    /// Ink and pencil coverage (0 to 255 both) of a part of a sheet, or of the sheet made smaller. `rgb`: the sheet with
    /// every `2^level` pixels averaged into one; `area`: left, top, width, height in it.
    pub fn cover_part(
        &self,
        rgb: &Plane<Rgb>,
        recipe: &LiftRecipe,
        level: u32,
        area: [usize; 4],
    ) -> (Plane<u8>, Plane<u8>) {
        let on = (&self.paper, self.ink);
        pencil::unmix(rgb, flip(self.light_ink), on, &self.pencils(recipe), recipe, level, area)
    }

    /// The colour each pixel's ink was drawn in: what is left when the paper's share is taken out.
    pub fn drawn_colours(&self, rgb: &Plane<Rgb>, alpha: &Plane<u8>) -> Plane<Rgb> {
        let flip = flip(self.light_ink);
        let mut out = Plane::new(rgb.width, rgb.height, [0u8; 3]);
        out.data.par_chunks_mut(rgb.width).enumerate().for_each_init(Vec::new, |inverse, (y, row)| {
            self.paper.inverse_row((y, 1), (0, rgb.width), 0, 1.0, inverse);
            for (x, o) in row.iter_mut().enumerate() {
                let a = f32::from(*alpha.at(x, y)) / 255.0;
                if a > 0.0 {
                    let p = rgb.at(x, y);
                    *o = std::array::from_fn(|c| {
                        let (v, paper) = (f32::from(p[c] ^ flip), 1.0 / inverse[x / paper::run(0)][c]);
                        // Faint pixels tell their colour badly: a little of it is enough.
                        let a = a.max(0.25);
                        ((v - paper * (1.0 - a)) / a).clamp(0.0, 255.0) as u8 ^ flip
                    });
                }
            }
        });
        out
    }
}

/// Measures the ink coverage of each pixel of a sheet.
pub fn cover(rgb: &Plane<Rgb>, analysis: &Analysis, recipe: &LiftRecipe) -> Coverage {
    let (plane, removed) = analysis.cover_part(rgb, recipe, 0, [0, 0, rgb.width, rgb.height]);
    let histogram = plane
        .data
        .par_chunks(rgb.width * 64)
        .fold(
            || vec![0u32; 1024],
            |mut n, part| {
                // Four counts in turn: neighbours are alike, and one count would wait for itself.
                part.iter().enumerate().for_each(|(i, &c)| n[(i & 3) * 256 + c as usize] += 1);
                n
            },
        )
        .reduce(|| vec![0u32; 1024], |a, b| a.iter().zip(&b).map(|(a, b)| a + b).collect());
    let histogram = (0..256).map(|c| (0..4).map(|k| histogram[k * 256 + c]).sum()).collect();
    let drop_out = match &recipe.drop_out {
        None => {
            let flip = flip(analysis.light_ink);
            analysis.pencils.iter().map(|p| p.looks_on(analysis.paper.middle()).map(|v| v ^ flip)).collect()
        }
        Some(samples) => samples.clone(),
    };
    Coverage { plane, removed, drop_out, light_ink: analysis.light_ink, histogram }
}

/// For each pixel the height of the line it may belong to: see [`Table`].
pub fn peaks(coverage: &Coverage) -> Plane<u8> {
    peaks_of(&coverage.plane)
}

/// The same of a part of a coverage.
pub fn peaks_of(coverage: &Plane<u8>) -> Plane<u8> {
    points::peaks(coverage)
}

/// The points a recipe asks for: its own, or the automatic ones of the sheet.
pub fn points_of(recipe: &LiftRecipe, coverage: &Coverage) -> Points {
    recipe.points.unwrap_or_else(|| points::automatic(&coverage.histogram))
}

/// Alpha before specks and pinholes are settled, and what there is of them.
#[derive(Debug, Clone)]
pub struct Base {
    alpha: Plane<u8>,
    specks: Bits,
    pinholes: Bits,
    pub points: Points,
}

/// The largest specks and pinholes that a recipe may ask for, mm².
const LARGEST_BIT: f64 = 4.0;
/// Dots up to this that are left are told of before weight is added, mm².
const FRECKLE: f64 = 0.5;
/// No more places of specks or pinholes than this are told.
const MOST_MARKS: usize = 300;

/// What alpha is cut from, and how.
#[derive(Clone, Copy)]
pub struct Cutting<'a> {
    pub coverage: &'a Plane<u8>,
    pub removed: &'a Plane<u8>,
    pub peaks: &'a Plane<u8>,
    pub points: Points,
    pub recipe: &'a LiftRecipe,
    pub painted: &'a Painted,
}

impl Cutting<'_> {
    /// Cuts each line at its own half height, more or less of it where that was painted, into a plane that is at hand: a
    /// new one costs as much as the work.
    pub fn alpha(&self, scratch: Plane<u8>) -> Plane<u8> {
        let Cutting { coverage: plane, removed, peaks, points, recipe, painted } = *self;
        let table = Table::new(points, recipe.edge, recipe.grain);
        let mut alpha = scratch.sized(plane.width, plane.height);
        points::apply(plane, peaks, &table, &mut alpha);
        let shifted = |by: f64| {
            let paper = (points.paper * (1.0 - 0.65 * by)).clamp(0.02, 0.95);
            let mid = (points.mid * (1.0 - 0.3 * by)).clamp(0.05, 0.95);
            let ink = (points.ink * (1.0 - 0.3 * by)).clamp(0.1, 1.0);
            Table::new(Points { ink, mid, paper }, recipe.edge, recipe.grain)
        };
        let mut blend = |mask: &Plane<u8>, other: &(dyn Fn(usize) -> u8 + Sync)| {
            alpha.data.par_iter_mut().zip(&mask.data).enumerate().for_each(|(i, (a, &m))| {
                if m > 0 {
                    let (m, own) = (u32::from(m), u32::from(*a));
                    *a = ((own * (255 - m) + u32::from(other(i)) * m + 127) / 255) as u8;
                }
            });
        };
        if let Some(mask) = &painted.more {
            let table = shifted(1.0);
            blend(mask, &|i| table.alpha(peaks.data[i], plane.data[i]));
        }
        if let Some(mask) = &painted.less {
            let table = shifted(-0.7);
            blend(mask, &|i| table.alpha(peaks.data[i], plane.data[i]));
        }
        if let Some(mask) = &painted.none {
            blend(mask, &|i| plane.data[i].saturating_add(removed.data[i]));
        }
        if let Some(mask) = &painted.erase {
            blend(mask, &|_| 0);
        }
        alpha
    }
}

impl Base {
    /// Cuts, and finds the small pieces. `open`: the planes are a part of a sheet, so what touches their border goes on
    /// beyond it.
    pub fn of(cutting: Cutting, scratch: Plane<u8>, dpi: f64, open: bool) -> Base {
        let (alpha, points) = (cutting.alpha(scratch), cutting.points);
        let largest = LARGEST_BIT * px_per_mm(dpi).powi(2);
        let (specks, pinholes) =
            rayon::join(|| bits(&alpha, true, largest, open), || bits(&alpha, false, largest, open));
        Base { alpha, specks, pinholes, points }
    }

    /// How many dots no larger than a freckle stay.
    fn specks_left(&self, recipe: &LiftRecipe, protected: &[Pt], dpi: f64) -> usize {
        let px2 = px_per_mm(dpi).powi(2);
        self.specks.count(recipe.specks * px2, FRECKLE * px2, protected)
    }

    /// Takes specks away and fills pinholes. Gives the alpha and where they were.
    pub fn finish(&self, recipe: &LiftRecipe, protected: &[Pt], dpi: f64) -> (Plane<u8>, Vec<Pt>, Vec<Pt>) {
        self.settle(self.alpha.clone(), recipe, protected, dpi)
    }

    /// The same into a plane that is at hand: a new one costs as much as the work.
    pub fn finish_into(&self, mut scratch: Plane<u8>, recipe: &LiftRecipe, protected: &[Pt], dpi: f64) -> Plane<u8> {
        scratch.copy_from(&self.alpha);
        self.settle(scratch, recipe, protected, dpi).0
    }

    /// The same when nothing else is wanted of it.
    pub fn into_alpha(mut self, recipe: &LiftRecipe, protected: &[Pt], dpi: f64) -> Plane<u8> {
        let alpha = std::mem::replace(&mut self.alpha, Plane::empty());
        self.settle(alpha, recipe, protected, dpi).0
    }

    /// Takes the small pieces found here off an alpha that was cut a little otherwise.
    pub fn settle_on(&self, alpha: Plane<u8>, recipe: &LiftRecipe, protected: &[Pt], dpi: f64) -> Plane<u8> {
        self.settle(alpha, recipe, protected, dpi).0
    }

    fn settle(
        &self,
        mut alpha: Plane<u8>,
        recipe: &LiftRecipe,
        protected: &[Pt],
        dpi: f64,
    ) -> (Plane<u8>, Vec<Pt>, Vec<Pt>) {
        let px2 = px_per_mm(dpi).powi(2);
        let specks = self.specks.take_away(&mut alpha, recipe.specks * px2, protected);
        let pinholes = self.pinholes.take_away(&mut alpha, recipe.pinholes * px2, protected);
        if recipe.edge == Edge::Crisp {
            alpha.data.par_iter_mut().for_each(|a| *a = if *a >= IS_INK { 255 } else { 0 });
        }
        let places = |bits: &Bits, gone: Vec<usize>| gone.into_iter().map(|n| bits.list[n].middle()).collect();
        (alpha, places(&self.specks, specks), places(&self.pinholes, pinholes))
    }

    /// Finishes a whole sheet. Errors: nothing left that is ink, nothing left that is paper.
    pub fn develop(
        &self,
        coverage: &Coverage,
        recipe: &LiftRecipe,
        protected: &[Pt],
        dpi: f64,
    ) -> Result<(Ink, LiftFacts), Error> {
        let (alpha, specks, pinholes) = self.finish(recipe, protected, dpi);
        let ink_pixels = alpha.data.par_iter().filter(|&&a| a >= IS_INK).count();
        if ink_pixels == 0 {
            return Err(Error::NoInk);
        }
        if ink_pixels == alpha.data.len() {
            return Err(Error::AllInk);
        }
        let mut histogram = vec![0f64; 64];
        coverage.histogram.iter().enumerate().for_each(|(i, &n)| histogram[i / 4] += f64::from(n));
        // The paper's share is enormous beside the ink's: a root keeps both readable.
        let top = histogram.iter().fold(1.0f64, |a, &b| a.max(b)).powf(0.35);
        histogram.iter_mut().for_each(|v| *v = v.powf(0.35) / top);
        let facts = LiftFacts {
            points: self.points,
            specks_gone: specks.len(),
            pinholes_filled: pinholes.len(),
            specks_left: self.specks_left(recipe, protected, dpi),
            specks: specks.into_iter().take(MOST_MARKS).collect(),
            pinholes: pinholes.into_iter().take(MOST_MARKS).collect(),
            drop_out: coverage.drop_out.clone(),
            light_ink: coverage.light_ink,
            histogram,
        };
        Ok((Ink::plain(alpha, recipe.ink_colour), facts))
    }
}

/// The painted areas of the lift as pixels, 0 to 255.
#[derive(Debug, Clone, Default)]
pub struct Painted {
    pub more: Option<Plane<u8>>,
    pub less: Option<Plane<u8>>,
    pub none: Option<Plane<u8>>,
    pub erase: Option<Plane<u8>>,
}

impl Painted {
    pub fn of(by_hand: &ByHand, width: usize, height: usize) -> Painted {
        let of = |effect| area(&by_hand.touches, &by_hand.inverted, effect, width, height);
        Painted { more: of(Effect::More), less: of(Effect::Less), none: of(Effect::None), erase: of(Effect::Erase) }
    }

    /// The same areas over a part of the sheet: left, top, width, height.
    pub fn part(&self, [x, y, w, h]: [usize; 4]) -> Painted {
        let of = |p: &Option<Plane<u8>>| p.as_ref().map(|p| p.part([x, y, w, h]));
        Painted { more: of(&self.more), less: of(&self.less), none: of(&self.none), erase: of(&self.erase) }
    }
}

/// All of the lift at once. Errors: those of [`analyse`] and [`Base::develop`], a recipe outside its ranges.
///
/// ```
/// use rhizograph_core::lift::lift;
/// use rhizograph_core::model::by_hand::ByHand;
/// use rhizograph_core::model::recipe::LiftRecipe;
/// use rhizograph_core::raster::plane::Plane;
///
/// let mut scan = Plane::new(300, 200, [246, 242, 230]);
/// for y in 95..103 {
///     (40..260).for_each(|x| scan.set(x, y, [22, 20, 18]));
/// }
/// let (ink, _) = lift(&scan, &LiftRecipe::default(), &ByHand::default(), 300.0)?;
/// assert!(*ink.alpha.at(150, 99) > 200 && *ink.alpha.at(150, 50) == 0);
/// # Ok::<(), rhizograph_core::Error>(())
/// ```
pub fn lift(rgb: &Plane<Rgb>, recipe: &LiftRecipe, by_hand: &ByHand, dpi: f64) -> Result<(Ink, LiftFacts), Error> {
    recipe.check()?;
    let analysis = analyse(rgb, recipe.polarity)?;
    let coverage = cover(rgb, &analysis, recipe);
    let peaks = peaks(&coverage);
    let painted = Painted::of(by_hand, rgb.width, rgb.height);
    let points = points_of(recipe, &coverage);
    let (coverage_of, removed) = (&coverage.plane, &coverage.removed);
    let cutting = Cutting { coverage: coverage_of, removed, peaks: &peaks, points, recipe, painted: &painted };
    let base = Base::of(cutting, Plane::empty(), dpi, false);
    let (mut ink, facts) = base.develop(&coverage, recipe, &by_hand.protected, dpi)?;
    if recipe.as_drawn {
        ink.drawn = Some(std::sync::Arc::new(analysis.drawn_colours(rgb, &ink.alpha)));
    }
    Ok((ink, facts))
}
