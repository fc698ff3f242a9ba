//! Gaps: which loose end was meant to meet which other end, or which line.
//!
//! Each pair of a loose end with another, and each end with the line it runs at, gets a confidence from the distance
//! between their ink, how straight each runs at the other, and how alike their widths are (good continuation: after
//! Fourey and others, "A fast and efficient semi-guided algorithm for flat coloring line-arts", 2018, where ends of
//! lines are matched as keypoints). The best pairs are taken first, each end once; then all of them are put into the
//! arrangement together, and one that parts no two regions gains nothing and is only proposed. O(ends · neighbours); after
//! an edit only ends near what changed are looked at again, only candidates that one which came or went may cross or
//! leave an end to are decided anew, and of the arrangements only what the edit touched is.
mod candidate;
mod choice;
mod gain;
mod ranked;
mod standing;
mod state;
mod way;

pub use state::Gaps;

use super::closing::Closing;
use super::density::DENSITY_REACH;
use super::faces::reach_of_faces;
use super::gap::Gap;
use crate::geom::Bounds;
use crate::model::recipe::{JoinRecipe, px_per_mm};
use crate::raster::plane::Plane;
use crate::region::network::{Edited, Network, Places};
use candidate::AROUND;
use choice::Choice;
use ranked::Lying;
use rustc_hash::{FxHashMap, FxHashSet};

impl Gaps {
    /// Finds the gaps of a drawing. `alpha` is the ink as it is seen.
    pub fn of(network: &Network, alpha: &Plane<u8>, recipe: &JoinRecipe, dpi: f64) -> Gaps {
        let mut gaps = Gaps {
            limit: recipe.longest_gap * px_per_mm(dpi),
            loose: Vec::new(),
            candidates: Vec::new(),
            chosen: Vec::new(),
            starts: Vec::new(),
            taken: Vec::new(),
            round: 0,
            numbers: 0,
            places: FxHashMap::default(),
            lying: Lying::default(),
            confident: Closing::default(),
            all: Closing::default(),
            standings: Vec::new(),
            completed: FxHashSet::default(),
        };
        let gone = gaps.look(network, alpha, |_| true);
        let Choice { confident, all, .. } = gaps.choose(network, alpha, &gone);
        let closing = |some: &[(u32, Gap)]| Closing::of(network, alpha, some);
        (gaps.confident, gaps.all) = rayon::join(|| closing(&confident.1), || closing(&all.1));
        let numbers: Vec<u32> = gaps.places.keys().copied().collect();
        gaps.weigh_gain(&numbers);
        gaps
    }

    /// The same after an edit of the network, and of the ink in `inked`. Gives the ends of those that came, went or are
    /// weighed otherwise.
    pub fn update(
        &mut self,
        network: &Network,
        edited: &Edited,
        alpha: &Plane<u8>,
        inked: &[Bounds],
    ) -> FxHashSet<usize> {
        let mut places = edited.places.clone();
        places.extend(inked);
        let widest = edited.widest;
        let reach = self.limit + AROUND + DENSITY_REACH * widest + reach_of_faces(widest);
        let near = Places::of(&places);
        let gone = self.look(network, alpha, |end| near.near(end.p, reach));
        let Choice { confident, all, mut weigh, mut ends } = self.choose(network, alpha, &gone);
        let Gaps { confident: some, all: every, .. } = self;
        let (stale, others) = rayon::join(
            || some.update(network, edited, alpha, inked, &confident),
            || every.update(network, edited, alpha, inked, &all),
        );
        weigh.extend(stale.into_iter().chain(others));
        ends.extend(self.weigh_gain(&weigh));
        ends
    }

    pub fn is_ready(&self) -> bool {
        self.confident.is_ready() && self.all.is_ready()
    }

    /// Makes what the first edit would have to make.
    pub fn make_ready(&mut self) {
        self.confident.make_ready();
        self.all.make_ready();
    }

    pub fn iter(&self) -> impl Iterator<Item = &Gap> {
        self.chosen.iter().flatten().map(|c| &c.gap).filter(|g| !g.leak)
    }

    /// Openings beside a loose end that look like no gap and part two regions all the same.
    pub fn leaks(&self) -> impl Iterator<Item = &Gap> {
        self.chosen.iter().flatten().map(|c| &c.gap).filter(|g| g.leak && g.parts.is_some())
    }

    /// The gap an end is in, or the leak beside it, by the end's place.
    pub(crate) fn at(&self, place: usize) -> Option<&Gap> {
        let start = self.starts.get(place)?.checked_sub(1)?;
        self.chosen[start as usize].as_ref().map(|c| &c.gap)
    }
}
