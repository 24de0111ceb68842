//! *Passing loop*: the railcar comes out of the bend, slow, fast, slow, passes behind a signal mast with its headlamp
//! lit, and leaves the picture at the right.

use jampin_core::geometry::{Point, Size};

use super::landscape::{air, bend, meadow, rail_at, ridge, sky, track};
use super::railcar;
use crate::camera::{Layer, Pose, Shot, TruePoint};
use crate::canvas::Canvas;
use crate::noise::{layered, smooth};
use crate::texture::{Texture, rgb};

const FRAMES: u32 = 225;

/// How far the camera has panned, in pixels of the middle distance: it goes along a little with the car.
fn pan(t: f64) -> f64 {
    let s = (t / f64::from(FRAMES)).clamp(0.0, 1.2);
    120.0 * s * s * (3.0 - 2.0 * s)
}

/// The camera stands on a tripod in the wind.
fn sway(t: f64) -> Point {
    Point::new(0.6 * (t * 0.11).sin() + 0.25 * (t * 0.37).sin(), 0.5 * (t * 0.13 + 1.0).sin())
}

/// Pose of a layer at this depth: 0 is infinitely far, 1 is where the track is.
fn at_depth(depth: f64, x: f64, y: f64) -> impl Fn(f64) -> Pose + Sync + Send {
    move |t| Pose::facing(Point::new(x - depth * pan(t), y) + sway(t) * (0.5 + 0.5 * depth), 1.0)
}

/// Distance run by the car, in pixels: slow for two seconds, fast in the middle, slow again at the end.
fn run(t: f64) -> f64 {
    let ramp = |from: f64, length: f64| {
        // Integral of a smooth step from 0 to 1 that begins at `from`.
        let s = ((t - from) / length).clamp(0.0, 1.0);
        length * (s.powi(3) - s.powi(4) / 2.0) + (t - from - length).max(0.0)
    };
    2.2 * t + 9.6 * ramp(45.0, 40.0) - 6.4 * ramp(112.0, 45.0)
}

/// Where the track's texture begins on the picture, in pixels.
const TRACK: Point = Point::new(-60.0, 424.0);

/// Where the car's foot is, and how large it is: out of the bend it comes nearer.
fn car(t: f64) -> Pose {
    let along = run(t);
    let x = 100.0 + along;
    let (_, near) = bend(x as f32);
    // Rail joints make it nod a little.
    let nod = 0.5 * (along * 0.045).sin();
    let at = TRACK + Point::new(x - pan(t), f64::from(rail_at(x as f32)) + nod);
    Pose::facing(at + sway(t), 0.98 * f64::from(near))
}

fn on_car(place: Point) -> impl Fn(f64) -> Pose + Sync + Send {
    move |t| {
        let pose = car(t);
        Pose::facing(pose.at + (place - railcar::FOOT) * pose.scale, pose.scale)
    }
}

fn mast() -> Texture {
    let mut c = Canvas::new(120, 520);
    c.rect(0x4b4f52, 48.0, 30.0, 6.0, 480.0);
    c.rect(0x6b7074, 66.0, 30.0, 6.0, 480.0);
    for i in 0..24 {
        let y = 40.0 + i as f32 * 20.0;
        let (a, b) = if i % 2 == 0 { (51.0, 69.0) } else { (69.0, 51.0) };
        c.line(0x5a5f63, 3.0, &[(a, y), (b, y + 20.0)]);
    }
    c.rect(0x3a3d40, 44.0, 20.0, 32.0, 12.0);
    c.poly(0xc23a22, &[(58.0, 60.0), (8.0, 92.0), (14.0, 108.0), (64.0, 76.0)]);
    c.poly(0xf2ece0, &[(30.0, 78.0), (38.0, 73.0), (44.0, 88.0), (36.0, 93.0)]);
    c.circle(0x2c2a28, 60.0, 74.0, 11.0);
    c.circle(0xd9b33c, 60.0, 74.0, 5.0);
    c.rect(0x2c2a28, 36.0, 190.0, 48.0, 58.0);
    c.rect(0xe9e2d0, 40.0, 194.0, 40.0, 50.0);
    c.line(0x2c2a28, 5.0, &[(50.0, 204.0), (50.0, 234.0)]);
    c.line(0x2c2a28, 5.0, &[(70.0, 204.0), (70.0, 234.0)]);
    c.line(0x2c2a28, 5.0, &[(50.0, 219.0), (70.0, 219.0)]);
    c.poly(0x8b857b, &[(24.0, 520.0), (34.0, 496.0), (86.0, 496.0), (96.0, 520.0)]);
    Texture::from_drawing(&c.pixels, |x, y| 0.8 + 0.3 * layered(x / 5.0, y / 30.0, 3, 90))
}

fn foreground() -> Texture {
    let (dark, bright) = (rgb(0x2f4a1f), rgb(0x86a043));
    Texture::from_fn(1700, 150, |x, y| {
        let edge =
            70.0 - 44.0 * smooth(x / 26.0, 0.0, 81) * smooth(x / 170.0, 4.0, 82) - 26.0 * smooth(x / 5.0, 1.0, 83);
        let blade = layered(x / 4.0, y / 40.0, 3, 84);
        let colour = crate::texture::mix(dark, bright, blade);
        (colour, ((y - edge) / 3.0).clamp(0.0, 1.0))
    })
    .blurred(3)
}

/// The shot.
pub fn passing_loop() -> Shot {
    let mut glow = Layer::still("glow", railcar::glow(), on_car(railcar::LAMP));
    (glow.anchor, glow.adds) = (Point::new(80.0, 80.0), true);
    let mut shadow = Layer::still("shadow", railcar::shadow(), on_car(railcar::FOOT));
    shadow.anchor = Point::new(310.0, 30.0);
    let mut body = Layer::still("railcar", railcar::railcar(), car);
    body.anchor = railcar::FOOT;
    let far = ridge(1500, 260, 90.0, 62.0, [0x3a5566, 0x5d7a80], 21).hazed(air(), 0.58);
    let middle = ridge(1600, 300, 110.0, 70.0, [0x24402e, 0x56753c], 22).hazed(air(), 0.26);
    let near = ridge(1700, 280, 130.0, 46.0, [0x1d3a1c, 0x5f7f34], 23).hazed(air(), 0.08);
    let layers = vec![
        Layer::still("sky", sky(1340, 460), at_depth(0.02, -20.0, -20.0)),
        Layer::still("far", far, at_depth(0.1, -40.0, 150.0)),
        Layer::still("middle", middle, at_depth(0.28, -40.0, 205.0)),
        Layer::still("near", near, at_depth(0.55, -40.0, 262.0)),
        Layer::still("meadow", meadow(1560, 440, 40.0, 41), at_depth(0.95, -40.0, 372.0)),
        Layer::still("track", track(1640), at_depth(1.0, TRACK.x, TRACK.y)),
        shadow,
        body,
        glow,
        Layer::still("mast", mast(), at_depth(1.08, 690.0, 120.0)),
        Layer::still("grass", foreground(), at_depth(1.5, -60.0, 592.0)),
    ];
    let on_car = |name, at| TruePoint { name, layer: "railcar", at, hidden_by: vec!["mast"] };
    let points = vec![
        on_car("emblem", railcar::EMBLEM),
        on_car("number", railcar::NUMBER),
        on_car("window", railcar::WINDOW),
        on_car("lamp", railcar::LAMP),
        TruePoint { name: "signal", layer: "mast", at: Point::new(60.0, 74.0), hidden_by: vec![] },
    ];
    Shot {
        name: "Passing loop",
        size: Size::new(1280, 720),
        frames: FRAMES,
        rate: 25,
        shutter: 0.5,
        grain: 1.6,
        defocus: |_| 0.0,
        light: |_| 1.0,
        readout: 0.0,
        samples: 1,
        layers,
        points,
    }
}
