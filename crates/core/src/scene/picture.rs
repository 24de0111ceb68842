//! A picture on one frame: lying on a face of its subject in perspective, or facing the camera.

use super::drawable::{Drawable, Primitive};
use super::item_context::ItemContext;
use super::stance::stance;
use crate::attachment::{Corner, Picture, PictureMount};
use crate::geometry::{Homography, Point};
use crate::motion::{Match, fit};
use crate::time::Frame;
use crate::track::{Covariance, MotionModel};

#[derive(Debug)]
pub(super) struct PlacedPicture {
    pub picture: Picture,
    pub art: usize,
}

impl PlacedPicture {
    pub fn drawables(&self, item: &ItemContext, frame: Frame) -> Option<Vec<Drawable>> {
        // From a unit of the picture's place to the film's picture.
        let map = match &self.picture.mount {
            PictureMount::Face(corners) => face(corners, item, frame),
            PictureMount::Facing(orientation) => stance(&item.show.takes, *orientation, &item.poses, frame),
        }?;
        let matrix = *map.after(&laid_out(&self.picture)).rows();
        Some(vec![item.drawable(Primitive::Flat { art: self.art, matrix }, 1.0)])
    }
}

/// The four corners of the face are where they are seen: the corners of a unit square about its middle go there.
pub(super) fn face(corners: &[Corner; 4], item: &ItemContext, frame: Frame) -> Option<Homography> {
    let square = [(-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)];
    let pair = |(corner, (x, y)): (&Corner, (f64, f64))| {
        let to = item.corner(*corner, frame)?;
        Some(Match { from: Point::new(x, y), to, covariance: Covariance::new([1.0, 0.0, 1.0]) })
    };
    let matches: Option<Vec<Match>> = corners.iter().zip(square).map(pair).collect();
    Some(fit(MotionModel::Perspective, &matches?)?.map)
}

/// From the picture's own pixels to a unit of its place: turned, sized, moved.
fn laid_out(picture: &Picture) -> Homography {
    let [width, height] = picture.pixels.map(f64::from);
    let (sin, cos) = picture.rotation.to_radians().sin_cos();
    let (x, y) = (picture.size[0] / width, picture.size[1] / height);
    let middle = Homography::shift(Point::new(-width / 2.0, -height / 2.0));
    Homography::new([[x * cos, -x * sin, picture.place.x], [y * sin, y * cos, picture.place.y], [0.0, 0.0, 1.0]])
        .after(&middle)
}
