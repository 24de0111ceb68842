//! A picture or logo that hangs on a subject: lying on a face of it in perspective, or facing the camera.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::boundary::Corner;
use super::lying::LyingFace;
use super::orientation::Orientation;
use super::settings::{NumberMut, SettingProblem, check_number};
use crate::geometry::{Point, Size};

/// How a picture lies.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum PictureMount {
    /// On a face with these corners: top left, top right, bottom right, bottom left, as the picture is to be seen.
    Face([Corner; 4]),
    /// On a face whose corners were seen on a frame.
    Drawn(LyingFace),
    /// Facing the camera.
    Facing(Orientation),
}

/// A picture on a subject.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Picture {
    /// Which of the project's pictures.
    pub picture: Uuid,
    /// Its own width and height, in its pixels.
    pub pixels: [u32; 2],
    /// How it lies.
    #[serde(rename = "lies")]
    pub mount: PictureMount,
    /// Where its middle is: on a face counted from the middle of the face, in shares of its width and height; facing
    /// the camera counted from the subject, in pixels.
    pub place: Point,
    /// Its width and height: on a face in shares of the face's, so that 1 fills it; facing the camera in pixels.
    pub size: [f64; 2],
    /// Its own turn, in degrees, clockwise.
    #[serde(default, rename = "turn")]
    pub rotation: f64,
}

/// Share of a face that a picture takes at first.
const INSIDE: f64 = 0.9;

impl Picture {
    /// In shares of a face with these sides, the size of a picture that lies within it undistorted.
    pub fn within(face: [f64; 2], pixels: [u32; 2]) -> [f64; 2] {
        let [width, height] = pixels.map(f64::from);
        let (across, down) = (width / face[0], height / face[1]);
        let most = INSIDE / across.max(down);
        [across * most, down * most]
    }

    /// Lays it in the middle of a face, undistorted.
    pub(super) fn lay_on(&mut self, face: LyingFace, film: Size) {
        self.mount = PictureMount::Drawn(face);
        self.place = Point::default();
        self.size = Self::within(face.sides(film), self.pixels);
    }

    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        let most = if matches!(self.mount, PictureMount::Facing(_)) { 20_000.0 } else { 100.0 };
        if let PictureMount::Drawn(face) = &self.mount {
            face.check()?;
        }
        for side in self.size {
            check_number("the size of the picture", side, 0.001, most)?;
        }
        for side in self.pixels {
            check_number("the picture's own size", f64::from(side), 1.0, 20_000.0)?;
        }
        check_number("the place across", self.place.x, -1e5, 1e5)?;
        check_number("the place down", self.place.y, -1e5, 1e5)?;
        check_number("the turn", self.rotation, -36_000.0, 36_000.0)
    }

    /// The number at an address.
    pub(super) fn number(&mut self, address: &str) -> Option<NumberMut<'_>> {
        Some(NumberMut::Real(match address {
            "size.0" => &mut self.size[0],
            "size.1" => &mut self.size[1],
            "place.x" => &mut self.place.x,
            "place.y" => &mut self.place.y,
            "turn" => &mut self.rotation,
            _ => return None,
        }))
    }
}
