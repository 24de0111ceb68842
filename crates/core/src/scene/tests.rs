use uuid::Uuid;

use super::label::LINE_GAP;
use super::*;
use crate::attachment::Attachment;
use crate::attachment::*;
use crate::geometry::Rect;
use crate::pin::Pin;
use crate::track::{Sample, SampleState};

const PICTURE: Size = Size::new(640, 360);

fn shot(label: Label, places: &[(u32, f64, f64)]) -> Shot {
    let pin =
        Pin::new(Uuid::from_u128(1), Frame(places[0].0), Point::new(places[0].1, places[0].2), [31, 31], [40, 40]);
    let attachment = Attachment::label(Uuid::from_u128(2), label);
    let subject =
        Subject { pins: vec![pin], attachments: vec![attachment], ..Subject::new(Uuid::from_u128(3), "Guard", 'A', 1) };
    let found = |&(frame, x, y): &(u32, f64, f64)| {
        (Frame(frame), Sample { state: SampleState::Found, ..Sample::guide(Point::new(x, y)) })
    };
    let tracks = [(Uuid::from_u128(1), Arc::new(places.iter().map(found).collect()))].into();
    Shot { subjects: vec![subject], tracks, ..Shot::default() }
}

fn range(first: u32, last: u32) -> FrameRange {
    FrameRange::new(Frame(first), Frame(last)).unwrap()
}

fn measured(_: &LabelArt) -> (f64, f64) {
    (100.0, 40.0)
}

fn corner(drawables: &[Drawable]) -> Point {
    drawables
        .iter()
        .find_map(|drawable| match drawable.primitive {
            Primitive::Artwork { matrix, .. } => Some(Point::new(matrix[4], matrix[5])),
            _ => None,
        })
        .expect("the label is painted")
}

#[test]
fn a_label_keeps_its_offset_from_the_subject() {
    let label = Label { placement: Placement::Offset(Point::new(80.0, -50.0)), ..Label::new() };
    let shot = shot(label, &[(0, 100.0, 200.0), (1, 103.25, 198.5), (2, 107.0, 190.0)]);
    let scene = Scene::new(&shot, PICTURE, range(0, 2), &measured);
    for (frame, x, y) in [(0, 100.0, 200.0), (1, 103.25, 198.5), (2, 107.0, 190.0)] {
        assert_eq!(corner(&scene.frame(Frame(frame))), Point::new(x + 80.0 - 50.0, y - 50.0 - 20.0));
    }
    assert!(scene.frame(Frame(3)).is_empty(), "no label where there is no subject");
}

#[test]
fn the_line_starts_at_the_box_and_ends_short_of_the_subject() {
    let label = Label { placement: Placement::Offset(Point::new(0.0, -80.0)), ..Label::new() };
    let shot = shot(label, &[(0, 300.0, 200.0)]);
    let drawables = Scene::new(&shot, PICTURE, range(0, 0), &measured).frame(Frame(0));
    let Primitive::Line { from, to, .. } = &drawables[0].primitive else { panic!("{drawables:?}") };
    assert_eq!(*from, Point::new(300.0, 140.0));
    assert_eq!(*to, Point::new(300.0, 200.0 - LINE_GAP));
}

#[test]
fn a_label_left_to_itself_stays_in_the_picture_and_off_the_subject() {
    for at in [(20.0, 20.0), (620.0, 20.0), (620.0, 345.0), (20.0, 345.0), (320.0, 180.0)] {
        let shot = shot(Label::new(), &[(0, at.0, at.1)]);
        let corner = corner(&Scene::new(&shot, PICTURE, range(0, 0), &measured).frame(Frame(0)));
        let rect = Rect { left: corner.x, top: corner.y, right: corner.x + 100.0, bottom: corner.y + 40.0 };
        assert_eq!(rect.overhang(PICTURE), 0.0, "{at:?}: {rect:?}");
        let (near, at) = (rect.nearest(Point::new(at.0, at.1)), Point::new(at.0, at.1));
        assert!((near.x - at.x).abs() > 16.0 || (near.y - at.y).abs() > 16.0, "{at:?} is hidden by {rect:?}");
    }
}

#[test]
fn it_fades_with_the_span_but_not_at_the_ends_of_the_shot() {
    let places: Vec<_> = (0..20).map(|frame| (frame, 300.0, 200.0)).collect();
    let shot = shot(Label::new(), &places);
    let scene = Scene::new(&shot, PICTURE, range(0, 40), &measured);
    let opacity = |frame| scene.frame(Frame(frame))[0].opacity;
    assert_eq!(opacity(0), 1.0, "the subject was there before the shot began");
    assert_eq!(opacity(13), 1.0);
    assert!(opacity(17) < 1.0 && opacity(18) < opacity(17) && opacity(19) < opacity(18) && opacity(19) > 0.0);
}

#[test]
fn one_axis_only() {
    let label = Label { placement: Placement::Offset(Point::new(0.0, -90.0)), ..Label::new() };
    let mut shot = shot(label, &[(0, 100.0, 200.0), (1, 150.0, 260.0)]);
    shot.subjects[0].attachments[0].show.takes.axis = Axis::Across;
    let scene = Scene::new(&shot, PICTURE, range(0, 1), &measured);
    assert_eq!(corner(&scene.frame(Frame(1))) - corner(&scene.frame(Frame(0))), Point::new(50.0, 0.0));
}

#[test]
fn bad_settings_are_named() {
    assert_eq!(Label::new().check(), Ok(()));
    let red = Label { colour: "red".into(), ..Label::new() };
    assert!(red.check().unwrap_err().to_string().contains("#rrggbb"));
    let huge = Label { size: 5000.0, ..Label::new() };
    assert!(huge.check().unwrap_err().to_string().contains("between 4 and 400"));
    let lost = Label { placement: Placement::Offset(Point::new(f64::NAN, 0.0)), ..Label::new() };
    assert!(lost.check().is_err());
}
