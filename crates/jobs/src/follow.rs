//! Following a pin through the stored planes; samples are written down as they come.

use std::time::Duration;

use jampin_core::document::Shot;
use jampin_core::follow::{Continue, Direction, FollowEnd, FollowSink, Start, follow, segment_end, shot_part};
use jampin_core::pin::Pin;
use jampin_core::solve::{Film, affected};
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::Sample;
use jampin_media::{Cancel, StoredPlanes};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use uuid::Uuid;

use crate::behind::{Behind, Changes};
use crate::face::FaceSolver;
use crate::place::{ClipScene, Workplace};
use crate::solve::Solver;
use crate::work::Work;
use crate::{FollowTask, SolveResult, TaskError};

/// How often samples are written down: often enough to look alive, seldom enough that writing does not slow it.
const FLUSH: Duration = Duration::from_millis(120);

/// How following ended.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct FollowResult {
    /// One for each direction.
    pub ends: Vec<DirectionEnd>,
    /// Frames found in all.
    pub found: u32,
    /// What the solve over the whole shot made of it; nothing when only one frame was followed.
    #[serde(default)]
    pub solved: Option<SolveResult>,
}

/// How it ended in one direction.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct DirectionEnd {
    /// Which.
    pub direction: Direction,
    /// Why.
    pub end: FollowEnd,
    /// The same as a sentence for people.
    pub sentence: String,
}

/// How far a job is, so that it can be taken up again.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
struct Reached {
    /// Directions that are finished, with how they ended.
    #[serde(default)]
    done: Vec<DirectionEnd>,
    /// The last frame written in the direction at work.
    #[serde(default)]
    frame: Option<Frame>,
    #[serde(default)]
    found: u32,
}

pub(crate) fn run(work: &Work<'_>) -> Result<Value, TaskError> {
    let task: FollowTask = work.task()?;
    let Work { worker, runtime, job, cancel, .. } = *work;
    let reached: Reached = serde_json::from_value(job.progress.clone()).unwrap_or_default();
    let place = Workplace::open(worker, runtime, (task.shot, task.pin), task.from, cancel)?;
    if let Some(area) = place.area() {
        let solved = FaceSolver { work, area, place: &place, wanted: &|frame| task.wants(frame) }.solve()?;
        let result = FollowResult { ends: Vec::new(), found: solved.found, solved: Some(solved) };
        return Ok(serde_json::to_value(result)?);
    }
    let Workplace { stored, pin, planes, cuts, scene, second } = place;
    let mut run = Run {
        work,
        task: &task,
        planes,
        pin,
        part: shot_part(stored.info.range, &cuts, task.from),
        reached,
        scene,
        second,
    };
    run.all(stored.shot)
}

struct Run<'a> {
    work: &'a Work<'a>,
    task: &'a FollowTask,
    planes: StoredPlanes,
    pin: Pin,
    part: FrameRange,
    reached: Reached,
    scene: ClipScene,
    /// Frames of a second.
    second: u32,
}

impl Run<'_> {
    fn all(&mut self, mut shot: Shot) -> Result<Value, TaskError> {
        // A quick look has no use for what would be shown on the way to it, and a range only wants its own frames.
        let live = if self.task.every > 1 || self.task.within.is_some() { &[][..] } else { &self.task.directions };
        for direction in live.iter().skip(self.reached.done.len()) {
            let end = self.one_way(&mut shot, *direction)?;
            self.reached.frame = None;
            self.reached.done.push(DirectionEnd { direction: *direction, end, sentence: end.sentence() });
        }
        let solved = if self.task.single { None } else { self.solve(&shot)? };
        let result = FollowResult { ends: self.reached.done.clone(), found: self.reached.found, solved };
        Ok(serde_json::to_value(result)?)
    }

    /// What was followed frame by frame is solved as a whole, on the sides that were followed.
    fn solve(&mut self, shot: &Shot) -> Result<Option<SolveResult>, TaskError> {
        let is_flat = |end: &DirectionEnd| matches!(end.end, FollowEnd::FlatPattern { .. });
        if self.reached.done.iter().any(is_flat) {
            return Ok(None);
        }
        let Self { task, part, .. } = *self;
        let wanted = |frame: Frame| task.wants(frame);
        let track = shot.track(task.pin);
        // From the guide before the first frame wanted to the end, or the other way round.
        let inner = affected(&self.pin, track, task.from, part);
        let range = FrameRange {
            first: if task.directions.contains(&Direction::Backward) { part.first } else { inner.first },
            last: if task.directions.contains(&Direction::Forward) { part.last } else { inner.last },
        };
        let scene = self.scene.load(&self.planes)?;
        let solver = Solver {
            work: self.work,
            shot: task.shot,
            film: Film { scene: &scene, part },
            pin: &self.pin,
            every: task.every,
            short_gap: self.second,
        };
        let progress = serde_json::to_value(&self.reached)?;
        solver.solve(&self.planes, track, range, &wanted, &progress).map(Some)
    }

    /// Follows one way, from guide to guide: the path goes through each of them, and each is a new reference.
    fn one_way(&mut self, shot: &mut Shot, direction: Direction) -> Result<FollowEnd, TaskError> {
        let last = self.last_frame(direction);
        let mut from = self.reached.frame.unwrap_or(self.task.from);
        let mut first_stop = None;
        loop {
            let track = shot.track(self.pin.id);
            let start = Start::from_track(&self.pin, track, from, direction)
                .or_else(|| (from == self.pin.frame).then(|| Start::at_pin(&self.pin)))
                .ok_or_else(|| TaskError::Missing(format!("The pin has no place on frame {from} to start from.")))?;
            let (until, guide) = segment_end(track, from, direction, last);
            let end = self.segment(shot, &start, direction, until)?;
            match end {
                FollowEnd::Stopped => return Err(TaskError::Cancelled),
                FollowEnd::EndOfRange => {}
                other => first_stop = first_stop.or(Some(other)),
            }
            match guide {
                Some(guide) => from = guide,
                None => return Ok(first_stop.unwrap_or(FollowEnd::EndOfRange)),
            }
        }
    }

    fn last_frame(&self, direction: Direction) -> Frame {
        let (whole, step) = match direction {
            Direction::Forward => (self.part.last, 1),
            Direction::Backward => (self.part.first, -1),
        };
        if self.task.single { self.task.from.step(step).unwrap_or(whole) } else { whole }
    }

    fn segment(
        &mut self,
        shot: &mut Shot,
        start: &Start,
        direction: Direction,
        until: Frame,
    ) -> Result<FollowEnd, TaskError> {
        let mut writer = Writer {
            pin: self.pin.id,
            cancel: self.work.cancel,
            shot,
            reached: &mut self.reached,
            waiting: Vec::new(),
            behind: Behind::new(self.work, self.task.shot, FLUSH),
        };
        let end = follow(&mut self.planes, &self.pin, start, direction, until, &mut writer);
        writer.flush();
        writer.behind.end()?;
        Ok(end?)
    }
}

/// Writes samples down in small batches.
struct Writer<'a> {
    pin: Uuid,
    cancel: &'a Cancel,
    shot: &'a mut Shot,
    reached: &'a mut Reached,
    waiting: Changes,
    behind: Behind<'a>,
}

impl FollowSink for Writer<'_> {
    fn sample(&mut self, frame: Frame, sample: Sample) -> Continue {
        self.waiting.push((frame, Some(sample)));
        self.shot.track_mut(self.pin).set(frame, Some(sample));
        self.reached.frame = Some(frame);
        self.reached.found += 1;
        if self.behind.is_due() {
            self.flush();
        }
        if self.behind.has_failed() || self.cancel.is_cancelled() { Continue::No } else { Continue::Yes }
    }
}

impl Writer<'_> {
    fn flush(&mut self) {
        if !self.waiting.is_empty() {
            let progress = serde_json::to_value(&*self.reached).unwrap_or_default();
            self.behind.write(vec![(self.pin, std::mem::take(&mut self.waiting))], progress);
        }
    }
}
