//! The film's picture drawn out along a line, as by a camera that goes that way while the shutter is open.

use jampin_core::attachment::Streak;
use jampin_core::geometry::Point;

use crate::{FilmPicture, Layer};

/// A part of the film's picture, each pixel the mean along a line about it.
pub(crate) struct Streaked {
    pixels: Pixels,
    left: i32,
    top: i32,
}

impl Streaked {
    /// Of what lies under a mask.
    ///
    /// The mean is taken by doubling: that of two places half a line apart, each the mean of two a quarter apart, and so
    /// on, down to a pixel. The page does the same.
    pub fn new(film: &FilmPicture<'_>, mask: &Layer, streak: &Streak) -> Self {
        let margin = (streak.length / 2.0).ceil() as i32 + 2;
        let (left, top) = (mask.left - margin, mask.top - margin);
        let side = |side: u32| side as usize + 2 * margin as usize;
        let mut pixels = Pixels::of(film, (left, top), side(mask.pixels.width()), side(mask.pixels.height()));
        let (sin, cos) = streak.angle.to_radians().sin_cos();
        let mut step = streak.length / 2.0;
        while step >= 0.5 {
            pixels = pixels.halfway(Point::new(cos, sin) * (step / 2.0));
            step /= 2.0;
        }
        Self { pixels, left, top }
    }

    /// The colour at a place of the picture.
    pub fn at(&self, x: i32, y: i32) -> [u8; 3] {
        let [r, g, b, weight] = self.pixels.get(x - self.left, y - self.top);
        [r, g, b].map(|sum| (255.0 * sum / weight.max(1e-3) + 0.5).clamp(0.0, 255.0) as u8)
    }
}

/// Red, green, blue, and how much of it lies in the picture.
type Pixel = [f32; 4];

struct Pixels {
    width: usize,
    data: Vec<Pixel>,
}

impl Pixels {
    fn of(film: &FilmPicture<'_>, (left, top): (i32, i32), width: usize, height: usize) -> Self {
        let pixel = |i: usize| {
            let colour = film.colour(left + (i % width) as i32, top + (i / width) as i32);
            colour.map_or([0.0; 4], |[r, g, b]| [r, g, b, 1.0])
        };
        Self { width, data: (0..width * height).map(pixel).collect() }
    }

    fn get(&self, x: i32, y: i32) -> Pixel {
        if x < 0 || y < 0 || x as usize >= self.width {
            return [0.0; 4];
        }
        self.data.get(y as usize * self.width + x as usize).copied().unwrap_or_default()
    }

    /// The mean of what lies `by` further and of what lies as far back.
    fn halfway(&self, by: Point) -> Self {
        let (further, back) = (Shifted::new(self, by), Shifted::new(self, by * -1.0));
        let pixel = |i: usize| {
            let (x, y) = ((i % self.width) as i32, (i / self.width) as i32);
            let (a, b) = (further.at(x, y), back.at(x, y));
            std::array::from_fn(|c| 0.5 * (a[c] + b[c]))
        };
        Self { width: self.width, data: (0..self.data.len()).map(pixel).collect() }
    }
}

/// Pixels read at a fixed distance, between the four nearest.
struct Shifted<'p> {
    pixels: &'p Pixels,
    whole: (i32, i32),
    weights: [f32; 4],
}

impl<'p> Shifted<'p> {
    fn new(pixels: &'p Pixels, by: Point) -> Self {
        let (col, row) = (by.x.floor(), by.y.floor());
        let (right, down) = ((by.x - col) as f32, (by.y - row) as f32);
        let weights = [(1.0 - right) * (1.0 - down), right * (1.0 - down), (1.0 - right) * down, right * down];
        Self { pixels, whole: (col as i32, row as i32), weights }
    }

    fn at(&self, x: i32, y: i32) -> Pixel {
        let mut sum = [0.0; 4];
        let (x, y) = (x + self.whole.0, y + self.whole.1);
        for ((dx, dy), weight) in [(0, 0), (1, 0), (0, 1), (1, 1)].into_iter().zip(self.weights) {
            if weight > 0.0 {
                let pixel = self.pixels.get(x + dx, y + dy);
                (0..4).for_each(|c| sum[c] += weight * pixel[c]);
            }
        }
        sum
    }
}
