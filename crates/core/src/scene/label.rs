//! A label on one frame: its box, and the line from the box to the subject.

use super::bent::bent;
use super::drawable::{Drawable, Primitive, affine};
use super::item_context::ItemContext;
use super::stance::{lying, stance};
use crate::attachment::{Label, LineCourse};
use crate::geometry::{Homography, Point, Rect, Size};
use crate::time::Frame;

/// Length of the gap between the end of a label's line and the followed point, in pixels: the line must not hide it.
pub(super) const LINE_GAP: f64 = 9.0;
/// A line shorter than this is left out, in pixels: it would be a speck at the box.
const SHORTEST_LINE: f64 = 6.0;
/// The level piece of a line with an elbow, in letter heights.
const ELBOW: f64 = 0.9;
/// Room between a box that is kept inside and the edge of the picture, as a share of the picture's shorter side: the
/// margin for text of common practice.
const MARGIN: f64 = 0.02;

#[derive(Debug)]
pub(super) struct PlacedLabel {
    pub label: Box<Label>,
    pub art: usize,
    pub size: (f64, f64),
    /// From the subject, or the middle of the face on which it lies, to the middle of the box.
    pub offset: Point,
}

impl PlacedLabel {
    pub fn drawables(&self, item: &ItemContext, frame: Frame, picture: Size, pushed: Point) -> Option<Vec<Drawable>> {
        let subject = item.poses.path().position(frame)?;
        let map = Homography::shift(pushed).after(&self.place(item, frame, picture)?);
        let bent = self.bends(item, frame, picture);
        let artwork = if let Some(bent) = bent {
            bent
        } else if map.rows()[2] == [0.0, 0.0, 1.0] {
            Primitive::Artwork { art: self.art, matrix: affine(&map) }
        } else {
            Primitive::Flat { art: self.art, matrix: *map.rows() }
        };
        let width = self.label.line_width.filter(|_| self.label.lies.is_none());
        let line = width.and_then(|width| self.line(item, &map, subject, width));
        Some(line.into_iter().chain([artwork]).map(|primitive| item.drawable(primitive, 1.0)).collect())
    }

    /// On a surface that bends.
    fn bends(&self, item: &ItemContext, frame: Frame, picture: Size) -> Option<Primitive> {
        let face = self.label.lies.as_ref().filter(|face| face.bends.is_some())?;
        let laid = face.map(picture)?.checked_after(&self.laid_out())?;
        bent((self.art, self.size, None), (face, &laid), item, frame)
    }

    /// From the artwork to what its offset is counted in.
    fn laid_out(&self) -> Homography {
        let middle = Homography::shift(Point::new(self.size.0, self.size.1) * -0.5);
        let turned = Homography::shift(self.offset).after(&Homography::turn(self.label.rotation.to_radians()));
        turned.after(&middle)
    }

    /// From what its offset is counted in to the picture.
    pub fn ground(&self, item: &ItemContext, frame: Frame, picture: Size) -> Option<Homography> {
        let (takes, poses) = (&item.show.takes, &item.poses);
        match &self.label.lies {
            Some(face) => lying(face, takes, poses, frame, picture),
            None => stance(takes, self.label.orientation, poses, frame),
        }
    }

    /// From the artwork to the picture.
    fn place(&self, item: &ItemContext, frame: Frame, picture: Size) -> Option<Homography> {
        let map = self.ground(item, frame, picture)?.checked_after(&self.laid_out())?;
        if !self.label.keeps_inside || self.label.lies.is_some() {
            return Some(map);
        }
        Some(Homography::shift(inward(self.bounds(&map), picture)).after(&map))
    }

    /// The upright box round the label, as far as it does not make room for others.
    pub fn rect(&self, item: &ItemContext, frame: Frame, picture: Size) -> Option<Rect> {
        Some(self.bounds(&self.place(item, frame, picture)?))
    }

    fn bounds(&self, map: &Homography) -> Rect {
        let (width, height) = self.size;
        let corners = [(0.0, 0.0), (width, 0.0), (width, height), (0.0, height)];
        let corners = corners.map(|(x, y)| map.apply(Point::new(x, y)));
        Rect::around_all(&corners).unwrap_or(Rect::centred(map.origin(), 0.0, 0.0))
    }

    fn line(&self, item: &ItemContext, map: &Homography, subject: Point, width: f64) -> Option<Primitive> {
        let own = map.inverse()?.apply(subject);
        let (wide, high) = self.size;
        let colour = self.label.line_colour.clone().unwrap_or_else(|| item.colour.to_owned());
        let level = || {
            let side = if own.x > wide { 1.0 } else { -1.0 };
            let leg = (ELBOW * self.label.size).min(0.5 * (own.x - wide / 2.0).abs() - wide / 4.0);
            let start = Point::new(if side > 0.0 { wide } else { 0.0 }, high / 2.0);
            (leg > 0.0).then(|| (start, Point::new(start.x + side * leg, start.y)))
        };
        let beside = own.x < 0.0 || own.x > wide;
        let elbow = (self.label.line_course == LineCourse::Elbow && beside).then(level).flatten();
        let whole = Rect { left: 0.0, top: 0.0, right: wide, bottom: high };
        let start = map.apply(elbow.map_or(whole.nearest(own), |(start, _)| start));
        let from = elbow.map_or(start, |(_, bend)| map.apply(bend));
        let length = from.distance(subject);
        if length < LINE_GAP + SHORTEST_LINE {
            return None;
        }
        let to = subject + (from - subject) * (LINE_GAP / length);
        if elbow.is_none() {
            return Some(Primitive::Line { from, to, width, colour });
        }
        let lines = vec![vec![start, from, to]];
        Some(Primitive::Stroke { lines, closed: false, width, colour, round: true, blur: 0.0 })
    }
}

/// How far a box has to be moved to lie in the picture.
fn inward(rect: Rect, picture: Size) -> Point {
    let margin = MARGIN * f64::from(picture.width.min(picture.height));
    let into = |low: f64, high: f64, side: u32| {
        let most = f64::from(side) - margin;
        // What is larger than the picture shows its beginning.
        if low < margin || high - low > most - margin { margin - low } else { (most - high).min(0.0) }
    };
    Point::new(into(rect.left, rect.right, picture.width), into(rect.top, rect.bottom, picture.height))
}
