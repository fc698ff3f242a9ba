//! A face looked at: which pixels it covers, what of them is seen, and whether it is a region at all.

use super::network::Network;
use crate::geom::{Pt, pt};
use crate::raster::ink::{IS_INK, POCKET};
use crate::raster::plane::Plane;

/// What is seen of a face.
pub(crate) struct Look {
    /// Its pixels: row, first column, end column.
    pub spans: Vec<(usize, usize, usize)>,
    /// Pixels that bear no ink.
    pub area: usize,
    /// x, y, width, height of those.
    pub bbox: [usize; 4],
    /// Their runs: length, row, middle.
    pub runs: Vec<(usize, usize, usize)>,
}

/// The pixels of rings by the even-odd rule at pixel centres: (row, first column, end column).
pub fn spans(rings: &[Vec<Pt>], width: usize, height: usize) -> Vec<(usize, usize, usize)> {
    let mut crossings: Vec<(u32, f64)> = Vec::new();
    for ring in rings {
        for k in 0..ring.len() {
            let (a, b) = (ring[k], ring[(k + 1) % ring.len()]);
            let (top, low) = if a.y < b.y { (a, b) } else { (b, a) };
            let first = (top.y - 0.5).ceil().max(0.0);
            let last = (low.y - 0.5).ceil().min(height as f64);
            let mut y = first;
            while y < last {
                crossings.push((y as u32, top.x + (y + 0.5 - top.y) / (low.y - top.y) * (low.x - top.x)));
                y += 1.0;
            }
        }
    }
    crossings.sort_unstable_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
    crossings
        .chunks_exact(2)
        .filter_map(|c| {
            let column = |x: f64| (x - 0.5).ceil().clamp(0.0, width as f64) as usize;
            let (from, to) = (column(c[0].1), column(c[1].1));
            (from < to).then_some((c[0].0 as usize, from, to))
        })
        .collect()
}

/// Looks at the face within rings; `None` if it is no region: ink, or hidden under it.
pub(crate) fn look(rings: &[Vec<Pt>], alpha: &Plane<u8>, network: &Network) -> Option<Look> {
    let spans = spans(rings, alpha.width, alpha.height);
    let &(y, a, b) = spans.iter().max_by_key(|s| s.2 - s.1)?;
    if network.is_in_solid(pt((a + b) as f64 / 2.0, y as f64 + 0.5)) {
        return None;
    }
    let mut area = 0;
    let mut bbox = [usize::MAX, usize::MAX, 0, 0];
    let mut runs = Vec::new();
    for &(y, a, b) in &spans {
        let row = &alpha.row(y)[a..b];
        let mut x = 0;
        while x < row.len() {
            if row[x] >= IS_INK {
                x += 1;
                continue;
            }
            let from = x;
            while x < row.len() && row[x] < IS_INK {
                x += 1;
            }
            area += x - from;
            bbox = [bbox[0].min(a + from), bbox[1].min(y), bbox[2].max(a + x), bbox[3].max(y + 1)];
            runs.push((x - from, y, a + (from + x) / 2));
        }
    }
    let bbox = [bbox[0], bbox[1], bbox[2].wrapping_sub(bbox[0]), bbox[3].wrapping_sub(bbox[1])];
    (area >= POCKET).then_some(Look { spans, area, bbox, runs })
}
