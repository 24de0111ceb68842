//! What goes out: films and samples.

use std::sync::Arc;

use actix_web::http::header::{
    CONTENT_DISPOSITION, CONTENT_LENGTH, Charset, ContentDisposition, DispositionParam, DispositionType, ExtendedValue,
};
use actix_web::{HttpResponse, get, post, web};
use jampin_core::time::Frame;
use jampin_jobs::{ExportResult, ExportTask, Footage, Painting, Pictured, Product, Task, paint_still};
use jampin_media::Container;
use jampin_store::JobState;
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::{ApiError, sentence};
use crate::evaluated::EvaluatedShot;
use crate::loading::load;
use crate::state::AppState;

#[derive(Deserialize)]
pub(crate) struct ExportRequest {
    container: Product,
}

#[post("/api/shots/{id}/exports")]
pub(crate) async fn start(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<ExportRequest>,
) -> Result<HttpResponse, ApiError> {
    let loaded = load(&state, *id).await?;
    let task = ExportTask { shot: *id, container: body.container };
    let job = state.store.enqueue(Task::Export(task).into_job(loaded.clip.project_id)?).await?;
    Ok(HttpResponse::Accepted().json(json!({ "job": job })))
}

#[get("/api/exports/{job}/film")]
pub(crate) async fn download(state: web::Data<AppState>, job: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    let job = state.store.job(*job).await?;
    if !matches!(job.kind.as_str(), "export" | "sequence") || job.state != JobState::Done {
        return Err(ApiError::NotYet("This film is not finished.".into()));
    }
    let product: Product = serde_json::from_value(job.payload["container"].clone()).map_err(ApiError::internal)?;
    let result: ExportResult = serde_json::from_value(job.result.unwrap_or_default()).map_err(ApiError::internal)?;
    let path = state.library.export(job.id, product.extension());
    let gone = || ApiError::NotFound("This film is not on the disk any more. Export it again.".into());
    let film = state.library.open(&path).await?.ok_or_else(gone)?;
    Ok(HttpResponse::Ok()
        .content_type(product.media_type())
        .insert_header((CONTENT_LENGTH, film.length))
        .insert_header((actix_web::http::header::CONTENT_ENCODING, "identity"))
        .insert_header((CONTENT_DISPOSITION, save_as(&result.file_name)))
        .streaming(film.bytes))
}

#[derive(Deserialize)]
pub(crate) struct StillRequest {
    frame: u32,
    /// The graphics alone, with transparency.
    #[serde(default)]
    graphics: bool,
}

/// One finished frame as PNG, at the film's full size.
#[get("/api/shots/{id}/still")]
pub(crate) async fn still(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    query: web::Query<StillRequest>,
) -> Result<HttpResponse, ApiError> {
    let loaded = load(&state, *id).await?;
    let stored = &loaded.stored;
    let name = format!("{} {}.png", stored.info.name, query.frame);
    let (library, typesetter) = (state.library.clone(), state.typesetter.clone());
    let StillRequest { frame, graphics } = query.into_inner();
    let footage = Footage::of(&state.store, &state.library, stored.info.project_id, &stored.shot)
        .await
        .map_err(ApiError::internal)?;
    let clip = state.library.bring(library.clip(stored.info.clip_id).original()).await?;
    let shot = Arc::clone(&loaded);
    let png = web::block(move || {
        let EvaluatedShot { stored, info, table, .. } = &*shot;
        let painting = Painting {
            clip: &clip,
            info,
            table,
            range: stored.info.range,
            scene: shot.scene(&typesetter),
            typesetter: &typesetter,
            footage: &footage,
            product: if graphics { Product::Other(Pictured::PngGraphics) } else { Product::Film(Container::Mp4) },
            name: "",
            piece_of: None,
            out: std::path::Path::new(""),
        };
        paint_still(&library.tools, &painting, Frame(frame))
    });
    let png =
        png.await.map_err(ApiError::internal)?.map_err(|error| ApiError::Unusable(sentence(&error.to_string())))?;
    Ok(HttpResponse::Ok().content_type("image/png").insert_header((CONTENT_DISPOSITION, save_as(&name))).body(png))
}

pub(crate) fn save_as(name: &str) -> ContentDisposition {
    let value =
        ExtendedValue { charset: Charset::Ext("UTF-8".into()), language_tag: None, value: name.as_bytes().into() };
    ContentDisposition {
        disposition: DispositionType::Attachment,
        parameters: vec![DispositionParam::FilenameExt(value)],
    }
}
