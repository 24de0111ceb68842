//! A long export in pieces: jobs of their own, which any worker takes.

use diesel::dsl::{AsExprOf, sql};
use diesel::expression::{SqlLiteral, UncheckedBind};
use diesel::prelude::*;
use diesel::sql_types::{Bool, Nullable, Text};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use uuid::Uuid;

use crate::events::announce_job;
use crate::job::insert;
use crate::lease::hold;
use crate::prepared::Prepare;
use crate::rows::JobRow;
use crate::schema::jobs;
use crate::{Job, Lease, NewJob, Store, StoreError};

/// Their kind of work.
pub const PIECE: &str = "piece";

type IsPieceOf = SqlLiteral<Bool, UncheckedBind<SqlLiteral<Bool>, AsExprOf<String, Text>>>;
type IsPartOf = SqlLiteral<Bool, UncheckedBind<SqlLiteral<Bool>, AsExprOf<Option<String>, Nullable<Text>>>>;

/// A condition on a job.
pub(crate) fn is_piece_of(export: Uuid) -> IsPieceOf {
    let is_piece = format!("(jobs.kind = '{PIECE}' AND jobs.payload->>'export' = ");
    sql::<Bool>(&is_piece).bind::<Text, _>(export.to_string()).sql(")")
}

/// A condition on a job: it is a piece of this export, if one is named.
pub(crate) fn is_part_of(export: Option<Uuid>) -> IsPartOf {
    let export = export.map(|export| export.to_string());
    sql::<Bool>("coalesce(jobs.payload->>'export' = ").bind::<Nullable<Text>, _>(export).sql(", TRUE)")
}

impl Store {
    /// Asks for the pieces of an export, whose job is held, unless an earlier attempt has asked already.
    pub async fn ask_for_pieces(&self, lease: &Lease, pieces: Vec<NewJob>) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                hold(connection, lease).await?;
                let asked: i64 = jobs::table.filter(is_piece_of(lease.job)).count().get_result(connection).await?;
                if asked > 0 {
                    return Ok(());
                }
                for piece in pieces {
                    insert(connection, piece).await?;
                }
                Ok(())
            })
            .await
    }

    /// The pieces of an export, in no order.
    pub async fn pieces(&self, export: Uuid) -> Result<Vec<Job>, StoreError> {
        let mut connection = self.connection().await?;
        let own = jobs::table.filter(is_piece_of(export)).select(JobRow::as_select());
        let rows: Vec<JobRow> = own.load(&mut connection).await?;
        rows.into_iter().map(Job::try_from).collect()
    }

    /// A piece whose file is not there any more is made again.
    pub async fn piece_is_lost(&self, export: &Lease, piece: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                hold(connection, export).await?;
                let done = jobs::table.filter(jobs::id.eq(piece)).filter(jobs::state.eq("done"));
                let again = (jobs::state.eq("waiting"), jobs::attempts.eq(0));
                diesel::update(done).set(again).execute(connection).await?;
                announce_job(connection, piece).await
            })
            .await
    }
}

/// Nobody needs the pieces of this job any more. Who is at one finds out by its heartbeat.
pub(crate) async fn forget(mut connection: &AsyncPgConnection, job: Uuid) -> Result<(), StoreError> {
    diesel::delete(jobs::table.filter(is_piece_of(job))).prepared().execute(&mut connection).await?;
    Ok(())
}
