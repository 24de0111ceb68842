//! A face over a whole shot.

use std::collections::BTreeMap;
use std::ops::ControlFlow;

use super::anchor::Anchor;
use super::chain::Chain;
use super::model::{least_that_explains, richest_fixed, steadied};
use super::outline::Outline;
use super::place::Place;
use super::search::not_looked_at;
use super::subject::Subject;
use super::task::{AreaEnd, AreaSolution, AreaTask, AreaWatch, Halt};
use crate::geometry::Homography;
use crate::image::{AnySource, FrameSource, Lost, with_any};
use crate::locate::Film;
use crate::time::{Frame, FrameRange};
use crate::track::{MotionModel, SampleState};

type Places = BTreeMap<Frame, Place>;

/// Follows a face through a part of a film, which holds the frame on which it was outlined.
///
/// The first time with as much of the motion as the face fixes. If less explains what was seen, once more with that,
/// from where it was.
pub fn solve_area<S: FrameSource>(
    source: &mut S,
    film: Film<'_>,
    task: &AreaTask,
    watch: &mut dyn AreaWatch,
) -> Result<AreaEnd, S::Error> {
    with_any(source, |source| solved(source, film, task, watch))
}

/// Of one type, so that it is compiled here.
fn solved(
    source: &mut AnySource<'_>,
    film: Film<'_>,
    task: &AreaTask,
    watch: &mut dyn AreaWatch,
) -> Result<AreaEnd, Lost> {
    let task = &task.within(film.filmed(source.size()), source.size());
    let Some(home) = Anchor::home(source, task)? else { return Ok(AreaEnd::Flat) };
    let Some(richest) = richest_fixed(source, &home.face, task.frame)? else { return Ok(AreaEnd::Flat) };
    let most = task.motion.map_or(richest, |asked| asked.min(richest));
    let Some(subject) = Subject::find(source, film, task, &mut || watch.located().is_continue())? else {
        return Ok(AreaEnd::Stopped);
    };
    let mut walk = Walk { source, task, part: film.part, subject: &subject, watch, motion: most, known: Places::new() };
    let solved = walk.whole(&home).and_then(|places| {
        if task.motion.is_some() {
            return Ok(AreaSolution { places, motion: most });
        }
        let motion = least_that_explains(&places, most, &task.outline);
        let places = if motion == most { places } else { walk.again(motion, places, &home)? };
        Ok(AreaSolution { places: steadied(places, &task.outline, home.face.noise), motion })
    });
    match solved {
        Ok(solution) => Ok(AreaEnd::Solved(solution)),
        Err(Halt::Stopped) => Ok(AreaEnd::Stopped),
        Err(Halt::Source(error)) => Err(error),
    }
}

/// A frame on which something begins anew.
struct Stop {
    frame: Frame,
    /// Where a person has put it.
    guide: Option<Homography>,
    /// The outline that counts from there on, in that picture.
    outline: Option<Outline>,
}

/// Once through the shot.
struct Walk<'a, S> {
    source: &'a mut S,
    task: &'a AreaTask,
    part: FrameRange,
    subject: &'a Subject,
    watch: &'a mut dyn AreaWatch,
    motion: MotionModel,
    /// Where it was the time before.
    known: Places,
}

impl<S: FrameSource> Walk<'_, S> {
    fn whole(&mut self, home: &Anchor) -> Result<Places, Halt<S::Error>> {
        let frames = self.task.guides.keys().chain(self.task.moved.keys());
        let mut frames: Vec<Frame> = frames.copied().filter(|frame| self.part.contains(*frame)).collect();
        frames.sort_unstable();
        frames.dedup();
        let stop = |frame: &Frame| Stop {
            frame: *frame,
            guide: self.task.guides.get(frame).copied(),
            outline: self.task.moved.get(frame).cloned(),
        };
        let after: Vec<Stop> = frames.iter().filter(|frame| **frame > home.frame).map(stop).collect();
        let before: Vec<Stop> = frames.iter().rev().filter(|frame| **frame < home.frame).map(stop).collect();
        let mut places = Places::from([(home.frame, Place::set(home.map, home.face.centre))]);
        self.away(home, after, self.part.last, &mut places)?;
        self.away(home, before, self.part.first, &mut places)?;
        Ok(places)
    }

    /// With another motion, from where it was found.
    fn again(&mut self, motion: MotionModel, found: Places, home: &Anchor) -> Result<Places, Halt<S::Error>> {
        (self.motion, self.known) = (motion, found);
        self.whole(home)
    }

    /// From the frame on which it was outlined one way to the end, by way of all stops.
    fn away(&mut self, home: &Anchor, stops: Vec<Stop>, end: Frame, places: &mut Places) -> Result<(), Halt<S::Error>> {
        let (mut outline, mut picked): (Outline, Option<Anchor>) = (self.task.outline.clone(), None);
        for stop in stops {
            let last = picked.as_ref().unwrap_or(home);
            let map = match stop.guide {
                Some(map) => {
                    places.extend(self.between(last, (stop.frame, map), &outline)?);
                    places.insert(stop.frame, Place::set(map, home.face.centre));
                    map
                }
                None => {
                    places.extend(self.follow(last, &beyond(last.frame, stop.frame))?);
                    // Where it is not seen, no other part of it can be picked.
                    let seen = places.get(&stop.frame).filter(|place| place.is_exact());
                    let Some(place) = seen else { continue };
                    place.map
                }
            };
            let drawn = stop.outline.as_ref().and_then(|drawn| Some(drawn.seen_through(&map.inverse()?)));
            let wanted = drawn.unwrap_or_else(|| outline.clone());
            if let Some(anchor) = Anchor::pick(self.source, self.task, stop.frame, map, &wanted)? {
                (outline, picked) = (wanted, Some(anchor));
            }
        }
        let last = picked.as_ref().unwrap_or(home);
        let mut frames = beyond(last.frame, end);
        while frames.last().is_some_and(|frame| !self.task.asks_for(&[*frame])) {
            frames.pop();
        }
        // What is known of frames on the way stays: a guide that nothing could be picked on is gone through.
        for (frame, place) in self.follow(last, &frames)? {
            places.entry(frame).or_insert(place);
        }
        Ok(())
    }

    /// Between an anchor and a guide both have their say.
    fn between(
        &mut self,
        last: &Anchor,
        (guide, map): (Frame, Homography),
        outline: &Outline,
    ) -> Result<Places, Halt<S::Error>> {
        let mut frames = beyond(last.frame, guide);
        frames.pop();
        if !self.task.asks_for(&frames) {
            return Ok(Places::new());
        }
        let there = self.follow(last, &frames)?;
        let Some(next) = Anchor::pick(self.source, self.task, guide, map, outline)? else { return Ok(there) };
        frames.reverse();
        let mut back = self.follow(&next, &frames)?;
        let whole = guide.until(last.frame).abs() as f64;
        let both = there.into_iter().map(|(frame, one)| {
            let share = frame.until(last.frame).abs() as f64 / whole;
            let other = back.remove(&frame);
            (frame, other.map_or(one.clone(), |other| joined(one, other, share)))
        });
        Ok(both.collect())
    }

    fn follow(&mut self, anchor: &Anchor, frames: &[Frame]) -> Result<Places, Halt<S::Error>> {
        let mut chain = Chain::new(anchor, self.task, self.subject, self.motion);
        let mut places = Places::new();
        for (i, frame) in frames.iter().enumerate() {
            let skipped = not_looked_at(chain.hidden());
            let place = self.step(&mut chain, *frame)?;
            let is_back = place.is_exact();
            places.insert(*frame, place);
            if is_back && skipped > 0 {
                let missed = frames[..i].iter().rev().take(skipped);
                self.back(chain.clone(), missed.copied(), &mut places)?;
            }
        }
        Ok(places)
    }

    /// From where it is seen again over frames that were not looked at, as far as it is seen there.
    fn back(
        &mut self,
        mut chain: Chain<'_>,
        missed: impl Iterator<Item = Frame>,
        places: &mut Places,
    ) -> Result<(), Halt<S::Error>> {
        for frame in missed {
            let place = self.step(&mut chain, frame)?;
            if !place.is_exact() {
                break;
            }
            places.insert(frame, place);
        }
        Ok(())
    }

    fn step(&mut self, chain: &mut Chain<'_>, frame: Frame) -> Result<Place, Halt<S::Error>> {
        let place = chain.step(self.source, frame, self.known.get(&frame))?;
        match self.watch.placed(frame, &place) {
            ControlFlow::Continue(()) => Ok(place),
            ControlFlow::Break(()) => Err(Halt::Stopped),
        }
    }
}

/// The frames after `from`, up to `to`, whichever way that is.
fn beyond(from: Frame, to: Frame) -> Vec<Frame> {
    if to > from { (from.0 + 1..=to.0).map(Frame).collect() } else { (to.0..from.0).rev().map(Frame).collect() }
}

/// Of two opinions: the one that sees it, exactly before roughly; where both do, one goes over into the other.
fn joined(one: Place, other: Place, share: f64) -> Place {
    let mix = |row: usize, col: usize| (1.0 - share) * one.map.rows()[row][col] + share * other.map.rows()[row][col];
    let mixed = Homography::new([0, 1, 2].map(|row| [0, 1, 2].map(|col| mix(row, col))));
    let seen = [&one, &other].map(|place| (place.is_exact(), place.state == SampleState::Found));
    let nearer = if share < 0.5 { one.clone() } else { other.clone() };
    match seen {
        [(true, _), (false, _)] | [(false, true), (false, false)] => one,
        [(false, _), (true, _)] | [(false, false), (false, true)] => other,
        [(_, true), (_, true)] => Place { map: mixed, ..nearer },
        _ => nearer,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Point;
    use crate::track::Grasp;

    fn at(x: f64) -> Homography {
        Homography::shift(Point::new(x, 0.0))
    }

    #[test]
    fn who_sees_the_face_is_believed_before_who_sees_what_it_lies_on_and_nobody_last() {
        let exact = |x: f64| Place { grasp: Grasp::Exact, ..rough(x) };
        let lost = |x: f64| Place::predicted(at(x), SampleState::Hidden, Point::default());
        let x = |one: Place, other: Place| joined(one, other, 0.75).map.origin().x;
        assert_eq!((x(exact(0.0), rough(4.0)), x(rough(0.0), exact(4.0))), (0.0, 4.0));
        assert_eq!((x(rough(0.0), lost(4.0)), x(lost(0.0), rough(4.0))), (0.0, 4.0));
        assert_eq!((x(exact(0.0), exact(4.0)), x(rough(0.0), rough(4.0)), x(lost(0.0), lost(4.0))), (3.0, 3.0, 4.0));
    }

    fn rough(x: f64) -> Place {
        Place::rough(at(x), 0.8, 2.0, Point::default())
    }

    #[test]
    fn a_rough_place_is_as_unsure_everywhere_on_the_face() {
        let sample = rough(4.0).sample(Point::new(30.0, -20.0));
        assert_eq!(
            (sample.at, sample.grasp, sample.state),
            (Point::new(34.0, -20.0), Grasp::Rough, SampleState::Found)
        );
        assert!((sample.covariance.worst() - 2.0).abs() < 1e-9, "{:?}", sample.covariance);
    }
}
