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
use jampin_media::{Cancel, StoredPlanes};
use jampin_store::{Appended, Lease, NewSamples};
use serde_json::{Value, json};
use tokio::runtime::Handle;
use uuid::Uuid;

use crate::face::FaceSolver;
use crate::place::Workplace;
use crate::work::Work;
use crate::{SolveResult, SolveTask, TaskError, Worker};

/// How often it is said how far the solve has come.
const REPORT: Duration = Duration::from_millis(250);

/// Threads that one solve is shared among: more would wait for the ends of a segment most of the time.
const MOST_THREADS: usize = 4;

pub(crate) fn run(work: &Work<'_>) -> Result<Value, TaskError> {
    let task: SolveTask = work.task()?;
    let Work { worker, runtime, job, lease, cancel } = *work;
    let keep = |frame: Frame| task.only.is_none_or(|only| only.contains(frame));
    let place = Workplace::open(worker, runtime, (task.shot, task.pin), task.frame, cancel)?;
    if let Some(area) = place.area() {
        let solved = FaceSolver { work, area, place: &place, wanted: &keep }.solve()?;
        return Ok(serde_json::to_value(solved)?);
    }
    let Workplace { stored, pin, planes, cuts, scene, second } = place;
    let part = shot_part(stored.info.range, &cuts, task.frame);
    let track = stored.shot.track(task.pin);
    let near = |frame: Frame| affected(&pin, track, frame, part);
    let range = task.only.map_or_else(
        || near(task.frame),
        |only| FrameRange { first: near(only.first).first, last: near(only.last.min(part.last)).last },
    );
    let scene = scene.load(&planes)?;
    let film = Film { scene: &scene, part };
    let solver =
        Solver { worker, runtime, lease, shot: task.shot, film, pin: &pin, every: 1, short_gap: second, cancel };
    let result = solver.solve(&planes, track, range, &keep, &job.progress)?;
    Ok(serde_json::to_value(result)?)
}

/// What solving and writing it down needs.
pub(crate) struct Solver<'a> {
    pub worker: &'a Worker,
    pub runtime: &'a Handle,
    pub lease: &'a Lease,
    pub shot: Uuid,
    pub film: Film<'a>,
    pub pin: &'a Pin,
    /// Only every so many frames are looked at.
    pub every: u32,
    /// Gaps of up to so many frames are crossed with what is written.
    pub short_gap: u32,
    pub cancel: &'a Cancel,
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
        let told = Mutex::new(Told { steps: 0, at: Instant::now() });
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
        let append = self.worker.store.append_samples(self.lease, self.shot, &new, progress);
        match self.runtime.block_on(append)? {
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
    told: Mutex<Told>,
    progress: &'a Value,
}

/// What was said last.
struct Told {
    steps: u32,
    at: Instant,
}

impl Watch for Reporter<'_> {
    fn step(&self, _: Step) -> Continue {
        if let Some(steps) = self.count() {
            self.tell(steps);
        }
        if self.solver.cancel.is_cancelled() { Continue::No } else { Continue::Yes }
    }
}

impl Reporter<'_> {
    /// Counts a step; how many there were, when it is time to say so.
    fn count(&self) -> Option<u32> {
        let mut told = self.told.lock().unwrap_or_else(PoisonError::into_inner);
        told.steps += 1;
        (told.at.elapsed() > REPORT).then(|| {
            told.at = Instant::now();
            told.steps
        })
    }

    fn tell(&self, steps: u32) {
        let mut progress = if self.progress.is_object() { self.progress.clone() } else { json!({}) };
        progress["solving"] = json!((f64::from(steps) / f64::from(self.of)).min(1.0));
        let Solver { worker, runtime, lease, .. } = self.solver;
        if let Err(error) = runtime.block_on(worker.store.job_progress(lease, &progress)) {
            tracing::warn!(%error, "progress could not be written down");
        }
    }
}
