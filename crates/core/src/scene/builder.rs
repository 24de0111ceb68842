//! Attachments made ready for all frames: what does not change from frame to frame is resolved once.

use std::sync::Arc;

use super::artwork::{ArtworkRegistry, Measure};
use super::boundary::PlacedBoundary;
use super::drawable::{Art, ClipArt};
use super::flare::PlacedFlare;
use super::item::{Body, ItemState, SceneItem};
use super::item_context::ItemContext;
use super::label::PlacedLabel;
use super::label_place::{Standing, suggest};
use super::picture::{PlacedClip, PlacedPicture};
use crate::attachment::{AnimatedSettings, Attachment, AttachmentKind, Flare, Label, LabelArt, Placement};
use crate::document::Subject;
use crate::geometry::{Point, Size};
use crate::motion::{CarriedPoint, Poses};
use crate::path::Path;
use crate::time::{Frame, FrameRange};

/// Makes the items of a scene one after the other.
pub(super) struct Builder<'a> {
    pub registry: ArtworkRegistry,
    pub items: Vec<SceneItem>,
    pub range: FrameRange,
    pub picture: Size,
    pub measure: &'a dyn Measure,
    /// All subjects of which something is known, with where they are.
    pub subjects: &'a [(&'a Subject, Arc<Poses>)],
}

/// A subject that something hangs on.
struct Carrier<'a> {
    subject: &'a Subject,
    points: Arc<[CarriedPoint]>,
    poses: &'a Arc<Poses>,
}

impl Builder<'_> {
    /// Everything that is shown of a subject.
    pub fn subject(&mut self, subject: &Subject, poses: &Arc<Poses>) {
        let carrier = Carrier { subject, points: subject.points.as_slice().into(), poses };
        for attachment in subject.attachments.iter().filter(|attachment| attachment.show.on) {
            self.attachment(&carrier, attachment);
        }
    }

    fn attachment(&mut self, carrier: &Carrier<'_>, set: &Attachment) {
        let from = self.registry.artwork.len();
        let animated = AnimatedSettings::new(set);
        let changes = animated.as_ref().map_or(vec![self.range.first], |animated| animated.changes(self.range));
        let states = changes.into_iter().filter_map(|frame| {
            let attachment = animated.as_ref().map_or_else(|| set.clone(), |animated| animated.on(frame));
            Some((frame, self.state(carrier, attachment, from)?))
        });
        let states: Vec<(Frame, ItemState)> = states.collect();
        self.items.extend(SceneItem::new(set, states));
    }

    /// `from`: where the artwork of the attachment begins.
    fn state(&mut self, carrier: &Carrier<'_>, attachment: Attachment, from: usize) -> Option<ItemState> {
        let (subject, path) = (carrier.subject, carrier.poses.path());
        let Attachment { show, kind, .. } = attachment;
        let spans = path.spans();
        let there = FrameRange { first: spans.first()?.first, last: spans.last()?.last };
        let within = match &kind {
            AttachmentKind::Boundary(_) => vec![there],
            AttachmentKind::Foreground(matte) => vec![if matte.rides { there } else { self.range }],
            _ => spans,
        };
        let body = match kind {
            AttachmentKind::Label(label) => Body::Label(self.label(subject, label, path, from)),
            AttachmentKind::Boundary(boundary) => Body::Boundary(PlacedBoundary {
                colour: boundary.colour.clone().unwrap_or_else(|| subject.colour_code().to_owned()),
                text: boundary.label.as_ref().map(|label| self.label_art(label.art(&subject.name), from)),
                boundary,
            }),
            AttachmentKind::Picture(picture) => {
                let size = picture.pixels.map(f64::from);
                let art = self.registry.enter(from, Art::Picture(picture.picture, picture.pixels), size.into());
                Body::Picture(PlacedPicture { picture, art })
            }
            AttachmentKind::FilmClip(clip) => {
                let (size, key) = (clip.picture.pixels, clip.key.clone());
                let art = Art::Clip(ClipArt {
                    clip: clip.picture.picture,
                    pixels: size,
                    frames: clip.frames,
                    alpha: clip.alpha,
                    key,
                });
                let art = self.registry.enter(from, art, size.map(f64::from).into());
                Body::FilmClip(PlacedClip { clip, art })
            }
            AttachmentKind::Flare(flare) => Body::Flare(self.flare(flare, from)),
            AttachmentKind::Cover(cover) => Body::Cover(cover),
            AttachmentKind::Sparks(sparks) => Body::Sparks(sparks),
            AttachmentKind::Foreground(matte) => Body::Foreground(matte),
        };
        let spans = within.into_iter().filter_map(|span| show.within(span)).collect();
        let (points, poses) = (Arc::clone(&carrier.points), Arc::clone(carrier.poses));
        Some(ItemState { context: ItemContext { show, colour: subject.colour_code(), points, poses, spans }, body })
    }

    /// Takes the artwork of a label in; its index and size.
    fn label_art(&mut self, art: LabelArt, from: usize) -> (usize, (f64, f64)) {
        let size = self.measure.measure(&art);
        (self.registry.enter(from, Art::Label(Box::new(art)), size), size)
    }

    fn label(&mut self, subject: &Subject, label: Box<Label>, path: &Path, from: usize) -> PlacedLabel {
        let (art, size) = self.label_art(label.art(&subject.name), from);
        let standing = |path, of: &Subject| Standing::new(path, of.pins.first(), self.picture);
        let others = || {
            let others = self.subjects.iter().filter(|(other, _)| other.id != subject.id);
            others.map(|(other, poses)| standing(poses.path(), other)).collect::<Vec<_>>()
        };
        let offset = match label.placement {
            Placement::Offset(offset) => offset,
            Placement::Auto if label.lies.is_some() => Point::default(),
            Placement::Auto => suggest(&standing(path, subject), &others(), size, self.picture),
        };
        PlacedLabel { label, art, size, offset }
    }

    fn flare(&mut self, flare: Flare, from: usize) -> PlacedFlare {
        let art = flare.parts().into_iter().map(|(part, ..)| {
            let size = (2.0 * part.reach.0, 2.0 * part.reach.1);
            self.registry.enter(from, Art::Flare(part), size)
        });
        let art = art.collect();
        let middle = Point::new(f64::from(self.picture.width), f64::from(self.picture.height)) * 0.5;
        PlacedFlare { flare, art, middle }
    }
}
