//! A pin and its settings.

use serde::{Deserialize, Serialize};
use thiserror::Error;
use uuid::Uuid;

use crate::geometry::{Point, Rect, Size};
use crate::image::Component;
use crate::time::{Frame, FrameRange};
use crate::track::MotionModel;

/// Smallest pattern side, in pixels: below it a pattern holds too few samples to tell places apart.
pub const MIN_PATTERN_SIDE: u32 = 7;
/// Largest pattern side, in pixels: more is an area, not a spot.
pub const MAX_PATTERN_SIDE: u32 = 255;
/// Largest search distance to each side, in pixels.
pub const MAX_SEARCH: u32 = 400;

/// The box round what a pin was put on reaches this far at most, in pixels: no picture is larger.
const FIGURE_REACH: f64 = 20_000.0;

/// What of the picture is compared.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Channel {
    /// Brightness.
    #[default]
    Luma,
    /// Red alone.
    Red,
    /// Green alone.
    Green,
    /// Blue alone.
    Blue,
    /// How colourful it is.
    Saturation,
    /// Red, green and blue, each with a gain and offset of its own.
    Colour,
}

impl Channel {
    /// The planes it takes.
    pub fn components(self) -> &'static [Component] {
        match self {
            Self::Luma => &[Component::Luma],
            Self::Red => &[Component::Red],
            Self::Green => &[Component::Green],
            Self::Blue => &[Component::Blue],
            Self::Saturation => &[Component::Saturation],
            Self::Colour => &[Component::Red, Component::Green, Component::Blue],
        }
    }

    /// Whether it takes more than the stream's luma.
    pub fn needs_colour(self) -> bool {
        self != Self::Luma
    }
}

/// What a frame is compared with.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum ReferencePolicy {
    /// The first picture of the feature, always: no drift, but lost when the feature changes.
    Fixed,
    /// A newer picture as the feature changes: never lost by change, but drifts.
    Renewed,
    /// A newer picture, then checked against the first: the place counts only where both agree.
    #[default]
    Checked,
}

/// What is done to the picture before it is compared.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Filter {
    /// Nothing beyond what alignment needs.
    #[default]
    None,
    /// Smoothed by a Gaussian of 1.2 pixels: for strong grain.
    Smooth,
    /// Fine detail brought out: for a soft picture.
    Sharpen,
}

/// One followed spot.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Pin {
    /// Identity, never shown.
    pub id: Uuid,
    /// Frame on which the pattern was picked.
    pub frame: Frame,
    /// Where it was picked: the centre of the pattern.
    pub at: Point,
    /// Width and height of the pattern, in pixels.
    pub pattern: [u32; 2],
    /// How far the feature may be from where it is predicted, across and down, to each side, in pixels.
    pub search: [u32; 2],
    /// How much of the motion counts.
    #[serde(default)]
    pub motion: MotionModel,
    /// What of the picture is compared.
    #[serde(default)]
    pub channel: Channel,
    /// What a frame is compared with.
    #[serde(default)]
    pub reference: ReferencePolicy,
    /// What is done to the picture first.
    #[serde(default)]
    pub filter: Filter,
    /// A match below this is not believed, 0 to 1; nothing for as the shot gives it.
    #[serde(default)]
    pub stop_below: Option<f64>,
    /// Frames on which a person says that the subject is hidden or away: nothing found there is believed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub hidden: Vec<FrameRange>,
    /// The upright box round the person or vehicle that it was put on, in pixels from where it was picked, as far as
    /// that could be told from the empty scene: what hangs on it keeps off.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub figure: Option<Rect>,
}

/// What is wrong with a pin's settings.
#[derive(Clone, Debug, Error, PartialEq)]
pub enum PinProblem {
    /// The box round what it was put on does not hold it.
    #[error("the box round what the pin was put on has to hold the pin and be no larger than a picture")]
    Figure,
    /// The place is no place.
    #[error("the pin is at no place of the picture: {x}, {y}; the picture is {width} x {height} pixels",
        x = at.x, y = at.y, width = size.width, height = size.height)]
    OutsidePicture {
        /// Where it is.
        at: Point,
        /// Size of the picture.
        size: Size,
    },
    /// The pattern is too small or too large.
    #[error("the pattern is {0} x {1} pixels; each side has to be between {MIN_PATTERN_SIDE} and {MAX_PATTERN_SIDE}")]
    Pattern(u32, u32),
    /// The search area is too small or too large.
    #[error("the search distance is {0} and {1} pixels; each has to be between 1 and {MAX_SEARCH}")]
    Search(u32, u32),
    /// The threshold is no share.
    #[error("the match to stop below is {0}; it has to be between 0 and 1 (0.8 is 80 %)")]
    StopBelow(f64),
}

impl Pin {
    /// The match below which following stops, unless set otherwise or known better. Common practice.
    pub const STOP_BELOW: f64 = 0.80;

    /// A pin with these sizes and everything else as usual.
    pub fn new(id: Uuid, frame: Frame, at: Point, pattern: [u32; 2], search: [u32; 2]) -> Self {
        Self {
            id,
            frame,
            at,
            pattern,
            search,
            motion: MotionModel::default(),
            channel: Channel::default(),
            reference: ReferencePolicy::default(),
            filter: Filter::default(),
            stop_below: None,
            hidden: Vec::new(),
            figure: None,
        }
    }

    /// The least match that is believed.
    pub fn least_match(&self) -> f64 {
        self.stop_below.unwrap_or(Self::STOP_BELOW)
    }

    /// Whether a person says that the subject is hidden on a frame.
    pub fn is_hidden(&self, frame: Frame) -> bool {
        self.hidden.iter().any(|range| range.contains(frame))
    }

    /// Takes note that the subject is hidden on these frames, or that it is not; ranges are joined and cut as it needs.
    pub fn set_hidden(&mut self, range: FrameRange, hidden: bool) {
        // What lies beside it stays; what it touches becomes one with it, or is cut.
        let before = |old: &FrameRange| {
            range
                .first
                .step(-1)
                .filter(|last| old.first <= *last)
                .map(|last| FrameRange { last: old.last.min(last), ..*old })
        };
        let after = |old: &FrameRange| {
            range
                .last
                .step(1)
                .filter(|first| old.last >= *first)
                .map(|first| FrameRange { first: old.first.max(first), ..*old })
        };
        let parts = |old: &FrameRange| [before(old), after(old)];
        let mut ranges: Vec<FrameRange> =
            self.hidden.iter().flat_map(parts).flatten().chain(hidden.then_some(range)).collect();
        ranges.sort_unstable_by_key(|range| range.first);
        self.hidden = FrameRange::joined(ranges);
    }

    /// Checks place and settings against the picture.
    pub fn check(&self, size: Size) -> Result<(), PinProblem> {
        if !self.at.is_finite() || !size.contains(self.at) {
            return Err(PinProblem::OutsidePicture { at: self.at, size });
        }
        self.check_settings()
    }

    /// Checks what can be set of it.
    pub fn check_settings(&self) -> Result<(), PinProblem> {
        let [width, height] = self.pattern;
        let [across, down] = self.search;
        let sides = MIN_PATTERN_SIDE..=MAX_PATTERN_SIDE;
        if !sides.contains(&width) || !sides.contains(&height) {
            return Err(PinProblem::Pattern(width, height));
        }
        if !(1..=MAX_SEARCH).contains(&across) || !(1..=MAX_SEARCH).contains(&down) {
            return Err(PinProblem::Search(across, down));
        }
        if let Some(least) = self.stop_below.filter(|least| !(0.0..=1.0).contains(least)) {
            return Err(PinProblem::StopBelow(least));
        }
        let holds_the_pin = |Rect { left, top, right, bottom }: &Rect| {
            let reach = |edge: f64| (0.0..=FIGURE_REACH).contains(&edge);
            reach(-left) && reach(-top) && reach(*right) && reach(*bottom)
        };
        self.figure.iter().all(holds_the_pin).then_some(()).ok_or(PinProblem::Figure)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hidden_ranges_are_joined_and_cut() {
        let mut pin = Pin::new(Uuid::nil(), Frame(0), Point::new(5.0, 5.0), [31, 31], [64, 64]);
        let range = |first, last| FrameRange { first: Frame(first), last: Frame(last) };
        pin.set_hidden(range(10, 20), true);
        pin.set_hidden(range(21, 30), true);
        assert_eq!(pin.hidden, [range(10, 30)]);
        pin.set_hidden(range(15, 17), false);
        assert_eq!(pin.hidden, [range(10, 14), range(18, 30)]);
        assert!(pin.is_hidden(Frame(18)) && !pin.is_hidden(Frame(16)));
        pin.set_hidden(range(0, u32::MAX), true);
        assert_eq!(pin.hidden, [range(0, u32::MAX)], "however long it is");
        pin.set_hidden(range(0, 4), false);
        assert_eq!(pin.hidden, [range(5, u32::MAX)]);
    }

    #[test]
    fn settings_out_of_bounds_are_named() {
        let size = Size::new(100, 80);
        let good = Pin::new(Uuid::nil(), Frame(0), Point::new(50.0, 40.0), [31, 31], [64, 64]);
        assert_eq!(good.check(size), Ok(()));
        let outside = Pin { at: Point::new(100.0, 40.0), ..good.clone() };
        assert!(outside.check(size).unwrap_err().to_string().contains("100 x 80"));
        let no_number = Pin { at: Point::new(f64::NAN, 40.0), ..good.clone() };
        assert!(no_number.check(size).is_err());
        let thin = Pin { pattern: [31, 3], ..good.clone() };
        assert_eq!(thin.check(size), Err(PinProblem::Pattern(31, 3)));
        assert!(Pin { search: [0, 64], ..good.clone() }.check(size).is_err());
        assert!(Pin { stop_below: Some(f64::NAN), ..good }.check(size).is_err());
    }
}
