//! The regions of a drawing with what they are compared by: where they lie, how they are shaped, what they border on.

use crate::geom::{Pt, pt};
use crate::raster::plane::Plane;
use crate::region::Regions;
use rustc_hash::FxHashMap;

/// The most places of a region that are looked at, and how fine all regions are read: so many rows and columns at most.
const MOST_SAMPLES: usize = 72;
const FINEST: usize = 1100;

/// A region as it is compared.
#[derive(Debug, Clone)]
pub struct Part {
    /// Its number.
    pub region: u32,
    /// Px².
    pub area: f64,
    pub centre: Pt,
    /// Places in it, evenly.
    pub samples: Vec<Pt>,
    /// What it borders on, and by which share of its border: places in the list of parts; `None`: the outside.
    pub neighbours: Vec<(Option<usize>, f64)>,
}

/// The regions of a drawing and what borders on what.
#[derive(Debug, Clone)]
pub struct Graph {
    pub parts: Vec<Part>,
    /// The place in the list of parts of each label.
    places: Vec<Option<u32>>,
    labels: Plane<u16>,
}

impl Graph {
    pub fn of(regions: &Regions) -> Graph {
        let labels = &regions.labels;
        let step = (labels.width.max(labels.height) / FINEST).max(1);
        let mut places: Vec<Option<u32>> = vec![None; regions.most() + 1];
        let mut parts: Vec<Part> = Vec::with_capacity(regions.len());
        for region in regions.iter() {
            places[region.id as usize] = Some(parts.len() as u32);
            parts.push(Part {
                region: region.id,
                area: 0.0,
                centre: pt(0.0, 0.0),
                samples: samples_of(labels, region.id as u16, region.bbox, region.seed),
                neighbours: Vec::new(),
            });
        }
        let mut borders: Vec<FxHashMap<Option<usize>, f64>> = vec![FxHashMap::default(); parts.len()];
        let place = |l: u16| places[usize::from(l)].map(|p| p as usize);
        for y in (0..labels.height).step_by(step) {
            let row = labels.row(y);
            let below = (y + step < labels.height).then(|| labels.row(y + step));
            for x in (0..labels.width).step_by(step) {
                let here = place(row[x]);
                if let Some(k) = here {
                    parts[k].area += 1.0;
                    parts[k].centre = parts[k].centre + pt(x as f64 + 0.5, y as f64 + 0.5);
                }
                let right = (x + step < labels.width).then(|| row[x + step]);
                for there in right.into_iter().chain(below.map(|r| r[x])).map(place).filter(|t| *t != here) {
                    for (one, other) in [(here, there), (there, here)] {
                        if let Some(k) = one {
                            *borders[k].entry(other).or_default() += 1.0;
                        }
                    }
                }
            }
        }
        for (part, border) in parts.iter_mut().zip(borders) {
            if part.area > 0.0 {
                part.centre = part.centre * (1.0 / part.area);
            } else {
                // Too small to be met: its places are all there is of it.
                part.area = 1.0 / (step * step) as f64;
                part.centre = part.samples.iter().fold(pt(0.0, 0.0), |s, p| s + *p) * (1.0 / part.samples.len() as f64);
            }
            part.area *= (step * step) as f64;
            let whole: f64 = border.values().sum();
            part.neighbours = border.into_iter().map(|(k, n)| (k, n / whole)).collect();
            part.neighbours.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
        }
        Graph { parts, places, labels: labels.clone() }
    }

    /// The place in the list of parts of the region at a place of the sheet.
    pub fn at(&self, p: Pt) -> Option<usize> {
        let label = *self.labels.get(p.x.floor() as i64, p.y.floor() as i64)?;
        self.places[usize::from(label)].map(|p| p as usize)
    }

    /// The middle of all that lies in regions.
    pub fn centre(&self) -> Pt {
        let whole: f64 = self.parts.iter().map(|p| p.area).sum();
        self.parts.iter().fold(pt(0.0, 0.0), |s, p| s + p.centre * (p.area / whole.max(1.0)))
    }
}

/// Places of a region on a grid over its box, its seed among them.
fn samples_of(labels: &Plane<u16>, label: u16, [x, y, w, h]: [usize; 4], seed: Pt) -> Vec<Pt> {
    let step = (((w * h) as f64 / (3 * MOST_SAMPLES) as f64).sqrt()).ceil().max(1.0) as usize;
    let mut out = vec![seed];
    for row in (y + step / 2..y + h).step_by(step) {
        let columns = (x + step / 2..x + w).step_by(step);
        out.extend(columns.filter(|c| *labels.at(*c, row) == label).map(|c| pt(c as f64 + 0.5, row as f64 + 0.5)));
    }
    let every = out.len().div_ceil(MOST_SAMPLES).max(1);
    out.into_iter().step_by(every).collect()
}
