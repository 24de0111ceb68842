//! Matches that disagree with most of the others lose their weight.
//!
//! Where a plain fit leaves a match further off than its covariance allows, the fit through the few matches that suit
//! most of the others best is looked for (least quantile of squares, Rousseeuw 1984), and refined with the biweight
//! (Beaton & Tukey 1974). At least two matches more than the motion needs are necessary: with one more than needed,
//! each could be the wrong one, and all are believed.

use super::least_squares::{Fit, Match, fit_weighted, information};
use crate::biweight::BIWEIGHT_LIMIT;
use crate::track::MotionModel;

/// Standard deviations beyond which a residual makes the plain fit doubtful.
const DOUBTFUL: f64 = 3.0;
/// Rounds of weighing and fitting.
const ROUNDS: usize = 10;
/// Most choices of matches that are tried; beyond, evenly spread ones are.
const MOST_CHOICES: usize = 220;

/// The plain fit, or a better one that leaves out what disagrees.
pub(super) fn refit(model: MotionModel, matches: &[Match], plain: Fit) -> Option<Fit> {
    let needed = model.least_matches();
    let worst = distances(&plain, matches).into_iter().fold(0.0, f64::max);
    if worst < DOUBTFUL || matches.len() < needed + 2 {
        return Some(plain);
    }
    // Rousseeuw's quantile: what is fitted exactly does not speak for the fit.
    let rank = (matches.len() + needed).div_ceil(2);
    let quantile = |fit: &Fit| {
        let mut all = distances(fit, matches);
        all.sort_by(f64::total_cmp);
        all[rank - 1]
    };
    let tried = choices(matches.len(), needed).into_iter().filter_map(|weights| {
        let fit = fit_weighted(model, matches, &weights)?;
        Some((quantile(&fit), fit))
    });
    let Some((spread, mut best)) = tried.min_by(|a, b| a.0.total_cmp(&b.0)) else { return Some(plain) };
    // The usual correction for few matches (Rousseeuw & Leroy 1987); never below what the covariances say.
    let deviation = (1.4826 * (1.0 + 5.0 / (matches.len() - needed) as f64) * spread).max(1.0);
    for _ in 0..ROUNDS {
        let share = |distance: f64| {
            let inside = 1.0 - (distance / (BIWEIGHT_LIMIT * deviation)).powi(2);
            if inside > 0.0 { inside * inside } else { 0.0 }
        };
        let weights: Vec<f64> = distances(&best, matches).into_iter().map(share).collect();
        match fit_weighted(model, matches, &weights) {
            Some(fit) => best = fit,
            None => return Some(plain),
        }
    }
    Some(best)
}

/// How far each match is off, in standard deviations of its own.
fn distances(fit: &Fit, matches: &[Match]) -> Vec<f64> {
    let distance = |one: &Match| {
        let rest = one.to - fit.map.apply(one.from);
        let [xx, xy, yy] = information(one.covariance);
        (rest.x * rest.x * xx + 2.0 * rest.x * rest.y * xy + rest.y * rest.y * yy).max(0.0).sqrt()
    };
    matches.iter().map(distance).collect()
}

/// Weights of 1 for each choice of `needed` out of `count`, 0 for the others.
fn choices(count: usize, needed: usize) -> Vec<Vec<f64>> {
    let mut all = Vec::new();
    let mut chosen: Vec<usize> = (0..needed).collect();
    loop {
        let mut weights = vec![0.0; count];
        chosen.iter().for_each(|&i| weights[i] = 1.0);
        all.push(weights);
        let Some(movable) = (0..needed).rev().find(|&i| chosen[i] < count - needed + i) else { break };
        chosen[movable] += 1;
        for i in movable + 1..needed {
            chosen[i] = chosen[i - 1] + 1;
        }
        // A dozen of pins has 495 choices of four; a hundred would have millions.
        if all.len() >= 20 * MOST_CHOICES {
            break;
        }
    }
    let step = all.len().div_ceil(MOST_CHOICES);
    all.into_iter().step_by(step).collect()
}
