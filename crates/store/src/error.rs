//! What can go wrong with the database, sorted by who can mend it.

use diesel::result::DatabaseErrorKind;
use jampin_core::edit::EditError;
use thiserror::Error;

/// A call to the store failed. Nothing of it was kept.
#[derive(Debug, Error)]
pub enum StoreError {
    /// There is no such thing (any more).
    #[error("there is no such {0} any more")]
    NotFound(&'static str),
    /// Its project was deleted, and can be had back.
    #[error("this project was deleted; it can be had back from the page \"Deleted\" for a while")]
    Deleted,
    /// It cannot go while something needs it; says what.
    #[error("{0}")]
    InUse(String),
    /// What is to be changed was changed meanwhile, in another window or by another person.
    #[error("this was changed in another window meanwhile, or by somebody else; the page now shows it as it is")]
    Stale {
        /// The revision it has now.
        revision: i64,
    },
    /// The change does not fit what is there.
    #[error(transparent)]
    Edit(#[from] EditError),
    /// The job was given to another worker, or has ended: what this one found is not wanted any more.
    #[error("somebody else has this work now")]
    LostLease,
    /// There is nothing to undo or redo.
    #[error("there is nothing to {0}")]
    NothingTo(&'static str),
    /// PostgreSQL keeps no text with it.
    #[error("a name or text has a character in it that cannot be kept (NUL); take it out")]
    Nul,
    /// The database has no room.
    #[error("the disk of the server is full; nothing of this was kept. Make room, then try again")]
    Full,
    /// What is stored cannot be understood; tell the operator.
    #[error("what is stored cannot be understood: {0}")]
    Unreadable(#[from] serde_json::Error),
    /// A tool that comes with PostgreSQL did not do its work.
    #[error("{0}")]
    Tool(String),
    /// The database refused; tell the operator.
    #[error("the database refused: {0}")]
    Database(diesel::result::Error),
    /// The database cannot be reached; tell the operator.
    #[error("the database cannot be reached: {0}")]
    Unreachable(String),
}

impl StoreError {
    pub(crate) fn unreachable(error: impl std::fmt::Display) -> Self {
        Self::Unreachable(error.to_string())
    }
}

impl From<diesel::result::Error> for StoreError {
    fn from(error: diesel::result::Error) -> Self {
        match error {
            diesel::result::Error::NotFound => Self::NotFound("thing"),
            diesel::result::Error::DatabaseError(_, why) if is_about_nul(why.message()) => Self::Nul,
            diesel::result::Error::DatabaseError(_, why) if why.message().contains("No space left on device") => {
                Self::Full
            }
            diesel::result::Error::DatabaseError(kind, why) if is_cut_off(&kind, why.message()) => {
                Self::Unreachable(why.message().to_owned())
            }
            other => Self::Database(other),
        }
    }
}

/// The connection is gone, not the statement wrong: PostgreSQL's words when it ends or begins (SQLSTATE class 57P) are
/// not told apart by kind.
fn is_cut_off(kind: &DatabaseErrorKind, message: &str) -> bool {
    let ends =
        ["terminating connection", "connection closed", "the database system is", "server closed the connection"];
    matches!(kind, DatabaseErrorKind::ClosedConnection | DatabaseErrorKind::UnableToSendCommand)
        || ends.iter().any(|words| message.contains(words))
}

/// How PostgreSQL refuses the character NUL, in a text and in JSON (SQLSTATE 22021 and 22P05).
fn is_about_nul(message: &str) -> bool {
    message.contains("0x00") || message.contains("\\u0000") || message.contains("unsupported Unicode escape sequence")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_end_of_the_connection_is_told_from_a_statement_that_is_refused() {
        let other = &DatabaseErrorKind::Unknown;
        assert!(is_cut_off(&DatabaseErrorKind::ClosedConnection, ""));
        assert!(is_cut_off(other, "terminating connection because of crash of another server process"));
        assert!(is_cut_off(other, "the database system is starting up"));
        assert!(!is_cut_off(other, "invalid input syntax for type uuid"));
        assert!(!is_cut_off(&DatabaseErrorKind::UniqueViolation, "duplicate key value violates unique constraint"));
    }
}
