//! Whole shots with one difficulty each, whose motion is known exactly.

use std::collections::BTreeMap;
use std::sync::LazyLock;
use std::sync::atomic::{AtomicU32, Ordering};

use uuid::Uuid;

use super::*;
use crate::follow::Continue;
use crate::geometry::{Point, Size};
use crate::image::{Plane, PlaneStack, Scene, SceneFinder};
use crate::track::{Sample, SampleState};

const SIZE: Size = Size::new(260, 180);

/// A textured card before a textured ground, and whatever `cover` puts in front of both (a value, or nothing, by column
/// and row).
fn shot(frames: u32, place: impl Fn(u32) -> Point, cover: impl Fn(u32, u32, u32) -> Option<u8>) -> PlaneStack {
    let planes = (0..frames).map(|frame| {
        let at = place(frame);
        Plane::from_fn(SIZE, |col, row| {
            cover(frame, col, row).unwrap_or_else(|| {
                let (x, y) = (f64::from(col) + 0.5, f64::from(row) + 0.5);
                card(x - at.x, y - at.y).unwrap_or_else(|| ground(x, y))
            })
        })
    });
    PlaneStack::new(planes.collect()).unwrap()
}

fn card(u: f64, v: f64) -> Option<u8> {
    let wave = (u * 0.41 + v * 0.13).sin() + (v * 0.37 - u * 0.23).sin() + (u * v * 0.02).cos();
    (u.abs() < 24.0 && v.abs() < 24.0).then_some((125.0 + 35.0 * wave) as u8)
}

fn ground(x: f64, y: f64) -> u8 {
    (110.0 + 30.0 * ((x * 0.19).sin() * (y * 0.17).cos() + (x * 0.05 + y * 0.07).sin())) as u8
}

fn nothing(_: u32, _: u32, _: u32) -> Option<u8> {
    None
}

fn pin(frame: u32, at: Point) -> Pin {
    Pin::new(Uuid::nil(), Frame(frame), at, [31, 31], [40, 40])
}

/// One that nothing is known of as a whole.
fn film(part: FrameRange) -> Film<'static> {
    static UNKNOWN: LazyLock<Scene> = LazyLock::new(Scene::default);
    Film { scene: &UNKNOWN, part }
}

fn whole(stack: &PlaneStack) -> FrameRange {
    FrameRange { first: Frame(0), last: Frame(stack.planes().len() as u32 - 1) }
}

fn solved(stack: &mut PlaneStack, pin: &Pin, track: &Track) -> Track {
    let range = whole(stack);
    match solve(std::slice::from_mut(stack), film(range), pin, track, range, &Unwatched).unwrap() {
        Solution::Solved(track) => track,
        other => panic!("{other:?}"),
    }
}

fn states(track: &Track) -> String {
    let mark = |state| match state {
        SampleState::Found => '.',
        SampleState::Guide => 'g',
        SampleState::Hidden => '-',
        SampleState::Outside => 'o',
        SampleState::Bridged => 'b',
    };
    track.iter().map(|(_, sample)| mark(sample.state)).collect()
}

fn worst(track: &Track, place: impl Fn(u32) -> Point) -> f64 {
    let present = track.iter().filter(|(_, sample)| sample.state.is_present());
    present.map(|(frame, sample)| sample.at.distance(place(frame.0))).fold(0.0, f64::max)
}

fn drift(frame: u32) -> Point {
    let t = f64::from(frame);
    Point::new(60.0 + 2.6 * t, 80.0 + 12.0 * (t * 0.2).sin())
}

#[test]
fn a_pole_in_front_for_twelve_frames_is_crossed_with_no_help() {
    let pole = |frame: u32, col: u32, row: u32| {
        let on = (20..32).contains(&frame) && (90..180).contains(&col);
        on.then_some((50 + row % 7) as u8)
    };
    let mut stack = shot(50, drift, pole);
    let track = solved(&mut stack, &pin(0, drift(0)), &Track::new());
    assert_eq!(states(&track), format!("g{}{}{}", ".".repeat(19), "-".repeat(12), ".".repeat(18)));
    assert!(worst(&track, drift) < 0.1, "{}", worst(&track, drift));
    // The places behind it are predicted, not far off.
    let behind = (20..32).map(|n| track.get(Frame(n)).unwrap().at.distance(drift(n))).fold(0.0, f64::max);
    assert!(behind < 6.0, "{behind}");
}

#[test]
fn a_look_alike_beside_it_is_not_taken_for_it_while_it_is_hidden() {
    let twin = |frame: u32, col: u32, row: u32| {
        let at = drift(frame) + Point::new(10.0, 58.0);
        let beside = card(f64::from(col) + 0.5 - at.x, f64::from(row) + 0.5 - at.y);
        let pole = (20..30).contains(&frame) && row < 112;
        if pole { Some((60 + col % 5) as u8) } else { beside }
    };
    let mut stack = shot(44, drift, twin);
    let track = solved(&mut stack, &pin(0, drift(0)), &Track::new());
    assert!(worst(&track, drift) < 0.2, "{} {}", worst(&track, drift), states(&track));
    assert!((20..30).all(|n| track.get(Frame(n)).unwrap().state == SampleState::Hidden), "{}", states(&track));
}

#[test]
fn what_leaves_is_outside_and_is_found_again_when_it_returns() {
    let place = |frame: u32| Point::new(150.0 + 150.0 * (f64::from(frame) * 0.07).sin(), 90.0);
    let mut stack = shot(60, place, nothing);
    let track = solved(&mut stack, &pin(0, place(0)), &Track::new());
    let far = |n: u32| place(n).x > f64::from(SIZE.width) + 4.0;
    let inside = |n: u32| place(n).x < f64::from(SIZE.width) - 18.0;
    for n in 1..60 {
        let state = track.get(Frame(n)).unwrap().state;
        assert!(!far(n) || !state.is_present(), "frame {n}: {state:?}");
        assert!(!inside(n) || state == SampleState::Found, "frame {n}: {}", states(&track));
    }
    assert!(states(&track).contains('o') && worst(&track, place) < 0.15, "{}", states(&track));
}

#[test]
fn a_jump_of_the_camera_is_gone_along_with() {
    let place = |frame: u32| drift(frame) + if frame < 15 { Point::default() } else { Point::new(25.0, 6.0) };
    let mut stack = shot(30, place, nothing);
    let track = solved(&mut stack, &pin(0, place(0)), &Track::new());
    assert_eq!(states(&track), format!("g{}", ".".repeat(29)));
    assert!(worst(&track, place) < 0.1);
}

#[test]
fn the_path_goes_through_every_guide_exactly() {
    let mut stack = shot(40, drift, nothing);
    let (first, second) = (drift(12) + Point::new(0.7, -0.4), drift(28) + Point::new(-0.5, 0.6));
    let track: Track = [(Frame(12), Sample::guide(first)), (Frame(28), Sample::guide(second))].into_iter().collect();
    let solved = solved(&mut stack, &pin(0, drift(0)), &track);
    for (frame, at) in [(0, drift(0)), (12, first), (28, second)] {
        assert_eq!(solved.get(Frame(frame)).map(|sample| (sample.at, sample.state)), Some((at, SampleState::Guide)));
    }
    // Without a step next to a guide, and half way between two as far off as they are on average.
    let off = |n: u32| solved.get(Frame(n)).unwrap().at - drift(n);
    assert!(off(13).distance(first - drift(12)) < 0.25, "{:?}", off(13));
    assert!(off(20).length() < 0.3, "{:?}", off(20));
}

#[test]
fn a_part_between_guides_is_solved_as_the_whole_would_be() {
    let mut stack = shot(40, drift, nothing);
    let pin = pin(0, drift(0));
    let track: Track = [12, 28].map(|n| (Frame(n), Sample::guide(drift(n)))).into_iter().collect();
    let all = solved(&mut stack, &pin, &track);
    let range = affected(&pin, &all, Frame(20), whole(&stack));
    assert_eq!((range.first.0, range.last.0), (12, 28));
    let Solution::Solved(part) =
        solve(std::slice::from_mut(&mut stack), film(range), &pin, &all, range, &Unwatched).unwrap()
    else {
        panic!()
    };
    assert_eq!(part.len(), 17);
    for (frame, sample) in part.iter() {
        assert!(sample.at.distance(all.get(frame).unwrap().at) < 0.02, "frame {frame}");
    }
}

#[test]
fn every_number_is_given_and_honest() {
    let mut stack = shot(30, drift, nothing);
    let track = solved(&mut stack, &pin(0, drift(0)), &Track::new());
    for (frame, sample) in track.iter().skip(1) {
        assert!(sample.solved && sample.matched > 0.97, "frame {frame}: {sample:?}");
        assert!(sample.back_error.is_some_and(|error| error < 0.1), "frame {frame}: {sample:?}");
        assert!(sample.covariance.worst() > 0.0 && sample.covariance.worst() < 0.1, "frame {frame}: {sample:?}");
    }
}

#[test]
fn the_number_of_threads_changes_nothing() {
    let stack = shot(70, drift, |n, col, _| ((30..38).contains(&n) && (120..190).contains(&col)).then_some(40));
    let mut track = Track::new();
    track.set(Frame(50), Some(Sample::guide(drift(50))));
    let solved = |threads: usize| {
        let mut sources = vec![stack.clone(); threads];
        solve(&mut sources, film(whole(&stack)), &pin(10, drift(10)), &track, whole(&stack), &Unwatched).unwrap()
    };
    let one = solved(1);
    assert!(matches!(&one, Solution::Solved(track) if track.len() == 70));
    for threads in [2, 3, 8] {
        assert_eq!(solved(threads), one, "{threads} threads");
    }
}

#[test]
fn frames_said_to_be_hidden_are_hidden_and_bridges_outlive_a_solve() {
    let mut stack = shot(60, drift, nothing);
    let range = whole(&stack);
    let mut pin = pin(0, drift(0));
    let gap = FrameRange { first: Frame(30), last: Frame(39) };
    pin.set_hidden(gap, true);
    let first = solved(&mut stack, &pin, &Track::new());
    assert_eq!(states(&first), format!("g{}{}{}", ".".repeat(29), "-".repeat(10), ".".repeat(20)));
    let mut bridged = first.clone();
    for (frame, sample) in bridge(&first, gap, Bridge::Smooth, None).unwrap() {
        bridged.set(frame, Some(sample));
    }
    bridged.set(Frame(50), Some(Sample::guide(drift(50))));
    let part = affected(&pin, &bridged, Frame(50), range);
    let sources = std::slice::from_mut(&mut stack);
    let Solution::Solved(again) = solve(sources, film(range), &pin, &bridged, part, &Unwatched).unwrap() else {
        panic!()
    };
    assert_eq!(states(&again), format!("g{}{}{}g{}", ".".repeat(29), "b".repeat(10), ".".repeat(10), ".".repeat(9)));
    assert!(worst(&again, drift) < 1.5);
}

#[test]
fn what_was_found_before_on_frames_that_are_solved_has_no_say() {
    // Each picture is shown three times, and the click is amid such copies.
    let place = |n: u32| Point::new(40.0 + 22.0 * f64::from(n / 3), 90.0);
    let mut stack = shot(27, place, nothing);
    let mut finder = SceneFinder::default();
    stack.planes().iter().for_each(|plane| finder.push(plane));
    let (scene, part) = (finder.finish(), whole(&stack));
    let pin = pin(13, place(13));
    let mut solved = |before: &Track| {
        let film = Film { scene: &scene, part };
        let solution = solve(std::slice::from_mut(&mut stack), film, &pin, before, part, &Unwatched).unwrap();
        let Solution::Solved(track) = solution else { panic!("{solution:?}") };
        track
    };
    // A live pass finds the copies and loses it after them: what stands beside the guide says that it does not move.
    let found = |n: u32| Sample { state: SampleState::Found, ..Sample::guide(place(n)) };
    let after = solved(&[12, 14].map(|n| (Frame(n), found(n))).into_iter().collect());
    assert_eq!(after, solved(&Track::new()));
    assert_eq!(states(&after), ".............g.............");
    assert!(worst(&after, place) < 0.2, "{}", worst(&after, place));
}

#[test]
fn it_stops_when_told_to_and_says_when_there_is_nothing_to_follow() {
    struct StopAt(AtomicU32);
    impl Watch for StopAt {
        fn step(&self, _: Step) -> Continue {
            if self.0.fetch_sub(1, Ordering::Relaxed) == 1 { Continue::No } else { Continue::Yes }
        }
    }
    let mut stack = shot(12, drift, nothing);
    let range = whole(&stack);
    for steps in [1, 5, 15, 30] {
        let watch = StopAt(AtomicU32::new(steps));
        let sources = std::slice::from_mut(&mut stack);
        let stopped = solve(sources, film(range), &pin(0, drift(0)), &Track::new(), range, &watch).unwrap();
        assert_eq!(stopped, Solution::Stopped, "after {steps}");
    }
    let mut grey = PlaneStack::new(vec![Plane::from_fn(SIZE, |_, _| 90); 12]).unwrap();
    let flat = solve(std::slice::from_mut(&mut grey), film(range), &pin(3, drift(3)), &Track::new(), range, &Unwatched)
        .unwrap();
    assert_eq!(flat, Solution::FlatPattern(Frame(3)));
}

#[test]
fn a_pin_that_takes_turn_and_growth_reports_them() {
    let (turn, growth) = (|n: u32| 0.012 * f64::from(n), |n: u32| 1.0 + 0.008 * f64::from(n));
    let planes = (0..25).map(|n| {
        let (sin, cos) = turn(n).sin_cos();
        Plane::from_fn(SIZE, |col, row| {
            let (x, y) = (f64::from(col) + 0.5 - 130.0, f64::from(row) + 0.5 - 90.0);
            let (u, v) = ((x * cos + y * sin) / growth(n), (y * cos - x * sin) / growth(n));
            card(u.clamp(-23.9, 23.9), v.clamp(-23.9, 23.9)).unwrap_or(90)
        })
    });
    let mut stack = PlaneStack::new(planes.collect()).unwrap();
    let pin = Pin { motion: crate::track::MotionModel::Scale, ..pin(0, Point::new(130.0, 90.0)) };
    let track = solved(&mut stack, &pin, &Track::new());
    for (frame, sample) in track.iter().skip(1) {
        let shape = sample.shape.unwrap();
        assert!(
            (shape.rotation() - turn(frame.0)).abs() < 0.004,
            "frame {frame}: {} {}",
            shape.rotation(),
            turn(frame.0)
        );
        assert!((shape.scale() - growth(frame.0)).abs() < 0.006, "frame {frame}: {}", shape.scale());
        assert!(sample.at.distance(Point::new(130.0, 90.0)) < 0.1, "frame {frame}: {:?}", sample.at);
    }
}

#[test]
fn a_guide_that_is_wrong_by_six_pixels_is_the_first_doubt_and_mended_with_one() {
    let mut stack = shot(64, drift, nothing);
    let range = whole(&stack);
    let pin = pin(0, drift(0));
    let mut track = solved(&mut stack, &pin, &Track::new());
    assert_eq!(doubts(&track, &BTreeMap::new()).first().map(|doubt| doubt.frame), None);
    let mut guide = |track: &mut Track, at: Point| {
        track.set(Frame(32), Some(Sample::guide(at)));
        let part = affected(&pin, track, Frame(32), range);
        let again = solve(std::slice::from_mut(&mut stack), film(range), &pin, track, part, &Unwatched).unwrap();
        let Solution::Solved(again) = again else { panic!() };
        for (frame, sample) in again.iter() {
            track.set(frame, Some(sample));
        }
    };
    guide(&mut track, drift(32) + Point::new(6.0, 0.0));
    let first = doubts(&track, &BTreeMap::new())[0];
    assert_eq!(
        (first.frame, first.reason),
        (Frame(32), DoubtReason::GuideOff),
        "{:?}",
        doubts(&track, &BTreeMap::new())
    );
    guide(&mut track, drift(32));
    assert!(doubts(&track, &BTreeMap::new()).is_empty(), "{:?}", doubts(&track, &BTreeMap::new()));
    assert!(worst(&track, drift) < 0.1);
}
