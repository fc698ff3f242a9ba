//! What was done to the lift by hand: strokes of the touch-up brush, protected dots.

use crate::error::Error;
use crate::geom::Pt;
use crate::model::numbered::Numbered;
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
}

/// What somebody did to the lift by hand, kept with the drawing.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[serde(default)]
pub struct ByHand {
    /// One painted over the other.
    pub touches: Vec<Numbered<Touch>>,
    /// The effects whose painted area is turned about, in order.
    pub inverted: Vec<Effect>,
    /// Dots that are meant, px, by row and column: no speck is taken and no pinhole filled there.
    pub protected: Vec<Pt>,
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
        self.touches.iter().try_for_each(|t| t.check())?;
        let work: f64 = self.touches.iter().map(|t| t.work()).sum();
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
