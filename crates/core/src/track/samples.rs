//! The samples of one pin.

use std::collections::BTreeMap;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use super::Covariance;
use crate::geometry::{LocalWarp, Point};
use crate::time::{Frame, FrameRange};

/// How a sample came about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum SampleState {
    /// The pattern was found there.
    Found,
    /// A person put it there.
    Guide,
    /// The subject is covered; the place is a prediction.
    Hidden,
    /// Crosses a gap between other samples.
    Bridged,
    /// Outside the picture.
    Outside,
}

impl SampleState {
    /// All states with their words in files.
    const WORDS: [(Self, &'static str); 5] = [
        (Self::Found, "found"),
        (Self::Guide, "guide"),
        (Self::Hidden, "hidden"),
        (Self::Bridged, "bridged"),
        (Self::Outside, "outside"),
    ];

    /// All there are.
    pub fn all() -> impl Iterator<Item = Self> {
        Self::WORDS.into_iter().map(|(state, _)| state)
    }

    /// The word for it in files.
    pub fn word(self) -> &'static str {
        Self::WORDS[self as usize].1
    }

    /// Whether the subject is taken to be there: its attachments are shown.
    pub fn is_present(self) -> bool {
        matches!(self, Self::Found | Self::Guide | Self::Bridged)
    }
}

impl FromStr for SampleState {
    type Err = String;
    fn from_str(word: &str) -> Result<Self, String> {
        let known = Self::WORDS.iter().find(|(_, known)| *known == word);
        known.map(|&(state, _)| state).ok_or_else(|| {
            let words = Self::WORDS.map(|(_, word)| word).join(", ");
            format!("{word:?} is no state of a sample; it is one of {words}")
        })
    }
}

/// How a place is known.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Grasp {
    /// Aligned to a picture of the very spot, or set by hand.
    #[default]
    Exact,
    /// Where the subject is, from its learned picture.
    Rough,
}

impl Grasp {
    /// The word for it in files.
    pub fn word(self) -> &'static str {
        match self {
            Self::Exact => "exact",
            Self::Rough => "rough",
        }
    }
}

/// What a pin found on one frame.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Sample {
    /// Where it is.
    pub at: Point,
    /// How alike pattern and picture are, 0 to 1: their correlation (Lewis 1995), at the place found below the pixel.
    #[serde(rename = "match")]
    pub matched: f64,
    /// How sure the place is, from the residual and the gradients.
    #[serde(default)]
    pub covariance: Covariance,
    /// How it came about.
    pub state: SampleState,
    /// Match of the place over the match of the next best place in the search area; 1 is a look-alike that is as good.
    /// `None` when there is no other place, or nothing was searched.
    #[serde(default)]
    pub peak_ratio: Option<f64>,
    /// Distance from where it was on the frame before to where following it back from here leads, in pixels (Kalal,
    /// Mikolajczyk & Matas 2010). Of a guide: how far beside it the pin's own pattern is found. `None` where the whole
    /// shot was not solved, or the frame before has no sample.
    #[serde(default)]
    pub back_error: Option<f64>,
    /// How the pattern has turned, grown or tilted since it was picked. `None` for a pin that takes only the position.
    #[serde(default)]
    pub shape: Option<LocalWarp>,
    /// How the place is known.
    #[serde(default)]
    pub grasp: Grasp,
    /// Whether the whole shot had its say, not only the frames before.
    #[serde(default)]
    pub solved: bool,
}

impl Sample {
    /// A place that a person has set: right by definition.
    pub fn guide(at: Point) -> Self {
        Self::bare(at, 1.0, Covariance::default(), SampleState::Guide)
    }

    /// A place that is predicted, not seen.
    pub fn predicted(at: Point, state: SampleState) -> Self {
        Self::bare(at, 0.0, Covariance::default(), state)
    }

    /// Where the subject is, known from its learned picture: `likeness` is its response over the usual one, `deviation`
    /// in pixels.
    pub fn rough(at: Point, likeness: f64, deviation: f64) -> Self {
        let covariance = Covariance::default().plus(deviation * deviation);
        Self { grasp: Grasp::Rough, ..Self::bare(at, likeness.clamp(0.0, 1.0), covariance, SampleState::Found) }
    }

    /// A sample without the figures that only the search and the solve know.
    pub fn bare(at: Point, matched: f64, covariance: Covariance, state: SampleState) -> Self {
        let grasp = Grasp::Exact;
        Self { at, matched, covariance, state, peak_ratio: None, back_error: None, shape: None, grasp, solved: false }
    }
}

/// All samples of a pin, by frame.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Track {
    samples: BTreeMap<Frame, Sample>,
}

impl Track {
    /// A track without samples.
    pub const fn new() -> Self {
        Self { samples: BTreeMap::new() }
    }

    /// Whether nothing was followed yet.
    pub fn is_empty(&self) -> bool {
        self.samples.is_empty()
    }

    /// Number of frames with a sample.
    pub fn len(&self) -> usize {
        self.samples.len()
    }

    /// The sample on a frame.
    pub fn get(&self, frame: Frame) -> Option<Sample> {
        self.samples.get(&frame).copied()
    }

    /// Sets or, with `None`, removes the sample on a frame; gives back what was there.
    pub fn set(&mut self, frame: Frame, sample: Option<Sample>) -> Option<Sample> {
        match sample {
            Some(sample) => self.samples.insert(frame, sample),
            None => self.samples.remove(&frame),
        }
    }

    /// All samples in order of frames.
    pub fn iter(&self) -> impl DoubleEndedIterator<Item = (Frame, Sample)> + '_ {
        self.samples.iter().map(|(&frame, &sample)| (frame, sample))
    }

    /// The guides in order of frames.
    pub fn guides(&self) -> impl Iterator<Item = (Frame, Sample)> + '_ {
        self.iter().filter(|(_, sample)| sample.state == SampleState::Guide)
    }

    /// Where the subject is on a frame, if it is there.
    pub fn position(&self, frame: Frame) -> Option<Point> {
        self.get(frame).filter(|sample| sample.state.is_present()).map(|sample| sample.at)
    }

    /// The runs of frames, without holes, in which the subject is there.
    pub fn spans(&self) -> Vec<FrameRange> {
        FrameRange::runs(self.iter().filter(|(_, sample)| sample.state.is_present()).map(|(frame, _)| frame))
    }
}

impl FromIterator<(Frame, Sample)> for Track {
    fn from_iter<T: IntoIterator<Item = (Frame, Sample)>>(samples: T) -> Self {
        Self { samples: samples.into_iter().collect() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sample(state: SampleState) -> Sample {
        Sample { state, ..Sample::guide(Point::new(1.0, 2.0)) }
    }

    #[test]
    fn spans_break_at_holes_and_where_the_subject_is_not_there() {
        let track: Track = [(3, SampleState::Found), (4, SampleState::Guide), (6, SampleState::Found)]
            .into_iter()
            .chain([(7, SampleState::Hidden), (8, SampleState::Bridged)])
            .map(|(frame, state)| (Frame(frame), sample(state)))
            .collect();
        let spans: Vec<(u32, u32)> = track.spans().iter().map(|s| (s.first.0, s.last.0)).collect();
        assert_eq!(spans, [(3, 4), (6, 6), (8, 8)]);
        assert_eq!(track.position(Frame(7)), None);
    }

    #[test]
    fn every_state_survives_its_word() {
        for (state, word) in SampleState::WORDS {
            assert_eq!(state.word(), word);
            assert_eq!(word.parse(), Ok(state));
        }
        assert!("lost".parse::<SampleState>().unwrap_err().contains("hidden"));
    }
}
