//! Cloth on made shots whose motion is known exactly.

use std::collections::BTreeMap;
use std::f64::consts::PI;
use std::ops::ControlFlow;

use super::chain::Chain;
use super::part::Part;
use super::surface::Surface;
use super::*;
use crate::area::made::{noise, wall};
use crate::area::{AreaTask, Face, Outline, Subject};
use crate::geometry::{Point, Size};
use crate::image::{Blur, Plane, PlaneStack};
use crate::locate::Film;
use crate::time::{Frame, FrameRange};
use crate::track::{Grasp, Sample, SampleState};

const SIZE: Size = Size::new(400, 280);
const FRAMES: u32 = 40;
/// The cloth on frame 0.
const CLOTH: [Point; 4] =
    [Point::new(110.0, 80.0), Point::new(290.0, 80.0), Point::new(290.0, 200.0), Point::new(110.0, 200.0)];
/// The cloth reaches so much further than what is outlined, in pixels.
const HEM: f64 = 24.0;
/// Standard deviation of the noise, in grey levels.
const NOISE: f64 = 2.0;

/// A shot of cloth that waves before a background.
struct Trial {
    /// How far all of it has gone since frame 0.
    gone: fn(f64) -> Point,
    /// How far the wind pushes it, in pixels.
    wind: f64,
    /// How much brighter and darker folds are.
    shade: f64,
    /// Standard deviation of the defocus on a frame.
    defocus: fn(f64) -> f64,
    /// What lies on top at a place of a frame.
    cover: fn(f64, Point) -> Option<f64>,
}

impl Default for Trial {
    fn default() -> Self {
        Self { gone: |_| Point::default(), wind: 5.0, shade: 0.15, defocus: |_| 0.0, cover: |_, _| None }
    }
}

impl Trial {
    /// How far a point of the cloth has gone since frame 0: waves that run along it, held on the left.
    fn moved(&self, at: Point, t: f64) -> Point {
        let hold = ((at.x - CLOTH[0].x + HEM) / 200.0).clamp(0.0, 1.2);
        let phase = |speed: f64, length: f64| speed * t - 2.0 * PI * at.x / length + 0.01 * at.y;
        let swing = |speed: f64, length: f64| phase(speed, length).sin() - (phase(speed, length) - speed * t).sin();
        let down = hold * (swing(0.31, 150.0) + 0.15 * swing(0.57, 110.0));
        let across = hold * 0.5 * swing(0.31, 150.0) - hold * 0.25 * (1.0 - (0.2 * t).cos());
        Point::new(self.wind * across, self.wind * down)
    }

    fn shown(&self, at: Point, t: f64) -> Point {
        at + self.moved(at, t) + (self.gone)(t)
    }

    /// The place of the cloth that is seen at a place of the picture: by going back, again and again.
    fn origin(&self, seen: Point, t: f64) -> Point {
        let seen = seen - (self.gone)(t);
        let mut at = seen;
        for _ in 0..12 {
            let before = at;
            at = seen - self.moved(before, t);
            if at.distance(before) < 1e-4 {
                break;
            }
        }
        at
    }

    fn colour(&self, seen: Point, t: f64) -> f64 {
        if let Some(cover) = (self.cover)(t, seen) {
            return cover;
        }
        let at = self.origin(seen, t);
        let [a, _, c, _] = CLOTH;
        let is_cloth = at.x > a.x - HEM && at.x < c.x + HEM && at.y > a.y - HEM && at.y < c.y + HEM;
        if !is_cloth {
            return wall(Point::new(seen.x + 0.7 * t, seen.y), 99);
        }
        let fold = (0.31 * t - 2.0 * PI * at.x / 150.0).cos() - (2.0 * PI * at.x / 150.0).cos();
        wall(at, 7) * (1.0 + self.shade * fold)
    }

    fn frame(&self, number: u32) -> Plane {
        let t = f64::from(number);
        let (width, height) = (SIZE.width as usize, SIZE.height as usize);
        let mut values: Vec<f32> = (0..width * height)
            .map(|i| {
                let corner = Point::new((i % width) as f64, (i / width) as f64);
                let parts = [(0.25, 0.25), (0.75, 0.25), (0.25, 0.75), (0.75, 0.75)];
                (parts.iter().map(|(x, y)| self.colour(corner + Point::new(*x, *y), t)).sum::<f64>() / 4.0) as f32
            })
            .collect();
        Blur { sigma: (self.defocus)(t), along: Point::default() }.soften(&mut values, width);
        Plane::from_fn(SIZE, |col, row| {
            let (col, row) = (i64::from(col), i64::from(row));
            let value = f64::from(values[row as usize * width + col as usize]);
            (value + NOISE * noise(col, row, u64::from(number))).round().clamp(0.0, 255.0) as u8
        })
    }

    fn film(&self) -> PlaneStack {
        PlaneStack::new((0..FRAMES).map(|number| self.frame(number)).collect()).expect("frames of one size")
    }

    fn solve(&self, spacing: f64) -> (Net, BTreeMap<Frame, Vec<Sample>>) {
        let task = MeshTask { area: AreaTask::new(Frame(0), Outline(CLOTH.to_vec())), spacing };
        let part = FrameRange { first: Frame(0), last: Frame(FRAMES - 1) };
        let mut film = self.film();
        let scene = film.scene();
        match solve_mesh(&mut film, Film { scene: &scene, part }, &task, &mut ()).expect("it is in memory") {
            MeshEnd::Solved(net, frames) => (net, frames),
            other => panic!("there is something to follow: {other:?}"),
        }
    }

    /// Distances from the truth over all found knots that lie on what is outlined: the worst, the root of the mean
    /// square, and the share of those knots that are found.
    fn errors(&self, name: &str, spacing: f64) -> (f64, f64, f64) {
        let outline = Outline(CLOTH.to_vec());
        let (net, frames) = self.solve(spacing);
        let (mut worst, mut squares, mut count, mut all) = (0f64, 0.0, 0.0, 0.0);
        for (frame, knots) in frames.iter().filter(|(frame, _)| **frame > Frame(0)) {
            let mut worst_here = 0f64;
            for (rest, sample) in net.knots.iter().zip(knots).filter(|(rest, _)| outline.contains(**rest)) {
                all += 1.0;
                if sample.state != SampleState::Found {
                    continue;
                }
                let off = sample.at.distance(self.shown(*rest, f64::from(frame.0)));
                worst_here = worst_here.max(off);
                (squares, count) = (squares + off * off, count + 1.0);
            }
            worst = worst.max(worst_here);
            if std::env::var("MESH_VERBOSE").is_ok() {
                println!("  {frame} match {:.3} worst {worst_here:.2}", knots[net.knots.len() / 2].matched);
            }
        }
        let root = (squares / f64::max(count, 1.0)).sqrt();
        println!("{name}: {} knots, worst {worst:.3}, rms {root:.3}, found {:.3}", net.knots.len(), count / all);
        (worst, root, count / all)
    }
}

#[test]
fn cloth_in_the_wind_is_held_knot_by_knot() {
    let (worst, root, found) = Trial::default().errors("wind", 16.0);
    assert!(worst < 1.2 && root < 0.3 && found > 0.9, "{worst} {root} {found}");
}

#[test]
fn out_of_focus_it_is_held() {
    let trial = Trial { defocus: |t| 4.0 * (PI * t / f64::from(FRAMES)).sin(), ..Trial::default() };
    let (worst, root, found) = trial.errors("defocus", 16.0);
    assert!(worst < 3.0 && root < 0.8 && found > 0.9, "{worst} {root} {found}");
}

#[test]
fn what_passes_in_front_does_not_carry_it_away() {
    let trial = Trial {
        cover: |t, at| {
            let left = 20.0 + 8.0 * t;
            (at.x > left && at.x < left + 50.0).then(|| wall(Point::new(at.x - left, at.y), 55) * 0.6)
        },
        ..Trial::default()
    };
    let (worst, root, found) = trial.errors("passing", 16.0);
    assert!(worst < 4.0 && root < 0.6 && found > 0.6, "{worst} {root} {found}");
}

#[test]
fn hidden_for_long_it_is_found_again_also_on_a_frame_on_which_it_was_not_looked_for() {
    let covered = 3..32;
    let trial = Trial { wind: 1.0, cover: |t, at| (3.0..32.0).contains(&t).then(|| wall(at, 31)), ..Trial::default() };
    let (_, frames) = trial.solve(40.0);
    let is_seen = |frame: &u32| {
        let knots = &frames[&Frame(*frame)];
        knots.iter().filter(|knot| knot.state.is_present()).count() * 2 > knots.len()
    };
    assert_eq!((1..FRAMES).filter(|frame| !is_seen(frame)).collect::<Vec<u32>>(), covered.collect::<Vec<u32>>());
}

#[test]
fn a_net_lies_over_all_of_an_outline_and_knows_every_place_of_it() {
    for (spacing, shape) in [(24.0, &CLOTH[..]), (9.0, &CLOTH[..3])] {
        let outline = Outline(shape.to_vec());
        let net = Net::over(&outline, spacing);
        assert_eq!(net, Net::over(&outline, spacing));
        assert!(net.knots.len() <= MOST_KNOTS);
        for at in (0..60).map(|i| Point::new(112.0 + 2.9 * f64::from(i), 81.0 + 1.9 * f64::from(i))) {
            if outline.contains(at) {
                let spot = net.spot(&net.knots, at).unwrap();
                assert!(net.place(&net.knots, spot).distance(at) < 1e-9);
                assert!(spot.shares.iter().all(|share| *share > -1e-6), "{at:?} {spot:?}");
            }
        }
    }
    let fine = Net::over(&Outline(CLOTH.to_vec()), 1.0);
    assert!(fine.knots.len() > MOST_KNOTS / 2 && fine.knots.len() <= MOST_KNOTS, "{}", fine.knots.len());
}

#[test]
fn whoever_watches_can_stop_it_and_bare_cloth_is_refused() {
    struct Impatient(usize);
    impl MeshWatch for Impatient {
        fn placed(&mut self, _: Frame, _: &[Sample]) -> ControlFlow<()> {
            self.0 += 1;
            if self.0 == 3 { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
        }
    }
    let task = |outline: &[Point]| MeshTask { area: AreaTask::new(Frame(0), Outline(outline.to_vec())), spacing: 24.0 };
    let part = FrameRange { first: Frame(0), last: Frame(5) };
    let mut watch = Impatient(0);
    let mut film = Trial::default().film();
    let scene = film.scene();
    let end = solve_mesh(&mut film, Film { scene: &scene, part }, &task(&CLOTH), &mut watch).unwrap();
    assert!(matches!(end, MeshEnd::Stopped) && watch.0 == 3);
    let mut bare = PlaneStack::new(vec![Plane::from_fn(SIZE, |_, _| 90); 6]).unwrap();
    let scene = bare.scene();
    let end = solve_mesh(&mut bare, Film { scene: &scene, part }, &task(&CLOTH), &mut ()).unwrap();
    assert!(matches!(end, MeshEnd::Flat));
}

#[test]
fn while_it_is_bare_it_goes_roughly_with_the_thing_that_it_is_on() {
    const MIDDLE: Point = Point::new(200.0, 140.0);
    fn swung(t: f64) -> Point {
        Point::new(40.0 * (0.2 * t).sin(), 15.0 * (0.3 * t).sin())
    }
    let trial = Trial {
        gone: swung,
        wind: 0.0,
        cover: |t, at| {
            let from = at - swung(t) - MIDDLE;
            let is_cloth = from.x.abs() < 114.0 && from.y.abs() < 84.0;
            ((12.0..26.0).contains(&t) && is_cloth).then_some(90.0)
        },
        ..Trial::default()
    };
    let mut film = trial.film();
    let task = AreaTask::new(Frame(0), Outline(CLOTH.to_vec()));
    let face = Face::pick(&mut film, Frame(0), &task.outline, &[]).unwrap().unwrap();
    let surface = Surface::new(Net::over(&task.outline, 20.0), face);
    let places: Vec<Point> = (0..FRAMES).map(|frame| MIDDLE + swung(f64::from(frame))).collect();
    let subject = Subject::made(&places, 33.0, MIDDLE);
    let mut chain = Chain::new(&surface, &task, &subject);
    let part = Part::of(&surface.net, MIDDLE, 33.0).unwrap();
    for frame in 1..FRAMES {
        let knots = chain.step(&mut film, Frame(frame)).unwrap();
        let at: Vec<Point> = knots.iter().map(|knot| knot.at).collect();
        let off = part.middle(&surface.net, &at).distance(places[frame as usize]);
        let (grasp, most) = if (12..26).contains(&frame) { (Grasp::Rough, 1e-6) } else { (Grasp::Exact, 0.3) };
        let mut found = knots.iter().filter(|knot| knot.state == SampleState::Found).peekable();
        assert!(found.peek().is_some() && found.all(|knot| knot.grasp == grasp), "frame {frame}");
        assert!(off < most, "frame {frame}: {off}");
    }
}
