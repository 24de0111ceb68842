//! *Pennant*: the railway's pennant on its staff over the hills, in the wind; the focus is pulled away from it and back.

use std::f64::consts::TAU;

use jampin_core::geometry::Point;

use super::filmed;
use super::landscape::{air, meadow, ridge, sky};
use crate::camera::{Cloth, Layer, Pose, Shot, TruePoint};
use crate::canvas::Canvas;
use crate::noise::{layered, smooth};
use crate::texture::{Texture, mix, rgb};

const FRAMES: u32 = 125;
/// The cloth as painted: its staff is on the left.
const CLOTH: (f32, f32) = (1120.0, 560.0);
/// Where the staff's top is in the picture.
const TOP: Point = Point::new(262.0, 128.0);
/// Pixels of the picture in one as painted.
const SCALE: f64 = 0.72;

/// Round the cloth, a little inside of its hems.
const RIM: [(&str, f64, f64); 11] = [
    ("rim 1", 34.0, 30.0),
    ("rim 2", 300.0, 40.0),
    ("rim 3", 600.0, 53.0),
    ("rim 4", 880.0, 64.0),
    ("rim 5", 1050.0, 80.0),
    ("rim 6", 918.0, 280.0),
    ("rim 7", 1050.0, 480.0),
    ("rim 8", 880.0, 496.0),
    ("rim 9", 600.0, 507.0),
    ("rim 10", 300.0, 520.0),
    ("rim 11", 34.0, 530.0),
];

/// The hand that holds the camera.
fn hand(t: f64) -> Point {
    let sway = |fast: f64, phase: f64| (t * fast + phase).sin();
    Point::new(3.0 * sway(0.06, 0.0) + 0.8 * sway(0.29, 1.0), 2.5 * sway(0.047, 0.7) + 0.7 * sway(0.25, 0.0))
}

fn flown(t: f64) -> Pose {
    Pose { turn: 0.015 * (0.05 * t).sin(), ..Pose::facing(TOP + hand(t), SCALE) }
}

/// Waves that run from the staff to the end, higher there.
fn waves(t: f64, at: Point) -> (f64, f64) {
    let along = (at.x / f64::from(CLOTH.0)).clamp(0.0, 1.1);
    let phase = |speed: f64, length: f64, lean: f64| speed * t - TAU * at.x / length + lean * at.y;
    let gust = 1.0 + 0.3 * (0.043 * t + 0.4).sin();
    let (wide, small) = (phase(0.15, 620.0, 0.0021), phase(0.26, 390.0, -0.0017));
    (along * gust * wide.sin(), along * 0.3 * small.sin())
}

fn moved(t: f64, at: Point) -> Point {
    let (wide, small) = waves(t, at);
    let along = (at.x / f64::from(CLOTH.0)).clamp(0.0, 1.1);
    // It swings up and down, is drawn in where it bulges, and hangs the more the further it is from the staff.
    Point::new(-22.0 * along * (wide * wide + small) - 8.0 * along, 34.0 * wide + 30.0 * small + 26.0 * along * along)
}

/// Bright where it turns towards the sun, which stands at the upper left.
fn shade(t: f64, at: Point) -> f32 {
    let step = 6.0;
    let rise = |by: Point| {
        let height = |at: Point| {
            let (wide, small) = waves(t, at);
            wide + small
        };
        (height(at + by) - height(at - by)) / 2.0
    };
    let slope = 2.6 * rise(Point::new(step, 0.0)) + 0.8 * rise(Point::new(0.0, step));
    (1.0 + 2.4 * slope).clamp(0.5, 1.4) as f32
}

/// Two fields with a swallow tail, a border of cogs, sewn seams; its middle is left free for a crest.
fn works() -> Canvas {
    let (wide, high) = CLOTH;
    let mut c = Canvas::new(wide as u32, high as u32);
    let tail =
        [(0.0, 14.0), (wide - 6.0, 60.0), (wide - 190.0, high / 2.0), (wide - 6.0, high - 60.0), (0.0, high - 14.0)];
    c.poly(0x8a2a1e, &tail);
    c.poly(0x1f4a63, &[(0.0, high / 2.0), (wide - 190.0, high / 2.0), (wide - 6.0, high - 60.0), (0.0, high - 14.0)]);
    c.poly(
        0xe7dcc0,
        &[
            (0.0, 0.42 * high),
            (wide - 160.0, 0.46 * high),
            (wide - 190.0, high / 2.0),
            (wide - 160.0, 0.54 * high),
            (0.0, 0.58 * high),
        ],
    );
    for i in 0..9 {
        let x = 70.0 + 104.0 * i as f32;
        let lean = 0.04 * x;
        c.cog(0xd9b45c, x, 62.0 + lean, 26.0);
        c.cog(0xd9b45c, x, high - 62.0 - lean, 26.0);
    }
    c.oval(0xf0e8d2, 430.0, high / 2.0, 190.0, 172.0);
    c.oval(0x2b3b34, 430.0, high / 2.0, 178.0, 160.0);
    c.oval(0xe7dcc0, 430.0, high / 2.0, 168.0, 150.0);
    for (x, y) in [(770.0, 178.0), (850.0, 196.0), (770.0, 382.0), (850.0, 366.0)] {
        c.cog(0xefe3c2, x, y, 34.0);
        c.circle(0x8a2a1e, x, y, 12.0);
    }
    for y in [30.0, high - 30.0] {
        c.line(0xcbb98c, 5.0, &[(4.0, y), (wide - 60.0, if y < 100.0 { 74.0 } else { high - 74.0 })]);
    }
    c.rect(0xd8cdb2, 0.0, 14.0, 26.0, high - 28.0);
    for i in 0..6 {
        c.circle(0x5b4a2a, 13.0, 44.0 + 94.0 * i as f32, 7.0);
    }
    c
}

/// Woven: threads both ways, a little worn and dirty.
fn woven() -> Texture {
    Texture::from_drawing(&works().pixels, |x, y| {
        let threads = 0.045 * ((x * 1.55).sin() + (y * 1.55).sin());
        let worn =
            0.26 * (layered(x / 26.0, y / 26.0, 5, 711) - 0.5) + 0.16 * (smooth(x / 120.0, y / 150.0, 712) - 0.5);
        1.0 + threads + worn
    })
}

fn staff() -> Texture {
    let (wood, shine, brass) = (rgb(0x6d4d2f), rgb(0xc39a66), rgb(0xd9b45c));
    Texture::from_fn(60, 1100, |x, y| {
        let knob = ((x - 30.0).powi(2) + (y - 30.0).powi(2)).sqrt();
        if knob < 28.0 {
            let light = 0.7 + 0.6 * (1.0 - ((x - 22.0).powi(2) + (y - 20.0).powi(2)).sqrt() / 30.0);
            return (brass.map(|v| v * light), (28.0 - knob).min(1.0));
        }
        let across = (x - 30.0).abs();
        let grain = 0.85 + 0.3 * layered(x / 3.0, y / 60.0, 4, 721);
        let round = (1.0 - ((x - 26.0) / 12.0).powi(2)).max(0.0);
        let cover = if y > 40.0 { (12.0 - across).clamp(0.0, 1.0) } else { 0.0 };
        (mix(wood, shine, round * 0.7).map(|v| v * grain), cover)
    })
}

/// The shot.
pub fn pennant() -> Shot {
    let cloth = Cloth { moved: Box::new(moved), shade: Box::new(shade), reach: 110.0 };
    let cloth = Layer { cloth: Some(cloth), ..Layer::still("pennant", woven(), flown) };
    let beside = |t: f64| Pose::facing(TOP + hand(t) - Point::new(30.0 * SCALE, 44.0 * SCALE), SCALE);
    let far_away = |share: f64, place: Point| move |t: f64| Pose::facing(place + hand(t) * share, 1.0);
    let far = ridge(1500, 420, 130.0, 80.0, [0x3a5566, 0x5d7a80], 731).hazed(air(), 0.5).blurred(3);
    let near = ridge(1500, 420, 150.0, 60.0, [0x24402e, 0x56753c], 732).hazed(air(), 0.2).blurred(2);
    let layers = vec![
        Layer::still("sky", sky(1500, 800), far_away(0.2, Point::new(-60.0, -40.0))),
        Layer::still("far", far, far_away(0.4, Point::new(-60.0, 360.0))),
        Layer::still("near", near, far_away(0.6, Point::new(-60.0, 470.0))),
        Layer::still("meadow", meadow(1500, 240, 30.0, 733), far_away(0.8, Point::new(-60.0, 590.0))),
        Layer::still("staff", staff(), beside),
        cloth,
    ];
    let at = |name, x: f64, y: f64| TruePoint { name, layer: "pennant", at: Point::new(x, y), hidden_by: Vec::new() };
    let points = vec![
        at("hoist top", 40.0, 60.0),
        at("hoist foot", 40.0, 500.0),
        at("shield left", 250.0, 280.0),
        at("shield right", 610.0, 280.0),
        at("shield top", 430.0, 112.0),
        at("shield foot", 430.0, 448.0),
        at("cog 1", 770.0, 178.0),
        at("cog 2", 850.0, 196.0),
        at("cog 3", 770.0, 382.0),
        at("cog 4", 850.0, 366.0),
    ];
    let rim = RIM.iter().map(|(name, x, y)| at(name, *x, *y));
    let points = points.into_iter().chain(rim).collect();
    let pulled = |t: f64| 2.6 * (-((t - 78.0) / 16.0).powi(2)).exp();
    Shot { defocus: pulled, layers, points, ..filmed("Pennant", FRAMES) }
}
