//! Every n-th frame of a film, as a film of its own.

use super::{Chroma, Component, FrameSource, Thinning, Window};
use crate::geometry::{PixelRect, Size};
use crate::time::Frame;

/// The frames of a source that are looked at.
#[derive(Debug)]
pub struct Thinned<S> {
    /// Of all frames.
    pub source: S,
    /// Which of them.
    pub thinning: Thinning,
}

impl<S: FrameSource> FrameSource for Thinned<S> {
    type Error = S::Error;

    fn size(&self) -> Size {
        self.source.size()
    }

    fn window(&mut self, count: Frame, rect: PixelRect, component: Component) -> Result<Window, S::Error> {
        self.source.window(self.thinning.frame(count), rect, component)
    }

    fn chroma(&mut self, count: Frame, rect: PixelRect) -> Result<Option<Chroma>, S::Error> {
        self.source.chroma(self.thinning.frame(count), rect)
    }

    fn windows(&mut self, count: Frame, rect: PixelRect, components: &[Component]) -> Result<Vec<Window>, S::Error> {
        self.source.windows(self.thinning.frame(count), rect, components)
    }
}
