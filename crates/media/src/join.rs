//! Several films made into one.

use std::path::{Path, PathBuf};

use jampin_core::geometry::Size;

use crate::child::{Watch, with_progress};
use crate::tools::Tools;
use crate::{Cancel, Container, MediaError};

/// A film that becomes part of another.
#[derive(Clone, Debug)]
pub struct Part {
    /// Where it is.
    pub path: PathBuf,
    /// Width and height.
    pub size: Size,
    /// How long it is, in microseconds.
    pub micros: i64,
    /// Whether there is sound with it.
    pub has_sound: bool,
}

/// Joins films in their order; `report` is told how many frames are done. All get the size of the first, within black
/// borders where their shape is another; where one has sound, the others are silent.
pub fn join(
    tools: &Tools,
    parts: &[Part],
    container: Container,
    out: &Path,
    cancel: &Cancel,
    report: &mut dyn FnMut(u32),
) -> Result<(), MediaError> {
    let first = parts.first().ok_or_else(|| MediaError::BadInput("There is nothing to join.".into()))?;
    let unfinished = out.with_extension("part");
    let mut command = tools.ffmpeg();
    command.args(["-loglevel", "error"]);
    for part in parts {
        command.film(&part.path);
    }
    let sound = parts.iter().any(|part| part.has_sound);
    command.args(["-filter_complex", &graph(parts, even(first.size, container), sound), "-map", "[v]"]);
    if sound {
        command.args(["-map", "[a]", "-c:a"]).args(container.sound_encoder());
    }
    command.args(container.video_options().split(' ')).args([
        "-fps_mode",
        "passthrough",
        "-enc_time_base",
        "1:1000000",
    ]);
    if container == Container::Mp4 {
        command.args(["-video_track_timescale", "1000000"]);
    }
    command.args(["-progress", "pipe:1", "-f", container.extension()]).writes(&unfinished);
    let watch = Watch { quiet: tools.limits.quiet, cancel: cancel.clone() };
    let ended = with_progress(command, watch, report);
    if let Err(error) = ended {
        let _ = std::fs::remove_file(&unfinished);
        return Err(error);
    }
    std::fs::rename(&unfinished, out).map_err(MediaError::io("putting the film in its place"))
}

fn even(size: Size, container: Container) -> Size {
    if container == Container::Mp4 {
        Size::new(size.width.next_multiple_of(2), size.height.next_multiple_of(2))
    } else {
        size
    }
}

fn graph(parts: &[Part], Size { width, height }: Size, sound: bool) -> String {
    let mut graph = String::new();
    let mut order = String::new();
    for (i, part) in parts.iter().enumerate() {
        graph += &format!(
            "[{i}:v]settb=1/1000000,setpts=PTS-STARTPTS,\
              scale={width}:{height}:force_original_aspect_ratio=decrease:flags=bicubic,\
              pad={width}:{height}:-1:-1,setsar=1,format=yuv420p[v{i}];"
        );
        order += &format!("[v{i}]");
        if sound {
            let seconds = part.micros as f64 / 1e6;
            let source = if part.has_sound { format!("[{i}:a]") } else { "anullsrc=r=48000:cl=stereo,".into() };
            graph += &format!(
                "{source}aresample=48000,aformat=channel_layouts=stereo,apad,atrim=0:{seconds:.6},asetpts=PTS-STARTPTS[a{i}];"
            );
            order += &format!("[a{i}]");
        }
    }
    let outputs = if sound { "[v][a]" } else { "[v]" };
    graph + &format!("{order}concat=n={}:v=1:a={}{outputs}", parts.len(), u8::from(sound))
}
