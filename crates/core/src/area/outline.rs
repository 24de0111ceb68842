//! A closed line drawn round something.

use crate::geometry::{Homography, Point, Rect};

/// A polygon; its inside is what an odd number of its edges lies to the left of.
#[derive(Clone, Debug, PartialEq)]
pub struct Outline(pub Vec<Point>);

impl Outline {
    /// Whether a point lies inside (even-odd rule, Shimrat 1962).
    pub fn contains(&self, at: Point) -> bool {
        let mut inside = false;
        let mut before = self.0.len().wrapping_sub(1);
        for i in 0..self.0.len() {
            let (a, b) = (self.0[i], self.0[before]);
            if (a.y > at.y) != (b.y > at.y) && at.x < (b.x - a.x) * (at.y - a.y) / (b.y - a.y) + a.x {
                inside = !inside;
            }
            before = i;
        }
        inside
    }

    /// Pixels inside (the shoelace formula).
    pub fn pixels(&self) -> f64 {
        let next = self.0.iter().cycle().skip(1);
        (self.0.iter().zip(next).map(|(a, b)| a.x * b.y - b.x * a.y).sum::<f64>() / 2.0).abs()
    }

    /// The upright box round it; `None` without a point.
    pub fn bounds(&self) -> Option<Rect> {
        Rect::around_all(&self.0)
    }

    /// The outline where `map` takes it.
    pub fn seen_through(&self, map: &Homography) -> Self {
        Self(self.0.iter().map(|point| map.apply(*point)).collect())
    }
}
