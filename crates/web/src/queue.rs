//! What runs, waits, is done or has failed, in all projects of who asks.

use actix_web::{HttpResponse, get, post, web};
use jampin_jobs::{SequenceTask, Task};
use jampin_media::Container;
use jampin_store::{BusyWorker, Job, JobState, Person};
use serde::Deserialize;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::error::ApiError;
use crate::state::AppState;

/// Jobs that are listed: what is older is of no interest any more.
const LISTED: i64 = 80;

#[get("/api/queue")]
pub(crate) async fn queue(state: web::Data<AppState>, me: web::ReqData<Person>) -> Result<HttpResponse, ApiError> {
    let jobs = state.store.newest_jobs(me.id, LISTED).await?;
    let waiting: Vec<Uuid> =
        jobs.iter().filter(|(job, ..)| job.state == JobState::Waiting).map(|(job, ..)| job.id).collect();
    let (workers, held_up) = if waiting.is_empty() {
        (vec![], vec![])
    } else {
        (state.store.workers().await?, state.store.held_up(&waiting).await?)
    };
    let hosts = state.store.hosts_at_work().await?;
    let are_several = hosts.iter().any(|(_, host)| *host != hosts[0].1);
    let jobs = jobs.into_iter().map(|(job, project, about)| {
        let mut value = json!(job);
        if are_several && job.state == JobState::Running {
            let own = hosts.iter().filter(|(of, _)| *of == job.id).map(|(_, host)| host);
            value["hosts"] = json!(own.collect::<Vec<_>>());
        }
        if job.state == JobState::Waiting {
            value["why"] = json!(why_it_waits(&job, &workers, held_up.contains(&job.id)));
        }
        value["project"] = json!(project);
        value["about"] = json!(about);
        value
    });
    Ok(HttpResponse::Ok().json(jobs.collect::<Vec<Value>>()))
}

fn why_it_waits<'a>(job: &'a Job, workers: &[BusyWorker], is_held_up: bool) -> &'a str {
    if let Some(problem) = &job.problem {
        return problem;
    }
    let takes = |worker: &&BusyWorker| worker.worker.kinds.contains(&job.kind);
    let mut able = workers.iter().filter(takes).peekable();
    if able.peek().is_none() {
        "no worker takes this kind of work"
    } else if is_held_up {
        "after the earlier work on the same pin"
    } else if able.all(|worker| worker.busy >= worker.worker.lanes.len() as i64) {
        "all lanes are busy"
    } else {
        "its turn is next"
    }
}

/// Who does the work.
#[get("/api/workers")]
pub(crate) async fn who_works(state: web::Data<AppState>) -> Result<HttpResponse, ApiError> {
    Ok(HttpResponse::Ok().json(state.store.workers().await?))
}

#[derive(Deserialize)]
pub(crate) struct Arrangement {
    /// The shots in their order, and whether each is in the film.
    shots: Vec<(Uuid, bool)>,
}

#[post("/api/projects/{id}/order")]
pub(crate) async fn arrange(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<Arrangement>,
) -> Result<HttpResponse, ApiError> {
    state.store.arrange(*id, &body.shots).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Deserialize)]
pub(crate) struct FilmRequest {
    container: Container,
}

/// The film of the whole project.
#[post("/api/projects/{id}/film")]
pub(crate) async fn film(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<FilmRequest>,
) -> Result<HttpResponse, ApiError> {
    if !matches!(body.container, Container::Mp4 | Container::Webm) {
        return Err(ApiError::Unusable("The film of a project is an MP4 or a WebM.".into()));
    }
    let shots = state.store.shots(*id).await?;
    if !shots.iter().any(|shot| shot.in_film) {
        return Err(ApiError::Unusable("No shot is in the film: switch one on.".into()));
    }
    let task = SequenceTask { project: *id, container: body.container };
    let job = state.store.enqueue(Task::Sequence(task).into_job(*id)?).await?;
    Ok(HttpResponse::Accepted().json(json!({ "job": job })))
}
