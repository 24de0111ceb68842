//! How an attachment stands on its subject: which part of the motion it takes.

use serde::{Deserialize, Serialize};

use super::settings::{SettingProblem, check_number};
use crate::geometry::{Homography, Point};
use crate::motion::Poses;
use crate::time::Frame;

/// Which part of the position is taken.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Axis {
    /// All of it.
    #[default]
    Both,
    /// Only left and right.
    Across,
    /// Only up and down.
    UpAndDown,
}

/// How much of the subject's position is taken.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Takes {
    /// Which axes.
    pub axis: Axis,
    /// Which share: 1 goes along wholly; what is far away, as in a sky behind, moves less; 0 stands still.
    pub share: f64,
}

impl Default for Takes {
    fn default() -> Self {
        Self { axis: Axis::Both, share: 1.0 }
    }
}

impl Takes {
    pub(super) fn check(&self) -> Result<(), SettingProblem> {
        check_number("the share of the motion", self.share, -10.0, 10.0)
    }

    /// Where a subject that was at `home` seems to be, for whoever takes this part of its motion.
    fn taken(&self, home: Point, at: Point) -> Point {
        let moved = (at - home) * self.share;
        match self.axis {
            Axis::Both => home + moved,
            Axis::Across => Point::new(home.x + moved.x, home.y),
            Axis::UpAndDown => Point::new(home.x, home.y + moved.y),
        }
    }
}

/// Which part of turn and growth is taken, by what faces the camera.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Facing {
    /// The frame on which its size, turn and place count as set.
    pub since: Frame,
    /// Whether it turns with the subject.
    pub turns: bool,
    /// Whether it grows with the subject.
    pub grows: bool,
    /// Whether it lies on the subject, in its perspective, and so turns and grows with it, too.
    pub tilts: bool,
}

/// From pixels counted from the subject, as they were set, to the picture of a frame; `None` where the subject is not there.
pub(super) fn stance(takes: &Takes, facing: Facing, poses: &Poses, frame: Frame) -> Option<Homography> {
    let path = poses.path();
    let at = path.position(frame)?;
    let home = path.position(facing.since).or_else(|| path.iter().next().map(|(_, first)| first))?;
    let at = takes.taken(home, at);
    if facing.tilts {
        return tilted(facing.since, poses, frame).map(|map| Homography::shift(at - map.origin()).after(&map));
    }
    if !facing.turns && !facing.grows {
        return Some(Homography::shift(at));
    }
    let (then, now) = (poses.shape(facing.since).or_else(|| poses.shape(frame))?, poses.shape(frame)?);
    let growth = if facing.grows { now.growth() / then.growth() } else { 1.0 };
    let (sin, cos) = if facing.turns { (now.turn() - then.turn()).sin_cos() } else { (0.0, 1.0) };
    Some(Homography::new([[growth * cos, -growth * sin, at.x], [growth * sin, growth * cos, at.y], [0.0, 0.0, 1.0]]))
}

/// From pixels counted from the subject on a frame to the picture of another, as the subject's face lies.
fn tilted(since: Frame, poses: &Poses, frame: Frame) -> Option<Homography> {
    let first = || poses.path().iter().next().map(|(first, _)| first);
    let since = if poses.at(since).is_some() { since } else { first()? };
    let home = poses.path().position(since)?;
    poses.at(frame)?.checked_after(&poses.at(since)?.inverse()?)?.checked_after(&Homography::shift(home))
}
