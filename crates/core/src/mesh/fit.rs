//! Aligning one level of a surface to one level of a frame: all knots at once.
//!
//! Gauss and Newton's method on the brightness of all samples, its gradient the mean of the frame's and of the drawn one
//! (efficient second-order minimisation, Benhimane & Malis 2007), with the stiffness beside it. Residuals count by
//! Tukey's biweight, its scale from their median; a triangle that mostly disagrees is covered and counts for nothing.

use super::asked::Asked;
use super::banded::{Banded, Factored};
use super::compared::{Compared, Placed};
use super::cover;
use super::light::{KnotLight, carried, found, light_at};
use super::net::shares_of;
use super::surface::Surface;
use crate::area::{Level, PictureLevel, SOFTNESS};
use crate::biweight::{BIWEIGHT_LIMIT, BIWEIGHT_VARIANCE};
use crate::geometry::{Homography, Point};
use crate::image::NOISE_GAIN;
use crate::median::MEDIAN_OF_NORMAL;

/// Steps of one level at most.
const MOST_STEPS: usize = 8;
const ROUGH_STEPS: usize = 6;
/// A step that moves no knot by more than this share of a pixel of the level is the last.
const SETTLED: f64 = 0.02;
const ROUGHLY_SETTLED: f64 = 0.15;
/// No step moves a knot by more than this, in pixels of the level: the linear model does not hold further out.
const LONGEST_STEP: f64 = 2.0;
/// A level of larger pixels, in those of the picture, only finds where the surface is.
const FINE_STEP: f64 = 2.0;
/// Pixels of the level that is found exactly.
const FINEST_STEP: f64 = 1.0;
/// The limit of residuals never falls below this, in grey levels: folds are that much brighter or darker from one frame
/// to the next.
const LEAST_LIMIT: f64 = 12.0;
/// ... and so much more for each grey level of contrast: a new fold makes what is light or dark that much lighter or
/// darker, and by more than all that is noise.
const PER_CONTRAST: f64 = 0.3;
/// Nor below this where it is only looked for: what is still elsewhere has to pull.
const COARSE_LIMIT: f64 = 40.0;
/// A triangle whose mean weight is below the first is covered, above the second it is not.
const COVERED: [f64; 2] = [0.4, 0.7];
/// Fewer samples in the picture say nothing.
const LEAST_SAMPLES: usize = 40;
/// Times that light and weights are found before the first step.
const LIGHT_ROUNDS: usize = 5;
/// The variance never falls below this, in squared grey levels: a picture without noise would be sure beyond reason.
const LEAST_VARIANCE: f64 = 0.05;
/// A triangle squeezed by more than this is seen edge on: what was drawn on it says nothing.
const EDGE_ON: f64 = 8.0;
/// A sample with more weight than this is seen.
const SEEN: f64 = 0.2;

/// What the alignment of a level came to.
pub(super) struct Fit {
    /// Where the knots are.
    pub at: Vec<Point>,
    /// Correlation of the detail that was drawn with what is seen of it.
    pub matched: f64,
    /// Share of the samples that lie in the picture.
    pub inside: f64,
    /// Share of those that are not covered.
    pub seen: f64,
    /// Mean squared gradient of the frame over that of the surface under the same light, where it is seen.
    pub energy: f64,
    /// Of each knot, the share of what is round it that is seen.
    pub seen_by_knot: Vec<f64>,
    /// The factored equations of the last step: their inverse is the covariance.
    pub equations: Factored,
}

/// Where it begins, where it was foreseen, and what is known from the frame before.
pub(super) struct Begin<'a> {
    pub at: &'a [Point],
    pub foreseen: &'a [Point],
    pub lights: &'a [KnotLight],
}

/// How the light is come by.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Lighting {
    /// It is that of the frame before.
    Carried,
    /// That first; where the surface is then, anew.
    Found,
}

/// Aligns a level, softened by one of its softnesses; with the light that the next level or frame begins with.
pub(super) fn fit(
    surface: &Surface,
    (level, softness): (usize, usize),
    picture: PictureLevel<'_>,
    begin: &Begin<'_>,
    lighting: Lighting,
) -> Option<(Fit, Vec<KnotLight>)> {
    let mut work = Work::new(surface, (level, softness), picture, begin);
    let scale = surface.scale(begin.at).clamp(0.05, 20.0);
    let stiff = surface.stiffness.matrix(scale);
    let equations = match lighting {
        Lighting::Carried => work.settle(&stiff, (scale, begin.foreseen), Lighting::Carried)?,
        Lighting::Found => {
            work.settle(&stiff, (scale, begin.foreseen), Lighting::Carried)?;
            work.settle(&stiff, (scale, begin.foreseen), Lighting::Found)?
        }
    };
    work.look()?;
    work.weigh(lighting);
    let fit = work.judged(equations);
    Some((fit, work.lights))
}

struct Work<'a> {
    surface: &'a Surface,
    level: &'a Level,
    drawn: &'a [[f32; 3]],
    placed: &'a [Placed],
    picture: PictureLevel<'a>,
    at: Vec<Point>,
    seen: Vec<Option<[f32; 3]>>,
    weights: Vec<f32>,
    lights: Vec<KnotLight>,
    residuals: Vec<f32>,
    /// How far each sample should be from the mean of what is round it, in grey levels.
    contrasts: Vec<f32>,
    /// How soft the frame is, in spacings.
    blur: f64,
    /// Whether it is only about finding where it is, roughly.
    is_coarse: bool,
}

impl<'a> Work<'a> {
    fn new(
        surface: &'a Surface,
        (level, softness): (usize, usize),
        picture: PictureLevel<'a>,
        begin: &Begin<'_>,
    ) -> Self {
        let (placed, level) = (&surface.placed[level][..], &surface.face.levels[level]);
        Self {
            surface,
            level,
            drawn: level.samples(softness),
            placed,
            picture,
            at: begin.at.to_vec(),
            seen: Vec::new(),
            weights: vec![1.0; placed.len()],
            lights: begin.lights.to_vec(),
            residuals: Vec::new(),
            contrasts: Vec::new(),
            is_coarse: level.step > FINE_STEP,
            blur: SOFTNESS[softness] / surface.net.spacing(),
        }
    }

    /// Steps until it moves no more; the equations of the last.
    fn settle(&mut self, stiff: &Banded, tie: (f64, &[Point]), lighting: Lighting) -> Option<Factored> {
        let mut equations = None;
        // From what is found on a coarser level, or under light that is only carried, another begins.
        let is_rough = self.level.step > FINEST_STEP || lighting == Lighting::Carried;
        for step in 0..if is_rough { ROUGH_STEPS } else { MOST_STEPS } {
            self.look()?;
            if step == 0 {
                self.begin_light(lighting);
            }
            let variance = self.weigh(lighting);
            let (matrix, mut right) = self.equations(stiff, tie, variance);
            let factored = matrix.factored()?;
            factored.solve(&mut right);
            equations = Some(factored);
            let longest = right.chunks_exact(2).map(|by| by[0].hypot(by[1])).fold(0.0, f64::max) / self.picture.zoom;
            let share = (LONGEST_STEP / longest).min(1.0);
            for (at, by) in self.at.iter_mut().zip(right.chunks_exact(2)) {
                *at = *at + Point::new(by[0], by[1]) * share;
            }
            if longest < if is_rough { ROUGHLY_SETTLED } else { SETTLED } {
                break;
            }
        }
        equations
    }

    /// Reads the frame where the samples are now; `None` where too few are in it.
    fn look(&mut self) -> Option<()> {
        let over = 1.0 / self.picture.zoom;
        let knots: Vec<[f32; 2]> = self.at.iter().map(|at| [(over * at.x) as f32, (over * at.y) as f32]).collect();
        let place = |Placed { knots: [a, b, c], shares, .. }: &Placed| {
            let [a, b, c] = [knots[*a], knots[*b], knots[*c]];
            [0, 1].map(|axis| shares[0] * a[axis] + shares[1] * b[axis] + shares[2] * c[axis])
        };
        let places: Vec<[f32; 2]> = self.placed.iter().map(place).collect();
        self.seen.clear();
        self.seen.extend(self.picture.patch.sample_points(&Homography::shift(Point::default()), &places));
        if let Some(mask) = self.picture.mask {
            for (sample, [x, y]) in self.seen.iter_mut().zip(&places) {
                if mask.hides(Point::new(f64::from(*x), f64::from(*y)) * self.picture.zoom) {
                    *sample = None;
                }
            }
        }
        (self.seen.iter().flatten().count() >= LEAST_SAMPLES).then_some(())
    }

    /// Before anything is weighed by what it is off: the light of all that is not covered, whatever that was on the frame
    /// before. A fold that has become dark is off by more than anything that is covered.
    fn begin_light(&mut self, lighting: Lighting) {
        self.weights.fill(1.0);
        self.leave_out_covered(lighting);
        for _ in 0..LIGHT_ROUNDS {
            self.find_light(lighting);
        }
    }

    fn find_light(&mut self, lighting: Lighting) {
        let compared = Compared { placed: self.placed, drawn: self.drawn, seen: &self.seen, weights: &self.weights };
        match lighting {
            Lighting::Carried => carried(&mut self.lights, compared),
            Lighting::Found => found(&mut self.lights, compared, (&self.surface.neighbours, self.blur)),
        }
    }

    /// Finds the light that fits what counts, then weighs every sample by what it is off, and every triangle by its
    /// samples; the variance of what counts.
    fn weigh(&mut self, lighting: Lighting) -> f64 {
        self.find_light(lighting);
        self.residuals.clear();
        self.contrasts.clear();
        for ((place, drawn), seen) in self.placed.iter().zip(self.drawn).zip(&self.seen) {
            let light = light_at(&self.lights, place);
            let contrast = light.gain * (f64::from(drawn[0]) - light.drawn);
            self.contrasts.push(contrast.abs() as f32);
            self.residuals.push(seen.map_or(f32::NAN, |[value, ..]| (f64::from(value) - light.seen - contrast) as f32));
        }
        let mut sizes: Vec<f32> = self.residuals.iter().filter(|off| !off.is_nan()).map(|off| off.abs()).collect();
        let middle = sizes.len() / 2;
        let median = f64::from(*sizes.select_nth_unstable_by(middle, f32::total_cmp).1);
        let limit =
            (BIWEIGHT_LIMIT * median / MEDIAN_OF_NORMAL).max(if self.is_coarse { COARSE_LIMIT } else { LEAST_LIMIT });
        for ((weight, residual), contrast) in self.weights.iter_mut().zip(&self.residuals).zip(&self.contrasts) {
            let limit = limit + PER_CONTRAST * f64::from(*contrast);
            let inside = (1.0 - (f64::from(*residual) / limit).powi(2)).max(0.0);
            *weight = if residual.is_nan() { 0.0 } else { (inside * inside) as f32 };
        }
        self.cover_triangles(lighting);
        let (mut squares, mut total) = (0.0, 1e-9);
        for (weight, residual) in self.weights.iter().zip(&self.residuals).filter(|(weight, _)| **weight > 0.0) {
            squares += f64::from(weight * residual * residual);
            total += f64::from(*weight);
        }
        (squares / total / BIWEIGHT_VARIANCE).max(LEAST_VARIANCE)
    }

    /// A triangle most of whose samples disagree is covered: those that happen to agree do not count either.
    fn cover_triangles(&mut self, lighting: Lighting) {
        let mut sums = vec![[0f64; 2]; self.surface.net.triangles.len()];
        for ((place, weight), _) in
            self.placed.iter().zip(&self.weights).zip(&self.seen).filter(|(_, seen)| seen.is_some())
        {
            sums[place.triangle][0] += f64::from(*weight);
            sums[place.triangle][1] += 1.0;
        }
        let share = |[weight, count]: &[f64; 2]| {
            ((weight / f64::max(*count, 1.0) - COVERED[0]) / (COVERED[1] - COVERED[0])).clamp(0.0, 1.0) as f32
        };
        let shares: Vec<f32> = sums.iter().map(share).collect();
        self.weights.iter_mut().zip(self.placed).for_each(|(weight, place)| *weight *= shares[place.triangle]);
        self.leave_out_covered(lighting);
    }

    fn leave_out_covered(&mut self, lighting: Lighting) {
        // What is still elsewhere looks as if it were covered.
        if self.is_coarse || lighting == Lighting::Carried {
            return;
        }
        let slopes = self.slopes();
        let pairs = self.placed.iter().enumerate().filter_map(|(i, place)| {
            let [_, dx, dy] = self.seen[i]?;
            let drawn = Self::drawn_slope(slopes[place.triangle], &self.drawn[i], 1.0)?;
            Some((place, drawn, [f64::from(dx), f64::from(dy)]))
        });
        let seen = cover::seen(self.at.len(), pairs);
        for (weight, place) in self.weights.iter_mut().zip(self.placed) {
            *weight *= place.knots.iter().zip(place.shares).map(|(knot, share)| seen[*knot] * share).sum::<f32>();
        }
    }

    /// What takes a gradient as drawn, in pixels of the level, to one in pixels of the frame's level: of each triangle.
    /// `None` for one that is nearly edge on.
    fn slopes(&self) -> Vec<Option<[f64; 4]>> {
        let one = |corners: &[usize; 3]| {
            let now = corners.map(|knot| self.at[knot]);
            let (a, b) = (now[0] + Point::new(1.0, 0.0), now[0] + Point::new(0.0, 1.0));
            let drawn = corners.map(|knot| self.surface.net.knots[knot]);
            // A step of a pixel in the frame, as a step in the drawn picture.
            let back = |to: Point| {
                let shares = shares_of(&now, to)?;
                let at = drawn.iter().zip(shares).fold(Point::default(), |sum, (corner, share)| sum + *corner * share);
                Some((at - drawn[0]) * (self.picture.zoom / self.level.step))
            };
            let [across, down] = [back(a)?, back(b)?];
            let all = [across.x, across.y, down.x, down.y];
            all.iter().all(|slope| slope.abs() < EDGE_ON).then_some(all)
        };
        self.surface.net.triangles.iter().map(one).collect()
    }

    /// The gradient at a sample, in grey levels by pixels of the frame's level, as drawn under the light of now.
    fn drawn_slope(slopes: Option<[f64; 4]>, drawn: &[f32; 3], gain: f64) -> Option<[f64; 2]> {
        let [xx, xy, yx, yy] = slopes?;
        let (dx, dy) = (gain * f64::from(drawn[1]), gain * f64::from(drawn[2]));
        Some([dx * xx + dy * xy, dx * yx + dy * yy])
    }

    /// The equations of one step, in pixels of the picture.
    fn equations(&self, stiff: &Banded, (scale, foreseen): (f64, &[Point]), variance: f64) -> (Banded, Vec<f64>) {
        let mut matrix = stiff.clone();
        let mut right = self.surface.stiffness.force(scale, &self.at, foreseen);
        for (knots, asked) in self.surface.net.triangles.iter().zip(self.asked(variance)) {
            asked.enter(knots, &mut matrix, &mut right);
        }
        (matrix, right)
    }

    /// What the samples of each triangle ask of its knots.
    fn asked(&self, variance: f64) -> Vec<Asked> {
        let slopes = self.slopes();
        // The residual was smoothed, the error of the place hardly: undo the smoothing of the variance.
        let certainty = (NOISE_GAIN / variance) as f32;
        let over = (1.0 / self.picture.zoom) as f32;
        let mut asked = vec![Asked::default(); slopes.len()];
        for (i, place) in self.placed.iter().enumerate() {
            let (Some([_, dx, dy]), weight) = (self.seen[i], self.weights[i] * certainty) else { continue };
            if weight == 0.0 {
                continue;
            }
            let gain = light_at(&self.lights, place).gain;
            let drawn = Self::drawn_slope(slopes[place.triangle], &self.drawn[i], gain);
            let [x, y] = drawn.map_or([dx, dy], |slope| slope.map(|slope| slope as f32));
            let slope = [over * (x + dx) / 2.0, over * (y + dy) / 2.0];
            asked[place.triangle].add(place.shares, slope, (weight, self.residuals[i]));
        }
        asked
    }

    fn judged(&self, equations: Factored) -> Fit {
        let slopes = self.slopes();
        let mut by_knot = vec![[0f64, 1e-9]; self.at.len()];
        let (mut own, mut other, mut sums) = (1e-9, 0.0, [0f64; 3]);
        let (mut inside, mut seen) = (0.0, 0.0);
        for (i, place) in self.placed.iter().enumerate() {
            let weight = f64::from(self.weights[i]);
            for (knot, share) in place.knots.iter().zip(place.shares) {
                by_knot[*knot][0] += f64::from(share) * weight;
                by_knot[*knot][1] += f64::from(share);
            }
            let Some([value, dx, dy]) = self.seen[i] else { continue };
            inside += 1.0;
            seen += f64::from(u8::from(weight > SEEN));
            let light = light_at(&self.lights, place);
            let (a, b) = (f64::from(self.drawn[i][0]) - light.drawn, f64::from(value) - light.seen);
            sums.iter_mut().zip([a * b, a * a, b * b]).for_each(|(sum, part)| *sum += weight * part);
            if let Some([x, y]) = Self::drawn_slope(slopes[place.triangle], &self.drawn[i], light.gain) {
                own += weight * (x * x + y * y);
                other += weight * f64::from(dx * dx + dy * dy);
            }
        }
        let [both, drawn, frame] = sums;
        Fit {
            at: self.at.clone(),
            matched: if drawn * frame > 0.0 { (both / (drawn * frame).sqrt()).clamp(0.0, 1.0) } else { 0.0 },
            inside: inside / self.placed.len() as f64,
            seen: seen / f64::max(inside, 1.0),
            energy: other / own,
            seen_by_knot: by_knot.iter().map(|[weight, all]| weight / all).collect(),
            equations,
        }
    }
}
