//! Jobs waited for.

use std::time::{Duration, Instant};

use anyhow::bail;
use jampin_store::{JobState, Store};
use uuid::Uuid;

/// Longest that the demo's own jobs may take.
const PATIENCE: Duration = Duration::from_secs(180);

pub(crate) async fn wait_for(store: &Store, job: Uuid) -> anyhow::Result<()> {
    let begun = Instant::now();
    loop {
        let job = store.job(job).await?;
        match job.state {
            JobState::Done => return Ok(()),
            JobState::Failed | JobState::Cancelled => {
                bail!("making the demo failed: {}", job.problem.unwrap_or_default())
            }
            JobState::Waiting | JobState::Running if begun.elapsed() > PATIENCE => {
                bail!("making the demo took too long")
            }
            JobState::Waiting | JobState::Running => tokio::time::sleep(Duration::from_millis(50)).await,
        }
    }
}
