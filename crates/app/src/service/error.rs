//! What can go wrong, told in the user's words.

use crate::reader;
use crate::store::stored::Unreadable;

/// Why something that was asked for is not done.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    #[error("the database cannot be reached just now")]
    Away(#[source] sqlx::Error),
    #[error("the database did not answer as it should: {0}")]
    Store(#[source] sqlx::Error),
    #[error("this drawing cannot be read: {0}")]
    Unreadable(Unreadable),
    #[error("{0}")]
    File(#[from] reader::Error),
    #[error("{0}")]
    Format(#[from] rhizograph_formats::Error),
    #[error("{0}")]
    Core(#[from] rhizograph_core::Error),
    #[error("there is no such drawing")]
    NoDrawing,
    #[error("there is no such shot")]
    NoShot,
    #[error("there is no such production")]
    NoProduction,
    #[error("there is no such work")]
    NoJob,
    #[error("the drawing was changed elsewhere in the meantime")]
    Conflict {
        revision: i64,
        /// The steps that came since, as far as they are known.
        meanwhile: Vec<String>,
    },
    #[error("there is nothing to {0}")]
    NothingTo(&'static str),
    #[error("newer ones were asked for")]
    Overtaken,
    #[error("that is not a key of this server")]
    NoKey,
    #[error("too many keys were tried")]
    TooManyTries,
    #[error("the computation broke off")]
    BrokeOff,
    #[error("{0}")]
    Asked(String),
}

impl From<sqlx::Error> for Error {
    fn from(e: sqlx::Error) -> Self {
        let is_away = match &e {
            sqlx::Error::PoolTimedOut | sqlx::Error::PoolClosed | sqlx::Error::Io(_) | sqlx::Error::Tls(_) => true,
            // It is being started or stopped: classes 57P and 08.
            sqlx::Error::Database(d) => d.code().is_some_and(|c| c.starts_with("57P") || c.starts_with("08")),
            _ => false,
        };
        match e {
            e if is_away => Error::Away(e),
            sqlx::Error::Decode(why) => match why.downcast::<Unreadable>() {
                Ok(why) => Error::Unreadable(*why),
                Err(why) => Error::Store(sqlx::Error::Decode(why)),
            },
            e => Error::Store(e),
        }
    }
}

impl Error {
    /// What the store says of a drawing that is not there.
    pub fn of_drawing(e: sqlx::Error) -> Error {
        if matches!(e, sqlx::Error::RowNotFound) { Error::NoDrawing } else { e.into() }
    }

    /// What the store says of a shot that is not there.
    pub fn of_shot(e: sqlx::Error) -> Error {
        if matches!(e, sqlx::Error::RowNotFound) { Error::NoShot } else { e.into() }
    }
}
