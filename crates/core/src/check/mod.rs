//! What a track is judged by.

mod weave;

pub use weave::{Threads, weave};
