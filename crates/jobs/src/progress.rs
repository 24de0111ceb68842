//! How far the writing of a film is.

use std::time::{Duration, Instant};

use serde::{Deserialize, Serialize};

use crate::behind::Teller;
use crate::work::Work;

/// How often progress is written down.
const REPORT: Duration = Duration::from_millis(400);

/// How far it is.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub struct ExportProgress {
    /// Frames written.
    pub frames: u32,
    /// Frames in all.
    pub of: u32,
}

/// Writes progress down, now and then.
pub(crate) struct Report<'a> {
    teller: Teller<'a>,
    frames: u32,
    /// How often each frame is gone through: painted, then joined.
    passes: u32,
    reported: Instant,
}

impl<'a> Report<'a> {
    pub fn new(work: &Work<'a>, frames: u32, passes: u32) -> Self {
        Self { teller: Teller::new(work), frames, passes, reported: Instant::now() }
    }

    /// `steps`: frames done, in all passes together.
    pub fn say(&mut self, steps: u32) {
        if self.reported.elapsed() < REPORT {
            return;
        }
        self.reported = Instant::now();
        let progress = ExportProgress { frames: steps / self.passes, of: self.frames };
        self.teller.say(serde_json::to_value(progress).unwrap_or_default());
    }
}
