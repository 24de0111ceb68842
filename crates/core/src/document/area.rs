//! A face of a subject that a person has outlined.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::area::{KeepOutTrack, Outline};
use crate::geometry::{Point, Rect};
use crate::mesh::{LEAST_SPACING, MOST_KNOTS, MOST_SPACING, Net};
use crate::time::Frame;
use crate::track::MotionModel;

/// Straight pieces of a curve between two of its points.
const PIECES: usize = 8;

/// A closed line as a person drew it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DrawnOutline {
    /// Its points, in order, in pixels of the picture.
    pub points: Vec<Point>,
    /// Whether it is a smooth curve through them.
    #[serde(default)]
    pub curved: bool,
}

impl DrawnOutline {
    /// Straight pieces from point to point.
    pub fn straight(points: Vec<Point>) -> Self {
        Self { points, curved: false }
    }

    /// As a polygon: a curve is a closed Catmull-Rom spline (Catmull & Rom 1974), cut into straight pieces.
    pub fn polygon(&self) -> Outline {
        if !self.curved {
            return Outline(self.points.clone());
        }
        let count = self.points.len();
        let point = |i: usize| self.points[i % count];
        let piece = |i: usize, t: f64| {
            let [a, b, c, d] = [i + count - 1, i, i + 1, i + 2].map(point);
            let (linear, square, cube) = (c - a, a * 2.0 - b * 5.0 + c * 4.0 - d, (b - c) * 3.0 + d - a);
            b + (linear * t + square * (t * t) + cube * (t * t * t)) * 0.5
        };
        let steps = |i: usize| (0..PIECES).map(move |step| piece(i, step as f64 / PIECES as f64));
        Outline((0..count).flat_map(steps).collect())
    }
}

/// An outline in the picture of a frame.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct OutlineOnFrame {
    /// Which frame.
    pub frame: Frame,
    /// The outline there.
    pub outline: DrawnOutline,
}

/// A part of the picture that is not compared.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct KeepOut {
    /// Identity, never shown.
    pub id: Uuid,
    /// Where it was drawn, in order of frames, at least once. On one frame: it stays there on all. On several: it goes
    /// from one to the next, and is there from the first to the last.
    pub placed: Vec<OutlineOnFrame>,
    /// The subject that carries it, from where it was drawn last before a frame.
    #[serde(default)]
    pub rides_on: Option<Uuid>,
}

impl KeepOut {
    /// Where it is, when nobody carries it.
    pub fn track(&self) -> KeepOutTrack {
        match &self.placed[..] {
            [only] => KeepOutTrack::Still(only.outline.polygon()),
            places => {
                KeepOutTrack::Between(places.iter().map(|place| (place.frame, place.outline.polygon())).collect())
            }
        }
    }
}

/// A face that is followed as a whole.
///
/// Where it is on each frame is said by five pins of its subject: everything that goes with pins goes with it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Area {
    /// Identity, never shown.
    pub id: Uuid,
    /// The frame on which it was drawn, and the outline there.
    pub drawn: OutlineOnFrame,
    /// Frames from which on, away from that one, another part of the same face is compared, with its outline there.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub moved: Vec<OutlineOnFrame>,
    /// What is not compared.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub keep_outs: Vec<KeepOut>,
    /// How much of its motion counts; nothing for as little as explains it.
    #[serde(default)]
    pub motion: Option<MotionModel>,
    /// How fine the net is that is laid over it, where it bends. Each knot has samples of its own, beside those of the
    /// pins, which say where it is roughly.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bends: Option<Fineness>,
    /// The pins that say where it is: the middle of the box round the outline, then its corners, clockwise from the
    /// upper left. They have no pattern of their own.
    pub carriers: [Uuid; 5],
}

impl Area {
    /// An area drawn on a frame, with the pins that will say where it is.
    pub fn new(id: Uuid, frame: Frame, outline: DrawnOutline, carriers: [Uuid; 5]) -> Self {
        let drawn = OutlineOnFrame { frame, outline };
        Self { id, drawn, moved: Vec::new(), keep_outs: Vec::new(), motion: None, bends: None, carriers }
    }

    /// Pixels between the knots of its net, where it bends.
    pub fn spacing(&self) -> Option<f64> {
        self.bends.map(|fineness| fineness.spacing(self.drawn.outline.polygon().pixels()))
    }

    /// The net laid over it, where it bends.
    pub fn net(&self) -> Option<Net> {
        self.spacing().map(|spacing| Net::over(&self.drawn.outline.polygon(), spacing))
    }

    /// Under what the samples of a knot of its net are kept.
    pub fn knot(&self, knot: usize) -> Uuid {
        Uuid::from_u128(self.id.as_u128().wrapping_add(knot as u128 + 1))
    }

    /// Those of all knots, in the order of its net.
    pub fn knots(&self) -> Vec<Uuid> {
        self.net().map_or_else(Vec::new, |net| (0..net.knots.len()).map(|knot| self.knot(knot)).collect())
    }

    /// Whether this is under what the samples of one of its knots are kept.
    pub fn has_knot(&self, id: Uuid) -> bool {
        let number = id.as_u128().wrapping_sub(self.id.as_u128());
        self.bends.is_some() && (1..=MOST_KNOTS as u128).contains(&number)
    }

    /// Whether another state of it has the same net.
    pub fn bends_like(&self, other: &Self) -> bool {
        self.bends == other.bends && (self.bends.is_none() || self.drawn == other.drawn)
    }

    /// The upright box round the outline, where it was drawn.
    pub fn bounds(&self) -> Rect {
        bounds_of(&self.drawn.outline)
    }

    /// Where its pins are on the frame on which it was drawn.
    pub fn carried(&self) -> [Point; 5] {
        carried_by(self.bounds())
    }
}

/// How fine a net is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Fineness {
    /// For wide folds: held best where the film is poor.
    Coarse,
    /// For most.
    Medium,
    /// For small folds of something with a rich pattern.
    Fine,
}

impl Fineness {
    /// Pixels between knots on something of so many pixels.
    pub fn spacing(self, pixels: f64) -> f64 {
        let knots = match self {
            Self::Coarse => 60.0,
            Self::Medium => 180.0,
            Self::Fine => 350.0,
        };
        (pixels / knots).sqrt().clamp(LEAST_SPACING, MOST_SPACING)
    }
}

/// The upright box round an outline.
pub(crate) fn bounds_of(outline: &DrawnOutline) -> Rect {
    outline.polygon().bounds().unwrap_or(Rect::centred(Point::default(), 0.0, 0.0))
}

/// The middle of a box, then its corners, clockwise from the upper left.
pub(crate) fn carried_by(bounds: Rect) -> [Point; 5] {
    let [a, b, c, d] = bounds.corners();
    [bounds.middle(), a, b, c, d]
}

#[cfg(test)]
mod tests {
    use super::*;

    fn square(at: f64) -> DrawnOutline {
        let corners = [(at, at), (at + 40.0, at), (at + 40.0, at + 40.0), (at, at + 40.0)];
        DrawnOutline::straight(corners.map(|(x, y)| Point::new(x, y)).into())
    }

    #[test]
    fn a_curve_goes_through_its_points_and_bulges_between() {
        let curve = DrawnOutline { curved: true, ..square(10.0) };
        let polygon = curve.polygon();
        assert!(curve.points.iter().all(|point| polygon.0.contains(point)));
        // Catmull & Rom: halfway it is an eighth of the way between the outer two beyond the inner two.
        assert!(polygon.0.contains(&Point::new(30.0, 5.0)), "{polygon:?}");
        assert_eq!(polygon.0.len(), 32);
    }
}
