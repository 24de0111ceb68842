//! Layers blended into a film frame as it is stored: only the pixels under a layer are touched, all others stay what
//! the decoder gave.

use std::ops::Range;

use jampin_core::attachment::Blend;
use jampin_core::geometry::Size;

use crate::blend::blend_channel;
use crate::film::FilmPicture;
use crate::layer::Layer;
use crate::yuv_matrix::YuvMatrix;

/// A frame as planar YUV 4:2:0, 8 bits: luma, then both chroma planes of half the width and height, rounded up.
#[derive(Debug)]
pub struct YuvFrame<'a> {
    size: Size,
    data: &'a mut [u8],
    matrix: YuvMatrix,
}

impl<'a> YuvFrame<'a> {
    /// `None` when the number of bytes does not fit the size.
    pub fn new(size: Size, data: &'a mut [u8], matrix: YuvMatrix) -> Option<Self> {
        let chroma = (size.width.div_ceil(2) * size.height.div_ceil(2)) as usize;
        (data.len() == size.area() + 2 * chroma).then_some(Self { size, data, matrix })
    }

    /// Blends a layer over the frame (source over, in the film's own encoding, as browsers do).
    pub fn blend(&mut self, layer: &Layer) {
        if layer.blend == Blend::Normal {
            self.blend_luma(layer);
            self.blend_chroma(layer);
        } else {
            self.blend_colours(layer);
        }
    }

    /// Brings the film's own picture back, as far as a layer covers.
    pub fn restore(&mut self, layer: &Layer, film: &FilmPicture<'_>) {
        let width = self.size.width as usize;
        let back = |now: &mut u8, was: u8, share: f32| {
            *now = (f32::from(*now) + (f32::from(was) - f32::from(*now)) * share + 0.5) as u8;
        };
        let (left, top) = (layer.left as usize, layer.top as usize);
        let right = (left + layer.pixels.width() as usize).min(width);
        for y in top..(top + layer.pixels.height() as usize).min(self.size.height as usize) {
            for x in left..right {
                if let Some((_, share)) = layer.at(x as i32, y as i32) {
                    back(&mut self.data[y * width + x], film.data()[y * width + x], share);
                }
            }
        }
        let chroma_size = (self.size.width.div_ceil(2) * self.size.height.div_ceil(2)) as usize;
        let (rows, cols) = self.chroma_under(layer);
        for (row, col) in rows.flat_map(|row| cols.clone().map(move |col| (row, col))) {
            let (_, share) = self.mean_of_four(layer, col * 2, row * 2);
            for at in [self.chroma_index(row, col), self.chroma_index(row, col) + chroma_size] {
                back(&mut self.data[at], film.data()[at], share);
            }
        }
    }

    /// Modes that look at the picture's colour: each pixel as RGB, the chroma of four as their mean.
    fn blend_colours(&mut self, layer: &Layer) {
        let chroma_size = (self.size.width.div_ceil(2) * self.size.height.div_ceil(2)) as usize;
        let (rows, cols) = self.chroma_under(layer);
        for row in rows {
            for col in cols.clone() {
                let at = self.chroma_index(row, col);
                let chroma = [self.data[at], self.data[at + chroma_size]];
                let (mut sums, mut count, mut covered) = ([0.0; 2], 0.0, false);
                for (x, y) in [(0, 0), (1, 0), (0, 1), (1, 1)].map(|(x, y)| (2 * col + x, 2 * row + y)) {
                    if x >= self.size.width as i32 || y >= self.size.height as i32 {
                        continue;
                    }
                    let index = y as usize * self.size.width as usize + x as usize;
                    let mut stored = [self.data[index], chroma[0], chroma[1]].map(f32::from);
                    if let Some((colour, alpha)) = layer.at(x, y) {
                        let backdrop = self.matrix.colour(stored);
                        let channel = |c: usize| blend_channel(layer.blend, backdrop[c], colour[c] / alpha, alpha);
                        let [luma, cb, cr] = self.matrix.convert([0, 1, 2].map(channel), 1.0);
                        stored = [luma, cb + 128.0, cr + 128.0];
                        self.data[index] = (luma + 0.5) as u8;
                        covered = true;
                    }
                    sums = [sums[0] + stored[1], sums[1] + stored[2]];
                    count += 1.0;
                }
                if covered {
                    self.data[at] = (sums[0] / count + 0.5) as u8;
                    self.data[at + chroma_size] = (sums[1] / count + 0.5) as u8;
                }
            }
        }
    }

    /// Rows and columns of the chroma planes that lie under a layer.
    fn chroma_under(&self, layer: &Layer) -> (Range<i32>, Range<i32>) {
        let right = (layer.left + layer.pixels.width() as i32 + 1) / 2;
        let bottom = (layer.top + layer.pixels.height() as i32 + 1) / 2;
        let [half_width, half_height] = [self.size.width, self.size.height].map(|side| side.div_ceil(2) as i32);
        (layer.top / 2..bottom.min(half_height), layer.left / 2..right.min(half_width))
    }

    /// Where the first chroma of a cell of four pixels is stored.
    fn chroma_index(&self, row: i32, col: i32) -> usize {
        self.size.area() + (row * self.size.width.div_ceil(2) as i32 + col) as usize
    }

    fn blend_luma(&mut self, layer: &Layer) {
        let width = self.size.width as usize;
        let cols = (layer.pixels.width() as usize).min(width - layer.left as usize);
        let rows = (layer.pixels.height() as usize).min(self.size.height as usize - layer.top as usize);
        for row in 0..rows {
            let start = (layer.top as usize + row) * width + layer.left as usize;
            let line = &mut self.data[start..start + cols];
            let pixels = &layer.pixels.data()[row * layer.pixels.width() as usize * 4..];
            for (value, pixel) in line.iter_mut().zip(pixels.as_chunks::<4>().0) {
                if pixel[3] == 0 {
                    continue;
                }
                let (colour, alpha) = scaled(pixel, layer.opacity);
                let [luma, ..] = self.matrix.convert(colour, alpha);
                *value = (f32::from(*value) * (1.0 - alpha) + luma + 0.5) as u8;
            }
        }
    }

    fn blend_chroma(&mut self, layer: &Layer) {
        let chroma_size = (self.size.width.div_ceil(2) * self.size.height.div_ceil(2)) as usize;
        let (rows, cols) = self.chroma_under(layer);
        for row in rows {
            for col in cols.clone() {
                let (colour, alpha) = self.mean_of_four(layer, col * 2, row * 2);
                if alpha == 0.0 {
                    continue;
                }
                let [_, cb, cr] = self.matrix.convert(colour, alpha);
                let at = self.chroma_index(row, col);
                for (index, chroma) in [(at, cb), (at + chroma_size, cr)] {
                    let centred = f32::from(self.data[index]) - 128.0;
                    self.data[index] = (centred * (1.0 - alpha) + chroma + 128.5).clamp(0.0, 255.0) as u8;
                }
            }
        }
    }

    /// Mean colour and coverage of the layer over the four pixels that share a chroma sample.
    fn mean_of_four(&self, layer: &Layer, col: i32, row: i32) -> ([f32; 3], f32) {
        let (mut colour, mut coverage, mut count) = ([0.0; 3], 0.0, 0.0);
        for (x, y) in [(col, row), (col + 1, row), (col, row + 1), (col + 1, row + 1)] {
            if x >= self.size.width as i32 || y >= self.size.height as i32 {
                continue;
            }
            count += 1.0;
            if let Some((part, alpha)) = layer.at(x, y) {
                coverage += alpha;
                colour.iter_mut().zip(part).for_each(|(sum, part)| *sum += part);
            }
        }
        (colour.map(|sum: f32| sum / count), coverage / count)
    }
}

impl Layer {
    /// Premultiplied colour and coverage at a pixel of the picture; `None` where the layer has nothing.
    fn at(&self, x: i32, y: i32) -> Option<([f32; 3], f32)> {
        let (x, y) = (x - self.left, y - self.top);
        let (width, height) = (self.pixels.width() as i32, self.pixels.height() as i32);
        if !(0..width).contains(&x) || !(0..height).contains(&y) {
            return None;
        }
        let pixel = self.pixels.data().as_chunks::<4>().0[(y * width + x) as usize];
        (pixel[3] > 0).then(|| scaled(&pixel, self.opacity))
    }
}

/// Premultiplied colour and coverage, 0 to 1, with the layer's own opacity.
fn scaled(pixel: &[u8; 4], opacity: f32) -> ([f32; 3], f32) {
    let scale = opacity / 255.0;
    let [r, g, b, a] = pixel.map(|value| f32::from(value) * scale);
    ([r, g, b], a)
}

#[cfg(test)]
mod tests {
    use resvg::tiny_skia::{Color, Pixmap};

    use super::*;

    fn layer(colour: Color, left: i32, top: i32, side: u32, opacity: f32) -> Layer {
        let mut pixels = Pixmap::new(side, side).unwrap();
        pixels.fill(colour);
        Layer { left, top, pixels, opacity, blend: Blend::Normal, restores: false }
    }

    fn blended(size: Size, matrix: YuvMatrix, layer: &Layer) -> Vec<u8> {
        let chroma = (size.width.div_ceil(2) * size.height.div_ceil(2)) as usize;
        let mut data = vec![100; size.area()];
        data.resize(size.area() + 2 * chroma, 128);
        YuvFrame::new(size, &mut data, matrix).unwrap().blend(layer);
        data
    }

    /// Values of the colour-bar primaries in 8-bit studio range: ITU-R BT.709-6 item 3 and BT.601-7, rounded.
    #[test]
    fn opaque_colours_have_the_published_code_values() {
        let size = Size::new(8, 8);
        let red = layer(Color::from_rgba8(255, 0, 0, 255), 0, 0, 8, 1.0);
        for (matrix, want) in [("bt709", [63, 102, 240]), ("bt601", [81, 90, 240])] {
            let data = blended(size, YuvMatrix::named(matrix, false), &red);
            assert_eq!([data[0], data[64], data[80]], want, "{matrix}");
        }
        let white = layer(Color::WHITE, 0, 0, 8, 1.0);
        assert_eq!(blended(size, YuvMatrix::named("bt709", false), &white)[0], 235);
        assert_eq!(blended(size, YuvMatrix::named("bt709", true), &white)[0], 255);
    }

    #[test]
    fn pixels_beside_the_layer_are_untouched() {
        let size = Size::new(9, 7);
        let data = blended(size, YuvMatrix::named("bt709", false), &layer(Color::WHITE, 4, 4, 3, 1.0));
        for row in 0..7 {
            for col in 0..9 {
                let covered = (4..7).contains(&col) && row >= 4;
                assert_eq!(data[row * 9 + col] != 100, covered, "{col},{row}");
            }
        }
    }

    #[test]
    fn blend_modes_look_at_the_colour_of_the_picture() {
        let size = Size::new(4, 4);
        let matrix = YuvMatrix::named("bt709", false);
        let mut data = blended(size, matrix, &layer(Color::from_rgba8(200, 100, 50, 255), 0, 0, 4, 1.0));
        let mut over = layer(Color::from_rgba8(128, 128, 255, 255), 0, 0, 4, 1.0);
        over.blend = Blend::Multiply;
        YuvFrame::new(size, &mut data, matrix).unwrap().blend(&over);
        let colour = matrix.colour([data[0], data[16], data[20]].map(f32::from)).map(|c| c * 255.0);
        for (got, want) in colour.into_iter().zip([100.4, 50.2, 50.0]) {
            assert!((got - want).abs() < 3.0, "{colour:?}");
        }
    }

    #[test]
    fn half_opacity_is_half_way() {
        let data = blended(Size::new(4, 4), YuvMatrix::named("bt709", false), &layer(Color::BLACK, 0, 0, 4, 0.5));
        assert_eq!(data[0], 58, "half of 100 and half of 16");
    }

    #[test]
    fn what_stands_in_front_brings_the_film_back_exactly() {
        let size = Size::new(8, 8);
        let matrix = YuvMatrix::named("bt709", false);
        let untouched: Vec<u8> = (0..96).map(|i| 60 + i as u8).collect();
        let film = FilmPicture::new(size, &untouched, matrix).unwrap();
        let mut data = untouched.clone();
        let mut frame = YuvFrame::new(size, &mut data, matrix).unwrap();
        frame.blend(&layer(Color::from_rgba8(200, 30, 90, 255), 0, 0, 8, 0.9));
        frame.restore(&layer(Color::WHITE, 0, 0, 8, 1.0), &film);
        assert_eq!(data, untouched);
    }
}
