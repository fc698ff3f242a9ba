//! How dense a line's ink is at its ends, and so the bridge between them.

use crate::raster::plane::Plane;
use crate::region::network::{LineEnd, Network};

/// How far from its end a line's ink is looked at, in its widths.
pub(super) const DENSITY_REACH: f64 = 4.0;

/// How dense a line's ink is near an end, 0 to 1: the mean of its middle over the last four widths.
pub fn density_at(end: &LineEnd, network: &Network, alpha: &Plane<u8>) -> f64 {
    let flat = network.flat(end.line);
    let at = |k: usize| if end.at_end { flat[flat.len() - 1 - k] } else { flat[k] };
    let (mut walked, mut sum, mut count) = (0.0, 0.0, 0.0);
    for k in 1..flat.len() {
        let (a, b) = (at(k - 1).p, at(k).p);
        let step = a.dist(b);
        let mut s = 0.5;
        while s < step && walked + s < 4.0 * end.width {
            if walked + s > 0.5 * end.width {
                let p = a.lerp(b, s / step);
                sum += alpha.sample(p.x, p.y) / 255.0;
                count += 1.0;
            }
            s += 1.0;
        }
        walked += step;
        if walked > 4.0 * end.width {
            break;
        }
    }
    // On a line under three px the pen's edges are all there is to see.
    if count == 0.0 || end.width < 3.0 { 1.0 } else { (sum / count).clamp(0.0, 1.0) }
}

/// How dense a bridge is between ends of such density; never so thin that it would not hold.
pub fn bridge_opacity(a: Option<f64>, b: Option<f64>) -> f64 {
    let known: Vec<f64> = a.into_iter().chain(b).collect();
    let mean = if known.is_empty() { 1.0 } else { known.iter().sum::<f64>() / known.len() as f64 };
    (mean.max(0.7) * 256.0).round() / 256.0
}
