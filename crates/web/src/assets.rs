//! Styles, scripts and fonts, built into the program.

use actix_web::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use actix_web::{HttpResponse, get, web};

use crate::error::ApiError;

macro_rules! assets {
    ($($name:literal),* $(,)?) => {
        &[$(($name, include_bytes!(concat!("../assets/", $name)))),*]
    };
}

const ASSETS: &[(&str, &[u8])] = assets![
    "vendor/bootstrap.min.css",
    "vendor/bootstrap.bundle.min.js",
    "vendor/alpine-csp.esm.js",
    "fonts/public-sans.woff2",
    "icons.svg",
    "logo.svg",
    "theme.css",
    "bench.css",
    "js/ahead.js",
    "js/api.js",
    "js/artwork.js",
    "js/areas.js",
    "js/asking.js",
    "js/attach.js",
    "js/face.js",
    "js/face_drags.js",
    "js/faces.js",
    "js/outlining.js",
    "js/bench.js",
    "js/boundary.js",
    "js/clean.js",
    "js/clip_frames.js",
    "js/colour_key.js",
    "js/coming_in.js",
    "js/compose.js",
    "js/copy.js",
    "js/curves.js",
    "js/deleted.js",
    "js/directives.js",
    "js/film.js",
    "js/follow.js",
    "js/grabs.js",
    "js/hearing.js",
    "js/hold.js",
    "js/jobs.js",
    "js/keys.js",
    "js/look.js",
    "js/looking.js",
    "js/losses.js",
    "js/members.js",
    "js/match.js",
    "js/mend.js",
    "js/news.js",
    "js/nets.js",
    "js/note_marks.js",
    "js/notes.js",
    "js/overlay.js",
    "js/still.js",
    "js/pace.js",
    "js/painter.js",
    "js/panels/area.js",
    "js/panels/attach.js",
    "js/panels/check.js",
    "js/panels/clean.js",
    "js/panels/export.js",
    "js/panels/follow.js",
    "js/panels/import.js",
    "js/panels/keyframes.js",
    "js/panels/look.js",
    "js/panels/mend.js",
    "js/panels/pins.js",
    "js/panels/settings.js",
    "js/panels/show.js",
    "js/patches.js",
    "js/people.js",
    "js/pictures.js",
    "js/placing.js",
    "js/player.js",
    "js/playing.js",
    "js/pointer.js",
    "js/presence.js",
    "js/project.js",
    "js/projects.js",
    "js/queue.js",
    "js/rows.js",
    "js/scene.js",
    "js/ruler.js",
    "js/scene_windows.js",
    "js/session.js",
    "js/settings.js",
    "js/several.js",
    "js/spans.js",
    "js/spots.js",
    "js/svg.js",
    "js/tar.js",
    "js/time_left.js",
    "js/timeline.js",
    "js/timescale.js",
    "js/track.js",
    "js/trail.js",
    "js/warp.js",
    "js/weave.js",
    "js/you.js",
];

/// A number that changes with the program, so that browsers keep assets until then.
pub(crate) fn version() -> String {
    use std::hash::{DefaultHasher, Hash, Hasher};
    static VERSION: std::sync::OnceLock<String> = std::sync::OnceLock::new();
    let make = || {
        let mut hasher = DefaultHasher::new();
        ASSETS.hash(&mut hasher);
        format!("{:x}", hasher.finish())
    };
    VERSION.get_or_init(make).clone()
}

#[get("/assets/{version}/{name:.+}")]
pub(crate) async fn asset(path: web::Path<(String, String)>) -> Result<HttpResponse, ApiError> {
    serve(&path.1)
}

#[get("/favicon.ico")]
pub(crate) async fn favicon() -> Result<HttpResponse, ApiError> {
    serve("logo.svg")
}

fn serve(name: &str) -> Result<HttpResponse, ApiError> {
    let found = ASSETS.iter().find(|(known, _)| *known == name);
    let (name, bytes) = found.ok_or_else(|| ApiError::NotFound(format!("There is no asset {name}.")))?;
    let media_type = match name.rsplit('.').next() {
        Some("css") => "text/css; charset=utf-8",
        Some("js") => "text/javascript; charset=utf-8",
        Some("svg") => "image/svg+xml",
        Some("woff2") => "font/woff2",
        _ => "application/octet-stream",
    };
    Ok(HttpResponse::Ok()
        .insert_header((CACHE_CONTROL, "public, max-age=31536000, immutable"))
        .insert_header((CONTENT_TYPE, media_type))
        .body(*bytes))
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;
    use std::fs;
    use std::path::Path;

    use super::ASSETS;

    fn scripts_and_styles(folder: &Path) -> BTreeSet<String> {
        let entries = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
        let names = entries.filter_map(|path| Some(path.file_name()?.to_str()?.to_owned()));
        names.filter(|name| name.ends_with(".js") || name.ends_with(".css")).collect()
    }

    #[test]
    fn every_script_and_style_is_built_in() {
        let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("assets");
        let known: BTreeSet<&str> = ASSETS.iter().map(|(name, _)| *name).collect();
        for prefix in ["", "js/", "js/panels/"] {
            let found = scripts_and_styles(&root.join(prefix));
            assert!(!found.is_empty());
            found.iter().for_each(|name| assert!(known.contains(format!("{prefix}{name}").as_str()), "{prefix}{name}"));
        }
    }
}
