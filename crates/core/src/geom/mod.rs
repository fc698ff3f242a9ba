//! Points, boxes, polylines and curves.

pub mod area;
mod bounds;
pub mod flat;
pub mod homography;
mod point;
mod polyline;
pub mod profile;
pub mod spine;

pub use bounds::Bounds;
pub use point::{GRID, Pt, pt};
pub use polyline::{
    angle_between, inside, lengths, nearest_on_segment, needed, outward_at, outward_from, polygon_area, polyline_len,
    segments_cross, segments_gap, thinned,
};
