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
mod varied;

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
use placed::{Body, Hung, Placed, Stage};
pub use settings::SettingProblem;
pub use show::{Blend, Show};
pub use stance::{Axis, Facing, Takes};
use varied::Varied;
pub(crate) use varied::check as check_keyed;

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
    items: Vec<Hung<'a>>,
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
                scene.hang(subject, attachment, &poses, measure);
            }
        }
        scene.items.sort_by_key(|hung| hung.first().show.order);
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
        self.items.iter().filter_map(|hung| match &hung.first().body {
            Body::Label(label) => Some((label.art, hung.set.id, label.offset)),
            _ => None,
        })
    }

    /// Whether the film's own picture is needed to paint it, on some frame.
    pub fn needs_picture(&self) -> bool {
        self.items.iter().any(|hung| match &hung.first().body {
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
        let drawables = |hung: &Hung<'_>| {
            let pushed = pushed.get(&hung.set.id).copied().unwrap_or_default();
            (hung.set.id, hung.on(frame).drawables(frame, &stage, pushed))
        };
        self.items.iter().map(drawables).collect()
    }

    fn hang(&mut self, subject: &'a Subject, set: &'a Attachment, poses: &Arc<Poses>, measure: &dyn Measure) {
        let shelf = self.artwork.len();
        let varied = Varied::new(set);
        let changes = varied.as_ref().map_or(vec![self.range.first], |varied| varied.changes(self.range));
        let mut forms: Vec<(Frame, Placed<'a>)> = Vec::new();
        for frame in changes {
            let form = varied.as_ref().map_or(Some(set.clone()), |varied| varied.on(frame));
            let placed = form.and_then(|form| self.place(subject, form, poses, shelf, measure));
            forms.extend(placed.map(|placed| (frame, placed)));
        }
        if let Some(hung) = Hung::new(set, forms) {
            self.items.push(hung);
        }
    }

    /// `shelf`: where the artwork of the attachment begins in the list.
    fn place(
        &mut self,
        subject: &'a Subject,
        attachment: Attachment,
        poses: &Arc<Poses>,
        shelf: usize,
        measure: &dyn Measure,
    ) -> Option<Placed<'a>> {
        let (path, Attachment { show, kind, .. }) = (poses.path(), attachment);
        let spans = path.spans();
        let there = FrameRange { first: spans.first()?.first, last: spans.last()?.last };
        let within = match &kind {
            AttachmentKind::Boundary(_) => vec![there],
            AttachmentKind::Front(front) => vec![if front.rides { there } else { self.range }],
            _ => spans,
        };
        let mut shelf = Shelf { scene: self, from: shelf, measure };
        let body = match kind {
            AttachmentKind::Label(label) => Body::Label(shelf.label(subject, label, path)),
            AttachmentKind::Boundary(boundary) => Body::Boundary(PlacedBoundary {
                colour: boundary.colour.clone().unwrap_or_else(|| subject.colour_code().to_owned()),
                text: boundary.label.as_ref().map(|label| shelf.label_art(label.art(&subject.name))),
                boundary,
            }),
            AttachmentKind::Picture(picture) => {
                let size = picture.pixels.map(f64::from);
                let art = shelf.put(Art::Picture(picture.picture, picture.pixels), |_| size.into());
                Body::Picture(PlacedPicture { picture, art })
            }
            AttachmentKind::Flare(flare) => Body::Flare(shelf.flare(flare)),
            AttachmentKind::Cover(cover) => Body::Cover(cover),
            AttachmentKind::Front(front) => Body::Front(front),
        };
        let spans = within.into_iter().filter_map(|span| show.within(span)).collect();
        Some(Placed { show, subject, poses: Arc::clone(poses), spans, body })
    }
}

/// The artwork of one attachment, at the end of the scene's list.
struct Shelf<'s, 'a> {
    scene: &'s mut Scene<'a>,
    from: usize,
    measure: &'s dyn Measure,
}

impl Shelf<'_, '_> {
    /// Takes artwork into the list, unless it is there; its index.
    fn put(&mut self, art: Art, size: impl FnOnce(&Art) -> (f64, f64)) -> usize {
        let Scene { artwork, sizes, .. } = &mut *self.scene;
        if let Some(known) = artwork[self.from..].iter().position(|known| *known == art) {
            return self.from + known;
        }
        sizes.push(size(&art));
        artwork.push(art);
        artwork.len() - 1
    }

    /// Takes the artwork of a label into the list; its index and size.
    fn label_art(&mut self, art: LabelArt) -> (usize, (f64, f64)) {
        let measure = self.measure;
        let index = self.put(Art::Label(Box::new(art)), |art| match art {
            Art::Label(art) => measure.measure(art),
            _ => (0.0, 0.0),
        });
        (index, self.scene.sizes[index])
    }

    fn label(&mut self, subject: &Subject, label: Box<Label>, path: &Path) -> PlacedLabel {
        let (art, size) = self.label_art(label.art(&subject.name));
        let pattern = subject.pins.first().map_or([31, 31], |pin| pin.pattern);
        let offset = match label.placement {
            Placement::Offset(offset) => offset,
            Placement::Auto => placement::suggest(path, size, pattern, self.scene.picture),
        };
        PlacedLabel { label, art, size, offset }
    }

    fn flare(&mut self, flare: Flare) -> PlacedFlare {
        let art = flare.parts().into_iter().map(|(part, ..)| {
            let size = (2.0 * part.reach.0, 2.0 * part.reach.1);
            self.put(Art::Flare(part), |_| size)
        });
        let art = art.collect();
        let picture = self.scene.picture;
        let middle = Point::new(f64::from(picture.width), f64::from(picture.height)) * 0.5;
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
