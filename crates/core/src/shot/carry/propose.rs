//! Paint proposed for a drawing from others of its shot, by their regions found again in it.

use super::graph::Graph;
use super::matching::{Carried, carry, trusted};
use crate::model::paint::CarriedDrop;
use crate::model::sheet::Sheet;
use crate::model::verdict::{Kind, Verdict};
use crate::paint::{Dropped, drops_in};
use crate::scene::Scene;
use std::collections::BTreeMap;

/// The paint of a region, as it is carried on.
#[derive(Debug, Clone, PartialEq)]
pub struct Paint {
    /// Its swatch, and what it may be besides, the likeliest first; none: it is left without paint knowingly.
    pub swatches: Vec<String>,
    /// How sure that is: 0 to 1; 1 of what somebody painted.
    pub confidence: f64,
    pub doubtful: bool,
    /// It came from elsewhere itself.
    pub carried: bool,
}

impl Paint {
    pub fn by_hand(swatch: &str) -> Paint {
        Paint { swatches: vec![swatch.to_owned()], confidence: 1.0, doubtful: false, carried: false }
    }
}

/// A painted drawing that others are painted from.
#[derive(Debug, Clone)]
pub struct Painted {
    pub graph: Graph,
    /// The paint of each region, by its number less one.
    pub paint: Vec<Option<Paint>>,
}

impl Painted {
    pub fn of(sheet: &Sheet, scene: &Scene) -> Painted {
        let is_left = |id: u32| {
            let mut left = sheet.settled.iter().filter(|s| s.kind == Kind::Unpainted && s.how == Verdict::Left);
            left.any(|s| scene.regions.at(s.at).is_some_and(|r| r.id == id))
        };
        let paint_in = |(n, dropped): (usize, &Dropped)| {
            let drop = match *dropped {
                Dropped::None if is_left(n as u32 + 1) => {
                    return Some(Paint { swatches: Vec::new(), confidence: 1.0, doubtful: false, carried: false });
                }
                Dropped::None => return None,
                Dropped::Alike(k) | Dropped::Differing(k) => &sheet.drops[k],
            };
            Some(match drop.like.as_deref().filter(|l| l.carried) {
                Some(like) => Paint {
                    swatches: like.swatches.clone(),
                    confidence: like.confidence,
                    doubtful: like.doubtful,
                    carried: true,
                },
                None => Paint::by_hand(&drop.swatch),
            })
        };
        Painted {
            graph: Graph::of(&scene.regions),
            paint: drops_in(&scene.regions, &sheet.drops).iter().enumerate().map(paint_in).collect(),
        }
    }

    fn paint_of(&self, region: u32) -> Option<&Paint> {
        self.paint.get((region as usize).checked_sub(1)?)?.as_ref()
    }

    /// What each region of another drawing is painted like here; regions whose counterparts have no paint are left out.
    fn told(&self, carried: Vec<Carried>) -> Vec<(u32, Paint)> {
        let one = |c: Carried| {
            let own = self.paint_of(c.from)?;
            // What would be painted the same is no doubt.
            let mut others: Vec<(&str, f64)> = own.swatches.iter().skip(1).map(|s| (s.as_str(), 0.0)).collect();
            let mut margin = f64::INFINITY;
            for (region, better) in &c.rivals {
                match region.map(|r| self.paint_of(r)) {
                    Some(Some(p)) if p.swatches.first() == own.swatches.first() => {}
                    Some(Some(p)) => {
                        margin = margin.min(*better);
                        others.extend(p.swatches.first().map(|s| (s.as_str(), *better)));
                    }
                    // It may be what has no paint there.
                    Some(None) | None => margin = margin.min(*better),
                }
            }
            others.sort_by(|a, b| a.1.total_cmp(&b.1));
            let (confidence, doubtful) =
                if c.rivals.is_empty() && c.doubtful { (c.confidence, true) } else { trusted(c.worth, margin) };
            let mut swatches: Vec<String> = own.swatches.iter().take(1).cloned().collect();
            // What is left without paint knowingly, or may be, is asked for its paint.
            if swatches.is_empty() && (doubtful || own.doubtful) {
                return None;
            }
            for (other, _) in others.into_iter().filter(|_| !own.swatches.is_empty()) {
                if swatches.len() < MOST_TOLD && !swatches.iter().any(|s| s == other) {
                    swatches.push(other.to_owned());
                }
            }
            Some((
                c.region,
                Paint {
                    swatches,
                    confidence: confidence.min(own.confidence),
                    doubtful: doubtful || own.doubtful,
                    carried: own.carried,
                },
            ))
        };
        carried.into_iter().filter_map(one).collect()
    }
}

/// The most swatches told of a region.
const MOST_TOLD: usize = 4;
/// What the farther of two drawings says outweighs the nearer from so much more confidence on.
const OUTWEIGHS: f64 = 0.25;

/// What two drawings say of a region, the nearer one first: what is firm goes before what is doubtful.
fn joined(near: Paint, far: Paint) -> Paint {
    let is_near = match (near.doubtful, far.doubtful) {
        (false, true) => true,
        (true, false) => false,
        _ => far.confidence - near.confidence < OUTWEIGHS,
    };
    let (mut best, next) = if is_near { (near, far) } else { (far, near) };
    if best.swatches.first() == next.swatches.first() {
        best.confidence = 1.0 - (1.0 - best.confidence) * (1.0 - next.confidence);
    } else {
        best.doubtful |= !next.doubtful || best.confidence - next.confidence < OUTWEIGHS;
    }
    for swatch in next.swatches {
        if best.swatches.len() < MOST_TOLD && !best.swatches.contains(&swatch) {
            best.swatches.push(swatch);
        }
    }
    best
}

/// What the regions of a drawing are to be painted, from painted ones of its shot: at most once for each region, by number. Of
/// the first, which is the nearest, all paint counts; of the others what somebody painted there.
pub fn propose(sources: &[&Painted], to: &Graph) -> Vec<(u32, Paint)> {
    let mut all: BTreeMap<u32, Paint> = BTreeMap::new();
    for (n, source) in sources.iter().enumerate() {
        let counts = |p: &Paint| n == 0 || !p.carried;
        for (region, paint) in source.told(carry(&source.graph, to)).into_iter().filter(|t| counts(&t.1)) {
            let told = match all.remove(&region) {
                Some(before) => joined(before, paint),
                None => paint,
            };
            all.insert(region, told);
        }
    }
    all.into_iter().collect()
}

/// The same as drops.
pub fn proposed_drops(sources: &[&Painted], scene: &Scene) -> Vec<CarriedDrop> {
    let graph = Graph::of(&scene.regions);
    let drop = |(region, paint): (u32, Paint)| {
        Some(CarriedDrop {
            at: scene.regions.get(region)?.seed,
            swatches: paint.swatches,
            confidence: (paint.confidence * 1e4).round() / 1e4,
            doubtful: paint.doubtful,
        })
    };
    propose(sources, &graph).into_iter().filter_map(drop).collect()
}
