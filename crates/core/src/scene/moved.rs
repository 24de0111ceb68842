//! An attachment dragged to another place on a frame.

use super::captioned::PlacedLabel;
use super::picture::face;
use super::placed::{Body, Placed};
use super::stance::{Facing, stance};
use super::{Lies, Placement, Scene};
use crate::geometry::{Homography, Point};
use crate::shot::AttachmentKind;
use crate::time::Frame;
use uuid::Uuid;

impl Scene<'_> {
    /// What becomes of an attachment that is taken at `from` and let go at `to`, in the picture of a frame: it keeps following, with another offset.
    /// `None` where it is not shown, or where it has no offset: a boundary line goes through its corners.
    pub fn moved(&self, attachment: Uuid, frame: Frame, from: Point, to: Point) -> Option<AttachmentKind> {
        let placed = self.items.iter().find(|placed| placed.attachment == attachment)?;
        let facing = |facing: Facing| stance(&placed.show.takes, facing, &placed.poses, frame);
        match &placed.body {
            Body::Label(PlacedLabel { label, offset, .. }) => {
                let offset = *offset + step(&facing(label.facing)?, from, to)?;
                let mut label = (*label).clone();
                label.placement = Placement::Offset(offset);
                Some(AttachmentKind::Label(Box::new(label)))
            }
            Body::Picture(hung) => {
                let mut picture = hung.picture.clone();
                let map = match &picture.lies {
                    Lies::Face(corners) => face(corners, placed, frame)?,
                    Lies::Facing(own) => facing(*own)?,
                };
                picture.place = picture.place + step(&map, from, to)?;
                Some(AttachmentKind::Picture(picture))
            }
            Body::Flare(hung) => {
                let mut flare = hung.flare.clone();
                flare.place = flare.place + (to - from);
                Some(AttachmentKind::Flare(flare))
            }
            Body::Cover(cover) => {
                let mut cover = (*cover).clone();
                cover.place = cover.place + step(&facing(cover.facing)?, from, to)?;
                Some(AttachmentKind::Cover(cover))
            }
            Body::Front(front) => {
                let mut front = (*front).clone();
                let moved = if front.rides { step(&riding(placed, front.since, frame)?, from, to)? } else { to - from };
                front.outline.iter_mut().for_each(|corner| *corner = *corner + moved);
                Some(AttachmentKind::Front(front))
            }
            Body::Boundary(_) => None,
        }
    }
}

/// From the picture of one frame to that of another, as the subject goes.
pub(super) fn riding(placed: &Placed<'_>, since: Frame, frame: Frame) -> Option<Homography> {
    placed.poses.at(frame)?.checked_after(&placed.poses.at(since)?.inverse()?)
}

/// A step in the picture, as it is before the map.
fn step(map: &Homography, from: Point, to: Point) -> Option<Point> {
    let back = map.inverse()?;
    let step = back.apply(to) - back.apply(from);
    step.is_finite().then_some(step)
}
