//! Easing: how far a motion has come, by how much of its time has passed.

use serde::{Deserialize, Serialize};

/// Steps of the bisection that turns time into the curve's parameter: 2^-40 is far below a thousandth of a pixel.
const BISECTIONS: u32 = 40;

/// A cubic Bézier easing function from (0, 0) to (1, 1).
///
/// # Source
/// W3C, *CSS Easing Functions Level 1*, section 2.2: `cubic-bezier(x1, y1, x2, y2)`; x is the share of time, y the
/// progress.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Easing {
    /// First control point; x between 0 and 1.
    pub first: [f64; 2],
    /// Second control point; x between 0 and 1.
    pub second: [f64; 2],
}

impl Easing {
    /// `linear`.
    pub const LINEAR: Self = Self::new(0.0, 0.0, 1.0, 1.0);
    /// `ease`.
    pub const EASE: Self = Self::new(0.25, 0.1, 0.25, 1.0);
    /// `ease-in`.
    pub const IN: Self = Self::new(0.42, 0.0, 1.0, 1.0);
    /// `ease-out`.
    pub const OUT: Self = Self::new(0.0, 0.0, 0.58, 1.0);
    /// `ease-in-out`.
    pub const IN_OUT: Self = Self::new(0.42, 0.0, 0.58, 1.0);
    /// Starts at the pace there was and comes to rest: what a path is eased out with.
    pub const TO_REST: Self = Self::new(1.0 / 3.0, 1.0 / 3.0, 0.58, 1.0);

    /// `cubic-bezier(x1, y1, x2, y2)`.
    pub const fn new(x1: f64, y1: f64, x2: f64, y2: f64) -> Self {
        Self { first: [x1, y1], second: [x2, y2] }
    }

    /// Whether time only runs forward: both x between 0 and 1.
    pub fn is_valid(&self) -> bool {
        [self.first[0], self.second[0]].iter().all(|x| (0.0..=1.0).contains(x))
            && self.first[1].is_finite()
            && self.second[1].is_finite()
    }

    /// The progress at a share of the time; before 0 and after 1 it stands still.
    pub fn at(&self, time: f64) -> f64 {
        // Exactly at both ends: what is all there must not lack a trillionth.
        if time <= 0.0 || time >= 1.0 {
            return if time <= 0.0 { 0.0 } else { 1.0 };
        }
        let part = |a: f64, b: f64, t: f64| {
            let back = 1.0 - t;
            3.0 * back * back * t * a + 3.0 * back * t * t * b + t * t * t
        };
        let (mut low, mut high) = (0.0, 1.0);
        for _ in 0..BISECTIONS {
            let middle = 0.5 * (low + high);
            if part(self.first[0], self.second[0], middle) < time { low = middle } else { high = middle }
        }
        part(self.first[1], self.second[1], 0.5 * (low + high))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_meets_the_standard_at_its_ends_and_by_symmetry() {
        for easing in [Easing::LINEAR, Easing::EASE, Easing::IN, Easing::OUT, Easing::IN_OUT, Easing::TO_REST] {
            assert!(easing.is_valid());
            assert_eq!((easing.at(0.0), easing.at(1.0)), (0.0, 1.0), "{easing:?}");
        }
        for n in 0..=20 {
            let t = f64::from(n) / 20.0;
            assert!((Easing::LINEAR.at(t) - t).abs() < 1e-9);
            // ease-in and ease-out are each other turned round, ease-in-out is itself turned round.
            assert!((Easing::IN.at(t) - (1.0 - Easing::OUT.at(1.0 - t))).abs() < 1e-9);
            assert!((Easing::IN_OUT.at(t) - (1.0 - Easing::IN_OUT.at(1.0 - t))).abs() < 1e-9);
        }
    }

    #[test]
    fn the_curve_of_thirds_is_a_polynomial() {
        // With x at thirds, time is the parameter itself: y = 3 (1-t)^2 t y1 + 3 (1-t) t^2 y2 + t^3, by hand.
        let easing = Easing::new(1.0 / 3.0, 0.0, 2.0 / 3.0, 1.0);
        for (t, want) in [(0.25, 0.15625), (0.5, 0.5), (0.75, 0.84375)] {
            assert!((easing.at(t) - want).abs() < 1e-9);
        }
    }
}
