//! What the database computes itself.

use diesel::dsl::sql;
use diesel::expression::SqlLiteral;
use diesel::sql_types::{Nullable, Text, Timestamptz};

diesel::define_sql_function! {
    /// In small letters.
    fn lower(text: Text) -> Text;
}

/// The database's clock: the only one that all workers share.
pub(crate) fn database_now() -> SqlLiteral<Nullable<Timestamptz>> {
    sql("now()")
}
