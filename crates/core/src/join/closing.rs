//! What closing gaps gains: the arrangement with closures in it, and the regions at both sides of each.

use super::gap::{Gap, Swapped};
use crate::geom::Bounds;
use crate::raster::plane::Plane;
use crate::region::arrangement::{Arrangement, Segment, Vertex, arrange, to_grid};
use crate::region::look::look;
use crate::region::network::{Edited, FLATNESS, Network};
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeSet;

/// Owners from this number on are closures.
const CLOSURE: u32 = 1 << 31;

/// An arrangement with some gaps closed, kept up through edits.
#[derive(Debug, Clone, Default)]
pub(super) struct Closing {
    /// None as long as there never was a closure in it.
    arrangement: Option<Arrangement>,
    closures: FxHashMap<u32, Closure>,
    /// Each face with each closure along it.
    beside: BTreeSet<(usize, u32)>,
    /// Where a face is and its visible area; the area is none where it is no region.
    areas: FxHashMap<usize, (Bounds, Option<usize>)>,
}

#[derive(Debug, Clone)]
struct Closure {
    segments: Vec<Segment>,
    /// The faces along it.
    along: Vec<usize>,
    /// Two different ones that it parts.
    sides: Option<[usize; 2]>,
    /// The visible areas of those.
    parts: Option<[Option<usize>; 2]>,
}

impl Closure {
    fn of(number: u32, gap: &Gap) -> Closure {
        let owner = CLOSURE | number;
        let places: Vec<Vertex> = gap.bridge.flat(FLATNESS).iter().map(|f| to_grid(f.p)).collect();
        let mut segments: Vec<Segment> = places.windows(2).map(|w| Segment { a: w[0], b: w[1], owner }).collect();
        // Rounded to the grid it may miss the line it meets by a step: a short bar across that line does not.
        if let (Some(along), Some(&q)) = (gap.along, places.last()) {
            let across = along.turned() * 4.0;
            let o = [across.x.round() as i64, across.y.round() as i64];
            segments.push(Segment { a: q, b: [q[0] + o[0], q[1] + o[1]], owner });
            segments.push(Segment { a: q, b: [q[0] - o[0], q[1] - o[1]], owner });
        }
        Closure { segments, along: Vec::new(), sides: None, parts: None }
    }
}

impl Closing {
    pub fn of(network: &Network, alpha: &Plane<u8>, gaps: &[(u32, Gap)]) -> Closing {
        let mut closing = Closing::default();
        if !gaps.is_empty() {
            closing.closures = gaps.iter().map(|(n, gap)| (*n, Closure::of(*n, gap))).collect();
            closing.begin(network, alpha);
        }
        closing
    }

    pub fn is_ready(&self) -> bool {
        self.arrangement.as_ref().is_none_or(Arrangement::is_ready)
    }

    pub fn make_ready(&mut self) {
        if let Some(arrangement) = &mut self.arrangement {
            arrangement.make_ready();
        }
    }

    fn begin(&mut self, network: &Network, alpha: &Plane<u8>) {
        let mut segments: Vec<Segment> = network.segments().copied().collect();
        segments.extend(self.closures.values().flat_map(|c| &c.segments));
        self.arrangement = Some(arrange(&segments));
        self.areas.clear();
        let all: Vec<u32> = self.closures.keys().copied().collect();
        self.read(network, alpha, &all);
    }

    /// The same after an edit of the network and of the ink in `inked`, without the closures that go and with those that
    /// come. Gives those whose sides may be others now.
    pub fn update(
        &mut self,
        network: &Network,
        edited: &Edited,
        alpha: &Plane<u8>,
        inked: &[Bounds],
        (gone, came): &Swapped,
    ) -> Vec<u32> {
        let mut removed = edited.removed.clone();
        let mut added = edited.added.clone();
        for n in gone {
            let Some(closure) = self.closures.remove(n) else { continue };
            for &f in &closure.along {
                self.beside.remove(&(f, *n));
            }
            removed.extend(closure.segments);
        }
        for (n, gap) in came {
            let closure = Closure::of(*n, gap);
            added.extend(&closure.segments);
            self.closures.insert(*n, closure);
        }
        let Some(arrangement) = &mut self.arrangement else {
            if !self.closures.is_empty() {
                self.begin(network, alpha);
            }
            return self.closures.keys().copied().collect();
        };
        let mut stale: FxHashSet<u32> = came.iter().map(|c| c.0).collect();
        match arrangement.edit(&removed, &added) {
            None => {
                self.areas.clear();
                stale.extend(self.closures.keys());
            }
            Some(faces) => {
                for f in faces {
                    self.areas.remove(&f);
                    stale.extend(self.along(f));
                }
            }
        }
        if !inked.is_empty() {
            let touches = |b: &Bounds| inked.iter().any(|i| i.touches(b));
            let seen_otherwise = self.areas.extract_if(|_, (bounds, _)| touches(bounds));
            for (f, _) in seen_otherwise.collect::<Vec<_>>() {
                stale.extend(self.along(f));
            }
        }
        let stale: Vec<u32> = stale.into_iter().collect();
        self.read(network, alpha, &stale);
        stale
    }

    /// The closures along a face.
    fn along(&self, face: usize) -> impl Iterator<Item = u32> + '_ {
        self.beside.range((face, 0)..=(face, u32::MAX)).map(|b| b.1)
    }

    /// Reads the sides of closures anew, and the areas that are not known.
    fn read(&mut self, network: &Network, alpha: &Plane<u8>, numbers: &[u32]) {
        let Some(arrangement) = &self.arrangement else { return };
        let sides: Vec<(u32, Vec<usize>, Option<[usize; 2]>)> = numbers
            .par_iter()
            .filter_map(|&n| {
                let (mut along, mut parted) = (Vec::new(), None);
                for s in &self.closures.get(&n)?.segments {
                    for sides in arrangement.sides_of(s) {
                        along.extend(sides);
                        parted = parted.or((sides[0] != sides[1]).then_some(sides));
                    }
                }
                along.sort_unstable();
                along.dedup();
                Some((n, along, parted))
            })
            .collect();
        let mut asked: Vec<usize> = sides.iter().filter_map(|s| s.2).flatten().collect();
        asked.sort_unstable();
        asked.dedup();
        asked.retain(|f| *f != 0 && !self.areas.contains_key(f));
        let areas: Vec<(usize, (Bounds, Option<usize>))> = asked
            .into_par_iter()
            .map(|f| {
                let rings = arrangement.rings(f);
                (f, (Bounds::of(rings.iter().flatten()), look(&rings, alpha, network).map(|l| l.area)))
            })
            .collect();
        self.areas.extend(areas);
        for (n, along, parted) in sides {
            let parts = parted.map(|sides| sides.map(|f| self.areas.get(&f).and_then(|a| a.1)));
            if let Some(closure) = self.closures.get_mut(&n) {
                for &f in &closure.along {
                    self.beside.remove(&(f, n));
                }
                self.beside.extend(along.iter().map(|f| (*f, n)));
                (closure.along, closure.sides, closure.parts) = (along, parted, parts);
            }
        }
    }

    /// The faces at both sides of a closure that parts two.
    pub fn sides(&self, number: u32) -> Option<[usize; 2]> {
        self.closures.get(&number)?.sides
    }

    /// The visible areas at both sides of a closure that parts two faces.
    pub fn parts(&self, number: u32) -> Option<[Option<usize>; 2]> {
        self.closures.get(&number)?.parts
    }
}
