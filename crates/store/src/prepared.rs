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

#[cfg(test)]
mod tests {
    use diesel::prelude::*;
    use diesel::sql_types::Text;
    use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};

    use super::Prepare;
    use crate::schema::workers;

    #[derive(QueryableByName)]
    struct Kept {
        #[diesel(sql_type = Text)]
        statement: String,
    }

    #[tokio::test]
    async fn an_update_is_prepared_once_and_then_only_carried_out() {
        let url = jampin_testkit::fresh_database();
        crate::Store::new(&url).unwrap().migrate().await.unwrap();
        let mut connection = AsyncPgConnection::establish(&url).await.unwrap();
        let update = || diesel::update(workers::table).set(workers::host.eq("here"));
        // PostgreSQL's own list: <https://www.postgresql.org/docs/current/view-pg-prepared-statements.html>.
        let kept = "SELECT statement FROM pg_prepared_statements WHERE statement LIKE 'UPDATE%'";
        for (times, left) in [(0, 0), (1, 1), (3, 1)] {
            for _ in 0..times {
                update().prepared().execute(&mut connection).await.unwrap();
            }
            let found: Vec<Kept> = diesel::sql_query(kept).load(&mut connection).await.unwrap();
            let found: Vec<String> = found.into_iter().map(|kept| kept.statement).collect();
            assert_eq!(found.len(), left, "{found:?}");
        }
    }
}
