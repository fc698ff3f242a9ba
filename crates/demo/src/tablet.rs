//! A stand-in for a pen display: what a hand's strokes would be told as, with pressure, tilt, time and the hand's jitter.

use crate::pen::Path;
use crate::random::{mix, wander};
use rhizograph_core::draw::Sample;
use rhizograph_core::geom::{Pt, polyline_len};

/// How often it tells where the pen is, a second.
pub const RATE: f64 = 240.0;
/// How many steps of pressure it tells apart.
const STEPS: f64 = 8192.0;
/// The hand's speed on straight stretches, px of the sheet a second, and in the tightest bends as a share of it.
const QUICK: f64 = 900.0;
const IN_BENDS: f64 = 0.35;
/// How far the hand shakes, px, and over how long a way.
const SHAKE: f64 = 0.9;
const SHAKES_OVER: f64 = 34.0;

/// How a stroke is pressed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Press {
    /// Set down and lifted lightly.
    Swelling,
    /// The same all along, as whoever closes a shape presses.
    Even,
    /// Hard at first, then lifted.
    Flicked,
}

/// The samples of a stroke along a path: slower at its ends and in bends. `seed`: another hand's jitter.
pub fn record(path: &Path, press: Press, seed: u64) -> Vec<Sample> {
    let mut way: Vec<Pt> = path.points.clone();
    if path.closed {
        way.extend(path.points.first());
    }
    let whole = polyline_len(&way).max(1e-9);
    let mut out = Vec::new();
    let (mut s, mut ms) = (0.0, 0.0);
    loop {
        let t = s / whole;
        let (p, bend) = at(&way, s);
        // A closed stroke meets its beginning: the shake fades there.
        let fade = (12.0 * t.min(1.0 - t)).min(1.0);
        let shake = |k: u64| SHAKE * fade * wander(mix(seed ^ k), s / SHAKES_OVER);
        let pressed = match press {
            Press::Swelling => 0.12 + 0.68 * (std::f64::consts::PI * t).sin().max(0.0).powf(0.55),
            Press::Even => 0.62,
            Press::Flicked => 0.82 * (1.0 - t).powf(0.7) + 0.05,
        };
        let pressure = (pressed + 0.04 * wander(mix(seed ^ 3), s / 70.0)).clamp(0.02, 1.0);
        let tilt = [28.0 + 9.0 * wander(mix(seed ^ 4), s / 260.0), 17.0 + 6.0 * wander(mix(seed ^ 5), s / 300.0)];
        let thousandth = |v: f64| (v * 1000.0).round() / 1000.0;
        out.push(Sample(
            thousandth(p.x + shake(1)),
            thousandth(p.y + shake(2)),
            Some((pressure * STEPS).round() / STEPS),
            Some(tilt.map(f64::round)),
            Some(thousandth(ms)),
        ));
        if s >= whole {
            return out;
        }
        let at_ends = (0.25 + 6.0 * t.min(1.0 - t)).min(1.0);
        let speed = QUICK * at_ends * (IN_BENDS + (1.0 - IN_BENDS) * (1.0 - bend));
        s = (s + speed / RATE).min(whole);
        ms += 1000.0 / RATE;
    }
}

/// The place so far along a way, and how sharply it turns there, 0 to 1.
fn at(way: &[Pt], s: f64) -> (Pt, f64) {
    let mut left = s;
    for (k, w) in way.windows(2).enumerate() {
        let step = w[0].dist(w[1]);
        if left <= step || k + 2 == way.len() {
            let far = |k: usize| way[k.min(way.len() - 1)];
            let (a, b) = ((w[0] - far(k.saturating_sub(8))).unit(), (far(k + 9) - w[1]).unit());
            let turn = a.cross(b).atan2(a.dot(b)).abs();
            return (w[0].lerp(w[1], (left / step.max(1e-9)).clamp(0.0, 1.0)), (turn / 1.2).min(1.0));
        }
        left -= step;
    }
    (way[way.len() - 1], 0.0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pen::through;

    #[test]
    fn a_stroke_is_told_evenly_in_time_pressed_by_its_kind_and_near_its_path() {
        let path = through(&[(100.0, 100.0), (400.0, 60.0), (500.0, 300.0), (200.0, 380.0)], false);
        for (press, ends_lightly) in [(Press::Swelling, true), (Press::Even, false), (Press::Flicked, true)] {
            let told = record(&path, press, 9);
            assert_eq!(told, record(&path, press, 9), "the same each time");
            assert_ne!(told, record(&path, press, 10), "another hand's");
            let ms: Vec<f64> = told.iter().filter_map(|s| s.4).collect();
            assert!(ms.windows(2).all(|w| (w[1] - w[0] - 1000.0 / RATE).abs() < 0.01));
            let pressure: Vec<f64> = told.iter().filter_map(|s| s.2).collect();
            assert!(pressure.iter().all(|p| (0.0..=1.0).contains(p)));
            let most = pressure.iter().copied().fold(0.0, f64::max);
            assert_eq!(pressure[pressure.len() - 1] < 0.4 * most, ends_lightly, "{press:?}");
            let off =
                |s: &Sample| path.points.iter().map(|p| (p.x - s.0).hypot(p.y - s.1)).fold(f64::INFINITY, f64::min);
            assert!(told.iter().all(|s| off(s) < 4.0));
            assert!(told.len() > 120 && told.len() < 1200, "{} samples", told.len());
        }
    }
}
