//! A flat face of a subject by its four corners, as a person saw them on a frame.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::settings::{SettingProblem, check_number};
use crate::geometry::{Homography, Point, Size};
use crate::time::Frame;

/// Focal lengths of lenses that films are made with, in longer sides of the picture: common practice, from a very wide
/// one to a very long one.
const LENSES: std::ops::Range<f64> = 0.4..8.0;
/// Of a usual lens, where the corners do not say which it was.
const USUAL_LENS: f64 = 1.2;

/// A face on which something lies: it goes with it, in its perspective.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct LyingFace {
    /// Its corners in the picture of `since`: top left, top right, bottom right, bottom left, as what lies on it is to
    /// be read.
    pub corners: [Point; 4],
    /// The frame on which they are there.
    pub since: Frame,
    /// The area whose surface bends what lies on it; nothing for a flat face.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bends: Option<Uuid>,
}

impl LyingFace {
    /// Checks that a flat face can look like this: the corners go round it, all to the same side.
    pub(super) fn check(&self) -> Result<(), SettingProblem> {
        for corner in self.corners {
            check_number("a corner across", corner.x, -1e5, 1e5)?;
            check_number("a corner down", corner.y, -1e5, 1e5)?;
        }
        let turn = |i: usize| {
            let [a, b, c] = [i, i + 1, i + 2].map(|i| self.corners[i % 4]);
            let (to, on) = (b - a, c - b);
            to.x * on.y - to.y * on.x
        };
        let turns = [0, 1, 2, 3].map(turn);
        let one_way = turns.iter().all(|turn| *turn > 1.0) || turns.iter().all(|turn| *turn < -1.0);
        one_way.then_some(()).ok_or(SettingProblem::Face)
    }

    /// Its width and height: in its own proportions, and as large as it is seen.
    pub fn sides(&self, picture: Size) -> [f64; 2] {
        let next = |i: usize| self.corners[(i + 1) % 4];
        let cross = |i: usize| self.corners[i].x * next(i).y - next(i).x * self.corners[i].y;
        let seen = (0..4).map(cross).sum::<f64>().abs() / 2.0;
        let proportion = self.proportion(picture);
        [(seen * proportion).sqrt(), (seen / proportion).sqrt()]
    }

    /// From pixels of the face, counted from its middle, to the picture of the frame on which it was seen.
    pub fn map(&self, picture: Size) -> Option<Homography> {
        let [right, down] = self.sides(picture).map(|side| side / 2.0);
        let flat = [(-right, -down), (right, -down), (right, down), (-right, down)].map(|(x, y)| Point::new(x, y));
        Homography::between(&flat, &self.corners)
    }

    /// Its width by its height, as the rectangle that it is (Zhang & He, *Whiteboard scanning and image enhancement*,
    /// Digital Signal Processing 17, 2007, section 3.2). Where two sides are seen as parallel nothing says how long the
    /// lens was: it is taken as a usual one.
    fn proportion(&self, picture: Size) -> f64 {
        let longer = f64::from(picture.width.max(picture.height));
        let middle = Point::new(f64::from(picture.width), f64::from(picture.height)) * 0.5;
        let seen = |corner: Point| [(corner.x - middle.x) / longer, (corner.y - middle.y) / longer, 1.0];
        let [one, two, four, three] = self.corners.map(seen);
        let diagonal = cross(one, four);
        let across = mix(dot(diagonal, three) / dot(cross(two, four), three), two, one);
        let down = mix(dot(diagonal, two) / dot(cross(three, four), two), three, one);
        let lens = -(across[0] * down[0] + across[1] * down[1]) / (across[2] * down[2]);
        let lens = if LENSES.contains(&lens.sqrt()) { lens } else { USUAL_LENS * USUAL_LENS };
        let length = |[x, y, z]: [f64; 3]| (x * x + y * y) / lens + z * z;
        let proportion = (length(across) / length(down)).sqrt();
        if proportion.is_finite() { proportion.clamp(0.01, 100.0) } else { 1.0 }
    }
}

fn cross(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

fn dot(a: [f64; 3], b: [f64; 3]) -> f64 {
    a.iter().zip(b).map(|(a, b)| a * b).sum()
}

/// `factor * a - b`.
fn mix(factor: f64, a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [0, 1, 2].map(|i| factor * a[i] - b[i])
}

#[cfg(test)]
mod tests {
    use super::*;

    const PICTURE: Size = Size { width: 1280, height: 720 };

    /// What a camera sees of a rectangle of 3 by 1: turned about the upright axis, then about the level one.
    fn seen(focal: f64, yaw: f64, pitch: f64) -> LyingFace {
        let corner = |(x, y): (f64, f64)| {
            let (x, z) = (x * yaw.cos(), x * yaw.sin());
            let (y, z) = (y * pitch.cos() - z * pitch.sin(), y * pitch.sin() + z * pitch.cos() + 6.0);
            Point::new(640.0 + focal * x / z, 360.0 + focal * y / z)
        };
        let corners = [(-1.5, -0.5), (1.5, -0.5), (1.5, 0.5), (-1.5, 0.5)].map(corner);
        LyingFace { corners, since: Frame(0), bends: None }
    }

    #[test]
    fn a_rectangle_has_its_proportions_however_it_is_seen() {
        for (focal, yaw, pitch) in [(1100.0, 0.5, 0.4), (2500.0, -0.9, 0.7), (800.0, 0.3, -1.1)] {
            let face = seen(focal, yaw, pitch);
            let [width, height] = face.sides(PICTURE);
            assert!((width / height - 3.0).abs() < 1e-6, "{focal} {yaw} {pitch}: {}", width / height);
            let map = face.map(PICTURE).unwrap();
            let corner = map.apply(Point::new(width / 2.0, height / 2.0));
            assert!(corner.distance(face.corners[2]) < 1e-6);
        }
        // Straight ahead the lens does not show, and does not matter.
        let [width, height] = seen(900.0, 0.0, 0.0).sides(PICTURE);
        assert!((width / height - 3.0).abs() < 1e-6 && (width - 450.0).abs() < 1e-6, "{width} {height}");
    }

    #[test]
    fn folded_corners_are_no_face() {
        let mut face = seen(1100.0, 0.5, 0.4);
        assert_eq!(face.check(), Ok(()));
        face.corners.swap(2, 3);
        assert_eq!(face.check(), Err(SettingProblem::Face));
        face.corners = [Point::default(); 4];
        assert_eq!(face.check(), Err(SettingProblem::Face));
    }
}
