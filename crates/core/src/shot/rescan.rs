//! A drawing that was scanned anew: what somebody did to it before is taken over where it still lies on ink.

use crate::geom::{Pt, pt};
use crate::model::erasure::{Erasure, InkPath};
use crate::model::line::{Form, Line, Made};
use crate::model::paint::Drop;
use crate::model::sheet::Sheet;
use crate::model::verdict::{Kind, Settled, Verdict};
use crate::raster::plane::Plane;
use crate::scene::Scene;
use rustc_hash::FxHashMap;

/// How far from ink the end of a bridge or a seam may lie, mm.
const REACH: f64 = 0.6;
/// How far apart the same tail may begin on two scans, mm.
const SAME_TAIL: f64 = 1.0;
/// How much of a stretch that was erased has to lie on the new ink, for it to be erased there.
const MOST: f64 = 0.8;
/// How far from where it begins the verdict of a tail may lie, px.
const SAME_PLACE: f64 = 1.5;
/// From this coverage on a pixel is ink.
const INK: u8 = 128;

/// How much was taken over, and of how much.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct TakenOver {
    pub lines: [usize; 2],
    pub drops: usize,
}

/// Takes over from a sheet what was done to it by hand, onto the traced sheet of a new scan of the same drawing. Both lie as
/// their peg holes or marks have it; lengths follow the resolution. Ink that was drawn stays where it was; a bridge or a seam
/// stays if both its ends lie on the new ink (`ink`: its coverage); tails were traced anew, [`cut_before`] tells which; paint
/// stays at its places, and what was left knowingly.
pub fn take_over(old: &Sheet, new: &mut Sheet, ink: &Plane<u8>) -> TakenOver {
    let scale = new.dpi / old.dpi;
    let place = |p: Pt| (p * scale).snapped();
    let reach = REACH * new.dpi / 25.4;
    let is_inked = |p: Pt| is_near_ink(ink, p, reach);
    let mut taken = TakenOver::default();
    let mut groups: FxHashMap<u64, u64> = FxHashMap::default();
    for line in old.lines.iter().filter(|l| matches!(l.made, Made::Bridge | Made::Hand)) {
        taken.lines[1] += 1;
        let line = line.mapped(&place, &|_| scale, &|d, _| d, 0.05);
        let joins = line.made == Made::Bridge || matches!(line.form, Form::Seam { .. });
        let ends = line.spine().and_then(|s| Some([*s.points.first()?, *s.points.last()?]));
        if joins && !ends.is_some_and(|e| e.into_iter().all(is_inked)) {
            continue;
        }
        taken.lines[0] += 1;
        let group = line.group.map(|g| *groups.entry(g).or_insert_with(|| new.fresh_id()));
        new.draw(Line { group, ..line });
    }
    for drop in &old.drops {
        new.drop_paint(Drop { at: place(drop.at), ..drop.it.clone() });
        taken.drops += 1;
    }
    for settled in old.settled.iter().filter(|s| s.how == Verdict::Left) {
        new.settle(Settled { at: place(settled.at), ..settled.it });
    }
    taken
}

/// Whether there is ink within `reach` pixels of a place.
fn is_near_ink(ink: &Plane<u8>, p: Pt, reach: f64) -> bool {
    let reach = reach.ceil() as i64;
    let (x, y) = (p.x.floor() as i64, p.y.floor() as i64);
    let at = |u: i64, v: i64| {
        let (u, v) = (usize::try_from(u).ok()?, usize::try_from(v).ok()?);
        (u < ink.width && v < ink.height).then(|| *ink.at(u, v))
    };
    (-reach..=reach)
        .flat_map(|dy| (-reach..=reach).map(move |dx| (dx, dy)))
        .filter(|(dx, dy)| dx * dx + dy * dy <= reach * reach)
        .any(|(dx, dy)| at(x + dx, y + dy).is_some_and(|a| a >= INK))
}

/// What was erased by hand on the old sheet, or led elsewhere, for the new scan of `dpi`, and at how many places of how many:
/// at each something was taken off, and something may have been put in its place. A place stays where what was taken off
/// lies on the new ink (`lifted`: its coverage). Tails that were cut are none, [`cut_before`] tells of them.
pub fn erased_before(old: &Sheet, dpi: f64, lifted: &Plane<u8>) -> (Vec<Erasure>, [usize; 2]) {
    let scale = dpi / old.dpi;
    let on_ink = |path: &InkPath| {
        let near = path.iter().filter(|k| is_near_ink(lifted, pt(k[0], k[1]), 0.5 * k[2] + 1.0)).count();
        near as f64 >= MOST * path.len() as f64
    };
    // A tail that was found and cut has its verdict where it begins; a span that was taken away has none.
    let cuts: Vec<Pt> = old.settled.iter().filter(|s| is_cut(s)).map(|s| s.at).collect();
    let was_found =
        |tail: &InkPath| tail.first().is_none_or(|k| cuts.iter().any(|c| c.dist(pt(k[0], k[1])) <= SAME_PLACE));
    let (mut again, mut places) = (Vec::new(), [0, 0]);
    let mut stays = true;
    let mut half: Option<[f64; 3]> = None;
    for erasure in &old.erased {
        if matches!(&erasure.it, Erasure::Tail { tail, .. } if was_found(tail)) {
            continue;
        }
        let erasure = erasure.mapped(|p| p * scale, |d, _| d, |_| scale);
        let taken_off = match &erasure {
            Erasure::Tail { tail: path, .. } | Erasure::Stretch { stretch: path, .. } => Some(on_ink(path)),
            Erasure::Within { .. } => Some(!erasure.takes_nothing(lifted)),
            Erasure::Inked { .. } | Erasure::Filled { .. } | Erasure::Piece { .. } => None,
        };
        // A span goes in two halves that meet in its middle.
        let tip = if let Erasure::Tail { tail, .. } = &erasure { tail.last().copied() } else { None };
        let is_second_half = tip.is_some() && tip == half;
        half = tip;
        if let Some(lies) = taken_off {
            stays = lies;
            if !is_second_half {
                places[1] += 1;
                places[0] += usize::from(lies);
            }
        }
        if stays {
            again.push(match erasure {
                // The lines that stood for it are traced anew.
                Erasure::Piece { piece, .. } => Erasure::Piece { piece, lines: Vec::new() },
                other => other,
            });
        }
    }
    (again, places)
}

fn is_cut(settled: &Settled) -> bool {
    settled.kind == Kind::Tail && settled.how == Verdict::Cut
}

/// The tails of a traced new scan that were cut on the old sheet, by the names of their findings: of each cut the nearest one.
pub fn cut_before(old: &Sheet, new: &Sheet, scene: &Scene) -> Vec<String> {
    let (scale, reach) = (new.dpi / old.dpi, SAME_TAIL * new.dpi / 25.4);
    let mut tails: Vec<_> = scene.findings.iter().filter(|f| f.kind == Kind::Tail && !f.left).collect();
    let cuts = old.settled.iter().filter(|s| is_cut(s)).map(|s| s.at * scale);
    let mut again = Vec::new();
    for at in cuts {
        let near = tails.iter().enumerate().map(|(n, f)| (n, f.at.dist(at))).filter(|(_, d)| *d <= reach);
        if let Some((n, _)) = near.min_by(|a, b| a.1.total_cmp(&b.1)) {
            again.push(tails.swap_remove(n).id.clone());
        }
    }
    again
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geom::spine::Spine;
    use crate::model::line::End;

    fn line(made: Made, points: &[Pt]) -> Line {
        let form =
            Form::Centreline { spine: Spine::through(points, false), width: vec![[0.0, 4.0]], ends: [End::Round; 2] };
        Line::new(0, form, made)
    }

    /// Ink along a row of the sheet, from column to column.
    fn inked(y: usize, from: usize, to: usize) -> Plane<u8> {
        let mut ink = Plane::new(400, 300, 0u8);
        (from..to).for_each(|x| ink.set(x, y, 255));
        ink
    }

    #[test]
    fn bridges_and_seams_stay_on_ink_and_what_was_drawn_stays_anyway() {
        let mut old = Sheet::new(400, 300, 300.0);
        old.draw(line(Made::Traced, &[pt(10.0, 50.0), pt(300.0, 50.0)]));
        old.draw(line(Made::Bridge, &[pt(100.0, 52.0), pt(140.0, 52.0)]));
        old.draw(line(Made::Bridge, &[pt(100.0, 52.0), pt(100.0, 200.0)]));
        let seam = Form::Seam { spine: Spine::through(&[pt(60.0, 48.0), pt(90.0, 51.0)], false) };
        old.draw(Line::new(0, seam, Made::Hand));
        old.draw(Line { group: Some(77), ..line(Made::Hand, &[pt(10.0, 250.0), pt(60.0, 250.0)]) });
        old.draw(Line { group: Some(77), ..line(Made::Hand, &[pt(10.0, 260.0), pt(60.0, 260.0)]) });
        old.draw(line(Made::Edited, &[pt(10.0, 150.0), pt(60.0, 150.0)]));
        old.drop_paint(Drop::by_hand(pt(20.0, 20.0), "moss"));
        for how in [Verdict::Left, Verdict::Cut] {
            old.settle(Settled { kind: Kind::Tail, at: pt(33.0, 44.0), how });
        }
        let mut new = Sheet::new(400, 300, 300.0);
        new.draw(line(Made::Traced, &[pt(10.0, 50.0), pt(300.0, 50.0)]));
        let taken = take_over(&old, &mut new, &inked(50, 20, 300));
        assert_eq!(taken, TakenOver { lines: [4, 5], drops: 1 });
        assert_eq!(new.lines.len(), 5);
        let ids: std::collections::BTreeSet<u64> = new.lines.iter().map(|l| l.id).collect();
        assert_eq!(ids.len(), 5);
        let groups: Vec<u64> = new.lines.iter().filter_map(|l| l.group).collect();
        assert!(groups.len() == 2 && groups[0] == groups[1] && !ids.contains(&groups[0]));
        assert_eq!((new.drops[0].at, new.settled.len(), new.settled[0].how), (pt(20.0, 20.0), 1, Verdict::Left));
    }

    #[test]
    fn what_was_erased_or_led_elsewhere_is_so_again_where_it_lies_on_ink() {
        let mut old = Sheet::new(200, 150, 150.0);
        let path = |y: f64| -> InkPath { vec![[20.0, y, 2.0], [60.0, y, 2.0], [100.0, y, 2.0]] };
        let stretch = |y| Erasure::Stretch { stretch: path(y), beside: vec![], solids: vec![] };
        let within = |y: f64| Erasure::Within {
            outline: vec![pt(110.0, y - 5.0), pt(130.0, y - 5.0), pt(130.0, y + 5.0), pt(110.0, y + 5.0)],
            beside: vec![],
        };
        let half = |from: f64| {
            let tail = vec![[from, 25.25, 2.0], [138.0, 25.25, 2.0]];
            Erasure::Tail {
                tail,
                cutter: vec![[from, 10.0, 2.0], [from, 40.0, 2.0]],
                side: pt((138.0 - from).signum(), 0.0),
                beside: vec![],
            }
        };
        // A stretch led elsewhere, one where nothing is any more, a box, an empty one, a span in its two halves, and a tail
        // that was cut.
        old.erase(stretch(25.25));
        old.erase(Erasure::Inked { inked: path(40.0) });
        old.erase(stretch(100.0));
        old.erase(Erasure::Inked { inked: path(120.0) });
        old.erase(within(25.0));
        old.erase(within(90.0));
        old.erase(half(132.0));
        old.erase(half(144.0));
        old.erase(half(147.0));
        old.settle(Settled { kind: Kind::Tail, at: pt(147.0, 25.0), how: Verdict::Cut });
        let ink = inked(50, 20, 300);
        let (again, places) = erased_before(&old, 300.0, &ink);
        assert_eq!(places, [3, 5]);
        assert_eq!(again.len(), 5);
        let mut left = ink.clone();
        again.iter().for_each(|e| e.apply(&mut left));
        let here = |x, y| *left.at(x, y) >= INK;
        assert!(here(30, 50) && here(210, 50) && here(262, 50) && here(296, 50), "what nobody erased stays");
        assert!(!here(80, 50) && !here(240, 50) && !here(272, 50) && !here(280, 50), "what was erased is");
        assert!(here(80, 80) && !here(80, 240), "what was led elsewhere is there, if it was erased where it came from");
    }

    #[test]
    fn a_tail_that_was_cut_is_found_again_on_a_new_scan_of_any_resolution_and_others_are_not() {
        let mut new = Sheet::new(400, 300, 300.0);
        new.draw(line(Made::Traced, &[pt(200.0, 20.0), pt(200.0, 280.0)]));
        for y in [80.0, 200.0] {
            new.draw(line(Made::Traced, &[pt(40.0, y), pt(218.0, y)]));
        }
        let lines: Vec<_> = new.lines.clone();
        let ink = Scene::ink_of_lines(&lines, 400, 300, [0; 3]);
        let scene = Scene::of(&new, &ink);
        let tails: Vec<_> = scene.findings.iter().filter(|f| f.kind == Kind::Tail).collect();
        assert_eq!(tails.len(), 2, "{:?}", scene.findings.iter().map(|f| (f.kind, f.at)).collect::<Vec<_>>());
        let mut old = Sheet::new(200, 150, 150.0);
        let cut = tails.iter().find(|t| (t.at.y - 80.0).abs() < 10.0).unwrap();
        old.settle(Settled { kind: Kind::Tail, at: cut.at * 0.5 + pt(1.5, 1.0), how: Verdict::Cut });
        old.settle(Settled { kind: Kind::Tail, at: pt(20.0, 140.0), how: Verdict::Cut });
        assert_eq!(cut_before(&old, &new, &scene), std::slice::from_ref(&cut.id));
    }

    #[test]
    fn at_another_resolution_all_lies_at_the_same_places_of_the_paper() {
        let mut old = Sheet::new(200, 150, 150.0);
        old.draw(line(Made::Bridge, &[pt(50.0, 25.0), pt(70.0, 25.0)]));
        old.drop_paint(Drop::by_hand(pt(20.0, 20.0), "moss"));
        let mut new = Sheet::new(400, 300, 300.0);
        assert_eq!(take_over(&old, &mut new, &inked(50, 20, 300)).lines, [1, 1]);
        let Form::Centreline { spine, width, .. } = &new.lines[0].form else { panic!("a bridge is ink") };
        assert!(spine.points[0].dist(pt(100.0, 50.0)) < 0.05 && (width[0][1] - 8.0).abs() < 0.05);
        assert_eq!(new.drops[0].at, pt(40.0, 40.0));
        // Nothing is left of the ink.
        let mut bare = Sheet::new(400, 300, 300.0);
        assert_eq!(take_over(&old, &mut bare, &Plane::new(400, 300, 0)).lines, [0, 1]);
    }
}
