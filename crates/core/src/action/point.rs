//! Carried points: places on a subject that no pin follows.

use uuid::Uuid;

use super::{ActionProblem, Ground, Planned};
use crate::edit::Edit;
use crate::geometry::Point;
use crate::motion::{CarriedPoint, Poses};
use crate::time::Frame;

/// Puts a carried point down by eye, or corrects one that is known by this `id`. `poses` are the subject's.
pub fn place_point(
    ground: Ground<'_>,
    subject: Uuid,
    poses: Option<&Poses>,
    id: (Uuid, bool),
    (frame, at): (Frame, Point),
) -> Result<Planned, ActionProblem> {
    let (id, is_known) = id;
    let owner = ground.subject(subject)?;
    if poses.is_none_or(|poses| poses.at(frame).is_none()) {
        return Err(ActionProblem::NothingCarries { name: owner.name.clone(), frame });
    }
    let known = owner.points.iter().find(|point| point.id == id);
    let (title, point) = match known {
        Some(known) => (format!("Correct a carried point of {}", owner.name), known.corrected(frame, at)),
        None if is_known => return Err(ActionProblem::NotThere("point")),
        None => (format!("Carried point on {}", owner.name), CarriedPoint::new(id, frame, at)),
    };
    Ok(Planned { title, edit: Edit::PutPoint { subject, point, index: None }, solve: None })
}
