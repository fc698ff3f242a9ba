//! Places along a line by length.

use crate::geom::spine::{Place, Spine};
use crate::geom::{Pt, lengths, pt};

/// How closely curves are followed, px.
const FLATNESS: f64 = 0.05;
/// A joint of curves where the line turns by more is a corner, degrees.
const CORNER: f64 = 20.0;

/// A spine, flattened, with the length up to each point.
pub(super) struct Along<'a> {
    spine: &'a Spine,
    flat: Vec<Pt>,
    places: Vec<Place>,
    run: Vec<f64>,
}

impl<'a> Along<'a> {
    pub fn of(spine: &'a Spine) -> Along<'a> {
        let (flat, places) = (spine.flatten(FLATNESS), spine.places(FLATNESS));
        let run = lengths(&flat);
        Along { spine, flat, places, run }
    }

    pub fn length(&self) -> f64 {
        self.run[self.run.len() - 1]
    }

    /// The length up to a place, px.
    pub fn up_to(&self, place: Place) -> f64 {
        let k = self.places.partition_point(|p| *p <= place).clamp(1, self.places.len()) - 1;
        self.run[k] + self.flat[k].dist(self.spine.at(place))
    }

    /// The place so far along, px.
    pub fn place(&self, s: f64) -> Place {
        let n = self.run.len();
        let k = self.run.partition_point(|r| *r <= s).clamp(1, n.max(2) - 1) - 1;
        let next = (k + 1).min(n - 1);
        let t = ((s - self.run[k]) / (self.run[next] - self.run[k]).max(1e-12)).clamp(0.0, 1.0);
        // A curve's first place is the last of the one before.
        let (a, b) = (self.places[k], self.places[next]);
        let from = if a.curve == b.curve { a.t } else { 0.0 };
        Place { curve: b.curve, t: from + (b.t - from) * t }
    }

    pub fn at(&self, s: f64) -> Pt {
        let n = self.run.len();
        let k = self.run.partition_point(|r| *r <= s).clamp(1, n.max(2) - 1) - 1;
        let next = (k + 1).min(n - 1);
        let t = ((s - self.run[k]) / (self.run[next] - self.run[k]).max(1e-12)).clamp(0.0, 1.0);
        self.flat[k].lerp(self.flat[next], t)
    }

    /// How far along its corners lie, px.
    pub fn corners(&self) -> Vec<f64> {
        let turn = |a: Pt, b: Pt| a.cross(b).atan2(a.dot(b)).abs().to_degrees();
        let joints = 1..(self.spine.points.len().saturating_sub(1) / 3);
        let is_corner = |k: &usize| {
            let before = self.spine.direction(Place { curve: *k - 1, t: 1.0 }, true);
            let behind = self.spine.direction(Place { curve: *k, t: 0.0 }, false);
            before != pt(0.0, 0.0) && behind != pt(0.0, 0.0) && turn(before, behind) > CORNER
        };
        joints.filter(is_corner).map(|k| self.up_to(Place { curve: k - 1, t: 1.0 })).collect()
    }
}
