//! Corner strength: how well each place of a picture fixes a pattern in both directions.

use super::boxes::box_sums;
use crate::geometry::{PixelRect, Point};
use crate::image::{PatchSamples, SmoothPatch, Window};

/// The eigenvalues of the summed gradient products over a square about each pixel (Harris & Stephens 1988; the smaller
/// one is the corner strength of Shi & Tomasi 1994), in squared grey levels per squared pixel. Gradients are those of
/// the smoothed picture that alignment uses.
#[derive(Clone, Debug, PartialEq)]
pub struct CornerMap {
    /// Column of the picture that the first column of the map stands for.
    pub left: i32,
    /// Row of the picture that the first row of the map stands for.
    pub top: i32,
    /// Number of columns.
    pub cols: usize,
    /// Number of rows.
    pub rows: usize,
    /// The smaller eigenvalue, row by row.
    pub smaller: Vec<f32>,
    /// The larger eigenvalue.
    pub larger: Vec<f32>,
}

impl CornerMap {
    /// For every pixel about which a square of `side` pixels fits into the window; empty when none does. `side` is odd.
    pub fn new(window: &Window, side: usize) -> Self {
        let size = window.plane.size();
        let (width, height) = (size.width as usize, size.height as usize);
        let half = side as i32 / 2;
        let (cols, rows) = ((width + 1).saturating_sub(side), (height + 1).saturating_sub(side));
        let mut map = Self {
            left: window.left + half,
            top: window.top + half,
            cols,
            rows,
            smaller: Vec::with_capacity(cols * rows),
            larger: Vec::with_capacity(cols * rows),
        };
        if cols == 0 || rows == 0 {
            return map;
        }
        let samples = gradients(window, width, height);
        let products = |of: fn(f32, f32) -> f32| {
            let values: Vec<f32> = samples.dx.iter().zip(&samples.dy).map(|(dx, dy)| of(*dx, *dy)).collect();
            box_sums(&values, width, side, side)
        };
        let (xx, xy, yy) = (products(|x, _| x * x), products(|x, y| x * y), products(|_, y| y * y));
        for ((xx, xy), yy) in xx.iter().zip(&xy).zip(&yy) {
            let (mean, spread) = ((xx + yy) / 2.0, ((xx - yy) / 2.0).hypot(*xy));
            map.smaller.push((mean - spread).max(0.0));
            map.larger.push(mean + spread);
        }
        map
    }

    /// The centre of the square that an index stands for.
    pub fn place(&self, index: usize) -> Point {
        let (col, row) = ((index % self.cols) as i32, (index / self.cols) as i32);
        Point::new(f64::from(self.left + col) + 0.5, f64::from(self.top + row) + 0.5)
    }

    /// Indices of the places that are stronger than every other within `apart` pixels, strongest first.
    pub fn peaks(&self, apart: usize) -> Vec<usize> {
        if self.smaller.is_empty() {
            return Vec::new();
        }
        let rows_best = sliding_maximum(&self.smaller, self.cols, apart);
        let best = transposed(&sliding_maximum(&transposed(&rows_best, self.cols), self.rows, apart), self.rows);
        let mut peaks: Vec<usize> =
            (0..self.smaller.len()).filter(|&i| self.smaller[i] >= best[i] && self.smaller[i] > 0.0).collect();
        peaks.sort_by(|&a, &b| self.smaller[b].total_cmp(&self.smaller[a]).then(a.cmp(&b)));
        peaks
    }
}

fn gradients(window: &Window, width: usize, height: usize) -> PatchSamples {
    let rect = PixelRect {
        left: window.left,
        top: window.top,
        right: window.left + width as i32,
        bottom: window.top + height as i32,
    };
    let mut patch = SmoothPatch::default();
    patch.load(window, rect);
    let centre = Point::new(f64::from(window.left) + width as f64 / 2.0, f64::from(window.top) + height as f64 / 2.0);
    let mut samples = PatchSamples::default();
    patch.sample(centre, width, height, &mut samples);
    samples
}

/// The largest value within `apart` to each side along rows of `width` (van Herk 1992, Gil & Werman 1993): its cost
/// does not grow with `apart`.
fn sliding_maximum(values: &[f32], width: usize, apart: usize) -> Vec<f32> {
    let block = 2 * apart + 1;
    let padded = (width + 2 * apart).next_multiple_of(block);
    let (mut ahead, mut behind) = (vec![f32::MIN; padded], vec![f32::MIN; padded]);
    let mut out = Vec::with_capacity(values.len());
    for row in values.chunks_exact(width) {
        let at = |i: usize| if (apart..apart + width).contains(&i) { row[i - apart] } else { f32::MIN };
        for i in 0..padded {
            ahead[i] = if i % block == 0 { at(i) } else { ahead[i - 1].max(at(i)) };
        }
        for i in (0..padded).rev() {
            behind[i] = if i % block == block - 1 { at(i) } else { behind[i + 1].max(at(i)) };
        }
        out.extend((0..width).map(|i| behind[i].max(ahead[i + 2 * apart])));
    }
    out
}

fn transposed(values: &[f32], width: usize) -> Vec<f32> {
    let rows = values.len() / width;
    (0..width).flat_map(|col| (0..rows).map(move |row| values[row * width + col])).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::image::Plane;

    fn picture() -> Plane {
        Plane::from_fn(Size::new(90, 70), |col, row| {
            let square = (30..50).contains(&col) && (20..40).contains(&row);
            (60 + 100 * u32::from(square) + (col * 7 + row * 13) % 5) as u8
        })
    }

    fn whole(plane: &Plane) -> Window {
        plane.window(PixelRect { left: 0, top: 0, right: 90, bottom: 70 })
    }

    #[test]
    fn the_sliding_maximum_is_the_maximum() {
        let values: Vec<f32> = (0..60).map(|i: i32| f64::from((i * 37 + 11) % 53) as f32).collect();
        for apart in [1, 3, 8, 25] {
            let got = sliding_maximum(&values, 20, apart);
            for (i, value) in got.iter().enumerate() {
                let (row, col) = (i / 20 * 20, i % 20);
                let near = &values[row + col.saturating_sub(apart)..row + (col + apart + 1).min(20)];
                assert_eq!(*value, near.iter().copied().fold(f32::MIN, f32::max));
            }
        }
    }

    #[test]
    fn the_four_corners_of_a_square_are_its_peaks() {
        let plane = picture();
        let map = CornerMap::new(&whole(&plane), 7);
        let peaks = map.peaks(6);
        for corner in [(30.0, 20.0), (50.0, 20.0), (30.0, 40.0), (50.0, 40.0)] {
            let nearest = peaks[..4].iter().map(|i| map.place(*i).distance(Point::new(corner.0, corner.1)));
            assert!(
                nearest.fold(f64::MAX, f64::min) < 4.0,
                "{corner:?}: {:?}",
                peaks[..4].iter().map(|i| map.place(*i)).collect::<Vec<_>>()
            );
        }
    }

    #[test]
    fn a_window_smaller_than_the_square_has_no_map() {
        let map = CornerMap::new(&picture().window(PixelRect { left: 3, top: 3, right: 9, bottom: 60 }), 7);
        assert!(map.smaller.is_empty() && map.peaks(4).is_empty());
    }
}
