//! Steps made on an older state, done on a newer one. A step is planned on the newer state; it stands if nothing that it
//! reads or writes there was changed since, so that it does what was seen when it was made. Else it is refused, and nothing
//! is overwritten silently.

use super::change::Change;
use super::command::{Command, plan};
use super::draw::DrawStep;
use super::findings::FindingsStep;
use super::ground::Ground;
use super::intake::IntakeStep;
use super::join::JoinStep;
use super::lift::LiftStep;
use super::limits::REACH;
use super::paint::PaintStep;
use super::settings::SettingsStep;
use super::trace::TraceStep;
use super::weight::WeightStep;
use crate::geom::{Bounds, Pt};
use crate::model::sheet::Sheet;
use crate::scene::{Scene, SceneEdited};
use rustc_hash::FxHashSet;

/// What steps changed since a state.
#[derive(Debug, Clone, Default)]
pub struct Since {
    /// Everything was computed anew: whatever is read may be another.
    anew: bool,
    recipes: bool,
    by_hand: bool,
    settled: bool,
    drops: Vec<Pt>,
    lines: FxHashSet<u64>,
    /// Where lines or their ink changed.
    boxes: Vec<Bounds>,
    findings: FxHashSet<String>,
    regions: FxHashSet<u32>,
}

impl Since {
    /// Adds a step that was done or undone, with what it did to the scene; `None`: that was computed anew.
    pub fn add(&mut self, change: &Change, edited: Option<&SceneEdited>) {
        self.anew |= edited.is_none() || change.lays_out();
        self.recipes |= change.sets_recipes();
        self.by_hand |= change.is_by_hand();
        self.settled |= change.settles();
        self.drops.extend(change.drops());
        let (lines, boxes) = change.lines_with_places();
        self.lines.extend(lines);
        self.boxes.extend(boxes);
        if let Some(SceneEdited { ink, regions, refilled, findings }) = edited {
            self.boxes.extend(ink);
            self.regions.extend(regions.gone.iter().chain(&regions.made).chain(refilled));
            self.findings.extend(findings.gone.iter().chain(&findings.made).cloned());
        }
    }

    /// Nothing that is drawn, set or computed was touched.
    fn leaves_lines(&self) -> bool {
        !self.anew && !self.recipes && !self.by_hand && self.lines.is_empty() && self.boxes.is_empty()
    }

    fn touches(&self, places: &Bounds) -> bool {
        self.boxes.iter().any(|b| b.touches(places))
    }
}

/// Plans a command that was made on an older state. `since`: what was changed from that to `sheet`, which `ground` is of.
/// `None`: what it reads or writes is another by now, or is no more.
pub fn replay(sheet: &Sheet, command: &Command, ground: &dyn Ground, since: &Since) -> Option<Change> {
    let change = plan(sheet, command, ground).ok()?;
    let scene = ground.scene();
    let (lines, _) = change.lines_with_places();
    let writes_the_same = lines.iter().any(|id| since.lines.contains(id));
    let stands = !since.anew
        && !writes_the_same
        && match command {
            Command::Settings(SettingsStep::Recipes { .. }) => !since.recipes,
            Command::Intake(IntakeStep::Intake { .. } | IntakeStep::Resolution { .. }) => false,
            Command::Lift(
                LiftStep::Touch { .. }
                | LiftStep::Invert { .. }
                | LiftStep::ClearArea { .. }
                | LiftStep::Protect { .. },
            ) => !since.by_hand,
            Command::Weight(WeightStep::Weigh { lines, .. }) => !lines.is_empty() || since.lines.is_empty(),
            Command::Trace(TraceStep::Trace { .. } | TraceStep::Prepare { .. }) => {
                since.leaves_lines() && !since.settled
            }
            // It is drawn as it was whatever else is there.
            Command::Draw(DrawStep::Ink { .. } | DrawStep::Shape { .. } | DrawStep::Path { .. }) => true,
            Command::Mend(step) => {
                let margin = 2.0 * scene.network.widest() + REACH;
                let changed = change.places();
                !changed.into_iter().chain([step.places()]).any(|b| since.touches(&b.grown(margin)))
            }
            Command::Hold(step) => {
                let margin = 2.0 * scene.network.widest() + REACH;
                let apart = |b: &Bounds| !since.touches(&b.grown(margin));
                step.lines().iter().all(|id| !since.lines.contains(id)) && change.places().iter().all(apart)
            }
            Command::Findings(step) => findings_stand(step, scene, since),
            Command::Join(step) => join_stands(step, &change, scene, since),
            Command::Paint(step) => paint_stands(step, scene, since),
        };
    stands.then_some(change)
}

/// Whether undoing a change, or doing it again, leaves alone what others did meanwhile: none of theirs is about the same,
/// lies where it does, or paints a region that it is at.
pub fn stands_apart(change: &Change, others: &[Change], scene: &Scene) -> bool {
    let margin = 2.0 * scene.network.widest() + REACH;
    let places: Vec<Bounds> = change.places().into_iter().map(|b| b.grown(margin)).collect();
    let is_near = |b: &Bounds| places.iter().any(|p| p.touches(b));
    let region = |p: Pt| scene.regions.at(p);
    let painted: FxHashSet<Option<u32>> = change.drops().map(|p| region(p).map(|r| r.id)).collect();
    others.iter().all(|other| {
        let paints_there = |p: Pt| {
            let room = region(p);
            painted.contains(&room.map(|r| r.id))
                || room.is_some_and(|r| is_near(&Bounds::of(r.rings.iter().flatten())))
        };
        !change.meets(other) && !other.places().iter().any(is_near) && !other.drops().any(paints_there)
    })
}

fn findings_stand(step: &FindingsStep, scene: &Scene, since: &Since) -> bool {
    let margin = 2.0 * scene.network.widest() + REACH;
    let is_as_before = |id: &str| {
        scene.findings.get(id).is_some_and(|f| {
            let places = Bounds::of(f.path.iter().chain([&f.at]).chain(f.to.iter())).grown(margin);
            !since.findings.contains(id) && !since.touches(&places)
        })
    };
    // What closes gaps may be set by the recipe.
    !since.recipes && step.ids().all(is_as_before)
}

fn join_stands(step: &JoinStep, change: &Change, scene: &Scene, since: &Since) -> bool {
    let places = match step {
        JoinStep::Sweep { path } | JoinStep::Seam { path } => Bounds::of(path),
        JoinStep::Bridge { from, to } => Bounds::of([from, to]),
        JoinStep::TakeSpan { at } => Bounds::of([at]),
        JoinStep::Cut { outline, .. } => Bounds::of(outline),
        JoinStep::Remove { .. } => return true,
    };
    let margin = 2.0 * scene.network.widest() + REACH;
    let taken = change.erasures().map(|e| e.bounds());
    // A tail that is swept at its tip begins at a crossing far off.
    let is_sweep = matches!(step, JoinStep::Sweep { .. });
    let lines = scene.network.lines().filter(|_| is_sweep).map(|(_, l)| l.bounds()).filter(|b| b.touches(&places));
    !std::iter::once(places).chain(taken).chain(lines).any(|b| since.touches(&b.grown(margin)))
}

fn paint_stands(step: &PaintStep, scene: &Scene, since: &Since) -> bool {
    let region = |p: &Pt| scene.regions.at(*p).map(|r| r.id);
    let painted: FxHashSet<Option<u32>> = since.drops.iter().map(region).collect();
    match step {
        PaintStep::Fill { at, .. } | PaintStep::Clear { at } => at.iter().map(region).all(|r| {
            let is_as_before = r.is_some_and(|id| !since.regions.contains(&id));
            is_as_before && !painted.contains(&r)
        }),
        PaintStep::ColourLines { .. } => true,
        // What others painted meanwhile is by hand, and stays.
        PaintStep::Carry { .. } => since.regions.is_empty(),
        PaintStep::ToneCut { .. }
        | PaintStep::Shade { .. }
        | PaintStep::FillSpecks { .. }
        | PaintStep::ColourBounding { .. }
        | PaintStep::ColourSpan { .. }
        | PaintStep::ToneLines { .. }
        | PaintStep::FillEmpties { .. }
        | PaintStep::Replace { .. } => since.regions.is_empty() && since.drops.is_empty(),
    }
}
