//! Edits: a command is a step of a station; planning it gives a change, which is applied, undone exactly, and stored.

mod change;
mod command;
mod draw;
mod findings;
mod ground;
mod hold;
mod intake;
mod join;
mod lift;
mod lifted;
mod limits;
mod mend;
mod paint;
mod replay;
mod settings;
mod swap;
mod tails;
mod tidy;
mod trace;
mod weight;

pub use change::Change;
pub use command::{Command, plan};
pub use draw::DrawStep;
pub use findings::{Decision, FindingsStep, close};
pub use ground::{Given, Ground};
pub use hold::{Becomes, HoldStep, Level, Together};
pub use intake::IntakeStep;
pub use join::{JoinStep, SPAN_REACH, seam_spine};
pub use lift::LiftStep;
pub use mend::{MendStep, Takes};
pub use paint::PaintStep;
pub use replay::{Since, replay, stands_apart};
pub use settings::SettingsStep;
pub use tails::cut_all;
pub use trace::TraceStep;
pub use weight::WeightStep;
