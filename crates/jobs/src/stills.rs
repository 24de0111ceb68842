//! Pictures and logos taken into the media folder, made harmless.

use std::path::Path;

use jampin_media::{MediaError, StillKind, by_ourselves, still_kind, still_to_png};
use jampin_render::harmless_svg;
use uuid::Uuid;

use crate::Library;
use crate::durable::{make_room_for, put_in_place};

/// The word by which our own program makes an SVG harmless, shut in: standard input to standard output, where the first
/// line has width and height.
pub const HARMLESS_SVG: &str = "harmless-svg";

/// Makes a picture harmless and puts it into its place; its width and height.
pub fn keep_picture(library: &Library, id: Uuid, bytes: &[u8]) -> Result<[u32; 2], MediaError> {
    let path = library.picture(id);
    let draft = path.with_extension("part");
    make_room_for(&path)?;
    let kept = draw(library, bytes, &draft).and_then(|size| put_in_place(&draft, &path).map(|()| size));
    if kept.is_err() {
        let _ = std::fs::remove_file(&draft);
    }
    kept
}

fn draw(library: &Library, bytes: &[u8], out: &Path) -> Result<[u32; 2], MediaError> {
    match still_kind(bytes) {
        Some(StillKind::Pixels(demuxer)) => {
            let raw = out.with_extension("raw");
            let size = std::fs::write(&raw, bytes)
                .map_err(MediaError::io("keeping a picture"))
                .and_then(|()| still_to_png(&library.tools, demuxer, &raw, out));
            let _ = std::fs::remove_file(&raw);
            size
        }
        Some(StillKind::Text) => {
            let (svg, size) = vector(library, bytes)?;
            std::fs::write(out, svg).map_err(MediaError::io("keeping a picture"))?;
            Ok(size)
        }
        None => {
            Err(MediaError::BadInput("This is no picture that can be used: bring a PNG, JPEG, WebP or SVG.".into()))
        }
    }
}

/// By a process of its own where there is a sandbox: whatever the bounds overlook ends with it.
fn vector(library: &Library, bytes: &[u8]) -> Result<(String, [u32; 2]), MediaError> {
    let Some(answer) = by_ourselves(&library.tools, HARMLESS_SVG, bytes) else {
        return harmless_svg(bytes).map_err(|problem| MediaError::BadInput(format!("{problem}.")));
    };
    let text = answer.map_err(|error| match error {
        MediaError::Tool { status, tail, .. } if status == "exit status: 2" => MediaError::BadInput(tail),
        MediaError::Tool { .. } | MediaError::Ended { .. } | MediaError::Limit(_) => {
            MediaError::BadInput("This SVG cannot be taken: reading it takes too much time or memory.".into())
        }
        other => other,
    })?;
    parse(&String::from_utf8_lossy(&text)).ok_or_else(|| MediaError::BadInput("This SVG cannot be read.".into()))
}

fn parse(answer: &str) -> Option<(String, [u32; 2])> {
    let (size, svg) = answer.split_once('\n')?;
    let (width, height) = size.split_once(' ')?;
    Some((svg.to_owned(), [width.parse().ok()?, height.parse().ok()?]))
}

#[cfg(test)]
mod tests {
    use super::parse;

    #[test]
    fn the_answer_of_our_own_program_is_a_size_and_a_picture() {
        assert_eq!(parse("30 20\n<svg>\n</svg>"), Some(("<svg>\n</svg>".into(), [30, 20])));
        assert_eq!([parse(""), parse("30\n<svg/>"), parse("30 x\n<svg/>")], [None, None, None]);
    }
}
