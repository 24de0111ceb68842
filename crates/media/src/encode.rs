//! Frames into a film, with the sound and the frame times of the clip they came from.

use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ChildStdin;

use jampin_core::time::{Frame, FrameRange};
use serde::{Deserialize, Serialize};

use crate::child::{Watch, Watched};
use crate::sound::Sound;
use crate::tools::{Call, Tools};
use crate::{Cancel, ClipInfo, FrameTable, MediaError, matroska};

/// Without it a file has a random name in itself.
pub(crate) const ALWAYS_ALIKE: [&str; 2] = ["-fflags", "+bitexact"];

/// What kind of film is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Container {
    /// MP4 with H.264.
    Mp4,
    /// WebM with VP9.
    Webm,
    /// WebM with VP9 and transparency: graphics alone.
    WebmGraphics,
    /// Matroska that keeps nearly all: what is encoded again.
    Between,
    /// QuickTime with ProRes 4444 and transparency: graphics alone.
    ProresGraphics,
}

impl Container {
    /// Ending of its files.
    pub fn extension(self) -> &'static str {
        match self {
            Self::Mp4 => "mp4",
            Self::Webm | Self::WebmGraphics => "webm",
            Self::ProresGraphics => "mov",
            Self::Between => "mkv",
        }
    }

    /// Its media type.
    pub fn media_type(self) -> &'static str {
        match self {
            Self::Mp4 => "video/mp4",
            Self::Webm | Self::WebmGraphics => "video/webm",
            Self::ProresGraphics => "video/quicktime",
            Self::Between => "video/x-matroska",
        }
    }

    /// Whether its frames are graphics with transparency (red, green, blue and coverage, a byte each), without sound;
    /// else 4:2:0 like the clip's.
    pub fn is_graphics(self) -> bool {
        matches!(self, Self::WebmGraphics | Self::ProresGraphics)
    }

    /// Encoder settings: visually lossless by common practice.
    pub(crate) fn video_options(self) -> &'static str {
        match self {
            // What comes out depends on the number of threads: on every machine the same.
            Self::Mp4 => "-c:v libx264 -preset fast -crf 17 -threads 8 -movflags +faststart -pix_fmt yuv420p",
            Self::Webm => "-c:v libvpx-vp9 -b:v 0 -crf 24 -deadline good -cpu-used 4 -row-mt 1 -pix_fmt yuv420p",
            // Frames that are not shown cannot be used with transparency.
            Self::WebmGraphics => {
                "-c:v libvpx-vp9 -b:v 0 -crf 16 -deadline good -cpu-used 4 -row-mt 1 -auto-alt-ref 0 -pix_fmt yuva420p"
            }
            Self::Between => "-c:v libx264 -preset ultrafast -crf 4 -pix_fmt yuv420p",
            Self::ProresGraphics => "-c:v prores_ks -profile:v 4444 -alpha_bits 16 -vendor apl0 -pix_fmt yuva444p10le",
        }
    }

    /// Whether sound of this codec can go in as it is.
    pub(crate) fn takes_sound(self, codec: &str) -> bool {
        match self {
            Self::Mp4 => matches!(codec, "aac" | "mp3" | "ac3" | "eac3" | "alac"),
            Self::Between => false,
            _ => matches!(codec, "opus" | "vorbis"),
        }
    }

    pub(crate) fn sound_encoder(self) -> &'static [&'static str] {
        match self {
            Self::Mp4 => &["aac", "-b:a", "192k"],
            Self::Between => &["pcm_s16le"],
            _ => &["libopus", "-b:a", "160k"],
        }
    }

    /// Whether odd widths and heights have to be made even.
    fn needs_even_size(self) -> bool {
        matches!(self, Self::Mp4 | Self::Between)
    }

    pub(crate) fn muxer(self) -> &'static str {
        if self == Self::Between { "matroska" } else { self.extension() }
    }

    /// Where a piece begins that starts with this frame, in microseconds after frame 0: what is written at this time and
    /// joined there has the times of a film written at once, `whole` its first frame. WebM counts whole milliseconds.
    pub(crate) fn start_of_piece(self, table: &FrameTable, whole: Frame, first: Frame) -> i64 {
        let [start, micros] = [whole, first].map(|frame| table.micros(frame).unwrap_or(0));
        let counts_millis = matches!(self, Self::Webm | Self::WebmGraphics);
        if counts_millis { start + (micros - start + 500) / 1000 * 1000 } else { micros }
    }

    /// How the frames that it takes are named: FOURCC.
    fn frame_format(self) -> &'static [u8; 4] {
        if self.is_graphics() { b"RGBA" } else { b"I420" }
    }
}

/// What is to be written.
#[derive(Clone, Debug)]
pub struct EncodeJob<'a> {
    /// The clip that the frames, the sound and the times come from.
    pub clip: &'a Path,
    /// What is known of it.
    pub info: &'a ClipInfo,
    /// Its frame times.
    pub table: &'a FrameTable,
    /// Which of its frames.
    pub range: FrameRange,
    /// Into what.
    pub container: Container,
    /// Only a piece, without sound, of a film that begins with this frame: [`crate::join_pieces`] puts them together.
    pub piece_of: Option<Frame>,
    /// Where to. Written under another name first: it appears whole or not at all.
    pub out: &'a Path,
}

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

/// Containers that can count time as the clip does are told to.
pub(crate) fn name_timescale(command: &mut Call, job: &EncodeJob<'_>) {
    if matches!(job.container, Container::Mp4 | Container::ProresGraphics) {
        command.args(["-video_track_timescale", &timescale(job.table).to_string()]);
    }
}

/// Ticks a second in which the clip's frame times are whole numbers.
fn timescale(table: &FrameTable) -> u32 {
    let base = table.time_base;
    // A coarse time base (WebM counts milliseconds) is refined so that a decoder's rounding cannot merge frames.
    if base.num == 1 && base.den >= 1000 { base.den } else { base.den.saturating_mul(1000).min(1_000_000) }
}
