//! Attachments evaluated to the drawables of one frame. Two painters (the page, the exporter) paint exactly these.
//!
//! A kind of attachment has a file here that gives its drawables, a line in `Body` (`item`) and one in `builder`.

mod artwork;
mod bent;
mod boundary;
mod builder;
mod cover;
mod drawable;
mod flare;
mod foreground;
mod item;
mod item_context;
mod keyed;
mod label;
mod label_layout;
mod label_place;
mod moved;
mod passing;
mod picture;
mod polyline;
mod sparks;
mod speck;
mod stance;

use std::sync::Arc;

use uuid::Uuid;

use crate::document::{Shot, Subject};
use crate::evaluate::SubjectEvaluation;
use crate::geometry::{Point, Size};
use crate::motion::Poses;
use crate::time::{Frame, FrameRange};

use artwork::ArtworkRegistry;
pub use artwork::Measure;
use builder::Builder;
pub use drawable::{Art, BentPiece, ClipArt, Drawable, LumaGate, Primitive};
use item::{Body, SceneItem, Stage};
use label_layout::LabelLayout;
pub use speck::Speck;

/// A shot's attachments, ready to be evaluated on any frame.
#[derive(Debug)]
pub struct Scene {
    items: Vec<SceneItem>,
    registry: ArtworkRegistry,
    layout: LabelLayout,
    range: FrameRange,
    picture: Size,
}

impl Scene {
    /// A shot's scene, for which all of its subjects are evaluated.
    pub fn new(shot: &Shot, picture: Size, range: FrameRange, measure: &dyn Measure) -> Self {
        let evaluated = shot
            .subjects
            .iter()
            .filter(|subject| subject.is_shown())
            .filter_map(|subject| Some((subject, Arc::clone(SubjectEvaluation::new(shot, subject)?.poses()?))));
        Self::of(evaluated, picture, range, measure)
    }

    /// The scene of subjects that were evaluated already. Resolves everything that does not change from frame to frame:
    /// artwork, its size, offsets.
    pub fn of<'a>(
        subjects: impl IntoIterator<Item = (&'a Subject, Arc<Poses>)>,
        picture: Size,
        range: FrameRange,
        measure: &dyn Measure,
    ) -> Self {
        let subjects: Vec<(&Subject, Arc<Poses>)> = subjects.into_iter().collect();
        let (registry, items) = (ArtworkRegistry::default(), Vec::new());
        let mut builder = Builder { registry, items, range, picture, measure, subjects: &subjects };
        subjects.iter().for_each(|(subject, poses)| builder.subject(subject, poses));
        let Builder { registry, mut items, .. } = builder;
        items.sort_by_key(|item| item.first().context.show.order);
        let layout = LabelLayout::new(&items, range, picture);
        Self { items, registry, layout, range, picture }
    }

    /// The artwork that the drawables name by index.
    pub fn artwork(&self) -> impl Iterator<Item = &Art> {
        self.registry.artwork.iter()
    }

    /// Width and height of an artwork, in pixels.
    pub fn size_of(&self, art: usize) -> (f64, f64) {
        self.registry.sizes.get(art).copied().unwrap_or_default()
    }

    /// For each label that hangs on a subject: its artwork, its attachment, and the offset from the subject to the
    /// middle of its box.
    pub fn offsets(&self) -> impl Iterator<Item = (usize, Uuid, Point)> + '_ {
        self.items.iter().filter_map(|item| match &item.first().body {
            Body::Label(label) => Some((label.art, item.attachment.id, label.offset)),
            _ => None,
        })
    }

    /// Whether the film's own picture is needed to paint it, on some frame.
    pub fn needs_picture(&self) -> bool {
        self.items.iter().any(|item| match &item.first().body {
            Body::Cover(_) | Body::Foreground(_) => true,
            Body::Flare(flare) => flare.flare.fades_below.is_some(),
            Body::Label(_) | Body::Boundary(_) | Body::Picture(_) | Body::FilmClip(_) | Body::Sparks(_) => false,
        })
    }

    /// The film clips that a frame shows: the artwork, the clip, and which of its frames.
    pub fn clips_on(&self, frame: Frame) -> Vec<(usize, Uuid, Frame)> {
        let is_clip = |item: &&SceneItem| matches!(item.first().body, Body::FilmClip(_));
        let shown = |item: &SceneItem| match &item.on(frame).body {
            Body::FilmClip(placed) => Some((placed.art, placed.clip.picture.picture, placed.clip.shown_on(frame)?)),
            _ => None,
        };
        self.items.iter().filter(is_clip).filter_map(shown).collect()
    }

    /// What to paint on a frame, from back to front.
    pub fn frame(&self, frame: Frame) -> Vec<Drawable> {
        self.frame_by_attachment(frame).into_iter().flat_map(|(_, drawables)| drawables).collect()
    }

    /// What to paint of each attachment on a frame, from back to front.
    pub fn frame_by_attachment(&self, frame: Frame) -> Vec<(Uuid, Vec<Drawable>)> {
        let stage = Stage { range: self.range, picture: self.picture, sizes: &self.registry.sizes };
        let pushed = self.layout.pushed(&self.items, frame, self.picture);
        let drawables = |item: &SceneItem| {
            let pushed = pushed.get(&item.attachment.id).copied().unwrap_or_default();
            (item.attachment.id, item.on(frame).drawables(frame, &stage, pushed))
        };
        self.items.iter().map(drawables).collect()
    }
}

#[cfg(test)]
mod boundary_tests;
#[cfg(test)]
mod kinds_tests;
#[cfg(test)]
mod tests;
#[cfg(test)]
mod transition_tests;
