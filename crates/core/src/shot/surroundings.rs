//! The surroundings of a place in one drawing looked for in another of its shot: the ink around it, coarsely, compared at
//! the places near by where it might have gone to. The measure is the normalised cross-correlation (Lewis, "Fast
//! normalized cross-correlation", 1995).

use crate::geom::{Pt, pt};
use crate::model::numbered::Numbered;
use crate::model::recipe::px_per_mm;
use crate::model::verdict::{Kind, Settled, Verdict};
use crate::raster::plane::Plane;
use crate::scene::findings::{Finding, Findings};

/// The side of the square that is looked at, in samples, and how far apart they lie, px at 300 dpi.
const SIDE: i64 = 25;
const STEP: f64 = 6.0;
/// From this on two places have the same surroundings.
pub const SAME: f64 = 0.7;

/// The ink around a place as it is compared: mean free, of length 1.
#[derive(Debug, Clone, PartialEq)]
pub struct Surroundings(Vec<f32>);

impl Surroundings {
    /// The surroundings of a place. `alpha`: the ink; `dpi`: its resolution. `None` where there is nothing but paper, or
    /// nothing but ink.
    pub fn of(alpha: &Plane<u8>, at: Pt, dpi: f64) -> Option<Surroundings> {
        let step = STEP * dpi / 300.0;
        // What a sample stands for: the mean of a few places around it, wider than the way between two samples.
        let soft = |p: Pt| {
            let around = (-2..=2).flat_map(|y| (-2..=2).map(move |x| pt(f64::from(x), f64::from(y))));
            around.map(|o| p + o * (step * 0.4)).map(|q| alpha.sample(q.x, q.y)).sum::<f64>() / 25.0
        };
        let half = (SIDE / 2) as f64;
        let places = (0..SIDE).flat_map(|y| (0..SIDE).map(move |x| pt(x as f64 - half, y as f64 - half)));
        let mut values: Vec<f32> = places.map(|o| soft(at + o * step) as f32).collect();
        let mean = values.iter().sum::<f32>() / values.len() as f32;
        values.iter_mut().for_each(|v| *v -= mean);
        let length = values.iter().map(|v| v * v).sum::<f32>().sqrt();
        if length < 1.0 {
            return None;
        }
        values.iter_mut().for_each(|v| *v /= length);
        Some(Surroundings(values))
    }

    /// How alike two are: 1 the same, 0 nothing in common.
    pub fn likeness(&self, other: &Surroundings) -> f64 {
        f64::from(self.0.iter().zip(&other.0).map(|(a, b)| a * b).sum::<f32>())
    }
}

/// What was decided at a place of another drawing.
#[derive(Debug, Clone)]
pub struct Decided {
    pub kind: Kind,
    pub at: Pt,
    pub how: Verdict,
    around: Surroundings,
}

/// The most decisions of a drawing that are looked at, the newest first.
const MOST_DECIDED: usize = 200;
/// How far a place may have gone from one drawing to another, mm.
const GONE: f64 = 25.0;

/// What was decided in a drawing, with its surroundings. `alpha`: its ink.
pub fn decided_in(settled: &[Numbered<Settled>], alpha: &Plane<u8>, dpi: f64) -> Vec<Decided> {
    let newest = settled.iter().rev().take(MOST_DECIDED);
    let decided = newest.filter_map(|s| {
        let around = Surroundings::of(alpha, s.at, dpi)?;
        Some(Decided { kind: s.kind, at: s.at, how: s.how, around })
    });
    decided.collect()
}

/// For each finding that waits or is quiet the decision at the like place of another drawing, by its number, if there is
/// one. Of several the likest. O(findings · decisions near by).
pub fn like_decisions<'a>(
    findings: &'a Findings,
    alpha: &Plane<u8>,
    dpi: f64,
    decided: &[Decided],
) -> Vec<(&'a Finding, usize)> {
    let reach = GONE * px_per_mm(dpi);
    let offered = findings.iter().filter(|f| !f.left && !f.sure).filter_map(|f| {
        let near = |d: &&(usize, &Decided)| d.1.kind == f.kind && d.1.at.dist(f.at) < reach;
        let near: Vec<(usize, &Decided)> = decided.iter().enumerate().filter(|d| near(&d)).collect();
        let here = if near.is_empty() { None } else { Surroundings::of(alpha, f.at, dpi) }?;
        let alike = near.into_iter().map(|(n, d)| (d.around.likeness(&here), n)).filter(|a| a.0 >= SAME);
        Some((f, alike.max_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(&a.1)))?.1))
    });
    offered.collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geom::flat::FlatPoint;
    use crate::raster::strokes;

    fn drawn(by: Pt, turn: f64) -> Plane<u8> {
        let mut ink = Plane::new(400, 400, 0u8);
        let go = |x: f64, y: f64| {
            let (s, c) = turn.sin_cos();
            pt(200.0 + x * c - y * s, 200.0 + x * s + y * c) + by
        };
        for stroke in [[(-150.0, 0.0), (40.0, 0.0)], [(60.0, -120.0), (70.0, 150.0)], [(-60.0, 30.0), (-20.0, 140.0)]] {
            let flat: Vec<FlatPoint> = stroke.iter().map(|s| FlatPoint { p: go(s.0, s.1), width: 9.0 }).collect();
            strokes::stroke(&mut ink, &flat);
        }
        ink
    }

    #[test]
    fn what_moved_or_turned_a_little_is_known_again_and_another_place_is_not() {
        let here = Surroundings::of(&drawn(pt(0.0, 0.0), 0.0), pt(240.0, 200.0), 300.0).unwrap();
        let moved = drawn(pt(23.0, -14.0), 0.05);
        let same = Surroundings::of(&moved, pt(263.0, 188.0), 300.0).unwrap();
        assert!(here.likeness(&same) > 0.8, "{}", here.likeness(&same));
        let other = Surroundings::of(&moved, pt(180.0, 300.0), 300.0).unwrap();
        assert!(here.likeness(&other) < 0.4, "{}", here.likeness(&other));
        assert_eq!(Surroundings::of(&Plane::new(400, 400, 0u8), pt(200.0, 200.0), 300.0), None);
        assert_eq!(Surroundings::of(&Plane::new(400, 400, 255u8), pt(200.0, 200.0), 300.0), None);
    }
}
