//! Solving a pin over the whole shot, or over the part of it that a guide changes.

use std::time::{Duration, Instant};

use jampin_core::follow::{Continue, shot_part};
use jampin_core::shot::{Pin, Sample, Track};
use jampin_core::solve::{Solution, Step, Watch, affected, solve};
use jampin_core::time::{Frame, FrameRange};
use jampin_media::{Cancel, StoredPlanes};
use jampin_store::{Appended, Job};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use tokio::runtime::Handle;
use uuid::Uuid;

use crate::place::Workplace;
use crate::{TaskError, Worker};

/// How often it is said how far the solve has come.
const REPORT: Duration = Duration::from_millis(250);

/// What is to be solved anew: what depends on one frame of a pin.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct SolveTask {
    /// In which shot.
    pub shot: Uuid,
    /// Which pin.
    pub pin: Uuid,
    /// The frame on which a guide was put, moved or removed.
    pub frame: Frame,
}

/// How solving ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct SolveResult {
    /// The first frame solved.
    pub first: Frame,
    /// The last.
    pub last: Frame,
    /// Frames on which it was found.
    pub found: u32,
}

pub(crate) fn run(worker: &Worker, runtime: &Handle, job: &Job, cancel: &Cancel) -> Result<Value, TaskError> {
    let task: SolveTask = serde_json::from_value(job.payload.clone())?;
    let Workplace { stored, pin, mut planes, cuts } =
        Workplace::open(worker, runtime, (task.shot, task.pin), task.frame, cancel)?;
    let part = shot_part(stored.info.range, &cuts, task.frame);
    let track = stored.shot.track(task.pin);
    let range = affected(&pin, track, task.frame, part);
    let keep = |_: Frame| true;
    let solver = Solver { worker, runtime, job: job.id, shot: task.shot, pin: &pin, cancel };
    let result = solver.solve(&mut planes, track, range, &keep, &job.progress)?;
    Ok(serde_json::to_value(result)?)
}

/// What solving and writing it down needs.
pub(crate) struct Solver<'a> {
    pub worker: &'a Worker,
    pub runtime: &'a Handle,
    pub job: Uuid,
    pub shot: Uuid,
    pub pin: &'a Pin,
    pub cancel: &'a Cancel,
}

impl Solver<'_> {
    /// Solves over `range`; the samples of the frames that `wanted` says yes to replace what is there.
    pub fn solve(
        &self,
        planes: &mut StoredPlanes,
        track: &Track,
        range: FrameRange,
        wanted: &dyn Fn(Frame) -> bool,
        progress: &Value,
    ) -> Result<SolveResult, TaskError> {
        let mut reporter = Reporter { solver: self, steps: 0, of: steps(range), told: Instant::now(), progress };
        let solved = match solve(planes, self.pin, track, range, &mut reporter)? {
            Solution::Solved(track) => track,
            Solution::Stopped => return Err(TaskError::Cancelled),
            Solution::FlatPattern(frame) => {
                return Err(TaskError::Missing(format!(
                    "The pattern on frame {frame} is flat: there is nothing to follow. Move the pin to a spot with contrast."
                )));
            }
        };
        let samples: Vec<(Frame, Option<Sample>)> =
            solved.iter().filter(|(frame, _)| wanted(*frame)).map(|(frame, sample)| (frame, Some(sample))).collect();
        let found = samples.iter().filter(|(_, sample)| sample.is_some_and(|sample| sample.state.is_present())).count();
        let append = self.worker.store.append_samples(self.shot, self.job, self.pin.id, &samples, progress);
        match self.runtime.block_on(append)? {
            Appended::Yes => Ok(SolveResult { first: range.first, last: range.last, found: found as u32 }),
            Appended::Unwanted => Err(TaskError::Cancelled),
        }
    }
}

/// Each frame is looked at from one or two sides, compared with one reference or two, and refined: three steps, or a few more.
fn steps(range: FrameRange) -> u32 {
    range.count() * 3
}

/// Says how far it is, and stops it when somebody wants that.
struct Reporter<'a> {
    solver: &'a Solver<'a>,
    steps: u32,
    of: u32,
    told: Instant,
    progress: &'a Value,
}

impl Watch for Reporter<'_> {
    fn step(&mut self, _: Step) -> Continue {
        self.steps += 1;
        if self.told.elapsed() > REPORT {
            self.told = Instant::now();
            let mut progress = if self.progress.is_object() { self.progress.clone() } else { json!({}) };
            progress["solving"] = json!((f64::from(self.steps) / f64::from(self.of)).min(1.0));
            let Solver { worker, runtime, job, .. } = self.solver;
            if let Err(error) = runtime.block_on(worker.store.job_progress(*job, &progress)) {
                tracing::warn!(%error, "progress could not be written down");
            }
        }
        if self.solver.cancel.is_cancelled() { Continue::No } else { Continue::Yes }
    }
}
