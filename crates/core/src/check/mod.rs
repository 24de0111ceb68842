//! What a track is judged by.

mod keys;
mod loss;
mod pace;
mod shutter;
mod weave;

pub use keys::key_pictures;
pub use loss::{Loss, LossCause, NextStep, losses};
pub use pace::{Pace, PaceRun, pace, picture_pace};
pub use shutter::{LEAST_SPEED, Shutter};
pub use weave::{Threads, weave};
