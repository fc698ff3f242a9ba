//! Open formats in and out. Every decoder is bounded in bytes, pixels and memory; bad input gives an error that tells
//! the reason in plain words.

mod contents;
pub mod drawing_json;
mod error;
pub mod hand_off;
pub mod openraster;
pub mod palette;
pub mod path_data;
pub mod raster_in;
pub mod raster_out;
mod reading;
pub mod resolution;
pub mod svg;
pub mod tiff_out;

pub use contents::{Got, Input, is_vector, layers, may_be_vector, read, read_in_rows};
pub use error::{Error, MOST_BYTES, MOST_PIXELS, MOST_SIDE};
pub use raster_in::pages;
pub use reading::Reading;
