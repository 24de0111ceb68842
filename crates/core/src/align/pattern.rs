//! What a pin looks like, picked from one frame or made from many.

use crate::geometry::{Homography, LocalWarp, PixelRect, Point};
use crate::image::{Blur, PatchSamples, SmoothPatch, Window};
use crate::pin::Filter;

/// Samples beyond the pattern on each side that are kept for blurring it, in pixels: three standard deviations of the
/// strongest defocus, or half of a long smear.
const MARGIN: usize = 20;
/// Standard deviation of [`Filter::Smooth`], in pixels.
const SMOOTHING: f64 = 1.2;
/// Standard deviation of the blur that [`Filter::Sharpen`] takes away, in pixels, and how much of it.
const SHARPENING: (f64, f32) = (1.6, 0.7);

/// A pattern: samples on a grid one pixel apart about the pin, one layer for each component of the picture.
#[derive(Clone, Debug)]
pub struct Pattern {
    /// Columns of the grid.
    pub cols: usize,
    /// Rows of the grid.
    pub rows: usize,
    pub(super) layers: Vec<PatchSamples>,
}

impl Pattern {
    /// Picks the pattern that `map` puts down out of the windows of one frame; beyond a window its edge is repeated.
    pub fn pick(windows: &[Window], map: &Homography, cols: usize, rows: usize, filter: Filter) -> Self {
        let layer = |window: &Window| {
            let mut patch = SmoothPatch::default();
            load(&mut patch, window, bounds(map, cols, rows, 1.0), filter, Blur::default());
            let mut samples = PatchSamples::default();
            if map.warp() == LocalWarp::SAME {
                patch.sample(map.origin(), cols, rows, &mut samples);
            } else if !patch.sample_mapped(map, cols, rows, &mut samples) {
                // So large on the picture that it is not worth it: an empty pattern, which is flat.
                samples = PatchSamples::new(vec![0.0; cols * rows], vec![0.0; cols * rows], vec![0.0; cols * rows]);
            }
            samples
        };
        Self { cols, rows, layers: windows.iter().map(layer).collect() }
    }

    /// Samples of one layer, row by row.
    pub fn values(&self, layer: usize) -> &[f32] {
        &self.layers[layer].value
    }

    /// Number of layers.
    pub fn layers(&self) -> usize {
        self.layers.len()
    }

    /// Samples of each layer, made of several patterns of the same shape by `merge`, which is given what they have at
    /// one place.
    pub(crate) fn merged(patterns: &[Self], mut merge: impl FnMut(&mut [f32]) -> f32) -> Self {
        let first = &patterns[0];
        let mut column = Vec::with_capacity(patterns.len());
        let mut pick = |layer: usize, part: fn(&PatchSamples) -> &Vec<f32>| -> Vec<f32> {
            (0..first.cols * first.rows)
                .map(|i| {
                    column.clear();
                    column.extend(patterns.iter().map(|pattern| part(&pattern.layers[layer])[i]));
                    merge(&mut column)
                })
                .collect()
        };
        let layers = (0..first.layers.len())
            .map(|layer| PatchSamples::new(pick(layer, |s| &s.value), pick(layer, |s| &s.dx), pick(layer, |s| &s.dy)))
            .collect();
        Self { layers, ..*first }
    }

    /// The same pattern under the light of another: gain and offset of each layer are those that fit it best to the
    /// other's.
    pub(crate) fn lit_like(mut self, other: &Self) -> Self {
        for (layer, other) in self.layers.iter_mut().zip(&other.layers) {
            let (gain, offset) = fit_light(&layer.value, &other.value);
            layer.value.iter_mut().for_each(|value| *value = gain * *value + offset);
            layer.dx.iter_mut().chain(&mut layer.dy).for_each(|slope| *slope *= gain);
        }
        self
    }
}

/// Gain and offset that bring `from` nearest to `to`; none when they are not alike at all.
fn fit_light(from: &[f32], to: &[f32]) -> (f32, f32) {
    let count = from.len() as f64;
    let mean = |values: &[f32]| values.iter().map(|v| f64::from(*v)).sum::<f64>() / count;
    let (from_mean, to_mean) = (mean(from), mean(to));
    let (mut both, mut own) = (0.0, 0.0);
    for (&a, &b) in from.iter().zip(to) {
        let a = f64::from(a) - from_mean;
        both += a * (f64::from(b) - to_mean);
        own += a * a;
    }
    if both <= 0.0 {
        return (1.0, 0.0);
    }
    let gain = both / own;
    (gain as f32, (to_mean - gain * from_mean) as f32)
}

/// Loads a patch and filters it; reads as far beyond `rect` as filter and blur reach.
pub(super) fn load(patch: &mut SmoothPatch, window: &Window, rect: PixelRect, filter: Filter, blur: Blur) {
    let filtered = match filter {
        Filter::None => 0.0,
        Filter::Smooth => 3.0 * SMOOTHING,
        Filter::Sharpen => 3.0 * SHARPENING.0,
    };
    let more = (blur.reach() + filtered).ceil() as i32;
    let wide = PixelRect {
        left: rect.left - more,
        top: rect.top - more,
        right: rect.right + more,
        bottom: rect.bottom + more,
    };
    patch.load(window, wide);
    match filter {
        Filter::None => {}
        Filter::Smooth => patch.soften(Blur { sigma: SMOOTHING, along: Point::default() }),
        Filter::Sharpen => patch.sharpen(SHARPENING.0, SHARPENING.1),
    }
    if !blur.is_none() {
        patch.soften(blur);
    }
}

/// A pattern with what is around it, so that it can be had in any softness.
#[derive(Clone, Debug)]
pub struct Reference {
    cols: usize,
    rows: usize,
    wide: Pattern,
    sharp: Pattern,
    /// The softness made last.
    soft: Option<(Blur, Pattern)>,
}

impl Reference {
    /// Picks what `map` puts down out of the windows of one frame, which should cover [`Reference::rect`].
    pub fn pick(windows: &[Window], map: Homography, cols: usize, rows: usize, filter: Filter) -> Self {
        Self::of_wide(Pattern::pick(windows, &map, cols + 2 * MARGIN, rows + 2 * MARGIN, filter))
    }

    /// From a pattern that reaches 20 pixels further on each side than the reference shall.
    pub(crate) fn of_wide(wide: Pattern) -> Self {
        let (cols, rows) = (wide.cols - 2 * MARGIN, wide.rows - 2 * MARGIN);
        let cut = |samples: &PatchSamples| samples.middle((wide.cols, wide.rows), cols, rows);
        let sharp = Pattern { cols, rows, layers: wide.layers.iter().map(cut).collect() };
        Self { cols, rows, wide, sharp, soft: None }
    }

    /// Sides of the wide pattern for a pattern of these sides.
    pub(crate) fn wide_sides(cols: usize, rows: usize) -> (usize, usize) {
        (cols + 2 * MARGIN, rows + 2 * MARGIN)
    }

    /// The pixels that it is picked from.
    pub fn rect(map: &Homography, cols: usize, rows: usize) -> PixelRect {
        bounds(map, cols + 2 * MARGIN, rows + 2 * MARGIN, 8.0)
    }

    /// As it was picked.
    pub fn sharp(&self) -> &Pattern {
        &self.sharp
    }

    /// As it looks when it is softened, then turned and grown: on the grid of the picture.
    pub(crate) fn seen_through(&mut self, blur: Blur, shape: LocalWarp) -> Pattern {
        let back = shape.placed(Point::default()).inverse().filter(|_| shape != LocalWarp::SAME);
        let Some(back) = back else { return self.softened(blur).clone() };
        let (cols, rows, wide_cols, wide_rows) = (self.cols, self.rows, self.wide.cols, self.wide.rows);
        let middle = Point::new((wide_cols as f64 - 1.0) / 2.0, (wide_rows as f64 - 1.0) / 2.0);
        let mut seen = self.sharp.clone();
        for (layer, wide) in seen.layers.iter_mut().zip(&self.wide.layers) {
            let mut values = wide.value.clone();
            blur.soften(&mut values, wide_cols);
            for (i, value) in layer.value.iter_mut().enumerate() {
                let (col, row) = ((i % cols) as f64, (i / cols) as f64);
                let at = Point::new(col - (cols as f64 - 1.0) / 2.0, row - (rows as f64 - 1.0) / 2.0);
                *value = bilinear(&values, wide_cols, back.apply(at) + middle);
            }
        }
        seen
    }

    /// Softened by `blur`.
    pub fn softened(&mut self, blur: Blur) -> &Pattern {
        if blur.is_none() {
            return &self.sharp;
        }
        if self.soft.as_ref().is_none_or(|(made, _)| *made != blur) {
            let soften = |samples: &PatchSamples| {
                let mut samples = samples.clone();
                samples.soften(blur, self.wide.cols);
                samples.middle((self.wide.cols, self.wide.rows), self.cols, self.rows)
            };
            let layers = self.wide.layers.iter().map(soften).collect();
            self.soft = Some((blur, Pattern { cols: self.cols, rows: self.rows, layers }));
        }
        &self.soft.as_ref().expect("just made").1
    }
}

/// The value between four samples; beyond the grid its edge is repeated.
fn bilinear(values: &[f32], cols: usize, at: Point) -> f32 {
    let rows = values.len() / cols;
    let (x, y) = (at.x.clamp(0.0, cols as f64 - 1.001), at.y.clamp(0.0, rows as f64 - 1.001));
    let (col, row) = (x as usize, y as usize);
    let (u, v) = ((x - col as f64) as f32, (y - row as f64) as f32);
    let line = |row: usize| {
        let line = &values[row * cols + col..row * cols + col + 2];
        line[0] + (line[1] - line[0]) * u
    };
    let (upper, lower) = (line(row), line(row + 1));
    upper + (lower - upper) * v
}

/// The pixels under a pattern that `map` puts down, and `more` on each side; never absurdly many.
pub(crate) fn bounds(map: &Homography, cols: usize, rows: usize, more: f64) -> PixelRect {
    let (half_x, half_y) = (cols as f64 / 2.0, rows as f64 / 2.0);
    let centre = map.origin();
    let corners = [(-1.0, -1.0), (1.0, -1.0), (-1.0, 1.0), (1.0, 1.0)];
    let reach = corners.map(|(x, y)| map.apply(Point::new(x * half_x, y * half_y)) - centre);
    let most = |part: fn(&Point) -> f64, side: f64| {
        reach.iter().map(|p| part(p).abs()).fold(0.0, f64::max).clamp(side / 2.0, 4.0 * side)
    };
    PixelRect::around(centre, most(|p| p.x, half_x) + more, most(|p| p.y, half_y) + more)
}
