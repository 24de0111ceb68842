//! *Platform*: the guard and two visitors walk along; they cross in front of each other and go behind lamp posts; one
//! leaves the picture and comes back.

use jampin_core::geometry::Point;

use super::filmed;
use super::landscape::{air, meadow, ridge, sky};
use super::people::{BADGE, Dress, Kind, PHASES, RUCKSACK, SLEEVE, STAR, STRIDE, person};
use crate::camera::{Layer, Pose, Shot, TruePoint};
use crate::canvas::Canvas;
use crate::noise::{hash, layered, smooth};
use crate::texture::{Texture, mix, rgb};

const FRAMES: u32 = 250;

/// A camera held by hand, by somebody who can.
fn hand(t: f64) -> Point {
    Point::new(
        5.0 * (t * 0.031).sin() + 1.6 * (t * 0.113 + 0.7).sin() + 0.3 * (t * 0.71).sin(),
        3.2 * (t * 0.043 + 1.1).sin() + 1.1 * (t * 0.137).sin() + 0.25 * (t * 0.83 + 0.4).sin(),
    )
}

fn at_depth(depth: f64, x: f64, y: f64) -> impl Fn(f64) -> Pose + Sync + Send {
    move |t| Pose::facing(Point::new(x, y) + hand(t) * depth, 1.0)
}

/// Somebody's way along the platform: distance by time, and how far from the camera.
#[derive(Clone, Copy)]
struct Way {
    along: fn(f64) -> f64,
    ground: f64,
    scale: f64,
}

impl Way {
    /// Where the hips are; the body bobs twice a stride.
    fn hips(self, t: f64) -> Pose {
        let x = (self.along)(t);
        let bob = 4.0 * (x / STRIDE * 2.0 * std::f64::consts::TAU).cos();
        let at = Point::new(x, self.ground - 142.0 * self.scale + bob * self.scale);
        Pose::facing(at + hand(t), self.scale)
    }

    fn phase(self, t: f64) -> usize {
        let turns = (self.along)(t) / (STRIDE * self.scale);
        ((turns.rem_euclid(1.0)) * PHASES as f64) as usize % PHASES
    }
}

/// Mixes between two speeds smoothly: the integral of `from` until `start`, then easing to `to` over `length`.
fn eased(t: f64, start: f64, length: f64, from: f64, to: f64) -> f64 {
    let s = ((t - start) / length).clamp(0.0, 1.0);
    let during = length * (s.powi(3) - s.powi(4) / 2.0) + (t - start - length).max(0.0);
    from * t + (to - from) * during
}

fn guard_way(t: f64) -> f64 {
    170.0 + eased(t, 90.0, 40.0, 3.1, 4.4)
}

fn hiker_way(t: f64) -> f64 {
    -330.0 + eased(t, 40.0, 60.0, 6.6, 5.4)
}

/// When the child turns round, out of sight.
const CHILD_TURNS: f64 = 110.0;

/// Goes out at the right, waits outside, comes back in and stays.
fn child_way(t: f64) -> f64 {
    let out = 985.0 + eased(t, 8.0, 24.0, 1.2, 6.4);
    if t < CHILD_TURNS {
        return out;
    }
    let furthest = 985.0 + eased(CHILD_TURNS, 8.0, 24.0, 1.2, 6.4);
    let back = eased(t - CHILD_TURNS, 104.0, 30.0, 6.2, 0.4);
    furthest - back
}

fn walker(names: [&'static str; 2], dress: Dress, way: Way, turns: f64) -> [Layer; 2] {
    person(names, dress, turns, move |t| way.hips(t), move |t| way.phase(t))
}

fn wall() -> Texture {
    let (lime, stain, stone) = (rgb(0xd9cdb0), rgb(0xa8946c), rgb(0x8c8478));
    Texture::from_fn(1400, 420, |x, y| {
        let rough = layered(x / 60.0, y / 45.0, 5, 51);
        let fine = layered(x / 3.0, y / 3.0, 3, 52);
        let mut colour = mix(lime, stain, (rough - 0.46) * 1.7 + (y / 420.0 - 0.6).max(0.0));
        if y > 330.0 {
            // A base of cut stone.
            let row = ((y - 330.0) / 30.0).floor();
            let shift = if row as i32 % 2 == 0 { 0.0 } else { 45.0 };
            let (u, v) = ((x + shift) / 90.0, (y - 330.0) / 30.0);
            let joint =
                (u.fract() * 90.0).min((1.0 - u.fract()) * 90.0).min(v.fract() * 30.0).min((1.0 - v.fract()) * 30.0);
            let tint = 0.75 + 0.4 * hash(u.floor() as i32, row as i32, 53);
            colour = mix(stone.map(|c| c * 0.35), stone.map(|c| c * tint), joint / 2.5);
        }
        (colour.map(|c| c * (0.88 + 0.22 * fine)), 1.0)
    })
}

/// The middle of the clock on the facade.
const CLOCK: (f32, f32) = (1058.5, 150.5);

fn facade() -> Texture {
    let mut c = Canvas::new(1400, 420);
    for (i, x) in [70.0, 330.0, 860.0, 1130.0].into_iter().enumerate() {
        c.rect(0x57422c, x - 10.0, 84.0, 150.0, 210.0);
        c.rect(0x3c6152, x, 94.0, 130.0, 190.0);
        for (u, v) in [(0.0, 0.0), (1.0, 0.0), (0.0, 1.0), (1.0, 1.0)] {
            let (left, top) = (x + 8.0 + u * 60.0, 102.0 + v * 90.0);
            c.graded(0x9fb9c2, 0x3a4a52, left, top, 54.0, 84.0);
            c.poly(
                0xc5d7dc,
                &[
                    (left + 4.0, top + 84.0),
                    (left + 26.0 + i as f32 * 4.0, top),
                    (left + 38.0 + i as f32 * 4.0, top),
                    (left + 16.0, top + 84.0),
                ],
            );
        }
        c.rect(0xa39a8a, x - 18.0, 292.0, 166.0, 12.0);
        for k in 0..9 {
            let hex = [0xc23a22, 0xe8c656, 0xd87093][(k + i) % 3];
            c.circle(0x4e6b33, x + 4.0 + k as f32 * 15.0, 286.0, 10.0);
            c.circle(hex, x + 6.0 + k as f32 * 15.0, 280.0 - (k % 3) as f32 * 4.0, 5.0);
        }
    }
    c.rect(0x57422c, 590.0, 74.0, 180.0, 330.0);
    c.rect(0x7e2a1a, 600.0, 84.0, 160.0, 320.0);
    for (u, v) in [(0.0, 0.0), (1.0, 0.0), (0.0, 1.0), (1.0, 1.0)] {
        c.rect(0x5e1d11, 612.0 + u * 74.0, 100.0 + v * 150.0, 62.0, 130.0);
        c.rect(0x8f3421, 618.0 + u * 74.0, 106.0 + v * 150.0, 50.0, 118.0);
    }
    c.circle(0xe8c656, 684.0, 250.0, 6.0);
    // The station's clock, and a board with the name of a place that is on no map.
    c.circle(0x2c2a28, CLOCK.0, CLOCK.1, 38.0);
    c.circle(0xf3ecd9, CLOCK.0, CLOCK.1, 32.0);
    for i in 0..12 {
        let (sin, cos) = (i as f32 / 12.0 * std::f32::consts::TAU).sin_cos();
        c.line(
            0x2c2a28,
            3.0,
            &[(CLOCK.0 + 26.0 * sin, CLOCK.1 - 26.0 * cos), (CLOCK.0 + 30.0 * sin, CLOCK.1 - 30.0 * cos)],
        );
    }
    c.line(0x2c2a28, 4.0, &[(CLOCK.0, CLOCK.1), (CLOCK.0 + 16.0, CLOCK.1 - 12.0)]);
    c.line(0x2c2a28, 3.0, &[(CLOCK.0, CLOCK.1), (CLOCK.0 - 8.0, CLOCK.1 - 26.0)]);
    c.rect(0x1f3d33, 500.0, 14.0, 240.0, 46.0);
    c.rect(0xe9dfc4, 505.0, 19.0, 230.0, 36.0);
    for (i, width) in [14.0, 12.0, 13.0, 13.0, 15.0, 17.0, 18.0, 15.0, 13.0, 13.0].into_iter().enumerate() {
        c.rect(0x1f3d33, 516.0 + i as f32 * 21.0, 26.0, width, 22.0);
        c.rect(0xe9dfc4, 520.0 + i as f32 * 21.0, 31.0 + (i % 3) as f32 * 4.0, width - 8.0, 4.0);
    }
    Texture::from_drawing(&c.pixels, |x, y| 0.82 + 0.3 * layered(x / 18.0, y / 26.0, 4, 54))
}

fn roof() -> Texture {
    let mut c = Canvas::new(1400, 130);
    c.poly(0x6a3b2a, &[(0.0, 0.0), (1400.0, 0.0), (1400.0, 84.0), (0.0, 84.0)]);
    for row in 0..6 {
        for col in 0..94 {
            let x = col as f32 * 15.0 + if row % 2 == 0 { 0.0 } else { 7.5 };
            let hex = if hash(col, row, 55) > 0.5 { 0x7d4833 } else { 0x63382a };
            c.oval(hex, x, 6.0 + row as f32 * 14.0, 8.0, 9.0);
        }
    }
    c.rect(0x3f3124, 0.0, 84.0, 1400.0, 12.0);
    for i in 0..70 {
        let x = i as f32 * 20.0;
        c.poly(0xe5dabf, &[(x, 96.0), (x + 20.0, 96.0), (x + 10.0, 122.0)]);
        c.circle(0x3f3124, x + 10.0, 106.0, 3.0);
    }
    Texture::from_drawing(&c.pixels, |x, y| 0.72 + 0.35 * layered(x / 10.0, y / 14.0, 3, 56) - 0.1 * (y / 130.0))
}

fn paving() -> Texture {
    let (slab, joint, edge) = (rgb(0xada493), rgb(0x5a5248), rgb(0xe0d6bd));
    Texture::from_fn(1400, 240, |x, y| {
        // Slabs in perspective: rows grow towards the camera.
        let depth = (y / 240.0).max(0.001);
        let row = (depth.sqrt() * 5.0).floor();
        let inside = (depth.sqrt() * 5.0).fract();
        let u = (x - 700.0) / (90.0 + 110.0 * depth) + row * 0.37;
        let gap = (u.rem_euclid(1.0).min(1.0 - u.rem_euclid(1.0)) * (90.0 + 110.0 * depth)).min(inside * 26.0);
        let tint = 0.8 + 0.3 * hash(u.floor() as i32, row as i32, 61);
        let rough = layered(x / 7.0, y / (2.0 + 5.0 * depth), 4, 62);
        let mut colour = mix(joint, slab.map(|c| c * tint), gap / 2.0);
        if (172.0..196.0).contains(&y) {
            colour = mix(colour, edge, 0.75);
        }
        let shade = if y < 46.0 { 0.55 + 0.3 * (y / 46.0) } else { 1.0 };
        (colour.map(|c| c * shade * (0.75 + 0.42 * rough)), 1.0)
    })
}

/// A lamp post, one of them with a notice on it.
fn lamp_post(with_notice: bool) -> Texture {
    let mut c = Canvas::new(150, 640);
    c.rect(0x24302c, 64.0, 96.0, 22.0, 530.0);
    c.rect(0x435a50, 68.0, 96.0, 6.0, 530.0);
    for y in [120.0, 330.0, 520.0] {
        c.rect(0x1a2421, 58.0, y, 34.0, 12.0);
    }
    c.poly(0x24302c, &[(50.0, 640.0), (58.0, 560.0), (92.0, 560.0), (100.0, 640.0)]);
    c.poly(0x24302c, &[(44.0, 96.0), (52.0, 34.0), (98.0, 34.0), (106.0, 96.0)]);
    c.poly(0xf0e3b8, &[(52.0, 90.0), (58.0, 40.0), (92.0, 40.0), (98.0, 90.0)]);
    c.poly(0x24302c, &[(40.0, 36.0), (75.0, 4.0), (110.0, 36.0)]);
    c.rect(0x24302c, 73.0, 36.0, 4.0, 58.0);
    if with_notice {
        c.rect(0x8c2b1b, 30.0, 210.0, 90.0, 56.0);
        c.rect(0xefe5cb, 35.0, 215.0, 80.0, 46.0);
        c.cog(0x8c2b1b, 54.0, 238.0, 14.0);
        for i in 0..3 {
            c.rect(0x2c2a28, 74.0, 224.0 + i as f32 * 11.0, 34.0 - (i * 6) as f32, 5.0);
        }
    }
    Texture::from_drawing(&c.pixels, |x, y| 0.75 + 0.35 * layered(x / 4.0, y / 34.0, 3, 57))
}

fn shadow_layer(name: &'static str, way: Way) -> Layer {
    let texture = Texture::from_fn(190, 40, |x, y| {
        let fall = 1.0 - ((x - 95.0) / 95.0).powi(2) - ((y - 20.0) / 20.0).powi(2);
        ([0.01, 0.01, 0.02], 0.5 * fall.clamp(0.0, 1.0) * (0.85 + 0.15 * smooth(x / 6.0, y / 3.0, 58)))
    });
    let mut layer = Layer::still(name, texture, move |t| {
        Pose::facing(Point::new((way.along)(t) + 14.0, way.ground + 4.0) + hand(t), way.scale)
    });
    layer.anchor = Point::new(95.0, 20.0);
    layer
}

/// The shot.
pub fn platform() -> Shot {
    let guard = Way { along: guard_way, ground: 612.0, scale: 0.92 };
    let hiker = Way { along: hiker_way, ground: 646.0, scale: 1.02 };
    let child = Way { along: child_way, ground: 622.0, scale: 0.74 };
    let dress = |coat, coat_shade, trousers, kind| Dress {
        coat,
        coat_shade,
        trousers,
        shoes: 0x2a211b,
        skin: 0xc99a78,
        hair: 0x4a3426,
        kind,
    };
    let mut layers = vec![
        Layer::still("sky", sky(1400, 300), at_depth(0.15, -60.0, -40.0)),
        Layer::still(
            "hill",
            ridge(1400, 200, 90.0, 50.0, [0x3a5a44, 0x6a8a58], 64).hazed(air(), 0.42),
            at_depth(0.25, -60.0, -10.0),
        ),
        Layer::still("green", meadow(1400, 300, 20.0, 65), at_depth(0.4, -60.0, 90.0)),
        Layer::still("wall", wall(), at_depth(0.85, -60.0, 86.0)),
        Layer::still("facade", facade(), at_depth(0.85, -60.0, 96.0)),
        Layer::still("paving", paving(), at_depth(1.0, -60.0, 496.0)),
        Layer::still("roof", roof(), at_depth(0.95, -60.0, -20.0)),
        shadow_layer("child shadow", child),
    ];
    layers.extend(walker(
        ["child", "child legs"],
        dress(0xb8452f, 0x7a2a1c, 0x3b4654, Kind::Child),
        child,
        CHILD_TURNS,
    ));
    layers.push(shadow_layer("guard shadow", guard));
    layers.extend(walker(
        ["guard", "guard legs"],
        dress(0x263a5e, 0x16233a, 0x1d2433, Kind::Guard),
        guard,
        f64::INFINITY,
    ));
    layers.push(shadow_layer("hiker shadow", hiker));
    layers.extend(walker(
        ["hiker", "hiker legs"],
        dress(0xd1a02f, 0x94701d, 0x5a5142, Kind::Hiker),
        hiker,
        f64::INFINITY,
    ));
    layers.push(Layer::still("post", lamp_post(true), at_depth(1.1, 640.0, 64.0)));
    layers.push(Layer::still("second post", lamp_post(false), at_depth(1.1, 1095.0, 64.0)));
    let point =
        |name, layer, at, hidden_by: &[&'static str]| TruePoint { name, layer, at, hidden_by: hidden_by.to_vec() };
    let points = vec![
        point("cap", "guard", Point::new(BADGE.x, BADGE.y - 4.0), &["hiker", "post", "second post"]),
        point("sleeve", "guard", SLEEVE, &["hiker", "post", "second post"]),
        point("rucksack", "hiker", RUCKSACK, &["post", "second post"]),
        point("star", "child", STAR, &["guard", "hiker", "post", "second post"]),
        point(
            "clock",
            "facade",
            Point::new(f64::from(CLOCK.0), f64::from(CLOCK.1)),
            &["guard", "hiker", "child", "post", "second post"],
        ),
    ];
    Shot { samples: 1, layers, points, ..filmed("Platform", FRAMES) }
}
