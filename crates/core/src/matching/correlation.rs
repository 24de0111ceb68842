//! Zero-mean normalised cross-correlation.

use super::boxes::box_sums;

/// Sums are kept in this many lanes, so that the compiler can use vector registers without reordering a sum.
const LANES: usize = 8;

/// How alike two grey patches are, ignoring gain and offset of brightness.
///
/// # Shapes and units
/// Both slices hold the same samples in the same order, on any linear brightness scale.
/// # Result
/// In `[-1, 1]`, 1 for patches equal up to gain and offset; `None` when one is flat (0 / 0).
/// # Panics
/// When the lengths differ: a bug in the caller, not a property of the footage.
/// # Source
/// J. P. Lewis, "Fast Normalized Cross-Correlation", Vision Interface, 1995.
pub fn correlation(a: &[f32], b: &[f32]) -> Option<f32> {
    assert_eq!(a.len(), b.len(), "patches of different size");
    let template = Template::new(a.to_vec(), a.len(), 1)?;
    template.score(b, 0, a.len())
}

/// A pattern ready to be compared with many places: mean taken out, length 1, rows padded with zeros to whole lanes.
#[derive(Clone, Debug)]
pub struct Template {
    cols: usize,
    rows: usize,
    padded: usize,
    weights: Vec<f32>,
}

impl Template {
    /// From `cols * rows` samples, row by row; `None` when they are flat.
    pub fn new(values: Vec<f32>, cols: usize, rows: usize) -> Option<Self> {
        let count = values.len() as f64;
        let mean = values.iter().map(|&v| f64::from(v)).sum::<f64>() / count;
        let energy = values.iter().map(|&v| (f64::from(v) - mean).powi(2)).sum::<f64>();
        if energy <= FLAT_VARIANCE * count {
            return None;
        }
        let scale = 1.0 / energy.sqrt();
        let padded = cols.next_multiple_of(LANES);
        let mut weights = vec![0.0; padded * rows];
        for (row, line) in values.chunks_exact(cols).enumerate() {
            for (weight, &value) in weights[row * padded..].iter_mut().zip(line) {
                *weight = ((f64::from(value) - mean) * scale) as f32;
            }
        }
        Some(Self { cols, rows, padded, weights })
    }

    /// Columns of the pattern.
    pub fn cols(&self) -> usize {
        self.cols
    }

    /// Rows of the pattern.
    pub fn rows(&self) -> usize {
        self.rows
    }

    /// Correlation with the patch of `image` whose first sample is at `start`; `stride` is the length of an image
    /// row. `None` when the patch is flat.
    ///
    /// # Panics
    /// When the patch reaches beyond the image.
    pub fn score(&self, image: &[f32], start: usize, stride: usize) -> Option<f32> {
        let (mut dot, mut sum, mut square) = ([0f32; LANES], [0f32; LANES], [0f32; LANES]);
        let (mut tail_dot, mut tail_sum, mut tail_square) = (0f32, 0f32, 0f32);
        for row in 0..self.rows {
            let line = &image[start + row * stride..][..self.cols];
            let weights = &self.weights[row * self.padded..][..self.cols];
            let (chunks, tail) = line.as_chunks::<LANES>();
            let (weight_chunks, weight_tail) = weights.as_chunks::<LANES>();
            for (values, weights) in chunks.iter().zip(weight_chunks) {
                for lane in 0..LANES {
                    dot[lane] += weights[lane] * values[lane];
                    sum[lane] += values[lane];
                    square[lane] += values[lane] * values[lane];
                }
            }
            for (&value, &weight) in tail.iter().zip(weight_tail) {
                tail_dot += weight * value;
                tail_sum += value;
                tail_square += value * value;
            }
        }
        let total = |lanes: [f32; LANES], tail: f32| f64::from(lanes.iter().sum::<f32>() + tail);
        let count = (self.cols * self.rows) as f64;
        let (sum, square) = (total(sum, tail_sum), total(square, tail_square));
        let energy = square - sum * sum / count;
        // The weights add up to 0, so the mean of the patch drops out of the product by itself.
        (energy > FLAT_VARIANCE * count).then(|| (total(dot, tail_dot) / energy.sqrt()).clamp(-1.0, 1.0) as f32)
    }
}

impl Template {
    /// Correlation at every place where the pattern lies wholly inside the image of `width` columns, row by row; -1
    /// where the image is flat. The same as [`Template::score`] everywhere, but many places at a time.
    pub fn surface(&self, image: &[f32], width: usize) -> Vec<f32> {
        let height = image.len() / width;
        if width < self.cols || height < self.rows {
            return Vec::new();
        }
        let (cols, rows) = (width - self.cols + 1, height - self.rows + 1);
        let squares: Vec<f32> = image.iter().map(|v| v * v).collect();
        let sums = box_sums(image, width, self.cols, self.rows);
        let squares = box_sums(&squares, width, self.cols, self.rows);
        let count = (self.cols * self.rows) as f32;
        let mut dots = vec![0f32; cols];
        let mut surface = Vec::with_capacity(cols * rows);
        for row in 0..rows {
            self.dots(image, width, row, &mut dots);
            let places = row * cols..(row + 1) * cols;
            let all = dots.iter().zip(&sums[places.clone()]).zip(&squares[places]);
            surface.extend(all.map(|((&dot, &sum), &square)| {
                let energy = square - sum * sum / count;
                if energy > FLAT_VARIANCE as f32 * count { (dot / energy.sqrt()).clamp(-1.0, 1.0) } else { -1.0 }
            }));
        }
        surface
    }

    /// Products of pattern and picture for all places of one row.
    fn dots(&self, image: &[f32], width: usize, row: usize, out: &mut [f32]) {
        out.fill(0.0);
        for j in 0..self.rows {
            let start = (row + j) * width;
            for (i, weight) in self.weights[j * self.padded..][..self.cols].iter().enumerate() {
                let line = &image[start + i..start + i + out.len()];
                out.iter_mut().zip(line).for_each(|(sum, value)| *sum += weight * value);
            }
        }
    }
}

/// Patches whose variance is below this count as flat, in squared grey levels. Rounding to 8 bits alone gives 1/12;
/// sums in `f32` leave about 0.005 on bright patches. Larger would call faint, still usable patterns flat.
const FLAT_VARIANCE: f64 = 0.02;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn correlation_ignores_gain_and_offset() {
        let a: Vec<f32> = (0..49).map(|i| ((i * 37) % 19) as f32).collect();
        for (gain, offset, want) in [(1.0, 0.0, 1.0), (0.25, 90.0, 1.0), (-3.0, 7.0, -1.0)] {
            let b: Vec<f32> = a.iter().map(|v| gain * v + offset).collect();
            let got = correlation(&a, &b).unwrap();
            assert!((got - want).abs() < 1e-4, "gain {gain} offset {offset}: {got}");
        }
    }

    #[test]
    fn flat_patches_have_no_correlation() {
        let a: Vec<f32> = (0..25).map(|i| (i % 7) as f32).collect();
        assert_eq!(correlation(&a, &[200.0; 25]), None);
        assert_eq!(correlation(&[3.0; 25], &a), None);
    }

    #[test]
    fn the_surface_is_the_score_at_every_place() {
        let image: Vec<f32> = (0..23 * 17).map(|i| ((i * i * 31 + i * 7) % 211) as f32).collect();
        let template = Template::new((0..35).map(|i| ((i * 13) % 29) as f32).collect(), 7, 5).unwrap();
        let surface = template.surface(&image, 23);
        assert_eq!(surface.len(), 17 * 13);
        for (i, score) in surface.iter().enumerate() {
            let want = template.score(&image, i / 17 * 23 + i % 17, 23).unwrap();
            assert!((score - want).abs() < 1e-4, "place {i}: {score} {want}");
        }
        assert!(template.surface(&image[..60], 23).is_empty());
    }

    #[test]
    fn correlation_agrees_with_the_plain_formula_in_double_precision() {
        let a: Vec<f32> = (0..63).map(|i| ((i * 31) % 97) as f32 + 60.0).collect();
        let b: Vec<f32> = (0..63).map(|i| ((i * 17) % 89) as f32 + 90.0).collect();
        let mean = |v: &[f32]| v.iter().map(|&x| f64::from(x)).sum::<f64>() / v.len() as f64;
        let (ma, mb) = (mean(&a), mean(&b));
        let pair = |x: &[f32], mx: f64, y: &[f32], my: f64| -> f64 {
            x.iter().zip(y).map(|(&p, &q)| (f64::from(p) - mx) * (f64::from(q) - my)).sum()
        };
        let want = pair(&a, ma, &b, mb) / (pair(&a, ma, &a, ma) * pair(&b, mb, &b, mb)).sqrt();
        let got = f64::from(correlation(&a, &b).unwrap());
        assert!((got - want).abs() < 1e-5, "{got} {want}");
    }
}
