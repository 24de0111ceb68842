//! Samples as data, and how the receiver counts frames.

use actix_web::http::header::CONTENT_DISPOSITION;
use actix_web::{HttpResponse, get, web};
use jampin_core::formats::{FrameCount, NamedTrack, samples_csv as csv, samples_json as json_samples};
use jampin_core::shot::{Shot, Subject};
use jampin_core::time::Rational;
use serde::Deserialize;
use uuid::Uuid;

use crate::error::ApiError;
use crate::exports::save_as;
use crate::shots::{Loaded, load};
use crate::state::AppState;

/// How the receiver of a file counts frames: `count=0`, `1`, `1001`, any first number, or `timecode`.
#[derive(Deserialize)]
pub(crate) struct Counted {
    count: Option<String>,
}

impl Counted {
    pub fn count(&self, rate: Rational) -> Result<FrameCount, ApiError> {
        FrameCount::parse(self.count.as_deref(), rate)
            .ok_or_else(|| ApiError::Unusable("Count frames from a whole number, 0 or more, or by timecode.".into()))
    }
}

/// Every pin under its subject's name; a second one of the same name gets a number.
fn named_tracks(shot: &Shot) -> Vec<(String, Uuid)> {
    let mut names: Vec<(String, Uuid)> = Vec::new();
    let pins = |subject: &Subject| subject.pins.iter().map(|pin| pin.id).collect::<Vec<_>>();
    for (name, pin) in shot.subjects.iter().flat_map(|s| pins(s).into_iter().map(|pin| (s.name.clone(), pin))) {
        let same = |name: &str| names.iter().any(|(other, _)| other == name);
        let numbered = (2..).map(|n| format!("{name} {n}"));
        let free = std::iter::once(name.clone()).chain(numbered).find(|name| !same(name));
        names.push((free.unwrap_or(name), pin));
    }
    names
}

#[get("/api/shots/{id}/samples.csv")]
pub(crate) async fn samples_csv(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    counted: web::Query<Counted>,
) -> Result<HttpResponse, ApiError> {
    let Loaded { stored, info, .. } = load(&state, *id).await?;
    let names = named_tracks(&stored.shot);
    let tracks: Vec<NamedTrack<'_>> =
        names.iter().map(|(name, pin)| NamedTrack { name, track: stored.shot.track(*pin) }).collect();
    let text = csv(&tracks, stored.info.range, counted.count(info.rate)?);
    let name = format!("{} samples.csv", stored.info.name);
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header((CONTENT_DISPOSITION, save_as(&name)))
        .body(text))
}

#[get("/api/shots/{id}/samples.json")]
pub(crate) async fn samples_json(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    counted: web::Query<Counted>,
) -> Result<HttpResponse, ApiError> {
    let Loaded { stored, info, .. } = load(&state, *id).await?;
    let names = named_tracks(&stored.shot);
    let tracks: Vec<NamedTrack<'_>> =
        names.iter().map(|(name, pin)| NamedTrack { name, track: stored.shot.track(*pin) }).collect();
    let name = format!("{} samples.json", stored.info.name);
    Ok(HttpResponse::Ok().insert_header((CONTENT_DISPOSITION, save_as(&name))).json(json_samples(
        &tracks,
        stored.info.range,
        info.rate,
        counted.count(info.rate)?,
    )))
}
