//! How often what was found is written down: soon enough to be watched, and never so often that the shot is locked most of
//! the time, as it would be where the database is far away.

use std::time::{Duration, Instant};

/// Writing takes at most a part of the time in so many.
const SHARE: u32 = 4;

/// When to write the next time.
pub(crate) struct Pace {
    least: Duration,
    /// When it was written last, and how long that took.
    last: Option<(Instant, Duration)>,
}

impl Pace {
    /// Not more often than this.
    pub fn of(least: Duration) -> Self {
        Self { least, last: None }
    }

    /// At once the first time: somebody waits for the first frame.
    pub fn is_due(&self) -> bool {
        self.last.is_none_or(|(ended, took)| ended.elapsed() >= pause(self.least, took))
    }

    /// Something was written, which took so long.
    pub fn wrote(&mut self, took: Duration) {
        self.last = Some((Instant::now(), took));
    }
}

fn pause(least: Duration, took: Duration) -> Duration {
    least.saturating_sub(took).max(took * (SHARE - 1))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn quick_writing_keeps_its_beat_and_slow_writing_is_done_less_often() {
        let millis = Duration::from_millis;
        assert_eq!(pause(millis(120), millis(4)), millis(116));
        assert_eq!(pause(millis(120), millis(30)), millis(90));
        assert_eq!(pause(millis(120), millis(200)), millis(600), "a quarter of the time");
        let mut pace = Pace::of(millis(60_000));
        assert!(pace.is_due());
        pace.wrote(millis(1));
        assert!(!pace.is_due());
    }
}
