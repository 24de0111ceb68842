//! Small bits of light: many of them, so each is said in five numbers.

use serde::{Deserialize, Serialize};

use crate::geometry::{Homography, Point};

/// Corners that it is painted with.
const CORNERS: usize = 10;

/// An ellipse, drawn out along its way.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(into = "[f64; 5]", from = "[f64; 5]")]
pub struct Speck {
    /// Its middle.
    pub at: Point,
    /// From there to its far end.
    pub along: Point,
    /// Half of its width, in pixels.
    pub radius: f64,
}

impl From<Speck> for [f64; 5] {
    /// To a hundredth of a pixel: what is smaller nobody sees of a speck.
    fn from(Speck { at, along, radius }: Speck) -> Self {
        [at.x, at.y, along.x, along.y, radius].map(|value| (value * 100.0).round() / 100.0)
    }
}

impl From<[f64; 5]> for Speck {
    fn from([x, y, across, down, radius]: [f64; 5]) -> Self {
        Self { at: Point::new(x, y), along: Point::new(across, down), radius }
    }
}

impl Speck {
    /// Its outline, as both painters draw it.
    pub fn ring(&self) -> Vec<Point> {
        let long = self.along.length();
        let way = if long > 1e-9 { self.along * (1.0 / long) } else { Point::new(1.0, 0.0) };
        let beside = Point::new(-way.y, way.x) * self.radius;
        let corner = |i: usize| {
            let (sin, cos) = (std::f64::consts::TAU * i as f64 / CORNERS as f64).sin_cos();
            self.at + self.along * cos + beside * sin
        };
        (0..CORNERS).map(corner).collect()
    }

    /// Moved by a map without perspective.
    pub(super) fn mapped(&self, map: &Homography) -> Self {
        let at = map.apply(self.at);
        Self { at, along: map.apply(self.at + self.along) - at, radius: self.radius * map.warp().scale() }
    }
}
