//! What can be asked for, as it is stored.

use jampin_core::follow::Direction;
use jampin_core::time::{Frame, FrameRange};
use jampin_media::Container;
use jampin_store::{NewJob, PIECE, StoreError};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::Product;

/// A piece of long work, as stored.
#[derive(Clone, Debug)]
pub enum Task {
    /// Make pictures and planes of a clip.
    Prepare(PrepareTask),
    /// Follow a pin.
    Follow(FollowTask),
    /// Solve anew what a guide changes.
    Solve(SolveTask),
    /// Write the finished film.
    Export(ExportTask),
    /// Write a piece of a film.
    Piece(PieceTask),
    /// Write the film of a whole project.
    Sequence(SequenceTask),
}

impl Task {
    /// Names of the kinds that a person waits for with the hand on the mouse.
    pub const QUICK: [&'static str; 2] = ["follow", "solve"];
    /// Names of the kinds that take their time.
    pub const SLOW: [&'static str; 3] = ["prepare", "export", "sequence"];

    /// The row to store.
    pub fn into_job(self, project: Uuid) -> Result<NewJob, StoreError> {
        let (kind, payload, shot, clip) = match &self {
            Self::Prepare(task) => ("prepare", serde_json::to_value(task)?, None, Some(task.clip)),
            Self::Follow(task) => ("follow", serde_json::to_value(task)?, Some(task.shot), None),
            Self::Solve(task) => ("solve", serde_json::to_value(task)?, Some(task.shot), None),
            Self::Export(task) => ("export", serde_json::to_value(task)?, Some(task.shot), None),
            Self::Piece(task) => (PIECE, serde_json::to_value(task)?, None, Some(task.clip)),
            Self::Sequence(task) => ("sequence", serde_json::to_value(task)?, None, None),
        };
        Ok(NewJob { project, shot, clip, kind: kind.into(), payload })
    }
}

/// A clip to make pictures and planes of.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct PrepareTask {
    /// The clip.
    pub clip: Uuid,
}

/// A pin to follow.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct FollowTask {
    /// In which shot.
    pub shot: Uuid,
    /// Which pin.
    pub pin: Uuid,
    /// From which frame; the pin has a sample there.
    pub from: Frame,
    /// Which ways, one after the other.
    pub directions: Vec<Direction>,
    /// Only one frame each way.
    pub single: bool,
    /// A quick look: only every n-th frame, and what lies between is filled in.
    #[serde(default = "every_frame")]
    pub every: u32,
    /// Only these frames; nothing for all.
    #[serde(default)]
    pub within: Option<FrameRange>,
}

fn every_frame() -> u32 {
    1
}

impl FollowTask {
    /// All the way, every frame.
    pub fn whole(shot: Uuid, pin: Uuid, from: Frame, directions: Vec<Direction>) -> Self {
        Self { shot, pin, from, directions, single: false, every: every_frame(), within: None }
    }

    /// Whether what is found on a frame counts.
    pub(crate) fn wants(&self, frame: Frame) -> bool {
        let side = if frame < self.from { Direction::Backward } else { Direction::Forward };
        let is_near = !self.single || frame.until(self.from).abs() <= 1;
        let is_within = self.within.is_none_or(|within| within.contains(frame));
        frame == self.from || is_near && is_within && self.directions.contains(&side)
    }
}

/// What is to be solved anew: what depends on one frame of a pin.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct SolveTask {
    /// In which shot.
    pub shot: Uuid,
    /// Which pin.
    pub pin: Uuid,
    /// The frame on which a guide was put, moved or removed.
    pub frame: Frame,
    /// Only the samples of these frames are replaced; nothing for all that depend on `frame`.
    #[serde(default)]
    pub only: Option<FrameRange>,
}

/// What is to be written.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct ExportTask {
    /// Which shot.
    pub shot: Uuid,
    /// Into what.
    pub container: Product,
}

/// A piece of what is to be written.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct PieceTask {
    /// Of which export.
    pub export: Uuid,
    /// Of which of the shots that are in it, counted from 0.
    #[serde(default)]
    pub take: u32,
    /// The clip that it needs.
    pub clip: Uuid,
    /// Which frames.
    pub range: FrameRange,
    /// Into what.
    pub container: Product,
}

/// What is to be written.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct SequenceTask {
    /// Of which project.
    pub project: Uuid,
    /// Into what.
    pub container: Container,
}
