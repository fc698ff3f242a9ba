//! What one step may hold, and how it is told.

use crate::error::Error;
use crate::geom::Pt;
use crate::model::sheet::Sheet;

/// The most things named in one command.
pub(super) const MOST_NAMED: usize = 200_000;

/// The most points of a stroke.
pub(super) const MOST_POINTS: usize = 20_000;

/// How closely a stroke is followed when it is thinned, px.
pub(super) const THINNED_WITHIN: f64 = 0.1;

pub(super) fn counted(what: &str, n: usize, thing: &str) -> String {
    format!("{what} {n} {thing}{}", if n == 1 { "" } else { "s" })
}

/// Refuses places that are far off the sheet.
pub(super) fn lie_near(sheet: &Sheet, places: &[Pt]) -> Result<(), Error> {
    let margin = 2000.0;
    let fits = |p: &&Pt| {
        (-margin..=sheet.width as f64 + margin).contains(&p.x)
            && (-margin..=sheet.height as f64 + margin).contains(&p.y)
    };
    match places.iter().find(|p| !fits(p)) {
        Some(p) => Err(Error::OffSheet(p.x, p.y)),
        None => Ok(()),
    }
}

/// Refuses a path that is no stroke on the sheet.
pub(super) fn on_sheet(sheet: &Sheet, path: &[Pt]) -> Result<(), Error> {
    if path.len() < 2 || path.len() > MOST_POINTS {
        return Err(Error::Mismatch("a stroke needs 2 to 20000 points"));
    }
    lie_near(sheet, path)
}

/// How far around what it names a step looks, px at least: a seam's end reaches that far for a line.
pub(super) const REACH: f64 = 32.0;
