//! Aligning one level of a face to one level of a frame.
//!
//! Efficient second-order minimisation (Benhimane & Malis 2007), composed on the face's side (Baker & Matthews 2004).
//! Gain, offset and a slope of the light across the face are solved for with the motion. Residuals count by Tukey's
//! biweight, its scale from their median; a cell of the face that mostly disagrees is covered and counts for nothing as
//! a whole.

use super::face::Level;
use super::pyramid::PictureLevel;
use crate::align::{MOST_COLUMNS, columns_of};
use crate::biweight::{BIWEIGHT_LIMIT, BIWEIGHT_VARIANCE};
use crate::cholesky::{Cholesky, Matrix};
use crate::geometry::{Homography, Point};
use crate::image::NOISE_GAIN;
use crate::track::MotionModel;

/// Numbers of the light: gain, offset, slope across, slope down.
const LIGHT: usize = 4;
const MOST: usize = MOST_COLUMNS + LIGHT;
/// Samples summed up in single precision: enough to be quick, few enough to lose nothing that would be seen.
const STRETCH: usize = 64;
/// Steps of one level at most.
const MOST_STEPS: usize = 12;
/// A step that moves no rim by more than this share of a pixel of the level is the last.
const SETTLED: f64 = 0.01;
/// No step moves the rim by more than this, in pixels of the level: the linear model does not hold further out.
const LONGEST_STEP: f64 = 2.0;
/// The median of absolute residuals of Gaussian noise, over its standard deviation.
const MEDIAN_OF_NORMAL: f64 = 0.6745;
/// Cells across and down, each of which is covered or is not.
const CELLS: usize = 10;
/// A cell whose mean weight is below the first is covered, above the second it is not.
const COVERED: [f64; 2] = [0.3, 0.6];
/// Fewer samples than this, or less weight, say nothing: the motion and the light have twelve numbers.
const LEAST_SAMPLES: usize = 30;
const LEAST_WEIGHT: f64 = 10.0;
/// The least gain to begin with, and one over the most: beyond, medians were taken of other things.
const DARKEST: f64 = 0.3;
/// A sample with more weight than this is seen.
const SEEN: f64 = 0.2;
/// The variance never falls below this, in squared grey levels: a picture without noise would be sure beyond reason.
const LEAST_VARIANCE: f64 = 0.05;
/// Stiffness of the light's numbers, as a share of all weight: too little to be seen in what a face does fix.
const STIFF: f64 = 1e-6;
/// Times that the light alone is solved for before the first step.
const LIGHT_STEPS: usize = 6;
/// Grey levels by which brightness is divided, so that all unknowns are of one size.
const BRIGHT: f64 = 64.0;

/// Gain, offset and slopes of the light, in the units of [`Work::lit`]: the same on every level of a face.
pub(super) type Light = [f64; LIGHT];

/// What the alignment of a level came to.
#[derive(Clone, Debug)]
pub(super) struct Fit {
    /// From the face, counted in pixels of the picture from its middle, to the frame.
    pub map: Homography,
    /// Correlation of face and frame over what is seen of it.
    pub matched: f64,
    /// Share of the face that lies in the picture.
    pub inside: f64,
    /// Share of that which is not covered.
    pub seen: f64,
    /// Mean squared gradient of the frame over that of the face under the same light, where it is seen.
    pub energy: f64,
    /// The light on it.
    pub light: Light,
    /// Covariance of the motion's numbers about the middle.
    pub covariance: [[f64; MOST_COLUMNS]; MOST_COLUMNS],
}

/// Aligns a level, softened by one of its softnesses, from `start`.
pub(super) fn fit(
    (level, softness): (&Level, usize),
    picture: PictureLevel<'_>,
    start: &Homography,
    motion: MotionModel,
    light: Option<Light>,
) -> Option<Fit> {
    let mut work = Work::new(level, softness);
    let mut map = on_level(start, level.step, picture.zoom)?;
    let mut best = None;
    for step in 0..MOST_STEPS {
        work.look(&picture, &map);
        let solved = work.solve(motion, if step == 0 { Begin::With(light) } else { Begin::Weighed })?;
        let length = rim_length(motion, &solved.step, level.radius);
        let share = (LONGEST_STEP / length).min(1.0);
        map = map.checked_after(&motion.map(&solved.step.map(|number| number * share)))?;
        best = Some(solved);
        if length < SETTLED && step > 1 {
            break;
        }
    }
    work.look(&picture, &map);
    Some(work.judged(off_level(&map, level.step, picture.zoom)?, best?.covariance, level.step))
}

fn scaled(factor: f64) -> Homography {
    Homography::new([[factor, 0.0, 0.0], [0.0, factor, 0.0], [0.0, 0.0, 1.0]])
}

fn on_level(map: &Homography, step: f64, zoom: f64) -> Option<Homography> {
    scaled(1.0 / zoom).checked_after(&map.checked_after(&scaled(step))?)
}

fn off_level(map: &Homography, step: f64, zoom: f64) -> Option<Homography> {
    scaled(zoom).checked_after(&map.checked_after(&scaled(1.0 / step))?)
}

/// How far a step moves the rim at most.
fn rim_length(motion: MotionModel, step: &[f64; MOST_COLUMNS], radius: f64) -> f64 {
    let map = motion.map(step);
    let corners = [(-1.0, -1.0), (1.0, -1.0), (-1.0, 1.0), (1.0, 1.0)].map(|(x, y)| Point::new(x * radius, y * radius));
    corners.iter().map(|corner| map.apply(*corner).distance(*corner)).fold(0.0, f64::max)
}

/// What a step begins with.
enum Begin {
    /// The first one: perhaps the light as it was on the frame before.
    With(Option<Light>),
    /// What the step before left.
    Weighed,
}

struct Solved {
    step: [f64; MOST_COLUMNS],
    covariance: [[f64; MOST_COLUMNS]; MOST_COLUMNS],
}

/// What is kept from one step to the next.
struct Work<'a> {
    face: &'a [[f32; 3]],
    points: &'a [[f32; 2]],
    radius: f64,
    least_limit: f64,
    cells: Vec<u8>,
    frame: Vec<Option<[f32; 3]>>,
    weights: Vec<f32>,
    light: Light,
}

impl<'a> Work<'a> {
    fn new(level: &'a Level, softness: usize) -> Self {
        let radius = level.radius;
        let cell = |value: f32| {
            let share = (f64::from(value) / radius + 1.0) / 2.0;
            ((share * CELLS as f64).max(0.0) as usize).min(CELLS - 1)
        };
        Self {
            face: level.samples(softness),
            points: &level.points,
            radius,
            least_limit: level.least_limit,
            cells: level.points.iter().map(|[u, v]| (cell(*v) * CELLS + cell(*u)) as u8).collect(),
            frame: Vec::new(),
            weights: vec![1.0; level.points.len()],
            light: [BRIGHT, 0.0, 0.0, 0.0],
        }
    }

    fn look(&mut self, picture: &PictureLevel<'_>, map: &Homography) {
        self.frame.clear();
        self.frame.extend(picture.patch.sample_points(map, self.points));
        let Some(mask) = picture.mask else { return };
        for (sample, [u, v]) in self.frame.iter_mut().zip(self.points) {
            let at = map.apply(Point::new(f64::from(*u), f64::from(*v))) * picture.zoom;
            if mask.hides(at) {
                *sample = None;
            }
        }
    }

    /// What the light does at a sample: the columns of its numbers.
    fn lit(&self, i: usize) -> [f64; LIGHT] {
        let [u, v] = self.points[i].map(f64::from);
        [f64::from(self.face[i][0]) / BRIGHT, 1.0, u / self.radius, v / self.radius]
    }

    /// What a sample of the frame is off by, under some light.
    fn residual(&self, i: usize, value: f32, light: &Light) -> f64 {
        f64::from(value) - self.lit(i).iter().zip(light).map(|(a, b)| a * b).sum::<f64>()
    }

    /// One step of the motion's numbers, with the light that goes with it.
    fn solve(&mut self, motion: MotionModel, begin: Begin) -> Option<Solved> {
        let count = motion.columns();
        let variance = match begin {
            Begin::With(light) => self.first_light(light)?,
            Begin::Weighed => self.weigh()?,
        };
        let (mut matrix, right) = self.normal_equations(motion);
        let all = count + LIGHT;
        // The slopes of the light are not fixed by a bare face: a breath of stiffness keeps them where they are.
        for i in count..all {
            matrix[i][i] += STIFF * matrix[count + 1][count + 1];
        }
        let factor = Cholesky::<MOST>::of(&matrix, all, 1e-9)?;
        let solution = factor.solve(&right);
        self.light.copy_from_slice(&solution[count..all]);
        let unit = self.natural_units(motion);
        let mut step = [0.0; MOST_COLUMNS];
        (0..count).for_each(|i| step[i] = solution[i] * unit[i]);
        let mut covariance = [[0.0; MOST_COLUMNS]; MOST_COLUMNS];
        for a in 0..count {
            let mut one = [0.0; MOST];
            one[a] = 1.0;
            let column = factor.solve(&one);
            // The residual was smoothed, the error of the place hardly: undo the smoothing of the variance.
            (0..count).for_each(|b| covariance[a][b] = column[b] * unit[a] * unit[b] * variance / NOISE_GAIN);
        }
        Some(Solved { step, covariance })
    }

    /// Sums over all samples, in single precision over a stretch of them: all columns at once make vectors.
    fn normal_equations(&self, motion: MotionModel) -> (Matrix<MOST>, [f64; MOST]) {
        let count = motion.columns();
        let mut sums = [[0f64; MOST]; MOST + 1];
        let (gain, over_radius) = ((self.light[0] / BRIGHT) as f32, (1.0 / self.radius) as f32);
        let samples = self.frame.iter().zip(self.face).zip(self.points).zip(&self.weights);
        let samples: Vec<_> = samples.collect();
        for stretch in samples.chunks(STRETCH) {
            let mut part = [[0f32; MOST]; MOST + 1];
            for (((sample, face), point), weight) in stretch {
                let (Some([value, dx, dy]), weight) = (sample, **weight) else { continue };
                if weight == 0.0 {
                    continue;
                }
                let gradient = [(gain * face[1] + dx) / 2.0, (gain * face[2] + dy) / 2.0];
                let [u, v] = point.map(|at| at * over_radius);
                let mut columns = [0f32; MOST];
                columns[..MOST_COLUMNS].copy_from_slice(&columns_of(motion, gradient, [u, v]));
                columns[count..count + LIGHT].copy_from_slice(&[-face[0] / BRIGHT as f32, -1.0, -u, -v]);
                for (row, column) in part.iter_mut().zip(columns) {
                    let weighted = weight * column;
                    row.iter_mut().zip(columns).for_each(|(sum, other)| *sum += weighted * other);
                }
                part[MOST].iter_mut().zip(columns).for_each(|(sum, column)| *sum -= weight * column * value);
            }
            let pairs = sums.iter_mut().flatten().zip(part.iter().flatten());
            pairs.for_each(|(sum, part)| *sum += f64::from(*part));
        }
        let [matrix @ .., right] = sums;
        (matrix, right)
    }

    /// Numbers are solved for in shares of the radius; these are the motion's own over those.
    fn natural_units(&self, motion: MotionModel) -> [f64; MOST_COLUMNS] {
        let mut units = [1.0 / self.radius; MOST_COLUMNS];
        (units[0], units[1]) = (1.0, 1.0);
        if motion == MotionModel::Perspective {
            (units[6], units[7]) = (self.radius.powi(-2), self.radius.powi(-2));
        }
        units
    }

    /// Before the motion is solved for: the light alone. It begins as it was, or with medians and spreads, whatever fits
    /// more of the face, so that what covers a part does not count, and is solved for again as what does not fit loses
    /// its weight.
    fn first_light(&mut self, before: Option<Light>) -> Option<f64> {
        let pairs = self.frame.iter().zip(self.face).filter_map(|(frame, face)| Some((face[0], (*frame)?[0])));
        let (mut face, mut frame): (Vec<f32>, Vec<f32>) = pairs.unzip();
        if face.len() < LEAST_SAMPLES {
            return None;
        }
        let spread = |values: &mut [f32]| {
            let middle = median(values);
            let mut off: Vec<f32> = values.iter().map(|value| (value - middle).abs()).collect();
            (f64::from(middle), f64::from(median(&mut off)).max(0.5))
        };
        let ((face_middle, face_spread), (frame_middle, frame_spread)) = (spread(&mut face), spread(&mut frame));
        let gain = (frame_spread / face_spread).clamp(DARKEST, 1.0 / DARKEST);
        let by_medians = [gain * BRIGHT, frame_middle - gain * face_middle, 0.0, 0.0];
        let off = |light: Light| self.median_residual(light);
        self.light = before.filter(|before| off(*before) < off(by_medians)).unwrap_or(by_medians);
        let mut variance = self.weigh()?;
        for _ in 0..LIGHT_STEPS {
            self.solve_light()?;
            variance = self.weigh()?;
        }
        Some(variance)
    }

    fn median_residual(&self, light: Light) -> f32 {
        let off = |(i, sample): (usize, &Option<[f32; 3]>)| Some(self.residual(i, (*sample)?[0], &light).abs() as f32);
        median(&mut self.frame.iter().enumerate().filter_map(off).collect::<Vec<f32>>())
    }

    /// The light that fits what counts, where the map has the face now.
    fn solve_light(&mut self) -> Option<()> {
        let mut matrix: Matrix<LIGHT> = [[0.0; LIGHT]; LIGHT];
        let mut right = [0.0; LIGHT];
        for (i, sample) in self.frame.iter().enumerate() {
            let (Some([value, ..]), weight) = (sample, f64::from(self.weights[i])) else { continue };
            let lit = self.lit(i);
            for a in 0..LIGHT {
                (a..LIGHT).for_each(|b| matrix[a][b] += weight * lit[a] * lit[b]);
                right[a] += weight * lit[a] * f64::from(*value);
            }
        }
        (0..LIGHT).for_each(|i| matrix[i][i] += STIFF * matrix[1][1]);
        self.light = Cholesky::<LIGHT>::of(&matrix, LIGHT, 1e-9)?.solve(&right);
        Some(())
    }

    /// Weighs every sample by its residual, and every cell by its samples; the variance of what counts.
    fn weigh(&mut self) -> Option<f64> {
        let residuals: Vec<Option<f64>> = self
            .frame
            .iter()
            .enumerate()
            .map(|(i, sample)| Some(self.residual(i, (*sample)?[0], &self.light)))
            .collect();
        let mut sizes: Vec<f32> = residuals.iter().flatten().map(|residual| residual.abs() as f32).collect();
        if sizes.len() < LEAST_SAMPLES {
            return None;
        }
        let limit = (BIWEIGHT_LIMIT * f64::from(median(&mut sizes)) / MEDIAN_OF_NORMAL).max(self.least_limit);
        for (weight, residual) in self.weights.iter_mut().zip(&residuals) {
            *weight = residual.map_or(0.0, |residual| {
                let inside = (1.0 - (residual / limit).powi(2)).max(0.0);
                (inside * inside) as f32
            });
        }
        self.cover_cells();
        let (mut squares, mut total) = (0.0, 0.0);
        for (weight, residual) in self.weights.iter().zip(&residuals) {
            let (weight, residual) = (f64::from(*weight), residual.unwrap_or(0.0));
            squares += weight * residual * residual;
            total += weight;
        }
        (total > LEAST_WEIGHT).then(|| (squares / total / BIWEIGHT_VARIANCE).max(LEAST_VARIANCE))
    }

    /// A cell most of whose samples disagree is covered: those that happen to agree do not count either.
    fn cover_cells(&mut self) {
        let mut sums = [[0f64; 2]; CELLS * CELLS];
        for ((cell, weight), sample) in self.cells.iter().zip(&self.weights).zip(&self.frame) {
            if sample.is_some() {
                sums[usize::from(*cell)][0] += f64::from(*weight);
                sums[usize::from(*cell)][1] += 1.0;
            }
        }
        let share = |[weight, count]: [f64; 2]| {
            ((weight / f64::max(count, 1.0) - COVERED[0]) / (COVERED[1] - COVERED[0])).clamp(0.0, 1.0)
        };
        let shares = sums.map(share);
        for (cell, weight) in self.cells.iter().zip(&mut self.weights) {
            *weight *= shares[usize::from(*cell)] as f32;
        }
    }

    fn judged(&mut self, map: Homography, covariance: [[f64; MOST_COLUMNS]; MOST_COLUMNS], step: f64) -> Fit {
        let all = self.points.len() as f64;
        let inside = self.frame.iter().flatten().count() as f64 / all;
        let _ = self.weigh();
        let weights: Vec<f64> = self.weights.iter().map(|weight| f64::from(*weight)).collect();
        let seen = weights.iter().filter(|weight| **weight > SEEN).count() as f64 / (inside * all).max(1.0);
        let gain = self.light[0] / BRIGHT;
        let (mut own, mut other) = (0.0, 0.0);
        for ((sample, face), weight) in self.frame.iter().zip(self.face).zip(&weights) {
            if let Some([_, dx, dy]) = sample {
                other += weight * f64::from(dx * dx + dy * dy);
                own += weight * gain * gain * f64::from(face[1] * face[1] + face[2] * face[2]);
            }
        }
        // The level's own pixels are larger: places and slopes are in those of the picture.
        let mut covariance = covariance;
        for (a, row) in covariance.iter_mut().enumerate() {
            for (b, value) in row.iter_mut().enumerate() {
                *value *= in_picture(a, step) * in_picture(b, step);
            }
        }
        Fit {
            map,
            matched: self.correlation(&weights),
            inside,
            seen,
            energy: other / own.max(1e-9),
            light: self.light,
            covariance,
        }
    }

    /// Of what counts, with the light's slope taken out.
    fn correlation(&self, weights: &[f64]) -> f64 {
        let pairs: Vec<[f64; 3]> = self
            .frame
            .iter()
            .enumerate()
            .filter_map(|(i, sample)| {
                let lit = self.lit(i);
                let slope = lit[2] * self.light[2] + lit[3] * self.light[3];
                Some([weights[i], f64::from(self.face[i][0]), f64::from((*sample)?[0]) - slope])
            })
            .collect();
        let total: f64 = pairs.iter().map(|[weight, ..]| weight).sum();
        if total < LEAST_WEIGHT {
            return 0.0;
        }
        let mean = |which: usize| pairs.iter().map(|pair| pair[0] * pair[which]).sum::<f64>() / total;
        let (face, frame) = (mean(1), mean(2));
        let sum = |of: &dyn Fn(f64, f64) -> f64| -> f64 {
            pairs.iter().map(|[weight, a, b]| weight * of(a - face, b - frame)).sum()
        };
        let (both, a, b) = (sum(&|a, b| a * b), sum(&|a, _| a * a), sum(&|_, b| b * b));
        if a * b > 0.0 { (both / (a * b).sqrt()).clamp(0.0, 1.0) } else { 0.0 }
    }
}

/// A number of the motion counted in pixels of the picture, over the same in pixels of a level.
fn in_picture(number: usize, step: f64) -> f64 {
    match number {
        0 | 1 => step,
        6 | 7 => 1.0 / step,
        _ => 1.0,
    }
}

fn median(values: &mut [f32]) -> f32 {
    let middle = values.len() / 2;
    *values.select_nth_unstable_by(middle, f32::total_cmp).1
}
