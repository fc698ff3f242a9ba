//! The demo's sheets as files: what the sheet feeder and the phone camera deliver; and what was drawn on the tablet.

use crate::intake::{NewDrawing, blank};

use crate::progress;
use rayon::prelude::*;
use rhizograph_core::draw::{Follows, Pen, ink};
use rhizograph_core::model::line::{Line, Made};
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_demo::camera::photograph;
use rhizograph_demo::feeder::{Sheet, scan};
use rhizograph_demo::marrow::{self, DPI, DRAWINGS};
use rhizograph_demo::random::unit;
use rhizograph_demo::{DRAWN, kettle};
use rhizograph_formats::{Error, raster_out};

/// The drawing that the photo of shot 013 shows.
pub const PHOTOGRAPHED: usize = 3;

/// The name of a demo drawing's scan.
pub fn file_name(number: usize) -> String {
    format!("A-{:02}.jpg", number + 1)
}

/// How a demo sheet lies on the feeder's glass.
pub fn sheet(number: usize) -> Sheet {
    let seed = 40 + number as u64;
    Sheet { dpi: DPI, grey: false, skew: 0.016 * (unit(seed) - 0.5), seed }
}

/// Drawing `number` (0 to 7) of the demo shot, scanned: a JPEG at 300 dpi.
pub fn scanned(number: usize) -> Result<Vec<u8>, Error> {
    Ok(fed(number, DPI, false)?.1)
}

/// The same as the sheet feeder delivers it at any resolution from 75 to 600 dpi, with its name.
pub fn fed(number: usize, dpi: f64, grey: bool) -> Result<(String, Vec<u8>), Error> {
    let number = number.min(DRAWINGS - 1);
    let on_glass = Sheet { dpi: dpi.clamp(75.0, 600.0), grey, ..sheet(number) };
    let picture = scan(&marrow::draw(number), DPI, on_glass);
    Ok((file_name(number), raster_out::jpeg(&picture, Some(on_glass.dpi), 92)?))
}

/// The same as the phone camera takes it, with its name. A photo does not know how large the paper is.
pub fn photographed(number: usize) -> Result<(String, Vec<u8>), Error> {
    let number = number.min(DRAWINGS - 1);
    let photo = photograph(&marrow::draw(number), DPI, 70 + number as u64);
    Ok((format!("photo-{:02}.jpg", number + 1), raster_out::jpeg(&photo, None, 86)?))
}

/// All sheets of the demo shot, in order, with their names.
pub fn sheets() -> Result<Vec<(String, Vec<u8>)>, Error> {
    (0..DRAWINGS).into_par_iter().map(|n| Ok((file_name(n), scanned(n)?))).collect()
}

/// The drawing that is inked by the strokes of the tablet, and its original: a bare sheet.
pub fn drawn() -> Result<(NewDrawing, Vec<u8>), Error> {
    let (mut drawing, bytes) = blank(DRAWN, [kettle::WIDTH, kettle::HEIGHT], kettle::DPI)?;
    for stroke in kettle::strokes() {
        let follows = Follows::Pressure { least: 0.25, bend: 1.2 };
        let pen = Pen { width: stroke.width * 1.4, steadying: 0.3, follows, tilt: 0.0, grain: 1.5 };
        let form = ink(&stroke.samples, &pen).map_err(|e| Error::Damaged("stroke", e.to_string()))?;
        drawing.sheet.draw(Line::new(0, form, Made::Hand));
    }
    let sheet = &drawing.sheet;
    let bare = Ink::plain(Plane::new(sheet.width, sheet.height, 0), [0; 3]);
    drawing.progress = progress::of(sheet, &Scene::of(sheet, &bare));
    Ok((drawing, bytes))
}
