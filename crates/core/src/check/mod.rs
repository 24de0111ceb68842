//! What a track is judged by.

mod pace;
mod weave;

pub use pace::{Pace, PaceRun, pace, picture_pace};
pub use weave::{Threads, weave};
