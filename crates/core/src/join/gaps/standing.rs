//! How a chosen gap stands towards the others.

/// What of a chosen one decides whether others complete it; of none where no chosen one starts.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(super) struct Standing {
    pub(super) number: u32,
    /// The faces at its sides among all, the lesser first, if it parts two.
    pub(super) sides: Option<[u32; 2]>,
    pub(super) is_confident: bool,
    /// It parts nothing among the confident ones alone.
    pub(super) is_idle: bool,
    pub(super) may_complete: bool,
    /// It parts two regions among all.
    pub(super) gains: bool,
}
