//! The computation of Rhizograph, in the order of the work: [`intake`] lays the sheet out, [`lift`] takes the ink off the
//! paper, [`weight`] makes it thicker or thinner, [`trace`] turns it into lines, [`draw`] adds others by hand, [`join`]
//! finds what leaks or runs past, [`region`] proves what is enclosed, [`paint`] fills it.
//!
//! Lengths are pixels of the source, `f64`, y down, pixel centres at half coordinates; `dpi` turns them into mm at the
//! edge of the system. Nothing in here does I/O, knows a database or an interface.

pub mod draw;
pub mod edit;
pub mod error;
pub(crate) mod forest;
pub mod geom;
pub mod handoff;
pub mod intake;
pub mod join;
pub mod lift;
pub mod model;
pub mod paint;
pub mod preview;
pub mod raster;
pub mod region;
pub mod scene;
pub mod shot;
pub mod trace;
pub mod weight;

pub use error::Error;
