//! Solving a pin over the whole shot, or over the part of it that a guide changes.

use std::collections::BTreeMap;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use jampin_core::follow::{Continue, shot_part};
use jampin_core::path::cross_short_gaps;
use jampin_core::pin::Pin;
use jampin_core::solve::{Film, Solution, Step, Watch, affected, solve, solve_every};
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{Sample, Track};
use jampin_media::StoredPlanes;
use jampin_store::{Appended, NewSamples};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::behind::Teller;
use crate::face::FaceSolver;
use crate::place::Workplace;
use crate::work::Work;
use crate::{SolveResult, SolveTask, TaskError};

/// How often it is said how far the solve has come.
const REPORT: Duration = Duration::from_millis(250);

/// Threads that one solve is shared among: more would wait for the ends of a segment most of the time.
const MOST_THREADS: usize = 4;

pub(crate) fn run(work: &Work<'_>) -> Result<Value, TaskError> {
    let task: SolveTask = work.task()?;
    let Work { worker, runtime, job, cancel, .. } = *work;
    let keep = |frame: Frame| task.only.is_none_or(|only| only.contains(frame));
    let place = Workplace::open(worker, runtime, (task.shot, task.pin), task.frame, cancel)?;
    let range = changed(&place, &task);
    if let Some(area) = place.area() {
        let wanted = |frame: Frame| range.contains(frame) && keep(frame);
        let solved = FaceSolver { work, area, place: &place, wanted: &wanted }.solve()?;
        return Ok(serde_json::to_value(solved)?);
    }
    let Workplace { stored, pin, planes, cuts, scene, second } = place;
    let part = shot_part(stored.info.range, &cuts, task.frame);
    let track = stored.shot.track(task.pin);
    let scene = scene.load(&planes)?;
    let film = Film { scene: &scene, part };
    let solver = Solver { work, shot: task.shot, film, pin: &pin, every: 1, short_gap: second };
    let result = solver.solve(&planes, track, range, &keep, &job.progress)?;
    Ok(serde_json::to_value(result)?)
}

/// What has to be gone through anew: from guide to guide round what has changed.
fn changed(place: &Workplace, task: &SolveTask) -> FrameRange {
    let Workplace { stored, pin, cuts, .. } = place;
    let part = shot_part(stored.info.range, cuts, task.frame);
    // What is compared from where an outline was moved hangs on where the face was there.
    if place.area().is_some_and(|area| !area.moved.is_empty()) {
        return part;
    }
    let near = |frame: Frame| affected(pin, stored.shot.track(task.pin), frame, part);
    task.only.map_or_else(
        || near(task.frame),
        |only| FrameRange { first: near(only.first).first, last: near(only.last.min(part.last)).last },
    )
}

/// What solving and writing it down needs.
pub(crate) struct Solver<'a> {
    pub work: &'a Work<'a>,
    pub shot: Uuid,
    pub film: Film<'a>,
    pub pin: &'a Pin,
    /// Only every so many frames are looked at.
    pub every: u32,
    /// Gaps of up to so many frames are crossed with what is written.
    pub short_gap: u32,
}

impl Solver<'_> {
    /// Solves over `range`; the samples of the frames that `wanted` says yes to replace what is there.
    pub fn solve(
        &self,
        planes: &StoredPlanes,
        track: &Track,
        range: FrameRange,
        wanted: &dyn Fn(Frame) -> bool,
        progress: &Value,
    ) -> Result<SolveResult, TaskError> {
        let told = Mutex::new(Told { steps: 0, at: Instant::now(), teller: Teller::new(self.work) });
        let reporter = Reporter { solver: self, of: steps(range).div_ceil(self.every.max(1)), told, progress };
        let threads = std::thread::available_parallelism().map_or(1, usize::from).min(MOST_THREADS);
        let mut sources: Vec<StoredPlanes> = (0..threads).map(|_| planes.another()).collect();
        let solution = match self.every {
            ..=1 => solve(&mut sources, self.film, self.pin, track, range, &reporter),
            every => solve_every(sources, self.film, self.pin, track, (range, every), &reporter),
        };
        let solved = match solution? {
            Solution::Solved(track) => track,
            Solution::Stopped => return Err(TaskError::Cancelled),
            Solution::FlatPattern(frame) => {
                return Err(TaskError::Missing(format!(
                    "The pattern on frame {frame} is flat: there is nothing to follow. Move the pin to a spot with contrast."
                )));
            }
        };
        let solved = solved.iter().filter(|(frame, _)| wanted(*frame)).collect();
        let samples = self.with_short_gaps(track, solved);
        let found = samples.iter().filter(|(_, sample)| sample.is_some_and(|sample| sample.state.is_present())).count();
        let new: [NewSamples<'_>; 1] = [(self.pin.id, &samples)];
        let Work { worker, runtime, lease, .. } = *self.work;
        let append = worker.store.append_samples(lease, self.shot, &new, progress);
        match runtime.block_on(append)? {
            Appended::Yes => Ok(SolveResult { first: range.first, last: range.last, found: found as u32 }),
            Appended::Unwanted => Err(TaskError::Cancelled),
        }
    }

    /// What is written down: what was solved, and samples across the gaps that are short.
    fn with_short_gaps(&self, before: &Track, solved: BTreeMap<Frame, Sample>) -> Vec<(Frame, Option<Sample>)> {
        let (mut written, mut after) = (solved, before.clone());
        for (frame, sample) in &written {
            after.set(*frame, Some(*sample));
        }
        written.extend(cross_short_gaps(&after, before, self.pin, self.short_gap));
        written.into_iter().map(|(frame, sample)| (frame, Some(sample))).collect()
    }
}

/// Each frame is searched for the subject, looked at from one or two sides, compared with one reference or two, and
/// refined: four steps, or a few more.
fn steps(range: FrameRange) -> u32 {
    range.count() * 4
}

/// Says how far it is, and stops it when somebody wants that.
struct Reporter<'a> {
    solver: &'a Solver<'a>,
    of: u32,
    told: Mutex<Told<'a>>,
    progress: &'a Value,
}

/// What was said last.
struct Told<'a> {
    steps: u32,
    at: Instant,
    teller: Teller<'a>,
}

impl Watch for Reporter<'_> {
    fn step(&self, _: Step) -> Continue {
        self.told.lock().unwrap_or_else(PoisonError::into_inner).count(self);
        if self.solver.work.cancel.is_cancelled() { Continue::No } else { Continue::Yes }
    }
}

impl Told<'_> {
    /// Counts a step, and says so when it is time to.
    fn count(&mut self, reporter: &Reporter<'_>) {
        self.steps += 1;
        if self.at.elapsed() > REPORT {
            self.at = Instant::now();
            let mut progress = if reporter.progress.is_object() { reporter.progress.clone() } else { json!({}) };
            progress["solving"] = json!((f64::from(self.steps) / f64::from(reporter.of)).min(1.0));
            self.teller.say(progress);
        }
    }
}
