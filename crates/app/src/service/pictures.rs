//! Pictures at the size they are shown: a window of a plane, every `2^level` pixels averaged into one.

use crate::service::error::Error;
use crate::service::open::{Open, ink_or_none};
use rhizograph_core::model::line::Line;
use rhizograph_core::model::paint::{self, Swatch};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::{Plane, Rgb};
use rhizograph_core::raster::strokes::{Area, whole};
use rhizograph_core::raster::window::Window;
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

/// So many pixels of a row make a run.
pub const RUN: usize = 64;

/// A picture of `EACH` bytes a pixel, the last of them its alpha, in runs of a row: first for each run, row by row,
/// whether anything is seen in it, then the pixels of those in which there is. Most of a sheet is bare.
pub fn in_runs<const EACH: usize>(pixels: &[u8], width: usize) -> Vec<u8> {
    let runs = || pixels.chunks(width.max(1) * EACH).flat_map(|row| row.chunks(RUN * EACH));
    let mut out: Vec<u8> =
        runs().map(|run| u8::from(run.iter().skip(EACH - 1).step_by(EACH).any(|&a| a > 0))).collect();
    out.reserve(pixels.len());
    let seen = out.clone();
    runs().zip(seen).filter(|r| r.1 > 0).for_each(|(run, _)| out.extend_from_slice(run));
    out
}

/// The picture of one byte a pixel that [`in_runs`] wrote; `None` if it did not write this.
pub fn of_runs(packed: &[u8], width: usize, height: usize) -> Option<Vec<u8>> {
    let a_row = width.div_ceil(RUN);
    let (seen, mut rest) = packed.split_at_checked(a_row * height)?;
    let mut out = Vec::with_capacity(width * height);
    for (n, &seen) in seen.iter().enumerate() {
        let long = RUN.min(width - n % a_row * RUN);
        if seen == 0 {
            out.resize(out.len() + long, 0);
        } else {
            let (run, more) = rest.split_at_checked(long)?;
            out.extend_from_slice(run);
            rest = more;
        }
    }
    rest.is_empty().then_some(out)
}

/// The colour of a line that has one of its own.
pub fn colour_of(line: &Line, swatches: &[Swatch]) -> Option<Rgb> {
    paint::colour_of(swatches, line.swatch.as_ref()?)
}

/// Columns and rows of the ink in its colours.
fn composed(open: &Open, swatches: &[Swatch], area: Area) -> Option<Ink> {
    let sheet = &open.stored.sheet;
    let (lifted, _) = open.lifted.as_ref().as_ref().ok().filter(|_| sheet.is_coloured())?;
    Some(sheet.composed(&open.scene.ink, lifted, &|line| colour_of(line, swatches), area))
}

/// All of the ink in its colours.
pub fn ink(open: &Open, swatches: &[Swatch]) -> Ink {
    composed(open, swatches, whole(&open.scene.ink.alpha)).unwrap_or_else(|| open.scene.ink.clone())
}

/// How much of a pixel another state of a drawing changes at most, of 255: of its coverage, or its colour on white.
pub fn unlike(open: &Open, after: &Sheet, swatches: &[Swatch]) -> u8 {
    let before = &open.stored.sheet;
    let lifted = ink_or_none(before, &open.lifted);
    let was = &open.scene.ink;
    let mut is = was.clone();
    let boxes = after.see_again(before, &lifted, &mut is.alpha);
    let palette = |line: &Line| colour_of(line, swatches);
    let on_white = |ink: &Ink, n: usize| {
        let cover = u32::from(ink.alpha.data[n]);
        let colour = ink.drawn.as_ref().map_or(ink.colour, |d| d.data[n]);
        let [r, g, b] = colour.map(|c| ((u32::from(c) * cover + 255 * (255 - cover)) / 255) as u8);
        [r, g, b, ink.alpha.data[n]]
    };
    let most = boxes.iter().map(|b| {
        let area = b.pixels(was.alpha.width, was.alpha.height);
        if area.0 >= area.2 || area.1 >= area.3 {
            return 0;
        }
        let (a, b) = (before.composed(was, &lifted, &palette, area), after.composed(&is, &lifted, &palette, area));
        let off = |n| on_white(&a, n).iter().zip(on_white(&b, n)).map(|(p, q)| p.abs_diff(q)).max().unwrap_or(0);
        (0..a.alpha.data.len()).map(off).max().unwrap_or(0)
    });
    most.max().unwrap_or(0)
}

/// A part of the ink in its colours at the size it is shown.
pub fn part_of_ink(open: &Open, swatches: &[Swatch], window: Window) -> Ink {
    let seen = &open.scene.ink;
    let w = window.on(seen.alpha.width, seen.alpha.height);
    let [x, y, width, height] = w.area();
    match composed(open, swatches, (x, y, x + width, y + height)) {
        Some(part) => part.weighted(w.level),
        None => at_size(seen, w.level, w.area()),
    }
}

/// A part of an ink, every `2^level` pixels averaged into one.
fn at_size(ink: &Ink, level: u32, area: [usize; 4]) -> Ink {
    let drawn = ink.drawn.as_ref().map(|d| std::sync::Arc::new(d.averaged(level, area)));
    Ink { alpha: ink.alpha.smaller(level, area), colour: ink.colour, drawn }
}

/// The colour of each region by its number; that of none first.
pub fn colours(open: &Open, swatches: &[Swatch]) -> Vec<[u8; 4]> {
    std::iter::once([0; 4])
        .chain(open.scene.fills.iter().map(|fill| {
            let found = fill.as_ref().and_then(|f| paint::colour_of(swatches, f));
            found.map_or([0; 4], |[r, g, b]| [r, g, b, 255])
        }))
        .collect()
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
    let window = small(open.stored.sheet.width, open.stored.sheet.height);
    let ink = &ink(open, swatches);
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
