//! Steps that each version of the program stored: they open, undo and are done again for ever. `tests/stored` holds what
//! was written; `WRITE_STORED=1` writes what is missing for the version of now.

use crate::support;

use rhizograph_app::store::stored::{self, History, Unreadable, VERSION};
use rhizograph_core::draw::{Follows, Gives, Inked, Pen, Sample, Shape};
use rhizograph_core::edit::{
    Becomes, Change, Command, Decision, DrawStep, FindingsStep, Given, HoldStep, IntakeStep, JoinStep, Level, LiftStep,
    MendStep, PaintStep, SettingsStep, Takes, Together, TraceStep, WeightStep, plan,
};
use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::model::by_hand::{Effect, Touch};
use rhizograph_core::model::line::{EndStyle, Form, Line};
use rhizograph_core::model::paint::CarriedDrop;
use rhizograph_core::model::recipe::IntakeRecipe;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::{Kind, Verdict};
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::raster::strokes;
use rhizograph_core::scene::Scene;
use rhizograph_core::weight::Adjust;
use rhizograph_formats::raster_out;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use serde_json::value::RawValue;
use std::collections::BTreeSet;
use std::f64::consts::TAU;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use support::Server;
use support::asking::{agent, done, get};

/// A drawing's first state, steps on it with what each did, and its last state.
#[derive(Serialize, Deserialize)]
struct Written {
    version: i16,
    first: Box<RawValue>,
    did: Vec<String>,
    changes: Vec<Box<RawValue>>,
    last: Box<RawValue>,
}

/// The name of a command, as it is asked for.
fn name(command: &Command) -> &'static str {
    match command {
        Command::Settings(SettingsStep::Recipes { .. }) => "recipes",
        Command::Trace(TraceStep::Prepare { .. }) => "prepare",
        Command::Trace(TraceStep::Trace { .. }) => "trace",
        Command::Draw(DrawStep::Ink { .. }) => "ink",
        Command::Draw(DrawStep::Shape { .. }) => "shape",
        Command::Mend(MendStep::Redraw { .. }) => "redraw",
        Command::Mend(MendStep::Calm { .. }) => "calm",
        Command::Mend(MendStep::Press { .. }) => "press",
        Command::Mend(MendStep::Bend { .. }) => "bend",
        Command::Mend(MendStep::Erase { .. }) => "erase",
        Command::Mend(MendStep::Reshape { .. }) => "reshape",
        Command::Hold(HoldStep::Move { .. }) => "move",
        Command::Hold(HoldStep::Paste { .. }) => "paste",
        Command::Hold(HoldStep::TakeAway { .. }) => "take_away",
        Command::Hold(HoldStep::Order { .. }) => "order",
        Command::Hold(HoldStep::Group { .. }) => "group",
        Command::Hold(HoldStep::Convert { .. }) => "convert",
        Command::Hold(HoldStep::EndAlong { .. }) => "end_along",
        Command::Hold(HoldStep::Combine { .. }) => "combine",
        Command::Hold(HoldStep::Spread { .. }) => "spread",
        Command::Hold(HoldStep::Tidy { .. }) => "tidy",
        Command::Draw(DrawStep::Path { .. }) => "path",
        Command::Findings(FindingsStep::Settle { .. }) => "settle",
        Command::Findings(FindingsStep::Decide { .. }) => "decide",
        Command::Findings(FindingsStep::Leave { .. }) => "leave",
        Command::Findings(FindingsStep::Reopen { .. }) => "reopen",
        Command::Join(JoinStep::Sweep { .. }) => "sweep",
        Command::Join(JoinStep::Seam { .. }) => "seam",
        Command::Join(JoinStep::Bridge { .. }) => "bridge",
        Command::Join(JoinStep::TakeSpan { .. }) => "take_span",
        Command::Join(JoinStep::Cut { .. }) => "cut",
        Command::Join(JoinStep::Remove { .. }) => "remove",
        Command::Paint(PaintStep::Fill { .. }) => "fill",
        Command::Paint(PaintStep::FillEmpties { .. }) => "fill_empties",
        Command::Paint(PaintStep::Clear { .. }) => "clear",
        Command::Paint(PaintStep::Replace { .. }) => "replace",
        Command::Paint(PaintStep::Carry { .. }) => "carry",
        Command::Paint(PaintStep::ToneCut { .. }) => "tone_cut",
        Command::Paint(PaintStep::Shade { .. }) => "shade",
        Command::Paint(PaintStep::FillSpecks { .. }) => "fill_specks",
        Command::Paint(PaintStep::ColourBounding { .. }) => "colour_bounding",
        Command::Paint(PaintStep::ToneLines { .. }) => "tone_lines",
        Command::Paint(PaintStep::ColourLines { .. }) => "colour_lines",
        Command::Paint(PaintStep::ColourSpan { .. }) => "colour_span",
        Command::Intake(IntakeStep::Intake { .. }) => "intake",
        Command::Intake(IntakeStep::Resolution { .. }) => "resolution",
        Command::Lift(LiftStep::Touch { .. }) => "touch",
        Command::Lift(LiftStep::Invert { .. }) => "invert",
        Command::Lift(LiftStep::ClearArea { .. }) => "clear_area",
        Command::Lift(LiftStep::Protect { .. }) => "protect",
        Command::Weight(WeightStep::Weigh { .. }) => "weigh",
    }
}

const ALL: usize = 51;

/// A ring with a gap, lines that run past one another, a line by itself.
fn inked() -> Ink {
    let mut alpha = Plane::new(320, 240, 0u8);
    let mut draw = |points: Vec<Pt>| {
        let flat: Vec<FlatPoint> = points.into_iter().map(|p| FlatPoint { p, width: 6.0 }).collect();
        strokes::stroke(&mut alpha, &flat);
    };
    draw(
        (6..=114)
            .map(|k| TAU * f64::from(k) / 120.0)
            .map(|a| pt(90.0 + 55.0 * a.cos(), 110.0 + 55.0 * a.sin()))
            .collect(),
    );
    let line = |a: Pt, b: Pt| (0..=40).map(|k| a.lerp(b, f64::from(k) / 40.0)).collect::<Vec<_>>();
    draw(line(pt(190.0, 30.0), pt(190.0, 210.0)));
    draw(line(pt(170.0, 120.0), pt(310.0, 120.0)));
    draw(line(pt(260.0, 50.0), pt(260.0, 138.0)));
    draw(line(pt(215.0, 170.0), pt(300.0, 205.0)));
    Ink::plain(alpha, [0; 3])
}

/// Takes steps of all kinds on a drawing.
fn write() -> Written {
    let ink = inked();
    let raw = |json: String| RawValue::from_string(json).unwrap();
    let first = Sheet::new(ink.alpha.width, ink.alpha.height, 300.0);
    let mut sheet = first.clone();
    let (mut did, mut changes) = (Vec::new(), Vec::new());
    let mut step = |make: &dyn Fn(&Sheet, &Scene) -> Command| {
        let scene = Scene::of(&sheet, &ink);
        let command = make(&sheet, &scene);
        let change = plan(
            &sheet,
            &command,
            &Given {
                lifted: &ink,
                scene: &scene,
                swatches: &["shell-plate".into(), "skin".into(), "shell-plate/shadow".into(), "skin/shadow".into()],
            },
        )
        .unwrap();
        assert!(!change.is_empty(), "{command:?} did nothing");
        sheet = change.apply(&sheet).unwrap();
        did.push(name(&command).to_owned());
        changes.push(raw(serde_json::to_string(&change).unwrap()));
    };
    let first_of = |scene: &Scene, kind: Kind| vec![scene.findings.iter().find(|f| f.kind == kind).unwrap().id.clone()];
    let ring = pt(90.0, 90.0);
    step(&|s, _| Command::Trace(TraceStep::Prepare { recipes: Box::new(s.recipes.clone()) }));
    step(&|_, _| Command::Trace(TraceStep::Trace { afresh: true }));
    step(&|_, scene| Command::Findings(FindingsStep::Settle { ids: first_of(scene, Kind::Gap), with: None }));
    step(&|_, scene| Command::Findings(FindingsStep::Settle { ids: first_of(scene, Kind::Tail), with: None }));
    step(&|_, scene| Command::Findings(FindingsStep::Leave { ids: first_of(scene, Kind::Unpainted) }));
    step(&|_, scene| Command::Findings(FindingsStep::Reopen { ids: first_of(scene, Kind::Unpainted) }));
    step(&|_, scene| {
        let id = first_of(scene, Kind::Unpainted).remove(0);
        Command::Findings(FindingsStep::Decide { decisions: vec![Decision { id, how: Verdict::Left }] })
    });
    step(&|_, scene| {
        let tail = scene.findings.iter().find(|f| f.kind == Kind::Tail && f.sure).unwrap();
        let tip = tail.to.unwrap();
        let across = (tip - tail.at).unit().turned() * 9.0;
        let middle = tail.at.lerp(tip, 0.6);
        Command::Join(JoinStep::Sweep { path: vec![middle - across, middle + across] })
    });
    step(&|_, _| Command::Join(JoinStep::Seam { path: vec![pt(45.0, 112.0), pt(90.0, 118.0), pt(135.0, 112.0)] }));
    step(&|_, _| {
        let pen = Pen {
            width: 6.0,
            steadying: 0.4,
            follows: Follows::Pressure { least: 0.2, bend: 1.5 },
            tilt: 0.5,
            grain: 0.5,
        };
        let sample = |k: i32| {
            let t = f64::from(k) / 30.0;
            Sample(30.0 + 90.0 * t, 190.0 + 12.0 * (5.0 * t).sin(), Some(t), Some([20.0 * t, 5.0]), Some(250.0 * t))
        };
        Command::Draw(DrawStep::Ink {
            samples: (0..=30).map(sample).collect(),
            pen,
            swatch: None,
            under: true,
            fuse: false,
        })
    });
    step(&|_, _| {
        let (from, to) = (pt(20.0, 20.0), pt(60.0, 44.0));
        let (shape, inked) = (Shape::Ellipse, Inked::Both);
        Command::Draw(DrawStep::Shape { shape, from, to, width: 3.0, inked, swatch: Some("skin".into()), under: false })
    });
    step(&|_, _| Command::Join(JoinStep::Bridge { from: pt(215.0, 170.0), to: pt(190.0, 160.0) }));
    step(&|s, _| Command::Join(JoinStep::Remove { line: s.lines[s.lines.len() - 1].id }));
    step(&|_, _| Command::Paint(PaintStep::Fill { at: vec![ring], swatch: "skin".into() }));
    step(&|_, _| Command::Paint(PaintStep::FillEmpties { swatch: "shell-plate".into() }));
    step(&|_, _| Command::Paint(PaintStep::Replace { swatch: "shell-plate".into(), by: Some("skin".into()) }));
    step(&|_, _| Command::Paint(PaintStep::Clear { at: vec![ring] }));
    step(&|_, _| {
        let swatches = vec!["shell-plate".to_owned(), "skin".to_owned()];
        let drop = CarriedDrop { at: ring, swatches, confidence: 0.5, doubtful: true };
        Command::Paint(PaintStep::Carry { drawing: "A-01".into(), drops: vec![drop] })
    });
    step(&|_, _| Command::Paint(PaintStep::Shade { light: -90.0, depth: 1.0, tone: "shadow".into() }));
    step(&|_, _| {
        let path = vec![pt(100.0, 50.0), pt(101.0, 80.0), pt(100.0, 116.0)];
        Command::Paint(PaintStep::ToneCut { path, tone: "shadow".into(), larger: false })
    });
    step(&|_, _| Command::Paint(PaintStep::Clear { at: vec![ring] }));
    step(&|_, _| Command::Paint(PaintStep::FillSpecks { under: 90.0 }));
    step(&|_, _| Command::Paint(PaintStep::Replace { swatch: "shell-plate".into(), by: Some("skin".into()) }));
    step(&|_, _| Command::Paint(PaintStep::ToneLines { tone: "shadow".into() }));
    step(&|_, _| {
        Command::Paint(PaintStep::ColourBounding { bounds: "skin".into(), swatch: Some("shell-plate".into()) })
    });
    step(&|s, _| {
        let swatch = Some("skin".into());
        Command::Paint(PaintStep::ColourLines { lines: vec![s.lines[0].id, s.lines[1].id], swatch })
    });
    step(&|_, _| Command::Paint(PaintStep::ColourSpan { at: pt(225.0, 120.0), swatch: Some("shell-plate".into()) }));
    step(&|_, _| Command::Join(JoinStep::TakeSpan { at: pt(225.0, 120.0) }));
    let outline = [(245.0, 170.0), (270.0, 170.0), (270.0, 210.0), (245.0, 210.0)].map(|(x, y)| pt(x, y)).to_vec();
    step(&|_, _| Command::Join(JoinStep::Cut { outline: outline.clone(), ends: EndStyle::Flat, loose: false }));
    // Of lifted ink, with its pixels.
    step(&|s, _| {
        let maps = vec![[1.0, 0.0, 4.0, 0.0, 1.0, 6.0], [0.0, -1.0, 200.0, 1.0, 0.0, 20.0]];
        let lifted = s.lines.iter().find(|l| !l.is_drawn()).unwrap().id;
        Command::Hold(HoldStep::Spread { lines: vec![lifted], maps })
    });
    step(&|_, _| Command::Weight(WeightStep::Weigh { lines: vec![], adjust: Adjust::Scale { factor: 1.3 } }));
    let pen = Pen { width: 6.0, steadying: 0.0, follows: Follows::Steady, tilt: 0.0, grain: 1.0 };
    let way = |a: Pt, b: Pt| -> Vec<Sample> {
        let at = |k: i32| a.lerp(b, f64::from(k) / 20.0);
        (0..=20).map(at).map(|p| Sample(p.x, p.y, None, None, None)).collect()
    };
    let lifted = |s: &Sheet| {
        let long = |l: &&Arc<Line>| !l.is_drawn() && l.bounds().max.y - l.bounds().min.y > 120.0;
        s.lines.iter().find(long).map_or(0, |l| l.id)
    };
    let upright = pt(190.0, 80.0);
    step(&|_, _| {
        let samples = way(upright, pt(178.0, 95.0)).into_iter().chain(way(pt(178.0, 95.0), pt(190.0, 110.0))).collect();
        Command::Mend(MendStep::Redraw { samples, pen, gives: Gives::Both, lines: vec![] })
    });
    let path = vec![pt(190.0, 40.0), pt(191.0, 70.0)];
    step(&|_, _| {
        Command::Mend(MendStep::Calm {
            path: vec![upright, pt(178.0, 95.0), pt(190.0, 112.0)],
            radius: 12.0,
            strength: 1.0,
            lines: vec![],
        })
    });
    step(&|_, _| Command::Mend(MendStep::Press { path: path.clone(), radius: 10.0, strength: 1.0, lines: vec![] }));
    step(&|s, _| {
        Command::Mend(MendStep::Bend { line: lifted(s), from: pt(35.0, 110.0), to: pt(30.0, 112.0), reach: 25.0 })
    });
    step(&|s, _| {
        let line = s.lines.iter().find(|l| l.spine().is_some()).unwrap();
        let mut points = line.spine().unwrap().points.clone();
        points[1] = points[1] + pt(3.0, 2.0);
        Command::Mend(MendStep::Reshape { line: line.id, ring: 0, points })
    });
    let erase = |takes| MendStep::Erase { samples: way(pt(255.0, 60.0), pt(265.0, 60.0)), pen, takes, lines: vec![] };
    step(&|_, _| Command::Mend(erase(Takes::Exactly)));
    step(&|s, _| {
        let map = [1.0, 0.0, 3.0, 0.0, 1.0, -2.0];
        Command::Hold(HoldStep::Move { lines: vec![s.lines[1].id], map, weight: true, copy: false })
    });
    step(&|s, _| {
        let lines = vec![(*s.lines[s.lines.len() - 1]).clone()];
        Command::Hold(HoldStep::Paste { lines, by: pt(12.0, 8.0) })
    });
    step(&|s, _| Command::Hold(HoldStep::Order { lines: vec![s.lines[s.lines.len() - 1].id], to: Level::Bottom }));
    step(&|s, _| Command::Hold(HoldStep::Group { lines: vec![s.lines[0].id, s.lines[1].id], apart: false }));
    let by_hand = |s: &Sheet| {
        s.lines.iter().filter(|l| matches!(l.form, Form::Centreline { .. })).map(|l| l.id).collect::<Vec<_>>()
    };
    step(&|s, _| {
        let ids = by_hand(s);
        Command::Hold(HoldStep::Convert { lines: vec![ids[ids.len() - 1]], to: Becomes::Outline })
    });
    step(&|_, scene| {
        let [ground, leg] =
            [pt(190.0, 150.0), pt(215.0, 170.0)].map(|p| scene.network.nearest(p, 24.0, |_| true).unwrap());
        let id = |n: u32| scene.network.line(n as usize).unwrap().id;
        let (line, along) = (id(leg.0.line), id(ground.0.line));
        let at_end = leg.0.at > 0;
        Command::Hold(HoldStep::EndAlong { line, at_end, along, gap: 2.0 })
    });
    step(&|s, _| {
        let ids = by_hand(s);
        Command::Hold(HoldStep::Combine { lines: ids[..2].to_vec(), how: Together::Fuse })
    });
    let lying = [(20.0, 50.0), (30.0, 40.0), (50.0, 40.0), (62.0, 30.0)].map(|(x, y)| pt(x, y)).to_vec();
    step(&|_, _| {
        let (points, inked) = (lying.clone(), Inked::Filled);
        Command::Draw(DrawStep::Path {
            points,
            closed: false,
            width: 3.0,
            inked,
            swatch: Some("skin".into()),
            under: false,
        })
    });
    step(&|_, _| Command::Hold(HoldStep::Tidy { lines: vec![] }));
    step(&|s, _| Command::Hold(HoldStep::TakeAway { lines: vec![s.lines[s.lines.len() - 1].id] }));
    let touch = Touch {
        effect: Effect::Less,
        path: vec![pt(60.0, 60.0), pt(80.5, 66.25)],
        size: 24.0,
        hardness: 0.5,
        strength: 1.0,
        takes_off: false,
    };
    step(&|_, _| Command::Lift(LiftStep::Touch { touch: touch.clone() }));
    step(&|_, _| Command::Lift(LiftStep::Invert { effect: Effect::Less }));
    step(&|_, _| Command::Lift(LiftStep::ClearArea { effect: Effect::Less }));
    step(&|_, _| Command::Lift(LiftStep::Protect { at: pt(20.0, 200.0) }));
    step(&|s, _| {
        let mut recipes = Box::new(s.recipes.clone());
        recipes.join.longest_gap = 1.5;
        Command::Settings(SettingsStep::Recipes { recipes })
    });
    step(&|_, _| Command::Intake(IntakeStep::Resolution { dpi: 200.0 }));
    step(&|_, _| {
        Command::Intake(IntakeStep::Intake {
            intake: Box::new(IntakeRecipe { quarter_turns: 1, ..IntakeRecipe::default() }),
        })
    });
    let json = |s: &Sheet| raw(serde_json::to_string(s).unwrap());
    Written { version: VERSION, first: json(&first), last: json(&sheet), did, changes }
}

fn file_of(version: i16) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("tests/stored/steps_{version}.json"))
}

/// What counts of a sheet: which numbers and places things got when it was brought up does not, but their order does.
fn like(sheet: &Sheet) -> Value {
    fn stripped(value: &mut Value) {
        match value {
            Value::Array(items) => items.iter_mut().for_each(stripped),
            Value::Object(fields) => {
                let is_line = fields.contains_key("made");
                fields.retain(|name, _| (name != "id" || is_line) && name != "order" && name != "next_id");
                fields.values_mut().for_each(stripped);
            }
            _ => {}
        }
    }
    let mut value = serde_json::to_value(sheet).unwrap();
    stripped(&mut value);
    value
}

/// The states that changes lead through to the last one.
fn leading_to(last: Sheet, changes: &[Change]) -> Vec<Sheet> {
    let mut states = vec![last];
    for change in changes.iter().rev() {
        states.push(change.undo(&states[states.len() - 1]).unwrap());
    }
    states.reverse();
    states
}

#[test]
fn what_every_version_stored_opens_is_undone_and_done_again() {
    if std::env::var_os("WRITE_STORED").is_some() && !file_of(VERSION).exists() {
        std::fs::write(file_of(VERSION), serde_json::to_string_pretty(&write()).unwrap() + "\n").unwrap();
    }
    for version in 1..=VERSION {
        let written: Written = serde_json::from_slice(&std::fs::read(file_of(version)).unwrap()).unwrap();
        assert_eq!(written.version, version);
        let value = |json: &RawValue| serde_json::from_str::<Value>(json.get()).unwrap();
        // Whatever of it is done, undone, or not yet in the kept state.
        let changes: Vec<Value> = written.changes.iter().map(|c| value(c)).collect();
        let mut all = Vec::new();
        for (done, sheet) in [(0, &written.first), (changes.len(), &written.last)] {
            let mut history = History { sheet: value(sheet), changes: changes.clone(), done };
            stored::bring_up(&mut history, &[], version).unwrap();
            all.push(history);
        }
        if version < VERSION {
            // Behind its journal, with some undone: as it would be had it been kept.
            let journal: Vec<(Value, bool)> = changes.iter().map(|c| (c.clone(), false)).collect();
            let undone = changes[9..].iter().rev().map(|c| (c.clone(), true));
            let journal: Vec<(Value, bool)> = journal.into_iter().chain(undone).collect();
            let mut history = History { sheet: value(&written.first), changes: changes.clone(), done: 9 };
            stored::bring_up(&mut history, &journal, version).unwrap();
            all.push(history);
        }
        let sheet = |h: &History| serde_json::from_value::<Sheet>(h.sheet.clone()).unwrap();
        let of = |h: &History| h.changes.iter().map(|c| serde_json::from_value::<Change>(c.clone()).unwrap()).collect();
        let (first, last) = (sheet(&all[0]), sheet(&all[1]));
        let changes: Vec<Change> = of(&all[1]);
        let mut states = vec![first];
        for change in &changes {
            states.push(change.apply(&states[states.len() - 1]).unwrap());
        }
        assert_eq!(like(&states[changes.len()]), like(&last), "version {version}");
        let states = leading_to(last, &changes);
        for history in &all {
            assert_eq!(like(&sheet(history)), like(&states[history.done]), "version {version}");
            let (mut now, changes): (Sheet, Vec<Change>) = (sheet(history), of(history));
            changes[..history.done].iter().rev().for_each(|c| now = c.undo(&now).unwrap());
            changes.iter().for_each(|c| now = c.apply(&now).unwrap());
            assert_eq!(like(&now), like(&states[changes.len()]), "version {version}, {} done", history.done);
        }
        for (k, change) in changes.iter().enumerate().rev() {
            assert_eq!(change.undo(&states[k + 1]).unwrap(), states[k], "version {version}: {}", written.did[k]);
        }
        for (k, change) in changes.iter().enumerate() {
            assert_eq!(change.apply(&states[k]).unwrap(), states[k + 1], "version {version}: {}", written.did[k]);
        }
    }
}

#[test]
fn steps_of_every_kind_are_kept_for_this_version() {
    let written: Written = serde_json::from_slice(&std::fs::read(file_of(VERSION)).unwrap()).unwrap();
    let kinds: BTreeSet<&str> = written.did.iter().map(String::as_str).collect();
    assert_eq!(kinds.len(), ALL, "{kinds:?}");
    // What is written now is still read as it was: the same steps give the same kinds.
    let now = write();
    assert_eq!(now.did, written.did);
}

#[test]
fn a_drawing_that_an_older_program_left_in_the_database_opens_and_goes_on() {
    let written: Written = serde_json::from_slice(&std::fs::read(file_of(1)).unwrap()).unwrap();
    let mut server = Server::start();
    // A sheet as large as the one that was written, bare.
    let paper = raster_out::rgb_png(&Plane::new(320, 240, [255; 3]), 300.0).unwrap();
    let shot = get(&server, "/productions")[0]["shots"][0]["id"].clone();
    let url = format!("{}/api/shots/{shot}/drawings?name=bare.png", server.url);
    let mut answer = agent().post(url).header("x-rhizograph", "1").send(&paper[..]).unwrap();
    let id = answer.body_mut().read_json::<Value>().unwrap()["id"].as_i64().unwrap();
    let at = format!("/drawings/{id}");
    // Its state kept before the first step; all steps in the journal, the last three of them undone again.
    let text = |json: &RawValue| json.get().replace('\'', "''");
    let all = written.changes.len();
    let mut sheet: Value = serde_json::from_str(written.first.get()).unwrap();
    for (k, change) in written.changes.iter().enumerate() {
        let change = text(change);
        let undone = k + 3 >= all;
        server.execute(&format!(
            "insert into changes (drawing, step, undone, change) values ({id}, {}, {undone}, '{change}'::jsonb)",
            k + 1
        ));
        server.execute(&format!(
            "insert into journal (drawing, revision, change, back) values ({id}, {}, '{change}'::jsonb, false)",
            k + 1
        ));
    }
    for (n, k) in (all - 3..all).rev().enumerate() {
        let change = text(&written.changes[k]);
        server.execute(&format!(
            "insert into journal (drawing, revision, change, back) values ({id}, {}, '{change}'::jsonb, true)",
            all + n + 1
        ));
    }
    sheet["original"] = serde_json::json!([320, 240]);
    server.execute(&format!(
        "update states set version = 1, revision = 0, sheet = '{sheet}'::jsonb where drawing = {id}"
    ));
    server.execute(&format!("update drawings set revision = {} where id = {id}", all + 3));
    server.crash_and_restart();
    let opened = get(&server, &at);
    assert_eq!(opened["undo"], "protected a dot");
    assert_eq!(opened["steps"], (all - 3) as i64);
    let versions = "select count(*) from states s join changes c using (drawing) where s.version < 2 or c.version < 2";
    assert_eq!(server.count(versions), 0);
    let mut view = opened.clone();
    let go = |view: &Value, path: &str| {
        done(&server, &format!("{at}/{path}"), &serde_json::json!({ "revision": view["info"]["revision"] }))
    };
    for _ in 0..3 {
        view = go(&view, "redo");
    }
    assert_eq!((&view["redo"], &view["undo"]), (&Value::Null, &Value::from("laid the sheet out")));
    for _ in 0..all {
        view = go(&view, "undo");
    }
    assert_eq!((view["lines"].as_array().unwrap().len(), &view["undo"]), (0, &Value::Null));
    for _ in 0..all - 3 {
        view = go(&view, "redo");
    }
    let paths = |view: &Value| view["lines"].as_array().unwrap().iter().map(|l| l["path"].clone()).collect::<Vec<_>>();
    assert_eq!((paths(&view), &view["by_hand"]), (paths(&opened), &opened["by_hand"]));
    let new = serde_json::json!({ "of": "lift", "do": "protect", "at": [40, 40] });
    let view = support::asking::command(&server, id, &view, new);
    assert_eq!(view["by_hand"]["protected"].as_array().unwrap().len(), 2);
}

#[test]
fn what_no_version_wrote_is_refused() {
    let raw = serde_json::value::to_raw_value(&serde_json::json!({"width": 4.0})).unwrap();
    assert!(matches!(stored::sheet(&raw, VERSION + 1), Err(Unreadable::Newer(n)) if n == VERSION + 1));
    assert!(matches!(stored::sheet(&raw, 0), Err(Unreadable::Unknown(0))));
    assert!(matches!(stored::sheet(&raw, VERSION), Err(Unreadable::Damaged(_))));
    let mut history = History { sheet: serde_json::json!({}), changes: Vec::new(), done: 0 };
    assert!(matches!(stored::bring_up(&mut history, &[], 0), Err(Unreadable::Unknown(0))));
    assert!(matches!(stored::bring_up(&mut history, &[], VERSION + 1), Err(Unreadable::Newer(_))));
}
