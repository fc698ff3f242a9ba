//! Join: loose ends, gaps and tails found, and what settling each would do.

mod closing;
mod gaps;
mod leak;
mod spans;
mod tails;

pub use gaps::{Gap, Gaps};
pub use leak::{Leak, find_leak};
pub use spans::{Span, span_at, take_span};
pub use tails::{Tail, Tails, cut as cut_tail, tails_up_to};

use crate::geom::{Pt, angle_between};
use crate::line::Spine;

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
