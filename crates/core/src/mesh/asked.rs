//! What the samples of one triangle ask of its three knots.

use super::banded::Banded;

/// Pairs of a triangle's corners.
const PAIRS: [[usize; 2]; 6] = [[0, 0], [0, 1], [0, 2], [1, 1], [1, 2], [2, 2]];

/// Sums over the samples of a triangle, of which there are few: single precision is enough. There are many triangles'
/// worth of samples for each entry of the equations, so they are entered there once, not one by one.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Asked {
    /// For each pair of corners the products of their shares with `x x`, `x y` and `y y` of the slope.
    products: [[f32; PAIRS.len()]; 3],
    /// For each corner the pull across and down.
    pulls: [[f32; 3]; 2],
}

impl Asked {
    /// A sample with these shares in the corners, this slope of the brightness by pixels of the picture, so much weight,
    /// which is off by so many grey levels.
    pub fn add(&mut self, shares: [f32; 3], [x, y]: [f32; 2], (weight, off): (f32, f32)) {
        let pairs = PAIRS.map(|[a, b]| weight * shares[a] * shares[b]);
        for (sums, slopes) in self.products.iter_mut().zip([x * x, x * y, y * y]) {
            sums.iter_mut().zip(pairs).for_each(|(sum, pair)| *sum += slopes * pair);
        }
        for (sums, slope) in self.pulls.iter_mut().zip([x, y]) {
            sums.iter_mut().zip(shares).for_each(|(sum, share)| *sum -= weight * off * slope * share);
        }
    }

    /// Enters it into the equations of all knots, which come across and down in turn.
    pub fn enter(&self, knots: &[usize; 3], matrix: &mut Banded, right: &mut [f64]) {
        for (corner, knot) in knots.iter().enumerate() {
            right[2 * knot] += f64::from(self.pulls[0][corner]);
            right[2 * knot + 1] += f64::from(self.pulls[1][corner]);
        }
        for (pair, corners) in PAIRS.iter().enumerate() {
            let [xx, xy, yy] = [0, 1, 2].map(|which| f64::from(self.products[which][pair]));
            let [a, b] = corners.map(|corner| knots[corner]);
            let (later, earlier) = (2 * a.max(b), 2 * a.min(b));
            matrix.add(later, earlier, xx);
            matrix.add(later + 1, earlier, xy);
            matrix.add(later + 1, earlier + 1, yy);
            // Of two knots all four; of one with itself the lower triangle.
            if later > earlier {
                matrix.add(later, earlier + 1, xy);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Against the definition: with the slope times the share as the row of a sample, sums of `row' weight row` and of
    /// `-row' weight off`.
    #[test]
    fn a_triangle_enters_what_its_samples_would_one_by_one() {
        let knots = [2, 0, 3];
        let samples = [([0.2, 0.5, 0.3], [3.0, -1.0], (0.5, 4.0)), ([0.6, 0.1, 0.3], [-2.0, 7.0], (1.0, -1.5))];
        let (mut expected, mut pulls) = ([[0f64; 8]; 8], [0f64; 8]);
        let mut asked = Asked::default();
        for (shares, slope, (weight, off)) in samples {
            asked.add(shares, slope, (weight, off));
            let mut row = [0f32; 8];
            for (knot, share) in knots.iter().zip(shares) {
                (row[2 * knot], row[2 * knot + 1]) = (share * slope[0], share * slope[1]);
            }
            for (i, one) in row.iter().enumerate() {
                row.iter().enumerate().for_each(|(j, other)| expected[i][j] += f64::from(weight * one * other));
                pulls[i] -= f64::from(weight * one * off);
            }
        }
        let (mut matrix, mut right) = (Banded::new(8, 7), vec![0.0; 8]);
        asked.enter(&knots, &mut matrix, &mut right);
        for i in 0..8 {
            assert!((right[i] - pulls[i]).abs() < 1e-4, "{right:?} instead of {pulls:?}");
            let mut one = [0.0; 8];
            one[i] = 1.0;
            for (entered, expected) in matrix.times(&one).iter().zip(expected[i]) {
                assert!((entered - expected).abs() < 1e-4, "{i}: {entered} instead of {expected}");
            }
        }
    }
}
