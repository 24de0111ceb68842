//! Small symmetric systems of equations.

/// Most unknowns.
pub(crate) const MOST: usize = 8;

/// A symmetric matrix; the upper triangle counts.
pub(crate) type Matrix<const N: usize = MOST> = [[f64; N]; N];

/// The lower triangle `L` of `L L' = matrix` (Cholesky).
#[derive(Clone, Debug)]
pub(crate) struct Cholesky<const N: usize = MOST> {
    lower: Matrix<N>,
    count: usize,
}

impl<const N: usize> Cholesky<N> {
    /// Of the first `count` rows and columns. `None` where the matrix does not fix every unknown: a pivot below `least`
    /// of its diagonal.
    pub fn of(matrix: &Matrix<N>, count: usize, least: f64) -> Option<Self> {
        let mut lower = [[0.0; N]; N];
        for row in 0..count {
            for col in 0..=row {
                let known: f64 = (0..col).map(|k| lower[row][k] * lower[col][k]).sum();
                let rest = matrix[col][row] - known;
                if row > col {
                    lower[row][col] = rest / lower[col][col];
                } else if rest > least * matrix[row][row] {
                    lower[row][row] = rest.sqrt();
                } else {
                    return None;
                }
            }
        }
        Some(Self { lower, count })
    }

    /// Solves for one right side.
    pub fn solve(&self, right: &[f64]) -> [f64; N] {
        let mut out = [0.0; N];
        for row in 0..self.count {
            let known: f64 = (0..row).map(|k| self.lower[row][k] * out[k]).sum();
            out[row] = (right[row] - known) / self.lower[row][row];
        }
        for row in (0..self.count).rev() {
            let known: f64 = (row + 1..self.count).map(|k| self.lower[k][row] * out[k]).sum();
            out[row] = (out[row] - known) / self.lower[row][row];
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_known_system_is_solved_and_a_flat_one_refused() {
        let mut matrix = [[0.0; MOST]; MOST];
        (matrix[0][0], matrix[0][1], matrix[1][1]) = (4.0, 2.0, 3.0);
        // 4 x + 2 y = 10 and 2 x + 3 y = 11: x = 1, y = 3.
        let solved = Cholesky::of(&matrix, 2, 1e-10).unwrap().solve(&[10.0, 11.0]);
        assert!((solved[0] - 1.0).abs() < 1e-12 && (solved[1] - 3.0).abs() < 1e-12);
        matrix[1][1] = 1.0;
        assert!(Cholesky::of(&matrix, 2, 1e-10).is_none());
    }
}
