//! Fourier transforms of square real pictures, all of one size.
//!
//! A crate of its own because the transforms are generic: in the core they were a quarter of what there was to compile,
//! and compiled once more with its tests.

use std::sync::Arc;

use realfft::num_complex::Complex;
use realfft::{ComplexToReal, RealFftPlanner, RealToComplex};
use rustfft::{Fft, FftPlanner};

/// Side of the pictures, in cells.
pub const SIDE: usize = 64;
/// Cells of a picture.
pub const CELLS: usize = SIDE * SIDE;
/// A real row's frequencies; the others are their conjugates.
const BINS: usize = SIDE / 2 + 1;
/// Numbers of a spectrum: column of frequencies by column, as the second transform leaves them.
pub const SPECTRUM: usize = BINS * SIDE;

/// A frequency's amplitude and phase.
pub type Amplitude = Complex<f32>;

/// Transforms there and back; keeps its plans and scratch memory.
#[derive(Clone)]
pub struct Transform {
    rows: Arc<dyn RealToComplex<f32>>,
    rows_back: Arc<dyn ComplexToReal<f32>>,
    cols: Arc<dyn Fft<f32>>,
    cols_back: Arc<dyn Fft<f32>>,
    real: Vec<f32>,
    bins: Vec<Amplitude>,
    scratch: Vec<Amplitude>,
}

impl Default for Transform {
    fn default() -> Self {
        Self::new()
    }
}

impl Transform {
    /// Plans for pictures of [`SIDE`] by [`SIDE`].
    pub fn new() -> Self {
        let (mut real, mut complex) = (RealFftPlanner::new(), FftPlanner::new());
        let (rows, rows_back) = (real.plan_fft_forward(SIDE), real.plan_fft_inverse(SIDE));
        let (cols, cols_back) = (complex.plan_fft_forward(SIDE), complex.plan_fft_inverse(SIDE));
        let needs = [rows.get_scratch_len(), rows_back.get_scratch_len()];
        let needs = needs.into_iter().chain([cols.get_inplace_scratch_len(), cols_back.get_inplace_scratch_len()]);
        let scratch = vec![Amplitude::default(); needs.max().unwrap_or(0)];
        Self {
            rows,
            rows_back,
            cols,
            cols_back,
            real: vec![0.0; SIDE],
            bins: vec![Amplitude::default(); BINS],
            scratch,
        }
    }

    /// Spectrum of a picture of [`CELLS`] numbers, row by row.
    pub fn forward(&mut self, picture: &[f32], spectrum: &mut [Amplitude]) {
        let Self { rows, cols, real, bins, scratch, .. } = self;
        for (row, values) in picture.chunks_exact(SIDE).enumerate() {
            real.copy_from_slice(values);
            rows.process_with_scratch(real, bins, scratch).expect("the lengths are the plan's");
            for (bin, value) in bins.iter().enumerate() {
                spectrum[bin * SIDE + row] = *value;
            }
        }
        cols.process_with_scratch(spectrum, scratch);
    }

    /// The picture of a spectrum, which is used up.
    pub fn back(&mut self, spectrum: &mut [Amplitude], picture: &mut [f32]) {
        let Self { rows_back, cols_back, bins, scratch, .. } = self;
        cols_back.process_with_scratch(spectrum, scratch);
        let share = 1.0 / CELLS as f32;
        for (row, values) in picture.chunks_exact_mut(SIDE).enumerate() {
            for (bin, value) in bins.iter_mut().enumerate() {
                *value = spectrum[bin * SIDE + row] * share;
            }
            // Real pictures have no imaginary part there; rounding leaves a trace of one, which the plan refuses.
            bins[0].im = 0.0;
            bins[BINS - 1].im = 0.0;
            rows_back.process_with_scratch(bins, values, scratch).expect("the lengths are the plan's");
        }
    }
}
