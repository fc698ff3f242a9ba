//! The latest steps of a drawing at this server, with what each did: a step that was made on one of their states may stand
//! on the newest.

use rhizograph_core::edit::{Change, Since};
use rhizograph_core::geom::Bounds;
use rhizograph_core::scene::SceneEdited;
use std::collections::{BTreeSet, HashSet, VecDeque};
use std::sync::Arc;

/// The most steps that are kept.
pub const KEPT: usize = 64;

/// A step that was done or undone.
#[derive(Clone)]
pub struct Done {
    /// The revision that it left.
    pub revision: i64,
    pub label: String,
    /// Who took it.
    pub by: String,
    /// What changed of the sheet and of the scene; `None`: that was computed anew, and nothing from before stands.
    pub edited: Option<(Arc<Change>, Arc<SceneEdited>)>,
}

/// What steps touched of what is shown, by its names.
#[derive(Debug, Default)]
pub struct Touched {
    pub lines: HashSet<u64>,
    pub regions: BTreeSet<u32>,
    pub refilled: BTreeSet<u32>,
    pub findings: BTreeSet<String>,
    pub ink: Vec<Bounds>,
}

impl Touched {
    /// Adds what a step did.
    pub fn add(&mut self, change: &Change, edited: &SceneEdited) {
        let SceneEdited { ink, regions, refilled, findings } = edited;
        self.lines.extend(change.line_ids());
        self.regions.extend(regions.gone.iter().chain(&regions.made));
        self.refilled.extend(refilled);
        self.findings.extend(findings.gone.iter().chain(&findings.made).cloned());
        self.ink.extend(ink);
    }
}

#[derive(Clone, Default)]
pub struct Latest(VecDeque<Done>);

impl Latest {
    /// Takes a step in; one that does not follow those that are known (another server's came between) begins anew.
    pub fn add(&mut self, done: Done) {
        if self.0.back().is_some_and(|last| last.revision + 1 != done.revision) {
            self.0.clear();
        }
        if self.0.len() == KEPT {
            self.0.pop_front();
        }
        self.0.push_back(done);
    }

    /// Those from one revision to another; `None`: not all of them are known.
    pub fn between(&self, from: i64, to: i64) -> Option<impl Iterator<Item = &Done>> {
        let reaches = |list: &VecDeque<Done>| Some(list.front()?.revision <= from + 1 && list.back()?.revision == to);
        (from < to && reaches(&self.0)?).then(|| self.0.iter().filter(move |d| d.revision > from))
    }

    /// What was changed from one revision to another; `None`: that is not known.
    pub fn since(&self, from: i64, to: i64) -> Option<Since> {
        let mut since = Since::default();
        for done in self.between(from, to)? {
            let (change, edited) = done.edited.as_ref()?;
            since.add(change, Some(edited));
        }
        Some(since)
    }

    /// What was touched from one revision to another of what is shown; `None`: that is not known.
    pub fn touched(&self, from: i64, to: i64) -> Option<Touched> {
        let mut touched = Touched::default();
        for done in self.between(from, to)? {
            let (change, edited) = done.edited.as_ref()?;
            touched.add(change, edited);
        }
        Some(touched)
    }

    /// The labels of the steps from one revision to another, as far as they are known, with who took each.
    pub fn labels(&self, from: i64, to: i64) -> Vec<(String, String)> {
        self.between(from, to).map_or(Vec::new(), |list| list.map(|d| (d.label.clone(), d.by.clone())).collect())
    }
}
