//! People of the open day, from the side, walking. Body and legs are layers of their own: the body moves smoothly, so
//! that points on it have an exact place; the legs are a handful of pictures shown in turn.

use jampin_core::geometry::Point;

use crate::camera::{Layer, Pose};
use crate::canvas::Canvas;
use crate::noise::{layered, smooth};
use crate::texture::Texture;

/// Pictures of one step and the next.
pub(super) const PHASES: usize = 16;
/// Size of the body as painted, in pixels.
const BODY: (u32, u32) = (150, 250);
/// Where the hips are on the body.
const HIPS: Point = Point::new(75.0, 214.0);
/// Size of the legs as painted, and where the hips are on them.
const LEGS: (u32, u32) = (180, 170);
const LEGS_HIPS: Point = Point::new(90.0, 14.0);
/// Length of a whole step of both legs, in pixels of the ground.
pub(super) const STRIDE: f64 = 190.0;

/// Legs and body of somebody who turns round at the time `turns`; the body's name first. `hips` says where they are,
/// `phase` which picture of the step is shown, both by time in frames.
pub(super) fn person(
    [upper, lower]: [&'static str; 2],
    dress: Dress,
    turns: f64,
    hips: impl Fn(f64) -> Pose + Copy + Sync + Send + 'static,
    phase: impl Fn(f64) -> usize + Sync + Send + 'static,
) -> [Layer; 2] {
    let both_ways = |pictures: Vec<Texture>| {
        let mirrored: Vec<Texture> = pictures.iter().map(Texture::mirrored).collect();
        pictures.into_iter().chain(mirrored).collect::<Vec<_>>()
    };
    let layer = |name, pictures, anchor, picture: Box<dyn Fn(f64) -> usize + Sync + Send>| Layer {
        name,
        textures: both_ways(pictures),
        anchor,
        pose: Box::new(hips),
        picture,
        adds: false,
        cloth: None,
    };
    let seen = Box::new(move |t: f64| usize::from(t >= turns));
    let legs = Box::new(move |t: f64| if t < turns { phase(t) } else { 2 * PHASES - 1 - phase(t) });
    [layer(lower, walk(dress), LEGS_HIPS, legs), layer(upper, vec![body(dress)], HIPS, seen)]
}

/// How somebody is dressed.
#[derive(Clone, Copy)]
pub(super) struct Dress {
    pub coat: u32,
    pub coat_shade: u32,
    pub trousers: u32,
    pub shoes: u32,
    pub skin: u32,
    pub hair: u32,
    pub kind: Kind,
}

#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Kind {
    Guard,
    Hiker,
    Child,
}

/// The middle of the guard's cap badge.
pub(super) const BADGE: Point = Point::new(92.5, 30.5);
/// The guard's lantern patch on the sleeve.
pub(super) const SLEEVE: Point = Point::new(70.5, 128.5);
/// The sewn sign on the hiker's rucksack.
pub(super) const RUCKSACK: Point = Point::new(40.5, 128.5);
/// The star on the child's jacket: in its middle, so that it stays there when the child turns round.
pub(super) const STAR: Point = Point::new(75.0, 132.5);

fn body(dress: Dress) -> Texture {
    let mut c = Canvas::new(BODY.0, BODY.1);
    if dress.kind == Kind::Hiker {
        rucksack(&mut c);
    }
    torso(&mut c, dress);
    head(&mut c, dress);
    match dress.kind {
        Kind::Guard => guard(&mut c),
        Kind::Hiker => hiker(&mut c),
        Kind::Child => striped(&mut c),
    }
    arm(&mut c, dress);
    if dress.kind == Kind::Child {
        star(&mut c);
    }
    let seed = dress.coat;
    Texture::from_drawing(&c.pixels, move |x, y| {
        let side = 1.1 - 0.42 * ((75.0 - x) / 45.0).clamp(-0.4, 1.0);
        let folds = 0.82 + 0.36 * layered(x / 16.0, y / 30.0, 4, seed);
        side * folds * (0.95 + 0.1 * smooth(x / 1.5, y / 1.5, seed + 4))
    })
}

fn torso(c: &mut Canvas, d: Dress) {
    c.poly(
        d.coat_shade,
        &[
            (50.0, 88.0),
            (62.0, 76.0),
            (94.0, 76.0),
            (106.0, 90.0),
            (108.0, 150.0),
            (112.0, 238.0),
            (42.0, 238.0),
            (46.0, 150.0),
        ],
    );
    c.poly(
        d.coat,
        &[(60.0, 78.0), (92.0, 78.0), (104.0, 92.0), (104.0, 150.0), (108.0, 236.0), (58.0, 236.0), (56.0, 150.0)],
    );
    c.line(d.coat_shade, 2.0, &[(92.0, 84.0), (96.0, 150.0), (98.0, 234.0)]);
    c.rect(d.coat_shade, 48.0, 172.0, 60.0, 5.0);
}

fn head(c: &mut Canvas, d: Dress) {
    c.poly(d.skin, &[(68.0, 64.0), (88.0, 64.0), (90.0, 80.0), (66.0, 80.0)]);
    c.oval(d.skin, 80.0, 48.0, 18.0, 22.0);
    c.oval(d.hair, 70.0, 42.0, 12.0, 18.0);
    c.poly(d.skin, &[(97.0, 46.0), (103.0, 54.0), (96.0, 56.0)]);
    c.circle(0x2b211c, 91.0, 45.0, 2.0);
    c.line(0x8a4a40, 2.0, &[(89.0, 61.0), (95.0, 60.0)]);
    c.oval(d.skin, 73.0, 50.0, 4.0, 6.0);
}

fn arm(c: &mut Canvas, d: Dress) {
    c.line(d.coat_shade, 25.0, &[(70.0, 98.0), (66.0, 138.0), (78.0, 172.0)]);
    c.line(d.coat, 20.0, &[(71.0, 98.0), (68.0, 138.0), (79.0, 171.0)]);
    c.circle(d.skin, 83.0, 183.0, 9.0);
    if d.kind == Kind::Guard {
        let (x, y) = (SLEEVE.x as f32, SLEEVE.y as f32);
        c.cog(0xd9b23f, x, y, 10.0);
        c.circle(0x1c2c46, x, y, 5.5);
        c.circle(0xe8d9a8, x, y, 2.2);
        for ring in 0..2 {
            c.line(0xd9b23f, 2.4, &[(67.0, 156.0 + ring as f32 * 6.0), (84.0, 150.0 + ring as f32 * 6.0)]);
        }
    }
}

fn guard(c: &mut Canvas) {
    c.poly(0x16233a, &[(56.0, 34.0), (60.0, 18.0), (98.0, 16.0), (104.0, 32.0)]);
    c.rect(0xb5351f, 57.0, 31.0, 46.0, 5.0);
    c.poly(0x0d0f14, &[(90.0, 35.0), (114.0, 40.0), (112.0, 43.0), (88.0, 39.0)]);
    c.cog(0xe8c656, BADGE.x as f32, BADGE.y as f32 - 4.0, 7.0);
    c.circle(0x8d2716, BADGE.x as f32, BADGE.y as f32 - 4.0, 3.0);
    for i in 0..6 {
        c.circle(0xe8c656, 99.0 + i as f32 * 0.7, 96.0 + i as f32 * 22.0, 3.2);
        c.circle(0x7d6420, 99.6 + i as f32 * 0.7, 97.0 + i as f32 * 22.0, 1.2);
    }
    c.line(0x6b4a2c, 5.0, &[(60.0, 86.0), (102.0, 168.0)]);
    c.rect(0x7a5431, 96.0, 166.0, 20.0, 22.0);
    c.rect(0xcfa349, 104.0, 172.0, 5.0, 5.0);
}

fn rucksack(c: &mut Canvas) {
    c.poly(0x3d5a49, &[(20.0, 100.0), (30.0, 88.0), (62.0, 88.0), (62.0, 184.0), (26.0, 184.0), (18.0, 170.0)]);
    c.poly(0x2c4436, &[(20.0, 150.0), (62.0, 150.0), (62.0, 184.0), (26.0, 184.0)]);
    c.rect(0x8a6a3d, 26.0, 106.0, 34.0, 5.0);
    let (x, y) = (RUCKSACK.x as f32, RUCKSACK.y as f32);
    c.rect(0xf1e7cf, x - 13.0, y - 13.0, 26.0, 26.0);
    c.rect(0xb5351f, x - 13.0, y - 13.0, 13.0, 13.0);
    c.rect(0x1f4e79, x, y, 13.0, 13.0);
    c.oval(0x8d8478, 42.0, 82.0, 26.0, 8.0);
}

fn hiker(c: &mut Canvas) {
    c.poly(0x8c3b2a, &[(58.0, 34.0), (66.0, 20.0), (92.0, 20.0), (101.0, 34.0)]);
    c.line(0x8c3b2a, 6.0, &[(50.0, 36.0), (108.0, 36.0)]);
    c.line(0xe8d9a8, 3.0, &[(60.0, 31.0), (100.0, 31.0)]);
    // A checked scarf.
    for i in 0..6 {
        for j in 0..3 {
            let hex = if (i + j) % 2 == 0 { 0xf0e6d0 } else { 0x1f4e79 };
            c.rect(hex, 62.0 + i as f32 * 6.0, 70.0 + j as f32 * 6.0, 6.0, 6.0);
        }
    }
    c.rect(0x1f4e79, 90.0, 84.0, 10.0, 34.0);
    for j in 0..5 {
        c.rect(0xf0e6d0, 90.0 + (j % 2) as f32 * 5.0, 86.0 + j as f32 * 6.5, 5.0, 6.5);
    }
    c.rect(0x9c7a28, 84.0, 188.0, 22.0, 4.0);
}

fn striped(c: &mut Canvas) {
    for i in 0..9 {
        let y = 88.0 + i as f32 * 16.0;
        c.line(0xf3ead6, 6.0, &[(58.0, y), (104.0, y - 3.0)]);
    }
    c.poly(0x2d6a4f, &[(56.0, 40.0), (60.0, 22.0), (94.0, 18.0), (102.0, 36.0)]);
    c.circle(0xf3ead6, 76.0, 17.0, 8.0);
}

fn star(c: &mut Canvas) {
    let (x, y) = (STAR.x as f32, STAR.y as f32);
    let points: Vec<(f32, f32)> = (0..10)
        .map(|i| {
            let (angle, reach) = (i as f32 * 0.6283 - 1.57, if i % 2 == 0 { 13.0 } else { 5.5 });
            (x + reach * angle.cos(), y + reach * angle.sin())
        })
        .collect();
    c.circle(0x20324a, x, y, 15.0);
    c.poly(0xf0c93a, &points);
}

/// The legs at one phase of the walk, 0 to 1.
fn legs(dress: Dress, phase: f32) -> Texture {
    let mut c = Canvas::new(LEGS.0, LEGS.1);
    let swing = |offset: f32| ((phase + offset) * std::f32::consts::TAU).sin();
    for (offset, shade) in [(0.5, 0.62), (0.0, 1.0)] {
        let s = swing(offset);
        let lift = ((phase + offset + 0.25) * std::f32::consts::TAU).sin().max(0.0);
        let (hip_x, hip_y) = (LEGS_HIPS.x as f32, LEGS_HIPS.y as f32);
        let knee = (hip_x + 26.0 * s + 8.0 * lift, hip_y + 62.0 - 4.0 * lift);
        let foot = (hip_x + 50.0 * s - 10.0 * lift, hip_y + 128.0 - 18.0 * lift);
        let dim = |hex: u32| {
            let part = |shift: u32| (((hex >> shift) & 255) as f32 * shade) as u32;
            part(16) << 16 | part(8) << 8 | part(0)
        };
        c.line(dim(dress.trousers), 26.0, &[(hip_x, hip_y + 6.0), knee]);
        c.line(dim(dress.trousers), 21.0, &[knee, foot]);
        c.poly(
            dim(dress.shoes),
            &[
                (foot.0 - 12.0, foot.1 + 14.0),
                (foot.0 - 12.0, foot.1),
                (foot.0 + 8.0, foot.1 - 2.0),
                (foot.0 + 24.0, foot.1 + 9.0),
                (foot.0 + 24.0, foot.1 + 14.0),
            ],
        );
    }
    let seed = dress.trousers;
    Texture::from_drawing(&c.pixels, move |x, y| 0.8 + 0.3 * layered(x / 9.0, y / 26.0, 3, seed) - 0.1 * y / 170.0)
}

fn walk(dress: Dress) -> Vec<Texture> {
    (0..PHASES).map(|i| legs(dress, i as f32 / PHASES as f32)).collect()
}
