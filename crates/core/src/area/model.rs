//! How much of a face's motion counts: no more than it fixes, and as little as explains it.

use std::collections::BTreeMap;

use super::face::Face;
use super::fit::{Settled, fit};
use super::outline::Outline;
use super::place::{Place, placed};
use super::pyramid::Pyramid;
use crate::geometry::{Homography, Point};
use crate::image::FrameSource;
use crate::time::Frame;
use crate::track::MotionModel;

/// What is read round the face, in pixels: its edge is smoothed with what lies there.
const ROOM: f64 = 24.0;
/// A poorer motion explains the face where it misses its corners by no more than this, in pixels, ...
const EXPLAINED: f64 = 0.3;
/// ... on this share of the frames.
const EXPLAINED_FRAMES: f64 = 0.95;
/// A motion whose numbers leave the rim this unsure, in pixels, is more than the face fixes.
const UNSURE: f64 = 0.8;

/// The richest motion that the face fixes, as its own picture aligned to itself shows.
pub(super) fn richest_fixed<S: FrameSource>(
    source: &mut S,
    face: &Face,
    frame: Frame,
) -> Result<Option<MotionModel>, S::Error> {
    let Some(pyramid) = Pyramid::read(source, frame, face.bounds.widened(ROOM), (&[], face.looks()))? else {
        return Ok(None);
    };
    let start = Homography::shift(face.centre);
    // A round edge says nothing of a tilt: it would lean on whatever is behind.
    let most = if face.is_round { MotionModel::Scale } else { MotionModel::Perspective };
    let motions = MotionModel::ALL.into_iter().rev().filter(|motion| *motion <= most);
    let mut fixed = motions.filter(|motion| {
        fit((&face.levels[0], 0), pyramid.level(0), &start, (*motion, Settled::Exactly), None).is_some_and(|fit| {
            let place = placed(face, *motion, &Homography::shift(Point::default()), &fit);
            face.corners().iter().all(|corner| place.sample(*corner).covariance.worst() < UNSURE)
        })
    });
    Ok(fixed.next())
}

/// The poorest motion that takes the face's corners where the richest did.
pub(super) fn least_that_explains(
    places: &BTreeMap<Frame, Place>,
    most: MotionModel,
    outline: &Outline,
) -> MotionModel {
    let Some(bounds) = outline.bounds() else { return most };
    let from = bounds.corners();
    let found: Vec<&Place> = places.values().filter(|place| place.is_exact()).collect();
    let explains = |motion: MotionModel| {
        let is_explained = |place: &&&Place| {
            let to = from.map(|corner| place.map.apply(corner));
            let sure = from.iter().map(|corner| place.sample(*corner).covariance.worst()).fold(0.0, f64::max);
            misses(motion, &from, &to) <= EXPLAINED.max(2.0 * sure)
        };
        found.iter().filter(is_explained).count() as f64 >= EXPLAINED_FRAMES * found.len() as f64
    };
    let poorer = [MotionModel::Position, MotionModel::Scale, MotionModel::Affine];
    poorer.into_iter().filter(|motion| *motion < most).find(|motion| explains(*motion)).unwrap_or(most)
}

/// How far the best map of a motion misses any of the four corners of a box.
fn misses(motion: MotionModel, from: &[Point; 4], to: &[Point; 4]) -> f64 {
    let map = nearest(motion.min(MotionModel::Affine), from, to);
    from.iter().zip(to).map(|(from, to)| map.apply(*from).distance(*to)).fold(0.0, f64::max)
}

/// The map of a motion that takes the four corners of an upright box nearest to some places.
pub(super) fn nearest(motion: MotionModel, from: &[Point; 4], to: &[Point; 4]) -> Homography {
    if motion == MotionModel::Perspective
        && let Some(map) = Homography::between(from, to)
    {
        return map;
    }
    let middle = |points: &[Point; 4]| points.iter().fold(Point::default(), |sum, point| sum + *point) * 0.25;
    let (from_middle, to_middle) = (middle(from), middle(to));
    let pairs: Vec<(Point, Point)> = from.iter().zip(to).map(|(a, b)| (*a - from_middle, *b - to_middle)).collect();
    let sum = |of: &dyn Fn(Point, Point) -> f64| pairs.iter().map(|(a, b)| of(*a, *b)).sum::<f64>();
    let real = sum(&|a, b| a.x * b.x + a.y * b.y);
    let imaginary = sum(&|a, b| a.x * b.y - a.y * b.x);
    let [xx, xy, yx, yy] = match motion {
        MotionModel::Position => [1.0, 0.0, 0.0, 1.0],
        // A similarity is a factor of complex numbers; a turn is one of length 1.
        MotionModel::Rotation | MotionModel::Scale => {
            let squares = sum(&|a, _| a.x * a.x + a.y * a.y);
            let over = if motion == MotionModel::Rotation { real.hypot(imaginary) } else { squares };
            [real / over, -imaginary / over, imaginary / over, real / over]
        }
        // The corners of an upright box are uncorrelated across and down.
        MotionModel::Affine | MotionModel::Perspective => {
            let (across, down) = (sum(&|a, _| a.x * a.x), sum(&|a, _| a.y * a.y));
            [
                sum(&|a, b| a.x * b.x) / across,
                sum(&|a, b| a.y * b.x) / down,
                sum(&|a, b| a.x * b.y) / across,
                sum(&|a, b| a.y * b.y) / down,
            ]
        }
    };
    let turned = Homography::new([[xx, xy, 0.0], [yx, yy, 0.0], [0.0, 0.0, 1.0]]);
    Homography::shift(to_middle).after(&turned).after(&Homography::shift(Point::default() - from_middle))
}
