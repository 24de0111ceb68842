//! Symmetric systems of equations in which only neighbours have to do with each other.

/// A symmetric matrix with nothing further than `width` from its diagonal; the lower triangle is kept, row by row.
#[derive(Clone, Debug)]
pub(super) struct Banded {
    width: usize,
    rows: Vec<f64>,
}

impl Banded {
    /// `count` unknowns, all zero.
    pub fn new(count: usize, width: usize) -> Self {
        Self { width, rows: vec![0.0; count * (width + 1)] }
    }

    /// Adds to an element on or below the diagonal.
    #[inline]
    pub fn add(&mut self, row: usize, col: usize, value: f64) {
        self.rows[row * (self.width + 1) + self.width + col - row] += value;
    }

    /// The product with a vector.
    #[cfg(test)]
    pub fn times(&self, vector: &[f64]) -> Vec<f64> {
        let mut product = vec![0.0; vector.len()];
        for (row, line) in self.rows.chunks_exact(self.width + 1).enumerate() {
            for (col, value) in (row.saturating_sub(self.width)..=row).zip(&line[self.width - row.min(self.width)..]) {
                product[row] += value * vector[col];
                if col < row {
                    product[col] += value * vector[row];
                }
            }
        }
        product
    }

    /// Factors it in place (Cholesky); `None` where it does not fix every unknown.
    pub fn factored(mut self) -> Option<Factored> {
        let step = self.width + 1;
        for row in 0..self.rows.len() / step {
            let (before, line) = self.rows.split_at_mut(row * step);
            let line = &mut line[..step];
            let first = row.saturating_sub(self.width);
            for col in first..row {
                // Of row `col` what lies at and after column `from` matters.
                let from = first.max(col.saturating_sub(self.width));
                let other = &before[col * step..][..step];
                let (own_at, other_at) = (self.width + from - row, self.width + from - col);
                let known = dot(&line[own_at..own_at + col - from], &other[other_at..]);
                let at = self.width + col - row;
                line[at] = (line[at] - known) / other[self.width];
            }
            let (own, diagonal) = line.split_at_mut(self.width);
            let own = &own[self.width + first - row..];
            let rest = diagonal[0] - dot(own, own);
            if rest.is_nan() || rest <= 0.0 {
                return None;
            }
            diagonal[0] = rest.sqrt();
        }
        Some(Factored(self))
    }
}

/// The lower triangle `L` of `L L' = matrix`.
pub(super) struct Factored(Banded);

impl Factored {
    /// Solves for one right side, in place.
    pub fn solve(&self, right: &mut [f64]) {
        self.forward(right, 0);
        self.back(right, 0);
    }

    fn forward(&self, right: &mut [f64], from: usize) {
        let (width, step) = (self.0.width, self.0.width + 1);
        for row in from..right.len() {
            let line = &self.0.rows[row * step..][..step];
            let first = row.saturating_sub(width).max(from);
            let known = dot(&right[first..row], &line[width + first - row..]);
            right[row] = (right[row] - known) / line[width];
        }
    }

    fn back(&self, right: &mut [f64], to: usize) {
        let (width, step) = (self.0.width, self.0.width + 1);
        for row in (to..right.len()).rev() {
            let line = &self.0.rows[row * step..][..step];
            right[row] /= line[width];
            let value = right[row];
            let first = row.saturating_sub(width).max(to);
            right[first..row].iter_mut().zip(&line[width + first - row..]).for_each(|(sum, own)| *sum -= own * value);
        }
    }

    /// The covariance of two unknowns that follow each other: their block of the inverse.
    pub fn inverse_block(&self, first: usize, scratch: &mut Vec<f64>) -> [f64; 3] {
        let count = self.0.rows.len() / (self.0.width + 1);
        let mut column = |unknown: usize| {
            scratch.clear();
            scratch.resize(count, 0.0);
            scratch[unknown] = 1.0;
            self.forward(scratch, first);
            self.back(scratch, first);
            [scratch[first], scratch[first + 1]]
        };
        let ([xx, xy], [_, yy]) = (column(first), column(first + 1));
        [xx, xy, yy]
    }
}

/// Of as many values as the first has. Four sums go side by side, so that they make vectors.
fn dot(a: &[f64], b: &[f64]) -> f64 {
    let b = &b[..a.len()];
    let (fours, rest) = a.as_chunks::<4>();
    let (other_fours, other_rest) = b.as_chunks::<4>();
    let mut sums = [0.0; 4];
    for (a, b) in fours.iter().zip(other_fours) {
        (0..4).for_each(|i| sums[i] += a[i] * b[i]);
    }
    let last: f64 = rest.iter().zip(other_rest).map(|(a, b)| a * b).sum();
    (sums[0] + sums[1]) + (sums[2] + sums[3]) + last
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_solves_what_it_multiplied_and_knows_its_inverse() {
        let (count, width) = (9, 3);
        let mut matrix = Banded::new(count, width);
        for row in 0..count {
            matrix.add(row, row, 6.0 + row as f64);
            (row.saturating_sub(width)..row)
                .for_each(|col| matrix.add(row, col, ((row * 7 + col * 3) % 5) as f64 - 2.0));
        }
        let wanted: Vec<f64> = (0..count).map(|i| (i as f64 * 1.7).sin()).collect();
        let mut right = matrix.times(&wanted);
        let factored = matrix.clone().factored().unwrap();
        factored.solve(&mut right);
        assert!(wanted.iter().zip(&right).all(|(a, b)| (a - b).abs() < 1e-12), "{right:?}");
        let [xx, xy, yy] = factored.inverse_block(4, &mut Vec::new());
        let column = |unknown: usize| {
            let mut one = vec![0.0; count];
            one[unknown] = 1.0;
            factored.solve(&mut one);
            one
        };
        let (fourth, fifth) = (column(4), column(5));
        assert!((xx - fourth[4]).abs() < 1e-12 && (xy - fourth[5]).abs() < 1e-12 && (yy - fifth[5]).abs() < 1e-12);
        let mut loose = Banded::new(2, 1);
        loose.add(0, 0, 1.0);
        assert!(loose.factored().is_none(), "the second is fixed by nothing");
    }
}
