//! Graphics and captions as text: animated SVG, Lottie, WebVTT.

use std::sync::Arc;

use actix_web::http::header::CONTENT_DISPOSITION;
use actix_web::{HttpResponse, get, web};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use jampin_core::formats::{DrawnArt, animated_svg, lottie, webvtt};
use jampin_core::scene::{Art, ClipArt, Scene};
use jampin_core::time::Frame;
use jampin_jobs::pictures_of;
use jampin_render::{Artwork, Pictures};
use uuid::Uuid;

use crate::error::{ApiError, sentence};
use crate::evaluated::EvaluatedShot;
use crate::exports::save_as;
use crate::loading::load;
use crate::state::AppState;

/// A file of the graphics: its media type, its ending, and how it is made.
struct Kind {
    media_type: &'static str,
    ending: &'static str,
    write: fn(&Scene, &EvaluatedShot, &[DrawnArt]) -> String,
}

const SVG: Kind = Kind {
    media_type: "image/svg+xml",
    ending: "svg",
    write: |scene, loaded, art| animated_svg(scene, loaded.stored.info.range, &times(loaded), loaded.info.size, art),
};
const LOTTIE: Kind = Kind {
    media_type: "application/json",
    ending: "lottie.json",
    write: |scene, loaded, art| {
        lottie(scene, loaded.stored.info.range, loaded.info.rate, loaded.info.size, art).to_string()
    },
};
const WEBVTT: Kind = Kind {
    media_type: "text/vtt; charset=utf-8",
    ending: "vtt",
    write: |scene, loaded, _| webvtt(scene, loaded.stored.info.range, &times(loaded), loaded.info.size),
};

/// When each frame of the shot begins, and when the last ends, from the first on.
fn times(loaded: &EvaluatedShot) -> Vec<i64> {
    let range = loaded.stored.info.range;
    let at = |frame: u32| loaded.table.micros(Frame(frame)).unwrap_or(0);
    let first = at(range.first.0);
    (range.first.0..=range.last.0 + 1).map(|frame| at(frame) - first).collect()
}

#[get("/api/shots/{id}/graphics.svg")]
pub(crate) async fn svg_file(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    file(&state, *id, &SVG).await
}

#[get("/api/shots/{id}/graphics.lottie.json")]
pub(crate) async fn lottie_file(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    file(&state, *id, &LOTTIE).await
}

#[get("/api/shots/{id}/labels.vtt")]
pub(crate) async fn webvtt_file(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    file(&state, *id, &WEBVTT).await
}

async fn file(state: &web::Data<AppState>, id: Uuid, kind: &'static Kind) -> Result<HttpResponse, ApiError> {
    let loaded = load(state, id).await?;
    let name = format!("{}.{}", loaded.stored.info.name, kind.ending);
    let state = state.clone();
    let of = &loaded.stored;
    let pictures = pictures_of(&state.store, &state.library, of.info.project_id, &of.shot).await;
    let pictures = pictures.map_err(ApiError::internal)?;
    let made = web::block(move || {
        let scene = loaded.scene(&state.typesetter);
        let art = drawn_art(&state, scene, &pictures)?;
        Ok::<_, ApiError>((kind.write)(scene, &loaded, &art))
    });
    let text = made.await.map_err(ApiError::internal)??;
    Ok(HttpResponse::Ok().content_type(kind.media_type).insert_header((CONTENT_DISPOSITION, save_as(&name))).body(text))
}

/// The artwork of a scene as files need it.
fn drawn_art(state: &AppState, scene: &Scene, pictures: &Pictures) -> Result<Vec<DrawnArt>, ApiError> {
    let unusable = |problem: &dyn std::fmt::Display| ApiError::Unusable(sentence(&problem.to_string()));
    let drawn = |artwork: Arc<Artwork>| {
        let outlines = artwork.outlines();
        let image = if outlines.is_empty() { address("image/png", &artwork.png()) } else { String::new() };
        DrawnArt { width: artwork.width, height: artwork.height, svg: inner(&artwork.svg), outlines, image }
    };
    let made = scene.artwork().map(|art| match art {
        Art::Label(art) => state.typesetter.artwork(art).map(drawn).map_err(|problem| unusable(&problem)),
        Art::Flare(part) => state.typesetter.flare(part).map(drawn).map_err(|problem| unusable(&problem)),
        Art::Picture(id, [width, height]) => {
            let bytes = pictures.get(id).ok_or_else(|| unusable(&jampin_render::PainterError::Missing))?;
            let media_type = if bytes.starts_with(b"\x89PNG") { "image/png" } else { "image/svg+xml" };
            let image = address(media_type, bytes);
            let svg =
                format!(r#"<image width="{width}" height="{height}" preserveAspectRatio="none" href="{image}"/>"#);
            Ok(DrawnArt { width: f64::from(*width), height: f64::from(*height), svg, outlines: Vec::new(), image })
        }
        // In a file without pixels of a film there is nothing of it.
        Art::Clip(ClipArt { pixels, .. }) => {
            let [width, height] = pixels.map(f64::from);
            Ok(DrawnArt { width, height, svg: String::new(), outlines: Vec::new(), image: String::new() })
        }
    });
    made.collect()
}

/// What is inside of a standalone SVG.
fn inner(svg: &str) -> String {
    let from = svg.find('>').map_or(0, |at| at + 1);
    let until = svg.rfind("</svg>").unwrap_or(svg.len());
    svg[from.min(until)..until].to_owned()
}

fn address(media_type: &str, bytes: &[u8]) -> String {
    format!("data:{media_type};base64,{}", STANDARD.encode(bytes))
}
