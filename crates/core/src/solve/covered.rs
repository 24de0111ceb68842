//! Where something lies on the spot, though the subject round it is seen: a hat that goes by before a car covers one of
//! its pillars, and nobody doubts where the car is.

use std::collections::BTreeMap;
use std::ops::RangeInclusive;

use super::guides::ChosenCandidates;
use super::share::share;
use super::sightings::Sightings;
use super::task::Task;
use crate::geometry::Point;
use crate::image::{Component, FrameSource};
use crate::locate::Closeup;
use crate::time::{Frame, FrameRange};
use crate::track::Sample;

/// Frames from which a spot is compared: nearer ones show what covers it as well, in those further away it has turned.
const APART: RangeInclusive<u32> = 12..=36;
/// Fewer of them say nothing.
const LEAST: usize = 6;
/// So many frames in a row: a single one may be smeared.
const IN_A_ROW: u32 = 2;

/// Takes away the places that are known roughly, and look there like the spot on none of the frames around.
pub(super) fn leave_out<S>(
    sources: &mut [S],
    task: Task<'_>,
    (path, sightings): (&ChosenCandidates, &Sightings),
    rough: &mut BTreeMap<Frame, Sample>,
) -> Result<(), S::Error>
where
    S: FrameSource,
{
    let pattern = f64::from(task.pin.pattern[0].min(task.pin.pattern[1]));
    let places = places(task, path, rough).into_iter().filter(|(frame, _)| near(rough, *frame).next().is_some());
    let look = |source: &mut S, (frame, at): (Frame, Point)| {
        let side = pattern * sightings.get(frame).map_or(1.0, |sighting| sighting.scale);
        let window = source.window(frame, Closeup::rect(at, side), Component::Luma)?;
        Ok((frame, Closeup::new(&window, at, side)))
    };
    let closeups: BTreeMap<Frame, Closeup> = share(sources, places.collect(), look)?.into_iter().collect();
    let covered = rough.keys().copied().filter(|frame| is_covered(&closeups, *frame));
    for run in FrameRange::runs(covered).into_iter().filter(|run| run.count() >= IN_A_ROW) {
        rough.retain(|frame, _| !run.contains(*frame));
    }
    Ok(())
}

/// Where it is on all frames on which that is known, those beside the range among them.
fn places(task: Task<'_>, path: &ChosenCandidates, rough: &BTreeMap<Frame, Sample>) -> BTreeMap<Frame, Point> {
    let beside = task.track.iter().filter(|(frame, _)| !task.range.contains(*frame));
    let beside = beside.filter(|(_, sample)| sample.state.is_present()).map(|(frame, sample)| (frame, sample.at));
    let exact = path.iter().map(|(frame, find)| (*frame, find.at()));
    let rough = rough.iter().map(|(frame, sample)| (*frame, sample.at));
    let guides = task.guides.all().iter().map(|guide| (guide.frame, guide.at));
    beside.chain(exact).chain(rough).chain(guides).collect()
}

/// What is known of the frames round one that it can be compared with, or is one itself.
fn near<T>(all: &BTreeMap<Frame, T>, frame: Frame) -> impl Iterator<Item = (u32, &T)> {
    let most = *APART.end();
    let range = Frame(frame.0.saturating_sub(most))..=Frame(frame.0 + most);
    all.range(range).map(move |(other, value)| (other.0.abs_diff(frame.0), value))
}

fn is_covered(closeups: &BTreeMap<Frame, Closeup>, frame: Frame) -> bool {
    let others: Vec<&Closeup> =
        near(closeups, frame).filter(|(apart, _)| APART.contains(apart)).map(|(_, closeup)| closeup).collect();
    others.len() >= LEAST && closeups.get(&frame).is_some_and(|own| !others.iter().any(|other| own.is_like(other)))
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::*;
    use crate::geometry::Size;
    use crate::image::{Plane, PlaneStack};
    use crate::pin::Pin;
    use crate::solve::guides::Guides;
    use crate::track::Track;

    const SIZE: Size = Size::new(200, 80);
    const COVERED: std::ops::Range<u32> = 40..48;
    const SMEARED: u32 = 62;

    fn place(n: u32) -> Point {
        Point::new(40.0 + f64::from(n), 40.0)
    }

    fn chance(a: f64, b: f64) -> f64 {
        ((a * 12.9898 + b * 78.233).sin() * 43_758.545).fract().abs()
    }

    /// A card that goes by, with its spot in the middle: seen, under a rod that goes along with it, and smeared.
    fn film() -> PlaneStack {
        let plane = |n: u32| {
            let at = place(n);
            Plane::from_fn(SIZE, |col, row| {
                let (x, y) = (f64::from(col) + 0.5 - at.x, f64::from(row) + 0.5 - at.y);
                let is_rod = COVERED.contains(&n) && x.abs() < 9.0;
                let value = match () {
                    () if is_rod => 2.0 * chance((x / 2.0).floor() + f64::from(n), (y / 2.0).floor()) - 1.0,
                    () if n == SMEARED => (y / 3.1).cos(),
                    () => (x / 2.0).sin() + (y / 3.1 + x / 5.0).cos(),
                };
                (120.0 + 30.0 * value) as u8
            })
        };
        PlaneStack::new((0..90).map(plane).collect()).unwrap()
    }

    #[test]
    fn what_lies_on_the_spot_hides_it_and_a_smeared_frame_does_not() {
        let pin = Pin::new(Uuid::nil(), Frame(5), place(5), [21, 21], [40, 40]);
        let (track, range) = (Track::default(), FrameRange { first: Frame(0), last: Frame(89) });
        let guides = Guides::of(&pin, &track);
        let task = Task { pin: &pin, size: SIZE, track: &track, guides: &guides, range };
        let sightings = Sightings { all: BTreeMap::new(), side: 40.0 };
        let all = (0..90).filter(|n| *n != 5).map(|n| (Frame(n), Sample::rough(place(n), 0.9, 1.0)));
        let mut rough: BTreeMap<Frame, Sample> = all.collect();
        let path = ChosenCandidates::default();
        leave_out(&mut [film()], task, (&path, &sightings), &mut rough).unwrap();
        let left_out: Vec<u32> = (0..90).filter(|n| *n != 5 && !rough.contains_key(&Frame(*n))).collect();
        assert_eq!(left_out, COVERED.collect::<Vec<u32>>());
    }

    #[test]
    fn a_range_that_is_solved_again_is_compared_with_what_lies_beside_it() {
        let pin = Pin::new(Uuid::nil(), Frame(5), place(5), [21, 21], [40, 40]);
        let sample = |n: u32| (Frame(n), Sample::rough(place(n), 0.9, 1.0));
        let range = FrameRange { first: Frame(COVERED.start), last: Frame(COVERED.end + 3) };
        let track: Track = (0..90).map(sample).collect();
        let guides = Guides::of(&pin, &track);
        let task = Task { pin: &pin, size: SIZE, track: &track, guides: &guides, range };
        let mut rough: BTreeMap<Frame, Sample> = range.frames().map(|frame| sample(frame.0)).collect();
        let sightings = Sightings { all: BTreeMap::new(), side: 40.0 };
        leave_out(&mut [film()], task, (&ChosenCandidates::default(), &sightings), &mut rough).unwrap();
        assert_eq!(
            rough.keys().map(|frame| frame.0).collect::<Vec<u32>>(),
            (COVERED.end..=range.last.0).collect::<Vec<u32>>()
        );
    }

    #[test]
    fn few_frames_say_nothing() {
        let closeups = |count: u32| -> BTreeMap<Frame, Closeup> {
            let mut film = film();
            let mut look = |n: u32| {
                let window = film.window(Frame(n), Closeup::rect(place(n), 21.0), Component::Luma).unwrap();
                (Frame(n), Closeup::new(&window, place(n), 21.0))
            };
            (14..14 + count).chain([COVERED.start]).map(&mut look).collect()
        };
        assert!(is_covered(&closeups(LEAST as u32), Frame(COVERED.start)));
        assert!(!is_covered(&closeups(LEAST as u32 - 1), Frame(COVERED.start)));
    }
}
