//! Trace: from lifted ink to lines.
//!
//! Ink up to the widest line becomes centrelines with their varying width, broader ink and dots become outlines. The
//! skeleton gives what is connected with what (so every hole of the ink is enclosed by lines and every piece is one
//! piece); the grey edge gives where the middle is. A crossing is two lines through one point, a T is one line that
//! ends on another's body, a corner is sharp where the ink is sharp.

mod again;
mod contour;
mod fit;
mod graph;
mod middle;
mod path;
pub(crate) mod thinning;

pub use again::without_covered;
pub use contour::{rings as rings_within, rings_of};
pub use fit::fit as fit_curves;
pub use thinning::thin;

use crate::distance::{squared_distance, squared_distance_to};
use crate::geom::{Pt, angle_between, outward_from, polyline_len, pt};
use crate::ink::{IS_INK, Ink};
use crate::lift::{bits, components};
use crate::line::{End, Form, Line, Made, thin_profile};
use crate::plane::Plane;
use crate::recipe::{TraceRecipe, px_per_mm};
use graph::{Graph, LOOP};
use middle::Sample;
use path::{Break, corners, spine_through};
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use std::borrow::Cow;

/// What is traced whatever the recipe: the ink's pixels, how deep each lies, the skeleton.
pub struct Bones {
    mask: Plane<bool>,
    squared: Plane<u32>,
    skeleton: Plane<bool>,
}

impl Bones {
    pub fn of(alpha: &Plane<u8>) -> Bones {
        let mask = alpha.map(|&a| a >= IS_INK);
        let squared = squared_distance(&mask);
        let skeleton = thinning::thin(&squared);
        Bones { mask, squared, skeleton }
    }
}

/// Traces ink. Lines get ids from `first_id` on, outlines first, then by place, so the same ink gives the same lines.
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
        let deep = squared_distance(s);
        skeleton.data.iter_mut().zip(&deep.data).for_each(|(k, &d)| *k &= d <= 5);
    }
    let mut graph = Graph::of(&skeleton, squared, solid.as_ref());
    graph.prune();
    drop_stubs(&mut graph, solid.as_ref(), radius);
    graph.merge_crossings();
    let strokes = strokes(&mut graph, alpha, recipe.tolerance);
    let solid = absorb(&mask, solid, &graph);
    outlines(alpha, &mask, &solid, recipe.tolerance)
        .into_iter()
        .chain(strokes)
        .zip(first_id..)
        .map(|(form, id)| Line { id, form, made: Made::Traced, swatch: None, opacity: 1.0, group: None })
        .collect()
}

/// The ink that a disc of `radius` fits into (its opening), in pieces that are clearly broader; `None` without any.
fn broad(squared: &Plane<u32>, radius: f64) -> Option<Plane<bool>> {
    let limit = (radius + 0.5).powi(2) as u32;
    let core = squared.map(|&d| d > limit);
    if !core.data.iter().any(|&c| c) {
        return None;
    }
    let reach = (radius * radius) as u32;
    let mut opened = squared_distance_to(&core).map(|&d| d <= reach);
    opened.data.iter_mut().zip(&squared.data).for_each(|(o, &d)| *o &= d > 0);
    let (labels, pieces) = components(&opened, true);
    let mut deepest = vec![0u32; pieces.len() + 1];
    labels.data.iter().zip(&squared.data).for_each(|(&l, &d)| deepest[l as usize] = deepest[l as usize].max(d));
    let clear = (1.15 * radius + 0.5).powi(2) as u32;
    let kept = labels.map(|&l| l > 0 && deepest[l as usize] > clear);
    kept.data.iter().any(|&k| k).then_some(kept)
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
    let mut rest = mask.clone();
    if let Some(s) = &solid {
        rest.data.iter_mut().zip(&s.data).for_each(|(r, &s)| *r &= !s);
    }
    let (labels, pieces) = components(&rest, true);
    let mut has_line = vec![false; pieces.len() + 1];
    let mut visit = |p: Pt| {
        let (x, y) = (p.x as i64, p.y as i64);
        for dy in -1..=1 {
            for dx in -1..=1 {
                has_line[labels.get(x + dx, y + dy).copied().unwrap_or(0) as usize] = true;
            }
        }
    };
    for e in graph.edges.iter().flatten() {
        e.points.iter().for_each(|&p| visit(p));
        if e.a != LOOP {
            visit(graph.nodes[e.a].at);
            visit(graph.nodes[e.b].at);
        }
    }
    has_line[0] = true;
    let mut out = labels.map(|&l| !has_line[l as usize]);
    if let Some(s) = &solid {
        out.data.iter_mut().zip(&s.data).for_each(|(o, &s)| *o |= s);
    }
    out
}

fn outlines(alpha: &Plane<u8>, mask: &Plane<bool>, solid: &Plane<bool>, tolerance: f64) -> Vec<Form> {
    let (labels, pieces) = components(solid, true);
    pieces
        .par_iter()
        .enumerate()
        .map(|(k, piece)| {
            let mine = k as u32 + 1;
            let field = |x: i64, y: i64| {
                let Some(&label) = labels.get(x, y) else {
                    return 0.0;
                };
                let (x, y) = (x as usize, y as usize);
                let covered = f64::from(*alpha.at(x, y));
                if label == mine {
                    covered.max(128.0)
                } else if *mask.at(x, y) {
                    // A line that runs into the solid: the solid's edge goes across it, half way between the pixels.
                    255.0 - covered
                } else {
                    covered.min(127.0)
                }
            };
            let b = piece.bounds;
            let rings = contour::rings(field, (b.0 as i64 - 1, b.1 as i64 - 1, b.2 as i64 + 1, b.3 as i64 + 1));
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

/// A branch measured, ready to be strung with others.
#[derive(Clone)]
struct Branch {
    a: usize,
    b: usize,
    samples: Vec<Sample>,
    /// Distances to the paper, in step with the samples.
    radius: Vec<f64>,
    /// The width where nothing could be measured.
    usual: f64,
}

/// The lines of all branches; those of which no line comes are taken away, so that their ink is not passed over.
fn strokes(graph: &mut Graph, alpha: &Plane<u8>, tolerance: f64) -> Vec<Form> {
    let mut branches = measured(graph, alpha);
    let mut degree: Vec<usize> = graph.incidence().iter().map(Vec::len).collect();
    let mut cut = branches.clone();
    trim(graph, &degree, alpha, &mut cut);
    let mut places = node_places(graph, &cut, &degree);
    // Two Ts whose lines meet at one place are one crossing.
    if graph.merge_meeting(&places) {
        for (b, e) in branches.iter_mut().zip(&graph.edges) {
            match (b.as_mut(), e) {
                (Some(b), Some(e)) => (b.a, b.b) = (e.a, e.b),
                _ => *b = None,
            }
        }
        degree = graph.incidence().iter().map(Vec::len).collect();
        cut = branches;
        trim(graph, &degree, alpha, &mut cut);
        places = node_places(graph, &cut, &degree);
    }
    let tips: Vec<bool> = degree.iter().zip(&graph.nodes).map(|(d, n)| *d == 1 && !n.in_solid).collect();
    let mut forms = Vec::new();
    for (walk, form) in string_all(graph, &cut, &places, &tips, tolerance) {
        match form {
            Some(form) => forms.push(form),
            None => walk.iter().for_each(|&(k, _)| graph.edges[k] = None),
        }
    }
    forms
}

/// All branches with their middles measured.
fn measured(graph: &Graph, alpha: &Plane<u8>) -> Vec<Option<Branch>> {
    graph
        .edges
        .par_iter()
        .map(|edge| {
            let e = edge.as_ref()?;
            let closed = e.a == LOOP;
            let samples = middle::measure(alpha, &e.points, &e.radius, closed);
            let mut radius = e.radius.clone();
            radius.sort_by(f64::total_cmp);
            let usual = match radius.get(radius.len() / 2) {
                Some(r) => 2.0 * r,
                None => 2.0 * graph.nodes[e.a].radius.min(graph.nodes[e.b].radius),
            };
            Some(Branch { a: e.a, b: e.b, samples, radius: e.radius.clone(), usual })
        })
        .collect()
}

/// Leaves out what lies at crossings and corners, where a line's own edges cannot be seen, and carries free ends on to
/// where their ink ends.
fn trim(graph: &Graph, degree: &[usize], alpha: &Plane<u8>, branches: &mut [Option<Branch>]) {
    let crowded = |n: usize| n != LOOP && (degree[n] >= 3 || graph.nodes[n].corner);
    let pair = |b: &Branch| (b.a.min(b.b), b.a.max(b.b));
    let mut between: FxHashMap<(usize, usize), usize> = FxHashMap::default();
    branches.iter().flatten().for_each(|b| *between.entry(pair(b)).or_default() += 1);
    // The pixels of a node may hang together in a ring, too: around a hole there are more.
    let encloses = |b: &Branch| b.samples.len() > 2 && (b.a == b.b || between[&pair(b)] > 1);
    branches.par_iter_mut().flatten().for_each(|b| {
        if b.a == LOOP {
            return;
        }
        let clear = |n: usize, p: Pt| !crowded(n) || p.dist(graph.nodes[n].at) > 1.15 * graph.nodes[n].radius + 0.5;
        let (from, to) = (
            b.samples.iter().position(|s| clear(b.a, s.p)).unwrap_or(b.samples.len()),
            b.samples.iter().rposition(|s| clear(b.b, s.p)).map_or(0, |k| k + 1),
        );
        let kept = if from < to {
            from..to
        } else if encloses(b) {
            // What is left must go around its hole, whatever its edges are hidden by.
            b.samples.len() / 3..b.samples.len().div_ceil(3).max(2 * b.samples.len() / 3)
        } else {
            0..0
        };
        b.samples = b.samples[kept.clone()].to_vec();
        b.radius = b.radius[kept].to_vec();
        let free = |n: usize| degree[n] == 1 && !graph.nodes[n].in_solid;
        if free(b.b) {
            middle::reach_tip(alpha, &mut b.samples, &b.radius);
        }
        if free(b.a) {
            b.samples.reverse();
            // The other end may have been carried on or cut back: its radii are of no account here.
            let mut radius = b.radius.clone();
            radius.resize(b.samples.len(), b.usual / 2.0);
            radius.reverse();
            middle::reach_tip(alpha, &mut b.samples, &radius);
            b.samples.reverse();
        }
    });
}

/// Branches walked in turn, each with whether it is walked backwards.
type Walk = Vec<(usize, bool)>;

/// Strings branches together into lines, none where they come to nothing. `tips`: the nodes at which a line ends where
/// its ink does.
fn string_all(
    graph: &Graph,
    branches: &[Option<Branch>],
    places: &[Pt],
    tips: &[bool],
    tolerance: f64,
) -> Vec<(Walk, Option<Form>)> {
    let partner = pair_branches(graph, branches, places);
    let mut used = vec![false; branches.len()];
    // With whether they close on themselves.
    let mut walks: Vec<(Walk, bool)> = Vec::new();
    // Open strokes start where a branch has no partner; what is left closes on itself.
    let mut starts: Vec<(usize, bool)> = Vec::new();
    for (k, b) in branches.iter().enumerate() {
        if b.is_some() {
            starts.extend([(k, false), (k, true)].into_iter().filter(|h| partner[h.0][usize::from(h.1)].is_none()));
        }
    }
    starts.extend((0..branches.len()).filter(|&k| branches[k].is_some()).map(|k| (k, false)));
    for start in starts {
        if used[start.0] {
            continue;
        }
        let mut walk = vec![start];
        used[start.0] = true;
        let mut closed = branches[start.0].as_ref().is_some_and(|b| b.a == LOOP);
        while let Some((k, back)) = walk.last().copied() {
            let Some((next, at_end)) = partner[k][usize::from(!back)] else {
                break;
            };
            if used[next] {
                closed = true;
                break;
            }
            used[next] = true;
            walk.push((next, at_end));
        }
        walks.push((walk, closed));
    }
    walks
        .into_par_iter()
        .map(|(walk, closed)| {
            let form = string(&walk, closed, branches, places, tips, tolerance);
            (walk, form)
        })
        .collect()
}

/// Where the middles of the branches meet: the point nearest to all their lines, weighted to the skeleton's node.
fn node_places(graph: &Graph, branches: &[Option<Branch>], degree: &[usize]) -> Vec<Pt> {
    let mut lines: Vec<Vec<(Pt, Pt)>> = vec![Vec::new(); graph.nodes.len()];
    for b in branches.iter().flatten() {
        if b.a == LOOP {
            continue;
        }
        for (n, at_end) in [(b.a, false), (b.b, true)] {
            let reach = 1.5 * graph.nodes[n].radius + 3.0;
            let part: Vec<Pt> = if at_end {
                b.samples.iter().rev().map(|s| s.p).collect()
            } else {
                b.samples.iter().map(|s| s.p).collect()
            };
            if part.len() >= 2 {
                lines[n].push((part[0], outward_from(&part, reach)));
            }
        }
    }
    graph
        .nodes
        .iter()
        .zip(&lines)
        .enumerate()
        .map(|(n, (node, lines))| {
            if degree[n] < 2 || lines.len() < 2 || node.in_solid {
                return node.at;
            }
            let hold = 0.06;
            let (mut a, mut b, mut c, mut x, mut y) = (hold, 0.0, hold, hold * node.at.x, hold * node.at.y);
            for (p, d) in lines {
                let m = d.turned();
                let k = m.dot(*p);
                a += m.x * m.x;
                b += m.x * m.y;
                c += m.y * m.y;
                x += m.x * k;
                y += m.y * k;
            }
            let det = a * c - b * b;
            if det < 1e-9 {
                return node.at;
            }
            let best = pt((x * c - y * b) / det, (y * a - x * b) / det);
            let far = if node.corner { 1.6 * node.radius } else { 0.9 * node.radius };
            let step = best - node.at;
            if step.len() <= far { best } else { node.at + step.unit() * far }
        })
        .collect()
}

type Half = Option<(usize, bool)>;

/// For each branch end the branch end it goes on in: the straightest pairs first, widths alike; two alone always.
fn pair_branches(graph: &Graph, branches: &[Option<Branch>], places: &[Pt]) -> Vec<[Half; 2]> {
    let mut partner: Vec<[Half; 2]> = vec![[None, None]; branches.len()];
    let mut at_node: Vec<Vec<(usize, bool, Pt, f64)>> = vec![Vec::new(); graph.nodes.len()];
    for (k, b) in branches.iter().enumerate() {
        let Some(b) = b else { continue };
        if b.a == LOOP {
            continue;
        }
        for (n, at_end) in [(b.a, false), (b.b, true)] {
            let mut part: Vec<Pt> = vec![places[n]];
            if at_end {
                part.extend(b.samples.iter().rev().map(|s| s.p))
            } else {
                part.extend(b.samples.iter().map(|s| s.p))
            }
            if b.samples.is_empty() {
                part.push(places[if at_end { b.a } else { b.b }]);
            }
            let reach = 2.0 * graph.nodes[n].radius + 4.0;
            let width = if at_end { b.samples.last() } else { b.samples.first() }.map_or(b.usual, |s| s.width);
            at_node[n].push((k, at_end, outward_from(&part, reach), width));
        }
    }
    // At a solid every line ends: what went through could pass it by.
    for (ends, _) in at_node.iter().zip(&graph.nodes).filter(|(_, node)| !node.in_solid) {
        let mut pairs: Vec<(f64, usize, usize)> = Vec::new();
        for i in 0..ends.len() {
            for j in i + 1..ends.len() {
                let turn = std::f64::consts::PI - angle_between(ends[i].2, ends[j].2);
                if ends.len() == 2 || turn < 0.9 {
                    let unlike = (ends[i].3 / ends[j].3.max(0.1)).ln().abs();
                    pairs.push((turn + 0.25 * unlike, i, j));
                }
            }
        }
        pairs.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut taken = vec![false; ends.len()];
        for (_, i, j) in pairs {
            if !taken[i] && !taken[j] {
                taken[i] = true;
                taken[j] = true;
                partner[ends[i].0][usize::from(ends[i].1)] = Some((ends[j].0, ends[j].1));
                partner[ends[j].0][usize::from(ends[j].1)] = Some((ends[i].0, ends[i].1));
            }
        }
    }
    partner
}

/// One centreline of branches walked in turn; none if they come to less than half a pixel.
fn string(
    walk: &[(usize, bool)],
    closed: bool,
    branches: &[Option<Branch>],
    places: &[Pt],
    tips: &[bool],
    tolerance: f64,
) -> Option<Form> {
    let mut points: Vec<Pt> = Vec::new();
    let mut widths: Vec<Option<f64>> = Vec::new();
    let mut nodes: Vec<usize> = Vec::new();
    let mut usual = 0.0f64;
    for (step, &(k, back)) in walk.iter().enumerate() {
        let b = branches[k].as_ref()?;
        usual = usual.max(b.usual);
        let (from, to) = if back { (b.b, b.a) } else { (b.a, b.b) };
        let free = |n: usize| n == LOOP || (tips[n] && !b.samples.is_empty());
        if step == 0 && !free(from) {
            nodes.push(points.len());
            points.push(places[from]);
            widths.push(None);
        }
        let mut add = |s: &Sample| {
            points.push(s.p);
            widths.push(s.measured.then_some(s.width));
        };
        if back {
            b.samples.iter().rev().for_each(&mut add)
        } else {
            b.samples.iter().for_each(&mut add)
        }
        let last = step + 1 == walk.len();
        if !(free(to) || last && closed && to != LOOP) {
            nodes.push(points.len());
            points.push(places[to]);
            widths.push(b.samples.is_empty().then_some(b.usual));
        }
    }
    if points.len() < 2 || polyline_len(&points) < 0.5 {
        return None;
    }
    let reach = (0.8 * usual).max(4.0);
    let mut breaks: Vec<Break> = corners(&points, reach, closed)
        .into_iter()
        // A turn found beside a node is the node's.
        .filter(|&i| nodes.iter().all(|&n| points[n].dist(points[i]) > reach))
        .map(|at| Break { at, sharp: true })
        .collect();
    let n = points.len();
    // Points lie a pixel apart or more: no more of them than this are within reach.
    let near = (2.0 * reach) as usize + 8;
    for &at in &nodes {
        let before: Vec<Pt> = if closed {
            (0..n.min(near)).map(|i| points[(at + n - i) % n]).collect()
        } else {
            points[..=at].iter().rev().take(near).copied().collect()
        };
        let after: Vec<Pt> = if closed {
            (0..n.min(near)).map(|i| points[(at + i) % n]).collect()
        } else {
            points[at..].iter().take(near).copied().collect()
        };
        let turn = std::f64::consts::PI - angle_between(outward_from(&before, reach), outward_from(&after, reach));
        breaks.push(Break { at, sharp: before.len() > 1 && after.len() > 1 && turn > 0.6 });
    }
    breaks.sort_by_key(|b| b.at);
    breaks.dedup_by_key(|b| b.at);
    let total = polyline_len(&points) + if closed { points[n - 1].dist(points[0]) } else { 0.0 };
    // A ring's spine starts at its first sharp break, or its first: the profile must start there too.
    let first = if closed { breaks.iter().find(|b| b.sharp).or(breaks.first()).map_or(0, |b| b.at) } else { 0 };
    let mut profile: Vec<[f64; 2]> = Vec::new();
    let mut s = 0.0;
    for k in 0..n + usize::from(closed) {
        let i = (first + k) % n;
        if k > 0 {
            s += points[i].dist(points[(first + k - 1) % n]);
        }
        if let Some(w) = widths[i] {
            profile.push([s / total.max(1e-9), w]);
        }
    }
    if profile.is_empty() {
        profile.push([0.0, usual]);
    }
    let calm: Vec<[f64; 2]> = (0..profile.len())
        .map(|i| {
            let r = 3.min(i).min(profile.len() - 1 - i);
            let sum: f64 = profile[i - r..=i + r].iter().map(|p| p[1]).sum();
            [profile[i][0], sum / (2 * r + 1) as f64]
        })
        .collect();
    let mut width = thin_profile(&calm, 0.3);
    width.iter_mut().for_each(|k| {
        *k = [(k[0] * 65536.0).round() / 65536.0, (k[1] * 256.0).round() / 256.0];
    });
    let spine = spine_through(&points, &breaks, closed, tolerance);
    Some(Form::Centreline { spine, width, ends: [End::Round, End::Round] })
}
