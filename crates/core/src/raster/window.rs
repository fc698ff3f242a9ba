//! Windows: a part of a sheet at the size it is looked at.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A part of a sheet at a size: every `2^level` pixels are one; px of the sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct Window {
    pub x: usize,
    pub y: usize,
    pub width: usize,
    pub height: usize,
    pub level: u32,
}

/// Windows start on this grid, px, so that a part is computed just as the whole is.
const ALIGNED: usize = 16;

impl Window {
    /// Kept on a sheet of that size, and to a level that makes sense.
    pub fn on(self, width: usize, height: usize) -> Window {
        let (x, y) = (self.x.min(width), self.y.min(height));
        Window { x, y, width: self.width.min(width - x), height: self.height.min(height - y), level: self.level.min(8) }
    }

    /// Left, top, width, height.
    pub fn area(self) -> [usize; 4] {
        [self.x, self.y, self.width, self.height]
    }

    /// Widened on all sides by at least `by` px, on the sheet and on the grid.
    pub(crate) fn grown(self, by: usize, width: usize, height: usize) -> Window {
        let x = self.x.saturating_sub(by) / ALIGNED * ALIGNED;
        let y = self.y.saturating_sub(by) / ALIGNED * ALIGNED;
        let (x1, y1) = ((self.x + self.width + by).min(width), (self.y + self.height + by).min(height));
        Window { x, y, width: x1 - x, height: y1 - y, level: self.level }
    }
}
