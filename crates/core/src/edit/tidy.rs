//! Shapes tidied: what is one is made one, what is hidden is taken away; the picture stays.

use crate::draw::area_of;
use crate::geom::area::{Rings, common, size, swept, united, without};
use crate::geom::flat::FlatPoint;
use crate::geom::{Bounds, Pt};
use crate::join::shape as solid;
use crate::model::line::{Form, Line};
use crate::model::pixels::bounds_of;
use crate::model::sheet::Sheet;
use crate::region::arrangement::from_grid;
use crate::scene::Scene;
use rustc_hash::{FxHashMap, FxHashSet};
use std::sync::Arc;

/// So far within the edge of what hides it a shape is cut, px: the softness of that edge shows what lies under it.
const TUCKED: f64 = 1.5;
/// Less than this is no overlap that anybody means, px².
const LEAST: f64 = 2.0;
/// How far beside a seam its sides are asked for their paint, px.
const ASIDE: f64 = 0.75;

/// What was done.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
pub(super) struct Tidied {
    /// Shapes that went into others.
    pub fused: usize,
    /// Shapes that were cut where they are hidden.
    pub cut: usize,
    /// Lines that were hidden as a whole.
    pub hidden: usize,
    /// Seams with the same paint on both sides.
    pub seams: usize,
}

/// A line with its area, as long as it is there.
struct Shape {
    line: Arc<Line>,
    area: Rings,
    bounds: Bounds,
    changed: bool,
}

fn is_opaque(l: &Line) -> bool {
    l.is_drawn() && l.opacity == 1.0 && !l.is_seam()
}

fn is_solid(l: &Line) -> bool {
    is_opaque(l) && matches!(l.form, Form::Outline { .. })
}

fn area(shapes: &[Rings]) -> f64 {
    shapes.iter().map(|s| size(s)).sum()
}

/// What lies farther within an area than [`TUCKED`].
fn well_within(of: &Rings) -> Rings {
    let edge = |r: &Vec<Pt>| {
        swept(&r.iter().chain(r.first()).map(|&p| FlatPoint { p, width: 2.0 * TUCKED }).collect::<Vec<_>>())
    };
    of.iter().fold(of.clone(), |left, ring| without(&left, &edge(ring)).concat())
}

/// Tidies some lines of a sheet.
pub(super) fn tidy(after: &mut Sheet, scene: &Scene, is_meant: impl Fn(&Line) -> bool) -> Tidied {
    // From the lowest to the topmost; what is not drawn lies between them as a whole.
    let shape = |l: &Arc<Line>| Shape { line: l.clone(), area: area_of(l), bounds: bounds_of(l), changed: false };
    let drawn = after.lines.iter().filter(|l| l.is_drawn() && !l.is_seam());
    let mut shapes: Vec<Option<Shape>> = drawn.map(|l| Some(shape(l))).collect();
    let fused = fuse(&mut shapes, after, &is_meant);
    let [cut, hidden] = hide(&mut shapes, &is_meant);
    let left: FxHashMap<u64, Shape> = shapes.into_iter().flatten().map(|s| (s.line.id, s)).collect();
    after.lines.retain_mut(|line| {
        if !line.is_drawn() || line.is_seam() {
            return true;
        }
        let Some(shape) = left.get(&line.id) else { return false };
        if shape.changed {
            *line = Arc::new(solid(line, &shape.area));
        }
        true
    });
    let idle = idle_seams(scene);
    let n = after.lines.len();
    after.lines.retain(|l| !(idle.contains(&l.id) && is_meant(l)));
    Tidied { fused, cut, hidden, seams: n - after.lines.len() }
}

/// Makes one of shapes of one colour that lie on one another, the lower into the upper one; how many went.
fn fuse(shapes: &mut [Option<Shape>], sheet: &Sheet, is_meant: &impl Fn(&Line) -> bool) -> usize {
    let of_lifted = sheet.order_of_lifted();
    let lifted: Vec<Bounds> =
        sheet.lines.iter().filter(|l| !l.is_drawn() && !l.is_seam()).map(|l| bounds_of(l)).collect();
    let mut fused = 0;
    for k in 0..shapes.len() {
        // The nearest one below first.
        for n in (0..k).rev() {
            let (Some(upper), Some(lower)) = (&shapes[k], &shapes[n]) else { continue };
            let are_meant = [upper, lower].iter().all(|s| is_solid(&s.line) && is_meant(&s.line));
            let is_alike = upper.line.swatch == lower.line.swatch && upper.bounds.touches(&lower.bounds);
            if !are_meant || !is_alike || area(&common(&upper.area, &lower.area)) < LEAST {
                continue;
            }
            // What lies between them and over the lower one would come to lie under it.
            let hides = |s: &Shape| {
                let is_other = s.line.swatch != lower.line.swatch || s.line.opacity < 1.0;
                is_other && s.bounds.touches(&lower.bounds) && !common(&s.area, &lower.area).is_empty()
            };
            let is_parted = lower.line.order < of_lifted
                && of_lifted <= upper.line.order
                && lower.line.swatch.is_some()
                && lifted.iter().any(|b| b.touches(&lower.bounds));
            if is_parted || shapes[n + 1..k].iter().flatten().any(hides) {
                continue;
            }
            let one = united(&upper.area, &lower.area).concat();
            let bounds = upper.bounds.around(&lower.bounds);
            shapes[k] = Some(Shape { line: upper.line.clone(), area: one, bounds, changed: true });
            shapes[n] = None;
            fused += 1;
        }
    }
    fused
}

/// Cuts shapes where others of another colour hide them, and takes away what is hidden whole; how many of each.
fn hide(shapes: &mut [Option<Shape>], is_meant: &impl Fn(&Line) -> bool) -> [usize; 2] {
    let [mut cut, mut hidden] = [0, 0];
    for k in (0..shapes.len()).rev() {
        let (below, rest) = shapes.split_at_mut(k);
        let Some(upper) = rest[0].as_ref().filter(|s| is_solid(&s.line) && is_meant(&s.line)) else { continue };
        let mut within: Option<Rings> = None;
        for lower in below {
            let Some(s) = lower.as_mut().filter(|s| s.bounds.touches(&upper.bounds) && is_meant(&s.line)) else {
                continue;
            };
            if s.line.swatch == upper.line.swatch || area(&common(&s.area, &upper.area)) < LEAST {
                continue;
            }
            let left = without(&s.area, within.get_or_insert_with(|| well_within(&upper.area)));
            if area(&left) < LEAST {
                *lower = None;
                hidden += 1;
            } else if is_solid(&s.line) && area(&left) < size_of(&s.area) - LEAST {
                s.area = left.concat();
                s.changed = true;
                cut += 1;
            }
        }
    }
    [cut, hidden]
}

/// How large an area is by the even-odd rule, px².
fn size_of(rings: &Rings) -> f64 {
    area(&united(rings, &[]))
}

/// The seams that part something, and nothing but the same paint from itself.
fn idle_seams(scene: &Scene) -> FxHashSet<u64> {
    let seams: FxHashSet<usize> = scene.network.lines().filter(|(_, l)| l.is_seam()).map(|(n, _)| n).collect();
    let mut is_idle: FxHashMap<usize, bool> = FxHashMap::default();
    if seams.is_empty() {
        return FxHashSet::default();
    }
    for ([a, b], owners, [left, right]) in scene.network.arrangement.edges() {
        let [owner] = owners[..] else { continue };
        // What only reaches into a face parts nothing.
        if left == right || !seams.contains(&(owner as usize)) {
            continue;
        }
        let (a, b) = (from_grid(a), from_grid(b));
        let aside = (b - a).unit().turned() * ASIDE;
        let paint = |p: Pt| scene.regions.at(p).and_then(|r| scene.fill(r.id));
        let middle = a.lerp(b, 0.5);
        let (one, other) = (paint(middle + aside), paint(middle - aside));
        *is_idle.entry(owner as usize).or_insert(true) &= one.is_some() && one == other;
    }
    let id = |n: usize| scene.network.line(n).map(|l| l.id);
    is_idle.into_iter().filter(|(_, idle)| *idle).filter_map(|(n, _)| id(n)).collect()
}

impl Tidied {
    /// In words; `None`: nothing was there to be tidied.
    pub fn told(&self) -> Option<String> {
        let Tidied { fused, cut, hidden, seams } = *self;
        let parts = [(fused, "fused"), (cut, "cut"), (hidden, "hidden taken away"), (seams, "idle seams")];
        let said: Vec<String> = parts.iter().filter(|p| p.0 > 0).map(|(n, what)| format!("{n} {what}")).collect();
        (!said.is_empty()).then(|| format!("tidied: {}", said.join(", ")))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geom::pt;

    #[test]
    fn what_lies_well_within_is_smaller_by_its_margin() {
        let square = vec![pt(0.0, 0.0), pt(20.0, 0.0), pt(20.0, 10.0), pt(0.0, 10.0)];
        let left = well_within(&vec![square]);
        assert!((size(&left) - 17.0 * 7.0).abs() < 0.5, "{}", size(&left));
    }

    #[test]
    fn only_what_was_done_is_told() {
        assert_eq!(Tidied::default().told(), None);
        let done = Tidied { fused: 2, cut: 0, hidden: 1, seams: 3 };
        assert_eq!(done.told().unwrap(), "tidied: 2 fused, 1 hidden taken away, 3 idle seams");
    }
}
