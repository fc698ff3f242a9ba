//! What the points cost and leave: thin lines lost, pencil left.
//!
//! The sheet is surveyed once, at the most generous points that leave bare paper bare: the middles of its thin lines
//! and its bits of pencil are noted with their coverage and the height of their line. Any points can then be judged by
//! looking those few up in their table, fast enough for a slider.

use super::bits::bits;
use super::coverage::Coverage;
use super::points::{Table, apply, generous};
use crate::model::recipe::Edge;
use crate::raster::ink::IS_INK;
use crate::raster::plane::Plane;
use rayon::prelude::*;
use serde::Serialize;
use ts_rs::TS;

/// Lines up to this are thin, mm.
const THIN: f64 = 0.6;
/// Pieces under this are dust, not lines, mm².
const DUST: f64 = 0.12;
/// From this mean amount taken out on (of 255) a piece is pencil.
const IS_PENCIL: u32 = 10;
/// Columns looked through at a time.
const COLUMNS: usize = 256;
/// No more marks than this are told.
const MOST_MARKS: usize = 300;

#[derive(Debug, Clone, Copy)]
struct Spot {
    x: u32,
    y: u32,
    coverage: u8,
    peak: u8,
}

impl Spot {
    fn is_ink(&self, table: &Table) -> bool {
        table.alpha(self.peak, self.coverage) >= IS_INK
    }
}

/// The thin lines and the pencil of a sheet.
#[derive(Debug, Clone, Default)]
pub struct Survey {
    thin: Vec<Spot>,
    pencil: Vec<Vec<Spot>>,
    /// Bits smaller than this go as specks, px.
    dust: usize,
}

/// What some points cost and leave.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Trade {
    /// The share of thin lines that is lost, 0 to 1.
    pub thin_lost: f64,
    /// How many bits of pencil are left.
    pub pencil_left: usize,
    /// Some of the places where a thin line is lost, px.
    pub lost: Vec<[u32; 2]>,
    /// Some of the places where pencil is left, px.
    pub left: Vec<[u32; 2]>,
}

impl Survey {
    /// Looks a sheet over. `dpi`: pixels an inch.
    pub fn of(coverage: &Coverage, peaks: &Plane<u8>, dpi: f64) -> Survey {
        let table = Table::new(generous(&coverage.histogram), Edge::Crisp, 0.0);
        let mut alpha = Plane::new(peaks.width, peaks.height, 0u8);
        apply(&coverage.plane, peaks, &table, &mut alpha);
        let px = dpi / 25.4;
        let (w, h) = (alpha.width, alpha.height);
        let spot = |x: usize, y: usize| Spot {
            x: x as u32,
            y: y as u32,
            coverage: *coverage.plane.at(x, y),
            peak: *peaks.at(x, y),
        };
        let pieces = bits(&alpha, true, f64::INFINITY, false);
        let mut survey = Survey { dust: (DUST * px * px) as usize, ..Survey::default() };
        for bit in &pieces.list {
            let (mut taken, mut n) = (0u32, 0u32);
            pieces.each_pixel(bit, |x, y| {
                taken += u32::from(*coverage.removed.at(x, y));
                n += 1;
            });
            if (n as usize) < survey.dust {
                pieces.each_pixel(bit, |x, y| alpha.set(x, y, 0));
            } else if taken > n * IS_PENCIL {
                let mut spots = Vec::with_capacity(n as usize);
                pieces.each_pixel(bit, |x, y| {
                    spots.push(spot(x, y));
                    alpha.set(x, y, 0);
                });
                survey.pencil.push(spots);
            }
        }
        // A thin line is met across its width by a short run of a row or of a column.
        let widest = (THIN * px).round().max(2.0) as usize;
        let best = |run: &mut dyn Iterator<Item = (usize, usize)>| {
            run.max_by_key(|&(x, y)| *coverage.plane.at(x, y)).map(|(x, y)| spot(x, y))
        };
        let by_rows = (0..h).into_par_iter().flat_map_iter(|y| {
            let mut from = None;
            alpha.row(y).iter().enumerate().filter_map(move |(x, &a)| {
                let started: Option<usize> = from;
                match a >= IS_INK {
                    true => {
                        from = started.or(Some(x));
                        None
                    }
                    false => {
                        from = None;
                        let f = started.filter(|&f| x - f <= widest && f > 0)?;
                        best(&mut (f..x).map(|x| (x, y)))
                    }
                }
            })
        });
        survey.thin = by_rows.collect();
        // Columns side by side, so that the plane is read in its order.
        let by_columns = (0..w.div_ceil(COLUMNS)).into_par_iter().flat_map_iter(|block| {
            let (x0, x1) = (block * COLUMNS, ((block + 1) * COLUMNS).min(w));
            let mut from = [usize::MAX; COLUMNS];
            let mut found: Vec<Spot> = Vec::new();
            for y in 0..h {
                for (from, (x, &a)) in from.iter_mut().zip((x0..x1).zip(&alpha.row(y)[x0..x1])) {
                    match (a >= IS_INK, *from) {
                        (true, usize::MAX) => *from = y,
                        (false, f) if f != usize::MAX => {
                            if y - f <= widest && f > 0 {
                                found.extend(best(&mut (f..y).map(|y| (x, y))));
                            }
                            *from = usize::MAX;
                        }
                        _ => {}
                    }
                }
            }
            found
        });
        survey.thin.par_extend(by_columns);
        survey
    }

    /// What these points would cost and leave.
    pub fn judge(&self, table: &Table) -> Trade {
        let lost: Vec<&Spot> = self.thin.iter().filter(|s| !s.is_ink(table)).collect();
        let left: Vec<&Vec<Spot>> = self
            .pencil
            .iter()
            .filter(|bit| bit.iter().filter(|s| s.is_ink(table)).count() >= self.dust.max(1))
            .collect();
        let spread = |n: usize| n.div_ceil(MOST_MARKS).max(1);
        Trade {
            thin_lost: lost.len() as f64 / self.thin.len().max(1) as f64,
            pencil_left: left.len(),
            lost: lost.iter().step_by(spread(lost.len())).map(|s| [s.x, s.y]).collect(),
            left: left.iter().step_by(spread(left.len())).map(|b| [b[b.len() / 2].x, b[b.len() / 2].y]).collect(),
        }
    }
}
