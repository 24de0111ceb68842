//! Where the subject is, for all frames that are solved; and what that says of the places found exactly.

use std::collections::{BTreeMap, BTreeSet};

use super::guides::{ChosenCandidates, Guide};
use super::segment::Segment;
use super::share::share;
use super::sightings::Sightings;
use super::task::Task;
use super::watch::{Halt, Step, Watch};
use crate::follow::Continue;
use crate::geometry::{LocalWarp, Point};
use crate::image::FrameSource;
use crate::locate::{Known, OUT_OF_SIGHT, Side, Sighting, View, joined};
use crate::look::Candidate;
use crate::median::median;
use crate::time::{Frame, FrameRange};
use crate::track::{MotionModel, Sample};

/// Where the subject is not seen, a place that matches this well, within a box of where it should be, shows that at
/// least the spot is ...
const PLAINLY_SEEN: f64 = 0.9;
/// ... and wherever it is, when that goes on for so many frames; both before it is out of sight.
const RUN_OF_ITS_OWN: u32 = 12;
/// Where the subject is hardly seen, so does one that matches this well.
const HARDLY: f64 = 0.5;

/// Frames to each side over which both opinions are compared: one rough place alone is at the mercy of its noise.
const USUAL_WITHIN: usize = 7;
/// They disagree when they differ by more than so many of the rough one's deviations.
const DISAGREE: f64 = 1.0;

/// Goes through all segments from both of their sides.
pub(super) fn sightings<S>(
    sources: &mut [S],
    view: &View<'_>,
    task: Task<'_>,
    segments: &[Segment<'_>],
    watch: &dyn Watch,
) -> Result<Sightings, Halt<S::Error>>
where
    S: FrameSource,
{
    let known = |guide: &Guide| Known { frame: guide.frame, at: guide.at };
    let all: Vec<Known> = task.guides.all().iter().map(known).collect();
    let sides = segments.iter().enumerate();
    let sides = sides.flat_map(|(i, segment)| segment.sides().map(move |side| (i, side))).collect();
    let seen = share(sources, sides, |source, (segment, side)| {
        let mut frames = side.frames.to_vec();
        if side.backward {
            frames.reverse();
        }
        let from = known(side.guide);
        let taught: Vec<Known> = all.iter().filter(|other| other.frame != from.frame).copied().collect();
        let start = Side { from, taught: &taught };
        let hidden = |frame: Frame| task.pin.is_hidden(frame);
        let mut goes_on = || watch.step(Step::Located) == Continue::Yes;
        let found = start.sightings(source, view, &frames, &hidden, &mut goes_on).map_err(Halt::Source)?;
        let mut found = found.ok_or(Halt::Stopped)?;
        if side.backward {
            found.reverse();
        }
        Ok((segment, side.backward, found))
    })?;
    let mut ways: Vec<[Option<Vec<Sighting>>; 2]> = vec![[None, None]; segments.len()];
    for (segment, backward, found) in seen {
        ways[segment][usize::from(backward)] = Some(found);
    }
    let all = ways.into_iter().flat_map(|[left, right]| joined(left, right, view.side));
    Ok(Sightings { all: all.map(|sighting| (sighting.frame, sighting)).collect(), side: view.side })
}

/// Takes away the exact places that are not on the subject.
pub(super) fn reconcile(path: &mut ChosenCandidates, sightings: &Sightings, view: &View<'_>, task: Task<'_>) {
    // Of a pattern that the picture's edge cuts, much of what matches is the edge.
    let half = Point::new(f64::from(task.pin.pattern[0]), f64::from(task.pin.pattern[1])) * 0.5;
    let is_whole = |at: Point| view.contains(at - half) && view.contains(at + half);
    let is_plain = |find: &Candidate| find.anchored && find.matched >= PLAINLY_SEEN && is_whole(find.at());
    let plain = path.iter().filter(|(_, find)| is_plain(find)).map(|(frame, _)| *frame);
    let runs = in_sight(&FrameRange::runs(plain), &there(sightings, task));
    path.retain(|frame, find| {
        let Some(sighting) = sightings.get(*frame) else { return true };
        let off = find.at().distance(sighting.at);
        // Two weak opinions that agree are a good one.
        let agrees = sighting.likeness > 0.0 && off <= sightings.reach(sighting);
        let run = || runs.iter().find(|run| run.contains(*frame));
        let stands_alone = || run().is_some_and(|run| stands_alone(off, *run, sighting, sightings));
        match sighting.seen {
            true => agrees || is_plain(find) && sighting.likeness < HARDLY,
            false => agrees || is_plain(find) && stands_alone(),
        }
    });
}

/// Whether a spot that is plainly seen for a run of frames, so far from where its subject should be, is on it though
/// nobody sees it. A part of the scene can be nowhere else.
fn stands_alone(off: f64, run: FrameRange, sighting: &Sighting, sightings: &Sightings) -> bool {
    off <= sightings.side(sighting) || !sighting.still && run.count() >= RUN_OF_ITS_OWN
}

/// Frames on which the subject is known to be there.
fn there(sightings: &Sightings, task: Task<'_>) -> BTreeSet<Frame> {
    let seen = sightings.iter().filter(|sighting| sighting.seen).map(|sighting| sighting.frame);
    let before = task.track.iter().filter(|(frame, sample)| !task.range.contains(*frame) && sample.state.is_present());
    let guides = task.guides.all().iter().map(|guide| guide.frame);
    seen.chain(before.map(|(frame, _)| frame)).chain(guides).collect()
}

/// Those of the runs that are near frames on which the subject is there.
fn in_sight(runs: &[FrameRange], there: &BTreeSet<Frame>) -> Vec<FrameRange> {
    let back = |frame: Frame| Frame(frame.0.saturating_sub(OUT_OF_SIGHT));
    let near = |run: &&FrameRange| there.range(back(run.first)..=Frame(run.last.0 + OUT_OF_SIGHT)).next().is_some();
    runs.iter().filter(near).copied().collect()
}

/// Makes exact places as unsure as the two opinions of where the subject is differ, beyond what the rough one may be
/// off: a pattern that slides along a thing that turns is found exactly, and wrong.
pub(super) fn weigh_both(path: &mut ChosenCandidates, sightings: &Sightings) {
    let apart: Vec<(Frame, Point, f64)> = path
        .iter()
        .filter_map(|(frame, find)| {
            let sighting = sightings.get(*frame).filter(|sighting| sighting.seen)?;
            Some((*frame, find.at() - sighting.at, sighting.deviation(sightings.side(sighting))))
        })
        .collect();
    for (i, (frame, ..)) in apart.iter().enumerate() {
        let near = &apart[i.saturating_sub(USUAL_WITHIN)..(i + USUAL_WITHIN + 1).min(apart.len())];
        let middle = |of: fn(&(Frame, Point, f64)) -> f64| median(&mut near.iter().map(of).collect::<Vec<f64>>());
        let off = (middle(|(_, off, _)| off.x), middle(|(_, off, _)| off.y));
        let ((Some(x), Some(y)), Some(rough)) = (off, middle(|(.., deviation)| *deviation)) else { continue };
        // Half of the squared distance is the variance of a direction.
        let beyond = (x * x + y * y) / 2.0 - (DISAGREE * rough).powi(2);
        if let Some(find) = path.get_mut(frame).filter(|_| beyond > 0.0) {
            find.covariance = find.covariance.plus(beyond);
        }
    }
}

/// Standard deviation of where a subject with a box of this side is, in pixels: a share of it, more where it is hardly
/// seen.
/// Samples of the frames on which the subject is seen, and no exact place is known. A pin that takes more than the
/// position is as turned and grown as where it was last, or is next, known exactly.
pub(super) fn samples(task: Task<'_>, path: &ChosenCandidates, sightings: &Sightings) -> BTreeMap<Frame, Sample> {
    let rough = sightings.iter().filter(|sighting| sighting.seen && !path.contains_key(&sighting.frame));
    let sample = |sighting: &Sighting| {
        let shape = (task.pin.motion != MotionModel::Position).then(|| nearest_shape(path, sighting.frame));
        let deviation = sighting.deviation(sightings.side(sighting));
        Sample { shape, ..Sample::rough(sighting.at, sighting.likeness, deviation) }
    };
    rough.map(|sighting| (sighting.frame, sample(sighting))).collect()
}

fn nearest_shape(path: &ChosenCandidates, frame: Frame) -> LocalWarp {
    let both = [path.range(..frame).next_back(), path.range(frame..).next()];
    let nearest = both.into_iter().flatten().min_by_key(|(other, _)| other.until(frame).abs());
    nearest.map_or(LocalWarp::SAME, |(_, find)| find.map.warp())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_spot_that_is_seen_far_from_all_frames_of_its_subject_is_another() {
        let run = |first: u32, last: u32| FrameRange { first: Frame(first), last: Frame(last) };
        let runs = [run(0, 20), run(60, 75), run(99, 140), run(150, 160), run(186, 190)];
        let there = BTreeSet::from([30, 120, 210].map(Frame));
        assert_eq!(in_sight(&runs, &there), [run(0, 20), run(99, 140), run(186, 190)]);
    }

    #[test]
    fn a_part_of_the_scene_is_nowhere_else_however_long_it_looks_so() {
        let sightings = Sightings { all: BTreeMap::new(), side: 25.0 };
        let sighting = |still: bool| {
            let (frame, at, likeness, known) = (Frame(5), Point::default(), 0.0, 0.0);
            let (scale, seen, learned, cost) = (1.0, false, false, 1.0);
            Sighting { frame, at, likeness, known, scale, seen, still, learned, cost }
        };
        let run = |count: u32| FrameRange { first: Frame(0), last: Frame(count - 1) };
        let stands = |off: f64, count: u32, still: bool| stands_alone(off, run(count), &sighting(still), &sightings);
        assert!(stands(20.0, 1, true) && stands(20.0, 1, false) && stands(45.0, 12, false));
        assert!(!stands(45.0, 60, true) && !stands(45.0, 11, false));
    }
}
