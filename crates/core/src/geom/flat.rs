//! Flattened lines: points with the width of the ink there, and where that ink is cut off.

use super::point::Pt;

/// A point of a flattened line and the ink's width there (0 on a seam).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FlatPoint {
    pub p: Pt,
    pub width: f64,
}

/// Where a line's ink is cut off straight: no ink of it lies on the far side.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Facet {
    pub at: Pt,
    /// Square to the cut, towards the line.
    pub inward: Pt,
    /// How far along the line from there it holds, px.
    pub reach: f64,
}

/// A centreline's points with all the ink they bear, and where that is cut off at either end.
#[derive(Debug, Clone, PartialEq)]
pub struct Stroke {
    pub flat: Vec<FlatPoint>,
    pub facets: [Option<Facet>; 2],
}
