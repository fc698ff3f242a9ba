//! A station's settings, saved with the drawing and copyable to the shot. Every number has a range; what lies outside
//! is refused with its name.

use crate::error::Error;
use crate::geom::Pt;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// The settings of all stations for one drawing.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[serde(default, deny_unknown_fields)]
pub struct Recipes {
    pub intake: IntakeRecipe,
    pub lift: LiftRecipe,
    pub weight: WeightRecipe,
    pub trace: TraceRecipe,
    pub join: JoinRecipe,
    pub paint: PaintRecipe,
}

/// How the sheet is laid out of its original. In this order: the corners squared up, quarter turns, straightened or
/// registered, cropped.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[serde(default, deny_unknown_fields)]
pub struct IntakeRecipe {
    /// Where the paper's corners are on the original, px: upper left, upper right, lower right, lower left.
    pub corners: Option<[Pt; 4]>,
    /// Quarter turns clockwise, 0 to 3.
    pub quarter_turns: u8,
    /// Turned clockwise by this, degrees, -45 to 45.
    pub straighten: f64,
    /// Two marks laid over two places; it stands in for straightening.
    pub register: Option<Register>,
    /// What is kept of the laid-out sheet, px: left, top, width, height.
    pub crop: Option<[f64; 4]>,
    /// Peg holes that are covered with paper, px of the original: left, top, width, height.
    pub holes: Vec<[f64; 4]>,
    /// Of a file of layers what the ink is on; `None`: the layer called ink, or where there is none all of them.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub layer: Option<FileLayer>,
}

/// What is taken of a file of layers.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum FileLayer {
    /// All of them on one another, as the file looks.
    Whole,
    /// Some of them on one another, each counted from the topmost, from 0 on.
    Numbers(Vec<u32>),
}

/// Two marks of this sheet and where every sheet of the shot has them.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Register {
    /// On the original after corners and quarter turns, px.
    pub from: [Pt; 2],
    /// On the laid-out sheet before cropping, px.
    pub to: [Pt; 2],
    /// Found by the peg holes, not set by hand.
    pub pegs: bool,
}

/// Which of ink and paper is the darker one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Polarity {
    /// The sheet decides: what is at the border and most of the middle is paper.
    #[default]
    Auto,
    DarkInk,
    LightInk,
}

/// How the edge of the ink falls off.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Edge {
    /// Each pixel is ink or not.
    Crisp,
    /// One pixel of fall-off.
    #[default]
    Soft1,
    /// The fall-off of the scan, every line brought to full ink at its middle.
    Soft2,
    /// The coverage as measured: light pressure stays light.
    Soft3,
}

/// The three settings on the histogram, as shares of ink coverage (0 paper, 1 full ink).
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Points {
    /// From here on it is full ink.
    pub ink: f64,
    /// Where the edge of a broad line stands between paper and ink.
    pub mid: f64,
    /// A line whose own height stays below this is paper.
    pub paper: f64,
}

/// What the Lift station is to do.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(default, deny_unknown_fields)]
pub struct LiftRecipe {
    /// Pencil colours that vanish, as they look on this paper, sRGB. `None`: those the program finds by itself.
    pub drop_out: Option<Vec<[u8; 3]>>,
    /// How far in hue a colour may be from a sample to be dropped, in degrees, 0 to 90.
    pub reach: f64,
    /// How gently the catch ends beyond the reach, in degrees, 0 to 60.
    pub softness: f64,
    /// How much red, green and blue each say about the ink, 0 to 1, not all 0.
    pub mix: [f64; 3],
    /// How much of the light's unevenness is taken out, 0 to 1.
    pub even_light: f64,
    /// `None`: automatic for this drawing.
    pub points: Option<Points>,
    /// Ink bits smaller than this go, in mm², 0 to 4.
    pub specks: f64,
    /// Holes in ink smaller than this are filled, in mm², 0 to 4.
    pub pinholes: f64,
    /// How much of the paper's tooth is kept, 0 to 1: up to a half in the line, beyond that around it too.
    pub grain: f64,
    pub edge: Edge,
    pub polarity: Polarity,
    /// The colour the lifted ink gets, sRGB.
    pub ink_colour: [u8; 3],
    /// Each pixel keeps the colour it was drawn in instead.
    pub as_drawn: bool,
}

impl Default for LiftRecipe {
    fn default() -> Self {
        Self {
            drop_out: None,
            reach: 40.0,
            softness: 20.0,
            mix: [1.0; 3],
            even_light: 1.0,
            points: None,
            specks: 0.12,
            pinholes: 0.03,
            grain: 0.0,
            edge: Edge::Soft1,
            polarity: Polarity::Auto,
            ink_colour: [20, 19, 17],
            as_drawn: false,
        }
    }
}

/// On which side of the line weight is added or taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Placement {
    #[default]
    Both,
    /// Only where the ink meets the paper that is joined to the sheet's border.
    Outward,
    /// Only inside the outer contour: enclosed paper, and the pale parts of the ink itself.
    Inward,
}

/// What the Weight station is to do.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(default, deny_unknown_fields)]
pub struct WeightRecipe {
    /// How far each edge moves, in mm, -1 to 1; below 0 the line gets thinner.
    pub amount: f64,
    pub placement: Placement,
    /// Thinner than this a line is not made, in mm, 0 to 2.
    pub floor: f64,
}

impl Default for WeightRecipe {
    fn default() -> Self {
        Self { amount: 0.0, placement: Placement::Both, floor: 0.1 }
    }
}

/// How lines are made of the lifted ink.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(default, deny_unknown_fields)]
pub struct TraceRecipe {
    /// Ink broader than this becomes a solid shape, in mm, 0.2 to 20.
    pub widest_line: f64,
    /// How far a fitted curve may be from the middle that was measured, in pixels, 0.05 to 5.
    pub tolerance: f64,
    /// Pieces of ink smaller than this are not traced, in mm², 0 to 4.
    pub smallest_piece: f64,
}

impl Default for TraceRecipe {
    fn default() -> Self {
        Self { widest_line: 4.0, tolerance: 0.35, smallest_piece: 0.0 }
    }
}

/// What a gap is closed with when it is settled as sure.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum CloseWith {
    #[default]
    Bridge,
    Seam,
}

/// What the Join station looks for.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(default, deny_unknown_fields)]
pub struct JoinRecipe {
    /// Gaps up to this length are proposed, in mm, 0 to 10.
    pub longest_gap: f64,
    /// Tails up to this length are proposed, in mm, 0 to 10; if none is told, up to six widths of their line.
    pub longest_tail: Option<f64>,
    pub close_with: CloseWith,
}

impl Default for JoinRecipe {
    fn default() -> Self {
        Self { longest_gap: 3.4, longest_tail: None, close_with: CloseWith::Bridge }
    }
}

/// How paint lies under the ink.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(default, deny_unknown_fields)]
pub struct PaintRecipe {
    /// How far paint goes under the line: 1 to its middle, 0 to its edge.
    pub tuck: f64,
}

impl Default for PaintRecipe {
    fn default() -> Self {
        Self { tuck: 1.0 }
    }
}

fn within(name: &'static str, value: f64, from: f64, to: f64) -> Result<(), Error> {
    if (from..=to).contains(&value) { Ok(()) } else { Err(Error::Recipe { name, value, from, to }) }
}

impl IntakeRecipe {
    /// Refuses numbers outside their ranges, naming the first.
    pub fn check(&self) -> Result<(), Error> {
        within("quarter turns", f64::from(self.quarter_turns), 0.0, 3.0)?;
        within("straightening", self.straighten, -45.0, 45.0)?;
        let points = self.corners.iter().flatten().chain(self.register.iter().flat_map(|r| r.from.iter().chain(&r.to)));
        for v in points
            .flat_map(|p| [p.x, p.y])
            .chain(self.crop.iter().flatten().copied())
            .chain(self.holes.iter().flatten().copied())
        {
            within("place on the sheet", v, -100_000.0, 100_000.0)?;
        }
        within("number of holes", self.holes.len() as f64, 0.0, 12.0)?;
        if let Some(FileLayer::Numbers(layers)) = &self.layer {
            within("number of layers", layers.len() as f64, 1.0, 500.0)?;
        }
        if let Some(r) = self.register {
            within("distance between the marks", r.from[0].dist(r.from[1]).min(r.to[0].dist(r.to[1])), 8.0, 1e6)?;
        }
        if let Some([_, _, w, h]) = self.crop {
            within("size of the crop", w.min(h), 8.0, 100_000.0)?;
        }
        Ok(())
    }
}

impl WeightRecipe {
    /// Refuses numbers outside their ranges, naming the first.
    pub fn check(&self) -> Result<(), Error> {
        within("weight", self.amount, -1.0, 1.0)?;
        within("thinnest line", self.floor, 0.0, 2.0)
    }
}

impl LiftRecipe {
    /// Refuses numbers outside their ranges, naming the first.
    pub fn check(&self) -> Result<(), Error> {
        within("reach", self.reach, 0.0, 90.0)?;
        within("softness", self.softness, 0.0, 60.0)?;
        within("even light", self.even_light, 0.0, 1.0)?;
        within("specks", self.specks, 0.0, 4.0)?;
        within("pinholes", self.pinholes, 0.0, 4.0)?;
        within("grain", self.grain, 0.0, 1.0)?;
        self.mix.iter().try_for_each(|&m| within("channel mix", m, 0.0, 1.0))?;
        within("sum of the channel mix", self.mix.iter().sum(), 0.05, 3.0)?;
        within("number of drop-out colours", self.drop_out.as_ref().map_or(0, Vec::len) as f64, 0.0, 8.0)?;
        if let Some(p) = self.points {
            within("ink point", p.ink, 0.1, 1.0)?;
            within("mid bend", p.mid, 0.05, 0.95)?;
            within("paper point", p.paper, 0.01, 0.95)?;
        }
        Ok(())
    }
}

impl TraceRecipe {
    /// Refuses numbers outside their ranges, naming the first.
    pub fn check(&self) -> Result<(), Error> {
        within("widest line", self.widest_line, 0.2, 20.0)?;
        within("tolerance", self.tolerance, 0.05, 5.0)?;
        within("smallest piece", self.smallest_piece, 0.0, 4.0)
    }
}

impl JoinRecipe {
    /// Refuses numbers outside their ranges, naming the first.
    pub fn check(&self) -> Result<(), Error> {
        within("longest gap", self.longest_gap, 0.0, 10.0)?;
        self.longest_tail.map_or(Ok(()), |told| within("longest tail", told, 0.0, 10.0))
    }
}

impl PaintRecipe {
    /// Refuses numbers outside their ranges, naming the first.
    pub fn check(&self) -> Result<(), Error> {
        within("tuck", self.tuck, 0.0, 1.0)
    }
}

impl Recipes {
    /// Refuses numbers outside their ranges, naming the first.
    pub fn check(&self) -> Result<(), Error> {
        self.intake.check()?;
        self.lift.check()?;
        self.weight.check()?;
        self.trace.check()?;
        self.join.check()?;
        self.paint.check()
    }
}

/// Pixels in one mm at a resolution.
pub fn px_per_mm(dpi: f64) -> f64 {
    dpi / 25.4
}
