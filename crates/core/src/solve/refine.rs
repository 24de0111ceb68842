//! Places made as good as they get: against the references nearest in time, then against one made of the whole shot;
//! and each judged by following it back.

use std::collections::BTreeMap;

use super::guides::{ChosenCandidates, Guide};
use super::share::share;
use super::task::Task;
use super::watch::{Halt, Step, Watch};
use super::whole::whole_shot;
use crate::geometry::{Homography, Point};
use crate::image::{FrameSource, Window};
use crate::look::{Candidate, FrameMatcher, Prediction, Target};
use crate::pin::ReferencePolicy;
use crate::time::Frame;

/// A refinement that moves a place by more than this, in pixels, has found something else.
const MOST_MOVED: f64 = 2.5;
/// The match may fall by this much at most: another reference weighs things differently.
const MATCH_LOST: f64 = 0.03;
/// A guide is not taken to be off by more than this, in pixels: further away the pattern is another one that looks
/// alike.
const GUIDE_OFF: f64 = 16.0;
/// Frames that are handed to a thread at a time.
const CHUNK: usize = 16;

/// Errors of following back, by frame.
pub(super) type BackErrors = BTreeMap<Frame, f64>;

/// Refines all places of the path and says how far off following each of them back is.
pub(super) fn refine<S>(
    sources: &mut [S],
    task: Task<'_>,
    path: &mut ChosenCandidates,
    watch: &dyn Watch,
) -> Result<BackErrors, Halt<S::Error>>
where
    S: FrameSource,
{
    let windows = windows(sources, task, path)?;
    let refiner = Refiner { task, windows, watch };
    let mut lookers: Vec<FrameMatcher<'_>> = sources.iter().map(|_| FrameMatcher::new(task.pin, task.size)).collect();
    if task.guides.all().len() > 1 {
        let targets = guide_targets(&mut sources[0], task, path)?;
        let better =
            share(&mut lookers, chunks(path), |matcher, chunk| refiner.against_guides(matcher, &targets, chunk))?;
        *path = better.into_iter().flatten().collect();
    }
    if task.pin.reference != ReferencePolicy::Renewed
        && let Some(mut whole) = whole_shot(sources, task, path).map_err(Halt::Source)?
    {
        let corrections = refiner.corrections(&mut lookers[0], &mut whole);
        let compare = |matcher: &mut FrameMatcher<'_>, chunk| {
            refiner.against_whole_shot(matcher, &mut whole.clone(), &corrections, chunk)
        };
        let better = share(&mut lookers, chunks(path), compare)?;
        *path = better.into_iter().flatten().collect();
    }
    let frames = chunks(path);
    let errors = share(&mut lookers, frames, |matcher, chunk| refiner.back_errors(matcher, path, &chunk))?;
    let mut errors: BackErrors = errors.into_iter().flatten().collect();
    errors.extend(guides_off(&mut sources[0], task, &mut lookers[0])?);
    Ok(errors)
}

/// How far beside each guide of the range the pin's own pattern is found; where that does not match, the pattern of the
/// guide next to it on the way to the pin's own frame, which is the more likely to be right. Nothing where neither is
/// found near.
fn guides_off<S: FrameSource>(
    source: &mut S,
    task: Task<'_>,
    matcher: &mut FrameMatcher<'_>,
) -> Result<Vec<(Frame, f64)>, Halt<S::Error>> {
    let all = task.guides.all();
    let own = all.iter().position(|guide| guide.frame == task.pin.frame);
    let mut off = Vec::new();
    for (i, guide) in all.iter().enumerate().filter(|(i, guide)| Some(*i) != own && task.range.contains(guide.frame)) {
        let inward = own.map(|own| if own < i { i - 1 } else { i + 1 });
        for other in [own, inward.filter(|inward| Some(*inward) != own)].into_iter().flatten() {
            if let Some(distance) =
                distance_beside(source, task, matcher, (guide, &all[other])).map_err(Halt::Source)?
            {
                off.push((guide.frame, distance));
                break;
            }
        }
    }
    Ok(off)
}

/// How far beside a guide the pattern of another one is found.
fn distance_beside<S: FrameSource>(
    source: &mut S,
    task: Task<'_>,
    matcher: &mut FrameMatcher<'_>,
    (guide, other): (&Guide, &Guide),
) -> Result<Option<f64>, S::Error> {
    let Some(mut target) = Target::pick(source, other.frame, other.map(), task.pin)? else { return Ok(None) };
    let reach = (GUIDE_OFF, GUIDE_OFF);
    let prediction =
        Prediction { at: guide.at, reach, shape: guide.shape, velocity: Point::default(), is_hidden: false };
    let look = matcher.look(source, guide.frame, &mut target, &prediction)?;
    let found = look.finds.first().filter(|find| find.matched >= task.pin.least_match());
    Ok(found.map(|find| find.at().distance(guide.at)))
}

/// The path in pieces that are worth a thread's while.
fn chunks(path: &ChosenCandidates) -> Vec<Vec<(Frame, Candidate)>> {
    let all: Vec<(Frame, Candidate)> = path.iter().map(|(frame, find)| (*frame, *find)).collect();
    all.chunks(CHUNK).map(<[_]>::to_vec).collect()
}

/// Pixels round all places that are compared, by frame: each is needed several times.
fn windows<S>(
    sources: &mut [S],
    task: Task<'_>,
    path: &ChosenCandidates,
) -> Result<BTreeMap<Frame, Vec<Window>>, Halt<S::Error>>
where
    S: FrameSource,
{
    let guides = task.guides.all().iter().map(|guide| (guide.frame, guide.map()));
    let before = path.keys().filter_map(|frame| frame.step(-1));
    let mut places: BTreeMap<Frame, Candidate> =
        before.filter_map(|frame| Some((frame, Candidate::nothing(outside_range(task, frame)?)))).collect();
    places.extend(guides.map(|(frame, map)| (frame, Candidate::nothing(map))));
    places.extend(path.iter().map(|(frame, find)| (*frame, *find)));
    let matcher = FrameMatcher::new(task.pin, task.size);
    let read = |source: &mut S, (frame, find): (Frame, Candidate)| {
        let windows = source.windows(frame, matcher.area_of(&find), task.pin.channel.components());
        windows.map(|windows| (frame, windows)).map_err(Halt::Source)
    };
    Ok(share(sources, places.into_iter().collect(), read)?.into_iter().collect())
}

/// Where the pin is known to be on a frame that is not solved now.
fn outside_range(task: Task<'_>, frame: Frame) -> Option<Homography> {
    task.track.position(frame).filter(|_| !task.range.contains(frame)).map(Homography::shift)
}

/// The pattern of each guide that the path is compared with; a flat one is none.
fn guide_targets<S: FrameSource>(
    source: &mut S,
    task: Task<'_>,
    path: &ChosenCandidates,
) -> Result<BTreeMap<Frame, Target>, Halt<S::Error>> {
    let around = |frame: &Frame| <[Option<&Guide>; 2]>::from(task.guides.around(*frame)).into_iter().flatten();
    let needed: BTreeMap<Frame, &Guide> = path.keys().flat_map(around).map(|guide| (guide.frame, guide)).collect();
    let mut targets = BTreeMap::new();
    for (frame, guide) in needed {
        if let Some(target) = Target::pick(source, frame, guide.map(), task.pin).map_err(Halt::Source)? {
            targets.insert(frame, target);
        }
    }
    Ok(targets)
}

/// What refining needs at hand.
struct Refiner<'a> {
    task: Task<'a>,
    windows: BTreeMap<Frame, Vec<Window>>,
    watch: &'a dyn Watch,
}

impl Refiner<'_> {
    /// Between two guides both have their say, the nearer one more: so the path goes through both without a step.
    fn against_guides<E>(
        &self,
        matcher: &mut FrameMatcher<'_>,
        targets: &BTreeMap<Frame, Target>,
        mut chunk: Vec<(Frame, Candidate)>,
    ) -> Result<Vec<(Frame, Candidate)>, Halt<E>> {
        let mut mine: BTreeMap<Frame, Target> = BTreeMap::new();
        for (frame, find) in &mut chunk {
            Halt::on_stop(self.watch, Step::Compared)?;
            let (before, after) = self.task.guides.around(*frame);
            let mut seen: Vec<(f64, Candidate)> = Vec::with_capacity(2);
            for guide in [before, after].into_iter().flatten() {
                let Some(target) = targets.get(&guide.frame) else { continue };
                let target = mine.entry(guide.frame).or_insert_with(|| target.clone());
                let again = matcher.align_again(target, &self.windows[frame], find);
                if again.matched >= self.task.pin.least_match() && again.at().distance(find.at()) < MOST_MOVED {
                    seen.push((f64::from(guide.frame.until(*frame).unsigned_abs() as u32), again));
                }
            }
            *find = between(*find, &seen);
        }
        Ok(chunk)
    }

    fn against_whole_shot<E>(
        &self,
        matcher: &mut FrameMatcher<'_>,
        whole: &mut Target,
        corrections: &Corrections,
        mut chunk: Vec<(Frame, Candidate)>,
    ) -> Result<Vec<(Frame, Candidate)>, Halt<E>> {
        for (frame, find) in chunk.iter_mut().filter(|(_, find)| find.anchored) {
            Halt::on_stop(self.watch, Step::Compared)?;
            let again = matcher.align_again(whole, &self.windows[frame], find);
            let kept = again.matched >= find.matched - MATCH_LOST && again.matched >= self.task.pin.least_match();
            if kept && again.at().distance(find.at()) < MOST_MOVED {
                let at = again.at() + corrections.at(*frame);
                *find = Candidate { map: again.map.moved_to(at), peak_ratio: find.peak_ratio, anchored: true, ..again };
            }
        }
        Ok(chunk)
    }

    /// How far the whole shot's reference sits beside each guide.
    fn corrections(&self, matcher: &mut FrameMatcher<'_>, whole: &mut Target) -> Corrections {
        let mut corrections = Vec::new();
        for guide in self.task.guides.all() {
            let found = matcher.align_again(whole, &self.windows[&guide.frame], &Candidate::nothing(guide.map()));
            if found.matched >= self.task.pin.least_match() && found.at().distance(guide.at) < MOST_MOVED {
                corrections.push((guide.frame, guide.at - found.at()));
            }
        }
        Corrections(corrections)
    }

    fn back_errors<E>(
        &self,
        matcher: &mut FrameMatcher<'_>,
        path: &ChosenCandidates,
        chunk: &[(Frame, Candidate)],
    ) -> Result<Vec<(Frame, f64)>, Halt<E>> {
        let mut errors = Vec::with_capacity(chunk.len());
        for (frame, find) in chunk {
            if let Some(error) = self.back_error(matcher, path, *frame, find) {
                errors.push((*frame, error));
            }
            Halt::on_stop(self.watch, Step::Refined)?;
        }
        Ok(errors)
    }

    /// Follows the pin from this frame back to the one before, and says how far from its place there that leads.
    fn back_error(
        &self,
        matcher: &mut FrameMatcher<'_>,
        path: &ChosenCandidates,
        frame: Frame,
        find: &Candidate,
    ) -> Option<f64> {
        let before = frame.step(-1)?;
        let guide = || self.task.guides.all().iter().find(|guide| guide.frame == before).map(Guide::map);
        let there = path.get(&before).map(|find| find.map).or_else(guide);
        let there = there.or_else(|| outside_range(self.task, before))?;
        Some(matcher.follow_back(&self.windows[&frame], &find.map, &self.windows[&before], &there))
    }
}

/// A find as seen again by one guide, or by two with their distances in frames.
fn between(find: Candidate, seen: &[(f64, Candidate)]) -> Candidate {
    match seen {
        [(_, only)] => Candidate { peak_ratio: find.peak_ratio, anchored: true, ..*only },
        [(to_first, first), (to_second, second)] => {
            let share = to_first / (to_first + to_second);
            let at = first.at() + (second.at() - first.at()) * share;
            let nearer = if share < 0.5 { first } else { second };
            let map = nearer.map.moved_to(at);
            Candidate { map, peak_ratio: find.peak_ratio, anchored: true, ..*nearer }
        }
        _ => find,
    }
}

/// What a path against the whole shot's reference has to be moved by to pass through the guides.
struct Corrections(Vec<(Frame, Point)>);

impl Corrections {
    /// Between two guides in proportion, beyond the outermost as there.
    fn at(&self, frame: Frame) -> Point {
        let before = self.0.iter().rev().find(|(guide, _)| *guide <= frame);
        let after = self.0.iter().find(|(guide, _)| *guide >= frame);
        match (before, after) {
            (Some((first, by)), Some((last, to))) if first != last => {
                let share = first.until(frame) as f64 / first.until(*last) as f64;
                *by + (*to - *by) * share
            }
            (Some((_, by)), _) | (None, Some((_, by))) => *by,
            (None, None) => Point::default(),
        }
    }
}
