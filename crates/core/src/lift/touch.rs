//! Touch-up: areas painted by hand on a sheet, where the one setting does not serve or where weight is wanted.

use super::ByHand;
use crate::error::Error;
use crate::geom::{Bounds, Pt, nearest_on_segment, pt};
use crate::plane::Plane;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What a painted area is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Effect {
    /// More of what is faint stays.
    More,
    /// Less of it stays.
    Less,
    /// None of the setting: the ink as it was measured, pencil and grain included.
    None,
    /// What is left around the drawing goes.
    Erase,
    /// Weight is added or taken only here.
    Weight,
}

/// One stroke of the touch-up brush.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Touch {
    pub effect: Effect,
    /// px of the sheet; one point is a dab.
    pub path: Vec<Pt>,
    /// The brush's diameter, px.
    pub size: f64,
    /// 1: the same up to its rim; 0: falling off from its middle.
    pub hardness: f64,
    /// How much at its middle, 0 to 1.
    pub strength: f64,
    /// It takes off what is painted instead of adding to it.
    pub takes_off: bool,
}

/// The most points of a stroke.
const MOST_POINTS: usize = 20_000;
/// The most work one stroke may make, and all of a sheet together: pixels looked at for its pieces.
const MOST_WORK: f64 = 6e8;
const MOST_WORK_OF_ALL: f64 = 6e9;
/// How far off the sheet a stroke may go, px.
const MARGIN: f64 = 5000.0;

impl Touch {
    /// Refuses numbers outside their ranges and strokes that would take too long to paint.
    pub fn check(&self) -> Result<(), Error> {
        if self.path.is_empty() || self.path.len() > MOST_POINTS {
            return Err(Error::Mismatch("a brush stroke has 1 to 20000 points"));
        }
        if let Some(p) = self.path.iter().find(|p| !is_near_sheet(**p)) {
            return Err(Error::OffSheet(p.x, p.y));
        }
        let is_share = |v: &f64| (0.0..=1.0).contains(v);
        if !(0.5..=4000.0).contains(&self.size) || ![self.hardness, self.strength].iter().all(is_share) {
            return Err(Error::Mismatch("a brush stroke needs a size up to 4000 px, hardness and strength up to 1"));
        }
        if self.work() > MOST_WORK {
            return Err(Error::Mismatch("the stroke is too long for so large a brush: paint it in several"));
        }
        Ok(())
    }

    /// How many pixels painting it looks at.
    fn work(&self) -> f64 {
        let around = self.size + 4.0;
        let piece = |w: &[Pt]| ((w[1].x - w[0].x).abs() + around) * ((w[1].y - w[0].y).abs() + around);
        self.path.windows(2).map(piece).sum::<f64>() + around * around
    }

    /// What the brush leaves at a distance from the stroke's middle, 0 to 1.
    fn at(&self, d: f64) -> f64 {
        let r = (self.size / 2.0).max(0.5);
        let core = r * self.hardness;
        if d >= r + 0.5 {
            0.0
        } else if d <= core - 0.5 {
            self.strength
        } else {
            // At least one pixel of fall-off, so that a hard rim is smooth.
            let soft = (r - core).max(1.0);
            let t = ((r + if r - core < 1.0 { 0.5 } else { 0.0 } - d) / soft).clamp(0.0, 1.0);
            self.strength * t * t * (3.0 - 2.0 * t)
        }
    }

    fn paint(&self, mask: &mut Plane<u8>) {
        let r = self.size / 2.0 + 1.0;
        let segments: Vec<[Pt; 2]> =
            if let [p] = self.path[..] { vec![[p, p]] } else { self.path.windows(2).map(|w| [w[0], w[1]]).collect() };
        // One stroke counts once where it crosses itself: the strongest of it is put over what was there.
        let all = Bounds::of(&self.path).grown(r);
        let (x0, y0, x1, y1) = all.pixels(mask.width, mask.height);
        if x1 <= x0 || y1 <= y0 {
            return;
        }
        let mut own = Plane::new(x1 - x0, y1 - y0, 0u8);
        for [a, b] in segments {
            let (u0, v0, u1, v1) = Bounds::of([&a, &b]).grown(r).pixels(mask.width, mask.height);
            for y in v0..v1 {
                for x in u0..u1 {
                    let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                    let d = p.dist(a.lerp(b, nearest_on_segment(p, a, b)));
                    let here = &mut own.data[(y - y0) * (x1 - x0) + x - x0];
                    *here = (*here).max((self.at(d) * 255.0 + 0.5) as u8);
                }
            }
        }
        for y in y0..y1 {
            for x in x0..x1 {
                let s = u32::from(*own.at(x - x0, y - y0));
                let here = &mut mask.data[y * mask.width + x];
                let old = u32::from(*here);
                // Overlapping strokes add up towards full, and take off towards none.
                *here =
                    if self.takes_off { (old * (255 - s) / 255) as u8 } else { (old + (255 - old) * s / 255) as u8 };
            }
        }
    }
}

fn is_near_sheet(p: Pt) -> bool {
    let far = -MARGIN..=20_000.0 + MARGIN;
    far.contains(&p.x) && far.contains(&p.y)
}

/// The most strokes and protected dots of a sheet.
const MOST_TOUCHES: usize = 4000;
const MOST_PROTECTED: usize = 1000;

impl ByHand {
    /// Refuses numbers outside their ranges, and more than is worked on.
    pub fn check(&self) -> Result<(), Error> {
        self.touches.iter().try_for_each(Touch::check)?;
        let work: f64 = self.touches.iter().map(Touch::work).sum();
        if self.touches.len() > MOST_TOUCHES || work > MOST_WORK_OF_ALL {
            return Err(Error::Mismatch("no more is painted on one sheet: take some of it off first"));
        }
        if self.protected.len() > MOST_PROTECTED {
            return Err(Error::Mismatch("up to 1000 dots are protected"));
        }
        match self.protected.iter().find(|p| !is_near_sheet(**p)) {
            Some(p) => Err(Error::OffSheet(p.x, p.y)),
            None if self.inverted.len() > 5 => Err(Error::Mismatch("an effect is turned about once")),
            None => Ok(()),
        }
    }
}

/// The area painted for an effect, 0 to 255; `None` if nothing is painted for it.
pub fn area(touches: &[Touch], inverted: &[Effect], effect: Effect, width: usize, height: usize) -> Option<Plane<u8>> {
    let turned = inverted.contains(&effect);
    if !turned && !touches.iter().any(|t| t.effect == effect) {
        return None;
    }
    let mut mask = Plane::new(width, height, 0u8);
    touches.iter().filter(|t| t.effect == effect).for_each(|t| t.paint(&mut mask));
    if turned {
        mask.data.iter_mut().for_each(|m| *m = 255 - *m);
    }
    Some(mask)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn dab(x: f64, size: f64, hardness: f64) -> Touch {
        Touch { effect: Effect::More, path: vec![pt(x, 30.0)], size, hardness, strength: 1.0, takes_off: false }
    }

    #[test]
    fn a_hard_brush_ends_at_its_rim_and_a_soft_one_falls_off() {
        let hard = area(&[dab(30.5, 20.0, 1.0)], &[], Effect::More, 60, 60).unwrap();
        let soft = area(&[dab(30.5, 20.0, 0.0)], &[], Effect::More, 60, 60).unwrap();
        assert_eq!([*hard.at(30, 30), *hard.at(37, 30), *hard.at(42, 30)], [255, 255, 0]);
        assert!(*soft.at(30, 30) > 240 && (90..165).contains(soft.at(35, 30)) && *soft.at(41, 30) == 0);
    }

    #[test]
    fn a_painted_area_can_be_taken_off_and_turned_about() {
        let off = Touch { takes_off: true, ..dab(30.5, 10.0, 1.0) };
        let both = [dab(30.5, 20.0, 1.0), off];
        let ring = area(&both, &[], Effect::More, 60, 60).unwrap();
        assert_eq!([*ring.at(30, 30), *ring.at(37, 30)], [0, 255]);
        let rest = area(&both, &[Effect::More], Effect::More, 60, 60).unwrap();
        assert!(ring.data.iter().zip(&rest.data).all(|(a, b)| a + b == 255));
        assert!(area(&both, &[], Effect::Less, 60, 60).is_none());
    }
}
