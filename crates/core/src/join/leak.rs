//! The leak test: the widest way by which paint would run from a place, and its narrowest spot.
//!
//! Of all ways over paper the one whose narrowest spot is widest is found by Dijkstra's method with the minimum of the
//! clearances in place of the sum of lengths (the bottleneck or widest-path problem: Pollack, "The maximum capacity
//! through a network", Operations Research 8, 1960), clearances being exact distances to the ink. Of the ways as wide as that the
//! shortest is shown, kept off the ink. O(pixels), with buckets.

use crate::geom::{Pt, pt};
use crate::raster::distance::squared_distance_to;
use crate::raster::ink::IS_INK;
use crate::raster::plane::Plane;
use crate::raster::thinning::AROUND;
use serde::Serialize;
use std::collections::HashSet;
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
    let mut climb = vec![from.y as usize * w + from.x as usize];
    while let Some(up) = around(climb[climb.len() - 1]).into_iter().flatten().max_by_key(|&j| clear.data[j])
        && clear.data[up] > clear.data[climb[climb.len() - 1]]
    {
        climb.push(up);
    }
    let start = climb[climb.len() - 1];
    let is_border = |i: usize| i.is_multiple_of(w) || i < w || i % w + 1 == w || i + w >= w * h;
    let mut seen = Plane::new(w, h, false);
    let mut buckets: Vec<Vec<u32>> = vec![Vec::new(); WIDEST + 1];
    seen.data[start] = true;
    buckets[clear.data[start] as usize].push(start as u32);
    let mut out = false;
    // How much wider than the way to it a part is, where, and how wide the way.
    let mut beyond: Option<(u16, usize, u16)> = None;
    let mut key = clear.data[start] as usize;
    'search: loop {
        while let Some(i) = buckets[key].pop() {
            let i = i as usize;
            if is_border(i) {
                out = true;
                break 'search;
            }
            let room = clear.data[i].saturating_sub(key as u16);
            if room >= WIDER && clear.data[i] as usize > 2 * key && beyond.is_none_or(|b| room > b.0) {
                beyond = Some((room, i, key as u16));
            }
            for j in around(i).into_iter().flatten().filter(|&j| !ink.data[j]) {
                if !std::mem::replace(&mut seen.data[j], true) {
                    buckets[clear.data[j].min(key as u16) as usize].push(j as u32);
                }
            }
        }
        if key == 0 {
            break;
        }
        key -= 1;
    }
    drop((buckets, seen));
    let way = if out {
        shortest(&clear, &climb, key as u16, is_border)?
    } else {
        let (_, end, width) = beyond?;
        shortest(&clear, &climb, width, |i| i == end)?
    };
    let end = way[way.len() - 1];
    let place = |i: usize| pt((i % w) as f64 + 0.5, (i / w) as f64 + 0.5);
    // The sheet's border is no narrow spot.
    let narrow = way.iter().copied().filter(|i| !climb.contains(i)).min_by_key(|&i| squared.data[i])?;
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
    Some(Leak { path, at, sides, width, outside: out })
}

/// The shortest way to where `is_end`, over places at least as clear as `least` and those of the climb, whose first it
/// starts from. A step near ink counts more.
fn shortest(clear: &Plane<u16>, climb: &[usize], least: u16, is_end: impl Fn(usize) -> bool) -> Option<Vec<usize>> {
    let (w, h) = (clear.width as i64, clear.height as i64);
    let free: HashSet<usize> = climb.iter().copied().collect();
    let mut length = Plane::new(clear.width, clear.height, u32::MAX);
    let mut came = Plane::new(clear.width, clear.height, u8::MAX);
    // A step costs less than the buckets span, so they hold in turn all that is open (Dial, 1969).
    const BUCKETS: usize = 128;
    let mut buckets: Vec<Vec<u32>> = vec![Vec::new(); BUCKETS];
    length.data[climb[0]] = 0;
    buckets[0].push(climb[0] as u32);
    let (mut now, mut idle) = (0u32, 0);
    let end = loop {
        let Some(i) = buckets[now as usize % BUCKETS].pop() else {
            now += 1;
            idle += 1;
            if idle > BUCKETS {
                return None;
            }
            continue;
        };
        idle = 0;
        let i = i as usize;
        if length.data[i] != now {
            continue;
        }
        if is_end(i) {
            break i;
        }
        let (x, y) = (i as i64 % w, i as i64 / w);
        for (k, (dx, dy)) in AROUND.iter().enumerate() {
            let (u, v) = (x + dx, y + dy);
            if u < 0 || v < 0 || u >= w || v >= h {
                continue;
            }
            let j = (v * w + u) as usize;
            if clear.data[j] < least.max(1) && !free.contains(&j) {
                continue;
            }
            // Not between two pixels of ink that touch at their corners.
            if dx * dy != 0 && clear.data[(y * w + u) as usize] == 0 && clear.data[(v * w + x) as usize] == 0 {
                continue;
            }
            let step = if dx * dy == 0 { 10 } else { 14 };
            let near = (160 / u32::from(clear.data[j]).max(8)).min(7);
            let through = now + step * (1 + near);
            if through < length.data[j] {
                length.data[j] = through;
                came.data[j] = k as u8;
                buckets[through as usize % BUCKETS].push(j as u32);
            }
        }
    };
    let mut way = vec![end];
    while way[way.len() - 1] != climb[0] {
        let i = way[way.len() - 1];
        let (dx, dy) = AROUND[came.data[i] as usize];
        way.push((i as i64 - dy * w - dx) as usize);
    }
    way.reverse();
    Some(way)
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
    use crate::geom::flat::FlatPoint;
    use crate::raster::strokes;

    fn walls(size: usize, lines: &[&[(f64, f64)]]) -> Plane<u8> {
        let mut plane = Plane::new(size, size, 0u8);
        for line in lines {
            let flat: Vec<FlatPoint> = line.iter().map(|&(x, y)| FlatPoint { p: pt(x, y), width: 6.0 }).collect();
            strokes::stroke(&mut plane, &flat);
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
