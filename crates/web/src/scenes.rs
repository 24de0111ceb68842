//! What hangs in a shot, as the page paints it: a window of frames at a time, in columns.

use std::collections::hash_map::DefaultHasher;
use std::hash::{Hash, Hasher};
use std::sync::Arc;

use actix_web::{HttpResponse, get, web};
use jampin_core::scene::{Art, ClipArt, Scene};
use jampin_core::time::{Frame, FrameRange};
use jampin_render::{Artwork, TypesetError, Typesetter};
use serde::{Deserialize, Serialize};
use serde_json::value::RawValue;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::error::ApiError;
use crate::evaluated::EvaluatedShot;
use crate::loading::load;
use crate::run_columns::{RunColumns, in_columns};
use crate::state::AppState;

/// Frames of a window: about two seconds. Longer, and a change is seen later; shorter, and playing asks more often.
const WINDOW: u32 = 60;

#[derive(Deserialize)]
pub(crate) struct WindowQuery {
    /// A frame of the window; the shot's first when it is not given.
    at: Option<Frame>,
    /// The tag of the artwork that the page has already.
    #[serde(default)]
    art: String,
}

#[derive(Serialize)]
struct Window {
    revision: i64,
    /// The shot's frames.
    shot: FrameRange,
    /// Frames of a window; windows are counted from the shot's first frame.
    length: u32,
    /// The window's frames.
    range: FrameRange,
    /// Changes with the artwork.
    art: String,
    /// Nothing for a page that has it.
    artwork: Option<Box<RawValue>>,
    offsets: Vec<Value>,
    /// What is painted, from back to front.
    runs: Vec<RunColumns>,
}

/// The artwork, and for every frame of a window what to paint: what the exporter paints too.
#[get("/api/shots/{id}/scene")]
pub(crate) async fn shot_scene(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    query: web::Query<WindowQuery>,
) -> Result<HttpResponse, ApiError> {
    let loaded = load(&state, *id).await?;
    let typesetter = state.typesetter.clone();
    let answer = web::block(move || {
        let window = window(&loaded, &query, &typesetter)?;
        serde_json::to_string(&window).map_err(ApiError::internal)
    });
    let answer = answer.await.map_err(ApiError::internal)??;
    Ok(HttpResponse::Ok().content_type("application/json").body(answer))
}

fn window(loaded: &EvaluatedShot, query: &WindowQuery, typesetter: &Typesetter) -> Result<Window, ApiError> {
    let scene = loaded.scene(typesetter);
    let shot = loaded.stored.info.range;
    let at = query.at.unwrap_or(shot.first).clamp(shot.first, shot.last);
    let first = Frame(at.0 - (at.0 - shot.first.0) % WINDOW);
    let range = FrameRange { first, last: Frame(first.0 + WINDOW - 1).min(shot.last) };
    let artwork = serde_json::to_string(&artwork(scene, typesetter)?).map_err(ApiError::internal)?;
    let tag = tag(&artwork);
    let is_known = query.art == tag;
    let offsets = scene
        .offsets()
        .map(|(art, attachment, offset)| json!({ "art": art, "attachment": attachment, "offset": offset }))
        .collect();
    let frames: Vec<Vec<Value>> = range.frames().map(|frame| drawables(scene, frame)).collect();
    Ok(Window {
        revision: loaded.stored.info.revision,
        shot,
        length: WINDOW,
        range,
        art: tag,
        artwork: if is_known { None } else { Some(RawValue::from_string(artwork).map_err(ApiError::internal)?) },
        offsets,
        runs: in_columns(range.first, &frames),
    })
}

fn tag(text: &str) -> String {
    let mut hasher = DefaultHasher::new();
    text.hash(&mut hasher);
    format!("{:016x}", hasher.finish())
}

fn artwork(scene: &Scene, typesetter: &Typesetter) -> Result<Vec<Value>, ApiError> {
    let drawn = |art: Arc<Artwork>| json!({ "svg": art.svg, "width": art.width, "height": art.height });
    let artwork = scene.artwork().map(|art| match art {
        Art::Label(art) => typesetter.artwork(art).map(drawn),
        Art::Flare(part) => typesetter.flare(part).map(drawn),
        Art::Picture(id, [width, height]) => {
            Ok(json!({ "href": format!("/pictures/{id}"), "width": width, "height": height }))
        }
        Art::Clip(ClipArt { clip, pixels: [width, height], frames, alpha, key }) => Ok(json!({
            "clip": clip, "width": width, "height": height, "frames": frames, "alpha": alpha, "key": key,
        })),
    });
    artwork.collect::<Result<Vec<Value>, TypesetError>>().map_err(ApiError::internal)
}

/// The drawables of a frame from back to front, each with the attachment that it belongs to.
fn drawables(scene: &Scene, frame: Frame) -> Vec<Value> {
    let mut all = Vec::new();
    for (owner, drawables) in scene.frame_by_attachment(frame) {
        for drawable in drawables {
            let mut value = json!(drawable);
            value["of"] = json!(owner);
            all.push(value);
        }
    }
    all
}
