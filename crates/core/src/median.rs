//! The middle value.

/// The median of absolute values of Gaussian noise, over its standard deviation.
pub(crate) const MEDIAN_OF_NORMAL: f64 = 0.6745;

/// The middle one of some values, of an even number the upper one; their order is not kept.
pub(crate) fn median(values: &mut [f64]) -> Option<f64> {
    let middle = values.len() / 2;
    (!values.is_empty()).then(|| *values.select_nth_unstable_by(middle, f64::total_cmp).1)
}

#[cfg(test)]
mod tests {
    use super::median;

    #[test]
    fn half_of_the_values_lie_on_each_side() {
        assert_eq!(median(&mut [5.0, 1.0, 9.0]), Some(5.0));
        assert_eq!(median(&mut [5.0, 1.0, 9.0, 7.0]), Some(7.0));
        assert_eq!(median(&mut []), None);
    }
}
