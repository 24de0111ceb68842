//! Where a face is on one frame.

use super::face::Face;
use super::fit::Fit;
use crate::align::{MOST_COLUMNS, columns_of};
use crate::geometry::{Homography, Point};
use crate::track::{Covariance, Grasp, MotionModel, Sample, SampleState};

/// Where a face is on one frame, and how sure that is.
#[derive(Clone, Debug)]
pub struct Place {
    /// From the picture in which it was outlined to this one.
    pub map: Homography,
    /// Whether it is seen.
    pub state: SampleState,
    /// Whether the face itself is seen, or what it lies on.
    pub grasp: Grasp,
    /// Correlation of the face with what is seen of it, 0 to 1.
    pub matched: f64,
    /// Share of the face that lies in the picture and is not covered.
    pub seen: f64,
    /// Variance of what the face is off by there, in squared grey levels of the smoothed picture.
    pub(super) left: f64,
    /// The middle about which the numbers below count, in the picture in which it was outlined.
    pub(super) centre: Point,
    pub(super) motion: MotionModel,
    /// Covariance of the motion's numbers.
    pub(super) covariance: [[f64; MOST_COLUMNS]; MOST_COLUMNS],
}

impl Place {
    /// Where it was set by hand.
    pub(super) fn set(map: Homography, centre: Point) -> Self {
        Self { matched: 1.0, seen: 1.0, ..Self::predicted(map, SampleState::Guide, centre) }
    }

    /// Where it should be, but is not seen.
    pub(super) fn predicted(map: Homography, state: SampleState, centre: Point) -> Self {
        let covariance = [[0.0; MOST_COLUMNS]; MOST_COLUMNS];
        let (grasp, motion) = (Grasp::Exact, MotionModel::Position);
        Self { map, state, grasp, matched: 0.0, seen: 0.0, left: 0.0, centre, motion, covariance }
    }

    /// With the thing that it lies on, which is seen; the deviation is in pixels.
    pub(super) fn rough(map: Homography, likeness: f64, deviation: f64, centre: Point) -> Self {
        let mut place = Self::predicted(map, SampleState::Found, centre);
        (place.grasp, place.matched) = (Grasp::Rough, likeness.clamp(0.0, 1.0));
        [0, 1].into_iter().for_each(|axis| place.covariance[axis][axis] = deviation * deviation);
        place
    }

    /// Whether the face itself is seen.
    pub(super) fn is_exact(&self) -> bool {
        self.state == SampleState::Found && self.grasp == Grasp::Exact
    }

    /// A point of the face on this frame; `at` is where it was in the picture in which the face was outlined.
    pub fn sample(&self, at: Point) -> Sample {
        let place = self.map.apply(at);
        let covariance = if self.state == SampleState::Found { self.covariance_at(at) } else { Covariance::default() };
        Sample { solved: true, grasp: self.grasp, ..Sample::bare(place, self.matched, covariance, self.state) }
    }

    /// The numbers' covariance, seen at a point through the derivatives of its place by each of them.
    fn covariance_at(&self, at: Point) -> Covariance {
        let from = at - self.centre;
        let by = [[1.0, 0.0], [0.0, 1.0]].map(|axis| columns_of(self.motion, axis, [from.x, from.y]));
        let product = |a: usize, b: usize| -> f64 {
            let row = |i: usize| (0..MOST_COLUMNS).map(|j| self.covariance[i][j] * by[b][j]).sum::<f64>();
            (0..MOST_COLUMNS).map(|i| by[a][i] * row(i)).sum()
        };
        let local = self.map.checked_after(&Homography::shift(at)).map(|map| map.warp()).unwrap_or_default();
        Covariance::new([product(0, 0), product(0, 1), product(1, 1)]).seen_through(&local)
    }
}

/// From the picture in which the area was outlined, by way of the anchor's, to a frame.
pub(super) fn whole_map(face: &Face, anchor: &Homography, map: &Homography) -> Homography {
    map.after(&Homography::shift(Point::default() - face.centre)).after(anchor)
}

/// The way back: from the anchor's face, counted from its middle, to a frame.
pub(super) fn relative_map(face: &Face, anchor: &Homography, whole: &Homography) -> Option<Homography> {
    whole.checked_after(&anchor.inverse()?)?.checked_after(&Homography::shift(face.centre))
}

/// What the alignment of a face to a frame says of where it is.
pub(super) fn placed(face: &Face, motion: MotionModel, anchor: &Homography, fit: &Fit) -> Place {
    let Fit { map, matched, inside, seen, left, covariance, .. } = fit;
    // Its numbers count about the middle of the anchor's face; that is where it was in the first picture, nearly.
    let centre = anchor.inverse().map_or(face.centre, |back| back.apply(face.centre));
    Place {
        map: whole_map(face, anchor, map),
        state: SampleState::Found,
        grasp: Grasp::Exact,
        matched: *matched,
        seen: inside * seen,
        left: *left,
        centre,
        motion,
        covariance: *covariance,
    }
}
