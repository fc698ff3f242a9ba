//! What the front end shows of a drawing, and what an edit changed of it.

use crate::api::{DrawingFrame, DrawingInfo, DrawingPatch, DrawingView, LineKind, LineView, Refilled, RegionView};
use crate::service::open::{Open, progress};
use crate::store;
use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Bounds, Pt};
use rhizograph_core::model::line::{Form, Line, unlike};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::region::Region;
use rhizograph_core::scene::SceneEdited;
use std::fmt::Write as _;

fn number(out: &mut String, v: f64) {
    // Tenths, as whole numbers: a drawing has millions.
    let tenths = (v * 10.0).round() as i64;
    let sign = if tenths < 0 { "-" } else { "" };
    let (whole, tenth) = (tenths.unsigned_abs() / 10, tenths.unsigned_abs() % 10);
    let _ = if tenth == 0 { write!(out, "{sign}{whole}") } else { write!(out, "{sign}{whole}.{tenth}") };
}

pub fn spine_path(spine: &Spine) -> String {
    let mut d = String::new();
    let mut put = |cmd: &str, p: Pt| {
        d.push_str(cmd);
        number(&mut d, p.x);
        d.push(' ');
        number(&mut d, p.y);
    };
    for (i, &p) in spine.points.iter().enumerate() {
        put(
            if i == 0 {
                "M"
            } else if i % 3 == 1 {
                "C"
            } else {
                " "
            },
            p,
        );
    }
    if spine.closed {
        d.push('Z');
    }
    d
}

pub fn polyline_path(points: &[Pt]) -> String {
    let mut d = String::new();
    for (i, p) in points.iter().enumerate() {
        d.push(if i == 0 { 'M' } else { 'L' });
        number(&mut d, p.x);
        d.push(' ');
        number(&mut d, p.y);
    }
    d
}

fn sides(b: &Bounds) -> [f64; 4] {
    [b.min.x, b.min.y, b.max.x, b.max.y]
}

pub fn rings_path(rings: &[Vec<Pt>]) -> String {
    let mut d = String::new();
    for ring in rings {
        d.push_str(&polyline_path(ring));
        d.push('Z');
    }
    d
}

pub fn line_view(line: &Line) -> LineView {
    let (kind, path) = match &line.form {
        Form::Centreline { spine, .. } => (LineKind::Centreline, spine_path(spine)),
        Form::Seam { spine } => (LineKind::Seam, spine_path(spine)),
        Form::Outline { contours } => (LineKind::Outline, contours.iter().map(spine_path).collect()),
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
        path: rings_path(&region.rings),
        bounds: sides(&Bounds::of(region.rings.iter().flatten())),
        swatch: open.scene.fill(region.id).map(str::to_owned),
    }
}

/// What is shown of a drawing to somebody besides its lines, regions and findings.
pub fn frame(open: &Open, author: &str) -> DrawingFrame {
    let s = &open.stored;
    let progress = progress(&s.sheet, &open.scene);
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
        lines: sheet.lines.iter().map(|l| line_view(l)).collect(),
        regions: open.scene.regions.iter().map(|r| region_view(open, r)).collect(),
        findings: if sheet.traced.is_some() { open.scene.findings.iter().cloned().collect() } else { Vec::new() },
    }
}

/// What an edit from `before` changed of it.
pub fn patch(open: &Open, author: &str, before: &Sheet, edited: &SceneEdited) -> DrawingPatch {
    let sheet = &open.stored.sheet;
    let (gone, came) = unlike(&before.lines, &sheet.lines);
    let scene = &open.scene;
    let made = |ids: &[u32]| ids.iter().filter_map(|&id| scene.regions.get(id)).map(|r| region_view(open, r)).collect();
    DrawingPatch {
        frame: frame(open, author),
        lines_gone: gone.into_iter().map(|l| l.id).collect(),
        lines: came.into_iter().map(|l| line_view(l)).collect(),
        regions_gone: edited.regions.gone.clone(),
        regions: made(&edited.regions.made),
        refilled: edited
            .refilled
            .iter()
            .map(|&region| Refilled { region, swatch: scene.fill(region).map(str::to_owned) })
            .collect(),
        findings_gone: edited.findings.gone.clone(),
        findings: edited.findings.made.iter().filter_map(|id| scene.findings.get(id)).cloned().collect(),
        inked: edited.ink.iter().map(sides).collect(),
    }
}
