//! PostgreSQL behind plain structs: projects, clips, shots with their edit log, samples, jobs, events.
//!
//! Edits are written with their inverse in the same transaction as the change they make, so undo, redo and safety from
//! crashes follow. Knows nothing of media or pixels.

mod appending;
mod arriving;
mod audit;
mod changes;
mod clips;
mod currency;
mod deletion;
mod error;
mod events;
mod identities;
mod job;
mod jobs;
mod known;
mod lease;
mod log;
mod log_parts;
mod look_links;
mod looks;
mod members;
mod notes;
mod one_time_links;
mod parts;
mod people;
mod pictures;
mod pieces;
mod places;
mod pool;
mod prepared;
mod projects;
mod recipes;
mod rows;
mod samples;
mod schema;
mod second_factor;
mod sequence;
mod sessions;
mod shots;
mod snapshot;
mod sql_functions;
mod tries;
mod workers;
mod working;

use diesel::Connection;
use diesel_async::AsyncPgConnection;
use diesel_async::async_connection_wrapper::AsyncConnectionWrapper;
use diesel_async::pooled_connection::deadpool::{Object, Pool};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use uuid::Uuid;

pub use appending::{Appended, NewSamples};
pub use arriving::Arriving;
pub use audit::AuditEntry;
pub use clips::{Clip, ClipState, NewClip, ReadyClip};
pub use deletion::{DeletedProject, KEPT_DAYS, Remains};
pub use error::StoreError;
pub use events::{Event, Listener};
pub use identities::{BoundIdentity, Identity};
pub use job::{Job, JobState, NewJob};
pub use known::Known;
pub use lease::{HEARTBEAT_STALE_SECONDS, Lease};
pub use log::{Edited, LogEntry};
pub use look_links::LookLink;
pub use members::{Member, Role, Thing};
pub use notes::{Mark, NewNote, Note};
pub use people::{FIRST_OWNER, Person};
pub use pictures::Picture;
pub use pieces::PIECE;
pub use places::GRACE_MILLIS;
pub use projects::{Project, ProjectSummary};
pub use recipes::SavedRecipe;
pub use sessions::{Session, SessionBounds};
pub use shots::{NewShot, ShotInfo, StoredShot};
pub use snapshot::Snapshot;
pub use tries::Tries;
pub use workers::{BusyWorker, WorkerRow};
pub use working::{MAX_ATTEMPTS, Seeker};

const MIGRATIONS: EmbeddedMigrations = embed_migrations!();

/// The database. Clones share one pool.
#[derive(Clone)]
pub struct Store {
    pool: Pool<AsyncPgConnection>,
    url: String,
    /// For whom edits are made.
    person: Option<Uuid>,
}

impl Store {
    /// Connects lazily: a database that is away is noticed by the first call.
    pub fn new(url: &str) -> Result<Self, StoreError> {
        Ok(Self { pool: pool::lazily(url)?, url: url.to_owned(), person: None })
    }

    /// The same, for somebody: the log says whose the edits are that are made with it.
    pub fn by(&self, person: Option<Uuid>) -> Self {
        Self { person, ..self.clone() }
    }

    /// Brings the tables up to date. Call it off the web server's threads: it blocks.
    pub async fn migrate(&self) -> Result<(), StoreError> {
        let url = self.url.clone();
        let migrated = tokio::task::spawn_blocking(move || {
            let mut connection =
                AsyncConnectionWrapper::<AsyncPgConnection>::establish(&url).map_err(StoreError::unreachable)?;
            connection.run_pending_migrations(MIGRATIONS).map(|_| ()).map_err(StoreError::unreachable)
        });
        migrated.await.map_err(StoreError::unreachable)?
    }

    /// Where it is.
    pub fn url(&self) -> &str {
        &self.url
    }

    async fn connection(&self) -> Result<Object<AsyncPgConnection>, StoreError> {
        pool::one(&self.pool).await
    }
}
