//! How noisy a picture is.

use super::plane::Plane;
use crate::median::MEDIAN_OF_NORMAL;

/// What the mask below makes of noise: the root of the sum of its squares.
const MASK_GAIN: f64 = 6.0;

/// What the mask makes of a picture at most: each of the two differences four times the greatest value.
const GREATEST: usize = 2 * 2 * 2 * u8::MAX as usize;

/// Standard deviation of a picture's noise, in grey levels: the size of what is left by a mask that takes out everything
/// smooth, the second difference across of the second difference down (Immerkaer, *Fast noise variance estimation*, 1996).
/// There it is the mean; of the median, edges take away less. Nothing for a picture of less than three pixels a side.
pub(crate) fn noise_of(plane: &Plane) -> f64 {
    let size = plane.size();
    let (inner_rows, inner_cols) = (size.height.saturating_sub(2), size.width.saturating_sub(2) as usize);
    let mut counts = vec![0u32; GREATEST + 1];
    for row in 0..inner_rows {
        let rows = [0, 1, 2].map(|below| plane.row((row + below) as usize));
        for col in 0..inner_cols {
            let [above, here, below] = rows.map(|row| bend(&row[col..col + 3]));
            counts[bend_of(above, here, below).unsigned_abs() as usize] += 1;
        }
    }
    f64::from(middle(&counts)) / MEDIAN_OF_NORMAL / MASK_GAIN
}

/// The median of numbers that are counted by their size; 0 of none.
fn middle(counts: &[u32]) -> u32 {
    let half = counts.iter().sum::<u32>() / 2;
    let mut below = 0;
    let reached = |count: &u32| {
        below += count;
        below > half
    };
    counts.iter().position(reached).unwrap_or(0) as u32
}

fn bend(values: &[u8]) -> i32 {
    bend_of(i32::from(values[0]), i32::from(values[1]), i32::from(values[2]))
}

fn bend_of(before: i32, here: i32, after: i32) -> i32 {
    before - 2 * here + after
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;

    /// Waves some pixels long, and the sum of twelve evenly spread numbers, which is nearly Gaussian.
    fn told(deviation: f64, size: Size) -> f64 {
        let mut state = 1u32;
        let mut spread = || {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            f64::from(state) / f64::from(u32::MAX)
        };
        noise_of(&Plane::from_fn(size, |col, row| {
            let textured = 128.0 + 40.0 * (f64::from(col) / 4.0).sin() * (f64::from(row) / 5.0).cos();
            let noise = (0..12).map(|_| spread()).sum::<f64>() - 6.0;
            (textured + deviation * noise).round().clamp(0.0, 255.0) as u8
        }))
    }

    #[test]
    fn it_is_found_under_texture() {
        for deviation in [4.0, 10.0, 20.0] {
            let found = told(deviation, Size::new(200, 120));
            assert!((found / deviation - 1.0).abs() < 0.1, "{deviation}: {found}");
        }
    }

    #[test]
    fn next_to_nothing_of_a_picture_has_none() {
        assert_eq!(told(10.0, Size::new(40, 2)), 0.0);
        assert_eq!(told(10.0, Size::new(1, 40)), 0.0);
    }
}
