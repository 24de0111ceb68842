//! Least-squares alignment of a pattern by shift, gain and offset.

use crate::geometry::{PixelRect, Point};
use crate::image::{NOISE_GAIN, PatchSamples, SmoothPatch, Window};
use crate::matching::correlation;

/// Steps shorter than this end the iteration, in pixels: a tenth of the best accuracy seen on real film.
const CONVERGED_STEP: f64 = 0.002;
/// Good starts converge in 3 to 5 steps; after this many it is not going to.
const MAX_ITERATIONS: u32 = 15;
/// A single step is cut to this, in pixels: the linear model does not hold further out.
const MAX_STEP: f64 = 1.5;
/// Residuals beyond this many standard deviations do not count at all, smaller ones ever more (the biweight of Beaton &
/// Tukey 1974; 4.685 keeps 95 % efficiency for Gaussian noise). Smaller, and sharp texture starts to fall out.
const BIWEIGHT_LIMIT: f64 = 4.685;
/// The biweight cuts the tails: of Gaussian residuals it leaves this share of the variance (numerical integration).
const BIWEIGHT_VARIANCE: f64 = 0.827;
/// The smaller pivot of the shift equations, over the pixel count, below which there is too little texture, in
/// squared grey levels per squared pixel.
const MIN_TEXTURE: f64 = 0.05;

/// What a pin looks like: samples on a grid one pixel apart about the pin, taken from one frame.
#[derive(Clone, Debug)]
pub struct Pattern {
    /// Columns of the grid.
    pub cols: usize,
    /// Rows of the grid.
    pub rows: usize,
    samples: PatchSamples,
}

impl Pattern {
    /// Picks the pattern about `centre` out of a window; beyond the window its edge is repeated.
    pub fn pick(window: &Window, centre: Point, cols: usize, rows: usize) -> Self {
        let mut patch = SmoothPatch::default();
        patch.load(window, Self::rect(centre, cols, rows));
        let mut samples = PatchSamples::default();
        patch.sample(centre, cols, rows, &mut samples);
        Self { cols, rows, samples }
    }

    /// The pixels a pattern about `centre` is made of.
    pub fn rect(centre: Point, cols: usize, rows: usize) -> PixelRect {
        PixelRect::around(centre, cols as f64 / 2.0, rows as f64 / 2.0)
    }

    /// Brightness samples, row by row.
    pub fn values(&self) -> &[f32] {
        &self.samples.value
    }
}

/// Why an iterative alignment ended. Reaching the limit is an answer, not an error.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StopReason {
    /// The last step was below the wanted accuracy.
    Converged,
    /// The pattern or the picture has nothing that fixes a position.
    TooLittleTexture,
    /// It walked further from its start than it was allowed to.
    WalkedAway,
    /// It kept moving until the limit of steps.
    IterationLimit,
}

/// What an alignment found, with the evidence to judge it.
#[derive(Clone, Copy, Debug)]
pub struct Alignment {
    /// Centre of the pattern in the current frame.
    pub centre: Point,
    /// Correlation of pattern and picture there, 0 to 1; negative correlation counts as 0.
    pub matched: f64,
    /// Standard deviation of `centre` across and down, in pixels, from the residual and the gradients.
    pub deviation: Point,
    /// Brightness of the picture over brightness of the pattern.
    pub gain: f64,
    /// Steps made, at least 1.
    pub iterations: u32,
    /// Why it ended.
    pub stop: StopReason,
}

/// Aligns patterns; keeps its scratch memory.
#[derive(Debug, Default)]
pub struct Aligner {
    patch: SmoothPatch,
    current: PatchSamples,
}

impl Aligner {
    /// Finds the pattern near `start` in the window, at most `reach` pixels away.
    ///
    /// Efficient second-order minimisation (Benhimane & Malis 2007): the gradients of pattern and picture are averaged,
    /// so that the noise of neither biases the step. Shift, gain and offset are solved for together, with biweight
    /// residuals, so that a passing edge does not pull. The covariance is of the Cramér-Rao form
    /// (Robinson & Milanfar 2004), with the smoothing of the residual undone.
    pub fn align(&mut self, pattern: &Pattern, window: &Window, start: Point, reach: f64) -> Alignment {
        let (cols, rows) = (pattern.cols, pattern.rows);
        let area = PixelRect::around(start, cols as f64 / 2.0 + reach + 1.0, rows as f64 / 2.0 + reach + 1.0);
        self.patch.load(window, area);
        let (mut centre, mut light) = (start, Light { gain: 1.0, offset: 0.0, limit: f32::INFINITY });
        let mut result = None;
        let mut iterations = 0;
        while result.is_none() {
            iterations += 1;
            self.patch.sample(centre, cols, rows, &mut self.current);
            let sums = NormalSums::gather(&pattern.samples, &self.current, light);
            let Some(step) = sums.solve() else {
                result = Some((StopReason::TooLittleTexture, Point::new(f64::INFINITY, f64::INFINITY)));
                break;
            };
            centre = centre + step.shift * (MAX_STEP / step.shift.length()).min(1.0);
            light = step.light;
            let moved = centre - start;
            result = match () {
                () if moved.x.abs().max(moved.y.abs()) > reach => Some((StopReason::WalkedAway, step.deviation)),
                // The first step has no weights yet: at least one more makes it robust.
                () if step.shift.length() < CONVERGED_STEP && iterations > 1 => {
                    Some((StopReason::Converged, step.deviation))
                }
                () if iterations == MAX_ITERATIONS => Some((StopReason::IterationLimit, step.deviation)),
                () => None,
            };
        }
        let (stop, deviation) = result.expect("the loop ends with a result");
        let matched = self.match_at(pattern, centre);
        Alignment { centre, matched, deviation, gain: f64::from(light.gain), iterations, stop }
    }

    fn match_at(&mut self, pattern: &Pattern, centre: Point) -> f64 {
        if !self.patch.covers(centre, pattern.cols, pattern.rows) {
            return 0.0;
        }
        self.patch.sample(centre, pattern.cols, pattern.rows, &mut self.current);
        correlation(&pattern.samples.value, &self.current.value).map_or(0.0, |score| f64::from(score.max(0.0)))
    }
}

/// Brightness model `gain * pattern + offset`, and the residual beyond which a sample counts less.
#[derive(Clone, Copy, Debug)]
struct Light {
    gain: f32,
    offset: f32,
    limit: f32,
}

struct Step {
    shift: Point,
    light: Light,
    deviation: Point,
}

/// Weighted sums of products of the five columns: mean gradient across, down, pattern, one; and the picture.
#[derive(Clone, Copy, Debug, Default)]
struct NormalSums {
    products: [f64; 15],
    weighted_squares: f64,
    weight: f64,
}

/// Samples are added up in this many lanes, so that the compiler can use vector registers.
const LANES: usize = 8;

impl NormalSums {
    fn gather(pattern: &PatchSamples, current: &PatchSamples, light: Light) -> Self {
        let mut sums = [[0f32; LANES]; 17];
        let count = pattern.value.len();
        let mut totals = [0f64; 17];
        let mut flush = |sums: &mut [[f32; LANES]; 17]| {
            for (total, lanes) in totals.iter_mut().zip(sums) {
                *total += lanes.iter().map(|&v| f64::from(v)).sum::<f64>();
                *lanes = [0.0; LANES];
            }
        };
        // Sums in f32 stay exact enough over a few hundred samples; they are moved to f64 in between.
        for start in (0..count).step_by(LANES * 32) {
            for first in (start..count.min(start + LANES * 32)).step_by(LANES) {
                let lanes = LANES.min(count - first);
                add_lanes(pattern, current, light, first, lanes, &mut sums);
            }
            flush(&mut sums);
        }
        let mut products = [0.0; 15];
        products.copy_from_slice(&totals[..15]);
        Self { products, weighted_squares: totals[15], weight: totals[16] }
    }

    /// Solves for shift, gain and offset at once; `None` when the texture does not fix the shift.
    fn solve(&self) -> Option<Step> {
        let [xx, xy, xt, x1, xc, yy, yt, y1, yc, tt, t1, tc, one, c1, _cc] = self.products;
        // Gain and offset are eliminated first; what is left of the gradients is what fixes the shift.
        let light_det = tt * one - t1 * t1;
        if light_det <= 1e-9 * tt * one || one < 1.0 {
            return None;
        }
        let light_of = |at: f64, a1: f64| ((at * one - a1 * t1) / light_det, (a1 * tt - at * t1) / light_det);
        let rest = |ab: f64, (gain, offset): (f64, f64), bt: f64, b1: f64| ab - gain * bt - offset * b1;
        let (lx, ly, lc) = (light_of(xt, x1), light_of(yt, y1), light_of(tc, c1));
        let (a, b, d) = (rest(xx, lx, xt, x1), rest(xy, lx, yt, y1), rest(yy, ly, yt, y1));
        let (e, f) = (rest(xc, lx, tc, c1), rest(yc, ly, tc, c1));
        let det = a * d - b * b;
        let smaller = (a + d) / 2.0 - ((a - d) / 2.0).hypot(b);
        if smaller < MIN_TEXTURE * one {
            return None;
        }
        // The picture at the moved place is `current + gradient * shift`; it should be the pattern's.
        let shift = Point::new(-(e * d - f * b) / det, -(a * f - b * e) / det);
        let gain = lc.0 + lx.0 * shift.x + ly.0 * shift.y;
        let offset = lc.1 + lx.1 * shift.x + ly.1 * shift.y;
        let variance = self.weighted_squares / self.weight.max(1.0) / BIWEIGHT_VARIANCE;
        // The residual was smoothed, the error of the shift hardly: undo the smoothing of the variance.
        let noise = variance / NOISE_GAIN;
        let limit = (BIWEIGHT_LIMIT * variance.sqrt()) as f32;
        Some(Step {
            shift,
            light: Light { gain: gain as f32, offset: offset as f32, limit: limit.max(2.0) },
            deviation: Point::new((noise * d / det).sqrt(), (noise * a / det).sqrt()),
        })
    }
}

#[inline]
fn add_lanes(
    pattern: &PatchSamples,
    current: &PatchSamples,
    light: Light,
    first: usize,
    lanes: usize,
    sums: &mut [[f32; LANES]; 17],
) {
    let take = |values: &[f32]| {
        let mut out = [0f32; LANES];
        out[..lanes].copy_from_slice(&values[first..first + lanes]);
        out
    };
    let (t, tx, ty) = (take(&pattern.value), take(&pattern.dx), take(&pattern.dy));
    let (c, cx, cy) = (take(&current.value), take(&current.dx), take(&current.dy));
    let mut weight = [0f32; LANES];
    weight[..lanes].fill(1.0);
    let mut columns = [[0f32; LANES]; 5];
    let mut residual = [0f32; LANES];
    let per_limit = 1.0 / light.limit;
    // Lanes innermost throughout: each of these loops becomes one vector instruction or two.
    for i in 0..LANES {
        residual[i] = c[i] - light.gain * t[i] - light.offset;
        let share = residual[i] * per_limit;
        let inside = (1.0 - share * share).max(0.0);
        weight[i] *= inside * inside;
        columns[0][i] = (light.gain * tx[i] + cx[i]) * 0.5;
        columns[1][i] = (light.gain * ty[i] + cy[i]) * 0.5;
        columns[2][i] = t[i];
        columns[3][i] = 1.0;
        columns[4][i] = c[i];
    }
    let mut slot = 0;
    for p in 0..5 {
        let mut weighted = [0f32; LANES];
        for i in 0..LANES {
            weighted[i] = weight[i] * columns[p][i];
        }
        for column in &columns[p..] {
            for i in 0..LANES {
                sums[slot][i] += weighted[i] * column[i];
            }
            slot += 1;
        }
    }
    for i in 0..LANES {
        sums[15][i] += weight[i] * residual[i] * residual[i];
        sums[16][i] += weight[i];
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::image::Plane;

    /// A smooth scene with structure down to about four pixels, moved by a fraction of a pixel.
    fn scene(shift: Point, gain: f64, offset: f64) -> Plane {
        Plane::from_fn(Size::new(90, 80), |col, row| {
            let (x, y) = (f64::from(col) + 0.5 - shift.x, f64::from(row) + 0.5 - shift.y);
            let wave = (x * 0.61 + y * 0.17).sin() + (y * 0.53 - x * 0.21).sin() + (x * 1.1).cos() * (y * 0.9).sin();
            (offset + gain * (120.0 + 30.0 * wave)).round() as u8
        })
    }

    fn aligned(plane: &Plane, start: Point) -> Alignment {
        let whole = PixelRect { left: 0, top: 0, right: 90, bottom: 80 };
        let pattern = Pattern::pick(&scene(Point::default(), 1.0, 0.0).window(whole), Point::new(45.0, 40.0), 31, 31);
        Aligner::default().align(&pattern, &plane.window(whole), start, 3.0)
    }

    #[test]
    fn finds_fractions_of_a_pixel_with_a_bias_below_a_hundredth() {
        for step in 0..10 {
            let shift = Point::new(f64::from(step) * 0.1, 0.93 - f64::from(step) * 0.13);
            let found = aligned(&scene(shift, 1.0, 0.0), Point::new(45.4, 40.3));
            let error = found.centre - (Point::new(45.0, 40.0) + shift);
            assert!(error.length() < 0.01, "shift {shift:?}: off by {error:?}");
            assert_eq!(found.stop, StopReason::Converged);
            assert!(found.matched > 0.99, "{found:?}");
        }
    }

    #[test]
    fn light_changes_nothing() {
        let shift = Point::new(0.37, -0.61);
        let found = aligned(&scene(shift, 0.6, 20.0), Point::new(45.0, 40.0));
        let error = found.centre - (Point::new(45.0, 40.0) + shift);
        assert!(error.length() < 0.02, "{error:?}");
        assert!((found.gain - 0.6).abs() < 0.02, "{}", found.gain);
    }

    #[test]
    fn a_passing_edge_hardly_pulls() {
        let shift = Point::new(0.25, 0.4);
        let clean = scene(shift, 1.0, 0.0);
        let covered =
            Plane::from_fn(clean.size(), |col, row| if col > 56 { 15 } else { clean.row(row as usize)[col as usize] });
        let found = aligned(&covered, Point::new(45.0, 40.0));
        let error = found.centre - (Point::new(45.0, 40.0) + shift);
        assert!(error.length() < 0.15, "{error:?}");
    }

    #[test]
    fn a_flat_picture_is_reported_not_divided_by() {
        let flat = Plane::from_fn(Size::new(90, 80), |_, _| 77);
        let found = aligned(&flat, Point::new(45.0, 40.0));
        assert_eq!(found.matched, 0.0);
        assert!(found.centre.is_finite());
    }

    #[test]
    fn a_wrong_start_walks_away_or_matches_badly() {
        let found = aligned(&scene(Point::new(15.0, 11.0), 1.0, 0.0), Point::new(45.0, 40.0));
        assert!(found.stop == StopReason::WalkedAway || found.matched < 0.8, "{found:?}");
    }
}
