//! What is to be solved.

use super::guides::Guides;
use crate::geometry::Size;
use crate::pin::Pin;
use crate::time::FrameRange;
use crate::track::Track;

/// What is to be solved.
#[derive(Clone, Copy)]
pub(super) struct Task<'a> {
    pub pin: &'a Pin,
    pub size: Size,
    /// Samples of before; those outside the range help.
    pub track: &'a Track,
    pub guides: &'a Guides,
    pub range: FrameRange,
}
