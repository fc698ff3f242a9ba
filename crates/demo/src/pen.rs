//! A pen on paper: strokes with pressure along smooth paths, shapes that hide what lies behind them.

use crate::random::wander;
use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::{Bounds, Pt, polyline_len, pt};
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::raster::strokes;

/// A finely sampled path.
#[derive(Debug, Clone, PartialEq)]
pub struct Path {
    pub points: Vec<Pt>,
    pub closed: bool,
}

/// A smooth path through points (centripetal Catmull-Rom; Yuksel, Schaefer, Keyser, 2011).
pub fn through(points: &[(f64, f64)], closed: bool) -> Path {
    let n = points.len() as i64;
    let at = |i: i64| {
        let (x, y) = if closed { points[i.rem_euclid(n) as usize] } else { points[i.clamp(0, n - 1) as usize] };
        pt(x, y)
    };
    let mut out = Vec::new();
    let pieces = if closed { n } else { n - 1 };
    for i in 0..pieces {
        let mut p = [at(i - 1), at(i), at(i + 1), at(i + 2)];
        // Ends that are not closed go straight on.
        if p[0] == p[1] {
            p[0] = p[1] * 2.0 - p[2];
        }
        if p[3] == p[2] {
            p[3] = p[2] * 2.0 - p[1];
        }
        let mut t = [0.0; 4];
        for k in 1..4 {
            t[k] = t[k - 1] + p[k].dist(p[k - 1]).sqrt().max(1e-6);
        }
        let steps = (p[1].dist(p[2]) / 3.0).ceil().max(2.0) as usize;
        for s in 0..steps {
            let u = t[1] + (t[2] - t[1]) * s as f64 / steps as f64;
            let mix = |a: Pt, b: Pt, ta: f64, tb: f64| a * ((tb - u) / (tb - ta)) + b * ((u - ta) / (tb - ta));
            let a1 = mix(p[0], p[1], t[0], t[1]);
            let a2 = mix(p[1], p[2], t[1], t[2]);
            let a3 = mix(p[2], p[3], t[2], t[3]);
            let b1 = mix(a1, a2, t[0], t[2]);
            let b2 = mix(a2, a3, t[1], t[3]);
            out.push(mix(b1, b2, t[1], t[2]));
        }
    }
    if !closed {
        out.push(at(n - 1));
    }
    Path { points: out, closed }
}

impl Path {
    /// The place at share `t` of the length.
    pub fn at(&self, t: f64) -> Pt {
        let ring = self.ring();
        let mut left = polyline_len(&ring) * t;
        for w in ring.windows(2) {
            let l = w[0].dist(w[1]);
            if left <= l {
                return w[0].lerp(w[1], left / l.max(1e-9));
            }
            left -= l;
        }
        ring[ring.len() - 1]
    }

    fn ring(&self) -> Vec<Pt> {
        let mut r = self.points.clone();
        if self.closed {
            r.push(r[0]);
        }
        r
    }

    /// Whether a place lies inside the path taken as closed.
    pub fn holds(&self, p: Pt) -> bool {
        rhizograph_core::geom::inside(p, std::slice::from_ref(&self.points))
    }

    /// Turned, scaled and moved.
    pub fn moved(&self, about: Pt, angle: f64, scale: f64, by: Pt) -> Path {
        let (s, c) = angle.sin_cos();
        let f = |p: &Pt| {
            let d = (*p - about) * scale;
            about + pt(d.x * c - d.y * s, d.x * s + d.y * c) + by
        };
        Path { points: self.points.iter().map(f).collect(), closed: self.closed }
    }
}

/// An opening left on purpose.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PlantedGap {
    pub at: Pt,
    /// Between the ink on both sides, px.
    pub length: f64,
}

/// A line drawn past another on purpose.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PlantedTail {
    pub tip: Pt,
    /// What is seen of it, px.
    pub length: f64,
}

/// A sheet being inked.
#[derive(Debug, Clone)]
pub struct Page {
    pub ink: Plane<u8>,
    pub gaps: Vec<PlantedGap>,
    pub tails: Vec<PlantedTail>,
    /// What lies in front of what was there before, one after the other: the same things in each drawing.
    pub shapes: Vec<Path>,
    seed: u64,
    /// Gaps and tails are made; without, the drawing is as it was meant.
    faults: bool,
    /// Openings still to be left: share of the length and length in px, for the next stroke.
    openings: Vec<(f64, f64)>,
}

/// How the pen's pressure runs along a stroke.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Pressure {
    /// Light at both ends.
    Tapered,
    /// Heavier below, as if lit from above.
    Weighted,
    /// About the same all along.
    Even,
}

impl Page {
    pub fn new(width: usize, height: usize, seed: u64, faults: bool) -> Page {
        let ink = Plane::new(width, height, 0);
        Page { faults, ink, gaps: vec![], tails: vec![], shapes: vec![], seed, openings: vec![] }
    }

    /// Leaves an opening in the next stroke, at share `t` of its length.
    pub fn leave_open(&mut self, t: f64, length: f64) {
        if self.faults {
            self.openings.push((t, length));
        }
    }

    fn inked(&mut self, path: &Path, width: f64, pressure: Pressure) -> Vec<FlatPoint> {
        self.seed += 1;
        let ring = path.ring();
        let total = polyline_len(&ring).max(1e-9);
        let mut s = 0.0;
        let mut out = Vec::with_capacity(ring.len());
        for i in 0..ring.len() {
            if i > 0 {
                s += ring[i].dist(ring[i - 1]);
            }
            let t = s / total;
            let dir = (ring[(i + 1).min(ring.len() - 1)] - ring[i.saturating_sub(1)]).unit();
            let press = match pressure {
                Pressure::Tapered => 0.5 + 0.5 * (std::f64::consts::PI * t).sin().max(0.0).powf(0.6),
                Pressure::Weighted => 0.92 - 0.22 * dir.x,
                Pressure::Even => 1.0,
            };
            // A closed path must meet itself: its wander fades at the seam.
            let fade = if path.closed { (8.0 * t.min(1.0 - t)).min(1.0) } else { 1.0 };
            let tremble = 0.9 * fade * wander(self.seed.wrapping_mul(31), s / 46.0);
            let w = width * press * (1.0 + 0.09 * fade * wander(self.seed.wrapping_mul(77), s / 60.0));
            out.push(FlatPoint { p: ring[i] + dir.turned() * tremble, width: w });
        }
        out
    }

    /// Inks a path.
    pub fn stroke(&mut self, path: &Path, width: f64, pressure: Pressure) {
        let flat = self.inked(path, width, pressure);
        let points: Vec<Pt> = flat.iter().map(|f| f.p).collect();
        let total = polyline_len(&points);
        let openings = std::mem::take(&mut self.openings);
        let mut pieces: Vec<Vec<FlatPoint>> = vec![vec![]];
        let mut s = 0.0;
        let mut was_open = false;
        for i in 0..flat.len() {
            if i > 0 {
                s += flat[i].p.dist(flat[i - 1].p);
            }
            // The round ends of the ink reach into the opening by half the width on each side.
            let open = openings.iter().any(|&(t, len)| (s - t * total).abs() < (len + flat[i].width) / 2.0);
            if open && !was_open {
                pieces.push(vec![]);
            }
            was_open = open;
            if !open && let Some(piece) = pieces.last_mut() {
                piece.push(flat[i]);
            }
        }
        pieces.retain(|p| p.len() > 1);
        for &(t, _) in &openings {
            let near = |p: Pt| pieces.iter().flat_map(|q| [q[0], q[q.len() - 1]]).filter(move |f| f.p.dist(p) < 60.0);
            let place = {
                let mut left = t * total;
                let mut at = points[points.len() - 1];
                for k in points.windows(2) {
                    let l = k[0].dist(k[1]);
                    if left <= l {
                        at = k[0].lerp(k[1], left / l.max(1e-9));
                        break;
                    }
                    left -= l;
                }
                at
            };
            let mut sides: Vec<FlatPoint> = near(place).collect();
            sides.sort_by(|a, b| a.p.dist(place).total_cmp(&b.p.dist(place)));
            if sides.len() >= 2 {
                let length = sides[0].p.dist(sides[1].p) - (sides[0].width + sides[1].width) / 2.0;
                self.gaps.push(PlantedGap { at: sides[0].p.lerp(sides[1].p, 0.5), length });
            }
        }
        for piece in &pieces {
            strokes::stroke(&mut self.ink, piece);
        }
    }

    /// A shape in front of what is there: its inside is cleared, its edge inked.
    pub fn shape(&mut self, path: &Path, width: f64, pressure: Pressure) {
        self.hide(path);
        self.stroke(path, width, pressure);
    }

    /// Clears what lies inside a path.
    pub fn hide(&mut self, path: &Path) {
        self.hide_for(path, path);
    }

    /// Clears what lies inside a path, for a shape that is more than that.
    pub fn hide_for(&mut self, path: &Path, shape: &Path) {
        self.shapes.push(shape.clone());
        let (x0, y0, x1, y1) = Bounds::of(&path.points).grown(2.0).pixels(self.ink.width, self.ink.height);
        let mut cover = Plane::new(x1 - x0, y1 - y0, 0u8);
        let corner = pt(x0 as f64, y0 as f64);
        strokes::fill(&mut cover, &[path.points.iter().map(|p| *p - corner).collect()]);
        for y in y0..y1 {
            for (x, c) in (x0..x1).zip(cover.row(y - y0)) {
                let ink = &mut self.ink.data[y * self.ink.width + x];
                *ink = (u16::from(*ink) * u16::from(255 - c) / 255) as u8;
            }
        }
    }

    /// Takes faults off the list that something drawn later lies over.
    pub fn forget_hidden_faults(&mut self) {
        let inked = |p: Pt| self.ink.sample(p.x, p.y) >= 128.0;
        let around = |p: Pt| (0..8).map(move |k| f64::from(k) * 0.785).any(|a| inked(p + pt(a.cos(), a.sin()) * 3.0));
        self.gaps.retain(|g| !inked(g.at));
        self.tails.retain(|t| around(t.tip));
    }

    /// Solid ink.
    pub fn solid(&mut self, path: &Path) {
        strokes::fill(&mut self.ink, std::slice::from_ref(&path.points));
    }

    /// Carries a line on past another by `length` px of visible ink: from `from` on the line that is crossed (whose
    /// ink is `over` wide) along `dir`.
    pub fn tail(&mut self, from: Pt, dir: Pt, width: f64, over: f64, length: f64) {
        if !self.faults {
            return;
        }
        let d = dir.unit();
        let reach = over / 2.0 + length - width / 2.0;
        let at = |k: usize| FlatPoint { p: from + d * (reach * k as f64 / 8.0), width };
        let flat: Vec<FlatPoint> = (0..=8).map(at).collect();
        strokes::stroke(&mut self.ink, &flat);
        self.tails.push(PlantedTail { tip: from + d * (reach + width / 2.0), length });
    }
}
