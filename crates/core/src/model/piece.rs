//! Pixels of lifted ink that were put elsewhere: kept as they were lifted, with the map that leads them to where they lie.
//! However often a piece is moved, it is resampled once.

use crate::geom::homography::Homography;
use crate::geom::{Bounds, Pt, pt};
use crate::raster::plane::{Plane, Rgb};
use crate::raster::strokes::{Area, common};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use miniz_oxide::deflate::compress_to_vec_zlib;
use miniz_oxide::inflate::decompress_to_vec_zlib_with_limit;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// The most pixels of a piece: those of the largest sheet.
const MOST_PIXELS: usize = 400_000_000;
/// How hard stored pixels are packed: as quick as it gets, mostly bare as they are.
const PACKED: u8 = 1;
/// The most samples for a pixel, each way, where a piece is made smaller.
const MOST_SAMPLES: usize = 8;

/// Coverage of some pixels, and their colours where ink keeps its own.
#[derive(Debug, PartialEq)]
pub struct Pixels {
    pub alpha: Plane<u8>,
    pub colours: Option<Plane<Rgb>>,
}

/// A piece of lifted ink: its pixels, where they were lifted from, and where they lie now.
#[derive(Debug, Clone, Serialize, Deserialize, TS)]
pub struct Piece {
    /// Column and row of its first pixel where it was lifted.
    pub from: [usize; 2],
    #[serde(with = "stored")]
    #[ts(type = "unknown")]
    pub pixels: Arc<Pixels>,
    /// Where a place of the sheet it was lifted from lies now: x' = a x + b y + c, y' = d x + e y + f.
    pub map: [f64; 6],
}

impl PartialEq for Piece {
    fn eq(&self, other: &Piece) -> bool {
        let is_same = Arc::ptr_eq(&self.pixels, &other.pixels) || self.pixels == other.pixels;
        self.from == other.from && self.map == other.map && is_same
    }
}

impl Piece {
    fn way(&self) -> Homography {
        Homography::affine(self.map)
    }

    fn corners(&self) -> [Pt; 4] {
        let (x, y) = (self.from[0] as f64, self.from[1] as f64);
        let (w, h) = (self.pixels.alpha.width as f64, self.pixels.alpha.height as f64);
        [pt(x, y), pt(x + w, y), pt(x + w, y + h), pt(x, y + h)].map(|p| self.way().map(p))
    }

    /// The box of pixels that it may cover.
    pub fn bounds(&self) -> Bounds {
        Bounds::of(&self.corners()).grown(1.0)
    }

    /// The same led on by a map; one that is not affine as it is about the piece's middle.
    pub fn mapped(&self, go: impl Fn(Pt) -> Pt) -> Piece {
        let [a, b, c, d] = self.corners();
        let middle = a.lerp(c, 0.5);
        let (right, low) = (b.lerp(c, 0.5), c.lerp(d, 0.5));
        let at = go(middle);
        let (u, v) = (right - middle, low - middle);
        let (u2, v2) = (go(right) - at, go(low) - at);
        let det = u.cross(v);
        // The linear part that takes u to u2 and v to v2.
        let row = |p: f64, q: f64| [(p * v.y - q * u.y) / det, (q * u.x - p * v.x) / det];
        let ([m00, m01], [m10, m11]) = (row(u2.x, v2.x), row(u2.y, v2.y));
        let led = [m00, m01, at.x - m00 * middle.x - m01 * middle.y, m10, m11, at.y - m10 * middle.x - m11 * middle.y];
        Piece { map: composed(led, self.map), ..self.clone() }
    }

    /// The same led on by an affine map.
    pub fn led(&self, map: [f64; 6]) -> Piece {
        Piece { map: composed(map, self.map), ..self.clone() }
    }

    /// Puts it over `alpha` within an area: each pixel keeps the greater coverage. `seen` is told the pixels it shows in, with
    /// the place in the piece.
    fn put(&self, alpha: &mut Plane<u8>, area: Area, mut seen: impl FnMut(usize, usize, Pt)) {
        let Some(back) = self.way().inverse() else { return };
        let source = &self.pixels.alpha;
        let (x0, y0, x1, y1) = common(self.bounds().pixels(alpha.width, alpha.height), area);
        let origin = pt(self.from[0] as f64, self.from[1] as f64);
        let [a, b, _, d, e, _] = self.map;
        let scale = (a * e - b * d).abs().sqrt();
        let n = ((1.0 / scale).ceil() as usize).clamp(1, MOST_SAMPLES);
        let (w, h) = (source.width as f64, source.height as f64);
        for y in y0..y1 {
            for x in x0..x1 {
                let mut sum = 0.0;
                for k in 0..n * n {
                    let aside = |k: usize| (k as f64 + 0.5) / n as f64;
                    let p = back.map(pt(x as f64 + aside(k % n), y as f64 + aside(k / n))) - origin;
                    // Nothing lies outside: the border's own half pixel fades out.
                    let inside = (p.x + 0.5).min(w + 0.5 - p.x).min(p.y + 0.5).min(h + 0.5 - p.y).clamp(0.0, 1.0);
                    if inside > 0.0 {
                        sum += inside * source.sample(p.x, p.y);
                    }
                }
                let cover = (sum / (n * n) as f64).round() as u8;
                if cover == 0 {
                    continue;
                }
                let here = &mut alpha.data[y * alpha.width + x];
                if cover >= *here {
                    *here = cover;
                    seen(x, y, back.map(pt(x as f64 + 0.5, y as f64 + 0.5)) - origin);
                }
            }
        }
    }

    /// Puts its coverage over `alpha` within an area.
    pub fn apply_in(&self, alpha: &mut Plane<u8>, area: Area) {
        self.put(alpha, area, |_, _, _| {});
    }

    /// Its colours over those of a part of the sheet that begins at a pixel, where it shows over the coverage there.
    pub fn colour(&self, own: &mut Plane<Rgb>, cover: &mut Plane<u8>, [x0, y0]: [usize; 2]) {
        let by = [1.0, 0.0, -(x0 as f64), 0.0, 1.0, -(y0 as f64)];
        let area = (0, 0, cover.width, cover.height);
        let Some(colours) = &self.pixels.colours else { return };
        self.led(by).put(cover, area, |x, y, p| {
            let at = |v: f64, n: usize| (v.max(0.0) as usize).min(n - 1);
            own.set(x, y, *colours.at(at(p.x, colours.width), at(p.y, colours.height)));
        });
    }
}

/// First `first`, then `then`.
fn composed(then: [f64; 6], first: [f64; 6]) -> [f64; 6] {
    let ([a, b, c, d, e, f], [g, h, i, j, k, l]) = (then, first);
    [a * g + b * j, a * h + b * k, a * i + b * l + c, d * g + e * j, d * h + e * k, d * i + e * l + f]
}

/// Pixels as they are stored: their size, and their values packed (zlib, base64).
mod stored {
    use super::*;
    use serde::de::Error as _;
    use serde::{Deserializer, Serializer};

    #[derive(Serialize, Deserialize)]
    struct Packed {
        width: usize,
        height: usize,
        alpha: String,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        colours: Option<String>,
    }

    fn packed(bytes: &[u8]) -> String {
        STANDARD.encode(compress_to_vec_zlib(bytes, PACKED))
    }

    fn unpacked(text: &str, size: usize) -> Result<Vec<u8>, &'static str> {
        let bytes = STANDARD.decode(text).map_err(|_| "the pixels of a piece are damaged")?;
        let out = decompress_to_vec_zlib_with_limit(&bytes, size).map_err(|_| "the pixels of a piece are damaged")?;
        if out.len() == size { Ok(out) } else { Err("a piece has not the pixels of its size") }
    }

    pub fn serialize<S: Serializer>(pixels: &Arc<Pixels>, to: S) -> Result<S::Ok, S::Error> {
        let Pixels { alpha, colours } = &**pixels;
        Packed {
            width: alpha.width,
            height: alpha.height,
            alpha: packed(&alpha.data),
            colours: colours.as_ref().map(|c| packed(c.data.as_flattened())),
        }
        .serialize(to)
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Arc<Pixels>, D::Error> {
        let Packed { width, height, alpha, colours } = Packed::deserialize(from)?;
        let size = width.checked_mul(height).filter(|n| (1..=MOST_PIXELS).contains(n));
        let size = size.ok_or_else(|| D::Error::custom("a piece has no pixels, or too many"))?;
        let plane = |data| Plane { width, height, data };
        let alpha = plane(unpacked(&alpha, size).map_err(D::Error::custom)?);
        let colours = match colours {
            None => None,
            Some(text) => {
                let bytes = unpacked(&text, 3 * size).map_err(D::Error::custom)?;
                Some(Plane { width, height, data: bytes.chunks_exact(3).map(|c| [c[0], c[1], c[2]]).collect() })
            }
        };
        Ok(Arc::new(Pixels { alpha, colours }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn piece(map: [f64; 6]) -> Piece {
        let mut alpha = Plane::new(12, 9, 0u8);
        for (k, a) in alpha.data.iter_mut().enumerate() {
            *a = (k * 37 % 256) as u8;
        }
        let colours = alpha.map(|&a| [a, 255 - a, 7]);
        Piece { from: [20, 30], pixels: Arc::new(Pixels { alpha, colours: Some(colours) }), map }
    }

    #[test]
    fn a_piece_moved_by_whole_pixels_keeps_each_of_them() {
        let p = piece([1.0, 0.0, 15.0, 0.0, 1.0, -7.0]);
        let mut out = Plane::new(80, 60, 0u8);
        p.apply_in(&mut out, (0, 0, 80, 60));
        for y in 0..9 {
            for x in 0..12 {
                assert_eq!(out.at(20 + 15 + x, 30 - 7 + y), p.pixels.alpha.at(x, y));
            }
        }
        assert_eq!(out.data.iter().filter(|&&a| a > 0).count(), p.pixels.alpha.data.iter().filter(|&&a| a > 0).count());
        let (mut own, mut cover) = (Plane::new(30, 30, [0u8; 3]), Plane::new(30, 30, 0u8));
        p.colour(&mut own, &mut cover, [30, 20]);
        assert_eq!(*own.at(5 + 3, 3 + 2), *p.pixels.colours.as_ref().unwrap().at(3, 2));
    }

    #[test]
    fn its_parts_are_the_parts_of_its_whole() {
        let (s, c) = 0.4f64.sin_cos();
        for scale in [0.3, 1.0, 1.7] {
            let p = piece([scale * c, -scale * s, 30.0, scale * s, scale * c, 2.0]);
            let mut whole = Plane::new(100, 90, 0u8);
            p.apply_in(&mut whole, (0, 0, 100, 90));
            let mut parts = Plane::new(100, 90, 0u8);
            for (x, y) in [(0, 0), (50, 0), (0, 45), (50, 45)] {
                p.apply_in(&mut parts, (x, y, x + 50, y + 45));
            }
            assert_eq!(whole, parts);
            // As much ink as the map makes of it, but for what fades at the border.
            let ink = |plane: &Plane<u8>| plane.data.iter().map(|&a| f64::from(a)).sum::<f64>();
            let share = ink(&whole) / ink(&p.pixels.alpha) / (scale * scale);
            assert!((0.85..1.15).contains(&share), "{share} at {scale}");
        }
    }

    #[test]
    fn it_comes_back_from_what_is_stored_and_what_is_damaged_does_not() {
        let p = piece([1.5, 0.0, 3.0, 0.25, 1.0, 4.0]);
        let text = serde_json::to_string(&p).unwrap();
        assert_eq!(serde_json::from_str::<Piece>(&text).unwrap(), p);
        for damaged in [text.replace("\"width\":12", "\"width\":13"), text.replace("\"height\":9", "\"height\":0")] {
            assert!(serde_json::from_str::<Piece>(&damaged).is_err());
        }
    }

    #[test]
    fn a_map_that_is_followed_by_another_is_led_by_both() {
        let p = piece([1.0, 0.0, 5.0, 0.0, 1.0, 0.0]);
        let turn = [0.0, -1.0, 90.0, 1.0, 0.0, 0.0];
        let by_points = p.mapped(|q| pt(-q.y + 90.0, q.x));
        let led = p.led(turn);
        for (a, b) in by_points.map.iter().zip(led.map) {
            assert!((a - b).abs() < 1e-9);
        }
    }
}
