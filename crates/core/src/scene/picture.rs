//! A picture or a film clip on one frame: lying on a face of its subject in perspective, or facing the camera.

use super::bent::bent;
use super::drawable::{Drawable, Primitive};
use super::item_context::ItemContext;
use super::stance::{lying, stance};
use crate::attachment::{Corner, FilmClip, Picture, PictureMount};
use crate::geometry::{Homography, Point, Size};
use crate::motion::{Match, fit};
use crate::time::Frame;
use crate::track::{Covariance, MotionModel};

#[derive(Debug)]
pub(super) struct PlacedPicture {
    pub picture: Picture,
    pub art: usize,
}

impl PlacedPicture {
    pub fn drawables(&self, item: &ItemContext, frame: Frame, film: Size) -> Option<Vec<Drawable>> {
        let bent = bends(&self.picture, (self.art, None), item, (frame, film));
        let flat = || Some(Primitive::Flat { art: self.art, matrix: matrix(&self.picture, item, frame, film)? });
        Some(vec![item.drawable(bent.or_else(flat)?, 1.0)])
    }
}

/// A film clip, which lies as a picture does.
#[derive(Debug)]
pub(super) struct PlacedClip {
    pub clip: Box<FilmClip>,
    pub art: usize,
}

impl PlacedClip {
    pub fn drawables(&self, item: &ItemContext, frame: Frame, film: Size) -> Option<Vec<Drawable>> {
        let shown = self.clip.shown_on(frame)?;
        let picture = &self.clip.picture;
        let bent = bends(picture, (self.art, Some(shown)), item, (frame, film));
        let flat = || {
            let matrix = matrix(picture, item, frame, film)?;
            Some(Primitive::ClipFrame { art: self.art, frame: shown, matrix })
        };
        Some(vec![item.drawable(bent.or_else(flat)?, 1.0)])
    }
}

/// On a surface that bends.
fn bends(
    picture: &Picture,
    (art, shown): (usize, Option<Frame>),
    item: &ItemContext,
    (frame, film): (Frame, Size),
) -> Option<Primitive> {
    let PictureMount::Drawn(face) = &picture.mount else { return None };
    let [across, down] = face.sides(film);
    let laid = face.map(film)?.after(&Homography::stretch(across, down)).after(&laid_out(picture));
    let [width, height] = picture.pixels.map(f64::from);
    bent((art, (width, height), shown), (face, &laid), item, frame)
}

/// From the picture's own pixels to the film's.
fn matrix(picture: &Picture, item: &ItemContext, frame: Frame, film: Size) -> Option<[[f64; 3]; 3]> {
    Some(*ground(&picture.mount, item, frame, film)?.after(&laid_out(picture)).rows())
}

/// From a unit of a picture's place to the film's picture.
pub(super) fn ground(mount: &PictureMount, item: &ItemContext, frame: Frame, picture: Size) -> Option<Homography> {
    let (takes, poses) = (&item.show.takes, &item.poses);
    match mount {
        PictureMount::Face(corners) => face(corners, item, frame),
        PictureMount::Drawn(face) => {
            let [across, down] = face.sides(picture);
            Some(lying(face, takes, poses, frame, picture)?.after(&Homography::stretch(across, down)))
        }
        PictureMount::Facing(orientation) => stance(takes, *orientation, poses, frame),
    }
}

/// The four corners of the face are where they are seen: the corners of a unit square about its middle go there.
fn face(corners: &[Corner; 4], item: &ItemContext, frame: Frame) -> Option<Homography> {
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
