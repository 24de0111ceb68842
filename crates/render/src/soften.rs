//! Gaussian blur of a layer.

use resvg::tiny_skia::Pixmap;

/// How far the kernel reaches, in standard deviations: beyond lies less than a quarter of a code value.
pub(crate) const REACH: f64 = 3.0;

/// Blurs premultiplied pixels, first across, then down; nothing lies outside.
pub(crate) fn soften(pixels: &mut Pixmap, deviation: f64) {
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
        // The standard normal distribution at -1, 0.125 and 1 (tables): 0.1587, 0.5497, 0.8413; pixel centres lie half a pixel in.
        for (col, want) in [(35, 0.1303), (40, 0.5497), (44, 0.8697)] {
            assert!((alpha(col) - want).abs() < 0.006, "{col}: {} {want}", alpha(col));
        }
        assert_eq!(alpha(10), 0.0);
    }
}
