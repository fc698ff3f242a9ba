//! The demo's sheets as files: what the sheet feeder delivers.

use rhizograph_demo::feeder::{Sheet, scan};
use rhizograph_demo::marrow::{self, DPI, DRAWINGS};
use rhizograph_demo::random::unit;
use rhizograph_formats::{Error, raster_out};

/// The name of a demo drawing's scan.
pub fn file_name(number: usize) -> String {
    format!("A-{:02}.jpg", number + 1)
}

/// How a demo sheet lies on the feeder's glass.
pub fn sheet(number: usize) -> Sheet {
    let seed = 40 + number as u64;
    Sheet { dpi: DPI, skew: 0.016 * (unit(seed) - 0.5), seed }
}

/// Drawing `number` (0 to 7) of the demo shot, scanned: a JPEG at 300 dpi.
pub fn scanned(number: usize) -> Result<Vec<u8>, Error> {
    raster_out::jpeg(&scan(&marrow::draw(number), DPI, sheet(number)), DPI)
}

/// All sheets of the demo shot, in order, with their names.
pub fn sheets() -> impl Iterator<Item = Result<(String, Vec<u8>), Error>> {
    (0..DRAWINGS).map(|n| Ok((file_name(n), scanned(n)?)))
}
