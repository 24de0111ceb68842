//! Faces on made shots whose motion is known exactly.

use std::f64::consts::PI;
use std::ops::ControlFlow;

use super::made::{noise, wall};
use super::*;
use crate::geometry::{Homography, Point, Size};
use crate::image::{Blur, Plane, PlaneStack};
use crate::locate::Film;
use crate::median::median;
use crate::time::{Frame, FrameRange};
use crate::track::{Grasp, MotionModel, SampleState};

const SIZE: Size = Size::new(480, 320);
const FRAMES: u32 = 48;
/// The face on frame 0: a box of 180x120 pixels.
const FACE: [Point; 4] =
    [Point::new(150.0, 100.0), Point::new(330.0, 100.0), Point::new(330.0, 220.0), Point::new(150.0, 220.0)];
const MIDDLE: Point = Point::new(240.0, 160.0);
/// Standard deviation of the noise of most shots, in grey levels.
const NOISE: f64 = 2.0;

/// A shot of one face before a background.
struct Trial {
    /// From frame 0 to a frame.
    map: fn(f64) -> Homography,
    /// What the light makes of a brightness at a place of the picture.
    light: fn(f64, Point, f64) -> f64,
    /// Standard deviation of the defocus on a frame.
    defocus: fn(f64) -> f64,
    /// What lies on top at a place of a frame.
    cover: fn(f64, Point) -> Option<f64>,
    /// The face itself.
    face: fn(Point) -> Option<f64>,
    /// Standard deviation of the noise, in grey levels.
    noise: f64,
}

fn box_of_wall(at: Point) -> Option<f64> {
    let [a, _, c, _] = FACE;
    let inside = at.x > a.x - 30.0 && at.x < c.x + 30.0 && at.y > a.y - 30.0 && at.y < c.y + 30.0;
    inside.then(|| wall(at, 7))
}

impl Default for Trial {
    fn default() -> Self {
        Self {
            map: |_| Homography::shift(Point::default()),
            light: |value, _, _| value,
            defocus: |_| 0.0,
            cover: |_, _| None,
            face: box_of_wall,
            noise: NOISE,
        }
    }
}

impl Trial {
    fn frame(&self, number: u32) -> Plane {
        let t = f64::from(number);
        let back = (self.map)(t).inverse().expect("no face is edge on");
        let (width, height) = (SIZE.width as usize, SIZE.height as usize);
        let colour = |at: Point| {
            let seen = (self.cover)(t, at).or_else(|| (self.face)(back.apply(at)));
            seen.unwrap_or_else(|| wall(Point::new(at.x + 0.4 * t, at.y), 99))
        };
        let mut values: Vec<f32> = (0..width * height)
            .map(|i| {
                let corner = Point::new((i % width) as f64, (i / width) as f64);
                let parts = [(0.25, 0.25), (0.75, 0.25), (0.25, 0.75), (0.75, 0.75)];
                (parts.iter().map(|(x, y)| colour(corner + Point::new(*x, *y))).sum::<f64>() / 4.0) as f32
            })
            .collect();
        Blur { sigma: (self.defocus)(t), along: Point::default() }.soften(&mut values, width);
        Plane::from_fn(SIZE, |col, row| {
            let (col, row) = (i64::from(col), i64::from(row));
            let i = row as usize * width + col as usize;
            let at = Point::new(col as f64, row as f64);
            let noise = self.noise * noise(col, row, u64::from(number));
            ((self.light)(f64::from(values[i]), at, t) + noise).round().clamp(0.0, 255.0) as u8
        })
    }

    fn film(&self) -> PlaneStack {
        PlaneStack::new((0..FRAMES).map(|number| self.frame(number)).collect()).expect("frames of one size")
    }

    fn solve(&self, name: &str, area: &AreaTask) -> AreaSolution {
        let mut film = self.film();
        write_for_others(name, self, &film);
        let part = FrameRange { first: Frame(0), last: Frame(FRAMES - 1) };
        let scene = film.scene();
        match solve_area(&mut film, Film { scene: &scene, part }, area, &mut ()).expect("it is in memory") {
            AreaEnd::Solved(solution) => solution,
            other => panic!("there is something to follow: {other:?}"),
        }
    }

    /// Distances of the corners from the truth, over all frames on which it is found: the worst, and of all the root of
    /// the mean square; with the number of frames.
    fn errors(&self, solution: &AreaSolution) -> (f64, f64, usize) {
        let found = solution.places.iter().filter(|(_, place)| place.state == SampleState::Found);
        let mut all = Vec::new();
        for (frame, place) in found.clone() {
            let truth = (self.map)(f64::from(frame.0));
            all.extend(FACE.map(|corner| place.sample(corner).at.distance(truth.apply(corner))));
        }
        let worst = all.iter().copied().fold(0.0, f64::max);
        (worst, (all.iter().map(|off| off * off).sum::<f64>() / all.len().max(1) as f64).sqrt(), found.count())
    }
}

/// Where `JAMPIN_AREA_TRIALS` names a folder: the frames there as bytes, and the truth, for `areas_opencv.py`.
#[expect(clippy::disallowed_methods, reason = "other programs read files")]
fn write_for_others(name: &str, trial: &Trial, film: &PlaneStack) {
    let Ok(folder) = std::env::var("JAMPIN_AREA_TRIALS") else { return };
    let bytes: Vec<u8> = film.planes().iter().flat_map(|plane| plane.data().iter().copied()).collect();
    let maps: Vec<_> = (0..FRAMES).map(|frame| *(trial.map)(f64::from(frame)).rows()).collect();
    let face = FACE.map(|corner| [corner.x, corner.y]);
    let truth = serde_json::json!({ "size": [SIZE.width, SIZE.height], "face": face, "maps": maps });
    std::fs::write(format!("{folder}/{name}.gray"), bytes).unwrap();
    std::fs::write(format!("{folder}/{name}.json"), truth.to_string()).unwrap();
}

fn area() -> AreaTask {
    AreaTask::new(Frame(0), Outline(FACE.to_vec()))
}

/// About the middle of the face: turned in depth about an axis of the picture by an angle, seen from so many pixels.
fn turned(angle: f64, axis: Point) -> Homography {
    let (sin, cos) = angle.sin_cos();
    let (x, y) = (axis.x, axis.y);
    let distance = 700.0;
    // Across the axis it is foreshortened, and what comes nearer is larger.
    let rows = [
        [x * x + cos * y * y, x * y - cos * x * y, 0.0],
        [x * y - cos * x * y, y * y + cos * x * x, 0.0],
        [-sin * y / distance, sin * x / distance, 1.0],
    ];
    Homography::shift(MIDDLE).after(&Homography::new(rows)).after(&Homography::shift(Point::default() - MIDDLE))
}

fn told(name: &str, trial: &Trial, area: &AreaTask) -> (f64, f64, usize) {
    let solution = trial.solve(name, area);
    let (worst, root, found) = trial.errors(&solution);
    if std::env::var("AREA_VERBOSE").is_ok() {
        for (frame, place) in &solution.places {
            let truth = (trial.map)(f64::from(frame.0));
            let off = FACE.map(|corner| place.sample(corner).at.distance(truth.apply(corner)));
            println!("  {frame} {:?} match {:.3} seen {:.2} off {off:.2?}", place.state, place.matched, place.seen);
        }
    }
    println!("{name}: worst {worst:.3}, rms {root:.3}, found {found}, {:?}", solution.motion);
    (worst, root, found)
}

const WAVE: f64 = 2.0 * PI / FRAMES as f64;

#[test]
fn a_wall_that_turns_by_45_degrees_is_held() {
    let trial = Trial {
        map: |t| {
            Homography::shift(Point::new(12.0 * (WAVE * t).sin(), 5.0 * (2.0 * WAVE * t).sin()))
                .after(&turned(PI / 4.0 * (WAVE * t / 2.0).sin(), Point::new(0.6, 0.8)))
        },
        ..Trial::default()
    };
    let (worst, _, found) = told("turning", &trial, &area());
    assert_eq!(found, 47);
    assert!(worst < 0.5, "{worst}");
}

#[test]
fn half_outside_of_the_picture_it_is_held() {
    let trial =
        Trial { map: |t| Homography::shift(Point::new(-240.0 * (WAVE * t / 2.0).sin(), 0.0)), ..Trial::default() };
    let (worst, _, found) = told("half outside", &trial, &area());
    assert_eq!(found, 47);
    assert!(worst < 0.5, "{worst}");
}

#[test]
fn a_black_border_neither_holds_it_nor_is_a_part_of_it() {
    let trial = Trial {
        map: |t| Homography::shift(Point::new(-5.0 * t, 0.0)),
        cover: |_, at| (at.x < 136.0).then_some(6.0),
        ..Trial::default()
    };
    let over_the_border = FACE.map(|corner| if corner.x < MIDDLE.x { Point::new(110.0, corner.y) } else { corner });
    let task = AreaTask::new(Frame(0), Outline(over_the_border.into()));
    let solution = trial.solve("black border", &task);
    let (worst, _, found) = trial.errors(&solution);
    assert!(worst < 0.5 && found > 24, "{worst} on {found}");
    let leaves = solution.places.values().skip(1).find(|place| place.state != SampleState::Found).unwrap();
    let last = solution.places.last_key_value().unwrap().1;
    assert_eq!((leaves.state, last.state), (SampleState::Outside, SampleState::Outside));
}

#[test]
fn out_of_focus_it_is_held() {
    let trial = Trial {
        map: |t| Homography::shift(Point::new(0.9 * t, 8.0 * (WAVE * t).sin())),
        defocus: |t| 6.0 * (WAVE * t / 2.0).sin(),
        ..Trial::default()
    };
    let (worst, _, found) = told("defocus", &trial, &area());
    assert_eq!(found, 47);
    assert!(worst < 1.0, "{worst}");
}

#[test]
fn who_walks_past_does_not_carry_it_away() {
    let trial = Trial {
        map: |t| {
            Homography::shift(Point::new(0.7 * t, 0.0)).after(&turned(0.2 * (WAVE * t).sin(), Point::new(0.0, 1.0)))
        },
        cover: |t, at| {
            let left = 60.0 + 7.0 * t;
            (at.x > left && at.x < left + 60.0 && at.y > 60.0).then(|| wall(Point::new(at.x - left, at.y), 55) * 0.6)
        },
        ..Trial::default()
    };
    let (worst, _, found) = told("walker", &trial, &area());
    assert_eq!(found, 47);
    assert!(worst < 0.5, "{worst}");
}

#[test]
fn light_that_changes_does_not_move_it() {
    let trial = Trial {
        map: |t| Homography::shift(Point::new(0.8 * t, 4.0 * (WAVE * t).sin())),
        light: |value, at, t| {
            let gain = (1.0 + 0.4 * (WAVE * t).sin()) * if (t as u32).is_multiple_of(2) { 1.04 } else { 0.96 };
            gain * (value - 128.0) + 128.0 + 12.0 * (WAVE * t).sin() + 0.06 * (at.x - 240.0) * (WAVE * t).sin()
        },
        ..Trial::default()
    };
    let (worst, _, found) = told("light", &trial, &area());
    assert_eq!(found, 47);
    assert!(worst < 0.5, "{worst}");
}

#[test]
fn it_is_held_while_it_grows_by_three() {
    let trial = Trial {
        map: |t| {
            let scale = 3f64.powf(t / f64::from(FRAMES - 1)) * 0.9;
            let grown = Homography::new([[scale, 0.0, 0.0], [0.0, scale, 0.0], [0.0, 0.0, 1.0]]);
            let first = Homography::new([[1.0 / 0.9, 0.0, 0.0], [0.0, 1.0 / 0.9, 0.0], [0.0, 0.0, 1.0]]);
            Homography::shift(MIDDLE).after(&grown).after(&first).after(&Homography::shift(Point::default() - MIDDLE))
        },
        ..Trial::default()
    };
    let (worst, _, found) = told("growth", &trial, &area());
    assert_eq!(found, 47);
    assert!(worst < 1.0, "{worst}");
}

#[test]
fn a_plain_ball_is_held_by_its_edge() {
    let trial = Trial {
        map: |t| Homography::shift(Point::new(90.0 * (WAVE * t).sin(), 40.0 * (2.0 * WAVE * t).sin())),
        face: |at| (at.distance(MIDDLE) < 32.0).then_some(205.0),
        ..Trial::default()
    };
    let round = (0..16).map(|i| f64::from(i) * PI / 8.0);
    let ball = AreaTask {
        outline: Outline(round.map(|a| MIDDLE + Point::new(33.0 * a.cos(), 33.0 * a.sin())).collect()),
        ..area()
    };
    let solution = trial.solve("ball", &ball);
    let off = solution
        .places
        .iter()
        .filter(|(_, place)| place.state == SampleState::Found)
        .map(|(frame, place)| place.sample(MIDDLE).at.distance((trial.map)(f64::from(frame.0)).apply(MIDDLE)));
    let (count, worst) = off.fold((0, 0f64), |(count, worst), off| (count + 1, worst.max(off)));
    println!("ball: worst {worst:.3}, found {count}, {:?}", solution.motion);
    assert_eq!(count, 47);
    assert!(worst < 1.0, "{worst}");
}

#[test]
fn hidden_it_is_said_to_be_and_found_again_also_where_it_was_not_looked_for() {
    let trial = Trial {
        map: |t| Homography::shift(Point::new(1.2 * t, 0.0)),
        cover: |t, at| (8.0..39.0).contains(&t).then(|| wall(at, 31)),
        ..Trial::default()
    };
    let solution = trial.solve("hidden", &area());
    for (frame, place) in &solution.places {
        let wanted = (8..39).contains(&frame.0);
        assert_eq!(place.state == SampleState::Hidden, wanted, "frame {frame}: {:?}", place.state);
    }
    let (worst, ..) = trial.errors(&solution);
    assert!(worst < 0.5, "{worst}");
}

#[test]
fn what_is_left_out_does_not_hold_it_back_and_it_goes_through_its_guides() {
    // A board that stands still in the picture lies over a third of the face, from the first frame on.
    let board = [(200.0, 80.0), (260.0, 80.0), (260.0, 240.0), (200.0, 240.0)].map(|(x, y)| Point::new(x, y));
    let trial = Trial {
        map: |t| Homography::shift(Point::new(10.0 * (WAVE * t).sin(), 6.0 * (2.0 * WAVE * t).sin())),
        cover: |_, at| {
            (at.x > 200.0 && at.x < 260.0 && at.y > 80.0 && at.y < 240.0).then(|| wall(Point::new(at.x, at.y), 77))
        },
        ..Trial::default()
    };
    let keep_outs = vec![KeepOutTrack::Still(Outline(board.to_vec()))];
    let guide = Homography::shift(Point::new(0.4, -0.3)).after(&(trial.map)(20.0));
    let guides = [(Frame(20), guide)].into();
    let solution = trial.solve("left out", &AreaTask { keep_outs, guides, ..area() });
    let set = &solution.places[&Frame(20)];
    assert_eq!((set.state, set.map), (SampleState::Guide, guide), "what a person has set is right");
    let (worst, _, found) = trial.errors(&solution);
    println!("left out: worst {worst:.3}, found {found}");
    // The guide is half a pixel off, and so is what is compared with it.
    assert!(worst < 0.6, "{worst}");
    assert_eq!(found, 46);
}

#[test]
fn only_the_way_between_guides_that_is_asked_for_is_gone_through() {
    let trial = Trial { map: |t| Homography::shift(Point::new(20.0 * (WAVE * t).sin(), 0.3 * t)), ..Trial::default() };
    let guides = [16, 32].map(|frame| (Frame(frame), (trial.map)(f64::from(frame)))).into();
    let whole = AreaTask { guides, motion: Some(MotionModel::Affine), ..area() };
    let only = Some(FrameRange { first: Frame(20), last: Frame(21) });
    let all = trial.solve("whole", &whole).places;
    let some = trial.solve("stretch", &AreaTask { only, ..whole }).places;
    let frames: Vec<u32> = some.keys().map(|frame| frame.0).collect();
    assert_eq!(frames, std::iter::once(0).chain(16..=32).collect::<Vec<u32>>());
    for (frame, place) in &some {
        assert_eq!((place.map, place.state), (all[frame].map, all[frame].state), "frame {frame}");
    }
}

#[test]
fn its_outline_can_be_moved_to_another_part_of_the_face_without_a_step() {
    let trial = Trial {
        map: |t| {
            Homography::shift(Point::new(20.0 * (WAVE * t).sin(), 0.0))
                .after(&turned(0.4 * (WAVE * t).sin(), Point::new(0.2, 0.98)))
        },
        ..Trial::default()
    };
    let half = |left: f64| {
        let corners = [(left, 100.0), (left + 90.0, 100.0), (left + 90.0, 220.0), (left, 220.0)];
        Outline(corners.map(|(x, y)| Point::new(x, y)).into())
    };
    let moved = [(Frame(20), half(240.0).seen_through(&(trial.map)(20.0)))].into();
    let task = AreaTask { outline: half(150.0), moved, motion: Some(MotionModel::Perspective), ..area() };
    let solution = trial.solve("moved", &task);
    // Between the halves both know where it is.
    let off = |frame: u32| {
        let truth = (trial.map)(f64::from(frame));
        solution.places[&Frame(frame)].sample(MIDDLE).at - truth.apply(MIDDLE)
    };
    let worst = (0..FRAMES).map(|frame| off(frame).length()).fold(0.0, f64::max);
    println!("moved: worst {worst:.3}, step {:.3}", (off(21) - off(20)).length());
    assert!(solution.places.values().all(|place| place.state.is_present()));
    assert!((off(21) - off(20)).length() < 0.1 && worst < 0.2, "{worst}");
}

#[test]
fn where_a_person_says_that_it_is_hidden_it_is() {
    let trial = Trial { map: |t| Homography::shift(Point::new(0.5 * t, 0.0)), ..Trial::default() };
    let hidden = FrameRange { first: Frame(10), last: Frame(14) };
    let solution = trial.solve("said hidden", &AreaTask { hidden: vec![hidden], ..area() });
    for (frame, place) in solution.places.iter().filter(|(frame, _)| **frame > Frame(0)) {
        let wanted = if hidden.contains(*frame) { SampleState::Hidden } else { SampleState::Found };
        assert_eq!(place.state, wanted, "{frame}");
    }
}

#[test]
fn whoever_watches_can_stop_it() {
    struct Impatient(usize);
    impl AreaWatch for Impatient {
        fn placed(&mut self, _: Frame, _: &Place) -> ControlFlow<()> {
            self.0 += 1;
            if self.0 == 5 { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
        }

        fn located(&mut self) -> ControlFlow<()> {
            ControlFlow::Continue(())
        }
    }
    let mut watch = Impatient(0);
    let part = FrameRange { first: Frame(0), last: Frame(FRAMES - 1) };
    let mut film = Trial::default().film();
    let scene = film.scene();
    let end = solve_area(&mut film, Film { scene: &scene, part }, &area(), &mut watch).unwrap();
    assert!(matches!(end, AreaEnd::Stopped) && watch.0 == 5);
}

#[test]
fn a_guide_that_is_larger_than_any_picture_is_gone_through_and_not_looked_at() {
    let trial = Trial { map: |t| Homography::shift(Point::new(0.5 * t, 0.0)), ..Trial::default() };
    let huge = Homography::new([[400.0, 0.0, 0.0], [0.0, 400.0, 0.0], [0.0, 0.0, 1.0]]);
    let solution = trial.solve("huge guide", &AreaTask { guides: [(Frame(20), huge)].into(), ..area() });
    assert_eq!(solution.places[&Frame(20)].map, huge);
    assert_eq!(solution.places[&Frame(10)].state, SampleState::Found, "the first picture does");
}

#[test]
fn a_face_that_has_leapt_by_less_than_it_is_large_is_found_again_and_nothing_else_meanwhile() {
    let leapt = |t: f64| Homography::shift(Point::new(if t < 20.0 { 0.0 } else { 120.0 }, 0.0));
    let (worst, _, found) = told("a leap", &Trial { map: leapt, ..Trial::default() }, &area());
    assert!((30..FRAMES as usize).contains(&found), "{found} found");
    assert!(worst < 0.5, "{worst}");
}

/// Where something that swings to and fro is.
fn swung(t: f64) -> Point {
    Point::new(60.0 * (0.2 * t).sin(), 25.0 * (0.3 * t).sin())
}

#[test]
fn while_most_of_it_shows_something_else_it_goes_roughly_with_the_thing_that_it_lies_on() {
    // Too little of the face is left to be recognised by; the thing under its middle is there all the time.
    let trial = Trial {
        map: |t| Homography::shift(swung(t)),
        cover: |t, at| {
            let from = at - swung(t) - MIDDLE;
            let is_covered = from.x.abs().max(from.y.abs()) > 30.0 && from.x.abs() < 90.0 && from.y.abs() < 60.0;
            ((16.0..32.0).contains(&t) && is_covered).then(|| wall(Point::new(at.x + 3.0 * t, at.y), 55))
        },
        ..Trial::default()
    };
    let solution = trial.solve("another picture", &area());
    for (frame, place) in solution.places.iter().skip(1) {
        let sample = place.sample(MIDDLE);
        let off = sample.at.distance(MIDDLE + swung(f64::from(frame.0)));
        let (grasp, most) = if (16..32).contains(&frame.0) { (Grasp::Rough, 4.0) } else { (Grasp::Exact, 0.3) };
        assert_eq!((sample.state, sample.grasp), (SampleState::Found, grasp), "frame {frame}");
        assert!(off < most, "frame {frame}: {off}");
    }
}

#[test]
fn a_plane_that_tilts_keeps_its_tilt_however_badly_it_is_seen() {
    let trial = Trial {
        map: |t| turned(0.6 * (WAVE * t).sin(), Point::new(0.2, 0.98)),
        noise: 10.0 * NOISE,
        ..Trial::default()
    };
    let small = [(210.0, 140.0), (270.0, 140.0), (270.0, 180.0), (210.0, 180.0)].map(|(x, y)| Point::new(x, y));
    let solution = trial.solve("tilting", &AreaTask::new(Frame(0), Outline(small.into())));
    let found = solution.places.iter().filter(|(_, place)| place.state == SampleState::Found);
    let off = |(frame, place): (&Frame, &Place)| {
        let truth = (trial.map)(f64::from(frame.0));
        small.map(|corner| place.sample(corner).at.distance(truth.apply(corner)))
    };
    let mut off: Vec<f64> = found.flat_map(off).collect();
    assert_eq!(off.len(), 4 * 47);
    // Without its tilt it is 1.6 px off.
    let median = median(&mut off).unwrap();
    println!("tilting: median {median:.2}, {:?}", solution.motion);
    assert!(median < 1.0, "{median}");
}
