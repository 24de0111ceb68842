//! Trial shots: one difficulty each, with exact motion, for measuring. A rough-cast station wall with signs moves
//! before the camera (or the camera before the wall: it is the same).

use jampin_core::geometry::{Point, Size};

use crate::camera::{Layer, Pose, Shot, TruePoint};
use crate::canvas::Canvas;
use crate::noise::{layered, smooth};
use crate::texture::Texture;

const SIZE: Size = Size::new(640, 360);

/// A wall, larger than the picture, with signs in a row. Spots of it to follow are at [`SPOTS`] from its middle.
pub(super) fn wall(width: u32, height: u32, unit: f32) -> Texture {
    let mut c = Canvas::new(width, height);
    c.rect(0x9a8c78, 0.0, 0.0, width as f32, height as f32);
    let (mx, my) = (width as f32 / 2.0, height as f32 / 2.0);
    let rows = (height as f32 / (26.0 * unit)) as i32 + 1;
    for row in 0..rows {
        let y = row as f32 * 26.0 * unit;
        c.line(0x6f6353, 2.0 * unit, &[(0.0, y), (width as f32, y)]);
        let shift = if row % 2 == 0 { 0.0 } else { 31.0 * unit };
        let count = (width as f32 / (62.0 * unit)) as i32 + 1;
        (0..count).for_each(|i| {
            let x = i as f32 * 62.0 * unit + shift;
            c.line(0x6f6353, 2.0 * unit, &[(x, y), (x, y + 26.0 * unit)]);
        });
    }
    for (i, (x, y)) in SPOTS.into_iter().enumerate() {
        let (x, y) = (mx + x as f32 * unit, my + y as f32 * unit);
        match i {
            0 => {
                c.circle(0xe8dcc0, x, y, 26.0 * unit);
                c.cog(0x8c2f23, x, y, 21.0 * unit);
                c.circle(0xe8dcc0, x, y, 7.0 * unit);
            }
            1 => {
                c.rect(0x203a4c, x - 30.0 * unit, y - 19.0 * unit, 60.0 * unit, 38.0 * unit);
                let stroke = |x0: f32, y0: f32, x1: f32, y1: f32| {
                    [(x + x0 * unit, y + y0 * unit), (x + x1 * unit, y + y1 * unit)]
                };
                for line in [
                    stroke(-20.0, -10.0, -20.0, 10.0),
                    stroke(-20.0, 10.0, -9.0, -10.0),
                    stroke(-9.0, -10.0, -9.0, 10.0),
                    stroke(1.0, -10.0, 12.0, -10.0),
                    stroke(12.0, -10.0, 2.0, 10.0),
                    stroke(2.0, 10.0, 20.0, 8.0),
                ] {
                    c.line(0xf0e6c8, 4.0 * unit, &line);
                }
            }
            _ => {
                let dots = (0..34).map(|k| (layered(k as f32 * 1.7, 3.1, 2, 5), layered(2.3, k as f32 * 1.3, 2, 9), k));
                for (u, v, k) in dots {
                    let hex = [0x554a3e, 0xc9bda6, 0x7d3b2c][k % 3];
                    c.circle(hex, x + (u - 0.5) * 110.0 * unit, y + (v - 0.5) * 110.0 * unit, (2.0 + 4.0 * u) * unit);
                }
            }
        }
    }
    Texture::from_drawing(&c.pixels, move |x, y| {
        0.72 + 0.5 * layered(x / (9.0 * unit), y / (9.0 * unit), 4, 21)
            - 0.2 * smooth(x / (3.0 * unit), y / (3.0 * unit), 8)
    })
}

/// Spots to follow, from the wall's middle: a round sign, a number plate, rough plaster.
const SPOTS: [(f64, f64); 3] = [(-30.0, -12.0), (92.0, 38.0), (-128.0, 58.0)];
const NAMES: [&str; 3] = ["sign", "plate", "plaster"];

/// A facade of equal windows.
fn windows(width: u32, height: u32) -> Texture {
    let mut c = Canvas::new(width, height);
    c.rect(0xb9a88a, 0.0, 0.0, width as f32, height as f32);
    for row in 0..height as i32 / 74 + 1 {
        for col in 0..width as i32 / 58 + 1 {
            let (x, y) = (col as f32 * 58.0 + 12.0, row as f32 * 74.0 + 14.0);
            c.rect(0xe9e2d0, x - 3.0, y - 3.0, 34.0, 50.0);
            c.graded(0x2b3b46, 0x566a74, x, y, 28.0, 44.0);
            c.rect(0xe9e2d0, x + 12.5, y, 3.0, 44.0);
            c.rect(0xe9e2d0, x, y + 20.0, 28.0, 3.0);
        }
    }
    Texture::from_drawing(&c.pixels, |x, y| 0.86 + 0.2 * layered(x / 6.0, y / 6.0, 3, 4))
}

fn post(width: u32, height: u32) -> Texture {
    let mut c = Canvas::new(width, height);
    c.graded(0x2d3338, 0x454d52, 0.0, 0.0, width as f32, height as f32);
    (0..6).for_each(|i| c.rect(0x59636a, i as f32 * 11.0, 0.0, 2.0, height as f32));
    Texture::from_drawing(&c.pixels, |x, y| 0.8 + 0.4 * layered(x / 5.0, y / 14.0, 3, 2))
}

pub(super) fn base(name: &'static str, frames: u32) -> Shot {
    Shot {
        name,
        size: SIZE,
        frames,
        rate: 25,
        shutter: 0.5,
        grain: 2.0,
        defocus: |_| 0.0,
        light: |_| 1.0,
        readout: 0.0,
        samples: 2,
        layers: Vec::new(),
        points: Vec::new(),
    }
}

fn points(texture: Point, unit: f64, hidden_by: &[&'static str]) -> Vec<TruePoint> {
    let spots = NAMES.into_iter().zip(SPOTS);
    spots
        .map(|(name, (x, y))| TruePoint {
            name,
            layer: "wall",
            at: texture + Point::new(x, y) * unit,
            hidden_by: hidden_by.to_vec(),
        })
        .collect()
}

/// The wall as the only layer, put down by its middle.
fn moving_wall(
    name: &'static str,
    frames: u32,
    unit: f32,
    (width, height): (u32, u32),
    pose: impl Fn(f64) -> Pose + Sync + Send + 'static,
) -> Shot {
    let middle = Point::new(f64::from(width) / 2.0, f64::from(height) / 2.0);
    let layer = Layer { anchor: middle, ..Layer::still("wall", wall(width, height, unit), pose) };
    Shot { layers: vec![layer], points: points(middle, f64::from(unit), &[]), ..base(name, frames) }
}

fn middle() -> Point {
    Point::new(f64::from(SIZE.width) / 2.0, f64::from(SIZE.height) / 2.0)
}

/// A hand-held camera: slow sway and quick tremor, in pixels.
fn shake(t: f64, size: f64) -> Point {
    let tremor = |a: f64, b: f64, c: f64| (t * a).sin() + 0.6 * (t * b + 1.3).sin() + 0.35 * (t * c + 0.4).sin();
    Point::new(tremor(0.21, 0.83, 1.97), tremor(0.17, 0.71, 2.21)) * size
}

/// Distance of a pan that is slow, then fast, then slow, in pixels.
fn slow_fast_slow(t: f64) -> f64 {
    let ramp = |from: f64, length: f64| {
        let s = ((t - from) / length).clamp(0.0, 1.0);
        length * (s.powi(3) - s.powi(4) / 2.0) + (t - from - length).max(0.0)
    };
    1.5 * t + 28.5 * (ramp(30.0, 24.0) - ramp(42.0, 24.0))
}

/// A ball of one colour that rolls along a wall: nothing but its edge tells where it is.
pub fn plain_ball() -> Shot {
    let mut c = Canvas::new(72, 72);
    c.circle(0xd9a441, 36.0, 36.0, 30.0);
    let ball = Texture::from_drawing(&c.pixels, |_, _| 1.0);
    let at = |t: f64| Point::new(170.0 + 4.6 * t, 190.0 + 38.0 * (t * 0.13).sin());
    let mut shot = moving_wall("plain ball", 120, 1.0, (900, 560), move |_| still_at(middle()));
    let centre = Point::new(36.0, 36.0);
    shot.layers.push(Layer { anchor: centre, ..Layer::still("ball", ball, move |t| still_at(at(t))) });
    shot.points.push(TruePoint { name: "ball", layer: "ball", at: centre, hidden_by: Vec::new() });
    shot
}

fn still_at(at: Point) -> Pose {
    Pose::facing(at, 1.0)
}

/// All trial shots.
pub fn trials() -> Vec<Shot> {
    let drift = moving_wall("slow drift", 300, 1.0, (900, 560), move |t| {
        still_at(middle() + Point::new(0.27 * t - 40.0, 9.0 * (t * 0.02).sin()))
    });
    let mut pan = moving_wall("slow, fast, slow", 110, 1.0, (1500, 560), move |t| {
        still_at(middle() + Point::new(200.0 - slow_fast_slow(t), 4.0 * (t * 0.05).sin()))
    });
    // The fast part takes them out of the picture one after the other.
    pan.points.truncate(2);
    let mut poles = moving_wall("behind a pole, twice", 160, 1.0, (1100, 560), move |t| {
        still_at(middle() + Point::new(3.1 * t - 230.0, 6.0 * (t * 0.06).sin()))
    });
    for (name, x) in [("left post", 250.0), ("right post", 430.0)] {
        poles.layers.push(Layer::still(name, post(72, 400), move |_| Pose::facing(Point::new(x, -20.0), 1.0)));
    }
    poles.points = points(Point::new(550.0, 280.0), 1.0, &["left post", "right post"]);
    let light = moving_wall("light and flicker", 160, 1.0, (900, 560), move |t| {
        still_at(middle() + Point::new(0.9 * t - 70.0, 10.0 * (t * 0.05).cos()))
    });
    let light = Shot { light: |t| 0.7 + 0.28 * (t * 0.11).sin() + 0.05 * (t * 2.6).sin(), ..light };
    let turn = moving_wall("turn and zoom", 160, 2.0, (1800, 1120), move |t| {
        let scale = 0.5 * (0.06 + (0.48 * (t * 0.055).sin())).exp();
        let at = middle() + Point::new(12.0 * (t * 0.05).sin(), 8.0 * (t * 0.04).cos());
        Pose { turn: 25f64.to_radians() * (t * 0.045).sin(), ..Pose::facing(at, scale) }
    });
    let turn = Shot { samples: 2, ..turn };
    let tilt = moving_wall("tilting plane", 140, 2.0, (1800, 1120), move |t| Pose {
        tilt: Point::new(0.00075 * (t * 0.06).sin(), 0.0005 * (t * 0.045 + 0.3).sin()),
        ..Pose::facing(middle() + Point::new(0.4 * t - 20.0, 0.0), 0.55)
    });
    let tilt = Shot { samples: 2, ..tilt };
    let defocus = moving_wall("defocus", 150, 1.0, (900, 560), move |t| {
        still_at(middle() + Point::new(0.5 * t - 40.0, 5.0 * (t * 0.06).sin()))
    });
    let defocus = Shot { defocus: |t| 3.0 - 3.0 * (t * std::f64::consts::TAU / 150.0).cos(), ..defocus };
    let leaves = moving_wall("leaves and returns", 200, 1.0, (1900, 560), move |t| {
        still_at(middle() + Point::new(430.0 * (t * std::f64::consts::TAU / 200.0).sin(), 0.15 * t))
    });
    let facade =
        Layer::still("wall", windows(1300, 740), |t| Pose::facing(Point::new(-310.0, -190.0) + shake(t, 4.0), 1.0));
    let panes = Shot {
        layers: vec![facade],
        points: [("upper pane", (620.0, 332.0)), ("lower pane", (736.0, 406.0))]
            .map(|(name, (x, y))| TruePoint { name, layer: "wall", at: Point::new(x, y), hidden_by: Vec::new() })
            .to_vec(),
        ..base("repeated windows", 150)
    };
    let grain = moving_wall("strong grain", 160, 1.0, (900, 560), move |t| {
        still_at(middle() + Point::new(0.8 * t - 60.0, 0.0) + shake(t, 0.8))
    });
    let grain = Shot { grain: 14.0, ..grain };
    let codec = moving_wall("low bit rate", 160, 1.0, (900, 560), move |t| {
        still_at(middle() + Point::new(0.7 * t - 50.0, 0.0) + shake(t, 1.2))
    });
    let huge = moving_wall("3840x2160", 48, 3.0, (5200, 3200), move |t| {
        still_at(Point::new(1920.0, 1080.0) + Point::new(4.3 * t - 90.0, 0.0) + shake(t, 3.0))
    });
    let huge = Shot { size: Size::new(3840, 2160), ..huge };
    vec![drift, pan, poles, light, turn, tilt, defocus, leaves, panes, grain, codec, huge]
}
