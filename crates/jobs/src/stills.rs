//! Pictures and logos taken into the media folder, made harmless.

use std::path::Path;

use jampin_media::{MediaError, StillKind, still_kind, still_to_png};
use jampin_render::harmless_svg;
use thiserror::Error;
use uuid::Uuid;

use crate::Library;
use crate::durable::{make_room_for, put_in_place};

/// Why a picture was not taken in.
#[derive(Debug, Error)]
pub enum StillProblem {
    /// It is no picture that can be used; says what to do.
    #[error("{0}")]
    Unusable(String),
    /// It could not be kept.
    #[error(transparent)]
    Io(#[from] std::io::Error),
    /// Media failed.
    #[error(transparent)]
    Media(MediaError),
}

/// Makes a picture harmless and puts it into its place; its width and height.
pub fn keep_picture(library: &Library, id: Uuid, bytes: &[u8]) -> Result<[u32; 2], StillProblem> {
    let path = library.picture(id);
    let draft = path.with_extension("part");
    make_room_for(&path).map_err(StillProblem::Media)?;
    let size = draw(library, bytes, &draft);
    let kept = size.and_then(|size| put_in_place(&draft, &path).map(|()| size).map_err(StillProblem::Media));
    if kept.is_err() {
        let _ = std::fs::remove_file(&draft);
    }
    kept
}

fn draw(library: &Library, bytes: &[u8], out: &Path) -> Result<[u32; 2], StillProblem> {
    match still_kind(bytes) {
        Some(StillKind::Pixels(demuxer)) => {
            let raw = out.with_extension("raw");
            std::fs::write(&raw, bytes)?;
            let size = still_to_png(&library.tools, demuxer, &raw, out);
            let _ = std::fs::remove_file(&raw);
            size.map_err(|error| match error {
                MediaError::BadInput(message) => StillProblem::Unusable(message),
                other => StillProblem::Media(other),
            })
        }
        Some(StillKind::Text) => {
            let (svg, size) = harmless_svg(bytes).map_err(|problem| StillProblem::Unusable(problem.to_string()))?;
            std::fs::write(out, svg)?;
            Ok(size)
        }
        None => {
            Err(StillProblem::Unusable("this is no picture that can be used: bring a PNG, JPEG, WebP or SVG".into()))
        }
    }
}
