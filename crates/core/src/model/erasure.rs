//! Ink taken off the lifted pixels, or put in its place.

use crate::geom::flat::{FlatPoint, Stroke};
use crate::geom::{Bounds, Pt, pt};
use crate::model::piece::Piece;
use crate::raster::plane::Plane;
use crate::raster::strokes::{Area, as_flat, common, fill, fill_in, side_of, stroke, stroke_cover, stroke_in, whole};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A path with the width of its ink: x, y, width.
pub type InkPath = Vec<[f64; 3]>;

/// Ink taken off the lifted pixels, or put in its place.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(untagged)]
pub enum Erasure {
    /// A tail, up to the edge of the line it was cut at.
    Tail {
        /// From the crossing outwards.
        tail: InkPath,
        /// The line it was cut at, near the crossing. Its ink stays.
        cutter: InkPath,
        /// From the crossing to the side that is cleared.
        side: Pt,
        /// Stretches of other lines that run beside it: their ink stays, too.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        beside: Vec<InkPath>,
    },
    /// All that lies within an outline, but for the ink of lines that only reach into it.
    Within { outline: Vec<Pt>, beside: Vec<InkPath> },
    /// A stretch of a line, with what it feathers; the ink of other lines stays, and that of solid shapes.
    Stretch {
        stretch: InkPath,
        beside: Vec<InkPath>,
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        solids: Vec<Vec<Pt>>,
    },
    /// A stretch that was drawn anew: ink along a path.
    Inked { inked: InkPath },
    /// All within closed rings is ink.
    Filled { filled: Vec<Vec<Pt>> },
    /// Lifted ink put there with its own pixels, and the lines that stand for it.
    Piece { piece: Piece, lines: Vec<u64> },
}

/// A stretch as broad as its ink feathers.
fn feathered(stretch: &InkPath) -> Vec<FlatPoint> {
    as_flat(stretch).iter().map(|f| FlatPoint { p: f.p, width: f.width * 1.15 + 3.0 }).collect()
}

impl Erasure {
    /// The box of pixels that may change.
    pub fn bounds(&self) -> Bounds {
        match self {
            Erasure::Tail { tail, .. } => {
                let widest = tail.iter().map(|p| p[2]).fold(0.0, f64::max);
                Bounds::of(&as_flat(tail).iter().map(|f| f.p).collect::<Vec<_>>()).grown(widest + 4.0)
            }
            Erasure::Within { outline, .. } => Bounds::of(outline).grown(2.0),
            Erasure::Stretch { stretch: path, .. } | Erasure::Inked { inked: path } => {
                let widest = path.iter().map(|p| p[2]).fold(0.0, f64::max);
                Bounds::of(&as_flat(path).iter().map(|f| f.p).collect::<Vec<_>>()).grown(0.6 * widest + 3.0)
            }
            Erasure::Filled { filled } => Bounds::of(filled.iter().flatten()).grown(2.0),
            Erasure::Piece { piece, .. } => piece.bounds(),
        }
    }

    /// The same elsewhere.
    pub fn moved(&self, by: Pt) -> Erasure {
        match self {
            Erasure::Piece { piece, lines } => {
                Erasure::Piece { piece: piece.led([1.0, 0.0, by.x, 0.0, 1.0, by.y]), lines: lines.clone() }
            }
            _ => self.mapped(|p| p + by, |d, _| d, |_| 1.0),
        }
    }

    /// The same on a sheet laid out otherwise: where its points go, where a direction at a point goes, and how much
    /// larger things are there.
    pub fn mapped(&self, go: impl Fn(Pt) -> Pt, turn: impl Fn(Pt, Pt) -> Pt, scale: impl Fn(Pt) -> f64) -> Erasure {
        let path = |path: &InkPath| -> InkPath {
            let knot = |k: &[f64; 3]| (pt(k[0], k[1]), k[2]);
            path.iter().map(knot).map(|(p, w)| [go(p).x, go(p).y, w * scale(p)]).collect()
        };
        let paths = |list: &[InkPath]| list.iter().map(path).collect();
        let rings = |list: &[Vec<Pt>]| list.iter().map(|r| r.iter().map(|&p| go(p)).collect()).collect();
        match self {
            Erasure::Tail { tail, cutter, side, beside } => Erasure::Tail {
                side: tail.first().map_or(*side, |t| turn(*side, pt(t[0], t[1]))),
                tail: path(tail),
                cutter: path(cutter),
                beside: paths(beside),
            },
            Erasure::Within { outline, beside } => {
                Erasure::Within { outline: outline.iter().map(|&p| go(p)).collect(), beside: paths(beside) }
            }
            Erasure::Stretch { stretch, beside, solids } => {
                Erasure::Stretch { stretch: path(stretch), beside: paths(beside), solids: rings(solids) }
            }
            Erasure::Inked { inked } => Erasure::Inked { inked: path(inked) },
            Erasure::Filled { filled } => Erasure::Filled { filled: rings(filled) },
            Erasure::Piece { piece, lines } => Erasure::Piece { piece: piece.mapped(&go), lines: lines.clone() },
        }
    }

    /// Whether it changes nothing of `alpha`.
    pub fn takes_nothing(&self, alpha: &Plane<u8>) -> bool {
        let (x0, y0, x1, y1) = self.bounds().pixels(alpha.width, alpha.height);
        if x0 >= x1 || y0 >= y1 {
            return true;
        }
        let mut part = alpha.part([x0, y0, x1 - x0, y1 - y0]);
        let before = part.clone();
        self.moved(pt(-(x0 as f64), -(y0 as f64))).apply(&mut part);
        part == before
    }

    /// Takes the ink off `alpha`.
    pub fn apply(&self, alpha: &mut Plane<u8>) {
        self.apply_in(alpha, whole(alpha));
    }

    /// The same within an area of the plane.
    pub fn apply_in(&self, alpha: &mut Plane<u8>, area: Area) {
        let (x0, y0, x1, y1) = common(self.bounds().pixels(alpha.width, alpha.height), area);
        if x0 >= x1 || y0 >= y1 {
            return;
        }
        match self {
            Erasure::Tail { tail, cutter, side, beside } => {
                let cutter = as_flat(cutter);
                let beside: Vec<Vec<FlatPoint>> = beside.iter().map(|b| as_flat(b)).collect();
                // Ink feathers beyond the width that was measured.
                let wide: Vec<FlatPoint> =
                    as_flat(tail).iter().map(|f| FlatPoint { p: f.p, width: f.width * 1.3 + 4.0 }).collect();
                let (Some(crossing), Some(tip)) = (wide.first().map(|f| f.p), wide.last().map(|f| f.p)) else {
                    return;
                };
                // Of a line that was cut at by its side; of a mere place by the way to the tip.
                let beyond = side_of(tip, &cutter);
                let is_beyond = |p: Pt| match beyond {
                    Some(beyond) => side_of(p, &cutter).is_some_and(|s| s * beyond > 0.0),
                    None => (p - crossing).dot(*side) > 0.0,
                };
                for y in y0..y1 {
                    for x in x0..x1 {
                        let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                        let here = &mut alpha.data[y * alpha.width + x];
                        if *here == 0 || stroke_cover(p, &wide) < 0.5 || !is_beyond(p) {
                            continue;
                        }
                        let keep = beside.iter().map(|b| stroke_cover(p, b)).fold(stroke_cover(p, &cutter), f64::max);
                        *here = (*here).min((keep * 255.0) as u8);
                    }
                }
            }
            Erasure::Stretch { stretch, beside, solids } => {
                let all = self.bounds().pixels(alpha.width, alpha.height);
                let origin = pt(all.0 as f64, all.1 as f64);
                let new = || Plane::new(all.2 - all.0, all.3 - all.1, 0u8);
                let (mut gone, mut keep) = (new(), new());
                let here = |flat: Vec<FlatPoint>| -> Vec<FlatPoint> {
                    flat.iter().map(|f| FlatPoint { p: f.p - origin, width: f.width }).collect()
                };
                stroke(&mut gone, &here(feathered(stretch)));
                beside.iter().for_each(|path| stroke(&mut keep, &here(as_flat(path))));
                let rings: Vec<Vec<Pt>> = solids.iter().map(|r| r.iter().map(|&p| p - origin).collect()).collect();
                fill(&mut keep, &rings);
                for y in y0..y1 {
                    for x in x0..x1 {
                        if *gone.at(x - all.0, y - all.1) >= 128 {
                            let a = &mut alpha.data[y * alpha.width + x];
                            *a = (*a).min(*keep.at(x - all.0, y - all.1));
                        }
                    }
                }
            }
            Erasure::Inked { inked } => {
                let whole = Stroke { flat: as_flat(inked), facets: [None; 2] };
                stroke_in(alpha, &whole, 255.0, (x0, y0, x1, y1));
            }
            Erasure::Filled { filled } => fill_in(alpha, filled, (x0, y0, x1, y1)),
            Erasure::Piece { piece, .. } => piece.apply_in(alpha, (x0, y0, x1, y1)),
            Erasure::Within { outline, beside } => {
                let all = self.bounds().pixels(alpha.width, alpha.height);
                let origin = pt(all.0 as f64, all.1 as f64);
                let (mut gone, mut keep) =
                    (Plane::new(all.2 - all.0, all.3 - all.1, 0u8), Plane::new(all.2 - all.0, all.3 - all.1, 0u8));
                fill(&mut gone, &[outline.iter().map(|&p| p - origin).collect()]);
                for path in beside {
                    let flat: Vec<FlatPoint> =
                        as_flat(path).iter().map(|f| FlatPoint { p: f.p - origin, width: f.width }).collect();
                    stroke(&mut keep, &flat);
                }
                for y in y0..y1 {
                    for x in x0..x1 {
                        let here = &mut alpha.data[y * alpha.width + x];
                        let (gone, keep) = (*gone.at(x - all.0, y - all.1), *keep.at(x - all.0, y - all.1));
                        let left = u32::from(*here) * u32::from(255 - gone) / 255;
                        *here = (left as u8).max(keep.min(*here));
                    }
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn flat(points: &[(f64, f64, f64)]) -> Vec<FlatPoint> {
        points.iter().map(|&(x, y, width)| FlatPoint { p: pt(x, y), width }).collect()
    }

    #[test]
    fn a_tail_goes_and_the_line_it_was_cut_at_stays() {
        let cutter = [(50.0, 5.0, 8.0), (50.0, 95.0, 8.0)];
        let mut alone = Plane::new(100, 100, 0u8);
        stroke(&mut alone, &flat(&cutter));
        let mut both = alone.clone();
        stroke(&mut both, &flat(&[(10.0, 50.0, 6.0), (70.0, 50.0, 6.0)]));
        let cut = Erasure::Tail {
            tail: vec![[50.0, 50.0, 6.0], [70.0, 50.0, 6.0]],
            cutter: cutter.iter().map(|c| [c.0, c.1, c.2]).collect(),
            side: pt(1.0, 0.0),
            beside: vec![],
        };
        cut.apply(&mut both);
        for y in 0..100 {
            for x in 50..100 {
                assert_eq!(both.at(x, y), alone.at(x, y), "at {x}, {y}");
            }
        }
        assert!(*both.at(20, 50) == 255);
    }
}
