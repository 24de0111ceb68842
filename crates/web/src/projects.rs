//! Projects: begin, rename, what is in one.

use actix_web::{HttpResponse, get, patch, post, web};
use jampin_core::document::MAX_NAME;
use jampin_store::{Clip, ClipState, Person, ShotInfo};
use serde::{Deserialize, Serialize};
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::state::AppState;

/// Films of the whole project that are shown.
const FILMS_SHOWN: i64 = 4;

#[derive(Deserialize)]
pub(crate) struct Named {
    name: String,
}

impl Named {
    fn checked(&self) -> Result<&str, ApiError> {
        let name = self.name.trim();
        let fits = (1..=MAX_NAME).contains(&name.chars().count());
        fits.then_some(name).ok_or_else(|| ApiError::Unusable(format!("A name has 1 to {MAX_NAME} characters.")))
    }
}

#[post("/api/projects")]
pub(crate) async fn create(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    body: web::Json<Named>,
) -> Result<HttpResponse, ApiError> {
    let project = state.store.create_project(body.checked()?, me.id).await?;
    Ok(HttpResponse::Created().json(project))
}

#[patch("/api/projects/{id}")]
pub(crate) async fn rename(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<Named>,
) -> Result<HttpResponse, ApiError> {
    state.store.rename_project(*id, body.checked()?).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Serialize)]
struct ClipAndShots {
    id: Uuid,
    name: String,
    bytes: i64,
    state: ClipState,
    prepared: i32,
    frames: u32,
    width: u64,
    height: u64,
    seconds: f64,
    rate: f64,
    codec: String,
    cuts: usize,
    remarks: Vec<String>,
    problem: Option<String>,
    shots: Vec<ShotInfo>,
}

impl ClipAndShots {
    fn new(clip: Clip, shots: Vec<ShotInfo>) -> Result<Self, ApiError> {
        let info: jampin_media::ClipInfo = serde_json::from_value(clip.info.clone()).map_err(ApiError::internal)?;
        let table: jampin_media::FrameTable =
            serde_json::from_value(clip.frames.clone()).map_err(ApiError::internal)?;
        let end = table.micros(jampin_core::time::Frame(table.len())).unwrap_or(0);
        Ok(Self {
            state: clip.state(),
            id: clip.id,
            name: clip.name,
            bytes: clip.bytes,
            prepared: clip.prepared,
            frames: table.len(),
            width: info.size.width.into(),
            height: info.size.height.into(),
            seconds: end as f64 / 1e6,
            rate: info.rate.as_f64(),
            codec: info.codec,
            cuts: clip.cuts.len(),
            remarks: clip.remarks,
            problem: clip.problem,
            shots,
        })
    }
}

#[get("/api/projects/{id}")]
pub(crate) async fn project_state(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    let project = state.store.project(*id).await?;
    let (clips, shots) = (state.store.clips(*id).await?, state.store.shots(*id).await?);
    let of = |clip: Uuid| shots.iter().filter(|shot| shot.clip_id == clip).cloned().collect();
    let clips: Result<Vec<_>, _> = clips
        .into_iter()
        .map(|clip| {
            let shots = of(clip.id);
            ClipAndShots::new(clip, shots)
        })
        .collect();
    let order: Vec<Uuid> = shots.iter().map(|shot| shot.id).collect();
    let films = state.store.project_films(*id, FILMS_SHOWN).await?;
    let pictures = state.store.pictures(*id).await?;
    let arriving = state.store.arriving(*id).await?;
    let state = json!({
        "project": project, "clips": clips?, "order": order, "films": films, "pictures": pictures, "arriving": arriving,
    });
    Ok(HttpResponse::Ok().json(state))
}
