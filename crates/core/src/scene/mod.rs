//! Attachments evaluated to the drawables of one frame. Two painters (the page, the exporter) paint exactly these.

mod boundary;
mod captioned;
mod drawn;
mod flare;
mod label;
mod outline;
mod picture;
mod placement;
mod settings;
mod show;

use std::sync::Arc;

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::geometry::{Point, Size};
use crate::motion::Poses;
use crate::path::Path;
use crate::shot::{Attachment, AttachmentKind, Shot, Subject};
use crate::time::{Frame, FrameRange};

pub use boundary::{Boundary, Corner, Drawing, Glow, TextPlace, Tint};
use captioned::PlacedLabel;
use drawn::PlacedBoundary;
use flare::PlacedFlare;
pub use flare::{Flare, FlareLook, FlarePart, FlarePartKind};
pub use label::{BoxStyle, Font, Label, LabelArt, Placement, Takes};
use picture::PlacedPicture;
pub use picture::{Lies, Picture};
pub use settings::SettingProblem;
pub use show::{Blend, Show};

/// Something to paint on one frame, in picture coordinates.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Drawable {
    /// What to paint.
    pub shape: Shape,
    /// Share of the light that it covers, 0 to 1.
    pub opacity: f64,
    /// How it is blended in.
    #[serde(default)]
    pub blend: Blend,
}

/// What a drawable consists of.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "shape", rename_all = "snake_case")]
pub enum Shape {
    /// Finished artwork under an affine map.
    Artwork {
        /// Which artwork: index into the scene's list.
        art: usize,
        /// `a b c d e f` as in SVG: `x' = a x + c y + e`, `y' = b x + d y + f`, from artwork to picture.
        matrix: [f64; 6],
    },
    /// Finished artwork under a map that keeps straight lines straight: in perspective.
    Flat {
        /// Which artwork: index into the scene's list.
        art: usize,
        /// From artwork to picture, row by row.
        matrix: [[f64; 3]; 3],
    },
    /// A straight line.
    Line {
        /// One end.
        from: Point,
        /// The other end.
        to: Point,
        /// Width, in pixels.
        width: f64,
        /// Colour as `#rrggbb`.
        colour: String,
    },
    /// Lines through several points each.
    Stroke {
        /// The points of each line.
        lines: Vec<Vec<Point>>,
        /// Whether the only line ends where it begins.
        closed: bool,
        /// Width, in pixels.
        width: f64,
        /// Colour as `#rrggbb`.
        colour: String,
        /// Round ends; else cut off square. Corners are always round.
        round: bool,
        /// Standard deviation of a Gaussian blur, in pixels.
        blur: f64,
    },
    /// What lies in any of these polygons, all of which turn the same way.
    Area {
        /// The corners of each polygon.
        rings: Vec<Vec<Point>>,
        /// Colour as `#rrggbb`.
        colour: String,
        /// Standard deviation of a Gaussian blur, in pixels.
        blur: f64,
    },
}

/// Artwork that drawables name by index.
#[derive(Clone, Debug, PartialEq)]
pub enum Art {
    /// A text in its box.
    Label(LabelArt),
    /// A piece of a flare.
    Flare(FlarePart),
    /// One of the project's pictures, with its own width and height in pixels.
    Picture(Uuid, [u32; 2]),
}

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
    range: FrameRange,
}

#[derive(Debug)]
enum Placed<'a> {
    Label(PlacedLabel<'a>),
    Boundary(PlacedBoundary<'a>),
    Picture(PlacedPicture<'a>),
    Flare(PlacedFlare<'a>),
}

impl<'a> Scene<'a> {
    /// Resolves everything that does not change from frame to frame: artwork, its size, offsets.
    pub fn new(shot: &'a Shot, picture: Size, range: FrameRange, measure: &dyn Measure) -> Self {
        let mut scene = Self { items: Vec::new(), artwork: Vec::new(), range };
        for subject in &shot.subjects {
            let shown: Vec<&Attachment> = subject.attachments.iter().filter(|attachment| attachment.show.on).collect();
            let Some(poses) = shot.poses_of(subject).filter(|_| !shown.is_empty()) else { continue };
            let poses = Arc::new(poses);
            let path = Arc::new(poses.path().clone());
            for attachment in shown {
                let item = match &attachment.kind {
                    AttachmentKind::Label(label) => scene.label(subject, (label, attachment), &path, picture, measure),
                    AttachmentKind::Boundary(boundary) => {
                        scene.boundary(subject, (boundary, attachment), &poses, measure)
                    }
                    AttachmentKind::Flare(flare) => Some(scene.flare((flare, attachment), &path, picture)),
                    AttachmentKind::Picture(picture) => Some(scene.picture(subject, (picture, attachment), &poses)),
                };
                scene.items.extend(item);
            }
        }
        scene
    }

    /// The artwork that the drawables name by index.
    pub fn artwork(&self) -> impl Iterator<Item = &Art> {
        self.artwork.iter()
    }

    /// For each label that hangs on a subject: its artwork, its attachment, and the offset from the subject to the middle of its box.
    pub fn offsets(&self) -> impl Iterator<Item = (usize, Uuid, Point)> + '_ {
        self.items.iter().filter_map(|item| match item {
            Placed::Label(label) => Some((label.art, label.attachment, label.offset)),
            Placed::Boundary(_) | Placed::Picture(_) | Placed::Flare(_) => None,
        })
    }

    /// What to paint on a frame, from back to front.
    pub fn frame(&self, frame: Frame) -> Vec<Drawable> {
        let drawables = |item: &Placed<'_>| match item {
            Placed::Label(label) => label.drawables(frame, self.range),
            Placed::Boundary(boundary) => boundary.drawables(frame),
            Placed::Picture(picture) => picture.drawables(frame, self.range),
            Placed::Flare(flare) => flare.drawables(frame, self.range),
        };
        self.items.iter().flat_map(drawables).collect()
    }

    /// Takes the artwork of a label into the list; its index and size.
    fn add_label_art(&mut self, art: LabelArt, measure: &dyn Measure) -> (usize, (f64, f64)) {
        let size = measure.measure(&art);
        self.artwork.push(Art::Label(art));
        (self.artwork.len() - 1, size)
    }

    fn label(
        &mut self,
        subject: &'a Subject,
        (label, attachment): (&'a Label, &'a Attachment),
        path: &Arc<Path>,
        picture: Size,
        measure: &dyn Measure,
    ) -> Option<Placed<'a>> {
        let (_, home) = path.iter().next()?;
        let (art, size) = self.add_label_art(label.art(&subject.name), measure);
        let pattern = subject.pins.first().map_or([31, 31], |pin| pin.pattern);
        let offset = match label.placement {
            Placement::Offset(offset) => offset,
            Placement::Auto => placement::suggest(path, size, pattern, picture),
        };
        let spans = path.spans().into_iter().filter_map(|span| attachment.show.within(span)).collect();
        let (colour, path, attachment, show) =
            (subject.colour_code(), Arc::clone(path), attachment.id, &attachment.show);
        Some(Placed::Label(PlacedLabel { label, show, path, spans, home, colour, art, size, offset, attachment }))
    }

    fn boundary(
        &mut self,
        subject: &'a Subject,
        (boundary, attachment): (&'a Boundary, &'a Attachment),
        poses: &Arc<Poses>,
        measure: &dyn Measure,
    ) -> Option<Placed<'a>> {
        let spans = poses.path().spans();
        let there = FrameRange { first: spans.first()?.first, last: spans.last()?.last };
        let text = boundary.label.as_ref().map(|label| self.add_label_art(label.art(&subject.name), measure));
        Some(Placed::Boundary(PlacedBoundary {
            boundary,
            show: &attachment.show,
            poses: Arc::clone(poses),
            points: &subject.points,
            time: attachment.show.within(there)?,
            colour: boundary.colour.as_deref().unwrap_or(subject.colour_code()),
            text,
        }))
    }

    fn picture(
        &mut self,
        subject: &'a Subject,
        (picture, attachment): (&'a Picture, &'a Attachment),
        poses: &Arc<Poses>,
    ) -> Placed<'a> {
        self.artwork.push(Art::Picture(picture.picture, picture.pixels));
        let spans = poses.path().spans().into_iter().filter_map(|span| attachment.show.within(span)).collect();
        let (show, poses, art) = (&attachment.show, Arc::clone(poses), self.artwork.len() - 1);
        Placed::Picture(PlacedPicture { picture, show, poses, points: &subject.points, spans, art })
    }

    fn flare(
        &mut self,
        (flare, attachment): (&'a Flare, &'a Attachment),
        path: &Arc<Path>,
        picture: Size,
    ) -> Placed<'a> {
        let art = self.artwork.len();
        self.artwork.extend(flare.parts().into_iter().map(|(part, ..)| Art::Flare(part)));
        let spans = path.spans().into_iter().filter_map(|span| attachment.show.within(span)).collect();
        let middle = Point::new(f64::from(picture.width), f64::from(picture.height)) * 0.5;
        Placed::Flare(PlacedFlare { flare, show: &attachment.show, path: Arc::clone(path), spans, art, middle })
    }
}

/// Opacity at a frame of a span: eased in over the first frames and out over the last, except where the span begins
/// or ends with the shot, for there the subject did not come or go.
fn fade(frame: Frame, span: FrameRange, shot: FrameRange, frames: u32) -> f64 {
    let share = |from_edge: i64| ((from_edge + 1) as f64 / f64::from(frames + 1)).min(1.0);
    let enters = if span.first <= shot.first { 1.0 } else { share(span.first.until(frame)) };
    let leaves = if span.last >= shot.last { 1.0 } else { share(frame.until(span.last)) };
    smoothstep(enters.min(leaves))
}

/// Cubic ease in and out (Hermite interpolation between 0 and 1 with level ends).
fn smoothstep(t: f64) -> f64 {
    t * t * (3.0 - 2.0 * t)
}

#[cfg(test)]
mod boundary_tests;
#[cfg(test)]
mod hung_tests;
#[cfg(test)]
mod tests;
