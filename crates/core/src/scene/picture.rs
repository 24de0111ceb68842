//! A picture or logo that hangs on a subject: lying on a face of it in perspective, or facing the camera.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::boundary::Corner;
use super::settings::{SettingProblem, check_number};
use super::stance::{Facing, stance};
use super::{Drawable, Placed, Shape};
use crate::geometry::{Homography, Point};
use crate::motion::{Match, fit};
use crate::shot::{Covariance, Motion};
use crate::time::Frame;

/// How a picture lies.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Lies {
    /// On a face with these corners: top left, top right, bottom right, bottom left, as the picture is to be seen.
    Face([Corner; 4]),
    /// Facing the camera.
    Facing(Facing),
}

/// A picture on a subject.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Picture {
    /// Which of the project's pictures.
    pub picture: Uuid,
    /// Its own width and height, in its pixels.
    pub pixels: [u32; 2],
    /// How it lies.
    pub lies: Lies,
    /// Where its middle is: on a face counted from the middle of the face, in shares of its width and height; facing the camera counted from the
    /// subject, in pixels.
    pub place: Point,
    /// Its width and height: on a face in shares of the face's, so that 1 fills it; facing the camera in pixels.
    pub size: [f64; 2],
    /// Its own turn, in degrees, clockwise.
    #[serde(default)]
    pub turn: f64,
}

impl Picture {
    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        let most = if matches!(self.lies, Lies::Face(_)) { 100.0 } else { 20_000.0 };
        for side in self.size {
            check_number("the size of the picture", side, 0.001, most)?;
        }
        for side in self.pixels {
            check_number("the picture's own size", f64::from(side), 1.0, 20_000.0)?;
        }
        check_number("the place across", self.place.x, -1e5, 1e5)?;
        check_number("the place down", self.place.y, -1e5, 1e5)?;
        check_number("the turn", self.turn, -36_000.0, 36_000.0)
    }

    /// From the picture's own pixels to a unit of its place: turned, sized, moved.
    fn laid_out(&self) -> Homography {
        let [width, height] = self.pixels.map(f64::from);
        let (sin, cos) = self.turn.to_radians().sin_cos();
        let (x, y) = (self.size[0] / width, self.size[1] / height);
        let middle = Homography::shift(Point::new(-width / 2.0, -height / 2.0));
        Homography::new([[x * cos, -x * sin, self.place.x], [y * sin, y * cos, self.place.y], [0.0, 0.0, 1.0]])
            .after(&middle)
    }
}

#[derive(Debug)]
pub(super) struct PlacedPicture {
    pub picture: Picture,
    pub art: usize,
}

impl PlacedPicture {
    pub fn drawables(&self, placed: &Placed<'_>, frame: Frame) -> Option<Vec<Drawable>> {
        // From a unit of the picture's place to the film's picture.
        let map = match &self.picture.lies {
            Lies::Face(corners) => face(corners, placed, frame),
            Lies::Facing(facing) => stance(&placed.show.takes, *facing, &placed.poses, frame),
        }?;
        let matrix = *map.after(&self.picture.laid_out()).rows();
        Some(vec![placed.drawable(Shape::Flat { art: self.art, matrix }, 1.0)])
    }
}

/// The four corners of the face are where they are seen: the corners of a unit square about its middle go there.
pub(super) fn face(corners: &[Corner; 4], placed: &Placed<'_>, frame: Frame) -> Option<Homography> {
    let square = [(-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)];
    let pair = |(corner, (x, y)): (&Corner, (f64, f64))| {
        let to = corner.seen(&placed.poses, &placed.subject.points, frame)?;
        Some(Match { from: Point::new(x, y), to, covariance: Covariance::new([1.0, 0.0, 1.0]) })
    };
    let matches: Option<Vec<Match>> = corners.iter().zip(square).map(pair).collect();
    Some(fit(Motion::Perspective, &matches?)?.map)
}
