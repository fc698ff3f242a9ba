//! Stills: a drawing as it is flipped through, played and laid on the light table: its ink and its paint, each by itself,
//! at a size for the screen. They are stored, so that a neighbour is there at once however large its scan is.

use crate::api::StillFacts;
use crate::service::error::Error;
use crate::service::open::Open;
use crate::service::pictures::{colours, part_of_ink};
use crate::store::Still;
use rhizograph_core::model::paint::Swatch;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::{Plane, Rgb};
use rhizograph_core::raster::window::Window;
use rhizograph_formats::raster_out;

/// The longest side of a still, px.
const MOST: usize = 2000;

/// The whole of a sheet at the size of a still.
fn whole(width: usize, height: usize) -> Window {
    let level = (0..).find(|l| width.max(height) >> l <= MOST).unwrap_or(0);
    Window { x: 0, y: 0, width, height, level }
}

/// The still of a drawing as it is now.
pub fn still(open: &Open, swatches: &[Swatch]) -> Result<Still, Error> {
    let sheet = &open.stored.sheet;
    let window = whole(sheet.width, sheet.height);
    let ink = part_of_ink(open, swatches, window);
    let colours = colours(open, swatches);
    let labels = &open.scene.regions.labels;
    // Paint as it is in the middle of what becomes a pixel: each pixel is one paint.
    let step = 1 << window.level;
    let middle = |x: usize, of: usize| (x * step + step / 2).min(of - 1);
    let mut paint = Plane::new(ink.alpha.width, ink.alpha.height, [0u8; 4]);
    for y in 0..paint.height {
        let row = labels.row(middle(y, labels.height));
        for x in 0..paint.width {
            paint.set(x, y, colours[usize::from(row[middle(x, labels.width)])]);
        }
    }
    let facts = StillFacts { width: sheet.width, height: sheet.height, dpi: sheet.dpi, level: window.level, ink: 0 };
    Ok(Still { facts, ink: raster_out::ink_png(&ink, 72.0)?, paint: raster_out::rgba_png(&paint, 72.0)? })
}

/// The still of a sheet that nothing was made of yet: what is darker than its paper.
pub fn untouched(source: &Plane<Rgb>, dpi: f64) -> Result<Still, Error> {
    let window = whole(source.width, source.height);
    let small = source.averaged(window.level, [0, 0, source.width, source.height]);
    let light = small.map(|p| ((2 * u32::from(p[0]) + 5 * u32::from(p[1]) + u32::from(p[2])) / 8) as u8);
    let mut counts = [0usize; 256];
    light.data.iter().for_each(|&v| counts[usize::from(v)] += 1);
    // Most of a sheet is bare: the middle of all is paper.
    let mut below = 0;
    let middle = counts.iter().position(|n| {
        below += n;
        2 * below >= light.data.len()
    });
    let paper = middle.unwrap_or(255).saturating_sub(PAPER).max(1) as u32;
    let alpha = light.map(|&v| (paper.saturating_sub(u32::from(v)) * 255 / paper) as u8);
    let paint = Plane::new(small.width, small.height, [0u8; 4]);
    let facts = StillFacts { width: source.width, height: source.height, dpi, level: window.level, ink: 0 };
    let ink = raster_out::ink_png(&Ink::plain(alpha, [0; 3]), 72.0)?;
    Ok(Still { facts, ink, paint: raster_out::rgba_png(&paint, 72.0)? })
}

/// How much darker than the middle of all a pixel is that is not taken for paper.
const PAPER: usize = 24;
