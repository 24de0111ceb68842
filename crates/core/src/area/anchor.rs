//! What a face is compared with.

use super::face::Face;
use super::outline::Outline;
use super::task::AreaTask;
use crate::geometry::{Homography, Point};
use crate::image::FrameSource;
use crate::time::Frame;

/// A frame on which it is known where the face is, and what it looks like there.
pub(super) struct Anchor {
    pub frame: Frame,
    /// From the picture in which it was outlined.
    pub map: Homography,
    pub face: Face,
}

impl Anchor {
    /// The frame on which it was outlined.
    pub fn home<S: FrameSource>(source: &mut S, task: &AreaTask) -> Result<Option<Self>, S::Error> {
        Self::pick(source, task, task.frame, Homography::shift(Point::default()), &task.outline)
    }

    /// `outline` is of the picture in which the face was outlined. `None` where nothing there can be followed.
    pub fn pick<S: FrameSource>(
        source: &mut S,
        task: &AreaTask,
        frame: Frame,
        map: Homography,
        outline: &Outline,
    ) -> Result<Option<Self>, S::Error> {
        let left_out = task.left_out.iter().map(|outline| outline.seen_through(&map));
        let left_out: Vec<Outline> = left_out.chain(task.kept_out(frame)).collect();
        let face = Face::pick(source, frame, &outline.seen_through(&map), &left_out)?;
        Ok(face.map(|face| Self { frame, map, face }))
    }
}
