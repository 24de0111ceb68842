//! How much of a face's motion counts: no more than it fixes, and as little as explains it.

use std::collections::BTreeMap;

use super::face::Face;
use super::fit::{Settled, fit};
use super::outline::Outline;
use super::place::{Place, placed};
use super::pyramid::Pyramid;
use crate::geometry::{Homography, Point, Rect};
use crate::image::{FrameSource, NOISE_GAIN};
use crate::median::median;
use crate::time::Frame;
use crate::track::{MotionModel, SampleState};

/// What is read round the face, in pixels: its edge is smoothed with what lies there.
const ROOM: f64 = 24.0;
/// A poorer motion explains the face where it misses its corners by no more than this, in pixels, ...
const EXPLAINED: f64 = 0.3;
/// ... on this share of the frames.
const EXPLAINED_FRAMES: f64 = 0.95;
/// A motion whose numbers leave the rim this unsure, in pixels, is more than the face fixes.
const UNSURE: f64 = 0.8;
/// Corners that swing from frame to frame by less than this, in pixels, are steady, whatever moves them. Other
/// limits than this and the next were not tried.
const STEADY: f64 = 0.5;
/// By fewer of their own deviations than this, it is noise that swings them: alone it would be three, but errors of
/// frames that follow each other are alike, and deviations know nothing of what is not flat.
const NOISE: f64 = 6.0;
/// What is left of a plane is so many times the noise of the picture at most. Made ones have 0.9 to 1.0; people who are
/// restless on real film have 10 and more, where the film was not clean of all noise.
const FLAT: f64 = 3.0;
/// Of fewer frames that is not known: three that happened to fit once made a plane of a person. Other limits were not tried.
const LEAST_FRAMES: usize = 10;

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

/// Without what a face's motion adds to place, turn and size, if that is noise by its own word; its middle stays where it is.
/// People are not flat: what is left of a head that turns is explained by any perspective a little, by none well.
///
/// A plane that is seen badly swings, too, but nothing of it is left but the noise of the camera, whose deviation on the
/// first picture is `noise`, in grey levels.
pub(super) fn steadied(mut places: BTreeMap<Frame, Place>, outline: &Outline, noise: f64) -> BTreeMap<Frame, Place> {
    let Some(bounds) = outline.bounds() else { return places };
    if is_restless(&places, &bounds.corners()) && !is_flat(&places, noise) {
        let found = places.values_mut().filter(|place| place.state == SampleState::Found);
        found.for_each(|place| place.map = steady(&place.map, bounds));
    }
    places
}

/// Whether corners swing by more than anything that is steady, and by no more than they are unsure.
fn is_restless(places: &BTreeMap<Frame, Place>, from: &[Point; 4]) -> bool {
    let mut swings: Vec<f64> = Vec::new();
    let mut in_deviations: Vec<f64> = Vec::new();
    for (frame, place) in places.iter().filter(|(_, place)| place.is_exact()) {
        let around = [frame.0.checked_sub(1), frame.0.checked_add(1)]
            .map(|beside| beside.and_then(|beside| places.get(&Frame(beside))).filter(|place| place.is_exact()));
        let [Some(before), Some(after)] = around else { continue };
        let [before, now, after] = [before, place, after].map(|place| added(&place.map, from));
        for i in 0..4 {
            let swing = (before[i] + after[i] - now[i] * 2.0).length();
            swings.push(swing);
            in_deviations.push(swing / place.sample(from[i]).covariance.worst().max(1e-9));
        }
    }
    median(&mut swings).is_some_and(|swing| swing > STEADY) && median(&mut in_deviations).is_some_and(|n| n < NOISE)
}

/// Whether what is left of the face is noise: as much of two pictures as there is of one, twice.
fn is_flat(places: &BTreeMap<Frame, Place>, noise: f64) -> bool {
    let mut left: Vec<f64> = places.values().filter(|place| place.is_exact()).map(|place| place.left).collect();
    left.len() >= LEAST_FRAMES
        && median(&mut left).is_some_and(|left| left < FLAT * FLAT * 2.0 * noise * noise * NOISE_GAIN)
}

/// What a map adds to place, turn and size at the corners of a box.
fn added(map: &Homography, from: &[Point; 4]) -> [Point; 4] {
    let to = from.map(|corner| map.apply(corner));
    let square = nearest(MotionModel::Scale, from, &to);
    [0, 1, 2, 3].map(|i| to[i] - square.apply(from[i]))
}

/// The nearest map of place, turn and size with the box's middle at the same place.
fn steady(map: &Homography, bounds: Rect) -> Homography {
    let (from, middle) = (bounds.corners(), bounds.middle());
    let square = nearest(MotionModel::Scale, &from, &from.map(|corner| map.apply(corner)));
    Homography::shift(map.apply(middle) - square.apply(middle)).after(&square)
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::align::MOST_COLUMNS;

    const BOX: [Point; 4] =
        [Point::new(0.0, 0.0), Point::new(80.0, 0.0), Point::new(80.0, 60.0), Point::new(0.0, 60.0)];

    /// A face of which one corner is `off` to the right on every second frame, and every place is known to a deviation.
    fn swinging(off: f64, deviation: f64) -> BTreeMap<Frame, Place> {
        let place = |frame: u32| {
            let mut to = BOX.map(|corner| corner + Point::new(f64::from(frame), 0.0));
            to[1].x += off * f64::from(frame % 2);
            let mut covariance = [[0.0; MOST_COLUMNS]; MOST_COLUMNS];
            (0..2).for_each(|axis| covariance[axis][axis] = deviation * deviation);
            let map = Homography::between(&BOX, &to).unwrap();
            let motion = MotionModel::Perspective;
            let place = Place { motion, covariance, ..Place::set(map, Point::new(40.0, 30.0)) };
            (Frame(frame), Place { state: SampleState::Found, ..place })
        };
        (0..9).map(place).collect()
    }

    /// How far the corner is off a square on the second frame once it is steadied, and how far the middle has gone.
    fn steadied_by(places: BTreeMap<Frame, Place>) -> [f64; 2] {
        let middle = Point::new(40.0, 30.0);
        let before = places[&Frame(1)].map.apply(middle);
        let places = steadied(places, &Outline(BOX.to_vec()), 0.0);
        let map = &places[&Frame(1)].map;
        let square = nearest(MotionModel::Scale, &BOX, &BOX.map(|corner| map.apply(corner)));
        [map.apply(BOX[1]).distance(square.apply(BOX[1])), map.apply(middle).distance(before)]
    }

    #[test]
    fn what_swings_no_more_than_it_is_unsure_is_left_away_and_the_middle_stays() {
        let [corner, middle] = steadied_by(swinging(4.0, 1.0));
        assert!(corner < 1e-9 && middle < 1e-9, "{corner} {middle}");
    }

    #[test]
    fn what_is_known_to_swing_swings_and_so_does_what_nobody_sees_swinging() {
        assert!(steadied_by(swinging(4.0, 0.1))[0] > 0.5);
        assert!(steadied_by(swinging(0.4, 1.0))[0] > 0.05);
    }
}
