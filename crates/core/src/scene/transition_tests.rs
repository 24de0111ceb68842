//! What all attachments can do: parts of the motion, entrances, keyframes, blur from motion, order, room for others;
//! and covers and fronts.

use uuid::Uuid;

use super::label::LINE_GAP;
use super::*;
use crate::attachment::*;
use crate::geometry::Rect;
use crate::path::Easing;
use crate::pin::Pin;
use crate::track::{Sample, SampleState, Track};

const PICTURE: Size = Size::new(1280, 720);
const SIZE: (f64, f64) = (100.0, 40.0);

/// A subject with one pin at these places from frame 10 on, in a shot of frames 0 to 99.
fn subject(n: u128, places: &[(f64, f64)], attachments: Vec<Attachment>) -> (Subject, (Uuid, Track)) {
    let id = Uuid::from_u128(n);
    let pin = Pin::new(id, Frame(10), Point::new(places[0].0, places[0].1), [31, 31], [40, 40]);
    let found = |(i, &(x, y)): (usize, &(f64, f64))| {
        (Frame(10 + i as u32), Sample { state: SampleState::Found, ..Sample::guide(Point::new(x, y)) })
    };
    let subject = Subject { pins: vec![pin], attachments, ..Subject::new(Uuid::from_u128(100 + n), "Guard", 'A', 1) };
    (subject, (id, places.iter().enumerate().map(found).collect()))
}

fn shot(subjects: Vec<(Subject, (Uuid, Track))>) -> Shot {
    let (subjects, tracks): (Vec<_>, Vec<_>) = subjects.into_iter().unzip();
    Shot {
        subjects,
        tracks: tracks.into_iter().map(|(pin, track)| (pin, Arc::new(track))).collect(),
        ..Shot::default()
    }
}

fn attachment(n: u128, show: Show, kind: AttachmentKind) -> Attachment {
    Attachment { show, ..Attachment::new(Uuid::from_u128(200 + n), kind) }
}

fn label(change: impl FnOnce(&mut Label)) -> AttachmentKind {
    let mut label =
        Label { line_width: None, placement: Placement::Offset(Point::new(0.0, -80.0)), ..Label::named("Guard") };
    change(&mut label);
    AttachmentKind::Label(Box::new(label))
}

fn frame(shot: &Shot, frame: u32) -> Vec<Drawable> {
    let range = FrameRange { first: Frame(0), last: Frame(99) };
    Scene::new(shot, PICTURE, range, &|_: &LabelArt| SIZE).frame(Frame(frame))
}

fn corner(drawable: &Drawable) -> Point {
    let Primitive::Artwork { matrix, .. } = drawable.primitive else { panic!("{drawable:?}") };
    Point::new(matrix[4], matrix[5])
}

/// Forty frames to the right and down, 10 and 5 pixels each.
fn walk() -> Vec<(f64, f64)> {
    (0..40).map(|i| (200.0 + 10.0 * f64::from(i), 300.0 + 5.0 * f64::from(i))).collect()
}

fn cut() -> Show {
    Show { enters: Transition::CUT, leaves: Transition::CUT, ..Show::default() }
}

#[test]
fn what_is_far_away_moves_less() {
    let takes = |axis, share| Show { takes: Takes { axis, share }, ..cut() };
    let moved = |show: Show| {
        let shot = shot(vec![subject(1, &walk(), vec![attachment(1, show, label(|_| ()))])]);
        corner(&frame(&shot, 30)[0]) - corner(&frame(&shot, 10)[0])
    };
    assert_eq!(moved(takes(Axis::Both, 1.0)), Point::new(200.0, 100.0));
    assert_eq!(moved(takes(Axis::Both, 0.25)), Point::new(50.0, 25.0));
    assert_eq!(moved(takes(Axis::UpAndDown, 0.5)), Point::new(0.0, 50.0));
    assert_eq!(moved(takes(Axis::Across, 0.0)), Point::new(0.0, 0.0));
}

#[test]
fn entrances_slide_from_outside_and_grow_out_of_the_middle() {
    let at = |way, n| {
        let enters = Transition { kind: way, frames: 9, easing: Easing::LINEAR };
        let show = Show { enters, ..cut() };
        let shot = shot(vec![subject(1, &walk(), vec![attachment(1, show, label(|_| ()))])]);
        frame(&shot, n).swap_remove(0)
    };
    let place = |n: u32| Point::new(200.0 + 10.0 * f64::from(n - 10) - 50.0, 300.0 + 5.0 * f64::from(n - 10) - 100.0);
    // A tenth of the way is done on the first frame; at the start of the way the label mount outside.
    let left = corner(&at(TransitionKind::Left, 10));
    assert!((left.x - (place(10).x - 0.9 * (place(10).x + SIZE.0))).abs() < 1e-9 && left.y == place(10).y, "{left:?}");
    assert!((corner(&at(TransitionKind::Bottom, 14)).y - (place(14).y + 0.5 * (720.0 - place(14).y))).abs() < 1e-9);
    assert_eq!(corner(&at(TransitionKind::Right, 19)), place(19), "there after nine frames");
    let Primitive::Artwork { matrix, .. } = at(TransitionKind::Grow, 14).primitive else { panic!() };
    assert!((matrix[0] - 0.5).abs() < 1e-9);
    let middle = Point::new(matrix[4] + 0.5 * matrix[0] * SIZE.0, matrix[5] + 0.5 * matrix[3] * SIZE.1);
    assert!(middle.distance(place(14) + Point::new(50.0, 20.0)) < 1e-9);
    assert!((at(TransitionKind::Fade, 12).opacity - 0.3).abs() < 1e-9);
}

#[test]
fn keyframes_come_on_top() {
    let key =
        |property, frame, value| PropertyKeyframe { property, frame: Frame(frame), value, easing: Easing::LINEAR };
    let keys = vec![
        key(AnimatedProperty::Across, 20, 0.0),
        key(AnimatedProperty::Across, 30, 60.0),
        key(AnimatedProperty::Opacity, 20, 1.0),
        key(AnimatedProperty::Opacity, 40, 0.0),
        key(AnimatedProperty::Rotation, 30, 90.0),
        key(AnimatedProperty::Size, 30, 2.0),
    ];
    let shot = shot(vec![subject(1, &walk(), vec![attachment(1, Show { keys, ..cut() }, label(|_| ()))])]);
    let drawable = frame(&shot, 25).swap_remove(0);
    assert!((drawable.opacity - 0.75).abs() < 1e-9);
    let Primitive::Artwork { matrix: [a, b, c, d, e, f], .. } = drawable.primitive else { panic!() };
    assert!((a.abs() + d.abs()) < 1e-9 && (b - 2.0).abs() < 1e-9 && (c + 2.0).abs() < 1e-9, "turned by a quarter");
    let middle = Point::new(a * 50.0 + c * 20.0 + e, b * 50.0 + d * 20.0 + f);
    assert!(middle.distance(Point::new(200.0 + 150.0 + 30.0, 300.0 + 75.0 - 80.0)) < 1e-9, "{middle:?}");
}

fn cover(effect: CoverEffect) -> Cover {
    Cover {
        outline: CoverShape::Box,
        place: Point::new(0.0, 10.0),
        size: [60.0, 40.0],
        rotation: 0.0,
        orientation: Orientation::default(),
        feather: 2.0,
        inside_out: false,
        effect,
    }
}

/// A keyframe of a setting.
fn keyed(path: &str, frame: u32, value: f64) -> PropertyKeyframe {
    PropertyKeyframe {
        property: AnimatedProperty::Setting(path.into()),
        frame: Frame(frame),
        value,
        easing: Easing::LINEAR,
    }
}

#[test]
fn letters_that_grow_are_drawn_anew_and_stay_in_place() {
    let keys = vec![keyed("box.padding", 20, 10.0), keyed("box.padding", 30, 20.0)];
    let auto = label(|label| label.placement = Placement::Auto);
    let shot = shot(vec![subject(1, &walk(), vec![attachment(1, Show { keys, ..cut() }, auto)])]);
    let range = FrameRange { first: Frame(0), last: Frame(99) };
    let padding = |art: &LabelArt| art.box_style.as_ref().unwrap().padding;
    let scene = Scene::new(&shot, PICTURE, range, &|art: &LabelArt| (10.0 * padding(art), 40.0));
    let on = |n| {
        let Primitive::Artwork { art, matrix } = scene.frame(Frame(n)).swap_remove(0).primitive else { panic!() };
        let Some(Art::Label(label)) = scene.artwork().nth(art) else { panic!() };
        let middle = Point::new(matrix[4] + scene.size_of(art).0 / 2.0, matrix[5] + 20.0);
        (padding(label), middle - Point::new(200.0, 300.0) - Point::new(10.0, 5.0) * f64::from(n - 10))
    };
    assert_eq!(scene.artwork().count(), 11);
    for (n, want) in [(12, 10.0), (25, 15.0), (30, 20.0), (45, 20.0)] {
        let (padding, offset) = on(n);
        assert!(
            (padding - want).abs() < 1e-6 && offset.distance(on(12).1) < 1e-6,
            "{padding}, {offset:?} on frame {n}"
        );
    }
}

#[test]
fn a_flare_whose_ghosts_come_one_by_one_shares_its_artwork() {
    let keys = vec![keyed("ghosts", 10, 0.0), keyed("ghosts", 13, 3.0)];
    let flare = Flare { ghosts: 3, rays: 0, streak: 0.0, ring: 0.0, ..Flare::looks(PICTURE).swap_remove(0).flare };
    let shot =
        shot(vec![subject(1, &walk(), vec![attachment(1, Show { keys, ..cut() }, AttachmentKind::Flare(flare))])]);
    assert_eq!([10, 11, 12, 13, 40].map(|n| frame(&shot, n).len()), [1, 2, 3, 4, 4]);
    let range = FrameRange { first: Frame(0), last: Frame(99) };
    assert_eq!(Scene::new(&shot, PICTURE, range, &|_: &LabelArt| SIZE).artwork().count(), 4);
}

#[test]
fn what_is_dragged_keeps_the_settings_that_keyframes_change() {
    let keys = vec![keyed("feather", 10, 0.0), keyed("feather", 30, 20.0)];
    let cover = AttachmentKind::Cover(cover(CoverEffect::Blur(8.0)));
    let shot = shot(vec![subject(1, &walk(), vec![attachment(1, Show { keys, ..cut() }, cover.clone())])]);
    let Primitive::Cover { feather, .. } = frame(&shot, 30).swap_remove(0).primitive else { panic!() };
    let range = FrameRange { first: Frame(0), last: Frame(99) };
    let scene = Scene::new(&shot, PICTURE, range, &|_: &LabelArt| SIZE);
    let moved = scene.moved(Uuid::from_u128(201), Frame(30), Point::new(0.0, 0.0), Point::new(7.0, 0.0));
    let (Some(AttachmentKind::Cover(moved)), AttachmentKind::Cover(before)) = (moved, cover) else { panic!() };
    assert_eq!((feather, moved), (20.0, Cover { place: before.place + Point::new(7.0, 0.0), ..before }));
}

#[test]
fn blur_from_motion_is_as_long_as_the_way_while_the_shutter_is_open() {
    let of = |shutter| {
        let shot = shot(vec![subject(1, &walk(), vec![attachment(1, Show { shutter, ..cut() }, label(|_| ()))])]);
        frame(&shot, 20).swap_remove(0)
    };
    let exposures = of(360.0).exposures;
    let sum = exposures.iter().fold(Point::default(), |sum, at| sum + *at);
    assert!(sum.length() < 1e-9 && exposures.len() == 6, "even about the middle: {exposures:?}");
    // The steps stand for pieces of the kind: from the middle of the first to that of the last there is one less.
    let reach = of(180.0).exposures;
    let from_to = reach[reach.len() - 1] - reach[0];
    assert!(from_to.distance(Point::new(5.0, 2.5) * (1.0 - 1.0 / reach.len() as f64)) < 1e-9, "{reach:?}");
    assert!(of(0.0).exposures.is_empty());
}

#[test]
fn a_label_turns_and_grows_only_when_asked_and_keeps_inside() {
    let places = vec![(30.0, 60.0); 40];
    let kept = label(|label| label.keeps_inside = true);
    let shot = shot(vec![subject(1, &places, vec![attachment(1, cut(), kept)])]);
    let corner = corner(&frame(&shot, 20)[0]);
    assert!((corner.x - 14.4).abs() < 1e-9 && (corner.y - 14.4).abs() < 1e-9, "two hundredths of 720: {corner:?}");
}

#[test]
fn labels_make_room_without_jumping() {
    // One stands, one walks past it at the same height.
    let standing = vec![(400.0, 300.0); 80];
    let passing: Vec<(f64, f64)> = (0..80).map(|i| (150.0 + 7.0 * f64::from(i), 296.0)).collect();
    let apart = || label(|label| label.keeps_apart = true);
    let shot = shot(vec![
        subject(1, &standing, vec![attachment(1, cut(), apart())]),
        subject(2, &passing, vec![attachment(2, cut(), apart())]),
    ]);
    let rect = |drawable: &Drawable| {
        let at = corner(drawable);
        Rect { left: at.x, top: at.y, right: at.x + SIZE.0, bottom: at.y + SIZE.1 }
    };
    let mut before: Option<Point> = None;
    for n in 10..90 {
        let drawables = frame(&shot, n);
        let (a, b) = (rect(&drawables[0]), rect(&drawables[1]));
        let overlap = a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom;
        assert!(!overlap, "frame {n}: {a:?} {b:?}");
        let at = corner(&drawables[1]);
        if let Some(before) = before {
            assert!(before.distance(at) < 16.0, "frame {n}: it jumps by {}", before.distance(at));
        }
        before = Some(at);
    }
}

#[test]
fn an_elbow_leaves_the_box_level() {
    let bent = label(|label| {
        label.line_width = Some(2.0);
        label.line_course = LineCourse::Elbow;
        label.placement = Placement::Offset(Point::new(-150.0, -80.0));
    });
    let shot = shot(vec![subject(1, &walk(), vec![attachment(1, cut(), bent)])]);
    let drawables = frame(&shot, 10);
    let Primitive::Stroke { lines, .. } = &drawables[0].primitive else { panic!("{drawables:?}") };
    let [start, bend, end] = lines[0][..] else { panic!("{lines:?}") };
    assert_eq!(start, Point::new(200.0 - 150.0 + 50.0, 300.0 - 80.0), "the middle of the right side");
    assert!(bend.y == start.y && bend.x > start.x && (end.distance(Point::new(200.0, 300.0)) - LINE_GAP).abs() < 1e-9);
}

#[test]
fn a_cover_goes_along_and_a_front_comes_after_what_lies_behind() {
    let cover = cover(CoverEffect::Mosaic(12));
    let outline = vec![Point::new(300.0, 0.0), Point::new(500.0, 0.0), Point::new(500.0, 700.0)];
    let front =
        |rides| ForegroundMatte { outline: outline.clone(), since: Frame(10), rides, feather: 0.0, brightness: None };
    let ahead = |order| Show { order, ..cut() };
    let all = vec![
        attachment(1, ahead(2), AttachmentKind::Foreground(front(true))),
        attachment(2, ahead(1), AttachmentKind::Cover(cover)),
        attachment(3, cut(), label(|_| ())),
        attachment(4, ahead(3), AttachmentKind::Foreground(front(false))),
    ];
    let shot = shot(vec![subject(1, &walk(), all)]);
    let drawables = frame(&shot, 20);
    let [label, cover, rides, stands] = &drawables[..] else { panic!("{drawables:?}") };
    assert!(matches!(label.primitive, Primitive::Artwork { .. }) && !label.needs_picture() && cover.needs_picture());
    let Primitive::Cover { rings, middle, .. } = &cover.primitive else { panic!("{cover:?}") };
    assert_eq!((*middle, rings[0][0]), (Point::new(300.0, 360.0), Point::new(270.0, 340.0)));
    let Primitive::Foreground { rings, .. } = &rides.primitive else { panic!("{rides:?}") };
    assert_eq!(rings[0][0], outline[0] + Point::new(100.0, 50.0));
    let Primitive::Foreground { rings, .. } = &stands.primitive else { panic!("{stands:?}") };
    assert_eq!(rings[0][0], outline[0]);
    // What stands where it is does so before its subject comes, too.
    assert_eq!(frame(&shot, 3).len(), 1);
}

#[test]
fn what_is_dragged_lands_where_it_is_let_go_and_keeps_following() {
    let turning =
        label(|label| label.orientation = Orientation { since: Frame(10), turns: true, grows: true, tilts: false });
    let cover = AttachmentKind::Cover(Cover {
        outline: CoverShape::Ellipse,
        place: Point::new(4.0, 5.0),
        size: [30.0, 20.0],
        rotation: 0.0,
        orientation: Orientation::default(),
        feather: 0.0,
        inside_out: false,
        effect: CoverEffect::Blur(5.0),
    });
    let (from, to) = (Point::new(300.0, 300.0), Point::new(340.0, 270.0));
    let far = Show { takes: Takes { axis: Axis::Both, share: 0.5 }, ..cut() };
    for (show, kind) in [(cut(), turning), (far, label(|_| ())), (cut(), cover)] {
        let place = |shot: &Shot| {
            let drawables = frame(shot, 25);
            drawables[0].primitive.bounds(&[SIZE]).unwrap().middle()
        };
        let mut shot = shot(vec![subject(1, &walk(), vec![attachment(1, show, kind)])]);
        let before = place(&shot);
        let range = FrameRange { first: Frame(0), last: Frame(99) };
        let scene = Scene::new(&shot, PICTURE, range, &|_: &LabelArt| SIZE);
        let moved = scene.moved(Uuid::from_u128(201), Frame(25), from, to).unwrap();
        assert!(scene.moved(Uuid::from_u128(201), Frame(5), from, to).is_none(), "not there yet");
        drop(scene);
        shot.subjects[0].attachments[0].kind = moved;
        assert!(place(&shot).distance(before + (to - from)) < 1e-9);
    }
}

#[test]
fn settings_are_checked() {
    let show = |change: fn(&mut Show)| {
        let mut show = Show::default();
        change(&mut show);
        show.check()
    };
    assert_eq!(show(|_| ()), Ok(()));
    assert!(show(|show| show.shutter = 400.0).unwrap_err().to_string().contains("shutter"));
    assert!(show(|show| show.takes.share = f64::NAN).is_err());
    assert!(show(|show| show.enters.frames = 501).is_err());
    let wide = label(|label| label.outline = Some(Edge { colour: "#fff".into(), width: 2.0 }));
    let AttachmentKind::Label(wide) = wide else { unreachable!() };
    assert!(wide.check().unwrap_err().to_string().contains("#rrggbb"));
}
