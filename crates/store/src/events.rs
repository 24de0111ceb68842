//! News from the database, for every process that listens.

use diesel::sql_types::Text;
use diesel::{ExpressionMethods, QueryDsl};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use futures_util::StreamExt;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use uuid::Uuid;

use crate::prepared::Prepare;
use crate::schema::jobs;
use crate::{Store, StoreError};

const CHANNEL: &str = "jampin";
/// PostgreSQL sends at most 8000 bytes with a notification.
const LONGEST_PROGRESS: usize = 6000;

/// What is told of a job.
pub(crate) type JobNews = (Uuid, Uuid, Option<Uuid>, String, Value);
/// Its columns.
pub(crate) const JOB_NEWS: (jobs::id, jobs::project_id, jobs::shot_id, jobs::state, jobs::progress) =
    (jobs::id, jobs::project_id, jobs::shot_id, jobs::state, jobs::progress);

/// Something changed. Small things are said with it; who needs more fetches it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "event", rename_all = "snake_case")]
pub enum Event {
    /// A shot was edited, undone or redone.
    Shot {
        /// Which.
        shot: Uuid,
        /// What revision it has now.
        revision: i64,
    },
    /// Samples came in on these frames.
    Samples {
        /// Of which shot.
        shot: Uuid,
        /// Of which pin.
        pin: Uuid,
        /// First frame.
        first: u32,
        /// Last frame, included.
        last: u32,
    },
    /// A job moved on.
    Job {
        /// Which.
        job: Uuid,
        /// Its project.
        project: Uuid,
        /// Its shot, if it is about one.
        shot: Option<Uuid>,
        /// Its state, in the word that is stored.
        state: String,
        /// How far it has come; nothing where that is too long to be sent.
        progress: Option<Value>,
    },
    /// A clip moved on.
    Clip {
        /// Which.
        clip: Uuid,
        /// Its project.
        project: Uuid,
        /// Frames whose pictures are there.
        prepared: u32,
    },
    /// What is in a project, or on its way to it, is another.
    Project {
        /// Which.
        project: Uuid,
    },
    /// The notes of a shot are others.
    Notes {
        /// Of which.
        shot: Uuid,
    },
    /// Somebody has a shot open. Nothing of it is kept.
    Here {
        /// Which shot.
        shot: Uuid,
        /// Who.
        person: Uuid,
        /// On which page of theirs.
        page: Uuid,
        /// What they are called.
        name: String,
        /// The frame they look at; nothing when they leave.
        frame: Option<u32>,
        /// Where their pointer is, in pixels of the picture.
        at: Option<[f64; 2]>,
        /// The subject they have selected.
        subject: Option<Uuid>,
    },
    /// Some events were not heard, as while the database was away: whoever watches reads everything anew.
    Missed,
}

/// Sends an event when the running transaction commits (at once outside of one).
pub(crate) async fn announce(mut connection: &AsyncPgConnection, event: &Event) -> Result<(), StoreError> {
    let text = serde_json::to_string(event)?;
    let notify = diesel::sql_query("SELECT pg_notify($1, $2)").bind::<Text, _>(CHANNEL).bind::<Text, _>(text);
    notify.prepared().execute(&mut connection).await?;
    Ok(())
}

pub(crate) async fn announce_job(mut connection: &AsyncPgConnection, id: Uuid) -> Result<(), StoreError> {
    let news: JobNews = jobs::table.filter(jobs::id.eq(id)).select(JOB_NEWS).first(&mut connection).await?;
    announce_job_as(connection, news).await
}

/// A job as a statement left it that returned [`JOB_NEWS`].
pub(crate) async fn announce_job_as(
    connection: &AsyncPgConnection,
    (job, project, shot, state, progress): JobNews,
) -> Result<(), StoreError> {
    let progress = Some(progress).filter(|progress| progress.to_string().len() <= LONGEST_PROGRESS);
    announce(connection, &Event::Job { job, project, shot, state, progress }).await
}

/// A connection of its own that receives events.
pub struct Listener(AsyncPgConnection);

impl Store {
    /// Tells everybody who listens.
    pub async fn tell(&self, event: &Event) -> Result<(), StoreError> {
        announce(&*self.connection().await?, event).await
    }

    /// Starts to listen. Events from before are not seen.
    pub async fn listen(&self) -> Result<Listener, StoreError> {
        let mut connection = AsyncPgConnection::establish(&self.url).await.map_err(StoreError::unreachable)?;
        diesel::sql_query(format!("LISTEN {CHANNEL}")).execute(&mut connection).await?;
        Ok(Listener(connection))
    }
}

impl Listener {
    /// Calls `receive` for every event until the connection breaks.
    pub async fn run(mut self, mut receive: impl FnMut(Event)) -> StoreError {
        let mut notifications = std::pin::pin!(self.0.notifications_stream());
        while let Some(notification) = notifications.next().await {
            match notification {
                Ok(notification) => match serde_json::from_str(&notification.payload) {
                    Ok(event) => receive(event),
                    Err(error) => tracing::warn!(%error, "an event that makes no sense"),
                },
                Err(error) => return error.into(),
            }
        }
        StoreError::Unreachable("the listening connection was closed".into())
    }
}
