//! Paint as it is kept: drops, and the swatches they name.

use crate::error::Error;
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

/// The most swatches and tones of a shot.
pub const MOST_SWATCHES: usize = 500;
pub const MOST_TONES: usize = 12;
/// The longest name and note, characters.
const LONGEST_NAME: usize = 80;
const LONGEST_NOTE: usize = 400;

impl ColourModel {
    /// Refuses one that no shot can have.
    pub fn check(&self) -> Result<(), Error> {
        let wrong = |why| Err(Error::Mismatch(why));
        let is_id = |id: &str| !id.is_empty() && id.len() <= 80 && !id.contains(|c: char| c.is_control() || c == TONE);
        let is_name = |name: &str| {
            let n = name.trim().chars().count();
            (1..=LONGEST_NAME).contains(&n) && !name.contains(char::is_control)
        };
        if self.swatches.len() > MOST_SWATCHES {
            return wrong("a colour model holds up to 500 swatches");
        }
        if self.tones.len() > MOST_TONES {
            return wrong("a colour model holds up to 12 tones");
        }
        for (k, tone) in self.tones.iter().enumerate() {
            if !is_name(&tone.name) {
                return wrong("a tone needs a name of 1 to 80 characters");
            }
            if !is_id(&tone.id) || self.tones[..k].iter().any(|t| t.id == tone.id) {
                return wrong("each tone needs an id of its own");
            }
        }
        for (k, s) in self.swatches.iter().enumerate() {
            if !is_name(&s.name) || (!s.group.is_empty() && !is_name(&s.group)) {
                return wrong("a swatch and a group need names of 1 to 80 characters");
            }
            if s.note.chars().count() > LONGEST_NOTE {
                return wrong("a note has up to 400 characters");
            }
            if !is_id(&s.id) || self.swatches[..k].iter().any(|o| o.id == s.id) {
                return wrong("each swatch needs an id of its own");
            }
            if s.tones.keys().any(|tone| !self.tones.iter().any(|t| t.id == *tone)) {
                return wrong("a swatch has a tone that the colour model does not have");
            }
        }
        Ok(())
    }

    /// Takes over what another one has and this one does not, by their ids, as far as there is room.
    pub fn take_over(&mut self, other: &ColourModel) {
        for tone in &other.tones {
            if self.tones.len() < MOST_TONES && !self.tones.iter().any(|t| t.id == tone.id) {
                self.tones.push(tone.clone());
            }
        }
        for swatch in &other.swatches {
            if self.swatches.len() < MOST_SWATCHES && !self.swatches.iter().any(|s| s.id == swatch.id) {
                let mut swatch = swatch.clone();
                swatch.tones.retain(|tone, _| self.tones.iter().any(|t| t.id == *tone));
                self.swatches.push(swatch);
            }
        }
    }

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
