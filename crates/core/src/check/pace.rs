//! How fast it moves, and where that changes.

use crate::geometry::Point;
use crate::path::{reduce, savitzky_golay};
use crate::time::Frame;
use crate::track::Track;

/// Frames on each side that a speed is evened out over: jitter of a tenth of a pixel must not look like a change of
/// pace.
const EVENED_OVER: usize = 4;
/// A change of pace is one of this share of the fastest pace in the shot ...
const CHANGE: f64 = 0.2;
/// ... and at least this many pixels a frame.
const LEAST_CHANGE: f64 = 0.75;

/// Speed on the frames of a run.
#[derive(Clone, Debug, PartialEq, serde::Serialize)]
pub struct PaceRun {
    /// The first frame.
    pub first: Frame,
    /// Pixels a frame, one number a frame.
    pub speeds: Vec<f64>,
}

/// Speed over time, and the frames where the pace changes.
#[derive(Clone, Debug, Default, PartialEq, serde::Serialize)]
pub struct Pace {
    /// One for each span of three frames or more.
    pub runs: Vec<PaceRun>,
    /// Where speeding up or slowing down begins or ends: good frames for a guide.
    pub changes: Vec<Frame>,
}

/// The pace of a pin.
///
/// Speeds are half the distance between the neighbours of a frame, evened out (Savitzky & Golay 1964, degree 1 where it
/// is short). Changes are the corners of the speed curve drawn with straight pieces (Ramer 1972; Douglas & Peucker
/// 1973).
pub fn pace(track: &Track) -> Pace {
    let mut pace = Pace::default();
    for span in track.spans().into_iter().filter(|span| span.count() >= 3) {
        let places: Vec<Point> = span.frames().filter_map(|frame| track.position(frame)).collect();
        pace.runs.push(PaceRun { first: span.first, speeds: speeds(&places) });
    }
    pace.find_changes();
    pace
}

/// The pace of the picture as a whole, from how far it moved since the frame before (see
/// [`crate::image::SweepFinder`]); frame 0 is the first. It is parted at cuts.
pub fn picture_pace(moved: &[f32], cuts: &[Frame]) -> Pace {
    let mut pace = Pace::default();
    let ends = cuts.iter().map(|cut| cut.0 as usize).filter(|cut| *cut < moved.len()).chain([moved.len()]);
    let mut first = 0;
    for end in ends {
        // Nothing moved into the first frame of a stretch: it has the pace of the next.
        let mut speeds: Vec<f64> = moved[first..end].iter().map(|speed| f64::from(*speed)).collect();
        if speeds.len() >= 3 {
            speeds[0] = speeds[1];
            pace.runs.push(PaceRun { first: Frame(first as u32), speeds: evened(&speeds) });
        }
        first = end;
    }
    pace.find_changes();
    pace
}

impl Pace {
    fn find_changes(&mut self) {
        let fastest = self.runs.iter().flat_map(|run| &run.speeds).fold(0.0f64, |most, speed| most.max(*speed));
        let tolerance = (fastest * CHANGE).max(LEAST_CHANGE);
        for run in &self.runs {
            let curve: Vec<Point> = run.speeds.iter().map(|speed| Point::new(0.0, *speed)).collect();
            let corners = reduce(&curve, &vec![false; curve.len()], tolerance);
            let inner = corners.iter().filter(|&&i| i > 0 && i + 1 < curve.len());
            self.changes.extend(inner.map(|&i| Frame(run.first.0 + i as u32)));
        }
    }
}

fn speeds(places: &[Point]) -> Vec<f64> {
    let last = places.len() - 1;
    let speed = |i: usize| {
        let (before, after) = (i.saturating_sub(1), (i + 1).min(last));
        places[after].distance(places[before]) / (after - before) as f64
    };
    evened(&(0..places.len()).map(speed).collect::<Vec<f64>>())
}

fn evened(speeds: &[f64]) -> Vec<f64> {
    let half = EVENED_OVER.min((speeds.len() - 1) / 2);
    savitzky_golay(speeds, half, 1).into_iter().map(|speed| speed.max(0.0)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::track::Sample;

    fn track(place: impl Fn(f64) -> f64) -> Track {
        (0..120).map(|n| (Frame(n), Sample::guide(Point::new(place(f64::from(n)), 40.0)))).collect()
    }

    #[test]
    fn even_motion_has_one_pace() {
        let pace = pace(&track(|t| 3.0 * t));
        assert!(pace.changes.is_empty());
        assert_eq!(pace.runs.len(), 1);
        assert!(pace.runs[0].speeds.iter().all(|speed| (speed - 3.0).abs() < 1e-9));
    }

    #[test]
    fn slow_fast_slow_has_changes_where_it_changes() {
        // 1 px a frame, from frame 40 speeding up to 9 on frame 60, even until 80, then slow again by 100.
        let speed =
            |t: f64| 1.0 + 8.0 * ((t - 40.0) / 20.0).clamp(0.0, 1.0) - 8.0 * ((t - 80.0) / 20.0).clamp(0.0, 1.0);
        let places: Vec<f64> = (0..120)
            .scan(0.0, |at, n| {
                *at += speed(f64::from(n));
                Some(*at)
            })
            .collect();
        let found = pace(&track(|t| places[t as usize]));
        assert_eq!(found.changes.len(), 4, "{:?}", found.changes);
        for (change, want) in found.changes.iter().zip([40i64, 60, 80, 100]) {
            assert!((i64::from(change.0) - want).abs() <= 6, "{:?}", found.changes);
        }
    }

    #[test]
    fn the_picture_is_parted_at_cuts() {
        let mut moved = vec![2.0f32; 60];
        moved[0] = 0.0;
        moved[30] = 90.0;
        let pace = picture_pace(&moved, &[Frame(30)]);
        assert_eq!(pace.runs.iter().map(|run| run.first.0).collect::<Vec<_>>(), [0, 30]);
        assert!(pace.runs.iter().flat_map(|run| &run.speeds).all(|speed| (speed - 2.0).abs() < 1e-6));
        assert!(pace.changes.is_empty());
        assert_eq!(picture_pace(&[], &[Frame(9)]), Pace::default());
    }

    #[test]
    fn gaps_part_it_and_short_spans_have_none() {
        let mut gappy = track(|t| t);
        for n in [2, 50] {
            gappy.set(Frame(n), None);
        }
        let firsts: Vec<u32> = pace(&gappy).runs.iter().map(|run| run.first.0).collect();
        assert_eq!(firsts, [3, 51]);
        assert_eq!(pace(&Track::new()), Pace::default());
    }
}
