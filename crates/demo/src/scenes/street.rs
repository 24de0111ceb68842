//! Trial shots that are like film that somebody filmed: people who swing their limbs, come nearer, turn round and cross
//! one another in like clothes; cloth; a car that turns and reflects; light that jumps; a hand that shakes. With exact
//! motion, for measuring.

use jampin_core::geometry::Point;

use super::people::{BADGE, Dress, Kind, PHASES, STAR, STRIDE, person};
use super::trials::{self, wall};
use crate::camera::{Layer, Pose, Shot, TruePoint};
use crate::canvas::Canvas;
use crate::noise::layered;
use crate::texture::Texture;

/// A coat of no colour, as many wear.
const PLAIN: Dress = Dress {
    coat: 0x4a4742,
    coat_shade: 0x35322e,
    trousers: 0x33312f,
    shoes: 0x221d19,
    skin: 0xc99a78,
    hair: 0x4a3426,
    kind: Kind::Guard,
};

/// Somebody's way: where the feet are and how large they are, by time in frames.
#[derive(Clone, Copy)]
struct Way {
    feet: fn(f64) -> Point,
    scale: fn(f64) -> f64,
    /// When they turn round.
    turns: f64,
}

impl Way {
    fn hips(self, t: f64) -> Pose {
        let (feet, scale) = ((self.feet)(t), (self.scale)(t));
        let bob = 4.0 * (self.steps(t) * 2.0 * std::f64::consts::TAU).cos();
        // Shoulders sway against the step.
        let turn = 0.035 * (self.steps(t) * std::f64::consts::TAU).sin();
        Pose { turn, ..Pose::facing(feet + Point::new(0.0, (bob - 142.0) * scale), scale) }
    }

    /// Whole steps of both legs so far; who comes straight at the camera steps by growing.
    fn steps(self, t: f64) -> f64 {
        (self.feet)(t).x.abs() / (STRIDE * (self.scale)(t)) + 0.03 * t
    }

    fn phase(self, t: f64) -> usize {
        (self.steps(t).rem_euclid(1.0) * PHASES as f64) as usize % PHASES
    }
}

fn walker(names: [&'static str; 2], dress: Dress, way: Way) -> [Layer; 2] {
    person(names, dress, way.turns, move |t| way.hips(t), move |t| way.phase(t))
}

fn base(name: &'static str, frames: u32, layers: Vec<Layer>, points: Vec<TruePoint>) -> Shot {
    Shot { grain: 3.0, layers, points, ..trials::base(name, frames) }
}

fn point(name: &'static str, layer: &'static str, at: Point, hidden_by: &[&'static str]) -> TruePoint {
    TruePoint { name, layer, at, hidden_by: hidden_by.to_vec() }
}

fn background(at: fn(f64) -> Point) -> Layer {
    let (width, height) = (1500, 700);
    let anchor = Point::new(f64::from(width) / 2.0, f64::from(height) / 2.0);
    Layer { anchor, ..Layer::still("wall", wall(width, height, 1.0), move |t| Pose::facing(at(t), 1.0)) }
}

fn still(_: f64) -> Point {
    Point::new(320.0, 180.0)
}

/// A hand-held camera, in pixels.
fn shake(t: f64) -> Point {
    let tremor = |a: f64, b: f64, c: f64| (t * a).sin() + 0.6 * (t * b + 1.3).sin() + 0.35 * (t * c + 0.4).sin();
    Point::new(tremor(0.21, 0.83, 1.97), tremor(0.17, 0.71, 2.21)) * 5.0
}

/// A head of 9 pixels becomes one of 55.
fn comes_nearer() -> Shot {
    let way = Way {
        feet: |t| Point::new(200.0 + 0.9 * t, 230.0 + 1.55 * t + 0.0045 * t * t),
        scale: |t| 0.25 * (0.0122 * t).exp(),
        turns: f64::INFINITY,
    };
    let layers = [background(still)].into_iter().chain(walker(["walker", "legs"], PLAIN, way)).collect();
    base("walker comes nearer", 150, layers, vec![point("cap", "walker", BADGE, &[])])
}

fn crossing(name: &'static str, frames: u32, rate: u32, quick: [Way; 2]) -> Shot {
    let [far, near] = quick;
    let people = walker(["far", "far legs"], PLAIN, far).into_iter().chain(walker(["near", "near legs"], PLAIN, near));
    let layers = [background(still)].into_iter().chain(people).collect();
    let points = vec![point("far cap", "far", BADGE, &["near", "near legs"]), point("near cap", "near", BADGE, &[])];
    Shot { rate, ..base(name, frames, layers, points) }
}

/// Two in the same clothes go past one another.
fn crosses() -> Shot {
    let far = Way { feet: |t| Point::new(120.0 + 2.6 * t, 322.0), scale: |_| 0.62, turns: f64::INFINITY };
    let near = Way { feet: |t| Point::new(560.0 - 3.1 * t, 340.0), scale: |_| 0.72, turns: 0.0 };
    crossing("crossing in like clothes", 150, 25, [far, near])
}

/// The same at ten frames a second.
fn crosses_slowly_sampled() -> Shot {
    let far = Way { feet: |t| Point::new(120.0 + 6.5 * t, 322.0), scale: |_| 0.62, turns: f64::INFINITY };
    let near = Way { feet: |t| Point::new(560.0 - 7.7 * t, 340.0), scale: |_| 0.72, turns: 0.0 };
    crossing("ten frames a second", 60, 10, [far, near])
}

fn turns_round() -> Shot {
    let feet = |t: f64| Point::new(if t < 70.0 { 180.0 + 2.8 * t } else { 376.0 - 2.8 * (t - 70.0) }, 330.0);
    let way = Way { feet, scale: |_| 0.75, turns: 70.0 };
    let dress = Dress { kind: Kind::Child, ..PLAIN };
    let layers = [background(still)].into_iter().chain(walker(["walker", "legs"], dress, way)).collect();
    base("turns round", 140, layers, vec![point("star", "walker", STAR, &[])])
}

/// 1 pixel a frame, then 27 at once, then 1 again.
fn sudden_pan() -> Shot {
    fn at(t: f64) -> Point {
        let fast = (t - 45.0).clamp(0.0, 14.0);
        Point::new(560.0 - t - 26.0 * fast, 180.0)
    }
    base("sudden pan", 120, vec![background(at)], vec![point("sign", "wall", Point::new(720.0, 338.0), &[])])
}

/// Light that ramps by 40 %, flickers by 8 % and flashes twice.
fn flashes() -> Shot {
    fn at(t: f64) -> Point {
        Point::new(250.0 + 0.9 * t, 180.0 + 8.0 * (t * 0.05).sin())
    }
    let light = |t: f64| {
        let flash = if (60.0..62.0).contains(&t) || (110.0..111.0).contains(&t) { 4.0 } else { 1.0 };
        (1.0 - 0.4 * (t / 150.0)) * (1.0 + 0.08 * (t * 2.6).sin()) * flash
    };
    let points = [("sign", (720.0, 338.0)), ("plate", (842.0, 388.0))];
    let points = points.map(|(name, (x, y))| point(name, "wall", Point::new(x, y), &[])).to_vec();
    Shot { light, ..base("flash and ramp", 150, vec![background(at)], points) }
}

/// A hand that shakes, a sensor that is read row by row, and a fence that goes by before the wall.
fn shaken() -> Shot {
    fn at(t: f64) -> Point {
        Point::new(320.0 + 0.4 * t, 180.0) + shake(t)
    }
    let mut c = Canvas::new(2200, 420);
    (0..28).for_each(|i| c.rect(0x3d3a33, i as f32 * 79.0, 0.0, 15.0, 420.0));
    let pickets = Texture::from_drawing(&c.pixels, |x, y| 0.8 + 0.4 * layered(x / 5.0, y / 12.0, 3, 2));
    let fence =
        Layer::still("fence", pickets, |t| Pose::facing(Point::new(-900.0 + 5.2 * t, -30.0) + shake(t) * 1.3, 1.0));
    let points = vec![point("sign", "wall", Point::new(720.0, 338.0), &["fence"])];
    Shot { readout: 0.6, ..base("shaken, row by row, behind a fence", 150, vec![background(at), fence], points) }
}

/// Strips of cloth, each a little later in the wave.
const STRIPS: usize = 60;

fn banner() -> Shot {
    let mut c = Canvas::new(240, 130);
    c.graded(0x8f2f22, 0xb9472f, 0.0, 0.0, 240.0, 130.0);
    c.cog(0xe9dfc4, 120.0, 64.0, 40.0);
    c.circle(0x8f2f22, 120.0, 64.0, 16.0);
    (0..5).for_each(|i| c.rect(0xe9dfc4, 8.0, 10.0 + i as f32 * 24.0, 34.0, 7.0));
    let cloth = Texture::from_drawing(&c.pixels, |x, y| 0.85 + 0.25 * layered(x / 4.0, y / 4.0, 3, 7));
    let width = 240.0 / STRIPS as f64;
    let strip = |i: usize| {
        let from = i as f64 * width;
        let part = cloth.part(from as usize, width as usize + 2);
        // Further from the pole it swings wider, and the slope of the wave in depth brings it nearer to the pole.
        let pose = move |t: f64| {
            let wave = |x: f64| 0.04 * x * (0.045 * x - 0.27 * t).sin();
            let nearer = 0.03 * from * (1.0 + (0.03 * from - 0.27 * t).cos());
            Pose::facing(Point::new(210.0 + from - nearer, 110.0 + wave(from)), 1.0)
        };
        Layer::still(if i == STRIPS / 2 { "middle of the cloth" } else { "cloth" }, part, pose)
    };
    let layers = [background(still)].into_iter().chain((0..STRIPS).map(strip)).collect();
    base("cloth", 150, layers, vec![point("middle", "middle of the cloth", Point::new(2.0, 64.0), &[])])
}

/// The side of a car that turns away, with a light that slides over it.
fn car() -> Shot {
    let mut c = Canvas::new(360, 150);
    c.graded(0x2f4f63, 0x1d3341, 0.0, 30.0, 360.0, 90.0);
    c.poly(0x2f4f63, &[(80.0, 34.0), (120.0, 2.0), (250.0, 2.0), (300.0, 34.0)]);
    c.poly(0x9fb6c0, &[(98.0, 32.0), (126.0, 9.0), (182.0, 9.0), (182.0, 32.0)]);
    c.poly(0x9fb6c0, &[(192.0, 32.0), (192.0, 9.0), (246.0, 9.0), (278.0, 32.0)]);
    for x in [80.0, 280.0] {
        c.circle(0x1b1b1b, x, 118.0, 30.0);
        c.cog(0xb9bec2, x, 118.0, 17.0);
    }
    c.rect(0xe8dcc0, 166.0, 62.0, 40.0, 20.0);
    (0..3).for_each(|i| c.rect(0x8c2f23, 172.0 + i as f32 * 11.0, 66.0, 6.0, 12.0));
    let side = Texture::from_drawing(&c.pixels, |x, y| 0.9 + 0.15 * layered(x / 5.0, y / 5.0, 3, 3));
    let pose = |t: f64| Pose {
        tilt: Point::new(0.0016 * (t / 120.0 * std::f64::consts::PI).sin(), 0.0),
        ..Pose::facing(Point::new(170.0 + 2.1 * t, 210.0 + 0.15 * t), 0.85)
    };
    let gleam = Texture::from_fn(90, 90, |x, _| {
        let across = (x - 45.0) / 16.0;
        ([0.35 * (-across * across).exp(); 3], 1.0)
    });
    let shine = move |t: f64| {
        let car = pose(t);
        Pose::facing(car.place(Point::new(130.0 - 2.4 * t, -44.0)), 0.85)
    };
    let layers = vec![
        background(still),
        Layer { anchor: Point::new(180.0, 75.0), ..Layer::still("car", side, pose) },
        Layer { adds: true, ..Layer::still("gleam", gleam, shine) },
    ];
    base("car that turns, with reflections", 120, layers, vec![point("badge", "car", Point::new(186.0, 72.0), &[])])
}

/// All trial shots that are like film.
pub fn film_trials() -> Vec<Shot> {
    let coded = Shot { name: "MPEG-4 at a low rate", ..crosses() };
    vec![
        comes_nearer(),
        crosses(),
        crosses_slowly_sampled(),
        turns_round(),
        sudden_pan(),
        flashes(),
        shaken(),
        banner(),
        car(),
        coded,
    ]
}
