//! Softening a grid of values as a lens or a moving camera would.

use crate::geometry::Point;

/// How soft one picture is beyond another: out of focus, and smeared by motion.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Blur {
    /// Standard deviation of the Gaussian that stands for the lens, in pixels.
    pub sigma: f64,
    /// Motion while the shutter was open, in pixels; its sign does not matter.
    pub along: Point,
}

/// Blur below this cannot be told from none, in pixels.
const INVISIBLE: f64 = 0.05;
/// The Gaussian is cut off at this many standard deviations: 99.7 % are inside.
const GAUSS_REACH: f64 = 3.0;

impl Blur {
    /// Softens `values`, a grid of `cols` columns, in place; beyond its edge the edge is repeated.
    pub fn soften(&self, values: &mut Vec<f32>, cols: usize) {
        if self.sigma > INVISIBLE {
            let kernel = gaussian(self.sigma);
            *values = across(values, cols, &kernel);
            let turned = transposed(values, cols);
            let rows = values.len() / cols;
            *values = transposed(&across(&turned, rows, &kernel), rows);
        }
        if self.along.length() > INVISIBLE {
            *values = smeared(values, cols, self.along);
        }
    }

    /// Pixels that the blur reaches to each side.
    pub fn reach(&self) -> f64 {
        GAUSS_REACH * self.sigma + self.along.length() / 2.0
    }

    /// Whether it does nothing that could be seen.
    pub fn is_none(&self) -> bool {
        self.sigma <= INVISIBLE && self.along.length() <= INVISIBLE
    }
}

fn gaussian(sigma: f64) -> Vec<f32> {
    let reach = (GAUSS_REACH * sigma).ceil() as i32;
    let weights = (-reach..=reach).map(|i| (-0.5 * (f64::from(i) / sigma).powi(2)).exp());
    let total: f64 = weights.clone().sum();
    weights.map(|weight| (weight / total) as f32).collect()
}

fn across(values: &[f32], cols: usize, kernel: &[f32]) -> Vec<f32> {
    let reach = kernel.len() / 2;
    let mut padded = Vec::with_capacity(cols + 2 * reach);
    let mut out = Vec::with_capacity(values.len());
    for line in values.chunks_exact(cols) {
        padded.clear();
        padded.resize(reach, line[0]);
        padded.extend_from_slice(line);
        padded.resize(cols + 2 * reach, line[cols - 1]);
        out.extend(padded.windows(kernel.len()).map(|w| w.iter().zip(kernel).map(|(v, k)| v * k).sum::<f32>()));
    }
    out
}

fn transposed(values: &[f32], cols: usize) -> Vec<f32> {
    let rows = values.len() / cols;
    (0..cols).flat_map(|col| (0..rows).map(move |row| row * cols + col)).map(|i| values[i]).collect()
}

/// The mean over places along the motion, at most a pixel apart.
fn smeared(values: &[f32], cols: usize, along: Point) -> Vec<f32> {
    let rows = values.len() / cols;
    let count = along.length().ceil() as usize + 1;
    let mut out = vec![0f32; values.len()];
    for k in 0..count {
        let by = along * ((k as f64 + 0.5) / count as f64 - 0.5);
        let (left, top) = (by.x.floor(), by.y.floor());
        let (u, v) = ((by.x - left) as f32, (by.y - top) as f32);
        let weights = [(1.0 - u) * (1.0 - v), u * (1.0 - v), (1.0 - u) * v, u * v].map(|w| w / count as f32);
        let at = |index: usize, by: f64, most: usize| (index as i64 + by as i64).clamp(0, most as i64 - 1) as usize;
        for row in 0..rows {
            let upper = &values[at(row, top, rows) * cols..][..cols];
            let lower = &values[at(row, top + 1.0, rows) * cols..][..cols];
            for (col, sum) in out[row * cols..][..cols].iter_mut().enumerate() {
                let (a, b) = (at(col, left, cols), at(col, left + 1.0, cols));
                *sum += weights[0] * upper[a] + weights[1] * upper[b] + weights[2] * lower[a] + weights[3] * lower[b];
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Variances across and down of what blurring makes of a single bright sample.
    fn spread(blur: Blur) -> (f32, Point, f64) {
        let side = 61;
        let mut values = vec![0f32; side * side];
        values[30 * side + 30] = 1.0;
        blur.soften(&mut values, side);
        let total: f32 = values.iter().sum();
        let moment = |power: fn(f64, f64) -> f64| {
            let at = |i: usize| ((i % side) as f64 - 30.0, (i / side) as f64 - 30.0);
            values.iter().enumerate().map(|(i, v)| f64::from(*v) * power(at(i).0, at(i).1)).sum::<f64>()
        };
        (total, Point::new(moment(|x, _| x * x), moment(|_, y| y * y)), moment(|x, _| x))
    }

    #[test]
    fn a_gaussian_spreads_by_its_variance_and_stays_in_place() {
        let (total, variance, mean) = spread(Blur { sigma: 3.0, along: Point::default() });
        assert!((total - 1.0).abs() < 1e-4 && mean.abs() < 1e-4);
        assert!((variance.x - 9.0).abs() < 0.3 && (variance.y - 9.0).abs() < 0.3, "{variance:?}");
    }

    #[test]
    fn motion_spreads_as_a_box_along_its_way_and_stays_in_place() {
        let (total, variance, mean) = spread(Blur { sigma: 0.0, along: Point::new(12.0, -6.0) });
        assert!((total - 1.0).abs() < 1e-4 && mean.abs() < 1e-4, "{mean}");
        // A box of length L has the variance L^2/12; bilinear weights add up to a quarter of a squared pixel.
        assert!((variance.x - 12.0).abs() < 0.4 && (variance.y - 3.0).abs() < 0.4, "{variance:?}");
    }

    #[test]
    fn no_blur_changes_nothing() {
        let before: Vec<f32> = (0..35).map(|i| (i * 7 % 13) as f32).collect();
        let mut after = before.clone();
        Blur::default().soften(&mut after, 7);
        assert_eq!(before, after);
    }
}
