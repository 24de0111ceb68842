//! What was seen where a doubtful frame of a way was looked at again.

use super::beam::Candidate;
use super::sighting::Sighting;
use crate::geometry::Point;

/// What was seen at the second look.
#[derive(Clone, Copy)]
pub(super) struct SecondLook {
    /// Where it was taken to be.
    pub taken: Point,
    pub found: Candidate,
    /// What that costs.
    pub cost: f64,
}

impl SecondLook {
    /// What is known now of a frame on the way, if that is still what was doubted.
    pub fn on(&self, way: Sighting) -> Sighting {
        if way.at != self.taken {
            return way;
        }
        let Candidate { at, likeness, strange, scale, .. } = self.found;
        Sighting { at, likeness, known: 1.0 - strange, scale, cost: self.cost, ..way }
    }
}
