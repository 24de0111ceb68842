//! The neighbourhood of a place, sampled at a resolution of its own.

use std::ops::Range;

use crate::geometry::{PixelRect, Point};
use crate::image::Window;
use jampin_spectrum::SIDE;

/// Samples across a neighbourhood: two a cell.
pub(super) const SAMPLES: usize = 2 * SIDE;

/// The neighbourhood of a place, and how it is sampled.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Neighbourhood {
    /// Its middle, in the picture.
    pub middle: Point,
    /// Its side, in pixels of the picture.
    pub side: f64,
}

impl Neighbourhood {
    /// Pixels of the picture in a cell.
    pub fn cell(&self) -> f64 {
        self.side / SIDE as f64
    }

    /// The pixels that it is made of.
    pub fn rect(&self) -> PixelRect {
        let half = self.side / 2.0 + self.margin();
        PixelRect::around(self.middle, half, half)
    }

    /// Columns and rows of cells whose middles are inside.
    pub fn cells_inside(&self, inside: PixelRect) -> (Range<usize>, Range<usize>) {
        let cell = self.cell();
        let range = |middle: f64, first: i32, last: i32| {
            let at =
                |edge: i32| ((f64::from(edge) - middle) / cell + SIDE as f64 / 2.0).round().clamp(0.0, SIDE as f64);
            at(first) as usize..at(last) as usize
        };
        (range(self.middle.x, inside.left, inside.right), range(self.middle.y, inside.top, inside.bottom))
    }

    /// What the outermost samples need beyond the edge.
    fn margin(&self) -> f64 {
        1.0 + self.side / SAMPLES as f64
    }
}

/// `count * count` samples of a neighbourhood.
pub(super) fn samples(window: &Window, of: &Neighbourhood, count: usize) -> Vec<f32> {
    let (mut wide, mut out) = (Vec::new(), Vec::new());
    resample(window, of, count, &mut wide, &mut out);
    out
}

/// `count * count` samples of a neighbourhood, edges repeated: a triangle as wide as the step between samples, or
/// between pixels where these are further apart, so that nothing is skipped and nothing added.
pub(super) fn resample(window: &Window, of: &Neighbourhood, count: usize, wide: &mut Vec<f32>, out: &mut Vec<f32>) {
    let rect = of.rect();
    let across = Taps::new(of.middle.x, of.side, count, rect.left, rect.cols());
    let down = Taps::new(of.middle.y, of.side, count, rect.top, rect.rows());
    wide.clear();
    wide.resize(rect.rows() * count, 0.0);
    window.rows_of(rect, |row, pixels| {
        let line = &mut wide[row * count..(row + 1) * count];
        for (step, shares) in across.shares.chunks_exact(count).enumerate() {
            for ((value, first), share) in line.iter_mut().zip(&across.first).zip(shares) {
                *value += f32::from(pixels[first + step]) * share;
            }
        }
    });
    out.clear();
    out.resize(count * count, 0.0);
    for (i, to) in out.chunks_exact_mut(count).enumerate() {
        for (step, shares) in down.shares.chunks_exact(count).enumerate() {
            let at = (down.first[i] + step) * count;
            to.iter_mut().zip(&wide[at..at + count]).for_each(|(sum, value)| *sum += value * shares[i]);
        }
    }
}

/// Pixels that samples are made of, as many for each of them, and how much each counts.
struct Taps {
    /// The first pixel of each sample.
    first: Vec<usize>,
    /// Of the first pixel of each sample, then of the second of each, and so on.
    shares: Vec<f32>,
}

impl Taps {
    fn new(middle: f64, side: f64, count: usize, start: i32, pixels: usize) -> Self {
        let step = side / count as f64;
        let reach = step.max(1.0);
        let most = ((2.0 * reach).ceil() as usize + 1).min(pixels);
        let mut taps = Self { first: Vec::with_capacity(count), shares: vec![0.0; most * count] };
        for i in 0..count {
            // Where the sample is, with pixel middles at whole numbers.
            let at = middle + (i as f64 + 0.5 - count as f64 / 2.0) * step - f64::from(start) - 0.5;
            let first = (((at - reach).floor() + 1.0).max(0.0) as usize).min(pixels - most);
            let share = |tap: usize| (1.0 - ((first + tap) as f64 - at).abs() / reach).max(0.0) as f32;
            let over = 1.0 / (0..most).map(share).sum::<f32>().max(1e-6);
            (0..most).for_each(|tap| taps.shares[tap * count + i] = share(tap) * over);
            taps.first.push(first);
        }
        taps
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::image::Plane;

    #[test]
    fn resampling_keeps_a_slope_in_place_at_any_scale() {
        let slope = Plane::from_fn(Size::new(200, 160), |col, row| (col / 2 + row) as u8);
        let window = slope.window(PixelRect { left: 0, top: 0, right: 200, bottom: 160 });
        for (side, count) in [(25.0, 128), (50.0, 64), (120.0, 64), (100.0, 32)] {
            let of = Neighbourhood { middle: Point::new(90.5, 80.0), side };
            let (mut wide, mut out) = (Vec::new(), Vec::new());
            resample(&window, &of, count, &mut wide, &mut out);
            let mean = out.iter().sum::<f32>() / out.len() as f32;
            // Half of the columns are rounded down.
            let want = (90.0 / 2.0) - 0.25 + 79.5;
            assert!((mean - want).abs() < 0.2, "side {side}, {count} samples: {mean}, not {want}");
        }
    }
}
