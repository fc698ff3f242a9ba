//! Trace: from lifted ink to lines.
//!
//! Ink up to the widest line becomes centrelines with their varying width, broader ink and dots become outlines. The
//! skeleton gives what is connected with what (so every hole of the ink is enclosed by lines and every piece is one
//! piece); the grey edge gives where the middle is. A crossing is two lines through one point, a T is one line that
//! ends on another's body, a corner is sharp where the ink is sharp.

mod again;
mod branch;
mod course;
mod fit;
mod graph;
mod lead;
mod meet;
mod middle;
mod path;
mod walk;

pub use again::without_covered;
pub use fit::fit as fit_curves;

use crate::geom::Pt;
use crate::lift::{bits, unmet};
use crate::model::line::{Form, Line, Made};
use crate::model::recipe::{TraceRecipe, px_per_mm};
use crate::raster::components::{Component, Pieces};
use crate::raster::contour::rings_around;
use crate::raster::distance::{squared_distance, squared_distance_to};
use crate::raster::ink::{IS_INK, Ink, POCKET};
use crate::raster::plane::Plane;
use crate::raster::thinning::thin;
use graph::{Graph, LOOP};
use path::{Break, corners, spine_through};
use rayon::prelude::*;
use std::borrow::Cow;
use std::ops::Range;

/// What is traced whatever the recipe: the ink's pixels, how deep each lies, the skeleton.
pub struct Bones {
    mask: Plane<bool>,
    squared: Plane<u32>,
    skeleton: Plane<bool>,
}

impl Bones {
    pub fn of(alpha: &Plane<u8>) -> Bones {
        let mut mask = alpha.map(|&a| a >= IS_INK);
        // Where two edges run together single pixels stay pale: no room, and nothing to lead a line round.
        let pores = bits(alpha, false, POCKET as f64, false);
        pores.list.iter().for_each(|bit| pores.each_pixel(bit, |x, y| mask.set(x, y, true)));
        let squared = squared_distance(&mask);
        let skeleton = thin(&squared);
        Bones { mask, squared, skeleton }
    }
}

/// Traces ink. Lines get ids from `first_id` on, outlines first, then by place, so the same ink gives the same lines.
///
/// ```
/// use rhizograph_core::model::recipe::TraceRecipe;
/// use rhizograph_core::raster::{ink::Ink, plane::Plane};
/// use rhizograph_core::trace::trace;
///
/// let mut alpha = Plane::new(200, 100, 0u8);
/// for y in 47..53 {
///     (30..170).for_each(|x| alpha.set(x, y, 255));
/// }
/// let lines = trace(&Ink::plain(alpha, [0; 3]), &TraceRecipe::default(), 300.0, 1);
/// assert_eq!(lines.len(), 1);
/// assert!(lines[0].flat(0.1).iter().all(|f| (f.p.y - 50.0).abs() < 0.5));
/// ```
pub fn trace(ink: &Ink, recipe: &TraceRecipe, dpi: f64, first_id: u64) -> Vec<Line> {
    trace_bones(&Bones::of(&ink.alpha), &ink.alpha, recipe, dpi, first_id)
}

/// The same from bones that are at hand. `alpha`: the ink they are of.
pub fn trace_bones(bones: &Bones, alpha: &Plane<u8>, recipe: &TraceRecipe, dpi: f64, first_id: u64) -> Vec<Line> {
    let squared = &bones.squared;
    let mut mask = Cow::Borrowed(&bones.mask);
    let mut skeleton = bones.skeleton.clone();
    let smallest = recipe.smallest_piece * px_per_mm(dpi).powi(2);
    if smallest > 1.0 {
        let small = bits(alpha, true, smallest, false);
        let mask = mask.to_mut();
        small.list.iter().for_each(|bit| {
            small.each_pixel(bit, |x, y| {
                mask.set(x, y, false);
                skeleton.set(x, y, false);
            });
        });
    }
    let radius = recipe.widest_line * px_per_mm(dpi) / 2.0;
    let solid = broad(squared, radius);
    if let Some(s) = &solid {
        // The skeleton reaches two pixels into the solid, so that its line crosses the solid's edge.
        let width = skeleton.width;
        let deep = |i: usize| s.data[i] && !is_near_edge(s, i % width, i / width);
        skeleton.data.par_iter_mut().enumerate().for_each(|(i, k)| *k = *k && !deep(i));
    }
    let mut graph = Graph::of(&skeleton, squared, solid.as_ref());
    graph.prune();
    drop_stubs(&mut graph, solid.as_ref(), radius);
    graph.merge_crossings();
    let strokes = walk::strokes(&mut graph, alpha, solid.as_ref(), recipe.tolerance);
    let solid = absorb(&mask, solid, &graph);
    outlines(alpha, &mask, &solid, recipe.tolerance)
        .into_iter()
        .chain(strokes)
        .zip(first_id..)
        .map(|(form, id)| Line::new(id, form, Made::Traced))
        .collect()
}

/// The ink that a disc of `radius` fits into (its opening), in pieces that are clearly broader; `None` without any.
fn broad(squared: &Plane<u32>, radius: f64) -> Option<Plane<bool>> {
    let limit = (radius + 0.5).powi(2) as u32;
    let core = squared.map(|&d| d > limit);
    if !core.data.iter().any(|&c| c) {
        return None;
    }
    let cores = Pieces::of(&core, true).list;
    // A pixel more, so that no rim is left where the edge slants.
    let reach = radius + 1.0;
    let mut opened = Plane::new(core.width, core.height, false);
    let windows = around(&cores, reach.ceil() as usize, [core.width, core.height]);
    let near = windows.par_iter().map(|&window| squared_distance_to(&core.part(window)));
    for ([x, y, w, _], near) in windows.iter().zip(near.collect::<Vec<_>>()) {
        for (k, near) in near.data.chunks(*w).enumerate() {
            let here = (y + k) * core.width + x..(y + k) * core.width + x + w;
            let of = opened.data[here.clone()].iter_mut().zip(&squared.data[here]).zip(near);
            of.for_each(|((o, &d), &n)| *o |= d > 0 && n <= (reach * reach) as u32);
        }
    }
    let pieces = Pieces::of(&opened, true);
    let mut deepest = vec![0u32; pieces.list.len()];
    let deep = |span: Range<usize>| squared.data[span].iter().copied().max().unwrap_or(0);
    pieces.spans().for_each(|(n, span)| deepest[n] = deepest[n].max(deep(span)));
    let clear = (1.15 * radius + 0.5).powi(2) as u32;
    pieces.spans().filter(|(n, _)| deepest[*n] <= clear).for_each(|(_, span)| opened.data[span].fill(false));
    deepest.iter().any(|&d| d > clear).then_some(opened)
}

/// Windows (left, top, width, height) that hold all within `reach` of the pieces; all of the plane where they overlap much.
fn around(pieces: &[Component], reach: usize, [width, height]: [usize; 2]) -> Vec<[usize; 4]> {
    let window = |p: &Component| {
        let (x0, y0) = (p.bounds.0.saturating_sub(reach), p.bounds.1.saturating_sub(reach));
        let (x1, y1) = ((p.bounds.2 + reach).min(width), (p.bounds.3 + reach).min(height));
        [x0, y0, x1 - x0, y1 - y0]
    };
    let windows: Vec<_> = pieces.iter().map(window).collect();
    let area: usize = windows.iter().map(|w| w[2] * w[3]).sum();
    if area < width * height { windows } else { vec![[0, 0, width, height]] }
}

/// Whether something that is not in the set, or the plane's border, lies within two pixels of a place of it.
fn is_near_edge(set: &Plane<bool>, x: usize, y: usize) -> bool {
    let (x, y) = (x as i64, y as i64);
    let mut near =
        (-2i64..=2).flat_map(|dy| (-2i64..=2).map(move |dx| (dx, dy))).filter(|(dx, dy)| dx * dx + dy * dy <= 5);
    near.any(|(dx, dy)| !set.get(x + dx, y + dy).copied().unwrap_or(false))
}

/// Takes away what is no line: branches wholly inside solid ink, stubs from a solid into its own corner, dots.
fn drop_stubs(graph: &mut Graph, solid: Option<&Plane<bool>>, radius: f64) {
    let inside = |p: &Pt| solid.is_some_and(|s| s.get(p.x as i64, p.y as i64).copied().unwrap_or(false));
    let degree: Vec<usize> = graph.incidence().iter().map(Vec::len).collect();
    for k in 0..graph.edges.len() {
        let Some(e) = &graph.edges[k] else { continue };
        if e.a == LOOP {
            continue;
        }
        let (a, b) = (&graph.nodes[e.a], &graph.nodes[e.b]);
        let length = e.len()
            + e.points.first().map_or(a.at.dist(b.at), |p| p.dist(a.at) + e.points[e.points.len() - 1].dist(b.at));
        let within = a.in_solid && b.in_solid && e.points.iter().all(inside);
        let free = |n: usize| degree[n] == 1 && !graph.nodes[n].in_solid;
        let held = |n: usize| degree[n] == 1 && graph.nodes[n].in_solid;
        let tip = if free(e.a) && held(e.b) {
            Some(a.radius)
        } else if free(e.b) && held(e.a) {
            Some(b.radius)
        } else {
            None
        };
        // A corner of the solid opens towards it all the way; what stays equally thin is a line, however short.
        let is_even = || {
            let mut sorted = e.radius.clone();
            sorted.sort_by(f64::total_cmp);
            let usual = sorted.get(sorted.len() / 2).copied().unwrap_or(0.0);
            let even = sorted.iter().filter(|&r| (r - usual).abs() <= 0.2 * usual + 0.5).count();
            even as f64 >= 1.5 * usual + 6.0
        };
        let stub = tip.is_some_and(|t| length + t < 1.7 * radius) && !is_even();
        let widest = e.radius.iter().copied().fold(a.radius.max(b.radius), f64::max);
        let dot = free(e.a) && free(e.b) && length < 1.5 * widest;
        if within || stub || dot {
            graph.edges[k] = None;
        }
    }
}

/// Solid ink and all ink that no line runs through.
fn absorb(mask: &Plane<bool>, solid: Option<Plane<bool>>, graph: &Graph) -> Plane<bool> {
    let mut rest = mask.map(|&m| if m { 255u8 } else { 0 });
    if let Some(s) = &solid {
        rest.data.par_iter_mut().zip(&s.data).for_each(|(r, &s)| *r = if s { 0 } else { *r });
    }
    let lines = graph.edges.iter().flatten().flat_map(|e| {
        let ends = if e.a == LOOP { None } else { Some([graph.nodes[e.a].at, graph.nodes[e.b].at]) };
        e.points.iter().copied().chain(ends.into_iter().flatten())
    });
    let mut out = unmet(&rest, lines.map(|p| (p.x as i64, p.y as i64)));
    if let Some(s) = &solid {
        out.data.par_iter_mut().zip(&s.data).for_each(|(o, &s)| *o |= s);
    }
    out
}

fn outlines(alpha: &Plane<u8>, mask: &Plane<bool>, solid: &Plane<bool>, tolerance: f64) -> Vec<Form> {
    let pieces = Pieces::of(solid, true);
    let mut spans: Vec<Vec<Range<usize>>> = vec![Vec::new(); pieces.list.len()];
    pieces.spans().for_each(|(n, span)| spans[n].push(span));
    pieces
        .list
        .par_iter()
        .zip(spans)
        .map(|(piece, spans)| {
            let (left, top, right, bottom) = piece.bounds;
            let mut own = Plane::new(right - left, bottom - top, false);
            for span in spans {
                let at = (span.start / solid.width - top) * own.width + span.start % solid.width - left;
                own.data[at..at + span.len()].fill(true);
            }
            let (left, top) = (left as i64, top as i64);
            let is_own = |x: i64, y: i64| own.get(x - left, y - top) == Some(&true);
            let field = |x: i64, y: i64| {
                let Some(&covered) = alpha.get(x, y) else {
                    return 0.0;
                };
                let covered = f64::from(covered);
                if is_own(x, y) {
                    covered.max(128.0)
                } else if mask.get(x, y) == Some(&true) {
                    // A line that runs into the solid: the solid's edge goes across it, half way between the pixels.
                    (255.0 - covered).min(127.0)
                } else {
                    covered.min(127.0)
                }
            };
            let around = (left - 1, top - 1, right as i64 + 1, bottom as i64 + 1);
            let rings = rings_around(is_own, field, around);
            let contours = rings
                .iter()
                .map(|ring| {
                    let sharp: Vec<Break> =
                        corners(ring, 4.0, true).into_iter().map(|at| Break { at, sharp: true }).collect();
                    spine_through(ring, &sharp, true, tolerance)
                })
                .collect();
            Form::Outline { contours }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster::components::components;
    use proptest::prelude::*;

    /// The opening by its definition, all over the plane.
    fn plainly(squared: &Plane<u32>, radius: f64) -> Option<Plane<bool>> {
        let core = squared.map(|&d| d > (radius + 0.5).powi(2) as u32);
        let reach = (radius + 1.0).powi(2) as u32;
        let mut opened = squared_distance_to(&core).map(|&d| d <= reach);
        opened.data.iter_mut().zip(&squared.data).for_each(|(o, &d)| *o &= d > 0);
        let (labels, pieces) = components(&opened, true);
        let mut deepest = vec![0u32; pieces.len() + 1];
        labels.data.iter().zip(&squared.data).for_each(|(&l, &d)| deepest[l as usize] = deepest[l as usize].max(d));
        let clear = (1.15 * radius + 0.5).powi(2) as u32;
        let kept = labels.map(|&l| l > 0 && deepest[l as usize] > clear);
        kept.data.iter().any(|&k| k).then_some(kept)
    }

    proptest! {
        #[test]
        fn what_is_broad_is_the_opening_and_its_edge_is_two_pixels(
            discs in proptest::collection::vec((0i64..90, 0i64..70, 1i64..13), 1..9), radius in 1.0f64..8.0,
        ) {
            let mut mask = Plane::new(90, 70, false);
            for y in 0..70i64 {
                for x in 0..90i64 {
                    let is_in = discs.iter().any(|(u, v, r)| (x - u).pow(2) + (y - v).pow(2) <= r * r);
                    mask.set(x as usize, y as usize, is_in);
                }
            }
            let squared = squared_distance(&mask);
            let broad = broad(&squared, radius);
            prop_assert_eq!(&broad, &plainly(&squared, radius));
            let Some(solid) = broad else { return Ok(()) };
            let deep = squared_distance(&solid);
            for y in 0..70 {
                for x in 0..90 {
                    prop_assert_eq!(is_near_edge(&solid, x, y), *deep.at(x, y) <= 5);
                }
            }
        }
    }
}
