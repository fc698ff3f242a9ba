//! What is stored of a drawing, and why it cannot be read.

use serde_json::Value;

/// The version that is written. From 2 to 3 steps and erasures of new kinds came: moved pieces of ink among them.
pub const VERSION: i16 = 5;

/// All that is stored of a drawing, in one form.
#[derive(Debug, Clone, PartialEq)]
pub struct History {
    /// As it is now.
    pub sheet: Value,
    /// Those that were done in turn, then those that were undone, the last one first.
    pub changes: Vec<Value>,
    /// How many of them are done.
    pub done: usize,
}

/// Why something stored cannot be read.
#[derive(Debug, thiserror::Error)]
pub enum Unreadable {
    #[error("it is stored in form {0}, which a newer program wrote; this one reads up to {VERSION}")]
    Newer(i16),
    #[error("it is stored in form {0}, which there never was")]
    Unknown(i16),
    #[error("it is damaged: {0}")]
    Damaged(#[from] serde_json::Error),
    #[error("it is damaged: its changes do not lead to what it is")]
    Astray,
}

impl From<Unreadable> for sqlx::Error {
    fn from(e: Unreadable) -> sqlx::Error {
        sqlx::Error::Decode(Box::new(e))
    }
}
