//! Painted surfaces in linear light.

use rayon::prelude::*;
use tiny_skia::Pixmap;

use crate::noise::floor;

/// Premultiplied linear RGBA.
pub(crate) type Colour = [f32; 4];

/// A painted surface.
#[derive(Clone, Debug)]
pub(crate) struct Texture {
    pub width: usize,
    pub height: usize,
    data: Vec<Colour>,
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
    /// From a function of column and row that gives colour and coverage.
    pub fn from_fn(width: usize, height: usize, paint: impl Fn(f32, f32) -> ([f32; 3], f32) + Sync) -> Self {
        let data = (0..width * height).into_par_iter().with_min_len(width).map(|i| {
            let ([r, g, b], a) = paint((i % width) as f32 + 0.5, (i / width) as f32 + 0.5);
            [r * a, g * a, b * a, a]
        });
        Self { width, height, data: data.collect() }
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
        Self { width, height: drawing.height() as usize, data: data.collect() }
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
        Self { data, ..*self }
    }

    fn turned(&self) -> Self {
        let places = (0..self.width).flat_map(|col| (0..self.height).map(move |row| (col, row)));
        let data = places.map(|(col, row)| self.data[row * self.width + col]).collect();
        Self { width: self.height, height: self.width, data }
    }

    /// So many columns of it.
    pub fn part(&self, from: usize, width: usize) -> Self {
        let width = width.min(self.width - from);
        let data =
            self.data.chunks_exact(self.width).flat_map(|line| line[from..from + width].iter().copied()).collect();
        Self { width, height: self.height, data }
    }

    /// Left and right exchanged.
    pub fn mirrored(&self) -> Self {
        let data = self.data.chunks_exact(self.width).flat_map(|line| line.iter().rev().copied()).collect();
        Self { data, ..*self }
    }

    /// Bilinear; nothing outside.
    #[inline]
    pub fn sample(&self, x: f32, y: f32) -> Colour {
        let (x, y) = (x - 0.5, y - 0.5);
        if !(x >= -1.0 && y >= -1.0 && x < self.width as f32 && y < self.height as f32) {
            return [0.0; 4];
        }
        let (col, row) = (floor(x), floor(y));
        let (u, v) = (x - col as f32, y - row as f32);
        if col >= 0 && row >= 0 && col + 1 < self.width as i32 && row + 1 < self.height as i32 {
            let start = row as usize * self.width + col as usize;
            let (upper, lower) = (&self.data[start..start + 2], &self.data[start + self.width..start + self.width + 2]);
            return between([&upper[0], &upper[1], &lower[0], &lower[1]], u, v);
        }
        let at = |col: i32, row: i32| {
            let inside = col >= 0 && row >= 0 && col < self.width as i32 && row < self.height as i32;
            if inside { self.data[row as usize * self.width + col as usize] } else { [0.0; 4] }
        };
        between([&at(col, row), &at(col + 1, row), &at(col, row + 1), &at(col + 1, row + 1)], u, v)
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
