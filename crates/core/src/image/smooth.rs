//! Smooth, differentiable sampling of a small patch at any sub-pixel shift.
//!
//! The patch is smoothed by the binomial kernel 1-2-1 and read through the cubic B-spline kernel (Unser, Aldroubi
//! & Eden 1993), without the recursive prefilter. The missing prefilter is on purpose: together both are close to
//! a Gaussian of sigma 0.91 px, which least-squares matching wants anyway, because the noise of a raw pattern
//! biases its own gradients. As both pictures are read through the same kernel, and its spectrum has a zero of
//! fourth order at every multiple of the sampling rate, the shift found has next to no interpolation bias.

use super::{Blur, Window};
use crate::geometry::{Homography, PixelRect, Point};

/// Variance of the noise after smoothing over its variance before, at whole-pixel shifts: the squared weights of
/// (1 6 10 6 1)/24, which is 1-2-1 convolved with the spline's 1-4-1, summed in both directions.
pub const NOISE_GAIN: f64 = (174.0 / 576.0) * (174.0 / 576.0);

/// Columns and rows that the spline and the binomial kernel need beyond the patch on each side.
const MARGIN: i32 = 3;

/// A patch of a picture as floats, smoothed, ready to be sampled anywhere inside.
#[derive(Clone, Debug, Default)]
pub struct SmoothPatch {
    left: i32,
    top: i32,
    cols: usize,
    rows: usize,
    values: Vec<f32>,
    across: Vec<f32>,
}

/// Brightness and its derivatives on a grid of `cols * rows` points one pixel apart, row by row.
#[derive(Clone, Debug, Default)]
pub struct PatchSamples {
    /// Brightness, 0 to 255.
    pub value: Vec<f32>,
    /// Change of brightness per pixel to the right.
    pub dx: Vec<f32>,
    /// Change of brightness per pixel downwards.
    pub dy: Vec<f32>,
    scratch: Vec<f32>,
    scratch_dx: Vec<f32>,
}

impl PatchSamples {
    /// From brightness and derivatives, which have the same length.
    pub fn new(value: Vec<f32>, dx: Vec<f32>, dy: Vec<f32>) -> Self {
        Self { value, dx, dy, ..Self::default() }
    }

    /// The middle `cols * rows` of a grid of `from_cols * from_rows`.
    pub fn middle(&self, (from_cols, from_rows): (usize, usize), cols: usize, rows: usize) -> Self {
        let (left, top) = ((from_cols - cols) / 2, (from_rows - rows) / 2);
        let cut = |values: &[f32]| -> Vec<f32> {
            (top..top + rows).flat_map(|row| values[row * from_cols + left..][..cols].iter().copied()).collect()
        };
        Self { value: cut(&self.value), dx: cut(&self.dx), dy: cut(&self.dy), ..Self::default() }
    }

    /// Softens brightness and derivatives alike: differentiation and blur can be exchanged.
    pub fn soften(&mut self, blur: Blur, cols: usize) {
        [&mut self.value, &mut self.dx, &mut self.dy].into_iter().for_each(|values| blur.soften(values, cols));
    }
}

impl SmoothPatch {
    /// Reads and smooths `rect` of the window. Pixels beyond the window repeat its edge.
    pub fn load(&mut self, window: &Window, rect: PixelRect) {
        let outer = PixelRect {
            left: rect.left - MARGIN,
            top: rect.top - MARGIN,
            right: rect.right + MARGIN,
            bottom: rect.bottom + MARGIN,
        };
        (self.left, self.top) = (outer.left + 1, outer.top + 1);
        (self.cols, self.rows) = (outer.cols() - 2, outer.rows() - 2);
        let cols = self.cols;
        self.across.clear();
        self.across.reserve(cols * outer.rows());
        let across = &mut self.across;
        window.rows_of(outer, |_, row| {
            let triples = row.iter().zip(&row[1..]).zip(&row[2..]);
            across.extend(triples.map(|((&a, &b), &c)| f32::from(u16::from(a) + 2 * u16::from(b) + u16::from(c))));
        });
        self.values.clear();
        for row in 0..self.rows {
            let lines = &self.across[row * cols..(row + 3) * cols];
            let triples = lines[..cols].iter().zip(&lines[cols..2 * cols]).zip(&lines[2 * cols..]);
            self.values.extend(triples.map(|((a, b), c)| (a + 2.0 * b + c) * (1.0 / 16.0)));
        }
    }

    /// Softens the patch; near its edge the edge is repeated, so load as much more as the blur reaches.
    pub fn soften(&mut self, blur: Blur) {
        blur.soften(&mut self.values, self.cols);
    }

    /// Adds `amount` times what a Gaussian of this standard deviation would take away.
    pub fn sharpen(&mut self, sigma: f64, amount: f32) {
        let mut soft = self.values.clone();
        Blur { sigma, along: Point::default() }.soften(&mut soft, self.cols);
        self.values.iter_mut().zip(&soft).for_each(|(value, soft)| *value += amount * (*value - soft));
    }

    /// Whether a grid of `cols * rows` points about `centre` can be sampled without leaving the patch.
    pub fn covers(&self, centre: Point, cols: usize, rows: usize) -> bool {
        let (col, row, ..) = self.grid_start(centre, cols, rows);
        col >= 1 && row >= 1 && col + cols as i64 + 2 <= self.cols as i64 && row + rows as i64 + 2 <= self.rows as i64
    }

    /// Samples brightness and derivatives on the grid of `cols * rows` points, one pixel apart, about `centre`.
    ///
    /// # Panics
    /// When the grid does not lie inside: ask [`SmoothPatch::covers`] first.
    pub fn sample(&self, centre: Point, cols: usize, rows: usize, out: &mut PatchSamples) {
        assert!(self.covers(centre, cols, rows), "grid about {centre:?} leaves the patch");
        let (col, row, fraction_x, fraction_y) = self.grid_start(centre, cols, rows);
        let (first_col, first_row) = (col as usize - 1, row as usize - 1);
        let (wx, sx) = (spline_weights(fraction_x), spline_slopes(fraction_x));
        let (wy, sy) = (spline_weights(fraction_y), spline_slopes(fraction_y));
        out.scratch.clear();
        out.scratch_dx.clear();
        for row in first_row..first_row + rows + 3 {
            let line = &self.values[row * self.cols + first_col..][..cols + 3];
            let taps = line.iter().zip(&line[1..]).zip(&line[2..]).zip(&line[3..]);
            out.scratch.extend(taps.clone().map(|(((a, b), c), d)| wx[0] * a + wx[1] * b + wx[2] * c + wx[3] * d));
            out.scratch_dx.extend(taps.map(|(((a, b), c), d)| sx[0] * a + sx[1] * b + sx[2] * c + sx[3] * d));
        }
        combine_rows(&out.scratch, cols, rows, wy, &mut out.value);
        combine_rows(&out.scratch_dx, cols, rows, wy, &mut out.dx);
        combine_rows(&out.scratch, cols, rows, sy, &mut out.dy);
    }

    /// Samples the grid of `cols * rows` points that `map` puts down in the picture: it maps a point of the grid,
    /// counted from the grid's centre, to the picture. Derivatives are by the grid's own coordinates. `false`, and
    /// nothing sampled, when part of it lies outside the patch.
    pub fn sample_mapped(&self, map: &Homography, cols: usize, rows: usize, out: &mut PatchSamples) -> bool {
        let (half_x, half_y) = ((cols as f64 - 1.0) / 2.0, (rows as f64 - 1.0) / 2.0);
        let corners = [(-1.0, -1.0), (1.0, -1.0), (-1.0, 1.0), (1.0, 1.0)];
        let inside = |(x, y): (f64, f64)| self.holds(map.apply(Point::new(x * half_x, y * half_y)));
        if !corners.into_iter().all(inside) {
            return false;
        }
        for values in [&mut out.value, &mut out.dx, &mut out.dy] {
            values.clear();
            values.reserve(cols * rows);
        }
        let [[a, b, c], [d, e, f], [g, h, i]] = *map.rows();
        if (g, h, i) == (0.0, 0.0, 1.0) {
            self.sample_sheared(map, cols, rows, out);
            return true;
        }
        for row in 0..rows {
            let v = row as f64 - half_y;
            for col in 0..cols {
                let u = col as f64 - half_x;
                let w = 1.0 / (g * u + h * v + i);
                let (x, y) = ((a * u + b * v + c) * w, (d * u + e * v + f) * w);
                let [value, dx, dy] = self.value_and_slopes(x, y);
                let (dx, dy) = (f64::from(dx) * w, f64::from(dy) * w);
                out.value.push(value);
                out.dx.push((dx * (a - g * x) + dy * (d - g * y)) as f32);
                out.dy.push((dx * (b - h * x) + dy * (e - h * y)) as f32);
            }
        }
        true
    }

    /// Samples points that `map` puts down in the picture, with derivatives by the points' own coordinates. `None` for
    /// each that lies outside of the patch. Places are counted from the patch's corner, where single precision is good to
    /// some hundred-thousandths of a pixel.
    pub(crate) fn sample_points<'a>(
        &'a self,
        map: &Homography,
        points: &'a [[f32; 2]],
    ) -> impl Iterator<Item = Option<[f32; 3]>> + 'a {
        let corner = Point::new(-0.5 - f64::from(self.left), -0.5 - f64::from(self.top));
        let map = Homography::shift(corner).after(map);
        let [[a, b, c], [d, e, f], [g, h, i]] = map.rows().map(|row| row.map(|value| value as f32));
        let (most_x, most_y) = (self.cols as f32 - 2.001, self.rows as f32 - 2.001);
        points.iter().map(move |&[u, v]| {
            let w = 1.0 / (g * u + h * v + i);
            let (x, y) = ((a * u + b * v + c) * w, (d * u + e * v + f) * w);
            // What is behind the camera is nowhere; nor is what is no number.
            let is_held = w > 0.0 && x >= 1.0 && y >= 1.0 && x < most_x && y < most_y;
            is_held.then(|| {
                let [value, dx, dy] = self.value_and_slopes_at(x, y);
                let (dx, dy) = (dx * w, dy * w);
                [value, dx * (a - g * x) + dy * (d - g * y), dx * (b - h * x) + dy * (e - h * y)]
            })
        })
    }

    /// Without perspective: no division, and the derivatives turn all alike. Places are counted from the patch's
    /// corner, where single precision is good to some hundred-thousandths of a pixel.
    fn sample_sheared(&self, map: &Homography, cols: usize, rows: usize, out: &mut PatchSamples) {
        let [[a, b, c], [d, e, f], _] = *map.rows();
        let (half_x, half_y) = ((cols as f64 - 1.0) / 2.0, (rows as f64 - 1.0) / 2.0);
        let (left, top) = (c - 0.5 - f64::from(self.left), f - 0.5 - f64::from(self.top));
        let [af, bf, df, ef] = [a, b, d, e].map(|value| value as f32);
        for row in 0..rows {
            let v = row as f64 - half_y;
            let (x, y) = ((left + b * v - a * half_x) as f32, (top + e * v - d * half_x) as f32);
            for col in 0..cols {
                let [value, dx, dy] = self.value_and_slopes_at(x + af * col as f32, y + df * col as f32);
                out.value.push(value);
                out.dx.push(dx * af + dy * df);
                out.dy.push(dx * bf + dy * ef);
            }
        }
    }

    fn holds(&self, at: Point) -> bool {
        let (x, y) = (at.x - 0.5 - f64::from(self.left), at.y - 0.5 - f64::from(self.top));
        // A little less than the last pixel: in single precision the place is rounded, also upwards.
        x >= 1.0 && y >= 1.0 && x < self.cols as f64 - 2.001 && y < self.rows as f64 - 2.001
    }

    #[inline]
    fn value_and_slopes(&self, x: f64, y: f64) -> [f32; 3] {
        self.value_and_slopes_at((x - 0.5 - f64::from(self.left)) as f32, (y - 0.5 - f64::from(self.top)) as f32)
    }

    /// At a place counted from the middle of the patch's first pixel.
    #[inline]
    fn value_and_slopes_at(&self, x: f32, y: f32) -> [f32; 3] {
        let (col, row) = (x as i32 as usize, y as i32 as usize);
        let (fraction_x, fraction_y) = (x - col as f32, y - row as f32);
        let (wx, sx) = (spline_weights(fraction_x), spline_slopes(fraction_x));
        let (wy, sy) = (spline_weights(fraction_y), spline_slopes(fraction_y));
        // Down the columns first: four of them make one vector.
        let (mut value, mut slope) = ([0f32; 4], [0f32; 4]);
        let first = (row - 1) * self.cols + col - 1;
        for j in 0..4 {
            let line: &[f32; 4] = self.values[first + j * self.cols..].first_chunk().expect("inside");
            for i in 0..4 {
                value[i] += wy[j] * line[i];
                slope[i] += sy[j] * line[i];
            }
        }
        let dot = |a: &[f32; 4], b: &[f32; 4]| (a[0] * b[0] + a[1] * b[1]) + (a[2] * b[2] + a[3] * b[3]);
        [dot(&value, &wx), dot(&value, &sx), dot(&slope, &wx)]
    }

    /// First grid point as whole column and row of `values`, and the fractions beyond them.
    fn grid_start(&self, centre: Point, cols: usize, rows: usize) -> (i64, i64, f32, f32) {
        // Half a pixel: values sit at pixel centres.
        let x = centre.x - 0.5 - (cols as f64 - 1.0) / 2.0 - f64::from(self.left);
        let y = centre.y - 0.5 - (rows as f64 - 1.0) / 2.0 - f64::from(self.top);
        let (col, row) = (x.floor(), y.floor());
        (col as i64, row as i64, (x - col) as f32, (y - row) as f32)
    }
}

fn combine_rows(lines: &[f32], cols: usize, rows: usize, weights: [f32; 4], out: &mut Vec<f32>) {
    out.clear();
    for row in 0..rows {
        let span = &lines[row * cols..(row + 4) * cols];
        let (a, rest) = span.split_at(cols);
        let (b, rest) = rest.split_at(cols);
        let (c, d) = rest.split_at(cols);
        let taps = a.iter().zip(b).zip(c).zip(d);
        out.extend(taps.map(|(((a, b), c), d)| weights[0] * a + weights[1] * b + weights[2] * c + weights[3] * d));
    }
}

/// Cubic B-spline weights of the four pixels about a point `t` in `[0, 1)` beyond the second of them.
fn spline_weights(t: f32) -> [f32; 4] {
    let (t2, t3, s) = (t * t, t * t * t, 1.0 - t);
    [s * s * s / 6.0, (4.0 - 6.0 * t2 + 3.0 * t3) / 6.0, (1.0 + 3.0 * t + 3.0 * t2 - 3.0 * t3) / 6.0, t3 / 6.0]
}

/// Derivatives of [`spline_weights`] by `t`.
fn spline_slopes(t: f32) -> [f32; 4] {
    let (t2, s) = (t * t, 1.0 - t);
    [-s * s / 2.0, (3.0 * t2 - 4.0 * t) / 2.0, (1.0 + 2.0 * t - 3.0 * t2) / 2.0, t2 / 2.0]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::image::Plane;

    fn whole(plane: &Plane) -> (Window, PixelRect) {
        let rect = PixelRect { left: 0, top: 0, right: plane.size().width as i32, bottom: plane.size().height as i32 };
        (plane.window(rect), rect)
    }

    #[test]
    fn spline_weights_add_up_to_one_and_slopes_to_zero() {
        for t in [0.0, 0.1, 0.5, 0.999] {
            assert!((spline_weights(t).iter().sum::<f32>() - 1.0).abs() < 1e-6, "{t}");
            assert!(spline_slopes(t).iter().sum::<f32>().abs() < 1e-6, "{t}");
        }
    }

    #[test]
    fn a_ramp_is_sampled_exactly_with_its_slope() {
        let plane = Plane::from_fn(Size::new(40, 30), |col, row| (3 * col + 2 * row) as u8);
        let (window, rect) = whole(&plane);
        let mut patch = SmoothPatch::default();
        patch.load(&window, rect);
        let (mut samples, centre) = (PatchSamples::default(), Point::new(20.3, 14.8));
        patch.sample(centre, 3, 3, &mut samples);
        // At a point (x, y) the ramp has the value of a pixel whose centre would be there.
        let want = 3.0 * (centre.x - 0.5) + 2.0 * (centre.y - 0.5);
        assert!((f64::from(samples.value[4]) - want).abs() < 1e-3, "{} {want}", samples.value[4]);
        assert!((samples.dx[4] - 3.0).abs() < 1e-4 && (samples.dy[4] - 2.0).abs() < 1e-4);
    }

    #[test]
    fn derivatives_agree_with_differences() {
        let plane = Plane::from_fn(Size::new(40, 40), |col, row| ((col * 37 + row * 11 + col * row) % 251) as u8);
        let (window, rect) = whole(&plane);
        let mut patch = SmoothPatch::default();
        patch.load(&window, rect);
        let value_at = |x: f64, y: f64| {
            let mut samples = PatchSamples::default();
            patch.sample(Point::new(x, y), 1, 1, &mut samples);
            (f64::from(samples.value[0]), f64::from(samples.dx[0]), f64::from(samples.dy[0]))
        };
        let step = 0.01;
        for (x, y) in [(12.2, 17.9), (20.0, 20.5), (25.73, 9.31)] {
            let (_, dx, dy) = value_at(x, y);
            let across = (value_at(x + step, y).0 - value_at(x - step, y).0) / (2.0 * step);
            let down = (value_at(x, y + step).0 - value_at(x, y - step).0) / (2.0 * step);
            assert!((dx - across).abs() < 0.02 && (dy - down).abs() < 0.02, "{dx} {across} {dy} {down}");
        }
    }

    #[test]
    fn a_place_that_rounds_to_the_edge_is_outside() {
        let plane = Plane::from_fn(Size::new(4000, 8), |col, _| (col % 251) as u8);
        let (window, rect) = whole(&plane);
        let mut patch = SmoothPatch::default();
        patch.load(&window, rect);
        // One step of double precision before the last place that has all its neighbours.
        let at = Point::new(f64::from_bits(4000.5f64.to_bits() - 1), 4.5);
        let mut found = patch.sample_points(&Homography::shift(at), &[[0.0, 0.0]]).collect::<Vec<_>>();
        assert_eq!(found.pop(), Some(None));
    }

    #[test]
    fn a_mapped_grid_has_the_derivatives_of_its_own_coordinates() {
        let plane = Plane::from_fn(Size::new(60, 60), |col, row| {
            (120.0 + 60.0 * (f64::from(col) * 0.3).sin() + 50.0 * (f64::from(row) * 0.23).cos()) as u8
        });
        let (window, rect) = whole(&plane);
        let mut patch = SmoothPatch::default();
        patch.load(&window, rect);
        let map = Homography::new([[1.2, -0.3, 30.2], [0.25, 0.9, 29.6], [0.002, -0.001, 1.0]]);
        let mut samples = PatchSamples::default();
        assert!(patch.sample_mapped(&map, 9, 7, &mut samples));
        let value = |u: f64, v: f64| {
            let at = map.apply(Point::new(u, v));
            let mut one = PatchSamples::default();
            patch.sample(at, 1, 1, &mut one);
            f64::from(one.value[0])
        };
        for (col, row) in [(0, 0), (4, 3), (8, 6), (2, 5)] {
            let (u, v, i) = (f64::from(col) - 4.0, f64::from(row) - 3.0, (row * 9 + col) as usize);
            assert!((f64::from(samples.value[i]) - value(u, v)).abs() < 1e-3);
            let across = (value(u + 0.01, v) - value(u - 0.01, v)) / 0.02;
            let down = (value(u, v + 0.01) - value(u, v - 0.01)) / 0.02;
            assert!((f64::from(samples.dx[i]) - across).abs() < 0.03, "{} {across}", samples.dx[i]);
            assert!((f64::from(samples.dy[i]) - down).abs() < 0.03, "{} {down}", samples.dy[i]);
        }
        let outside = Homography::shift(Point::new(2.0, 2.0)).after(&map);
        assert!(!patch.sample_mapped(&outside, 61, 61, &mut samples));
    }

    #[test]
    fn noise_gain_is_what_the_kernel_does_to_noise() {
        let mut state = 1u32;
        let plane = Plane::from_fn(Size::new(300, 300), |_, _| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (100 + (state >> 16) % 41) as u8
        });
        let (window, rect) = whole(&plane);
        let mut patch = SmoothPatch::default();
        patch.load(&window, rect);
        let mut samples = PatchSamples::default();
        patch.sample(Point::new(150.5, 150.5), 281, 281, &mut samples);
        let variance = |values: &mut dyn Iterator<Item = f64>| {
            let all: Vec<f64> = values.collect();
            let mean = all.iter().sum::<f64>() / all.len() as f64;
            all.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / all.len() as f64
        };
        let raw = variance(&mut plane.data().iter().map(|&v| f64::from(v)));
        let smooth = variance(&mut samples.value.iter().map(|&v| f64::from(v)));
        assert!((smooth / raw / NOISE_GAIN - 1.0).abs() < 0.03, "{}", smooth / raw);
    }
}
