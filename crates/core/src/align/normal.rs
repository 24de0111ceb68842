//! Normal equations of an alignment: weighted sums, gain and offset eliminated, the rest solved.

use super::motion::{MOST_COLUMNS, add_columns};
use crate::biweight::{BIWEIGHT_LIMIT, BIWEIGHT_VARIANCE};
use crate::cholesky::Cholesky;
use crate::image::{NOISE_GAIN, PatchSamples};
use crate::track::MotionModel;

/// The smaller pivot of the shift equations, over the pixel count, below which there is too little texture, in
/// squared grey levels per squared pixel.
const MIN_TEXTURE: f64 = 0.05;
/// The residual limit never falls below this, in grey levels: rounding to 8 bits alone reaches half of one.
const MIN_LIMIT: f64 = 2.0;
/// Samples are added up in this many lanes, so that the compiler can use vector registers.
const LANES: usize = 8;
/// Products of all columns with each other: motion, pattern, one, picture.
const MOST_PRODUCTS: usize = (MOST_COLUMNS + 3) * (MOST_COLUMNS + 4) / 2;

/// Brightness model `gain * pattern + offset`, and the residual beyond which a sample counts for nothing.
#[derive(Clone, Copy, Debug)]
pub(super) struct Light {
    pub gain: f32,
    pub offset: f32,
    pub limit: f32,
}

impl Light {
    pub const UNKNOWN: Self = Self { gain: 1.0, offset: 0.0, limit: f32::INFINITY };
}

/// A step of the motion's numbers, and their covariance where it leads.
#[derive(Clone, Debug)]
pub(super) struct Solution {
    pub step: [f64; MOST_COLUMNS],
    /// Of the first two numbers, which are the place: across, both, down; in squared pixels of the pattern.
    pub covariance: [f64; 3],
}

/// Weighted sums of the products of all columns of one layer.
struct Sums {
    columns: usize,
    products: [f64; MOST_PRODUCTS],
    weighted_squares: f64,
    weight: f64,
}

/// The equations of one layer with its light eliminated, scaled by its noise: those of several layers are added up.
#[derive(Clone, Debug)]
pub(super) struct Equations {
    count: usize,
    matrix: [[f64; MOST_COLUMNS]; MOST_COLUMNS],
    right: [f64; MOST_COLUMNS],
}

impl Equations {
    pub fn new(motion: MotionModel) -> Self {
        Self { count: motion.columns(), matrix: [[0.0; MOST_COLUMNS]; MOST_COLUMNS], right: [0.0; MOST_COLUMNS] }
    }

    /// Adds a layer, and gives its light as of before the step; `false` when the layer has too little texture.
    pub fn add(
        &mut self,
        motion: MotionModel,
        pattern: &PatchSamples,
        current: &PatchSamples,
        cols: usize,
        light: &mut Light,
    ) -> bool {
        let sums = match motion {
            MotionModel::Position => Sums::gather::<5>(motion, pattern, current, cols, *light),
            MotionModel::Rotation => Sums::gather::<6>(motion, pattern, current, cols, *light),
            MotionModel::Scale => Sums::gather::<7>(motion, pattern, current, cols, *light),
            MotionModel::Affine => Sums::gather::<9>(motion, pattern, current, cols, *light),
            MotionModel::Perspective => Sums::gather::<11>(motion, pattern, current, cols, *light),
        };
        self.eliminate(&sums, light)
    }

    /// The light is eliminated first (a Schur complement); what is left of the gradients is what fixes the motion.
    fn eliminate(&mut self, sums: &Sums, light: &mut Light) -> bool {
        let count = self.count;
        let (pattern, one, picture) = (count, count + 1, count + 2);
        let of = |a: usize, b: usize| sums.product(a, b);
        let (tt, t1, weight) = (of(pattern, pattern), of(pattern, one), of(one, one));
        let det = tt * weight - t1 * t1;
        if weight < 1.0 || det <= 1e-9 * tt * weight {
            return false;
        }
        let light_of = |a: usize| {
            let (at, a1) = (of(a, pattern), of(a, one));
            ((at * weight - a1 * t1) / det, (a1 * tt - at * t1) / det)
        };
        let rest = |a: usize, b: usize| {
            let (gain, offset) = light_of(a);
            of(a, b) - gain * of(b, pattern) - offset * of(b, one)
        };
        let (xx, xy, yy) = (rest(0, 0), rest(0, 1), rest(1, 1));
        let smaller = (xx + yy) / 2.0 - ((xx - yy) / 2.0).hypot(xy);
        if smaller < MIN_TEXTURE * weight {
            return false;
        }
        let variance = sums.weighted_squares / sums.weight.max(1.0) / BIWEIGHT_VARIANCE;
        // The residual was smoothed, the error of the shift hardly: undo the smoothing of the variance.
        let scale = NOISE_GAIN / variance.max(1e-3);
        for a in 0..count {
            for b in a..count {
                self.matrix[a][b] += scale * rest(a, b);
            }
            self.right[a] -= scale * rest(a, picture);
        }
        let (gain, offset) = light_of(picture);
        *light = Light {
            gain: gain as f32,
            offset: offset as f32,
            limit: (BIWEIGHT_LIMIT * variance.sqrt()).max(MIN_LIMIT) as f32,
        };
        true
    }

    /// Solves for the step; `None` when the texture does not fix all of the motion.
    pub fn solve(&self) -> Option<Solution> {
        let factor = Cholesky::of(&self.matrix, self.count, 1e-10)?;
        let step = factor.solve(&self.right);
        let unit = |which: usize| {
            let mut right = [0.0; MOST_COLUMNS];
            right[which] = 1.0;
            factor.solve(&right)
        };
        let (first, second) = (unit(0), unit(1));
        Some(Solution { step, covariance: [first[0], first[1], second[1]] })
    }
}

impl Sums {
    fn gather<const COLUMNS: usize>(
        motion: MotionModel,
        pattern: &PatchSamples,
        current: &PatchSamples,
        cols: usize,
        light: Light,
    ) -> Self {
        let count = pattern.value.len();
        let half = ((cols as f32 - 1.0) / 2.0, (count as f32 / cols as f32 - 1.0) / 2.0);
        let slots = COLUMNS * (COLUMNS + 1) / 2;
        let mut sums = [[0f32; LANES]; MOST_PRODUCTS + 2];
        let mut totals = [0f64; MOST_PRODUCTS + 2];
        // Sums in f32 stay exact enough over a few hundred samples; they are moved to f64 in between.
        for start in (0..count).step_by(LANES * 32) {
            for first in (start..count.min(start + LANES * 32)).step_by(LANES) {
                let lanes = Lanes::read::<COLUMNS>(pattern, current, first, cols, half);
                lanes.add::<COLUMNS>(motion, light, &mut sums);
            }
            for (total, lanes) in totals.iter_mut().zip(&mut sums[..slots + 2]) {
                *total += lanes.iter().map(|&v| f64::from(v)).sum::<f64>();
                *lanes = [0.0; LANES];
            }
        }
        let mut products = [0.0; MOST_PRODUCTS];
        products[..slots].copy_from_slice(&totals[..slots]);
        Self { columns: COLUMNS, products, weighted_squares: totals[slots], weight: totals[slots + 1] }
    }

    fn product(&self, a: usize, b: usize) -> f64 {
        let (a, b) = (a.min(b), a.max(b));
        self.products[a * self.columns - a * (a + 1) / 2 + b]
    }
}

/// Eight samples of pattern and picture, with where they are in the pattern.
struct Lanes {
    count: usize,
    u: [f32; LANES],
    v: [f32; LANES],
    pattern: [[f32; LANES]; 3],
    current: [[f32; LANES]; 3],
}

impl Lanes {
    #[inline]
    fn read<const COLUMNS: usize>(
        pattern: &PatchSamples,
        current: &PatchSamples,
        first: usize,
        cols: usize,
        half: (f32, f32),
    ) -> Self {
        let count = LANES.min(pattern.value.len() - first);
        let take = |values: &[f32]| {
            let mut out = [0f32; LANES];
            out[..count].copy_from_slice(&values[first..first + count]);
            out
        };
        let all = |samples: &PatchSamples| [take(&samples.value), take(&samples.dx), take(&samples.dy)];
        let (mut u, mut v) = ([0f32; LANES], [0f32; LANES]);
        // Where only the position is wanted, nobody asks.
        let lanes = if COLUMNS > 5 { LANES } else { 0 };
        let (mut row, mut col) = (first / cols, first % cols);
        for lane in 0..lanes {
            (u[lane], v[lane]) = (col as f32 - half.0, row as f32 - half.1);
            col += 1;
            if col == cols {
                (row, col) = (row + 1, 0);
            }
        }
        Self { count, u, v, pattern: all(pattern), current: all(current) }
    }

    #[inline]
    fn add<const COLUMNS: usize>(&self, motion: MotionModel, light: Light, sums: &mut [[f32; LANES]]) {
        let [t, tx, ty] = &self.pattern;
        let [c, cx, cy] = &self.current;
        let mut weight = [0f32; LANES];
        weight[..self.count].fill(1.0);
        let mut columns = [[0f32; LANES]; COLUMNS];
        let (mut residual, mut gx, mut gy) = ([0f32; LANES], [0f32; LANES], [0f32; LANES]);
        let per_limit = 1.0 / light.limit;
        // Lanes innermost throughout: each of these loops becomes one vector instruction or two.
        for i in 0..LANES {
            residual[i] = c[i] - light.gain * t[i] - light.offset;
            let share = residual[i] * per_limit;
            let inside = (1.0 - share * share).max(0.0);
            weight[i] *= inside * inside;
            gx[i] = (light.gain * tx[i] + cx[i]) * 0.5;
            gy[i] = (light.gain * ty[i] + cy[i]) * 0.5;
        }
        add_columns(motion, (&gx, &gy), (&self.u, &self.v), &mut columns);
        columns[COLUMNS - 3] = *t;
        columns[COLUMNS - 2] = [1.0; LANES];
        columns[COLUMNS - 1] = *c;
        let mut slot = 0;
        for p in 0..COLUMNS {
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
            sums[slot][i] += weight[i] * residual[i] * residual[i];
            sums[slot + 1][i] += weight[i];
        }
    }
}
