//! Regions carried from drawing to drawing: pairs whose regions are known, since the second is the first moved by a map.

use crate::support;

use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Pt, inside, pt};
use rhizograph_core::model::line::{End, Form, Line, Made};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_core::shot::carry::{Graph, carry};
use std::collections::HashMap;
use std::f64::consts::TAU;
use std::time::Instant;
use support::Random;

const SIZE: (usize, usize) = (2000, 1500);

/// A figure of a body, limbs and a head, each plated by lines across, some with things on them.
fn figure(random: &mut Random) -> Vec<(usize, Vec<Pt>)> {
    let mut lines: Vec<(usize, Vec<Pt>)> = Vec::new();
    let blob = |c: Pt, rx: f64, ry: f64, turn: f64, wobble: f64, phase: f64| -> Vec<Pt> {
        (0..=90)
            .map(|k| TAU * f64::from(k) / 90.0)
            .map(|a| {
                let r = 1.0 + wobble * (3.0 * a + phase).sin() + 0.5 * wobble * (5.0 * a + 2.0 * phase).cos();
                let (x, y) = (rx * r * a.cos(), ry * r * a.sin());
                c + pt(x * turn.cos() - y * turn.sin(), x * turn.sin() + y * turn.cos())
            })
            .collect()
    };
    let parts = 3 + (random.unit() * 5.0) as usize;
    let many = random.unit() < 0.4;
    let middle = pt(1000.0, 750.0);
    for part in 0..parts {
        let (c, rx, ry) = if part == 0 {
            (middle, random.within(230.0, 330.0), random.within(160.0, 230.0))
        } else {
            let a = TAU * (part as f64 + 0.3 * random.unit()) / (parts - 1) as f64;
            (middle + pt(430.0 * a.cos(), 340.0 * a.sin()), random.within(70.0, 150.0), random.within(60.0, 120.0))
        };
        let (turn, phase) = (random.within(-0.6, 0.6), random.within(0.0, TAU));
        let outline = blob(c, rx, ry, turn, 0.06, phase);
        // Plates: lines across it from edge to edge, both ways in the body.
        let cuts = if part == 0 { 3 + (random.unit() * 4.0) as usize } else { (random.unit() * 4.0) as usize };
        let cuts = if many { 2 * cuts + 3 } else { cuts };
        for cut in 0..cuts {
            let share = (cut as f64 + random.within(0.35, 0.65)) / cuts as f64;
            let from = (share * 45.0) as usize;
            let to = 90 - from.max(2) - (random.unit() * 4.0) as usize;
            let (p, q) = (outline[from], outline[to.min(89)]);
            let bow = (q - p).turned() * random.within(-0.12, 0.12);
            lines.push((
                part,
                (0..=40).map(|k| f64::from(k) / 40.0).map(|t| p.lerp(q, t) + bow * (4.0 * t * (1.0 - t))).collect(),
            ));
        }
        if random.unit() < 0.6 {
            let at = c + pt(random.within(-0.4, 0.4) * rx, random.within(-0.4, 0.4) * ry);
            lines.push((part, blob(at, random.within(14.0, 40.0), random.within(12.0, 34.0), turn, 0.05, phase)));
        }
        lines.push((part, outline));
    }
    lines
}

/// How a pair differs.
#[derive(Clone, Copy)]
struct Moves {
    shift: f64,
    turn: f64,
    scale: f64,
    /// Parts go by themselves, by a share of the shift and the turn.
    limbs: f64,
    /// The share of the lines that are missing or new.
    lines: f64,
}

/// A smooth map: turned, scaled, and led elsewhere by waves as long as the figure.
fn moving(random: &mut Random, shift: f64, turn: f64, scale: f64) -> impl Fn(Pt) -> Pt + use<> {
    let (s, c) = random.within(-turn, turn).to_radians().sin_cos();
    let k = random.within(1.0 / scale, scale).clamp(1.0 / scale, scale);
    let far = random.within(0.0, TAU);
    let to = pt(1000.0, 750.0) + pt(far.cos(), far.sin()) * (0.6 * shift);
    let waves: Vec<[f64; 5]> = (0..4)
        .map(|_| {
            [
                random.within(300.0, 600.0),
                random.within(0.0, TAU),
                random.within(0.0, TAU),
                random.unit(),
                random.unit(),
            ]
        })
        .collect();
    move |p: Pt| {
        let q = p - pt(1000.0, 750.0);
        let led = pt(c * q.x - s * q.y, s * q.x + c * q.y) * k + to;
        waves.iter().fold(led, |at, [length, way, phase, u, v]| {
            let along = (p.x * way.cos() + p.y * way.sin()) / length * TAU / 3.0 + phase;
            at + pt((u - 0.5) * along.sin(), (v - 0.5) * along.cos()) * (0.45 * shift)
        })
    }
}

fn scene_of<'a>(lines: impl IntoIterator<Item = &'a Vec<Pt>>) -> Scene {
    let mut sheet = Sheet::new(SIZE.0, SIZE.1, 300.0);
    for points in lines {
        let form = Form::Centreline {
            spine: Spine::through(points, points[0].dist(points[points.len() - 1]) < 1e-6),
            width: vec![[0.0, 5.0]],
            ends: [End::Round; 2],
        };
        sheet.draw(Line::new(0, form, Made::Hand));
    }
    Scene::of(&sheet, &Ink::plain(Plane::new(SIZE.0, SIZE.1, 0u8), [0; 3]))
}

/// Which region of the first each of the second is: the one that most of it comes from, if most of that goes there.
fn truth(a: &Scene, b: &Scene, go: &dyn Fn(Pt) -> Pt) -> HashMap<u32, u32> {
    let mut met: HashMap<(u32, u32), usize> = HashMap::new();
    let mut sizes: HashMap<u32, usize> = HashMap::new();
    for y in (0..SIZE.1).step_by(3) {
        for x in (0..SIZE.0).step_by(3) {
            let p = pt(x as f64 + 0.5, y as f64 + 0.5);
            let Some(from) = a.regions.at(p) else { continue };
            *sizes.entry(from.id).or_default() += 1;
            if let Some(to) = b.regions.at(go(p)) {
                *met.entry((from.id, to.id)).or_default() += 1;
            }
        }
    }
    let mut out = HashMap::new();
    for ((from, to), n) in &met {
        if 2 * n > sizes[from] {
            let best = met.iter().filter(|m| m.0.1 == *to).map(|m| m.1).max().unwrap();
            if n == best {
                out.insert(*to, *from);
            }
        }
    }
    out
}

struct Score {
    right: usize,
    all: usize,
    wrong_unsaid: usize,
    doubtful: usize,
}

fn tried(seeds: std::ops::Range<u64>, m: Moves) -> Score {
    let mut score = Score { right: 0, all: 0, wrong_unsaid: 0, doubtful: 0 };
    for seed in seeds {
        let mut random = Random(seed * 7919 + 11);
        let lines = figure(&mut random);
        let go = moving(&mut random, m.shift, m.turn, m.scale);
        // Each part about its own middle, before all is led elsewhere.
        let middle = |part: usize| {
            let all: Vec<Pt> = lines.iter().filter(|l| l.0 == part).flat_map(|l| l.1.clone()).collect();
            all.iter().fold(pt(0.0, 0.0), |s, p| s + *p) * (1.0 / all.len() as f64)
        };
        let parts = lines.iter().map(|l| l.0).max().unwrap() + 1;
        let own: Vec<(Pt, f64, Pt)> = (0..parts)
            .map(|part| {
                let (turn, far) = (random.within(-1.0, 1.0) * m.turn.to_radians(), m.shift * m.limbs);
                (middle(part), turn * m.limbs, pt(random.within(-far, far), random.within(-far, far)))
            })
            .collect();
        let led = |part: usize, p: Pt| {
            let (c, turn, by) = own[part];
            let (q, (s, k)) = (p - c, turn.sin_cos());
            go(c + by + pt(k * q.x - s * q.y, s * q.x + k * q.y))
        };
        let mut kept: Vec<Vec<Pt>> = Vec::new();
        let mut moved: Vec<Vec<Pt>> = Vec::new();
        for (part, l) in &lines {
            let is_ring = l[0].dist(l[l.len() - 1]) < 1e-6;
            // Those inside may be missing on either side.
            let fate = if is_ring { 1.0 } else { random.unit() };
            let mut new: Vec<Pt> =
                l.iter().map(|p| led(*part, *p) + pt(random.within(-0.7, 0.7), random.within(-0.7, 0.7))).collect();
            if is_ring {
                *new.last_mut().unwrap() = new[0];
            }
            if fate >= 0.5 * m.lines {
                kept.push(l.clone());
            }
            if fate < 0.5 * m.lines || fate >= m.lines {
                moved.push(new);
            }
        }
        let (a, b) = (scene_of(&kept), scene_of(&moved));
        // A place goes with the part whose outline holds it.
        let outline = |part: usize| lines.iter().rfind(|l| l.0 == part).unwrap();
        let part_at = |p: Pt| (0..parts).rev().find(|k| inside(p, std::slice::from_ref(&outline(*k).1))).unwrap_or(0);
        let truth = truth(&a, &b, &|p| led(part_at(p), p));
        let carried = carry(&Graph::of(&a.regions), &Graph::of(&b.regions));
        for (region, from) in &truth {
            score.all += 1;
            match carried.iter().find(|c| c.region == *region) {
                Some(c) if c.from == *from => {
                    score.right += 1;
                    score.doubtful += usize::from(c.doubtful);
                }
                Some(c) => {
                    score.wrong_unsaid += usize::from(!c.doubtful);
                    score.doubtful += usize::from(c.doubtful);
                }
                None => {}
            }
        }
    }
    score
}

#[test]
fn regions_are_found_again_however_far_they_moved() {
    let moves = |shift, turn, scale| Moves { shift, turn, scale, limbs: 0.0, lines: 0.0 };
    for (name, m, least, most) in [
        ("small", moves(15.0, 1.0, 1.01), 0.995, 0.002),
        ("walk", moves(60.0, 6.0, 1.04), 0.99, 0.005),
        ("leap", moves(150.0, 25.0, 1.3), 0.97, 0.01),
        ("walk, lines missing and new", Moves { lines: 0.15, ..moves(60.0, 6.0, 1.04) }, 0.9, 0.03),
        ("walk, limbs by themselves", Moves { limbs: 0.6, ..moves(60.0, 12.0, 1.04) }, 0.9, 0.03),
        ("leap, both", Moves { limbs: 0.3, lines: 0.1, ..moves(150.0, 25.0, 1.3) }, 0.7, 0.08),
    ] {
        let s = tried(0..16, m);
        let of = |n: usize| n as f64 / s.all as f64;
        println!(
            "figure: carried, {name}: {:.4} of {} regions right, {:.4} wrong and not doubtful, {:.4} doubtful",
            of(s.right),
            s.all,
            of(s.wrong_unsaid),
            of(s.doubtful)
        );
        assert!(of(s.right) >= least && of(s.wrong_unsaid) <= most, "{name}");
    }
}

/// A net of lines across the sheet, wavering, so that no two regions are alike.
fn net(columns: usize, rows: usize, random: &mut Random) -> Vec<Vec<Pt>> {
    let (w, h) = (1800.0 / columns as f64, 1300.0 / rows as f64);
    let knots: Vec<Vec<Pt>> = (0..=rows)
        .map(|r| {
            let knot = |c: usize, random: &mut Random| {
                pt(100.0 + w * c as f64, 100.0 + h * r as f64)
                    + pt(random.within(-0.3, 0.3) * w, random.within(-0.3, 0.3) * h)
            };
            (0..=columns).map(|c| knot(c, random)).collect()
        })
        .collect();
    let across = knots.iter().cloned();
    let down = (0..=columns).map(|c| knots.iter().map(|row| row[c]).collect());
    across.chain(down).collect()
}

/// The limits are for a busy machine; what is printed is the figure.
#[test]
fn sixty_regions_take_a_moment_and_two_thousand_not_long() {
    for (columns, rows, most) in [(10, 6, 4.0), (50, 40, 20.0)] {
        let mut random = Random(3);
        let lines = net(columns, rows, &mut random);
        let go = moving(&mut random, 20.0, 3.0, 1.02);
        let moved: Vec<Vec<Pt>> = lines.iter().map(|l| l.iter().map(|p| go(*p)).collect()).collect();
        let (a, b) = (scene_of(&lines), scene_of(&moved));
        let began = Instant::now();
        let carried = carry(&Graph::of(&a.regions), &Graph::of(&b.regions));
        let took = began.elapsed().as_secs_f64();
        let truth = truth(&a, &b, &go);
        let right = carried.iter().filter(|c| truth.get(&c.region) == Some(&c.from)).count();
        println!("figure: {} regions carried in {:.0} ms, {right} right", b.regions.len(), took * 1e3);
        assert!(right as f64 >= 0.97 * truth.len() as f64 && took < most, "{right} of {} in {took} s", truth.len());
    }
}

#[test]
fn a_drawing_is_carried_to_itself_and_nothing_to_a_bare_sheet() {
    let mut random = Random(5);
    let scene = scene_of(figure(&mut random).iter().map(|l| &l.1));
    let graph = Graph::of(&scene.regions);
    let carried = carry(&graph, &graph);
    assert_eq!(carried.len(), scene.regions.len());
    assert!(carried.iter().all(|c| c.region == c.from));
    let bare = Graph::of(&scene_of([]).regions);
    assert!(carry(&graph, &bare).is_empty() && carry(&bare, &graph).is_empty());
}
