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
    /// How far along the line from there it holds, px: ink that comes back later is not cut off.
    pub reach: f64,
}

/// A centreline's points with all the ink they bear, and where that is cut off at either end.
#[derive(Debug, Clone, PartialEq)]
pub struct Stroke {
    pub flat: Vec<FlatPoint>,
    pub facets: [Option<Facet>; 2],
}

impl Stroke {
    /// How many pieces from the start, and from the end, are cut off by their facet.
    pub fn faceted(&self) -> [usize; 2] {
        let count = |facet: Option<Facet>, pieces: &mut dyn Iterator<Item = &[FlatPoint]>| {
            let Some(f) = facet else { return 0 };
            let mut run = 0.0;
            pieces
                .take_while(|w| {
                    let is_within = run < f.reach - 1e-6;
                    run += w[0].p.dist(w[1].p);
                    is_within
                })
                .count()
        };
        let [start, end] = self.facets;
        [count(start, &mut self.flat.windows(2)), count(end, &mut self.flat.windows(2).rev())]
    }
}
