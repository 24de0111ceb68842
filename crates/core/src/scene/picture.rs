//! A picture or logo that hangs on a subject: lying on a face of it in perspective, or facing the camera.

use std::sync::Arc;

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::boundary::Corner;
use super::settings::{SettingProblem, check_number};
use super::{Drawable, Shape, Show, fade};
use crate::geometry::{Homography, Point};
use crate::motion::{CarriedPoint, Match, Poses, fit};
use crate::shot::{Covariance, Motion};
use crate::time::{Frame, FrameRange};

/// How a picture lies.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Lies {
    /// On a face with these corners: top left, top right, bottom right, bottom left, as the picture is to be seen.
    Face([Corner; 4]),
    /// Facing the camera.
    Facing {
        /// The frame on which its size, turn and place count as set.
        since: Frame,
        /// Whether it turns with the subject.
        turns: bool,
        /// Whether it grows with the subject.
        grows: bool,
    },
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
    /// Frames over which it comes and goes with the subject.
    pub fade_frames: u32,
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
        check_number("the turn", self.turn, -36_000.0, 36_000.0)?;
        check_number("the fade", f64::from(self.fade_frames), 0.0, 500.0)
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
pub(super) struct PlacedPicture<'a> {
    pub picture: &'a Picture,
    pub show: &'a Show,
    pub poses: Arc<Poses>,
    pub points: &'a [CarriedPoint],
    pub spans: Vec<FrameRange>,
    pub art: usize,
}

impl PlacedPicture<'_> {
    pub fn drawables(&self, frame: Frame, range: FrameRange) -> Vec<Drawable> {
        let span = self.spans.iter().find(|span| span.contains(frame));
        let Some((span, map)) = span.and_then(|span| Some((span, self.map(frame)?))) else { return Vec::new() };
        let matrix = *map.after(&self.picture.laid_out()).rows();
        let opacity = fade(frame, *span, range, self.picture.fade_frames) * self.show.opacity;
        vec![Drawable { shape: Shape::Flat { art: self.art, matrix }, opacity, blend: self.show.blend }]
    }

    /// From a unit of the picture's place to the film's picture.
    fn map(&self, frame: Frame) -> Option<Homography> {
        match &self.picture.lies {
            Lies::Face(corners) => self.face(corners, frame),
            Lies::Facing { since, turns, grows } => self.facing(*since, (*turns, *grows), frame),
        }
    }

    /// The four corners of the face are where they are seen: the corners of a unit square about its middle go there.
    fn face(&self, corners: &[Corner; 4], frame: Frame) -> Option<Homography> {
        let square = [(-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)];
        let pair = |(corner, (x, y)): (&Corner, (f64, f64))| {
            let to = corner.seen(&self.poses, self.points, frame)?;
            Some(Match { from: Point::new(x, y), to, covariance: Covariance::new([1.0, 0.0, 1.0]) })
        };
        let matches: Option<Vec<Match>> = corners.iter().zip(square).map(pair).collect();
        Some(fit(Motion::Perspective, &matches?)?.map)
    }

    fn facing(&self, since: Frame, (turns, grows): (bool, bool), frame: Frame) -> Option<Homography> {
        let (then, now) = (self.poses.shape(since).or_else(|| self.poses.shape(frame))?, self.poses.shape(frame)?);
        let growth = if grows { now.growth() / then.growth() } else { 1.0 };
        let (sin, cos) = if turns { (now.turn() - then.turn()).sin_cos() } else { (0.0, 1.0) };
        let at = self.poses.path().position(frame)?;
        Some(Homography::new([
            [growth * cos, -growth * sin, at.x],
            [growth * sin, growth * cos, at.y],
            [0.0, 0.0, 1.0],
        ]))
    }
}
