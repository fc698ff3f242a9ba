//! Commands: every edit of a sheet is one. Planning it gives a change.

use super::change::Change;
use super::draw::DrawStep;
use super::findings::FindingsStep;
use super::ground::Ground;
use super::hold::HoldStep;
use super::intake::IntakeStep;
use super::join::JoinStep;
use super::lift::LiftStep;
use super::limits::MOST_NAMED;
use super::mend::MendStep;
use super::paint::PaintStep;
use super::settings::SettingsStep;
use super::trace::TraceStep;
use super::weight::WeightStep;
use crate::error::Error;
use crate::model::sheet::Sheet;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What somebody asks to be done to a sheet: a step of one of the stations.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "of")]
pub enum Command {
    Settings(SettingsStep),
    Intake(IntakeStep),
    Lift(LiftStep),
    Weight(WeightStep),
    Trace(TraceStep),
    Draw(DrawStep),
    Mend(MendStep),
    Hold(HoldStep),
    Findings(FindingsStep),
    Join(JoinStep),
    Paint(PaintStep),
}

macro_rules! a_command {
    ($($step:ident: $of:ident),*) => {
        $(impl From<$step> for Command {
            fn from(step: $step) -> Command {
                Command::$of(step)
            }
        })*
    };
}

a_command!(
    SettingsStep: Settings, IntakeStep: Intake, LiftStep: Lift, WeightStep: Weight, TraceStep: Trace, DrawStep: Draw, MendStep: Mend, HoldStep: Hold,
    FindingsStep: Findings, JoinStep: Join, PaintStep: Paint
);

impl Command {
    /// How many things it names.
    fn named(&self) -> usize {
        match self {
            Command::Findings(step) => step.ids().count(),
            Command::Paint(step) => step.named(),
            Command::Mend(step) => step.named(),
            Command::Hold(step) => step.lines().len(),
            Command::Weight(WeightStep::Weigh { lines, .. }) => lines.len(),
            _ => 0,
        }
    }
}

/// Plans a command: what it would change, without doing it. Errors: it names what is not there, or more than one step
/// may; a number outside its range; what it would leave lies off the sheet.
///
/// ```
/// use rhizograph_core::edit::{Given, LiftStep, plan};
/// use rhizograph_core::geom::pt;
/// use rhizograph_core::model::sheet::Sheet;
/// use rhizograph_core::raster::{ink::Ink, plane::Plane};
/// use rhizograph_core::scene::Scene;
///
/// let sheet = Sheet::new(200, 100, 300.0);
/// let ink = Ink::plain(Plane::new(200, 100, 0), [0; 3]);
/// let scene = Scene::of(&sheet, &ink);
/// let step = LiftStep::Protect { at: pt(40.0, 30.0) }.into();
/// let change = plan(&sheet, &step, &Given { lifted: &ink, scene: &scene, swatches: &[] })?;
/// let after = change.apply(&sheet)?;
/// assert_eq!(after.by_hand.protected, [pt(40.0, 30.0)]);
/// assert_eq!(change.undo(&after)?, sheet);
/// # Ok::<(), rhizograph_core::Error>(())
/// ```
pub fn plan(sheet: &Sheet, command: &Command, ground: &dyn Ground) -> Result<Change, Error> {
    if command.named() > MOST_NAMED {
        return Err(Error::Mismatch("one step is about up to 200000 things"));
    }
    let mut after = sheet.clone();
    let label = match command {
        Command::Settings(step) => step.plan(&mut after)?,
        Command::Intake(step) => step.plan(&mut after)?,
        Command::Lift(step) => step.plan(&mut after)?,
        Command::Weight(step) => step.plan(&mut after)?,
        Command::Trace(step) => step.plan(&mut after, ground)?,
        Command::Draw(step) => step.plan(&mut after, ground)?,
        Command::Mend(step) => step.plan(&mut after, ground)?,
        Command::Hold(step) => step.plan(&mut after, ground)?,
        Command::Findings(step) => step.plan(&mut after, ground)?,
        Command::Join(step) => step.plan(&mut after, ground)?,
        Command::Paint(step) => step.plan(&mut after, ground)?,
    };
    after.put_in_order();
    Ok(Change::between(sheet, &after, label))
}
