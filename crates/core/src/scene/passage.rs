//! How an attachment comes and goes.

use serde::{Deserialize, Serialize};

use super::settings::{SettingProblem, check_number};
use crate::geometry::{Point, Rect, Size};
use crate::path::Easing;
use crate::time::{Frame, FrameRange};

/// In which way.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Way {
    /// Its opacity rises from nothing.
    #[default]
    Fade,
    /// It grows out of its own middle.
    Grow,
    /// It slides, from outside of the picture's left edge.
    Left,
    /// From outside of the right edge.
    Right,
    /// From above.
    Top,
    /// From below.
    Bottom,
}

/// An entrance, or an exit, which is an entrance backward.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Passage {
    /// In which way.
    pub way: Way,
    /// Over how many frames; 0 for at once.
    pub frames: u32,
    /// With which easing.
    pub easing: Easing,
}

impl Passage {
    /// At once.
    pub const CUT: Self = Self { way: Way::Fade, frames: 0, easing: Easing::IN_OUT };
    /// Frames over which things usually come and go: a quarter of a second of film.
    pub const USUAL_FRAMES: u32 = 6;

    /// Checks every setting.
    pub(super) fn check(&self) -> Result<(), SettingProblem> {
        check_number("the length of an entrance or exit", f64::from(self.frames), 0.0, 500.0)?;
        self.easing.is_valid().then_some(()).ok_or(SettingProblem::Easing)
    }

    /// How far it has come, some frames from the edge of its span, the first or last frame being 0.
    fn progress(&self, from_edge: i64) -> f64 {
        self.easing.at((from_edge + 1) as f64 / f64::from(self.frames + 1))
    }
}

impl Default for Passage {
    fn default() -> Self {
        Self { frames: Self::USUAL_FRAMES, ..Self::CUT }
    }
}

/// What coming and going do to an attachment on one frame.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Passing {
    pub opacity: f64,
    pub size: f64,
    /// To which side it is away, and by which share of the way.
    away: Option<(Way, f64)>,
}

impl Passing {
    /// On a frame of a span. Where the span begins or ends with the shot, the subject did not come or go.
    pub fn on(frame: Frame, span: FrameRange, shot: FrameRange, (enters, leaves): (&Passage, &Passage)) -> Self {
        let come = (span.first > shot.first).then(|| (enters.way, enters.progress(span.first.until(frame).max(0))));
        let gone = (span.last < shot.last).then(|| (leaves.way, leaves.progress(frame.until(span.last).max(0))));
        let mut passing = Self { opacity: 1.0, size: 1.0, away: None };
        for (way, progress) in come.into_iter().chain(gone).filter(|(_, progress)| *progress < 1.0) {
            match way {
                Way::Fade => passing.opacity *= progress,
                Way::Grow => passing.size *= progress,
                side => passing.away = Some((side, 1.0 - progress)),
            }
        }
        passing
    }

    /// How far it is moved, so that what is within `bounds` slides from outside of the picture to its place.
    pub fn shift(&self, bounds: Rect, picture: Size) -> Point {
        let Some((side, share)) = self.away else { return Point::default() };
        let whole = match side {
            Way::Left => Point::new(-bounds.right.max(0.0), 0.0),
            Way::Right => Point::new((f64::from(picture.width) - bounds.left).max(0.0), 0.0),
            Way::Top => Point::new(0.0, -bounds.bottom.max(0.0)),
            Way::Bottom => Point::new(0.0, (f64::from(picture.height) - bounds.top).max(0.0)),
            Way::Fade | Way::Grow => Point::default(),
        };
        whole * share
    }
}
