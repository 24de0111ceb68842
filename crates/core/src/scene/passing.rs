//! What coming and going do to an attachment on one frame.

use crate::attachment::{Transition, TransitionKind};
use crate::geometry::{Point, Rect, Size};
use crate::time::{Frame, FrameRange};

/// What coming and going do to an attachment on one frame.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Passing {
    pub opacity: f64,
    pub size: f64,
    /// To which side it is away, and by which share of the way.
    away: Option<(TransitionKind, f64)>,
}

impl Passing {
    /// On a frame of a span. Where the span begins or ends with the shot, the subject did not come or go.
    pub fn on(frame: Frame, span: FrameRange, shot: FrameRange, (enters, leaves): (&Transition, &Transition)) -> Self {
        let come = (span.first > shot.first).then(|| (enters.kind, enters.progress(span.first.until(frame).max(0))));
        let gone = (span.last < shot.last).then(|| (leaves.kind, leaves.progress(frame.until(span.last).max(0))));
        let mut passing = Self { opacity: 1.0, size: 1.0, away: None };
        for (kind, progress) in come.into_iter().chain(gone).filter(|(_, progress)| *progress < 1.0) {
            match kind {
                TransitionKind::Fade => passing.opacity *= progress,
                TransitionKind::Grow => passing.size *= progress,
                side => passing.away = Some((side, 1.0 - progress)),
            }
        }
        passing
    }

    /// How far it is moved, so that what is within `bounds` slides from outside of the picture to its place.
    pub fn shift(&self, bounds: Rect, picture: Size) -> Point {
        let Some((side, share)) = self.away else { return Point::default() };
        let whole = match side {
            TransitionKind::Left => Point::new(-bounds.right.max(0.0), 0.0),
            TransitionKind::Right => Point::new((f64::from(picture.width) - bounds.left).max(0.0), 0.0),
            TransitionKind::Top => Point::new(0.0, -bounds.bottom.max(0.0)),
            TransitionKind::Bottom => Point::new(0.0, (f64::from(picture.height) - bounds.top).max(0.0)),
            TransitionKind::Fade | TransitionKind::Grow => Point::default(),
        };
        whole * share
    }
}
