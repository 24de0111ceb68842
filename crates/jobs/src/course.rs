//! How far following an area has come, and whether it is to go on.

use std::ops::ControlFlow;

use jampin_core::time::FrameRange;
use serde_json::json;
use uuid::Uuid;

use crate::TaskError;
use crate::behind::{Behind, Changes};
use crate::work::Work;

/// Share of the way that looking for the thing that an area lies on is said to be, which comes first. A guess: only how
/// evenly the number grows hangs on it.
const LOCATING: f64 = 0.4;
/// A second time through is not foreseen: it is never said to be all before it is.
const MOST: f64 = 0.98;

/// Following an area through a part of a shot, written down while it goes on.
pub(crate) struct Course<'a> {
    work: &'a Work<'a>,
    range: FrameRange,
    /// Frames looked at so far for the thing that it lies on, and for itself.
    located: u32,
    placed: u32,
    behind: Behind<'a>,
}

impl<'a> Course<'a> {
    pub fn new(work: &'a Work<'a>, range: FrameRange, behind: Behind<'a>) -> Self {
        Self { work, range, located: 0, placed: 0, behind }
    }

    /// A frame was looked at for the thing.
    pub fn located(&mut self) -> ControlFlow<()> {
        self.located += 1;
        if self.behind.is_due() {
            self.write(Vec::new());
        }
        self.goes_on()
    }

    /// A frame was looked at for the area; whether it is time to write down what came of that.
    pub fn placed(&mut self) -> bool {
        self.placed += 1;
        self.behind.is_due()
    }

    /// Begins to write what came of it, and with it how far it is.
    pub fn write(&mut self, new: Vec<(Uuid, Changes)>) {
        self.behind.write(new, json!({ "solving": self.share() }));
    }

    /// Until all is written.
    pub fn end(&mut self) -> Result<(), TaskError> {
        self.behind.end()
    }

    /// Whether anybody still wants it, and it can be written.
    pub fn goes_on(&self) -> ControlFlow<()> {
        let is_over = self.behind.has_failed() || self.work.cancel.is_cancelled();
        if is_over { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    }

    fn share(&self) -> f64 {
        let of_all = |frames: u32| (f64::from(frames) / f64::from(self.range.count().max(1))).min(1.0);
        (LOCATING * of_all(self.located) + (1.0 - LOCATING) * of_all(self.placed)).min(MOST)
    }
}
