//! Pictures and flares on a subject whose motion is known.

use uuid::Uuid;

use super::*;
use crate::attachment::*;
use crate::document::Subject;
use crate::geometry::{Homography, Point};
use crate::pin::Pin;
use crate::track::{Covariance, MotionModel, Sample, SampleState};

const CORNERS: [(f64, f64); 4] = [(200.0, 120.0), (600.0, 140.0), (560.0, 400.0), (220.0, 380.0)];
const PICTURE: Size = Size::new(1280, 720);

fn flight(frame: u32) -> Homography {
    let t = f64::from(frame);
    let (sin, cos) = (0.01 * t).sin_cos();
    let grow = 1.0 + 0.005 * t;
    Homography::new([[grow * cos, -grow * sin, 60.0 + t], [grow * sin, grow * cos, -40.0], [4e-6 * t, -3e-6 * t, 1.0]])
}

/// Some of the corners, followed over frames 10 to 49.
fn shot(corners: usize, kind: AttachmentKind) -> Shot {
    let places: Vec<Point> = CORNERS[..corners].iter().map(|&(x, y)| Point::new(x, y)).collect();
    let id = |i: usize| Uuid::from_u128(i as u128 + 1);
    let pin = |(i, at): (usize, &Point)| Pin::new(id(i), Frame(10), flight(10).apply(*at), [31, 31], [40, 40]);
    let sample = |at: Point| Sample::bare(at, 0.9, Covariance::new([0.01, 0.0, 0.01]), SampleState::Found);
    let track = |at: &Point| (10..50).map(|n| (Frame(n), sample(flight(n).apply(*at)))).collect();
    let attachment = Attachment::new(Uuid::from_u128(50), kind);
    let subject = Subject {
        pins: places.iter().enumerate().map(pin).collect(),
        attachments: vec![attachment],
        ..Subject::new(Uuid::from_u128(60), "Shed", 'A', 1)
    };
    let tracks = places.iter().enumerate().map(|(i, at)| (id(i), Arc::new(track(at)))).collect();
    Shot { subjects: vec![subject], tracks, ..Shot::default() }
}

fn drawables(shot: &Shot, frame: u32) -> Vec<Drawable> {
    let range = FrameRange { first: Frame(0), last: Frame(59) };
    Scene::new(shot, PICTURE, range, &|_: &LabelArt| (120.0, 40.0)).frame(Frame(frame))
}

fn picture(mount: PictureMount, size: [f64; 2]) -> Picture {
    Picture { picture: Uuid::from_u128(70), pixels: [300, 200], mount, place: Point::default(), size, rotation: 0.0 }
}

fn flat(drawables: &[Drawable]) -> Homography {
    let Primitive::Flat { matrix, .. } = drawables[0].primitive else { panic!("{drawables:?}") };
    Homography::new(matrix)
}

#[test]
fn the_corners_of_a_picture_lie_on_the_corners_of_the_face() {
    let corners = [1, 2, 3, 4].map(|n| Corner::Pin(Uuid::from_u128(n)));
    let shot = shot(4, AttachmentKind::Picture(picture(PictureMount::Face(corners), [1.0, 1.0])));
    for frame in [14, 30, 45] {
        let map = flat(&drawables(&shot, frame));
        let own = [(0.0, 0.0), (300.0, 0.0), (300.0, 200.0), (0.0, 200.0)];
        for ((x, y), (u, v)) in own.into_iter().zip(CORNERS) {
            let miss = map.apply(Point::new(x, y)).distance(flight(frame).apply(Point::new(u, v)));
            assert!(miss < 0.01, "frame {frame}: {miss}");
        }
    }
    let opacity = |frame| drawables(&shot, frame)[0].opacity;
    assert!(opacity(10) < opacity(12) && opacity(12) < opacity(20) && opacity(20) == 1.0);
    assert!(drawables(&shot, 55).is_empty());
}

#[test]
fn facing_the_camera_it_turns_and_grows_on_two_pins_as_far_as_wanted() {
    let of = |turns, grows| {
        let mount = PictureMount::Facing(Orientation { since: Frame(10), turns, grows, tilts: false });
        let shot = shot(2, AttachmentKind::Picture(picture(mount, [150.0, 100.0])));
        let (then, now) = (flat(&drawables(&shot, 10)), flat(&drawables(&shot, 40)));
        let side = |map: &Homography| map.apply(Point::new(300.0, 0.0)) - map.apply(Point::new(0.0, 0.0));
        let (then, now) = (side(&then), side(&now));
        (now.length() / then.length(), now.y.atan2(now.x) - then.y.atan2(then.x))
    };
    let (scale, turn) = of(true, true);
    // As the line from one pin to the other does.
    let line = |frame| {
        let end = |i: usize| flight(frame).apply(Point::new(CORNERS[i].0, CORNERS[i].1));
        end(1) - end(0)
    };
    let (from, to) = (line(10), line(40));
    assert!((scale - to.length() / from.length()).abs() < 1e-3, "{scale}");
    assert!((turn - (to.y.atan2(to.x) - from.y.atan2(from.x))).abs() < 1e-3, "{turn}");
    assert_eq!(of(false, false), (1.0, 0.0));
    assert!((of(true, false).0 - 1.0).abs() < 1e-9 && of(true, false).1 > 0.2);
}

#[test]
fn a_label_laid_on_a_face_goes_with_its_corners() {
    let corners = CORNERS.map(|(x, y)| flight(14).apply(Point::new(x, y)));
    let face = LyingFace { corners, since: Frame(14), bends: None };
    let label = AttachmentKind::Label(Box::new(Label { keeps_inside: true, ..Label::named("Yard") }));
    let mut shot = shot(4, label.laid_on(face, PICTURE).unwrap());
    shot.subjects[0].motion = Some(MotionModel::Perspective);
    let [right, down] = face.sides(PICTURE).map(|side| side / 2.0);
    for frame in [14, 40] {
        let painted = drawables(&shot, frame);
        assert_eq!(painted.len(), 1, "no line to the subject");
        let map = flat(&painted);
        // Its middle is that of the face.
        let seen = [(-right, -down), (right, -down), (right, down), (-right, down)];
        for ((x, y), (u, v)) in seen.into_iter().zip(CORNERS) {
            let miss = map.apply(Point::new(60.0 + x, 20.0 + y)).distance(flight(frame).apply(Point::new(u, v)));
            assert!(miss < 0.02, "frame {frame}: {miss}");
        }
    }
    // A drag goes along the face.
    let range = FrameRange { first: Frame(0), last: Frame(59) };
    let scene = Scene::new(&shot, PICTURE, range, &|_: &LabelArt| (120.0, 40.0));
    let map = flat(&scene.frame(Frame(40)));
    let [from, to] = [(60.0, 20.0), (90.0, 35.0)].map(|(x, y)| map.apply(Point::new(x, y)));
    let Some(AttachmentKind::Label(moved)) = scene.moved(Uuid::from_u128(50), Frame(40), from, to) else {
        panic!("a label can be dragged")
    };
    let Placement::Offset(offset) = moved.placement else { panic!("{moved:?}") };
    assert!(offset.distance(Point::new(30.0, 15.0)) < 1e-6, "{offset:?}");
}

#[test]
fn what_tilts_lies_on_the_face_as_it_lay_when_it_was_set() {
    let orientation = Orientation { since: Frame(14), turns: false, grows: false, tilts: true };
    let offset = Point::new(150.0, 90.0);
    let label = Label { placement: Placement::Offset(offset), orientation, line_width: None, ..Label::named("Shed") };
    let cover = Cover {
        outline: CoverShape::Box,
        place: offset,
        size: [120.0, 40.0],
        rotation: 0.0,
        orientation,
        feather: 0.0,
        inside_out: false,
        effect: CoverEffect::Blur(8.0),
    };
    let subject = |frame| flight(frame).apply(Point::new(CORNERS[0].0, CORNERS[0].1));
    // Where the corners of a box about that place go, with the plane of the four pins.
    let carried = flight(40).after(&flight(14).inverse().unwrap());
    let want = [(-60.0, -20.0), (60.0, -20.0), (60.0, 20.0), (-60.0, 20.0)]
        .map(|(x, y)| carried.apply(subject(14) + offset + Point::new(x, y)));
    let shot_of = |kind| {
        let mut shot = shot(4, kind);
        shot.subjects[0].motion = Some(MotionModel::Perspective);
        shot
    };
    let near = |got: &[Point]| {
        for (got, want) in got.iter().zip(want) {
            assert!(got.distance(want) < 0.02, "{got:?} {want:?}");
        }
    };
    let map = flat(&drawables(&shot_of(AttachmentKind::Label(Box::new(label))), 40));
    near(&[(0.0, 0.0), (120.0, 0.0), (120.0, 40.0), (0.0, 40.0)].map(|(x, y)| map.apply(Point::new(x, y))));
    let Primitive::Cover { rings, .. } = drawables(&shot_of(AttachmentKind::Cover(cover)), 40).swap_remove(0).primitive
    else {
        panic!()
    };
    near(&rings[0]);
}

#[test]
fn ghosts_move_against_the_source_through_the_middle() {
    let flare = Flare::looks(PICTURE).swap_remove(1).flare;
    let parts = flare.parts();
    assert_eq!(parts.len(), 7 + 3, "ghosts, ring, rays, glow");
    let shot = shot(1, AttachmentKind::Flare(flare));
    let centre = |frame: u32, piece: usize| {
        let Primitive::Artwork { matrix, .. } = drawables(&shot, frame)[piece].primitive else { panic!() };
        Point::new(matrix[4] + parts[piece].0.reach.0, matrix[5] + parts[piece].0.reach.1)
    };
    let middle = Point::new(640.0, 360.0);
    for frame in [20, 40] {
        let source = flight(frame).apply(Point::new(CORNERS[0].0, CORNERS[0].1));
        assert!(centre(frame, 9).distance(source) < 1e-6, "the glow is on the source");
        for (piece, (_, _, along)) in parts.iter().enumerate().take(7) {
            let want = middle + (middle - source) * along.unwrap();
            assert!(centre(frame, piece).distance(want) < 1e-6, "ghost {piece}");
        }
    }
    assert!(drawables(&shot, 5).is_empty() && drawables(&shot, 10)[9].opacity < 0.3, "it flares up");
}

#[test]
fn settings_out_of_bounds_are_named() {
    let flare = Flare { ghosts: 9, ..Flare::looks(PICTURE)[0].flare.clone() };
    assert!(flare.check().unwrap_err().to_string().contains("ghosts"));
    let wide = picture(
        PictureMount::Facing(Orientation { since: Frame(0), turns: true, grows: true, tilts: false }),
        [0.0, 10.0],
    );
    assert!(wide.check().unwrap_err().to_string().contains("size"));
}

/// The middles of all sparks on a frame.
fn sparks_on(sparks: &Sparks, frame: u32) -> Vec<Point> {
    sparks_of(2, sparks, frame)
}

/// ... of a subject with so many pins.
fn sparks_of(pins: usize, sparks: &Sparks, frame: u32) -> Vec<Point> {
    let shot = shot(pins, AttachmentKind::Sparks(sparks.clone()));
    let specks = drawables(&shot, frame).into_iter().flat_map(|drawable| match drawable.primitive {
        Primitive::Specks { specks, .. } => specks,
        other => panic!("{other:?} is no spark"),
    });
    specks.map(|speck| speck.at).collect()
}

#[test]
fn sparks_fly_where_they_are_sent_and_are_the_same_from_any_frame() {
    let straight = Sparks { spread: 0.0, pull: 0.0, rate: 2.0, life: 10.0, streak: 0.0, ..Sparks::default() };
    let subject = |frame: u32| flight(frame).apply(Point::new(CORNERS[0].0, CORNERS[0].1));
    let all = sparks_on(&straight, 40);
    // Two a frame, each for ten frames or so.
    assert!((15..=26).contains(&all.len()), "{}", all.len());
    for at in &all {
        // Straight up from where the subject was on one of the last frames, by at most one and a half times the speed.
        let from = (26..=40).map(subject).min_by(|a, b| (a.x - at.x).abs().total_cmp(&(b.x - at.x).abs())).unwrap();
        assert!((from.x - at.x).abs() < 0.01 && at.y < from.y && from.y - at.y < 6.0 * 1.5 * 15.0, "{at:?} {from:?}");
    }
    assert_eq!(all, sparks_on(&straight, 40));
    assert_ne!(all, sparks_on(&Sparks { seed: 2, ..straight.clone() }, 40));
    let along = sparks_on(&Sparks { stays: false, ..straight }, 40);
    assert!(along.iter().all(|at| (at.x - subject(40).x).abs() < 0.01), "{along:?}");
}

#[test]
fn sparks_set_off_all_along_a_line_and_fall() {
    let corners = vec![Corner::Pin(Uuid::from_u128(1)), Corner::Pin(Uuid::from_u128(2))];
    let still = Sparks { corners, speed: 0.0, pull: 0.5, rate: 8.0, life: 12.0, streak: 0.0, ..Sparks::default() };
    let all = sparks_on(&Sparks { stays: false, ..still }, 40);
    let [a, b] = [0, 1].map(|i| flight(40).apply(Point::new(CORNERS[i].0, CORNERS[i].1)));
    let shares: Vec<f64> = all.iter().map(|at| (at.x - a.x) / (b.x - a.x)).collect();
    assert!(shares.iter().all(|share| (-0.01..=1.01).contains(share)), "{shares:?}");
    assert!(shares.iter().any(|share| *share < 0.2) && shares.iter().any(|share| *share > 0.8));
    for (at, share) in all.iter().zip(&shares) {
        // By half of the pull times the square of its time, which is no more than the longest life.
        let fallen = at.y - (a.y + (b.y - a.y) * share);
        assert!((0.0..=0.25 * (12.0f64 * 1.4 + 1.0).powi(2)).contains(&fallen), "{fallen}");
    }
}

#[test]
fn a_closed_line_has_sparks_on_each_of_its_sides_and_an_open_one_none_between_its_ends() {
    let corners: Vec<Corner> = (1..=4).map(|id| Corner::Pin(Uuid::from_u128(id))).collect();
    let still = Sparks { corners, speed: 0.0, pull: 0.0, rate: 8.0, stays: false, ..Sparks::default() };
    let ends = CORNERS.map(|(x, y)| flight(40).apply(Point::new(x, y)));
    let on_sides = |sparks: &Sparks| {
        let all = sparks_of(4, sparks, 40);
        let detour = |at: &Point, i: usize| {
            let (a, b) = (ends[i], ends[(i + 1) % 4]);
            at.distance(a) + at.distance(b) - a.distance(b)
        };
        let on = [0, 1, 2, 3].map(|i| all.iter().filter(|at| detour(at, i) < 0.01).count());
        assert_eq!(on.iter().sum::<usize>(), all.len());
        on.map(|count| count > 0)
    };
    assert_eq!(on_sides(&Sparks { closed: true, ..still.clone() }), [true; 4]);
    assert_eq!(on_sides(&still), [true, true, true, false]);
}

#[test]
fn nothing_sets_off_where_the_subject_is_not() {
    let sparks = Sparks::default();
    assert!(sparks_on(&sparks, 5).is_empty());
    assert!(sparks_on(&sparks, 11).len() < 12, "they have only begun");
    assert!(!sparks_on(&sparks, 30).is_empty());
    // Those that were left behind go out in their own time; those that go along are gone with it.
    let after = [sparks_on(&sparks, 49).len(), sparks_on(&sparks, 58).len()];
    assert!(after[1] > 0 && after[1] < after[0], "{after:?}");
    assert!(sparks_on(&Sparks { stays: false, ..sparks.clone() }, 51).is_empty());
    assert!(sparks_on(&Sparks { life: 5.0, ..sparks }, 58).is_empty());
}
