//! Drawings with tails that are known: smooth lines drawn through by known lengths at known angles, alone, in pairs at
//! one crossing, both lines of a corner, both ends of a line, beside ends that are meant.

use super::Random;
use rhizograph_core::geom::flat::FlatPoint;
use rhizograph_core::geom::{Pt, pt};
use rhizograph_core::raster::ink::{IS_INK, Ink};
use rhizograph_core::raster::plane::Plane;
use rhizograph_core::raster::strokes;

/// A sheet of CELLS x CELLS motifs, each in a square of so many px.
pub const CELL: f64 = 280.0;
pub const CELLS: usize = 5;

/// A smooth line: an arc through a place.
#[derive(Clone)]
pub struct Stroke {
    pub through: Pt,
    pub dir: Pt,
    pub bend: f64,
    /// How far it goes before the place and after it, px.
    pub before: f64,
    pub after: f64,
    pub width: f64,
}

impl Stroke {
    fn at(&self, s: f64) -> Pt {
        let (k, n) = (self.bend, self.dir.turned());
        if k.abs() < 1e-9 {
            return self.through + self.dir * s;
        }
        self.through + self.dir * ((k * s).sin() / k) + n * ((1.0 - (k * s).cos()) / k)
    }

    fn points(&self, from: f64, to: f64) -> Vec<Pt> {
        let n = ((to - from).abs().ceil() as usize).max(1);
        (0..=n).map(|i| self.at(from + (to - from) * i as f64 / n as f64)).collect()
    }

    pub fn whole(&self) -> Vec<Pt> {
        self.points(-self.before, self.after)
    }
}

/// A tail that is known.
pub struct Known {
    pub tip: Pt,
    /// What is seen of it beyond the other line's ink, px, and the line's width.
    pub seen: f64,
    pub width: f64,
    /// Its line's middle from inside the crossing to its end.
    pub path: Vec<Pt>,
    /// The sheet as it would be without it, by the strokes' numbers.
    pub stroke: usize,
    pub cutter: usize,
}

#[derive(Default)]
pub struct Made {
    pub strokes: Vec<Stroke>,
    pub tails: Vec<Known>,
    pub meant: Vec<Pt>,
}

impl Made {
    fn stroke(&mut self, s: Stroke) -> usize {
        self.strokes.push(s);
        self.strokes.len() - 1
    }

    /// A line through `at` on another, drawn past its edge by `seen` px at an angle; it comes from so far off.
    fn past(
        &mut self,
        cutter: usize,
        along: f64,
        (angle, side): (f64, f64),
        seen: f64,
        (width, bend): (f64, f64),
        from: f64,
    ) -> usize {
        let other = self.strokes[cutter].clone();
        let at = other.at(along);
        let tangent = (other.at(along + 0.5) - other.at(along - 0.5)).unit();
        let turned = |a: f64| pt(tangent.x * a.cos() - tangent.y * a.sin(), tangent.x * a.sin() + tangent.y * a.cos());
        let dir = turned(angle * side);
        // From the middle of the other line to its edge, then what is seen, less the round end.
        let after = other.width / 2.0 / angle.sin() + seen - width / 2.0;
        let s = Stroke { through: at, dir, bend, before: from, after: after.max(0.5), width };
        let path = s.points(0.0, s.after);
        let tip = s.at(s.after + width / 2.0);
        let stroke = self.stroke(s);
        self.tails.push(Known { tip, seen, width, path, stroke, cutter });
        stroke
    }

    fn meant(&mut self, stroke: usize, ends: [bool; 2]) {
        let s = &self.strokes[stroke];
        let places = [s.at(-s.before - s.width / 2.0), s.at(s.after + s.width / 2.0)];
        self.meant.extend(places.into_iter().zip(ends).filter(|e| e.1).map(|e| e.0));
    }

    fn motif(&mut self, centre: Pt, r: &mut Random) {
        let w = |r: &mut Random| r.within(4.0, 14.0);
        let bend = |r: &mut Random| r.within(-1.0, 1.0) / 160.0;
        let turn = r.within(0.0, std::f64::consts::TAU);
        let body = Stroke {
            through: centre,
            dir: pt(turn.cos(), turn.sin()),
            bend: bend(r),
            before: 95.0,
            after: 95.0,
            width: w(r),
        };
        let angle = |r: &mut Random| r.within(25.0, 90.0).to_radians();
        let side = |r: &mut Random| if r.unit() < 0.5 { 1.0 } else { -1.0 };
        let seen = |r: &mut Random| r.within(4.0, 31.0);
        match (r.unit() * 7.0) as usize {
            // Alone.
            0 | 1 => {
                let b = self.stroke(body);
                self.meant(b, [true, true]);
                let (a, s, l, v, along) = (angle(r), side(r), seen(r), (w(r), bend(r)), r.within(-25.0, 25.0));
                let n = self.past(b, along, (a, s), l, v, 85.0);
                self.meant(n, [true, false]);
            }
            // In pairs at one crossing.
            2 => {
                let b = self.stroke(body);
                self.meant(b, [true, true]);
                let first = r.within(35.0, 75.0).to_radians();
                let s = side(r);
                for (angle, along) in [(first, -2.0), (std::f64::consts::PI - first - r.within(-0.15, 0.15), 2.0)] {
                    let (l, v) = (seen(r), (w(r), bend(r)));
                    let n = self.past(b, along, (angle, s), l, v, 80.0);
                    self.meant(n, [true, false]);
                }
            }
            // Both lines of a corner.
            3 | 4 => {
                let wide = body.width;
                let l = seen(r);
                let (a, s, v) = (angle(r), side(r), (w(r), bend(r)));
                let after = v.0 / 2.0 / a.sin() + l - wide / 2.0;
                let first = Stroke { after: after.max(0.5), before: 90.0, ..body };
                let b = self.stroke(first.clone());
                let mine = seen(r);
                let n = self.past(b, 0.0, (a, s), mine, v, 85.0);
                let (path, tip) = (first.points(0.0, first.after), first.at(first.after + wide / 2.0));
                self.tails.push(Known { tip, seen: l, width: wide, path, stroke: b, cutter: n });
                self.meant(b, [true, false]);
                self.meant(n, [true, false]);
            }
            // Both ends of a line.
            5 => {
                let off = body.dir.turned() * 38.0;
                let first = Stroke { through: centre + off, bend: 0.0, ..body.clone() };
                let other = Stroke { through: centre - off, bend: 0.0, width: w(r), ..body };
                let (b, c) = (self.stroke(first), self.stroke(other));
                self.meant(b, [true, true]);
                self.meant(c, [true, true]);
                let v = w(r);
                let angle: f64 = r.within(50.0, 90.0);
                let angle = angle.to_radians();
                let (l, m) = (seen(r), seen(r));
                let (wb, wc) = (self.strokes[b].width, self.strokes[c].width);
                // Away from the second towards the first.
                let tangent = self.strokes[b].dir;
                let a = angle;
                let dir = pt(tangent.x * a.cos() - tangent.y * a.sin(), tangent.x * a.sin() + tangent.y * a.cos());
                let dir = if dir.dot(off) > 0.0 { dir } else { dir * -1.0 };
                let across = 38.0 / angle.sin();
                let s = Stroke {
                    through: centre,
                    dir,
                    bend: 0.0,
                    before: (across + wc / 2.0 / angle.sin() + m - v / 2.0).max(across + 0.5),
                    after: (across + wb / 2.0 / angle.sin() + l - v / 2.0).max(across + 0.5),
                    width: v,
                };
                let paths = [
                    (s.points(across, s.after), s.at(s.after + v / 2.0)),
                    (s.points(-across, -s.before), s.at(-s.before - v / 2.0)),
                ];
                let n = self.stroke(s);
                for ((path, tip), (seen, cutter)) in paths.into_iter().zip([(l, b), (m, c)]) {
                    self.tails.push(Known { tip, seen, width: v, path, stroke: n, cutter });
                }
            }
            // What is meant: an end on another line, lines that cross and go on.
            _ => {
                let b = self.stroke(body);
                self.meant(b, [true, true]);
                let (a, s) = (angle(r), side(r));
                let v = (w(r), bend(r));
                let n = self.past(b, -30.0, (a, s), 4.0, v, 60.0);
                self.tails.pop();
                self.strokes[n].after = 0.0;
                self.meant(n, [true, false]);
                let v = (w(r), bend(r));
                let n = self.past(b, 40.0, (r.within(50.0, 90.0f64).to_radians(), -s), 60.0, v, 60.0);
                self.tails.pop();
                self.meant(n, [true, true]);
            }
        }
    }

    pub fn sheet(seed: u64) -> Made {
        let mut r = Random(seed.wrapping_mul(77_777) + 5);
        let mut made = Made::default();
        for k in 0..CELLS * CELLS {
            let centre = pt(CELL * ((k % CELLS) as f64 + 0.5), CELL * ((k / CELLS) as f64 + 0.5));
            made.motif(centre, &mut r);
        }
        made
    }

    /// What of a stroke stays for sure when its tails are cut: up to where its round end lies on the other line's middle.
    pub fn kept(&self, n: usize) -> Vec<Pt> {
        let s = &self.strokes[n];
        let mut points = s.whole();
        for t in self.tails.iter().filter(|t| t.stroke == n) {
            let k =
                points.iter().enumerate().min_by(|a, b| a.1.dist(t.path[0]).total_cmp(&b.1.dist(t.path[0]))).unwrap().0;
            let back = (s.width / 2.0).ceil() as usize;
            let ahead = points[points.len() - 1].dist(t.tip) < points[0].dist(t.tip);
            points = if ahead {
                points[..=k.saturating_sub(back)].to_vec()
            } else {
                points[(k + back).min(points.len() - 1)..].to_vec()
            };
        }
        points
    }

    pub fn ink(&self, scanned: bool, seed: u64) -> Ink {
        let side = (CELL * CELLS as f64) as usize;
        let mut alpha = Plane::new(side, side, 0u8);
        for s in &self.strokes {
            let flat: Vec<FlatPoint> = s.whole().iter().map(|&p| FlatPoint { p, width: s.width }).collect();
            strokes::stroke(&mut alpha, &flat);
        }
        if scanned {
            let mut r = Random(seed ^ 0xABCD);
            alpha = blurred(&blurred(&alpha));
            for v in &mut alpha.data {
                let noise = (r.unit() + r.unit() - 1.0) * 22.0;
                *v = ((f64::from(*v) - 128.0) * 1.5 + 128.0 + if *v > 8 && *v < 247 { noise } else { 0.0 })
                    .clamp(0.0, 255.0) as u8;
            }
        }
        Ink::plain(alpha, [0; 3])
    }
}

fn blurred(a: &Plane<u8>) -> Plane<u8> {
    let mut out = a.clone();
    for y in 1..a.height - 1 {
        for x in 1..a.width - 1 {
            let sum: u32 = (0..9).map(|k| u32::from(*a.at(x + k % 3 - 1, y + k / 3 - 1))).sum();
            out.set(x, y, (sum / 9) as u8);
        }
    }
    out
}

/// What is left of a tail that was cut and what is bitten out of other ink, pixels.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cut {
    pub left: usize,
    pub bitten: usize,
}

impl Cut {
    /// Less than this is seen by nobody, pixels.
    const SEEN: usize = 6;

    pub fn leaves_nothing(self) -> bool {
        self.left < Cut::SEEN
    }

    pub fn bites_nothing(self) -> bool {
        self.bitten < Cut::SEEN
    }
}

impl Made {
    /// How well tails were cut (by their numbers): ink as it was and coverage as it is now.
    pub fn cuts(&self, cut: &[usize], was: &Plane<u8>, now: &Plane<u8>) -> Vec<Cut> {
        let whole: Vec<Vec<Pt>> = self.strokes.iter().map(Stroke::whole).collect();
        let kept: Vec<Vec<Pt>> = (0..self.strokes.len()).map(|n| self.kept(n)).collect();
        cut.iter().map(|&k| self.cut(&self.tails[k], (&whole, &kept), (was, now))).collect()
    }

    fn cut(&self, t: &Known, (whole, kept): (&[Vec<Pt>], &[Vec<Pt>]), (was, now): (&Plane<u8>, &Plane<u8>)) -> Cut {
        // How far within a stroke's ink a place lies, px.
        let depth = |p: Pt, path: &[Pt], n: usize| {
            self.strokes[n].width / 2.0 - path.iter().map(|q| q.dist(p)).fold(f64::INFINITY, f64::min)
        };
        let reach = t.seen + 1.5 * t.width + self.strokes[t.cutter].width + 4.0;
        // On which side of the other line's middle a place lies.
        let beyond = |p: Pt| {
            let path = &whole[t.cutter];
            let nearest = |k: &usize| path[*k].dist(p);
            let k = (1..path.len() - 1).min_by(|a, b| nearest(a).total_cmp(&nearest(b))).unwrap();
            (path[k + 1] - path[k - 1]).cross(p - path[k])
        };
        let others: Vec<usize> = (0..self.strokes.len())
            .filter(|&n| n != t.stroke && whole[n].iter().any(|q| q.dist(t.path[0]) < reach))
            .collect();
        let (mut left, mut bitten) = (0, 0);
        for y in (t.path[0].y - reach) as usize..=(t.path[0].y + reach) as usize {
            for x in (t.path[0].x - reach) as usize..=(t.path[0].x + reach) as usize {
                let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                let is = *now.at(x, y) >= IS_INK;
                if *was.at(x, y) < IS_INK {
                    continue;
                }
                let is_of_others =
                    |paths: &[Vec<Pt>], least: f64| others.iter().any(|&n| depth(p, &paths[n], n) > least);
                let is_of_tail =
                    beyond(p) * beyond(t.tip) > 0.0 && t.path.iter().any(|q| q.dist(p) < t.width / 2.0 + 0.5);
                left += usize::from(is && is_of_tail && !is_of_others(whole, -1.5));
                let stays = depth(p, &kept[t.stroke], t.stroke) > 0.8 || is_of_others(kept, 0.8);
                bitten += usize::from(!is && stays && p.dist(t.path[0]) < reach);
            }
        }
        Cut { left, bitten }
    }
}
