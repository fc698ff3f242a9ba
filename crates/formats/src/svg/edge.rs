//! The edge of a stroke as closed rings, for renderers that know no width along a line.

use rhizograph_core::geom::Pt;
use rhizograph_core::geom::area::inked;
use rhizograph_core::geom::flat::{FlatPoint, Stroke};

/// From this turn on, radians, a stroke has a corner: its outer side goes round it as the pen does.
const CORNER: f64 = 0.35;

/// How far a path turns at a point between two ways, radians.
fn turn_between(come: Pt, leave: Pt) -> f64 {
    come.cross(leave).atan2(come.dot(leave))
}

/// Whether a stroke has a corner where its ink is cut off: there its sides cross one another and the cut.
fn has_corner_at_cut(stroke: &Stroke) -> bool {
    let (flat, [head, tail]) = (&stroke.flat, stroke.faceted());
    flat.windows(3).enumerate().any(|(k, w)| {
        (k < head || k + 2 + tail >= flat.len())
            && turn_between((w[1].p - w[0].p).unit(), (w[2].p - w[1].p).unit()).abs() >= CORNER
    })
}

/// The edge of a stroke: one side along, the end, the other side back, the start; for the nonzero rule.
pub fn stroke_rings(stroke: &Stroke, closed: bool) -> Vec<Vec<Pt>> {
    if has_corner_at_cut(stroke) {
        return inked(stroke);
    }
    let flat = &stroke.flat;
    let n = flat.len();
    // Which way the stroke comes to a point, and which way it leaves.
    let ways = |i: usize| {
        let way = |a: usize, b: usize| (flat[b].p - flat[a].p).unit();
        match i {
            0 if closed => (way(n - 2, n - 1), way(0, 1)),
            i if i + 1 == n && closed => (way(n - 2, n - 1), way(0, 1)),
            0 => (way(0, 1), way(0, 1)),
            i if i + 1 == n => (way(n - 2, n - 1), way(n - 2, n - 1)),
            i => (way(i - 1, i), way(i, i + 1)),
        }
    };
    let run: Vec<f64> = std::iter::once(0.0)
        .chain(flat.windows(2).scan(0.0, |run, w| {
            *run += w[0].p.dist(w[1].p);
            Some(*run)
        }))
        .collect();
    // Where an end is cut off, both sides go along the stroke as far as the cut, and no point of them lies beyond it.
    let to_cut = |i: usize, p: Pt| {
        let mut p = p;
        for (facet, end, inner) in [(stroke.facets[0], 0, 1), (stroke.facets[1], n - 1, n - 2)] {
            let Some(f) = facet.filter(|f| (run[i] - run[end]).abs() <= f.reach + 1e-6) else { continue };
            let slope = (flat[end].p - flat[inner].p).unit().dot(f.inward);
            let beyond = (p - f.at).dot(f.inward);
            if slope.abs() > 0.1 && (i == end || beyond < 0.0) {
                p = p - (flat[end].p - flat[inner].p).unit() * (beyond / slope);
            }
        }
        p
    };
    // The side at the left (1) or right (-1) of the way. At a corner the outer one goes round it, the inner one through it.
    let side = |sign: f64| -> Vec<Pt> {
        let mut out = Vec::with_capacity(n);
        for (i, f) in flat.iter().enumerate() {
            let (come, leave) = ways(i);
            let half = sign * f.width / 2.0;
            let turn = turn_between(come, leave);
            if turn.abs() < CORNER {
                let normal = (come + leave).unit().turned();
                out.push(to_cut(i, f.p + normal * (half / (turn / 2.0).cos())));
                continue;
            }
            let (from, to) = (come.turned() * half, leave.turned() * half);
            if turn * sign < 0.0 {
                let steps = (turn.abs() / 0.2).ceil();
                out.extend((0..=steps as usize).map(|k| {
                    let (s, c) = (turn * k as f64 / steps).sin_cos();
                    to_cut(i, f.p + Pt { x: from.x * c - from.y * s, y: from.x * s + from.y * c })
                }));
            } else {
                out.extend([f.p + from, f.p, f.p + to].map(|p| to_cut(i, p)));
            }
        }
        out
    };
    let (left, mut right) = (side(1.0), side(-1.0));
    right.reverse();
    if closed {
        return vec![left, right];
    }
    let cap = |f: FlatPoint, from: Pt, dir: Pt, end: usize| -> Vec<Pt> {
        if stroke.facets[end].is_some() {
            return vec![];
        }
        let r = f.width / 2.0;
        let start = from - f.p;
        (1..12)
            .map(|k| {
                let a = std::f64::consts::PI * f64::from(k) / 12.0;
                f.p + start * a.cos() + dir.unit() * (r * a.sin())
            })
            .collect()
    };
    let mut ring = left.clone();
    let last = flat[n - 1];
    ring.extend(cap(last, left[left.len() - 1], last.p - flat[n - 2].p, 1));
    ring.extend(&right);
    ring.extend(cap(flat[0], right[right.len() - 1], flat[0].p - flat[1].p, 0));
    vec![ring]
}

/// A dot: the pen was set down and not moved.
pub fn disc(dot: FlatPoint) -> Vec<Pt> {
    let corner = |k: i32| {
        let (s, c) = (f64::from(k) * std::f64::consts::TAU / 32.0).sin_cos();
        dot.p + Pt { x: c, y: s } * (dot.width / 2.0)
    };
    (0..32).map(corner).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rhizograph_core::geom::pt;
    use rhizograph_core::geom::spine::Spine;
    use rhizograph_core::model::line::{End, Form, Line, Made};

    const FLATNESS: f64 = 0.05;

    #[test]
    fn an_end_along_the_cutter_lies_on_it_and_a_flat_one_is_square() {
        let line = |ends| {
            Line::new(
                1,
                Form::Centreline {
                    spine: Spine::through(&[pt(10.0, 50.0), pt(90.0, 50.0)], false),
                    width: vec![[0.0, 20.0]],
                    ends,
                },
                Made::Hand,
            )
        };
        // The cutter leans by one in two.
        let slanted = line([End::Flat, End::AlongCutter(pt(1.0, 2.0).unit())]);
        let ring = &stroke_rings(&slanted.stroke(FLATNESS), false)[0];
        let beyond = |p: &Pt| (p.x - 90.0) * 2.0 - (p.y - 50.0);
        assert!(ring.iter().all(|p| beyond(p) < 1e-6), "{ring:?}");
        let on_cut: Vec<&Pt> = ring.iter().filter(|p| beyond(p).abs() < 1e-6).collect();
        assert!(on_cut.iter().any(|p| p.y == 40.0) && on_cut.iter().any(|p| p.y == 60.0), "{ring:?}");
        // As far as the cut holds, two widths: its end, and nothing before it.
        assert!(ring.iter().filter(|p| p.x < 31.0).all(|p| (p.x - 10.0).abs() < 1e-6), "{ring:?}");
    }

    /// Whether a place is within rings by the nonzero rule.
    fn is_within(p: Pt, rings: &[Vec<Pt>]) -> bool {
        let crossing = |a: Pt, b: Pt| {
            let left = (b - a).cross(p - a);
            if a.y <= p.y && b.y > p.y && left > 0.0 {
                1
            } else if a.y > p.y && b.y <= p.y && left < 0.0 {
                -1
            } else {
                0
            }
        };
        let winding =
            |ring: &Vec<Pt>| -> i32 { (0..ring.len()).map(|k| crossing(ring[k], ring[(k + 1) % ring.len()])).sum() };
        rings.iter().map(winding).sum::<i32>() != 0
    }

    #[test]
    fn corners_are_as_wide_as_their_line_and_a_dot_is_a_disc() {
        let pen = |points: &[Pt], width: f64| {
            Line::new(
                1,
                Form::Centreline {
                    // Straight pieces: a corner at every point.
                    spine: Spine {
                        points: points
                            .windows(2)
                            .enumerate()
                            .flat_map(|(k, w)| {
                                let (a, b) = (w[0].lerp(w[1], 1.0 / 3.0), w[0].lerp(w[1], 2.0 / 3.0));
                                if k == 0 { vec![w[0], a, b, w[1]] } else { vec![a, b, w[1]] }
                            })
                            .collect(),
                        closed: false,
                    },
                    width: vec![[0.0, width]],
                    ends: [End::Round; 2],
                },
                Made::Hand,
            )
        };
        let cases: [&[Pt]; 4] = [
            &[pt(20.0, 100.0), pt(100.0, 20.0), pt(180.0, 110.0)],
            &[pt(20.0, 30.0), pt(150.0, 60.0), pt(30.0, 95.0), pt(160.0, 130.0)],
            &[pt(30.0, 100.0), pt(160.0, 108.0), pt(30.0, 120.0)],
            &[pt(100.0, 90.0), pt(100.0, 90.0)],
        ];
        for points in cases {
            let line = pen(points, 16.0);
            let mut ink = rhizograph_core::raster::plane::Plane::new(200, 200, 0u8);
            rhizograph_core::model::pixels::draw(&mut ink, &line);
            let mut stroke = line.stroke(FLATNESS);
            stroke.flat.dedup_by(|b, a| a.p.dist(b.p) < 1e-6);
            let rings = if let [dot] = stroke.flat[..] { vec![disc(dot)] } else { stroke_rings(&stroke, false) };
            for y in 0..200 {
                for x in 0..200 {
                    let is = is_within(pt(x as f64 + 0.5, y as f64 + 0.5), &rings);
                    // At the very edge either may be.
                    let covered = *ink.at(x, y);
                    assert!(is || covered < 210, "{points:?}: nothing at {x}, {y}, ink {covered}");
                    assert!(!is || covered > 45, "{points:?}: too much at {x}, {y}, ink {covered}");
                }
            }
        }
    }
}
