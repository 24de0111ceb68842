//! Statements that are prepared once for each connection.
//!
//! Diesel keeps prepared only what it can prove to be the same text each time; updates, literals and rows with defaults
//! it prepares anew whenever they are made. That is a second way to the database and back for each of them: nothing on
//! one machine, and half of all waiting where the database is on another.

use diesel::QueryResult;
use diesel::pg::Pg;
use diesel::query_builder::{AstPass, Query, QueryFragment, QueryId};

/// A statement that is known by its text.
pub(crate) struct Prepared<Statement>(Statement);

/// Keeps a statement prepared. Only for texts of which there are few: a connection forgets none of them.
pub(crate) trait Prepare: Sized {
    fn prepared(self) -> Prepared<Self> {
        Prepared(self)
    }
}

impl<Statement: QueryFragment<Pg>> Prepare for Statement {}

impl<Statement: QueryFragment<Pg>> QueryFragment<Pg> for Prepared<Statement> {
    fn walk_ast<'b>(&'b self, pass: AstPass<'_, 'b, Pg>) -> QueryResult<()> {
        self.0.walk_ast(pass)
    }

    fn is_safe_to_cache_prepared(&self, _: &Pg) -> QueryResult<bool> {
        Ok(true)
    }
}

impl<Statement> QueryId for Prepared<Statement> {
    type QueryId = ();
    const HAS_STATIC_QUERY_ID: bool = false;
}

impl<Statement: Query> Query for Prepared<Statement> {
    type SqlType = Statement::SqlType;
}
