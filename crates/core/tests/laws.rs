//! Laws that hold for any picture and any motion.

use jampin_core::align::{Aligner, Pattern};
use jampin_core::follow::{Continue, Direction, FollowSink, Start, follow};
use jampin_core::geometry::{Homography, PixelRect, Point, Size};
use jampin_core::image::{Plane, PlaneStack, Scene};
use jampin_core::pin::{Filter, Pin};
use jampin_core::solve::{Film, Solution, Unwatched, solve};
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{MotionModel, Sample, Track};
use proptest::prelude::*;

const SIZE: Size = Size::new(200, 160);

struct Keep(Track);

impl FollowSink for Keep {
    fn sample(&mut self, frame: Frame, sample: Sample) -> Continue {
        self.0.set(frame, Some(sample));
        Continue::Yes
    }
}

/// A scene with structure, moved by `at`, seen under some light.
fn frame(at: Point, gain: f64, offset: f64) -> Plane {
    Plane::from_fn(SIZE, |col, row| {
        let (x, y) = (f64::from(col) + 0.5 - at.x, f64::from(row) + 0.5 - at.y);
        let wave = (x * 0.31 + y * 0.12).sin() + (y * 0.29 - x * 0.17).sin() + (x * 0.055).cos() * (y * 0.6).sin();
        (offset + gain * (120.0 + 32.0 * wave)).round().clamp(0.0, 255.0) as u8
    })
}

fn followed(stack: &mut PlaneStack, from: Point, direction: Direction) -> Track {
    let last = stack.planes().len() as u32 - 1;
    let (first, end) = if direction == Direction::Forward { (0, last) } else { (last, 0) };
    let pin = Pin::new(Default::default(), Frame(first), from, [31, 31], [20, 20]);
    let mut keep = Keep(Track::new());
    follow(stack, &pin, &Start::at_pin(&pin), direction, Frame(end), &mut keep).unwrap();
    keep.0.set(Frame(first), Some(Sample::guide(from)));
    keep.0
}

fn solved(stack: &mut PlaneStack, frame: u32, at: Point) -> Track {
    let pin = Pin::new(Default::default(), Frame(frame), at, [31, 31], [20, 20]);
    let range = FrameRange { first: Frame(0), last: Frame(stack.planes().len() as u32 - 1) };
    match solve(
        std::slice::from_mut(stack),
        Film { scene: &Scene::default(), part: range },
        &pin,
        &Track::new(),
        range,
        &Unwatched,
    )
    .unwrap()
    {
        Solution::Solved(track) => track,
        other => panic!("{other:?}"),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn the_whole_shot_solve_moves_with_the_shot(dx in -12i32..12, dy in -12i32..12, vx in -2.5..2.5f64, vy in -2.5..2.5f64) {
        let path = |n: u32, by: Point| Point::new(f64::from(n) * vx, f64::from(n) * vy) + by;
        let shot = |by: Point| PlaneStack::new((0..9).map(|n| frame(path(n, by), 1.0, 0.0)).collect()).unwrap();
        let (start, by) = (Point::new(100.0, 80.0), Point::new(f64::from(dx), f64::from(dy)));
        let plain = solved(&mut shot(Point::default()), 0, start);
        let moved = solved(&mut shot(by), 0, start + by);
        for (frame, sample) in plain.iter() {
            let other = moved.get(frame).unwrap();
            prop_assert!((other.at - by).distance(sample.at) < 5e-3, "frame {}: {:?} {:?}", frame, sample, other);
        }
    }

    #[test]
    fn the_whole_shot_solve_is_the_same_played_backwards(vx in -2.5..2.5f64, vy in -2.5..2.5f64) {
        let path = |n: u32| Point::new(f64::from(n) * vx, f64::from(n) * vy);
        let planes: Vec<Plane> = (0..9).map(|n| frame(path(n), 1.0, 0.0)).collect();
        let start = Point::new(100.0, 80.0);
        let on = solved(&mut PlaneStack::new(planes.clone()).unwrap(), 4, start + path(4));
        let back = solved(&mut PlaneStack::new(planes.into_iter().rev().collect()).unwrap(), 4, start + path(4));
        for n in 0..9 {
            let (a, b) = (on.get(Frame(n)).unwrap(), back.get(Frame(8 - n)).unwrap());
            prop_assert!(a.at.distance(b.at) < 5e-3, "frame {}: {:?} {:?}", n, a.at, b.at);
        }
    }

    #[test]
    fn light_changes_nothing_for_the_whole_shot_solve(swing in 0.0..0.3f64, vx in -2.5..2.5f64) {
        let light = |n: u32| 0.8 + swing * (f64::from(n) * 1.7).sin();
        let path = |n: u32| Point::new(f64::from(n) * vx, 0.4 * f64::from(n));
        let steady = PlaneStack::new((0..9).map(|n| frame(path(n), 0.8, 10.0)).collect());
        let flicker = PlaneStack::new((0..9).map(|n| frame(path(n), light(n), 10.0)).collect());
        let start = Point::new(100.0, 80.0);
        let (steady, flicker) = (solved(&mut steady.unwrap(), 0, start), solved(&mut flicker.unwrap(), 0, start));
        for (frame, sample) in steady.iter() {
            let other = flicker.get(frame).unwrap();
            prop_assert!(other.at.distance(sample.at) < 0.03, "frame {}: {:?} {:?}", frame, sample.at, other.at);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn moving_the_whole_shot_by_whole_pixels_moves_the_path_by_as_much(
        dx in -12i32..12, dy in -12i32..12, vx in -3.0..3.0f64, vy in -3.0..3.0f64,
    ) {
        let path = |n: u32, by: Point| Point::new(f64::from(n) * vx, f64::from(n) * vy) + by;
        let shot = |by: Point| PlaneStack::new((0..5).map(|n| frame(path(n, by), 1.0, 0.0)).collect()).unwrap();
        let (start, by) = (Point::new(100.0, 80.0), Point::new(f64::from(dx), f64::from(dy)));
        let plain = followed(&mut shot(Point::default()), start, Direction::Forward);
        let moved = followed(&mut shot(by), start + by, Direction::Forward);
        prop_assert_eq!(plain.len(), 5);
        for (frame, sample) in plain.iter() {
            let other = moved.get(frame).unwrap();
            prop_assert!((other.at - by).distance(sample.at) < 2e-3, "frame {}: {:?} {:?}", frame, sample, other);
        }
    }

    #[test]
    fn played_backwards_it_is_the_same_path(vx in -4.0..4.0f64, vy in -4.0..4.0f64) {
        let path = |n: u32| Point::new(f64::from(n) * vx, f64::from(n) * vy);
        let mut stack = PlaneStack::new((0..5).map(|n| frame(path(n), 1.0, 0.0)).collect()).unwrap();
        let start = Point::new(100.0, 80.0);
        let forward = followed(&mut stack, start, Direction::Forward);
        let backward = followed(&mut stack, start + path(4), Direction::Backward);
        for n in 0..5 {
            let (a, b) = (forward.get(Frame(n)).unwrap(), backward.get(Frame(n)).unwrap());
            prop_assert!(a.at.distance(b.at) < 0.04, "frame {}: {:?} {:?}", n, a.at, b.at);
        }
    }

    #[test]
    fn gain_and_offset_change_nothing(gain in 0.45..1.18f64, offset in -20.0..40.0f64, x in -0.9..0.9f64, y in -0.9..0.9f64) {
        // Kept clear of black and white, where the picture loses its structure.
        let offset = offset.clamp(10.0 - 20.0 * gain, 245.0 - 216.0 * gain);
        let whole = PixelRect { left: 0, top: 0, right: 200, bottom: 160 };
        let start = Point::new(100.0, 80.0);
        let pattern = Pattern::pick(&[frame(Point::default(), 1.0, 0.0).window(whole)], &Homography::shift(start), 31, 31, Filter::None);
        let seen = |gain: f64, offset: f64| [frame(Point::new(x, y), gain, offset).window(whole)];
        let begin = Homography::shift(start);
        let plain = Aligner::default().align(&pattern, &seen(1.0, 0.0), begin, MotionModel::Position, 3.0);
        let lit = Aligner::default().align(&pattern, &seen(gain, offset), begin, MotionModel::Position, 3.0);
        prop_assert!(plain.centre().distance(lit.centre()) < 0.012, "{:?} {:?}", plain, lit);
        prop_assert!((lit.gain - gain).abs() < 0.02, "{}", lit.gain);
    }
}
