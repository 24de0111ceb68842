//! What is asked of following a surface, and how that ends.

use std::collections::BTreeMap;
use std::ops::ControlFlow;

use super::net::Net;
use crate::area::AreaTask;
use crate::time::Frame;
use crate::track::Sample;

/// A surface to be followed.
#[derive(Clone, Debug)]
pub struct MeshTask {
    /// What is outlined, on which frame, and what is not looked at. A guide says where it is looked for on a frame; how much
    /// of the motion counts, and other outlines, do not count here.
    pub area: AreaTask,
    /// Between the knots, in pixels of the picture in which it was outlined.
    pub spacing: f64,
}

/// How following a surface ended.
#[derive(Clone, Debug)]
pub enum MeshEnd {
    /// Where its knots are, by frame.
    Solved(Net, BTreeMap<Frame, Vec<Sample>>),
    /// There is nothing within the outline that could be followed.
    Flat,
    /// Whoever watched did not want any more.
    Stopped,
}

/// Told of every frame as soon as it is done, of some more than once; says whether to go on.
pub trait MeshWatch {
    /// A frame is done: a sample for each knot.
    fn placed(&mut self, frame: Frame, knots: &[Sample]) -> ControlFlow<()>;

    /// A frame was looked at for the thing that it is on, which comes before all frames are done.
    fn located(&mut self) -> ControlFlow<()> {
        ControlFlow::Continue(())
    }
}

impl MeshWatch for () {
    fn placed(&mut self, _: Frame, _: &[Sample]) -> ControlFlow<()> {
        ControlFlow::Continue(())
    }
}
