//! What is written: kinds of films, and what goes into one.

use std::path::Path;

use jampin_core::time::{Frame, FrameRange};
use serde::{Deserialize, Serialize};

use crate::tools::Call;
use crate::{ClipInfo, FrameTable};

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
    pub(crate) fn needs_even_size(self) -> bool {
        matches!(self, Self::Mp4 | Self::Between)
    }

    pub(crate) fn muxer(self) -> &'static str {
        if self == Self::Between { "matroska" } else { self.extension() }
    }

    /// Where a piece begins that starts with this frame, in microseconds after frame 0: what is written at this time and
    /// joined there has the times of a film written at once, `whole` its first frame. Matroska, and WebM
    /// with it, counts whole milliseconds.
    pub(crate) fn start_of_piece(self, table: &FrameTable, whole: Frame, first: Frame) -> i64 {
        let [start, micros] = [whole, first].map(|frame| table.micros(frame).unwrap_or(0));
        let counts_millis = matches!(self, Self::Webm | Self::WebmGraphics | Self::Between);
        if counts_millis { start + (micros - start + 500) / 1000 * 1000 } else { micros }
    }

    /// How the frames that it takes are named: FOURCC.
    pub(crate) fn frame_format(self) -> &'static [u8; 4] {
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
