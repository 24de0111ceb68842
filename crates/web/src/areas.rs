//! An outline drawn round something becomes an area of a subject, and is followed; and what is changed of it later.

use actix_web::{HttpResponse, post, web};
use jampin_core::action::{AreaChange, Planned, another_area, change_area as plan, new_area_subject};
use jampin_core::document::{Area, DrawnOutline};
use jampin_core::follow::Direction;
use jampin_core::time::Frame;
use jampin_jobs::{FollowTask, Task};
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::state::AppState;

#[derive(Deserialize)]
pub(crate) struct AreaRequest {
    revision: i64,
    frame: Frame,
    outline: DrawnOutline,
    name: Option<String>,
    /// Onto this subject; without it, it is a new one.
    on: Option<Uuid>,
}

#[post("/api/shots/{id}/areas")]
pub(crate) async fn put_area(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<AreaRequest>,
) -> Result<HttpResponse, ApiError> {
    let AreaRequest { revision, frame, outline, name, on } = body.into_inner();
    let loaded = load(&state, *id).await?;
    let area = Area::new(Uuid::new_v4(), frame, outline, std::array::from_fn(|_| Uuid::new_v4()));
    let ground = loaded.ground();
    let (subject, planned) = match on {
        Some(subject) => (subject, another_area(ground, subject, &area)?),
        None => {
            let ids = [Uuid::new_v4(), Uuid::new_v4()];
            (ids[0], new_area_subject(ground, ids, name.as_deref(), &area)?)
        }
    };
    let Planned { title, edit, .. } = planned;
    let [pin, ..] = area.carriers;
    let directions = vec![Direction::Forward, Direction::Backward];
    let task = FollowTask::whole(*id, pin, frame, directions);
    let job = Task::Follow(task).into_job(loaded.clip.project_id)?;
    let (edited, job) = state.edit_with_job(*id, revision, &title, &edit, job).await?;
    let made = json!({ "subject": subject, "area": area.id, "pin": pin });
    Ok(HttpResponse::Created().json(json!({ "revision": edited.revision, "job": job, "made": made })))
}

#[derive(Deserialize)]
pub(crate) struct ChangeRequest {
    revision: i64,
    #[serde(flatten)]
    change: AreaChange,
}

/// Makes one change of an area. Answers with the revision, and the job where it is solved again.
#[post("/api/shots/{id}/areas/{area}")]
pub(crate) async fn change_area(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
    body: web::Json<ChangeRequest>,
) -> Result<HttpResponse, ApiError> {
    let (id, area) = path.into_inner();
    let ChangeRequest { revision, change } = body.into_inner();
    let loaded = load(&state, id).await?;
    let planned = plan(loaded.ground(), area, change)?;
    state.carry_out(&loaded, revision, planned).await
}
