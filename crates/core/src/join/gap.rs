//! A gap: where two ends, or an end and a line, were meant to meet, and the curve that closes it.

use crate::geom::spine::Spine;
use crate::geom::{Pt, angle_between};
use crate::model::line::{Form, Line};
use crate::region::network::EndKey;

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
    pub(super) fn is_where(&self, o: &Gap) -> bool {
        (self.line, self.at_end, self.other, self.other_end, self.leak)
            == (o.line, o.at_end, o.other, o.other_end, o.leak)
            && (self.from, self.to, self.along, self.length) == (o.from, o.to, o.along, o.length)
            && self.bridge == o.bridge
    }

    /// The bridge's width at its start, px.
    pub(super) fn width(&self) -> f64 {
        if let Form::Centreline { width, .. } = &self.bridge.form { width[0][1] } else { 0.0 }
    }

    /// The loose ends it closes.
    pub fn ends(&self) -> impl Iterator<Item = EndKey> + use<> {
        [Some((self.line, self.at_end)), self.other_end.map(|e| (self.other, e))].into_iter().flatten()
    }
}

/// The numbers of closures that go, and those that come.
pub(super) type Swapped = (Vec<u32>, Vec<(u32, Gap)>);

/// The curve a hand would have drawn from one end to another: it leaves both as their lines run. `to_dir` points out of
/// the far end (towards the gap), or is `None` when the far side is a line's body.
pub fn bridge_spine(from: Pt, from_dir: Pt, to: Pt, to_dir: Option<Pt>) -> Spine {
    let chord = to - from;
    let len = chord.len();
    let third = len / 3.0;
    let away = |dir: Pt, chord: Pt| {
        // A direction that turns away from the other end is not followed.
        if angle_between(dir, chord) < 1.3 { dir } else { chord.unit() }
    };
    let a = away(from_dir, chord);
    let (h0, h1) = match to_dir {
        None => (from + a * third, to.lerp(from + a * third, 1.0 / 3.0)),
        Some(d) => {
            let b = away(d, chord * -1.0);
            // At a corner both lines run on to where they meet.
            let den = a.cross(b);
            let meet = (den.abs() > 0.35).then(|| (chord.cross(b) / den, chord.cross(a) / den));
            match meet {
                Some((u, v)) if u > 0.0 && v > 0.0 && u < 1.2 * len && v < 1.2 * len => {
                    (from + a * (u * 0.75), to + b * (v * 0.75))
                }
                _ => (from + a * third, to + b * third),
            }
        }
    };
    Spine { points: [from, h0, h1, to].map(Pt::snapped).to_vec(), closed: false }
}
