//! Attachments evaluated to the drawables of one frame. Two painters (the page, the exporter) paint exactly these.

mod apart;
mod boundary;
mod captioned;
mod cover;
mod drawable;
mod drawn;
mod flare;
mod front;
mod keyed;
mod label;
mod moved;
mod outline;
mod passage;
mod picture;
mod placed;
mod placement;
mod settings;
mod show;
mod stance;
mod style;

use std::sync::Arc;

use uuid::Uuid;

use crate::geometry::{Point, Size};
use crate::motion::Poses;
use crate::path::Path;
use crate::shot::{Attachment, AttachmentKind, Shot, Subject};
use crate::time::{Frame, FrameRange};

use apart::Apart;
pub use boundary::{Boundary, Corner, Drawing, Glow, TextPlace, Tint};
use captioned::PlacedLabel;
pub use cover::{Cover, CoverEffect, CoverShape};
pub use drawable::{Art, Drawable, Lit, Shape};
use drawn::PlacedBoundary;
use flare::PlacedFlare;
pub use flare::{Flare, FlareLook, FlarePart, FlarePartKind};
pub use front::{Brightness, Front};
pub use keyed::{Key, Number};
pub use label::{BoxStyle, Edge, Font, Label, LabelArt, LineCourse, Placement, Second, Shadow};
pub use passage::{Passage, Way};
use picture::PlacedPicture;
pub use picture::{Lies, Picture};
use placed::{Body, Placed, Stage};
pub use settings::SettingProblem;
pub use show::{Blend, Show};
pub use stance::{Axis, Facing, Takes};

/// Gives the size of a label's artwork, in pixels. Implemented by the caller, who knows fonts.
pub trait Measure {
    /// Width and height of the artwork.
    fn measure(&self, art: &LabelArt) -> (f64, f64);
}

impl<F: Fn(&LabelArt) -> (f64, f64)> Measure for F {
    fn measure(&self, art: &LabelArt) -> (f64, f64) {
        self(art)
    }
}

/// A shot's attachments, ready to be evaluated on any frame.
#[derive(Debug)]
pub struct Scene<'a> {
    items: Vec<Placed<'a>>,
    artwork: Vec<Art>,
    sizes: Vec<(f64, f64)>,
    apart: Apart,
    range: FrameRange,
    picture: Size,
}

impl<'a> Scene<'a> {
    /// Resolves everything that does not change from frame to frame: artwork, its size, offsets.
    pub fn new(shot: &'a Shot, picture: Size, range: FrameRange, measure: &dyn Measure) -> Self {
        let (items, artwork, sizes, apart) = (Vec::new(), Vec::new(), Vec::new(), Apart::default());
        let mut scene = Self { items, artwork, sizes, apart, range, picture };
        for subject in &shot.subjects {
            let shown: Vec<&Attachment> = subject.attachments.iter().filter(|attachment| attachment.show.on).collect();
            let Some(poses) = shot.poses_of(subject).filter(|_| !shown.is_empty()) else { continue };
            let poses = Arc::new(poses);
            for attachment in shown {
                scene.place(subject, attachment, &poses, measure);
            }
        }
        scene.items.sort_by_key(|placed| placed.show.order);
        scene.apart = Apart::new(&scene.items, range, picture);
        scene
    }

    /// The artwork that the drawables name by index.
    pub fn artwork(&self) -> impl Iterator<Item = &Art> {
        self.artwork.iter()
    }

    /// Width and height of an artwork, in pixels.
    pub fn size_of(&self, art: usize) -> (f64, f64) {
        self.sizes.get(art).copied().unwrap_or_default()
    }

    /// For each label that hangs on a subject: its artwork, its attachment, and the offset from the subject to the middle of its box.
    pub fn offsets(&self) -> impl Iterator<Item = (usize, Uuid, Point)> + '_ {
        self.items.iter().filter_map(|placed| match &placed.body {
            Body::Label(label) => Some((label.art, placed.attachment, label.offset)),
            _ => None,
        })
    }

    /// Whether the film's own picture is needed to paint it, on some frame.
    pub fn needs_picture(&self) -> bool {
        self.items.iter().any(|placed| match &placed.body {
            Body::Cover(_) | Body::Front(_) => true,
            Body::Flare(flare) => flare.flare.fades_below.is_some(),
            Body::Label(_) | Body::Boundary(_) | Body::Picture(_) => false,
        })
    }

    /// What to paint on a frame, from back to front.
    pub fn frame(&self, frame: Frame) -> Vec<Drawable> {
        self.frame_by_attachment(frame).into_iter().flat_map(|(_, drawables)| drawables).collect()
    }

    /// What to paint of each attachment on a frame, from back to front.
    pub fn frame_by_attachment(&self, frame: Frame) -> Vec<(Uuid, Vec<Drawable>)> {
        let stage = Stage { range: self.range, picture: self.picture, sizes: &self.sizes };
        let pushed = self.apart.pushed(&self.items, frame, self.picture);
        let drawables = |placed: &Placed<'_>| {
            let pushed = pushed.get(&placed.attachment).copied().unwrap_or_default();
            (placed.attachment, placed.drawables(frame, &stage, pushed))
        };
        self.items.iter().map(drawables).collect()
    }

    fn place(
        &mut self,
        subject: &'a Subject,
        attachment: &'a Attachment,
        poses: &Arc<Poses>,
        measure: &dyn Measure,
    ) -> Option<()> {
        let (path, show) = (poses.path(), &attachment.show);
        let spans = path.spans();
        let there = FrameRange { first: spans.first()?.first, last: spans.last()?.last };
        let mut within = vec![there];
        let body = match &attachment.kind {
            AttachmentKind::Label(label) => {
                within = spans;
                Body::Label(self.label(subject, label, path, measure))
            }
            AttachmentKind::Boundary(boundary) => Body::Boundary(PlacedBoundary {
                boundary,
                colour: boundary.colour.as_deref().unwrap_or(subject.colour_code()),
                text: boundary.label.as_ref().map(|label| self.add_label_art(label.art(&subject.name), measure)),
            }),
            AttachmentKind::Picture(picture) => {
                within = spans;
                let size = picture.pixels.map(f64::from);
                let art = self.add(Art::Picture(picture.picture, picture.pixels), size.into());
                Body::Picture(PlacedPicture { picture, art })
            }
            AttachmentKind::Flare(flare) => {
                within = spans;
                Body::Flare(self.flare(flare))
            }
            AttachmentKind::Cover(cover) => {
                within = spans;
                Body::Cover(cover)
            }
            AttachmentKind::Front(front) => {
                within = vec![if front.rides { there } else { self.range }];
                Body::Front(front)
            }
        };
        let spans = within.into_iter().filter_map(|span| show.within(span)).collect();
        let (attachment, poses) = (attachment.id, Arc::clone(poses));
        self.items.push(Placed { attachment, show, subject, poses, spans, body });
        Some(())
    }

    /// Takes artwork into the list; its index.
    fn add(&mut self, art: Art, size: (f64, f64)) -> usize {
        self.artwork.push(art);
        self.sizes.push(size);
        self.artwork.len() - 1
    }

    /// Takes the artwork of a label into the list; its index and size.
    fn add_label_art(&mut self, art: LabelArt, measure: &dyn Measure) -> (usize, (f64, f64)) {
        let size = measure.measure(&art);
        (self.add(Art::Label(Box::new(art)), size), size)
    }

    fn label(&mut self, subject: &'a Subject, label: &'a Label, path: &Path, measure: &dyn Measure) -> PlacedLabel<'a> {
        let (art, size) = self.add_label_art(label.art(&subject.name), measure);
        let pattern = subject.pins.first().map_or([31, 31], |pin| pin.pattern);
        let offset = match label.placement {
            Placement::Offset(offset) => offset,
            Placement::Auto => placement::suggest(path, size, pattern, self.picture),
        };
        PlacedLabel { label, art, size, offset }
    }

    fn flare(&mut self, flare: &'a Flare) -> PlacedFlare<'a> {
        let art = self.artwork.len();
        for (part, ..) in flare.parts() {
            let size = (2.0 * part.reach.0, 2.0 * part.reach.1);
            self.add(Art::Flare(part), size);
        }
        let middle = Point::new(f64::from(self.picture.width), f64::from(self.picture.height)) * 0.5;
        PlacedFlare { flare, art, middle }
    }
}

#[cfg(test)]
mod acted_tests;
#[cfg(test)]
mod boundary_tests;
#[cfg(test)]
mod hung_tests;
#[cfg(test)]
mod tests;
