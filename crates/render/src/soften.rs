//! Gaussian blur of a layer.

use resvg::tiny_skia::Pixmap;

/// How far the kernel reaches, in standard deviations: beyond lies less than a quarter of a code value.
pub(crate) const REACH: f64 = 3.0;

/// A blur as wide as this is computed on a smaller picture: its cost would grow with its width, and a layer that is
/// softened by hundreds of pixels would take seconds.
const WIDE: f64 = 8.0;

/// Blurs premultiplied pixels; nothing lies outside.
pub(crate) fn soften(pixels: &mut Pixmap, deviation: f64) {
    match step(deviation, WIDE / 2.0) {
        1 => soften_exactly(pixels, deviation),
        step => soften_small(pixels, deviation, step),
    }
}

/// How many times smaller, a power of two, a picture may be made for a blur that is `least` pixels wide then.
pub(crate) fn step(deviation: f64, least: f64) -> i32 {
    let mut step = 1;
    while deviation / f64::from(2 * step) >= least {
        step *= 2;
    }
    step
}

/// What is left to blur, in pixels of the smaller picture: making it smaller (a box) and larger again (a tent) blurs as
/// well.
pub(crate) fn rest(deviation: f64, step: i32) -> f64 {
    let square = f64::from(step * step);
    let by_steps = (square - 1.0) / 12.0 + if step > 1 { square / 6.0 } else { 0.0 };
    (deviation * deviation - by_steps).max(0.04).sqrt() / f64::from(step)
}

fn soften_small(pixels: &mut Pixmap, deviation: f64, step: i32) {
    let step_of = step as usize;
    // A cell more on each side takes what is blurred over the edge, and is looked at when the picture is made larger
    // again.
    let cells = |side: u32| side.div_ceil(step as u32) + 2;
    let Some(mut small) = Pixmap::new(cells(pixels.width()), cells(pixels.height())) else { return };
    shrink(pixels, &mut small, step_of);
    soften_exactly(&mut small, rest(deviation, step));
    enlarge(&small, pixels, step_of);
}

/// Each pixel of `small` becomes the mean of a square; the first row and column stay empty.
fn shrink(pixels: &Pixmap, small: &mut Pixmap, step: usize) {
    let (width, columns) = (pixels.width() as usize, small.width() as usize);
    let mut sums = vec![[0u32; 4]; columns * small.height() as usize];
    for (i, pixel) in pixels.data().as_chunks::<4>().0.iter().enumerate() {
        let sum = &mut sums[(i / width / step + 1) * columns + i % width / step + 1];
        (0..4).for_each(|c| sum[c] += u32::from(pixel[c]));
    }
    let count = (step * step) as u32;
    for (target, sum) in small.data_mut().as_chunks_mut::<4>().0.iter_mut().zip(sums) {
        *target = sum.map(|sum| ((sum + count / 2) / count) as u8);
    }
}

/// Each pixel between the four nearest of `small`.
fn enlarge(small: &Pixmap, pixels: &mut Pixmap, step: usize) {
    let (width, columns) = (pixels.width() as usize, small.width() as usize);
    let cells = small.data().as_chunks::<4>().0;
    let place = |at: usize| {
        let place = (at as f32 + 0.5) / step as f32 + 0.5;
        (place as usize, place.fract())
    };
    for (i, pixel) in pixels.data_mut().as_chunks_mut::<4>().0.iter_mut().enumerate() {
        let ((col, right), (row, down)) = (place(i % width), place(i / width));
        let four = [
            cells[row * columns + col],
            cells[row * columns + col + 1],
            cells[(row + 1) * columns + col],
            cells[(row + 1) * columns + col + 1],
        ];
        let weights = [(1.0 - right) * (1.0 - down), right * (1.0 - down), (1.0 - right) * down, right * down];
        for c in 0..4 {
            let sum: f32 = four.iter().zip(weights).map(|(cell, weight)| weight * f32::from(cell[c])).sum();
            pixel[c] = (sum + 0.5) as u8;
        }
    }
}

/// First across, then down.
fn soften_exactly(pixels: &mut Pixmap, deviation: f64) {
    let kernel = kernel(deviation);
    let (width, height) = (pixels.width() as usize, pixels.height() as usize);
    let across = pass(pixels.data(), width, height, &kernel);
    let down = pass(&across, height, width, &kernel);
    pixels.data_mut().copy_from_slice(&down);
}

fn kernel(deviation: f64) -> Vec<f32> {
    let reach = (REACH * deviation).ceil() as i32;
    let value = |i: i32| (-0.5 * (f64::from(i) / deviation).powi(2)).exp();
    let total: f64 = (-reach..=reach).map(value).sum();
    (-reach..=reach).map(|i| (value(i) / total) as f32).collect()
}

/// Blurs along the rows, and turns the picture: twice gives it back upright.
fn pass(data: &[u8], width: usize, height: usize, kernel: &[f32]) -> Vec<u8> {
    let reach = kernel.len() / 2;
    let mut out = vec![0; data.len()];
    let mut filled = Vec::with_capacity(width);
    for (row, line) in data.chunks_exact(4 * width).enumerate() {
        let line = line.as_chunks::<4>().0;
        // How many pixels before each are not empty: most of a layer round a line is, and is left out.
        filled.clear();
        filled.extend(line.iter().scan(0u32, |count, pixel| {
            *count += u32::from(pixel[3] > 0);
            Some(*count)
        }));
        if filled[width - 1] == 0 {
            continue;
        }
        for col in 0..width {
            let (first, last) = (col.saturating_sub(reach), (col + reach).min(width - 1));
            if filled[last] == first.checked_sub(1).map_or(0, |before| filled[before]) {
                continue;
            }
            let mut sum = [0.5f32; 4];
            for (pixel, weight) in line[first..=last].iter().zip(&kernel[first + reach - col..]) {
                (0..4).for_each(|c| sum[c] += weight * f32::from(pixel[c]));
            }
            let at = 4 * (col * height + row);
            out[at..at + 4].copy_from_slice(&sum.map(|value| value as u8));
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use resvg::tiny_skia::{Color, Paint, PathBuilder, Rect, Transform};

    use super::*;

    #[test]
    fn an_edge_becomes_the_integral_of_the_gaussian() {
        let mut pixels = Pixmap::new(81, 61).unwrap();
        let half = PathBuilder::from_rect(Rect::from_ltrb(40.0, 0.0, 81.0, 61.0).unwrap());
        let mut paint = Paint::default();
        paint.set_color(Color::WHITE);
        pixels.fill_path(&half, &paint, resvg::tiny_skia::FillRule::Winding, Transform::identity(), None);
        soften(&mut pixels, 4.0);
        let alpha = |col: u32| f64::from(pixels.pixel(col, 30).unwrap().alpha()) / 255.0;
        // The standard normal distribution at -1, 0.125 and 1 (tables): 0.1587, 0.5497, 0.8413; pixel centres lie half
        // a pixel in.
        for (col, want) in [(35, 0.1303), (40, 0.5497), (44, 0.8697)] {
            assert!((alpha(col) - want).abs() < 0.006, "{col}: {} {want}", alpha(col));
        }
        assert_eq!(alpha(10), 0.0);
    }

    #[test]
    fn a_wide_blur_on_a_smaller_picture_is_the_same_blur() {
        let (width, height) = (213, 170);
        let mut pixels = Pixmap::new(width, height).unwrap();
        let mut paint = Paint::default();
        paint.set_color(Color::from_rgba8(200, 60, 20, 220));
        let box_ = PathBuilder::from_rect(Rect::from_ltrb(61.0, 0.0, 140.0, 111.0).unwrap());
        pixels.fill_path(&box_, &paint, resvg::tiny_skia::FillRule::Winding, Transform::identity(), None);
        for deviation in [8.0, 13.5, 40.0] {
            let (mut exact, mut quick) = (pixels.clone(), pixels.clone());
            soften_exactly(&mut exact, deviation);
            soften(&mut quick, deviation);
            let worst = exact.data().iter().zip(quick.data()).map(|(a, b)| a.abs_diff(*b)).max();
            assert!(worst <= Some(3), "{deviation}: {worst:?} of 255");
        }
    }
}
