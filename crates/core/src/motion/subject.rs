//! The motion of a subject, out of all of its pins.

use std::collections::BTreeMap;

use uuid::Uuid;

use super::complete::{Seen, completed};
use super::fit::fit_most;
use super::least_squares::{Fit, Match, fit_weighted};
use super::rough;
use crate::geometry::{Homography, LocalWarp, Point};
use crate::time::Frame;
use crate::track::{Covariance, MotionModel, Sample, SampleState, Track};

/// Added to the deviation of every place, in pixels: pins do not sit on one rigid face, and what they are off by for
/// that is no reason to disbelieve one of them.
const SLACK: f64 = 0.5;
/// Frames over which a pin that is not believed on one frame loses and regains its weight.
const FADE: usize = 12;
/// What no pin's weight falls below: the equations stay sound when many are doubted, and 20 px still move nothing.
const LEAST_WEIGHT: f64 = 1e-4;
/// Rounds in which places on the subject and its motion are fitted to each other.
const ROUNDS: usize = 3;

/// Where a subject's plane is on each frame, as a map from its own coordinates to the picture.
///
/// Its own coordinates are those of the picture on one frame, nearly: places of pins on the subject are averaged over
/// all frames, so that the noise of none stands out.
#[derive(Clone, Debug)]
pub struct SubjectMotion {
    model: MotionModel,
    anchor: Point,
    poses: BTreeMap<Frame, Homography>,
    /// How far each pin that is there is from where the motion takes it, in pixels.
    residuals: BTreeMap<Frame, Vec<(Uuid, f64)>>,
    /// Each pin's place on the subject.
    own: Vec<(Uuid, Point)>,
    /// Where each pin is, or would be if it could be seen.
    places: BTreeMap<Frame, Vec<Point>>,
    /// How sure the anchor is on each frame.
    sure: BTreeMap<Frame, Covariance>,
}

impl SubjectMotion {
    /// The motion that the tracks of the pins give, the leading pin first, no richer than `most`; `near` is the frame
    /// on which own and picture coordinates should agree, as far as pins are there. `None` when no pin is there on any
    /// frame.
    pub fn new(pins: &[(Uuid, &Track)], most: MotionModel, near: Frame) -> Option<Self> {
        let there: Vec<&(Uuid, &Track)> = pins.iter().filter(|(_, track)| !track.spans().is_empty()).collect();
        match there[..] {
            [] => None,
            [(pin, track)] => Some(Self::of_one(*pin, track, most, near)),
            _ => Self::of_several(&there, most, near),
        }
    }

    /// A single pin: its place, and its shape where it looks for one.
    fn of_one(pin: Uuid, track: &Track, most: MotionModel, near: Frame) -> Self {
        let frames: Vec<(Frame, Sample)> = track.iter().filter(|(_, sample)| sample.state.is_present()).collect();
        let shapes: Vec<(Frame, LocalWarp)> =
            frames.iter().filter_map(|(frame, sample)| Some((*frame, sample.shape?))).collect();
        let turned = most > MotionModel::Position && !shapes.is_empty();
        let shape = |frame: Frame| if turned { limited(shape_at(&shapes, frame), most) } else { LocalWarp::SAME };
        let reference =
            frames.iter().min_by_key(|(frame, _)| near.until(*frame).abs()).map_or(near, |(frame, _)| *frame);
        let anchor = track.position(reference).unwrap_or_default();
        let own = shape(reference).placed(anchor).inverse().unwrap_or(Homography::shift(Point::default() - anchor));
        let pose = |(frame, sample): &(Frame, Sample)| (*frame, shape(*frame).placed(sample.at).checked_after(&own));
        let poses = frames.iter().map(pose).filter_map(|(frame, pose)| Some((frame, pose?))).collect();
        let model = if turned { most } else { MotionModel::Position };
        let sure = frames.iter().map(|(frame, sample)| (*frame, sample.covariance)).collect();
        let places = frames.iter().map(|(frame, sample)| (*frame, vec![sample.at])).collect();
        Self { model, anchor, poses, residuals: BTreeMap::new(), own: vec![(pin, anchor)], places, sure }
    }

    fn of_several(pins: &[&(Uuid, &Track)], most: MotionModel, near: Frame) -> Option<Self> {
        let mut frames: Vec<Frame> =
            pins.iter().flat_map(|(_, track)| track.spans()).flat_map(|span| span.frames()).collect();
        frames.sort_unstable();
        frames.dedup();
        let samples: Vec<Vec<Option<Sample>>> =
            pins.iter().map(|(_, track)| frames.iter().map(|&frame| look(track, frame)).collect()).collect();
        let seen = rough::seen(&samples, most);
        let whole = completed(&seen, most);
        let count = |at: usize| seen.iter().filter(|pin| pin[at].is_some()).count();
        let reference = (0..frames.len()).max_by_key(|&at| (count(at), -near.until(frames[at]).abs()))?;
        let mut own: Vec<Point> = whole.iter().map(|pin| pin[reference].0).collect();
        let model = model_of(&own, most.min(MotionModel::of_pins(pins.len())))?;
        let each = |own: &[Point], fit: &dyn Fn(usize, &[Match]) -> Option<Fit>| -> Option<Vec<Fit>> {
            (0..frames.len()).map(|at| fit(at, &matches_on(own, &whole, at))).collect()
        };
        let doubting = each(&own, &|_, matches| fit_most(model, matches))?;
        let weights = faded_weights(&doubting);
        let weighed = |at: usize, matches: &[Match]| {
            let models = std::iter::successors(Some(model), |model| model.poorer());
            models.into_iter().find_map(|model| fit_weighted(model, matches, &weights[at]))
        };
        let mut fits = doubting;
        for _ in 0..ROUNDS {
            own = averaged(&own, &seen, &fits);
            fits = each(&own, &weighed)?;
        }
        let named = |at: usize, fit: &Fit| {
            let pins = pins.iter().enumerate().filter(|(i, _)| seen[*i][at].is_some());
            pins.map(|(i, pin)| (pin.0, fit.residuals[i])).collect()
        };
        let numbered = || frames.iter().zip(&fits);
        Some(Self {
            model,
            anchor: own[0],
            places: frames
                .iter()
                .enumerate()
                .map(|(at, frame)| (*frame, whole.iter().map(|pin| pin[at].0).collect()))
                .collect(),
            residuals: numbered().enumerate().map(|(at, (frame, fit))| (*frame, named(at, fit))).collect(),
            sure: numbered()
                .enumerate()
                .map(|(at, (frame, fit))| (*frame, sureness(fit, &whole, at, own[0])))
                .collect(),
            poses: numbered().map(|(frame, fit)| (*frame, fit.map)).collect(),
            own: pins.iter().map(|(pin, _)| *pin).zip(own).collect(),
        })
    }

    /// How much of the motion it holds.
    pub fn model(&self) -> MotionModel {
        self.model
    }

    /// The place that leads the subject, in its own coordinates.
    pub fn anchor(&self) -> Point {
        self.anchor
    }

    /// From the subject's own coordinates to the picture of a frame; `None` where no pin is there.
    pub fn pose(&self, frame: Frame) -> Option<&Homography> {
        self.poses.get(&frame)
    }

    /// A pin's place on the subject, and where it is on a frame: as it was seen, or carried by the others while it was
    /// not.
    pub fn pin(&self, pin: Uuid, frame: Frame) -> Option<(Point, Point)> {
        let index = self.own.iter().position(|(known, _)| *known == pin)?;
        Some((self.own[index].1, *self.places.get(&frame)?.get(index)?))
    }

    /// How far one of several pins is from where the motion takes it, on every frame on which it is there.
    pub fn residuals_of(&self, pin: Uuid) -> BTreeMap<Frame, f64> {
        let of = |all: &[(Uuid, f64)]| all.iter().find(|(known, _)| *known == pin).map(|(_, distance)| *distance);
        self.residuals.iter().filter_map(|(frame, all)| Some((*frame, of(all)?))).collect()
    }

    /// The anchor as a track: where any pin is there, the anchor is. Elsewhere it is as the leading pin says.
    pub fn track(&self, leading: &Track) -> Track {
        let mut track = leading.clone();
        for (frame, pose) in &self.poses {
            let seen = leading.get(*frame).filter(|sample| sample.state.is_present());
            let state = seen.map_or(SampleState::Found, |sample| sample.state);
            // A place of several pins is no place that a person has set.
            let state = if state == SampleState::Guide { SampleState::Found } else { state };
            let blank = Sample { solved: true, ..Sample::bare(Point::default(), 1.0, Covariance::default(), state) };
            let covariance = self.sure.get(frame).copied().unwrap_or_default();
            let sample =
                Sample { at: pose.apply(self.anchor), covariance, state, shape: None, ..seen.unwrap_or(blank) };
            track.set(*frame, Some(sample));
        }
        track
    }
}

fn look(track: &Track, frame: Frame) -> Option<Sample> {
    track.get(frame).filter(|sample| sample.state.is_present())
}

/// The richest motion that these places on the subject fix.
fn model_of(own: &[Point], most: MotionModel) -> Option<MotionModel> {
    let sure = Covariance::new([1.0, 0.0, 1.0]);
    let matches: Vec<Match> = own.iter().map(|&at| Match { from: at, to: at, covariance: sure }).collect();
    let fixed = |model: &MotionModel| {
        let fit = super::fit(*model, &matches)?;
        // On all pins the motion has to be as sure as the pins are, nearly: three of four on one line fix no
        // perspective.
        let worst = own.iter().map(|&at| fit.covariance_at(at).worst()).fold(0.0, f64::max);
        (worst < 3.0).then_some(())
    };
    std::iter::successors(Some(most), |model| model.poorer()).find(|model| fixed(model).is_some())
}

fn matches_on(own: &[Point], whole: &[Vec<(Point, Covariance)>], at: usize) -> Vec<Match> {
    let pair = |(from, pin): (&Point, &Vec<(Point, Covariance)>)| Match {
        from: *from,
        to: pin[at].0,
        covariance: pin[at].1.plus(SLACK * SLACK),
    };
    own.iter().zip(whole).map(pair).collect()
}

/// Weights of each pin on each frame: where one is not believed it fades out and in, so that the doubt makes no jump.
fn faded_weights(fits: &[Fit]) -> Vec<Vec<f64>> {
    let mut weights: Vec<Vec<f64>> = fits.iter().map(|fit| fit.weights.clone()).collect();
    let step = 1.0 / FADE as f64;
    let lower = |weights: &mut Vec<Vec<f64>>, from: usize, to: usize| {
        let near = weights[from].clone();
        weights[to].iter_mut().zip(near).for_each(|(weight, near)| *weight = weight.min(near + step).max(LEAST_WEIGHT));
    };
    (1..weights.len()).for_each(|at| lower(&mut weights, at - 1, at));
    (1..weights.len()).rev().for_each(|at| lower(&mut weights, at, at - 1));
    weights
}

/// How sure a place on the subject is, as the pins' own covariances say, without the slack.
fn sureness(fit: &Fit, whole: &[Vec<(Point, Covariance)>], at: usize, place: Point) -> Covariance {
    let own: f64 = whole.iter().map(|pin| pin[at].1.xx + pin[at].1.yy).sum();
    let share = own / (own + 2.0 * SLACK * SLACK * whole.len() as f64);
    let Covariance { xx, xy, yy } = fit.covariance_at(place);
    Covariance::new([xx * share, xy * share, yy * share])
}

/// Places on the subject as all frames on which a pin is seen say.
fn averaged(own: &[Point], seen: &[Vec<Seen>], fits: &[Fit]) -> Vec<Point> {
    let mean = |(i, pin): (usize, &Vec<Seen>)| {
        let (mut sum, mut total) = (Point::default(), 0.0);
        for (seen, fit) in pin.iter().zip(fits) {
            let (Some((at, covariance)), Some(back)) = (seen, fit.map.inverse()) else { continue };
            let weight = fit.weights[i] / (covariance.xx + covariance.yy + SLACK * SLACK);
            sum = sum + back.apply(*at) * weight;
            total += weight;
        }
        if total > 0.0 { sum * (1.0 / total) } else { own[i] }
    };
    seen.iter().enumerate().map(mean).collect()
}

/// The shape on a frame: between the nearest ones that are known.
fn shape_at(shapes: &[(Frame, LocalWarp)], frame: Frame) -> LocalWarp {
    let after = shapes.partition_point(|(other, _)| *other < frame).min(shapes.len() - 1);
    let (a, b) = (&shapes[after.saturating_sub(1)], &shapes[after]);
    let length = a.0.until(b.0);
    if length <= 0 || frame >= b.0 {
        return b.1;
    }
    a.1.mixed(&b.1, (a.0.until(frame) as f64 / length as f64).clamp(0.0, 1.0))
}

/// Only as much of a shape as is asked for.
fn limited(shape: LocalWarp, most: MotionModel) -> LocalWarp {
    let similar = |growth: f64| {
        let (sin, cos) = shape.rotation().sin_cos();
        LocalWarp { xx: growth * cos, xy: -growth * sin, yx: growth * sin, yy: growth * cos, px: 0.0, py: 0.0 }
    };
    match most {
        MotionModel::Position => LocalWarp::SAME,
        MotionModel::Rotation => similar(1.0),
        MotionModel::Scale => similar(shape.scale()),
        MotionModel::Affine => LocalWarp { px: 0.0, py: 0.0, ..shape },
        MotionModel::Perspective => shape,
    }
}
