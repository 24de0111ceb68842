//! A closed line drawn round something.

use crate::geometry::{Homography, Point, Rect};

/// A polygon; its inside is what an odd number of its edges lies to the left of.
#[derive(Clone, Debug, PartialEq)]
pub struct Outline(pub Vec<Point>);

impl Outline {
    /// Whether a point lies inside (even-odd rule, Shimrat 1962).
    pub fn contains(&self, at: Point) -> bool {
        self.crossings(at.y).into_iter().filter(|x| at.x < *x).count() % 2 == 1
    }

    /// Where its edges cross a row of the picture, in no order.
    pub(super) fn crossings(&self, y: f64) -> Vec<f64> {
        let next = self.0.iter().cycle().skip(1);
        let crossed = self.0.iter().zip(next).filter(|(a, b)| (a.y > y) != (b.y > y));
        crossed.map(|(a, b)| (b.x - a.x) * (y - a.y) / (b.y - a.y) + a.x).collect()
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

    /// Between this and another with the same points, `share` of the way; the nearer one, where they have not.
    pub fn mixed(&self, other: &Self, share: f64) -> Self {
        if self.0.len() != other.0.len() {
            return if share < 0.5 { self.clone() } else { other.clone() };
        }
        Self(self.0.iter().zip(&other.0).map(|(a, b)| *a + (*b - *a) * share).collect())
    }

    /// The outline where `map` takes it.
    pub fn seen_through(&self, map: &Homography) -> Self {
        Self(self.0.iter().map(|point| map.apply(*point)).collect())
    }
}
