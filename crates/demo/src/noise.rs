//! Value noise: the roughness of everything painted here.

/// A number in `0..1` that depends only on its arguments.
pub(crate) fn hash(x: i32, y: i32, seed: u32) -> f32 {
    let mut h =
        (x as u32).wrapping_mul(0x9E37_79B1) ^ (y as u32).wrapping_mul(0x85EB_CA77) ^ seed.wrapping_mul(0xC2B2_AE3D);
    h = (h ^ (h >> 15)).wrapping_mul(0x2C1B_3C6D);
    h = (h ^ (h >> 12)).wrapping_mul(0x297A_2D39);
    ((h ^ (h >> 15)) >> 8) as f32 / (1u32 << 24) as f32
}

/// Rounded down. Without SSE 4.1, which not every machine has, `f32::floor` is a call, and was a tenth of a frame's time.
#[inline]
pub(crate) fn floor(value: f32) -> i32 {
    let whole = value as i32;
    whole - i32::from(whole as f32 > value)
}

/// Smooth noise with features about one unit large, `0..1`.
pub(crate) fn smooth(x: f32, y: f32, seed: u32) -> f32 {
    let (col, row) = (floor(x), floor(y));
    let ease = |t: f32| t * t * (3.0 - 2.0 * t);
    let (u, v) = (ease(x - col as f32), ease(y - row as f32));
    let mix = |a: f32, b: f32, t: f32| a + (b - a) * t;
    mix(
        mix(hash(col, row, seed), hash(col + 1, row, seed), u),
        mix(hash(col, row + 1, seed), hash(col + 1, row + 1, seed), u),
        v,
    )
}

/// Several octaves of [`smooth`], each half as large and half as strong, `0..1`.
pub(crate) fn layered(x: f32, y: f32, octaves: u32, seed: u32) -> f32 {
    let (mut sum, mut weight, mut total, mut scale) = (0.0, 0.5, 0.0, 1.0);
    for octave in 0..octaves {
        sum += weight * smooth(x * scale, y * scale, seed + octave);
        total += weight;
        weight *= 0.5;
        scale *= 2.0;
    }
    sum / total
}
