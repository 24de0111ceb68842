//! What is asked of an area's solve: its outline with what is kept out of it on every frame.

use std::collections::BTreeMap;

use super::SubjectEvaluation;
use crate::area::{AreaTask, KeepOutTrack, Outline};
use crate::document::{Area, KeepOut, Shot, Subject};
use crate::geometry::{Homography, Point, Rect};
use crate::motion::Poses;
use crate::time::{Frame, FrameRange};
use crate::track::SampleState;

/// So much wider than its pattern is what a pin was put on, where no more is known of it.
const BODY: f64 = 1.6;

/// The task of solving an area of a subject over a part of the film, with the guides that its pins have now.
pub fn area_task(shot: &Shot, subject: &Subject, area: &Area, part: FrameRange) -> AreaTask {
    let drawn = area.drawn.outline.polygon();
    let mut task = AreaTask::new(area.drawn.frame, drawn);
    task.motion = area.motion;
    task.moved = area.moved.iter().map(|place| (place.frame, place.outline.polygon())).collect();
    task.hidden = shot.pin(area.carriers[0]).map(|(_, pin)| pin.hidden.clone()).unwrap_or_default();
    task.guides = guides(shot, area);
    // What its own subject carries is a part of the face.
    let (own, others): (Vec<&KeepOut>, Vec<&KeepOut>) =
        area.keep_outs.iter().partition(|keep_out| keep_out.rides_on == Some(subject.id));
    task.left_out = own.iter().flat_map(|keep_out| &keep_out.placed).map(|place| place.outline.polygon()).collect();
    for keep_out in others {
        match keep_out.rides_on.and_then(|carrier| shot.subject(carrier)) {
            Some(carrier) => task.keep_outs.extend(carried(shot, carrier, keep_out, part)),
            None => task.keep_outs.push(keep_out.track()),
        }
    }
    for other in shot.subjects.iter().filter(|other| other.keep_out && other.id != subject.id) {
        task.keep_outs.extend(whole_subject(shot, other, part));
    }
    task
}

/// Where a person has put it: the maps that take its corners there.
fn guides(shot: &Shot, area: &Area) -> BTreeMap<Frame, Homography> {
    let guides = shot
        .track(area.carriers[0])
        .iter()
        .filter(|(frame, sample)| sample.state == SampleState::Guide && *frame != area.drawn.frame);
    guides.filter_map(|(frame, _)| Some((frame, shot.area_map(area, frame)?))).collect()
}

/// A keep-out that another subject carries: each of its places from its own frame on, the first also before.
fn carried(shot: &Shot, carrier: &Subject, keep_out: &KeepOut, part: FrameRange) -> Vec<KeepOutTrack> {
    let evaluated = SubjectEvaluation::new(shot, carrier);
    let Some(poses) = evaluated.as_ref().and_then(SubjectEvaluation::poses) else { return Vec::new() };
    let tracks = keep_out.placed.iter().enumerate().map(|(i, place)| {
        let is_its_own = |frame: &Frame| {
            let begins = i == 0 || *frame >= place.frame;
            begins && keep_out.placed.get(i + 1).is_none_or(|next| *frame < next.frame)
        };
        let frames = part.frames().filter(is_its_own);
        let maps = frames.filter_map(|frame| Some((frame, since(poses, place.frame, frame)?))).collect();
        KeepOutTrack::Carried { outline: place.outline.polygon(), maps }
    });
    tracks.collect()
}

/// From the picture of one frame to that of another, as a subject goes.
fn since(poses: &Poses, from: Frame, to: Frame) -> Option<Homography> {
    poses.at(to)?.checked_after(&poses.at(from)?.inverse()?)
}

/// A subject as a keep-out: its areas; without any, the bodies that its pins were put on.
fn whole_subject(shot: &Shot, subject: &Subject, part: FrameRange) -> Vec<KeepOutTrack> {
    let evaluated = SubjectEvaluation::new(shot, subject);
    let Some(poses) = evaluated.as_ref().and_then(SubjectEvaluation::poses) else { return Vec::new() };
    let areas = subject.areas.iter().map(|area| {
        let map = |frame: Frame| Some((frame, since(poses, area.drawn.frame, frame)?));
        KeepOutTrack::Carried { outline: area.drawn.outline.polygon(), maps: part.frames().filter_map(map).collect() }
    });
    let pins = subject.members().filter(|_| subject.areas.is_empty());
    let bodies = pins.map(|pin| {
        let [width, height] = pin.pattern.map(|side| BODY * f64::from(side));
        let body = pin.figure.unwrap_or(Rect::centred(Point::default(), width, height));
        let map = |frame: Frame| Some((frame, Homography::shift(poses.pin(pin.id, frame)?.1)));
        KeepOutTrack::Carried { outline: Outline(body.corners().into()), maps: part.frames().filter_map(map).collect() }
    });
    areas.chain(bodies).collect()
}
