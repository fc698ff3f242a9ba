//! Lift: the ink off the paper.
//!
//! Two steps, so that a slider moves only what it must. [`cover`] measures how much of each pixel is ink, against the
//! paper around it and with the pencil taken out; it depends on drop-out, even light and polarity. [`develop`] turns
//! that coverage into ink with alpha; it depends on points, specks and edge.

mod components;
mod paper;
mod pencil;
mod points;

pub use components::{Component, components};
pub use paper::Paper;
pub use pencil::Pencil;

use crate::error::Error;
use crate::ink::Ink;
use crate::plane::{Plane, Rgb};
use crate::recipe::{Edge, LiftRecipe, Points, Polarity, px_per_mm};
use serde::Serialize;
use ts_rs::TS;

/// How much of each pixel is ink (0 none, 255 all), and what was found on the way.
#[derive(Debug, Clone)]
pub struct Coverage {
    pub plane: Plane<u8>,
    /// The pencil colours dropped, as they look on this paper (sRGB).
    pub drop_out: Vec<[u8; 3]>,
    pub light_ink: bool,
    /// How many pixels hold each coverage.
    pub histogram: Vec<u32>,
}

/// What developing did, told with the picture.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct LiftFacts {
    pub points: Points,
    pub specks_gone: usize,
    pub pinholes_filled: usize,
    pub drop_out: Vec<[u8; 3]>,
    pub light_ink: bool,
    /// 64 classes from paper (first) to full ink, as shares of the highest.
    pub histogram: Vec<f64>,
}

impl LiftFacts {
    /// Of a drawing that came in as vector art: nothing was lifted.
    pub fn of_vector() -> LiftFacts {
        let points = Points { ink: 1.0, mid: 0.5, paper: 0.26 };
        LiftFacts { points, specks_gone: 0, pinholes_filled: 0, drop_out: vec![], light_ink: false, histogram: vec![] }
    }
}

fn is_light_ink(rgb: &Plane<Rgb>, polarity: Polarity) -> bool {
    match polarity {
        Polarity::DarkInk => false,
        Polarity::LightInk => true,
        Polarity::Auto => {
            let lum = |p: &Rgb| *p.iter().max().unwrap_or(&0);
            let mut all: Vec<u8> = rgb.data.iter().map(lum).collect();
            let (w, h) = (rgb.width, rgb.height);
            let m = (w.min(h) / 40).max(1);
            let mut rim: Vec<u8> = (0..h)
                .step_by(3)
                .flat_map(|y| (0..w).step_by(3).map(move |x| (x, y)))
                .filter(|&(x, y)| x < m || y < m || x + m >= w || y + m >= h)
                .map(|(x, y)| lum(rgb.at(x, y)))
                .collect();
            all.sort_unstable();
            rim.sort_unstable();
            // The ink of an almost empty sheet is a few pixels: near the very ends of the scale.
            let few = all.len() / 5000;
            let (low, high) = (f64::from(all[few]), f64::from(all[all.len() - 1 - few]));
            let middle = (low + high) / 2.0;
            f64::from(all[all.len() / 2]) < middle && f64::from(rim[rim.len() / 2]) < middle && high > 90.0
        }
    }
}

/// Measures the ink coverage of each pixel of a sheet. Errors: a sheet under 8 x 8, one without contrast.
pub fn cover(rgb: &Plane<Rgb>, recipe: &LiftRecipe) -> Result<Coverage, Error> {
    recipe.check()?;
    if rgb.width < 8 || rgb.height < 8 {
        return Err(Error::TooSmall(rgb.width, rgb.height));
    }
    let light_ink = is_light_ink(rgb, recipe.polarity);
    let turned;
    let rgb = if light_ink {
        turned = rgb.map(|p| p.map(|c| 255 - c));
        &turned
    } else {
        rgb
    };
    let mut sample: Vec<u8> = rgb.data.iter().step_by(5).map(|p| *p.iter().max().unwrap_or(&0)).collect();
    sample.sort_unstable();
    // Ink may be a few pixels of an almost empty sheet: the darkest of all, not of the sample, counts.
    let low = rgb.data.iter().map(|p| *p.iter().max().unwrap_or(&0)).min().unwrap_or(0);
    let high = sample[sample.len() - 1];
    if high - low < 30 {
        return Err(if high < 100 { Error::AllInk } else { Error::NoInk });
    }
    let paper = Paper::measure(rgb, recipe.even_light);
    let ink = pencil::ink_direction(rgb, &paper);
    let pencils = match &recipe.drop_out {
        None => pencil::find(rgb, &paper, ink),
        Some(samples) => samples.iter().filter_map(|&c| Pencil::from_sample(c, paper.middle(), ink)).collect(),
    };
    let plane = pencil::unmix(rgb, &paper, ink, &pencils, recipe);
    let mut histogram = vec![0u32; 256];
    plane.data.iter().for_each(|&c| histogram[c as usize] += 1);
    let drop_out = match &recipe.drop_out {
        None => pencils.iter().map(|p| p.looks_on(paper.middle())).collect(),
        Some(samples) => samples.clone(),
    };
    Ok(Coverage { plane, drop_out, light_ink, histogram })
}

/// Turns coverage into ink: each line cut at its own half height, specks gone, pinholes filled, the edge as asked.
/// Errors: nothing left that is ink, nothing left that is paper.
pub fn develop(coverage: &Coverage, recipe: &LiftRecipe, dpi: f64) -> Result<(Ink, LiftFacts), Error> {
    recipe.check()?;
    let points = recipe.points.unwrap_or_else(|| points::automatic(coverage));
    let peaks = points::peaks(&coverage.plane);
    let mut alpha = points::apply(&coverage.plane, &peaks, points, recipe.edge);
    let px2 = px_per_mm(dpi).powi(2);
    let specks_gone = components::remove_specks(&mut alpha, recipe.specks * px2);
    let pinholes_filled = components::fill_pinholes(&mut alpha, recipe.pinholes * px2);
    if recipe.edge == Edge::Crisp {
        alpha.data.iter_mut().for_each(|a| *a = if *a >= 128 { 255 } else { 0 });
    }
    let ink_pixels = alpha.data.iter().filter(|&&a| a >= 128).count();
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
        points,
        specks_gone,
        pinholes_filled,
        drop_out: coverage.drop_out.clone(),
        light_ink: coverage.light_ink,
        histogram,
    };
    Ok((Ink { alpha, colour: recipe.ink_colour }, facts))
}
