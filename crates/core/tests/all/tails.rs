//! Tails on drawings generated for the purpose: smooth lines drawn through by known lengths at known angles, alone, in
//! pairs at one crossing, both lines of a corner, both ends of a line, each clean and as scanned, beside ends that are
//! meant. Fixed seeds; the figures are printed. `TAILS_OUT=FOLDER` writes what fails as pictures.

use crate::support;

use rhizograph_core::edit::{Command, FindingsStep};
use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::raster::strokes;
use rhizograph_core::scene::Scene;
use rhizograph_core::scene::findings::Finding;
use support::tails::{CELL, CELLS, Known, Made};
use support::{Random, do_it, traced};

const SHEETS: u64 = 14;

#[derive(Default, Debug)]
struct Figures {
    long: [usize; 4],
    short: [usize; 2],
    meant: usize,
    meant_cut: usize,
    meant_bridged: usize,
    tip_bridged: usize,
    cut: usize,
    left_clean: usize,
    other_whole: usize,
}

fn measure(scanned: bool) -> Figures {
    let mut f = Figures::default();
    let out = std::env::var("TAILS_OUT").ok();
    for seed in 0..SHEETS {
        let made = Made::sheet(seed);
        let ink = made.ink(scanned, seed);
        let sheet = traced(&ink);
        let scene = Scene::of(&sheet, &ink);
        let all: Vec<&Finding> = scene.findings.iter().collect();
        let tail_at = |tip: Pt, width: f64| {
            all.iter().filter(|f| f.kind == Kind::Tail).find(|f| f.to.unwrap().dist(tip) < width.max(6.0))
        };
        let near_sure_gap = |p: Pt, reach: f64| {
            all.iter().any(|f| f.kind == Kind::Gap && f.sure && (f.at.dist(p) < reach || f.to.unwrap().dist(p) < reach))
        };
        let mut bad: Vec<(Pt, String)> = Vec::new();
        for t in &made.tails {
            let found = tail_at(t.tip, t.width);
            if t.seen > 1.25 * t.width {
                f.long[0] += 1;
                f.long[1] += usize::from(found.is_some());
                f.long[2] += usize::from(found.is_some_and(|x| x.sure));
                f.long[3] += usize::from(found.is_some_and(|x| !x.sure && !x.quiet));
                if !found.is_some_and(|x| x.sure) {
                    let how = found.map_or("lost".into(), |x| format!("unsure {:.2}", x.confidence));
                    bad.push((t.tip, format!("{how} {:.0}/{:.0}", t.seen, t.width)));
                }
            } else {
                f.short[0] += 1;
                f.short[1] += usize::from(found.is_some());
                if found.is_none() && t.seen > 0.8 * t.width {
                    bad.push((t.tip, format!("short {:.0}/{:.0}", t.seen, t.width)));
                }
            }
            if near_sure_gap(t.tip, 0.8 * t.width + 2.0) {
                f.tip_bridged += 1;
                bad.push((t.tip, "bridged".into()));
            }
        }
        for &p in &made.meant {
            f.meant += 1;
            if tail_at(p, 8.0).is_some_and(|x| x.sure) {
                f.meant_cut += 1;
                bad.push((p, "MEANT CUT".into()));
            }
            if near_sure_gap(p, 8.0) {
                f.meant_bridged += 1;
                bad.push((p, "MEANT BRIDGED".into()));
            }
        }
        // What cutting the sure ones leaves.
        let ids: Vec<String> = all.iter().filter(|f| f.kind == Kind::Tail && f.sure).map(|f| f.id.clone()).collect();
        let after =
            do_it(&sheet, &ink, &Command::Findings(FindingsStep::Settle { ids, with: None })).apply(&sheet).unwrap();
        let seen = after.visible_ink(&ink);
        let sure = |t: &Known| tail_at(t.tip, t.width).is_some_and(|x| x.sure);
        let cut: Vec<usize> = (0..made.tails.len()).filter(|&k| sure(&made.tails[k])).collect();
        for (&k, cut) in cut.iter().zip(made.cuts(&cut, &ink.alpha, &seen.alpha)) {
            f.cut += 1;
            f.left_clean += usize::from(cut.leaves_nothing());
            f.other_whole += usize::from(cut.bites_nothing());
            if !(cut.leaves_nothing() && cut.bites_nothing()) {
                bad.push((made.tails[k].tip, format!("left {} bit {}", cut.left, cut.bitten)));
            }
        }
        if let Some(out) = &out {
            let name = format!("{out}/{}{seed}", if scanned { "scan" } else { "clean" });
            let raw = |a: &Plane<u8>| a.data.clone();
            std::fs::write(format!("{name}.raw"), raw(&ink.alpha)).unwrap();
            std::fs::write(format!("{name}.after.raw"), raw(&seen.alpha)).unwrap();
            let list: String = bad.iter().map(|(p, s)| format!("{:.1} {:.1} {s}\n", p.x, p.y)).collect();
            std::fs::write(format!("{name}.txt"), list).unwrap();
        }
    }
    f
}

#[test]
fn what_runs_past_is_found_and_cut_and_what_is_meant_stays() {
    for scanned in [false, true] {
        let f = measure(scanned);
        let share = |n: usize, of: usize| n as f64 / of.max(1) as f64;
        let [long, found, sure, asked] = f.long;
        let [short, short_found] = f.short;
        println!(
            "figure: {} tails, {}: of {long} seen for more than 1.25 widths {:.3} found, {:.3} sure, {:.3} asked; of {short} shorter ones {:.3} found; {} bridged at their tips; of {} meant ends {} cut, {} bridged; of {} that were cut {:.3} without a rest, {:.3} without a bite",
            long + short,
            if scanned { "as scanned" } else { "clean" },
            share(found, long),
            share(sure, long),
            share(asked, long),
            share(short_found, short),
            f.tip_bridged,
            f.meant,
            f.meant_cut,
            f.meant_bridged,
            f.cut,
            share(f.left_clean, f.cut),
            share(f.other_whole, f.cut),
        );
        assert!(share(found, long) > 0.98 && share(sure, long) > 0.925, "{f:?}");
        assert!(share(short_found, short) > 0.85, "{f:?}");
        assert!(share(f.left_clean, f.cut) > 0.98 && share(f.other_whole, f.cut) > 0.98, "{f:?}");
        assert!(
            share(f.meant_cut, f.meant) <= 0.001 && share(f.meant_bridged + f.tip_bridged, f.meant) <= 0.002,
            "{f:?}"
        );
    }
}

/// Art that nobody damaged: pointed corners, zigzags, tapering shapes, hairpins, hatching, whiskers, ends on lines
/// behind lines that they cross.
fn undamaged(seed: u64) -> Ink {
    let mut r = Random(seed.wrapping_mul(31_337) + 1);
    let side = (CELL * CELLS as f64) as usize;
    let mut alpha = Plane::new(side, side, 0u8);
    let mut draw = |points: &[Pt], width: &dyn Fn(f64) -> f64| {
        let n = (points.len() - 1).max(1) as f64;
        let flat: Vec<FlatPoint> =
            points.iter().enumerate().map(|(i, &p)| FlatPoint { p, width: width(i as f64 / n) }).collect();
        strokes::stroke(&mut alpha, &flat);
    };
    for k in 0..CELLS * CELLS {
        let centre = pt(CELL * ((k % CELLS) as f64 + 0.5), CELL * ((k / CELLS) as f64 + 0.5));
        let w = r.within(5.0, 16.0);
        let turn = r.within(0.0, std::f64::consts::TAU);
        let dir = |a: f64| pt((turn + a).cos(), (turn + a).sin());
        let line = |a: Pt, b: Pt| (0..=60).map(|i| a.lerp(b, f64::from(i) / 60.0)).collect::<Vec<Pt>>();
        match k % 8 {
            // A zigzag with corners of 15 to 60 degrees.
            0 => {
                let half = r.within(0.14, 0.5);
                let corner = |i: usize| {
                    let along = dir(0.0) * ((i as f64 - 2.0) * 2.0 * 70.0 * half.sin());
                    centre + along + dir(1.57) * if i.is_multiple_of(2) { 45.0 } else { -45.0 }
                };
                let points: Vec<Pt> = (0..5).map(corner).collect();
                draw(&points, &|_| w);
            }
            // A star whose outline has pointed tips.
            1 => {
                let tips = 5 + (r.unit() * 3.0) as usize;
                let points: Vec<Pt> = (0..=2 * tips)
                    .map(|i| {
                        let a = i as f64 * std::f64::consts::PI / tips as f64;
                        centre + dir(a) * if i % 2 == 0 { 95.0 } else { 42.0 }
                    })
                    .collect();
                draw(&points, &|_| w.min(9.0));
            }
            // A leaf: two tapering strokes from one tip to the other, running a little beyond it as one.
            2 => {
                for bend in [-1.0, 1.0] {
                    let points: Vec<Pt> = (0..=60)
                        .map(|i| f64::from(i) / 60.0)
                        .map(|t| {
                            centre
                                + dir(0.0) * (180.0 * t - 90.0)
                                + dir(1.57) * (bend * 42.0 * (t * std::f64::consts::PI).sin())
                        })
                        .collect();
                    draw(&points, &|t| 2.0 + w * (t * std::f64::consts::PI).sin());
                }
            }
            // Hatching beside an outline.
            3 => {
                let ring: Vec<Pt> =
                    (0..=120).map(|i| centre + dir(f64::from(i) / 120.0 * std::f64::consts::TAU) * 95.0).collect();
                draw(&ring, &|_| w);
                for i in -3..=3 {
                    let at = centre + dir(1.57) * (f64::from(i) * 13.0);
                    draw(&line(at - dir(0.0) * 30.0, at + dir(0.3) * 26.0), &|t| 4.5 - 3.0 * t);
                }
            }
            // Hairpin bends and a hook.
            4 => {
                let points: Vec<Pt> = (0..=90)
                    .map(|i| f64::from(i) / 90.0)
                    .map(|t| {
                        let a = std::f64::consts::PI * (t - 0.5);
                        if !(0.2..=0.8).contains(&t) {
                            let s = if t < 0.2 { 0.2 - t } else { t - 0.8 };
                            centre + dir(1.57) * if t < 0.2 { -14.0 } else { 14.0 } - dir(0.0) * (400.0 * s)
                        } else {
                            let a = a / 0.3 / std::f64::consts::PI * std::f64::consts::FRAC_PI_2;
                            centre + dir(0.0) * (14.0 * a.cos()) + dir(1.57) * (14.0 * a.sin())
                        }
                    })
                    .collect();
                draw(&points, &|_| w.min(10.0));
            }
            // Whiskers and a stalk that end on a ring, ends on both sides of a wall.
            5 => {
                let ring: Vec<Pt> =
                    (0..=120).map(|i| centre + dir(f64::from(i) / 120.0 * std::f64::consts::TAU) * 48.0).collect();
                draw(&ring, &|_| w);
                for i in 0..5 {
                    let a = f64::from(i) * 0.4 - 0.8;
                    draw(&line(centre + dir(a) * 48.0, centre + dir(a) * 105.0), &|t| 6.0 - 4.0 * t);
                }
            }
            // Rungs that cross one rail and end on the next.
            6 => {
                let apart = r.within(1.5, 3.0) * w + 4.0;
                for across in [0.0, apart, apart + 70.0] {
                    let at = centre + dir(1.57) * (across - 60.0);
                    draw(&line(at - dir(0.0) * 125.0, at + dir(0.0) * 125.0), &|_| w);
                }
                for i in -2..=2 {
                    let at = centre + dir(0.0) * (f64::from(i) * 29.0) - dir(1.57) * 60.0;
                    draw(&line(at, at + dir(1.57) * (apart + 70.0) + dir(0.0) * r.within(-9.0, 9.0)), &|_| w);
                }
            }
            // A swelling stroke, a fork and steam.
            _ => {
                draw(&line(centre - dir(0.0) * 100.0, centre + dir(0.0) * 10.0), &|_| w);
                draw(&line(centre + dir(0.0) * 10.0, centre + dir(0.5) * 100.0), &|t| w * (1.0 - 0.7 * t));
                draw(&line(centre + dir(0.0) * 10.0, centre + dir(-0.5) * 100.0), &|t| w * (1.0 - 0.7 * t));
                let steam: Vec<Pt> = (0..=60)
                    .map(|i| f64::from(i) / 60.0)
                    .map(|t| centre + dir(1.57) * (60.0 + 9.0 * (9.0 * t).sin()) + dir(0.0) * (80.0 * t - 40.0))
                    .collect();
                draw(&steam, &|t| 2.0 + 4.0 * (t * std::f64::consts::PI).sin());
            }
        }
    }
    Ink::plain(alpha, [0; 3])
}

#[test]
fn art_that_nobody_damaged_is_left_in_peace() {
    let (mut open, mut sure_tails, mut sure_gaps, mut most) = (0, 0, 0, 0);
    const DRAWINGS: u64 = 8;
    for seed in 0..DRAWINGS {
        let ink = undamaged(seed);
        let sheet = traced(&ink);
        let scene = Scene::of(&sheet, &ink);
        let at_join = |f: &&Finding| matches!(f.kind, Kind::Gap | Kind::Tail | Kind::Leak | Kind::LooseEnd);
        let asked: Vec<&Finding> = scene.findings.iter().filter(at_join).filter(|f| !f.quiet && !f.sure).collect();
        sure_tails += scene.findings.iter().filter(|f| f.kind == Kind::Tail && f.sure).count();
        sure_gaps += scene.findings.iter().filter(|f| f.kind == Kind::Gap && f.sure).count();
        if let Ok(out) = std::env::var("TAILS_OUT") {
            std::fs::write(format!("{out}/whole{seed}.raw"), &ink.alpha.data).unwrap();
            let told = scene.findings.iter().filter(at_join).filter(|f| !f.quiet);
            let list: String = told
                .map(|f| format!("{:.1} {:.1} {:?} {:.2} {}\n", f.at.x, f.at.y, f.kind, f.confidence, f.sure))
                .collect();
            std::fs::write(format!("{out}/whole{seed}.txt"), list).unwrap();
        }
        open += asked.len();
        most = most.max(asked.len());
    }
    let mean = open as f64 / DRAWINGS as f64;
    println!(
        "figure: of art that nobody damaged {mean:.1} open findings on average in {} motifs, {most} at most; {sure_tails} sure tails, {sure_gaps} sure gaps in all",
        CELLS * CELLS
    );
    assert_eq!((sure_tails, sure_gaps), (0, 0));
    assert!(mean <= 1.0 && most <= 6, "{mean}, {most}");
}

/// A ladder of broad bars whose rungs end beyond the rail by about half their width, in a blunt point as a brush leaves it.
fn ladder(seed: u64) -> Ink {
    let mut r = Random(seed.wrapping_mul(7_919) + 3);
    let mut alpha = Plane::new(700, 700, 0u8);
    let lean = pt(r.within(0.1, 0.35), 1.0).unit();
    let (rail, rung) = (r.within(22.0, 32.0), r.within(16.0, 26.0));
    let mut draw = |places: &[(Pt, f64)]| {
        let flat: Vec<FlatPoint> = places.iter().map(|&(p, width)| FlatPoint { p, width }).collect();
        strokes::stroke(&mut alpha, &flat);
    };
    let left = |along: f64| pt(200.0, 60.0) + lean * along;
    draw(&[(left(0.0), rail), (left(580.0), rail)]);
    draw(&[(pt(520.0, 40.0), rail), (pt(530.0, 660.0), rail)]);
    for n in 0..4 {
        let at = left(110.0 + 130.0 * f64::from(n));
        let way = (pt(525.0, at.y + r.within(-20.0, 30.0)) - at).unit();
        let edge = at - way * (rail / 2.0);
        let point = edge - way * r.within(5.0, 10.0);
        draw(&[(point, r.within(4.0, 9.0)), (edge, rung), (at + way * (525.0 - at.x), rung)]);
    }
    Ink::plain(alpha, [0; 3])
}

#[test]
fn blunt_points_of_broad_bars_are_no_tails() {
    for seed in 0..24 {
        let ink = ladder(seed);
        let sheet = traced(&ink);
        let scene = Scene::of(&sheet, &ink);
        let sure: Vec<Pt> =
            scene.findings.iter().filter(|f| f.kind == Kind::Tail && f.sure).map(|f| f.to.unwrap()).collect();
        assert_eq!(sure, vec![], "ladder {seed}");
    }
}
