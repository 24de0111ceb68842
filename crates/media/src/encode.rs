//! Frames into a film, with the sound and the frame times of the clip they came from.

use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ChildStdin;

use jampin_core::time::Frame;

use crate::child::{Watch, Watched};
use crate::container::{ALWAYS_ALIKE, EncodeJob, name_timescale};
use crate::sound::Sound;
use crate::tools::{Call, Tools};
use crate::{Cancel, FrameTable, MediaError, matroska};

/// Takes frames and writes them.
pub struct Encoder {
    watched: Watched,
    stdin: Option<ChildStdin>,
    unfinished: PathBuf,
    out: PathBuf,
    start: i64,
    table: FrameTable,
}

impl Encoder {
    /// Starts the encoder.
    pub fn start(tools: &Tools, job: &EncodeJob<'_>, cancel: Cancel) -> Result<Self, MediaError> {
        let unfinished = job.out.with_extension("part");
        let mut command = command(tools, job, &unfinished);
        command.takes_input();
        let watch = Watch { quiet: tools.limits.quiet, cancel };
        let (watched, pipes) = Watched::start(command, watch, |_| true)?;
        let mut stdin = pipes.stdin.expect("standard input is piped");
        let nanos = (1e9 / job.info.rate.as_f64()).round() as u64;
        // When it died at once the reason comes from `finish`, not from the broken pipe.
        let _ = stdin.write_all(&matroska::head(job.info.size, nanos, job.container.frame_format()));
        let whole = job.piece_of.unwrap_or(job.range.first);
        let start = job.container.start_of_piece(job.table, whole, job.range.first);
        let table = job.table.clone();
        Ok(Self { watched, stdin: Some(stdin), unfinished, out: job.out.to_owned(), start, table })
    }

    /// Writes a frame, shown when the frame of this number was. `frame` has what the container takes
    /// ([`Container::is_graphics`]).
    pub fn write(&mut self, number: Frame, frame: &[u8]) -> Result<(), MediaError> {
        let micros = (self.table.micros(number).unwrap_or(0) - self.start).max(0) as u64;
        let stdin = self.stdin.as_mut().expect("open until finished");
        let written = stdin.write_all(&matroska::frame_head(micros, frame.len())).and_then(|()| stdin.write_all(frame));
        self.watched.progress();
        written.map_err(MediaError::io("handing a frame to the encoder"))
    }

    /// Ends the film and puts it in its place.
    pub fn finish(mut self) -> Result<(), MediaError> {
        drop(self.stdin.take());
        let ended = self.watched.finish();
        if let Err(error) = ended {
            let _ = std::fs::remove_file(&self.unfinished);
            return Err(error);
        }
        std::fs::rename(&self.unfinished, &self.out).map_err(MediaError::io("putting the film in its place"))
    }

    /// Gives up; nothing half-made remains. The reason why the encoder would not take any more, if it had one.
    pub fn abandon(mut self) -> Option<MediaError> {
        drop(self.stdin.take());
        let ended = self.watched.finish().err();
        let _ = std::fs::remove_file(&self.unfinished);
        ended
    }
}

fn command(tools: &Tools, job: &EncodeJob<'_>, out: &Path) -> Call {
    let mut command = tools.ffmpeg();
    command.args(["-loglevel", "error"]);
    if job.piece_of.is_some() {
        // Its first frame may be shown a moment after its start.
        command.arg("-copyts");
    }
    let sound = Sound::of(job);
    sound.hold_picture_back(&mut command);
    command.args(["-f", "matroska", "-i", "pipe:0"]);
    sound.read(&mut command);
    command.args(["-map", "0:v:0"]);
    sound.write(&mut command);
    video_options(&mut command, job);
    command.args(ALWAYS_ALIKE).args(["-f", job.container.muxer()]).writes(out);
    command
}

fn video_options(command: &mut Call, job: &EncodeJob<'_>) {
    let (info, container) = (job.info, job.container);
    if container.needs_even_size() && (info.size.width % 2 == 1 || info.size.height % 2 == 1) {
        command.args(["-vf", "pad=ceil(iw/2)*2:ceil(ih/2)*2,fillborders=right=1:bottom=1:mode=smear"]);
    }
    command.args(container.video_options().split(' '));
    command.args(["-fps_mode", "passthrough", "-enc_time_base", "1:1000000"]);
    name_timescale(command, job);
    if container.is_graphics() {
        // Colours of the page by the matrix that receivers expect of high definition. ProRes takes the tags from the
        // frames, the others from the encoder.
        let tagged = "setparams=range=tv:colorspace=bt709:color_primaries=bt709:color_trc=bt709";
        command.args(["-vf", &format!("scale=out_color_matrix=bt709:out_range=tv,{tagged}"), "-color_range", "tv"]);
        command.args(["-colorspace", "bt709", "-color_trc", "bt709", "-color_primaries", "bt709"]);
        return;
    }
    let tags = [
        ("-color_range", &info.colour.range),
        ("-colorspace", &info.colour.space),
        ("-color_trc", &info.colour.transfer),
        ("-color_primaries", &info.colour.primaries),
    ];
    for (option, tag) in tags {
        if let Some(tag) = tag {
            command.args([option, tag]);
        }
    }
}
