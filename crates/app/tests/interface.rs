//! The interface in a real browser: Node.js drives Debian's Chromium through the tests of `e2e/tests`.

#![allow(clippy::unwrap_used)]

mod support;

use support::Server;

fn drive(file: &str) {
    support::drive(&Server::start(), file);
}

#[test]
fn a_drawing_goes_the_whole_way() {
    drive("whole_way");
}

#[test]
fn the_demo_shot_goes_out_whole() {
    drive("from_paper");
}

#[test]
fn bad_input_is_told_and_changes_nothing() {
    drive("bad_input");
}

#[test]
fn every_screen_works_by_key_and_for_all_eyes() {
    drive("every_screen");
}

#[test]
fn sheets_are_brought_in_and_laid_out() {
    drive("intake_station");
}

#[test]
fn layers_of_a_file_are_chosen() {
    drive("layers");
}

#[test]
fn ink_is_lifted_by_all_its_controls() {
    drive("lift_station");
}

#[test]
fn lines_get_thicker_and_thinner() {
    drive("weight_station");
}

#[test]
fn ink_becomes_lines_and_again() {
    drive("trace_station");
}

#[test]
fn a_bare_sheet_is_inked_by_hand() {
    drive("draw_station");
}

#[test]
fn what_helps_a_hand_helps_it() {
    drive("draw_aids");
}

#[test]
fn lines_are_mended_by_hand() {
    drive("draw_mends");
}

#[test]
fn lines_are_taken_in_hand() {
    drive("draw_holds");
}

#[test]
fn leaks_spans_and_seams_are_found_taken_and_drawn() {
    drive("join_station");
}

#[test]
fn drawings_are_painted_one_and_from_one_another() {
    drive("paint_station");
}

#[test]
fn what_goes_wrong_while_somebody_works_is_told_and_costs_nothing() {
    drive("adversity");
}

#[test]
fn like_findings_are_decided_together_and_quiet_ones_ask_for_nothing() {
    drive("like_decisions");
}

#[test]
fn a_shot_goes_out_from_its_table() {
    drive("hand_off");
}

#[test]
fn a_shot_is_arranged_flipped_through_and_played() {
    drive("whole_shot");
}

#[test]
fn two_people_work_on_one_drawing() {
    drive("several_people");
}
