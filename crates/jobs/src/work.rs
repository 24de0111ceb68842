//! A job at hand.

use jampin_media::Cancel;
use jampin_store::{Job, Lease};
use serde::de::DeserializeOwned;
use tokio::runtime::Handle;

use crate::{TaskError, Worker};

/// A job at hand, and what it is done with.
pub(crate) struct Work<'a> {
    pub worker: &'a Worker,
    /// Where the database's answers are waited for.
    pub runtime: &'a Handle,
    pub job: &'a Job,
    /// What every write is made with.
    pub lease: &'a Lease,
    pub cancel: &'a Cancel,
}

impl Work<'_> {
    /// What is to be done.
    pub fn task<T: DeserializeOwned>(&self) -> Result<T, TaskError> {
        Ok(serde_json::from_value(self.job.payload.clone())?)
    }
}
