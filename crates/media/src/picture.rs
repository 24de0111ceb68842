//! Still pictures that come in: PNG, JPEG, WebP, all kept as PNG.

use std::fs;
use std::io::Read;
use std::path::Path;

use crate::MediaError;
use crate::child::output;
use crate::tools::Tools;

/// Longest side that is kept, in pixels: more than a film of 3840x2160 shows of a logo.
const LONGEST: u32 = 2560;

/// What a still picture is stored as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StillKind {
    /// PNG, JPEG or WebP: for ffmpeg, the name of its demuxer.
    Pixels(&'static str),
    /// SVG, or something else that begins like a text.
    Text,
}

/// What a file is, by its first bytes; `None` when it is none that is taken in.
pub fn still_kind(bytes: &[u8]) -> Option<StillKind> {
    let begins = |with: &[u8]| bytes.starts_with(with);
    match () {
        () if begins(b"\x89PNG\r\n\x1a\n") => Some(StillKind::Pixels("png_pipe")),
        () if begins(b"\xff\xd8\xff") => Some(StillKind::Pixels("jpeg_pipe")),
        () if begins(b"RIFF") && bytes.get(8..12) == Some(b"WEBP") => Some(StillKind::Pixels("webp_pipe")),
        () if bytes.trim_ascii_start().starts_with(b"<") || begins(b"\xef\xbb\xbf<") => Some(StillKind::Text),
        () => None,
    }
}

/// Writes a picture as a PNG with transparency, made smaller where it is huge; gives its width and height.
pub fn still_to_png(tools: &Tools, demuxer: &str, from: &Path, to: &Path) -> Result<[u32; 2], MediaError> {
    let mut command = tools.ffmpeg();
    command.args(["-loglevel", "error", "-protocol_whitelist", "file,pipe", "-f", demuxer]);
    command.file(from).args(["-frames:v", "1"]);
    let fit = format!("scale='min({LONGEST},iw)':'min({LONGEST},ih)':force_original_aspect_ratio=decrease:flags=area");
    command.args(["-vf", &format!("{fit},format=rgba"), "-f", "image2", "-c:v", "png", "-update", "1"]).writes(to);
    match output(command, tools.limits.probe, 1 << 20) {
        Ok(_) => png_size(to),
        Err(MediaError::Tool { tail, .. }) => {
            tracing::info!(tail, "a picture cannot be read");
            Err(MediaError::BadInput(
                "This picture cannot be read: it is damaged or cut off. Save it as PNG and bring it again.".into(),
            ))
        }
        Err(error) => Err(error),
    }
}

/// Width and height stand in the header of a PNG (ISO 15948, IHDR).
fn png_size(path: &Path) -> Result<[u32; 2], MediaError> {
    let mut head = [0; 24];
    let read = fs::File::open(path).and_then(|mut file| file.read_exact(&mut head));
    read.map_err(|_| MediaError::BadInput("This picture cannot be read: nothing could be decoded.".into()))?;
    let number = |at: usize| u32::from_be_bytes([head[at], head[at + 1], head[at + 2], head[at + 3]]);
    Ok([number(16), number(20)])
}
