//! Textures and noise for made shots: the same for the same place and seed.

use std::f64::consts::PI;

use crate::geometry::Point;

fn hash(x: i64, y: i64, seed: u64) -> f64 {
    let mut n = (x as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ (y as u64).wrapping_mul(0xc2b2_ae3d_27d4_eb4f) ^ seed;
    n = (n ^ (n >> 31)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    n = (n ^ (n >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    ((n ^ (n >> 31)) >> 11) as f64 / (1u64 << 53) as f64
}

/// Smooth noise between 0 and 1 that varies over about a unit.
fn smooth_noise(at: Point, seed: u64) -> f64 {
    let (col, row) = (at.x.floor(), at.y.floor());
    let ease = |t: f64| t * t * (3.0 - 2.0 * t);
    let (u, v) = (ease(at.x - col), ease(at.y - row));
    let value = |i: i64, j: i64| hash(col as i64 + i, row as i64 + j, seed);
    let line = |j: i64| value(0, j) + (value(1, j) - value(0, j)) * u;
    line(0) + (line(1) - line(0)) * v
}

/// A wall: coarse and fine texture.
pub(crate) fn wall(at: Point, seed: u64) -> f64 {
    let octave = |length: f64, n: u64| smooth_noise(Point::new(at.x / length, at.y / length), seed ^ n) - 0.5;
    128.0 + 90.0 * octave(29.0, 1) + 70.0 * octave(11.0, 2) + 40.0 * octave(5.0, 3)
}

/// Gaussian noise of standard deviation 1 at a pixel of a frame (Box & Muller 1958).
pub(crate) fn noise(col: i64, row: i64, seed: u64) -> f64 {
    let (a, b) = (hash(col, row, seed), hash(col, row, 1000 + seed));
    (-2.0 * a.max(1e-12).ln()).sqrt() * (2.0 * PI * b).cos()
}
