//! What the front end shows of a drawing, and what an edit changed of it.

use crate::api::{DrawingFrame, DrawingInfo, DrawingPatch, DrawingView, LineKind, LineView, Refilled, RegionView};
use crate::progress;
use crate::service::latest::Touched;
use crate::service::open::Open;
use crate::store;
use rayon::prelude::*;
use rhizograph_core::geom::Bounds;
use rhizograph_core::model::line::{Form, Line};
use rhizograph_core::region::Region;
use rhizograph_formats::path_data::Parts;

/// How closely paths are told that are looked at.
pub const SEEN: Parts = Parts::Tenths;

fn sides(b: &Bounds) -> [f64; 4] {
    [b.min.x, b.min.y, b.max.x, b.max.y]
}

pub fn line_view(line: &Line) -> LineView {
    let (kind, path) = match &line.form {
        Form::Centreline { spine, .. } => (LineKind::Centreline, SEEN.spine(spine)),
        Form::Seam { spine } => (LineKind::Seam, SEEN.spine(spine)),
        Form::Outline { contours } => (LineKind::Outline, contours.iter().map(|c| SEEN.spine(c)).collect()),
    };
    let bounds = match &line.form {
        Form::Centreline { spine, .. } | Form::Seam { spine } => Bounds::of(&spine.points),
        Form::Outline { contours } => Bounds::of(contours.iter().flat_map(|c| &c.points)),
    };
    let width = match &line.form {
        Form::Centreline { width, .. } => width.iter().map(|k| k[1]).fold(0.0, f64::max),
        _ => 0.0,
    };
    LineView {
        id: line.id,
        kind,
        made: line.made,
        path,
        bounds: sides(&bounds),
        group: line.group,
        swatch: line.swatch.clone(),
        width: (width * 10.0).round() / 10.0,
    }
}

fn region_view(open: &Open, region: &Region) -> RegionView {
    RegionView {
        id: region.id,
        area: region.area,
        seed: region.seed,
        path: SEEN.rings(&region.rings),
        bounds: sides(&Bounds::of(region.rings.iter().flatten())),
        swatch: open.scene.fill(region.id).map(str::to_owned),
    }
}

/// What is shown of a drawing to somebody besides its lines, regions and findings.
pub fn frame(open: &Open, author: &str) -> DrawingFrame {
    let s = &open.stored;
    let progress = progress::of(&s.sheet, &open.scene);
    let traced = s.sheet.traced.is_some();
    let [undo, redo] = s.steps.of(author);
    let (lift, trouble) = match &*open.lifted {
        Ok((_, facts)) => (Some(facts.clone()), None),
        Err(e) => (None, Some(e.to_string())),
    };
    DrawingFrame {
        info: DrawingInfo {
            id: s.id,
            key: s.key.clone(),
            name: s.name.clone(),
            revision: s.revision,
            handed_off: s.handed_off == Some(s.revision),
            changed_since: s.handed_off.is_some_and(|h| h < s.revision),
            hold: s.hold,
            ready: store::is_ready(&progress),
            progress,
            changed_at: s.changed_at,
            changed_by: s.changed_by.clone(),
        },
        numbering: open.scene.numbering(),
        shot: s.shot,
        width: s.sheet.width,
        height: s.sheet.height,
        dpi: s.sheet.dpi,
        dpi_assumed: s.sheet.dpi_assumed,
        original: s.sheet.original,
        by_hand: s.sheet.by_hand.clone(),
        recipes: s.sheet.recipes.clone(),
        lift: if open.vector { None } else { lift },
        trouble,
        notes: s.notes.clone(),
        traced,
        stale: traced && !open.vector && !s.sheet.lines_are_current(),
        handmade: s.sheet.handmade(),
        undo,
        redo,
        steps: s.steps.done,
    }
}

/// What the front end shows of a drawing.
pub fn view(open: &Open, author: &str) -> DrawingView {
    let sheet = &open.stored.sheet;
    DrawingView {
        frame: frame(open, author),
        lines: sheet.lines.par_iter().map(|l| line_view(l)).collect(),
        regions: open.scene.regions.iter().collect::<Vec<_>>().into_par_iter().map(|r| region_view(open, r)).collect(),
        findings: if sheet.traced.is_some() { open.scene.findings.iter().cloned().collect() } else { Vec::new() },
    }
}

/// All that was touched of a drawing, as it is now: it goes, and comes again if it is still there.
pub fn patch(open: &Open, author: &str, touched: Touched) -> DrawingPatch {
    let Touched { lines, regions, refilled, findings, ink } = touched;
    let scene = &open.scene;
    let is_touched = |l: &&std::sync::Arc<Line>| lines.contains(&l.id);
    DrawingPatch {
        frame: frame(open, author),
        lines: open.stored.sheet.lines.iter().filter(is_touched).map(|l| line_view(l)).collect(),
        lines_gone: lines.into_iter().collect(),
        regions: regions.iter().filter_map(|&id| scene.regions.get(id)).map(|r| region_view(open, r)).collect(),
        refilled: refilled
            .difference(&regions)
            .map(|&region| Refilled { region, swatch: scene.fill(region).map(str::to_owned) })
            .collect(),
        regions_gone: regions.into_iter().collect(),
        findings: findings.iter().filter_map(|id| scene.findings.get(id)).cloned().collect(),
        findings_gone: findings.into_iter().collect(),
        inked: ink.iter().map(sides).collect(),
    }
}
