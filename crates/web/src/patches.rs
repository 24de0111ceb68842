//! The three little pictures of a pin: as picked, now, difference.

use std::time::Duration;

use actix_web::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use actix_web::{HttpResponse, get, web};
use jampin_core::document::{Area, Shot};
use jampin_core::geometry::{Homography, PixelRect, Point, Rect, Size};
use jampin_core::image::{Component, FrameSource, Plane, difference, enlarge, upright};
use jampin_core::time::Frame;
use jampin_media::{MediaError, StoredPlanes};
use jampin_render::grey_png;
use serde::Deserialize;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::planes;
use crate::state::AppState;

/// Wanted side of a little picture, in pixels; the pattern is enlarged a whole number of times to come near it.
const WANTED_SIDE: u32 = 184;
/// And the largest that is made.
const MOST_SIDE: u32 = 1024;
/// A point is moved no further than this from the picture's corner, in pixels.
const FAR: f64 = 1e5;
/// Differences are shown this many times stronger, so that half a pixel is plain to see.
const CONTRAST: f64 = 4.0;

#[derive(Deserialize)]
pub(crate) struct PatchQuery {
    frame: Frame,
    /// Compared with the picture of this frame instead of the first one.
    against: Option<Frame>,
    /// Where the point is, while it is being moved.
    x: Option<f64>,
    y: Option<f64>,
    /// Wanted side, in pixels.
    side: Option<u32>,
}

#[get("/api/shots/{id}/pins/{pin}/{which}.png")]
pub(crate) async fn patch(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid, String)>,
    query: web::Query<PatchQuery>,
) -> Result<HttpResponse, ApiError> {
    let (shot, pin, which) = path.into_inner();
    let loaded = load(&state, shot).await?;
    let found = loaded.stored.shot.pin(pin);
    let (subject, pin) = found.ok_or_else(|| ApiError::NotFound("This pin is not there any more.".into()))?;
    let track = loaded.stored.shot.track(pin.id);
    let moved = query.x.zip(query.y).map(|(x, y)| Point::new(x, y)).filter(|at| at.distance(Point::default()) < FAR);
    let now = moved.or_else(|| track.get(query.frame).map(|sample| sample.at)).map(|at| (query.frame, at));
    let now = now.ok_or_else(|| ApiError::NotFound("The pin has no place on this frame.".into()))?;
    let first = (pin.frame, track.position(pin.frame).unwrap_or(pin.at));
    let against = query.against.and_then(|frame| Some((frame, track.position(frame)?)));
    let picked = against.unwrap_or(first);
    let wanted = query.side.unwrap_or(WANTED_SIDE).min(MOST_SIDE);
    let mut source = planes::open(&state, &loaded, query.frame, Duration::from_secs(1)).await?;
    let view = match subject.area_of(pin.id) {
        Some(area) => {
            let face = area.bounds();
            let maps = [picked, now].map(|(frame, at)| Some((frame, face_map(&loaded.stored.shot, area, frame, at)?)));
            let [Some(picked), Some(now)] = maps else {
                return Err(ApiError::NotFound("The area has no place on this frame.".into()));
            };
            View::Face { face, size: shown_size(face, wanted), maps: [picked, now] }
        }
        None => {
            let [cols, rows] = pin.pattern;
            View::Pattern { cols, rows, zoom: (wanted / cols.max(rows)).clamp(1, 16), places: [picked, now] }
        }
    };
    let made = web::block(move || {
        let plane = match which.as_str() {
            "picked" => view.picked(&mut source)?,
            "now" => view.now(&mut source)?,
            "difference" => {
                let (a, b) = (view.picked(&mut source)?, view.now(&mut source)?);
                difference(&a, &b, CONTRAST).unwrap_or(b)
            }
            _ => return Ok(None),
        };
        Ok::<_, MediaError>(Some(grey_png(&plane)))
    });
    let made = made.await.map_err(ApiError::internal)?.map_err(planes::problem)?;
    let bytes = made.ok_or_else(|| ApiError::NotFound("There is no such picture of a pin.".into()))?;
    Ok(HttpResponse::Ok()
        // The page asks with the place in the address, so an answer stays right.
        .insert_header((CACHE_CONTROL, "private, max-age=600"))
        .insert_header((CONTENT_TYPE, "image/png"))
        .body(bytes))
}

/// What is enlarged: on the frame that is compared with, and on the frame in view.
enum View {
    /// The pattern of a pin.
    Pattern { cols: u32, rows: u32, zoom: u32, places: [(Frame, Point); 2] },
    /// The whole face of an area, brought upright.
    Face { face: Rect, size: Size, maps: [(Frame, Homography); 2] },
}

impl View {
    fn picked(&self, source: &mut StoredPlanes) -> Result<Plane, MediaError> {
        self.part(source, 0)
    }

    fn now(&self, source: &mut StoredPlanes) -> Result<Plane, MediaError> {
        self.part(source, 1)
    }

    fn part(&self, source: &mut StoredPlanes, index: usize) -> Result<Plane, MediaError> {
        match self {
            Self::Pattern { cols, rows, zoom, places } => {
                let (frame, at) = places[index];
                let rect = PixelRect::around(at, f64::from(*cols) / 2.0 + 3.0, f64::from(*rows) / 2.0 + 3.0);
                Ok(enlarge(&source.window(frame, rect, Component::Luma)?, at, *cols, *rows, *zoom))
            }
            Self::Face { face, size, maps } => {
                let (frame, map) = &maps[index];
                let corners = face.corners().map(|corner| map.apply(corner));
                let seen = Rect::around_all(&corners).unwrap_or(*face);
                let (middle, room) = (seen.middle(), 3.0);
                let [across, down] = [seen.right - seen.left, seen.bottom - seen.top].map(|side| side / 2.0 + room);
                let window = source.window(*frame, PixelRect::around(middle, across, down), Component::Luma)?;
                Ok(upright(&window, map, *face, *size))
            }
        }
    }
}

/// From where an area was drawn to a frame, with its middle at a place.
fn face_map(shot: &Shot, area: &Area, frame: Frame, at: Point) -> Option<Homography> {
    let known = shot.area_map(area, frame)?;
    let by = at - known.apply(area.bounds().middle());
    Homography::shift(by).checked_after(&known)
}

/// As large as it is wanted, in the proportions of the face.
fn shown_size(face: Rect, wanted: u32) -> Size {
    let (width, height) = ((face.right - face.left).max(1.0), (face.bottom - face.top).max(1.0));
    let scale = f64::from(wanted) / width.max(height);
    Size::new((width * scale).ceil().max(1.0) as u32, (height * scale).ceil().max(1.0) as u32)
}
