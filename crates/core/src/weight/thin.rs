//! Thinning that keeps every line whole.
//!
//! Plain shrinking would break what is thinner than twice the radius. So pixels are taken off in the order of their
//! distance to the paper, only while neither a piece nor a hole of the ink changes, and the middles of thin lines with
//! what the floor asks for around them stay (ordered homotopic thinning: see [`crate::raster::thinning`]).

use crate::raster::disc::{FARTHEST, grow, grow_measured};
use crate::raster::ink::IS_INK;
use crate::raster::plane::Plane;
use crate::raster::thinning::{Thinning, thin_to};
use rayon::prelude::*;

/// So many pixels are done in one go.
const RUN: usize = 1 << 14;
/// So many are passed over at once where there is no ink: most of a sheet is paper.
const PATCH: usize = 64;
/// Above any squared distance that is asked for; what is ranked from here on stays.
const STAYS: u16 = 1 << 15;
/// Ink that the floor asks for, which may have gone otherwise.
const FLOOR: u16 = 1 << 14;
/// Ink nearer to the paper than any radius that may be asked for has a rank below the marks.
const _: () = assert!((FARTHEST as usize + 1).pow(2) < FLOOR as usize);

/// What is left of the ink at least.
#[derive(Clone, Copy)]
pub struct Least<'a> {
    /// How wide a line stays, px.
    pub floor: f64,
    /// What stays as it is.
    pub kept: Option<&'a Plane<u8>>,
}

/// The ink less what shrinking takes, with every line whole. `paper`: the paper that takes.
pub fn keep_whole(
    alpha: &Plane<u8>,
    paper: Plane<u8>,
    Least { floor, kept }: Least,
    r: f64,
    area: Option<&Plane<u8>>,
    crisp: bool,
) -> Plane<u8> {
    let r = r.min(FARTHEST);
    let is_kept = |i: usize| kept.is_some_and(|k| k.data[i] > 0);
    // Rank of each ink pixel: its squared distance to the paper, marked if it stays.
    let (mut out, mut rank) = grow_measured(&paper, r, area, crisp);
    drop(paper);
    let last = (r * r) as u16;
    let ink = || alpha.data.par_chunks(RUN);
    let limits: Vec<u16> = (0..=255u8).map(|a| (r * f64::from(a) / 255.0).powi(2) as u16).collect();
    rank.data.par_chunks_mut(RUN).zip(ink()).enumerate().for_each(|(run, (rank, ink))| {
        for (k, (rank, ink)) in rank.chunks_mut(PATCH).zip(ink.chunks(PATCH)).enumerate() {
            if is_paper(ink) {
                rank.fill(0);
                continue;
            }
            let from = run * RUN + k * PATCH;
            let limit = |i: usize| area.map_or(last, |a| limits[a.data[from + i] as usize]);
            for (i, (o, &own)) in rank.iter_mut().zip(ink).enumerate() {
                *o = match own >= IS_INK {
                    false => 0,
                    true if is_kept(from + i) => u16::MAX,
                    true if *o <= limit(i) => (*o).max(1),
                    true => *o | STAYS,
                };
            }
        }
    });
    // First the middles of what is too thin, their ends kept; then the ink around them that the floor asks for.
    let middles = thin_to(&rank, last.max(1), Thinning::KeepingEnds);
    let mut strands = Plane::new(alpha.width, alpha.height, 0u8);
    strands.data.par_chunks_mut(RUN).zip(middles.data.par_chunks(RUN)).zip(rank.data.par_chunks(RUN)).for_each(
        |((strands, middles), rank)| {
            for ((o, &middle), &rank) in strands.iter_mut().zip(middles).zip(rank) {
                *o = if middle & (rank < STAYS) { 255 } else { 0 };
            }
        },
    );
    drop(middles);
    let around = grow(&strands, (floor / 2.0 - 0.5).max(0.0), None, true);
    drop(strands);
    rank.data.par_chunks_mut(RUN).zip(around.data.par_chunks(RUN)).for_each(|(rank, around)| {
        for (o, &around) in rank.iter_mut().zip(around) {
            *o |= if (*o > 0) & (*o < STAYS) & (around > 0) { FLOOR } else { 0 };
        }
    });
    drop(around);
    let left = thin_to(&rank, last.max(1), Thinning::ToTheLast);
    let patches = |out: &mut [u8], ink: &[u8], rank: &[u16], left: &[bool]| {
        for (((out, &own), &rank), &left) in out.iter_mut().zip(ink).zip(rank).zip(left) {
            let less = own.min(255 - *out);
            *out = match (own >= IS_INK, left) {
                // What the paper did not reach loses at most its feather.
                (true, true) if rank == u16::MAX => own,
                (true, true) if rank < STAYS || crisp => own,
                (true, true) => less.max(IS_INK),
                (true, false) if crisp => 0,
                (true, false) => less.min(IS_INK - 1),
                (false, _) => less,
            };
        }
    };
    let parts = out.data.par_chunks_mut(RUN).zip(ink()).zip(rank.data.par_chunks(RUN)).zip(left.data.par_chunks(RUN));
    parts.for_each(|(((out, ink), rank), left)| {
        for (k, (out, ink)) in out.chunks_mut(PATCH).zip(ink.chunks(PATCH)).enumerate() {
            let run = k * PATCH..k * PATCH + out.len();
            if is_blank(ink) { out.fill(0) } else { patches(out, ink, &rank[run.clone()], &left[run]) }
        }
    });
    if let Some(kept) = kept {
        out.data.par_iter_mut().zip(&alpha.data).zip(&kept.data).filter(|p| *p.1 > 0).for_each(|((o, &a), _)| *o = a);
    }
    out
}

/// Whether there is no ink in a run of pixels.
fn is_paper(run: &[u8]) -> bool {
    run.iter().fold(0, |a, &b| a.max(b)) < IS_INK
}

/// Whether there is not even a trace of ink in a run of pixels.
fn is_blank(run: &[u8]) -> bool {
    run.iter().fold(0, |a, &b| a | b) == 0
}

#[cfg(test)]
mod tests {
    use crate::geom::pt;
    use crate::raster::components::components;

    use crate::geom::flat::FlatPoint;
    use crate::model::recipe::{Edge, Placement, WeightRecipe};
    use crate::raster::plane::Plane;
    use crate::weight::weigh;
    use proptest::prelude::*;

    const DPI: f64 = 254.0;

    fn by(px: f64, floor: f64) -> WeightRecipe {
        WeightRecipe { amount: px / 10.0, placement: Placement::Both, floor: floor / 10.0 }
    }

    proptest! {
        #[test]
        fn thinning_keeps_every_piece_and_every_hole(
            w in 3usize..26, h in 3usize..26, by_px in 0.25f64..6.0, floor in 0.0f64..4.0, soft in proptest::bool::ANY, placed in 0u8..3,
            values in proptest::collection::vec(prop_oneof![Just(0u8), Just(255u8), Just(255u8), 0u8..=255], 676),
        ) {
            let mut alpha = Plane { width: w, height: h, data: values[..w * h].to_vec() };
            for y in 0..h { for x in 0..w { if x == 0 || y == 0 || x == w - 1 || y == h - 1 { alpha.set(x, y, 0); } } }
            if !soft { alpha.data.iter_mut().for_each(|a| *a = if *a >= 128 { 255 } else { 0 }); }
            let placement = [Placement::Both, Placement::Outward, Placement::Inward][placed as usize];
            let edge = if soft { Edge::Soft1 } else { Edge::Crisp };
            let thinner = weigh(&alpha, &WeightRecipe { placement, ..by(-by_px, floor) }, edge, None, DPI);
            let ink = |p: &Plane<u8>| p.map(|&a| a >= 128);
            let paper = |p: &Plane<u8>| p.map(|&a| a < 128);
            prop_assert_eq!(components(&ink(&alpha), true).1.len(), components(&ink(&thinner), true).1.len());
            prop_assert_eq!(components(&paper(&alpha), false).1.len(), components(&paper(&thinner), false).1.len());
            prop_assert!(alpha.data.iter().zip(&thinner.data).all(|(a, t)| t <= a));
        }
    }

    #[test]
    fn a_thin_line_keeps_its_length_and_its_floor_while_a_broad_one_gets_thinner() {
        let mut alpha = Plane::new(200, 80, 0u8);
        let mut line = |y: f64, width: f64| {
            crate::raster::strokes::stroke(&mut alpha, &[20.0, 180.0].map(|x| FlatPoint { p: pt(x, y), width }));
        };
        line(20.5, 5.0);
        line(55.5, 21.0);
        let thinner = weigh(&alpha, &by(-4.0, 3.0), Edge::Soft1, None, DPI);
        let width = |x: usize, y0: usize, y1: usize| (y0..y1).filter(|&y| *thinner.at(x, y) >= 128).count();
        assert_eq!(width(100, 0, 38), 3);
        assert_eq!(width(100, 38, 80), 13);
        let columns = (0..200).filter(|&x| width(x, 0, 38) > 0).count();
        assert!((158..=165).contains(&columns), "{columns}");
    }

    #[test]
    fn a_wall_thinner_than_the_radius_keeps_its_other_side() {
        // A ring 5 px thick with soft edges, thinned by 4 px from one side.
        let mut alpha = Plane::new(90, 90, 0u8);
        let turn = |k: i32| pt(45.0, 45.0) + pt((f64::from(k) / 8.0).cos(), (f64::from(k) / 8.0).sin()) * 30.0;
        let ring: Vec<FlatPoint> = (0..=51).map(|k| FlatPoint { p: turn(k), width: 5.0 }).collect();
        crate::raster::strokes::stroke(&mut alpha, &ring);
        let outside = crate::lift::outside(&alpha);
        for edge in [Edge::Soft1, Edge::Crisp] {
            let ink = if edge == Edge::Crisp { alpha.map(|&a| if a >= 128 { 255 } else { 0 }) } else { alpha.clone() };
            for placement in [Placement::Outward, Placement::Inward] {
                let thinner = weigh(&ink, &WeightRecipe { placement, ..by(-4.0, 1.0) }, edge, None, DPI);
                // What is paper on the other side, and the ink that touches it, is as it was.
                let is_other =
                    |i: usize| ink.data[i] < 128 && (outside.data[i] > 0) != (placement == Placement::Outward);
                let (mut taken, mut changed) = (0, 0);
                for y in 1..89 {
                    for x in 1..89 {
                        let i = y * 90 + x;
                        let touches = is_other(i) || [i - 1, i + 1, i - 90, i + 90].into_iter().any(is_other);
                        changed += usize::from(touches && thinner.data[i] != ink.data[i]);
                        taken += usize::from(ink.data[i] >= 128 && thinner.data[i] < 128);
                    }
                }
                assert_eq!(changed, 0, "{placement:?} {edge:?}");
                assert!(taken > 300, "{taken} taken, {placement:?} {edge:?}");
            }
        }
    }

    #[test]
    fn a_square_loses_its_rim_and_keeps_no_hair_at_its_corners() {
        let mut alpha = Plane::new(60, 60, 0u8);
        for y in 10..50 {
            for x in 10..50 {
                alpha.set(x, y, 255);
            }
        }
        let thinner = weigh(&alpha, &by(-5.0, 1.0), Edge::Crisp, None, DPI);
        for y in 0..60 {
            for x in 0..60 {
                let inside = (15..45).contains(&x) && (15..45).contains(&y);
                assert_eq!(*thinner.at(x, y) == 255, inside, "at {x}, {y}");
            }
        }
    }
}
