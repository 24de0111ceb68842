//! *Clock tower*: the camera rolls and zooms, and walks a little round the tower; below the clock is an empty stone
//! panel between four bosses.

use jampin_core::geometry::Point;

use super::filmed;
use super::landscape::{air, meadow, ridge, sky};
use crate::camera::{Layer, Pose, Shot, TruePoint};
use crate::canvas::Canvas;
use crate::noise::{hash, layered, smooth};
use crate::texture::{Texture, mix, rgb};

const FRAMES: u32 = 150;
/// The face of the tower as painted.
const FACE: (f32, f32) = (760.0, 1500.0);
/// The middle of the clock, about which everything turns.
const CLOCK: (f32, f32) = (380.0, 470.0);
const DIAL: f32 = 190.0;
/// The bosses at the corners of the panel, from the top left clockwise.
const BOSSES: [(&str, f32, f32); 4] =
    [("boss 1", 150.0, 760.0), ("boss 2", 610.0, 760.0), ("boss 3", 610.0, 1080.0), ("boss 4", 150.0, 1080.0)];

/// How far the move has come, eased.
fn eased(t: f64) -> f64 {
    let s = (t / f64::from(FRAMES)).clamp(-0.1, 1.1);
    s * s * (3.0 - 2.0 * s)
}

/// The tower's face as the camera sees it: rolling one way and back, zooming in, with an unsteady hand.
fn face(t: f64) -> Pose {
    let sway = |fast: f64, phase: f64| (t * fast + phase).sin();
    let ease = eased(t);
    Pose {
        at: Point::new(
            626.0 + 26.0 * ease + 4.0 * sway(0.07, 0.0) + 0.7 * sway(0.31, 1.0),
            250.0 + 6.0 * ease + 4.0 * sway(0.053, 0.8) + 0.7 * sway(0.27, 0.0),
        ),
        scale: 0.5 + 0.2 * ease,
        turn: 0.15 * (t * std::f64::consts::TAU / 118.0).sin() + 0.004 * sway(0.2, 0.3),
        tilt: Point::new(0.000_24 - 0.000_4 * ease, 0.000_06),
    }
}

/// What is far away turns and grows with the camera, and moves less.
fn beyond(depth: f64, place: Point) -> impl Fn(f64) -> Pose + Sync + Send {
    move |t| {
        let tower = face(t);
        let middle = Point::new(640.0, 360.0);
        let zoom = 1.0 + 0.4 * eased(t);
        let (sin, cos) = tower.turn.sin_cos();
        let walked = Point::new(-90.0 * depth * (eased(t) - 0.5), 0.0);
        let from = (place + walked) * zoom;
        Pose {
            at: middle + Point::new(cos * from.x - sin * from.y, sin * from.x + cos * from.y),
            scale: zoom,
            turn: tower.turn,
            tilt: Point::default(),
        }
    }
}

fn dial(c: &mut Canvas) {
    let (x, y) = CLOCK;
    c.circle(0x3a352e, x + 6.0, y + 8.0, DIAL + 22.0);
    c.circle(0x7d6f58, x, y, DIAL + 20.0);
    c.circle(0x2c3a44, x, y, DIAL + 6.0);
    c.circle(0xf1ead8, x, y, DIAL);
    for minute in 0..60 {
        let (sin, cos) = (minute as f32 / 60.0 * std::f32::consts::TAU).sin_cos();
        let (from, width) = if minute % 5 == 0 { (DIAL - 34.0, 11.0) } else { (DIAL - 15.0, 3.0) };
        let end = |reach: f32| (x + reach * cos, y + reach * sin);
        c.line(0x20262c, width, &[end(from), end(DIAL - 8.0)]);
    }
    c.cog(0xd9cba9, x, y, 74.0);
    let hand = |c: &mut Canvas, angle: f32, reach: f32, width: f32| {
        let (sin, cos) = angle.sin_cos();
        let side = |along: f32, across: f32| (x + along * cos - across * sin, y + along * sin + across * cos);
        c.poly(
            0x8c2b1b,
            &[
                side(-36.0, width),
                side(reach * 0.8, width),
                side(reach, 0.0),
                side(reach * 0.8, -width),
                side(-36.0, -width),
            ],
        );
    };
    hand(c, -2.1, 112.0, 9.0);
    hand(c, -0.35, 158.0, 6.0);
    c.circle(0x20262c, x, y, 17.0);
    c.circle(0xd9a441, x, y, 8.0);
}

fn panel(c: &mut Canvas) {
    let (left, top, right, bottom) = (150.0, 760.0, 610.0, 1080.0);
    c.rect(0x5d5347, left - 6.0, top - 6.0, right - left + 12.0, bottom - top + 12.0);
    c.graded(0xcdbf9f, 0xb7a888, left, top, right - left, bottom - top);
    for (_, x, y) in BOSSES {
        c.circle(0x3c342b, x + 3.0, y + 4.0, 25.0);
        c.circle(0x7a5b2e, x, y, 24.0);
        c.cog(0xe2b75a, x, y, 19.0);
        c.circle(0x4a3720, x, y, 7.0);
    }
}

fn works() -> Canvas {
    let mut c = Canvas::new(FACE.0 as u32, FACE.1 as u32);
    // Cornice, string course, quoins.
    for (y, height, hex) in
        [(0.0, 46.0, 0x9c8b6e), (46.0, 16.0, 0x6d5f4a), (690.0, 26.0, 0xa89679), (716.0, 10.0, 0x6b5d49)]
    {
        c.rect(hex, 0.0, y, FACE.0, height);
    }
    for i in 0..24 {
        let (y, wide) = (62.0 + 60.0 * i as f32, if i % 2 == 0 { 84.0 } else { 56.0 });
        for left in [0.0, FACE.0 - wide] {
            c.rect(0xb9a98a, left + 2.0, y + 2.0, wide - 4.0, 56.0);
        }
    }
    for x in [150.0, 560.0] {
        c.rect(0x4b4236, x - 4.0, 96.0, 58.0, 118.0);
        c.rect(0x26303a, x, 100.0, 50.0, 110.0);
        for i in 0..7 {
            c.line(0x75818a, 5.0, &[(x, 110.0 + 15.0 * i as f32), (x + 50.0, 104.0 + 15.0 * i as f32)]);
        }
    }
    c.rect(0x3f362b, 300.0, 1170.0, 160.0, 330.0);
    c.rect(0x5f3b27, 310.0, 1180.0, 140.0, 320.0);
    c.line(0x3f2618, 4.0, &[(380.0, 1180.0), (380.0, 1500.0)]);
    panel(&mut c);
    dial(&mut c);
    c
}

fn stone() -> Texture {
    let drawn = Texture::from_drawing(&works().pixels, |x, y| {
        0.8 + 0.3 * layered(x / 12.0, y / 12.0, 4, 411) - 0.12 * (x / FACE.0)
    });
    let (warm, grey, joint) = (rgb(0xb59a72), rgb(0x968a78), rgb(0x5b5145));
    Texture::from_fn(FACE.0 as usize, FACE.1 as usize, |x, y| {
        let row = (y / 40.0).floor();
        let shift = if row as i32 % 2 == 0 { 0.0 } else { 46.0 };
        let (block_x, block_y) = ((x + shift) / 92.0, y / 40.0);
        let own = hash(block_x as i32, block_y as i32, 421);
        let edge = (block_x.fract() * 92.0)
            .min(92.0 - block_x.fract() * 92.0)
            .min((block_y.fract() * 40.0).min(40.0 - block_y.fract() * 40.0));
        let rough = layered(x / 7.0, y / 7.0, 4, 422);
        let stain = smooth(x / 60.0, y / 170.0, 423);
        let face =
            mix(warm, grey, own * 0.9 + 0.3 * (rough - 0.5)).map(|v| v * (0.62 + 0.5 * rough + 0.18 * (own - 0.5)));
        let face = mix(joint, face, (edge - 1.0) / 2.5).map(|v| v * (1.05 - 0.25 * stain) * (1.05 - 0.2 * x / FACE.0));
        let [r, g, b, a] = drawn.sample(x, y);
        ([r + face[0] * (1.0 - a), g + face[1] * (1.0 - a), b + face[2] * (1.0 - a)], 1.0)
    })
}

/// A branch with leaves, near the camera at the right: what stands in front.
fn branch() -> Texture {
    let (dark, bright) = (rgb(0x1d2f17), rgb(0x4f6d2b));
    Texture::from_fn(520, 420, |x, y| {
        let leaves = layered(x / 16.0, y / 13.0, 4, 431);
        let away = (520.0 - x) / 520.0;
        let reach = 1.25 - 1.6 * away - 0.9 * ((y - 190.0) / 260.0).abs();
        let cover = ((leaves - 0.62 + 0.5 * reach.min(0.6)) * 9.0).clamp(0.0, 1.0);
        (mix(dark, bright, (leaves - 0.4) * 2.0).map(|v| v * 0.7), cover)
    })
}

/// The shot.
pub fn clock_tower() -> Shot {
    let mut tower = Layer::still("tower", stone(), face);
    tower.anchor = Point::new(f64::from(CLOCK.0), f64::from(CLOCK.1));
    let far = ridge(2300, 420, 120.0, 70.0, [0x3a5566, 0x5d7a80], 441).hazed(air(), 0.5);
    let near = ridge(2300, 520, 140.0, 60.0, [0x24402e, 0x56753c], 442).hazed(air(), 0.2);
    let layers = vec![
        Layer::still("sky", sky(2400, 1500), beyond(0.03, Point::new(-1200.0, -900.0))),
        Layer::still("far", far, beyond(0.15, Point::new(-1150.0, 20.0))),
        Layer::still("near", near, beyond(0.4, Point::new(-1150.0, 120.0))),
        Layer::still("meadow", meadow(2400, 700, 40.0, 443), beyond(0.8, Point::new(-1200.0, 300.0))),
        tower,
        Layer::still("branch", branch(), beyond(1.6, Point::new(240.0, -420.0))),
    ];
    let point = |name, x: f32, y: f32| TruePoint {
        name,
        layer: "tower",
        at: Point::new(f64::from(x), f64::from(y)),
        hidden_by: vec!["branch"],
    };
    let points = BOSSES.map(|(name, x, y)| point(name, x, y)).into_iter().chain([point("hub", CLOCK.0, CLOCK.1)]);
    Shot { samples: 2, layers, points: points.collect(), ..filmed("Clock tower", FRAMES) }
}
