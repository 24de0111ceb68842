//! The cleaned path of a subject: as stored, and as it would be with another recipe.

use actix_web::{HttpResponse, get, post, web};
use jampin_core::document::{Shot, Subject};
use jampin_core::evaluate::SubjectEvaluation;
use jampin_core::geometry::{LocalWarp, Point};
use jampin_core::motion::CarriedPoint;
use jampin_core::path::{Recipe, Report};
use jampin_core::track::MotionModel;
use serde::Deserialize;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::error::{ApiError, sentence};
use crate::loading::load;
use crate::state::AppState;

pub(crate) fn subject_of(shot: &Shot, id: Uuid) -> Result<&Subject, ApiError> {
    shot.subject(id).ok_or_else(|| ApiError::NotFound("This subject is not there any more.".into()))
}

/// Places by frame in columns, keyframes, and how far it is from the samples.
fn answer(subject: &Subject, evaluated: Option<&SubjectEvaluation>) -> Value {
    let known = evaluated.and_then(|evaluated| Some((evaluated.track(), evaluated.poses()?)));
    let Some((motion, poses)) = known else { return json!({ "frame": [], "x": [], "y": [], "keys": [] }) };
    let (path, cleaning) = (poses.path(), subject.cleaning.as_ref());
    let round = |value: f64| (value * 1e4).round() / 1e4;
    let columns: Vec<_> = path.iter().collect();
    let there = |frame| path.position(frame).is_some();
    let lost = cleaning.into_iter().flat_map(|c| &c.hand_keys).map(|hand| hand.frame).filter(|frame| !there(*frame));
    let shapes: Vec<LocalWarp> = columns.iter().map(|(frame, _)| poses.warp(*frame).unwrap_or_default()).collect();
    let turns = poses.model() > MotionModel::Position;
    let column = |of: fn(LocalWarp) -> f64| turns.then(|| shapes.iter().map(|shape| of(*shape)).collect::<Vec<_>>());
    let carried = |point: &CarriedPoint| {
        let places: Vec<_> = columns.iter().map(|(frame, _)| point.position(poses, *frame)).collect();
        let axis = |of: fn(Point) -> f64| places.iter().map(|at| at.map(|at| round(of(at)))).collect::<Vec<_>>();
        json!({ "id": point.id, "by_eye": point.by_eye, "placed": point.placed, "x": axis(|at| at.x), "y": axis(|at| at.y) })
    };
    json!({
        "model": poses.model(),
        "rotation": column(LocalWarp::rotation),
        "scale": column(LocalWarp::scale),
        "points": subject.points.iter().map(carried).collect::<Vec<_>>(),
        "frame": columns.iter().map(|(frame, _)| frame).collect::<Vec<_>>(),
        "x": columns.iter().map(|(_, at)| round(at.x)).collect::<Vec<_>>(),
        "y": columns.iter().map(|(_, at)| round(at.y)).collect::<Vec<_>>(),
        "raw_x": columns.iter().map(|(frame, _)| motion.position(*frame).map(|at| round(at.x))).collect::<Vec<_>>(),
        "raw_y": columns.iter().map(|(frame, _)| motion.position(*frame).map(|at| round(at.y))).collect::<Vec<_>>(),
        "keys": path.keys().collect::<Vec<_>>(),
        "lost_keys": lost.collect::<Vec<_>>(),
        "report": Report::of(path, motion),
    })
}

/// The path with the recipe that the subject has.
#[get("/api/shots/{id}/subjects/{subject}/path")]
pub(crate) async fn subject_path(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
) -> Result<HttpResponse, ApiError> {
    let (id, which) = path.into_inner();
    let loaded = load(&state, id).await?;
    let made = web::block(move || {
        let subject = subject_of(&loaded.stored.shot, which)?;
        Ok::<_, ApiError>(answer(subject, loaded.subject(subject)))
    });
    Ok(HttpResponse::Ok().json(made.await.map_err(ApiError::internal)??))
}

#[derive(Deserialize)]
pub(crate) struct Preview {
    cleaning: Option<Recipe>,
}

/// The path as another recipe would make it; nothing is written down.
#[post("/api/shots/{id}/subjects/{subject}/path")]
pub(crate) async fn preview_path(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
    body: web::Json<Preview>,
) -> Result<HttpResponse, ApiError> {
    let (id, which) = path.into_inner();
    let cleaning = body.into_inner().cleaning;
    if let Some(problem) = cleaning.as_ref().and_then(|cleaning| cleaning.check().err()) {
        return Err(ApiError::Unusable(sentence(&problem.to_string())));
    }
    let loaded = load(&state, id).await?;
    let made = web::block(move || {
        let shot = &loaded.stored.shot;
        let subject = Subject { cleaning, ..subject_of(shot, which)?.clone() };
        Ok::<_, ApiError>(answer(&subject, SubjectEvaluation::new(shot, &subject).as_ref()))
    });
    Ok(HttpResponse::Ok().json(made.await.map_err(ApiError::internal)??))
}
