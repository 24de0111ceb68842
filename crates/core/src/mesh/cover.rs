//! What lies in front of a surface: there its detail is not seen, whatever the light.

use super::compared::Placed;

/// A knot whose detail is this much less alike than is usual on this frame is covered, above the second it is not.
const COVERED: [f64; 2] = [0.4, 0.8];
/// What is usual is no less than this: on a frame that shows something else altogether nothing is alike.
const LEAST_USUAL: f64 = 0.7;
/// Detail of less than this mean squared gradient, in squared grey levels a pixel, tells nothing.
const BARE: f64 = 4.0;
/// Fewer samples round a knot tell nothing.
const FEW: f64 = 8.0;

/// Of each knot, 0 for covered to 1 for seen: how alike the gradients round it are to those that were drawn there, over
/// the median of that over all knots. A fold's shade is in the brightness and hardly in the gradients. It does not ask how
/// much samples counted before: what was taken for covered can be seen again. `pairs` are where a sample lies, its
/// gradient as drawn and as it is seen.
pub(super) fn seen<'a>(knots: usize, pairs: impl Iterator<Item = (&'a Placed, [f64; 2], [f64; 2])>) -> Vec<f32> {
    // Count, squares of the drawn and of the seen, and their products, of all samples round a knot as far as they are its
    // own.
    let mut sums = vec![[0f64; 4]; knots];
    for (place, [x, y], [u, v]) in pairs {
        let parts = [1.0, x * x + y * y, u * u + v * v, x * u + y * v];
        for (knot, share) in place.knots.iter().zip(place.shares) {
            sums[*knot].iter_mut().zip(parts).for_each(|(sum, part)| *sum += f64::from(share) * part);
        }
    }
    let alike: Vec<Option<f64>> = sums.iter().map(likeness).collect();
    let mut known: Vec<f64> = alike.iter().flatten().copied().collect();
    if known.is_empty() {
        return vec![1.0; knots];
    }
    let middle = known.len() / 2;
    let usual = known.select_nth_unstable_by(middle, f64::total_cmp).1.max(LEAST_USUAL);
    let share = |alike: &Option<f64>| {
        let over = |alike: f64| ((alike / usual - COVERED[0]) / (COVERED[1] - COVERED[0])).clamp(0.0, 1.0);
        alike.map_or(1.0, over) as f32
    };
    alike.iter().map(share).collect()
}

fn likeness([count, drawn, seen, both]: &[f64; 4]) -> Option<f64> {
    (*count >= FEW && drawn / count > BARE).then(|| both / (drawn * seen.max(1.0)).sqrt())
}
