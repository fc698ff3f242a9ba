//! Touch-up: areas painted by hand on a sheet, where the one setting does not serve or where weight is wanted.

use crate::geom::{Bounds, Pt, nearest_on_segment, pt};
use crate::model::by_hand::{Effect, Touch};
use crate::model::numbered::Numbered;
use crate::raster::plane::Plane;

/// What the brush leaves at a distance from the stroke's middle, 0 to 1.
fn left_at(touch: &Touch, d: f64) -> f64 {
    let r = (touch.size / 2.0).max(0.5);
    let core = r * touch.hardness;
    if d >= r + 0.5 {
        0.0
    } else if d <= core - 0.5 {
        touch.strength
    } else {
        // At least one pixel of fall-off, so that a hard rim is smooth.
        let soft = (r - core).max(1.0);
        let t = ((r + if r - core < 1.0 { 0.5 } else { 0.0 } - d) / soft).clamp(0.0, 1.0);
        touch.strength * t * t * (3.0 - 2.0 * t)
    }
}

fn paint(touch: &Touch, mask: &mut Plane<u8>) {
    let r = touch.size / 2.0 + 1.0;
    let segments: Vec<[Pt; 2]> =
        if let [p] = touch.path[..] { vec![[p, p]] } else { touch.path.windows(2).map(|w| [w[0], w[1]]).collect() };
    // One stroke counts once where it crosses itself: the strongest of it is put over what was there.
    let all = Bounds::of(&touch.path).grown(r);
    let (x0, y0, x1, y1) = all.pixels(mask.width, mask.height);
    if x1 <= x0 || y1 <= y0 {
        return;
    }
    let mut own = Plane::new(x1 - x0, y1 - y0, 0u8);
    for [a, b] in segments {
        let (u0, v0, u1, v1) = Bounds::of([&a, &b]).grown(r).pixels(mask.width, mask.height);
        for y in v0..v1 {
            for x in u0..u1 {
                let p = pt(x as f64 + 0.5, y as f64 + 0.5);
                let d = p.dist(a.lerp(b, nearest_on_segment(p, a, b)));
                let here = &mut own.data[(y - y0) * (x1 - x0) + x - x0];
                *here = (*here).max((left_at(touch, d) * 255.0 + 0.5) as u8);
            }
        }
    }
    for y in y0..y1 {
        for x in x0..x1 {
            let s = u32::from(*own.at(x - x0, y - y0));
            let here = &mut mask.data[y * mask.width + x];
            let old = u32::from(*here);
            // Overlapping strokes add up towards full, and take off towards none.
            *here = if touch.takes_off { (old * (255 - s) / 255) as u8 } else { (old + (255 - old) * s / 255) as u8 };
        }
    }
}

/// The area painted for an effect, 0 to 255; `None` if nothing is painted for it.
pub fn area(
    touches: &[Numbered<Touch>],
    inverted: &[Effect],
    effect: Effect,
    width: usize,
    height: usize,
) -> Option<Plane<u8>> {
    let turned = inverted.contains(&effect);
    if !turned && !touches.iter().any(|t| t.effect == effect) {
        return None;
    }
    let mut mask = Plane::new(width, height, 0u8);
    touches.iter().filter(|t| t.effect == effect).for_each(|t| paint(t, &mut mask));
    if turned {
        mask.data.iter_mut().for_each(|m| *m = 255 - *m);
    }
    Some(mask)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::numbered::numbered;

    fn dab(x: f64, size: f64, hardness: f64) -> Touch {
        Touch { effect: Effect::More, path: vec![pt(x, 30.0)], size, hardness, strength: 1.0, takes_off: false }
    }

    #[test]
    fn a_hard_brush_ends_at_its_rim_and_a_soft_one_falls_off() {
        let hard = area(&numbered([dab(30.5, 20.0, 1.0)]), &[], Effect::More, 60, 60).unwrap();
        let soft = area(&numbered([dab(30.5, 20.0, 0.0)]), &[], Effect::More, 60, 60).unwrap();
        assert_eq!([*hard.at(30, 30), *hard.at(37, 30), *hard.at(42, 30)], [255, 255, 0]);
        assert!(*soft.at(30, 30) > 240 && (90..165).contains(soft.at(35, 30)) && *soft.at(41, 30) == 0);
    }

    #[test]
    fn a_painted_area_can_be_taken_off_and_turned_about() {
        let off = Touch { takes_off: true, ..dab(30.5, 10.0, 1.0) };
        let both = numbered([dab(30.5, 20.0, 1.0), off]);
        let ring = area(&both, &[], Effect::More, 60, 60).unwrap();
        assert_eq!([*ring.at(30, 30), *ring.at(37, 30)], [0, 255]);
        let rest = area(&both, &[Effect::More], Effect::More, 60, 60).unwrap();
        assert!(ring.data.iter().zip(&rest.data).all(|(a, b)| a + b == 255));
        assert!(area(&both, &[], Effect::Less, 60, 60).is_none());
    }
}
