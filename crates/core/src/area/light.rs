//! The light on a face: gain, offset, and slopes across and down.

use super::compared::{BRIGHT, Compared, LEAST_SAMPLES, LIGHT, Light};
use crate::cholesky::{Cholesky, Matrix};

/// The least gain to begin with, and one over the most: beyond, medians were taken of other things.
const DARKEST: f64 = 0.3;
/// Stiffness of the light's numbers, as a share of all weight: too little to be seen in what a face does fix.
pub(super) const STIFF: f64 = 1e-6;
/// Times that the light alone is solved for before the first step, at most, ...
const MOST_ROUNDS: usize = 6;
/// ... until the variance of what counts changes by no more than this share: the steps that follow find the light, too.
const SETTLED: f64 = 0.01;
/// Samples of which medians are taken for a light to begin with: what follows sees them all.
const ENOUGH: usize = 1000;
/// Samples summed up in single precision: enough to be quick, few enough to lose nothing that would be seen.
pub(super) const STRETCH: usize = 64;

/// Before the motion is solved for: the light alone, and the variance of what counts under it. It begins as it was, or
/// with medians and spreads, whatever fits more of the face, so that what covers a part does not count, and is solved for
/// again as what does not fit loses its weight.
pub(super) fn begin(compared: &mut Compared<'_>, before: Option<Light>) -> Option<f64> {
    let step = compared.frame.len().div_ceil(ENOUGH);
    let by_medians = by_medians(compared, step)?;
    compared.light = by_medians;
    if let Some(before) = before
        && compared.median_off(&before, step)? < compared.median_off(&by_medians, step)?
    {
        compared.light = before;
    }
    let mut variance = compared.weigh()?;
    for _ in 0..MOST_ROUNDS {
        compared.light = fitting(compared)?;
        let last = std::mem::replace(&mut variance, compared.weigh()?);
        if (variance / last - 1.0).abs() < SETTLED {
            break;
        }
    }
    Some(variance)
}

fn by_medians(compared: &Compared<'_>, step: usize) -> Option<Light> {
    let pairs = compared.frame.iter().zip(compared.face).step_by(step);
    let pairs = pairs.filter(|(seen, _)| !seen[0].is_nan()).map(|(seen, face)| (face[0], seen[0]));
    let (mut face, mut seen): (Vec<f32>, Vec<f32>) = pairs.unzip();
    if face.len() * step < LEAST_SAMPLES {
        return None;
    }
    let spread = |values: &mut [f32]| {
        let middle = median(values);
        values.iter_mut().for_each(|value| *value = (*value - middle).abs());
        (f64::from(middle), f64::from(median(values)).max(0.5))
    };
    let ((face_middle, face_spread), (seen_middle, seen_spread)) = (spread(&mut face), spread(&mut seen));
    let gain = (seen_spread / face_spread).clamp(DARKEST, 1.0 / DARKEST);
    Some([gain * BRIGHT, seen_middle - gain * face_middle, 0.0, 0.0])
}

/// The light that fits what counts, where the map has the face now.
fn fitting(compared: &Compared<'_>) -> Option<Light> {
    let mut sums = [[0f64; LIGHT]; LIGHT + 1];
    let [bright, over_radius] = [1.0 / BRIGHT, 1.0 / compared.radius].map(|number| number as f32);
    let count = compared.frame.len();
    for first in (0..count).step_by(STRETCH) {
        let mut part = [[0f32; LIGHT]; LIGHT + 1];
        for i in first..(first + STRETCH).min(count) {
            let weight = compared.weights[i];
            if weight == 0.0 {
                continue;
            }
            let [u, v] = compared.points[i];
            let lit = [compared.face[i][0] * bright, 1.0, u * over_radius, v * over_radius];
            let rows = [lit[0], lit[1], lit[2], lit[3], compared.frame[i][0]];
            for (row, value) in part.iter_mut().zip(rows) {
                let weighted = weight * value;
                row.iter_mut().zip(lit).for_each(|(sum, other)| *sum += weighted * other);
            }
        }
        let pairs = sums.iter_mut().flatten().zip(part.iter().flatten());
        pairs.for_each(|(sum, part)| *sum += f64::from(*part));
    }
    let [mut matrix @ .., right]: [[f64; LIGHT]; LIGHT + 1] = sums;
    let stiff = STIFF * matrix[1][1];
    (0..LIGHT).for_each(|i| matrix[i][i] += stiff);
    let matrix: Matrix<LIGHT> = matrix;
    Some(Cholesky::<LIGHT>::of(&matrix, LIGHT, 1e-9)?.solve(&right))
}

fn median(values: &mut [f32]) -> f32 {
    let middle = values.len() / 2;
    *values.select_nth_unstable_by(middle, f32::total_cmp).1
}
