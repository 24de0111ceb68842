//! How well a spot can be followed, and the pattern and search sizes that suit it.

use serde::{Deserialize, Serialize};

use super::Searcher;
use crate::geometry::{PixelRect, Point, Size};
use crate::image::{Component, FrameSource, NOISE_GAIN, PatchSamples, SmoothPatch, Window};
use crate::time::Frame;

/// Half the side of the neighbourhood that a pattern is chosen from, and good spots are looked for in, in pixels.
pub const NEIGHBOURHOOD: f64 = 40.0;
/// Pattern sides tried, smallest first, in pixels. Odd, so that the pin sits on a sample. Below 21 a pattern may be
/// sharp enough to be placed, but there are look-alikes of it everywhere.
const PATTERN_SIDES: [usize; 5] = [21, 27, 31, 41, 51];
/// The pattern grows until its predicted error is below this, in pixels.
const WANTED_ERROR: f64 = 0.03;
/// Above this predicted error even the largest pattern is called too flat to follow, in pixels.
const POOR_ERROR: f64 = 0.25;
/// When the pattern holds along one direction this many times worse than across it, it is only an edge.
const EDGE_RATIO: f64 = 6.0;
/// Noise assumed in the picture, in grey levels: common practice for a camera at its base sensitivity.
const ASSUMED_NOISE: f64 = 2.0;

/// Why a spot will not track well.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum SpotProblem {
    /// Hardly any contrast: nothing to hold on to.
    Flat,
    /// A straight edge: it slides along itself.
    EdgeOnly,
    /// The same can be seen nearby: it may jump there.
    Repeats,
}

/// A pattern size for a spot, and how well the spot can be followed.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct PatternChoice {
    /// Side of the square pattern, in pixels.
    pub side: u32,
    /// Predicted error in the worse direction, in pixels, for common grain.
    pub predicted_error: f64,
    /// What is wrong with the spot, if anything.
    pub problem: Option<SpotProblem>,
}

/// Chooses the smallest pattern about `centre` that can be placed well.
///
/// The predicted error is the Cramér-Rao bound of a shift between two noisy patches (Robinson & Milanfar 2004):
/// `sqrt(2) * noise / sqrt(smaller eigenvalue of the summed gradient products)`, the corner measure of Shi & Tomasi
/// (1994) in pixels.
pub fn choose_pattern(window: &Window, centre: Point) -> PatternChoice {
    let mut choice = None;
    for side in PATTERN_SIDES {
        let found = judge(window, centre, side);
        choice = Some(found);
        if found.problem.is_none() && found.predicted_error <= WANTED_ERROR {
            break;
        }
    }
    choice.expect("there is at least one pattern side")
}

fn judge(window: &Window, centre: Point, side: usize) -> PatternChoice {
    let half = side as f64 / 2.0;
    let mut patch = SmoothPatch::default();
    patch.load(window, PixelRect::around(centre, half, half));
    let mut samples = PatchSamples::default();
    patch.sample(centre, side, side, &mut samples);
    let (mut xx, mut xy, mut yy) = (0f64, 0f64, 0f64);
    for (&dx, &dy) in samples.dx.iter().zip(&samples.dy) {
        let (dx, dy) = (f64::from(dx), f64::from(dy));
        (xx, xy, yy) = (xx + dx * dx, xy + dx * dy, yy + dy * dy);
    }
    let (mean, spread) = ((xx + yy) / 2.0, ((xx - yy) / 2.0).hypot(xy));
    let (worse, better) = (predicted_error(mean - spread, side), predicted_error(mean + spread, side));
    let problem = problem_of(worse, better);
    PatternChoice { side: side as u32, predicted_error: worse, problem }
}

/// Predicted error in pixels along the direction of one eigenvalue of the summed gradient products.
pub(super) fn predicted_error(eigenvalue: f64, side: usize) -> f64 {
    // Smoothed noise has gradients of its own; what they add must not pass for structure.
    let floor = ASSUMED_NOISE.powi(2) * NOISE_GAIN * (side * side) as f64 * 0.5;
    (2f64.sqrt() * ASSUMED_NOISE / (eigenvalue - floor).max(1e-6).sqrt()).min(999.0)
}

/// What is wrong with a spot, from its predicted errors in the worse and the better direction.
pub(super) fn problem_of(worse: f64, better: f64) -> Option<SpotProblem> {
    match () {
        () if better > POOR_ERROR => Some(SpotProblem::Flat),
        () if worse > POOR_ERROR || worse > EDGE_RATIO * better && worse > 3.0 * WANTED_ERROR => {
            Some(SpotProblem::EdgeOnly)
        }
        () => None,
    }
}

/// Chooses how far to look from frame to frame, to each side, in pixels.
///
/// Measures the motion between `frame` and its neighbour with a wide search, and leaves room for twice that. Without
/// a neighbour: a fixed share of the picture.
pub fn choose_search<S: FrameSource>(
    source: &mut S,
    frame: Frame,
    neighbour: Option<Frame>,
    centre: Point,
    side: u32,
) -> Result<u32, S::Error> {
    let size = source.size();
    let Some(neighbour) = neighbour else { return Ok(default_search(size)) };
    let side = side as usize;
    let half = side as f64 / 2.0;
    let window = source.window(frame, PixelRect::around(centre, half, half), Component::Luma)?;
    let mut patch = SmoothPatch::default();
    patch.load(&window, PixelRect::around(centre, half, half));
    let mut samples = PatchSamples::default();
    patch.sample(centre, side, side, &mut samples);
    let mut searcher = Searcher::new(&[&samples.value], side, side);
    let reach = f64::from(MAX_SEARCH);
    let area = searcher.area(centre, (reach, reach));
    let found = searcher.find(&[source.window(neighbour, area, Component::Luma)?]);
    let moved = found.first().filter(|best| best.score > 0.8).map(|best| best.centre.distance(centre));
    let wanted = moved.map_or(default_search(size), |moved| (2.0 * moved + 16.0) as u32);
    Ok(wanted.clamp(MIN_SEARCH, MAX_SEARCH))
}

/// Less than this leaves no room for a sudden start, in pixels.
const MIN_SEARCH: u32 = 24;
/// More than this invites look-alikes, in pixels.
const MAX_SEARCH: u32 = 96;

fn default_search(size: Size) -> u32 {
    // A twentieth of the width a frame crosses the picture in under a second.
    (size.width / 20).clamp(MIN_SEARCH, MAX_SEARCH)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::image::{Plane, PlaneStack};

    fn judged(value: impl FnMut(u32, u32) -> u8) -> PatternChoice {
        let plane = Plane::from_fn(Size::new(120, 120), value);
        choose_pattern(&plane.window(PixelRect { left: 0, top: 0, right: 120, bottom: 120 }), Point::new(60.5, 60.5))
    }

    #[test]
    fn a_corner_is_good_and_gets_a_small_pattern() {
        let choice = judged(|col, row| if col > 60 && row > 60 { 200 } else { 60 });
        assert_eq!(choice.problem, None);
        assert_eq!(choice.side, 21, "{choice:?}");
    }

    #[test]
    fn a_wall_is_flat_and_a_rail_is_only_an_edge() {
        assert_eq!(judged(|_, _| 120).problem, Some(SpotProblem::Flat));
        assert_eq!(judged(|col, _| if col > 60 { 200 } else { 60 }).problem, Some(SpotProblem::EdgeOnly));
        assert_eq!(judged(|col, row| if col > row { 200 } else { 60 }).problem, Some(SpotProblem::EdgeOnly));
    }

    #[test]
    fn search_grows_with_the_motion_found() {
        let still = |col: u32, row: u32| {
            let (x, y) = (f64::from(col), f64::from(row));
            (120.0 + 40.0 * (x * 0.31 + (y * 0.05).sin()).sin() + 40.0 * (y * 0.23 + x * x * 0.002).cos()) as u8
        };
        let moved_by = |by: u32| {
            let plane = |shift| Plane::from_fn(Size::new(300, 200), |col, row| still(col + shift, row));
            let mut stack = PlaneStack::new(vec![plane(0), plane(by)]).unwrap();
            choose_search(&mut stack, Frame(0), Some(Frame(1)), Point::new(150.0, 100.0), 21).unwrap()
        };
        assert_eq!(moved_by(1), MIN_SEARCH);
        assert!((75..=78).contains(&moved_by(30)), "{}", moved_by(30));
    }
}
