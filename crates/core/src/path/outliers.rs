//! Samples that do not belong: jumps away and back.

use crate::geometry::Point;

/// Turns a median absolute deviation into the standard deviation of a normal distribution (Hampel 1974).
const MAD_TO_DEVIATION: f64 = 1.4826;
/// Samples on each side that foretell a place. Of five, one may be wrong itself: so jumps of two frames are seen;
/// longer ones are somewhere else rather than a slip.
const FORETOLD_BY: usize = 5;

/// Marks values further than `sigmas` robust standard deviations from the median of the values at most `half` away.
///
/// Near the ends the window is cut off. A window of equal values has no deviation: then whatever differs is marked.
/// # Source
/// F. R. Hampel, "The influence curve and its role in robust estimation", JASA 69, 1974; as a filter: R. K. Pearson,
/// "Outliers in process modeling and identification", IEEE Trans. Control Systems Technology 10(1), 2002.
pub fn hampel(values: &[f64], half: usize, sigmas: f64) -> Vec<bool> {
    let mut near: Vec<f64> = Vec::with_capacity(2 * half + 1);
    (0..values.len())
        .map(|i| {
            near.clear();
            near.extend_from_slice(&values[i.saturating_sub(half)..(i + half + 1).min(values.len())]);
            let centre = median(&mut near);
            near.iter_mut().for_each(|value| *value = (*value - centre).abs());
            (values[i] - centre).abs() > sigmas * MAD_TO_DEVIATION * median(&mut near)
        })
        .collect()
}

/// The middle value; of an even number the mean of the two in the middle.
fn median(values: &mut [f64]) -> f64 {
    values.sort_by(f64::total_cmp);
    let middle = values.len() / 2;
    if values.len() % 2 == 1 { values[middle] } else { 0.5 * (values[middle - 1] + values[middle]) }
}

/// Marks places that neither the course before nor the course after leads to: those further off than `least` and than
/// `sigmas` robust deviations of such misses nearby.
///
/// A sudden stop or turn is on the course of one of its sides, so it is never marked.
pub(super) fn jumps(places: &[Point], half: usize, sigmas: f64, least: f64) -> Vec<bool> {
    let misses: Vec<f64> = (0..places.len()).map(|i| miss(places, i)).collect();
    let unusual = hampel(&misses, half, sigmas);
    misses.iter().zip(unusual).map(|(miss, unusual)| unusual && *miss > least).collect()
}

/// By how much a place is missed by the course before and by the course after, whichever comes nearer.
fn miss(places: &[Point], i: usize) -> f64 {
    let before: Vec<Point> = (1..=FORETOLD_BY).map_while(|n| places.get(i.checked_sub(n)?).copied()).collect();
    let after: Vec<Point> = (1..=FORETOLD_BY).map_while(|n| places.get(i + n).copied()).collect();
    let misses = [before, after].map(|course| foretold(&course).map(|at| at.distance(places[i])));
    match misses {
        [Some(one), Some(other)] => one.min(other),
        // At an end there is one course only, which a turn would break too: nothing is said there.
        _ => 0.0,
    }
}

/// Where the line through places 1, 2, 3 ... frames away leads to at 0: the median of the slopes between all of them,
/// then of where lines of that slope through each of them lead.
///
/// # Source
/// P. K. Sen, "Estimates of the regression coefficient based on Kendall's tau", JASA 63, 1968 (after H. Theil, 1950).
fn foretold(course: &[Point]) -> Option<Point> {
    let axis = |of: fn(&Point) -> f64| {
        let values: Vec<f64> = course.iter().map(of).collect();
        let later = |i: usize| i + 1..values.len();
        let mut slopes: Vec<f64> = (0..values.len())
            .flat_map(|i| later(i).map(move |j| (i, j)))
            .map(|(i, j)| (values[j] - values[i]) / (j - i) as f64)
            .collect();
        let slope = median(&mut slopes);
        let mut ends: Vec<f64> = values.iter().enumerate().map(|(i, value)| value - slope * (i + 1) as f64).collect();
        median(&mut ends)
    };
    (course.len() >= 2).then(|| Point::new(axis(|at| at.x), axis(|at| at.y)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn jumps_are_marked_and_corners_are_not() {
        // Runs at 5 px a frame, stops dead on frame 20; jumps away on 8, and for two frames on 30.
        let mut places: Vec<Point> = (0..45).map(|n| Point::new(5.0 * f64::from(n.min(20)), 7.0)).collect();
        places.iter_mut().enumerate().for_each(|(n, at)| at.y += 0.05 * ((n * n) as f64).sin());
        places[8].y += 6.0;
        places[30].x += 4.0;
        places[31].x += 5.0;
        let marked: Vec<usize> =
            jumps(&places, 9, 4.0, 0.5).iter().enumerate().filter(|(_, jump)| **jump).map(|(n, _)| n).collect();
        assert_eq!(marked, [8, 30, 31]);
    }

    #[test]
    fn a_course_leads_on_in_a_line() {
        let course = [Point::new(8.0, 1.0), Point::new(6.0, 1.5), Point::new(4.0, 2.0)];
        assert!(foretold(&course).unwrap().distance(Point::new(10.0, 0.5)) < 1e-12);
        assert_eq!(foretold(&course[..1]), None);
    }
}
