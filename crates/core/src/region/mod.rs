//! Regions: what lines, seams and solid shapes enclose.
//!
//! The faces of the arrangement run to the middles of the lines, so paint reaches under the ink and no fringe can show.
//! A face inside a solid shape is ink; a face that the ink hides wholly is a pocket; both are no regions.

pub mod arrangement;
mod edit;
pub mod network;
mod snap;

use crate::geom::{Bounds, Pt, inside, pt};
use crate::ink::IS_INK;
use crate::plane::Plane;
use network::Network;
use rayon::prelude::*;
use serde::Serialize;
use ts_rs::TS;

/// A region of a drawing.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Region {
    /// From 1, in the order of the label picture.
    pub id: u32,
    /// Pixels of it that bear no ink.
    pub area: usize,
    /// x, y, width, height of its visible part, px.
    pub bbox: [usize; 4],
    /// A visible place well inside.
    pub seed: Pt,
    /// The closed rings of its boundary (even-odd), along the middles of its lines.
    pub rings: Vec<Vec<Pt>>,
    /// Its face in the arrangement.
    #[serde(skip)]
    #[ts(skip)]
    pub face: usize,
}

/// All regions of a drawing with the number of the region at each pixel (0: none).
#[derive(Debug, Clone)]
pub struct Regions {
    pub labels: Plane<u16>,
    pub list: Vec<Region>,
    /// The number of the region of each face, 0 for those that are none.
    pub of_face: Vec<u16>,
}

/// A face with fewer visible pixels than this is a pocket under the ink.
pub const POCKET: usize = 6;

/// The label picture has 16 bits.
const MOST_REGIONS: usize = u16::MAX as usize;

/// The pixels of rings by the even-odd rule at pixel centres: (row, first column, end column).
pub fn spans(rings: &[Vec<Pt>], width: usize, height: usize) -> Vec<(usize, usize, usize)> {
    let mut crossings: Vec<(u32, f64)> = Vec::new();
    for ring in rings {
        for k in 0..ring.len() {
            let (a, b) = (ring[k], ring[(k + 1) % ring.len()]);
            let (top, low) = if a.y < b.y { (a, b) } else { (b, a) };
            let first = (top.y - 0.5).ceil().max(0.0);
            let last = (low.y - 0.5).ceil().min(height as f64);
            let mut y = first;
            while y < last {
                crossings.push((y as u32, top.x + (y + 0.5 - top.y) / (low.y - top.y) * (low.x - top.x)));
                y += 1.0;
            }
        }
    }
    crossings.sort_unstable_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
    crossings
        .chunks_exact(2)
        .filter_map(|c| {
            let column = |x: f64| (x - 0.5).ceil().clamp(0.0, width as f64) as usize;
            let (from, to) = (column(c[0].1), column(c[1].1));
            (from < to).then_some((c[0].0 as usize, from, to))
        })
        .collect()
}

/// Reads the regions off a network over the ink that is seen.
pub fn regions(network: &Network, alpha: &Plane<u8>) -> Regions {
    let (w, h) = (alpha.width, alpha.height);
    let arrangement = &network.arrangement;
    let solids: Vec<(Bounds, &Vec<Vec<Pt>>)> =
        network.rings.iter().filter(|r| !r.is_empty()).map(|r| (Bounds::of(r.iter().flatten()), r)).collect();
    // Rings, spans, visible area, box, and the visible runs as (length, row, middle).
    type Found = (Vec<Vec<Pt>>, Vec<(usize, usize, usize)>, usize, [usize; 4], Vec<(usize, usize, usize)>);
    let found: Vec<Option<Found>> = (1..arrangement.face_numbers())
        .into_par_iter()
        .map(|face| {
            let rings = arrangement.rings(face);
            let spans = spans(&rings, w, h);
            let &(y, a, b) = spans.iter().max_by_key(|s| s.2 - s.1)?;
            let probe = pt((a + b) as f64 / 2.0, y as f64 + 0.5);
            if solids.iter().any(|(bounds, rings)| {
                probe.x >= bounds.min.x
                    && probe.x <= bounds.max.x
                    && probe.y >= bounds.min.y
                    && probe.y <= bounds.max.y
                    && inside(probe, rings)
            }) {
                return None;
            }
            let mut area = 0;
            let mut bbox = [usize::MAX, usize::MAX, 0, 0];
            let mut runs = Vec::new();
            for &(y, a, b) in &spans {
                let row = &alpha.row(y)[a..b];
                let mut x = 0;
                while x < row.len() {
                    if row[x] >= IS_INK {
                        x += 1;
                        continue;
                    }
                    let from = x;
                    while x < row.len() && row[x] < IS_INK {
                        x += 1;
                    }
                    area += x - from;
                    bbox = [bbox[0].min(a + from), bbox[1].min(y), bbox[2].max(a + x), bbox[3].max(y + 1)];
                    runs.push((x - from, y, a + (from + x) / 2));
                }
            }
            (area >= POCKET)
                .then(|| (rings, spans, area, [bbox[0], bbox[1], bbox[2] - bbox[0], bbox[3] - bbox[1]], runs))
        })
        .collect();
    let mut labels = Plane::new(w, h, 0u16);
    let mut list = Vec::new();
    let mut of_face = vec![0u16; arrangement.face_numbers()];
    for (k, f) in found.into_iter().enumerate() {
        let Some((rings, spans, area, bbox, runs)) = f else {
            continue;
        };
        if list.len() == MOST_REGIONS {
            break;
        }
        let id = list.len() as u16 + 1;
        for (y, a, b) in spans {
            labels.data[y * w + a..y * w + b].fill(id);
        }
        of_face[k + 1] = id;
        let seed = well_inside(&labels, alpha, id, runs);
        list.push(Region { id: u32::from(id), area, bbox, seed, rings, face: k + 1 });
    }
    Regions { labels, list, of_face }
}

/// A visible place of a region far from its borders: of the middles of its longest runs along rows the one with the
/// most room across, too.
fn well_inside(labels: &Plane<u16>, alpha: &Plane<u8>, id: u16, mut runs: Vec<(usize, usize, usize)>) -> Pt {
    runs.sort_unstable_by(|a, b| b.cmp(a));
    let longest = runs.first().map_or(0, |r| r.0);
    let mine = |x: usize, y: usize| *labels.at(x, y) == id && *alpha.at(x, y) < IS_INK;
    let step = (runs.len() / 48).max(1);
    let mut best = (0, pt(0.0, 0.0));
    for &(length, y, x) in runs.iter().step_by(step).take_while(|r| 8 * r.0 >= longest) {
        let limit = length / 2;
        let up = (1..=limit.min(y)).take_while(|k| mine(x, y - k)).count();
        let down = (1..=limit.min(labels.height - 1 - y)).take_while(|k| mine(x, y + k)).count();
        let room = 1 + limit.min(up).min(down);
        if room > best.0 && mine(x, y) {
            best = (room, pt(x as f64 + 0.5, y as f64 + 0.5));
        }
    }
    best.1
}

impl Regions {
    /// The region at a place, if there is one.
    pub fn at(&self, p: Pt) -> Option<&Region> {
        let label = *self.labels.get(p.x.floor() as i64, p.y.floor() as i64)?;
        (label > 0).then(|| &self.list[label as usize - 1])
    }
}
