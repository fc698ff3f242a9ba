//! SVG out: paint, ink and seams in named groups, lengths in mm with a view box in pixels.

use rhizograph_core::geom::Pt;
use rhizograph_core::geom::flat::{FlatPoint, Stroke};
use rhizograph_core::model::line::{Form, Line, Made};
use std::fmt::Write;
use std::sync::Arc;

const FLATNESS: f64 = 0.05;

/// A filled region for the paint group.
pub struct Fill<'a> {
    pub name: String,
    pub colour: [u8; 3],
    pub rings: &'a [Vec<Pt>],
}

fn hex(c: [u8; 3]) -> String {
    format!("#{:02x}{:02x}{:02x}", c[0], c[1], c[2])
}

fn escape(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

fn rings_path(rings: &[Vec<Pt>]) -> String {
    let mut d = String::new();
    for ring in rings {
        for (k, p) in ring.iter().enumerate() {
            let _ = write!(d, "{}{:.2} {:.2}", if k == 0 { "M" } else { "L" }, p.x, p.y);
        }
        d.push('Z');
    }
    d
}

fn spine_path(points: &[Pt], closed: bool) -> String {
    let mut d = String::new();
    if let Some(p) = points.first() {
        let _ = write!(d, "M{:.2} {:.2}", p.x, p.y);
    }
    for c in points[1.min(points.len())..].chunks_exact(3) {
        let _ = write!(d, "C{:.2} {:.2} {:.2} {:.2} {:.2} {:.2}", c[0].x, c[0].y, c[1].x, c[1].y, c[2].x, c[2].y);
    }
    if closed {
        d.push('Z');
    }
    d
}

/// From this turn on, radians, a stroke has a corner: its outer side goes round it as the pen does.
const CORNER: f64 = 0.35;

/// The edge of a stroke: one side along, the end, the other side back, the start; for the nonzero rule.
fn stroke_rings(stroke: &Stroke, closed: bool) -> Vec<Vec<Pt>> {
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
    // Where an end is cut off, both sides go along the stroke as far as the cut, and no point of them lies beyond it.
    let to_cut = |i: usize, p: Pt| {
        let mut p = p;
        for (facet, end, inner) in [(stroke.facets[0], 0, 1), (stroke.facets[1], n - 1, n - 2)] {
            let Some(f) = facet.filter(|f| flat[i].p.dist(flat[end].p) <= 2.0 * f.reach) else { continue };
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
            let turn = come.cross(leave).atan2(come.dot(leave));
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

fn disc(dot: FlatPoint) -> Vec<Pt> {
    let corner = |k: i32| {
        let (s, c) = (f64::from(k) * std::f64::consts::TAU / 32.0).sin_cos();
        dot.p + Pt { x: c, y: s } * (dot.width / 2.0)
    };
    (0..32).map(corner).collect()
}

fn line_element(line: &Line, ink: &str) -> String {
    match &line.form {
        Form::Outline { .. } => {
            format!(
                "<path id=\"line-{}\" fill=\"{ink}\" fill-rule=\"evenodd\" d=\"{}\"/>\n",
                line.id,
                rings_path(&line.rings(FLATNESS))
            )
        }
        Form::Centreline { spine, .. } => {
            let mut stroke = line.stroke(FLATNESS);
            stroke.flat.dedup_by(|b, a| a.p.dist(b.p) < 1e-6);
            let d = match stroke.flat[..] {
                [] => return String::new(),
                // A dot: the pen was set down and not moved.
                [dot] => rings_path(&[disc(dot)]),
                _ => rings_path(&stroke_rings(&stroke, spine.closed)),
            };
            format!(
                "<path id=\"line-{}\" fill=\"{ink}\" d=\"{d}\" data-spine=\"{}\"/>\n",
                line.id,
                spine_path(&spine.points, spine.closed)
            )
        }
        Form::Seam { spine } => {
            format!("<path id=\"line-{}\" d=\"{}\"/>\n", line.id, spine_path(&spine.points, spine.closed))
        }
    }
}

/// A drawing as SVG. Groups: `paint` (if any fills are given), `lines`, `bridges`, `seams`.
/// `ink`: the colour of each line's ink.
pub fn drawing_svg(
    lines: &[Arc<Line>],
    fills: &[Fill],
    ink: &dyn Fn(&Line) -> [u8; 3],
    width: usize,
    height: usize,
    dpi: f64,
) -> String {
    let mm = |px: usize| px as f64 / dpi * 25.4;
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{:.3}mm\" height=\"{:.3}mm\" viewBox=\"0 0 {width} {height}\">\n",
        mm(width),
        mm(height)
    );
    if !fills.is_empty() {
        out.push_str("<g id=\"paint\">\n");
        for f in fills {
            let _ = writeln!(
                out,
                "<path fill=\"{}\" fill-rule=\"evenodd\" data-swatch=\"{}\" d=\"{}\"/>",
                hex(f.colour),
                escape(&f.name),
                rings_path(f.rings)
            );
        }
        out.push_str("</g>\n");
    }
    let mut group = |name: &str, more: &str, pick: &dyn Fn(&Line) -> bool| {
        let _ = writeln!(out, "<g id=\"{name}\"{more}>");
        lines.iter().filter(|l| pick(l)).for_each(|l| out.push_str(&line_element(l, &hex(ink(l)))));
        out.push_str("</g>\n");
    };
    group("lines", "", &|l| !l.is_seam() && l.made != Made::Bridge);
    group("bridges", "", &|l| !l.is_seam() && l.made == Made::Bridge);
    group("seams", " fill=\"none\" stroke=\"none\"", &|l| l.is_seam());
    out.push_str("</svg>\n");
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use rhizograph_core::geom::pt;
    use rhizograph_core::geom::spine::Spine;
    use rhizograph_core::model::line::End;

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
        assert!(ring.iter().filter(|p| p.x < 50.0).all(|p| (p.x - 10.0).abs() < 1e-6));
    }
    use crate::svg_in;

    #[test]
    fn what_is_written_reads_back_as_the_same_shapes() {
        let spine = Spine::through(&[pt(20.0, 30.0), pt(80.0, 30.0)], false);
        let form = Form::Centreline { spine: spine.clone(), width: vec![[0.0, 6.0]], ends: [End::Round; 2] };
        let line = Line::new(1, form, Made::Traced);
        let seam = Line { id: 2, form: Form::Seam { spine }, ..line.clone() };
        let ring = vec![pt(10.0, 10.0), pt(40.0, 10.0), pt(40.0, 40.0)];
        let fills = [Fill { name: "Kettle & lid".into(), colour: [200, 80, 50], rings: std::slice::from_ref(&ring) }];
        let svg = drawing_svg(&[line, seam].map(Arc::new), &fills, &|_| [0, 0, 0], 100, 60, 300.0);
        let vector = svg_in::read(svg.as_bytes()).unwrap();
        assert_eq!(vector.lines.len(), 2, "the seam has no ink: {svg}");
        assert!(vector.lines.iter().all(|l| matches!(l.form, Form::Outline { .. })));
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
