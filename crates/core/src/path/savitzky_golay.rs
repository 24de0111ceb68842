//! Smoothing by a polynomial through each value's neighbours.

/// Weights of the values from `half` before to `half` after the one at `offset` from the middle, in order of time.
///
/// `degree` is below the number of values, `2 * half + 1`.
/// # Source
/// A. Savitzky and M. J. E. Golay, "Smoothing and Differentiation of Data by Simplified Least Squares Procedures",
/// Analytical Chemistry 36(8), 1964; with the corrections of J. Steinier, Y. Termonia and J. Deltour, 1972. Here by
/// orthogonal polynomials of a discrete variable (Gram), after P. A. Gorry, Analytical Chemistry 62(6), 1990, which
/// also give the weights off the middle.
pub fn savitzky_golay_weights(half: usize, degree: usize, offset: i64) -> Vec<f64> {
    let m = half as i64;
    (-m..=m)
        .map(|i| {
            (0..=degree as i64)
                .map(|k| {
                    let scale = (2 * k + 1) as f64 * falling(2 * m, k) / falling(2 * m + k + 1, k + 1);
                    scale * gram(i, m, k) * gram(offset, m, k)
                })
                .sum()
        })
        .collect()
}

/// `n (n - 1) ... (n - k + 1)`.
fn falling(n: i64, k: i64) -> f64 {
    (0..k).map(|j| (n - j) as f64).product()
}

/// The Gram polynomial of degree `k` over `-m..=m`, by its recurrence (Gorry 1990, equation 10).
fn gram(i: i64, m: i64, k: i64) -> f64 {
    let (mut before, mut this) = (0.0, 1.0);
    for k in 1..=k {
        let (k_, m_) = (k as f64, m as f64);
        let next = (4.0 * k_ - 2.0) / (k_ * (2.0 * m_ - k_ + 1.0)) * i as f64 * this
            - (k_ - 1.0) * (2.0 * m_ + k_) / (k_ * (2.0 * m_ - k_ + 1.0)) * before;
        (before, this) = (this, next);
    }
    this
}

/// The values smoothed. Within `half` of the ends the polynomial of the outermost window is used. Fewer values than a
/// window stay as they are.
pub fn savitzky_golay(values: &[f64], half: usize, degree: usize) -> Vec<f64> {
    let width = 2 * half + 1;
    if values.len() < width || degree >= width {
        return values.to_vec();
    }
    let middle = savitzky_golay_weights(half, degree, 0);
    let dot = |weights: &[f64], start: usize| -> f64 { weights.iter().zip(&values[start..]).map(|(w, v)| w * v).sum() };
    (0..values.len())
        .map(|i| {
            let start = i.saturating_sub(half).min(values.len() - width);
            let offset = i as i64 - (start + half) as i64;
            if offset == 0 { dot(&middle, start) } else { dot(&savitzky_golay_weights(half, degree, offset), start) }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_weights_are_those_of_the_published_table() {
        // Savitzky & Golay 1964, table I (quadratic and cubic smoothing): 5, 7 and 9 points.
        let table: [(usize, f64, &[f64]); 3] = [
            (2, 35.0, &[-3.0, 12.0, 17.0, 12.0, -3.0]),
            (3, 21.0, &[-2.0, 3.0, 6.0, 7.0, 6.0, 3.0, -2.0]),
            (4, 231.0, &[-21.0, 14.0, 39.0, 54.0, 59.0, 54.0, 39.0, 14.0, -21.0]),
        ];
        for (half, norm, want) in table {
            for degree in [2, 3] {
                let got = savitzky_golay_weights(half, degree, 0);
                assert_eq!(got.len(), want.len());
                got.iter()
                    .zip(want)
                    .for_each(|(g, w)| assert!((g - w / norm).abs() < 1e-12, "{half} {degree}: {got:?}"));
            }
        }
    }

    #[test]
    fn polynomials_of_its_degree_pass_unchanged_to_the_ends() {
        let values: Vec<f64> = (0..30).map(f64::from).map(|t| 3.0 - t + 0.2 * t * t - 0.01 * t * t * t).collect();
        let smoothed = savitzky_golay(&values, 5, 3);
        smoothed.iter().zip(&values).for_each(|(s, v)| assert!((s - v).abs() < 1e-9));
    }
}
