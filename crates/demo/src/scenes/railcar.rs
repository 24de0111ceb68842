//! Railcar 27 of the Harrowmoss Cog Railway, from its side.

use jampin_core::geometry::Point;

use crate::canvas::Canvas;
use crate::noise::{layered, smooth};
use crate::texture::{Texture, rgb};

/// Size as painted, in pixels.
pub(super) const SIZE: (usize, usize) = (560, 236);
/// Where the wheels stand on the rail, below the middle.
pub(super) const FOOT: Point = Point::new(280.0, 222.0);
/// The lit headlamp at its front.
pub(super) const LAMP: Point = Point::new(533.5, 150.5);
/// The middle of the cog on its side.
pub(super) const EMBLEM: Point = Point::new(150.5, 138.5);
/// A corner of the number board.
pub(super) const NUMBER: Point = Point::new(424.5, 139.5);
/// Upper front corner of the second window.
pub(super) const WINDOW: Point = Point::new(240.5, 62.5);

pub(super) fn railcar() -> Texture {
    let mut c = Canvas::new(SIZE.0 as u32, SIZE.1 as u32);
    undercarriage(&mut c);
    body(&mut c);
    windows(&mut c);
    signs(&mut c);
    front(&mut c);
    Texture::from_drawing(&c.pixels, |x, y| {
        // Light from above and ahead, dust towards the ground, a little unevenness of the panels.
        let sun = 1.08 - 0.34 * ((y - 40.0) / 190.0).clamp(0.0, 1.0);
        let dust = 1.0 - 0.22 * ((y - 150.0) / 60.0).clamp(0.0, 1.0) * layered(x / 22.0, y / 10.0, 4, 31);
        let panel = 0.94 + 0.12 * layered(x / 70.0, y / 40.0, 4, 32);
        sun * dust * panel * (0.97 + 0.06 * smooth(x / 2.0, y / 2.0, 33))
    })
}

fn undercarriage(c: &mut Canvas) {
    c.rect(0x2a2826, 30.0, 176.0, 500.0, 14.0);
    for x in [96.0, 176.0, 384.0, 464.0] {
        c.circle(0x33302d, x, 204.0, 20.0);
        c.circle(0x6d675f, x, 204.0, 15.0);
        c.circle(0x33302d, x, 204.0, 12.0);
        for spoke in 0..6 {
            let angle = spoke as f32 * 1.047 + x;
            c.line(0x6d675f, 2.5, &[(x, 204.0), (x + 13.0 * angle.cos(), 204.0 + 13.0 * angle.sin())]);
        }
        c.circle(0x8d877d, x, 204.0, 4.0);
    }
    for x in [136.0, 424.0] {
        c.poly(0x3d3935, &[(x - 58.0, 188.0), (x + 58.0, 188.0), (x + 46.0, 206.0), (x - 46.0, 206.0)]);
        for bolt in -2..=2 {
            c.circle(0x77716a, x + bolt as f32 * 20.0, 196.0, 2.6);
        }
    }
    c.cog(0x55504a, 280.0, 200.0, 15.0);
    c.rect(0x3d3935, 214.0, 186.0, 132.0, 12.0);
    c.rect(0x1f1d1c, 14.0, 178.0, 22.0, 9.0);
    c.rect(0x1f1d1c, 526.0, 178.0, 24.0, 9.0);
}

fn body(c: &mut Canvas) {
    c.poly(0x6f6a62, &[(34.0, 30.0), (60.0, 17.0), (508.0, 17.0), (534.0, 30.0), (540.0, 40.0), (28.0, 40.0)]);
    for x in [120.0, 250.0, 380.0] {
        c.rect(0x58534c, x, 10.0, 44.0, 9.0);
        c.rect(0x847d73, x, 10.0, 44.0, 2.5);
    }
    c.graded(0xf0e3c0, 0xd9c796, 28.0, 38.0, 514.0, 76.0);
    c.graded(0xb5351f, 0x7e1f12, 28.0, 114.0, 514.0, 64.0);
    c.rect(0xe3c35c, 28.0, 111.0, 514.0, 4.0);
    c.rect(0xe3c35c, 28.0, 170.0, 514.0, 2.5);
    for x in (40..540).step_by(14) {
        c.circle(0xc9b27a, x as f32, 44.0, 1.2);
        c.circle(0x641a10, x as f32, 120.0, 1.2);
    }
    for x in [88.0, 206.0, 322.0, 474.0] {
        c.line(0x8a7a52, 1.2, &[(x, 40.0), (x, 110.0)]);
        c.line(0x5d160d, 1.2, &[(x, 116.0), (x, 176.0)]);
    }
}

fn windows(c: &mut Canvas) {
    for (i, x) in [104.0, 164.0, 222.0, 280.0, 338.0].into_iter().enumerate() {
        let (width, wide) = (46.0, 40.0);
        c.rect(0x5c3a22, x - 3.0, 55.0, width, 48.0);
        c.graded(0x8fb0c4, 0x2b3a44, x, 58.0, wide, 42.0);
        let slant = 8.0 + 5.0 * i as f32;
        c.poly(0xc4d8e0, &[(x + 4.0, 100.0), (x + slant, 58.0), (x + slant + 7.0, 58.0), (x + 12.0, 100.0)]);
        c.rect(0xd8c79a, x, 71.0, wide, 2.0);
        if i % 2 == 1 {
            c.circle(0x3f332b, x + 22.0, 86.0, 7.0);
            c.poly(0x4a5a3a, &[(x + 11.0, 100.0), (x + 16.0, 92.0), (x + 29.0, 92.0), (x + 34.0, 100.0)]);
        }
    }
    c.rect(0x8d2a19, 396.0, 50.0, 48.0, 126.0);
    c.rect(0x5c3a22, 402.0, 56.0, 36.0, 50.0);
    c.graded(0x9dbccd, 0x33454f, 405.0, 59.0, 30.0, 44.0);
    c.rect(0xe3c35c, 438.0, 118.0, 3.0, 22.0);
    c.rect(0x5c3a22, 458.0, 53.0, 64.0, 54.0);
    c.graded(0xa6c2d0, 0x30424c, 462.0, 57.0, 56.0, 46.0);
    c.poly(0x3d3a3a, &[(476.0, 103.0), (480.0, 84.0), (500.0, 84.0), (504.0, 103.0)]);
    c.circle(0xc79a78, 490.0, 77.0, 7.5);
    c.rect(0x1d2733, 481.0, 68.0, 18.0, 5.0);
}

fn signs(c: &mut Canvas) {
    let (x, y) = (EMBLEM.x as f32, EMBLEM.y as f32);
    c.cog(0xe3c35c, x, y, 23.0);
    c.circle(0x8d2716, x, y, 13.5);
    c.poly(0xf0e3c0, &[(x - 9.0, y + 7.0), (x, y - 9.0), (x + 9.0, y + 7.0)]);
    c.poly(0x8d2716, &[(x - 3.0, y + 7.0), (x + 2.0, y - 2.0), (x + 6.0, y + 7.0)]);
    // The number board: 27 in plain strokes.
    let (left, top) = (NUMBER.x as f32 - 9.0, NUMBER.y as f32 - 9.0);
    c.rect(0x1e1a17, left - 3.0, top - 3.0, 48.0, 34.0);
    c.rect(0xefe6cf, left, top, 42.0, 28.0);
    let two = [(6.0, 8.0), (9.0, 5.0), (15.0, 5.0), (17.0, 9.0), (16.0, 12.0), (6.0, 23.0), (18.0, 23.0)];
    let seven = [(23.0, 5.0), (36.0, 5.0), (28.0, 23.0)];
    for stroke in [&two[..], &seven[..]] {
        let points: Vec<(f32, f32)> = stroke.iter().map(|p| (left + p.0, top + p.1)).collect();
        c.line(0x1e1a17, 3.6, &points);
    }
    // A word that nobody can read from here.
    for (i, width) in [12.0, 9.0, 11.0, 6.0, 12.0, 8.0, 10.0, 11.0, 9.0, 12.0].into_iter().enumerate() {
        c.rect(0xe3c35c, 206.0 + i as f32 * 15.0, 134.0 + (i % 3) as f32, width, 13.0 - (i % 2) as f32 * 2.0);
    }
}

fn front(c: &mut Canvas) {
    c.poly(0x6b1a0f, &[(530.0, 40.0), (542.0, 44.0), (546.0, 114.0), (546.0, 176.0), (530.0, 178.0)]);
    c.poly(0xd0bd8c, &[(530.0, 40.0), (542.0, 44.0), (546.0, 112.0), (530.0, 112.0)]);
    c.circle(0x2b2622, LAMP.x as f32, LAMP.y as f32, 11.5);
    c.circle(0xbfae8b, LAMP.x as f32, LAMP.y as f32, 9.5);
    c.circle(0xfffbe6, LAMP.x as f32, LAMP.y as f32, 7.0);
}

/// Light round the lamp, added to what is behind.
pub(super) fn glow() -> Texture {
    let warm = rgb(0xffe2a0);
    Texture::from_fn(160, 160, |x, y| {
        let distance = (x - 80.0).hypot(y - 80.0) / 80.0;
        let fall = (1.0 - distance).max(0.0);
        (warm.map(|v| v * 1.4), fall.powi(3) * 0.8)
    })
}

/// Its shadow on the stones.
pub(super) fn shadow() -> Texture {
    Texture::from_fn(620, 60, |x, y| {
        let across = ((x - 310.0).abs() / 300.0).powi(6).min(1.0);
        let down = ((y - 26.0) / 26.0).powi(2).min(1.0);
        ([0.01, 0.01, 0.015], 0.62 * (1.0 - across) * (1.0 - down))
    })
}
