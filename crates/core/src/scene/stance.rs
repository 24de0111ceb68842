//! How an attachment stands on its subject: the map from its own pixels to the picture of a frame.

use crate::attachment::{Axis, LyingFace, Orientation, Takes};
use crate::geometry::{Homography, Point, Size};
use crate::motion::Poses;
use crate::time::Frame;

/// Where a subject that was at `home` seems to be, for whoever takes this part of its motion.
fn taken(takes: &Takes, home: Point, at: Point) -> Point {
    let moved = (at - home) * takes.share;
    match takes.axis {
        Axis::Both => home + moved,
        Axis::Across => Point::new(home.x + moved.x, home.y),
        Axis::UpAndDown => Point::new(home.x, home.y + moved.y),
    }
}

/// From pixels counted from the subject, as they were set, to the picture of a frame; `None` where the subject is not
/// there.
pub(super) fn stance(takes: &Takes, orientation: Orientation, poses: &Poses, frame: Frame) -> Option<Homography> {
    let path = poses.path();
    let at = path.position(frame)?;
    let home = path.position(orientation.since).or_else(|| path.iter().next().map(|(_, first)| first))?;
    let at = taken(takes, home, at);
    if orientation.tilts {
        return tilted(orientation.since, poses, frame).map(|map| Homography::shift(at - map.origin()).after(&map));
    }
    if !orientation.turns && !orientation.grows {
        return Some(Homography::shift(at));
    }
    let (then, now) = (poses.warp(orientation.since).or_else(|| poses.warp(frame))?, poses.warp(frame)?);
    let scale = if orientation.grows { now.scale() / then.scale() } else { 1.0 };
    let (sin, cos) = if orientation.turns { (now.rotation() - then.rotation()).sin_cos() } else { (0.0, 1.0) };
    Some(Homography::new([[scale * cos, -scale * sin, at.x], [scale * sin, scale * cos, at.y], [0.0, 0.0, 1.0]]))
}

/// From pixels counted from the subject on a frame to the picture of another, as the subject's face lies.
fn tilted(since: Frame, poses: &Poses, frame: Frame) -> Option<Homography> {
    let first = || poses.path().iter().next().map(|(first, _)| first);
    let since = if poses.at(since).is_some() { since } else { first()? };
    let home = poses.path().position(since)?;
    poses.at(frame)?.checked_after(&poses.at(since)?.inverse()?)?.checked_after(&Homography::shift(home))
}

/// From the picture of one frame to that of another, as the subject goes.
pub(super) fn riding(poses: &Poses, since: Frame, frame: Frame) -> Option<Homography> {
    poses.at(frame)?.checked_after(&poses.at(since)?.inverse()?)
}

/// From pixels of a face, counted from its middle, to the picture of a frame; `None` where the subject is not there.
pub(super) fn lying(face: &LyingFace, takes: &Takes, poses: &Poses, frame: Frame, picture: Size) -> Option<Homography> {
    let path = poses.path();
    let gone = riding(poses, face.since, frame)?;
    let at = path.position(frame)?;
    let home = path.position(face.since)?;
    let map = gone.checked_after(&face.map(picture)?)?;
    Some(Homography::shift(taken(takes, home, at) - at).after(&map))
}
