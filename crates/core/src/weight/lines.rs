//! The weight of traced and drawn lines: their width profiles set, scaled, added to, clamped, calmed or tapered.

use crate::geom::profile::{thin_profile, width_at};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What is done to the width of a line. Widths and lengths are px of the sheet.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "how")]
pub enum Adjust {
    /// One width all along.
    Set { width: f64 },
    /// Times a factor.
    Scale { factor: f64 },
    /// So much wider; below 0 thinner.
    Add { by: f64 },
    /// No thinner than one width, no wider than another.
    Clamp { least: f64, most: f64 },
    /// Variation smoothed: 0 leaves it, 1 takes all of it that is shorter than a third of the line.
    Calm { amount: f64 },
    /// Runs out to a point over this length, at either end or both.
    Taper { length: f64, start: bool, end: bool },
}

/// No line gets thinner than this, px.
const THINNEST: f64 = 0.25;
/// No line gets broader than this, px.
pub const BROADEST: f64 = 1000.0;
/// How far a profile may be from what was asked, px.
const TOLERANCE: f64 = 0.02;

/// A width profile (places 0 to 1 and widths) adjusted; `length` is that of the line, px.
pub fn adjust(profile: &[[f64; 2]], length: f64, adjust: Adjust) -> Vec<[f64; 2]> {
    let sampled =
        |n: usize| (0..=n).map(|i| i as f64 / n as f64).map(|s| [s, width_at(profile, s)]).collect::<Vec<_>>();
    let mut out: Vec<[f64; 2]> = match adjust {
        Adjust::Set { width } => vec![[0.0, width], [1.0, width]],
        Adjust::Scale { factor } => profile.iter().map(|k| [k[0], k[1] * factor]).collect(),
        Adjust::Add { by } => profile.iter().map(|k| [k[0], k[1] + by]).collect(),
        Adjust::Clamp { least, most } => {
            // A knot where the profile meets a bound, so that it is met exactly there.
            let mut knots = profile.to_vec();
            for pair in profile.windows(2) {
                for bound in [least, most] {
                    let t = (bound - pair[0][1]) / (pair[1][1] - pair[0][1]);
                    if t > 0.0 && t < 1.0 {
                        knots.push([pair[0][0] + (pair[1][0] - pair[0][0]) * t, bound]);
                    }
                }
            }
            knots.sort_by(|a, b| a[0].total_cmp(&b[0]));
            knots.iter().map(|k| [k[0], k[1].clamp(least.min(most), most.max(least))]).collect()
        }
        Adjust::Calm { amount } => {
            let n = ((length / 4.0) as usize).clamp(8, 200);
            let samples = sampled(n);
            let reach = n / 6;
            samples
                .iter()
                .enumerate()
                .map(|(i, k)| {
                    // The same on both sides, so that a taper at an end stays one.
                    let reach = reach.min(i).min(n - i);
                    let near = &samples[i - reach..=i + reach];
                    let mean = near.iter().map(|k| k[1]).sum::<f64>() / near.len() as f64;
                    [k[0], k[1] + (mean - k[1]) * amount]
                })
                .collect()
        }
        Adjust::Taper { length: over, start, end } => {
            let n = ((length / 3.0) as usize).clamp(16, 300);
            let share = (over / length.max(1e-9)).clamp(1e-6, if start && end { 0.5 } else { 1.0 });
            sampled(n)
                .iter()
                .map(|k| {
                    let from_start = if start { (k[0] / share).min(1.0) } else { 1.0 };
                    let from_end = if end { ((1.0 - k[0]) / share).min(1.0) } else { 1.0 };
                    [k[0], k[1] * from_start * from_end]
                })
                .collect()
        }
    };
    out.iter_mut().for_each(|k| k[1] = k[1].clamp(THINNEST, BROADEST));
    thin_profile(&out, TOLERANCE)
        .into_iter()
        .map(|k| [(k[0] * 1e6).round() / 1e6, (k[1] * 256.0).round() / 256.0])
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    const PROFILE: [[f64; 2]; 4] = [[0.0, 1.0], [0.4, 6.0], [0.7, 3.0], [1.0, 5.0]];

    #[test]
    fn set_scale_add_and_clamp_do_what_they_say() {
        assert_eq!(adjust(&PROFILE, 100.0, Adjust::Set { width: 4.0 }), vec![[0.0, 4.0], [1.0, 4.0]]);
        assert_eq!(width_at(&adjust(&PROFILE, 100.0, Adjust::Scale { factor: 1.5 }), 0.4), 9.0);
        assert_eq!(width_at(&adjust(&PROFILE, 100.0, Adjust::Add { by: -2.0 }), 0.7), 1.0);
        let clamped = adjust(&PROFILE, 100.0, Adjust::Clamp { least: 2.0, most: 4.0 });
        for i in 0..=100 {
            let s = f64::from(i) / 100.0;
            assert!((width_at(&clamped, s) - width_at(&PROFILE, s).clamp(2.0, 4.0)).abs() < 0.03, "at {s}");
        }
        assert!(adjust(&PROFILE, 100.0, Adjust::Add { by: -9.0 }).iter().all(|k| k[1] == THINNEST));
        // Over and over again it stays within what is drawn.
        let mut width = PROFILE.to_vec();
        for _ in 0..200 {
            width = adjust(&width, 100.0, Adjust::Scale { factor: 4000.0 });
        }
        assert!(width.iter().all(|k| k[1] == BROADEST), "{width:?}");
    }

    #[test]
    fn calm_takes_the_variation_and_keeps_the_mean_and_a_taper_runs_out() {
        let wavy: Vec<[f64; 2]> =
            (0..=60).map(|i| [f64::from(i) / 60.0, 5.0 + if i % 2 == 0 { 1.0 } else { -1.0 }]).collect();
        let calm = adjust(&wavy, 240.0, Adjust::Calm { amount: 1.0 });
        assert!((20..80).all(|i| (width_at(&calm, f64::from(i) / 100.0) - 5.0).abs() < 0.2));
        assert_eq!(adjust(&wavy, 240.0, Adjust::Calm { amount: 0.0 }).len(), wavy.len());
        let even = [[0.0, 6.0], [1.0, 6.0]];
        let tapered = adjust(&even, 200.0, Adjust::Taper { length: 50.0, start: true, end: false });
        assert_eq!(width_at(&tapered, 0.0), THINNEST);
        assert!((width_at(&tapered, 0.125) - 3.0).abs() < 0.1);
        assert_eq!([width_at(&tapered, 0.3), width_at(&tapered, 1.0)], [6.0, 6.0]);
    }
}
