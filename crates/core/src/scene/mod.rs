//! Attachments evaluated to the drawables of one frame. Two painters (the page, the exporter) paint exactly these.

mod label;
mod placement;

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::geometry::{Point, Rect, Size};
use crate::path::Path;
use crate::shot::{AttachmentKind, SUBJECT_COLOURS, Shot, Subject};
use crate::time::{Frame, FrameRange};

pub use label::{BoxStyle, Font, Label, LabelArt, LabelProblem, Placement, Takes};

/// Length of the gap between the end of a label's line and the followed point, in pixels: the line must not hide it.
const LINE_GAP: f64 = 9.0;
/// A line shorter than this is left out, in pixels: it would be a speck at the box.
const SHORTEST_LINE: f64 = 6.0;

/// Something to paint on one frame, in picture coordinates.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Drawable {
    /// What to paint.
    pub shape: Shape,
    /// Share of the light that it covers, 0 to 1.
    pub opacity: f64,
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
    labels: Vec<PlacedLabel<'a>>,
    range: FrameRange,
}

#[derive(Debug)]
struct PlacedLabel<'a> {
    label: &'a Label,
    path: Arc<Path>,
    spans: Vec<FrameRange>,
    /// Where the label stays on an axis it does not take.
    home: Point,
    colour: &'static str,
    art: LabelArt,
    size: (f64, f64),
    offset: Point,
    attachment: uuid::Uuid,
}

impl<'a> Scene<'a> {
    /// Resolves everything that does not change from frame to frame: artwork, its size, offsets.
    pub fn new(shot: &'a Shot, picture: Size, range: FrameRange, measure: &dyn Measure) -> Self {
        let mut labels = Vec::new();
        for subject in &shot.subjects {
            let Some(path) = shot.path_of(subject).filter(|path| !path.runs.is_empty()) else { continue };
            let path = Arc::new(path);
            for attachment in &subject.attachments {
                let AttachmentKind::Label(label) = &attachment.kind;
                labels.extend(place(subject, label, attachment.id, &path, picture, measure));
            }
        }
        Self { labels, range }
    }

    /// The artwork that the drawables name by index.
    pub fn artwork(&self) -> impl Iterator<Item = &LabelArt> {
        self.labels.iter().map(|placed| &placed.art)
    }

    /// For each label: its attachment, and the offset from the subject to the middle of its box.
    pub fn offsets(&self) -> impl Iterator<Item = (uuid::Uuid, Point)> + '_ {
        self.labels.iter().map(|placed| (placed.attachment, placed.offset))
    }

    /// What to paint on a frame, from back to front.
    pub fn frame(&self, frame: Frame) -> Vec<Drawable> {
        self.labels.iter().enumerate().flat_map(|(art, placed)| placed.drawables(art, frame, self.range)).collect()
    }
}

fn place<'a>(
    subject: &'a Subject,
    label: &'a Label,
    attachment: uuid::Uuid,
    path: &Arc<Path>,
    picture: Size,
    measure: &dyn Measure,
) -> Option<PlacedLabel<'a>> {
    let (_, home) = path.iter().next()?;
    let art = label.art(&subject.name);
    let size = measure.measure(&art);
    let pattern = subject.pins.first().map_or([31, 31], |pin| pin.pattern);
    let offset = match label.placement {
        Placement::Offset(offset) => offset,
        Placement::Auto => placement::suggest(path, size, pattern, picture),
    };
    let colour = SUBJECT_COLOURS[subject.colour % SUBJECT_COLOURS.len()];
    Some(PlacedLabel {
        label,
        path: Arc::clone(path),
        spans: path.spans(),
        home,
        colour,
        art,
        size,
        offset,
        attachment,
    })
}

impl PlacedLabel<'_> {
    fn drawables(&self, art: usize, frame: Frame, range: FrameRange) -> Vec<Drawable> {
        let Some(subject) = self.path.position(frame) else { return Vec::new() };
        let Some(span) = self.spans.iter().find(|span| span.contains(frame)) else { return Vec::new() };
        let opacity = fade(frame, *span, range, self.label.fade_frames);
        let moved = match self.label.takes {
            Takes::Position => subject,
            Takes::Across => Point::new(subject.x, self.home.y),
            Takes::UpAndDown => Point::new(self.home.x, subject.y),
        };
        let rect = Rect::centred(moved + self.offset, self.size.0, self.size.1);
        let artwork = Shape::Artwork { art, matrix: [1.0, 0.0, 0.0, 1.0, rect.left, rect.top] };
        let line = self.label.line_width.and_then(|width| self.line(rect, subject, width));
        line.into_iter().chain([artwork]).map(|shape| Drawable { shape, opacity }).collect()
    }

    fn line(&self, rect: Rect, subject: Point, width: f64) -> Option<Shape> {
        let from = rect.nearest(subject);
        let length = from.distance(subject);
        if length < LINE_GAP + SHORTEST_LINE {
            return None;
        }
        let to = subject + (from - subject) * (LINE_GAP / length);
        let colour = self.label.line_colour.clone().unwrap_or_else(|| self.colour.to_owned());
        Some(Shape::Line { from, to, width, colour })
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
mod tests;
