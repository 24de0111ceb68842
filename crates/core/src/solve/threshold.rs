//! The match below which a place is not believed: of this pin on this shot, out of how alike the spot is to itself on
//! other frames, and how alike to it is what lies around.

use super::guides::Guide;
use super::sightings::Sightings;
use super::task::Task;
use super::watch::Halt;
use crate::geometry::{LocalWarp, Point};
use crate::image::FrameSource;
use crate::look::{FrameMatcher, Target};
use crate::pin::Pin;

/// Frames that are looked at, spread over the range.
const FRAMES: usize = 16;
/// Likeness of the subject on a frame that says something.
const PLAIN: f64 = 0.8;
/// Share of the other places that have to be below.
const MOST_OTHERS: f64 = 0.9;
/// Frames fewer than this say nothing.
const LEAST_FRAMES: usize = 4;
/// It is between these: below, what is covered by half still matches; above, noise alone makes it miss.
const LOWEST: f64 = 0.75;
const HIGHEST: f64 = 0.9;

/// Half way between how well the spot usually matches and how well other places do; [`Pin::STOP_BELOW`] where nothing
/// is known.
pub(super) fn threshold<S: FrameSource>(
    source: &mut S,
    task: Task<'_>,
    guide: &Guide,
    sightings: &Sightings,
) -> Result<f64, Halt<S::Error>> {
    let target = Target::pick(source, guide.frame, guide.map(), task.pin).map_err(Halt::Source)?;
    let mut target = target.ok_or(Halt::Flat(guide.frame))?;
    let matcher = FrameMatcher::new(task.pin, task.size);
    let plain: Vec<_> =
        sightings.iter().filter(|sighting| sighting.seen && sighting.likeness > PLAIN).copied().collect();
    let (mut itself, mut others) = (Vec::new(), Vec::new());
    for sighting in plain.iter().step_by(plain.len().div_ceil(FRAMES).max(1)) {
        let searcher = target.searcher(Default::default(), LocalWarp::SAME);
        let area = searcher.area(sighting.at, matcher.reach(1.0));
        let windows = source.windows(sighting.frame, area, task.pin.channel.components()).map_err(Halt::Source)?;
        let candidates = searcher.find(&windows);
        let is_it = |at: Point| at.distance(sighting.at) < sightings.reach(sighting);
        let best = |own: bool| {
            let of_kind = candidates.iter().filter(|candidate| is_it(candidate.centre) == own);
            of_kind.map(|candidate| f64::from(candidate.score)).fold(0.0, f64::max)
        };
        itself.push(best(true));
        others.push(best(false));
    }
    Ok(between(itself, others))
}

fn between(mut itself: Vec<f64>, mut others: Vec<f64>) -> f64 {
    if itself.len() < LEAST_FRAMES {
        return Pin::STOP_BELOW;
    }
    itself.sort_by(f64::total_cmp);
    others.sort_by(f64::total_cmp);
    let usual = itself[itself.len() / 2];
    let other = others[(MOST_OTHERS * (others.len() - 1) as f64).round() as usize];
    ((usual + other) / 2.0).clamp(LOWEST, HIGHEST)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_lies_between_the_spot_and_its_look_alikes() {
        let row = |windows: f64| between(vec![0.98; 9], vec![windows; 9]);
        assert_eq!(row(0.3), LOWEST, "nothing is like it");
        assert!((row(0.7) - 0.84).abs() < 1e-9);
        assert_eq!(row(0.97), HIGHEST, "a window in a row of windows");
        assert_eq!(between(vec![0.98; 3], vec![0.2; 3]), Pin::STOP_BELOW, "too few frames to say");
    }
}
