//! Which frames of a film are looked at.

use crate::time::{Frame, FrameRange};

/// Which frames of a film are looked at: every n-th, so that a given one is among them. They are counted from 0.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Thinning {
    step: u32,
    phase: u32,
}

impl Thinning {
    /// Every `step`-th frame, `frame` among them.
    pub fn through(frame: Frame, step: u32) -> Self {
        let step = step.max(1);
        Self { step, phase: frame.0 % step }
    }

    /// Which of them a frame is, in their count; `None` for one that is left out.
    pub fn count_of(self, frame: Frame) -> Option<Frame> {
        let from = frame.0.checked_sub(self.phase)?;
        from.is_multiple_of(self.step).then_some(Frame(from / self.step))
    }

    /// The frame of the film that one of them is.
    pub fn frame(self, count: Frame) -> Frame {
        Frame(self.phase.saturating_add(count.0.saturating_mul(self.step)))
    }

    /// Those within a range, in their count; `None` where the range holds none.
    pub fn within(self, range: FrameRange) -> Option<FrameRange> {
        let first = range.first.0.saturating_sub(self.phase).div_ceil(self.step);
        let last = range.last.0.checked_sub(self.phase)? / self.step;
        FrameRange::new(Frame(first), Frame(last))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_third_frame_with_one_that_is_among_them() {
        let every = Thinning::through(Frame(20), 3);
        assert_eq!(
            [2, 5, 20, 21].map(|frame| every.count_of(Frame(frame))),
            [Some(Frame(0)), Some(Frame(1)), Some(Frame(6)), None]
        );
        assert_eq!(every.count_of(Frame(1)), None);
        assert_eq!(every.frame(Frame(6)), Frame(20));
        let within = |first, last| every.within(FrameRange { first: Frame(first), last: Frame(last) });
        assert_eq!(within(0, 21), FrameRange::new(Frame(0), Frame(6)));
        assert_eq!(within(6, 7), None);
        assert_eq!(within(0, 1), None);
        let all = Thinning::through(Frame(7), 1);
        assert_eq!(all.within(FrameRange { first: Frame(4), last: Frame(9) }), FrameRange::new(Frame(4), Frame(9)));
    }
}
