//! A film in pieces, which were written apart, put together: not a picture is encoded again.

use std::fmt::Write;
use std::path::{Path, PathBuf};

use jampin_core::time::Frame;

use crate::child::{Watch, with_progress};
use crate::container::{ALWAYS_ALIKE, Container, EncodeJob, name_timescale};
use crate::sound::Sound;
use crate::tools::{Call, Tools};
use crate::{Cancel, MediaError};

/// A piece of a film, as an [`crate::Encoder`] has written it.
#[derive(Clone, Debug)]
pub struct Piece {
    /// Where it is.
    pub path: PathBuf,
    /// Its first frame in the clip.
    pub first: Frame,
}

/// Puts the pieces of a film together in their order, with its sound. The same pieces give the same bytes.
pub fn join_pieces(tools: &Tools, job: &EncodeJob<'_>, pieces: &[Piece], cancel: &Cancel) -> Result<(), MediaError> {
    let unfinished = job.out.with_extension("part");
    let list = job.out.with_extension("list");
    std::fs::write(&list, list_of(job, pieces)).map_err(MediaError::io("joining a film"))?;
    let mut command = tools.ffmpeg();
    command.args(["-loglevel", "error"]);
    let sound = Sound::of(job);
    sound.hold_picture_back(&mut command);
    command.pieces(&list, pieces.iter().map(|piece| piece.path.as_path()));
    sound.read(&mut command);
    command.args(["-map", "0:v:0", "-c:v", "copy"]);
    sound.write(&mut command);
    name_timescale(&mut command, job);
    finish(&mut command, job, &unfinished);
    let watch = Watch { quiet: tools.limits.quiet, cancel: cancel.clone() };
    let ended = with_progress(command, watch, &mut |_| {});
    let _ = std::fs::remove_file(&list);
    if let Err(error) = ended {
        let _ = std::fs::remove_file(&unfinished);
        return Err(error);
    }
    std::fs::rename(&unfinished, job.out).map_err(MediaError::io("putting the film in its place"))
}

fn finish(command: &mut Call, job: &EncodeJob<'_>, out: &Path) {
    if job.container == Container::Mp4 {
        command.args(["-movflags", "+faststart"]);
    }
    command.args(ALWAYS_ALIKE).args(["-progress", "pipe:1", "-f", job.container.muxer()]).writes(out);
}

/// ffmpeg's list of files to be read one after the other: <https://ffmpeg.org/ffmpeg-formats.html#concat>. How long each
/// stays is said, as the files themselves round it.
fn list_of(job: &EncodeJob<'_>, pieces: &[Piece]) -> String {
    let start = |first: Frame| job.container.start_of_piece(job.table, job.range.first, first);
    let mut list = String::from("ffconcat version 1.0\n");
    for (piece, next) in pieces.iter().zip(pieces.iter().skip(1).map(Some).chain([None])) {
        let path = piece.path.to_string_lossy().replace('\'', r"'\''");
        let _ = writeln!(list, "file 'file:{path}'");
        if let Some(next) = next {
            let _ = writeln!(list, "duration {}us", start(next.first) - start(piece.first));
        }
    }
    list
}
