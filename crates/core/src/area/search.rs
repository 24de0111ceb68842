//! Where a face could be that was lost: its coarse picture, as it looked last, compared at every place.

use super::face::Face;
use super::pyramid::Pyramid;
use crate::geometry::{Homography, Point};
use crate::image::Window;

/// The face is compared at about so many pixels to its radius: enough to know it by, few enough to be quick.
const RADIUS: f64 = 12.0;
/// Samples that are compared at every place.
const SAMPLES: usize = 260;
/// Places that are handed on.
const CANDIDATES: usize = 4;
/// A sample outside of the picture counts for nothing; with fewer than this share left a place is none.
const LEAST_INSIDE: f64 = 0.35;

/// What was lost so many frames ago is looked for on every so many frames only (if what it lies on is seen, or is a part of a
/// scene that stands still; anything else is out of sight by then): what comes back stays for a while, and is gone back with
/// from there. Not tuned: of 264 labels on real film one fewer is right.
const OFTEN: u32 = 25;
const EVERY: u32 = 5;

/// Whether what was lost so many frames ago is looked for.
pub(crate) fn is_looked_for(hidden: u32) -> bool {
    hidden <= OFTEN || hidden.is_multiple_of(EVERY)
}

/// On how many frames just before it was not.
pub(crate) fn not_looked_at(hidden: u32) -> usize {
    (0..hidden).rev().take_while(|before| !is_looked_for(*before)).count()
}

/// A coarse picture of the face: values, and where they are on a level of the frame, from its middle.
struct Template {
    offsets: Vec<[i32; 2]>,
    values: Vec<f32>,
}

/// Maps to start an alignment from, the likeliest first: `last`, moved by up to `reach` pixels.
pub(crate) fn candidates(face: &Face, pyramid: &Pyramid, last: &Homography, reach: f64) -> Vec<Homography> {
    let coarsest = &face.levels[face.levels.len() - 1];
    let across = coarsest.radius * coarsest.step * last.warp().scale();
    let wanted = (across / RADIUS).log2().round().max(0.0) as usize;
    let (level, window) = pyramid.window(wanted);
    let zoom = f64::from(1u32 << level);
    let template = Template::of(face, last, zoom);
    let middle = last.origin();
    let (centre, steps) = ([middle.x / zoom, middle.y / zoom], (reach / zoom).ceil() as i32);
    let mut scores = Vec::new();
    for down in -steps..=steps {
        for right in -steps..=steps {
            let at = [(centre[0] + f64::from(right)).floor() as i32, (centre[1] + f64::from(down)).floor() as i32];
            if let Some(score) = template.compare(window, at) {
                scores.push((score, [right, down]));
            }
        }
    }
    scores.sort_by(|a, b| b.0.total_cmp(&a.0));
    let mut found: Vec<[i32; 2]> = Vec::new();
    for (_, at) in scores {
        let is_apart = |other: &[i32; 2]| (other[0] - at[0]).abs().max((other[1] - at[1]).abs()) > 3;
        if found.iter().all(is_apart) {
            found.push(at);
        }
        if found.len() == CANDIDATES {
            break;
        }
    }
    let moved =
        |[right, down]: [i32; 2]| Homography::shift(Point::new(f64::from(right) * zoom, f64::from(down) * zoom));
    found.into_iter().map(|by| moved(by).after(last)).collect()
}

impl Template {
    fn of(face: &Face, map: &Homography, zoom: f64) -> Self {
        let level = face.levels.iter().rev().find(|level| level.points.len() >= SAMPLES).unwrap_or(&face.levels[0]);
        let every = level.points.len().div_ceil(SAMPLES);
        let middle = map.origin();
        let (offsets, values) = level
            .points
            .iter()
            .zip(level.samples(0))
            .step_by(every)
            .map(|([u, v], sample)| {
                let at = map.apply(Point::new(f64::from(*u) * level.step, f64::from(*v) * level.step)) - middle;
                ([(at.x / zoom).round() as i32, (at.y / zoom).round() as i32], sample[0])
            })
            .unzip();
        Self { offsets, values }
    }

    /// Correlation with what lies about `at`, whose coordinates count whole pixels of the window's level.
    fn compare(&self, window: &Window, at: [i32; 2]) -> Option<f32> {
        let size = window.plane.size();
        let (width, height) = (size.width as i32, size.height as i32);
        let mut sums = [0f32; 6];
        for ([x, y], face) in self.offsets.iter().zip(&self.values) {
            let (col, row) = (at[0] + x - window.left, at[1] + y - window.top);
            if col < 0 || row < 0 || col >= width || row >= height {
                continue;
            }
            let value = f32::from(window.plane.data()[(row * width + col) as usize]);
            let parts = [1.0, *face, value, face * face, value * value, face * value];
            sums.iter_mut().zip(parts).for_each(|(sum, part)| *sum += part);
        }
        let [count, face, value, face_face, value_value, both] = sums;
        if f64::from(count) < LEAST_INSIDE * self.values.len() as f64 {
            return None;
        }
        let spread = (face_face - face * face / count) * (value_value - value * value / count);
        (spread > 1.0).then(|| (both - face * value / count) / spread.sqrt())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn who_comes_back_late_is_gone_back_with_over_all_frames_that_were_not_looked_at() {
        let mut skipped = 0;
        for hidden in 0..100 {
            assert!(is_looked_for(hidden) || hidden > OFTEN);
            assert_eq!(not_looked_at(hidden), skipped, "after {hidden}");
            skipped = if is_looked_for(hidden) { 0 } else { skipped + 1 };
        }
        assert_eq!(not_looked_at(10 * EVERY), EVERY as usize - 1);
    }
}
