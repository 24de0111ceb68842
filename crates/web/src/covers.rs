//! What an outline in the picture covers, or everything but that, going with a subject.

use actix_web::{HttpResponse, post, web};
use jampin_core::attachment::{Attachment, AttachmentKind, Cover, Show};
use jampin_core::geometry::Point;
use jampin_core::time::Frame;
use serde::Deserialize;
use uuid::Uuid;

use crate::attachments::put_new;
use crate::error::{ApiError, sentence};
use crate::loading::load;
use crate::paths::subject_of;
use crate::state::AppState;

/// A cover lies behind all that hangs on its subject, as it is the picture that it changes.
pub(crate) fn behind() -> Show {
    Show { order: -10, ..Show::default() }
}

#[derive(Deserialize)]
pub(crate) struct CoverRequest {
    revision: i64,
    frame: Frame,
    /// Its corners in the picture of the frame.
    outline: Vec<Point>,
    /// Everything but the inside.
    inside_out: bool,
}

#[post("/api/shots/{id}/subjects/{subject}/covers")]
pub(crate) async fn cover(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
    body: web::Json<CoverRequest>,
) -> Result<HttpResponse, ApiError> {
    let (id, which) = path.into_inner();
    let CoverRequest { revision, frame, outline, inside_out } = body.into_inner();
    let loaded = load(&state, id).await?;
    let subject = subject_of(&loaded.stored.shot, which)?;
    let home = loaded.poses(subject).and_then(|poses| poses.path().position(frame)).ok_or_else(|| {
        ApiError::Unusable(format!("{} is not there on frame {frame}. Go to a frame on which it is.", subject.name))
    })?;
    let cover = Cover::within(&outline, home, frame)
        .ok_or_else(|| ApiError::Unusable("An outline has at least three corners.".into()))?;
    let kind = AttachmentKind::Cover(Cover { inside_out, ..cover });
    let attachment = Attachment { show: behind(), ..Attachment::new(Uuid::new_v4(), kind) };
    attachment.check().map_err(|problem| ApiError::Unusable(sentence(&problem.to_string())))?;
    let title = if inside_out { "Everything but it" } else { "Cover" };
    put_new(&state, (id, revision), which, attachment, title).await
}
