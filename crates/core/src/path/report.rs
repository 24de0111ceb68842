//! How far a path is from the samples it was made of.

use serde::Serialize;

use super::Path;
use crate::time::Frame;
use crate::track::{SampleState, Track};

/// Raw and clean, compared at equal frames.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
pub struct Report {
    /// Largest distance, in pixels.
    pub largest: f64,
    /// The frame of the largest distance; nothing when there is no frame to compare.
    pub largest_on: Option<Frame>,
    /// Mean distance, in pixels.
    pub mean: f64,
    /// Frames compared: those on which it was found or set by hand.
    pub samples: u32,
    /// Keyframes of the path; without a step that makes them, one on every frame.
    pub keys: u32,
}

impl Report {
    /// Compares a path with the track it was made of.
    pub fn of(path: &Path, track: &Track) -> Self {
        let mut report = Self::default();
        for (frame, at) in path.iter() {
            let seen = track.get(frame).filter(|s| matches!(s.state, SampleState::Found | SampleState::Guide));
            let Some(sample) = seen else { continue };
            let distance = sample.at.distance(at);
            report.samples += 1;
            report.mean += (distance - report.mean) / f64::from(report.samples);
            if report.largest_on.is_none() || distance > report.largest {
                (report.largest, report.largest_on) = (distance, Some(frame));
            }
        }
        let keys = |run: &super::Run| run.curve.as_ref().map_or(run.places.len(), |curve| curve.keys().len());
        report.keys = path.runs.iter().map(keys).sum::<usize>() as u32;
        report
    }
}
