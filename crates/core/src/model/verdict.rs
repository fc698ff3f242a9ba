//! What was decided of findings: all that is stored of them.

use crate::geom::Pt;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What a finding is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    Gap,
    Tail,
    Leak,
    LooseEnd,
    Sliver,
    Unpainted,
    TwoPaints,
    /// Carried from another drawing, and to be looked at.
    Doubtful,
    /// Painted unlike its counterpart in another drawing.
    Unlike,
}

impl Kind {
    /// Every kind, in their order.
    pub const ALL: [Kind; 9] = [
        Kind::Gap,
        Kind::Tail,
        Kind::Leak,
        Kind::LooseEnd,
        Kind::Sliver,
        Kind::Unpainted,
        Kind::TwoPaints,
        Kind::Doubtful,
        Kind::Unlike,
    ];
}

/// How a finding was settled.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    Bridged,
    Seamed,
    Cut,
    /// Left knowingly.
    Left,
}

/// What was settled or left, by place, so that it outlives edits nearby.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Settled {
    pub kind: Kind,
    pub at: Pt,
    pub how: Verdict,
}

/// How near a finding must be to a stored verdict to be the same one, px.
pub const SAME_PLACE: f64 = 6.0;
