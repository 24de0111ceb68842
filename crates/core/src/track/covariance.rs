//! How sure a place is.

use serde::{Deserialize, Serialize};

use crate::geometry::{LocalWarp, Point};

/// Larger is no variance of a place in a picture, in squared pixels.
const MOST: f64 = 1e12;

/// Covariance of a place, in squared pixels.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Covariance {
    /// Variance across.
    pub xx: f64,
    /// Covariance of across and down.
    pub xy: f64,
    /// Variance down.
    pub yy: f64,
}

impl Covariance {
    /// Of a place that nothing is known about: a standard deviation of a thousand pixels.
    pub const UNKNOWN: Self = Self { xx: 1e6, xy: 0.0, yy: 1e6 };

    /// From variance across, covariance, variance down. What is none, as of a place with no gradients, is
    /// [`Covariance::UNKNOWN`].
    pub fn new([xx, xy, yy]: [f64; 3]) -> Self {
        let is_variance = |value: f64| (0.0..=MOST).contains(&value);
        if is_variance(xx) && is_variance(yy) && xy.abs() <= MOST { Self { xx, xy, yy } } else { Self::UNKNOWN }
    }

    /// With a variance added in every direction, in squared pixels.
    pub fn plus(self, variance: f64) -> Self {
        Self { xx: self.xx + variance, yy: self.yy + variance, ..self }
    }

    /// Standard deviations across and down, in pixels.
    pub fn deviation(self) -> Point {
        Point::new(self.xx.sqrt(), self.yy.sqrt())
    }

    /// Standard deviation in the direction in which the place is least sure, in pixels.
    pub fn worst(self) -> f64 {
        ((self.xx + self.yy) / 2.0 + ((self.xx - self.yy) / 2.0).hypot(self.xy)).sqrt()
    }

    /// Of the same place when the pattern's coordinates are seen through its shape: `M C M'`.
    pub fn seen_through(self, shape: &LocalWarp) -> Self {
        let LocalWarp { xx: a, xy: b, yx: c, yy: d, .. } = *shape;
        let Self { xx, xy, yy } = self;
        Self {
            xx: a * a * xx + 2.0 * a * b * xy + b * b * yy,
            xy: a * c * xx + (a * d + b * c) * xy + b * d * yy,
            yy: c * c * xx + 2.0 * c * d * xy + d * d * yy,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_quarter_turn_exchanges_across_and_down() {
        let turned = LocalWarp { xx: 0.0, xy: -1.0, yx: 1.0, yy: 0.0, ..LocalWarp::SAME };
        let seen = Covariance::new([4.0, 0.5, 1.0]).seen_through(&turned);
        assert_eq!(seen, Covariance::new([1.0, -0.5, 4.0]));
        assert_eq!(seen.deviation(), Point::new(1.0, 2.0));
    }

    #[test]
    fn what_is_no_variance_is_unknown() {
        for numbers in [[f64::NAN, 0.0, 1.0], [f64::INFINITY, 0.0, 1.0], [-1.0, 0.0, 1.0], [1.0, 1e300, 1.0]] {
            assert_eq!(Covariance::new(numbers), Covariance::UNKNOWN, "{numbers:?}");
        }
    }

    #[test]
    fn the_worst_direction_is_that_of_the_larger_eigenvalue() {
        // Eigenvalues of (2 1; 1 2) are 1 and 3.
        assert!((Covariance::new([2.0, 1.0, 2.0]).worst() - 3f64.sqrt()).abs() < 1e-12);
    }
}
