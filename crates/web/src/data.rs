//! The motion as data: samples, keyframes, paths, matrices, with frames counted as the receiver counts them.

use actix_web::http::header::CONTENT_DISPOSITION;
use actix_web::{HttpResponse, get, web};
use jampin_core::document::{Shot, Subject};
use jampin_core::formats::{
    FrameCount, NamedMotion, NamedTrack, keys_csv, matrices_csv, matrices_json, path_json, samples_csv, samples_json,
};
use jampin_core::motion::Poses;
use jampin_core::path::Path;
use jampin_core::time::Rational;
use serde::Deserialize;
use serde_json::Value;
use uuid::Uuid;

use crate::error::ApiError;
use crate::evaluated::EvaluatedShot;
use crate::exports::save_as;
use crate::loading::load;
use crate::state::AppState;

/// How the receiver of a file counts frames: `count=0`, `1`, `1001`, any first number, or `timecode`.
#[derive(Deserialize)]
pub(crate) struct Counted {
    count: Option<String>,
}

impl Counted {
    fn count(&self, rate: Rational) -> Result<FrameCount, ApiError> {
        FrameCount::parse(self.count.as_deref(), rate)
            .ok_or_else(|| ApiError::Unusable("Count frames from a whole number, 0 or more, or by timecode.".into()))
    }
}

/// What is in a file.
enum Written {
    Csv(String),
    Json(Value),
}

#[get(r"/api/shots/{id}/{file:(?:samples|matrices)\.(?:csv|json)|keys\.csv|path\.json}")]
pub(crate) async fn data_file(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, String)>,
    counted: web::Query<Counted>,
) -> Result<HttpResponse, ApiError> {
    let (id, file) = path.into_inner();
    let loaded = load(&state, id).await?;
    let count = counted.count(loaded.info.rate)?;
    let shot = loaded.stored.info.name.clone();
    let made = web::block(move || written(&loaded, &file, count)).await.map_err(ApiError::internal)?;
    let Some((name, written)) = made else { return Err(ApiError::NotFound("There is no such file.".into())) };
    let mut response = HttpResponse::Ok();
    response.insert_header((CONTENT_DISPOSITION, save_as(&format!("{shot} {name}"))));
    Ok(match written {
        Written::Csv(text) => response.content_type("text/csv; charset=utf-8").body(text),
        Written::Json(value) => response.json(value),
    })
}

/// A file and the name that it is saved under, after the shot's.
fn written(loaded: &EvaluatedShot, file: &str, count: FrameCount) -> Option<(&'static str, Written)> {
    let (shot, range, rate) = (&loaded.stored.shot, loaded.stored.info.range, loaded.info.rate);
    let names = named_tracks(shot);
    let tracks: Vec<NamedTrack<'_>> =
        names.iter().map(|(name, pin)| NamedTrack { name, track: shot.track(*pin) }).collect();
    Some(match file {
        "samples.csv" => ("samples.csv", Written::Csv(samples_csv(&tracks, range, count))),
        "samples.json" => ("samples.json", Written::Json(samples_json(&tracks, range, rate, count))),
        "keys.csv" => ("keyframes.csv", Written::Csv(keys_csv(&named_paths(loaded), count))),
        "path.json" => ("paths.json", Written::Json(path_json(&named_paths(loaded), range, rate, count))),
        "matrices.csv" => ("matrices.csv", Written::Csv(matrices_csv(&named_motions(loaded), count))),
        "matrices.json" => ("matrices.json", Written::Json(matrices_json(&named_motions(loaded), range, rate, count))),
        _ => return None,
    })
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

fn named_paths(loaded: &EvaluatedShot) -> Vec<(&str, Path)> {
    let path = |subject| Some(loaded.subject(subject)?.path().clone());
    loaded.stored.shot.subjects.iter().filter_map(|subject| Some((subject.name.as_str(), path(subject)?))).collect()
}

fn named_motions(loaded: &EvaluatedShot) -> Vec<NamedMotion<'_>> {
    let poses = |subject| Some(Poses::clone(loaded.poses(subject)?));
    loaded.stored.shot.subjects.iter().filter_map(|subject| Some((subject.name.as_str(), poses(subject)?))).collect()
}
