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
mod way;

use super::closing::Closing;
use super::density::DENSITY_REACH;
use super::faces::reach_of_faces;
use crate::geom::{Bounds, Pt};
use crate::line::{Form, Line};
use crate::plane::Plane;
use crate::recipe::{JoinRecipe, px_per_mm};
use crate::region::network::{Edited, EndKey, Network, Places};
use candidate::AROUND;
use choice::{Choice, Lying, Ranked};
use gain::Standing;
use rustc_hash::{FxHashMap, FxHashSet};
use std::sync::Arc;

/// A gap and the curve that would close it.
#[derive(Debug, Clone, PartialEq)]
pub struct Gap {
    /// The loose end it starts from: the line's number in the drawing, and which end.
    pub line: usize,
    pub at_end: bool,
    /// The other loose end, or the line whose body is met.
    pub other: usize,
    pub other_end: Option<bool>,
    /// Where the ink ends on both sides.
    pub from: Pt,
    pub to: Pt,
    /// Between the ink on both sides, px.
    pub length: f64,
    /// 0 to 1.
    pub confidence: f64,
    /// The areas of the two regions it parts (of the outside: none), when it parts any.
    pub parts: Option<[Option<usize>; 2]>,
    /// It can be settled without asking.
    pub sure: bool,
    /// Nothing but its place speaks for it: nobody is asked.
    pub quiet: bool,
    pub bridge: Line,
    /// Nothing tells that the two were meant to meet, but paint gets out between them.
    pub leak: bool,
    /// Along the line that is met at its body.
    pub(super) along: Option<Pt>,
    /// Tells it from every other one there ever was in the drawing.
    pub(crate) number: u32,
}

impl Gap {
    /// Whether another lies just so.
    fn is_where(&self, o: &Gap) -> bool {
        (self.line, self.at_end, self.other, self.other_end, self.leak)
            == (o.line, o.at_end, o.other, o.other_end, o.leak)
            && (self.from, self.to, self.along, self.length) == (o.from, o.to, o.along, o.length)
            && self.bridge == o.bridge
    }

    /// Of the bridge at its start, px.
    fn width(&self) -> f64 {
        if let Form::Centreline { width, .. } = &self.bridge.form { width[0][1] } else { 0.0 }
    }

    /// The loose ends it closes.
    pub fn ends(&self) -> impl Iterator<Item = EndKey> + use<> {
        [Some((self.line, self.at_end)), self.other_end.map(|e| (self.other, e))].into_iter().flatten()
    }
}

/// A gap that was chosen.
#[derive(Debug, Clone)]
struct Chosen {
    confident: bool,
    /// Before it was weighed by what closing gains.
    confidence: f64,
    /// Of its loose ends one is blunt.
    blunt: bool,
    gap: Gap,
    flat: Arc<[Pt]>,
    bounds: Bounds,
}

/// The gaps of a drawing, kept up through edits.
#[derive(Debug, Clone)]
pub struct Gaps {
    limit: f64,
    /// Of each end: not loose, loose, or loose as the other end of its line is.
    loose: Vec<u8>,
    /// From the most confident on.
    candidates: Vec<Ranked>,
    /// By the end they start from.
    chosen: Vec<Option<Box<Chosen>>>,
    /// Of each end the start of the chosen one it is in, and one more; 0: it is in none.
    starts: Vec<u32>,
    /// In which round an end was taken last, and whether a chosen one starts from it.
    taken: Vec<(u32, bool)>,
    round: u32,
    numbers: u32,
    /// The end each chosen one starts from, by its number.
    places: FxHashMap<u32, u32>,
    lying: Lying,
    /// With the confident ones closed, and with all of them.
    confident: Closing,
    all: Closing,
    /// By the end each starts from.
    standings: Vec<Standing>,
    /// Those that speak for one another.
    completed: FxHashSet<u32>,
}

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

/// The numbers of closures that go, and those that come.
pub(super) type Swapped = (Vec<u32>, Vec<(u32, Gap)>);
