//! Pictures beside each other: red, green and blue of 8 bits, row by row.

/// A part of a screenshot of so many pixels across and values for each, from a pixel on.
#[must_use]
pub fn part_of(
    (across, channels, values): (usize, usize, &[u8]),
    (left, top): (usize, usize),
    (width, height): (usize, usize),
) -> Vec<u8> {
    let row =
        |row: usize| values[((top + row) * across + left) * channels..][..width * channels].chunks_exact(channels);
    (0..height).flat_map(row).flat_map(|pixel| &pixel[..3]).copied().collect()
}

/// With the colour of each four pixels as their mean, as every 4:2:0 film has it: brightness stays each pixel's own
/// (weights of ITU-R BT.601-7).
#[must_use]
pub fn as_film_keeps_it(picture: &[u8], width: usize) -> Vec<u8> {
    let luma = |p: [u8; 3]| 0.299 * f32::from(p[0]) + 0.587 * f32::from(p[1]) + 0.114 * f32::from(p[2]);
    let pixel = |row: usize, col: usize| -> [u8; 3] {
        picture[3 * (row * width + col)..].first_chunk().copied().expect("within the picture")
    };
    let height = picture.len() / 3 / width;
    let mut out = vec![0; picture.len()];
    for (row, col) in (0..height).step_by(2).flat_map(|row| (0..width).step_by(2).map(move |col| (row, col))) {
        let four = [(0, 0), (0, 1), (1, 0), (1, 1)].map(|(y, x)| (row + y, col + x));
        let colour =
            |c: usize| four.map(|(y, x)| pixel(y, x)).map(|p| f32::from(p[c]) - luma(p)).iter().sum::<f32>() / 4.0;
        let colour = [0, 1, 2].map(colour);
        for (y, x) in four {
            let own = luma(pixel(y, x));
            let kept = colour.map(|colour| (own + colour).round().clamp(0.0, 255.0) as u8);
            out[3 * (y * width + x)..][..3].copy_from_slice(&kept);
        }
    }
    out
}

/// Mean difference of all values, and the share of pixels of which any value differs by more than `far`.
#[must_use]
pub fn differences(a: &[u8], b: &[u8], far: u8) -> (f64, f64) {
    let sum: u64 = a.iter().zip(b).map(|(a, b)| u64::from(a.abs_diff(*b))).sum();
    let is_far = |(a, b): (&[u8; 3], &[u8; 3])| a.iter().zip(b).any(|(a, b)| a.abs_diff(*b) > far);
    let pairs = a.as_chunks::<3>().0.iter().zip(b.as_chunks::<3>().0);
    let count = pairs.clone().filter(|pair| is_far(*pair)).count();
    (sum as f64 / a.len() as f64, count as f64 / (a.len() / 3) as f64)
}
