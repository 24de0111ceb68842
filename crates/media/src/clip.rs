//! What is known of a clip.

use jampin_core::geometry::Size;
use jampin_core::time::{Frame, Rational};
use serde::{Deserialize, Serialize};

/// A film file as it came in.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ClipInfo {
    /// Size of the picture as it is shown (after turning phone video upright), in pixels.
    pub size: Size,
    /// Frames a second, as the file says; only for pacing and timecode.
    pub rate: Rational,
    /// Number of the video stream in the file.
    pub stream: u32,
    /// Name of the video codec.
    pub codec: String,
    /// Name of the pixel format.
    pub pixel_format: String,
    /// Bits per sample.
    pub bits: u32,
    /// Quarter turns clockwise that make the stored picture upright, 0 to 3.
    pub quarter_turns: u32,
    /// Whether each frame holds two fields.
    pub interlaced: bool,
    /// Whether the film has transparency.
    pub alpha: bool,
    /// Colour tags of the video stream.
    pub colour: ColourTags,
    /// The sound, if there is any.
    pub audio: Option<AudioInfo>,
    /// Start of the file, in microseconds: the earliest of its streams.
    pub start_micros: i64,
    /// Name of the container.
    pub container: String,
    /// What else a person should know of it, in sentences.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub notes: Vec<String>,
}

/// Colour tags as ffmpeg names them; `None` where the file says nothing.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct ColourTags {
    /// `tv` or `pc`.
    pub range: Option<String>,
    /// Matrix, for example `bt709`.
    pub space: Option<String>,
    /// Transfer curve.
    pub transfer: Option<String>,
    /// Primaries.
    pub primaries: Option<String>,
}

/// A sound stream.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct AudioInfo {
    /// Number of the stream in the file.
    pub stream: u32,
    /// Name of the codec.
    pub codec: String,
}

impl ClipInfo {
    /// The luma matrix to use: as tagged, or by common practice BT.709 from 720 lines on and BT.601 below.
    pub fn matrix(&self) -> &str {
        match self.colour.space.as_deref() {
            Some("bt709") => "bt709",
            Some("smpte170m" | "bt470bg" | "bt601" | "fcc") => "bt601",
            Some("bt2020nc" | "bt2020c") => "bt2020",
            _ if self.size.height.max(self.size.width) >= 1280 || self.size.height >= 720 => "bt709",
            _ => "bt601",
        }
    }

    /// Whether samples use the whole range from 0 to 255.
    pub fn is_full_range(&self) -> bool {
        self.colour.range.as_deref() == Some("pc") || self.pixel_format.starts_with("yuvj")
    }

    /// What a person should know about the film before working on it, in sentences.
    pub fn remarks(&self) -> Vec<String> {
        let mut remarks = self.notes.clone();
        if self.interlaced {
            remarks.push("Interlaced: shown and computed in whole pictures, both fields together.".into());
        }
        if self.bits > 8 {
            remarks.push(format!("{} bits a sample: computed and exported in 8 bits.", self.bits));
        }
        if self.alpha {
            remarks.push("Has transparency: its colours are shown as stored, without it.".into());
        }
        remarks
    }
}

/// When each frame is shown. Times are whole numbers of `time_base`, increasing, the first one anything.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct FrameTable {
    /// Unit of the times, in seconds.
    pub time_base: Rational,
    /// Start of each frame.
    pub times: Vec<i64>,
    /// How long the last frame stays.
    pub last_duration: i64,
}

impl FrameTable {
    /// Number of frames.
    pub fn len(&self) -> u32 {
        self.times.len() as u32
    }

    /// Whether there is no frame.
    pub fn is_empty(&self) -> bool {
        self.times.is_empty()
    }

    /// Start of a frame after the start of frame 0, in whole microseconds, rounded to nearest. One past the last frame
    /// gives the end of the film. `None` beyond.
    pub fn micros(&self, frame: Frame) -> Option<i64> {
        let first = *self.times.first()?;
        let index = frame.0 as usize;
        let time = match index.cmp(&self.times.len()) {
            std::cmp::Ordering::Less => self.times[index],
            std::cmp::Ordering::Equal => self.times.last()? + self.last_duration,
            std::cmp::Ordering::Greater => return None,
        };
        Some(self.to_micros(time - first))
    }

    /// Start of frame 0 in the file's own time, in microseconds.
    pub fn first_micros(&self) -> i64 {
        self.times.first().map_or(0, |&first| self.to_micros(first))
    }

    fn to_micros(&self, ticks: i64) -> i64 {
        let (num, den) = (i128::from(self.time_base.num), i128::from(self.time_base.den));
        let scaled = i128::from(ticks) * num * 2_000_000;
        // Rounded to nearest, ties up; Euclidean so that times before zero round the same way.
        ((scaled + den).div_euclid(2 * den)) as i64
    }

    /// Whether all frames stay equally long, to one unit of the time base.
    pub fn is_even(&self) -> bool {
        let steps = || self.times.windows(2).map(|pair| pair[1] - pair[0]);
        steps().max().unwrap_or(0) - steps().min().unwrap_or(0) <= 1
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_exact_and_end_with_the_film() {
        let table = FrameTable {
            time_base: Rational { num: 1, den: 30000 },
            times: (0..100).map(|n| 500 + 1001 * n).collect(),
            last_duration: 1001,
        };
        assert_eq!(table.micros(Frame(0)), Some(0));
        assert_eq!(table.micros(Frame(30)), Some(1_001_000));
        assert_eq!(table.micros(Frame(1)), Some(33_367));
        assert_eq!(table.micros(Frame(100)), Some(3_336_667));
        assert_eq!(table.micros(Frame(101)), None);
        assert!(table.is_even());
    }

    #[test]
    fn uneven_times_are_noticed() {
        let table = FrameTable { time_base: Rational { num: 1, den: 1000 }, times: vec![0, 40, 90], last_duration: 40 };
        assert!(!table.is_even());
    }
}
