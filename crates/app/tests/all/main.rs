//! What the program is to do, in one program of tests; those that look at times have programs of their own.

#![allow(clippy::unwrap_used)]

#[path = "../support/mod.rs"]
mod support;

mod adversity;
mod api_types;
mod arranging;
mod carrying;
mod demo_shot;
mod frontend;
mod handing_off;
mod held;
mod hostile;
mod house;
mod inks;
mod latest;
mod network;
mod pictures;
mod places;
mod prepare;
mod queue_kept;
mod server;
mod steps_of_versions;
