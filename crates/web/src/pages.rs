//! The pages. What changes while they are open is fetched by their scripts.

use actix_web::http::StatusCode;
use actix_web::{HttpRequest, HttpResponse, ResponseError, get, web};
use askama::Template;
use jampin_core::document::MAX_NAME;
use jampin_core::pin::{MAX_PATTERN_SIDE, MAX_SEARCH, MIN_PATTERN_SIDE};
use jampin_store::{AuditEntry, DeletedProject, Project, ProjectSummary, ShotInfo, StoreError};
use uuid::Uuid;

use crate::assets::version;
use crate::error::ApiError;
use crate::planes;
use crate::state::AppState;

/// Entries of the audit that are shown.
const AUDIT_SHOWN: i64 = 100;

#[derive(Template)]
#[template(path = "projects.html")]
struct ProjectsPage {
    version: String,
    projects: Vec<ProjectSummary>,
}

#[derive(Template)]
#[template(path = "project.html")]
struct ProjectPage {
    version: String,
    project: Project,
    upload_limit: u64,
}

#[derive(Template)]
#[template(path = "bench.html")]
struct BenchPage {
    version: String,
    project: Project,
    shot: ShotInfo,
    /// Least and most of a pattern's side.
    pattern: (u32, u32),
    search_most: u32,
    /// Longest name, in characters.
    name_most: usize,
}

impl BenchPage {
    fn new(project: Project, shot: ShotInfo) -> Self {
        let pattern = (MIN_PATTERN_SIDE, MAX_PATTERN_SIDE);
        Self { version: version(), project, shot, pattern, search_most: MAX_SEARCH, name_most: MAX_NAME }
    }
}

#[derive(Template)]
#[template(path = "queue.html")]
struct QueuePage {
    version: String,
}

#[derive(Template)]
#[template(path = "deleted.html")]
struct DeletedPage {
    version: String,
    projects: Vec<DeletedProject>,
    entries: Vec<AuditEntry>,
}

#[derive(Template)]
#[template(path = "problem.html")]
struct ProblemPage {
    version: String,
    title: &'static str,
    message: String,
}

fn html(page: &impl Template) -> Result<HttpResponse, ApiError> {
    let text = page.render().map_err(ApiError::internal)?;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(text))
}

/// A page instead of bare text when a page cannot be shown.
fn problem(error: &ApiError) -> HttpResponse {
    let status = error.status_code();
    let title = if status == StatusCode::NOT_FOUND { "Not here" } else { "Something is broken" };
    let page = ProblemPage { version: version(), title, message: error.to_string() };
    match page.render() {
        Ok(text) => HttpResponse::build(status).content_type("text/html; charset=utf-8").body(text),
        Err(_) => error.error_response(),
    }
}

fn page(result: Result<HttpResponse, ApiError>) -> HttpResponse {
    result.unwrap_or_else(|error| problem(&error))
}

#[get("/")]
pub(crate) async fn projects_page(state: web::Data<AppState>) -> HttpResponse {
    let projects = state.store.projects().await.map_err(ApiError::from);
    page(projects.and_then(|projects| html(&ProjectsPage { version: version(), projects })))
}

#[get("/projects/{id}")]
pub(crate) async fn project_page(state: web::Data<AppState>, id: web::Path<Uuid>) -> HttpResponse {
    let project = state.store.project(*id).await.map_err(ApiError::from);
    let upload_limit = state.settings.upload_limit;
    page(project.and_then(|project| html(&ProjectPage { version: version(), project, upload_limit })))
}

#[get("/queue")]
pub(crate) async fn queue_page() -> HttpResponse {
    page(html(&QueuePage { version: version() }))
}

#[get("/deleted")]
pub(crate) async fn deleted_page(state: web::Data<AppState>) -> HttpResponse {
    let found: Result<_, StoreError> =
        async { Ok((state.store.deleted_projects().await?, state.store.audit(AUDIT_SHOWN).await?)) }.await;
    let found = found.map_err(ApiError::from);
    page(found.and_then(|(projects, entries)| html(&DeletedPage { version: version(), projects, entries })))
}

#[get("/shots/{id}")]
pub(crate) async fn bench_page(state: web::Data<AppState>, id: web::Path<Uuid>) -> HttpResponse {
    let found: Result<(ShotInfo, Project), ApiError> = async {
        let shot = state.store.shot_info(*id).await?;
        let project = state.store.project(shot.project_id).await?;
        // Whoever opens it is going to click into it.
        planes::ask(&state, &state.store.clip(shot.clip_id).await?, shot.range.first).await?;
        Ok((shot, project))
    }
    .await;
    page(found.and_then(|(shot, project)| html(&BenchPage::new(project, shot))))
}

pub(crate) async fn not_found(request: HttpRequest) -> HttpResponse {
    let error = ApiError::NotFound(format!("There is nothing at {}.", request.path()));
    if request.path().starts_with("/api/") { error.error_response() } else { problem(&error) }
}
