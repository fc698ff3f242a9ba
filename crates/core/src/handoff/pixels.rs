//! Layers as pixels at the size that is asked for.
//!
//! Ink is made larger and smaller by cubic convolution (Keys 1981, a = -1/2), weighed with its alpha, so that nothing of
//! the colour of clear pixels shows; paint by the nearest pixel, since where two paints meet each pixel is one of them.

use super::layers::{HandOff, InkEdge, Layer, What};
use crate::error::Error;
use crate::geom::flat::FlatPoint;
use crate::geom::{Bounds, Pt, pt};
use crate::model::paint::colour_of;
use crate::raster::plane::{Plane, Rgb};
use crate::raster::strokes::stroke;

/// A layer's pixels where there are any: at x, y of the picture.
#[derive(Debug, Clone, PartialEq)]
pub struct Picture {
    pub at: [usize; 2],
    pub pixels: Plane<[u8; 4]>,
}

/// From this alpha on a pixel of a crisp picture is ink.
const CRISP: u8 = 128;
/// Colours of what is not the drawing itself.
const SEAM: Rgb = [0x6A, 0x4A, 0x80];
const CHART: Rgb = [0x3B, 0x6F, 0xA5];
/// How broad their lines are, in parts of an inch; at least a pixel.
const LINE: f64 = 1.0 / 150.0;
/// How large the ring of a note is, in parts of an inch.
const RING: f64 = 1.0 / 12.0;

/// Puts one pixel over another, both with their own alpha.
#[inline]
pub fn over(top: [u8; 4], under: [u8; 4]) -> [u8; 4] {
    let (a, b) = (u32::from(top[3]), u32::from(under[3]));
    let out = a * 255 + b * (255 - a);
    if out == 0 {
        return [0; 4];
    }
    let mix = |k: usize| (u32::from(top[k]) * a * 255 + u32::from(under[k]) * b * (255 - a) + out / 2) / out;
    [mix(0) as u8, mix(1) as u8, mix(2) as u8, ((out + 127) / 255) as u8]
}

impl HandOff<'_> {
    /// The column or row of the sheet that one of the picture shows.
    fn source(&self, k: usize, along: usize) -> usize {
        let part = self.part();
        part[along] + (((2 * k + 1) * part[along + 2]) / (2 * self.size()[along])).min(part[along + 2] - 1)
    }

    fn sources(&self) -> [Vec<usize>; 2] {
        let size = self.size();
        [0, 1].map(|along| (0..size[along]).map(|k| self.source(k, along)).collect())
    }

    /// A layer's pixels, cut to where there are any; `None`: it shows nothing. Errors: pixels that cannot be resampled.
    pub fn pixels(&self, layer: &Layer) -> Result<Option<Picture>, Error> {
        Ok(cut(&self.whole(&layer.what)?))
    }

    /// A layer's pixels all over the picture.
    pub fn whole(&self, what: &What) -> Result<Plane<[u8; 4]>, Error> {
        Ok(match what {
            What::Ink | What::LineColours => {
                let mut ink = self.all_ink()?.clone();
                if let Some(coloured) = &self.line_coloured {
                    let [columns, rows] = self.sources();
                    let wanted = *what == What::LineColours;
                    for (y, row) in ink.data.chunks_mut(columns.len()).enumerate() {
                        for (p, &x) in row.iter_mut().zip(&columns) {
                            if *coloured.at(x, rows[y]) != wanted {
                                *p = [0; 4];
                            }
                        }
                    }
                }
                ink
            }
            What::Paint(name) => {
                let wanted = self.paints.iter().position(|p| p == name).map_or(u16::MAX, |k| k as u16 + 1);
                let [r, g, b] = colour_of(&self.colours.swatches, name).unwrap_or_default();
                let painted = self.scene.regions.iter().filter(|region| self.paint_of[region.id as usize] == wanted);
                let within = Bounds::of(painted.flat_map(|region| region.rings.iter().flatten()));
                self.of_paint(&|paint| if paint == wanted { [r, g, b, 255] } else { [0; 4] }, &within.grown(2.0))
            }
            What::Seams => {
                let seams = self.sheet.lines.iter().filter(|l| l.is_seam());
                let paths = seams.map(|l| l.flat(0.1).iter().map(|f| f.p).collect());
                self.drawn(paths.map(|path: Vec<Pt>| (path, SEAM)))
            }
            What::Notes => {
                let ring = |at: Pt| {
                    let r = RING * self.sheet.dpi / 2.0;
                    let on = |k: i32| {
                        let (s, c) = (f64::from(k) * std::f64::consts::TAU / 24.0).sin_cos();
                        at + pt(c, s) * r
                    };
                    (0..=24).map(on).collect()
                };
                self.drawn(self.notes.iter().map(|n| (ring(n.at), n.colour())))
            }
            What::Chart => self.drawn(self.chart.lines.iter().map(|path| (path.clone(), CHART))),
        })
    }

    /// Lines that are not ink, in their colours.
    fn drawn(&self, paths: impl Iterator<Item = (Vec<Pt>, Rgb)>) -> Plane<[u8; 4]> {
        let [w, h] = self.size();
        let [x, y, part_w, _] = self.part();
        let scale = w as f64 / part_w as f64;
        let width = (LINE * self.dpi()).max(1.0);
        let mut out = Plane::new(w, h, [0u8; 4]);
        let mut of_one: Vec<(Rgb, Plane<u8>)> = Vec::new();
        for (path, colour) in paths {
            let place = |p: &Pt| FlatPoint { p: (*p - pt(x as f64, y as f64)) * scale, width };
            let flat: Vec<FlatPoint> = path.iter().map(place).collect();
            let k = of_one.iter().position(|o| o.0 == colour).unwrap_or_else(|| {
                of_one.push((colour, Plane::new(w, h, 0)));
                of_one.len() - 1
            });
            stroke(&mut of_one[k].1, &flat);
        }
        for ([r, g, b], cover) in of_one {
            for (p, &a) in out.data.iter_mut().zip(&cover.data).filter(|(_, a)| **a > 0) {
                *p = over([r, g, b, a], *p);
            }
        }
        out
    }

    /// A picture of the paint by the number of its name, looked for within a box of the sheet.
    fn of_paint(&self, colour: &dyn Fn(u16) -> [u8; 4], within: &Bounds) -> Plane<[u8; 4]> {
        let [w, h] = self.size();
        let [columns, rows] = self.sources();
        let by_region: Vec<[u8; 4]> = self.paint_of.iter().map(|&p| colour(p)).collect();
        let labels = &self.scene.regions.labels;
        let mut out = Plane::new(w, h, [0u8; 4]);
        let span = |of: &[usize], from: f64, to: f64| {
            let start = of.partition_point(|&k| (k as f64) < from);
            start..of.partition_point(|&k| k as f64 <= to).max(start)
        };
        let across = span(&columns, within.min.x, within.max.x);
        for y in span(&rows, within.min.y, within.max.y) {
            let row = &mut out.data[y * w..(y + 1) * w];
            let y = rows[y];
            for (p, &x) in row[across.clone()].iter_mut().zip(&columns[across.clone()]) {
                let c = by_region[usize::from(*labels.at(x, y))];
                if c[3] > 0 && self.untucked.as_ref().is_none_or(|u| !*u.at(x, y)) {
                    *p = c;
                }
            }
        }
        out
    }

    /// All paint.
    pub fn all_paint(&self) -> Plane<[u8; 4]> {
        let of = |p: u16| {
            let name = self.paints.get(usize::from(p).wrapping_sub(1))?;
            let [r, g, b] = colour_of(&self.colours.swatches, name)?;
            Some([r, g, b, 255])
        };
        let [x, y, w, h] = self.part().map(|v| v as f64);
        let whole = Bounds { min: pt(x, y), max: pt(x + w, y + h) };
        self.of_paint(&|p| of(p).unwrap_or_default(), &whole)
    }

    /// All ink in its colours; made once.
    pub fn all_ink(&self) -> Result<&Plane<[u8; 4]>, Error> {
        self.sized.get_or_init(|| self.sized_ink()).as_ref().map_err(Clone::clone)
    }

    fn sized_ink(&self) -> Result<Plane<[u8; 4]>, Error> {
        let ink = &self.ink;
        let [x0, y0, w, h] = self.part();
        let size = self.size();
        let mut out = Plane::new(w, h, [0u8; 4]);
        for y in 0..h {
            for x in 0..w {
                let a = *ink.alpha.at(x0 + x, y0 + y);
                if a > 0 {
                    let [r, g, b] = ink.colour_at(x0 + x, y0 + y);
                    out.set(x, y, [r, g, b, a]);
                }
            }
        }
        if size != [w, h] {
            out = resampled(out, size)?;
        }
        if self.leaving.edge == InkEdge::Crisp {
            for p in &mut out.data {
                *p = if p[3] >= CRISP { [p[0], p[1], p[2], 255] } else { [0; 4] };
            }
        }
        Ok(out)
    }

    /// All that is shown, on the backdrop if there is one.
    pub fn composed(&self) -> Result<Plane<[u8; 4]>, Error> {
        let mut out = self.all_paint();
        let ink = self.all_ink()?;
        let backdrop = self.leaving.backdrop.map(|[r, g, b]| [r, g, b, 255]);
        for (p, &i) in out.data.iter_mut().zip(&ink.data) {
            *p = over(i, backdrop.map_or(*p, |b| over(*p, b)));
        }
        Ok(out)
    }
}

fn resampled(plane: Plane<[u8; 4]>, [w, h]: [usize; 2]) -> Result<Plane<[u8; 4]>, Error> {
    let pixels = rhizograph_resample::resampled(plane.data, [plane.width, plane.height], [w, h]);
    let data = pixels.ok_or(Error::Mismatch("this picture cannot be made in that size"))?;
    Ok(Plane { width: w, height: h, data })
}

/// A picture cut to where there is anything.
fn cut(whole: &Plane<[u8; 4]>) -> Option<Picture> {
    let seen = |row: &[[u8; 4]]| {
        let first = row.iter().position(|p| p[3] > 0)?;
        Some((first, row.iter().rposition(|p| p[3] > 0)? + 1))
    };
    let (mut x0, mut x1, mut y0, mut y1) = (usize::MAX, 0, usize::MAX, 0);
    for (y, row) in whole.data.chunks(whole.width.max(1)).enumerate() {
        if let Some((a, b)) = seen(row) {
            (x0, x1, y0, y1) = (x0.min(a), x1.max(b), y0.min(y), y + 1);
        }
    }
    (x0 < x1).then(|| Picture { at: [x0, y0], pixels: whole.part([x0, y0, x1 - x0, y1 - y0]) })
}
