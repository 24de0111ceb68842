//! Carried points: places on a subject that no pin follows.

use uuid::Uuid;

use super::{ActionProblem, Ground, Planned};
use crate::edit::Edit;
use crate::geometry::Point;
use crate::motion::{CarriedPoint, Poses};
use crate::time::Frame;

/// Puts a new carried point down by eye, in the picture of a frame. `poses` are the subject's.
pub fn place_point(
    ground: Ground<'_>,
    subject: Uuid,
    poses: Option<&Poses>,
    (id, frame, at): (Uuid, Frame, Point),
) -> Result<Planned, ActionProblem> {
    let name = carried_by(ground, subject, poses, frame)?;
    Ok(put(format!("Carried point on {name}"), subject, CarriedPoint::new(id, frame, at)))
}

/// Corrects a carried point on a frame.
pub fn correct_point(
    ground: Ground<'_>,
    subject: Uuid,
    poses: Option<&Poses>,
    (id, frame, at): (Uuid, Frame, Point),
) -> Result<Planned, ActionProblem> {
    let name = carried_by(ground, subject, poses, frame)?;
    let known =
        ground.subject(subject)?.points.iter().find(|point| point.id == id).ok_or(ActionProblem::NotThere("point"))?;
    Ok(put(format!("Correct a carried point of {name}"), subject, known.corrected(frame, at)))
}

/// The name of the subject, if it is there on the frame.
fn carried_by<'a>(
    ground: Ground<'a>,
    subject: Uuid,
    poses: Option<&Poses>,
    frame: Frame,
) -> Result<&'a str, ActionProblem> {
    let owner = ground.subject(subject)?;
    let is_there = poses.is_some_and(|poses| poses.at(frame).is_some());
    is_there.then_some(&*owner.name).ok_or_else(|| ActionProblem::NothingCarries { name: owner.name.clone(), frame })
}

fn put(title: String, subject: Uuid, point: CarriedPoint) -> Planned {
    Planned { title, edit: Edit::PutPoint { subject, point, index: None }, solve: None }
}
