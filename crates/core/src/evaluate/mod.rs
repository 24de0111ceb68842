//! What a subject's samples come to: its motion, its path, how it lies on each frame. Worked out from the document
//! whenever it is asked for, never kept here: who needs it again keeps it.

mod areas;
mod face;

use std::borrow::Cow;
use std::sync::Arc;

use uuid::Uuid;

use crate::document::{Area, Shot, Subject};
use crate::motion::{BentNet, Poses, SubjectMotion};
use crate::path::{Path, Recipe, clean, hand_over};
use crate::time::Frame;
use crate::track::{MotionModel, Sample, Track};

pub use areas::area_task;
pub use face::{face_drawn, face_of_area, face_of_pins, face_to_lie_on};

/// The samples of a pin, or of what leads in its place.
type PinTrack<'a> = (Uuid, Cow<'a, Track>);

/// A subject on all frames.
#[derive(Clone, Debug)]
pub struct SubjectEvaluation {
    track: Track,
    motion: Option<Arc<SubjectMotion>>,
    path: Path,
    poses: Option<Arc<Poses>>,
}

impl SubjectEvaluation {
    /// Solves the motion of the subject's pins once, or twice where a recipe cleans several of them. `None` without a
    /// pin.
    pub fn new(shot: &Shot, subject: &Subject) -> Option<Self> {
        let mut tracks = tracks_of(shot, subject)?;
        let motion = motion_from(subject, &tracks).map(Arc::new);
        let track = match &motion {
            Some(motion) if tracks.len() > 1 => motion.track(&tracks[0].1),
            _ => tracks[0].1.clone().into_owned(),
        };
        let path = subject.cleaning.as_ref().map_or_else(|| Path::raw(&track), |recipe| clean(&track, recipe));
        let recipe = subject.cleaning.as_ref().filter(|_| tracks.len() > 1);
        let cleaned = match recipe {
            Some(recipe) => {
                // Keyframes set by hand are of the leading place, not of each pin.
                let steps = Recipe { steps: recipe.steps.clone(), hand_keys: Vec::new() };
                tracks.iter_mut().for_each(|(_, track)| *track = Cow::Owned(moved_along(track, &clean(track, &steps))));
                motion_from(subject, &tracks).map(Arc::new)
            }
            None => motion.clone(),
        };
        let nets = || nets_of(shot, subject);
        let poses = cleaned.map(|motion| Arc::new(Poses::new(path.clone(), motion).with_nets(nets())));
        Some(Self { track, motion, path, poses })
    }

    /// The samples that move it: of its pin, or, with several, of the place that leads it.
    pub fn track(&self) -> &Track {
        &self.track
    }

    /// How it moves, as its pins say, before any cleaning. `None` where no pin is anywhere.
    pub fn motion(&self) -> Option<&SubjectMotion> {
        self.motion.as_deref()
    }

    /// Where it is, cleaned by its recipe.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Where it is and how it lies on each frame, cleaned by its recipe. `None` where no pin is anywhere.
    pub fn poses(&self) -> Option<&Arc<Poses>> {
        self.poses.as_ref()
    }
}

/// The samples of the pins that move a subject together: first those of its first pin, from each hand-over on those of
/// another, moved so that nothing jumps; then those of every pin that is no hand-over. `None` without a pin.
fn tracks_of<'a>(shot: &'a Shot, subject: &Subject) -> Option<Vec<PinTrack<'a>>> {
    let first = subject.pins.first()?.id;
    let leading = subject.hand_overs.iter().fold(Cow::Borrowed(shot.track(first)), |track, over| {
        hand_over(&track, shot.track(over.pin), over.from).map_or(track, Cow::Owned)
    });
    let others = subject.members().skip(1).map(|pin| (pin.id, Cow::Borrowed(shot.track(pin.id))));
    Some(std::iter::once((first, leading)).chain(others).collect())
}

/// How much of the motion is wanted of so many pins. What a single pin looks for itself is wanted.
fn wanted_motion(subject: &Subject, pins: usize) -> MotionModel {
    let most = if pins > 1 {
        MotionModel::of_pins(pins)
    } else if subject.hand_overs.is_empty() {
        subject.pins.first().map_or(MotionModel::Position, |pin| pin.motion)
    } else {
        // Each pin's warp counts from its own picture.
        MotionModel::Position
    };
    subject.motion.map_or(most, |asked| asked.min(most))
}

fn motion_from(subject: &Subject, tracks: &[PinTrack<'_>]) -> Option<SubjectMotion> {
    let borrowed: Vec<(Uuid, &Track)> = tracks.iter().map(|(pin, track)| (*pin, &**track)).collect();
    SubjectMotion::new(&borrowed, wanted_motion(subject, tracks.len()), subject.pins.first()?.frame)
}

/// The nets of the subject's surfaces that bend.
fn nets_of(shot: &Shot, subject: &Subject) -> Vec<BentNet> {
    let bent = |area: &Area| {
        let tracks: Vec<&Track> = area.knots().into_iter().map(|knot| shot.track(knot)).collect();
        Some(BentNet::new(area.id, area.net()?, &tracks))
    };
    subject.areas.iter().filter_map(bent).collect()
}

/// The samples of a track at the places of a path.
fn moved_along(track: &Track, path: &Path) -> Track {
    let moved =
        |(frame, sample): (Frame, Sample)| (frame, Sample { at: path.position(frame).unwrap_or(sample.at), ..sample });
    track.iter().map(moved).collect()
}
