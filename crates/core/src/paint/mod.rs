//! Paint: drops that hold on to the region they lie in, whatever happens to its borders.

pub mod parting;

use crate::model::numbered::Numbered;
use crate::model::paint::Drop;
use crate::raster::distance::{squared_distance, squared_distance_to};
use crate::raster::ink::IS_INK;
use crate::raster::plane::Plane;
use crate::region::Regions;

/// What lies in a region: the number of the newest drop.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Dropped {
    None,
    Alike(usize),
    /// Drops of two swatches or more.
    Differing(usize),
}

/// The drops in each region (by its number from 1, at index - 1).
pub fn drops_in(regions: &Regions, drops: &[Numbered<Drop>]) -> Vec<Dropped> {
    let mut out = vec![Dropped::None; regions.most()];
    for (k, d) in drops.iter().enumerate() {
        if let Some(region) = regions.at(d.at) {
            let here = &mut out[region.id as usize - 1];
            *here = match *here {
                Dropped::Alike(o) if drops[o].swatch != d.swatch => Dropped::Differing(k),
                Dropped::Differing(_) => Dropped::Differing(k),
                Dropped::None | Dropped::Alike(_) => Dropped::Alike(k),
            };
        }
    }
    out
}

impl Dropped {
    /// The swatch that fills the region: that of the newest drop in it.
    pub fn fill(self, drops: &[Numbered<Drop>]) -> Option<&str> {
        match self {
            Dropped::None => None,
            Dropped::Alike(k) | Dropped::Differing(k) => Some(drops[k].swatch.as_str()),
        }
    }
}

/// From this alpha on ink lets nothing through.
const DENSE: u8 = 250;

/// Where paint is taken back from under the ink: of the way from the line's edge to its middle it keeps the share `tuck`
/// (0 to 1), and all that lies under ink which lets it through.
pub fn taken_back(labels: &Plane<u16>, alpha: &Plane<u8>, tuck: f64) -> Plane<bool> {
    let ink = alpha.map(|&a| a >= IS_INK);
    let to_edge = squared_distance(&ink);
    // From each inked pixel of a region to the nearest of another region or of none.
    let (w, h) = (labels.width, labels.height);
    let mut rim = Plane::new(w, h, false);
    for y in 0..h {
        for x in 0..w {
            let l = *labels.at(x, y);
            let other = |dx: i64, dy: i64| labels.get(x as i64 + dx, y as i64 + dy).is_some_and(|&o| o != l);
            rim.set(x, y, other(1, 0) || other(-1, 0) || other(0, 1) || other(0, -1));
        }
    }
    let to_middle = squared_distance_to(&rim);
    let mut out = Plane::new(w, h, false);
    for (i, out) in out.data.iter_mut().enumerate().filter(|(i, _)| ink.data[*i]) {
        let (edge, middle) = (f64::from(to_edge.data[i]).sqrt(), f64::from(to_middle.data[i]).sqrt());
        *out = edge > tuck * (edge + middle) + 0.5 && alpha.data[i] >= DENSE;
    }
    out
}
