//! A subject's motion as its attachments take it: the cleaned path with the turn, growth and tilt of its pins.

use std::sync::Arc;

use uuid::Uuid;

use super::{BentNet, SubjectMotion};
use crate::geometry::{Homography, LocalWarp, Point};
use crate::path::Path;
use crate::time::Frame;
use crate::track::MotionModel;

/// Where a subject is, and how it lies, on each frame on which it is there.
#[derive(Clone, Debug)]
pub struct Poses {
    path: Path,
    motion: Arc<SubjectMotion>,
    nets: Vec<BentNet>,
}

impl Poses {
    /// The anchor of `motion` follows `path`; turn, growth and tilt are those of `motion`.
    pub fn new(path: Path, motion: Arc<SubjectMotion>) -> Self {
        Self { path, motion, nets: Vec::new() }
    }

    /// With the nets of its surfaces that bend.
    pub fn with_nets(self, nets: Vec<BentNet>) -> Self {
        Self { nets, ..self }
    }

    /// The net of a surface that bends, by its area.
    pub fn net(&self, area: Uuid) -> Option<&BentNet> {
        self.nets.iter().find(|net| net.area == area)
    }

    /// Where the anchor goes.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// How much of the motion there is.
    pub fn model(&self) -> MotionModel {
        self.motion.model()
    }

    /// Where the anchor is, in the subject's own coordinates.
    pub fn anchor(&self) -> Point {
        self.motion.anchor()
    }

    /// From the subject's own coordinates to the picture of a frame; `None` where it is not there.
    pub fn at(&self, frame: Frame) -> Option<Homography> {
        Homography::shift(self.cleaned_by(frame)?).checked_after(self.motion.pose(frame)?)
    }

    /// A pin's place on the subject, and where it is on a frame.
    pub fn pin(&self, pin: Uuid, frame: Frame) -> Option<(Point, Point)> {
        let (own, at) = self.motion.pin(pin, frame)?;
        Some((own, at + self.cleaned_by(frame)?))
    }

    /// How far cleaning moves the subject on a frame.
    fn cleaned_by(&self, frame: Frame) -> Option<Point> {
        Some(self.path.position(frame)? - self.motion.pose(frame)?.apply(self.motion.anchor()))
    }

    /// How the anchor's surroundings have turned, grown and tilted, counted from the subject's own coordinates.
    pub fn warp(&self, frame: Frame) -> Option<LocalWarp> {
        Some(self.at(frame)?.checked_after(&Homography::shift(self.motion.anchor()))?.warp())
    }
}
