//! *Yard from the air*: a drone turns and sinks over the turntable yard; six boundary stones, two of them under trees.

use jampin_core::geometry::{Point, Size};

use crate::camera::{Layer, Pose, Shot, TruePoint};
use crate::canvas::Canvas;
use crate::noise::{hash, layered, smooth};
use crate::texture::{Texture, mix, rgb};

const FRAMES: u32 = 200;
/// Size of the ground as painted.
const GROUND: (usize, usize) = (2300, 1640);
/// The middle of the turntable, about which the drone turns.
const TURNTABLE: (f32, f32) = (1120.0, 800.0);
/// The boundary stones, in order round the yard; `true` under a tree.
const STONES: [(&str, f32, f32, bool); 6] = [
    ("stone 1", 700.0, 520.0, false),
    ("stone 2", 1130.0, 452.0, false),
    ("stone 3", 1560.0, 560.0, true),
    ("stone 4", 1590.0, 1010.0, false),
    ("stone 5", 1150.0, 1170.0, true),
    ("stone 6", 730.0, 1060.0, false),
];
/// Crowns of trees: where, how wide, how high above the ground (share of the flying height).
const TREES: [(f32, f32, f32, f32); 9] = [
    (1560.0, 560.0, 74.0, 0.05),
    (1640.0, 500.0, 88.0, 0.06),
    (1150.0, 1172.0, 70.0, 0.05),
    (1068.0, 1236.0, 84.0, 0.06),
    (1240.0, 1262.0, 92.0, 0.07),
    (520.0, 760.0, 96.0, 0.06),
    (470.0, 930.0, 80.0, 0.05),
    (1790.0, 800.0, 90.0, 0.06),
    (900.0, 330.0, 86.0, 0.06),
];

/// A drone in a little wind: it turns, sinks, and leans.
fn drone(t: f64) -> Pose {
    let s = (t / f64::from(FRAMES)).clamp(-0.1, 1.1);
    let ease = s * s * (3.0 - 2.0 * s);
    let sway = |fast: f64, phase: f64| (t * fast + phase).sin();
    Pose {
        at: Point::new(
            620.0 + 70.0 * ease + 4.0 * sway(0.031, 0.4) + 0.8 * sway(0.19, 0.0),
            372.0 - 22.0 * ease + 3.0 * sway(0.043, 1.0) + 0.6 * sway(0.23, 2.0),
        ),
        scale: 0.69 + 0.27 * ease,
        turn: -0.1 + 0.36 * ease + 0.004 * sway(0.05, 0.0),
        tilt: Point::new(0.000_05 - 0.000_07 * ease, -0.000_2 + 0.000_1 * ease + 0.000_01 * sway(0.037, 0.7)),
    }
}

/// What stands above the ground moves more, away from the middle of the picture, where the drone looks straight down.
fn above(height: f64, at: (f32, f32)) -> impl Fn(f64) -> Pose + Sync + Send {
    move |t| {
        let ground = drone(t);
        let anchor = Point::new(f64::from(at.0 - TURNTABLE.0), f64::from(at.1 - TURNTABLE.1));
        let foot = ground.place(anchor);
        let middle = Point::new(640.0, 360.0);
        let nearer = ground.tilt.x * anchor.x + ground.tilt.y * anchor.y + 1.0;
        Pose {
            at: middle + (foot - middle) * (1.0 + height),
            scale: ground.scale / nearer * (1.0 + height),
            tilt: Point::default(),
            ..ground
        }
    }
}

fn rails(c: &mut Canvas, points: &[(f32, f32)]) {
    c.line(0x6b6258, 46.0, points);
    // Sleepers, then both rails and the rack between them.
    for pair in points.windows(2) {
        let (dx, dy) = (pair[1].0 - pair[0].0, pair[1].1 - pair[0].1);
        let length = dx.hypot(dy);
        let (ux, uy) = (dx / length, dy / length);
        for i in 0..(length / 15.0) as usize {
            let (x, y) = (pair[0].0 + ux * 15.0 * i as f32, pair[0].1 + uy * 15.0 * i as f32);
            c.line(0x3f3329, 6.0, &[(x - uy * 16.0, y + ux * 16.0), (x + uy * 16.0, y - ux * 16.0)]);
        }
        for (off, width, hex) in [(-11.0, 3.0, 0xc9cdd2), (11.0, 3.0, 0xc9cdd2), (0.0, 4.0, 0x84614a)] {
            let end = |p: (f32, f32)| (p.0 - uy * off, p.1 + ux * off);
            c.line(hex, width, &[end(pair[0]), end(pair[1])]);
        }
    }
}

fn shed(c: &mut Canvas, x: f32, y: f32, width: f32, height: f32, hex: u32, dark: u32) {
    c.rect(0x20242a, x + 14.0, y + 18.0, width, height);
    c.rect(hex, x, y, width, height / 2.0);
    c.rect(dark, x, y + height / 2.0, width, height / 2.0);
    for i in 0..(width / 18.0) as usize {
        c.line(dark, 1.5, &[(x + i as f32 * 18.0, y), (x + i as f32 * 18.0, y + height)]);
    }
    c.line(0xd8d2c4, 4.0, &[(x, y + height / 2.0), (x + width, y + height / 2.0)]);
    for i in 0..3 {
        let left = x + width * (0.16 + 0.28 * i as f32);
        c.rect(0xa9c3cc, left, y + height * 0.16, width * 0.1, height * 0.2);
    }
}

fn turntable(c: &mut Canvas) {
    let (x, y) = TURNTABLE;
    c.circle(0x4b443c, x, y, 128.0);
    c.circle(0x8d8478, x, y, 120.0);
    c.circle(0x5b544b, x, y, 112.0);
    for i in 0..48 {
        let (sin, cos) = (i as f32 / 48.0 * std::f32::consts::TAU).sin_cos();
        c.line(0x453e37, 2.0, &[(x + 30.0 * cos, y + 30.0 * sin), (x + 112.0 * cos, y + 112.0 * sin)]);
    }
    c.poly(0x9b7f55, &[(x - 108.0, y + 10.0), (x - 98.0, y - 46.0), (x + 108.0, y - 10.0), (x + 98.0, y + 46.0)]);
    rails(c, &[(x - 104.0, y - 18.0), (x + 104.0, y + 18.0)]);
    c.cog(0x8c2b1b, x, y, 26.0);
    c.circle(0xe9dfc4, x, y, 12.0);
}

fn works() -> Canvas {
    let mut c = Canvas::new(GROUND.0 as u32, GROUND.1 as u32);
    let (x, y) = TURNTABLE;
    rails(&mut c, &[(0.0, 610.0), (560.0, 705.0), (x - 104.0, y - 18.0)]);
    rails(&mut c, &[(x + 104.0, y + 18.0), (1500.0, 868.0), (2300.0, 900.0)]);
    rails(&mut c, &[(x - 40.0, y - 112.0), (1010.0, 560.0)]);
    rails(&mut c, &[(x + 50.0, y - 108.0), (1320.0, 590.0)]);
    turntable(&mut c);
    shed(&mut c, 880.0, 500.0, 170.0, 130.0, 0x8a4a38, 0x6d3829);
    shed(&mut c, 1270.0, 520.0, 150.0, 118.0, 0x6f7f86, 0x566268);
    shed(&mut c, 800.0, 930.0, 240.0, 120.0, 0x7c8a5c, 0x5f6c45);
    // Coal, a water tank, a cart, crates, a little garden.
    for i in 0..60 {
        let (u, v) = (hash(i, 1, 301) * 110.0, hash(i, 2, 302) * 64.0);
        c.circle([0x17191c, 0x24272b, 0x33363a][(i % 3) as usize], 1330.0 + u, 960.0 + v, 9.0 + 6.0 * hash(i, 3, 303));
    }
    c.circle(0x1f3a44, 1466.0, 742.0, 37.0);
    c.circle(0x3c6a78, 1460.0, 736.0, 34.0);
    c.cog(0x2a4c57, 1460.0, 736.0, 22.0);
    c.rect(0x9c3d26, 690.0, 800.0, 66.0, 36.0);
    c.rect(0xd9c184, 698.0, 806.0, 50.0, 24.0);
    for i in 0..7 {
        let (u, v) = ((i % 4) as f32 * 30.0, (i / 4) as f32 * 28.0);
        c.rect([0xb08b57, 0x9a7443, 0xc49d66][i % 3], 1180.0 + u, 1030.0 + v, 24.0, 22.0);
        c.line(0x5b4326, 2.0, &[(1182.0 + u, 1032.0 + v), (1202.0 + u, 1050.0 + v)]);
    }
    for i in 0..40 {
        let hex = [0xc23a22, 0xe8c656, 0xd87093, 0xf2e9d8][(i % 4) as usize];
        c.circle(hex, 760.0 + 14.0 * (i % 8) as f32, 610.0 + 15.0 * (i / 8) as f32, 5.0);
    }
    for (_, x, y, _) in STONES {
        c.oval(0x2a2b27, x + 7.0, y + 9.0, 16.0, 14.0);
        c.circle(0x8f8b80, x, y, 15.0);
        c.circle(0xefeadb, x, y, 12.0);
        c.rect(0x8c2b1b, x - 7.0, y - 2.0, 14.0, 4.0);
        c.rect(0x8c2b1b, x - 2.0, y - 7.0, 4.0, 14.0);
    }
    c
}

/// Inside the ring of stones, by the signs of the cross products.
fn is_yard(x: f32, y: f32) -> f32 {
    let ring: Vec<(f32, f32)> = STONES.iter().map(|(_, x, y, _)| (*x, *y)).collect();
    let inside = |i: usize| {
        let (a, b) = (ring[i], ring[(i + 1) % ring.len()]);
        let length = (b.0 - a.0).hypot(b.1 - a.1);
        ((b.0 - a.0) * (y - a.1) - (b.1 - a.1) * (x - a.0)) / length
    };
    (0..ring.len()).map(inside).fold(f32::MAX, f32::min)
}

fn ground() -> Texture {
    let works = works();
    let drawn = Texture::from_drawing(&works.pixels, |x, y| 0.78 + 0.34 * layered(x / 9.0, y / 9.0, 4, 311));
    let (grass, lush, dry) = (rgb(0x5b7a3a), rgb(0x86a24c), rgb(0xa89a5e));
    let (gravel, dust, wet) = (rgb(0xa39883), rgb(0xc7b99b), rgb(0x6f675a));
    Texture::from_fn(GROUND.0, GROUND.1, |x, y| {
        let patch = layered(x / 120.0, y / 120.0, 5, 321);
        let blade = layered(x / 4.0, y / 5.0, 3, 322);
        let mut green = mix(grass, lush, patch * 1.5 - 0.3 + 0.5 * (blade - 0.5));
        green = mix(green, dry, ((patch - 0.58) * 4.0).clamp(0.0, 0.7)).map(|v| v * (0.66 + 0.55 * blade));
        let stones = layered(x / 5.0, y / 5.0, 4, 323);
        let mut grey = mix(gravel, dust, layered(x / 90.0, y / 70.0, 4, 324) * 1.6 - 0.4);
        grey = mix(grey, wet, ((layered(x / 150.0, y / 60.0, 3, 325) - 0.6) * 4.0).clamp(0.0, 0.6))
            .map(|v| v * (0.62 + 0.6 * stones));
        let edge = is_yard(x, y) + 26.0 * (smooth(x / 30.0, y / 30.0, 326) - 0.35);
        let base = mix(green, grey, edge / 9.0 + 0.5);
        let [r, g, b, a] = drawn.sample(x, y);
        ([r + base[0] * (1.0 - a), g + base[1] * (1.0 - a), b + base[2] * (1.0 - a)], 1.0)
    })
}

fn crown(radius: f32, seed: u32) -> Texture {
    let (dark, bright) = (rgb(0x2e4a22), rgb(0x7f9c48));
    let side = (radius * 2.3) as usize;
    let middle = side as f32 / 2.0;
    Texture::from_fn(side, side, |x, y| {
        let (dx, dy) = (x - middle, y - middle);
        let angle = dy.atan2(dx);
        let reach = radius * (0.82 + 0.3 * (layered(2.0 + angle.cos() * 1.6, 2.0 + angle.sin() * 1.6, 3, seed) - 0.4));
        let leaves = layered(x / 9.0, y / 9.0, 4, seed + 1);
        let light = 0.62 + 0.5 * (-(dx + dy) / (radius * 2.6)) + 0.55 * (leaves - 0.4);
        let cover = ((reach - dx.hypot(dy)) / 3.0 + 2.0 * (leaves - 0.5)).clamp(0.0, 1.0);
        (mix(dark, bright, leaves * 1.3 - 0.2).map(|v| v * light.max(0.15)), cover)
    })
}

fn shade(radius: f32) -> Texture {
    let side = (radius * 2.6) as usize;
    let middle = side as f32 / 2.0;
    Texture::from_fn(side, side, |x, y| {
        let fall = 1.0 - ((x - middle).hypot(y - middle) / (radius * 1.05)).powi(4);
        ([0.01, 0.015, 0.02], 0.5 * fall.clamp(0.0, 1.0))
    })
}

fn centred(name: &'static str, texture: Texture, pose: impl Fn(f64) -> Pose + Sync + Send + 'static) -> Layer {
    let anchor = Point::new(texture.width as f64 / 2.0, texture.height as f64 / 2.0);
    Layer { anchor, ..Layer::still(name, texture, pose) }
}

/// The shot.
pub fn yard() -> Shot {
    let mut base = Layer::still("ground", ground(), drone);
    base.anchor = Point::new(f64::from(TURNTABLE.0), f64::from(TURNTABLE.1));
    let mut layers = vec![base];
    for (x, y, radius, _) in TREES {
        layers.push(centred("shade", shade(radius), above(0.0, (x + radius * 0.4, y + radius * 0.45))));
    }
    for (i, (x, y, radius, height)) in TREES.into_iter().enumerate() {
        let name = ["tree a", "tree b", "tree c", "tree d", "tree e"].get(i).copied().unwrap_or("tree");
        layers.push(centred(name, crown(radius, 340 + 3 * i as u32), above(f64::from(height), (x, y))));
    }
    let hidden_by = || vec!["tree a", "tree b", "tree c", "tree d", "tree e"];
    let point = |name, x: f32, y: f32| TruePoint {
        name,
        layer: "ground",
        at: Point::new(f64::from(x), f64::from(y)),
        hidden_by: hidden_by(),
    };
    let points = STONES.map(|(name, x, y, _)| point(name, x, y));
    Shot {
        name: "Yard from the air",
        size: Size::new(1280, 720),
        frames: FRAMES,
        rate: 25,
        shutter: 0.4,
        grain: 1.6,
        defocus: |_| 0.0,
        light: |_| 1.0,
        readout: 0.0,
        samples: 1,
        layers,
        points: points.to_vec(),
    }
}
