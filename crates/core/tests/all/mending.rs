//! Lines mended and taken in hand: what is asked is done exactly, nothing else moves, and all of it is undone exactly.

use crate::support;

use proptest::prelude::*;
use rhizograph_core::draw::{Follows, Gives, Pen, Sample, area_of};
use rhizograph_core::edit::{Becomes, Command, FindingsStep, Given, HoldStep, Level, MendStep, Takes, Together, plan};
use rhizograph_core::geom::area::{Rings, size, united, unlike};
use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Pt, nearest_on_segment, polyline_len, pt};
use rhizograph_core::model::erasure::Erasure;
use rhizograph_core::model::line::{End, Form, Line, Made};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::raster::ink::{IS_INK, Ink};
use rhizograph_core::scene::Scene;
use std::f64::consts::TAU;
use support::anew::is_that_of;
use support::{Random, do_it, inked, ring, traced};

const PEN: Pen = Pen { width: 6.0, steadying: 0.0, follows: Follows::Steady, tilt: 0.0, grain: 1.0 };

/// Edges of strokes and of shapes are drawn by unlike means: so much a pixel there may differ.
const EDGE: u8 = 84;

fn samples(path: &[Pt]) -> Vec<Sample> {
    path.iter().map(|p| Sample(p.x, p.y, None, None, None)).collect()
}

fn between(a: Pt, b: Pt) -> Vec<Pt> {
    (0..=60).map(|k| a.lerp(b, f64::from(k) / 60.0)).collect()
}

/// A sheet of 400 x 300 with nothing lifted, and lines drawn by hand.
fn drawn(forms: Vec<Form>) -> (Sheet, Ink) {
    let mut sheet = Sheet::new(400, 300, 300.0);
    forms.into_iter().for_each(|form| sheet.draw(Line::new(0, form, Made::Hand)));
    (sheet, inked(&[]))
}

fn centreline(points: &[Pt], width: f64) -> Form {
    Form::Centreline { spine: Spine::through(points, false), width: vec![[0.0, width]], ends: [End::Round; 2] }
}

fn off(p: Pt, path: &[Pt]) -> f64 {
    path.windows(2).map(|w| p.dist(w[0].lerp(w[1], nearest_on_segment(p, w[0], w[1])))).fold(f64::INFINITY, f64::min)
}

fn path_of(line: &Line) -> Vec<Pt> {
    line.spine().unwrap().flatten(0.02)
}

fn redraw(path: &[Pt], pen: Pen, gives: Gives) -> Command {
    MendStep::Redraw { samples: samples(path), pen, gives, lines: vec![] }.into()
}

fn line(sheet: &Sheet, id: u64) -> &Line {
    sheet.lines.iter().find(|l| l.id == id).unwrap()
}

/// A bow over the stretch of a level line at y = 150 from x = 120 to 280.
fn bow(height: f64) -> Vec<Pt> {
    (0..=80)
        .map(|k| f64::from(k) / 80.0)
        .map(|t| pt(121.0 + 158.0 * t, 152.0 - height * (0.5 * TAU * t).sin()))
        .collect()
}

#[test]
fn a_stretch_that_is_redrawn_takes_the_new_way_and_nothing_else_moves() {
    let strokes = [(between(pt(30.0, 150.0), pt(370.0, 150.0)), 7.0), (between(pt(60.0, 40.0), pt(60.0, 260.0)), 5.0)];
    let ink = inked(&strokes);
    let lifted = traced(&ink);
    let (by_hand, blank) = drawn(strokes.iter().map(|(p, w)| centreline(p, *w)).collect());
    for (sheet, ink) in [(lifted, ink), (by_hand, blank)] {
        let before = sheet.visible_ink(&ink);
        let level = sheet.lines.iter().find(|l| l.bounds().max.x > 300.0).unwrap().clone();
        let change = do_it(&sheet, &ink, &redraw(&bow(50.0), PEN, Gives::Both));
        let after = change.apply(&sheet).unwrap();
        let new = line(&after, level.id);
        assert_eq!((&new.order, &new.swatch, new.group), (&level.order, &level.swatch, level.group));
        let path = path_of(new);
        assert!(off(pt(200.0, 102.0), &path) < 0.6, "it goes where it was drawn");
        let old = path_of(&level);
        for p in old.iter().filter(|p| p.x < 105.0 || p.x > 295.0) {
            assert!(off(*p, &path) < 0.03, "{p:?} moved by {}", off(*p, &path));
        }
        // It leaves the old way without a corner.
        let turns = path.windows(3).map(|w| {
            let (a, b) = (w[1] - w[0], w[2] - w[1]);
            if a.len() < 0.3 || b.len() < 0.3 { 0.0 } else { a.cross(b).atan2(a.dot(b)).abs().to_degrees() }
        });
        assert!(turns.fold(0.0, f64::max) < 20.0);
        let seen = after.visible_ink(&ink);
        for y in 0..300 {
            for x in 0..400 {
                let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                let (far_from_old, far_from_new) = (off(p, &old) > 8.0, off(p, &path) > 5.5);
                let is_stretch = (100.0..300.0).contains(&p.x);
                if !is_stretch || (far_from_old && far_from_new) {
                    assert_eq!(seen.alpha.at(x, y), before.alpha.at(x, y), "nothing else at {x}, {y}");
                }
                if (150.0..250.0).contains(&p.x) && far_from_new {
                    assert!(*seen.alpha.at(x, y) < IS_INK, "the old ink at {x}, {y} is gone");
                }
                if off(p, &path) < 2.0 {
                    assert!(*seen.alpha.at(x, y) >= IS_INK, "ink at {x}, {y}");
                }
            }
        }
        assert_eq!(change.undo(&after).unwrap(), sheet);
    }
}

#[test]
fn a_stroke_gives_its_path_its_width_or_both_and_may_end_the_line() {
    let (sheet, ink) = drawn(vec![centreline(&[pt(30.0, 150.0), pt(370.0, 150.0)], 4.0)]);
    let id = sheet.lines[0].id;
    let wide = Pen { width: 12.0, ..PEN };
    let widths = |sheet: &Sheet| line(sheet, id).flat(0.1).iter().map(|f| (f.p, f.width)).collect::<Vec<_>>();
    let at = |list: &[(Pt, f64)], x: f64| {
        list.iter().min_by(|a, b| (a.0.x - x).abs().total_cmp(&(b.0.x - x).abs())).unwrap().1
    };
    let of = |gives| do_it(&sheet, &ink, &redraw(&bow(40.0), wide, gives)).apply(&sheet).unwrap();
    let path = of(Gives::Path);
    assert!(widths(&path).iter().all(|w| (w.1 - 4.0).abs() < 0.1), "the width stays");
    assert!(off(pt(200.0, 112.0), &path_of(line(&path, id))) < 1.0);
    let width = of(Gives::Width);
    assert!(path_of(line(&width, id)).iter().all(|p| (p.y - 150.0).abs() < 0.01), "the path stays");
    let both = of(Gives::Both);
    for s in [&width, &both] {
        assert!((at(&widths(s), 200.0) - 12.0).abs() < 0.2, "{}", at(&widths(s), 200.0));
        assert!((at(&widths(s), 50.0) - 4.0).abs() < 0.1 && (at(&widths(s), 350.0) - 4.0).abs() < 0.1);
    }
    // From the line away: it ends where the stroke does. Beyond its end, too.
    let away: Vec<Pt> = between(pt(250.0, 151.0), pt(330.0, 240.0));
    let longer: Vec<Pt> = between(pt(352.0, 149.0), pt(395.0, 120.0));
    for (stroke, length) in [(away, 220.0 + 120.0), (longer, 325.0 + 52.0)] {
        for reversed in [false, true] {
            let mut stroke = stroke.clone();
            let tip = stroke[60];
            if reversed {
                stroke.reverse();
            }
            let after = do_it(&sheet, &ink, &redraw(&stroke, PEN, Gives::Both)).apply(&sheet).unwrap();
            let path = path_of(line(&after, id));
            let ends = [path[0], path[path.len() - 1]];
            assert!(ends[0].dist(pt(30.0, 150.0)) < 0.1 && ends[1].dist(tip) < 0.6, "{ends:?}");
            assert!((polyline_len(&path) - length).abs() < 12.0, "{}", polyline_len(&path));
        }
    }
    let given = Given { lifted: &ink, scene: &Scene::of(&sheet, &ink), swatches: &[] };
    let far = redraw(&between(pt(100.0, 40.0), pt(300.0, 40.0)), PEN, Gives::Both);
    assert!(plan(&sheet, &far, &given).unwrap_err().to_string().contains("begins or ends on it"));
    let unknown = MendStep::Redraw { samples: samples(&bow(9.0)), pen: PEN, gives: Gives::Path, lines: vec![77] };
    assert!(plan(&sheet, &unknown.into(), &given).is_err());
}

#[test]
fn the_edge_of_a_solid_and_a_ring_are_redrawn_the_nearer_way_round() {
    // A blot broader than any line, lifted; a ring by hand.
    let blot: Vec<(Vec<Pt>, f64)> = vec![(between(pt(150.0, 150.0), pt(250.0, 150.0)), 90.0)];
    let ink = inked(&blot);
    let sheet = traced(&ink);
    assert!(matches!(sheet.lines[0].form, Form::Outline { .. }), "it is a solid");
    let bump: Vec<Pt> = (0..=60)
        .map(|k| f64::from(k) / 60.0)
        .map(|t| pt(170.0 + 60.0 * t, 105.0 - 30.0 * (0.5 * TAU * t).sin()))
        .collect();
    let change = do_it(&sheet, &ink, &redraw(&bump, PEN, Gives::Path));
    let after = change.apply(&sheet).unwrap();
    let seen = after.visible_ink(&ink);
    assert!(*seen.alpha.at(200, 80) >= IS_INK && *seen.alpha.at(200, 72) < IS_INK, "it swells there");
    for y in 112..300 {
        for x in 0..400 {
            assert_eq!(seen.alpha.at(x, y), ink.alpha.at(x, y), "nothing else at {x}, {y}");
        }
    }
    let area = |s: &Sheet| size(&area_of(&s.lines[0]));
    assert!(
        (area(&after) - area(&sheet) - 60.0 * 30.0 * 2.0 / (0.5 * TAU)).abs() < 60.0,
        "{}",
        area(&after) - area(&sheet)
    );
    assert_eq!(change.undo(&after).unwrap(), sheet);

    let spine = Spine { closed: true, ..Spine::through(&ring(pt(200.0, 150.0), 80.0, 80.0, 0.0, TAU), true) };
    let form = Form::Centreline { spine, width: vec![[0.0, 5.0]], ends: [End::Round; 2] };
    let (sheet, blank) = drawn(vec![form]);
    // Over its start, so that the stretch runs through it.
    let dent: Vec<Pt> = ring(pt(200.0, 150.0), 80.0, 80.0, -0.4, 0.4)
        .iter()
        .enumerate()
        .map(|(k, p)| *p - pt(30.0 * (0.5 * TAU * k as f64 / 120.0).sin(), 0.0))
        .collect();
    for reversed in [false, true] {
        let mut dent = dent.clone();
        if reversed {
            dent.reverse();
        }
        let after = do_it(&sheet, &blank, &redraw(&dent, PEN, Gives::Both)).apply(&sheet).unwrap();
        let path = path_of(&after.lines[0]);
        assert!(off(pt(250.0, 150.0), &path) < 1.5 && off(pt(120.0, 150.0), &path) < 0.5);
        assert_eq!(path[0], path[path.len() - 1], "it is closed");
        assert_eq!(Scene::of(&after, &blank).regions.len(), 1, "its inside");
    }
}

#[test]
fn rubbing_calms_the_more_the_longer_and_keeps_ends_corners_and_neighbours() {
    let mut random = Random(5);
    let mut shake = 0.0;
    let wavy: Vec<Pt> = (0..=170)
        .map(|k| {
            shake = 0.6 * shake + random.within(-1.5, 1.5);
            pt(30.0 + 2.0 * f64::from(k), 150.0 + if k == 0 || k == 170 { 0.0 } else { shake })
        })
        .collect();
    let ink = inked(&[(wavy.clone(), 5.0), (between(pt(200.0, 165.0), pt(200.0, 280.0)), 5.0)]);
    let lifted = traced(&ink);
    let (by_hand, blank) = drawn(vec![centreline(&wavy, 5.0), centreline(&[pt(200.0, 165.0), pt(200.0, 280.0)], 5.0)]);
    for (sheet, ink) in [(lifted, ink), (by_hand, blank)] {
        let level = sheet.lines.iter().find(|l| l.bounds().max.x > 350.0).unwrap().clone();
        let rough = |l: &Line, from: f64, to: f64| {
            let on: Vec<Pt> = path_of(l).into_iter().filter(|p| (from..to).contains(&p.x)).collect();
            on.iter().map(|p| (p.y - 150.0).powi(2)).sum::<f64>() / on.len() as f64
        };
        let mut now = sheet.clone();
        let mut was = rough(&level, 120.0, 280.0);
        let first = was;
        for pass in 0..3 {
            let path = between(pt(110.0, 150.0), pt(290.0, 150.0));
            let step = MendStep::Calm { path, radius: 14.0, strength: 1.0, lines: vec![] };
            let change = do_it(&now, &ink, &step.into());
            let after = change.apply(&now).unwrap();
            assert_eq!(change.undo(&after).unwrap(), now);
            now = after;
            let is = rough(line(&now, level.id), 120.0, 280.0);
            assert!(is < was + 1e-9, "pass {pass}: {is} after {was}");
            was = is;
        }
        assert!(was < 0.45 * first, "{was} of {first}");
        let (old, new) = (path_of(&level), path_of(line(&now, level.id)));
        for p in old.iter().filter(|p| p.x < 90.0 || p.x > 310.0) {
            assert!(off(*p, &new) < 0.1, "{p:?} is {} off", off(*p, &new));
        }
        assert_eq!((old[0], old[old.len() - 1]), (new[0], new[new.len() - 1]));
        assert!(now.visible_ink(&ink).alpha.data.iter().filter(|a| **a >= IS_INK).count() > 2000);
    }
    // A corner stays where it is, and a line beside the rub, too.
    let zigzag = [pt(40.0, 200.0), pt(150.0, 60.0), pt(260.0, 200.0), pt(360.0, 70.0)];
    let (sheet, blank) = drawn(vec![centreline(&zigzag, 4.0)]);
    let given = Given { lifted: &blank, scene: &Scene::of(&sheet, &blank), swatches: &[] };
    let step = MendStep::Calm { path: zigzag.to_vec(), radius: 20.0, strength: 4.0, lines: vec![] };
    if let Ok(change) = plan(&sheet, &step.into(), &given) {
        let path = path_of(&change.apply(&sheet).unwrap().lines[0]);
        assert!(zigzag.iter().all(|p| off(*p, &path) < 0.05));
    }
    let beside =
        MendStep::Calm { path: vec![pt(10.0, 20.0), pt(390.0, 20.0)], radius: 9.0, strength: 1.0, lines: vec![] };
    assert!(plan(&sheet, &beside.into(), &given).is_err());
}

#[test]
fn rubbing_presses_a_line_thicker_or_thinner_only_where_it_is_rubbed() {
    let strokes = [(between(pt(30.0, 150.0), pt(370.0, 150.0)), 6.0)];
    let ink = inked(&strokes);
    let lifted = traced(&ink);
    let (by_hand, blank) = drawn(vec![centreline(&[pt(30.0, 150.0), pt(370.0, 150.0)], 6.0)]);
    for (sheet, ink) in [(lifted, ink), (by_hand, blank)] {
        for strength in [1.0, -1.0] {
            let path = between(pt(180.0, 150.0), pt(220.0, 150.0));
            let step = MendStep::Press { path, radius: 20.0, strength, lines: vec![] };
            let change = do_it(&sheet, &ink, &step.into());
            let after = change.apply(&sheet).unwrap();
            let width = |s: &Sheet, x: f64| {
                let flat = s.lines[0].flat(0.1);
                flat.iter().min_by(|a, b| (a.p.x - x).abs().total_cmp(&(b.p.x - x).abs())).unwrap().width
            };
            let (was, is) = (width(&sheet, 200.0), width(&after, 200.0));
            assert!(if strength > 0.0 { is > 1.2 * was } else { is < 0.85 * was }, "{is} after {was}");
            assert!((width(&after, 80.0) - width(&sheet, 80.0)).abs() < 0.05);
            let column = |s: &Sheet| (0..300).map(|y| u32::from(*s.visible_ink(&ink).alpha.at(200, y))).sum::<u32>();
            assert!((f64::from(column(&after)) / 255.0 - is).abs() < 0.8, "the ink follows");
            assert_eq!(change.undo(&after).unwrap(), sheet);
        }
    }
}

#[test]
fn a_line_is_bent_where_it_is_taken_and_its_ends_stay() {
    let (sheet, ink) = drawn(vec![centreline(&[pt(30.0, 150.0), pt(370.0, 150.0)], 6.0)]);
    let id = sheet.lines[0].id;
    let bend = |from: Pt, to: Pt, reach| MendStep::Bend { line: id, from, to, reach }.into();
    let after = do_it(&sheet, &ink, &bend(pt(200.0, 150.0), pt(210.0, 100.0), 120.0)).apply(&sheet).unwrap();
    let path = path_of(&after.lines[0]);
    assert!(off(pt(210.0, 100.0), &path) < 0.5, "{}", off(pt(210.0, 100.0), &path));
    assert!(path.iter().filter(|p| p.x < 75.0 || p.x > 330.0).all(|p| (p.y - 150.0).abs() < 0.2));
    assert_eq!((path[0], path[path.len() - 1]), (pt(30.0, 150.0), pt(370.0, 150.0)));
    // An end that is taken goes along.
    let after = do_it(&sheet, &ink, &bend(pt(369.0, 150.0), pt(380.0, 190.0), 120.0)).apply(&sheet).unwrap();
    let path = path_of(&after.lines[0]);
    assert!(path[path.len() - 1].dist(pt(381.0, 190.0)) < 1.0 && path[0] == pt(30.0, 150.0));
}

#[test]
fn points_and_handles_are_set_and_only_their_curves_change() {
    let path: Vec<Pt> =
        (0..=12).map(|k| pt(40.0 + 25.0 * f64::from(k), 150.0 + if k % 2 == 0 { 10.0 } else { -10.0 })).collect();
    let ink = inked(&[(path.clone(), 6.0)]);
    let lifted = traced(&ink);
    let (by_hand, blank) = drawn(vec![centreline(&path, 6.0)]);
    for (sheet, ink) in [(lifted, ink), (by_hand, blank)] {
        let old = sheet.lines[0].clone();
        let spine = old.spine().unwrap();
        // The joint nearest to the middle goes up, its handles with it.
        let k = (1..(spine.points.len() - 1) / 3).min_by(|&a, &b| {
            let off = |k: usize| (spine.points[3 * k].x - 200.0).abs();
            off(a).total_cmp(&off(b))
        });
        let k = 3 * k.unwrap();
        let mut points = spine.points.clone();
        points[k - 1..=k + 1].iter_mut().for_each(|p| *p = *p + pt(0.0, -40.0));
        let reshape = |points: Vec<Pt>| Command::from(MendStep::Reshape { line: old.id, ring: 0, points });
        let change = do_it(&sheet, &ink, &reshape(points.clone()));
        let after = change.apply(&sheet).unwrap();
        let new = path_of(line(&after, old.id));
        assert!(off(points[k], &new) < 0.05);
        let (seen, was) = (after.visible_ink(&ink), sheet.visible_ink(&ink));
        let from = points[k - 3].x.min(points[k].x) - 12.0;
        let to = points[k + 3].x.max(points[k].x) + 12.0;
        for y in 0..300 {
            for x in (0..400).filter(|&x| (x as f64) < from || x as f64 > to) {
                assert_eq!(seen.alpha.at(x, y), was.alpha.at(x, y), "nothing else at {x}, {y}");
            }
        }
        assert!(*seen.alpha.at(points[k].x as usize, points[k].y as usize) >= IS_INK);
        assert_eq!(change.undo(&after).unwrap(), sheet);
        let given = Given { lifted: &ink, scene: &Scene::of(&sheet, &ink), swatches: &[] };
        let bad = [vec![pt(1.0, 1.0); 4], points[..5].to_vec(), vec![], spine.points.clone(), vec![pt(1e7, 0.0); 4]];
        for points in bad {
            assert!(plan(&sheet, &reshape(points), &given).is_err());
        }
    }
}

/// How much the ink of lines differs from an area, px of width along its edge on average.
fn off_by(area: &Rings, lines: &[Line]) -> f64 {
    let ink = lines.iter().fold(Rings::new(), |all, l| united(&all, &area_of(l)).concat());
    let edge: f64 = area.iter().map(|r| (0..r.len()).map(|k| r[k].dist(r[(k + 1) % r.len()])).sum::<f64>()).sum();
    unlike(area, &ink) / edge.max(1e-9)
}

/// Random lines on a sheet, some of them lifted, some drawn over those.
fn any_drawing(strokes: &[(f64, f64, f64, f64, f64)]) -> (Sheet, Ink) {
    let bent = |&(x, y, dx, dy, w): &(f64, f64, f64, f64, f64)| {
        let (a, b, c) = (pt(x, y), pt(x + 0.6 * dx, y + 0.3 * dy), pt(x + dx, y + dy));
        let path = (0..=40).map(|k| f64::from(k) / 40.0).map(|t| a.lerp(b, t).lerp(b.lerp(c, t), t)).collect();
        (path, w)
    };
    let all: Vec<(Vec<Pt>, f64)> = strokes.iter().map(bent).collect();
    let (lifted, drawn) = all.split_at(all.len() / 2);
    let ink = inked(lifted);
    let mut sheet = traced(&ink);
    for (k, (path, w)) in drawn.iter().enumerate() {
        let form = if k % 4 == 3 { Form::Seam { spine: Spine::through(path, false) } } else { centreline(path, *w) };
        sheet.draw(Line::new(0, form, Made::Hand));
    }
    (sheet, ink)
}

fn stroke() -> impl Strategy<Value = (f64, f64, f64, f64, f64)> {
    let any = (20.0f64..380.0, 20.0f64..280.0, -160.0f64..160.0, -130.0f64..130.0, 2.0f64..10.0);
    any.prop_filter("a line has a length", |s| s.2.hypot(s.3) > 4.0)
}

fn any_step(sheet: &Sheet, (kind, n, x, y): (u8, usize, f64, f64)) -> Command {
    let pick = |n: usize| sheet.lines.get(n % sheet.lines.len().max(1));
    let id = |n: usize| pick(n).map_or(0, |l| l.id);
    let at = |n: usize| {
        let l = pick(n).unwrap();
        let path = l.spine().map_or_else(|| l.rings(0.5).concat(), |s| s.flatten(0.5));
        // What is smaller than it is followed has but a place.
        if path.is_empty() { l.bounds().min } else { path[(n * 7) % path.len()] }
    };
    if sheet.lines.is_empty() {
        let line = Line::new(0, centreline(&[pt(x, y), pt(200.0, 150.0), pt(y, x * 0.5)], 5.0), Made::Hand);
        return HoldStep::Paste { lines: vec![line], by: pt(1.0, -2.0) }.into();
    }
    let (a, b) = (at(n), pt(x, y));
    let way = between(a, b.lerp(a, 0.4));
    let pen = Pen { width: 2.0 + (n % 9) as f64, ..PEN };
    let lines = if n % 3 == 0 { vec![] } else { vec![id(n)] };
    match kind {
        0 | 1 => {
            let gives = [Gives::Both, Gives::Path, Gives::Width][n % 3];
            let mut path = way;
            if kind == 1 {
                path.extend(between(b.lerp(a, 0.4), at(n / 2)));
            }
            MendStep::Redraw { samples: samples(&path), pen, gives, lines }.into()
        }
        2 => MendStep::Calm { path: way, radius: 6.0 + (n % 20) as f64, strength: 1.0, lines }.into(),
        3 => {
            let strength = if n % 2 == 0 { 1.0 } else { -0.7 };
            MendStep::Press { path: way, radius: 6.0 + (n % 20) as f64, strength, lines }.into()
        }
        4 => MendStep::Bend { line: id(n), from: a, to: a.lerp(b, 0.2), reach: 10.0 + x / 4.0 }.into(),
        5..=7 => {
            let takes = [Takes::Exactly, Takes::Spans, Takes::Lines][n % 3];
            let takes = if kind == 5 { Takes::Exactly } else { takes };
            MendStep::Erase { samples: samples(&way), pen, takes, lines }.into()
        }
        8 => {
            let turn = 0.3 * (x / 400.0 - 0.5);
            let (s, c) = turn.sin_cos();
            let map = [c, -s, 0.04 * y - 5.0, s, c * (0.9 + y / 1500.0), 0.02 * x - 4.0];
            HoldStep::Move { lines: vec![id(n), id(n + 3)], map, weight: n % 2 == 0, copy: n % 5 == 0 }.into()
        }
        9 => {
            let lines = sheet.lines.iter().skip(n % sheet.lines.len()).take(2).map(|l| (**l).clone()).collect();
            HoldStep::Paste { lines, by: pt(0.02 * x, 0.03 * y) }.into()
        }
        10 => HoldStep::TakeAway { lines: vec![id(n)] }.into(),
        11 => {
            let to = [Level::Up, Level::Down, Level::Top, Level::Bottom][n % 4];
            HoldStep::Order { lines: vec![id(n), id(n + 1)], to }.into()
        }
        12 => HoldStep::Group { lines: vec![id(n), id(n + 2)], apart: n % 2 == 0 }.into(),
        13 => {
            let to = [Becomes::Outline, Becomes::Centreline { width: 3.0 }, Becomes::Seam][n % 3];
            HoldStep::Convert { lines: vec![id(n)], to }.into()
        }
        16 => {
            let maps =
                (1..=1 + n % 3).map(|k| [1.0, 0.0, 0.03 * x * k as f64, 0.0, 1.0, 0.02 * y * k as f64]).collect();
            HoldStep::Spread { lines: vec![id(n), id(n + 1)], maps }.into()
        }
        17 => HoldStep::Tidy { lines: vec![] }.into(),
        14 => HoldStep::EndAlong { line: id(n), at_end: n % 2 == 0, along: id(n + 1), gap: (n % 6) as f64 }.into(),
        _ => {
            let how = [Together::Fuse, Together::Subtract, Together::Intersect][n % 3];
            HoldStep::Combine { lines: vec![id(n), id(n + 1)], how }.into()
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: ProptestConfig::default().cases / 16, ..ProptestConfig::default() })]

    #[test]
    fn any_mending_is_undone_exactly_and_what_is_kept_up_is_what_is_made_anew(
        strokes in prop::collection::vec(stroke(), 4..9),
        picks in prop::collection::vec((0u8..19, 0usize..400, 10.0f64..390.0, 10.0f64..290.0), 12),
    ) {
        let (start, ink) = any_drawing(&strokes);
        let mut scene = Scene::of(&start, &ink);
        let mut states = vec![start];
        let mut changes = Vec::new();
        for pick in picks {
            let now = states.last().unwrap().clone();
            let command = any_step(&now, pick);
            let swatches = ["skin".to_owned()];
            let Ok(change) = plan(&now, &command, &Given { lifted: &ink, scene: &scene, swatches: &swatches }) else { continue };
            let after = change.apply(&now).unwrap();
            prop_assert!(after.lies_near());
            scene.advance(&now, &after, &ink);
            is_that_of(&scene, &after, &ink)?;
            let text = serde_json::to_string(&change).unwrap();
            prop_assert_eq!(&serde_json::from_str::<rhizograph_core::edit::Change>(&text).unwrap(), &change);
            changes.push(change);
            states.push(after);
        }
        let mut sheet = states.last().unwrap().clone();
        for (change, before) in changes.iter().zip(&states).rev() {
            let undone = change.undo(&sheet).unwrap();
            scene.advance(&sheet, &undone, &ink);
            sheet = undone;
            prop_assert_eq!(&sheet, before);
        }
        is_that_of(&scene, &sheet, &ink)?;
    }

    #[test]
    fn an_eraser_takes_all_within_and_nothing_without(
        strokes in prop::collection::vec(stroke(), 3..8),
        way in prop::collection::vec((40.0f64..360.0, 40.0f64..260.0), 1..4), width in 3.0f64..24.0,
    ) {
        let (sheet, ink) = any_drawing(&strokes);
        let path: Vec<Pt> = way.iter().map(|p| pt(p.0, p.1)).collect();
        let dense: Vec<Pt> = if path.len() == 1 { path.clone() } else { path.windows(2).flat_map(|w| between(w[0], w[1])).collect() };
        let pen = Pen { width, ..PEN };
        let step = MendStep::Erase { samples: samples(&dense), pen, takes: Takes::Exactly, lines: vec![] };
        let scene = Scene::of(&sheet, &ink);
        let Ok(change) = plan(&sheet, &step.into(), &Given { lifted: &ink, scene: &scene, swatches: &[] }) else { return Ok(()) };
        let after = change.apply(&sheet).unwrap();
        let seen = after.visible_ink(&ink);
        for y in 0..300 {
            for x in 0..400 {
                let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                let far = if path.len() == 1 { p.dist(path[0]) } else { off(p, &path) } - width / 2.0;
                let (is, was) = (*seen.alpha.at(x, y), *scene.ink.alpha.at(x, y));
                if far > 1.0 {
                    prop_assert!(is.abs_diff(was) < EDGE, "{} px outside at {}, {}: {} was {}", far, x, y, is, was);
                } else if far < -1.25 {
                    prop_assert!(is <= 16, "{} px inside at {}, {}: {}", -far, x, y, is);
                }
            }
        }
        prop_assert_eq!(change.undo(&after).unwrap(), sheet);
    }

    #[test]
    fn what_is_converted_keeps_its_area(stroke in stroke(), kind in 0u8..3) {
        let (x, y, dx, dy, w) = stroke;
        // A shorter one is mostly ends.
        prop_assume!(dx.hypot(dy) > 6.0 * w);
        let (a, b, c) = (pt(x, y), pt(x + 0.6 * dx, y + 0.3 * dy), pt(x + dx, y + dy));
        let path: Vec<Pt> = (0..=40).map(|k| f64::from(k) / 40.0).map(|t| a.lerp(b, t).lerp(b.lerp(c, t), t)).collect();
        let ends = [[End::Round; 2], [End::Flat; 2], [End::AlongCutter(pt(1.0, 0.4)), End::Round]][kind as usize];
        let form = Form::Centreline { spine: Spine::through(&path, false), width: vec![[0.0, w], [0.5, 1.6 * w], [1.0, w]], ends };
        let (sheet, ink) = drawn(vec![form]);
        let id = sheet.lines[0].id;
        let to = |sheet: &Sheet, to| do_it(sheet, &ink, &HoldStep::Convert { lines: vec![id], to }.into()).apply(sheet).unwrap();
        let outline = to(&sheet, Becomes::Outline);
        let was = area_of(&sheet.lines[0]);
        let off = off_by(&was, &[line(&outline, id).clone()]);
        prop_assert!(off < 0.1, "{} px off as an outline", off);
        if kind == 0 {
            let back = to(&outline, Becomes::Centreline { width: 1.0 });
            let lines: Vec<Line> = back.lines.iter().map(|l| (**l).clone()).collect();
            let off = off_by(&was, &lines);
            prop_assert!(lines.len() == 1 && off < 0.1, "{} lines, {} px off as centrelines", lines.len(), off);
        }
    }
}

#[test]
fn shapes_are_fused_subtracted_and_intersected() {
    let square = |x: f64| {
        let corners = [pt(x, 100.0), pt(x + 100.0, 100.0), pt(x + 100.0, 200.0), pt(x, 200.0), pt(x, 100.0)];
        Form::Outline { contours: vec![Spine::through(&corners, true)] }
    };
    let (sheet, ink) = drawn(vec![square(100.0), square(160.0)]);
    let ids: Vec<u64> = sheet.lines.iter().map(|l| l.id).collect();
    for (how, area, left) in
        [(Together::Fuse, 16000.0, ids[1]), (Together::Subtract, 6000.0, ids[0]), (Together::Intersect, 4000.0, ids[1])]
    {
        let change = do_it(&sheet, &ink, &HoldStep::Combine { lines: ids.clone(), how }.into());
        let after = change.apply(&sheet).unwrap();
        assert_eq!(after.lines.iter().map(|l| l.id).collect::<Vec<_>>(), [left]);
        let is = size(&area_of(&after.lines[0]));
        assert!((is - area).abs() < 1.0, "{how:?}: {is} of {area}");
        assert_eq!(change.undo(&after).unwrap(), sheet);
    }
    // Two strokes of ink are fused as drawn; what has nothing in common is told.
    let (sheet, ink) = drawn(vec![
        centreline(&[pt(50.0, 50.0), pt(150.0, 50.0)], 9.0),
        centreline(&[pt(100.0, 20.0), pt(100.0, 90.0)], 7.0),
        centreline(&[pt(300.0, 250.0), pt(350.0, 250.0)], 4.0),
    ]);
    let ids: Vec<u64> = sheet.lines.iter().map(|l| l.id).collect();
    let fused = do_it(&sheet, &ink, &HoldStep::Combine { lines: ids[..2].to_vec(), how: Together::Fuse }.into())
        .apply(&sheet)
        .unwrap();
    let seen = |s: &Sheet| s.visible_ink(&ink).alpha.data;
    for (was, is) in seen(&sheet).iter().zip(seen(&fused)) {
        assert!(was.abs_diff(is) < EDGE, "a pixel was {was} and is {is}");
    }
    let given = Given { lifted: &ink, scene: &Scene::of(&sheet, &ink), swatches: &[] };
    let apart = HoldStep::Combine { lines: vec![ids[0], ids[2]], how: Together::Intersect };
    assert!(plan(&sheet, &apart.into(), &given).is_err());
}

#[test]
fn a_line_ends_parallel_to_another_at_a_distance_and_stays_a_centreline() {
    // A leg that runs past the ground, one that ends before it.
    let ground = centreline(&[pt(20.0, 220.0), pt(380.0, 190.0)], 8.0);
    for tip in [260.0, 190.0] {
        let (sheet, ink) = drawn(vec![centreline(&[pt(150.0, 60.0), pt(170.0, tip)], 12.0), ground.clone()]);
        let ids: Vec<u64> = sheet.lines.iter().map(|l| l.id).collect();
        for gap in [0.0, 5.0] {
            let step = HoldStep::EndAlong { line: ids[0], at_end: true, along: ids[1], gap };
            let change = do_it(&sheet, &ink, &step.into());
            let after = change.apply(&sheet).unwrap();
            let leg = line(&after, ids[0]);
            assert!(matches!(leg.form, Form::Centreline { .. }));
            let edge = |p: Pt| off(p, &path_of(line(&after, ids[1]))) - 4.0;
            let rings = area_of(leg);
            let nearest = rings.iter().flatten().map(|p| edge(*p)).fold(f64::INFINITY, f64::min);
            assert!((nearest - gap).abs() < 0.3, "{nearest} of {gap} px");
            // Both corners of the cut lie as far off.
            let low: Vec<f64> = rings.iter().flatten().map(|p| edge(*p)).filter(|d| *d < gap + 0.4).collect();
            assert!(low.len() >= 2, "{low:?}");
            assert_eq!(change.undo(&after).unwrap(), sheet);
        }
    }
}

#[test]
fn lines_in_hand_are_moved_copied_put_in_order_and_grouped() {
    let strokes = [(between(pt(60.0, 60.0), pt(200.0, 60.0)), 6.0), (between(pt(130.0, 20.0), pt(130.0, 120.0)), 8.0)];
    let ink = inked(&strokes);
    let sheet = traced(&ink);
    let level = sheet.lines.iter().find(|l| l.bounds().max.x > 190.0).unwrap().id;
    let map = [1.5, 0.0, 30.0, 0.0, 1.5, 120.0];
    for weight in [false, true] {
        let step = HoldStep::Move { lines: vec![level], map, weight, copy: false };
        let change = do_it(&sheet, &ink, &step.into());
        let after = change.apply(&sheet).unwrap();
        let seen = after.visible_ink(&ink);
        let alone = inked(&strokes[1..]);
        for y in 0..140 {
            for x in 0..400 {
                let (is, was) = (*seen.alpha.at(x, y), *alone.alpha.at(x, y));
                assert!((is >= IS_INK) == (was >= IS_INK) || was.abs_diff(IS_INK) < 90, "at {x}, {y}: {is} of {was}");
            }
        }
        let column: u32 = (180..240).map(|y| u32::from(*seen.alpha.at(200, y))).sum();
        let want = if weight { 9.0 } else { 6.0 };
        assert!((f64::from(column) / 255.0 - want).abs() < 0.5, "{} px broad", f64::from(column) / 255.0);
        assert_eq!(change.undo(&after).unwrap(), sheet);
    }
    let copied = do_it(&sheet, &ink, &HoldStep::Move { lines: vec![level], map, weight: true, copy: true }.into());
    let copied = copied.apply(&sheet).unwrap();
    assert_eq!(copied.lines.len(), 3);
    assert_eq!(copied.erased.len(), sheet.erased.len() + 1);
    assert!(matches!(copied.erased.last().unwrap().it, Erasure::Piece { .. }));
    assert_eq!(line(&copied, level), line(&sheet, level));

    let (sheet, blank) =
        drawn((0..4).map(|k| centreline(&[pt(60.0, 100.0 + f64::from(k)), pt(300.0, 100.0)], 6.0)).collect());
    let ids = |s: &Sheet| s.lines.iter().map(|l| l.id).collect::<Vec<_>>();
    let was = ids(&sheet);
    for (to, want) in [
        (Level::Top, [0, 2, 3, 1]),
        (Level::Bottom, [1, 0, 2, 3]),
        (Level::Up, [0, 2, 1, 3]),
        (Level::Down, [1, 0, 2, 3]),
    ] {
        let step = HoldStep::Order { lines: vec![was[1]], to };
        let after = do_it(&sheet, &blank, &step.into()).apply(&sheet).unwrap();
        assert_eq!(ids(&after), want.map(|k: usize| was[k]), "{to:?}");
    }
    let group = |apart| HoldStep::Group { lines: was[..2].to_vec(), apart }.into();
    let grouped = do_it(&sheet, &blank, &group(false)).apply(&sheet).unwrap();
    assert!(grouped.lines[0].group.is_some() && grouped.lines[0].group == grouped.lines[1].group);
    assert!(do_it(&grouped, &blank, &group(true)).apply(&grouped).unwrap().lines.iter().all(|l| l.group.is_none()));
    let given = Given { lifted: &blank, scene: &Scene::of(&sheet, &blank), swatches: &[] };
    for bad in [[0.0, 0.0, 0.0, 0.0, 0.0, 0.0], [1.0, 0.0, 1e9, 0.0, 1.0, 0.0], [f64::NAN, 0.0, 0.0, 0.0, 1.0, 0.0]] {
        let step = HoldStep::Move { lines: was.clone(), map: bad, weight: true, copy: false };
        assert!(plan(&sheet, &step.into(), &given).is_err());
    }
    let broken = Line::new(0, Form::Seam { spine: Spine { points: vec![pt(1.0, 1.0); 3], closed: false } }, Made::Hand);
    assert!(plan(&sheet, &HoldStep::Paste { lines: vec![broken], by: pt(0.0, 0.0) }.into(), &given).is_err());
    assert!(unlike(&area_of(&sheet.lines[0]), &area_of(&sheet.lines[0])) < 1e-9);
}

/// The strokes with some tooth in them: what a drawn line has none of.
fn grainy(strokes: &[(Vec<Pt>, f64)]) -> Ink {
    let mut ink = inked(strokes);
    let mut random = Random(7);
    for a in ink.alpha.data.iter_mut().filter(|a| **a == 255) {
        *a = 255 - (40.0 * random.unit()) as u8;
    }
    ink
}

#[test]
fn lifted_ink_is_moved_with_its_own_pixels_and_however_often() {
    let level = (between(pt(60.0, 60.0), pt(200.0, 60.0)), 6.0);
    let across = (between(pt(130.0, 20.0), pt(130.0, 120.0)), 8.0);
    let ink = grainy(&[level.clone(), across]);
    let sheet = traced(&ink);
    let id = sheet.lines.iter().find(|l| l.bounds().max.x > 190.0).unwrap().id;
    let step = |sheet: &Sheet, map, weight, copy| -> Sheet {
        let change = do_it(sheet, &ink, &HoldStep::Move { lines: vec![id], map, weight, copy }.into());
        let after = change.apply(sheet).unwrap();
        assert_eq!(change.undo(&after).unwrap(), *sheet);
        let scene = Scene::of(&after, &ink);
        is_that_of(&scene, &after, &ink).unwrap();
        after
    };
    let by = |x: f64, y: f64| [1.0, 0.0, x, 0.0, 1.0, y];
    let moved = step(&sheet, by(40.0, 130.0), false, false);
    let seen = moved.visible_ink(&ink);
    // Away from what crossed it every pixel is the one that was lifted.
    for (y, x) in (54..67).flat_map(|y| (56..206).map(move |x| (y, x))).filter(|(_, x)| !(122..140).contains(x)) {
        assert_eq!(seen.alpha.at(x + 40, y + 130), ink.alpha.at(x, y), "at {x}, {y}");
        assert!(*seen.alpha.at(x, y) < 8, "{} is left at {x}, {y}", seen.alpha.at(x, y));
    }
    // Where it was crossed it is whole, and so is what crossed it.
    assert!((58..63).all(|y| (122..140).all(|x| *seen.alpha.at(x + 40, y + 130) > 200)));
    assert!((25..115).all(|y| (128..132).all(|x| *seen.alpha.at(x, y) > 200)));
    assert_eq!(line(&moved, id).made, Made::Edited);
    // By steps and turned to and fro it is the one that was lifted, resampled once.
    let turn = |a: f64| [a.cos(), -a.sin(), 0.0, a.sin(), a.cos(), 0.0];
    let mut twice = step(&step(&sheet, by(10.0, 100.0), false, false), by(30.0, 30.0), true, false);
    assert_eq!(twice.visible_ink(&ink).alpha, seen.alpha);
    assert_eq!(twice.erased.len(), moved.erased.len());
    for angle in [0.2, 0.3, -0.5] {
        twice = step(&twice, turn(angle), false, false);
    }
    let off = twice.visible_ink(&ink).alpha.data.iter().zip(&seen.alpha.data).map(|(a, b)| a.abs_diff(*b)).max();
    assert!(off.unwrap() <= 1, "{off:?} off");
    // A copy leaves what it was lifted from.
    let copied = step(&sheet, by(0.0, 150.0), false, true);
    let seen = copied.visible_ink(&ink);
    assert!((20..120).all(|y| (0..400).all(|x| seen.alpha.at(x, y) == ink.alpha.at(x, y))));
    assert_eq!(seen.alpha.at(80, 210), ink.alpha.at(80, 60));
    assert_eq!(copied.lines.len(), sheet.lines.len() + 1);
    // Scaled with its weight it is as much broader; without, it is its curves of the old weight.
    for (weight, made) in [(true, Made::Edited), (false, Made::Hand)] {
        let scaled = step(&sheet, [2.0, 0.0, -60.0, 0.0, 2.0, 90.0], weight, false);
        assert_eq!(line(&scaled, id).made, made);
    }
}

#[test]
fn ink_in_its_own_colour_takes_it_along() {
    let level = (between(pt(60.0, 60.0), pt(200.0, 60.0)), 6.0);
    let plain = inked(&[level]);
    let mut colours = plain.alpha.map(|_| [250u8, 250, 240]);
    colours.data.iter_mut().zip(&plain.alpha.data).filter(|(_, a)| **a > 0).for_each(|(c, _)| *c = [180, 20, 40]);
    let ink = Ink { drawn: Some(std::sync::Arc::new(colours)), ..plain };
    let sheet = traced(&ink);
    let id = sheet.lines[0].id;
    let map = [0.0, -1.0, 300.0, 1.0, 0.0, 20.0];
    let change = do_it(&sheet, &ink, &HoldStep::Move { lines: vec![id], map, weight: true, copy: false }.into());
    let after = change.apply(&sheet).unwrap();
    let scene = Scene::of(&after, &ink);
    let composed = after.composed(&scene.ink, &ink, &|_| None, (0, 0, 400, 300));
    // A quarter turn: what lay at 100, 60 lies at 240, 120.
    assert!(*composed.alpha.at(240, 120) > 240);
    assert_eq!(composed.colour_at(240, 120), [180, 20, 40]);
}

#[test]
fn copies_lie_where_their_maps_lead_them() {
    let level = (between(pt(60.0, 40.0), pt(120.0, 40.0)), 6.0);
    let ink = grainy(&[level]);
    let mut sheet = traced(&ink);
    sheet.draw(Line::new(0, centreline(&[pt(60.0, 60.0), pt(120.0, 60.0)], 4.0), Made::Hand));
    let lines: Vec<u64> = sheet.lines.iter().map(|l| l.id).collect();
    let by = |x: f64, y: f64| [1.0, 0.0, x, 0.0, 1.0, y];
    let maps = vec![by(100.0, 30.0), by(200.0, 60.0), [0.0, -1.0, 200.0, 1.0, 0.0, 100.0]];
    let change = do_it(&sheet, &ink, &HoldStep::Spread { lines, maps }.into());
    let after = change.apply(&sheet).unwrap();
    assert_eq!((after.lines.len(), change.label.as_str()), (8, "made 3 copies"));
    let (was, seen) = (sheet.visible_ink(&ink).alpha, after.visible_ink(&ink).alpha);
    for (x, y) in (50..130).flat_map(|x| (30..70).map(move |y| (x, y))) {
        assert_eq!(was.at(x, y), seen.at(x, y));
        assert!(seen.at(x + 100, y + 30).abs_diff(*was.at(x, y)) <= 1);
        assert!(seen.at(x + 200, y + 60).abs_diff(*was.at(x, y)) <= 1);
        assert!(seen.at(200 - 1 - y, x + 100).abs_diff(*was.at(x, y)) <= 2, "turned, {x}, {y}");
    }
    is_that_of(&Scene::of(&after, &ink), &after, &ink).unwrap();
    assert_eq!(change.undo(&after).unwrap(), sheet);
    let given = Given { lifted: &ink, scene: &Scene::of(&sheet, &ink), swatches: &[] };
    for maps in [vec![], vec![by(1.0, 0.0); 501], vec![by(1e9, 0.0)]] {
        assert!(plan(&sheet, &HoldStep::Spread { lines: vec![sheet.lines[0].id], maps }.into(), &given).is_err());
    }
}

#[test]
fn what_was_left_at_a_line_stays_left_when_that_is_redrawn_bent_or_moved() {
    // A ring whose end stops short of its beginning, left open knowingly.
    let ink = inked(&[(ring(pt(200.0, 150.0), 100.0, 90.0, 0.25, TAU - 0.05), 6.0)]);
    let sheet = traced(&ink);
    let id = sheet.lines[0].id;
    let open = |s: &Sheet| {
        let scene = Scene::of(s, &ink);
        let found = scene.findings.iter().filter(|f| f.path.len() + f.to.iter().len() > 0);
        found.filter(|f| !f.left).map(|f| f.id.clone()).collect::<Vec<_>>()
    };
    let ids = open(&sheet);
    assert!(!ids.is_empty());
    let left = do_it(&sheet, &ink, &FindingsStep::Leave { ids }.into()).apply(&sheet).unwrap();
    assert!(open(&left).is_empty() && !left.settled.is_empty());
    // The end at which that is kept is redrawn farther away than a decision holds; the whole is moved; and both.
    let at = left.settled[0].at;
    let points = &line(&left, id).spine().unwrap().points;
    let end = if points[0].dist(at) < points[points.len() - 1].dist(at) { points[0] } else { points[points.len() - 1] };
    let back = line(&left, id).spine().unwrap().flatten(0.5);
    let before = back.iter().filter(|p| (40.0..60.0).contains(&p.dist(end)));
    let on = *before.min_by(|a, b| a.dist(end).total_cmp(&b.dist(end))).unwrap();
    let far = end + pt(11.0, 0.0);
    let redrawn = do_it(&left, &ink, &redraw(&between(on, far), PEN, Gives::Path)).apply(&left).unwrap();
    let map = [1.0, 0.0, 30.0, 0.0, 1.0, -20.0];
    let moved = |s: &Sheet| {
        let step = HoldStep::Move { lines: vec![id], map, weight: true, copy: false };
        do_it(s, &ink, &step.into()).apply(s).unwrap()
    };
    for (name, after) in [("redrawn", redrawn.clone()), ("moved", moved(&left)), ("both", moved(&redrawn))] {
        assert_ne!(after.settled, left.settled, "{name}");
        let scene = Scene::of(&after, &ink);
        let of_end: Vec<_> =
            scene.findings.iter().filter(|f| f.kind == Kind::LooseEnd || f.kind == Kind::Gap).collect();
        assert!(of_end.iter().any(|f| f.left), "{name}: {of_end:?}");
    }
}

fn disc(at: Pt, r: f64) -> Form {
    let points: Vec<Pt> = (0..=96).map(|k| TAU * f64::from(k) / 96.0).map(|a| at + pt(a.cos(), a.sin()) * r).collect();
    Form::Outline { contours: vec![Spine::through(&points, true)] }
}

/// How unlike two sheets look, at most: of a pixel's coverage, and of its colour as it lies on white.
fn looks_off(a: &Sheet, b: &Sheet, ink: &Ink) -> u8 {
    let palette = |l: &Line| l.swatch.as_deref().map(|s| if s == "skin" { [200, 120, 40] } else { [20, 90, 160] });
    let seen = |s: &Sheet| s.composed(&Scene::of(s, ink).ink, ink, &palette, (0, 0, 400, 300));
    let (a, b) = (seen(a), seen(b));
    let on_white = |i: &Ink, x, y| {
        let cover = u32::from(*i.alpha.at(x, y));
        i.colour_at(x, y).map(|c| ((u32::from(c) * cover + 255 * (255 - cover)) / 255) as u8)
    };
    let places = (0..400).flat_map(|x| (0..300).map(move |y| (x, y)));
    let off = |(x, y)| {
        let (p, q): ([u8; 3], [u8; 3]) = (on_white(&a, x, y), on_white(&b, x, y));
        p.iter().zip(q).map(|(p, q)| p.abs_diff(q)).max().unwrap()
    };
    let worst = places.max_by_key(|at| off(*at)).unwrap();
    if off(worst) > 2 {
        println!("{} off at {worst:?}", off(worst));
    }
    off(worst)
}

#[test]
fn tidying_makes_one_of_what_is_one_takes_what_is_hidden_and_the_picture_stays() {
    let blank = inked(&[]);
    let mut sheet = Sheet::new(400, 300, 300.0);
    let mut put = |form, swatch: &str, opacity| {
        sheet.draw(Line { swatch: Some(swatch.into()), opacity, ..Line::new(0, form, Made::Hand) });
        sheet.lines.last().unwrap().id
    };
    // Two that are one, one that is hidden, one that is half hidden, one that is see-through, a line that is hidden.
    let far = put(disc(pt(330.0, 230.0), 30.0), "skin", 1.0);
    let first = put(disc(pt(100.0, 100.0), 50.0), "skin", 1.0);
    let hidden = put(disc(pt(132.0, 110.0), 12.0), "shell", 1.0);
    let half = put(disc(pt(190.0, 110.0), 40.0), "shell", 1.0);
    let under = put(centreline(&[pt(125.0, 80.0), pt(140.0, 84.0)], 5.0), "shell", 1.0);
    let through = put(disc(pt(100.0, 160.0), 30.0), "skin", 0.5);
    let top = put(disc(pt(150.0, 105.0), 45.0), "skin", 1.0);
    let tidy = |s: &Sheet, lines: Vec<u64>| {
        let scene = Scene::of(s, &blank);
        plan(s, &HoldStep::Tidy { lines }.into(), &Given { lifted: &blank, scene: &scene, swatches: &[] })
    };
    let change = tidy(&sheet, vec![]).unwrap();
    let after = change.apply(&sheet).unwrap();
    let ids: Vec<u64> = after.lines.iter().map(|l| l.id).collect();
    // Those in between would show if the first one went up to the top: they stay apart.
    assert_eq!(ids, [far, first, half, through, top], "{}", change.label);
    assert!(!ids.contains(&hidden) && !ids.contains(&under));
    assert_eq!(change.label, "tidied: 1 cut, 2 hidden taken away");
    assert!(looks_off(&sheet, &after, &blank) <= 2, "{} off", looks_off(&sheet, &after, &blank));
    let area = |s: &Sheet, id| area_of(line(s, id)).iter().map(|r| size(std::slice::from_ref(r))).sum::<f64>();
    assert!(area(&after, half) < 0.75 * area(&sheet, half));
    assert_eq!(change.undo(&after).unwrap(), sheet);
    // Nothing is left to do; and of the far one alone nothing is.
    assert!(tidy(&after, vec![]).is_err());
    assert!(tidy(&sheet, vec![far]).is_err());
    // Without what lay between them the two are one, in the place of the upper one.
    let mut two = sheet.clone();
    two.lines.retain(|l| [far, first, top].contains(&l.id));
    let one = tidy(&two, vec![]).unwrap().apply(&two).unwrap();
    assert_eq!(one.lines.iter().map(|l| l.id).collect::<Vec<_>>(), [far, top]);
    let whole = size(&united(&area_of(line(&two, first)), &area_of(line(&two, top))).concat());
    assert!((area(&one, top) - whole).abs() < 2.0);
    assert!(looks_off(&two, &one, &blank) <= EDGE);
}

#[test]
fn a_seam_with_the_same_paint_on_both_sides_goes_when_it_is_tidied() {
    let ink = inked(&[(ring(pt(200.0, 150.0), 120.0, 90.0, 0.0, TAU), 6.0)]);
    let mut sheet = traced(&ink);
    let seam = |x: f64| Form::Seam { spine: Spine::through(&[pt(x, 40.0), pt(x, 260.0)], false) };
    for x in [150.0, 250.0] {
        sheet.draw(Line::new(0, seam(x), Made::Hand));
    }
    let ids: Vec<u64> = sheet.lines.iter().filter(|l| l.is_seam()).map(|l| l.id).collect();
    for (at, swatch) in [(pt(120.0, 150.0), "skin"), (pt(200.0, 150.0), "skin"), (pt(280.0, 150.0), "shell")] {
        sheet.drop_paint(rhizograph_core::model::paint::Drop::by_hand(at, swatch));
    }
    let scene = Scene::of(&sheet, &ink);
    assert_eq!(scene.regions.len(), 3);
    let given = Given { lifted: &ink, scene: &scene, swatches: &[] };
    let change = plan(&sheet, &HoldStep::Tidy { lines: vec![] }.into(), &given).unwrap();
    let after = change.apply(&sheet).unwrap();
    assert_eq!(change.label, "tidied: 1 idle seams");
    assert!(after.lines.iter().all(|l| l.id != ids[0]) && after.lines.iter().any(|l| l.id == ids[1]));
    let now = Scene::of(&after, &ink);
    assert_eq!(now.regions.len(), 2);
    assert_eq!(now.fill(now.regions.at(pt(150.0, 150.0)).unwrap().id), Some("skin"));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: (ProptestConfig::default().cases / 128).max(2), ..ProptestConfig::default() })]

    #[test]
    fn two_hundred_edits_undo_to_the_start(
        strokes in prop::collection::vec(stroke(), 6..10),
        picks in prop::collection::vec((0u8..19, 0usize..400, 10.0f64..390.0, 10.0f64..290.0), 200),
    ) {
        let (start, ink) = any_drawing(&strokes);
        let mut scene = Scene::of(&start, &ink);
        let (mut sheet, mut done) = (start.clone(), Vec::new());
        for (k, pick) in picks.into_iter().enumerate() {
            let command = any_step(&sheet, pick);
            let swatches = ["skin".to_owned()];
            let Ok(change) = plan(&sheet, &command, &Given { lifted: &ink, scene: &scene, swatches: &swatches }) else { continue };
            let after = change.apply(&sheet).unwrap();
            scene.advance(&sheet, &after, &ink);
            // Making all anew takes far longer than the edit: at each tenth.
            if k % 10 == 9 {
                is_that_of(&scene, &after, &ink)?;
            }
            done.push((change, sheet));
            sheet = after;
        }
        prop_assert!(done.len() > 100, "only {} edits were possible", done.len());
        for (change, before) in done.iter().rev() {
            let undone = change.undo(&sheet).unwrap();
            scene.advance(&sheet, &undone, &ink);
            sheet = undone;
            prop_assert_eq!(&sheet, before);
        }
        prop_assert_eq!(&sheet, &start);
        is_that_of(&scene, &sheet, &ink)?;
    }
}
