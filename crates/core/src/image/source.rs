//! Where planes come from, as the core sees it.

use std::convert::Infallible;

use super::{Plane, Window};
use crate::geometry::{PixelRect, Size};
use crate::time::Frame;

/// Gives windows of the full-size frames of a clip. Implemented by the caller, who knows about files.
///
/// Only the neighbourhood of a pin is ever asked for, so the cost of a pin need not grow with the picture.
pub trait FrameSource {
    /// What can go wrong on the way to the pixels.
    type Error;

    /// Size of every frame.
    fn size(&self) -> Size;

    /// The pixels of `rect` (clamped to the picture) on `frame`.
    fn window(&mut self, frame: Frame, rect: PixelRect) -> Result<Window, Self::Error>;
}

/// Frames that are all in memory, the first being frame 0.
#[derive(Clone, Debug)]
pub struct PlaneStack {
    planes: Vec<Plane>,
}

impl PlaneStack {
    /// `None` when there is no plane, or when sizes differ.
    pub fn new(planes: Vec<Plane>) -> Option<Self> {
        let size = planes.first()?.size();
        planes.iter().all(|plane| plane.size() == size).then_some(Self { planes })
    }

    /// The planes, in order.
    pub fn planes(&self) -> &[Plane] {
        &self.planes
    }
}

impl FrameSource for PlaneStack {
    type Error = Infallible;

    fn size(&self) -> Size {
        self.planes[0].size()
    }

    fn window(&mut self, frame: Frame, rect: PixelRect) -> Result<Window, Infallible> {
        Ok(self.planes[frame.0 as usize].window(rect))
    }
}
