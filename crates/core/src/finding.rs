//! Findings: what the program found that someone should settle. They are computed from the sheet, never stored; what
//! is stored is only what was settled or left.

use crate::geom::Pt;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    Gap,
    Tail,
    LooseEnd,
    Sliver,
    Unpainted,
    TwoPaints,
}

/// A finding, with its place and what settling it would do.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Finding {
    /// Names it in commands, as long as nothing at its place changes.
    pub id: String,
    pub kind: Kind,
    pub at: Pt,
    /// Where it reaches to: the far side of a gap, the tip of a tail.
    pub to: Option<Pt>,
    /// The path that settling would add (a gap) or take away (a tail).
    pub path: Vec<Pt>,
    /// Length in px; of a sliver or region: area in px².
    pub size: f64,
    /// 0 to 1.
    pub confidence: f64,
    /// It can be settled without asking.
    pub sure: bool,
    /// The areas of the two regions it parts, px²; the outside has none.
    pub parts: Option<[Option<usize>; 2]>,
    /// The region it is about.
    pub region: Option<u32>,
    /// It was left knowingly.
    pub left: bool,
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

/// The name of a finding at a place; `to` tells two that start at one crossing apart.
pub fn id_of(kind: Kind, at: Pt, to: Option<Pt>) -> String {
    let name = match kind {
        Kind::Gap => "gap",
        Kind::Tail => "tail",
        Kind::LooseEnd => "end",
        Kind::Sliver => "sliver",
        Kind::Unpainted => "unpainted",
        Kind::TwoPaints => "two-paints",
    };
    let place = format!("{name}@{:.1},{:.1}", at.x, at.y);
    to.map_or(place.clone(), |to| format!("{place}-{:.1},{:.1}", to.x, to.y))
}
