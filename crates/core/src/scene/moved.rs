//! An attachment dragged to another place on a frame.

use uuid::Uuid;

use super::Scene;
use super::item::Body;
use super::picture;
use super::stance::{riding, stance};
use crate::attachment::{AttachmentKind, Placement};
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
        let mut kind = item.attachment.kind.clone();
        match (&mut kind, &state.body) {
            (AttachmentKind::Label(label), Body::Label(placed)) => {
                let step = step(&placed.ground(context, frame, self.picture)?, from, to)?;
                label.placement = Placement::Offset(placed.offset + step);
            }
            (AttachmentKind::Picture(picture), _) => {
                let map = picture::ground(&picture.mount, context, frame, self.picture)?;
                picture.place = picture.place + step(&map, from, to)?;
            }
            (AttachmentKind::FilmClip(clip), _) => {
                let map = picture::ground(&clip.picture.mount, context, frame, self.picture)?;
                clip.picture.place = clip.picture.place + step(&map, from, to)?;
            }
            (AttachmentKind::Sparks(sparks), _) => sparks.place = sparks.place + (to - from),
            (AttachmentKind::Flare(flare), _) => flare.place = flare.place + (to - from),
            (AttachmentKind::Cover(cover), _) => {
                let map = stance(&context.show.takes, cover.orientation, &context.poses, frame)?;
                cover.place = cover.place + step(&map, from, to)?;
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
