//! Pictures at the size they are shown: a window of a plane, every `2^level` pixels averaged into one.

use super::api::Window;
use super::bench::{Error, Open, clipped};
use super::store;
use rayon::prelude::*;
use rhizograph_core::ink::Ink;
use rhizograph_core::paint::{Swatch, fills};
use rhizograph_core::plane::{Plane, Rgb};
use rhizograph_formats::raster_out;

/// Averages blocks of `2^level` pixels of the window, each pixel given as a sum of `N` channels.
fn averaged<const N: usize>(w: Window, pixel: impl Fn(usize, usize) -> [u32; N] + Sync) -> Plane<[u8; N]> {
    let k = 1usize << w.level;
    let (ow, oh) = (w.width.div_ceil(k), w.height.div_ceil(k));
    let mut out = Plane::new(ow, oh, [0u8; N]);
    out.par_rows_mut().for_each(|(oy, row)| {
        for (ox, o) in row.iter_mut().enumerate() {
            let (x0, y0) = (w.x + ox * k, w.y + oy * k);
            let (x1, y1) = ((x0 + k).min(w.x + w.width), (y0 + k).min(w.y + w.height));
            let mut sum = [0u32; N];
            for y in y0..y1 {
                for x in x0..x1 {
                    let p = pixel(x, y);
                    (0..N).for_each(|c| sum[c] += p[c]);
                }
            }
            let n = ((x1 - x0) * (y1 - y0)).max(1) as u32;
            *o = sum.map(|s| ((s + n / 2) / n) as u8);
        }
    });
    out
}

pub fn original(source: &Plane<Rgb>, window: Window) -> Result<Vec<u8>, Error> {
    let w = clipped(window, source.width, source.height);
    Ok(raster_out::rgb_png(&averaged(w, |x, y| source.at(x, y).map(u32::from)), 300.0)?)
}

/// Ink with alpha; colour does not average, only coverage does.
pub fn ink(ink: &Ink, window: Window) -> Result<Vec<u8>, Error> {
    let w = clipped(window, ink.alpha.width, ink.alpha.height);
    let alpha = averaged(w, |x, y| [u32::from(*ink.alpha.at(x, y))]).map(|a| a[0]);
    Ok(raster_out::ink_png(&Ink { alpha, colour: ink.colour }, 300.0)?)
}

/// The paint of a drawing: each pixel the colour of its region, up to the middle of the lines times the tuck.
pub fn paint(open: &Open, swatches: &[Swatch]) -> Plane<[u8; 4]> {
    let regions = &open.scene.regions;
    let colours: Vec<[u8; 4]> = std::iter::once([0; 4])
        .chain(fills(regions, &open.stored.sheet.drops).iter().map(|fill| {
            let found = fill.and_then(|f| swatches.iter().find(|s| s.id == f));
            found.map_or([0; 4], |s| [s.colour[0], s.colour[1], s.colour[2], 255])
        }))
        .collect();
    let tuck = open.stored.sheet.recipes.paint.tuck;
    let mut out = regions.labels.map(|&l| colours[l as usize]);
    if tuck < 1.0 {
        rhizograph_core::paint::trim(&mut out, &regions.labels, &open.scene.ink.alpha, tuck);
    }
    out
}

/// What the sheet looks like now, on paper, small: for the peg bar.
pub fn thumbnail(open: &Open, swatches: &[Swatch]) -> Result<Vec<u8>, Error> {
    let (w, h) = (open.source.width, open.source.height);
    let mut level = 0;
    while (w.max(h) >> level) > 260 {
        level += 1;
    }
    let window = Window { x: 0, y: 0, width: w, height: h, level };
    if open.stored.sheet.traced.is_none() {
        return original(&open.source, window);
    }
    let paint = paint(open, swatches);
    let (alpha, c) = (&open.scene.ink.alpha, open.scene.ink.colour);
    let plane = averaged(window, |x, y| {
        let (p, a) = (paint.at(x, y), u32::from(*alpha.at(x, y)));
        let under = if p[3] > 0 { [p[0], p[1], p[2]] } else { [255, 253, 247] };
        std::array::from_fn(|k| (u32::from(under[k]) * (255 - a) + u32::from(c[k]) * a) / 255)
    });
    Ok(raster_out::rgb_png(&plane, 72.0)?)
}

/// The swatches of the shot a drawing hangs in.
pub async fn swatches_of(bench: &super::bench::Bench, open: &Open) -> Result<Vec<Swatch>, Error> {
    Ok(store::swatches(&bench.pool, open.stored.shot).await?)
}
