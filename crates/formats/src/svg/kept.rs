//! What our own SVG carries beside its looks, so that it comes back as the same lines and paint: each element tells what it
//! was made of, and a checksum of how it looked then. One that was changed by somebody since is read by its looks.

use super::text::escape;
use rhizograph_core::model::line::Line;
use rhizograph_core::model::paint::{ColourModel, Drop};
use serde::{Deserialize, Serialize};
use std::collections::{HashMap, HashSet};
use usvg::roxmltree::{Document, Node};

/// What tells our own attributes.
pub const SPACE: &str = "urn:rhizograph:drawing";
/// The form of what is kept.
const VERSION: u32 = 1;

/// What the whole drawing is.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Whole {
    pub version: u32,
    /// Of the sheet, px.
    pub size: [usize; 2],
    /// What of it is shown: x, y, width, height, px.
    pub part: [usize; 4],
    pub dpi: f64,
    pub colours: ColourModel,
}

impl Whole {
    fn is_sound(&self) -> bool {
        self.version == VERSION && (1.0..=10_000.0).contains(&self.dpi) && self.colours.check().is_ok()
    }

    pub fn new(size: [usize; 2], part: [usize; 4], dpi: f64, colours: ColourModel) -> Whole {
        Whole { version: VERSION, size, part, dpi, colours }
    }
}

/// The attributes by which an element looks as it does.
const LOOKS: [&str; 13] = [
    "d",
    "fill",
    "fill-rule",
    "fill-opacity",
    "stroke",
    "stroke-width",
    "stroke-linecap",
    "opacity",
    "style",
    "class",
    "display",
    "visibility",
    "transform",
];

fn sum(looks: impl Iterator<Item = (&'static str, String)>) -> u32 {
    let mut hash = crc32fast::Hasher::new();
    for (name, value) in looks {
        hash.update(name.as_bytes());
        hash.update(value.as_bytes());
    }
    hash.finalize()
}

/// A path with its looks and, behind a checksum of them, what it was made of.
pub fn element(id: &str, looks: &[(&'static str, String)], what: &str, made_of: &impl Serialize) -> String {
    let in_order = LOOKS.iter().filter_map(|n| looks.iter().find(|l| l.0 == *n).map(|l| (*n, l.1.clone())));
    let mut out = format!("<path id=\"{id}\"");
    for (name, value) in looks {
        out.push_str(&format!(" {name}=\"{value}\""));
    }
    // All that is kept is numbers and names: it can always be written.
    let json = serde_json::to_string(made_of).unwrap_or_default();
    out.push_str(&format!(" rz:sum=\"{:08x}\" rz:{what}=\"{}\"/>\n", sum(in_order), escape(&json)));
    out
}

/// What was kept, of elements that still look as they did.
#[derive(Debug, Default)]
pub struct Kept {
    pub whole: Option<Whole>,
    pub lines: Vec<Line>,
    pub drops: Vec<Drop>,
    /// The ids of the elements that these came of.
    pub ids: HashSet<String>,
}

/// Whether an element shows as it did: nothing around it was moved, hidden or made to look otherwise.
fn is_untouched(node: Node) -> bool {
    let looks = LOOKS.iter().filter_map(|n| node.attribute(*n).map(|v| (*n, v.to_owned())));
    let kept = node.attribute((SPACE, "sum")).and_then(|s| u32::from_str_radix(s, 16).ok());
    let around_is_plain = node.ancestors().skip(1).filter(Node::is_element).all(|a| {
        let plain = ["transform", "style", "opacity", "class", "clip-path", "mask", "filter"];
        let is_shown = a.attribute("display").is_none() || a.attribute((SPACE, "aside")).is_some();
        is_shown && plain.iter().all(|n| a.attribute(*n).is_none())
    });
    kept == Some(sum(looks)) && around_is_plain
}

/// Reads what was kept. What cannot be read counts as not there.
pub fn of(doc: &Document) -> Kept {
    let mut out = Kept::default();
    let root = doc.root_element();
    let whole = root.children().find_map(|n| n.attribute((SPACE, "whole")));
    let whole: Option<Whole> = whole.and_then(|json| serde_json::from_str(json).ok());
    let Some(whole) = whole.filter(|w| w.is_sound()) else { return out };
    let mut seen: HashMap<&str, usize> = HashMap::new();
    doc.descendants().filter_map(|n| n.attribute("id")).for_each(|id| *seen.entry(id).or_default() += 1);
    let mut numbers = HashSet::new();
    for node in root.descendants().filter(|n| n.has_attribute((SPACE, "sum"))) {
        let Some(id) = node.attribute("id").filter(|id| seen.get(id) == Some(&1)) else { continue };
        if !is_untouched(node) {
            continue;
        }
        let line = node.attribute((SPACE, "line")).and_then(|json| serde_json::from_str::<Line>(json).ok());
        let drops = node.attribute((SPACE, "drops")).and_then(|json| serde_json::from_str::<Vec<Drop>>(json).ok());
        if let Some(line) = line.filter(|l| l.is_sound() && numbers.insert(l.id)) {
            out.lines.push(line);
        } else if let Some(drops) = drops {
            out.drops.extend(drops);
        } else {
            continue;
        }
        out.ids.insert(id.to_owned());
    }
    out.whole = Some(whole);
    out
}
