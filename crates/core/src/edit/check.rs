//! What a change may say: numbers that are numbers, names that can be read, as much as a shot can hold.

use super::kinds::{Edit, EditError, FARTHEST, LAST_FRAME, MAX_NAME};
use crate::attachment::Attachment;
use crate::document::{Shot, Subject};
use crate::motion::CarriedPoint;
use crate::path::Recipe;
use crate::pin::Pin;
use crate::time::{Frame, FrameRange};
use crate::track::Sample;

/// What a shot holds at most: ten times as much as anybody was seen to need, and still worked with at ease.
const SUBJECTS: usize = 500;
const PINS: usize = 2000;
const ATTACHMENTS: usize = 500;
const POINTS: usize = 2000;
/// Of one thing: hand-overs, hidden stretches, places of a carried point, frames that are no cut, keyframes by hand.
const OF_ONE: usize = 10_000;
/// Changes that are made as one.
const CHANGES: usize = 20_000;

/// Checks all that a change says, and that the shot can hold it.
pub(super) fn edit(edit: &Edit, shot: &Shot) -> Result<(), EditError> {
    let mut sum = Sum {
        subjects: shot.subjects.len(),
        pins: shot.subjects.iter().map(|subject| subject.pins.len()).sum(),
        attachments: shot.subjects.iter().map(|subject| subject.attachments.len()).sum(),
        points: shot.subjects.iter().map(|subject| subject.points.len()).sum(),
        changes: 0,
    };
    sum.values(edit, shot)?;
    sum.check()
}

/// What there is after a change at most.
struct Sum {
    subjects: usize,
    pins: usize,
    attachments: usize,
    points: usize,
    changes: usize,
}

impl Sum {
    fn values(&mut self, edit: &Edit, shot: &Shot) -> Result<(), EditError> {
        self.changes += 1;
        match edit {
            Edit::AddSubject { subject: new, .. } => {
                self.subjects += 1;
                self.pins += new.pins.len();
                self.attachments += new.attachments.len();
                self.points += new.points.len();
                subject(new)
            }
            Edit::Rename { name: new, .. } => name(new),
            Edit::PutPin { pin: new, .. } => {
                self.pins += usize::from(shot.pin(new.id).is_none());
                pin(new)
            }
            Edit::PutAttachment { attachment: new, .. } => {
                let is_known = |subject: &Subject| subject.attachments.iter().any(|old| old.id == new.id);
                self.attachments += usize::from(!shot.subjects.iter().any(is_known));
                attachment(new)
            }
            Edit::PutPoint { point: new, .. } => {
                let is_known = |subject: &Subject| subject.points.iter().any(|old| old.id == new.id);
                self.points += usize::from(!shot.subjects.iter().any(is_known));
                point(new)
            }
            Edit::SetCleaning { cleaning: new, .. } => new.as_ref().map_or(Ok(()), cleaning),
            Edit::SetHandOvers { hand_overs, .. } => {
                at_most("hand-overs", hand_overs.len())?;
                hand_overs.iter().try_for_each(|over| frame(over.from))
            }
            Edit::SetNoCuts { frames } => {
                at_most("frames that are no cut", frames.len())?;
                frames.iter().try_for_each(|at| frame(*at))
            }
            Edit::SetSamples { samples, .. } => samples.iter().try_for_each(|(at, new)| {
                frame(*at)?;
                new.as_ref().map_or(Ok(()), sample)
            }),
            Edit::All { edits } => edits.iter().try_for_each(|edit| self.values(edit, shot)),
            Edit::RemoveSubject { .. }
            | Edit::RemovePin { .. }
            | Edit::RemoveAttachment { .. }
            | Edit::RemovePoint { .. }
            | Edit::SetMotion { .. } => Ok(()),
        }
    }

    fn check(&self) -> Result<(), EditError> {
        let counted = [
            ("subjects", self.subjects, SUBJECTS),
            ("pins", self.pins, PINS),
            ("attachments", self.attachments, ATTACHMENTS),
            ("carried points", self.points, POINTS),
            ("changes at once", self.changes, CHANGES),
        ];
        let over = counted.into_iter().find(|(_, count, most)| count > most);
        over.map_or(Ok(()), |(what, _, most)| Err(EditError::TooMany { what, most }))
    }
}

fn at_most(what: &'static str, count: usize) -> Result<(), EditError> {
    if count <= OF_ONE { Ok(()) } else { Err(EditError::TooMany { what, most: OF_ONE }) }
}

fn subject(subject: &Subject) -> Result<(), EditError> {
    name(&subject.name)?;
    if subject.letter.is_control() {
        return Err(EditError::Name);
    }
    subject.pins.iter().try_for_each(pin)?;
    subject.attachments.iter().try_for_each(attachment)?;
    subject.points.iter().try_for_each(point)?;
    at_most("hand-overs", subject.hand_overs.len())?;
    for over in &subject.hand_overs {
        frame(over.from)?;
        if subject.pins.iter().all(|pin| pin.id != over.pin) {
            return Err(EditError::NotThere("pin"));
        }
    }
    subject.cleaning.as_ref().map_or(Ok(()), cleaning)
}

fn name(name: &str) -> Result<(), EditError> {
    let is_good = (1..=MAX_NAME).contains(&name.chars().count()) && !name.chars().any(char::is_control);
    if is_good { Ok(()) } else { Err(EditError::Name) }
}

fn frame(frame: Frame) -> Result<(), EditError> {
    if frame.0 <= LAST_FRAME { Ok(()) } else { Err(EditError::Frames) }
}

fn range(range: FrameRange) -> Result<(), EditError> {
    frame(range.last)?;
    if range.first <= range.last { Ok(()) } else { Err(EditError::Frames) }
}

/// Numbers that are numbers, and not further than this from nothing.
fn within(most: f64, numbers: impl IntoIterator<Item = f64>) -> Result<(), EditError> {
    if numbers.into_iter().all(|number| number.abs() <= most) { Ok(()) } else { Err(EditError::Number) }
}

/// Whether the pin is inside of the picture is asked where the picture's size is known.
fn pin(pin: &Pin) -> Result<(), EditError> {
    frame(pin.frame)?;
    within(FARTHEST, [pin.at.x, pin.at.y])?;
    pin.check_settings().map_err(EditError::Pin)?;
    at_most("stretches on which a pin is hidden", pin.hidden.len())?;
    pin.hidden.iter().try_for_each(|hidden| range(*hidden))
}

fn attachment(attachment: &Attachment) -> Result<(), EditError> {
    attachment.look.as_deref().map_or(Ok(()), name)?;
    attachment.check().map_err(EditError::Setting)
}

fn point(point: &CarriedPoint) -> Result<(), EditError> {
    at_most("places of a carried point", point.placed.len())?;
    if point.placed.is_empty() {
        return Err(EditError::Number);
    }
    point.placed.iter().try_for_each(|place| {
        frame(place.frame)?;
        within(FARTHEST, [place.at.x, place.at.y])
    })
}

fn cleaning(cleaning: &Recipe) -> Result<(), EditError> {
    cleaning.check().map_err(EditError::Recipe)?;
    at_most("keyframes by hand", cleaning.hand_keys.len())?;
    cleaning.hand_keys.iter().try_for_each(|hand| frame(hand.frame))?;
    cleaning.steps.iter().filter_map(|step| step.range).try_for_each(range)
}

/// Variances are kept in single precision: larger ones would become infinite there.
fn sample(sample: &Sample) -> Result<(), EditError> {
    within(FARTHEST, [sample.at.x, sample.at.y])?;
    within(1.0 + 1e-6, [sample.matched])?;
    let covariance = sample.covariance;
    within(FARTHEST * FARTHEST, [covariance.xx, covariance.xy, covariance.yy])?;
    if covariance.xx < 0.0 || covariance.yy < 0.0 {
        return Err(EditError::Number);
    }
    within(FARTHEST, sample.peak_ratio.into_iter().chain(sample.back_error))?;
    sample.shape.map_or(Ok(()), |shape| within(FARTHEST, [shape.xx, shape.xy, shape.yx, shape.yy, shape.px, shape.py]))
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::*;
    use crate::attachment::Label;
    use crate::geometry::Point;
    use crate::track::{Covariance, SampleState};

    fn id(n: u128) -> Uuid {
        Uuid::from_u128(n)
    }

    fn spot(n: u128) -> Pin {
        Pin::new(id(n), Frame(3), Point::new(10.0, 20.0), [31, 31], [40, 40])
    }

    fn put(pin: Pin) -> Edit {
        Edit::PutPin { subject: id(1), pin, index: None }
    }

    fn set(sample: Sample) -> Edit {
        Edit::SetSamples { pin: id(2), samples: vec![(Frame(4), Some(sample))] }
    }

    fn add(subject: Subject) -> Edit {
        Edit::AddSubject { index: 0, subject }
    }

    fn shot() -> Shot {
        let subject = Subject { pins: vec![spot(2)], ..Subject::new(id(1), "Crane", 'A', 0) };
        Shot { subjects: vec![subject], ..Shot::default() }
    }

    /// Each of these was once accepted, and made trouble later.
    #[test]
    fn what_makes_no_sense_is_refused_wherever_it_stands() {
        let good = Sample { state: SampleState::Found, ..Sample::guide(Point::new(1.0, 2.0)) };
        let far = Point::new(1e10, 0.0);
        let other = || Subject::new(id(9), "Tank", 'B', 1);
        let hidden =
            |first, last| put(Pin { hidden: vec![FrameRange { first: Frame(first), last: Frame(last) }], ..spot(2) });
        let label =
            |look: &str| Attachment { look: Some(look.into()), ..Attachment::label(id(7), Label::named("Tank")) };
        let refused = [
            set(Sample { at: far, ..good }),
            set(Sample { covariance: Covariance { xx: 1e300, ..Covariance::UNKNOWN }, ..good }),
            set(Sample { covariance: Covariance { xx: -1.0, ..Covariance::UNKNOWN }, ..good }),
            set(Sample { matched: f64::NAN, ..good }),
            set(Sample { back_error: Some(f64::INFINITY), ..good }),
            Edit::SetSamples { pin: id(2), samples: vec![(Frame(u32::MAX), Some(good))] },
            put(Pin { at: far, ..spot(2) }),
            put(Pin { pattern: [3, 3], ..spot(2) }),
            put(Pin { search: [0, 9], ..spot(2) }),
            put(Pin { stop_below: Some(f64::NAN), ..spot(2) }),
            hidden(0, 4_000_000_000),
            hidden(9, 3),
            Edit::Rename { subject: id(1), name: "Sig\u{0}nal".into() },
            add(Subject { name: "\u{0}".into(), ..other() }),
            add(Subject { letter: '\u{0}', ..other() }),
            add(Subject { pins: vec![Pin { at: far, ..spot(8) }], ..other() }),
            add(Subject { pins: vec![spot(8), spot(8)], ..other() }),
            add(Subject { pins: vec![spot(2)], ..other() }),
            add(Subject { points: vec![CarriedPoint::new(id(5), Frame(0), far)], ..other() }),
            add(Subject {
                points: vec![CarriedPoint { placed: vec![], ..CarriedPoint::new(id(5), Frame(0), far) }],
                ..other()
            }),
            add(Subject { attachments: vec![label("\u{0}")], ..other() }),
            add(Subject { pins: (0..2001).map(|n| spot(1000 + n)).collect(), ..other() }),
            Edit::SetNoCuts { frames: vec![Frame(10_000_000)] },
            Edit::All { edits: (0..501).map(|n| add(Subject::new(id(500 + n), "Tank", 'B', 1))).collect() },
            Edit::All { edits: vec![Edit::All { edits: vec![Edit::RemoveSubject { subject: id(1) }; 20_001] }] },
        ];
        for edit in refused {
            let mut changed = shot();
            assert!(edit.apply(&mut changed).is_err(), "{edit:?} was not refused");
            assert_eq!(changed, shot(), "{edit:?} left a trace");
        }
        let mut changed = shot();
        for edit in [
            set(good),
            hidden(3, 9),
            put(spot(2)),
            put(spot(8)),
            add(Subject { attachments: vec![label("names")], ..other() }),
        ] {
            edit.apply(&mut changed).unwrap();
        }
    }

    #[test]
    fn what_was_taken_in_before_can_still_be_undone() {
        // As an older version left it: its recipe would be refused today.
        let mut old = shot();
        let step = crate::path::Step::new(crate::path::StepKind::Curve { tolerance: -1.0 });
        let bad = Recipe { steps: vec![step], hand_keys: Vec::new() };
        old.subjects[0].cleaning = Some(bad.clone());
        old.subjects[0].name = String::new();
        let mut now = old.clone();
        let take = |cleaning| Edit::SetCleaning { subject: id(1), cleaning };
        let both = Edit::All { edits: vec![take(None), Edit::Rename { subject: id(1), name: "Crane".into() }] };
        let inverse = both.apply(&mut now).unwrap();
        inverse.again(&mut now).unwrap();
        assert_eq!(now, old);
        // One that fails takes the others back, whatever they replaced.
        let failing = Edit::All { edits: vec![take(None), Edit::RemoveSubject { subject: id(77) }] };
        assert_eq!(failing.apply(&mut now), Err(EditError::NotThere("subject")));
        assert_eq!(now, old);
        assert!(take(Some(bad)).apply(&mut now).is_err());
    }
}
