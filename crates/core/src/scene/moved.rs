//! An attachment dragged to another place on a frame.

use uuid::Uuid;

use super::Scene;
use super::item::Body;
use super::label::PlacedLabel;
use super::picture::face;
use super::stance::{riding, stance};
use crate::attachment::{AttachmentKind, Orientation, PictureMount, Placement};
use crate::geometry::{Homography, Point};
use crate::time::Frame;

impl Scene {
    /// What becomes of an attachment that is taken at `from` and let go at `to`, in the picture of a frame: it keeps
    /// following, with another offset.
    /// `None` where it is not shown, or where it has no offset: a boundary line goes through its corners.
    pub fn moved(&self, attachment: Uuid, frame: Frame, from: Point, to: Point) -> Option<AttachmentKind> {
        let item = self.items.iter().find(|item| item.attachment.id == attachment)?;
        let state = item.on(frame);
        let context = &state.context;
        let stand = |orientation: Orientation| stance(&context.show.takes, orientation, &context.poses, frame);
        let mut kind = item.attachment.kind.clone();
        match (&mut kind, &state.body) {
            (AttachmentKind::Label(label), Body::Label(PlacedLabel { offset, .. })) => {
                label.placement = Placement::Offset(*offset + step(&stand(label.orientation)?, from, to)?);
            }
            (AttachmentKind::Picture(picture), _) => {
                let map = match &picture.mount {
                    PictureMount::Face(corners) => face(corners, context, frame)?,
                    PictureMount::Facing(own) => stand(*own)?,
                };
                picture.place = picture.place + step(&map, from, to)?;
            }
            (AttachmentKind::Sparks(sparks), _) => sparks.place = sparks.place + (to - from),
            (AttachmentKind::Flare(flare), _) => flare.place = flare.place + (to - from),
            (AttachmentKind::Cover(cover), _) => {
                cover.place = cover.place + step(&stand(cover.orientation)?, from, to)?;
            }
            (AttachmentKind::Foreground(matte), _) => {
                let moved =
                    if matte.rides { step(&riding(&context.poses, matte.since, frame)?, from, to)? } else { to - from };
                matte.outline.iter_mut().for_each(|corner| *corner = *corner + moved);
            }
            _ => return None,
        }
        Some(kind)
    }
}

/// A step in the picture, as it is before the map.
fn step(map: &Homography, from: Point, to: Point) -> Option<Point> {
    let back = map.inverse()?;
    let step = back.apply(to) - back.apply(from);
    step.is_finite().then_some(step)
}
