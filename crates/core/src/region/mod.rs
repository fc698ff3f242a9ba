//! Regions: what lines, seams and solid shapes enclose.
//!
//! The faces of the arrangement run to the middles of the lines, so paint reaches under the ink and no fringe can show.
//! A face inside a solid shape is ink; a face that the ink hides wholly is a pocket; both are no regions.

pub mod arrangement;
mod edit;
mod live;
pub(crate) mod look;
pub mod network;
mod planar;
mod snap;

use crate::geom::{Bounds, Pt, pt};
use crate::raster::ink::IS_INK;
use crate::raster::plane::Plane;
use look::{Look, look, spans};
use network::{Edited, Network};
use rayon::prelude::*;
use serde::Serialize;
use std::collections::{BTreeSet, HashMap, HashSet};
use ts_rs::TS;

/// A region of a drawing.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Region {
    /// From 1, as in the label picture.
    pub id: u32,
    /// Pixels of it that bear no ink.
    pub area: usize,
    /// x, y, width, height of its visible part, px.
    pub bbox: [usize; 4],
    /// A visible place well inside.
    pub seed: Pt,
    /// The closed rings of its boundary (even-odd), along the middles of its lines.
    pub rings: Vec<Vec<Pt>>,
}

/// All regions of a drawing with the number of the region at each pixel (0: none), kept up through edits: a region keeps
/// its number as long as its face does.
#[derive(Debug, Clone)]
pub struct Regions {
    pub labels: Plane<u16>,
    /// By number less one; none where a number is free.
    list: Vec<Option<Region>>,
    /// The number of the region of each face, 0 for those that are none, and where the face is.
    faces: Vec<(u16, Bounds)>,
    free: Vec<u16>,
    /// Faces that are regions, but for which no number is left.
    beyond: BTreeSet<usize>,
}

/// The numbers of regions that are no more or changed, and of those that are new or changed.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct RegionsEdited {
    pub gone: Vec<u32>,
    pub made: Vec<u32>,
}

/// The label picture has 16 bits.
const MOST_REGIONS: usize = u16::MAX as usize;

impl Regions {
    /// Reads the regions off a network over the ink that is seen.
    pub fn of(network: &Network, alpha: &Plane<u8>) -> Regions {
        let labels = Plane::new(alpha.width, alpha.height, 0u16);
        let (list, faces, free, beyond) = (Vec::new(), Vec::new(), Vec::new(), BTreeSet::new());
        let mut regions = Regions { labels, list, faces, free, beyond };
        regions.read(network, alpha, network.arrangement.faces().collect(), HashMap::new());
        regions
    }

    /// The same after an edit of the network and of the ink in `inked`.
    pub fn update(&mut self, network: &Network, edited: &Edited, alpha: &Plane<u8>, inked: &[Bounds]) -> RegionsEdited {
        let Some(faces) = &edited.faces else {
            let gone = self.iter().map(|r| r.id).collect();
            *self = Regions::of(network, alpha);
            return RegionsEdited { gone, made: self.iter().map(|r| r.id).collect() };
        };
        let mut asked: Vec<usize> = faces.iter().copied().filter(|f| *f != 0).collect();
        // Where ink came or went, regions are seen otherwise.
        let others = self.faces.iter().enumerate().filter(|(_, (_, b))| inked.iter().any(|i| i.touches(b)));
        asked.extend(others.map(|(f, _)| f));
        // A number may be free for some that had none.
        let left = MOST_REGIONS.saturating_sub(self.len());
        asked.extend(self.beyond.iter().take(left + asked.len()));
        asked.sort_unstable();
        asked.dedup();
        let mut had: HashMap<usize, u16> = HashMap::new();
        for &f in &asked {
            self.beyond.remove(&f);
            let (id, _) =
                self.faces.get_mut(f).map_or((0, Bounds::EMPTY), |x| std::mem::replace(x, (0, Bounds::EMPTY)));
            if id > 0
                && let Some(region) = self.list[id as usize - 1].take()
            {
                let w = self.labels.width;
                for (y, a, b) in spans(&region.rings, w, self.labels.height) {
                    self.labels.data[y * w + a..y * w + b].fill(0);
                }
                had.insert(f, id);
            }
        }
        let gone = had.values().map(|&id| u32::from(id)).collect();
        asked.retain(|&f| f < network.arrangement.face_numbers() && network.arrangement.is_face(f));
        RegionsEdited { gone, made: self.read(network, alpha, asked, had) }
    }

    /// Looks at faces and enters those that are regions; one that `had` a number has it again. Gives their numbers.
    fn read(
        &mut self,
        network: &Network,
        alpha: &Plane<u8>,
        faces: Vec<usize>,
        mut had: HashMap<usize, u16>,
    ) -> Vec<u32> {
        let found: Vec<(usize, Vec<Vec<Pt>>, Option<Look>)> = faces
            .into_par_iter()
            .map(|f| {
                let rings = network.arrangement.rings(f);
                let seen = look(&rings, alpha, network);
                (f, rings, seen)
            })
            .collect();
        self.faces.resize(network.arrangement.face_numbers(), (0, Bounds::EMPTY));
        // What is a region no more leaves its number to others.
        let seen: HashSet<usize> = found.iter().filter(|f| f.2.is_some()).map(|f| f.0).collect();
        self.free.extend(had.extract_if(|face, _| !seen.contains(face)).map(|(_, id)| id));
        let mut made = Vec::new();
        for (face, rings, seen) in found {
            self.faces[face].1 = Bounds::of(rings.iter().flatten());
            let Some(Look { spans, area, bbox, runs }) = seen else { continue };
            let id = match had.remove(&face).or_else(|| self.free.pop()) {
                Some(id) => id,
                None if self.list.len() < MOST_REGIONS => {
                    self.list.push(None);
                    self.list.len() as u16
                }
                None => {
                    self.beyond.insert(face);
                    continue;
                }
            };
            let w = self.labels.width;
            for (y, a, b) in spans {
                self.labels.data[y * w + a..y * w + b].fill(id);
            }
            self.faces[face].0 = id;
            let seed = well_inside(&self.labels, alpha, id, runs);
            self.list[id as usize - 1] = Some(Region { id: u32::from(id), area, bbox, seed, rings });
            made.push(u32::from(id));
        }
        made
    }

    /// All regions, by their numbers.
    pub fn iter(&self) -> impl Iterator<Item = &Region> {
        self.list.iter().flatten()
    }

    pub fn len(&self) -> usize {
        self.list.len() - self.free.len()
    }

    /// How many more there are than can be numbered: they cannot be filled.
    pub fn beyond(&self) -> usize {
        self.beyond.len()
    }

    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Numbers go up to this.
    pub fn most(&self) -> usize {
        self.list.len()
    }

    pub fn get(&self, id: u32) -> Option<&Region> {
        self.list.get((id as usize).checked_sub(1)?)?.as_ref()
    }

    /// The region at a place, if there is one.
    pub fn at(&self, p: Pt) -> Option<&Region> {
        self.get(u32::from(*self.labels.get(p.x.floor() as i64, p.y.floor() as i64)?))
    }
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
