//! A label on one frame: its box, and the line from the box to the subject.

use std::sync::Arc;

use uuid::Uuid;

use super::{Drawable, Label, Shape, Show, Takes, fade};
use crate::geometry::{Point, Rect};
use crate::path::Path;
use crate::time::{Frame, FrameRange};

/// Length of the gap between the end of a label's line and the followed point, in pixels: the line must not hide it.
pub(super) const LINE_GAP: f64 = 9.0;
/// A line shorter than this is left out, in pixels: it would be a speck at the box.
const SHORTEST_LINE: f64 = 6.0;

#[derive(Debug)]
pub(super) struct PlacedLabel<'a> {
    pub label: &'a Label,
    pub show: &'a Show,
    pub path: Arc<Path>,
    pub spans: Vec<FrameRange>,
    /// Where the label stays on an axis it does not take.
    pub home: Point,
    pub colour: &'static str,
    pub art: usize,
    pub size: (f64, f64),
    pub offset: Point,
    pub attachment: Uuid,
}

impl PlacedLabel<'_> {
    pub fn drawables(&self, frame: Frame, range: FrameRange) -> Vec<Drawable> {
        let Some(subject) = self.path.position(frame) else { return Vec::new() };
        let Some(span) = self.spans.iter().find(|span| span.contains(frame)) else { return Vec::new() };
        let opacity = fade(frame, *span, range, self.label.fade_frames) * self.show.opacity;
        let blend = self.show.blend;
        let moved = match self.label.takes {
            Takes::Position => subject,
            Takes::Across => Point::new(subject.x, self.home.y),
            Takes::UpAndDown => Point::new(self.home.x, subject.y),
        };
        let rect = Rect::centred(moved + self.offset, self.size.0, self.size.1);
        let artwork = Shape::Artwork { art: self.art, matrix: [1.0, 0.0, 0.0, 1.0, rect.left, rect.top] };
        let line = self.label.line_width.and_then(|width| self.line(rect, subject, width));
        line.into_iter().chain([artwork]).map(|shape| Drawable { shape, opacity, blend }).collect()
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
