//! The four corners of a sheet of paper on a photo: the light quadrilateral before a darker ground.

use crate::geom::{Pt, pt};
use crate::raster::plane::{Plane, Rgb};
use rayon::prelude::*;

/// How far from a side it is looked at whether the ground is darker there, px of a picture of 600: beyond any line.
const BESIDE: std::ops::Range<f64> = 6.0..14.0;
/// How light the ground may be beside the paper.
const DARKER: f64 = 0.8;

/// Finds the paper's corners (upper left, upper right, lower right, lower left), px; `None` if the paper fills the
/// picture or nothing looks like it.
pub fn find_corners(rgb: &Plane<Rgb>) -> Option<[Pt; 4]> {
    let k = (rgb.width.max(rgb.height) / 600).max(1);
    let (w, h) = (rgb.width / k, rgb.height / k);
    if w < 40 || h < 40 {
        return None;
    }
    let mut light = Plane::new(w, h, 0u32);
    light.par_rows_mut().for_each(|(y, row)| {
        for (x, o) in row.iter_mut().enumerate() {
            let mut sum = 0;
            for v in y * k..(y + 1) * k {
                for u in x * k..(x + 1) * k {
                    sum += rgb.at(u, v).iter().map(|&c| u32::from(c)).sum::<u32>();
                }
            }
            *o = sum / (k * k) as u32;
        }
    });
    // Paper is about as light as the lightest nearby, in the shade too; the ground beside it is not.
    let around = light.highest_within((w.max(h) / 14).max(4));
    let is_light = |x: usize, y: usize| f64::from(*light.at(x, y)) > 0.62 * f64::from(*around.at(x, y));
    // What is connected to the middle; ink inside it does not matter to its extremes.
    let mut inside = Plane::new(w, h, false);
    let mut todo: Vec<(usize, usize)> =
        (w / 4..w * 3 / 4).flat_map(|x| (h / 4..h * 3 / 4).map(move |y| (x, y))).collect();
    while let Some((x, y)) = todo.pop() {
        if *inside.at(x, y) || !is_light(x, y) {
            continue;
        }
        inside.set(x, y, true);
        for (u, v) in [(x.wrapping_sub(1), y), (x + 1, y), (x, y.wrapping_sub(1)), (x, y + 1)] {
            if u < w && v < h {
                todo.push((u, v));
            }
        }
    }
    let mut extremes = [(f64::NEG_INFINITY, pt(0.0, 0.0)); 4];
    for y in 0..h {
        for x in 0..w {
            if *inside.at(x, y) {
                let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                for (e, (sx, sy)) in extremes.iter_mut().zip([(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)]) {
                    let far = sx * p.x + sy * p.y;
                    if far > e.0 {
                        // The pixel's own outer corner.
                        *e = (far, p + pt(sx * 0.5, sy * 0.5));
                    }
                }
            }
        }
    }
    let q = extremes.map(|e| e.1);
    let (mut within, mut bright_out, mut out) = (0usize, 0usize, 0usize);
    // How light it is along each side, on the sheet and beyond.
    let mut along: [[Vec<u32>; 2]; 4] = Default::default();
    let side = |p: Pt, i: usize| (q[(i + 1) % 4] - q[i]).cross(p - q[i]);
    for y in 0..h {
        for x in 0..w {
            let p = pt(x as f64 + 0.5, y as f64 + 0.5);
            let depths = (0..4).map(|i| (side(p, i) / q[(i + 1) % 4].dist(q[i]).max(1e-9), i));
            let (depth, nearest) = depths.fold((f64::INFINITY, 0), |a, b| if b.0 < a.0 { b } else { a });
            if BESIDE.contains(&depth.abs()) {
                along[nearest][usize::from(depth < 0.0)].push(*light.at(x, y));
            }
            if depth >= 0.0 {
                within += 1;
            } else if depth < -3.0 {
                out += 1;
                bright_out += usize::from(*inside.at(x, y));
            }
        }
    }
    let share = within as f64 / (w * h) as f64;
    // Ground must be seen all around, and be darker.
    let frame = [pt(0.0, 0.0), pt(w as f64, 0.0), pt(w as f64, h as f64), pt(0.0, h as f64)];
    let shown = q.iter().zip(frame).filter(|(a, b)| a.dist(*b) > 0.008 * (w + h) as f64).count();
    // A line that was drawn around the picture has the same paper at both sides.
    let median = |v: &mut Vec<u32>| {
        let middle = v.len() / 2;
        f64::from(*v.select_nth_unstable(middle).1)
    };
    let seen = |a: &[Vec<u32>; 2]| a.iter().all(|v| v.len() >= 30);
    let grounds: Vec<bool> =
        along.iter_mut().filter(|a| seen(a)).map(|[on, beyond]| median(beyond) < DARKER * median(on)).collect();
    let before_ground = grounds.len() >= 2 && grounds.iter().all(|&g| g);
    let is_sheet =
        (0.3..0.97).contains(&share) && shown >= 3 && bright_out * 20 < out.max(1) && out * 50 > w * h && before_ground;
    // A little inside, so that no ground shows.
    let middle = q[0].lerp(q[2], 0.5).lerp(q[1].lerp(q[3], 0.5), 0.5);
    is_sheet.then(|| q.map(|p| p.lerp(middle, 0.004) * k as f64))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_corners_of_a_sheet_on_a_table_are_found() {
        let q = [pt(80.0, 60.0), pt(1130.0, 90.0), pt(1100.0, 830.0), pt(50.0, 800.0)];
        let mut photo = Plane::new(1200, 900, [96u8, 84, 70]);
        for y in 0..900 {
            for x in 0..1200 {
                let p = pt(f64::from(x) + 0.5, f64::from(y) + 0.5);
                if (0..4).all(|i| (q[(i + 1) % 4] - q[i]).cross(p - q[i]) >= 0.0) {
                    let ink = (x / 90 + y / 70) % 7 == 0 && x % 90 < 6;
                    photo.set(x as usize, y as usize, if ink { [30; 3] } else { [225, 220, 205] });
                }
            }
        }
        let got = find_corners(&photo).unwrap();
        for (a, b) in got.into_iter().zip(q) {
            assert!(a.dist(b) < 6.0, "{a:?} for {b:?}");
        }
        assert!(find_corners(&photo.part([150, 150, 900, 600])).is_none());
    }

    #[test]
    fn a_frame_that_was_drawn_is_not_the_edge_of_the_paper() {
        for thick in [3, 8, 14] {
            let mut scan = Plane::new(1200, 900, [238u8, 234, 224]);
            let frame = (120..1080, 90..810);
            for y in 0..900 {
                for x in 0..1200 {
                    let inner = (120 + thick..1080 - thick).contains(&x) && (90 + thick..810 - thick).contains(&y);
                    if frame.0.contains(&x) && frame.1.contains(&y) && !inner {
                        scan.set(x, y, [25; 3]);
                    }
                }
            }
            assert!(find_corners(&scan).is_none(), "{thick} px thick");
        }
    }
}
