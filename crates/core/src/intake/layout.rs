//! Where each place of a sheet is on its original, and the sheet laid out by it.

use crate::error::Error;
use crate::geom::homography::Homography;
use crate::geom::{Pt, pt};
use crate::model::recipe::IntakeRecipe;
use crate::raster::plane::{Plane, Rgb};
use rayon::prelude::*;

/// The largest sheet that is laid out, pixels.
const MOST_PIXELS: f64 = 120e6;
/// Its longest side, px.
const LONGEST_SIDE: f64 = 20_000.0;

/// Where each place of a laid-out sheet is on its original.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Layout {
    pub width: usize,
    pub height: usize,
    /// From the sheet to the original, px.
    pub to_original: Homography,
    /// From the sheet to the original after corners and quarter turns, px: where marks for registering are set.
    pub to_turned: Homography,
}

impl Layout {
    /// Of an original of that size. Errors: corners that are no quadrilateral, a sheet with nothing or too much on it.
    pub fn of(recipe: &IntakeRecipe, width: usize, height: usize) -> Result<Layout, Error> {
        recipe.check()?;
        let (mut w, mut h) = (width as f64, height as f64);
        let mut to_original = Homography::IDENTITY;
        if let Some(c) = recipe.corners {
            (w, h) = ((c[0].dist(c[1]) + c[3].dist(c[2])) / 2.0, (c[0].dist(c[3]) + c[1].dist(c[2])) / 2.0);
            (w, h) = (w.round(), h.round());
            let square = [pt(0.0, 0.0), pt(w, 0.0), pt(w, h), pt(0.0, h)];
            to_original = Homography::between(square, c).ok_or(Error::Mismatch("the four corners make no sheet"))?;
        }
        for _ in 0..recipe.quarter_turns {
            // A clockwise quarter turn: the sheet's x runs up the picture before it.
            to_original = to_original.after(Homography::affine([0.0, 1.0, 0.0, -1.0, 0.0, h]));
            (w, h) = (h, w);
        }
        let turned = to_original;
        let mut to_turned = Homography::IDENTITY;
        if let Some(r) = recipe.register {
            to_turned = to_turned.after(Homography::similarity(r.to, r.from));
        } else if recipe.straighten != 0.0 {
            to_turned = to_turned.after(Homography::rotation(pt(w / 2.0, h / 2.0), -recipe.straighten.to_radians()));
        }
        if let Some([x, y, cw, ch]) = recipe.crop {
            to_turned = to_turned.after(Homography::affine([1.0, 0.0, x.round(), 0.0, 1.0, y.round()]));
            (w, h) = (cw.round(), ch.round());
        }
        if w < 1.0 || h < 1.0 || w.max(h) > LONGEST_SIDE || w * h > MOST_PIXELS {
            return Err(Error::Mismatch("the sheet laid out like that would be empty or larger than is worked on"));
        }
        to_original = turned.after(to_turned);
        Ok(Layout { width: w as usize, height: h as usize, to_original, to_turned })
    }

    /// From one layout of an original to another: what was drawn on the one lies there on the other.
    pub fn to(&self, other: &Layout) -> Option<Homography> {
        Some(other.to_original.inverse()?.after(self.to_original))
    }
}

/// The original as the recipe lays it out. Whole turns and crops copy pixels; anything else samples them (cubic
/// convolution: Keys, "Cubic convolution interpolation for digital image processing", IEEE Transactions on Acoustics,
/// Speech and Signal Processing 29, 1981). Beyond the original lies its own rim's colour; peg holes are covered.
pub fn lay_out(mut original: Plane<Rgb>, recipe: &IntakeRecipe) -> Result<Plane<Rgb>, Error> {
    let layout = Layout::of(recipe, original.width, original.height)?;
    super::pegs::cover(&mut original, &recipe.holes);
    let same_size = (layout.width, layout.height) == (original.width, original.height);
    if layout.to_original == Homography::IDENTITY && same_size {
        return Ok(original);
    }
    let original = &original;
    let beyond = rim(original);
    let whole = layout.to_original.in_whole_steps();
    let mut out = Plane::new(layout.width, layout.height, beyond);
    out.par_rows_mut().for_each(|(y, row)| {
        for (x, o) in row.iter_mut().enumerate() {
            let p = layout.to_original.map(pt(x as f64 + 0.5, y as f64 + 0.5));
            if whole {
                if let Some(&v) = original.get(p.x.floor() as i64, p.y.floor() as i64) {
                    *o = v;
                }
            } else if p.x > -0.5
                && p.y > -0.5
                && p.x < original.width as f64 + 0.5
                && p.y < original.height as f64 + 0.5
            {
                *o = cubic(original, p);
            }
        }
    });
    Ok(out)
}

/// The middle colour of the picture's rim.
fn rim(rgb: &Plane<Rgb>) -> Rgb {
    let (w, h) = (rgb.width, rgb.height);
    let mut seen: [Vec<u8>; 3] = [vec![], vec![], vec![]];
    let mut see = |p: &Rgb| (0..3).for_each(|c| seen[c].push(p[c]));
    (0..w).step_by(3).for_each(|x| {
        see(rgb.at(x, 0));
        see(rgb.at(x, h - 1));
    });
    (0..h).step_by(3).for_each(|y| {
        see(rgb.at(0, y));
        see(rgb.at(w - 1, y));
    });
    seen.map(|mut v| {
        v.sort_unstable();
        v[v.len() / 2]
    })
}

/// The weights of four neighbours for a place `t` (0 to 1) after the second.
fn keys(t: f64) -> [f64; 4] {
    let (t2, t3) = (t * t, t * t * t);
    [-0.5 * t3 + t2 - 0.5 * t, 1.5 * t3 - 2.5 * t2 + 1.0, -1.5 * t3 + 2.0 * t2 + 0.5 * t, 0.5 * t3 - 0.5 * t2]
}

fn cubic(rgb: &Plane<Rgb>, p: Pt) -> Rgb {
    let (fx, fy) = (p.x - 0.5, p.y - 0.5);
    // At most a pixel before the first: two more, cut off towards 0, is two more than the floor, and quicker.
    let floor = |f: f64| f64::from((f + 2.0) as i32) - 2.0;
    let (x, y) = (floor(fx), floor(fy));
    let (wx, wy) = (keys(fx - x), keys(fy - y));
    let clamp = |v: i64, n: usize| v.clamp(0, n as i64 - 1) as usize;
    let mut sum = [0f64; 3];
    for (j, wy) in wy.iter().enumerate() {
        let row = rgb.row(clamp(y as i64 + j as i64 - 1, rgb.height));
        for (i, wx) in wx.iter().enumerate() {
            let (v, k) = (row[clamp(x as i64 + i as i64 - 1, rgb.width)], wx * wy);
            sum[0] += f64::from(v[0]) * k;
            sum[1] += f64::from(v[1]) * k;
            sum[2] += f64::from(v[2]) * k;
        }
    }
    sum.map(|s| (s + 0.5).clamp(0.0, 255.0) as u8)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::recipe::Register;

    fn chart(w: usize, h: usize) -> Plane<Rgb> {
        let mut p = Plane::new(w, h, [0u8; 3]);
        for y in 0..h {
            for x in 0..w {
                p.set(x, y, [(x * 2) as u8, (y * 2) as u8, 90]);
            }
        }
        p
    }

    #[test]
    fn four_quarter_turns_are_none_and_one_moves_the_left_edge_up() {
        let from = chart(60, 40);
        let turn = |p: &Plane<Rgb>, n| {
            lay_out(p.clone(), &IntakeRecipe { quarter_turns: n, ..IntakeRecipe::default() }).unwrap()
        };
        let once = turn(&from, 1);
        assert_eq!((once.width, once.height), (40, 60));
        assert_eq!(once.at(39, 0), from.at(0, 0));
        assert_eq!(once.at(0, 0), from.at(0, 39));
        assert_eq!(turn(&turn(&once, 1), 2), from);
        assert_eq!(turn(&once, 3), from);
    }

    #[test]
    fn a_crop_keeps_its_pixels_as_they_are() {
        let from = chart(60, 40);
        let cut =
            lay_out(from.clone(), &IntakeRecipe { crop: Some([10.0, 5.0, 30.0, 20.0]), ..IntakeRecipe::default() })
                .unwrap();
        assert_eq!(cut, from.part([10, 5, 30, 20]));
    }

    #[test]
    fn marks_land_where_they_are_registered_to() {
        let r = Register { from: [pt(10.0, 30.0), pt(50.0, 33.0)], to: [pt(12.0, 28.0), pt(52.0, 28.0)], pegs: false };
        let layout = Layout::of(&IntakeRecipe { register: Some(r), ..IntakeRecipe::default() }, 60, 40).unwrap();
        for k in 0..2 {
            let seen = layout.to_original.map(r.to[k]);
            assert!(seen.dist(r.from[k]) < 1e-9, "{seen:?}");
        }
    }

    #[test]
    fn squaring_up_lays_the_corners_on_the_corners() {
        let c = [pt(5.0, 4.0), pt(55.0, 2.0), pt(58.0, 38.0), pt(3.0, 36.0)];
        let layout = Layout::of(&IntakeRecipe { corners: Some(c), ..IntakeRecipe::default() }, 60, 40).unwrap();
        let (w, h) = (layout.width as f64, layout.height as f64);
        for (p, q) in [pt(0.0, 0.0), pt(w, 0.0), pt(w, h), pt(0.0, h)].into_iter().zip(c) {
            assert!(layout.to_original.map(p).dist(q) < 1e-6);
        }
        let crossed = [c[0], c[2], c[1], c[3]];
        assert!(Layout::of(&IntakeRecipe { corners: Some(crossed), ..IntakeRecipe::default() }, 60, 40).is_err());
    }

    #[test]
    fn straightening_turns_a_slanting_line_level() {
        let angle = 6f64.to_radians();
        let layout = Layout::of(&IntakeRecipe { straighten: -6.0, ..IntakeRecipe::default() }, 200, 100).unwrap();
        // On the original the line runs down to the right by 6 degrees: turned back, it is level.
        let back = layout.to_original.inverse().unwrap();
        let (a, b) = (back.map(pt(20.0, 30.0)), back.map(pt(20.0 + 100.0 * angle.cos(), 30.0 + 100.0 * angle.sin())));
        assert!((a.y - b.y).abs() < 1e-9 && b.x > a.x);
    }
}
