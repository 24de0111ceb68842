//! Painted surfaces in linear light.

use std::sync::OnceLock;

use rayon::prelude::*;
use tiny_skia::Pixmap;

use crate::noise::floor;

/// Pixels on a side of the squares for which it is noted whether anything is painted on them.
const TILE: usize = 32;

/// Premultiplied linear RGBA.
pub(crate) type Colour = [f32; 4];

/// A painted surface.
#[derive(Clone, Debug)]
pub(crate) struct Texture {
    pub width: usize,
    pub height: usize,
    data: Vec<Colour>,
    /// Which tiles are bare, and all round them: asked for by each exposure, counted at the first.
    bare: OnceLock<Bare>,
}

/// Tiles on which nothing is painted and round which nothing is, with one more round the surface.
#[derive(Clone, Debug)]
struct Bare {
    across: usize,
    tiles: Vec<bool>,
}

impl Bare {
    fn of(texture: &Texture) -> Self {
        let (across, down) = (texture.width.div_ceil(TILE) + 2, texture.height.div_ceil(TILE) + 2);
        let mut tiles = vec![true; across * down];
        for (i, _) in texture.data.iter().enumerate().filter(|(_, colour)| **colour != [0.0; 4]) {
            let (col, row) = (i % texture.width / TILE, i / texture.width / TILE);
            for near in row..row + 3 {
                tiles[near * across + col..][..3].fill(false);
            }
        }
        Self { across, tiles }
    }

    /// What is further outside than a tile is as bare as the tile at the edge.
    fn at(&self, (x, y): (f32, f32)) -> bool {
        let down = self.tiles.len() / self.across;
        let tile = |at: f32, most: usize| ((at / TILE as f32 + 1.0).max(0.0) as usize).min(most - 1);
        self.tiles[tile(y, down) * self.across + tile(x, self.across)]
    }
}

/// Light of a code value, both 0 to 1 (IEC 61966-2-1).
pub(crate) fn to_linear(value: f32) -> f32 {
    if value <= 0.04045 { value / 12.92 } else { ((value + 0.055) / 1.055).powf(2.4) }
}

/// Code value of a light, both 0 to 1.
pub(crate) fn to_code(light: f32) -> f32 {
    if light <= 0.003_130_8 { light * 12.92 } else { 1.055 * light.powf(1.0 / 2.4) - 0.055 }
}

/// `0xRRGGBB` as linear light.
pub(crate) fn rgb(hex: u32) -> [f32; 3] {
    [hex >> 16, hex >> 8, hex].map(|part| to_linear((part & 255) as f32 / 255.0))
}

pub(crate) fn mix(a: [f32; 3], b: [f32; 3], t: f32) -> [f32; 3] {
    let t = t.clamp(0.0, 1.0);
    [0, 1, 2].map(|i| a[i] + (b[i] - a[i]) * t)
}

impl Texture {
    fn new(width: usize, height: usize, data: Vec<Colour>) -> Self {
        Self { width, height, data, bare: OnceLock::new() }
    }

    /// From a function of column and row that gives colour and coverage.
    pub fn from_fn(width: usize, height: usize, paint: impl Fn(f32, f32) -> ([f32; 3], f32) + Sync) -> Self {
        let data = (0..width * height).into_par_iter().with_min_len(width).map(|i| {
            let ([r, g, b], a) = paint((i % width) as f32 + 0.5, (i / width) as f32 + 0.5);
            [r * a, g * a, b * a, a]
        });
        Self::new(width, height, data.collect())
    }

    /// From a drawing. `light` gives the share of light at a place: shade and roughness.
    pub fn from_drawing(drawing: &Pixmap, light: impl Fn(f32, f32) -> f32 + Sync) -> Self {
        let width = drawing.width() as usize;
        let data = drawing.pixels().par_iter().enumerate().with_min_len(width).map(|(i, pixel)| {
            let a = f32::from(pixel.alpha()) / 255.0;
            let shade = light((i % width) as f32 + 0.5, (i / width) as f32 + 0.5);
            let plain = pixel.demultiply();
            let part = |value: u8| to_linear(f32::from(value) / 255.0) * shade * a;
            [part(plain.red()), part(plain.green()), part(plain.blue()), a]
        });
        Self::new(width, drawing.height() as usize, data.collect())
    }

    /// Mixed towards the colour of the air: what is far away is paler.
    pub fn hazed(mut self, air: [f32; 3], share: f32) -> Self {
        for [r, g, b, a] in &mut self.data {
            for (part, air) in [r, g, b].into_iter().zip(air) {
                *part += (air * *a - *part) * share;
            }
        }
        self
    }

    /// Out of focus: three box blurs of this radius, close to a Gaussian.
    pub fn blurred(mut self, radius: usize) -> Self {
        for _ in 0..3 {
            self = self.box_across(radius).turned().box_across(radius).turned();
        }
        self
    }

    fn box_across(&self, radius: usize) -> Self {
        let mut data = Vec::with_capacity(self.data.len());
        for line in self.data.chunks_exact(self.width) {
            let at = |i: isize| line[i.clamp(0, self.width as isize - 1) as usize];
            let reach = radius as isize;
            let mut sum = [0f32; 4];
            (-reach..=reach).for_each(|i| (0..4).for_each(|c| sum[c] += at(i)[c]));
            for i in 0..self.width as isize {
                data.push(sum.map(|v| v / (2 * radius + 1) as f32));
                let (gone, come) = (at(i - reach), at(i + reach + 1));
                (0..4).for_each(|c| sum[c] += come[c] - gone[c]);
            }
        }
        Self::new(self.width, self.height, data)
    }

    fn turned(&self) -> Self {
        let places = (0..self.width).flat_map(|col| (0..self.height).map(move |row| (col, row)));
        let data = places.map(|(col, row)| self.data[row * self.width + col]).collect();
        Self::new(self.height, self.width, data)
    }

    /// So many columns of it.
    pub fn part(&self, from: usize, width: usize) -> Self {
        let width = width.min(self.width - from);
        let data =
            self.data.chunks_exact(self.width).flat_map(|line| line[from..from + width].iter().copied()).collect();
        Self::new(width, self.height, data)
    }

    /// Left and right exchanged.
    pub fn mirrored(&self) -> Self {
        let data = self.data.chunks_exact(self.width).flat_map(|line| line.iter().rev().copied()).collect();
        Self::new(self.width, self.height, data)
    }

    /// Whether surely nothing is painted between two places: both are bare all round, and not far from one another.
    pub fn is_bare(&self, from: (f32, f32), to: (f32, f32)) -> bool {
        // No place between them is further from one of them than half of the way; a sample reads a pixel further.
        let near = (to.0 - from.0).abs().max((to.1 - from.1).abs()) < 2.0 * (TILE as f32 - 2.0);
        let bare = self.bare.get_or_init(|| Bare::of(self));
        near && bare.at(from) && bare.at(to)
    }

    /// Bilinear; nothing outside.
    #[inline]
    pub fn sample(&self, x: f32, y: f32) -> Colour {
        let (x, y) = (x - 0.5, y - 0.5);
        if !(x >= 0.0 && y >= 0.0 && x < self.width as f32 - 1.0 && y < self.height as f32 - 1.0) {
            return self.sample_at_edge(x, y);
        }
        let (col, row) = (x as i32, y as i32);
        let start = row as usize * self.width + col as usize;
        let (upper, lower) = (&self.data[start..start + 2], &self.data[start + self.width..start + self.width + 2]);
        between([&upper[0], &upper[1], &lower[0], &lower[1]], x - col as f32, y - row as f32)
    }

    /// Where not all four neighbours are there.
    #[cold]
    #[inline(never)]
    fn sample_at_edge(&self, x: f32, y: f32) -> Colour {
        if !(x >= -1.0 && y >= -1.0 && x < self.width as f32 && y < self.height as f32) {
            return [0.0; 4];
        }
        let (col, row) = (floor(x), floor(y));
        let at = |col: i32, row: i32| {
            let inside = col >= 0 && row >= 0 && col < self.width as i32 && row < self.height as i32;
            if inside { self.data[row as usize * self.width + col as usize] } else { [0.0; 4] }
        };
        let near = [&at(col, row), &at(col + 1, row), &at(col, row + 1), &at(col + 1, row + 1)];
        between(near, x - col as f32, y - row as f32)
    }
}

/// Between four neighbours: a share to the right, a share down. A loop over channels becomes one operation for all four.
#[inline]
fn between([a, b, c, d]: [&Colour; 4], u: f32, v: f32) -> Colour {
    let mut mixed = [0.0; 4];
    for (i, value) in mixed.iter_mut().enumerate() {
        let upper = a[i] + (b[i] - a[i]) * u;
        let lower = c[i] + (d[i] - c[i]) * u;
        *value = upper + (lower - upper) * v;
    }
    mixed
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn where_a_texture_is_said_to_be_bare_nothing_is_sampled() {
        let dots = [(3.5, 200.5), (130.5, 64.5), (299.5, 1.5)];
        let texture = Texture::from_fn(300, 220, |x, y| ([1.0; 3], f32::from(u8::from(dots.contains(&(x, y))))));
        let places =
            |step: usize| (0..360).step_by(step).flat_map(move |x| (0..280).step_by(step).map(move |y| (x, y)));
        let (mut bare, mut all) = (0, 0);
        for (x, y) in places(9) {
            let from = (x as f32 - 30.0, y as f32 - 30.0);
            for to in [(from.0 + 55.0, from.1), (from.0 - 20.0, from.1 + 50.0), (from.0 + 70.0, from.1)] {
                all += 1;
                if texture.is_bare(from, to) {
                    bare += 1;
                    let between = |a: f32, b: f32, share: i32| a + (b - a) * share as f32 / 64.0;
                    let shown = (0..=64).map(|i| texture.sample(between(from.0, to.0, i), between(from.1, to.1, i)));
                    assert!(shown.into_iter().all(|colour| colour == [0.0; 4]), "{from:?} to {to:?}");
                }
            }
        }
        assert!(bare > all / 6 && bare < all, "{bare} of {all}");
    }
}
