use uuid::Uuid;

use super::*;
use crate::geometry::Size;
use crate::image::{Plane, PlaneStack};
use crate::track::Track;

const SIZE: Size = Size::new(240, 180);

/// A textured card on a textured ground; the card's place is given by frame.
fn shot(frames: u32, place: impl Fn(u32) -> Point, cover: impl Fn(u32) -> Option<u32>) -> PlaneStack {
    let planes = (0..frames).map(|frame| {
        let (at, pole) = (place(frame), cover(frame));
        Plane::from_fn(SIZE, |col, row| {
            if pole.is_some_and(|left| (left..left + 60).contains(&col)) {
                return 40 + (row % 5) as u8;
            }
            let (x, y) = (f64::from(col) + 0.5, f64::from(row) + 0.5);
            let (u, v) = (x - at.x, y - at.y);
            let wave = if u.abs() < 30.0 && v.abs() < 30.0 {
                (u * 0.41 + v * 0.13).sin() + (v * 0.37 - u * 0.23).sin() + (u * v * 0.02).cos()
            } else {
                (x * 0.19).sin() * (y * 0.17).cos() + (x * 0.05 + y * 0.07).sin()
            };
            (125.0 + 35.0 * wave) as u8
        })
    });
    PlaneStack::new(planes.collect()).unwrap()
}

fn pin(at: Point) -> Pin {
    Pin::new(Uuid::nil(), Frame(0), at, [31, 31], [40, 40])
}

#[derive(Default)]
struct Keep {
    track: Track,
    at_most: Option<usize>,
}

impl FollowSink for Keep {
    fn sample(&mut self, frame: Frame, sample: Sample) -> Continue {
        self.track.set(frame, Some(sample));
        if self.at_most.is_some_and(|most| self.track.len() >= most) { Continue::No } else { Continue::Yes }
    }
}

fn curve(frame: u32) -> Point {
    let t = f64::from(frame);
    Point::new(70.0 + 3.3 * t, 80.0 + 20.0 * (t * 0.21).sin())
}

#[test]
fn follows_a_curve_to_a_fraction_of_a_pixel() {
    let mut frames = shot(25, curve, |_| None);
    let mut keep = Keep::default();
    let pin = pin(curve(0));
    let end = follow(&mut frames, &pin, &Start::at_pin(&pin), Direction::Forward, Frame(24), &mut keep).unwrap();
    assert_eq!(end, FollowEnd::EndOfRange);
    assert_eq!(keep.track.len(), 24);
    for (frame, sample) in keep.track.iter() {
        let error = sample.at.distance(curve(frame.0));
        assert!(error < 0.05, "frame {frame}: {error}");
    }
}

#[test]
fn backward_gives_the_same_path() {
    let mut frames = shot(20, curve, |_| None);
    let mut keep = Keep::default();
    let last = Pin { frame: Frame(19), ..pin(curve(19)) };
    let end = follow(&mut frames, &last, &Start::at_pin(&last), Direction::Backward, Frame(0), &mut keep).unwrap();
    assert_eq!((end, keep.track.len()), (FollowEnd::EndOfRange, 19));
    assert!(keep.track.iter().all(|(frame, sample)| sample.at.distance(curve(frame.0)) < 0.05));
}

#[test]
fn stops_when_covered_and_says_where() {
    let mut frames = shot(20, |_| Point::new(120.0, 90.0), |frame| (frame >= 12).then_some(90));
    let mut keep = Keep::default();
    let pin = pin(Point::new(120.0, 90.0));
    let end = follow(&mut frames, &pin, &Start::at_pin(&pin), Direction::Forward, Frame(19), &mut keep).unwrap();
    let FollowEnd::LowMatch { frame, matched, .. } = end else { panic!("{end:?}") };
    assert_eq!(frame, Frame(12));
    assert!(matched < 0.8);
    assert!(end.sentence().contains("frame 12"));
    assert_eq!(keep.track.spans().len(), 1);
}

#[test]
fn stops_at_the_edge_of_the_picture() {
    let place = |frame: u32| Point::new(190.0 + 7.0 * f64::from(frame), 90.0);
    let mut frames = shot(20, place, |_| None);
    let mut keep = Keep::default();
    let pin = pin(place(0));
    let end = follow(&mut frames, &pin, &Start::at_pin(&pin), Direction::Forward, Frame(19), &mut keep).unwrap();
    let frame = match end {
        FollowEnd::LeftPicture { frame, .. } | FollowEnd::LowMatch { frame, .. } => frame,
        other => panic!("{other:?}"),
    };
    assert!((4..=8).contains(&frame.0), "{end:?}");
}

#[test]
fn the_receiver_can_stop_and_the_rest_can_be_taken_up_again() {
    let mut frames = shot(20, curve, |_| None);
    let mut keep = Keep { at_most: Some(7), ..Keep::default() };
    let pin = pin(curve(0));
    keep.track.set(Frame(0), Some(Sample::guide(pin.at)));
    let end = follow(&mut frames, &pin, &Start::at_pin(&pin), Direction::Forward, Frame(19), &mut keep).unwrap();
    assert_eq!(end, FollowEnd::Stopped);
    let again = Start::from_track(&pin, &keep.track, Frame(6), Direction::Forward).unwrap();
    assert!((again.velocity.x - 3.3).abs() < 0.1, "{again:?}");
    keep.at_most = None;
    follow(&mut frames, &pin, &again, Direction::Forward, Frame(19), &mut keep).unwrap();
    assert_eq!(keep.track.len(), 20);
    assert!(keep.track.iter().all(|(frame, sample)| sample.at.distance(curve(frame.0)) < 0.05));
}

#[test]
fn a_flat_pattern_is_refused_in_words() {
    let mut frames = PlaneStack::new(vec![Plane::from_fn(SIZE, |_, _| 90); 3]).unwrap();
    let pin = pin(Point::new(100.0, 90.0));
    let end = follow(&mut frames, &pin, &Start::at_pin(&pin), Direction::Forward, Frame(2), &mut Keep::default());
    let end = end.unwrap();
    assert_eq!(end, FollowEnd::FlatPattern { frame: Frame(0) });
    assert!(end.sentence().contains("contrast"));
}

#[test]
fn a_change_of_light_does_not_matter() {
    let bright = shot(12, curve, |_| None);
    let planes = bright.planes().iter().enumerate().map(|(i, plane)| {
        let gain = 1.0 - 0.04 * i as f64;
        Plane::new(SIZE, plane.data().iter().map(|&v| (f64::from(v) * gain) as u8).collect()).unwrap()
    });
    let mut frames = PlaneStack::new(planes.collect()).unwrap();
    let mut keep = Keep::default();
    let pin = pin(curve(0));
    let end = follow(&mut frames, &pin, &Start::at_pin(&pin), Direction::Forward, Frame(11), &mut keep).unwrap();
    assert_eq!(end, FollowEnd::EndOfRange);
    assert!(keep.track.iter().all(|(frame, sample)| sample.at.distance(curve(frame.0)) < 0.06));
}
