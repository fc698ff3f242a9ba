//! Steps of Paint that follow shapes: tones by a cut, by a direction of light, lines in the tone of what they bound, small
//! regions painted like what lies around them.

use super::join::seam_spine;
use super::limits::{counted, on_sheet};
use crate::error::Error;
use crate::geom::{Pt, pt};
use crate::model::line::{Form, Line, Made};
use crate::model::paint::{Drop, parted, toned};
use crate::model::recipe::px_per_mm;
use crate::model::sheet::Sheet;
use crate::paint::parting::{Part, in_steps, parted_by};
use crate::region::Region;
use crate::scene::Scene;
use rustc_hash::FxHashMap;
use std::sync::Arc;

/// Regions under this are not shaded by themselves, mm².
const LEAST_SHADED: f64 = 20.0;
/// A piece of a shaded region under this part of it is a crumb at the seam's end.
const CRUMB: usize = 100;
/// A side of a line takes its swatch from what lies so far off its middle, px.
const BESIDE: f64 = 1.6;

/// What is known of the paint at hand.
pub(super) struct Model<'a>(pub &'a [String]);

impl Model<'_> {
    /// The paint of a swatch in a tone. Errors: the swatch does not have it.
    fn toned(&self, paint: &str, tone: &str) -> Result<String, Error> {
        let name = toned(parted(paint).0, tone);
        if self.0.contains(&name) { Ok(name) } else { Err(Error::NoTone(name)) }
    }
}

/// Parts the regions that a stroke goes across by a seam; one side of each takes a tone: the smaller ones together, or the
/// larger.
pub(super) fn cut(
    after: &mut Sheet,
    scene: &Scene,
    model: &Model,
    path: &[Pt],
    (tone, larger): (&str, bool),
) -> Result<String, Error> {
    on_sheet(after, path)?;
    let whole = seam_spine(path, scene)?.flatten(0.2);
    let crossed = crossed(scene, &whole);
    if crossed.is_empty() {
        return Err(Error::Mismatch("the stroke goes across no painted region from line to line"));
    }
    // What lies before the first and behind the last of them is no part of the seam.
    let is_in = |p: &Pt| scene.regions.at(*p).is_some_and(|r| crossed.iter().any(|c| c.0.id == r.id));
    let steps: Vec<Pt> = in_steps(path, 1.0).into_iter().map(|s| s.0).collect();
    let (first, last) = (steps.iter().position(is_in), steps.iter().rposition(is_in));
    let spine = match (first, last) {
        (Some(first), Some(last)) if last > first + 1 => seam_spine(&steps[first..=last], scene)?,
        _ => seam_spine(path, scene)?,
    };
    let seam = spine.flatten(0.2);
    let parts: Vec<(&Region, Vec<Part>)> = crossed
        .iter()
        .map(|(r, _)| (*r, parted_by(&scene.regions.labels, r, &seam)))
        .filter(|c| c.1.len() > 1)
        .collect();
    let area = |turned: bool| -> usize {
        parts.iter().flat_map(|c| &c.1).filter(|p| p.turned == turned).map(|p| p.area).sum()
    };
    let side = (area(true) < area(false)) != larger;
    after.draw(Line::new(0, Form::Seam { spine }, Made::Hand));
    for (region, parts) in &parts {
        paint_parts(after, scene, model, region, parts, tone, |p| p.turned == side)?;
    }
    Ok(counted("toned", parts.len(), "region"))
}

/// The painted regions that a path parts, with their pieces.
fn crossed<'a>(scene: &'a Scene, path: &[Pt]) -> Vec<(&'a Region, Vec<Part>)> {
    let mut met: Vec<&Region> = Vec::new();
    for (p, _) in in_steps(path, 1.0) {
        if let Some(r) = scene.regions.at(p)
            && !met.iter().any(|m| m.id == r.id)
        {
            met.push(r);
        }
    }
    let painted = met.into_iter().filter(|r| scene.fill(r.id).is_some());
    painted.map(|r| (r, parted_by(&scene.regions.labels, r, path))).filter(|c| c.1.len() > 1).collect()
}

/// Paints the pieces of a region: those of the shaded side in a tone, the others as the region was.
fn paint_parts(
    after: &mut Sheet,
    scene: &Scene,
    model: &Model,
    region: &Region,
    parts: &[Part],
    tone: &str,
    is_toned: impl Fn(&Part) -> bool,
) -> Result<(), Error> {
    let Some(was) = scene.fill(region.id) else { return Ok(()) };
    let shade = model.toned(was, tone)?;
    after.drops.retain(|d| scene.regions.at(d.at).is_none_or(|r| r.id != region.id));
    for part in parts {
        after.drop_paint(Drop::by_hand(part.at, if is_toned(part) { shade.as_str() } else { was }));
    }
    Ok(())
}

/// Shades every painted region away from the light: its own border, moved towards the light, parts it. `light`: the way to
/// the light, degrees from x to y; `depth`: how far, mm.
pub(super) fn shade(
    after: &mut Sheet,
    scene: &Scene,
    model: &Model,
    (light, depth): (f64, f64),
    tone: &str,
) -> Result<String, Error> {
    if !light.is_finite() || !(0.2..=50.0).contains(&depth) {
        return Err(Error::Mismatch("a shade is 0.2 to 50 mm deep"));
    }
    let mm = px_per_mm(after.dpi);
    let (s, c) = light.to_radians().sin_cos();
    let towards = pt(c, s);
    let mut shaded = 0;
    let regions: Vec<&Region> = scene.regions.iter().collect();
    for region in regions {
        let Some(paint) = scene.fill(region.id) else { continue };
        let has_tone = parted(paint).1.is_none() && model.toned(paint, tone).is_ok();
        if !has_tone || (region.area as f64) < LEAST_SHADED * mm * mm {
            continue;
        }
        // A narrow region is shaded less deeply.
        let by = (depth * mm).min(0.3 * (region.area as f64).sqrt());
        let Some(path) = moved_border(scene, region, towards * by) else { continue };
        let Ok(spine) = seam_spine(&path, scene) else { continue };
        let seam = spine.flatten(0.2);
        let parts = parted_by(&scene.regions.labels, region, &seam);
        let parts: Vec<Part> = parts.into_iter().filter(|p| p.area * CRUMB > region.area).collect();
        // The side of the seam that looks away from the light, taken along all of it.
        let looks: f64 = seam.windows(2).map(|ends| (ends[1] - ends[0]).turned().dot(towards)).sum();
        let is_dark = |p: &Part| p.turned == (looks < 0.0);
        if parts.iter().all(is_dark) || !parts.iter().any(is_dark) {
            continue;
        }
        after.draw(Line::new(0, Form::Seam { spine }, Made::Hand));
        paint_parts(after, scene, model, region, &parts, tone, is_dark)?;
        shaded += 1;
    }
    if shaded == 0 {
        return Err(Error::Mismatch("no painted region is large enough and has that tone"));
    }
    Ok(counted("shaded", shaded, "region"))
}

/// The longest run of a region's outer border, moved, that lies in the region.
fn moved_border(scene: &Scene, region: &Region, by: Pt) -> Option<Vec<Pt>> {
    let ring = region.rings.first()?;
    let mut steps: Vec<Pt> = in_steps(ring, 3.0).into_iter().map(|s| s.0 + by).collect();
    let is_in = |p: &Pt| scene.regions.at(*p).is_some_and(|r| r.id == region.id);
    // The run may go on through where the border begins.
    let start = steps.iter().position(|p| !is_in(p))?;
    steps.rotate_left(start);
    let runs = steps.split(|p| !is_in(p)).filter(|run| run.len() > 8);
    let longest = runs.max_by_key(|run| run.len())?;
    // Its ends meet the border straight, not along it.
    Some(longest[2..longest.len() - 2].to_vec())
}

/// How much of a line's length lies beside each swatch, px, by its flattened middle.
fn beside(scene: &Scene, line: &Line) -> (FxHashMap<String, f64>, f64) {
    let path: Vec<Pt> = line.flat(0.5).iter().map(|f| f.p).collect();
    let (mut met, mut whole): (FxHashMap<String, f64>, f64) = (FxHashMap::default(), 0.0);
    for (p, along) in in_steps(&path, 4.0) {
        whole += 1.0;
        let mut here: Vec<&str> = Vec::new();
        for turn in [BESIDE, -BESIDE] {
            let region = scene.regions.at(p + along.turned() * turn);
            if let Some(paint) = region.and_then(|r| scene.fill(r.id)) {
                let swatch = parted(paint).0;
                if !here.contains(&swatch) {
                    here.push(swatch);
                    *met.entry(swatch.to_owned()).or_default() += 1.0;
                }
            }
        }
    }
    (met, whole)
}

/// Gives all lines that bound a swatch a colour; none: the ink's. A line bounds it with half of its length at least.
pub(super) fn colour_bounding(
    after: &mut Sheet,
    scene: &Scene,
    bounds: &str,
    paint: Option<&str>,
) -> Result<String, Error> {
    let is_bounding = |line: &Line| {
        let (met, whole) = beside(scene, line);
        met.get(bounds).is_some_and(|n| *n >= 0.5 * whole)
    };
    let mut n = 0;
    for line in after.lines.iter_mut().filter(|l| !l.is_seam() && l.swatch.as_deref() != paint) {
        if is_bounding(line) {
            colour(line, paint.map(str::to_owned));
            n += 1;
        }
    }
    Ok(counted("coloured", n, "line"))
}

/// Gives every line that has no colour of its own a tone of what it bounds most.
pub(super) fn tone_lines(after: &mut Sheet, scene: &Scene, model: &Model, tone: &str) -> Result<String, Error> {
    let mut n = 0;
    for line in after.lines.iter_mut().filter(|l| !l.is_seam() && l.swatch.is_none()) {
        let (met, _) = beside(scene, line);
        let most = met.into_iter().max_by(|a, b| a.1.total_cmp(&b.1).then_with(|| b.0.cmp(&a.0)));
        if let Some(paint) = most.and_then(|(swatch, _)| model.toned(&swatch, tone).ok()) {
            colour(line, Some(paint));
            n += 1;
        }
    }
    if n == 0 {
        return Err(Error::Mismatch("no line without a colour bounds paint that has that tone"));
    }
    Ok(counted("coloured", n, "line"))
}

/// Gives a line a colour; none: the ink's.
pub(super) fn colour(line: &mut Arc<Line>, paint: Option<String>) {
    let line = Arc::make_mut(line);
    line.swatch = paint;
    // Tracing again is to keep its colour.
    if line.made == Made::Traced {
        line.made = Made::Edited;
    }
}

/// Paints empty regions under an area, mm², as what they border on most.
pub(super) fn fill_specks(after: &mut Sheet, scene: &Scene, under: f64) -> Result<String, Error> {
    if !(0.0..=100.0).contains(&under) {
        return Err(Error::Mismatch("specks of regions have up to 100 mm²"));
    }
    let least = under * px_per_mm(after.dpi).powi(2);
    let labels = &scene.regions.labels;
    let mut new: Vec<Drop> = Vec::new();
    let small = scene.regions.iter().filter(|r| (r.area as f64) < least && scene.fill(r.id).is_none());
    for region in small {
        let [x0, y0, w, h] = region.bbox;
        let mut met: FxHashMap<&str, usize> = FxHashMap::default();
        for y in y0..y0 + h {
            for x in (x0..x0 + w).filter(|x| usize::from(*labels.at(*x, y)) == region.id as usize) {
                for (dx, dy) in [(1, 0), (-1, 0), (0, 1), (0, -1)] {
                    let there = labels.get(x as i64 + dx, y as i64 + dy).copied().unwrap_or(0);
                    if u32::from(there) != region.id
                        && let Some(paint) = scene.fill(u32::from(there))
                    {
                        *met.entry(paint).or_default() += 1;
                    }
                }
            }
        }
        let most = met.into_iter().max_by(|a, b| a.1.cmp(&b.1).then_with(|| b.0.cmp(a.0)));
        new.extend(most.map(|(paint, _)| Drop::by_hand(region.seed, paint)));
    }
    let label = counted("filled", new.len(), "small region");
    new.into_iter().for_each(|drop| after.drop_paint(drop));
    Ok(label)
}
