//! A motion out of matches, some of which may be wrong.

use super::least_squares::{Fit, Match, fit_weighted};
use super::robust;
use crate::track::MotionModel;

/// Fits a motion by least squares weighted with the covariances; matches that disagree with most of the others lose
/// their weight where there are enough to tell (see [`robust`]). `None` where the matches do not fix the motion.
///
/// The start is linear: Umeyama (1991) up to scale, the direct linear transformation on normalised places (Hartley
/// 1997) for affine and perspective; then Gauss-Newton on the distances in the second picture.
pub fn fit(model: MotionModel, matches: &[Match]) -> Option<Fit> {
    let even = vec![1.0; matches.len()];
    let plain = fit_weighted(model, matches, &even)?;
    robust::refit(model, matches, plain)
}

/// The richest fit up to `model` that the matches allow. `None` without any match.
pub fn fit_most(model: MotionModel, matches: &[Match]) -> Option<Fit> {
    std::iter::successors(Some(model), |model| model.poorer()).find_map(|model| fit(model, matches))
}
