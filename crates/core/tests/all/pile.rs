//! The ink as a pile of pieces: colours where they belong, one over the other, in parts as in whole.

use crate::support;

use proptest::prelude::*;
use rhizograph_core::edit::{Command, PaintStep};
use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Bounds, Pt, pt};
use rhizograph_core::model::line::{End, Form, Line, Made};
use rhizograph_core::model::order::Order;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Rgb;
use rhizograph_core::raster::strokes::{Area, whole};
use rhizograph_core::scene::Scene;
use support::{do_it, inked, traced};

const SKIN: Rgb = [200, 120, 60];
const SHELL: Rgb = [40, 130, 90];

fn colour(line: &Line) -> Option<Rgb> {
    match line.swatch.as_deref()? {
        "skin" => Some(SKIN),
        "shell" => Some(SHELL),
        _ => None,
    }
}

/// Two lifted lines that cross, traced.
fn cross() -> (Sheet, Ink) {
    let ink =
        inked(&[(vec![pt(40.0, 150.0), pt(360.0, 150.0)], 12.0), (vec![pt(200.0, 30.0), pt(200.0, 270.0)], 12.0)]);
    (traced(&ink), ink)
}

fn drawn(from: Pt, to: Pt, width: f64, swatch: Option<&str>, opacity: f64) -> Line {
    let form = Form::Centreline {
        spine: Spine::through(&[from, to], false),
        width: vec![[0.0, width]],
        ends: [End::Round; 2],
    };
    Line { swatch: swatch.map(str::to_owned), opacity, ..Line::new(0, form, Made::Hand) }
}

fn seen(sheet: &Sheet, ink: &Ink, area: Area) -> Ink {
    sheet.composed(&sheet.visible_ink(ink), ink, &colour, area)
}

fn all(sheet: &Sheet, ink: &Ink) -> Ink {
    seen(sheet, ink, whole(&ink.alpha))
}

fn at(ink: &Ink, x: usize, y: usize) -> (Rgb, u8) {
    (ink.colour_at(x, y), *ink.alpha.at(x, y))
}

/// The line nearest to a place.
fn line_at(sheet: &Sheet, p: Pt) -> u64 {
    let far = |l: &Line| l.flat(0.2).iter().map(|f| f.p.dist(p)).fold(f64::INFINITY, f64::min);
    sheet.lines.iter().min_by(|a, b| far(a).total_cmp(&far(b))).unwrap().id
}

#[test]
fn a_lifted_line_in_a_colour_has_it_to_its_faintest_pixel_and_its_neighbour_none() {
    let (sheet, ink) = cross();
    let level = line_at(&sheet, pt(70.0, 150.0));
    let colouring = PaintStep::ColourLines { lines: vec![level], swatch: Some("skin".into()) };
    let change = do_it(&sheet, &ink, &Command::Paint(colouring));
    let after = change.apply(&sheet).unwrap();
    assert_eq!(change.undo(&after).unwrap(), sheet);
    let shown = all(&after, &ink);
    assert_eq!(shown.alpha, sheet.visible_ink(&ink).alpha, "as deep as before");
    let mut of_line = 0;
    for (i, &a) in shown.alpha.data.iter().enumerate().filter(|(_, a)| **a > 0) {
        let (x, y) = (i % 400, i / 400);
        let far = (y as f64 + 0.5 - 150.0).abs();
        // Near the crossing it is either's.
        if (x as f64 - 200.0).abs() > 12.0 {
            assert_eq!(shown.colour_at(x, y), SKIN, "{x} {y} of alpha {a}, {far} from its middle");
            of_line += 1;
        } else if far > 12.0 {
            assert_eq!(shown.colour_at(x, y), ink.colour, "{x} {y}");
        }
    }
    assert!(of_line > 3000);
    // What is coloured is looked at again.
    let mut alpha = sheet.visible_ink(&ink).alpha;
    let boxes = after.see_again(&sheet, &ink, &mut alpha);
    assert!(boxes.iter().any(|b| b.touches(&Bounds::of([&pt(70.0, 150.0)]))), "{boxes:?}");
    // The ink's own colour again.
    let back = do_it(&after, &ink, &Command::Paint(PaintStep::ColourLines { lines: vec![level], swatch: None }));
    assert!(!back.apply(&after).unwrap().is_coloured());
}

#[test]
fn a_span_is_coloured_from_crossing_to_crossing_and_no_ink_changes() {
    let (mut sheet, ink) = cross();
    // One more line across, drawn: the level one is crossed by two.
    sheet.draw(drawn(pt(300.0, 100.0), pt(300.0, 200.0), 8.0, None, 1.0));
    let before = all(&sheet, &ink);
    let span = |at| Command::Paint(PaintStep::ColourSpan { at, swatch: Some("skin".into()) });
    let change = do_it(&sheet, &ink, &span(pt(250.0, 151.0)));
    let after = change.apply(&sheet).unwrap();
    assert_eq!(change.undo(&after).unwrap(), sheet);
    assert_eq!(after.lines.len(), sheet.lines.len() + 2, "before, within and behind");
    let shown = all(&after, &ink);
    assert_eq!(shown.alpha, before.alpha);
    assert_eq!([70, 350].map(|x| shown.colour_at(x, 150)), [ink.colour; 2]);
    assert_eq!([212, 250, 290].map(|x| shown.colour_at(x, 150)), [SKIN; 3]);
    assert_eq!(shown.colour_at(300, 120), ink.colour);
    // A drawn one, up to what it crosses.
    let change = do_it(&after, &ink, &span(pt(300.0, 185.0)));
    let again = change.apply(&after).unwrap();
    let shown = all(&again, &ink);
    assert_eq!((shown.colour_at(300, 185), shown.colour_at(300, 115)), (SKIN, ink.colour));
    let worst = shown.alpha.data.iter().zip(&before.alpha.data).map(|(a, b)| a.abs_diff(*b)).max();
    assert!(worst <= Some(2), "{worst:?}");
    // The same once more changes nothing, and where there is none it is told.
    assert!(do_it(&again, &ink, &span(pt(300.0, 185.0))).is_empty());
}

#[test]
fn what_is_drawn_lies_over_or_under_what_is_there_by_its_place() {
    let (mut sheet, ink) = cross();
    sheet.draw(drawn(pt(60.0, 100.0), pt(60.0, 200.0), 20.0, Some("skin"), 1.0));
    sheet.draw(drawn(pt(30.0, 120.0), pt(120.0, 120.0), 10.0, Some("shell"), 0.5));
    let shown = all(&sheet, &ink);
    assert_eq!(at(&shown, 60, 150), (SKIN, 255), "over the lifted ink");
    assert_eq!(at(&shown, 90, 120).1, 127, "translucent alone");
    let mixed: Rgb = std::array::from_fn(|k| ((u16::from(SKIN[k]) + u16::from(SHELL[k])) / 2) as u8);
    let (c, a) = at(&shown, 60, 120);
    assert!(a == 255 && c.iter().zip(mixed).all(|(c, m)| c.abs_diff(m) <= 1), "{c:?} of {mixed:?}");
    // The first one goes beneath everything.
    let lowest = sheet.lines[0].order.clone();
    let first = sheet.lines.iter().position(|l| l.swatch.as_deref() == Some("skin")).unwrap();
    let line = Line { order: Order::between(None, Some(&lowest)), ..(*sheet.lines[first]).clone() };
    sheet.lines[first] = std::sync::Arc::new(line);
    sheet.put_in_order();
    let shown = all(&sheet, &ink);
    assert_eq!(at(&shown, 60, 150), (ink.colour, 255), "under the lifted ink");
    assert_eq!(at(&shown, 60, 180), (SKIN, 255));
}

#[test]
fn made_smaller_it_has_the_colour_of_its_ink_up_to_the_edge() {
    let (mut sheet, ink) = cross();
    sheet.draw(drawn(pt(60.0, 40.0), pt(160.0, 75.0), 9.0, Some("skin"), 1.0));
    let shown = all(&sheet, &ink).weighted(2);
    assert_eq!((shown.alpha.width, shown.alpha.height), (100, 75));
    let near = (10..40).flat_map(|x| (8..20).map(move |y| (x, y)));
    let inked: Vec<Rgb> =
        near.filter(|&(x, y)| *shown.alpha.at(x, y) > 0).map(|(x, y)| shown.colour_at(x, y)).collect();
    assert!(inked.len() > 60 && inked.iter().all(|c| *c == SKIN));
}

proptest! {
    #[test]
    fn without_colours_it_is_what_was_seen_and_with_them_every_part_is_of_the_whole(
        strokes in prop::collection::vec(
            ((0.0f64..400.0, 0.0f64..300.0), (0.0f64..400.0, 0.0f64..300.0), 2.0f64..20.0, 0u8..4, 0.2f64..1.0), 0..6),
        traced_in in 0u8..4, x in 0usize..380, y in 0usize..280, w in 1usize..120, h in 1usize..120,
    ) {
        let (mut sheet, ink) = cross();
        let swatch = |n: u8| [None, Some("skin"), Some("shell"), Some("gone")][n as usize];
        for ((ax, ay), (bx, by), width, n, opacity) in strokes {
            sheet.draw(drawn(pt(ax, ay), pt(bx, by), width, swatch(n), opacity));
        }
        let first = std::sync::Arc::make_mut(&mut sheet.lines[0]);
        first.swatch = swatch(traced_in).map(str::to_owned);
        let area = (x, y, (x + w).min(400), (y + h).min(300));
        let part = [x, y, area.2 - x, area.3 - y];
        let flat = sheet.visible_ink(&ink);
        let (some, every) = (seen(&sheet, &ink, area), all(&sheet, &ink));
        if !sheet.is_coloured() {
            prop_assert_eq!(&every, &flat);
        }
        for v in 0..part[3] {
            for u in 0..part[2] {
                let (a, b) = (at(&some, u, v), at(&every, x + u, y + v));
                // Windows begin at whole pixels; what is drawn in them differs by rounding alone.
                prop_assert!(a.1.abs_diff(b.1) <= 1, "{a:?} {b:?} at {u} {v}");
                prop_assert!(a.1 < 8 || a.0.iter().zip(b.0).all(|(p, q)| p.abs_diff(q) <= 2), "{a:?} {b:?} at {u} {v}");
                prop_assert!(u16::from(a.1) + 1 >= u16::from(*flat.alpha.at(x + u, y + v)), "no less than was seen");
            }
        }
        prop_assert!(Scene::of(&sheet, &ink).ink.alpha == flat.alpha);
    }
}
