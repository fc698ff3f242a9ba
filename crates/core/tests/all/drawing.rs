//! Ink by hand: what is drawn is what stays, steadied without harm to ends and corners.

use crate::support;

use proptest::prelude::*;
use rhizograph_core::draw::{Follows, Inked, Pen, Sample, Shape, ink, shaped};
use rhizograph_core::edit::{Command, DrawStep, Given, TraceStep, plan};
use rhizograph_core::geom::{Pt, nearest_on_segment, polyline_len, pt};
use rhizograph_core::model::line::{Form, Line, Made};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::scene::Scene;
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;
use support::{Random, inked, traced};

const PEN: Pen = Pen { width: 6.0, steadying: 0.0, follows: Follows::Steady, tilt: 0.0, grain: 1.0 };

fn at(s: &Sample) -> Pt {
    pt(s.0, s.1)
}

/// How far a place lies from a path.
fn off(p: Pt, path: &[Pt]) -> f64 {
    path.windows(2).map(|w| p.dist(w[0].lerp(w[1], nearest_on_segment(p, w[0], w[1])))).fold(p.dist(path[0]), f64::min)
}

/// A hand's stroke along a path: 240 samples a second, slower at its ends, with a tremor, pressed harder in the middle.
fn hand(path: impl Fn(f64) -> Pt, seconds: f64, tremor: f64, random: &mut Random) -> Vec<Sample> {
    let n = (240.0 * seconds) as usize;
    let mut shake = pt(0.0, 0.0);
    (0..=n)
        .map(|k| {
            let t = k as f64 / n as f64;
            let eased = t * t * (3.0 - 2.0 * t);
            shake = shake * 0.7 + pt(random.unit() - 0.5, random.unit() - 0.5) * tremor;
            let p = path(eased) + if k == 0 || k == n { pt(0.0, 0.0) } else { shake };
            let pressure = (std::f64::consts::PI * t).sin().powf(0.4).clamp(0.02, 1.0);
            Sample(p.x, p.y, Some(pressure), Some([25.0 * t, 10.0]), Some(1000.0 * seconds * t))
        })
        .collect()
}

fn arc(t: f64) -> Pt {
    pt(200.0, 160.0) + pt((3.0 * t - 2.5).cos(), (3.0 * t - 2.5).sin()) * 120.0
}

fn corner(t: f64) -> Pt {
    let (a, b, c) = (pt(60.0, 220.0), pt(180.0, 70.0), pt(330.0, 230.0));
    if t < 0.5 { a.lerp(b, 2.0 * t) } else { b.lerp(c, 2.0 * t - 1.0) }
}

fn spine_of(form: &Form) -> (Vec<Pt>, usize, Vec<[f64; 2]>) {
    let Form::Centreline { spine, width, .. } = form else { panic!("no centreline") };
    (spine.flatten(0.02), (spine.points.len() - 1) / 3, width.clone())
}

proptest! {
    #[test]
    fn without_steadying_the_line_is_what_was_drawn(
        bends in prop::collection::vec((20.0f64..380.0, 20.0f64..280.0), 3..8), seed in 0u64..1000, width in 1.0f64..12.0,
    ) {
        let through = rhizograph_core::geom::spine::Spine::through(&bends.iter().map(|b| pt(b.0, b.1)).collect::<Vec<_>>(), false);
        // Round bends: the path runs through the middles of its straight runs.
        let corners = through.flatten(0.5);
        let round: Vec<Pt> = corners.windows(3).flat_map(|w| {
            (0..20).map(|k| {
                let t = f64::from(k) / 20.0;
                w[0].lerp(w[1], 0.5 + 0.5 * t).lerp(w[1].lerp(w[2], 0.5 * t), t)
            })
        }).collect();
        let pick = |t: f64| round[((t * (round.len() - 1) as f64) as usize).min(round.len() - 1)];
        let samples = hand(pick, 1.0, 0.0, &mut Random(seed));
        let drawn: Vec<Pt> = samples.iter().map(at).collect();
        let (way, pieces, _) = spine_of(&ink(&samples, &Pen { width, ..PEN }).unwrap());
        prop_assert!(way.iter().all(|p| off(*p, &drawn) < 0.25), "the line lies on what was drawn");
        let far = drawn.iter().map(|p| off(*p, &way)).fold(0.0, f64::max);
        prop_assert!(far < 0.25 + 1.0 / 256.0, "all that was drawn lies on the line, but for {far}");
        let bent = corners.len();
        prop_assert!(pieces as f64 <= polyline_len(&drawn) / 12.0 + 2.0 * bent as f64 + 1.0, "{pieces} pieces");
    }

    #[test]
    fn whatever_a_device_tells_gives_a_line_or_a_reason(
        samples in prop::collection::vec((
            prop_oneof![-50.0f64..450.0, Just(f64::NAN), Just(1e300), Just(3.0)],
            -50.0f64..350.0,
            prop::option::of(prop_oneof![0.0f64..1.0, Just(f64::NAN), Just(7.0)]),
            prop::option::of(-90.0f64..90.0),
            prop::option::of(prop_oneof![0.0f64..500.0, Just(-1e18)]),
        ), 0..60),
        width in prop_oneof![0.5f64..40.0, Just(f64::NAN), Just(1e9)],
        steadying in -0.1f64..1.1, least in 0.0f64..1.0, bend in 0.2f64..5.0, follows in 0u8..3, grain in 0.01f64..20.0,
    ) {
        let samples: Vec<Sample> =
            samples.into_iter().map(|(x, y, p, t, ms)| Sample(x, y, p, t.map(|t| [t, -t]), ms)).collect();
        let follows = [Follows::Pressure { least, bend }, Follows::Speed { least }, Follows::Steady][follows as usize];
        let pen = Pen { width, steadying, follows, tilt: 0.5, grain };
        let step = DrawStep::Ink { samples: samples.clone(), pen, swatch: None, under: false, fuse: false };
        let sheet = Sheet::new(400, 300, 300.0);
        let blank = inked(&[]);
        let scene = Scene::of(&sheet, &blank);
        if let Ok(change) = plan(&sheet, &Command::Draw(step), &Given { lifted: &blank, scene: &scene, swatches: &[] }) {
            let after = change.apply(&sheet).unwrap();
            let (way, _, widths) = spine_of(&after.lines[0].form);
            prop_assert!(way.iter().all(|p| p.x.is_finite() && p.y.is_finite()));
            prop_assert!(widths.iter().all(|w| w[1].is_finite() && w[1] > 0.0 && w[1] <= 1.5 * width + 0.125));
            prop_assert!(after.lies_near());
            prop_assert_eq!(change.undo(&after).unwrap(), sheet);
        }
    }
}

#[test]
fn steadying_calms_a_tremor_and_keeps_ends_and_corners() {
    for seed in 0..20 {
        let random = &mut Random(seed);
        for (path, name) in [(arc as fn(f64) -> Pt, "arc"), (corner, "corner")] {
            let meant: Vec<Pt> = (0..=400).map(|k| path(f64::from(k) / 400.0)).collect();
            let samples = hand(path, 2.0, 2.4, random);
            let mean = |pen: Pen| {
                let (way, _, _) = spine_of(&ink(&samples, &pen).unwrap());
                let ends = [way[0].dist(at(&samples[0])), way[way.len() - 1].dist(at(&samples[samples.len() - 1]))];
                assert!(ends.iter().all(|d| *d < 0.01), "{name}: ends {ends:?}");
                if name == "corner" {
                    assert!(off(pt(180.0, 70.0), &way) < 3.0, "the corner is {} off", off(pt(180.0, 70.0), &way));
                }
                let off: Vec<f64> = way.iter().map(|p| off(*p, &meant)).collect();
                off.iter().sum::<f64>() / off.len() as f64
            };
            let (raw, calm) = (mean(PEN), mean(Pen { steadying: 1.0, ..PEN }));
            assert!(calm < 0.55 * raw, "{name}: {raw} px off, {calm} when steadied");
            assert!(calm < 0.5, "{name}: {calm} px off");
        }
    }
}

#[test]
fn the_width_follows_what_it_is_told_to() {
    let samples = hand(arc, 1.0, 0.0, &mut Random(3));
    let widths = |follows, tilt| {
        let shaped = shaped(&samples, &Pen { follows, tilt, ..PEN }).unwrap();
        shaped.points.iter().map(|p| p[2]).collect::<Vec<f64>>()
    };
    let most = |list: &[f64]| list.iter().copied().fold(0.0, f64::max);
    let steady = widths(Follows::Steady, 0.0);
    assert!(steady.iter().all(|w| (w - 6.0).abs() < 1e-9));
    let pressed = widths(Follows::Pressure { least: 0.1, bend: 1.0 }, 0.0);
    assert!(
        pressed[0] < 3.0 && pressed[pressed.len() - 1] < 3.0 && (5.8..=6.0).contains(&most(&pressed)),
        "{pressed:?}"
    );
    let softer = widths(Follows::Pressure { least: 0.1, bend: 3.0 }, 0.0);
    assert!(softer[20] < pressed[20], "bent the other way it takes more pressure");
    let quick = widths(Follows::Speed { least: 0.2 }, 0.0);
    let middle = quick[quick.len() / 2];
    assert!(middle < quick[0] && middle < quick[quick.len() - 1], "the quicker the thinner");
    let leaning = widths(Follows::Steady, 1.0);
    assert!(leaning[0] < leaning[leaning.len() - 1], "broader where it lies flatter");
}

#[test]
fn a_still_pen_leaves_a_dot_and_too_many_samples_are_refused() {
    let dot = ink(&[Sample(50.0, 40.0, Some(0.5), None, None)], &PEN).unwrap();
    let line = Line::new(1, dot, Made::Hand);
    let drawn = Scene::ink_of_lines(&[std::sync::Arc::new(line)], 100, 80, [0; 3]);
    let area: f64 = drawn.alpha.data.iter().map(|a| f64::from(*a) / 255.0).sum();
    assert!((area - TAU / 2.0 * 9.0).abs() < 3.0, "{area}");
    let many: Vec<Sample> = (0..100_000).map(|k| Sample(f64::from(k) * 0.01, 9.0, None, None, None)).collect();
    assert!(ink(&many, &PEN).unwrap_err().to_string().contains("20000 samples"));
    // A minute of a quick device, all in one stroke.
    let minute = hand(arc, 60.0, 1.0, &mut Random(1));
    assert!(ink(&minute, &Pen { steadying: 1.0, ..PEN }).is_ok());
}

#[test]
fn new_ink_joins_what_it_meets_and_lies_over_or_under_it() {
    let ink = inked(&[(support::ring(pt(200.0, 150.0), 80.0, 80.0, 0.0, TAU), 8.0)]);
    let sheet = traced(&ink);
    let scene = Scene::of(&sheet, &ink);
    assert_eq!(scene.regions.iter().filter(|r| r.area > 100).count(), 1, "the ring's inside");
    let samples: Vec<Sample> =
        (0..=160).map(|k| Sample(110.0 + 1.125 * f64::from(k), 150.0, None, None, None)).collect();
    let mut places = Vec::new();
    for under in [false, true] {
        let step =
            DrawStep::Ink { samples: samples.clone(), pen: PEN, swatch: Some("skin".into()), under, fuse: false };
        let swatches = ["skin".to_owned()];
        let change = plan(&sheet, &step.into(), &Given { lifted: &ink, scene: &scene, swatches: &swatches }).unwrap();
        let after = change.apply(&sheet).unwrap();
        let mut now = scene.clone();
        now.advance(&sheet, &after, &ink);
        assert_eq!(now.regions.iter().filter(|r| r.area > 100).count(), 2, "it parts the room");
        places.push(after.lines.iter().position(|l| l.made == Made::Hand).unwrap());
    }
    assert_eq!(places, [sheet.lines.len(), 0]);
    let unknown = DrawStep::Ink { samples, pen: PEN, swatch: Some("gone".into()), under: false, fuse: false };
    assert!(plan(&sheet, &unknown.into(), &Given { lifted: &ink, scene: &scene, swatches: &[] }).is_err());
}

/// What the page is held to: strokes, and how they are shown.
#[derive(Serialize, Deserialize)]
struct Shown {
    samples: Vec<Sample>,
    pen: Pen,
    points: Vec<[f64; 3]>,
}

/// `UPDATE_STROKES=1` writes what the page's tests read.
#[test]
fn the_page_is_held_to_the_same_strokes() {
    let random = &mut Random(11);
    let mut all = Vec::new();
    let follows = [Follows::Pressure { least: 0.15, bend: 1.6 }, Follows::Speed { least: 0.4 }, Follows::Steady];
    for (k, path) in [arc, corner, arc].into_iter().enumerate() {
        let samples = hand(path, 0.5, 1.5, random);
        let grid = |v: f64| (v * 1000.0).round() / 1000.0;
        let samples: Vec<Sample> = samples
            .iter()
            .map(|s| Sample(grid(s.0), grid(s.1), s.2.map(grid), s.3.map(|t| t.map(grid)), s.4.map(grid)))
            .collect();
        let pen = Pen { width: 5.0, steadying: 0.3 * k as f64, follows: follows[k], tilt: 0.4, grain: 0.8 };
        all.push((samples, pen));
    }
    all.push((vec![Sample(9.0, 9.0, None, None, None)], PEN));
    all.push((vec![Sample(9.0, 9.0, None, None, None), Sample(60.0, 30.0, None, None, None)], PEN));
    let now: Vec<Shown> = all
        .into_iter()
        .map(|(samples, pen)| Shown { points: shaped(&samples, &pen).unwrap().points, samples, pen })
        .collect();
    let file = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web/tests/strokes.json");
    if std::env::var_os("UPDATE_STROKES").is_some() {
        std::fs::write(&file, serde_json::to_string(&now).unwrap() + "\n").unwrap();
    }
    let written: Vec<Shown> = serde_json::from_slice(&std::fs::read(&file).unwrap()).unwrap();
    assert_eq!(written.len(), now.len());
    for (was, is) in written.iter().zip(&now) {
        assert_eq!((&was.samples, was.pen), (&is.samples, is.pen));
        let near = |(a, b): (&[f64; 3], &[f64; 3])| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-6);
        assert!(was.points.len() == is.points.len() && was.points.iter().zip(&is.points).all(near));
    }
}

#[test]
fn what_was_drawn_under_the_lifted_ink_stays_under_it_when_it_is_traced_again() {
    let ink = inked(&[(support::ring(pt(200.0, 150.0), 80.0, 80.0, 0.0, TAU), 8.0)]);
    let mut sheet = traced(&ink);
    for (y, under) in [(100.0, true), (200.0, false)] {
        let samples = vec![Sample(20.0, y, None, None, None), Sample(380.0, y, None, None, None)];
        let step = DrawStep::Ink { samples, pen: PEN, swatch: None, under, fuse: false };
        let scene = Scene::of(&sheet, &ink);
        let given = Given { lifted: &ink, scene: &scene, swatches: &[] };
        sheet = plan(&sheet, &step.into(), &given).unwrap().apply(&sheet).unwrap();
    }
    for afresh in [false, true, false] {
        let scene = Scene::of(&sheet, &ink);
        let given = Given { lifted: &ink, scene: &scene, swatches: &[] };
        let again = TraceStep::Trace { afresh }.into();
        sheet = plan(&sheet, &again, &given).unwrap().apply(&sheet).unwrap();
        let made: Vec<Made> = sheet.lines.iter().map(|l| l.made).collect();
        assert_eq!((made[0], made[made.len() - 1]), (Made::Hand, Made::Hand), "{made:?}");
        assert!(made.len() > 2 && made[1..made.len() - 1].iter().all(|m| *m == Made::Traced), "{made:?}");
    }
}

#[test]
fn shapes_hold_what_lies_within_and_refuse_to_be_nothing() {
    let blank = inked(&[]);
    let sheet = Sheet::new(400, 300, 300.0);
    let scene = Scene::of(&sheet, &blank);
    let swatches = ["skin".to_owned()];
    let given = Given { lifted: &blank, scene: &scene, swatches: &swatches };
    let step = |shape, from, to, inked, under| DrawStep::Shape {
        shape,
        from,
        to,
        width: 4.0,
        inked,
        swatch: Some("skin".into()),
        under,
    };
    for (shape, share) in [(Shape::Rectangle, 1.0), (Shape::Ellipse, TAU / 8.0)] {
        for (inked, kinds) in [(Inked::Line, 1), (Inked::Filled, 1), (Inked::Both, 2)] {
            for under in [false, true] {
                // From whichever corner to the other.
                let command = step(shape, pt(300.0, 60.0), pt(80.0, 220.0), inked, under).into();
                let after = plan(&sheet, &command, &given).unwrap().apply(&sheet).unwrap();
                assert_eq!(after.lines.len(), kinds);
                let now = Scene::of(&after, &blank);
                let area: f64 = now.ink.alpha.data.iter().map(|a| f64::from(*a) / 255.0).sum();
                if inked == Inked::Line {
                    let room = now.regions.at(pt(190.0, 140.0)).unwrap();
                    let want = share * 216.0 * 156.0;
                    assert!((room.area as f64 - want).abs() < 0.02 * want, "{shape:?}: {} of {want}", room.area);
                } else {
                    let grown = if inked == Inked::Both { 4.0 } else { 0.0 };
                    let want = share * (220.0 + grown) * (160.0 + grown);
                    assert!((area - want).abs() < 0.01 * want, "{shape:?} {inked:?}: {area} of {want}");
                }
                if kinds == 2 {
                    assert!(matches!(after.lines[0].form, Form::Outline { .. }), "filled beneath its line");
                    assert!(after.lines[0].group.is_some() && after.lines[0].group == after.lines[1].group);
                }
            }
        }
    }
    let line = step(Shape::Line, pt(20.0, 20.0), pt(120.0, 20.0), Inked::Filled, false);
    assert!(plan(&sheet, &line.into(), &given).is_ok());
    for (shape, to) in
        [(Shape::Line, pt(20.2, 20.0)), (Shape::Rectangle, pt(90.0, 20.5)), (Shape::Ellipse, pt(20.0, 90.0))]
    {
        assert!(plan(&sheet, &step(shape, pt(20.0, 20.0), to, Inked::Both, false).into(), &given).is_err());
    }
    assert!(plan(&sheet, &step(Shape::Line, pt(20.0, 20.0), pt(1e7, 0.0), Inked::Line, false).into(), &given).is_err());
}

#[test]
fn a_path_set_by_clicks_is_drawn_as_it_is_open_or_closed() {
    let blank = inked(&[]);
    let sheet = Sheet::new(400, 300, 300.0);
    let scene = Scene::of(&sheet, &blank);
    let given = Given { lifted: &blank, scene: &scene, swatches: &[] };
    let straight = |a: Pt, b: Pt| [a.lerp(b, 1.0 / 3.0), a.lerp(b, 2.0 / 3.0), b];
    let (a, b, c) = (pt(80.0, 60.0), pt(320.0, 60.0), pt(200.0, 240.0));
    let open: Vec<Pt> = [a].into_iter().chain(straight(a, b)).chain(straight(b, c)).collect();
    let ring: Vec<Pt> = open.iter().copied().chain(straight(c, a)).collect();
    let step = |points: &[Pt], closed, inked| DrawStep::Path {
        points: points.to_vec(),
        closed,
        width: 4.0,
        inked,
        swatch: None,
        under: false,
    };
    let drawn = |step: DrawStep| plan(&sheet, &step.into(), &given).unwrap().apply(&sheet).unwrap();
    let area =
        |after: &Sheet| Scene::of(after, &blank).ink.alpha.data.iter().map(|a| f64::from(*a) / 255.0).sum::<f64>();
    let triangle = 240.0 * 180.0 / 2.0;
    let after = drawn(step(&ring, true, Inked::Line));
    let room = Scene::of(&after, &blank).regions.at(pt(200.0, 120.0)).unwrap().area as f64;
    // Less half the width of its line on each side.
    let want = triangle - 2.0 * (240.0 + 2.0 * 120f64.hypot(180.0));
    assert!((room - want).abs() < 0.01 * want, "{room} of {want}");
    // What is open is closed straight where it is filled, and its line stays open.
    for (points, closed) in [(&ring, true), (&open, false)] {
        let filled = area(&drawn(step(points, closed, Inked::Filled)));
        assert!((filled - triangle).abs() < 0.01 * triangle, "{filled}");
    }
    let both = drawn(step(&open, false, Inked::Both));
    assert!(matches!(&both.lines[1].form, Form::Centreline { spine, .. } if !spine.closed));
    assert!(both.lines[0].group.is_some() && both.lines[0].group == both.lines[1].group);
    for (points, closed) in [(&open[..3], false), (&open[..6], false), (&open[..], true), (&[a; 4][..], false)] {
        assert!(plan(&sheet, &step(points, closed, Inked::Line).into(), &given).is_err());
    }
}

#[test]
fn strokes_of_one_colour_fuse_as_drawn_or_stay_apart() {
    let blank = inked(&[]);
    let swatches = ["skin".to_owned()];
    let stroke = |x: f64, y: f64, dx: f64, dy: f64| -> Vec<Sample> {
        (0..=40).map(|k| f64::from(k) / 40.0).map(|t| Sample(x + dx * t, y + dy * t, None, None, None)).collect()
    };
    let drawn = |sheet: &Sheet, samples: Vec<Sample>, swatch: Option<String>, fuse| {
        let scene = Scene::of(sheet, &blank);
        let step = DrawStep::Ink { samples, pen: PEN, swatch, under: false, fuse }.into();
        let given = Given { lifted: &blank, scene: &scene, swatches: &swatches };
        let change = plan(sheet, &step, &given).unwrap();
        let after = change.apply(sheet).unwrap();
        assert_eq!(change.undo(&after).unwrap(), *sheet);
        after
    };
    let seen = |s: &Sheet| s.visible_ink(&blank).alpha.data;
    let mut sheet = Sheet::new(400, 300, 300.0);
    let mut apart = sheet.clone();
    let strokes = [stroke(50.0, 100.0, 200.0, 0.0), stroke(120.0, 40.0, 0.0, 120.0), stroke(50.0, 160.0, 200.0, -90.0)];
    for samples in &strokes {
        sheet = drawn(&sheet, samples.clone(), None, true);
        apart = drawn(&apart, samples.clone(), None, false);
    }
    assert_eq!((sheet.lines.len(), apart.lines.len()), (1, 3));
    assert_eq!(sheet.lines[0].id, apart.lines[0].id, "it keeps the first one's number");
    assert!(matches!(sheet.lines[0].form, Form::Outline { .. }));
    let off = seen(&sheet).iter().zip(seen(&apart)).filter(|(a, b)| a.abs_diff(*b) > 90).count();
    assert_eq!(off, 0, "it looks as it was drawn");
    // Another colour, and what lies elsewhere, stay by themselves.
    let other = drawn(&sheet, strokes[1].clone(), Some("skin".into()), true);
    let elsewhere = drawn(&other, stroke(300.0, 250.0, 60.0, 0.0), None, true);
    assert_eq!((other.lines.len(), elsewhere.lines.len()), (2, 3));
}
