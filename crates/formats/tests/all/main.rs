//! What the formats are to do, in one program.

#![allow(clippy::unwrap_used)]

#[path = "../../../core/tests/all/support/mod.rs"]
mod support;

mod cut_lines;
mod hand_off;
mod vector_art;
