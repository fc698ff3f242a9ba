//! Pictures at the size they are shown: a window of a plane, every `2^level` pixels averaged into one.

use super::bench::{Error, Open};
use super::store;
use rhizograph_core::ink::Ink;
use rhizograph_core::paint::Swatch;
use rhizograph_core::plane::{Plane, Rgb};
use rhizograph_core::stages::Window;
use rhizograph_formats::raster_out;

pub fn original(source: &Plane<Rgb>, window: Window) -> Result<Vec<u8>, Error> {
    let w = window.on(source.width, source.height);
    Ok(raster_out::rgb_png(&source.averaged(w.level, w.area()), 300.0)?)
}

/// A part of the alpha at the size it is shown.
pub fn smaller(alpha: &Plane<u8>, window: Window) -> Plane<u8> {
    let w = window.on(alpha.width, alpha.height);
    alpha.smaller(w.level, w.area())
}

/// Ink with alpha.
pub fn ink(ink: &Ink, window: Window) -> Result<Vec<u8>, Error> {
    let w = window.on(ink.alpha.width, ink.alpha.height);
    let drawn = ink.drawn.as_ref().map(|d| std::sync::Arc::new(d.averaged(w.level, w.area())));
    Ok(raster_out::ink_png(&Ink { alpha: smaller(&ink.alpha, window), colour: ink.colour, drawn }, 300.0)?)
}

/// The colour of each region by its number; that of none first.
fn colours(open: &Open, swatches: &[Swatch]) -> Vec<[u8; 4]> {
    std::iter::once([0; 4])
        .chain(open.scene.fills.iter().map(|fill| {
            let found = fill.as_ref().and_then(|f| swatches.iter().find(|s| s.id == *f));
            found.map_or([0; 4], |s| [s.colour[0], s.colour[1], s.colour[2], 255])
        }))
        .collect()
}

/// The paint of a drawing: each pixel the colour of its region, up to the middle of the lines times the tuck.
pub fn paint(open: &Open, swatches: &[Swatch]) -> Plane<[u8; 4]> {
    let regions = &open.scene.regions;
    let colours = colours(open, swatches);
    let tuck = open.stored.sheet.recipes.paint.tuck;
    let mut out = regions.labels.map(|&l| colours[l as usize]);
    if tuck < 1.0 {
        rhizograph_core::paint::trim(&mut out, &regions.labels, &open.scene.ink.alpha, tuck);
    }
    out
}

/// The whole of a sheet at the size of the peg bar's pictures.
fn small(w: usize, h: usize) -> Window {
    let mut level = 0;
    while (w.max(h) >> level) > 260 {
        level += 1;
    }
    Window { x: 0, y: 0, width: w, height: h, level }
}

/// A drawing that nothing was made of yet, small: as it came.
pub fn untouched_thumbnail(source: &Plane<Rgb>) -> Result<Vec<u8>, Error> {
    original(source, small(source.width, source.height))
}

/// What the sheet looks like now, on paper, small: for the peg bar.
pub fn thumbnail(open: &Open, swatches: &[Swatch]) -> Result<Vec<u8>, Error> {
    let window = small(open.source.width, open.source.height);
    let ink = &open.scene.ink;
    let alpha = smaller(&ink.alpha, window);
    let colours = colours(open, swatches);
    let labels = &open.scene.regions.labels;
    // Paint as it is in the middle of what becomes a pixel: at that size nobody sees its edge.
    let step = 1 << window.level;
    let middle = |x: usize, of: usize| (x * step + step / 2).min(of - 1);
    let data = (0..alpha.data.len())
        .map(|i| {
            let (x, y) = (middle(i % alpha.width, labels.width), middle(i / alpha.width, labels.height));
            let (p, a, c) = (colours[*labels.at(x, y) as usize], u32::from(alpha.data[i]), ink.colour_at(x, y));
            let under = if p[3] > 0 { [p[0], p[1], p[2]] } else { [255, 253, 247] };
            std::array::from_fn(|k| ((u32::from(under[k]) * (255 - a) + u32::from(c[k]) * a) / 255) as u8)
        })
        .collect();
    Ok(raster_out::rgb_png(&Plane { width: alpha.width, height: alpha.height, data }, 72.0)?)
}

/// The swatches of the shot a drawing hangs in.
pub async fn swatches_of(bench: &super::bench::Bench, open: &Open) -> Result<Vec<Swatch>, Error> {
    Ok(store::swatches(&bench.pool, open.stored.shot).await?)
}
