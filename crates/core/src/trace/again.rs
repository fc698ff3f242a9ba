//! Tracing again: what somebody made or changed by hand stays, and the ink it stands for is not traced a second time.

use crate::geom::flat::FlatPoint;
use crate::geom::profile::thin_profile;
use crate::geom::{Bounds, Pt, nearest_on_segment, polyline_len};
use crate::model::line::{Form, Line};
use rstar::{AABB, RTree, RTreeObject};
use std::sync::Arc;

/// How closely curves are followed, px.
const FLATNESS: f64 = 0.2;

struct Stretch {
    a: FlatPoint,
    b: FlatPoint,
}

impl RTreeObject for Stretch {
    type Envelope = AABB<[f64; 2]>;
    fn envelope(&self) -> Self::Envelope {
        let box_of = Bounds::of([&self.a.p, &self.b.p]).grown(self.a.width.max(self.b.width) / 2.0 + 2.0);
        AABB::from_corners([box_of.min.x, box_of.min.y], [box_of.max.x, box_of.max.y])
    }
}

/// Lines less the stretches that run along a kept one (nearer than half its width); what is left of a line and longer
/// than it is wide stays, as lines of their own. Numbers are given anew from `first_id` on.
pub fn without_covered(lines: Vec<Line>, kept: &[Arc<Line>], first_id: u64) -> Vec<Line> {
    let mut segments = Vec::new();
    for line in kept.iter().filter(|l| !l.is_seam()) {
        let flat = line.flat(FLATNESS);
        segments.extend(flat.windows(2).map(|w| Stretch { a: w[0], b: w[1] }));
        for ring in line.rings(FLATNESS) {
            let on = |p: Pt| FlatPoint { p, width: 4.0 };
            segments.extend((0..ring.len()).map(|k| Stretch { a: on(ring[k]), b: on(ring[(k + 1) % ring.len()]) }));
        }
    }
    if segments.is_empty() {
        return lines;
    }
    let tree = RTree::bulk_load(segments);
    let covered = |p: Pt| {
        tree.locate_in_envelope_intersecting(AABB::from_point([p.x, p.y])).any(|s| {
            let t = nearest_on_segment(p, s.a.p, s.b.p);
            let half = (s.a.width + (s.b.width - s.a.width) * t) / 2.0;
            p.dist(s.a.p.lerp(s.b.p, t)) < (0.5 * half).max(1.5)
        })
    };
    let left = lines.into_iter().flat_map(|line| uncovered(line, &covered));
    left.zip(first_id..).map(|(line, id)| Line { id, ..line }).collect()
}

fn uncovered(line: Line, covered: &dyn Fn(Pt) -> bool) -> Vec<Line> {
    let Some(spine) = line.spine() else {
        // An outline somebody has already is one whose edge runs along it mostly.
        let points: Vec<Pt> = line.rings(FLATNESS).concat();
        let on = points.iter().filter(|&&p| covered(p)).count();
        return if 2 * on > points.len() { vec![] } else { vec![line] };
    };
    let flat = dense(&line.flat(FLATNESS));
    let on: Vec<bool> = flat.iter().map(|f| covered(f.p)).collect();
    let share = on.iter().filter(|&&c| c).count() as f64 / on.len().max(1) as f64;
    if share == 0.0 {
        return vec![line];
    }
    if share > 0.8 {
        return vec![];
    }
    // Where two lines merely cross, the crossing is covered: such short stretches part nothing.
    let width = flat.iter().map(|f| f.width).fold(0.0, f64::max);
    let mut free: Vec<std::ops::Range<usize>> = Vec::new();
    let length = |r: std::ops::Range<usize>| polyline_len(&flat[r].iter().map(|f| f.p).collect::<Vec<_>>());
    let mut from = 0;
    for run in on.chunk_by(|a, b| a == b) {
        let here = from..from + run.len();
        from = here.end;
        if run[0] && length(here.clone()) > 2.0 * width + 4.0 {
            continue;
        }
        match free.last_mut() {
            Some(last) if last.end == here.start => last.end = here.end,
            _ => free.push(here),
        }
    }
    if free.len() == 1 && free[0].len() == flat.len() {
        return vec![line];
    }
    let Form::Centreline { ends, .. } = line.form.clone() else {
        return vec![line];
    };
    let closed = spine.closed;
    let parts = free.into_iter().filter(|r| !closed || r.len() < flat.len()).filter(|r| length(r.clone()) > width);
    parts
        .map(|r| {
            let points: Vec<Pt> = flat[r.clone()].iter().map(|f| f.p).collect();
            let total = polyline_len(&points).max(1e-9);
            let mut s = 0.0;
            let profile: Vec<[f64; 2]> = flat[r]
                .windows(2)
                .scan(0.0, |_, w| {
                    let knot = [s / total, w[0].width];
                    s += w[0].p.dist(w[1].p);
                    Some(knot)
                })
                .collect();
            let tangents = [
                (points[1.min(points.len() - 1)] - points[0]).unit(),
                (points[points.len().saturating_sub(2)] - points[points.len() - 1]).unit(),
            ];
            let fitted = super::fit::fit(&points, tangents, 0.2).into_iter().map(Pt::snapped).collect();
            let spine = crate::geom::spine::Spine { points: fitted, closed: false };
            Line { form: Form::Centreline { spine, width: thin_profile(&profile, 0.05), ends }, ..line.clone() }
        })
        .collect()
}

/// Points no farther apart than two px.
fn dense(flat: &[FlatPoint]) -> Vec<FlatPoint> {
    let mut out: Vec<FlatPoint> = flat.first().copied().into_iter().collect();
    for w in flat.windows(2) {
        let n = (w[0].p.dist(w[1].p) / 2.0).ceil().max(1.0) as usize;
        out.extend((1..=n).map(|k| {
            let t = k as f64 / n as f64;
            FlatPoint { p: w[0].p.lerp(w[1].p, t), width: w[0].width + (w[1].width - w[0].width) * t }
        }));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geom::pt;
    use crate::geom::spine::Spine;
    use crate::model::line::{End, Made};

    fn line(id: u64, from: Pt, to: Pt) -> Line {
        Line::new(
            id,
            Form::Centreline {
                spine: Spine::through(&[from, to], false),
                width: vec![[0.0, 6.0]],
                ends: [End::Round, End::Round],
            },
            Made::Traced,
        )
    }

    #[test]
    fn a_line_that_somebody_has_already_is_not_made_again_and_one_that_crosses_it_stays_whole() {
        let kept = [Arc::new(line(3, pt(10.0, 50.0), pt(200.0, 50.0)))];
        let new = vec![line(20, pt(10.0, 50.5), pt(203.0, 50.2)), line(21, pt(100.0, 0.0), pt(100.0, 100.0))];
        let left = without_covered(new.clone(), &kept, 40);
        assert_eq!(left, vec![Line { id: 40, ..new[1].clone() }]);
    }

    #[test]
    fn of_a_line_that_goes_on_beyond_a_kept_one_the_rest_is_made() {
        let kept = [Arc::new(line(3, pt(10.0, 50.0), pt(100.0, 50.0)))];
        let left = without_covered(vec![line(20, pt(10.0, 50.0), pt(300.0, 50.0))], &kept, 7);
        assert_eq!(left.len(), 1);
        let flat = left[0].flat(0.1);
        assert!((flat[0].p.x - 101.0).abs() < 3.0, "{:?}", flat[0]);
        assert_eq!(flat[flat.len() - 1].p, pt(300.0, 50.0));
        assert!(flat.iter().all(|f| (f.width - 6.0).abs() < 0.1));
    }
}
