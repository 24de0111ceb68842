//! PostgreSQL behind plain structs: projects, clips, shots with their edit log, samples, jobs, events.
//!
//! Edits are written with their inverse in the same transaction as the change they make, so undo, redo and safety from
//! crashes follow. Knows nothing of media or pixels.

mod clips;
mod error;
mod events;
mod jobs;
mod known;
mod lease;
mod log;
mod looks;
mod pictures;
mod projects;
mod recipes;
mod rows;
mod samples;
mod schema;
mod sequence;
mod shots;

use diesel::Connection;
use diesel_async::AsyncPgConnection;
use diesel_async::async_connection_wrapper::AsyncConnectionWrapper;
use diesel_async::pooled_connection::AsyncDieselConnectionManager;
use diesel_async::pooled_connection::deadpool::{Object, Pool};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use uuid::Uuid;

pub use clips::{Clip, ClipState, NewClip, ReadyClip};
pub use error::StoreError;
pub use events::{Event, Listener};
pub use jobs::{Job, JobState, NewJob};
pub use known::Known;
pub use lease::{HEARTBEAT_STALE_SECONDS, Lease, MAX_ATTEMPTS};
pub use log::{Appended, Edited, LogEntry};
pub use pictures::Picture;
pub use projects::{Project, ProjectSummary};
pub use recipes::Recipe;
pub use shots::{NewShot, ShotInfo, StoredShot};

/// The owner of everything until there is sign-in.
pub const LOCAL_OWNER: Uuid = Uuid::from_u128(1);
/// Connections held open. Four requests at once keep a two-core machine busy; jobs need a few more.
const POOL_SIZE: usize = 12;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!();

/// The database. Clones share one pool.
#[derive(Clone)]
pub struct Store {
    pool: Pool<AsyncPgConnection>,
    url: String,
}

impl Store {
    /// Connects lazily: a database that is away is noticed by the first call.
    pub fn new(url: &str) -> Result<Self, StoreError> {
        let manager = AsyncDieselConnectionManager::<AsyncPgConnection>::new(url);
        let pool = Pool::builder(manager).max_size(POOL_SIZE).build().map_err(StoreError::unreachable)?;
        Ok(Self { pool, url: url.to_owned() })
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

    async fn connection(&self) -> Result<Object<AsyncPgConnection>, StoreError> {
        self.pool.get().await.map_err(StoreError::unreachable)
    }
}
