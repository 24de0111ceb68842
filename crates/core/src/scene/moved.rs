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
        let hung = self.items.iter().find(|hung| hung.set.id == attachment)?;
        let placed = hung.on(frame);
        let facing = |facing: Facing| stance(&placed.show.takes, facing, &placed.poses, frame);
        let mut kind = hung.set.kind.clone();
        match (&mut kind, &placed.body) {
            (AttachmentKind::Label(label), Body::Label(PlacedLabel { offset, .. })) => {
                label.placement = Placement::Offset(*offset + step(&facing(label.facing)?, from, to)?);
            }
            (AttachmentKind::Picture(picture), _) => {
                let map = match &picture.lies {
                    Lies::Face(corners) => face(corners, placed, frame)?,
                    Lies::Facing(own) => facing(*own)?,
                };
                picture.place = picture.place + step(&map, from, to)?;
            }
            (AttachmentKind::Flare(flare), _) => flare.place = flare.place + (to - from),
            (AttachmentKind::Cover(cover), _) => {
                cover.place = cover.place + step(&facing(cover.facing)?, from, to)?;
            }
            (AttachmentKind::Front(front), _) => {
                let moved = if front.rides { step(&riding(placed, front.since, frame)?, from, to)? } else { to - from };
                front.outline.iter_mut().for_each(|corner| *corner = *corner + moved);
            }
            _ => return None,
        }
        Some(kind)
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
