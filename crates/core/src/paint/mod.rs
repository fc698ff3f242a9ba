//! Paint: drops that hold on to the region they lie in, whatever happens to its borders.

use crate::geom::Pt;
use crate::region::Regions;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A place and the swatch that fills the region around it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Drop {
    pub at: Pt,
    pub swatch: String,
}

/// A named colour of the colour model.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Swatch {
    pub id: String,
    pub name: String,
    /// sRGB.
    pub colour: [u8; 3],
}

/// The numbers of the drops in each region (by region number from 1, at index - 1).
pub fn drops_in(regions: &Regions, drops: &[Drop]) -> Vec<Vec<usize>> {
    let mut out = vec![Vec::new(); regions.list.len()];
    for (k, d) in drops.iter().enumerate() {
        if let Some(region) = regions.at(d.at) {
            out[region.id as usize - 1].push(k);
        }
    }
    out
}

/// The swatch that fills each region: that of the newest drop in it.
pub fn fills<'a>(regions: &Regions, drops: &'a [Drop]) -> Vec<Option<&'a str>> {
    drops_in(regions, drops).iter().map(|list| list.last().map(|&k| drops[k].swatch.as_str())).collect()
}
