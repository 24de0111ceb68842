//! A film frame as it was decoded, to look at.

use jampin_core::geometry::{Point, Size};

use crate::YuvMatrix;

/// Weights of red, green and blue in the luma that thresholds mean: ITU-R BT.709-6, of the film's own encoding.
const LUMA: [f64; 3] = [0.2126, 0.7152, 0.0722];

/// A frame as planar YUV 4:2:0, 8 bits: luma, then both chroma planes of half the width and height, rounded up.
#[derive(Clone, Copy, Debug)]
pub struct FilmPicture<'a> {
    size: Size,
    data: &'a [u8],
    matrix: YuvMatrix,
}

impl<'a> FilmPicture<'a> {
    /// `None` when the number of bytes does not fit the size.
    pub fn new(size: Size, data: &'a [u8], matrix: YuvMatrix) -> Option<Self> {
        let chroma = (size.width.div_ceil(2) * size.height.div_ceil(2)) as usize;
        (data.len() == size.area() + 2 * chroma).then_some(Self { size, data, matrix })
    }

    /// Width and height.
    pub fn size(&self) -> Size {
        self.size
    }

    /// What is stored: luma, and both planes of chroma one after the other.
    pub(crate) fn data(&self) -> &'a [u8] {
        self.data
    }

    /// Red, green and blue of a pixel; `None` outside of the picture.
    pub(crate) fn colour(&self, x: i32, y: i32) -> Option<[f32; 3]> {
        let (width, height) = (self.size.width as i32, self.size.height as i32);
        if !(0..width).contains(&x) || !(0..height).contains(&y) {
            return None;
        }
        let chroma = (self.size.width.div_ceil(2) * self.size.height.div_ceil(2)) as usize;
        let cell = self.size.area() + ((y / 2) * self.size.width.div_ceil(2) as i32 + x / 2) as usize;
        let stored = [self.data[(y * width + x) as usize], self.data[cell], self.data[cell + chroma]];
        Some(self.matrix.colour(stored.map(f32::from)))
    }

    /// Mean colour, 0 to 255, of the part of a box that lies in the picture; `None` for no part.
    pub(crate) fn mean(&self, (left, top): (i32, i32), (width, height): (i32, i32)) -> Option<[u8; 3]> {
        let (mut sum, mut count) = ([0.0f32; 3], 0.0f32);
        for y in top.max(0)..(top + height).min(self.size.height as i32) {
            for x in left.max(0)..(left + width).min(self.size.width as i32) {
                if let Some(colour) = self.colour(x, y) {
                    (0..3).for_each(|c| sum[c] += colour[c]);
                    count += 1.0;
                }
            }
        }
        (count > 0.0).then(|| sum.map(|sum| (255.0 * sum / count + 0.5) as u8))
    }

    /// Colour of a pixel, 0 to 255, with this share of its saturation.
    pub(crate) fn saturated(&self, x: i32, y: i32, share: f32) -> [u8; 3] {
        let (colour, grey) = (self.colour(x, y).unwrap_or_default(), self.luma(x, y) as f32);
        colour.map(|value| (255.0 * (grey + share * (value - grey)) + 0.5).clamp(0.0, 255.0) as u8)
    }

    /// Luma of a pixel, 0 to 1; that of nothing outside.
    pub(crate) fn luma(&self, x: i32, y: i32) -> f64 {
        let colour = self.colour(x, y).unwrap_or_default();
        LUMA.iter().zip(colour).map(|(weight, value)| weight * f64::from(value)).sum()
    }

    /// Mean luma, 0 to 1, of the pixels up to `reach` from the one at a place.
    pub(crate) fn luma_around(&self, at: Point, reach: i32) -> f64 {
        let corner = (at.x.floor() as i32 - reach, at.y.floor() as i32 - reach);
        let mean = self.mean(corner, (2 * reach + 1, 2 * reach + 1)).unwrap_or_default();
        LUMA.iter().zip(mean).map(|(weight, value)| weight * f64::from(value) / 255.0).sum()
    }
}
