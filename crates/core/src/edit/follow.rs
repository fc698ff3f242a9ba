//! Decisions that follow their lines: what was left knowingly at a line stays left when that is led another way.

use crate::geom::{Bounds, Pt, lengths, nearest_on_segment, pt};
use crate::model::erasure::InkPath;
use crate::model::line::Line;
use crate::model::sheet::Sheet;
use crate::model::verdict::{SAME_PLACE, Verdict};

/// Leads what was left knowingly: `go` tells where a place lies now, if it went.
pub(super) fn follow(sheet: &mut Sheet, go: impl Fn(Pt) -> Option<Pt>) {
    for settled in sheet.settled.iter_mut().filter(|s| s.how == Verdict::Left) {
        if let Some(to) = go(settled.at) {
            settled.at = to.snapped();
        }
    }
}

/// How far along a path the place of it lies that is nearest to another one, 0 to 1; `None`: that is farther than a decision
/// holds.
fn share_along(path: &[Pt], p: Pt) -> Option<f64> {
    if Bounds::of(path).gap_to(p) > SAME_PLACE {
        return None;
    }
    let run = lengths(path);
    let whole = run.last().copied().filter(|l| *l > 0.0)?;
    let places = path.windows(2).enumerate().map(|(k, w)| {
        let t = nearest_on_segment(p, w[0], w[1]);
        (p.dist(w[0].lerp(w[1], t)), run[k] + (run[k + 1] - run[k]) * t)
    });
    let (far, along) = places.min_by(|a, b| a.0.total_cmp(&b.0))?;
    (far <= SAME_PLACE).then_some(along / whole)
}

fn at_share(path: &[Pt], share: f64) -> Option<Pt> {
    let run = lengths(path);
    let along = share * run.last()?;
    let k = run.partition_point(|l| *l < along).clamp(1, path.len().saturating_sub(1));
    let piece = run.get(k)? - run[k - 1];
    Some(path[k - 1].lerp(path[k], if piece > 0.0 { (along - run[k - 1]) / piece } else { 0.0 }))
}

/// Where a place at a line lies once a stretch of that was led another way: its ends go with the ends, what lies along the
/// stretch stays as far along. `None`: it is not of that stretch.
pub(super) fn led_along(old: &Line, new: &Line, gone: &InkPath, came: &InkPath) -> impl Fn(Pt) -> Option<Pt> {
    let path = |p: &InkPath| p.iter().map(|k| pt(k[0], k[1])).collect::<Vec<Pt>>();
    let ends = |l: &Line| l.spine().filter(|s| !s.closed).and_then(|s| Some([*s.points.first()?, *s.points.last()?]));
    let (was, is) = (ends(old), ends(new));
    let (gone, came) = (path(gone), path(came));
    move |p| {
        if let (Some(was), Some(is)) = (was, is)
            && let Some(k) = (0..2).filter(|k| was[*k].dist(p) <= SAME_PLACE).min_by(|a, b| {
                let far = |k: &usize| was[*k].dist(p);
                far(a).total_cmp(&far(b))
            })
        {
            return Some(p + (is[k] - was[k]));
        }
        at_share(&came, share_along(&gone, p)?)
    }
}

/// Where a place at a line lies once all of that was led through a map. `None`: it is not of that line.
pub(super) fn led_with(old: &Line, go: impl Fn(Pt) -> Pt) -> impl Fn(Pt) -> Option<Pt> {
    let path = old.spine().map(|s| s.flatten(0.5)).unwrap_or_default();
    move |p| share_along(&path, p).map(|_| go(p))
}
