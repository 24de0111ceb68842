//! What reads or writes a whole shot, away from the threads that answer requests: a long shot takes tens of
//! milliseconds to be understood, and everybody else on the same thread would wait.

use std::future::Future;

use actix_web::HttpResponse;
use jampin_core::action::{Planned, Resolve};
use jampin_core::edit::Edit;
use jampin_jobs::{SolveTask, Task};
use jampin_store::{Edited, NewJob, Store, StoreError};
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::evaluated::EvaluatedShot;
use crate::state::AppState;

tokio::task_local! {
    /// Whose request it is.
    static WHO: Option<Uuid>;
}

/// Answers somebody's request: the edits that it makes are theirs.
pub(crate) async fn answering<T>(who: Option<Uuid>, answer: impl Future<Output = T>) -> T {
    WHO.scope(who, answer).await
}

impl AppState {
    /// The store, for whoever asks.
    fn store_of_who(&self) -> Store {
        self.store.by(WHO.try_with(|who| *who).ok().flatten())
    }

    /// Runs something among the long work's threads.
    pub(crate) async fn aside<T: Send + 'static>(
        &self,
        work: impl Future<Output = Result<T, StoreError>> + Send + 'static,
    ) -> Result<T, StoreError> {
        let done = self.runtime.spawn(work).await;
        done.unwrap_or_else(|panic| Err(StoreError::Unreachable(format!("it broke down: {panic}"))))
    }

    /// [`jampin_store::Store::edit`].
    pub(crate) async fn edit(&self, shot: Uuid, revision: i64, title: &str, edit: &Edit) -> Result<Edited, StoreError> {
        let (store, title, edit) = (self.store_of_who(), title.to_owned(), edit.clone());
        self.aside(async move { store.edit(shot, revision, &title, &edit).await }).await
    }

    /// [`jampin_store::Store::edit_with_job`].
    pub(crate) async fn edit_with_job(
        &self,
        shot: Uuid,
        revision: i64,
        title: &str,
        edit: &Edit,
        job: NewJob,
    ) -> Result<(Edited, Uuid), StoreError> {
        let (store, title, edit) = (self.store_of_who(), title.to_owned(), edit.clone());
        self.aside(async move { store.edit_with_job(shot, revision, &title, &edit, job).await }).await
    }

    /// Makes what a person does: the change and, where something has to be solved after it, its job. Answers with the
    /// revision and the job.
    pub(crate) async fn carry_out(
        &self,
        loaded: &EvaluatedShot,
        revision: i64,
        planned: Planned,
    ) -> Result<HttpResponse, ApiError> {
        let (shot, Planned { title, edit, solve }) = (loaded.stored.info.id, planned);
        let Some(Resolve { pin, frame, only }) = solve else {
            return Ok(HttpResponse::Ok().json(self.edit(shot, revision, &title, &edit).await?));
        };
        let job = Task::Solve(SolveTask { shot, pin, frame, only }).into_job(loaded.clip.project_id)?;
        let (edited, job) = self.edit_with_job(shot, revision, &title, &edit, job).await?;
        Ok(HttpResponse::Accepted().json(json!({ "revision": edited.revision, "job": job })))
    }

    /// [`jampin_store::Store::undo`].
    pub(crate) async fn undo(&self, shot: Uuid, revision: i64) -> Result<Edited, StoreError> {
        let store = self.store.clone();
        self.aside(async move { store.undo(shot, revision).await }).await
    }

    /// [`jampin_store::Store::redo`].
    pub(crate) async fn redo(&self, shot: Uuid, revision: i64) -> Result<Edited, StoreError> {
        let store = self.store.clone();
        self.aside(async move { store.redo(shot, revision).await }).await
    }
}
