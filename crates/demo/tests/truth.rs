//! The core against the exact motion of the simulated camera.

use jampin_core::follow::{Continue, Direction, FollowEnd, FollowSink, Start, follow};
use jampin_core::geometry::Point;
use jampin_core::image::{Plane, PlaneStack};
use jampin_core::pin::Pin;
use jampin_core::time::Frame;
use jampin_core::track::{Sample, Track};
use jampin_demo::{Shot, Truth, passing_loop, platform};

/// Luma of some frames of a shot, the first of them being frame 0 of the stack.
fn luma(shot: &Shot, frames: std::ops::Range<u32>) -> PlaneStack {
    let plane = |frame| {
        let rgb = shot.expose(frame);
        // Luma weights of ITU-R BT.709-6.
        let luma = |p: &[u8; 3]| 0.2126 * f32::from(p[0]) + 0.7152 * f32::from(p[1]) + 0.0722 * f32::from(p[2]);
        let data = rgb.as_chunks::<3>().0.iter().map(|pixel| luma(pixel).round() as u8).collect();
        Plane::new(shot.size, data).unwrap()
    };
    PlaneStack::new(frames.map(plane).collect()).unwrap()
}

struct Keep(Track);

impl FollowSink for Keep {
    fn sample(&mut self, frame: Frame, sample: Sample) -> Continue {
        self.0.set(frame, Some(sample));
        Continue::Yes
    }
}

struct Outcome {
    end: FollowEnd,
    worst: f64,
    followed: u32,
    /// The first frame of the range on which the point cannot be seen.
    hidden_from: Option<u32>,
    claimed_while_hidden: usize,
}

/// Follows a named point forward through some frames and compares with the truth.
fn run(shot: &Shot, name: &str, frames: std::ops::Range<u32>, side: u32, search: u32) -> Outcome {
    let truth = Truth::of(shot);
    let point = truth.point(name).unwrap();
    let place = |frame: u32| Point::new(point.place[frame as usize][0], point.place[frame as usize][1]);
    let visible = |frame: u32| point.visible[frame as usize];
    let first = frames.start;
    let pin = Pin::new(Default::default(), Frame(0), place(first), [side; 2], [search; 2]);
    let mut keep = Keep(Track::new());
    let last = Frame(frames.len() as u32 - 1);
    let mut planes = luma(shot, frames.clone());
    let end = follow(&mut planes, &pin, &Start::at_pin(&pin), Direction::Forward, last, &mut keep).unwrap();
    let error = |(frame, sample): (Frame, Sample)| sample.at.distance(place(first + frame.0));
    let seen = keep.0.iter().filter(|(frame, _)| visible(first + frame.0));
    Outcome {
        end,
        worst: seen.map(error).fold(0.0, f64::max),
        followed: keep.0.len() as u32,
        hidden_from: frames.clone().find(|frame| !visible(*frame)),
        claimed_while_hidden: keep.0.iter().filter(|(frame, _)| !visible(first + frame.0)).count(),
    }
}

#[test]
fn a_still_signal_is_held_in_wind() {
    let outcome = run(&passing_loop(), "signal", 0..12, 31, 24);
    assert_eq!((outcome.end, outcome.followed), (FollowEnd::EndOfRange, 11));
    assert!(outcome.worst < 0.1, "worst {}", outcome.worst);
}

#[test]
fn a_walking_guard_is_followed_to_a_fraction_of_a_pixel() {
    let outcome = run(&platform(), "sleeve", 60..84, 31, 24);
    assert_eq!((outcome.end, outcome.followed), (FollowEnd::EndOfRange, 23));
    assert!(outcome.worst < 0.3, "worst {}", outcome.worst);
}

#[test]
fn a_car_that_grows_and_speeds_up_is_held_until_the_mast_hides_it() {
    let outcome = run(&passing_loop(), "emblem", 96..134, 41, 40);
    let FollowEnd::LowMatch { frame, .. } = outcome.end else { panic!("{:?}", outcome.end) };
    let hidden = outcome.hidden_from.expect("the mast hides it");
    assert!((96 + frame.0).abs_diff(hidden) <= 4, "stopped at {}, hidden from {hidden}", 96 + frame.0);
    assert!(outcome.claimed_while_hidden <= 1, "{} hidden frames called found", outcome.claimed_while_hidden);
    assert!(outcome.worst < 0.5, "worst {}", outcome.worst);
}

#[test]
fn the_same_shot_is_exposed_the_same_every_time() {
    let (a, b) = (platform().expose(33), platform().expose(33));
    assert_eq!(a, b);
    assert!(a.iter().any(|value| *value > 200) && a.iter().any(|value| *value < 40), "it is a picture");
}
