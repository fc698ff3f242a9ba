//! How edits feel in a drawing of 5,000 lines. A binary of its own, so that it has the machine to itself.
//!
//! `EDITS=all cargo test -p rhizograph --test edits -- --nocapture` runs each series whole, for figures.

#![allow(clippy::unwrap_used)]

mod support;

use support::{Server, drive, many_lines};

#[test]
fn edits_in_a_drawing_of_5000_lines_show_at_once() {
    let server = Server::start_given(&[many_lines::READING]);
    many_lines::hang(&server, 1);
    drive(&server, "edits");
}
