//! The pages. What changes while they are open is fetched by their scripts.

use actix_web::http::StatusCode;
use actix_web::http::header::LOCATION;
use actix_web::{HttpRequest, HttpResponse, ResponseError, get, web};
use askama::Template;
use jampin_core::document::MAX_NAME;
use jampin_core::pin::{MAX_PATTERN_SIDE, MAX_SEARCH, MIN_PATTERN_SIDE};
use jampin_store::{AuditEntry, DeletedProject, Person, Project, ProjectSummary, Role, ShotInfo, StoreError, Thing};
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
    me: Person,
    projects: Vec<ProjectSummary>,
}

#[derive(Template)]
#[template(path = "project.html")]
struct ProjectPage {
    version: String,
    me: Person,
    project: Project,
    /// What the asker is in it.
    role: Role,
    upload_limit: u64,
}

#[derive(Template)]
#[template(path = "bench.html")]
struct BenchPage {
    version: String,
    /// Whether the asker may change the shot.
    may_edit: bool,
    /// Whether people sign in here at all.
    signs_in: bool,
    project: Project,
    shot: ShotInfo,
    /// Least and most of a pattern's side.
    pattern: (u32, u32),
    search_most: u32,
    /// Longest name, in characters.
    name_most: usize,
}

impl BenchPage {
    fn new(project: Project, shot: ShotInfo, role: Role, me: &Person) -> Self {
        let pattern = (MIN_PATTERN_SIDE, MAX_PATTERN_SIDE);
        let may_edit = role >= Role::Editor;
        Self {
            version: version(),
            may_edit,
            signs_in: me.signs_in,
            project,
            shot,
            pattern,
            search_most: MAX_SEARCH,
            name_most: MAX_NAME,
        }
    }
}

#[derive(Template)]
#[template(path = "queue.html")]
struct QueuePage {
    version: String,
    me: Person,
}

#[derive(Template)]
#[template(path = "deleted.html")]
struct DeletedPage {
    version: String,
    me: Person,
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

pub(crate) fn html(page: &impl Template) -> Result<HttpResponse, ApiError> {
    let text = page.render().map_err(ApiError::internal)?;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(text))
}

/// A page with this status.
pub(crate) fn answer(status: StatusCode, page: &impl Template) -> HttpResponse {
    match page.render() {
        Ok(text) => HttpResponse::build(status).content_type("text/html; charset=utf-8").body(text),
        Err(error) => ApiError::internal(error).error_response(),
    }
}

/// A page instead of bare text when a page cannot be shown.
pub(crate) fn problem(error: &ApiError) -> HttpResponse {
    let status = error.status_code();
    let title = match status {
        StatusCode::NOT_FOUND => "Not here",
        StatusCode::FORBIDDEN => "Not yours",
        StatusCode::CONFLICT | StatusCode::TOO_MANY_REQUESTS | StatusCode::SERVICE_UNAVAILABLE => "Not now",
        _ => "Something is broken",
    };
    answer(status, &ProblemPage { version: version(), title, message: error.to_string() })
}

/// On to another page.
pub(crate) fn go_to(path: &str) -> HttpResponse {
    HttpResponse::SeeOther().insert_header((LOCATION, path)).finish()
}

pub(crate) fn page(result: Result<HttpResponse, ApiError>) -> HttpResponse {
    result.unwrap_or_else(|error| problem(&error))
}

#[get("/")]
pub(crate) async fn projects_page(state: web::Data<AppState>, me: web::ReqData<Person>) -> HttpResponse {
    let me = me.into_inner();
    let projects = state.store.projects(me.id).await.map_err(ApiError::from);
    page(projects.and_then(|projects| html(&ProjectsPage { version: version(), me, projects })))
}

#[get("/projects/{id}")]
pub(crate) async fn project_page(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
) -> HttpResponse {
    let me = me.into_inner();
    let found: Result<_, ApiError> = async {
        let project = state.store.project(*id).await?;
        Ok((project, role_in(&state, &me, Thing::Project(*id)).await?))
    }
    .await;
    let upload_limit = state.settings.upload_limit;
    page(found.and_then(|(project, role)| html(&ProjectPage { version: version(), me, project, role, upload_limit })))
}

/// What somebody who was let in may do there.
async fn role_in(state: &AppState, me: &Person, thing: Thing) -> Result<Role, ApiError> {
    Ok(state.store.role(me.id, thing).await?.unwrap_or(Role::Viewer))
}

#[get("/queue")]
pub(crate) async fn queue_page(me: web::ReqData<Person>) -> HttpResponse {
    page(html(&QueuePage { version: version(), me: me.into_inner() }))
}

#[get("/deleted")]
pub(crate) async fn deleted_page(state: web::Data<AppState>, me: web::ReqData<Person>) -> HttpResponse {
    let me = me.into_inner();
    // An administrator sees what everybody did.
    let by = (!me.administrator).then_some(me.id);
    let found: Result<_, StoreError> =
        async { Ok((state.store.deleted_projects(me.id).await?, state.store.audit(by, AUDIT_SHOWN).await?)) }.await;
    let found = found.map_err(ApiError::from);
    page(found.and_then(|(projects, entries)| html(&DeletedPage { version: version(), me, projects, entries })))
}

#[get("/shots/{id}")]
pub(crate) async fn bench_page(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
) -> HttpResponse {
    let found: Result<(ShotInfo, Project, Role), ApiError> = async {
        let shot = state.store.shot_info(*id).await?;
        let project = state.store.project(shot.project_id).await?;
        // Whoever opens it is going to click into it.
        planes::ask(&state, &state.store.clip(shot.clip_id).await?, shot.range.first).await?;
        Ok((shot, project, role_in(&state, &me, Thing::Shot(*id)).await?))
    }
    .await;
    page(found.and_then(|(shot, project, role)| html(&BenchPage::new(project, shot, role, &me))))
}

pub(crate) async fn not_found(request: HttpRequest) -> HttpResponse {
    let error = ApiError::NotFound(format!("There is nothing at {}.", request.path()));
    if request.path().starts_with("/api/") { error.error_response() } else { problem(&error) }
}
