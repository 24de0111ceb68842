//! The right to do a job; who lost it writes nothing any more.

use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use uuid::Uuid;

use crate::StoreError;
use crate::schema::jobs;

/// A running job whose worker has not been heard of for this long, in seconds, is taken to be orphaned. Workers
/// report every second; a loaded machine may be late by a few.
pub const HEARTBEAT_STALE_SECONDS: u32 = 6;
/// The right to write down what becomes of a job. It is lost when somebody else takes the job, as after a while without
/// a heartbeat, and when the job ends. Every write of a job is made with it, in the same transaction, so that a worker
/// that was stopped for a while and comes back writes over nothing ([`StoreError::LostLease`]).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Lease {
    /// Which job.
    pub job: Uuid,
    /// Whose.
    pub worker: Uuid,
    /// Which time it is that the job is tried, counted from 1.
    pub attempt: i32,
}

/// The job of a lease that is still held.
macro_rules! held {
    ($lease:expr) => {
        jobs::table
            .filter(jobs::id.eq($lease.job))
            .filter(jobs::worker.eq($lease.worker))
            .filter(jobs::attempts.eq($lease.attempt))
            .filter(jobs::state.eq("running"))
    };
}

/// Makes sure that the lease is held until the transaction ends. Whoever locks a shot, too, locks that first.
pub(crate) async fn hold(mut connection: &AsyncPgConnection, lease: &Lease) -> Result<(), StoreError> {
    let row: Option<Uuid> = held!(lease).select(jobs::id).for_update().first(&mut connection).await.optional()?;
    row.map(|_| ()).ok_or(StoreError::LostLease)
}

pub(crate) use held;
