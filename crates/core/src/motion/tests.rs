//! Motions that are known: noise, a bad pin, pins that come and go, points that nobody sees.

use uuid::Uuid;

use super::*;
use crate::geometry::{Homography, Point};
use crate::path::Path;
use crate::time::Frame;
use crate::track::{Covariance, Grasp, MotionModel, Sample, SampleState, Track};

const CORNERS: [(f64, f64); 6] =
    [(212.0, 118.0), (871.5, 96.0), (905.0, 548.0), (188.5, 590.0), (512.0, 240.0), (640.0, 455.0)];

fn corners(count: usize) -> Vec<Point> {
    CORNERS[..count].iter().map(|&(x, y)| Point::new(x, y)).collect()
}

/// Normal noise, the same on every run (Box & Muller 1958).
fn noise(seed: u64) -> impl FnMut() -> f64 {
    let mut state = seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1;
    let mut even = move || {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        ((state >> 11) as f64 + 0.5) / (1u64 << 53) as f64
    };
    move || (-2.0 * even().ln()).sqrt() * (std::f64::consts::TAU * even()).cos()
}

fn sure(deviation: f64) -> Covariance {
    Covariance::new([deviation * deviation, 0.0, deviation * deviation])
}

/// A drone that turns, sinks and tilts.
fn flight(t: f64) -> Homography {
    let (sin, cos) = (0.004 * t).sin_cos();
    let grow = 1.0 + 0.002 * t;
    Homography::new([
        [grow * cos, -grow * sin, 40.0 + 0.8 * t],
        [grow * sin, grow * cos * (1.0 - 0.001 * t), -25.0 + 0.3 * t],
        [1e-6 * t, -2e-6 * t, 1.0],
    ])
}

fn track(at: Point, there: impl Fn(u32) -> bool, mut off: impl FnMut(u32) -> Point) -> Track {
    let sample = |n: u32| {
        let place = flight(f64::from(n)).apply(at) + off(n);
        (Frame(n), Sample::bare(place, 0.95, sure(0.05), SampleState::Found))
    };
    (0..100).filter(|n| there(*n)).map(sample).collect()
}

fn motion(tracks: &[Track]) -> SubjectMotion {
    let pins: Vec<(Uuid, &Track)> =
        tracks.iter().enumerate().map(|(i, track)| (Uuid::from_u128(i as u128), track)).collect();
    SubjectMotion::new(&pins, MotionModel::of_pins(pins.len()), Frame(0)).unwrap()
}

#[test]
fn every_motion_finds_itself_again() {
    let (sin, cos) = 0.3f64.sin_cos();
    let maps = [
        (MotionModel::Position, Homography::shift(Point::new(13.0, -7.0)), 1),
        (MotionModel::Rotation, Homography::new([[cos, -sin, 5.0], [sin, cos, 9.0], [0.0, 0.0, 1.0]]), 2),
        (
            MotionModel::Scale,
            Homography::new([[1.4 * cos, -1.4 * sin, 5.0], [1.4 * sin, 1.4 * cos, 9.0], [0.0, 0.0, 1.0]]),
            2,
        ),
        (MotionModel::Affine, Homography::new([[1.1, 0.2, 5.0], [-0.1, 0.8, 9.0], [0.0, 0.0, 1.0]]), 3),
        (MotionModel::Perspective, flight(60.0), 4),
    ];
    for (model, map, least) in maps {
        for count in least..=6 {
            let pair = |from: Point| Match { from, to: map.apply(from), covariance: sure(0.3) };
            let matches: Vec<Match> = corners(count).into_iter().map(pair).collect();
            let found = fit(model, &matches).unwrap();
            let probe = Point::new(333.0, 222.0);
            assert!(found.map.apply(probe).distance(map.apply(probe)) < 1e-7, "{model:?} of {count}");
            assert!(fit(model, &matches[..least - 1]).is_none(), "{model:?} of {}", least - 1);
        }
    }
    let line: Vec<Match> = (0..4)
        .map(|n| f64::from(n) * 50.0)
        .map(|x| Match { from: Point::new(x, x), to: Point::new(x, x), covariance: sure(0.3) })
        .collect();
    assert!(fit(MotionModel::Perspective, &line).is_none() && fit(MotionModel::Affine, &line).is_none());
    assert!(fit_most(MotionModel::Perspective, &line).is_some(), "a line still turns and grows");
}

#[test]
fn one_bad_pin_of_six_moves_nothing() {
    for model in [MotionModel::Position, MotionModel::Scale, MotionModel::Affine, MotionModel::Perspective] {
        for bad in 0..6 {
            let mut normal = noise(7 + bad as u64);
            let map =
                if model == MotionModel::Perspective { flight(60.0) } else { Homography::shift(Point::new(20.0, 5.0)) };
            let mut pair = |from: Point| {
                let off = Point::new(normal(), normal()) * 0.1;
                Match { from, to: map.apply(from) + off, covariance: sure(0.1) }
            };
            let mut matches: Vec<Match> = corners(6).into_iter().map(&mut pair).collect();
            let clean: Vec<Match> =
                matches.iter().enumerate().filter(|(i, _)| *i != bad).map(|(_, one)| *one).collect();
            matches[bad].to = matches[bad].to + Point::new(16.0, -12.0);
            let found = fit(model, &matches).unwrap();
            let without = fit(model, &clean).unwrap();
            assert_eq!(found.weights[bad], 0.0, "{model:?}, pin {bad}");
            // The bound: as good as if the bad one had never been, wherever the others are.
            for one in &clean {
                let (with, without) = (found.map.apply(one.from), without.map.apply(one.from));
                assert!(with.distance(without) < 0.1, "{model:?}, pin {bad}: {}", with.distance(without));
            }
        }
    }
}

/// A pin that is known roughly on the last frames: three others that are known exactly carry it, where they carried it
/// well before.
#[test]
fn who_carries_a_pin_that_is_known_roughly_is_tried_out() {
    // How far a place on the plane is from the truth, at worst, when the pin is off by (2, -3) on the last frames,
    // known to `deviation` there.
    let off = |tilt: f64, deviation: f64| {
        let tilted = |n: u32| {
            let change = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [tilt * f64::from(n), 0.0, 1.0]];
            flight(f64::from(n) * 0.1).after(&Homography::new(change))
        };
        let track = |pin: usize| -> Track {
            let sample = |n: u32| {
                let at = tilted(n).apply(corners(4)[pin]);
                let exact = Sample::bare(at, 0.95, sure(0.05), SampleState::Found);
                let rough = Sample {
                    grasp: Grasp::Rough,
                    at: at + Point::new(2.0, -3.0),
                    covariance: sure(deviation),
                    ..exact
                };
                (Frame(n), if pin == 3 && n >= 85 { rough } else { exact })
            };
            (0..100).map(sample).collect()
        };
        let tracks: Vec<Track> = (0..4).map(track).collect();
        let (motion, inside) = (motion(&tracks), Point::new(300.0, 500.0));
        let own = motion.pose(Frame(0)).unwrap().inverse().unwrap().apply(tilted(0).apply(inside));
        let miss = |n: u32| motion.pose(Frame(n)).unwrap().apply(own).distance(tilted(n).apply(inside));
        (0..100).map(miss).fold(0.0, f64::max)
    };
    assert!(off(0.0, 1.8) < 0.3, "carried: {}", off(0.0, 1.8));
    let (tilting, as_known) = (off(-3e-6, 1.8), off(-3e-6, 0.001));
    assert!(
        tilting < as_known,
        "a steady tilt, which the three do not show, is partly carried on: {tilting} against {as_known}"
    );
    assert!((1.5..4.5).contains(&as_known), "what is surer than that is taken as it is known: {as_known}");
}

#[test]
fn the_covariance_is_what_many_trials_scatter() {
    let (model, map) = (MotionModel::Perspective, flight(60.0));
    let uneven = [0.1, 0.4, 0.2, 0.3, 0.2, 0.1];
    let probe = Point::new(100.0, 300.0);
    let mut normal = noise(11);
    let mut places = Vec::new();
    let mut claimed = Covariance::default();
    for _ in 0..4000 {
        let pair = |(from, deviation): (Point, f64)| {
            let off = Point::new(normal(), normal()) * deviation;
            Match { from, to: map.apply(from) + off, covariance: sure(deviation) }
        };
        let matches: Vec<Match> = corners(6).into_iter().zip(uneven).map(pair).collect();
        let even = vec![1.0; 6];
        let found = super::least_squares::fit_weighted(model, &matches, &even).unwrap();
        claimed = found.covariance_at(probe);
        places.push(found.map.apply(probe));
    }
    let count = places.len() as f64;
    let mean = places.iter().fold(Point::default(), |sum, at| sum + *at) * (1.0 / count);
    let spread = |of: &dyn Fn(Point) -> f64| places.iter().map(|at| of(*at - mean)).sum::<f64>() / count;
    // 4000 trials know a variance to 2.2 % (one standard deviation).
    assert!((spread(&|d| d.x * d.x) / claimed.xx - 1.0).abs() < 0.08, "{} {}", spread(&|d| d.x * d.x), claimed.xx);
    assert!((spread(&|d| d.y * d.y) / claimed.yy - 1.0).abs() < 0.08, "{} {}", spread(&|d| d.y * d.y), claimed.yy);
    assert!((spread(&|d| d.x * d.y) - claimed.xy).abs() < 0.08 * (claimed.xx * claimed.yy).sqrt());
}

#[test]
fn a_pin_that_comes_and_goes_makes_no_jump() {
    // Each pin sits a little beside the plane, differently on each frame's side: leaving one out for good would shift
    // the rest.
    let beside =
        |i: usize| move |n: u32| Point::new((i as f64 * 2.1 + f64::from(n) * 0.02).sin(), (i as f64 * 1.3).cos()) * 1.5;
    let away = |i: usize| {
        move |n: u32| match i {
            0 => n < 80,
            1 => !(30..55).contains(&n),
            2 => n > 20,
            _ => true,
        }
    };
    let tracks: Vec<Track> = corners(6).into_iter().enumerate().map(|(i, at)| track(at, away(i), beside(i))).collect();
    let always: Vec<Track> = corners(6).into_iter().enumerate().map(|(i, at)| track(at, |_| true, beside(i))).collect();
    let (gappy, whole) = (motion(&tracks), motion(&always));
    let probe = Point::new(500.0, 330.0);
    let steps = |motion: &SubjectMotion| -> Vec<Point> {
        let at = |n: u32| motion.pose(Frame(n)).unwrap().apply(probe);
        (1..100).map(|n| at(n) - at(n - 1)).collect()
    };
    for (n, (step, want)) in steps(&gappy).iter().zip(steps(&whole)).enumerate() {
        assert!(step.distance(want) < 0.25, "from frame {n}: {step:?}, without gaps {want:?}");
    }
}

/// Off by 20 px for twenty frames: nothing moves, not even where it is doubted first and last.
#[test]
fn a_pin_that_goes_wrong_for_a_while_moves_nothing() {
    let wrong = |n: u32| if (40..60).contains(&n) { Point::new(16.0, -12.0) } else { Point::default() };
    let tracks: Vec<Track> = corners(6)
        .into_iter()
        .enumerate()
        .map(|(i, at)| track(at, |_| true, |n| if i == 2 { wrong(n) } else { Point::default() }))
        .collect();
    let motion = motion(&tracks);
    let probe = Point::new(500.0, 330.0);
    let own = motion.pose(Frame(0)).unwrap().inverse().unwrap().apply(flight(0.0).apply(probe));
    for n in 0..100 {
        let miss = motion.pose(Frame(n)).unwrap().apply(own).distance(flight(f64::from(n)).apply(probe));
        assert!(miss < 0.05, "frame {n}: {miss}");
    }
    let off = motion.residuals_of(Uuid::from_u128(2));
    assert!((off[&Frame(50)] - 20.0).abs() < 0.1 && off[&Frame(20)] < 0.01, "{off:?}");
}

#[test]
fn a_place_that_nobody_sees_is_carried_and_can_be_corrected() {
    let mut normal = noise(3);
    let mut jitter = |_: u32| Point::new(normal(), normal()) * 0.05;
    let tracks: Vec<Track> = corners(4).into_iter().map(|at| track(at, |_| true, &mut jitter)).collect();
    let motion = motion(&tracks);
    let leading = motion.track(&tracks[0]);
    let poses = Poses::new(Path::raw(&leading), motion.into());
    let hidden = Point::new(1100.0, 330.0);
    let truth = |n: u32| flight(f64::from(n)).apply(hidden);
    let by_eye = CarriedPoint::new(Uuid::nil(), Frame(10), truth(10) + Point::new(6.0, -3.0));
    assert!(by_eye.position(&poses, Frame(70)).unwrap().distance(truth(70)) > 4.0);
    let once = by_eye.corrected(Frame(40), truth(40));
    for n in 0..100 {
        // 250 px beyond the pins their jitter of 0.05 px grows.
        let miss = once.position(&poses, Frame(n)).unwrap().distance(truth(n));
        assert!(miss < 1.0, "frame {n}: {miss}");
    }
    let twice = once.corrected(Frame(90), truth(90) + Point::new(2.0, 0.0));
    assert_eq!(twice.placed.len(), 2);
    for place in &twice.placed {
        assert!(twice.position(&poses, place.frame).unwrap().distance(place.at) < 1e-9, "both are kept");
    }
    assert_eq!(by_eye.position(&poses, Frame(500)), None);
}

#[test]
fn a_single_pin_gives_what_it_looks_for() {
    let turned = |n: u32| {
        let map = flight(f64::from(n));
        let at = Point::new(300.0, 200.0);
        let sample = Sample::bare(map.apply(at), 0.9, sure(0.05), SampleState::Found);
        let shape = Homography::shift(Point::default()).after(&map).after(&Homography::shift(at)).warp();
        (Frame(n), Sample { shape: (n % 7 != 3).then_some(shape), ..sample })
    };
    let track: Track = (0..60).map(turned).collect();
    let of = |most| SubjectMotion::new(&[(Uuid::nil(), &track)], most, Frame(0)).unwrap();
    let near = Point::new(320.0, 190.0);
    let start = flight(0.0).apply(near);
    for n in [20, 38, 58] {
        let want = flight(f64::from(n)).apply(near);
        let miss = |most| of(most).pose(Frame(n)).unwrap().apply(start).distance(want);
        assert!(miss(MotionModel::Perspective) < 0.05, "{}", miss(MotionModel::Perspective));
        assert!(
            miss(MotionModel::Position) > miss(MotionModel::Rotation)
                && miss(MotionModel::Rotation) > miss(MotionModel::Scale)
        );
    }
}
