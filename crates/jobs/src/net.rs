//! Following an area that bends: the samples of its net's knots, and of the pins that say where it is roughly.

use std::collections::BTreeMap;
use std::ops::ControlFlow;

use jampin_core::locate::Film;
use jampin_core::mesh::{MeshEnd, MeshTask, MeshWatch, Net, solve_mesh};
use jampin_core::motion::flattened;
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::Sample;

use crate::behind::Changes;
use crate::course::Course;
use crate::face::{FaceSolver, nothing_within};
use crate::{SolveResult, TaskError};

impl FaceSolver<'_> {
    /// Solves it between the cuts round the frame on which it was drawn, as far as `range` asks for it.
    pub fn solve_net(&self, film: Film<'_>, task: MeshTask, range: FrameRange) -> Result<SolveResult, TaskError> {
        let net = Net::over(&task.area.outline, task.spacing);
        let course = self.course(range);
        let mut writer = Writer { solver: self, task: &task, net: &net, waiting: BTreeMap::new(), course };
        let end = solve_mesh(&mut self.place.planes.another(), film, &task, &mut writer)?;
        writer.course.end()?;
        let frames = match end {
            MeshEnd::Solved(_, frames) => frames,
            MeshEnd::Flat => return Err(nothing_within(task.area.frame)),
            MeshEnd::Stopped => return Err(TaskError::Cancelled),
        };
        writer.write(&frames);
        writer.course.end()?;
        let is_wanted = |frame: &Frame| (self.wanted)(*frame);
        let knots = self.area.knots();
        let of_knot = |knot: usize| -> Changes {
            let wanted = frames.iter().filter(|(frame, _)| is_wanted(frame));
            wanted.map(|(frame, samples)| (*frame, Some(samples[knot]))).collect()
        };
        let all: Vec<Changes> = (0..knots.len()).map(of_knot).collect();
        self.write((&knots, &all), 1.0)?;
        let is_seen = |knots: &[Sample]| knots.iter().any(|knot| knot.state.is_present());
        let found = frames.iter().filter(|(frame, knots)| is_wanted(frame) && is_seen(knots)).count() as u32;
        Ok(SolveResult { first: range.first, last: range.last, found })
    }
}

/// Writes down where it is roughly, in small batches, while the net is followed.
struct Writer<'a> {
    solver: &'a FaceSolver<'a>,
    task: &'a MeshTask,
    net: &'a Net,
    waiting: BTreeMap<Frame, Vec<Sample>>,
    course: Course<'a>,
}

impl MeshWatch for Writer<'_> {
    fn placed(&mut self, frame: Frame, knots: &[Sample]) -> ControlFlow<()> {
        self.waiting.insert(frame, knots.to_vec());
        if self.course.placed() {
            let frames = std::mem::take(&mut self.waiting);
            self.write(&frames);
        }
        self.course.goes_on()
    }

    fn located(&mut self) -> ControlFlow<()> {
        self.course.located()
    }
}

impl Writer<'_> {
    /// The pins of the area; where a person has put them they stay.
    fn write(&mut self, frames: &BTreeMap<Frame, Vec<Sample>>) {
        let FaceSolver { area, wanted, .. } = self.solver;
        let is_free = |frame: Frame| frame != self.task.area.frame && !self.task.area.guides.contains_key(&frame);
        let mut all: [Changes; 5] = Default::default();
        for (frame, knots) in frames.iter().filter(|(frame, _)| is_free(**frame) && wanted(**frame)) {
            let Some(samples) = flattened(self.net, knots, &area.carried()) else { continue };
            for (changes, sample) in all.iter_mut().zip(samples) {
                changes.push((*frame, Some(sample)));
            }
        }
        self.course.write(area.carriers.into_iter().zip(all).collect());
    }
}
