//! Marrow at her walk: eight drawings of one step of all four legs, at 300 dpi on a sheet of 2400 x 1800 pixels.

use crate::pen::{Page, Path, Pressure, through};
use rhizograph_core::geom::{Pt, pt};
use std::f64::consts::TAU;

pub const WIDTH: usize = 2400;
pub const HEIGHT: usize = 1800;
pub const DPI: f64 = 300.0;
/// Drawings of the shot.
pub const DRAWINGS: usize = 8;

/// How she holds herself in one drawing.
struct Pose {
    /// Where in the step, 0 to 1.
    phase: f64,
    /// The body rises and falls twice a step.
    bob: f64,
    sway: f64,
}

fn pose(drawing: usize) -> Pose {
    let phase = drawing as f64 / DRAWINGS as f64;
    Pose { phase, bob: -14.0 * (2.0 * TAU * phase).cos(), sway: 0.018 * (TAU * phase).sin() }
}

/// Where a foot is at `phase`, from its middle: back along the ground, forward through the air.
fn foot(phase: f64) -> (f64, f64) {
    let p = phase.rem_euclid(1.0);
    if p < 0.6 {
        let t = p / 0.6;
        (95.0 * (1.0 - 2.0 * t), 0.0)
    } else {
        let t = (p - 0.6) / 0.4;
        (-95.0 + 190.0 * t, -72.0 * (std::f64::consts::PI * t).sin())
    }
}

const GROUND: f64 = 1500.0;

fn leg(hip: Pt, mid_x: f64, phase: f64, size: f64) -> (Path, Vec<Path>) {
    let (dx, dy) = foot(phase);
    let f = pt(mid_x + dx, GROUND + dy);
    let w = 74.0 * size;
    let knee = hip.lerp(f, 0.52) + pt(26.0, 0.0);
    let outline = through(
        &[
            (hip.x - w, hip.y - 40.0),
            (knee.x - w * 0.95, knee.y),
            (f.x - w * 0.98, f.y - 34.0),
            (f.x - w * 0.7, f.y - 4.0),
            (f.x + w * 0.5, f.y),
            (f.x + w * 1.25, f.y - 10.0),
            (f.x + w * 1.28, f.y - 44.0),
            (f.x + w * 0.78, f.y - 66.0),
            (knee.x + w * 0.78, knee.y + 6.0),
            (hip.x + w, hip.y - 40.0),
        ],
        true,
    );
    let nail = |k: f64| {
        let x = f.x + w * k;
        through(&[(x - 15.0, f.y + 14.0), (x - 10.0, f.y - 27.0), (x + 8.0, f.y - 29.0), (x + 15.0, f.y + 14.0)], false)
    };
    (outline, vec![nail(0.18), nail(0.62), nail(1.02)])
}

/// Inks drawing `number` (0 to 7) of the shot, with its gaps and tails.
pub fn draw(number: usize) -> Page {
    ink(number, true)
}

/// The same drawing as it was meant: closed, with nothing running past.
pub fn draw_as_meant(number: usize) -> Page {
    ink(number, false)
}

fn ink(number: usize, faults: bool) -> Page {
    let pose = pose(number);
    let mut page = Page::new(WIDTH, HEIGHT, 1000 * (number as u64 + 1), faults);
    let about = pt(1120.0, 1100.0);
    let body = |path: Path| path.moved(about, pose.sway, 1.0, pt(0.0, pose.bob));
    let place = |p: Pt| {
        through(&[(p.x, p.y), (p.x + 1.0, p.y)], false).moved(about, pose.sway, 1.0, pt(0.0, pose.bob)).points[0]
    };

    wall(&mut page);
    // Far legs, then the tail: behind the shell.
    for (hip_x, mid, shift) in [(1420.0, 1455.0, 0.5), (830.0, 800.0, 0.25)] {
        let hip = place(pt(hip_x, 1230.0));
        let (outline, nails) = leg(hip, mid, pose.phase + shift, 0.86);
        page.shape(&outline, 8.0, Pressure::Weighted);
        nails.iter().take(2).for_each(|n| page.stroke(&within(n, &outline), 5.0, Pressure::Even));
    }
    let wag = 16.0 * (TAU * pose.phase).sin();
    let tail = body(through(
        &[
            (640.0, 1130.0),
            (560.0, 1160.0 + wag * 0.4),
            (490.0, 1206.0 + wag),
            (556.0, 1228.0 + wag * 0.6),
            (660.0, 1222.0),
        ],
        true,
    ));
    page.shape(&tail, 7.0, Pressure::Weighted);

    neck_and_head(&mut page, &pose, number);

    // The shell: dome, plates, rim.
    let dome = body(through(
        &[
            (610.0, 1150.0),
            (630.0, 930.0),
            (740.0, 720.0),
            (920.0, 580.0),
            (1120.0, 535.0),
            (1330.0, 580.0),
            (1500.0, 710.0),
            (1600.0, 900.0),
            (1625.0, 1150.0),
            (1380.0, 1190.0),
            (1120.0, 1202.0),
            (860.0, 1192.0),
        ],
        true,
    ));
    if number.is_multiple_of(2) {
        page.leave_open(0.13, 12.0);
    }
    page.shape(&dome, 10.0, Pressure::Weighted);
    plates(&mut page, &body, &dome, number);
    let rim = body(through(
        &[
            (560.0, 1140.0),
            (600.0, 1128.0),
            (860.0, 1168.0),
            (1120.0, 1180.0),
            (1380.0, 1168.0),
            (1636.0, 1124.0),
            (1672.0, 1138.0),
            (1660.0, 1186.0),
            (1400.0, 1252.0),
            (1120.0, 1268.0),
            (850.0, 1256.0),
            (578.0, 1196.0),
        ],
        true,
    ));
    if number % 3 == 1 {
        page.leave_open(0.672, 16.0);
    }
    page.shape(&rim, 9.0, Pressure::Weighted);
    rim_plates(&mut page, &body, &rim, number);
    satchel(&mut page, &body, number);

    for (hip_x, mid, shift) in [(1395.0, 1350.0, 0.0), (790.0, 760.0, 0.75)] {
        let hip = place(pt(hip_x, 1262.0));
        let (outline, nails) = leg(hip, mid, pose.phase + shift, 1.0);
        // The leg comes out from under the rim: its top stays hidden.
        let (top, _) =
            outline.points.iter().enumerate().fold((f64::MAX, 0), |b, (i, p)| if p.y < b.0 { (p.y, i) } else { b });
        let under = |p: Pt| p.y < top + 18.0 || rim.holds(p);
        page.hide_for(&outline_below(&outline, &rim), &outline);
        ink_visible(&mut page, &outline, under, 9.0);
        nails.iter().for_each(|n| page.stroke(&within(n, &outline), 5.5, Pressure::Even));
    }
    kettle(&mut page, &body, &pose, number);
    page.forget_hidden_faults();
    page
}

/// The part of a leg's inside that is not under the rim.
fn outline_below(outline: &Path, rim: &Path) -> Path {
    let kept = outline.points.iter().copied().filter(|p| !rim.holds(*p)).collect::<Vec<Pt>>();
    let lowest = rim.points.iter().map(|p| p.y).fold(0.0, f64::max);
    Path { points: kept.into_iter().filter(|p| p.y > lowest - 30.0).collect(), closed: true }
}

/// Inks the stretch of a closed path that `under` does not hide, reaching a little under what hides it.
fn ink_visible(page: &mut Page, path: &Path, under: impl Fn(Pt) -> bool, width: f64) {
    let n = path.points.len();
    let Some(start) = (0..n).find(|&i| under(path.points[i]) && !under(path.points[(i + 1) % n])) else {
        return;
    };
    let mut points = vec![path.points[start]];
    for k in 1..n {
        let p = path.points[(start + k) % n];
        points.push(p);
        if under(p) {
            break;
        }
    }
    page.stroke(&Path { points, closed: false }, width, Pressure::Even);
}

fn wall(page: &mut Page) {
    let top = through(&[(150.0, 1508.0), (700.0, 1514.0), (1300.0, 1506.0), (1900.0, 1513.0), (2250.0, 1508.0)], false);
    page.stroke(&top, 7.0, Pressure::Tapered);
    for (x, y, w, h) in [
        (330.0, 1600.0, 120.0, 50.0),
        (690.0, 1640.0, 150.0, 56.0),
        (1150.0, 1604.0, 130.0, 48.0),
        (1620.0, 1640.0, 160.0, 58.0),
        (2040.0, 1596.0, 116.0, 46.0),
    ] {
        let stone = through(
            &[
                (x - w, y),
                (x - w * 0.75, y - h * 0.85),
                (x + w * 0.1, y - h),
                (x + w * 0.8, y - h * 0.8),
                (x + w, y + h * 0.1),
                (x + w * 0.7, y + h),
                (x - w * 0.6, y + h * 0.95),
            ],
            true,
        );
        page.shape(&stone, 5.5, Pressure::Weighted);
    }
}

fn neck_and_head(page: &mut Page, pose: &Pose, number: usize) {
    let nod = 10.0 * (2.0 * TAU * pose.phase + 0.8).sin();
    let by = pt(6.0 * (TAU * pose.phase).cos(), pose.bob + nod);
    let head = |path: Path| path.moved(pt(1800.0, 900.0), 0.02 * (2.0 * TAU * pose.phase).sin(), 1.0, by);
    let outline = head(through(
        &[
            (1540.0, 1150.0),
            (1600.0, 1010.0),
            (1668.0, 905.0),
            (1690.0, 800.0),
            (1730.0, 690.0),
            (1830.0, 640.0),
            (1945.0, 672.0),
            (2010.0, 760.0),
            (2012.0, 850.0),
            (1950.0, 916.0),
            (1860.0, 940.0),
            (1800.0, 985.0),
            (1760.0, 1090.0),
            (1690.0, 1190.0),
            (1600.0, 1220.0),
        ],
        true,
    ));
    if number % 4 == 2 {
        page.leave_open(0.60, 14.0);
    }
    page.shape(&outline, 9.0, Pressure::Weighted);
    // Smile, cheek, nostril, brow: open lines that are meant.
    page.stroke(
        &head(through(&[(1846.0, 852.0), (1900.0, 884.0), (1958.0, 872.0), (1990.0, 838.0)], false)),
        6.0,
        Pressure::Tapered,
    );
    page.stroke(&head(through(&[(1832.0, 836.0), (1846.0, 852.0), (1842.0, 872.0)], false)), 5.0, Pressure::Tapered);
    page.solid(&head(ellipse(1990.0, 772.0, 5.0, 6.5)));
    let eye = head(ellipse(1888.0, 766.0, 36.0, 44.0));
    page.shape(&eye, 6.0, Pressure::Weighted);
    page.solid(&head(ellipse(1898.0, 772.0, 20.0, 27.0)));
    let spark = head(ellipse(1905.0, 760.0, 7.5, 8.5));
    page.hide(&spark);
    page.stroke(&head(through(&[(1838.0, 716.0), (1866.0, 694.0), (1906.0, 694.0)], false)), 7.0, Pressure::Tapered);
    for (x, y) in [(1812.0, 874.0), (1836.0, 896.0), (1806.0, 902.0)] {
        page.solid(&head(ellipse(x, y, 5.5, 5.5)));
    }
    // The post cap: crown, band, brim.
    let crown = head(through(
        &[
            (1722.0, 700.0),
            (1706.0, 610.0),
            (1760.0, 540.0),
            (1850.0, 520.0),
            (1940.0, 556.0),
            (1966.0, 640.0),
            (1950.0, 676.0),
            (1840.0, 664.0),
        ],
        true,
    ));
    page.shape(&crown, 8.0, Pressure::Weighted);
    let band = head(through(
        &[(1712.0, 652.0), (1830.0, 612.0), (1962.0, 630.0), (1962.0, 682.0), (1840.0, 668.0), (1722.0, 706.0)],
        true,
    ));
    page.shape(&band, 7.0, Pressure::Weighted);
    let brim = head(through(
        &[(1900.0, 668.0), (1990.0, 668.0), (2078.0, 706.0), (2070.0, 726.0), (1980.0, 708.0), (1896.0, 700.0)],
        true,
    ));
    page.shape(&brim, 7.0, Pressure::Weighted);
    page.shape(&head(ellipse(1846.0, 642.0, 21.0, 18.0)), 5.0, Pressure::Weighted);
}

fn ellipse(x: f64, y: f64, rx: f64, ry: f64) -> Path {
    let p: Vec<(f64, f64)> =
        (0..12).map(|k| f64::from(k) / 12.0 * TAU).map(|a| (x + rx * a.cos(), y + ry * a.sin())).collect();
    through(&p, true)
}

fn plates(page: &mut Page, body: &impl Fn(Path) -> Path, dome: &Path, number: usize) {
    let hexagons = [
        [(700.0, 1040.0), (745.0, 860.0), (880.0, 800.0), (960.0, 900.0), (930.0, 1060.0), (810.0, 1110.0)],
        [(960.0, 900.0), (1010.0, 740.0), (1180.0, 730.0), (1260.0, 890.0), (1200.0, 1050.0), (1020.0, 1060.0)],
        [(1260.0, 890.0), (1360.0, 790.0), (1480.0, 850.0), (1540.0, 1020.0), (1430.0, 1100.0), (1300.0, 1060.0)],
    ];
    let line = |a: (f64, f64), b: (f64, f64)| {
        let m = ((a.0 + b.0) / 2.0 + (b.1 - a.1) * 0.05, (a.1 + b.1) / 2.0 - (b.0 - a.0) * 0.05);
        body(through(&[a, m, b], false))
    };
    for (k, h) in hexagons.iter().enumerate() {
        for i in 0..6 {
            // The middle plate shares its sides' corners with its neighbours.
            if (number + 2 * k) % 5 == 1 && i == 1 {
                page.leave_open(0.5, 8.0 + 2.0 * k as f64);
            }
            if (number + k) % 4 == 3 && i == 4 {
                page.leave_open(0.45, 18.0);
            }
            page.stroke(&line(h[i], h[(i + 1) % 6]), 6.5, Pressure::Even);
        }
    }
    page.stroke(&line((930.0, 1060.0), (1020.0, 1060.0)), 6.5, Pressure::Even);
    page.stroke(&line((1200.0, 1050.0), (1300.0, 1060.0)), 6.5, Pressure::Even);
    // Spokes from the plates to the dome; some are drawn past it.
    let spokes = [
        ((745.0, 860.0), (600.0, 740.0)),
        ((880.0, 800.0), (800.0, 600.0)),
        ((1010.0, 740.0), (975.0, 500.0)),
        ((1180.0, 730.0), (1235.0, 490.0)),
        ((1360.0, 790.0), (1450.0, 600.0)),
        ((1480.0, 850.0), (1640.0, 740.0)),
        ((700.0, 1040.0), (590.0, 1030.0)),
        ((1540.0, 1020.0), (1660.0, 1000.0)),
    ];
    for (k, &(a, b)) in spokes.iter().enumerate() {
        let whole = line(a, b);
        let inside: Vec<Pt> = whole.points.iter().copied().take_while(|p| dome.holds(*p)).collect();
        let Some(&exit) = inside.last() else { continue };
        let mut points = inside.clone();
        points.truncate(points.len().saturating_sub(1));
        points.push(exit);
        page.stroke(&Path { points, closed: false }, 6.0, Pressure::Even);
        if (number + 3 * k).is_multiple_of(4) {
            let dir = exit - inside[inside.len().saturating_sub(6)];
            page.tail(exit, dir, 6.0, 10.0, 13.0 + 2.5 * ((number + k) % 4) as f64);
        }
    }
    // Down to the rim: hidden under it.
    for (a, b) in [
        ((810.0, 1110.0), (800.0, 1210.0)),
        ((975.0, 1060.0), (970.0, 1230.0)),
        ((1250.0, 1055.0), (1256.0, 1230.0)),
        ((1430.0, 1100.0), (1440.0, 1210.0)),
    ] {
        page.stroke(&line(a, b), 6.0, Pressure::Even);
    }
}

/// The part of a line that lies inside a shape: it ends on the middle of the shape's edge.
fn within(line: &Path, shape: &Path) -> Path {
    let mut points: Vec<Pt> = Vec::new();
    for w in line.points.windows(2) {
        let steps = w[0].dist(w[1]).ceil().max(1.0) as usize;
        points.extend((0..steps).map(|k| w[0].lerp(w[1], k as f64 / steps as f64)).filter(|p| shape.holds(*p)));
    }
    Path { points, closed: false }
}

fn rim_plates(page: &mut Page, body: &impl Fn(Path) -> Path, rim: &Path, number: usize) {
    for (k, x) in [700.0, 850.0, 1000.0, 1240.0, 1390.0, 1530.0].into_iter().enumerate() {
        let lean = (x - 1120.0) * 0.05;
        let whole = body(through(&[(x - lean, 1080.0), (x, 1180.0), (x + lean, 1310.0)], false));
        let plate = within(&whole, rim);
        page.stroke(&plate, 5.5, Pressure::Even);
        if k > 0 && (number + k) % 5 == 2 {
            let n = plate.points.len();
            let (a, b) = (plate.points[n - 12], plate.points[n - 1]);
            page.tail(b, b - a, 5.5, 9.0, 12.0 + 3.0 * (k % 3) as f64);
        }
    }
}

fn satchel(page: &mut Page, body: &impl Fn(Path) -> Path, number: usize) {
    let bag = body(through(
        &[
            (1046.0, 1100.0),
            (1120.0, 1092.0),
            (1196.0, 1100.0),
            (1206.0, 1180.0),
            (1196.0, 1262.0),
            (1120.0, 1274.0),
            (1044.0, 1262.0),
            (1036.0, 1180.0),
        ],
        true,
    ));
    if number % 4 == 1 {
        page.leave_open(0.30, 10.0);
    }
    page.shape(&bag, 7.5, Pressure::Weighted);
    let letter = body(through(&[(1078.0, 1136.0), (1164.0, 1134.0), (1166.0, 1190.0), (1080.0, 1192.0)], true));
    page.shape(&letter, 5.5, Pressure::Even);
    let flap = body(through(&[(1066.0, 1128.0), (1122.0, 1168.0), (1178.0, 1126.0)], false));
    page.stroke(&within(&flap, &letter), 4.5, Pressure::Even);
    let fold = body(through(&[(1020.0, 1212.0), (1120.0, 1228.0), (1222.0, 1212.0)], false));
    page.stroke(&within(&fold, &bag), 5.5, Pressure::Even);
}

fn kettle(page: &mut Page, body: &impl Fn(Path) -> Path, pose: &Pose, number: usize) {
    let rock = 0.05 * (2.0 * TAU * pose.phase + 0.5).sin();
    let k = |path: Path| body(path.moved(pt(1120.0, 540.0), rock, 1.0, pt(0.0, 0.0)));
    // Handle behind, spout, pot, lid.
    let handle = through(
        &[
            (1010.0, 360.0),
            (1000.0, 250.0),
            (1060.0, 190.0),
            (1160.0, 188.0),
            (1226.0, 246.0),
            (1232.0, 356.0),
            (1204.0, 356.0),
            (1198.0, 262.0),
            (1150.0, 222.0),
            (1070.0, 222.0),
            (1030.0, 266.0),
            (1038.0, 360.0),
        ],
        true,
    );
    page.shape(&k(handle), 7.0, Pressure::Weighted);
    let spout = through(
        &[
            (1236.0, 452.0),
            (1300.0, 430.0),
            (1334.0, 370.0),
            (1352.0, 322.0),
            (1394.0, 332.0),
            (1378.0, 400.0),
            (1340.0, 470.0),
            (1250.0, 520.0),
        ],
        true,
    );
    page.shape(&k(spout), 7.0, Pressure::Weighted);
    let pot = through(
        &[
            (940.0, 520.0),
            (938.0, 440.0),
            (990.0, 368.0),
            (1120.0, 344.0),
            (1250.0, 368.0),
            (1302.0, 440.0),
            (1300.0, 520.0),
            (1240.0, 568.0),
            (1120.0, 582.0),
            (1000.0, 568.0),
        ],
        true,
    );
    if number.is_multiple_of(3) {
        page.leave_open(0.125, 14.0);
    }
    page.shape(&k(pot.clone()), 9.0, Pressure::Weighted);
    let lid = through(
        &[(1012.0, 372.0), (1040.0, 330.0), (1120.0, 312.0), (1200.0, 330.0), (1228.0, 372.0), (1120.0, 392.0)],
        true,
    );
    if number % 5 == 4 {
        page.leave_open(0.22, 9.0);
    }
    page.shape(&k(lid), 7.0, Pressure::Weighted);
    page.shape(&k(ellipse(1120.0, 296.0, 22.0, 20.0)), 6.0, Pressure::Weighted);
    // A band around the pot, drawn past its edge at one side now and then.
    let around =
        k(through(&[(920.0, 466.0), (1030.0, 504.0), (1120.0, 510.0), (1210.0, 504.0), (1320.0, 466.0)], false));
    let band = within(&around, &k(pot));
    page.stroke(&band, 5.5, Pressure::Even);
    if number % 2 == 1 {
        page.tail(band.points[0], band.points[0] - band.points[8], 5.5, 9.0, 15.0);
    }
    // Steam: open curls that are meant.
    for (i, x) in [1392.0, 1486.0].into_iter().enumerate() {
        let s = 22.0 * (TAU * (pose.phase + 0.3 * i as f64)).sin();
        let y = 286.0 - 40.0 * i as f64;
        page.stroke(
            &body(through(
                &[(x, y), (x + 26.0 + s, y - 52.0), (x - 8.0 + s, y - 104.0), (x + 34.0 + 0.5 * s, y - 156.0)],
                false,
            )),
            5.0,
            Pressure::Tapered,
        );
    }
}
