//! How frames are counted in files.

use serde_json::{Value, json};

use crate::time::{Frame, Rational, timecode};

/// The way in which the receiver of a file counts frames.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FrameCount {
    /// The first frame of the clip has this number: 0, as everywhere else here, or 1, or 1001.
    From(u32),
    /// `HH:MM:SS:FF` at this rate, counted from zero at the start of the clip.
    Timecode(Rational),
}

impl FrameCount {
    /// From `timecode` or the number of the first frame; nothing counts from 0. `None` for anything else.
    pub fn parse(text: Option<&str>, rate: Rational) -> Option<Self> {
        match text {
            None | Some("") => Some(Self::From(0)),
            Some("timecode") => Some(Self::Timecode(rate)),
            Some(first) => first.parse().ok().map(Self::From),
        }
    }

    /// A frame as it stands in a table.
    pub fn text(self, frame: Frame) -> String {
        match self {
            Self::From(first) => (u64::from(frame.0) + u64::from(first)).to_string(),
            Self::Timecode(rate) => timecode(frame, rate),
        }
    }

    /// A frame as it stands in JSON: a number, or a timecode as text.
    pub fn value(self, frame: Frame) -> Value {
        match self {
            Self::From(first) => json!(u64::from(frame.0) + u64::from(first)),
            Self::Timecode(rate) => json!(timecode(frame, rate)),
        }
    }

    /// What the first frame of the clip is called.
    pub fn first(self) -> Value {
        self.value(Frame(0))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const RATE: Rational = Rational { num: 25, den: 1 };

    #[test]
    fn frames_are_counted_as_the_receiver_wants() {
        let count = |text| FrameCount::parse(text, RATE).map(|count| count.text(Frame(27)));
        assert_eq!(count(None).as_deref(), Some("27"));
        assert_eq!([count(Some("1")), count(Some("1001"))], [Some("28".into()), Some("1028".into())]);
        assert_eq!(count(Some("timecode")).as_deref(), Some("00:00:01:02"));
        assert_eq!([count(Some("-1")), count(Some("first"))], [None, None]);
        let first = |text| FrameCount::parse(Some(text), RATE).unwrap().first();
        assert_eq!([first("1"), first("timecode")], [json!(1), json!("00:00:00:00")]);
    }
}
