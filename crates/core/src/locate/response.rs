//! What a filter's response says: where its maxima are.

use crate::geometry::Point;
use jampin_spectrum::SIDE;

/// Maxima of a response that are kept, how far each rules, and how far from where it was looked they count, in cells.
const MOST_PEAKS: usize = 6;
const PEAK_REACH: i32 = 3;
const FARTHEST: i32 = 26;

/// The largest maxima of a response: where, in cells from the middle, and how much.
pub(super) fn peaks(response: &[f32]) -> Vec<(Point, f32)> {
    let side = SIDE as i32;
    let value = |x: i32, y: i32| response[(y.rem_euclid(side) * side + x.rem_euclid(side)) as usize];
    let mut found: Vec<(i32, i32, f32)> = Vec::new();
    for y in -FARTHEST..=FARTHEST {
        for x in -FARTHEST..=FARTHEST {
            let this = value(x, y);
            // Most are beaten by one of these already.
            let beside = [(1, 0), (-1, 0), (0, 1), (0, -1)];
            if this <= 0.0 || beside.into_iter().any(|(dx, dy)| value(x + dx, y + dy) > this) {
                continue;
            }
            let near = (-PEAK_REACH..=PEAK_REACH).flat_map(|dy| (-PEAK_REACH..=PEAK_REACH).map(move |dx| (dx, dy)));
            let beaten = near.filter(|d| *d != (0, 0)).any(|(dx, dy)| value(x + dx, y + dy) > this);
            if !beaten {
                found.push((x, y, this));
            }
        }
    }
    found.sort_by(|a, b| b.2.total_cmp(&a.2));
    found.truncate(MOST_PEAKS);
    let fraction = |before: f32, this: f32, after: f32| {
        let bend = before + after - 2.0 * this;
        if bend < -1e-9 { f64::from(0.5 * (before - after) / bend).clamp(-0.5, 0.5) } else { 0.0 }
    };
    let place = |(x, y, this): (i32, i32, f32)| {
        let dx = fraction(value(x - 1, y), this, value(x + 1, y));
        let dy = fraction(value(x, y - 1), this, value(x, y + 1));
        (Point::new(f64::from(x) + dx, f64::from(y) + dy), this)
    };
    found.into_iter().map(place).collect()
}

/// The most that responds about where it was looked.
pub(super) fn near_middle(response: &[f32]) -> f32 {
    let side = SIDE as i32;
    let near = (-3..=3).flat_map(|y| (-3..=3).map(move |x| (x, y)));
    near.map(|(x, y): (i32, i32)| response[(y.rem_euclid(side) * side + x.rem_euclid(side)) as usize])
        .fold(0.0, f32::max)
}

/// Share of a normal distribution below so many deviations: Abramowitz & Stegun 1964, 7.1.26.
pub(super) fn normal(deviations: f64) -> f64 {
    let x = deviations.abs() / 2f64.sqrt();
    let t = 1.0 / (1.0 + 0.327_591_1 * x);
    let poly =
        t * (0.254_829_592 + t * (-0.284_496_736 + t * (1.421_413_741 + t * (-1.453_152_027 + t * 1.061_405_429))));
    let erf = 1.0 - poly * (-x * x).exp();
    if deviations > 0.0 { 0.5 * (1.0 + erf) } else { 0.5 * (1.0 - erf) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_peak_is_found_between_cells_and_on_both_sides_of_the_origin() {
        let peak = |x: f64, y: f64| (-((x - 3.3).powi(2) + (y + 4.6).powi(2)) / 4.0).exp() as f32;
        let wrapped = |i: usize| if i < SIDE / 2 { i as f64 } else { i as f64 - SIDE as f64 };
        let response: Vec<f32> = (0..SIDE * SIDE).map(|i| peak(wrapped(i % SIDE), wrapped(i / SIDE))).collect();
        let (at, height) = peaks(&response)[0];
        assert!(at.distance(Point::new(3.3, -4.6)) < 0.1, "{at:?}");
        assert!((height - 1.0).abs() < 0.1);
        assert!((f64::from(near_middle(&response)) - f64::from(peak(3.0, -3.0))).abs() < 1e-6);
    }

    #[test]
    fn the_normal_distribution_is_as_tabulated() {
        // Abramowitz & Stegun 1964, table 26.1.
        for (deviations, share) in [(0.0, 0.5), (1.0, 0.841_345), (-1.0, 0.158_655), (1.96, 0.975_002)] {
            assert!((normal(deviations) - share).abs() < 1e-5, "{deviations}");
        }
    }
}
