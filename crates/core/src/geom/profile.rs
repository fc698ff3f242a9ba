//! A width along a line: places (0 to 1, by length) and the width there, linear between.

use super::point::GRID;
use super::polyline::needed;

/// The width at place `s` (0 to 1) of a profile.
pub fn width_at(profile: &[[f64; 2]], s: f64) -> f64 {
    let Some(first) = profile.first() else {
        return 0.0;
    };
    let k = profile.partition_point(|k| k[0] <= s);
    if k == 0 {
        return first[1];
    }
    let a = profile[k - 1];
    let Some(b) = profile.get(k) else { return a[1] };
    a[1] + (b[1] - a[1]) * ((s - a[0]) / (b[0] - a[0]).max(1e-12)).clamp(0.0, 1.0)
}

/// A width on the grid that is kept; no line is thinner than a hair.
pub fn on_grid(width: f64) -> f64 {
    ((width * GRID).round() / GRID).max(0.125)
}

/// Leaves out the knots of a width profile that lie within `tolerance` px of the line between their neighbours.
pub fn thin_profile(profile: &[[f64; 2]], tolerance: f64) -> Vec<[f64; 2]> {
    let stays = needed(profile.len(), tolerance, |a, b, i| {
        let t = (profile[i][0] - profile[a][0]) / (profile[b][0] - profile[a][0]).max(1e-12);
        (profile[i][1] - profile[a][1] - (profile[b][1] - profile[a][1]) * t).abs()
    });
    profile.iter().zip(stays).filter(|(_, stays)| *stays).map(|(k, _)| *k).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn widths_run_straight_between_their_knots() {
        let profile = [[0.0, 2.0], [0.5, 6.0], [1.0, 6.0]];
        assert_eq!(width_at(&profile, 0.25), 4.0);
        assert_eq!(width_at(&profile, 0.9), 6.0);
        assert_eq!(thin_profile(&[[0.0, 2.0], [0.2, 3.0], [0.4, 4.0], [1.0, 7.0]], 0.1), vec![[0.0, 2.0], [1.0, 7.0]]);
    }
}
