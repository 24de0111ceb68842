//! Following an area through the stored planes: the samples of the pins that say where it is.

use std::collections::BTreeMap;
use std::ops::ControlFlow;
use std::time::Duration;

use jampin_core::area::{AreaEnd, AreaWatch, Place, solve_area};
use jampin_core::document::Area;
use jampin_core::evaluate::area_task;
use jampin_core::follow::shot_part;
use jampin_core::geometry::Point;
use jampin_core::locate::Film;
use jampin_core::mesh::MeshTask;
use jampin_core::path::cross_short_gaps;
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::Sample;
use jampin_store::{Appended, NewSamples};
use serde_json::json;
use uuid::Uuid;

use crate::behind::{Behind, Changes};
use crate::course::Course;
use crate::place::Workplace;
use crate::work::Work;
use crate::{SolveResult, TaskError};

/// How often what was found so far is written down.
pub(crate) const FLUSH: Duration = Duration::from_millis(300);

/// What solving an area and writing it down needs.
pub(crate) struct FaceSolver<'a> {
    pub work: &'a Work<'a>,
    pub area: &'a Area,
    pub place: &'a Workplace,
    /// Whether what is found on a frame replaces what is there.
    pub wanted: &'a dyn Fn(Frame) -> bool,
}

impl FaceSolver<'_> {
    /// Solves it between the cuts round the frame on which it was drawn, as far as that is wanted.
    pub fn solve(&self) -> Result<SolveResult, TaskError> {
        let Workplace { stored, pin, planes, cuts, scene, second } = self.place;
        let home = self.area.drawn.frame;
        let part = shot_part(stored.info.range, cuts, home);
        let (subject, _) = stored.shot.pin(pin.id).ok_or(TaskError::Cancelled)?;
        let mut task = area_task(&stored.shot, subject, self.area, part);
        let wanted = || part.frames().filter(|frame| (self.wanted)(*frame));
        let (Some(first), Some(last)) = (wanted().next(), wanted().next_back()) else {
            return Ok(SolveResult { first: home, last: home, found: 0 });
        };
        let range = FrameRange { first, last };
        task.only = Some(range);
        let scene = scene.load(planes)?;
        let film = Film { scene: &scene, part };
        if let Some(spacing) = self.area.spacing() {
            return self.solve_net(film, MeshTask { area: task, spacing }, range);
        }
        let mut writer = Writer { solver: self, waiting: BTreeMap::new(), course: self.course(range) };
        let end = solve_area(&mut planes.another(), film, &task, &mut writer)?;
        writer.course.end()?;
        let solution = match end {
            AreaEnd::Solved(solution) => solution,
            AreaEnd::Stopped => return Err(TaskError::Cancelled),
            AreaEnd::Flat => return Err(nothing_within(home)),
        };
        let found = solution.places.iter().filter(|(frame, place)| place.state.is_present() && (self.wanted)(**frame));
        let found = found.count() as u32;
        let with_gaps = |(carrier, at): (usize, Point)| {
            let track = stored.shot.track(self.area.carriers[carrier]);
            let mut after = track.clone();
            let mut written: BTreeMap<Frame, Sample> = self.samples(&solution.places, at);
            for (frame, sample) in &written {
                after.set(*frame, Some(*sample));
            }
            written.extend(cross_short_gaps(&after, track, pin, *second));
            written.into_iter().map(|(frame, sample)| (frame, Some(sample))).collect()
        };
        let all: Vec<Changes> = self.area.carried().into_iter().enumerate().map(with_gaps).collect();
        self.write((&self.area.carriers, &all), 1.0)?;
        Ok(SolveResult { first, last, found })
    }

    /// A point of the face on the frames that are wanted.
    fn samples(&self, places: &BTreeMap<Frame, Place>, at: Point) -> BTreeMap<Frame, Sample> {
        let wanted = places.iter().filter(|(frame, _)| (self.wanted)(**frame));
        wanted.map(|(frame, place)| (*frame, place.sample(at))).collect()
    }

    /// What writes down what is found on the way.
    pub fn course(&self, range: FrameRange) -> Course<'_> {
        Course::new(self.work, range, Behind::new(self.work, self.place.stored.info.id, FLUSH))
    }

    pub fn write(&self, (tracks, all): (&[Uuid], &[Changes]), share: f64) -> Result<(), TaskError> {
        let Work { worker, runtime, lease, .. } = *self.work;
        let new: Vec<NewSamples<'_>> = tracks.iter().zip(all).map(|(track, samples)| (*track, &**samples)).collect();
        let progress = json!({ "solving": share });
        let append = worker.store.append_samples(lease, self.place.stored.info.id, &new, &progress);
        match runtime.block_on(append)? {
            Appended::Yes => Ok(()),
            Appended::Unwanted => Err(TaskError::Cancelled),
        }
    }
}

pub(crate) fn nothing_within(home: Frame) -> TaskError {
    TaskError::Missing(format!(
        "There is nothing within the outline on frame {home} that could be followed. Draw it round something with contrast \
         or a clear edge."
    ))
}

/// Writes down what is found the first time through, in small batches.
struct Writer<'a> {
    solver: &'a FaceSolver<'a>,
    waiting: BTreeMap<Frame, Place>,
    course: Course<'a>,
}

impl AreaWatch for Writer<'_> {
    fn placed(&mut self, frame: Frame, place: &Place) -> ControlFlow<()> {
        self.waiting.insert(frame, place.clone());
        if self.course.placed() {
            self.flush();
        }
        self.course.goes_on()
    }

    fn located(&mut self) -> ControlFlow<()> {
        self.course.located()
    }
}

impl Writer<'_> {
    fn flush(&mut self) {
        let places = std::mem::take(&mut self.waiting);
        let live = |at: Point| {
            let samples = self.solver.samples(&places, at).into_iter();
            samples.map(|(frame, sample)| (frame, Some(Sample { solved: false, ..sample }))).collect()
        };
        let FaceSolver { area, .. } = self.solver;
        self.course.write(area.carriers.into_iter().zip(area.carried().into_iter().map(live)).collect());
    }
}
