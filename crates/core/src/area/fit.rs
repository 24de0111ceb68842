//! Aligning one level of a face to one level of a frame.
//!
//! Efficient second-order minimisation (Benhimane & Malis 2007), composed on the face's side (Baker & Matthews 2004).
//! Gain, offset and a slope of the light across the face are solved for with the motion. Residuals count by Tukey's
//! biweight, its scale from their median; a cell of the face that mostly disagrees is covered and counts for nothing as
//! a whole.

use super::compared::{BRIGHT, Compared, LEAST_WEIGHT, LIGHT, Light};
use super::face::Level;
use super::light::{self, STIFF, STRETCH};
use super::pyramid::PictureLevel;
use crate::align::{MOST_COLUMNS, columns_of};
use crate::cholesky::{Cholesky, Matrix};
use crate::geometry::{Homography, Point};
use crate::image::NOISE_GAIN;
use crate::track::MotionModel;

const MOST: usize = MOST_COLUMNS + LIGHT;
/// Numbers of a face that moves, turns and grows, and of its light: two vectors.
const FEW: usize = 2 * VECTOR;
/// Numbers in single precision that any processor takes at once.
const VECTOR: usize = 4;
/// Steps of one level at most.
const MOST_STEPS: usize = 12;
/// No step moves the rim by more than this, in pixels of the level: the linear model does not hold further out.
const LONGEST_STEP: f64 = 2.0;
/// A sample with more weight than this is seen.
const SEEN: f32 = 0.2;

/// A step that moves the rim by no more than a share of a pixel of the level is the last. With a hundredth on coarse levels,
/// too, as many labels on real film are right, for a tenth more time.
#[derive(Clone, Copy)]
pub(super) enum Settled {
    /// A finer level goes on from there.
    Roughly,
    /// Nothing does.
    Exactly,
}

impl Settled {
    fn rim(self) -> f64 {
        match self {
            Self::Roughly => 0.1,
            Self::Exactly => 0.01,
        }
    }
}

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
    /// Variance of what the face is off by where it is seen, in squared grey levels of the smoothed picture.
    pub left: f64,
    /// Covariance of the motion's numbers about the middle.
    pub covariance: [[f64; MOST_COLUMNS]; MOST_COLUMNS],
}

/// Aligns a level, softened by one of its softnesses, from `start`.
pub(super) fn fit(
    (level, softness): (&Level, usize),
    picture: PictureLevel<'_>,
    start: &Homography,
    (motion, settled): (MotionModel, Settled),
    light: Option<Light>,
) -> Option<Fit> {
    let mut compared = Compared::new(level, softness);
    let mut map = on_level(start, level.step, picture.zoom)?;
    let mut best = None;
    for step in 0..MOST_STEPS {
        compared.look(&picture, &map);
        let variance = if step == 0 { light::begin(&mut compared, light)? } else { compared.weigh()? };
        let solved = solve(&mut compared, motion, variance)?;
        let length = rim_length(motion, &solved.step, level.radius);
        let share = (LONGEST_STEP / length).min(1.0);
        map = map.checked_after(&motion.map(&solved.step.map(|number| number * share)))?;
        best = Some(solved);
        if length < settled.rim() && step > 1 {
            break;
        }
    }
    compared.look(&picture, &map);
    // Who has hardly any weight where it ended is judged by it.
    let left = compared.weigh().unwrap_or(f64::INFINITY);
    let map = off_level(&map, level.step, picture.zoom)?;
    Some(judged(&compared, map, (best?.covariance, left), level.step))
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

struct Solved {
    step: [f64; MOST_COLUMNS],
    covariance: [[f64; MOST_COLUMNS]; MOST_COLUMNS],
}

/// One step of the motion's numbers, with the light that goes with it.
fn solve(compared: &mut Compared<'_>, motion: MotionModel, variance: f64) -> Option<Solved> {
    let count = motion.columns();
    let (mut matrix, right) = normal_equations(compared, motion);
    let all = count + LIGHT;
    // The slopes of the light are not fixed by a bare face: a breath of stiffness keeps them where they are.
    for i in count..all {
        matrix[i][i] += STIFF * matrix[count + 1][count + 1];
    }
    let factor = Cholesky::<MOST>::of(&matrix, all, 1e-9)?;
    let solution = factor.solve(&right);
    compared.light.copy_from_slice(&solution[count..all]);
    let unit = natural_units(motion, compared.radius);
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

/// Sums over all samples, of which the upper triangle counts.
fn normal_equations(compared: &Compared<'_>, motion: MotionModel) -> (Matrix<MOST>, [f64; MOST]) {
    if motion.columns() + LIGHT <= FEW { sums::<FEW>(compared, motion) } else { sums::<MOST>(compared, motion) }
}

/// With `N` columns, all at once, which makes vectors; in single precision over a stretch of samples.
fn sums<const N: usize>(compared: &Compared<'_>, motion: MotionModel) -> (Matrix<MOST>, [f64; MOST]) {
    let count = motion.columns();
    let (mut matrix, mut right) = ([[0f64; MOST]; MOST], [0f64; MOST]);
    let (gain, over_radius) = ((compared.light[0] / BRIGHT) as f32, (1.0 / compared.radius) as f32);
    for first in (0..compared.frame.len()).step_by(STRETCH) {
        let (mut products, mut pulls) = ([[0f32; N]; N], [0f32; N]);
        for i in first..(first + STRETCH).min(compared.frame.len()) {
            let weight = compared.weights[i];
            if weight == 0.0 {
                continue;
            }
            let ([value, dx, dy], face) = (compared.frame[i], compared.face[i]);
            let gradient = [(gain * face[1] + dx) / 2.0, (gain * face[2] + dy) / 2.0];
            let [u, v] = compared.points[i].map(|at| at * over_radius);
            let mut columns = [0f32; N];
            columns[..count].copy_from_slice(&columns_of(motion, gradient, [u, v])[..count]);
            columns[count..count + LIGHT].copy_from_slice(&[-face[0] / BRIGHT as f32, -1.0, -u, -v]);
            for (number, (row, column)) in products.iter_mut().zip(columns).enumerate() {
                // Whole vectors, from the one with the diagonal.
                let from = number / VECTOR * VECTOR;
                let weighted = weight * column;
                row[from..].iter_mut().zip(&columns[from..]).for_each(|(sum, other)| *sum += weighted * other);
            }
            pulls.iter_mut().zip(columns).for_each(|(sum, column)| *sum -= weight * column * value);
        }
        for (sums, products) in matrix.iter_mut().zip(products) {
            sums.iter_mut().zip(products).for_each(|(sum, product)| *sum += f64::from(product));
        }
        right.iter_mut().zip(pulls).for_each(|(sum, pull)| *sum += f64::from(pull));
    }
    (matrix, right)
}

/// Numbers are solved for in shares of the radius; these are the motion's own over those.
fn natural_units(motion: MotionModel, radius: f64) -> [f64; MOST_COLUMNS] {
    let mut units = [1.0 / radius; MOST_COLUMNS];
    (units[0], units[1]) = (1.0, 1.0);
    if motion == MotionModel::Perspective {
        (units[6], units[7]) = (radius.powi(-2), radius.powi(-2));
    }
    units
}

fn judged(
    compared: &Compared<'_>,
    map: Homography,
    (mut covariance, left): ([[f64; MOST_COLUMNS]; MOST_COLUMNS], f64),
    step: f64,
) -> Fit {
    let (all, inside) = (compared.points.len() as f64, compared.count_inside() as f64);
    let seen = compared.weights.iter().filter(|weight| **weight > SEEN).count() as f64;
    // The level's own pixels are larger: places and slopes are in those of the picture.
    for (a, row) in covariance.iter_mut().enumerate() {
        for (b, value) in row.iter_mut().enumerate() {
            *value *= in_picture(a, step) * in_picture(b, step);
        }
    }
    Fit {
        map,
        matched: correlation(compared),
        inside: inside / all,
        seen: seen / inside.max(1.0),
        energy: energy(compared),
        light: compared.light,
        left,
        covariance,
    }
}

/// Mean squared gradient of what the frame shows over that of the face under its light.
fn energy(compared: &Compared<'_>) -> f64 {
    let gain = (compared.light[0] / BRIGHT) as f32;
    let (mut own, mut other) = (0.0, 0.0);
    for ((seen, face), weight) in compared.frame.iter().zip(compared.face).zip(&compared.weights) {
        if *weight > 0.0 {
            other += f64::from(weight * (seen[1] * seen[1] + seen[2] * seen[2]));
            own += f64::from(weight * gain * gain * (face[1] * face[1] + face[2] * face[2]));
        }
    }
    other / f64::max(own, 1e-9)
}

/// Of what counts, with the light's slope taken out.
fn correlation(compared: &Compared<'_>) -> f64 {
    let [.., across, down] = compared.per_sample(&compared.light);
    let pairs = || {
        let samples = compared.frame.iter().zip(compared.face).zip(compared.points).zip(&compared.weights);
        samples.filter(|(_, weight)| **weight > 0.0).map(move |(((seen, face), [u, v]), weight)| {
            [*weight, face[0], seen[0] - (across * u + down * v)].map(f64::from)
        })
    };
    let sums = pairs()
        .fold([0.0; 3], |[total, one, two], [weight, a, b]| [total + weight, one + weight * a, two + weight * b]);
    let total = sums[0];
    if total < LEAST_WEIGHT {
        return 0.0;
    }
    let (face, frame) = (sums[1] / total, sums[2] / total);
    let [both, a, b] = pairs().fold([0.0; 3], |[both, one, two], [weight, a, b]| {
        let (a, b) = (a - face, b - frame);
        [both + weight * a * b, one + weight * a * a, two + weight * b * b]
    });
    if a * b > 0.0 { (both / (a * b).sqrt()).clamp(0.0, 1.0) } else { 0.0 }
}

/// A number of the motion counted in pixels of the picture, over the same in pixels of a level.
fn in_picture(number: usize, step: f64) -> f64 {
    match number {
        0 | 1 => step,
        6 | 7 => 1.0 / step,
        _ => 1.0,
    }
}
