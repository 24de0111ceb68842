//! A boundary line on one frame.

use super::drawable::{Drawable, Primitive};
use super::item_context::ItemContext;
use super::polyline::{Knot, Polyline};
use crate::attachment::{Boundary, Corner, Placement, TextPlace};
use crate::geometry::{Homography, Point, Rect};
use crate::time::{Frame, FrameRange};

/// A standard deviation of the glow reaches half as far as it is said to.
const GLOW_DEVIATIONS: f64 = 2.0;
/// Dashes that a line is cut into at most; with more it is whole. The edge of the largest picture has 16,000 of two
/// pixels.
const MOST_DASHES: f64 = 20_000.0;

#[derive(Debug)]
pub(super) struct PlacedBoundary {
    pub boundary: Box<Boundary>,
    pub colour: String,
    /// Its text: index of the artwork, and its size.
    pub text: Option<(usize, (f64, f64))>,
}

impl PlacedBoundary {
    /// `time`: from the first frame on which it is drawn on to the last.
    pub fn drawables(&self, item: &ItemContext, frame: Frame, time: FrameRange) -> Option<Vec<Drawable>> {
        let pose = item.poses.at(frame)?;
        // A line without one of its corners would be another line.
        let knots: Vec<Knot> =
            self.boundary.corners.iter().map(|corner| knot(item, *corner, frame, &pose)).collect::<Option<_>>()?;
        if knots.len() < Boundary::LEAST_CORNERS {
            return None;
        }
        let outline = Polyline::new(knots, self.boundary.closed, &pose, item.poses.anchor());
        let drawn = self.drawn(frame, time);
        let primitives =
            self.tint(&outline, drawn).into_iter().chain(self.line(&outline, drawn)).chain(self.text(&outline, drawn));
        Some(primitives.map(|(primitive, opacity)| item.drawable(primitive, opacity)).collect())
    }

    /// Which part of the line is there, as shares of its length.
    fn drawn(&self, frame: Frame, time: FrameRange) -> (f64, f64) {
        let drawing = &self.boundary.drawing;
        let share = |frames: i64, over: u32| if over == 0 { 1.0 } else { (frames as f64 / f64::from(over)).min(1.0) };
        let on = drawing.easing.at(share(time.first.until(frame) + 1, drawing.on_frames));
        let off = drawing.easing.at(1.0 - share(frame.until(time.last), drawing.off_frames));
        if drawing.goes_back { (0.0, on.min(1.0 - off)) } else { (off.min(on), on) }
    }

    fn line(&self, outline: &Polyline<'_>, (from, to): (f64, f64)) -> Vec<(Primitive, f64)> {
        let boundary = &self.boundary;
        let length = outline.length();
        let whole = boundary.closed && from <= 0.0 && to >= 1.0 && boundary.dashes.is_none();
        let parts = self.dashes(from * length, to * length).into_iter().flat_map(|(from, to)| outline.part(from, to));
        let parts: Vec<_> = parts.collect();
        let marks = self.marks(outline, from * length, to * length);
        if parts.is_empty() && marks.is_empty() {
            return Vec::new();
        }
        let rounded = boundary.dashes.is_none();
        let shape = |colour: &str, widened: f64, blur: f64| {
            let (colour, width) = (colour.to_owned(), boundary.width + widened);
            if boundary.on_ground {
                Primitive::Area { rings: outline.laid_flat(&parts, width, rounded), colour, blur }
            } else {
                let lines =
                    parts.iter().map(|part| part.iter().map(|place| place.1).collect()).collect::<Vec<Vec<Point>>>();
                let closed = whole && lines.len() == 1;
                Primitive::Stroke { lines, closed, width, colour, round: rounded, blur }
            }
        };
        let glow = boundary
            .glow
            .as_ref()
            .map(|glow| (shape(&glow.colour, 0.5 * glow.reach, glow.reach / GLOW_DEVIATIONS), glow.opacity));
        let marks = (!marks.is_empty()).then(|| Primitive::Area {
            rings: marks,
            colour: self.colour.clone(),
            blur: boundary.softness,
        });
        let line =
            [Some(shape(&self.colour, 0.0, boundary.softness)), marks].into_iter().flatten().map(|shape| (shape, 1.0));
        glow.into_iter().chain(line).collect()
    }

    /// The pieces of the line between two lengths, counted from its start, so that they stay where they are while it is
    /// drawn on.
    fn dashes(&self, from: f64, to: f64) -> Vec<(f64, f64)> {
        let Some([dash, gap]) = self.boundary.dashes else { return vec![(from, to)] };
        // A corner may lie far outside of the picture: so many dashes nobody tells from a line, and each costs.
        if (to - from) / (dash + gap) > MOST_DASHES {
            return vec![(from, to)];
        }
        let first = (from / (dash + gap)).floor() as i64;
        let pieces = (first..).map(|n| n as f64 * (dash + gap)).take_while(|begins| *begins < to);
        let cut = |begins: f64| (begins.max(from), (begins + dash).min(to));
        pieces.map(cut).filter(|(low, high)| low < high).collect()
    }

    fn marks(&self, outline: &Polyline<'_>, from: f64, to: f64) -> Vec<Vec<Point>> {
        if self.boundary.marks == 0.0 {
            return Vec::new();
        }
        let there = |corner: &usize| (from..=to).contains(&outline.length_at(*corner)) && to > from;
        let corners = (0..self.boundary.corners.len()).filter(there);
        corners.map(|corner| outline.disc(outline.corner(corner), self.boundary.marks)).collect()
    }

    /// The ground inside, as strongly as the line is there.
    fn tint(&self, outline: &Polyline<'_>, (from, to): (f64, f64)) -> Option<(Primitive, f64)> {
        let tint = self.boundary.tint.as_ref().filter(|_| self.boundary.closed && to > from)?;
        let parts = outline.part(0.0, outline.length());
        let ring = parts.iter().flatten().map(|place| place.1).collect();
        let shape = Primitive::Area { rings: vec![ring], colour: tint.colour.clone(), blur: 0.0 };
        Some((shape, tint.opacity * (to - from)))
    }

    fn text(&self, outline: &Polyline<'_>, (from, to): (f64, f64)) -> Option<(Primitive, f64)> {
        let (art, size) = self.text?;
        let length = outline.length();
        let corners = self.boundary.corners.len();
        let middle = match self.boundary.label_at {
            TextPlace::Middle => {
                let sum = (0..corners).fold(Point::default(), |sum, corner| sum + outline.corner(corner).1);
                sum * (1.0 / corners as f64)
            }
            TextPlace::Edge(corner) => {
                let edges = if self.boundary.closed { corners } else { corners - 1 };
                let begins = corner.min(edges - 1);
                let half = (outline.length_at(begins) + outline.end_of(begins)) / 2.0;
                outline.part(half - 1e-6 * length, half).first()?.first()?.1
            }
        };
        let rect = Rect::centred(middle + self.label_offset(), size.0, size.1);
        Some((Primitive::Artwork { art, matrix: [1.0, 0.0, 0.0, 1.0, rect.left, rect.top] }, to - from))
    }

    /// The offset of its text from where it belongs, in pixels.
    fn label_offset(&self) -> Point {
        match self.boundary.label.as_ref().map(|label| label.placement) {
            Some(Placement::Offset(offset)) => offset,
            _ => Point::default(),
        }
    }
}

fn knot(item: &ItemContext, corner: Corner, frame: Frame, pose: &Homography) -> Option<Knot> {
    match corner {
        Corner::Pin(pin) => item.poses.pin(pin, frame).map(|(own, seen)| Knot { own, seen }),
        Corner::Point(id) => {
            let point = item.point(id)?;
            let own = point.own_place(&item.poses, frame)?;
            Some(Knot { own, seen: pose.apply(own) })
        }
    }
}
