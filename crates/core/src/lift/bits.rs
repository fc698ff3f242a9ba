//! Small pieces: stray ink on the paper (specks), stray paper in the ink (pinholes). Found once by runs of rows and
//! union-find (Rosenfeld and Pfaltz, "Sequential Operations in Digital Picture Processing", 1966), then taken away up
//! to any size.

use crate::forest::Forest;
use crate::geom::{Pt, pt};
use crate::raster::ink::IS_INK;
use crate::raster::plane::Plane;
use rayon::prelude::*;

#[derive(Debug, Clone, Copy)]
struct Run {
    y: u32,
    from: u32,
    to: u32,
}

/// A small piece: its pixels' count and its box (x0, y0, x1, y1, ends left out).
#[derive(Debug, Clone)]
pub struct Bit {
    pub area: u32,
    pub bounds: (u32, u32, u32, u32),
    runs: std::ops::Range<usize>,
}

impl Bit {
    /// The middle of its box.
    pub fn middle(&self) -> Pt {
        let (x0, y0, x1, y1) = self.bounds;
        pt(f64::from(x0 + x1) / 2.0, f64::from(y0 + y1) / 2.0)
    }

    /// Whether somebody points at it, a little beside it included.
    fn is_at(&self, p: Pt) -> bool {
        let (x0, y0, x1, y1) = self.bounds;
        let near = 4.0;
        (f64::from(x0) - near..=f64::from(x1) + near).contains(&p.x)
            && (f64::from(y0) - near..=f64::from(y1) + near).contains(&p.y)
    }
}

/// The pieces of a plane up to some size.
#[derive(Debug, Clone, Default)]
pub struct Bits {
    pub list: Vec<Bit>,
    runs: Vec<Run>,
    ink: bool,
}

/// The runs of a row whose pixels are ink (or paper), eight pixels at a time where they are alike.
fn runs_of_row(row: &[u8], y: u32, ink: bool, out: &mut Vec<Run>) {
    const HIGH: u64 = 0x8080_8080_8080_8080;
    let turn = if ink { 0 } else { HIGH };
    let mut from = None;
    let mut at = 0;
    while at < row.len() {
        if let Some(chunk) = row.get(at..at + 8) {
            let word = u64::from_le_bytes(chunk.try_into().unwrap_or_default()) & HIGH ^ turn;
            if word == 0 && from.is_none() || word == HIGH && from.is_some() {
                at += 8;
                continue;
            }
        }
        let is_in = (row[at] >= IS_INK) == ink;
        match (is_in, from) {
            (true, None) => from = Some(at),
            (false, Some(f)) => {
                out.push(Run { y, from: f as u32, to: at as u32 });
                from = None;
            }
            _ => {}
        }
        at += 1;
    }
    if let Some(f) = from {
        out.push(Run { y, from: f as u32, to: row.len() as u32 });
    }
}

/// All pieces of a plane: runs in reading order, the root of each run, and by root the area and whether it touches the
/// plane's border.
struct Pieces {
    runs: Vec<Run>,
    /// Where each row's runs begin, and the last row's end.
    rows: Vec<usize>,
    roots: Vec<u32>,
    area: Vec<u32>,
    border: Vec<bool>,
}

/// The pieces of ink (corners connect) or of paper (they do not).
fn pieces(alpha: &Plane<u8>, ink: bool) -> Pieces {
    let (w, h) = (alpha.width as u32, alpha.height);
    let parts: Vec<(Vec<Run>, Vec<usize>)> = alpha
        .data
        .par_chunks((alpha.width * 64).max(1))
        .enumerate()
        .map(|(part, rows)| {
            let (mut runs, mut ends) = (Vec::new(), Vec::new());
            for (i, row) in rows.chunks(alpha.width.max(1)).enumerate() {
                runs_of_row(row, (part * 64 + i) as u32, ink, &mut runs);
                ends.push(runs.len());
            }
            (runs, ends)
        })
        .collect();
    let mut runs: Vec<Run> = Vec::with_capacity(parts.iter().map(|p| p.0.len()).sum());
    let mut ends = vec![0];
    for (r, e) in parts {
        let before = runs.len();
        runs.extend(r);
        ends.extend(e.into_iter().map(|e| e + before));
    }
    let mut put = Forest::new(runs.len());
    let slack = u32::from(ink);
    for y in 1..h {
        let (mut k, above, end) = (ends[y - 1], ends[y], ends[y + 1]);
        for me in above..end {
            let run = runs[me];
            while k < above && runs[k].to + slack <= run.from {
                k += 1;
            }
            let mut j = k;
            while j < above && runs[j].from < run.to + slack {
                put.join(j, me);
                j += 1;
            }
        }
    }
    let roots = put.into_roots();
    let mut area = vec![0u32; runs.len()];
    let mut border = vec![false; runs.len()];
    for (i, run) in runs.iter().enumerate() {
        let r = roots[i];
        area[r as usize] += run.to - run.from;
        border[r as usize] |= run.y == 0 || run.y as usize + 1 == h || run.from == 0 || run.to == w;
    }
    Pieces { runs, rows: ends, roots, area, border }
}

/// The pieces of ink or of enclosed paper that have fewer than `limit` pixels. `open`: what touches the plane's border
/// goes on beyond it, so it is none.
pub fn bits(alpha: &Plane<u8>, ink: bool, limit: f64, open: bool) -> Bits {
    let Pieces { runs, roots, area, border, .. } = pieces(alpha, ink);
    // A hole at the sheet's border is no hole.
    let small = |r: usize| f64::from(area[r]) < limit && !(border[r] && (open || !ink));
    let mut of: Vec<(u32, Run)> =
        runs.iter().zip(&roots).filter(|(_, r)| small(**r as usize)).map(|(run, r)| (*r, *run)).collect();
    of.sort_by_key(|o| o.0);
    let mut out = Bits { list: Vec::new(), runs: of.iter().map(|o| o.1).collect(), ink };
    let mut at = 0;
    for group in of.chunk_by(|a, b| a.0 == b.0) {
        let mut bounds = (u32::MAX, u32::MAX, 0, 0);
        for (_, r) in group {
            bounds = (bounds.0.min(r.from), bounds.1.min(r.y), bounds.2.max(r.to), bounds.3.max(r.y + 1));
        }
        out.list.push(Bit { area: area[group[0].0 as usize], bounds, runs: at..at + group.len() });
        at += group.len();
    }
    out
}

/// The pieces of ink in which none of the places lies, nor beside it: true there.
pub fn unmet(ink: &Plane<u8>, places: impl Iterator<Item = (i64, i64)>) -> Plane<bool> {
    let Pieces { runs, rows, roots, .. } = pieces(ink, true);
    let mut met = vec![false; runs.len()];
    let mut meet = |x: i64, y: i64| {
        if x < 0 || y < 0 || y as usize + 1 >= rows.len() {
            return false;
        }
        let row = rows[y as usize]..rows[y as usize + 1];
        let k = row.start + runs[row.clone()].partition_point(|r| i64::from(r.to) <= x);
        let is_in = k < row.end && i64::from(runs[k].from) <= x;
        if is_in {
            met[roots[k] as usize] = true;
        }
        is_in
    };
    for (x, y) in places {
        if !meet(x, y) {
            (-1..=1).for_each(|dy| (-1..=1).for_each(|dx| _ = meet(x + dx, y + dy)));
        }
    }
    let mut out = Plane::new(ink.width, ink.height, false);
    for (run, r) in runs.iter().zip(&roots) {
        if !met[*r as usize] {
            let at = run.y as usize * ink.width;
            out.data[at + run.from as usize..at + run.to as usize].fill(true);
        }
    }
    out
}

/// The paper that is joined to the border of the plane: 255 there, 0 elsewhere.
pub fn outside(alpha: &Plane<u8>) -> Plane<u8> {
    let Pieces { runs, roots, border, .. } = pieces(alpha, false);
    let mut out = Plane::new(alpha.width, alpha.height, 0u8);
    for (run, r) in runs.iter().zip(&roots) {
        if border[*r as usize] {
            let at = run.y as usize * alpha.width;
            out.data[at + run.from as usize..at + run.to as usize].fill(255);
        }
    }
    out
}

impl Bits {
    /// Calls `see` with every pixel of a piece.
    pub fn each_pixel(&self, bit: &Bit, mut see: impl FnMut(usize, usize)) {
        for run in &self.runs[bit.runs.clone()] {
            (run.from..run.to).for_each(|x| see(x as usize, run.y as usize));
        }
    }

    /// How many pieces have at least `from` and fewer than `to` pixels, those at `protected` places left out.
    pub fn count(&self, from: f64, to: f64, protected: &[Pt]) -> usize {
        let counts = |b: &&Bit| (from..to).contains(&f64::from(b.area)) && !protected.iter().any(|&p| b.is_at(p));
        self.list.iter().filter(counts).count()
    }

    /// Takes the pieces under `limit` pixels away, those at `protected` places left out: specks go with their faint
    /// rims, pinholes fill. Gives the numbers of those that went.
    pub fn take_away(&self, alpha: &mut Plane<u8>, limit: f64, protected: &[Pt]) -> Vec<usize> {
        let (w, h) = (alpha.width, alpha.height);
        let mut gone = Vec::new();
        for (n, bit) in self.list.iter().enumerate() {
            if f64::from(bit.area) >= limit || protected.iter().any(|&p| bit.is_at(p)) {
                continue;
            }
            let runs = &self.runs[bit.runs.clone()];
            // A hole whose ink was a speck went with it.
            if !self.ink && alpha.data[runs[0].y as usize * w + runs[0].from as usize - 1] < IS_INK {
                continue;
            }
            gone.push(n);
            for run in runs {
                let (y, from, to) = (run.y as usize, run.from as usize, run.to as usize);
                for v in y.saturating_sub(2)..(y + 3).min(h) {
                    for u in from.saturating_sub(2)..(to + 2).min(w) {
                        let own = v == y && (from..to).contains(&u);
                        let here = &mut alpha.data[v * w + u];
                        if own || (*here < IS_INK) == self.ink {
                            *here = if self.ink { 0 } else { 255 };
                        }
                    }
                }
            }
        }
        gone
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::raster::components::components;

    use proptest::prelude::*;

    fn plane(rows: &[&str]) -> Plane<u8> {
        let data = rows.concat().bytes().map(|b| if b == b'#' { 255 } else { 0 }).collect();
        Plane { width: rows[0].len(), height: rows.len(), data }
    }

    #[test]
    fn specks_go_and_pinholes_fill_while_larger_things_stay() {
        let mut alpha = plane(&["........", ".#..###.", "....#.#.", "....###.", "........"]);
        let (specks, holes) = (bits(&alpha, true, 3.0, false), bits(&alpha, false, 2.0, false));
        assert_eq!(specks.take_away(&mut alpha, 3.0, &[]).len(), 1);
        assert_eq!(holes.take_away(&mut alpha, 2.0, &[]).len(), 1);
        assert_eq!(*alpha.at(1, 1), 0);
        assert_eq!(*alpha.at(5, 2), 255);
        assert_eq!(alpha.data.iter().filter(|&&a| a > 0).count(), 9);
    }

    #[test]
    fn a_protected_dot_stays() {
        let mut alpha = plane(&["............", ".##......##.", "............"]);
        let specks = bits(&alpha, true, 5.0, false);
        assert_eq!(specks.take_away(&mut alpha, 5.0, &[pt(2.0, 1.0)]), vec![1]);
        assert_eq!(alpha.data.iter().filter(|&&a| a > 0).count(), 2);
        assert_eq!(*alpha.at(1, 1), 255);
    }

    proptest! {
        #[test]
        fn the_small_pieces_are_those_that_labelling_finds(w in 1usize..30, h in 1usize..20, limit in 1u32..9, flags in proptest::collection::vec(proptest::bool::weighted(0.4), 600)) {
            let mask = Plane { width: w, height: h, data: flags[..w * h].to_vec() };
            let alpha = mask.map(|&b| if b { 200u8 } else { 40 });
            let mut areas: Vec<usize> = bits(&alpha, true, f64::from(limit), false).list.iter().map(|b| b.area as usize).collect();
            let mut expected: Vec<usize> = components(&mask, true).1.iter().map(|c| c.area).filter(|&a| a < limit as usize).collect();
            areas.sort_unstable();
            expected.sort_unstable();
            prop_assert_eq!(areas, expected);
            let paper = mask.map(|&b| !b);
            let mut holes: Vec<usize> = bits(&alpha, false, f64::from(limit), false).list.iter().map(|b| b.area as usize).collect();
            let mut expected: Vec<usize> = components(&paper, false).1.iter()
                .filter(|c| c.bounds.0 > 0 && c.bounds.1 > 0 && c.bounds.2 < w && c.bounds.3 < h)
                .map(|c| c.area).filter(|&a| a < limit as usize).collect();
            holes.sort_unstable();
            expected.sort_unstable();
            prop_assert_eq!(holes, expected);
        }
    }
}
