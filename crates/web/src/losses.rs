//! Where a pin was lost, with what changed there and what would help.

use std::time::Duration;

use actix_web::{HttpResponse, get, web};
use jampin_core::check::{Loss, losses};
use jampin_core::locate::Film;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::planes;
use crate::state::AppState;

#[get("/api/shots/{id}/pins/{pin}/losses")]
pub(crate) async fn pin_losses(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
) -> Result<HttpResponse, ApiError> {
    let (id, pin) = path.into_inner();
    let loaded = load(&state, id).await?;
    let found = loaded.stored.shot.pin(pin).map(|(_, pin)| pin.clone());
    let pin = found.ok_or_else(|| ApiError::NotFound("This pin is not there any more.".into()))?;
    let mut source = planes::open(&state, &loaded, pin.frame, Duration::from_secs(1)).await?;
    let folder = state.library.clip(loaded.clip.id);
    let found = web::block(move || {
        // Of a film that is still being read no borders are known.
        let scene = folder.scene();
        let part = loaded.part(pin.frame);
        let second = loaded.info.rate.as_f64().round() as u32;
        let film = Film { scene: &scene.unwrap_or_default(), part };
        losses(&mut source, &pin, loaded.stored.shot.track(pin.id), film, second)
    });
    let found = found.await.map_err(ApiError::internal)?.map_err(planes::problem)?;
    Ok(HttpResponse::Ok().json(found.iter().map(told).collect::<Vec<_>>()))
}

fn told(loss: &Loss) -> Value {
    let Loss { gap, at, cause, step } = loss;
    json!({ "first": gap.first, "last": gap.last, "at": at, "cause": cause, "step": step, "text": loss.sentence() })
}
