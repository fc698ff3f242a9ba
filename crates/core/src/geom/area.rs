//! Areas: what closed rings hold by the even-odd rule; swept by a pen; made one with, cut out of or met with another
//! (polygon overlay on integers: `i_overlay`).

use super::flat::{FlatPoint, Stroke};
use super::{Pt, polygon_area, pt};
use i_overlay::core::fill_rule::FillRule;
use i_overlay::core::overlay_rule::OverlayRule;
use i_overlay::float::single::SingleFloatOverlay;

/// Closed rings, the last point not repeated.
pub type Rings = Vec<Vec<Pt>>;

/// How closely a round end is followed, px.
const ROUND: f64 = 0.02;

type Path = Vec<[f64; 2]>;

fn as_path(ring: &[Pt]) -> Path {
    ring.iter().map(|p| [p.x, p.y]).collect()
}

fn overlaid(a: &[Vec<Pt>], b: &[Vec<Pt>], rule: OverlayRule, fill: FillRule) -> Vec<Rings> {
    let path = |rings: &[Vec<Pt>]| rings.iter().map(|r| as_path(r)).collect::<Vec<Path>>();
    let ring = |path: Path| path.into_iter().map(|p| pt(p[0], p[1])).collect::<Vec<Pt>>();
    let shapes = path(a).overlay_as::<i64>(&path(b), rule, fill);
    shapes.into_iter().map(|shape| shape.into_iter().map(ring).filter(|r| r.len() > 2).collect()).collect()
}

/// What of `a` does not lie in `b`: one list of rings, the outer one first, for each shape that is left.
pub fn without(a: &[Vec<Pt>], b: &[Vec<Pt>]) -> Vec<Rings> {
    overlaid(a, b, OverlayRule::Difference, FillRule::EvenOdd)
}

/// What lies in both.
pub fn common(a: &[Vec<Pt>], b: &[Vec<Pt>]) -> Vec<Rings> {
    overlaid(a, b, OverlayRule::Intersect, FillRule::EvenOdd)
}

/// What lies in one of them or in both.
pub fn united(a: &[Vec<Pt>], b: &[Vec<Pt>]) -> Vec<Rings> {
    overlaid(a, b, OverlayRule::Union, FillRule::EvenOdd)
}

/// What rings hold by the nonzero rule, as rings that hold it by the even-odd rule.
pub fn filled(rings: &[Vec<Pt>]) -> Rings {
    overlaid(rings, &[], OverlayRule::Subject, FillRule::NonZero).concat()
}

/// What lies in one of them and not in the other, px².
pub fn unlike(a: &[Vec<Pt>], b: &[Vec<Pt>]) -> f64 {
    overlaid(a, b, OverlayRule::Xor, FillRule::EvenOdd).iter().map(|s| size(s)).sum()
}

/// How large a shape is whose holes run the other way round, px².
pub fn size(rings: &[Vec<Pt>]) -> f64 {
    rings.iter().map(|r| polygon_area(r)).sum::<f64>().abs()
}

/// The points of a circle, the same way round always.
fn circle(at: Pt, r: f64) -> Vec<Pt> {
    let n = (std::f64::consts::PI / (1.0 - (ROUND / r.max(ROUND)).min(0.3)).acos()).ceil().clamp(8.0, 180.0) as usize;
    (0..n).map(|k| std::f64::consts::TAU * k as f64 / n as f64).map(|a| at + pt(a.cos(), a.sin()) * r).collect()
}

/// The area that discs as wide as the points sweep from each to the next.
pub fn swept(flat: &[FlatPoint]) -> Rings {
    let mut pieces: Rings = flat.iter().map(|f| circle(f.p, f.width / 2.0)).collect();
    for w in flat.windows(2) {
        let (a, b) = (w[0], w[1]);
        let (d, ra, rb) = (a.p.dist(b.p), a.width / 2.0, b.width / 2.0);
        if d <= (ra - rb).abs() || d < 1e-9 {
            continue;
        }
        // The tangents to both discs lean by the difference of their radii.
        let along = (b.p - a.p).unit();
        let lean = (ra - rb) / d;
        let side = |s: f64| along * lean + along.turned() * (s * (1.0 - lean * lean).sqrt());
        let quad = vec![a.p + side(-1.0) * ra, b.p + side(-1.0) * rb, b.p + side(1.0) * rb, a.p + side(1.0) * ra];
        pieces.push(if polygon_area(&quad) < 0.0 { quad.into_iter().rev().collect() } else { quad });
    }
    overlaid(&pieces, &[], OverlayRule::Subject, FillRule::NonZero).concat()
}

/// The area of a line's ink, cut off where it ends so.
pub fn inked(stroke: &Stroke) -> Rings {
    let (flat, [head, tail]) = (&stroke.flat, stroke.faceted());
    if head + tail == 0 {
        return swept(flat);
    }
    let last = flat.len() - 1;
    // What both ends cut off, what one does, and the rest.
    let mut stops = [0, head, last - tail, last];
    stops.sort_unstable();
    let mut out = Rings::new();
    for w in stops.windows(2).filter(|w| w[0] < w[1]) {
        let mut ink = swept(&flat[w[0]..=w[1]]);
        let cuts = [stroke.facets[0].filter(|_| w[1] <= head), stroke.facets[1].filter(|_| w[0] >= last - tail)];
        for f in cuts.iter().flatten() {
            // Beyond the cut, as far as any of this ink goes.
            let far = |p: &Pt| p.dist(f.at);
            let reach = ink.iter().flatten().map(far).fold(0.0, f64::max) + 1.0;
            let (along, out) = (f.inward.turned() * reach, f.inward * -reach);
            let beyond = [f.at + along, f.at + along + out, f.at - along + out, f.at - along];
            ink = without(&ink, &[beyond.to_vec()]).concat();
        }
        out = if out.is_empty() { ink } else { united(&out, &ink).concat() };
    }
    out
}

/// One closed path that holds the same by the even-odd rule: the way to each further ring is gone there and back.
pub fn slit(rings: &[Vec<Pt>]) -> Vec<Pt> {
    let Some(first) = rings.first().and_then(|r| r.first()) else { return Vec::new() };
    let mut out = Vec::new();
    for ring in rings {
        out.extend(ring);
        out.push(ring[0]);
        if rings.len() > 1 && out.len() > ring.len() + 1 {
            out.push(*first);
        }
    }
    out.pop();
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geom::inside;
    use proptest::prelude::*;

    fn flat(points: &[(f64, f64, f64)]) -> Vec<FlatPoint> {
        points.iter().map(|&(x, y, width)| FlatPoint { p: pt(x, y), width }).collect()
    }

    proptest! {
        #[test]
        fn a_pen_sweeps_what_its_discs_cover(
            points in proptest::collection::vec((0.0f64..60.0, 0.0f64..60.0, 1.0f64..14.0), 1..7),
            asked in proptest::collection::vec((-10.0f64..70.0, -10.0f64..70.0), 40),
        ) {
            let flat = flat(&points);
            let rings = swept(&flat);
            let path = slit(&rings);
            for p in asked.iter().map(|a| pt(a.0, a.1)) {
                // Discs at many places of the way.
                let mut best = flat.iter().map(|f| f.width / 2.0 - p.dist(f.p)).fold(f64::NEG_INFINITY, f64::max);
                for w in flat.windows(2) {
                    for k in 0..=400 {
                        let t = f64::from(k) / 400.0;
                        let r = (w[0].width + (w[1].width - w[0].width) * t) / 2.0;
                        best = best.max(r - p.dist(w[0].p.lerp(w[1].p, t)));
                    }
                }
                if best.abs() > 0.08 {
                    prop_assert_eq!(inside(p, &rings), best > 0.0, "at {:?}: {}", p, best);
                    prop_assert_eq!(inside(p, std::slice::from_ref(&path)), best > 0.0, "slit at {:?}", p);
                }
            }
        }
    }

    #[test]
    fn what_is_cut_out_and_what_is_met_make_the_whole() {
        let (a, b) = (
            swept(&flat(&[(10.0, 10.0, 8.0), (50.0, 20.0, 4.0)])),
            swept(&flat(&[(30.0, 0.0, 6.0), (30.0, 40.0, 6.0)])),
        );
        let of = |shapes: Vec<Rings>| shapes.iter().map(|s| size(s)).sum::<f64>();
        let whole = of(united(&a, &b));
        let parts = of(without(&a, &b)) + of(common(&a, &b)) + of(without(&b, &a));
        assert!((whole - parts).abs() < 1e-6, "{whole} of {parts}");
        assert!((unlike(&a, &b) + of(common(&a, &b)) - whole).abs() < 1e-6);
    }
}
