//! A drawing as layers. Paint and ink are parted into layers that never share a pixel, so laid on one another they are the
//! drawing as it looks.

use super::chart::{Chart, Fields};
use super::notes::{self, Note};
use crate::error::Error;
use crate::geom::Pt;
use crate::model::line::Line;
use crate::model::paint::{ColourModel, colour_of, parted};
use crate::model::sheet::Sheet;
use crate::raster::ink::Ink;
use crate::raster::plane::{Plane, Rgb};
use crate::raster::strokes::whole;
use crate::scene::Scene;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::sync::OnceLock;
use ts_rs::TS;

/// The most pixels of a picture that leaves.
const MOST_PIXELS: usize = 160_000_000;

/// The edge of the ink in what leaves.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum InkEdge {
    /// As it is.
    #[default]
    Soft,
    /// Each pixel ink or none.
    Crisp,
}

/// How pictures leave.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
#[serde(default)]
pub struct Leaving {
    /// Of the drawing's size, 25 to 400.
    pub percent: u32,
    /// What lies under all; `None`: they are transparent.
    pub backdrop: Option<Rgb>,
    /// Only what the field chart shows.
    pub cropped: bool,
    /// The chart that is a layer, and that is cropped to.
    pub chart: Fields,
    pub edge: InkEdge,
}

impl Default for Leaving {
    fn default() -> Self {
        Leaving { percent: 100, backdrop: None, cropped: false, chart: Fields::Twelve, edge: InkEdge::Soft }
    }
}

/// The sizes a picture may leave at, of the drawing's.
pub const PERCENT: [u32; 2] = [25, 400];

/// What a layer shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub enum What {
    /// The field chart.
    Chart,
    /// The paint of a name: a swatch, or a swatch in a tone.
    Paint(String),
    /// Ink in its own colour, or as it was drawn.
    Ink,
    /// Ink of lines that have a swatch.
    LineColours,
    Seams,
    Notes,
}

/// One layer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Layer {
    pub what: What,
    pub name: String,
    /// Part of how the drawing looks; the others are at hand, but not shown.
    pub shown: bool,
}

/// Layers that belong together, from the lowest to the topmost.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Group {
    pub name: &'static str,
    pub layers: Vec<Layer>,
}

/// A drawing as it leaves.
pub struct HandOff<'a> {
    pub name: &'a str,
    pub sheet: &'a Sheet,
    pub scene: &'a Scene,
    pub colours: &'a ColourModel,
    pub leaving: Leaving,
    /// What is open, and what was left knowingly.
    pub notes: Vec<Note>,
    /// From the lowest to the topmost.
    pub groups: Vec<Group>,
    /// All ink in its colours.
    pub(super) ink: Ink,
    /// The same as it leaves, once it was asked for.
    pub(super) sized: OnceLock<Result<Plane<[u8; 4]>, Error>>,
    /// Which pixels of the ink have the colour of a swatch; `None`: none.
    pub(super) line_coloured: Option<Plane<bool>>,
    /// By region: the number of its paint among `paints`, from 1.
    pub(super) paint_of: Vec<u16>,
    pub(super) paints: Vec<String>,
    /// Where paint was taken back from under the ink; `None`: nowhere.
    pub(super) untucked: Option<Plane<bool>>,
    pub(super) chart: Chart,
}

impl<'a> HandOff<'a> {
    /// Takes a drawing apart. Errors: a size that is not allowed, or too large a picture.
    pub fn of(
        name: &'a str,
        sheet: &'a Sheet,
        lifted: &Ink,
        scene: &'a Scene,
        colours: &'a ColourModel,
        leaving: Leaving,
    ) -> Result<HandOff<'a>, Error> {
        if !(PERCENT[0]..=PERCENT[1]).contains(&leaving.percent) {
            let [from, to] = PERCENT.map(f64::from);
            return Err(Error::Recipe { name: "size", value: f64::from(leaving.percent), from, to });
        }
        let chart = Chart::on(sheet.width, sheet.height, leaving.chart);
        let palette = |line: &Line| colour_of(&colours.swatches, line.swatch.as_ref()?);
        let area = whole(&scene.ink.alpha);
        let ink =
            if sheet.is_coloured() { sheet.composed(&scene.ink, lifted, &palette, area) } else { scene.ink.clone() };
        let line_coloured = (sheet.lines.iter().any(|l| palette(l).is_some() && !l.is_seam())).then(|| {
            let plain = Ink { drawn: sheet.own_colours(lifted, area).map(Into::into), ..scene.ink.clone() };
            let (w, h) = (ink.alpha.width, ink.alpha.height);
            let mut out = Plane::new(w, h, false);
            for y in 0..h {
                for x in 0..w {
                    out.set(x, y, *ink.alpha.at(x, y) > 0 && ink.colour_at(x, y) != plain.colour_at(x, y));
                }
            }
            out
        });
        // In the order of the colour model, a swatch before its tones.
        let used: BTreeSet<&str> = scene.fills.iter().flatten().map(String::as_str).collect();
        let paints: Vec<String> = colours
            .swatches
            .iter()
            .flat_map(|s| {
                let mut own: Vec<String> =
                    used.iter().filter(|p| parted(p).0 == s.id).map(|p| (*p).to_owned()).collect();
                own.sort_by_key(|p| colours.tones.iter().position(|t| Some(t.id.as_str()) == parted(p).1));
                own
            })
            .collect();
        let number = |fill: &Option<String>| {
            let at = fill.as_ref().and_then(|f| paints.iter().position(|p| p == f));
            at.map_or(0, |k| k as u16 + 1)
        };
        let paint_of: Vec<u16> = std::iter::once(0).chain(scene.fills.iter().map(number)).collect();
        let tuck = sheet.recipes.paint.tuck;
        let untucked = (tuck < 1.0).then(|| crate::paint::taken_back(&scene.regions.labels, &scene.ink.alpha, tuck));
        let groups = groups(&paints, colours, line_coloured.is_some(), leaving.chart);
        let notes = notes::of(scene);
        let out = HandOff {
            name,
            sheet,
            scene,
            colours,
            leaving,
            notes,
            groups,
            ink,
            sized: OnceLock::new(),
            line_coloured,
            paint_of,
            paints,
            untucked,
            chart,
        };
        let [w, h] = out.size();
        if w.saturating_mul(h) > MOST_PIXELS {
            return Err(Error::TooLarge(w, h, MOST_PIXELS / 1_000_000));
        }
        Ok(out)
    }

    /// The part of the sheet that leaves: x, y, width, height, px.
    pub fn part(&self) -> [usize; 4] {
        if self.leaving.cropped { self.chart.part } else { [0, 0, self.sheet.width, self.sheet.height] }
    }

    /// Width and height of the pictures, px.
    pub fn size(&self) -> [usize; 2] {
        let [_, _, w, h] = self.part();
        [w, h].map(|v| ((v * self.leaving.percent as usize + 50) / 100).max(1))
    }

    /// The resolution of the pictures.
    pub fn dpi(&self) -> f64 {
        self.sheet.dpi * f64::from(self.leaving.percent) / 100.0
    }

    /// The colour of a line's ink.
    pub fn colour_of(&self, line: &Line) -> Rgb {
        let own = line.swatch.as_ref().and_then(|s| colour_of(&self.colours.swatches, s));
        own.unwrap_or(self.ink.colour)
    }

    /// The lines of the field chart.
    pub fn chart_lines(&self) -> impl Iterator<Item = &Vec<Pt>> {
        self.chart.lines.iter()
    }

    /// All layers from the lowest to the topmost.
    pub fn layers(&self) -> impl DoubleEndedIterator<Item = &Layer> {
        self.groups.iter().flat_map(|g| &g.layers)
    }
}

/// What paint is called: its swatch, and the tone it has.
pub fn paint_name(colours: &ColourModel, paint: &str) -> String {
    let (id, tone) = parted(paint);
    let swatch = colours.swatches.iter().find(|s| s.id == id).map_or(id, |s| s.name.as_str());
    let tone = tone.map(|t| colours.tones.iter().find(|o| o.id == t).map_or(t, |o| o.name.as_str()));
    tone.map_or_else(|| swatch.to_owned(), |t| format!("{swatch}, {t}"))
}

fn groups(paints: &[String], colours: &ColourModel, line_colours: bool, chart: Fields) -> Vec<Group> {
    let layer = |what, name: &str, shown| Layer { what, name: name.to_owned(), shown };
    let paint =
        paints.iter().map(|p| Layer { what: What::Paint(p.clone()), name: paint_name(colours, p), shown: true });
    let mut ink = vec![layer(What::Ink, "Ink", true)];
    if line_colours {
        ink.push(layer(What::LineColours, "Line colours", true));
    }
    let aside = |what, name| vec![layer(what, name, false)];
    [
        ("Paint", paint.collect()),
        ("Ink", ink),
        ("Seams", aside(What::Seams, "Seams")),
        ("Notes", aside(What::Notes, "Notes")),
        ("Chart", if chart == Fields::None { vec![] } else { aside(What::Chart, "Field chart") }),
    ]
    .into_iter()
    .map(|(name, layers)| Group { name, layers })
    .filter(|g| !g.layers.is_empty())
    .collect()
}
