//! A film that hangs on a subject as a picture does.

use serde::{Deserialize, Serialize};

use super::colour_key::ColourKey;
use super::picture::Picture;
use super::settings::{NumberMut, SettingProblem, check_number};
use crate::time::Frame;

/// What is shown when it is over.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum ClipEnd {
    /// Nothing.
    Once,
    /// It begins again.
    #[default]
    Again,
    /// Its last picture.
    Held,
}

/// A film clip on a subject.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct FilmClip {
    /// How it lies; its picture is the clip.
    #[serde(flatten)]
    pub picture: Picture,
    /// How many frames the clip has.
    pub frames: u32,
    /// Whether it has transparency of its own.
    #[serde(default)]
    pub alpha: bool,
    /// The frame of the shot on which it begins; before it there is nothing.
    #[serde(default)]
    pub begins: Frame,
    /// Its frames for each of the shot's.
    #[serde(default = "its_own")]
    pub speed: f64,
    /// What is shown when it is over.
    #[serde(default)]
    pub at_end: ClipEnd,
    /// The background that is taken out; `None` for one that is shown as it is, with its own transparency.
    #[serde(default)]
    pub key: Option<ColourKey>,
}

fn its_own() -> f64 {
    1.0
}

impl FilmClip {
    /// Which of its frames is shown on a frame of the shot.
    pub fn shown_on(&self, frame: Frame) -> Option<Frame> {
        let passed = frame.0.checked_sub(self.begins.0)?;
        let last = self.frames.saturating_sub(1);
        // The hair keeps a frame that is reached exactly from being missed by rounding.
        let at = (f64::from(passed) * self.speed + 1e-6).floor() as u64;
        Some(Frame(match self.at_end {
            ClipEnd::Once => u32::try_from(at).ok().filter(|at| *at <= last)?,
            ClipEnd::Again => (at % u64::from(self.frames.max(1))) as u32,
            ClipEnd::Held => at.min(u64::from(last)) as u32,
        }))
    }

    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        self.picture.check()?;
        check_number("the number of its frames", f64::from(self.frames), 1.0, 1e8)?;
        check_number("the speed", self.speed, 0.0, 100.0)?;
        self.key.as_ref().map_or(Ok(()), ColourKey::check)
    }

    /// The number at an address.
    pub(super) fn number(&mut self, address: &str) -> Option<NumberMut<'_>> {
        if address == "speed" {
            return Some(NumberMut::Real(&mut self.speed));
        }
        match address.strip_prefix("key.") {
            Some(of_key) => self.key.as_mut()?.number(of_key).map(NumberMut::Real),
            None => self.picture.number(address),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::attachment::{Orientation, PictureMount};
    use crate::geometry::Point;
    use uuid::Uuid;

    fn clip(speed: f64, at_end: ClipEnd) -> FilmClip {
        let mount = PictureMount::Facing(Orientation::default());
        let (place, size) = (Point::default(), [40.0, 30.0]);
        let picture = Picture { picture: Uuid::nil(), pixels: [40, 30], mount, place, size, rotation: 0.0 };
        FilmClip { picture, frames: 10, alpha: false, begins: Frame(5), speed, at_end, key: None }
    }

    #[test]
    fn it_begins_runs_and_ends_as_it_is_told() {
        let shown = |clip: &FilmClip, frame| clip.shown_on(Frame(frame)).map(|frame| frame.0);
        let once = clip(1.0, ClipEnd::Once);
        assert_eq!([4, 5, 14, 15].map(|frame| shown(&once, frame)), [None, Some(0), Some(9), None]);
        assert_eq!([15, 27].map(|frame| shown(&clip(1.0, ClipEnd::Again), frame)), [Some(0), Some(2)]);
        assert_eq!([15, 400].map(|frame| shown(&clip(1.0, ClipEnd::Held), frame)), [Some(9), Some(9)]);
        assert_eq!([6, 7, 8].map(|frame| shown(&clip(0.5, ClipEnd::Held), frame)), [Some(0), Some(1), Some(1)]);
        // A third, three times, is one.
        assert_eq!(shown(&clip(1.0 / 3.0, ClipEnd::Once), 8), Some(1));
        assert_eq!(shown(&clip(0.0, ClipEnd::Again), 90), Some(0), "a still of it");
    }
}
