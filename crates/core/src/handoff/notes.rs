//! Notes that go along with a drawing: what is open, and what was left knowingly.

use crate::geom::Pt;
use crate::model::verdict::Kind;
use crate::raster::plane::Rgb;
use crate::scene::Scene;
use serde::Serialize;

/// Something about a place.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Note {
    pub at: Pt,
    pub kind: Kind,
    pub says: &'static str,
    /// It was left knowingly; else it is open.
    pub left: bool,
    /// Who left it, where that is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
}

impl Note {
    /// The colour it is marked in.
    pub fn colour(&self) -> Rgb {
        if self.left { LEFT } else { OPEN }
    }
}

const OPEN: Rgb = [0xCB, 0x4B, 0x36];
const LEFT: Rgb = [0x2F, 0x5D, 0x50];

/// A kind of finding in words.
fn says(kind: Kind) -> &'static str {
    match kind {
        Kind::Gap => "gap",
        Kind::Tail => "tail",
        Kind::Leak => "leak",
        Kind::LooseEnd => "loose end",
        Kind::Sliver => "sliver",
        Kind::Unpainted => "unpainted",
        Kind::TwoPaints => "two paints",
        Kind::Doubtful => "doubtful",
        Kind::Unlike => "painted unlike its counterpart",
    }
}

/// The notes of a drawing, in the order of its findings.
pub(super) fn of(scene: &Scene) -> Vec<Note> {
    let told = scene.findings.iter().filter(|f| f.left || !f.quiet);
    told.map(|f| Note { at: f.at, kind: f.kind, says: says(f.kind), left: f.left, by: None }).collect()
}
