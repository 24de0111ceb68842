//! Boundary lines on a ground whose motion is known.

use uuid::Uuid;

use super::*;
use crate::attachment::*;
use crate::document::Subject;
use crate::geometry::{Homography, Point};
use crate::motion::CarriedPoint;
use crate::path::Easing;
use crate::pin::Pin;
use crate::track::{Covariance, Sample, SampleState};

const STONES: [(f64, f64); 4] = [(200.0, 120.0), (900.0, 140.0), (860.0, 560.0), (240.0, 520.0)];
const HIDDEN: Point = Point::new(1100.0, 330.0);

fn flight(frame: u32) -> Homography {
    let t = f64::from(frame);
    let (sin, cos) = (0.006 * t).sin_cos();
    Homography::new([[cos, -sin, 60.0 + t], [sin, cos, -40.0], [2e-6 * t, -3e-6 * t, 1.0]])
}

/// Four stones that are followed over forty frames, and one under a tree.
fn yard(boundary: Boundary) -> Shot {
    let places = STONES.map(|(x, y)| Point::new(x, y));
    let id = |i: usize| Uuid::from_u128(i as u128 + 1);
    let pin = |(i, at): (usize, &Point)| Pin::new(id(i), Frame(0), flight(0).apply(*at), [31, 31], [40, 40]);
    let sample = |at: Point| Sample::bare(at, 0.9, Covariance::new([0.01, 0.0, 0.01]), SampleState::Found);
    let track = |at: &Point| (0..40).map(|n| (Frame(n), sample(flight(n).apply(*at)))).collect();
    let attachment = Attachment::new(Uuid::from_u128(50), AttachmentKind::Boundary(Box::new(boundary)));
    let subject = Subject {
        pins: places.iter().enumerate().map(pin).collect(),
        points: vec![CarriedPoint::new(Uuid::from_u128(9), Frame(5), flight(5).apply(HIDDEN))],
        attachments: vec![attachment],
        ..Subject::new(Uuid::from_u128(60), "Yard", 'A', 1)
    };
    let tracks = places.iter().enumerate().map(|(i, at)| (id(i), Arc::new(track(at)))).collect();
    Shot { subjects: vec![subject], tracks, ..Shot::default() }
}

fn round_the_yard() -> Boundary {
    let pins = (1..=4).map(|n| Corner::Pin(Uuid::from_u128(n)));
    let mut corners: Vec<Corner> = pins.collect();
    corners.insert(2, Corner::Point(Uuid::from_u128(9)));
    Boundary::through(corners, true)
}

fn drawables(shot: &Shot, frame: u32) -> Vec<Drawable> {
    let range = FrameRange { first: Frame(0), last: Frame(39) };
    Scene::new(shot, Size::new(1280, 720), range, &|_: &LabelArt| (120.0, 40.0)).frame(Frame(frame))
}

fn lines(shot: &Shot, frame: u32) -> Vec<Vec<Point>> {
    let shape = drawables(shot, frame).into_iter().find_map(|drawable| match drawable.primitive {
        Primitive::Stroke { lines, .. } => Some(lines),
        _ => None,
    });
    shape.unwrap_or_default()
}

fn length(lines: &[Vec<Point>]) -> f64 {
    lines.iter().flat_map(|line| line.windows(2)).map(|pair| pair[0].distance(pair[1])).sum()
}

#[test]
fn it_goes_through_pins_and_carried_points_in_order() {
    let shot = yard(round_the_yard());
    for frame in [12, 20, 28] {
        let lines = lines(&shot, frame);
        let ring = [STONES[0], STONES[1], (HIDDEN.x, HIDDEN.y), STONES[2], STONES[3], STONES[0]];
        assert_eq!((lines.len(), lines[0].len()), (1, 6));
        for (got, (x, y)) in lines[0].iter().zip(ring) {
            assert!(got.distance(flight(frame).apply(Point::new(x, y))) < 0.01, "frame {frame}: {lines:?}");
        }
    }
}

#[test]
fn it_is_drawn_on_from_its_first_corner_and_off_after_it() {
    let even = |goes_back| {
        let mut boundary = round_the_yard();
        boundary.drawing = Drawing { on_frames: 10, off_frames: 10, easing: Easing::LINEAR, goes_back };
        yard(boundary)
    };
    let shot = even(false);
    let whole = length(&lines(&shot, 20));
    for (frame, share) in [(0, 0.1), (4, 0.5), (9, 1.0), (34, 0.5), (38, 0.1)] {
        let drawn = length(&lines(&shot, frame));
        // Along the ground the share is exact; in the picture perspective shifts it a little.
        assert!((drawn / whole - share).abs() < 0.02, "frame {frame}: {}", drawn / whole);
    }
    assert!(drawables(&shot, 39).is_empty(), "all of it is gone on the last frame");
    let first = flight(4).apply(Point::new(STONES[0].0, STONES[0].1));
    assert!(lines(&shot, 4)[0][0].distance(first) < 0.01);
    assert!(lines(&shot, 34)[0][0].distance(flight(34).apply(Point::new(STONES[0].0, STONES[0].1))) > 100.0);
    assert!(lines(&even(true), 34)[0][0].distance(flight(34).apply(Point::new(STONES[0].0, STONES[0].1))) < 0.01);
}

#[test]
fn dashes_stay_where_they_are_on_the_ground() {
    let mut boundary = round_the_yard();
    boundary.dashes = Some([60.0, 40.0]);
    let shot = yard(boundary);
    let (early, late) = (lines(&shot, 15), lines(&shot, 25));
    assert_eq!(early.len(), late.len());
    assert!(early.len() > 20);
    for (a, b) in early.iter().zip(&late) {
        let moved = flight(25).after(&flight(15).inverse().unwrap()).apply(a[0]);
        assert!(moved.distance(b[0]) < 0.05, "{moved:?} {b:?}");
    }
}

#[test]
fn a_line_to_far_away_is_not_cut_into_more_dashes_than_anybody_sees() {
    let mut boundary = round_the_yard();
    boundary.dashes = Some([1.0, 1.0]);
    assert!(lines(&yard(boundary.clone()), 20).len() > 1000);
    let mut far = yard(boundary);
    far.subjects[0].points =
        vec![CarriedPoint::new(Uuid::from_u128(9), Frame(0), flight(0).apply(Point::new(400_000.0, 0.0)))];
    let whole = lines(&far, 20);
    assert!(!whole.is_empty() && whole.len() < 5, "{} lines", whole.len());
}

#[test]
fn laid_on_the_ground_it_gets_thinner_with_distance() {
    let mut boundary = round_the_yard();
    (boundary.on_ground, boundary.width, boundary.marks) = (true, 10.0, 20.0);
    let shot = yard(boundary);
    let rings: Vec<Vec<Vec<Point>>> = drawables(&shot, 25)
        .into_iter()
        .filter_map(|drawable| match drawable.primitive {
            Primitive::Area { rings, .. } => Some(rings),
            _ => None,
        })
        .collect();
    assert_eq!(rings.len(), 2, "the line, and its marks");
    let area = |ring: &Vec<Point>| {
        let next = ring.iter().cycle().skip(1);
        ring.iter().zip(next).map(|(a, b)| a.x * b.y - a.y * b.x).sum::<f64>() / 2.0
    };
    assert!(rings.iter().flatten().all(|ring| area(ring) < 0.0), "all turn the same way, so that none cuts a hole");
    let marks: Vec<f64> = rings[1].iter().map(area).collect();
    assert_eq!(marks.len(), 5);
    let spread = marks.iter().fold(0.0f64, |most, area| most.max(-area))
        / marks.iter().fold(f64::MAX, |least, area| least.min(-area));
    assert!(spread > 1.02, "nearer stones have larger marks: {marks:?}");
}

#[test]
fn glow_tint_and_text_come_with_it() {
    let mut boundary = round_the_yard();
    boundary.glow = Some(Glow { colour: "#ffffff".into(), reach: 12.0, opacity: 0.5 });
    boundary.tint = Some(Tint { colour: "#56b4e9".into(), opacity: 0.3 });
    boundary.label = Some(Label { placement: Placement::Offset(Point::new(10.0, 0.0)), ..Label::named("Yard") });
    boundary.label_at = TextPlace::Edge(0);
    let shot = yard(boundary);
    let all = drawables(&shot, 20);
    let kinds: Vec<&str> = all
        .iter()
        .map(|drawable| match &drawable.primitive {
            Primitive::Area { .. } => "area",
            Primitive::Stroke { blur, .. } if *blur > 0.0 => "glow",
            Primitive::Stroke { .. } => "line",
            Primitive::Artwork { .. } => "text",
            _ => "other",
        })
        .collect();
    assert_eq!(kinds, ["area", "glow", "line", "text"]);
    let Primitive::Artwork { matrix, .. } = &all[3].primitive else { panic!("{all:?}") };
    let middle = (Point::new(STONES[0].0, STONES[0].1) + Point::new(STONES[1].0, STONES[1].1)) * 0.5;
    let want = flight(20).apply(middle) + Point::new(10.0 - 60.0, -20.0);
    // Half of the way on the ground is not half of the way in the picture, nearly.
    assert!(Point::new(matrix[4], matrix[5]).distance(want) < 6.0, "{matrix:?} {want:?}");
}

#[test]
fn what_lies_behind_the_camera_is_left_out() {
    let pose = Homography::new([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, -0.002, 1.0]]);
    let knot = |x: f64, y: f64| polyline::Knot { own: Point::new(x, y), seen: pose.apply(Point::new(x, y)) };
    // The horizon is at y = 500 on the plane.
    let knots = vec![knot(100.0, 100.0), knot(100.0, 900.0), knot(700.0, 900.0), knot(700.0, 100.0)];
    let outline = polyline::Polyline::new(knots, true, &pose, Point::new(400.0, 100.0));
    let parts = outline.part(0.0, outline.length());
    assert!(parts.iter().flatten().all(|(own, seen)| own.y < 500.0 && seen.is_finite()), "{parts:?}");
    assert_eq!(parts.len(), 2, "up to the horizon, and back from it");
}

#[test]
fn settings_that_make_no_line_are_named() {
    assert_eq!(round_the_yard().check(), Ok(()));
    let short = Boundary::through(vec![Corner::Pin(Uuid::nil())], false);
    assert!(short.check().unwrap_err().to_string().contains("2 to 200 corners"));
    let red = Boundary { colour: Some("red".into()), ..round_the_yard() };
    assert!(red.check().unwrap_err().to_string().contains("#rrggbb"));
    let odd = Boundary { dashes: Some([0.0, 4.0]), ..round_the_yard() };
    assert!(odd.check().unwrap_err().to_string().contains("dash"));
    // A corner that is gone: the line is not drawn as another one.
    let gone = Boundary::through(vec![Corner::Pin(Uuid::from_u128(1)), Corner::Pin(Uuid::from_u128(77))], false);
    assert!(drawables(&yard(gone), 20).is_empty());
}
