//! Good features: the spots of a picture, or of a neighbourhood, that would track well, and what is wrong with the
//! others.

use serde::{Deserialize, Serialize};

use super::corners::CornerMap;
use super::features::{SpotProblem, predicted_error, problem_of};
use super::{Searcher, choose_pattern};
use crate::geometry::{PixelRect, Point};
use crate::image::{PatchSamples, SmoothPatch, Window};

/// How far round a spot look-alikes count, in pixels: about as far as a usual search area reaches.
const NEARBY: f64 = 48.0;
/// A place that matches this well besides the spot itself is a look-alike.
const LOOK_ALIKE: f32 = 0.9;
/// Within this share of the pattern's side a second peak is still the spot's own slope.
const OWN_SLOPE: f64 = 0.35;
/// Candidates that are examined for each spot that is wanted: some turn out to repeat themselves.
const EXAMINED_PER_SPOT: usize = 2;

/// A spot with how well it can be followed.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Spot {
    /// The centre of its pattern.
    pub at: Point,
    /// Side of the square pattern that suits it, in pixels.
    pub side: u32,
    /// Predicted error in the worse direction, in pixels, for common grain.
    pub predicted_error: f64,
    /// What is wrong with it, if anything.
    pub problem: Option<SpotProblem>,
}

/// The strongest spots inside `inner`, best first, at most `most` of them and at least `apart` pixels from one another.
/// The window should reach [`margin`] further than `inner`, so that look-alikes outside of it are seen.
pub fn good_spots(window: &Window, inner: PixelRect, side: u32, apart: u32, most: usize) -> Vec<Spot> {
    let map = CornerMap::new(window, side as usize);
    let inside = |at: Point| {
        let (x, y) = (at.x.floor() as i32, at.y.floor() as i32);
        (inner.left..inner.right).contains(&x) && (inner.top..inner.bottom).contains(&y)
    };
    let peaks = map.peaks(apart as usize);
    let candidates = peaks.into_iter().filter(|peak| inside(map.place(*peak))).take(most * EXAMINED_PER_SPOT);
    let mut spots: Vec<Spot> = candidates
        .map(|peak| {
            let [smaller, larger] = [map.smaller[peak], map.larger[peak]].map(f64::from);
            let (worse, better) = (predicted_error(smaller, side as usize), predicted_error(larger, side as usize));
            let at = map.place(peak);
            let problem = problem_of(worse, better).or_else(|| repeats(window, at, side));
            Spot { at, side, predicted_error: worse, problem }
        })
        .collect();
    // Good ones first, each group in order of strength.
    spots.sort_by_key(|spot| spot.problem.is_some());
    spots.truncate(most);
    spots
}

/// How far a window has to reach beyond the places that are judged, in pixels.
pub fn margin(side: u32) -> f64 {
    NEARBY + f64::from(side)
}

/// Judges one place, with the pattern that suits it.
pub fn judge_spot(window: &Window, at: Point) -> Spot {
    let choice = choose_pattern(window, at);
    let problem = choice.problem.or_else(|| repeats(window, at, choice.side));
    Spot { at, side: choice.side, predicted_error: choice.predicted_error, problem }
}

/// Whether the same can be seen nearby.
fn repeats(window: &Window, at: Point, side: u32) -> Option<SpotProblem> {
    let cols = side as usize;
    let half = f64::from(side) / 2.0;
    let mut patch = SmoothPatch::default();
    patch.load(window, PixelRect::around(at, half, half));
    let mut samples = PatchSamples::default();
    patch.sample(at, cols, cols, &mut samples);
    let mut searcher = Searcher::new(&[&samples.value], cols, cols);
    let area = window.part(searcher.area(at, (NEARBY, NEARBY)));
    let own_slope = f64::from(side) * OWN_SLOPE;
    let others = searcher.find(&[area]).into_iter().filter(|found| found.centre.distance(at) > own_slope);
    others.map(|found| found.score).any(|score| score > LOOK_ALIKE).then_some(SpotProblem::Repeats)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::image::Plane;

    const WHOLE: PixelRect = PixelRect { left: 0, top: 0, right: 240, bottom: 200 };

    fn window(value: impl FnMut(u32, u32) -> u8) -> Window {
        Plane::from_fn(Size::new(240, 200), value).window(WHOLE)
    }

    fn grainy(col: u32, row: u32) -> u32 {
        100 + (col.wrapping_mul(7919) ^ row.wrapping_mul(104_729)).wrapping_mul(2_654_435_761) % 5
    }

    #[test]
    fn a_sign_on_a_wall_is_found_and_is_good() {
        let sign = |col: u32, row: u32| (120..140).contains(&col) && (90..105).contains(&row);
        let window = window(|col, row| (grainy(col, row) + 90 * u32::from(sign(col, row))) as u8);
        let spots = good_spots(&window, WHOLE, 21, 12, 8);
        assert!(spots[0].at.distance(Point::new(130.0, 97.0)) < 16.0, "{spots:?}");
        assert_eq!(spots[0].problem, None);
        // The bare wall is called flat, and comes last.
        assert!(
            spots
                .iter()
                .filter(|spot| spot.at.distance(Point::new(130.0, 97.0)) > 40.0)
                .all(|s| s.problem == Some(SpotProblem::Flat))
        );
    }

    #[test]
    fn a_row_of_equal_windows_repeats_itself() {
        let pane = |col: u32, row: u32| (6..22).contains(&(col % 34)) && (8..30).contains(&(row % 40));
        let window = window(|col, row| (grainy(col, row) + 80 * u32::from(pane(col, row))) as u8);
        let inner = PixelRect { left: 90, top: 70, right: 150, bottom: 130 };
        let spots = good_spots(&window, inner, 21, 10, 5);
        assert!(!spots.is_empty() && spots.iter().all(|spot| spot.problem == Some(SpotProblem::Repeats)), "{spots:?}");
        assert!(spots.iter().all(|spot| (90.0..150.0).contains(&spot.at.x) && (70.0..130.0).contains(&spot.at.y)));
        assert_eq!(judge_spot(&window, Point::new(108.5, 88.5)).problem, Some(SpotProblem::Repeats));
    }

    #[test]
    fn a_rail_is_only_an_edge() {
        let window = window(|col, row| (grainy(col, row) + 90 * u32::from(row > 100)) as u8);
        let spot = judge_spot(&window, Point::new(120.5, 100.5));
        assert_eq!(spot.problem, Some(SpotProblem::EdgeOnly));
        assert!(spot.predicted_error > 0.0);
    }
}
