//! Samples out of a CSV: looked at first, then taken.

use actix_web::{HttpResponse, post, web};
use jampin_core::edit::Edit;
use jampin_core::formats::{ImportProblem, Mapping, Table};
use serde::Deserialize;
use serde::de::DeserializeOwned;
use serde_json::json;
use uuid::Uuid;

use crate::error::{ApiError, sentence};
use crate::loading::load;
use crate::state::AppState;

/// Rows shown before anything is taken.
const ROWS_SHOWN: usize = 6;

/// Largest request with a table in it, in bytes: 200,000 samples.
const LARGEST: usize = 8 << 20;

fn unusable(problem: ImportProblem) -> ApiError {
    ApiError::Unusable(sentence(&problem.to_string()))
}

/// A request with a table in it: longer than others may be, and read away from the threads that answer.
async fn read<T: DeserializeOwned + Send + 'static>(body: web::Bytes) -> Result<T, ApiError> {
    if body.len() > LARGEST {
        return Err(ApiError::TooLarge("This table is larger than 8 MB. Split it, or leave out columns.".into()));
    }
    let read = web::block(move || serde_json::from_slice(&body)).await.map_err(ApiError::internal)?;
    read.map_err(|error| ApiError::Unusable(sentence(&format!("the request cannot be read: {error}"))))
}

#[derive(Deserialize)]
pub(crate) struct Text {
    text: String,
}

/// The columns, the first rows, and what the columns probably mean.
#[post("/api/tables")]
pub(crate) async fn look_at_table(body: web::Bytes) -> Result<HttpResponse, ApiError> {
    let Text { text } = read(body).await?;
    let read = web::block(move || Table::parse(&text)).await.map_err(ApiError::internal)?;
    let table = read.map_err(unusable)?;
    let guess = table.guess();
    let mut pins: Vec<&String> =
        guess.pin.map_or_else(Vec::new, |pin| table.rows.iter().map(|row| &row[pin]).collect());
    pins.sort();
    pins.dedup();
    let rows = &table.rows[..table.rows.len().min(ROWS_SHOWN)];
    Ok(HttpResponse::Ok().json(json!({
        "headers": table.headers, "rows": rows, "count": table.rows.len(), "guess": guess, "pins": pins,
    })))
}

#[derive(Deserialize)]
pub(crate) struct Import {
    revision: i64,
    pin: Uuid,
    text: String,
    mapping: Mapping,
}

/// Puts the samples of a table in the place of those of a pin on the same frames.
#[post("/api/shots/{id}/import")]
pub(crate) async fn import_samples(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Bytes,
) -> Result<HttpResponse, ApiError> {
    let Import { revision, pin, text, mapping } = read(body).await?;
    let loaded = load(&state, *id).await?;
    let gone = || ApiError::NotFound("This pin is not there any more.".into());
    let (subject, _) = loaded.stored.shot.pin(pin).ok_or_else(gone)?;
    let range = loaded.stored.info.range;
    let read = web::block(move || Table::parse(&text).and_then(|table| table.samples(&mapping, range)));
    let samples = read.await.map_err(ApiError::internal)?.map_err(unusable)?;
    let title = format!("Bring in {} samples for {}", samples.len(), subject.name);
    let count = samples.len();
    let samples = samples.into_iter().map(|(frame, sample)| (frame, Some(sample))).collect();
    let edited = state.edit(*id, revision, &title, &Edit::SetSamples { pin, samples }).await?;
    Ok(HttpResponse::Ok().json(json!({ "revision": edited.revision, "samples": count })))
}
