//! The demo shot through the computation: what was planted is found, what was meant to be closed is closed.

use rhizograph_app::cli::prepare::settle_sure;
use rhizograph_app::demo::{PHOTOGRAPHED, fed, photographed, scanned, sheet as on_glass};
use rhizograph_app::intake::new_drawing;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::intake::{Layout, Marks, find_corners, find_pegs, lay_out};
use rhizograph_core::lift;
use rhizograph_core::model::by_hand::ByHand;
use rhizograph_core::model::line::piled;
use rhizograph_core::model::recipe::{IntakeRecipe, LiftRecipe};
use rhizograph_core::model::sheet::Sheet;
use rhizograph_core::raster::components::components;
use rhizograph_core::raster::ink::{IS_INK, Ink};
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::scene::Scene;
use rhizograph_core::shot::carry::{Graph, carry};
use rhizograph_core::trace::trace;
use rhizograph_demo::camera;
use rhizograph_demo::feeder::{on_scan, peg_marks};
use rhizograph_demo::marrow::{DPI, DRAWINGS, HEIGHT, WIDTH, draw, draw_as_meant};
use rhizograph_demo::pen::Path;
use rhizograph_formats::{Input, Reading, read};
use std::collections::HashMap;
use std::sync::OnceLock;

struct Worked {
    sheet: Sheet,
    lifted: Ink,
    scene: Scene,
}

/// A drawing of the shot as it is after these steps, computed once.
fn lifted_and_traced(number: usize) -> &'static Worked {
    static ALL: [OnceLock<Worked>; DRAWINGS] = [const { OnceLock::new() }; DRAWINGS];
    ALL[number].get_or_init(|| lift_and_trace(number))
}

fn lift_and_trace(number: usize) -> Worked {
    let Ok(Input::Raster(raster)) = read(&scanned(number).unwrap(), Reading::default()) else {
        panic!("the scan does not read")
    };
    let mut sheet = Sheet::new(raster.rgb.width, raster.rgb.height, raster.dpi.unwrap());
    let holes = find_pegs(&raster.rgb, sheet.dpi).unwrap().boxes.to_vec();
    let rgb = lay_out(raster.rgb, &IntakeRecipe { holes, ..IntakeRecipe::default() }).unwrap();
    let (lifted, _) = lift::lift(&rgb, &sheet.recipes.lift, &ByHand::default(), sheet.dpi).unwrap();
    sheet.lines = piled(trace(&lifted, &sheet.recipes.trace, sheet.dpi, 1));
    sheet.next_id = sheet.lines.len() as u64 + 1;
    let scene = Scene::of(&sheet, &lifted);
    Worked { sheet, lifted, scene }
}

/// Where a place of the page lies on its scan.
fn placed(p: Pt, number: usize) -> Pt {
    on_scan(p, WIDTH as f64, HEIGHT as f64, on_glass(number).skew)
}

/// The regions of the drawing as meant, by flooding the paper of its scanned page: labels, 0 for the outside and ink.
fn meant_regions(number: usize) -> (Plane<u32>, Vec<usize>) {
    let page = draw_as_meant(number);
    let skew = on_glass(number).skew;
    let mut paper = Plane::new(WIDTH, HEIGHT, false);
    for y in 0..HEIGHT {
        for x in 0..WIDTH {
            let q = Pt::from([x as f64 + 0.5, y as f64 + 0.5]);
            let p = on_scan(q, WIDTH as f64, HEIGHT as f64, -skew);
            paper.set(x, y, page.ink.sample(p.x, p.y) < f64::from(IS_INK));
        }
    }
    let (labels, pieces) = components(&paper, false);
    let outside = *labels.at(0, 0);
    let areas = pieces.iter().enumerate().map(|(k, p)| if k as u32 + 1 == outside { 0 } else { p.area }).collect();
    (labels, areas)
}

#[test]
fn every_planted_gap_and_tail_is_found() {
    let (mut gaps, mut tails) = (0, 0);
    for number in 0..DRAWINGS {
        let (page, meant) = (draw(number), draw_as_meant(number));
        let worked = lifted_and_traced(number);
        let near = |kinds: &[rhizograph_core::model::verdict::Kind], p: Pt| {
            worked.scene.findings.iter().any(|f| {
                let middle = f.to.map_or(f.at, |t| f.at.lerp(t, 0.5));
                kinds.contains(&f.kind) && (middle.dist(p) < 10.0 || f.to.is_some_and(|t| t.dist(p) < 10.0))
            })
        };
        use rhizograph_core::model::verdict::Kind::{Gap, Tail};
        for g in &page.gaps {
            assert!(meant.ink.sample(g.at.x, g.at.y) > 200.0, "drawing {number}: the gap at {:?} is in no line", g.at);
            assert!(
                near(&[Gap], placed(g.at, number)),
                "drawing {number}: the gap of {:.1} px at {:?} was not found",
                g.length,
                placed(g.at, number)
            );
            gaps += 1;
        }
        for t in &page.tails {
            assert!(
                near(&[Tail], placed(t.tip, number)),
                "drawing {number}: the tail of {:.1} px at {:?} was not found",
                t.length,
                placed(t.tip, number)
            );
            tails += 1;
        }
    }
    println!("figure: {gaps} planted gaps and {tails} planted tails found in {DRAWINGS} drawings");
    assert!(gaps >= 20 && tails >= 20, "{gaps} gaps, {tails} tails were planted");
}

#[test]
fn every_region_is_closed_after_settling_the_sure_ones() {
    let (mut found, mut all) = (0, 0);
    for number in 0..DRAWINGS {
        let worked = lifted_and_traced(number);
        // A bridge may make a further crossing plain: settled until nothing is sure any more.
        let mut sheet = settle_sure(&worked.sheet, &worked.scene).0;
        let mut scene = Scene::of(&sheet, &worked.lifted);
        for _ in 0..2 {
            sheet = settle_sure(&sheet, &scene).0;
            scene = Scene::of(&sheet, &worked.lifted);
        }
        let (meant, areas) = meant_regions(number);
        let mut common: HashMap<(u32, u32), usize> = HashMap::new();
        for ((meant, is), ink) in meant.data.iter().zip(&scene.regions.labels.data).zip(&scene.ink.alpha.data) {
            if *ink < IS_INK {
                *common.entry((*meant, u32::from(*is))).or_default() += 1;
            }
        }
        let mut best: HashMap<u32, (usize, u32)> = HashMap::new();
        for ((meant, is), n) in common {
            let here = best.entry(meant).or_default();
            *here = (*here).max((n, is));
        }
        for (k, &area) in areas.iter().enumerate().filter(|(_, a)| **a >= 150) {
            let (common, best) = best.get(&(k as u32 + 1)).copied().unwrap_or_default();
            let own = scene.regions.get(best).map_or(0, |r| r.area);
            let iou = common_share(common, area, own);
            all += 1;
            if best > 0 && iou > 0.85 {
                found += 1;
            } else {
                let at = meant.data.iter().position(|&l| l == k as u32 + 1).unwrap();
                println!("drawing {number}: region of {area} px at {}, {} has IoU {iou:.2}", at % WIDTH, at / WIDTH);
            }
        }
    }
    println!("figure: {found} of {all} meant regions closed after settling the sure ones");
    assert_eq!(found, all);
}

fn common_share(common: usize, a: usize, b: usize) -> f64 {
    common as f64 / (a + b - common).max(1) as f64
}

/// The sheets come in by the feeder, each a little askew: by their peg holes they all lie the same.
#[test]
fn all_sheets_of_the_shot_line_up_by_their_peg_holes() {
    let mut target = None;
    for number in 0..DRAWINGS {
        let drawing = new_drawing("a.jpg", &scanned(number).unwrap(), target).unwrap();
        let intake = drawing.sheet.recipes.intake;
        let register = intake.register.unwrap();
        assert!(register.pegs && intake.holes.len() == 3, "sheet {number}");
        let to = target.get_or_insert(Marks { at: register.to, dpi: DPI }).at;
        let layout = Layout::of(&intake, WIDTH, HEIGHT).unwrap();
        let to_sheet = layout.to_original.inverse().unwrap();
        for (mark, to) in peg_marks(WIDTH as f64, DPI).into_iter().zip(to) {
            let lands = to_sheet.map(placed(mark, number));
            assert!(lands.dist(to) < 0.35, "sheet {number}: a hole lands {:.2} px off", lands.dist(to));
        }
        // Far from the holes too: where the sea wall is drawn.
        let far = Pt::from([1200.0, 1500.0]);
        let first = Pt::from([to[0].lerp(to[1], 0.5).x, to[0].y + far.y - peg_marks(WIDTH as f64, DPI)[0].y]);
        let lands = to_sheet.map(placed(far, number));
        assert!(lands.dist(first) < 1.0, "sheet {number}: the wall lands {:.2} px off", lands.dist(first));
    }
}

#[test]
fn grey_scans_of_any_resolution_are_found_by_their_holes_and_lift() {
    let first = new_drawing("a.jpg", &scanned(2).unwrap(), None).unwrap();
    let at = first.sheet.recipes.intake.register.unwrap().to;
    for (dpi, grey) in [(150.0, true), (150.0, false)] {
        let (_, bytes) = fed(2, dpi, grey).unwrap();
        let drawing = new_drawing("a.jpg", &bytes, Some(Marks { at, dpi: first.sheet.dpi })).unwrap();
        assert_eq!(drawing.sheet.dpi, dpi);
        assert!(!drawing.sheet.dpi_assumed);
        // It lies where the first one lies, on paper.
        let register = drawing.sheet.recipes.intake.register.unwrap();
        assert!(register.pegs, "{dpi} dpi, grey: {grey}");
        for (on_this, on_first) in register.to.into_iter().zip(at) {
            assert!((on_this * (first.sheet.dpi / dpi)).dist(on_first) < 0.01);
        }
        let scale = register.to[0].dist(register.to[1]) / register.from[0].dist(register.from[1]);
        assert!((scale - 1.0).abs() < 0.01, "the sheet keeps its own resolution: {scale}");
    }
}

/// The photo of shot 013, from the side under a shadow: squared up by itself, it lifts to what was drawn.
#[test]
fn the_phone_photo_is_squared_up_and_lifts_to_what_was_drawn() {
    let (name, bytes) = photographed(PHOTOGRAPHED).unwrap();
    let drawing = new_drawing(&name, &bytes, None).unwrap();
    assert!(drawing.sheet.dpi_assumed, "a photo does not tell its resolution");
    let Ok(Input::Raster(raster)) = read(&bytes, Reading::default()) else { panic!("the photo does not read") };
    let found = find_corners(&raster.rgb).unwrap();
    let corners = camera::corners(70 + PHOTOGRAPHED as u64);
    for (got, is) in found.into_iter().zip(corners) {
        assert!(got.dist(is) < 14.0, "a corner is {:.1} px off", got.dist(is));
    }
    let intake = drawing.sheet.recipes.intake;
    assert!(intake.corners.is_some() && intake.holes.len() == 3, "{intake:?}");
    let rgb = lay_out(raster.rgb.clone(), &intake).unwrap();
    let (ink, _) = lift::lift(&rgb, &LiftRecipe::default(), &ByHand::default(), 300.0).unwrap();
    // Each pixel of the page as it was inked, where it lies on the sheet laid out.
    let page = draw(PHOTOGRAPHED);
    let layout = Layout::of(&intake, raster.rgb.width, raster.rgb.height).unwrap();
    let paper = [[0.0, 0.0], [WIDTH as f64, 0.0], [WIDTH as f64, HEIGHT as f64], [0.0, HEIGHT as f64]].map(Pt::from);
    let to_page =
        rhizograph_core::geom::homography::Homography::between(corners, paper).unwrap().after(layout.to_original);
    let (mut both, mut got, mut drawn) = (0.0, 0.0, 0.0);
    for y in 0..ink.alpha.height {
        for x in 0..ink.alpha.width {
            let p = to_page.map(Pt::from([x as f64 + 0.5, y as f64 + 0.5]));
            let is = p.x > 4.0
                && p.y > 4.0
                && p.x < WIDTH as f64 - 4.0
                && p.y < HEIGHT as f64 - 4.0
                && page.ink.sample(p.x, p.y) >= 128.0;
            let (a, b) = (f64::from(u8::from(*ink.alpha.at(x, y) >= IS_INK)), f64::from(u8::from(is)));
            both += a * b;
            got += a;
            drawn += b;
        }
    }
    let f = 2.0 * both / (got + drawn);
    println!("figure: ink of the phone photo against what was drawn: F {f:.4}");
    assert!(f > 0.95, "F {f}");
}

/// The affine map with the least squares that lays the points of a path on those of another, as many.
fn laid(from: &Path, to: &Path) -> impl Fn(Pt) -> Pt + use<> {
    let n = from.points.len().min(to.points.len());
    let mean = |p: &Path| p.points[..n].iter().fold(pt(0.0, 0.0), |s, q| s + *q) * (1.0 / n as f64);
    let (a, b) = (mean(from), mean(to));
    let mut m = [0.0; 7];
    for (p, q) in from.points.iter().zip(&to.points) {
        let (u, v) = (*p - a, *q - b);
        for (k, add) in [u.x * u.x, u.x * u.y, u.y * u.y, u.x * v.x, u.y * v.x, u.x * v.y, u.y * v.y].iter().enumerate()
        {
            m[k] += add;
        }
    }
    let det = m[0] * m[2] - m[1] * m[1];
    let row = |x: f64, y: f64| [(x * m[2] - y * m[1]) / det, (y * m[0] - x * m[1]) / det];
    let ([c, d], [e, f]) = (row(m[3], m[4]), row(m[5], m[6]));
    move |p| b + pt(c * (p - a).x + d * (p - a).y, e * (p - a).x + f * (p - a).y)
}

#[test]
fn the_paint_of_the_first_drawing_is_carried_through_the_shot() {
    let settled: Vec<Scene> = (0..DRAWINGS)
        .map(|number| {
            let worked = lifted_and_traced(number);
            Scene::of(&settle_sure(&worked.sheet, &worked.scene).0, &worked.lifted)
        })
        .collect();
    let shapes: Vec<Vec<Path>> = (0..DRAWINGS).map(|n| draw_as_meant(n).shapes).collect();
    let size = (WIDTH as f64, HEIGHT as f64);
    let on_page = |p: Pt, number: usize| on_scan(p, size.0, size.1, -on_glass(number).skew);
    let topmost = |p: Pt, number: usize| shapes[number].iter().rposition(|s| s.holds(p));
    let graphs: Vec<Graph> = settled.iter().map(|s| Graph::of(&s.regions)).collect();
    let [mut right, mut all, mut wrong, mut doubtful] = [0; 4];
    let [mut area, mut right_area] = [0; 2];
    for number in 1..DRAWINGS {
        let carried = carry(&graphs[0], &graphs[number]);
        for region in settled[0].regions.iter() {
            // What it is, where that lies in the other drawing, and whether it is seen there.
            let p = on_page(region.seed, 0);
            let Some(shape) = topmost(p, 0) else { continue };
            let q = laid(&shapes[0][shape], &shapes[number][shape])(p);
            if topmost(q, number) != Some(shape) {
                continue;
            }
            let Some(there) = settled[number].regions.at(placed(q, number)) else { continue };
            // A region that is another one's part by now is nobody's.
            if there.area > 2 * region.area || region.area > 2 * there.area {
                continue;
            }
            all += 1;
            area += there.area;
            match carried.iter().find(|c| c.region == there.id) {
                Some(c) if c.from == region.id => {
                    right += 1;
                    right_area += there.area;
                    doubtful += usize::from(c.doubtful);
                }
                Some(c) => {
                    wrong += usize::from(!c.doubtful);
                    doubtful += usize::from(c.doubtful);
                }
                None => {}
            }
        }
    }
    let share = |n: usize, of: usize| n as f64 / of as f64;
    println!(
        "figure: carried from A-01 to the seven others: {:.4} of {all} regions right, {:.4} of their area, {:.4} wrong and not \
         doubtful, {:.4} doubtful",
        share(right, all),
        share(right_area, area),
        share(wrong, all),
        share(doubtful, all)
    );
    assert!(all > 250, "{all}");
    assert!(share(right, all) >= 0.96 && share(right_area, area) >= 0.995 && share(wrong, all) <= 0.01);
}
