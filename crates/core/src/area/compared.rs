//! The samples of a face beside what a frame shows of them: what each is off by, and how much it counts.
//!
//! In single precision, which is far finer than any camera; only sums over all samples are not.

use super::face::Level;
use super::pyramid::PictureLevel;
use crate::biweight::{BIWEIGHT_LIMIT, BIWEIGHT_VARIANCE};
use crate::geometry::{Homography, Point};
use crate::median::MEDIAN_OF_NORMAL;

/// Numbers of the light.
pub(super) const LIGHT: usize = 4;
/// Grey levels by which brightness is divided, so that all unknowns are of one size.
pub(super) const BRIGHT: f64 = 64.0;
/// Cells across and down, each of which is covered or is not.
const CELLS: usize = 10;
/// A cell whose mean weight is below the first is covered, above the second it is not.
const COVERED: [f32; 2] = [0.3, 0.6];
/// Fewer samples than this, or less weight, say nothing: the motion and the light have twelve numbers.
pub(super) const LEAST_SAMPLES: usize = 30;
pub(super) const LEAST_WEIGHT: f64 = 10.0;
/// The variance never falls below this, in squared grey levels: a picture without noise would be sure beyond reason.
const LEAST_VARIANCE: f64 = 0.05;

/// Gain, offset and slopes of the light: of a value over [`BRIGHT`], of one, and of the place as a share of the radius. The
/// same on every level of a face.
pub(super) type Light = [f64; LIGHT];

/// One level of a face over one level of a frame.
pub(super) struct Compared<'a> {
    /// Values and derivatives as the face was picked.
    pub face: &'a [[f32; 3]],
    /// Where they lie on it.
    pub points: &'a [[f32; 2]],
    /// Half of the larger side, in pixels of the level.
    pub radius: f64,
    /// Values and derivatives as the frame shows them; not numbers where there is no picture.
    pub frame: Vec<[f32; 3]>,
    /// How much each counts, from 0 to 1.
    pub weights: Vec<f32>,
    /// What the face is seen under.
    pub light: Light,
    least_limit: f64,
    cells: Vec<u8>,
    /// What each is off by, in grey levels.
    off: Vec<f32>,
    sizes: Vec<u32>,
}

impl<'a> Compared<'a> {
    /// A level, softened by one of its softnesses, before anything is known of the frame.
    pub fn new(level: &'a Level, softness: usize) -> Self {
        let over_radius = (1.0 / level.radius) as f32;
        let cell = |value: f32| {
            let share = (value * over_radius + 1.0) / 2.0;
            ((share * CELLS as f32).max(0.0) as usize).min(CELLS - 1)
        };
        Self {
            face: level.samples(softness),
            points: &level.points,
            radius: level.radius,
            frame: Vec::with_capacity(level.points.len()),
            weights: vec![1.0; level.points.len()],
            light: [BRIGHT, 0.0, 0.0, 0.0],
            least_limit: level.least_limit,
            cells: level.points.iter().map(|[u, v]| (cell(*v) * CELLS + cell(*u)) as u8).collect(),
            off: Vec::new(),
            sizes: Vec::new(),
        }
    }

    /// Reads the frame where a map has the face.
    pub fn look(&mut self, picture: &PictureLevel<'_>, map: &Homography) {
        const NOTHING: [f32; 3] = [f32::NAN; 3];
        self.frame.clear();
        self.frame.extend(picture.patch.sample_points(map, self.points).map(|sample| sample.unwrap_or(NOTHING)));
        let Some(mask) = picture.mask else { return };
        for (sample, [u, v]) in self.frame.iter_mut().zip(self.points) {
            let at = map.apply(Point::new(f64::from(*u), f64::from(*v))) * picture.zoom;
            if mask.hides(at) {
                *sample = NOTHING;
            }
        }
    }

    /// How many samples lie in the picture.
    pub fn count_inside(&self) -> usize {
        self.frame.iter().filter(|sample| !sample[0].is_nan()).count()
    }

    /// Weighs every sample by what it is off, and every cell by its samples; the variance of what counts.
    pub fn weigh(&mut self) -> Option<f64> {
        let light = self.light;
        let median = self.median_off(&light, 1)?;
        let limit = (BIWEIGHT_LIMIT * f64::from(median) / MEDIAN_OF_NORMAL).max(self.least_limit);
        let over_limit = (1.0 / limit) as f32;
        for (weight, off) in self.weights.iter_mut().zip(&self.off) {
            let share = off * over_limit;
            // The larger of nothing and what is no number is nothing.
            let inside = (1.0 - share * share).max(0.0);
            *weight = inside * inside;
        }
        self.cover_cells();
        let (mut squares, mut total) = (0.0, 0.0);
        for (weight, off) in self.weights.iter().zip(&self.off).filter(|(weight, _)| **weight > 0.0) {
            squares += f64::from(weight * off * off);
            total += f64::from(*weight);
        }
        (total > LEAST_WEIGHT).then(|| (squares / total / BIWEIGHT_VARIANCE).max(LEAST_VARIANCE))
    }

    /// Finds what every `step`th sample is off by under some light; the median size of that. `None` where too few are in
    /// the picture.
    pub fn median_off(&mut self, light: &Light, step: usize) -> Option<f32> {
        let [gain, offset, across, down] = self.per_sample(light);
        let all = self.frame.iter().zip(self.face).zip(self.points).step_by(step);
        self.off.clear();
        self.off
            .extend(all.map(|((seen, face), [u, v])| seen[0] - (gain * face[0] + offset) - (across * u + down * v)));
        // The bits of numbers that are not negative are in the order of the numbers, and quicker to sort.
        self.sizes.clear();
        self.sizes.extend(self.off.iter().filter(|off| !off.is_nan()).map(|off| off.abs().to_bits()));
        (self.sizes.len() * step >= LEAST_SAMPLES).then(|| {
            let middle = self.sizes.len() / 2;
            f32::from_bits(*self.sizes.select_nth_unstable(middle).1)
        })
    }

    /// The numbers of a light, by which a sample's value, one, and its place are multiplied.
    pub fn per_sample(&self, [gain, offset, across, down]: &Light) -> [f32; 4] {
        [gain / BRIGHT, *offset, across / self.radius, down / self.radius].map(|number| number as f32)
    }

    /// A cell most of whose samples disagree is covered: those that happen to agree do not count either.
    fn cover_cells(&mut self) {
        let mut sums = [[0f32; 2]; CELLS * CELLS];
        for ((cell, weight), off) in self.cells.iter().zip(&self.weights).zip(&self.off) {
            let sum = &mut sums[usize::from(*cell)];
            sum[0] += weight;
            sum[1] += f32::from(u8::from(!off.is_nan()));
        }
        let share = |[weight, count]: [f32; 2]| {
            ((weight / count.max(1.0) - COVERED[0]) / (COVERED[1] - COVERED[0])).clamp(0.0, 1.0)
        };
        let shares = sums.map(share);
        for (cell, weight) in self.cells.iter().zip(&mut self.weights) {
            *weight *= shares[usize::from(*cell)];
        }
    }
}
