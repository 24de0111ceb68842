//! Fewer points: only those that straight pieces need to stay within a tolerance.

use crate::geometry::Point;

/// Indices of the places that are kept: straight pieces between them, run through at even pace, stay within `tolerance`
/// of every place on its own frame. The first and the last are kept, and those marked in `fixed`, which is as long as
/// `places`.
///
/// # Source
/// U. Ramer, "An iterative procedure for the polygonal approximation of plane curves", 1972; D. H. Douglas and T. K.
/// Peucker, "Algorithms for the reduction of the number of points required to represent a digitized line", 1973.
/// Distances are taken at equal frames instead of to the line, because a keyframed path has to be at the right place at
/// the right time.
pub fn reduce(places: &[Point], fixed: &[bool], tolerance: f64) -> Vec<usize> {
    assert_eq!(places.len(), fixed.len(), "one mark a place");
    let mut kept: Vec<bool> = fixed.to_vec();
    let Some(last) = places.len().checked_sub(1) else { return Vec::new() };
    (kept[0], kept[last]) = (true, true);
    let ends: Vec<usize> = (0..=last).filter(|&i| kept[i]).collect();
    let mut pieces: Vec<(usize, usize)> = ends.windows(2).map(|pair| (pair[0], pair[1])).collect();
    while let Some((from, to)) = pieces.pop() {
        let distance = |i: usize| {
            let share = (i - from) as f64 / (to - from) as f64;
            places[i].distance(places[from] + (places[to] - places[from]) * share)
        };
        let worst = (from + 1..to).max_by(|&a, &b| distance(a).total_cmp(&distance(b)));
        if let Some(worst) = worst.filter(|&worst| distance(worst) > tolerance) {
            kept[worst] = true;
            pieces.extend([(from, worst), (worst, to)]);
        }
    }
    (0..=last).filter(|&i| kept[i]).collect()
}
