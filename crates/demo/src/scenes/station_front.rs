//! *Station front*: hand-held, a slow arc past the gable of the station; a visitor walks through close to the camera.
//! In the gable is a blank field for a crest, before the house lies a paved square, at its edge stands a fire basket.

use jampin_core::geometry::Point;

use super::filmed;
use super::landscape::{air, ridge, sky};
use super::people::{Dress, Kind, PHASES, RUCKSACK, STRIDE, person};
use crate::camera::{Layer, Pose, Shot, TruePoint};
use crate::canvas::Canvas;
use crate::noise::{hash, layered, smooth};
use crate::texture::{Texture, mix, rgb};

const FRAMES: u32 = 150;
/// The front as painted, and its middle, about which everything turns.
const FRONT: (f32, f32) = (1300.0, 980.0);
const MIDDLE: Point = Point::new(650.0, 520.0);
/// Where the wall stands on the square.
const FOOT: f32 = 940.0;
/// The corners of the blank field, clockwise from the upper left.
const FIELD: [(&str, f32, f32); 4] =
    [("field 1", 500.0, 240.0), ("field 2", 800.0, 240.0), ("field 3", 800.0, 480.0), ("field 4", 500.0, 480.0)];
/// The square as painted: its far edge lies at the wall, squeezed as it is seen.
const SQUARE: (f32, f32) = (3000.0, 420.0);
/// The rim of the fire basket, on its own picture.
const FIRE: Point = Point::new(90.0, 60.0);

/// How far the arc has come, eased, from -1 to 1.
fn arc(t: f64) -> f64 {
    let s = (t / f64::from(FRAMES)).clamp(-0.1, 1.1);
    2.0 * s * s * (3.0 - 2.0 * s) - 1.0
}

/// An unsteady hand, in pixels.
fn hand(t: f64) -> Point {
    let sway = |fast: f64, phase: f64| (t * fast + phase).sin();
    Point::new(
        5.0 * sway(0.081, 0.0) + 1.6 * sway(0.27, 1.0) + 0.5 * sway(0.9, 0.4),
        4.0 * sway(0.063, 0.8) + 1.4 * sway(0.31, 0.0) + 0.5 * sway(0.77, 2.0),
    )
}

fn front(t: f64) -> Pose {
    let arc = arc(t);
    Pose {
        at: Point::new(630.0 - 50.0 * arc, 330.0) + hand(t),
        scale: 0.62 + 0.03 * arc,
        turn: 0.006 * (t * 0.05).sin(),
        tilt: Point::new(0.000_24 * arc, 0.000_05),
    }
}

/// The square is hinged to the foot of the wall.
fn square(t: f64) -> Pose {
    let wall = front(t);
    let foot = |x: f64| wall.place(Point::new(x, f64::from(FOOT) - MIDDLE.y));
    let (left, right) = (foot(-40.0), foot(40.0));
    Pose {
        at: foot(0.0),
        scale: wall.scale * 1.05,
        turn: (right.y - left.y).atan2(right.x - left.x),
        tilt: Point::new(0.0, -0.001_9),
    }
}

/// Somewhere on the square, standing up.
fn standing(t: f64, x: f64, y: f64, scale: f64) -> Pose {
    let ground = square(t);
    let near = 1.0 + ground.tilt.y * y;
    Pose::facing(ground.place(Point::new(x, y)), scale * ground.scale / near)
}

fn beyond(depth: f64, place: Point) -> impl Fn(f64) -> Pose + Sync + Send {
    move |t| Pose::facing(Point::new(640.0 - 160.0 * depth * arc(t), 352.0) + hand(t) + place, 1.0)
}

/// The outline of the house: walls, eaves, ridge.
const HOUSE: [(f32, f32); 7] =
    [(120.0, 980.0), (120.0, 520.0), (60.0, 520.0), (650.0, 20.0), (1240.0, 520.0), (1180.0, 520.0), (1180.0, 980.0)];

fn works() -> Canvas {
    let mut c = Canvas::new(FRONT.0 as u32, FRONT.1 as u32);
    let timber = 0x4c3524;
    // Barge boards and the beams of the gable.
    for (from, to, width) in [
        ((60.0, 522.0), (650.0, 24.0), 40.0),
        ((650.0, 24.0), (1240.0, 522.0), 40.0),
        ((120.0, 520.0), (1180.0, 520.0), 30.0),
        ((420.0, 270.0), (420.0, 520.0), 24.0),
        ((880.0, 270.0), (880.0, 520.0), 24.0),
        ((240.0, 420.0), (420.0, 520.0), 20.0),
        ((1060.0, 420.0), (880.0, 520.0), 20.0),
    ] {
        c.line(0x2e2017, width + 6.0, &[(from.0 + 3.0, from.1 + 5.0), (to.0 + 3.0, to.1 + 5.0)]);
        c.line(timber, width, &[from, to]);
    }
    c.rect(0x3a2a1e, 490.0, 230.0, 320.0, 260.0);
    c.graded(0xd9cdb0, 0xc4b594, 500.0, 240.0, 300.0, 240.0);
    window(&mut c, 190.0, 600.0);
    window(&mut c, 400.0, 600.0);
    window(&mut c, 790.0, 600.0);
    window(&mut c, 1000.0, 600.0);
    // The door, its step, its lamp.
    c.rect(0x3a2a1e, 575.0, 620.0, 150.0, 330.0);
    c.graded(0x2f5a4e, 0x234339, 585.0, 630.0, 130.0, 310.0);
    for (x, y) in [(600.0, 650.0), (660.0, 650.0), (600.0, 790.0), (660.0, 790.0)] {
        c.rect(0x1c352d, x, y, 44.0, 120.0);
    }
    c.circle(0xd9a441, 702.0, 785.0, 8.0);
    c.rect(0x8f887b, 555.0, 932.0, 190.0, 30.0);
    c.rect(0x2b2b2b, 643.0, 560.0, 14.0, 26.0);
    c.circle(0xf3d58a, 650.0, 596.0, 17.0);
    c.rect(0x6d665a, 120.0, FOOT - 26.0, 455.0, 26.0);
    c.rect(0x6d665a, 745.0, FOOT - 26.0, 435.0, 26.0);
    c
}

fn window(c: &mut Canvas, x: f32, y: f32) {
    c.rect(0x4c3524, x - 14.0, y - 14.0, 138.0, 208.0);
    c.rect(0xeae2cf, x - 5.0, y - 5.0, 120.0, 190.0);
    c.graded(0x2b3b46, 0x7c929c, x, y, 110.0, 180.0);
    c.rect(0xeae2cf, x + 51.0, y, 8.0, 180.0);
    c.rect(0xeae2cf, x, y + 66.0, 110.0, 8.0);
    c.rect(0x7d4a32, x - 18.0, y + 194.0, 146.0, 22.0);
    for i in 0..9 {
        let (x, y) = (x - 8.0 + 15.5 * i as f32, y + 186.0 + 6.0 * hash(i, 4, 611));
        c.circle([0xb33a2e, 0xe7c24a, 0xd8d2e4][i as usize % 3], x, y, 8.0);
        c.circle(0x486b32, x + 6.0, y + 9.0, 7.0);
    }
}

fn house() -> Texture {
    let drawn = Texture::from_drawing(&works().pixels, |x, y| {
        0.82 + 0.3 * layered(x / 9.0, y / 13.0, 4, 601) - 0.08 * (x / FRONT.0)
    });
    let mut shape = Canvas::new(FRONT.0 as u32, FRONT.1 as u32);
    shape.poly(0xffffff, &HOUSE);
    let shape = Texture::from_drawing(&shape.pixels, |_, _| 1.0);
    let (warm, pale) = (rgb(0xd8b98a), rgb(0xe8dcc0));
    Texture::from_fn(FRONT.0 as usize, FRONT.1 as usize, |x, y| {
        let (rough, stain) = (layered(x / 6.0, y / 6.0, 4, 602), smooth(x / 80.0, y / 150.0, 603));
        let trowel = layered(x / 34.0, y / 22.0, 3, 604);
        let wall = mix(warm, pale, stain).map(|v| v * (0.66 + 0.34 * rough + 0.28 * (trowel - 0.4)));
        // The eaves throw shade.
        let under = 1.0 - 0.35 * (1.0 - ((y - 40.0 - 0.84 * (x - 650.0).abs()) / 60.0).clamp(0.0, 1.0));
        let [r, g, b, a] = drawn.sample(x, y);
        let [.., inside] = shape.sample(x, y);
        let colour = [r, g, b].into_iter().zip(wall).map(|(v, wall)| (v + wall * (1.0 - a)) * under);
        let colour: Vec<f32> = colour.collect();
        ([colour[0], colour[1], colour[2]], inside)
    })
}

/// Setts in rows; seen from low, so painted low.
fn setts() -> Texture {
    let (grey, brown, joint) = (rgb(0x8f8a80), rgb(0x7d6f5e), rgb(0x4a463f));
    Texture::from_fn(SQUARE.0 as usize, SQUARE.1 as usize, |x, y| {
        let row = (y / 15.0).floor();
        let (u, v) = ((x + 23.0 * (row % 2.0)) / 46.0, y / 15.0);
        let own = hash(u as i32, v as i32, 621);
        let edge = (u.fract().min(1.0 - u.fract()) * 46.0).min(v.fract().min(1.0 - v.fract()) * 30.0);
        let rough = layered(x / 8.0, y / 3.0, 4, 622);
        let worn = smooth(x / 300.0, y / 70.0, 623);
        let stone = mix(grey, brown, own).map(|value| value * (0.62 + 0.45 * rough + 0.25 * (own - 0.5)));
        let colour = mix(joint, stone, (edge - 1.0) / 2.0).map(|value| value * (0.85 + 0.3 * worn));
        let shade = 0.55 + 0.45 * (y / 40.0).clamp(0.0, 1.0);
        (colour.map(|value| value * shade), 1.0)
    })
}

fn basket() -> Texture {
    let mut c = Canvas::new(180, 250);
    c.oval(0x332c25, 90.0, 236.0, 70.0, 12.0);
    for x in [40.0, 90.0, 140.0] {
        c.line(0x23211f, 7.0, &[(x, 160.0), (90.0 + (x - 90.0) * 1.25, 238.0)]);
    }
    c.oval(0xf08a2c, 90.0, 64.0, 56.0, 18.0);
    for (i, (x, y)) in [(64.0, 60.0), (92.0, 54.0), (116.0, 62.0), (80.0, 68.0), (104.0, 70.0)].into_iter().enumerate()
    {
        c.circle([0x6b2f14, 0xffc861, 0x8a3a16, 0xffe39a, 0x4f2413][i], x, y, 14.0);
    }
    for i in 0..7 {
        let x = 34.0 + 18.7 * i as f32;
        c.line(0x2b2927, 6.0, &[(x, 56.0 + 0.012 * (x - 90.0).powi(2)), (90.0 + (x - 90.0) * 0.75, 166.0)]);
    }
    c.line(0x3a3734, 8.0, &[(34.0, 70.0), (60.0, 84.0), (120.0, 84.0), (146.0, 70.0)]);
    c.line(0x2b2927, 8.0, &[(48.0, 164.0), (132.0, 164.0)]);
    Texture::from_drawing(&c.pixels, |x, y| 0.8 + 0.35 * layered(x / 5.0, y / 5.0, 3, 631))
}

fn glow() -> Texture {
    Texture::from_fn(400, 400, |x, y| {
        let away = (x - 200.0).hypot((y - 200.0) * 1.2) / 90.0;
        let light = (-away * away).exp() * 0.5;
        ([light, light * 0.5, light * 0.14], 1.0)
    })
}

const VISITOR: Dress = Dress {
    coat: 0x46566e,
    coat_shade: 0x323f52,
    trousers: 0x57503f,
    shoes: 0x2d241d,
    skin: 0xd0a079,
    hair: 0x59402c,
    kind: Kind::Hiker,
};

/// Close to the camera, from the left to the right.
fn visitor(t: f64) -> Pose {
    let scale = 1.8;
    let steps = step(t);
    let bob = 4.0 * (steps * 2.0 * std::f64::consts::TAU).cos();
    Pose::facing(Point::new(-420.0 + 14.2 * t, 600.0 + bob * scale) + hand(t), scale)
}

fn step(t: f64) -> f64 {
    14.2 * t / (STRIDE * 1.8)
}

/// The shot.
pub fn station_front() -> Shot {
    let house = Layer { anchor: MIDDLE, ..Layer::still("house", house(), front) };
    let ground = Layer { anchor: Point::new(1500.0, 0.0), ..Layer::still("square", setts(), square) };
    let far = ridge(2300, 520, 150.0, 80.0, [0x3a5566, 0x5d7a80], 641).hazed(air(), 0.45);
    let near = ridge(2300, 620, 190.0, 60.0, [0x24402e, 0x56753c], 642).hazed(air(), 0.15);
    let fire = |t: f64| standing(t, 500.0, 120.0, 0.8);
    let basket = Layer { anchor: Point::new(90.0, 236.0), ..Layer::still("fire basket", basket(), fire) };
    let shine = move |t: f64| {
        let flicker = 1.0 + 0.06 * (t * 1.7).sin() + 0.04 * (t * 2.9).sin();
        let at = fire(t);
        Pose::facing(at.place(FIRE - Point::new(90.0, 236.0)), at.scale * flicker)
    };
    let glow = Layer { adds: true, anchor: Point::new(200.0, 200.0), ..Layer::still("glow", glow(), shine) };
    let phase = |t: f64| (step(t).rem_euclid(1.0) * PHASES as f64) as usize % PHASES;
    let [legs, body] = person(["visitor", "visitor's legs"], VISITOR, f64::INFINITY, visitor, phase);
    let layers = vec![
        Layer::still("sky", sky(2400, 1500), beyond(0.05, Point::new(-1200.0, -800.0))),
        Layer::still("far", far, beyond(0.3, Point::new(-1150.0, -60.0))),
        Layer::still("near", near, beyond(0.7, Point::new(-1150.0, 20.0))),
        ground,
        house,
        basket,
        glow,
        legs,
        body,
    ];
    let point = |name, layer, x: f32, y: f32| TruePoint {
        name,
        layer,
        at: Point::new(f64::from(x), f64::from(y)),
        hidden_by: vec!["visitor", "visitor's legs"],
    };
    let sign = TruePoint { name: "sewn sign", layer: "visitor", at: RUCKSACK, hidden_by: Vec::new() };
    let field = FIELD.map(|(name, x, y)| point(name, "house", x, y));
    let others = [
        point("knob", "house", 702.0, 785.0),
        point("fire", "fire basket", FIRE.x as f32, FIRE.y as f32),
        point("square 1", "square", 1210.0, 60.0),
        point("square 2", "square", 1790.0, 60.0),
        point("square 3", "square", 1790.0, 150.0),
        point("square 4", "square", 1210.0, 150.0),
    ];
    Shot {
        samples: 2,
        layers,
        points: field.into_iter().chain(others).chain([sign]).collect(),
        ..filmed("Station front", FRAMES)
    }
}
