//! The leak test: the widest way by which paint would run from a place, and its narrowest spot.
//!
//! Of all ways over paper the one whose narrowest spot is widest is found by Dijkstra's method with the minimum of the
//! clearances in place of the sum of lengths (the bottleneck or widest-path problem: Pollack, "The maximum capacity
//! through a network", Operations Research 8, 1960), clearances being exact distances to the ink. O(pixels), with
//! buckets.

use crate::distance::squared_distance_to;
use crate::geom::{Pt, pt};
use crate::ink::IS_INK;
use crate::plane::Plane;
use serde::Serialize;
use ts_rs::TS;

/// The way paint takes, px.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Leak {
    /// From the place that was pointed at.
    pub path: Vec<Pt>,
    /// The middle of the narrowest spot, and the ink at both sides of it.
    pub at: Pt,
    pub sides: [Pt; 2],
    /// Between the ink at both sides.
    pub width: f64,
    /// The way ends outside the drawing; otherwise in a wider part of the same region.
    pub outside: bool,
}

/// Clearances are told apart to a quarter pixel, up to a thousand pixels.
const STEPS: f64 = 4.0;
const WIDEST: usize = 4000;
/// A part beyond a narrow spot counts when it is this much wider, px.
const WIDER: u16 = (6.0 * STEPS) as u16;

/// The widest way from `from` to the border of the sheet; where there is none, to the part of the same region that is
/// widest against its narrowest spot. `barriers`: ink, and seams drawn like ink. `None`: the place bears ink, or its
/// region is closed and has no narrow spot.
pub fn find_leak(barriers: &Plane<u8>, from: Pt) -> Option<Leak> {
    let (w, h) = (barriers.width, barriers.height);
    let ink = barriers.map(|&a| a >= IS_INK);
    if *ink.get(from.x.floor() as i64, from.y.floor() as i64)? {
        return None;
    }
    let squared = squared_distance_to(&ink);
    let clear = squared.map(|&d| (f64::from(d).sqrt() * STEPS).min(WIDEST as f64) as u16);
    let around = |i: usize| {
        let (x, y) = (i % w, i / w);
        [(x > 0).then(|| i - 1), (x + 1 < w).then(|| i + 1), (y > 0).then(|| i - w), (y + 1 < h).then(|| i + w)]
    };
    // From where there is most room near the place that was meant.
    let mut start = from.y as usize * w + from.x as usize;
    while let Some(up) = around(start).into_iter().flatten().max_by_key(|&j| clear.data[j])
        && clear.data[up] > clear.data[start]
    {
        start = up;
    }
    let mut width = Plane::new(w, h, 0u16);
    let mut came = Plane::new(w, h, u8::MAX);
    let mut buckets: Vec<Vec<u32>> = vec![Vec::new(); WIDEST + 1];
    width.data[start] = clear.data[start];
    buckets[clear.data[start] as usize].push(start as u32);
    let mut out = None;
    let mut beyond: Option<(u16, usize)> = None;
    let mut key = clear.data[start] as usize;
    'search: loop {
        while let Some(i) = buckets[key].pop() {
            let i = i as usize;
            let (x, y) = (i % w, i / w);
            if x == 0 || y == 0 || x + 1 == w || y + 1 == h {
                out = Some(i);
                break 'search;
            }
            let room = clear.data[i].saturating_sub(key as u16);
            if room >= WIDER && clear.data[i] as usize > 2 * key && beyond.is_none_or(|b| room > b.0) {
                beyond = Some((room, i));
            }
            for (k, j) in around(i).into_iter().enumerate() {
                if let Some(j) = j
                    && width.data[j] == 0
                    && !ink.data[j]
                {
                    let through = clear.data[j].min(key as u16);
                    width.data[j] = through;
                    came.data[j] = k as u8;
                    buckets[through as usize].push(j as u32);
                }
            }
        }
        if key == 0 {
            break;
        }
        key -= 1;
    }
    let end = out.or(beyond.map(|b| b.1))?;
    let mut way = vec![end];
    while way[way.len() - 1] != start {
        let i = way[way.len() - 1];
        way.push(match came.data[i] {
            0 => i + 1,
            1 => i - 1,
            2 => i + w,
            _ => i - w,
        });
    }
    way.reverse();
    let place = |i: usize| pt((i % w) as f64 + 0.5, (i / w) as f64 + 0.5);
    // The sheet's border is no narrow spot.
    let narrow = way.iter().copied().min_by_key(|&i| squared.data[i])?;
    let at = place(narrow);
    let sides = sides_of(&ink, at, f64::from(squared.data[narrow]).sqrt())?;
    let mut path: Vec<Pt> = way.iter().step_by(5).map(|&i| place(i)).collect();
    path.push(place(end));
    for _ in 0..3 {
        let before = path.clone();
        for k in 1..path.len().saturating_sub(1) {
            path[k] = (before[k - 1] + before[k] * 2.0 + before[k + 1]) * 0.25;
        }
    }
    let width = (sides[0].dist(sides[1]) - 1.0).max(0.0);
    Some(Leak { path, at, sides, width, outside: out.is_some() })
}

/// The ink nearest to a place, and the ink nearest to it on the other side.
fn sides_of(ink: &Plane<bool>, at: Pt, clearance: f64) -> Option<[Pt; 2]> {
    let reach = (3.0 * clearance + 6.0).ceil() as i64;
    let (x0, y0) = (at.x.floor() as i64, at.y.floor() as i64);
    let mut near: Vec<(f64, Pt)> = Vec::new();
    for y in y0 - reach..=y0 + reach {
        for x in x0 - reach..=x0 + reach {
            if ink.get(x, y).copied().unwrap_or(false) {
                let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                near.push((p.dist(at), p));
            }
        }
    }
    let one = near.iter().min_by(|a, b| a.0.total_cmp(&b.0))?.1;
    let away = (one - at).unit();
    let opposite = |p: &Pt| (*p - at).unit().dot(away) < -0.35;
    let other = near.iter().filter(|n| opposite(&n.1)).min_by(|a, b| a.0.total_cmp(&b.0))?.1;
    Some([one, other])
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::line::FlatPoint;
    use crate::render;

    fn walls(size: usize, lines: &[&[(f64, f64)]]) -> Plane<u8> {
        let mut plane = Plane::new(size, size, 0u8);
        for line in lines {
            let flat: Vec<FlatPoint> = line.iter().map(|&(x, y)| FlatPoint { p: pt(x, y), width: 6.0 }).collect();
            render::stroke(&mut plane, &flat);
        }
        plane
    }

    #[test]
    fn a_leak_goes_out_by_the_widest_gap_and_its_narrowest_spot_is_that_gap() {
        // A box with a gap of 10 px at the right and one of 4 px below.
        let plane = walls(
            200,
            &[
                &[(150.0, 92.0), (150.0, 50.0), (50.0, 50.0), (50.0, 150.0), (90.0, 150.0)],
                &[(100.0, 150.0), (150.0, 150.0), (150.0, 108.0)],
            ],
        );
        let leak = find_leak(&plane, pt(70.0, 70.0)).unwrap();
        assert!(leak.outside);
        assert!(leak.at.dist(pt(150.0, 100.0)) < 3.0, "{:?}", leak.at);
        assert!((leak.width - 10.0).abs() < 1.5, "{}", leak.width);
        let [a, b] = leak.sides;
        assert!((a.y - 95.0).abs().min((b.y - 95.0).abs()) < 1.6 && (a.y - b.y).abs() > 9.0, "{a:?} {b:?}");
    }

    #[test]
    fn a_closed_region_does_not_leak_and_a_waist_within_it_is_found() {
        let closed = [(50.0, 50.0), (150.0, 50.0), (150.0, 150.0), (50.0, 150.0), (50.0, 50.0)];
        assert_eq!(find_leak(&walls(200, &[&closed]), pt(100.0, 100.0)), None);
        let waist = walls(200, &[&closed, &[(100.0, 50.0), (100.0, 94.0)], &[(100.0, 106.0), (100.0, 150.0)]]);
        let leak = find_leak(&waist, pt(75.0, 100.0)).unwrap();
        assert!(!leak.outside);
        assert!(leak.at.dist(pt(100.0, 100.0)) < 3.0, "{:?}", leak.at);
    }

    #[test]
    fn ink_itself_leaks_nowhere() {
        assert_eq!(find_leak(&Plane::new(30, 30, 255), pt(10.0, 10.0)), None);
        assert_eq!(find_leak(&Plane::new(30, 30, 0), pt(-10.0, 10.0)), None);
    }
}
