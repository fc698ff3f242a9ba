//! Paint carried between drawings of a shot: what is painted, what is asked, and what stays as somebody painted it.

use rhizograph_core::edit::{Command, FindingsStep, Given, PaintStep, plan};
use rhizograph_core::geom::spine::Spine;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::model::line::{End, Form, Line, Made};
use rhizograph_core::model::paint::CarriedDrop;
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::model::verdict::Kind;
use rhizograph_core::paint::taken_back;
use rhizograph_core::raster::ink::Ink;
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_core::shot::carry::{Painted, proposed_drops};

/// Rings of these middles and radii.
fn drawn(rings: &[(f64, f64, f64)]) -> (Sheet, Scene) {
    let mut sheet = Sheet::new(900, 600, 300.0);
    for &(x, y, r) in rings {
        let around = |k: i32| {
            let (s, c) = (std::f64::consts::TAU * f64::from(k) / 48.0).sin_cos();
            pt(x + r * c, y + r * s)
        };
        let points: Vec<Pt> = (0..48).map(around).chain([around(0)]).collect();
        let form =
            Form::Centreline { spine: Spine::through(&points, true), width: vec![[0.0, 5.0]], ends: [End::Round; 2] };
        sheet.draw(Line::new(0, form, Made::Hand));
    }
    let scene = Scene::of(&sheet, &bare());
    (sheet, scene)
}

fn bare() -> Ink {
    Ink::plain(Plane::new(900, 600, 0u8), [0; 3])
}

const SWATCHES: [&str; 5] = ["shell", "skin", "kettle", "skin/shadow", "shell/shadow"];

/// Does a step, with the scene kept up; both must agree with all made anew, and undoing must give back what was.
fn done(sheet: &Sheet, scene: &mut Scene, command: impl Into<Command>) -> (Sheet, String) {
    let swatches = SWATCHES.map(str::to_owned);
    let lifted = bare();
    let change = plan(sheet, &command.into(), &Given { lifted: &lifted, scene, swatches: &swatches }).unwrap();
    let after = change.apply(sheet).unwrap();
    assert_eq!(change.undo(&after).unwrap(), *sheet);
    scene.advance(sheet, &after, &lifted);
    let anew = Scene::of(&after, &lifted);
    assert_eq!(scene.regions.len(), anew.regions.len());
    // Numbers may be others.
    anew.regions.iter().for_each(|r| assert_eq!(fill_of(scene, r.seed), anew.fill(r.id)));
    for kind in [Kind::Sliver, Kind::Unpainted, Kind::TwoPaints, Kind::Doubtful, Kind::Unlike] {
        assert_eq!(scene.findings.open(kind), anew.findings.open(kind), "{kind:?} after {}", change.label);
    }
    (after, change.label)
}

fn drop(at: Pt, swatches: &[&str], confidence: f64, doubtful: bool) -> CarriedDrop {
    CarriedDrop { at, swatches: swatches.iter().map(|&s| s.to_owned()).collect(), confidence, doubtful }
}

fn ids(scene: &Scene, kind: Kind) -> Vec<String> {
    scene.findings.iter().filter(|f| f.kind == kind && !f.left && !f.quiet).map(|f| f.id.clone()).collect()
}

const LEFT: Pt = Pt { x: 200.0, y: 300.0 };
const RIGHT: Pt = Pt { x: 600.0, y: 300.0 };

fn fill(at: Pt, swatch: &str) -> PaintStep {
    PaintStep::Fill { at: vec![at], swatch: swatch.into() }
}

fn fill_of(scene: &Scene, at: Pt) -> Option<&str> {
    scene.fill(scene.regions.at(at)?.id)
}

#[test]
fn what_is_carried_paints_and_what_is_doubtful_is_asked() {
    let (sheet, mut scene) = drawn(&[(200.0, 300.0, 90.0), (600.0, 300.0, 120.0)]);
    let drops = vec![drop(LEFT, &["shell"], 0.95, false), drop(RIGHT, &["skin", "kettle"], 0.5, true)];
    let carrying = PaintStep::Carry { drawing: "A-01".into(), drops: drops.clone() };
    let (sheet, label) = done(&sheet, &mut scene, carrying.clone());
    assert_eq!(label, "carried 2 regions from A-01, 1 doubtful");
    assert_eq!((fill_of(&scene, LEFT), fill_of(&scene, RIGHT)), (Some("shell"), Some("skin")));
    let asked = ids(&scene, Kind::Doubtful);
    assert_eq!(asked.len(), 1);
    let like = scene.findings.get(&asked[0]).unwrap().like.clone().unwrap();
    assert_eq!(
        (like.drawing.as_str(), like.swatches.as_slice()),
        ("A-01", ["skin".into(), "kettle".into()].as_slice())
    );
    // Carried once more it is as it was.
    let swatches = SWATCHES.map(str::to_owned);
    let again = plan(&sheet, &carrying.into(), &Given { lifted: &bare(), scene: &scene, swatches: &swatches }).unwrap();
    assert!(again.is_empty());
    // The second of what it may be is taken by filling.
    let (other, _) = done(&sheet, &mut scene.clone(), fill(RIGHT, "kettle"));
    assert!(other.drops.iter().any(|d| d.swatch == "kettle" && d.like.is_none()));
    // The first one is taken by accepting.
    let (sheet, label) = done(&sheet, &mut scene, FindingsStep::Settle { ids: asked, with: None });
    assert_eq!(label, "took as told 1 region");
    assert!(ids(&scene, Kind::Doubtful).is_empty() && sheet.drops.iter().filter(|d| d.is_carried()).count() == 1);
    // What was settled stays, whatever is carried later; the rest follows.
    let later = vec![drop(LEFT, &["kettle"], 0.9, false), drop(RIGHT, &["kettle"], 0.9, false)];
    let (sheet, _) = done(&sheet, &mut scene, PaintStep::Carry { drawing: "A-03".into(), drops: later });
    assert_eq!((fill_of(&scene, LEFT), fill_of(&scene, RIGHT)), (Some("kettle"), Some("skin")));
    // And is told as unlike; accepting takes what is there.
    let unlike = ids(&scene, Kind::Unlike);
    assert_eq!(unlike.len(), 1);
    let (left, _) = done(&sheet, &mut scene.clone(), FindingsStep::Leave { ids: unlike.clone() });
    assert!(ids(&Scene::of(&left, &bare()), Kind::Unlike).is_empty());
    let (_, _) = done(&sheet, &mut scene, FindingsStep::Settle { ids: unlike, with: None });
    assert_eq!(fill_of(&scene, RIGHT), Some("kettle"));
}

#[test]
fn what_is_carried_no_more_is_taken_out_and_hand_paint_is_not() {
    let (sheet, mut scene) = drawn(&[(200.0, 300.0, 90.0), (600.0, 300.0, 120.0)]);
    let (sheet, _) = done(&sheet, &mut scene, fill(RIGHT, "kettle"));
    let both = vec![drop(LEFT, &["shell"], 0.9, false), drop(RIGHT, &["kettle"], 0.9, false)];
    let (sheet, label) = done(&sheet, &mut scene, PaintStep::Carry { drawing: "A-01".into(), drops: both });
    assert_eq!((label.as_str(), ids(&scene, Kind::Unlike).len()), ("carried 1 region from A-01", 0));
    let none = PaintStep::Carry { drawing: "A-01".into(), drops: Vec::new() };
    let (_, _) = done(&sheet, &mut scene, none);
    assert_eq!((fill_of(&scene, LEFT), fill_of(&scene, RIGHT)), (None, Some("kettle")));
}

#[test]
fn one_swatch_takes_the_place_of_another() {
    let (sheet, mut scene) = drawn(&[(200.0, 300.0, 90.0), (600.0, 300.0, 120.0)]);
    let at = vec![LEFT, RIGHT];
    let (sheet, _) = done(&sheet, &mut scene, PaintStep::Fill { at, swatch: "skin".into() });
    let step = PaintStep::Replace { swatch: "skin".into(), by: Some("shell".into()) };
    let (sheet, label) = done(&sheet, &mut scene, step);
    assert_eq!((label.as_str(), fill_of(&scene, LEFT)), ("replaced in 2 regions", Some("shell")));
    let (_, _) = done(&sheet, &mut scene, PaintStep::Replace { swatch: "shell".into(), by: None });
    assert_eq!(fill_of(&scene, RIGHT), None);
}

fn area_of(scene: &Scene, swatch: &str) -> usize {
    scene.regions.iter().filter(|r| scene.fill(r.id) == Some(swatch)).map(|r| r.area).sum()
}

#[test]
fn a_stroke_parts_what_it_goes_across_and_one_side_takes_the_tone() {
    let (sheet, mut scene) = drawn(&[(200.0, 300.0, 90.0), (600.0, 300.0, 120.0)]);
    let (sheet, _) = done(&sheet, &mut scene, fill(LEFT, "skin"));
    let whole = area_of(&scene, "skin");
    // From outside to outside, off the middle: what hangs over is no part of the seam.
    let path: Vec<Pt> =
        (0..=40).map(|k| pt(150.0 + 4.0 * (f64::from(k) * 0.3).sin(), 180.0 + 6.0 * f64::from(k))).collect();
    let cut = |larger| PaintStep::ToneCut { path: path.clone(), tone: "shadow".into(), larger };
    let (after, label) = done(&sheet, &mut scene.clone(), cut(false));
    assert_eq!(label, "toned 1 region");
    let toned = Scene::of(&after, &bare());
    let (base, shade) = (area_of(&toned, "skin"), area_of(&toned, "skin/shadow"));
    assert!(base > 2 * shade && shade > whole / 12 && base + shade + 300 > whole, "{base} {shade} {whole}");
    assert!(toned.findings.iter().all(|f| f.kind != Kind::TwoPaints));
    let low = after.lines[after.lines.len() - 1].bounds();
    assert!(low.min.y > 205.0 && low.max.y < 395.0, "{low:?}");
    let (other, _) = done(&sheet, &mut scene.clone(), cut(true));
    assert!(area_of(&Scene::of(&other, &bare()), "skin/shadow") == base);
    // A second stroke parts what is left of the base.
    let again: Vec<Pt> = path.iter().map(|p| *p + pt(70.0, 0.0)).collect();
    let mut toned = toned;
    let (_, label) = done(&after, &mut toned, PaintStep::ToneCut { path: again, tone: "shadow".into(), larger: false });
    assert_eq!(label, "toned 1 region");
    assert!(area_of(&toned, "skin/shadow") > shade);
    // A swatch without that tone, a stroke across nothing that is painted, one that ends within: refused, nothing done.
    let swatches = SWATCHES.map(str::to_owned);
    let (kettle, mut there) = drawn(&[(200.0, 300.0, 90.0)]);
    let (kettle, _) = done(&kettle, &mut there, fill(LEFT, "kettle"));
    let lifted = bare();
    let given = |scene| Given { lifted: &lifted, scene, swatches: &swatches };
    assert!(plan(&kettle, &cut(false).into(), &given(&there)).unwrap_err().to_string().contains("kettle/shadow"));
    for path in [vec![pt(560.0, 150.0), pt(560.0, 450.0)], vec![pt(180.0, 300.0), pt(220.0, 300.0)]] {
        let step = PaintStep::ToneCut { path, tone: "shadow".into(), larger: false };
        assert!(plan(&sheet, &step.into(), &given(&scene)).is_err());
    }
}

#[test]
fn all_are_shaded_away_from_the_light() {
    let (sheet, mut scene) = drawn(&[(200.0, 300.0, 90.0), (600.0, 300.0, 120.0), (420.0, 90.0, 12.0)]);
    let (sheet, _) = done(&sheet, &mut scene, PaintStep::FillEmpties { swatch: "skin".into() });
    for (light, dark) in [(-90.0, pt(0.0, 1.0)), (0.0, pt(-1.0, 0.0)), (135.0, pt(0.7, -0.7))] {
        let mut scene = scene.clone();
        let step = PaintStep::Shade { light, depth: 3.0, tone: "shadow".into() };
        let (_, label) = done(&sheet, &mut scene, step);
        assert_eq!(label, "shaded 2 regions", "the small one is not");
        for (middle, r) in [(LEFT, 90.0), (RIGHT, 120.0)] {
            assert_eq!(fill_of(&scene, middle + dark * (0.9 * r)), Some("skin/shadow"), "{light}");
            assert_eq!(fill_of(&scene, middle - dark * (0.9 * r)), Some("skin"), "{light}");
        }
    }
}

#[test]
fn lines_take_the_tone_of_what_they_bound_and_keep_a_colour_of_their_own() {
    let (sheet, mut scene) = drawn(&[(200.0, 300.0, 90.0), (600.0, 300.0, 120.0)]);
    let (sheet, _) = done(&sheet, &mut scene, fill(LEFT, "skin"));
    let (sheet, _) = done(&sheet, &mut scene, fill(RIGHT, "shell"));
    let step = PaintStep::ColourBounding { bounds: "shell".into(), swatch: Some("kettle".into()) };
    let (sheet, label) = done(&sheet, &mut scene, step);
    assert_eq!(label, "coloured 1 line");
    let (sheet, label) = done(&sheet, &mut scene, PaintStep::ToneLines { tone: "shadow".into() });
    assert_eq!(label, "coloured 1 line");
    let colours: Vec<Option<&str>> = sheet.lines.iter().map(|l| l.swatch.as_deref()).collect();
    assert_eq!(colours, [Some("skin/shadow"), Some("kettle")]);
    // Replaced all over, lines go with their tone.
    let step = PaintStep::Replace { swatch: "skin".into(), by: Some("shell".into()) };
    let (sheet, label) = done(&sheet, &mut scene, step);
    assert_eq!(
        (label.as_str(), sheet.lines[0].swatch.as_deref()),
        ("replaced in 1 region, recoloured 1 line", Some("shell/shadow"))
    );
}

#[test]
fn specks_take_the_paint_around_them() {
    let (sheet, mut scene) = drawn(&[(200.0, 300.0, 90.0), (200.0, 300.0, 14.0), (600.0, 300.0, 120.0)]);
    let (sheet, _) = done(&sheet, &mut scene, fill(pt(200.0, 240.0), "skin"));
    let (_, label) = done(&sheet, &mut scene, PaintStep::FillSpecks { under: 8.0 });
    assert_eq!(
        (label.as_str(), fill_of(&scene, LEFT), fill_of(&scene, RIGHT)),
        ("filled 1 small region", Some("skin"), None)
    );
}

#[test]
fn wrong_numbers_and_names_are_refused() {
    let (sheet, scene) = drawn(&[(200.0, 300.0, 90.0)]);
    let swatches = SWATCHES.map(str::to_owned);
    let refused = |drop: CarriedDrop, drawing: &str| {
        let step = PaintStep::Carry { drawing: drawing.into(), drops: vec![drop] };
        plan(&sheet, &step.into(), &Given { lifted: &bare(), scene: &scene, swatches: &swatches }).is_err()
    };
    assert!(!refused(drop(LEFT, &["skin"], 0.5, false), "A-01"));
    assert!(refused(drop(LEFT, &["skin"; 5], 0.5, false), "A-01"));
    assert!(refused(drop(LEFT, &["nobody's"], 0.5, false), "A-01"));
    assert!(refused(drop(LEFT, &["skin"], f64::NAN, false), "A-01"));
    assert!(refused(drop(LEFT, &["skin"], 1.5, false), "A-01"));
    assert!(refused(drop(RIGHT, &["skin"], 0.5, false), "A-01"));
    assert!(refused(drop(LEFT, &["skin"], 0.5, false), &"long".repeat(60)));
}

#[test]
fn what_is_left_without_paint_is_left_in_the_next_drawing() {
    let (sheet, mut scene) = drawn(&[(200.0, 300.0, 90.0), (600.0, 300.0, 120.0)]);
    let (sheet, _) = done(&sheet, &mut scene, fill(RIGHT, "kettle"));
    let unpainted = ids(&scene, Kind::Unpainted);
    let (sheet, _) = done(&sheet, &mut scene, FindingsStep::Leave { ids: unpainted });
    let (next, mut there) = drawn(&[(210.0, 310.0, 90.0), (612.0, 306.0, 120.0)]);
    let drops = proposed_drops(&[&Painted::of(&sheet, &scene)], &there);
    assert_eq!(drops.iter().filter(|d| d.swatches.is_empty()).count(), 1);
    let (_, label) = done(&next, &mut there, PaintStep::Carry { drawing: "A-01".into(), drops });
    assert_eq!((label.as_str(), ids(&there, Kind::Unpainted).len()), ("carried 1 region from A-01", 0));
    assert_eq!(there.findings.iter().filter(|f| f.left).count(), 1);
}

/// A ring of ink with edges of any softness, px, that a line was traced in.
fn soft_ring(soft: f64) -> (Sheet, Ink) {
    let (middle, r, half) = (pt(300.0, 300.0), 180.0, 9.0);
    let mut alpha = Plane::new(600, 600, 0u8);
    for y in 0..600 {
        for x in 0..600 {
            let off = (pt(x as f64 + 0.5, y as f64 + 0.5).dist(middle) - r).abs() - half;
            alpha.set(x, y, (255.0 * (0.5 - off / soft.max(1.0)).clamp(0.0, 1.0)).round() as u8);
        }
    }
    let mut sheet = Sheet::new(600, 600, 300.0);
    let around = |k: i32| {
        let (s, c) = (std::f64::consts::TAU * f64::from(k) / 96.0).sin_cos();
        pt(middle.x + r * c, middle.y + r * s)
    };
    let points: Vec<Pt> = (0..96).map(around).chain([around(0)]).collect();
    let spine = Spine::through(&points, true);
    let form = Form::Centreline { spine, width: vec![[0.0, 2.0 * half]], ends: [End::Round; 2] };
    sheet.draw(Line::new(0, form, Made::Traced));
    (sheet, Ink::plain(alpha, [0; 3]))
}

#[test]
fn no_fringe_shows_at_any_softness_tuck_and_backdrop() {
    for soft in [0.0, 2.0, 5.0, 9.0, 14.0] {
        let (sheet, ink) = soft_ring(soft);
        let scene = Scene::of(&sheet, &ink);
        let inside = scene.regions.at(pt(300.0, 300.0)).unwrap().id;
        for tuck in [0.0, 0.3, 0.7, 1.0] {
            let labels = &scene.regions.labels;
            let mut paint = labels.map(|&l| if u32::from(l) == inside { [200, 120, 40, 255] } else { [0; 4] });
            if tuck < 1.0 {
                let back = taken_back(labels, &scene.ink.alpha, tuck);
                paint.data.iter_mut().zip(&back.data).filter(|(_, b)| **b).for_each(|(p, _)| *p = [0; 4]);
            }
            for k in 0..72 {
                let (s, c) = (std::f64::consts::TAU * f64::from(k) / 72.0).sin_cos();
                for step in 0..250 {
                    let r = f64::from(step);
                    let (x, y) = ((300.0 + r * c) as usize, (300.0 + r * s) as usize);
                    let (a, painted) = (*ink.alpha.at(x, y), paint.at(x, y)[3] == 255);
                    // What of the backdrop shows through ink and paint, of 255: none within the line's middle, whatever it is.
                    let through = if painted { 0 } else { 255 - a };
                    let at = format!("soft {soft}, tuck {tuck}, {r} px at {k}: alpha {a}");
                    assert!(r > 178.0 || through <= 5, "a fringe: {at}");
                    assert!(r < 182.0 || !painted, "paint beyond the line's middle: {at}");
                }
            }
        }
    }
}

/// Two like rings side by side within a third, moved by so much.
fn pair(by: f64) -> (Sheet, Scene) {
    drawn(&[(300.0 + by, 300.0, 60.0), (460.0 + by, 300.0, 60.0), (380.0 + by, 300.0, 220.0)])
}

#[test]
fn both_sides_are_listened_to_and_like_paint_is_no_doubt() {
    let (sheet, mut scene) = pair(0.0);
    let (left, right, around) = (pt(300.0, 300.0), pt(460.0, 300.0), pt(380.0, 120.0));
    let (sheet, _) = done(&sheet, &mut scene, PaintStep::Fill { at: vec![left, right], swatch: "skin".into() });
    let (sheet, _) = done(&sheet, &mut scene, fill(around, "shell"));
    // Led half way from ring to ring either may be either; painted alike that asks nothing.
    let (_, there) = pair(80.0);
    let from = Painted::of(&sheet, &scene);
    let told = proposed_drops(&[&from], &there);
    assert_eq!(told.len(), 3);
    assert!(told.iter().all(|d| !d.doubtful), "{told:?}");
    // What two drawings say differently is asked; what they say alike is surer than either.
    let (other, mut behind) = pair(160.0);
    let by = pt(160.0, 0.0);
    let step = PaintStep::Fill { at: vec![left + by, right + by], swatch: "kettle".into() };
    let (other, _) = done(&other, &mut behind, step);
    let (other, _) = done(&other, &mut behind, fill(around + by, "shell"));
    let both = proposed_drops(&[&from, &Painted::of(&other, &behind)], &there);
    for d in &both {
        let is_ring = d.swatches[0] != "shell";
        assert_eq!(d.doubtful, is_ring, "{d:?}");
        assert_eq!(d.swatches.len(), if is_ring { 2 } else { 1 });
        let alone = told.iter().find(|t| t.at == d.at).unwrap();
        assert!(is_ring || d.confidence >= alone.confidence);
    }
}
