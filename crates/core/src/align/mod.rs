//! Where a pattern is below the pixel, and how sure that is.

mod motion;
mod normal;
mod pattern;
#[cfg(test)]
mod tests;

use crate::geometry::{Homography, Point};
use crate::image::{Blur, PatchSamples, SmoothPatch, Window};
use crate::matching::correlation;
use crate::pin::Filter;
use crate::track::{Covariance, MotionModel};

pub(crate) use motion::{MOST_COLUMNS, columns_of};
use normal::{Equations, Light};
pub(crate) use pattern::bounds;
pub use pattern::{Pattern, Reference};

/// Steps shorter than this end the iteration, in pixels: a tenth of the best accuracy seen on real film.
const CONVERGED_STEP: f64 = 0.002;
/// Corners of the pattern may still move by this much, in pixels: they weigh little on the place of its centre.
const CONVERGED_CORNER: f64 = 0.02;
/// Good starts converge in 3 to 5 steps, richer motions in up to 12; after this many it is not going to.
const MAX_ITERATIONS: u32 = 14;
/// After so many steps a good start is all but there.
const FEW_ITERATIONS: u32 = 4;
/// A single step moves no part of the pattern further than this, in pixels: the linear model does not hold further out.
const MAX_STEP: f64 = 1.5;

/// Why an iterative alignment ended. Reaching the limit is an answer, not an error.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StopReason {
    /// The last step was below the wanted accuracy.
    Converged,
    /// The pattern or the picture has nothing that fixes the motion.
    TooLittleTexture,
    /// It walked further from its start than it was allowed to.
    WalkedAway,
    /// It kept moving until the limit of steps.
    IterationLimit,
}

/// What an alignment found, with the evidence to judge it.
#[derive(Clone, Copy, Debug)]
pub struct Alignment {
    /// The map from the pattern, counted in pixels from its centre, to the current frame.
    pub map: Homography,
    /// Correlation of pattern and picture there, 0 to 1; negative correlation counts as 0. The mean over the layers.
    pub matched: f64,
    /// Covariance of the centre's place, from the residual and the gradients.
    pub covariance: Covariance,
    /// Brightness of the picture over brightness of the pattern, of the first layer.
    pub gain: f64,
    /// Steps made, at least 1.
    pub iterations: u32,
    /// Why it ended.
    pub stop: StopReason,
}

impl Alignment {
    /// Centre of the pattern in the current frame.
    pub fn centre(&self) -> Point {
        self.map.origin()
    }

    /// Whether it settled on a place.
    pub fn has_settled(&self) -> bool {
        matches!(self.stop, StopReason::Converged | StopReason::IterationLimit)
    }
}

/// Aligns patterns; keeps its scratch memory.
#[derive(Debug, Default)]
pub struct Aligner {
    /// What is done to the picture first.
    pub filter: Filter,
    /// Softening of the picture, where it is sharper than the pattern.
    pub blur: Blur,
    /// Below this match, 0 to 1, alignment stops after a few steps: what matches so little is another thing.
    pub give_up_below: f64,
    /// It need not be placed more exactly than this, in pixels; 0 for as exactly as it can be.
    pub roughly: f64,
    patches: Vec<SmoothPatch>,
    current: Vec<PatchSamples>,
}

impl Aligner {
    /// One that treats pictures as the pattern's own was treated.
    pub fn new(filter: Filter) -> Self {
        Self { filter, ..Self::default() }
    }

    /// Finds the pattern in the windows (one a layer) near `start`, whose centre it may move by at most `reach` pixels.
    ///
    /// Efficient second-order minimisation (Benhimane & Malis 2007): the gradients of pattern and picture are averaged,
    /// so that the noise of neither biases the step. MotionModel, gain and offset are solved for together, with
    /// biweight residuals, so that a passing edge does not pull. Steps are composed on the pattern's side (Baker &
    /// Matthews 2004). The covariance is of the Cramér-Rao form (Robinson & Milanfar 2004), with the smoothing of the
    /// residual undone.
    pub fn align(
        &mut self,
        pattern: &Pattern,
        windows: &[Window],
        start: Homography,
        motion: MotionModel,
        reach: f64,
    ) -> Alignment {
        self.load(pattern, windows, &start, reach);
        let mut map = start;
        let mut lights = vec![Light::UNKNOWN; pattern.layers()];
        let mut covariance = Covariance::UNKNOWN;
        let mut iterations = 0;
        let stop = loop {
            iterations += 1;
            if !self.sample(pattern, &map) {
                break StopReason::WalkedAway;
            }
            let mut equations = Equations::new(motion);
            let layers = pattern.layers.iter().zip(&self.current).zip(&mut lights);
            let textured = layers
                .filter_map(|((pattern_layer, current), light)| {
                    equations.add(motion, pattern_layer, current, pattern.cols, light).then_some(())
                })
                .count();
            let Some(solution) = (textured > 0).then(|| equations.solve()).flatten() else {
                break StopReason::TooLittleTexture;
            };
            let (centre, corner) = moves(motion, &solution.step, pattern);
            let share = (MAX_STEP / corner.max(centre)).min(1.0);
            map = map.after(&motion.map(&solution.step.map(|number| number * share)));
            covariance = Covariance::new(solution.covariance).seen_through(&map.warp());
            let moved = map.origin() - start.origin();
            let is_near = moved.x.abs().max(moved.y.abs()) <= reach;
            if !is_near {
                break StopReason::WalkedAway;
            }
            // The first step has no weights yet: at least one more makes it robust.
            let enough = CONVERGED_STEP.max(self.roughly);
            if centre < enough && corner < CONVERGED_CORNER.max(enough) && iterations > 1 {
                break StopReason::Converged;
            }
            if iterations == MAX_ITERATIONS || iterations == FEW_ITERATIONS && self.score(pattern) < self.give_up_below
            {
                break StopReason::IterationLimit;
            }
        };
        let matched = if stop == StopReason::WalkedAway { 0.0 } else { self.match_of(pattern, &map) };
        Alignment { map, matched, covariance, gain: f64::from(lights[0].gain), iterations, stop }
    }

    /// Correlation of the pattern with the picture where `map` puts it, 0 to 1.
    pub fn match_at(&mut self, pattern: &Pattern, windows: &[Window], map: &Homography) -> f64 {
        self.load(pattern, windows, map, 0.0);
        self.match_of(pattern, map)
    }

    fn match_of(&mut self, pattern: &Pattern, map: &Homography) -> f64 {
        if self.sample(pattern, map) { self.score(pattern) } else { 0.0 }
    }

    /// Correlation of the pattern with what was sampled last.
    fn score(&self, pattern: &Pattern) -> f64 {
        let score = |(pattern, current): (&PatchSamples, &PatchSamples)| {
            correlation(&pattern.value, &current.value).map_or(0.0, |score| f64::from(score.max(0.0)))
        };
        pattern.layers.iter().zip(&self.current).map(score).sum::<f64>() / pattern.layers() as f64
    }

    fn load(&mut self, pattern: &Pattern, windows: &[Window], start: &Homography, reach: f64) {
        assert_eq!(pattern.layers(), windows.len(), "one window for each layer of the pattern");
        let area = bounds(start, pattern.cols, pattern.rows, reach + 1.5);
        self.patches.resize_with(windows.len(), SmoothPatch::default);
        self.current.resize_with(windows.len(), PatchSamples::default);
        for (patch, window) in self.patches.iter_mut().zip(windows) {
            pattern::load(patch, window, area, self.filter, self.blur);
        }
    }

    /// Samples every layer; `false` when the map leads out of what was loaded.
    fn sample(&mut self, pattern: &Pattern, map: &Homography) -> bool {
        let (cols, rows) = (pattern.cols, pattern.rows);
        let [[a, b, _], [c, d, _], [g, h, _]] = *map.rows();
        let only_moved = (a, b, c, d, g, h) == (1.0, 0.0, 0.0, 1.0, 0.0, 0.0);
        let centre = map.origin();
        let mut layers = self.patches.iter().zip(&mut self.current);
        layers.all(|(patch, current)| {
            if !only_moved {
                return patch.sample_mapped(map, cols, rows, current);
            }
            let covered = patch.covers(centre, cols, rows);
            if covered {
                patch.sample(centre, cols, rows, current);
            }
            covered
        })
    }
}

/// How far a step moves the centre, and the corners of the pattern at most, in pixels of the pattern.
fn moves(motion: MotionModel, step: &[f64; motion::MOST_COLUMNS], pattern: &Pattern) -> (f64, f64) {
    let map = motion.map(step);
    let (half_x, half_y) = (pattern.cols as f64 / 2.0, pattern.rows as f64 / 2.0);
    let corners = [(-1.0, -1.0), (1.0, -1.0), (-1.0, 1.0), (1.0, 1.0)].map(|(x, y)| Point::new(x * half_x, y * half_y));
    let moved = |corner: &Point| map.apply(*corner).distance(*corner);
    (map.origin().length(), corners.iter().map(moved).fold(0.0, f64::max))
}
