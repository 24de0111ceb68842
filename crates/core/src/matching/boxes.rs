//! Sums over rectangles, whose cost does not grow with the rectangle.

/// Sums over all rectangles of `cols * rows` inside a grid of `width` columns, row by row. Running sums in doubles: in
/// single precision they would lose the small beside the large.
pub(super) fn box_sums(values: &[f32], width: usize, cols: usize, rows: usize) -> Vec<f32> {
    let height = values.len() / width;
    let places = width - cols + 1;
    let mut column = vec![0f64; width];
    let mut sums = Vec::with_capacity(places * (height - rows + 1));
    for row in 0..height {
        column.iter_mut().zip(&values[row * width..]).for_each(|(sum, value)| *sum += f64::from(*value));
        if row + 1 < rows {
            continue;
        }
        let mut sum: f64 = column[..cols - 1].iter().sum();
        for col in 0..places {
            sum += column[col + cols - 1];
            sums.push(sum as f32);
            sum -= column[col];
        }
        let leaving = (row + 1 - rows) * width;
        column.iter_mut().zip(&values[leaving..]).for_each(|(sum, value)| *sum -= f64::from(*value));
    }
    sums
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sums_are_those_of_the_rectangles() {
        let values: Vec<f32> = (0..7 * 6).map(|i| ((i * i) % 17) as f32).collect();
        let sums = box_sums(&values, 7, 3, 2);
        assert_eq!(sums.len(), 5 * 5);
        for (place, sum) in sums.iter().enumerate() {
            let (row, col) = (place / 5, place % 5);
            let inside = (0..2).flat_map(|j| (0..3).map(move |i| (row + j) * 7 + col + i));
            assert_eq!(*sum, inside.map(|i| values[i]).sum::<f32>());
        }
    }
}
