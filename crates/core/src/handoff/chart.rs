//! The field chart: fields of a shape of 4 to 3 about the middle of the sheet, 12 or 16 of them.

use crate::geom::{Pt, pt};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A field is as wide as it is high times this.
const ASPECT: f64 = 4.0 / 3.0;

/// How many fields a chart has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Fields {
    None,
    #[default]
    Twelve,
    Sixteen,
}

/// A chart as it lies on a sheet.
#[derive(Debug, Clone, PartialEq)]
pub struct Chart {
    /// All it shows: x, y, width, height, px.
    pub part: [usize; 4],
    pub lines: Vec<Vec<Pt>>,
}

impl Chart {
    /// The largest chart that fits on a sheet of a size in px. Without fields it shows the whole sheet and has no lines.
    pub fn on(width: usize, height: usize, fields: Fields) -> Chart {
        let count = match fields {
            Fields::None => return Chart { part: [0, 0, width, height], lines: vec![] },
            Fields::Twelve => 12,
            Fields::Sixteen => 16,
        };
        let (w, h) = (width as f64, height as f64);
        let wide = w.min(h * ASPECT);
        let (cx, cy) = (w / 2.0, h / 2.0);
        let corner = |k: i32, sx: f64, sy: f64| {
            let half = wide * f64::from(k) / f64::from(count) / 2.0;
            pt(cx + sx * half, cy + sy * half / ASPECT)
        };
        let field = |k: i32| {
            let ring = [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0), (-1.0, -1.0)];
            ring.map(|(sx, sy)| corner(k, sx, sy)).to_vec()
        };
        let mut lines: Vec<Vec<Pt>> = (1..=count).map(field).collect();
        lines.push(vec![corner(count, -1.0, 0.0), corner(count, 1.0, 0.0)]);
        lines.push(vec![corner(count, 0.0, -1.0), corner(count, 0.0, 1.0)]);
        let (a, b) = (corner(count, -1.0, -1.0), corner(count, 1.0, 1.0));
        let [x0, y0] = [a.x, a.y].map(|v| v.round().max(0.0) as usize);
        let (x1, y1) = ((b.x.round() as usize).min(width), (b.y.round() as usize).min(height));
        Chart { part: [x0, y0, x1.saturating_sub(x0).max(1), y1.saturating_sub(y0).max(1)], lines }
    }
}
