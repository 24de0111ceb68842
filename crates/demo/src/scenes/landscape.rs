//! Sky, hills, grass, ballast.

use crate::noise::{hash, layered, smooth};
use crate::texture::{Texture, mix, rgb};

/// The colour of the air on the open day.
pub(super) fn air() -> [f32; 3] {
    rgb(0xc3d3dc)
}

pub(super) fn sky(width: usize, height: usize) -> Texture {
    let (high, low) = (rgb(0x5f93c4), rgb(0xd5e2e6));
    let white = rgb(0xf6f3ea);
    Texture::from_fn(width, height, |x, y| {
        let base = mix(high, low, y / height as f32 * 1.15);
        let cloud = layered(x / 260.0, y / 95.0, 6, 11);
        let cover = ((cloud - 0.5) * 4.2).clamp(0.0, 1.0) * (1.0 - 0.35 * y / height as f32);
        let shade = 0.84 + 0.2 * layered(x / 120.0 + 3.0, y / 60.0 - 0.4, 3, 12);
        (mix(base, white.map(|v| v * shade), cover), 1.0)
    })
}

/// A wooded ridge; `level` is where it begins, `rough` how much it goes up and down, in pixels.
pub(super) fn ridge(width: usize, height: usize, level: f32, rough: f32, colours: [u32; 2], seed: u32) -> Texture {
    let (dark, bright) = (rgb(colours[0]), rgb(colours[1]));
    Texture::from_fn(width, height, |x, y| {
        let line = level - rough * (layered(x / 330.0, 0.5, 4, seed) - 0.5) * 2.0;
        // Tree tops along the line.
        let trees = 9.0 * smooth(x / 6.0, 1.5, seed + 5) + 5.0 * hash((x / 3.0) as i32, 2, seed);
        let above = (y - line + trees).clamp(0.0, 1.0);
        let crowns = layered(x / 14.0, y / 9.0, 4, seed + 9);
        let slope = layered(x / 190.0, y / 110.0, 3, seed + 20);
        let light = 0.55 + 0.75 * crowns * (0.6 + 0.6 * slope);
        (mix(dark, bright, slope * 0.8 + crowns * 0.4 - 0.1).map(|v| v * light), above)
    })
}

/// A meadow seen from the side: blades, flowers, worn places.
pub(super) fn meadow(width: usize, height: usize, top: f32, seed: u32) -> Texture {
    let (dark, bright, dry) = (rgb(0x41602b), rgb(0x93ab52), rgb(0xb5a768));
    Texture::from_fn(width, height, |x, y| {
        let edge = top + 7.0 * (smooth(x / 40.0, 0.0, seed) - 0.5) - 6.0 * smooth(x / 2.2, 3.0, seed);
        let near = ((y - top) / (height as f32 - top)).clamp(0.0, 1.0);
        let stretch = 1.2 + 3.0 * near;
        let blades = layered(x / (1.4 * stretch), y / (5.0 * stretch), 3, seed + 1);
        let patches = layered(x / 90.0, y / 38.0, 4, seed + 2);
        let mut colour = mix(dark, bright, blades * 0.9 + (patches - 0.5) * 0.9);
        colour = mix(colour, dry, ((patches - 0.56) * 5.0).clamp(0.0, 0.6));
        let (cell_x, cell_y) = ((x / 11.0) as i32, (y / 8.0) as i32);
        if hash(cell_x, cell_y, seed + 7) > 0.955 {
            let (dx, dy) = (x - cell_x as f32 * 11.0 - 5.0, y - cell_y as f32 * 8.0 - 4.0);
            let flower = if hash(cell_x, cell_y, seed + 8) > 0.5 { rgb(0xf2e9d8) } else { rgb(0xe4c23a) };
            colour = mix(colour, flower, (2.4 - dx.hypot(dy)).clamp(0.0, 1.0));
        }
        (colour.map(|v| v * (0.75 + 0.4 * blades)), (y - edge).clamp(0.0, 1.0))
    })
}

/// Height of the track's bed where it is nearest, in pixels.
const BED: f32 = 74.0;
/// How far up the bend carries the far end of the track, in pixels.
const BEND: f32 = 84.0;

/// The bend of the track: where its bed begins below the top of its texture, and how large it is there, by place along
/// it.
pub(super) fn bend(x: f32) -> (f32, f32) {
    let s = (x / 980.0).clamp(0.0, 1.0);
    let near = s * s * (3.0 - 2.0 * s);
    (BEND * near, 0.62 + 0.38 * near)
}

/// The track out of the bend: its bed of stones, sleepers, both rails and the rack between.
pub(super) fn track(width: usize) -> Texture {
    let height = (BED + BEND) as usize;
    let flat = straight_track();
    Texture::from_fn(width, height, move |x, y| {
        let (top, scale) = bend(x);
        flat(x / scale, (y - top) / scale)
    })
}

/// Where the wheels stand on the nearer rail, below the top of the track's texture.
pub(super) fn rail_at(x: f32) -> f32 {
    let (top, scale) = bend(x);
    top + 39.0 * scale
}

fn straight_track() -> impl Fn(f32, f32) -> ([f32; 3], f32) {
    let height = BED;
    let (stone, shadow, rust, steel) = (rgb(0x9a9186), rgb(0x4f4841), rgb(0x6e4a36), rgb(0xd8dadd));
    let wood = rgb(0x5b4a3a);
    move |x, y| {
        let edge = 10.0 + 5.0 * (smooth(x / 9.0, 0.0, 70) - 0.5);
        let stones = layered(x / 5.0, y / 3.6, 3, 71);
        let mut colour = mix(shadow, stone, (stones - 0.25) * 1.7);
        let sleeper = (x / 38.0).fract();
        if sleeper < 0.42 && (20.0..44.0).contains(&y) {
            let grain = layered(x / 3.0, y / 14.0, 3, 72);
            colour = mix(wood.map(|v| v * 0.5), wood, grain + 0.2);
        }
        for (rail, bright) in [(17.0, 0.8), (40.0, 1.0)] {
            if (rail..rail + 2.0).contains(&y) {
                colour = steel.map(|v| v * (0.75 + 0.3 * smooth(x / 60.0, rail, 73)) * bright);
            } else if (rail + 2.0..rail + 6.0).contains(&y) {
                colour = rust.map(|v| v * (0.6 + 0.5 * smooth(x / 4.0, y, 74)));
            }
        }
        let tooth = (x / 6.0).fract();
        if (27.0..31.0).contains(&y) {
            colour = if tooth < 0.55 && y < 29.5 { steel.map(|v| v * 0.55) } else { rust.map(|v| v * 0.7) };
        }
        let end = (height - 6.0) - 5.0 * smooth(x / 7.0, 4.0, 75);
        (colour, (y - edge).clamp(0.0, 1.0) * (end - y).clamp(0.0, 1.0))
    }
}
