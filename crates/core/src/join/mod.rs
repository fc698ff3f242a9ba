//! Join: loose ends, gaps and tails found, and what settling each would do.

mod beside;
mod closing;
mod cut;
mod density;
mod face;
mod faces;
mod gap;
mod gaps;
mod leak;
mod spans;
mod tails;

pub use beside::ink_beside;
pub use cut::{CutOut, cut_out, erase, pieces_within, shape};
pub use density::{bridge_opacity, density_at};
pub use gap::{Gap, bridge_spine};
pub use gaps::Gaps;
pub use leak::{Leak, find_leak};
pub use spans::{Span, parted_at_span, span_at, take_span};
pub use tails::{Tail, Tails, cut as cut_tail, tails_up_to};
