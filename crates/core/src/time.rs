//! Frame numbers, exact times and frame rates. Rational numbers only: nothing drifts.

use std::fmt;

use serde::{Deserialize, Serialize};

/// Number of a frame, counted from 0 at the start of the clip.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Frame(pub u32);

impl Frame {
    /// The frame `steps` later (earlier when negative); `None` before frame 0.
    pub fn step(self, steps: i32) -> Option<Self> {
        self.0.checked_add_signed(steps).map(Self)
    }

    /// Frames from `self` to `other`; negative when `other` is earlier.
    pub fn until(self, other: Self) -> i64 {
        i64::from(other.0) - i64::from(self.0)
    }
}

impl fmt::Display for Frame {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// The frames `first..=last` of a clip. Never empty.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct FrameRange {
    /// First frame.
    pub first: Frame,
    /// Last frame, included; not before `first`.
    pub last: Frame,
}

impl FrameRange {
    /// `None` when `last` is before `first`.
    pub fn new(first: Frame, last: Frame) -> Option<Self> {
        (first <= last).then_some(Self { first, last })
    }

    /// Whether the frame is one of the range.
    pub fn contains(self, frame: Frame) -> bool {
        self.first <= frame && frame <= self.last
    }

    /// Number of frames, at least 1.
    pub fn count(self) -> u32 {
        self.last.0 - self.first.0 + 1
    }

    /// Frames that rise, as runs without holes.
    pub fn runs(frames: impl Iterator<Item = Frame>) -> Vec<Self> {
        let mut runs: Vec<Self> = Vec::new();
        for frame in frames {
            match runs.last_mut() {
                Some(run) if run.last.until(frame) == 1 => run.last = frame,
                _ => runs.push(Self { first: frame, last: frame }),
            }
        }
        runs
    }

    /// Ranges that begin one after the other, those that overlap or touch as one.
    pub fn joined(ranges: impl IntoIterator<Item = Self>) -> Vec<Self> {
        let mut joined: Vec<Self> = Vec::new();
        for range in ranges {
            match joined.last_mut() {
                Some(last) if last.last.until(range.first) <= 1 => last.last = last.last.max(range.last),
                _ => joined.push(range),
            }
        }
        joined
    }

    /// All frames in order.
    pub fn frames(self) -> impl DoubleEndedIterator<Item = Frame> {
        (self.first.0..=self.last.0).map(Frame)
    }
}

/// A ratio of whole numbers, for example 30000/1001 frames a second or 1/12800 of a second.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Rational {
    /// Numerator, at least 1.
    pub num: u32,
    /// Denominator, at least 1.
    pub den: u32,
}

impl Rational {
    /// `None` when either part is 0.
    pub fn new(num: u32, den: u32) -> Option<Self> {
        (num > 0 && den > 0).then_some(Self { num, den })
    }

    /// From text such as `30000/1001` or `25`; `None` when it is not a positive ratio.
    pub fn parse(text: &str) -> Option<Self> {
        let (num, den) = text.split_once('/').unwrap_or((text, "1"));
        Self::new(num.trim().parse().ok()?, den.trim().parse().ok()?)
    }

    /// Frames a second as people write them: `25`, `24000/1001`, or `23.976`, by which the former is meant.
    pub fn rate(text: &str) -> Option<Self> {
        if let Some(ratio) = Self::parse(text) {
            return Some(ratio);
        }
        let value: f64 = text.trim().parse().ok().filter(|value| (0.001..=10_000.0).contains(value))?;
        // As films for NTSC have them: SMPTE ST 170.
        let whole = (value * 1.001).round();
        if value.fract() != 0.0 && (whole / 1.001 - value).abs() < 0.006 {
            return Self::new((whole * 1000.0) as u32, 1001);
        }
        Self::new((value * 1000.0).round() as u32, 1000)
    }

    /// The value as a float, for showing and for pacing a player; never for adding up.
    pub fn as_f64(self) -> f64 {
        f64::from(self.num) / f64::from(self.den)
    }
}

/// Whole frames that timecode counts to a second.
pub fn timecode_base(rate: Rational) -> u32 {
    (rate.as_f64().round() as u32).max(1)
}

/// Timecode `HH:MM:SS:FF` of a frame, counting whole frames at the rounded rate (no frames dropped from the count).
///
/// Counting method: SMPTE ST 12-1, non-drop-frame.
pub fn timecode(frame: Frame, rate: Rational) -> String {
    let per_second = timecode_base(rate);
    let seconds = frame.0 / per_second;
    format!("{:02}:{:02}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60, frame.0 % per_second)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rates_parse_from_what_probes_print() {
        assert_eq!(Rational::parse("30000/1001"), Rational::new(30000, 1001));
        assert_eq!(Rational::parse("25"), Rational::new(25, 1));
        assert_eq!(Rational::parse("0/0"), None);
        assert_eq!(Rational::parse("fast"), None);
    }

    #[test]
    fn runs_end_at_holes() {
        let range = |first, last| FrameRange { first: Frame(first), last: Frame(last) };
        let runs = FrameRange::runs([3, 4, 5, 9, 11, 12].into_iter().map(Frame));
        assert_eq!(runs, [range(3, 5), range(9, 9), range(11, 12)]);
        assert_eq!(FrameRange::runs(std::iter::empty()), []);
    }

    #[test]
    fn timecode_counts_whole_frames() {
        let pal = Rational { num: 25, den: 1 };
        assert_eq!(timecode(Frame(0), pal), "00:00:00:00");
        assert_eq!(timecode(Frame(25 * 3661 + 7), pal), "01:01:01:07");
        let ntsc = Rational { num: 60000, den: 1001 };
        assert_eq!(timecode(Frame(61), ntsc), "00:00:01:01");
    }
}
