//! What can be set of everything, as the page shows it: groups of rows of fields. Limits and beginnings come from the
//! core; the page knows none of its own.

mod attachments;
mod covers;
mod field;
mod pictures;
mod prototypes;
mod steps;

use actix_web::{HttpResponse, get, web};
use jampin_core::attachment::{
    Blend, Boundary, ColourKey, Cover, Flare, Label, Show, Sparks, Transition, TransitionKind,
};
use jampin_core::geometry::Size;
use jampin_core::path::Easing;
use jampin_core::pin::{MAX_PATTERN_SIDE, MAX_SEARCH, MIN_PATTERN_SIDE};
use jampin_core::track::SampleState;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::covers::behind;
use crate::error::ApiError;
use crate::loading::load;
use crate::pictures::USUAL_SHARE;
use crate::state::AppState;

/// Everything that the page has to know of settings, for the picture of a shot.
#[get("/api/shots/{id}/forms")]
pub(crate) async fn shot_forms(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    let size = load(&state, *id).await?.info.size;
    Ok(HttpResponse::Ok().json(json!({
        "attachments": attachments::all(size),
        "easings": easings(),
        "steps": steps::all(),
        "present": SampleState::all().filter(|state| state.is_present()).map(SampleState::word).collect::<Vec<_>>(),
        "pin": { "pattern": [MIN_PATTERN_SIDE, MAX_PATTERN_SIDE], "search": [1, MAX_SEARCH] },
        "fresh": fresh(size),
    })))
}

/// What things are like before anybody has set anything.
fn fresh(size: Size) -> Value {
    let show = |show: Show| json!(show);
    // In front of all that hangs there, as it hides it.
    let before = Show { order: 10, ..Show::default() };
    let flares_up = Transition { kind: TransitionKind::Fade, frames: 4, easing: Easing::IN_OUT };
    let shines = Show { blend: Blend::Screen, enters: flares_up, leaves: flares_up, ..Show::default() };
    let with = |mut settings: Value, of: Show| {
        settings["show"] = show(of);
        settings
    };
    json!({
        "label": Label::for_picture(size),
        "cover": with(json!(Cover::over(1.0, 1.0)), behind()),
        "cover_looks": Cover::looks(size),
        "cover_of_pattern": Cover::OF_PATTERN,
        "front": with(json!({ "feather": 1.0 }), before),
        "front_brightness": prototypes::brightness(),
        "boundary": Boundary::through(Vec::new(), true),
        "picture_share": USUAL_SHARE,
        "colour_key": ColourKey::default(),
        "flare_looks": Flare::looks(size),
        "flare": with(json!({}), shines),
        "sparks": with(json!(Sparks::for_picture(size)), Show { blend: Blend::Add, ..Show::default() }),
    })
}

/// The ones there are to choose from, with what they are called.
fn easings() -> Vec<(&'static str, Easing)> {
    vec![
        ("evenly", Easing::LINEAR),
        ("slow, fast, slow", Easing::IN_OUT),
        ("slow at first", Easing::IN),
        ("slow at last", Easing::OUT),
    ]
}

/// The same as values to choose.
fn easing_options() -> Vec<(&'static str, Value)> {
    easings().into_iter().map(|(name, easing)| (name, json!(easing))).collect()
}
