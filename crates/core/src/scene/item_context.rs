//! What an attachment of any kind is evaluated with.

use std::sync::Arc;

use uuid::Uuid;

use super::drawable::{Drawable, Primitive};
use crate::attachment::{Corner, Show};
use crate::geometry::Point;
use crate::motion::{CarriedPoint, Poses};
use crate::time::{Frame, FrameRange};

/// The subject that an attachment hangs on, and what all attachments have in common.
#[derive(Debug)]
pub(super) struct ItemContext {
    pub show: Show,
    /// The subject's colour.
    pub colour: &'static str,
    /// The places on the subject that no pin follows.
    pub points: Arc<[CarriedPoint]>,
    pub poses: Arc<Poses>,
    /// When it is shown.
    pub spans: Vec<FrameRange>,
}

impl ItemContext {
    /// Something to paint, as strongly as the attachment is shown.
    pub fn drawable(&self, primitive: Primitive, opacity: f64) -> Drawable {
        Drawable {
            primitive,
            opacity: opacity * self.show.opacity,
            blend: self.show.blend,
            exposures: Vec::new(),
            luma_gate: None,
        }
    }

    pub fn point(&self, id: Uuid) -> Option<&CarriedPoint> {
        self.points.iter().find(|point| point.id == id)
    }

    /// Where a corner is on a frame.
    pub fn corner(&self, corner: Corner, frame: Frame) -> Option<Point> {
        match corner {
            Corner::Pin(pin) => self.poses.pin(pin, frame).map(|(_, seen)| seen),
            Corner::Point(id) => self.point(id)?.position(&self.poses, frame),
        }
    }
}
