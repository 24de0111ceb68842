//! Who is told how far a solve is, and may stop it.

use crate::follow::Continue;
use crate::time::Frame;

/// What the solve is doing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Step {
    /// A frame was searched for the subject.
    Located,
    /// A frame was searched.
    Looked,
    /// A place was compared with another reference.
    Compared,
    /// A frame was refined and judged.
    Refined,
}

/// Is told of every step, from any of the threads, and may say stop.
pub trait Watch: Sync {
    /// A step is done.
    fn step(&self, step: Step) -> Continue;
}

/// A watch that never stops anything.
#[derive(Clone, Copy, Debug, Default)]
pub struct Unwatched;

impl Watch for Unwatched {
    fn step(&self, _: Step) -> Continue {
        Continue::Yes
    }
}

/// Why a solve ends without a path.
pub(super) enum Halt<E> {
    Source(E),
    /// The pattern of the guide on this frame is flat.
    Flat(Frame),
    Stopped,
}

impl<E> Halt<E> {
    /// Tells the watch of a step; halts when it says so.
    pub fn on_stop(watch: &dyn Watch, step: Step) -> Result<(), Self> {
        match watch.step(step) {
            Continue::Yes => Ok(()),
            Continue::No => Err(Self::Stopped),
        }
    }
}
