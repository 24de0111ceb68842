//! What was found: where a spot is on each frame, how sure that is, and how much of its motion counts.

mod covariance;
mod motion_model;
mod samples;

pub use covariance::Covariance;
pub use motion_model::MotionModel;
pub use samples::{Grasp, Sample, SampleState, Track};
