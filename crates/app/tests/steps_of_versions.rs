//! Steps that each version of the program stored: they open, undo and are done again for ever. `tests/stored` holds what
//! was written; `WRITE_STORED=1` writes what is missing for the version of now.

#![allow(clippy::unwrap_used)]

use rhizograph_app::server::stored::{self, VERSION};
use rhizograph_core::command::{Change, Command, plan};
use rhizograph_core::finding::Kind;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::ink::Ink;
use rhizograph_core::lift::{Effect, Touch};
use rhizograph_core::line::{EndStyle, FlatPoint};
use rhizograph_core::plane::Plane;
use rhizograph_core::recipe::IntakeRecipe;
use rhizograph_core::render;
use rhizograph_core::scene::Scene;
use rhizograph_core::sheet::Sheet;
use rhizograph_core::weight::Adjust;
use serde::{Deserialize, Serialize};
use serde_json::value::RawValue;
use std::collections::BTreeSet;
use std::f64::consts::TAU;
use std::path::{Path, PathBuf};

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
        Command::Recipes { .. } => "recipes",
        Command::Prepare { .. } => "prepare",
        Command::Trace { .. } => "trace",
        Command::Settle { .. } => "settle",
        Command::Decide { .. } => "decide",
        Command::Leave { .. } => "leave",
        Command::Reopen { .. } => "reopen",
        Command::Sweep { .. } => "sweep",
        Command::Seam { .. } => "seam",
        Command::Bridge { .. } => "bridge",
        Command::TakeSpan { .. } => "take_span",
        Command::Cut { .. } => "cut",
        Command::Remove { .. } => "remove",
        Command::Fill { .. } => "fill",
        Command::FillEmpties { .. } => "fill_empties",
        Command::Clear { .. } => "clear",
        Command::Intake { .. } => "intake",
        Command::Resolution { .. } => "resolution",
        Command::Touch { .. } => "touch",
        Command::Invert { .. } => "invert",
        Command::ClearArea { .. } => "clear_area",
        Command::Protect { .. } => "protect",
        Command::Weigh { .. } => "weigh",
    }
}

const ALL: usize = 22;

/// A ring with a gap, lines that run past one another, a line by itself.
fn inked() -> Ink {
    let mut alpha = Plane::new(320, 240, 0u8);
    let mut draw = |points: Vec<Pt>| {
        let flat: Vec<FlatPoint> = points.into_iter().map(|p| FlatPoint { p, width: 6.0 }).collect();
        render::stroke(&mut alpha, &flat);
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
        let change = plan(&sheet, &command, &ink, &scene, &["shell-plate".into(), "skin".into()]).unwrap();
        assert!(!change.is_empty(), "{command:?} did nothing");
        sheet = change.apply(&sheet).unwrap();
        did.push(name(&command).to_owned());
        changes.push(raw(serde_json::to_string(&change).unwrap()));
    };
    let first_of = |scene: &Scene, kind: Kind| vec![scene.findings.iter().find(|f| f.kind == kind).unwrap().id.clone()];
    let ring = pt(90.0, 90.0);
    step(&|s, _| Command::Prepare { recipes: Box::new(s.recipes.clone()) });
    step(&|_, _| Command::Trace { afresh: true });
    step(&|_, scene| Command::Settle { ids: first_of(scene, Kind::Gap), with: None });
    step(&|_, scene| Command::Settle { ids: first_of(scene, Kind::Tail), with: None });
    step(&|_, scene| Command::Leave { ids: first_of(scene, Kind::Unpainted) });
    step(&|_, scene| Command::Reopen { ids: first_of(scene, Kind::Unpainted) });
    step(&|_, scene| {
        let tail = scene.findings.iter().find(|f| f.kind == Kind::Tail && f.sure).unwrap();
        let tip = tail.to.unwrap();
        let across = (tip - tail.at).unit().turned() * 9.0;
        let middle = tail.at.lerp(tip, 0.6);
        Command::Sweep { path: vec![middle - across, middle + across] }
    });
    step(&|_, _| Command::Seam { path: vec![pt(45.0, 112.0), pt(90.0, 118.0), pt(135.0, 112.0)] });
    step(&|_, _| Command::Bridge { from: pt(215.0, 170.0), to: pt(190.0, 160.0) });
    step(&|s, _| Command::Remove { line: s.lines[s.lines.len() - 1].id });
    step(&|_, _| Command::Fill { at: vec![ring], swatch: "skin".into() });
    step(&|_, _| Command::FillEmpties { swatch: "shell-plate".into() });
    step(&|_, _| Command::Clear { at: vec![ring] });
    step(&|_, _| Command::TakeSpan { at: pt(225.0, 120.0) });
    let outline = [(245.0, 170.0), (270.0, 170.0), (270.0, 210.0), (245.0, 210.0)].map(|(x, y)| pt(x, y)).to_vec();
    step(&|_, _| Command::Cut { outline: outline.clone(), ends: EndStyle::Flat });
    step(&|_, _| Command::Weigh { lines: vec![], adjust: Adjust::Scale { factor: 1.3 } });
    let touch = Touch {
        effect: Effect::Less,
        path: vec![pt(60.0, 60.0), pt(80.5, 66.25)],
        size: 24.0,
        hardness: 0.5,
        strength: 1.0,
        takes_off: false,
    };
    step(&|_, _| Command::Touch { touch: touch.clone() });
    step(&|_, _| Command::Invert { effect: Effect::Less });
    step(&|_, _| Command::ClearArea { effect: Effect::Less });
    step(&|_, _| Command::Protect { at: pt(20.0, 200.0) });
    step(&|s, _| {
        let mut recipes = Box::new(s.recipes.clone());
        recipes.join.longest_gap = 1.5;
        Command::Recipes { recipes }
    });
    step(&|_, _| Command::Resolution { dpi: 200.0 });
    step(&|_, _| Command::Intake { intake: Box::new(IntakeRecipe { quarter_turns: 1, ..IntakeRecipe::default() }) });
    let json = |s: &Sheet| raw(serde_json::to_string(s).unwrap());
    Written { version: VERSION, first: json(&first), last: json(&sheet), did, changes }
}

fn file_of(version: i16) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("tests/stored/steps_{version}.json"))
}

#[test]
fn what_every_version_stored_opens_is_undone_and_done_again() {
    if std::env::var_os("WRITE_STORED").is_some() && !file_of(VERSION).exists() {
        std::fs::write(file_of(VERSION), serde_json::to_string_pretty(&write()).unwrap() + "\n").unwrap();
    }
    for version in 1..=VERSION {
        let written: Written = serde_json::from_slice(&std::fs::read(file_of(version)).unwrap()).unwrap();
        assert_eq!(written.version, version);
        let sheet = |json: &RawValue| stored::sheet(json, version).unwrap();
        let (first, last) = (sheet(&written.first), sheet(&written.last));
        let changes: Vec<Change> = written.changes.iter().map(|c| stored::change(c, version).unwrap()).collect();
        let mut states = vec![first];
        for change in &changes {
            states.push(change.apply(&states[states.len() - 1]).unwrap());
        }
        assert_eq!(states[changes.len()], last, "version {version}");
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
