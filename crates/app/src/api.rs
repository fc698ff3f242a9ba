//! What the API speaks: plain data, with TypeScript types generated for the front end.

use rhizograph_core::edit::Command;
use rhizograph_core::geom::Pt;
use rhizograph_core::handoff::Leaving;
use rhizograph_core::join::Leak;
use rhizograph_core::lift::{LiftFacts, Trade};
use rhizograph_core::model::by_hand::ByHand;
use rhizograph_core::model::inking::Inking;
use rhizograph_core::model::line::Made;
use rhizograph_core::model::paint::{ColourModel, Swatch, Tone};
use rhizograph_core::model::recipe::{LiftRecipe, Recipes, TraceRecipe, WeightRecipe};
use rhizograph_core::model::verdict::{Kind, Verdict};
use rhizograph_core::raster::window::Window;
use rhizograph_core::scene::findings::Finding;
use rhizograph_formats::hand_off::{Format, Packed};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// Which drawings are painted from one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum CarryTo {
    /// The one behind it.
    Next,
    /// The one before it.
    Previous,
    /// All behind it.
    After,
    /// All before it.
    Before,
    /// Those behind it up to the next that somebody painted.
    Between,
}

#[derive(Debug, Deserialize, TS)]
pub struct CarryRequest {
    pub to: CarryTo,
}

/// What carrying began: a drawing that was painted, or a job.
#[derive(Debug, Clone, Serialize, TS)]
#[serde(rename_all = "snake_case", tag = "told")]
pub enum CarryTold {
    Painted {
        #[ts(type = "number")]
        drawing: i64,
    },
    Begun {
        drawings: usize,
    },
}

/// How far a drawing is at each station that exists.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
pub struct Progress {
    pub lifted: bool,
    /// Findings in the way at Join.
    pub join_open: usize,
    /// Findings in the way at Paint.
    pub paint_open: usize,
    pub regions: usize,
    /// Regions beyond those that can be told apart: they cannot be filled.
    #[serde(default)]
    pub beyond: usize,
    pub painted: usize,
    /// Regions whose paint came from another drawing and that nobody has settled since.
    #[serde(default)]
    pub carried: usize,
    /// Those of them that somebody should look at.
    #[serde(default)]
    pub doubtful: usize,
    /// How many drops and how many lines have each swatch, whatever its tone.
    #[serde(default)]
    pub used: BTreeMap<String, [usize; 2]>,
    pub settled: usize,
    /// How many findings of each kind are open.
    #[serde(default)]
    pub open: BTreeMap<Kind, usize>,
    /// How many of them can be settled without asking.
    #[serde(default)]
    pub sure: usize,
}

#[derive(Debug, Clone, Serialize, TS)]
pub struct DrawingInfo {
    #[ts(type = "number")]
    pub id: i64,
    /// Tells it from a drawing of the same number in another database.
    pub key: String,
    pub name: String,
    #[ts(type = "number")]
    pub revision: i64,
    pub progress: Progress,
    /// It went out as it is now.
    pub handed_off: bool,
    /// It went out, and was changed since.
    pub changed_since: bool,
    /// For how many frames it is seen.
    pub hold: i32,
    /// Nothing is in the way any more.
    pub ready: bool,
    /// When it was changed last, ms since 1970.
    #[ts(type = "number")]
    pub changed_at: i64,
    /// Who changed it last; empty: nobody in particular.
    pub changed_by: String,
}

#[derive(Debug, Clone, Serialize, TS)]
pub struct ShotInfo {
    #[ts(type = "number")]
    pub id: i64,
    pub number: String,
    pub name: String,
    #[ts(type = "number")]
    pub revision: i64,
    pub tones: Vec<Tone>,
    pub swatches: Vec<Swatch>,
    pub drawings: Vec<DrawingInfo>,
}

#[derive(Debug, Clone, Serialize, TS)]
pub struct ProductionInfo {
    #[ts(type = "number")]
    pub id: i64,
    pub name: String,
    pub shots: Vec<ShotInfo>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum LineKind {
    Centreline,
    Outline,
    Seam,
}

/// A line as it is drawn on the canvas.
#[derive(Debug, Clone, Serialize, TS)]
pub struct LineView {
    #[ts(type = "number")]
    pub id: u64,
    pub kind: LineKind,
    pub made: Made,
    /// SVG path data of its middle (of its edge, for an outline), px of the sheet.
    pub path: String,
    /// Left, top, right, bottom of the path.
    pub bounds: [f64; 4],
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(type = "number", optional)]
    pub group: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub swatch: Option<String>,
    /// How broad it is at its broadest, px; 0 of a seam or an outline.
    pub width: f64,
}

#[derive(Debug, Clone, Serialize, TS)]
pub struct RegionView {
    pub id: u32,
    pub area: usize,
    pub seed: Pt,
    /// SVG path data, even-odd.
    pub path: String,
    /// Left, top, right, bottom of the path.
    pub bounds: [f64; 4],
    pub swatch: Option<String>,
}

/// What is shown of a drawing besides its lines, regions and findings.
#[derive(Debug, Clone, Serialize, TS)]
pub struct DrawingFrame {
    pub info: DrawingInfo,
    /// Regions are numbered anew when this changes.
    #[ts(type = "number")]
    pub numbering: u64,
    #[ts(type = "number")]
    pub shot: i64,
    pub width: usize,
    pub height: usize,
    pub dpi: f64,
    pub dpi_assumed: bool,
    /// Width and height of the original, px.
    pub original: [usize; 2],
    pub by_hand: ByHand,
    pub recipes: Recipes,
    /// `None` when nothing could be lifted; `trouble` says why.
    pub lift: Option<LiftFacts>,
    pub trouble: Option<String>,
    /// What of its file is missing or was left out, in words.
    pub notes: Vec<String>,
    pub traced: bool,
    /// The lines are older than the lift's or trace's settings.
    pub stale: bool,
    /// Lines somebody made or changed by hand: tracing again keeps them.
    pub handmade: usize,
    /// What the last change was, if it can be undone.
    pub undo: Option<String>,
    pub redo: Option<String>,
    pub steps: usize,
}

/// Everything the canvas and the panels show of a drawing.
#[derive(Debug, Clone, Serialize, TS)]
pub struct DrawingView {
    #[serde(flatten)]
    #[ts(flatten)]
    pub frame: DrawingFrame,
    pub lines: Vec<LineView>,
    pub regions: Vec<RegionView>,
    /// In the order they are listed.
    pub findings: Vec<Finding>,
}

/// What an edit changed of a drawing that is shown already.
#[derive(Debug, Clone, Serialize, TS)]
pub struct DrawingPatch {
    pub frame: DrawingFrame,
    /// Gone or changed, and new or changed.
    #[ts(type = "number[]")]
    pub lines_gone: Vec<u64>,
    pub lines: Vec<LineView>,
    pub regions_gone: Vec<u32>,
    pub regions: Vec<RegionView>,
    /// Regions that are filled otherwise.
    pub refilled: Vec<Refilled>,
    pub findings_gone: Vec<String>,
    pub findings: Vec<Finding>,
    /// Boxes of the ink that is seen otherwise: left, top, right, bottom.
    pub inked: Vec<[f64; 4]>,
}

#[derive(Debug, Clone, Serialize, TS)]
pub struct Refilled {
    pub region: u32,
    pub swatch: Option<String>,
}

/// What came of a file: the drawing, and what of the file is missing or was left out.
#[derive(Debug, Clone, Serialize, TS)]
pub struct BroughtIn {
    #[ts(type = "number")]
    pub id: i64,
    pub notes: Vec<String>,
}

/// What a step answers: the drawing as it is now, or what changed of it.
#[derive(Debug, Clone, Serialize, TS)]
#[serde(rename_all = "snake_case", tag = "told")]
pub enum StepTold {
    Whole(Box<DrawingView>),
    Patch(Box<DrawingPatch>),
}

impl StepTold {
    pub fn frame(&self) -> &DrawingFrame {
        match self {
            StepTold::Whole(view) => &view.frame,
            StepTold::Patch(patch) => &patch.frame,
        }
    }
}

#[derive(Debug, Deserialize, TS)]
pub struct CommandRequest {
    /// The revision the command was made on.
    #[ts(type = "number")]
    pub revision: i64,
    /// Of the regions that are shown: with the same one, only what changed is answered; without one, all.
    #[serde(default)]
    #[ts(type = "number")]
    pub numbering: u64,
    pub command: Command,
}

/// Asks for a step back or forth.
#[derive(Debug, Deserialize, TS)]
pub struct StepRequest {
    #[ts(type = "number")]
    pub revision: i64,
    #[serde(default)]
    #[ts(type = "number")]
    pub numbering: u64,
}

#[derive(Debug, Deserialize, TS)]
pub struct NewProduction {
    pub name: String,
}

#[derive(Debug, Deserialize, TS)]
pub struct NewShot {
    #[ts(type = "number")]
    pub production: i64,
    pub number: String,
    pub name: String,
}

/// What somebody may do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Role {
    /// All work.
    Paint,
    /// See everything, change nothing.
    Look,
}

/// Whether a key is asked for here, and as what somebody came in.
#[derive(Debug, Clone, Copy, Serialize, TS)]
pub struct AccessTold {
    pub guarded: bool,
    pub role: Option<Role>,
}

#[derive(Debug, Deserialize, TS)]
pub struct EnterRequest {
    pub key: String,
}

/// What somebody is called, and their colour.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct Me {
    pub name: String,
    pub colour: [u8; 3],
}

/// Where somebody is: in a shot, on a drawing of it.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct Here {
    #[ts(type = "number | null")]
    pub shot: Option<i64>,
    #[ts(type = "number | null")]
    pub drawing: Option<i64>,
}

/// Somebody who is in a shot, or changed a drawing of it last. Without a colour one is made of the author.
#[derive(Debug, Clone, Serialize, TS)]
pub struct Person {
    pub author: String,
    pub name: String,
    pub colour: Option<[u8; 3]>,
    #[ts(type = "number | null")]
    pub drawing: Option<i64>,
    pub here: bool,
}

/// What something is to be called.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct GivenName {
    pub name: String,
}

/// What a shot is to be called.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct ShotName {
    pub number: String,
    pub name: String,
}

/// What a drawing is to be called.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct Named {
    #[ts(type = "number")]
    pub id: i64,
    pub name: String,
}

/// The drawings of a shot in the order in which they are to hang.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct NewOrder {
    #[ts(type = "number[]")]
    pub drawings: Vec<i64>,
}

/// What can be put away, and brought back.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum PutAway {
    Production,
    Shot,
    Drawing,
}

/// Something that was put away. `of`: the shot or production it belongs to.
#[derive(Debug, Clone, Serialize, TS)]
pub struct AwayTold {
    pub what: PutAway,
    #[ts(type = "number")]
    pub id: i64,
    pub name: String,
    pub of: String,
}

/// What comes before the two pictures of a still: its sheet's size and resolution, every how many of its pixels are one
/// (`2^level` each way), and how many bytes the first picture, that of the ink, has.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct StillFacts {
    pub width: usize,
    pub height: usize,
    pub dpi: f64,
    pub level: u32,
    pub ink: usize,
}

/// Puts something away, or brings it back.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct AwayRequest {
    pub what: PutAway,
    #[ts(type = "number")]
    pub id: i64,
    pub away: bool,
}

/// A bare sheet to draw on.
#[derive(Debug, Deserialize, TS)]
pub struct NewBlank {
    pub name: String,
    /// px.
    pub width: u32,
    pub height: u32,
    pub dpi: f64,
}

#[derive(Debug, Deserialize, TS)]
pub struct NewColourModel {
    #[ts(type = "number")]
    pub revision: i64,
    #[serde(flatten)]
    #[ts(flatten)]
    pub model: ColourModel,
}

/// Puts one swatch in the place of another in all drawings of a shot; without one they are emptied of it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct ShotReplace {
    pub swatch: String,
    pub by: Option<String>,
}

/// Asks for the ink that settings would give.
#[derive(Debug, Deserialize, TS)]
pub struct GlanceRequest {
    pub inking: Inking,
    pub window: Window,
    /// Everything computed to the end and told; otherwise as quick as it goes.
    pub exact: bool,
    /// What goes as pencil instead of the ink.
    pub caught: bool,
    /// The lines that tracing so would give, instead of the ink.
    pub trace: Option<TraceRecipe>,
}

/// What tracing would give.
#[derive(Debug, Clone, Serialize, TS)]
pub struct TraceTold {
    /// Of the whole sheet, or of what is seen.
    pub whole: bool,
    pub centrelines: usize,
    pub outlines: usize,
    /// The lines, where they are looked at closely.
    pub lines: Vec<LineView>,
}

/// What comes before the pixels of a glance, in runs: one byte of alpha a pixel, or four of colour and alpha.
#[derive(Debug, Clone, Serialize, TS)]
pub struct GlanceTold {
    pub width: usize,
    pub height: usize,
    pub coloured: bool,
    pub facts: Option<LiftFacts>,
    pub trade: Option<Trade>,
    pub trace: Option<TraceTold>,
}

/// Two marks that somebody set on the sheet, px: they are laid where the shot's other sheets have theirs.
#[derive(Debug, Deserialize, TS)]
pub struct RegisterRequest {
    #[ts(type = "number")]
    pub revision: i64,
    pub marks: [Pt; 2],
}

/// Asks for one part of a drawing with several weights.
#[derive(Debug, Deserialize, TS)]
pub struct StripRequest {
    pub inking: Inking,
    pub window: Window,
    pub weights: Vec<WeightRecipe>,
}

/// Asks about a place of the sheet, px.
#[derive(Debug, Deserialize, TS)]
pub struct PlaceRequest {
    pub at: Pt,
}

/// The way by which paint would run from a place.
#[derive(Debug, Clone, Serialize, TS)]
pub struct LeakTold {
    /// None: the region is closed and has no narrow spot.
    pub leak: Option<Leak>,
    /// The gap that was found at the narrowest spot.
    pub finding: Option<String>,
}

/// Findings that are alike, as lists of their ids, at a revision of the drawing.
#[derive(Debug, Clone, Serialize, TS)]
pub struct AlikeTold {
    pub revision: i64,
    pub groups: Vec<Vec<String>>,
}

/// How the like finding of another drawing was settled.
#[derive(Debug, Clone, Serialize, TS)]
pub struct LikeDecision {
    pub finding: String,
    pub how: Verdict,
    /// The name of the drawing it was decided in.
    pub drawing: String,
}

/// What was decided at the like places of the shot's other drawings, at a revision of this one.
#[derive(Debug, Clone, Serialize, TS)]
pub struct DecidedTold {
    pub revision: i64,
    pub decided: Vec<LikeDecision>,
}

/// A stretch of a line, as SVG path data.
#[derive(Debug, Clone, Serialize, TS)]
pub struct SpanTold {
    pub path: String,
}

/// Asks where a seam that is being drawn would land.
#[derive(Debug, Deserialize, TS)]
pub struct LandingRequest {
    pub path: Vec<Pt>,
}

/// A seam as it would be, as SVG path data, and where its ends are.
#[derive(Debug, Clone, Serialize, TS)]
pub struct LandingTold {
    pub path: String,
    pub ends: [Pt; 2],
    /// Whether each end meets a line.
    pub meets: [bool; 2],
}

/// A step that is tried.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct TryRequest {
    pub command: Command,
}

/// What a step that was tried would make of lines.
#[derive(Debug, Clone, Serialize, TS)]
pub struct TriedTold {
    #[ts(type = "number")]
    pub revision: i64,
    /// What it would be called, or why it cannot be done.
    pub label: String,
    /// Gone, or changed.
    #[ts(type = "number[]")]
    pub gone: Vec<u64>,
    /// Changed, or new.
    pub lines: Vec<TriedLine>,
    /// Of tidying, which leaves the picture: how much of a pixel it changes at most, of 255.
    pub unlike: Option<u8>,
}

#[derive(Debug, Clone, Serialize, TS)]
pub struct TriedLine {
    #[ts(type = "number")]
    pub id: u64,
    /// SVG path data of the edge of its ink, px of the sheet, even-odd.
    pub path: String,
}

/// Lines that are asked for, by their ids.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct LinesRequest {
    #[ts(type = "number[]")]
    pub lines: Vec<u64>,
}

/// Which device is to deliver sheets into a shot, and how.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "device")]
pub enum Delivery {
    SheetFeeder {
        /// Numbers of the demo's sheets, from 0.
        sheets: Vec<usize>,
        dpi: f64,
        grey: bool,
    },
    PhoneCamera {
        sheets: Vec<usize>,
    },
}

/// Takes one drawing's settings to the whole shot, in the background.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct ShotLift {
    pub lift: LiftRecipe,
    pub weight: WeightRecipe,
    pub trace: TraceRecipe,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum JobState {
    Running,
    Stopped,
    Done,
}

/// Long work on a shot and how far it is.
#[derive(Debug, Clone, Serialize, TS)]
pub struct JobInfo {
    #[ts(type = "number")]
    pub id: i64,
    pub what: String,
    pub state: JobState,
    pub all: usize,
    pub done: usize,
    pub working: usize,
    /// Why some were left as they were, or failed.
    pub told: Vec<String>,
    /// How many files it made that can be had.
    pub files: usize,
    /// How many of its steps stand that can be undone together.
    pub steps: usize,
}

/// Why something was refused, and what that means for what was there.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Refusal {
    /// What happened.
    pub error: String,
    /// What was kept, and what to do.
    pub advice: String,
    /// With a conflict: the drawing's revision now.
    #[ts(type = "number | null")]
    pub revision: Option<i64>,
}

/// What server-sent events tell about a shot.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "what", rename_all = "snake_case")]
pub enum Event {
    Drawing {
        #[ts(type = "number")]
        id: i64,
        #[ts(type = "number")]
        revision: i64,
        progress: Progress,
        /// Who changed it.
        by: String,
    },
    Drawings,
    Jobs,
    Swatches,
    /// Somebody came, went or is called otherwise.
    People,
    /// The database holds what a backup held: nothing that is shown or kept counts any more.
    Restored,
}

/// What is in the way of handing off, told plainly.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Readiness {
    pub ready: bool,
    pub reasons: Vec<String>,
}

/// For how many frames a drawing is seen.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct Hold {
    pub frames: i32,
}

/// A drawing that is to go out.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Outgoing {
    #[ts(type = "number")]
    pub id: i64,
    /// As it was looked at; `None`: whatever it is then.
    #[ts(type = "number | null")]
    pub revision: Option<i64>,
}

/// What of a shot goes out, and how. Without formats only the report is made, and nothing counts as handed off.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct HandOff {
    pub drawings: Vec<Outgoing>,
    pub formats: Vec<Format>,
    pub packed: Packed,
    pub leaving: Leaving,
    /// The pattern of the files' names.
    pub naming: String,
    /// A drawing that is held has a file for each of its frames.
    pub repeat_holds: bool,
    /// The colours as a file beside.
    pub palette: bool,
    pub report: bool,
    /// What is not ready goes out, too.
    pub anyway: bool,
    /// Into the folder that the server may write, besides being kept.
    pub to_folder: bool,
}

/// Names of files as a pattern gives them.
#[derive(Debug, Clone, Serialize, TS)]
pub struct NamesTold {
    /// The first few, in order.
    pub names: Vec<String>,
    pub all: usize,
    /// Whether there is a folder that the server may write.
    pub has_folder: bool,
}

/// A file that a job made.
#[derive(Debug, Clone, Serialize, TS)]
pub struct FileTold {
    pub name: String,
    #[ts(type = "number")]
    pub size: i64,
}

/// How many findings of a kind are open.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct OpenCount {
    pub says: String,
    pub count: usize,
}

/// A finding that was left knowingly.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Left {
    pub says: String,
    pub at: Pt,
    pub by: Option<String>,
}

/// How much of a drawing one paint covers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PaintedWith {
    pub name: String,
    pub colour: Option<[u8; 3]>,
    pub mm2: f64,
}

/// What the readiness report tells of a drawing.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Facts {
    pub drawing: i64,
    pub name: String,
    pub revision: i64,
    pub first_frame: usize,
    pub hold: usize,
    /// Why it is not ready.
    pub reasons: Vec<String>,
    pub goes_out: bool,
    pub open: Vec<OpenCount>,
    pub left: Vec<Left>,
    pub swatches: Vec<PaintedWith>,
    pub unpainted_mm2: f64,
    /// A PNG in base64.
    pub thumbnail: String,
}
