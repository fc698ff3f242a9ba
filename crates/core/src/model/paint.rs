//! Paint as it is kept: drops, and the swatches they name.

use crate::geom::Pt;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// A place and the swatch that fills the region around it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Drop {
    pub at: Pt,
    pub swatch: String,
    /// What its region was found like; `None`: nothing that is unlike it is known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub like: Option<Box<Like>>,
}

impl Drop {
    /// One that somebody put there.
    pub fn by_hand(at: Pt, swatch: impl Into<String>) -> Drop {
        Drop { at, swatch: swatch.into(), like: None }
    }

    /// It came from another drawing, and nobody has settled it since.
    pub fn is_carried(&self) -> bool {
        self.like.as_ref().is_some_and(|l| l.carried)
    }
}

/// What a region was found like in another drawing.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Like {
    /// The name of that drawing.
    pub drawing: String,
    /// The swatch of its counterpart there, and what it may be besides, the likeliest first.
    pub swatches: Vec<String>,
    /// 0 to 1.
    pub confidence: f64,
    /// Somebody should look.
    pub doubtful: bool,
    /// The paint came from there; else somebody had painted here, and it is told only where it is unlike.
    pub carried: bool,
}

/// Paint that another drawing has where this one has a region.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct CarriedDrop {
    /// Inside of the region.
    pub at: Pt,
    /// Its swatch, and what it may be besides, the likeliest first; none: it is left without paint there.
    pub swatches: Vec<String>,
    /// 0 to 1.
    pub confidence: f64,
    pub doubtful: bool,
}

/// A named colour of the colour model, with its tones.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Swatch {
    pub id: String,
    pub name: String,
    /// sRGB.
    pub colour: [u8; 3],
    /// The group it is listed in; empty: in none.
    #[serde(default)]
    pub group: String,
    /// Its colour in each tone that it has, by the tone's id.
    #[serde(default)]
    pub tones: BTreeMap<String, [u8; 3]>,
    #[serde(default)]
    pub note: String,
}

/// A tone, as it is called in the shot.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct Tone {
    pub id: String,
    pub name: String,
}

/// What stands between a swatch and its tone where paint is named.
const TONE: char = '/';

/// The swatch and the tone that a name of paint is of; no tone: the base.
pub fn parted(paint: &str) -> (&str, Option<&str>) {
    paint.split_once(TONE).map_or((paint, None), |(swatch, tone)| (swatch, Some(tone)))
}

/// The name of a swatch's paint in a tone.
pub fn toned(swatch: &str, tone: &str) -> String {
    format!("{swatch}{TONE}{tone}")
}

impl Swatch {
    /// One without tones, named by its name.
    pub fn new(name: &str, colour: [u8; 3]) -> Swatch {
        let (id, name) = (slug(name), name.to_owned());
        Swatch { id, name, colour, group: String::new(), tones: BTreeMap::new(), note: String::new() }
    }

    /// All that paint may name of it: itself and its tones.
    pub fn paints(&self) -> impl Iterator<Item = String> {
        let tones = self.tones.keys().map(|tone| toned(&self.id, tone));
        std::iter::once(self.id.clone()).chain(tones)
    }
}

/// The colour that paint has by its name; a tone that its swatch has no more is the base.
pub fn colour_of(swatches: &[Swatch], paint: &str) -> Option<[u8; 3]> {
    let (id, tone) = parted(paint);
    let swatch = swatches.iter().find(|s| s.id == id)?;
    Some(tone.and_then(|t| swatch.tones.get(t)).copied().unwrap_or(swatch.colour))
}

/// A name made an id: lower-case letters and digits, the rest dashes.
pub fn slug(name: &str) -> String {
    let mut out = String::new();
    for c in name.trim().chars() {
        if c.is_alphanumeric() {
            out.extend(c.to_lowercase());
        } else if !out.ends_with('-') && !out.is_empty() {
            out.push('-');
        }
    }
    let out = out.trim_end_matches('-');
    if out.is_empty() { "colour".into() } else { out.into() }
}

/// The colours of a shot: its swatches in their order, and the tones they may have.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
pub struct ColourModel {
    pub tones: Vec<Tone>,
    pub swatches: Vec<Swatch>,
}

impl ColourModel {
    /// Adds a swatch, under an id that none has.
    pub fn add(&mut self, swatch: Swatch) {
        let is_taken = |id: &str| self.swatches.iter().any(|s| s.id == id);
        let mut id = swatch.id.clone();
        for n in 2.. {
            if !is_taken(&id) {
                break;
            }
            id = format!("{}-{n}", swatch.id);
        }
        self.swatches.push(Swatch { id, ..swatch });
    }
}
